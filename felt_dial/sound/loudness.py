"""Loudness while it sounds: momentary and short-term, after ITU-R BS.1770-4."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.engine.kernels.mix import k_weighting, run_loudness
from felt_dial.sound.sizes import SILENT

LONGEST = 36_000
"""Pieces that the integrated loudness remembers: an hour of them."""


class LoudnessMeter:
    """Follows the loudness of a sound, block by block.

    Momentary is over 0.4 s and short-term over 3 s, both without gate, as EBU Tech 3341 has them.
    """

    def __init__(self, rate: float, frames: int) -> None:
        self._weights = k_weighting(rate)
        self._state = np.zeros((2, 2, 2))
        self._powers = np.zeros(max(1, round(3.0 * rate / frames)))
        self._short = max(1, round(0.4 * rate / frames))
        self._at = 0
        self._since = 0
        self._gated: list[float] = []
        self._every = max(1, round(0.1 * rate / frames))

    def add(self, sound: NDArray[np.float32]) -> None:
        """Takes in one block, float32 (2, frame)."""
        self._powers[self._at] = run_loudness(sound, self._weights, self._state)
        self._at = (self._at + 1) % len(self._powers)
        self._since += 1
        if self._since >= self._short and self._since % self._every == 0 and len(self._gated) < LONGEST:
            power = self._recent()
            if _lufs(power) > SILENT:
                self._gated.append(power)

    def restart(self) -> None:
        """Begins the integrated loudness anew."""
        self._since, self._gated = 0, []

    def integrated(self) -> float:
        """LUFS since the beginning, over pieces of 0.4 s that overlap by 0.3 s, gated at −70 LUFS and 10 LU below the mean."""
        if not self._gated:
            return SILENT
        powers = np.array(self._gated)
        gate = _lufs(float(powers.mean())) - 10.0
        kept = powers[[_lufs(float(power)) > gate for power in powers]]
        return _lufs(float(kept.mean())) if len(kept) else SILENT

    def _recent(self) -> float:
        return float(self._powers[np.arange(self._at - self._short, self._at) % len(self._powers)].mean())

    def momentary(self) -> float:
        """LUFS of the last 0.4 s."""
        return _lufs(self._recent())

    def short_term(self) -> float:
        """LUFS of the last 3 s."""
        return _lufs(float(self._powers.mean()))


def _lufs(power: float) -> float:
    return max(SILENT, -0.691 + 10 * math.log10(power)) if power > 1e-12 else SILENT
