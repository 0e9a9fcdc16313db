"""Travel curves: where in a recording one is, against time, drawn by the designer."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.control.core.line import line_value

Point = tuple[float, float, float]
"""Time and place from 0 to 1, and the bend of the way to the next point, −1 to 1."""
Curve = tuple[Point, ...]
POINTS = 512

STRAIGHT: Curve = ((0.0, 0.0, 0.0), (1.0, 1.0, 0.0))
READY: dict[str, Curve] = {
    "Straight": STRAIGHT,
    "There and back": ((0.0, 0.0, 0.0), (0.5, 1.0, 0.0), (1.0, 0.0, 0.0)),
    "Twice": ((0.0, 0.0, 0.0), (0.5, 1.0, 0.0), (0.5, 0.0, 0.0), (1.0, 1.0, 0.0)),
    "Four times": tuple(point for n in range(4) for point in ((n / 4, 0.0, 0.0), ((n + 1) / 4, 1.0, 0.0))),
    "Stutter": tuple(point for n in range(8) for point in ((n / 8, n / 12, 0.0), ((n + 1) / 8, n / 12 + 1 / 6, 0.0))),
    "Slow to a standstill": ((0.0, 0.0, 0.75), (0.85, 0.9, 0.0), (1.0, 0.9, 0.0)),
}


def checked(curve: object) -> Curve:
    """The curve with its points in order, from 0 to 1; raises ValueError with the reason."""
    if not isinstance(curve, list | tuple) or not 2 <= len(curve) <= 64:
        raise ValueError("a travel curve has 2 to 64 points")
    points = []
    for point in curve:
        if not isinstance(point, list | tuple) or len(point) != 3:
            raise ValueError("a point of a travel curve is a time, a place and a bend")
        time, place, bend = (float(x) for x in point)
        if not (0.0 <= time <= 1.0 and 0.0 <= place <= 1.0 and -1.0 <= bend <= 1.0):
            raise ValueError("a travel curve stays between 0 and 1, its bends between −1 and 1")
        points.append((time, place, bend))
    if any(b[0] < a[0] for a, b in pairwise(points)):
        raise ValueError("the points of a travel curve go forward in time")
    if points[0][0] != 0.0 or points[-1][0] != 1.0:
        raise ValueError("a travel curve goes from time 0 to time 1")
    return tuple(points)


def place_at(curve: Curve, time: NDArray[np.float64]) -> NDArray[np.float64]:
    """Places of a curve at times from 0 to 1, bent as every drawn line is."""
    return line_value(curve, time)


def drawn(curve: Curve) -> NDArray[np.float32]:
    """The curve at 513 even times, for the kernel; float32."""
    return place_at(curve, np.linspace(0.0, 1.0, POINTS + 1)).astype(np.float32)
