"""How clean a table is, in figures."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from felt_dial.workshop.table.cycles import Floats, spectrum
from felt_dial.workshop.table.mending import EMPTY

HEARD = 20000.0
"""Hertz up to which a harmonic is heard."""


class Scores(NamedTuple):
    """Attributes
    ----------
    jump : float
        The worst step from the end of a cycle to its beginning, beyond the steps beside it, as a part of its height.
    dc : float
        The most that stands still in a frame, as a part of its height.
    spread : float
        dB from the quietest frame to the loudest, those that hold nothing left out.
    key : int
        The highest key at which every harmonic down to −60 dB is below 20 kHz; above it the upper ones are left out.
    """

    jump: float
    dc: float
    spread: float
    key: int


def scores_of(frames: Floats) -> Scores:
    """Scores of frames, float (frame, 2048)."""
    height = np.maximum(np.abs(frames).max(axis=1), 1e-9)
    wanted = (frames[:, -1] - frames[:, -2] + frames[:, 1] - frames[:, 0]) / 2
    jump = np.abs(frames[:, 0] - frames[:, -1] - wanted) / (2 * height)
    dc = np.abs(frames.mean(axis=1)) / height
    loud = np.sqrt(np.square(frames).mean(axis=1))
    there = loud > EMPTY * max(float(loud.max()), 1e-9)
    if not there.any():
        return Scores(0.0, 0.0, 0.0, 127)
    spread = 20 * np.log10(loud[there].max() / loud[there].min())
    sizes = np.abs(spectrum(frames[there]))[:, 1:]
    strong = sizes > 1e-3 * sizes.max(axis=1, keepdims=True)
    highest = int(np.flatnonzero(strong.any(axis=0)).max()) + 1
    key = int(np.floor(69 + 12 * np.log2(HEARD / (highest * 440.0))))
    return Scores(float(jump[there].max()), float(dc[there].max()), float(spread), min(max(key, 0), 127))
