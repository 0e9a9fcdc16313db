"""Transfer curves and their areas, of numbers and of lanes."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.shaping import DIODE, DRAWN, FOLD, SINE, SOFT, TUBE, WRAP
from felt_dial.sound.compiling.kernel import kernel
from felt_dial.sound.matter.kept import fixed
from felt_dial.sound.simd.lanes import lane_array
from felt_dial.sound.simd.memory import load, look_up, look_up_there, put_places, store
from felt_dial.sound.simd.types import pick, whole
from felt_dial.sound.tone.core.transfer import AREA, KNEE, LEAK, PIECES, RISE, ROUND, UNDER, VALUE, drawn_curve

TINY, NEAR = 1e-30, 1e-6
"""Values that are nearer to each other than the second are taken for one place of a curve; the first keeps off a 0 below."""
S1, S3, S5, S7, S9 = (
    math.pi / 2 * c
    for c in (
        1.0,
        -((math.pi / 2) ** 2) / 6,
        (math.pi / 2) ** 4 / 120,
        -((math.pi / 2) ** 6) / 5040,
        (math.pi / 2) ** 8 / 362880,
    )
)
"""Taylor series of sin(πx/2), good to 4e-6 within ±1; the rest of the turn by its symmetry."""


@lru_cache(maxsize=64)
def _drawn_values(points: tuple[float, ...], odd: bool) -> NDArray[np.float64]:
    """A drawn curve at every piece; `points` is (at, level, bend) of each. Every drive has one, and hardly any is drawn."""
    rows = tuple(zip(*[iter(points)] * 3, strict=True))
    return fixed(drawn_curve(np.linspace(-1.0, 1.0, PIECES + 1), rows, odd))


def drawn_table(numbers: NDArray[np.float64], odd: bool) -> NDArray[np.float64]:
    """Area, value and rise of every piece of a drawn curve from −1 to 1; float64 (piece + 1, 4), the last one empty.

    `numbers` is what the engine keeps of the drawing: the count of points, then (at, level, bend) of each.
    """
    count = int(numbers[0])
    values = _drawn_values(tuple(numbers[1 : 1 + 3 * count].tolist()), odd)
    found = lane_array(PIECES // 2 + 1).reshape(-1, 4)[: PIECES + 1]
    found[:, VALUE] = values
    found[:-1, RISE] = np.diff(values)
    found[1:, AREA] = np.cumsum(values[1:] + values[:-1]) / PIECES
    return found


@kernel
def rounded(u):
    """Soft, of a value counted by its knee: from −1 to 1, flat beyond; for a number or for lanes, as all that follow."""
    u = min(max(u, -1.0), 1.0)
    q = u * u
    return u * (1.875 + q * (-1.25 + q * 0.375))


@kernel
def soft(x):
    """`curve("soft")`."""
    return rounded(x * (1.0 / KNEE))


@kernel
def soft_area(x):
    """The area under it from 0."""
    u = min(max(x * (1.0 / KNEE), -1.0), 1.0)
    q = u * u
    return KNEE * q * (0.9375 + q * (-0.3125 + q * 0.0625)) + (abs(x) - abs(u) * KNEE)


@kernel
def opening(x):
    """The open half of a tube or diode from 0 up, and nothing below."""
    w = min(max(x, 0.0), ROUND)
    return w - w * w * (0.5 / ROUND)


@kernel
def opening_area(x):
    """The area under it from 0."""
    w = min(max(x, 0.0), ROUND)
    return w * w * (0.5 - w / (6.0 * ROUND)) + (max(x, 0.0) - w) * (0.5 * ROUND)


@kernel
def turned(x):
    """A place on a turn of 4, from −2 to 2."""
    return x - 4.0 * whole(0.25 * x + 0.5)


@kernel
def quarter(v):
    """A place on the turn brought to ±1 by the symmetry of a fold."""
    return min(max(v, -2.0 - v), 2.0 - v)


@kernel
def _piece(x):
    """Which piece of a drawn curve a value is on, how far along it, and the value without what is beyond the ends."""
    v = min(max(x, -1.0), 1.0)
    u = (v + 1.0) * (0.5 * PIECES)
    n = min(whole(u), PIECES - 1.0)
    return n, u - n, v


@kernel
def bend(way, x, table):
    """`curve`, compiled, for a number or for lanes; `table` is that of a drawn one."""
    if way == SOFT:
        return soft(x)
    if way == TUBE:
        return UNDER * soft(min(x, 0.0) * (1.0 / UNDER)) + opening(x)
    if way == DIODE:
        return LEAK * soft(min(x, 0.0)) + opening(x)
    if way == SINE:
        v = quarter(turned(x))
        q = v * v
        return v * (S1 + q * (S3 + q * (S5 + q * (S7 + q * S9))))
    if way == FOLD:
        return quarter(turned(x))
    if way == WRAP:
        return x - 2.0 * whole(0.5 * (x + 1.0))
    if way == DRAWN:
        n, part, _ = _piece(x)
        _, value, rise = look_up(table, n)
        return value + rise * part
    return min(max(x, -1.0), 1.0)


@kernel
def tube_area(x):
    """The areas under the curves of each way, up to a number or to lanes; from where they count does not matter."""
    return UNDER * UNDER * soft_area(min(x, 0.0) * (1.0 / UNDER)) + opening_area(x)


@kernel
def diode_area(x):
    """See `tube_area`."""
    return LEAK * soft_area(min(x, 0.0)) + opening_area(x)


@kernel
def sine_area(x):
    """See `tube_area`."""
    v = turned(x)
    w = quarter(v)
    q = w * w
    most = S1 + S3 / 2 + S5 / 3 + S7 / 4 + S9 / 5
    part = q * (0.5 * S1 + q * (S3 / 4 + q * (S5 / 6 + q * (S7 / 8 + q * (S9 / 10)))))
    return pick(abs(v), 1.0, most - part, part)


@kernel
def fold_area(x):
    """See `tube_area`."""
    v = abs(turned(x))
    w = 2.0 - v
    return pick(v, 1.0, 1.0 - 0.5 * w * w, 0.5 * v * v)


@kernel
def wrap_area(x):
    """See `tube_area`."""
    v = x - 2.0 * whole(0.5 * (x + 1.0))
    return 0.5 * v * v


@kernel
def _under(x, row):
    """The area under a drawn curve up to a value, by the row of the table of its piece."""
    _, part, v = _piece(x)
    under, value, rise = row
    value += part * rise
    return under + (2.0 / PIECES) * part * (value - 0.5 * part * rise) + (x - v) * value


@kernel
def drawn_area(x, table):
    """See `tube_area`."""
    return _under(x, look_up(table, _piece(x)[0]))


@kernel
def hard_area(x):
    """See `tube_area`."""
    v = min(max(x, -1.0), 1.0)
    return 0.5 * v * v + abs(x - v)


@kernel
def area(way, x, table):
    """The area under a curve up to a number, or to lanes."""
    if way == SOFT:
        return soft_area(x)
    if way == TUBE:
        return tube_area(x)
    if way == DIODE:
        return diode_area(x)
    if way == SINE:
        return sine_area(x)
    if way == FOLD:
        return fold_area(x)
    if way == WRAP:
        return wrap_area(x)
    if way == DRAWN:
        return drawn_area(x, table)
    return hard_area(x)


@kernel
def areas(way, x, up, begin, end, table):
    """`area` of every row of `x` (frame, 8) into `up`, each way in a loop of its own."""
    if way == SOFT:
        for n in range(begin, end):
            store(up, n, soft_area(load(x, n)))
    elif way == TUBE:
        for n in range(begin, end):
            store(up, n, tube_area(load(x, n)))
    elif way == DIODE:
        for n in range(begin, end):
            store(up, n, diode_area(load(x, n)))
    elif way == SINE:
        for n in range(begin, end):
            store(up, n, sine_area(load(x, n)))
    elif way == FOLD:
        for n in range(begin, end):
            store(up, n, fold_area(load(x, n)))
    elif way == WRAP:
        for n in range(begin, end):
            store(up, n, wrap_area(load(x, n)))
    elif way == DRAWN:
        for n in range(begin, end):
            put_places(up, n, _piece(load(x, n))[0])
        for n in range(begin, end):
            store(up, n, _under(load(x, n), look_up_there(table, up, n)))
    else:
        for n in range(begin, end):
            store(up, n, hard_area(load(x, n)))
