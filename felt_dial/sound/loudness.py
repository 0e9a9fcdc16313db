"""Loudness while it sounds: momentary and short-term, after ITU-R BS.1770-4."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.engine.kernels.mix import k_weighting, run_loudness
from felt_dial.sound.sizes import SILENT

FINE, LOUDEST = 0.01, 20.0
"""LU by which pieces are told apart for the gate, and LUFS from which on they are not."""
_BINS = round((LOUDEST - SILENT) / FINE) + 1


class LoudnessMeter:
    """Follows the loudness of a sound, block by block, and takes as long for it after an hour as in the first second.

    Momentary is over 0.4 s and short-term over 3 s, both without gate, as EBU Tech 3341 has them.
    """

    def __init__(self, rate: float, frames: int) -> None:
        self._weights = k_weighting(rate)
        self._state = np.zeros((2, 2, 2))
        self._powers = np.zeros(max(1, round(3.0 * rate / frames)))
        self._short = max(1, round(0.4 * rate / frames))
        self._at = 0
        self._since = 0
        self._sums, self._counts = np.zeros(_BINS), np.zeros(_BINS, np.int64)
        self._every = max(1, round(0.1 * rate / frames))

    def add(self, sound: NDArray[np.float32]) -> None:
        """Takes in one block, float32 (2, frame)."""
        self._powers[self._at] = run_loudness(sound, self._weights, self._state)
        self._at = (self._at + 1) % len(self._powers)
        self._since += 1
        if self._since >= self._short and self._since % self._every == 0:
            power = self._recent()
            if (loudness := _lufs(power)) > SILENT:
                piece = _bin(loudness)
                self._sums[piece] += power
                self._counts[piece] += 1

    def restart(self) -> None:
        """Begins the integrated loudness anew."""
        self._since = 0
        self._sums.fill(0.0)
        self._counts.fill(0)

    def integrated(self) -> float:
        """LUFS since the beginning, over pieces of 0.4 s that overlap by 0.3 s, gated at −70 LUFS and 10 LU below the mean.

        Every piece keeps its power; only whether the gate lets it through is asked for all within `FINE` at once.
        """
        pieces = int(self._counts.sum())
        if not pieces:
            return SILENT
        gate = min(_bin(_lufs(float(self._sums.sum()) / pieces) - 10.0) + 1, _BINS - 1)
        return _lufs(float(self._sums[gate:].sum()) / int(self._counts[gate:].sum()))

    def _recent(self) -> float:
        first = self._at - self._short
        found = self._powers[max(first, 0) : self._at].sum()
        if first < 0:
            found += self._powers[first:].sum()
        return float(found) / self._short

    def momentary(self) -> float:
        """LUFS of the last 0.4 s."""
        return _lufs(self._recent())

    def short_term(self) -> float:
        """LUFS of the last 3 s."""
        return _lufs(float(self._powers.mean()))


def _bin(loudness: float) -> int:
    return int(min(max((loudness - SILENT) / FINE, -1.0), _BINS - 1.0))


def _lufs(power: float) -> float:
    return max(SILENT, -0.691 + 10 * math.log10(power)) if power > 1e-12 else SILENT
