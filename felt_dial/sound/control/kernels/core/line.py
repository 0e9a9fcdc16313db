"""Reading a drawn line at a place."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import kernel
from felt_dial.sound.control.core.line import STEEPNESS


@kernel
def bent(part, bend):
    """`slope` for one number, compiled."""
    k = STEEPNESS * bend
    if abs(k) < 1e-4:
        return part
    return (1.0 - math.exp(-k * part)) / (1.0 - math.exp(-k))


@kernel
def line_at(drawn, first, x):
    """Height of a line at a place x from 0 to 1.

    `drawn` (number,) holds all drawings: at `first` the count of points, then (at, level, bend) of each.
    The place is found by halving: six steps for 64 points.
    """
    count = np.int64(drawn[first])
    low, high = np.int64(0), count - 1
    while high - low > 1:
        middle = (low + high) // 2
        if drawn[first + 1 + 3 * middle] <= x:
            low = middle
        else:
            high = middle
    a, b = first + 1 + 3 * low, first + 1 + 3 * high
    width = drawn[b] - drawn[a]
    part = min(max((x - drawn[a]) / width, 0.0), 1.0) if x < drawn[b] else 1.0
    return drawn[a + 1] + (drawn[b + 1] - drawn[a + 1]) * bent(part, drawn[a + 2])
