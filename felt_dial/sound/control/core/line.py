"""Drawn lines: points with bends, read at any place; the same form for LFOs, curves and the shapes of threads."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.drawn import Rows

STEEPNESS = 8.0
"""Exponent of a slope that is fully bent."""


def slope(part: ArrayLike, bend: float) -> NDArray[np.float64]:
    """A slope from 0 to 1 at `part` of its time, by its closed form.

    (1 − e^(−k·part)) / (1 − e^(−k)) with k = 8·bend; the straight line for bend 0.
    """
    x = np.clip(np.asarray(part, np.float64), 0.0, 1.0)
    k = STEEPNESS * bend
    return x if abs(k) < 1e-4 else -np.expm1(-k * x) / -np.expm1(-k)


def line_value(rows: Rows, places: ArrayLike) -> NDArray[np.float64]:
    """Heights of a line at places from 0 to 1; where two points share a place the later one rules."""
    x = np.clip(np.asarray(places, np.float64), 0.0, 1.0)
    found = np.full(x.shape, float(rows[-1][1]))
    for (start, low, bend), (end, high, _) in pairwise(rows):
        inside = (x >= start) & (x < end)
        if end > start and inside.any():
            found[inside] = low + (high - low) * slope((x[inside] - start) / (end - start), bend)
    return found
