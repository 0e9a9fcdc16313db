"""Half-bands of few sections, by which a drive goes up to a finer rate and comes down again.

Two chains of all-passes side by side, each frame through one of them: R. A. Valenzuela and A. G. Constantinides, Digital
signal processing schemes for efficient interpolation and decimation, IEE Proceedings G 130(6), 1983. From memory. They
bend no level, and are late by a few frames only, where a filter of the same steepness without bent phases takes twenty.
"""

from __future__ import annotations

import math
from functools import cache

import numpy as np
from numpy.typing import NDArray

FIRST, LATER = 5, 4
"""Sections of the first half-band, and of those that follow at finer rates; both stand in rows of five."""
PASSES, SHARP, PART = 19_000.0, 60_000.0, 0.43
"""Hz up to which the first half-band lets all through, where the rate is below so many Hz; at the lowest rates, where that
is more than they hold, a part of the rate."""
FINE = 300_000.0
"""Hz from which every drive works at eight times the rate."""
CALM = 56.0 / 192.0
"""Width between the bands of all the others, of the finer rate: from 20 to 76 kHz at 192."""


@cache
def sections(count: int, width: float) -> tuple[float, ...]:
    """Coefficients of an elliptic half-band of so many sections, `width` of the finer rate between its bands."""
    k = math.tan((1 - width) * math.pi / 4) ** 2
    root = (1 - k * k) ** 0.25
    e = 0.5 * (1 - root) / (1 + root)
    q = e * (1 + e**4 * (2 + e**4 * (15 + 150 * e**4)))
    found = []
    for c in range(1, count + 1):
        turn = c * math.pi / (2 * count + 1)
        over = q**0.25 * sum((-1) ** j * q ** (j * (j + 1)) * math.sin((2 * j + 1) * turn) for j in range(8))
        under = 0.5 + sum((-1) ** j * q ** (j * j) * math.cos(2 * j * turn) for j in range(1, 8))
        w = (over / under) ** 2
        r = math.sqrt((1 - w * k) * (1 - w / k)) / (1 + w)
        found.append((1 - r) / (1 + r))
    return tuple(found)


def stages(rate: float, finest: bool = False) -> NDArray[np.float64]:
    """The half-bands of a drive at a rate in Hz, float64 (doubling, 5); those with four sections end in a 0.

    Four times the rate; eight times (`finest`) for a drawn curve, which may have corners and folds, and where the rate is so
    fine that only what folds still hears a difference. All that comes after the second is not late by a whole frame.
    """
    width = (rate - 2 * min(PASSES, PART * rate)) / (2 * rate) if rate < SHARP else CALM
    count = 3 if finest or rate >= FINE else 2
    found = np.zeros((count, FIRST))
    found[0] = sections(FIRST, width)
    found[1:, :LATER] = sections(LATER, CALM)
    return found


@cache
def late(rate: float) -> int:
    """Frames by which a drive is late at a rate in Hz, what stands still and low tones taken, to the nearest whole."""
    rows = stages(rate)
    counts = [FIRST] + [LATER] * (len(rows) - 1)
    frames: float = 0.5 / 2.0 ** len(rows)
    for n, (row, count) in enumerate(zip(rows.tolist(), counts, strict=True)):
        frames += sum((1 - c) / (1 + c) for c in row[:count]) / 2.0**n
    return round(frames)
