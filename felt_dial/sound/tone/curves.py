"""The curves that a drive bends waves by: pieces of polynomials, so that their areas are exact and cheap.

Soft and its kin end flat with no corner; those that fold go round over a turn of 4. A drawn curve is read from a
table of straight pieces, and its area from the exact area under them.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.drawn import Rows
from felt_dial.patch.shaping import DIODE, DRAWN, FOLD, SINE, SOFT, TUBE, WRAP
from felt_dial.sound.control.line import line_value
from felt_dial.sound.kernel import kernel
from felt_dial.sound.lanes import lane_array, load, look_up, look_up_there, pick, put_places, store, whole

KNEE = 1.875
"""Where Soft becomes flat: (15u − 10u³ + 3u⁵) / 8 of u = x / KNEE has slope 1 in the middle, and none at the ends."""
ROUND = 2.0
"""Where the open half of Tube and Diode becomes flat: x − x² / 4."""
LEAK = 0.2
"""Slope and end of the closed half of a Diode."""
UNDER = 0.6
"""Where the lower half of a Tube ends: it gives way sooner than the upper one."""
PIECES = 512
AREA, VALUE, RISE = range(3)
"""Columns of the table of a drawn curve."""
S1, S3, S5, S7, S9 = (math.pi / 2 * c for c in (
    1.0, -((math.pi / 2) ** 2) / 6, (math.pi / 2) ** 4 / 120, -((math.pi / 2) ** 6) / 5040, (math.pi / 2) ** 8 / 362880,
))  # fmt: skip
"""Taylor series of sin(πx/2), good to 4e-6 within ±1; the rest of the turn by its symmetry."""


def _soft(x: NDArray[np.float64]) -> NDArray[np.float64]:
    u = np.clip(x / KNEE, -1.0, 1.0)
    return (15 * u - 10 * u**3 + 3 * u**5) / 8


def _open(x: NDArray[np.float64]) -> NDArray[np.float64]:
    w = np.clip(x, 0.0, ROUND)
    return w - w * w / (2 * ROUND)


def curve(way: str, x: ArrayLike, rows: Rows = (), odd: bool = True) -> NDArray[np.float64]:
    """What becomes of a value, by the definition of each way; shape of `x`. `rows` and `odd` are of a drawn one."""
    v = np.asarray(x, np.float64)
    forms = {
        "soft": lambda: _soft(v),
        "hard": lambda: np.clip(v, -1.0, 1.0),
        "tube": lambda: np.where(v < 0, UNDER * _soft(v / UNDER), _open(v)),
        "diode": lambda: np.where(v < 0, LEAK * _soft(v), _open(v)),
        "sine": lambda: np.sin(0.5 * np.pi * v),
        "fold": lambda: 2.0 * np.abs(np.mod(0.5 * (v - 1.0), 2.0) - 1.0) - 1.0,
        "wrap": lambda: v - 2.0 * np.floor(0.5 * (v + 1.0)),
        "drawn": lambda: drawn_curve(v, rows, odd),
        "reduce": lambda: np.clip(v, -1.0, 1.0),
    }
    return np.asarray(forms[way]())


def drawn_curve(x: NDArray[np.float64], rows: Rows, odd: bool) -> NDArray[np.float64]:
    """A drawn curve: 0 to 1 for both halves alike, or −1 to 1 across and up; flat beyond."""
    if odd:
        return np.asarray(np.sign(x) * line_value(rows, np.minimum(np.abs(x), 1.0)))
    return 2.0 * line_value(rows, 0.5 + 0.5 * np.clip(x, -1.0, 1.0)) - 1.0


def drawn_table(numbers: NDArray[np.float64], odd: bool) -> NDArray[np.float64]:
    """Area, value and rise of every piece of a drawn curve from −1 to 1; float64 (piece + 1, 4), the last one empty.

    `numbers` is what the engine keeps of the drawing: the count of points, then (at, level, bend) of each.
    """
    count = int(numbers[0])
    rows = tuple(map(tuple, numbers[1 : 1 + 3 * count].reshape(count, 3).tolist()))
    values = drawn_curve(np.linspace(-1.0, 1.0, PIECES + 1), rows, odd)
    found = lane_array(PIECES // 2 + 1).reshape(-1, 4)[: PIECES + 1]
    found[:, VALUE] = values
    found[:-1, RISE] = np.diff(values)
    found[1:, AREA] = np.cumsum(values[1:] + values[:-1]) / PIECES
    return found


@kernel
def rounded(u):  # type: ignore[no-untyped-def]
    """Soft, of a value counted by its knee: from −1 to 1, flat beyond; for a number or for lanes, as all that follow."""
    u = min(max(u, -1.0), 1.0)
    q = u * u
    return u * (1.875 + q * (-1.25 + q * 0.375))


@kernel
def soft(x):  # type: ignore[no-untyped-def]
    """`curve("soft")`."""
    return rounded(x * (1.0 / KNEE))


@kernel
def soft_area(x):  # type: ignore[no-untyped-def]
    """The area under it from 0."""
    u = min(max(x * (1.0 / KNEE), -1.0), 1.0)
    q = u * u
    return KNEE * q * (0.9375 + q * (-0.3125 + q * 0.0625)) + (abs(x) - abs(u) * KNEE)


@kernel
def opening(x):  # type: ignore[no-untyped-def]
    """The open half of a tube or diode from 0 up, and nothing below."""
    w = min(max(x, 0.0), ROUND)
    return w - w * w * (0.5 / ROUND)


@kernel
def opening_area(x):  # type: ignore[no-untyped-def]
    """The area under it from 0."""
    w = min(max(x, 0.0), ROUND)
    return w * w * (0.5 - w / (6.0 * ROUND)) + (max(x, 0.0) - w) * (0.5 * ROUND)


@kernel
def turned(x):  # type: ignore[no-untyped-def]
    """A place on a turn of 4, from −2 to 2."""
    return x - 4.0 * whole(0.25 * x + 0.5)


@kernel
def quarter(v):  # type: ignore[no-untyped-def]
    """A place on the turn brought to ±1 by the symmetry of a fold."""
    return min(max(v, -2.0 - v), 2.0 - v)


@kernel
def _piece(x):  # type: ignore[no-untyped-def]
    """Which piece of a drawn curve a value is on, how far along it, and the value without what is beyond the ends."""
    v = min(max(x, -1.0), 1.0)
    u = (v + 1.0) * (0.5 * PIECES)
    n = min(whole(u), PIECES - 1.0)
    return n, u - n, v


@kernel
def bend(way, x, table):  # type: ignore[no-untyped-def]
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
def tube_area(x):  # type: ignore[no-untyped-def]
    """The areas under the curves of each way, up to a number or to lanes; from where they count does not matter."""
    return UNDER * UNDER * soft_area(min(x, 0.0) * (1.0 / UNDER)) + opening_area(x)


@kernel
def diode_area(x):  # type: ignore[no-untyped-def]
    """See `tube_area`."""
    return LEAK * soft_area(min(x, 0.0)) + opening_area(x)


@kernel
def sine_area(x):  # type: ignore[no-untyped-def]
    """See `tube_area`."""
    v = turned(x)
    w = quarter(v)
    q = w * w
    most = S1 + S3 / 2 + S5 / 3 + S7 / 4 + S9 / 5
    part = q * (0.5 * S1 + q * (S3 / 4 + q * (S5 / 6 + q * (S7 / 8 + q * (S9 / 10)))))
    return pick(abs(v), 1.0, most - part, part)


@kernel
def fold_area(x):  # type: ignore[no-untyped-def]
    """See `tube_area`."""
    v = abs(turned(x))
    w = 2.0 - v
    return pick(v, 1.0, 1.0 - 0.5 * w * w, 0.5 * v * v)


@kernel
def wrap_area(x):  # type: ignore[no-untyped-def]
    """See `tube_area`."""
    v = x - 2.0 * whole(0.5 * (x + 1.0))
    return 0.5 * v * v


@kernel
def _under(x, row):  # type: ignore[no-untyped-def]
    """The area under a drawn curve up to a value, by the row of the table of its piece."""
    _, part, v = _piece(x)
    under, value, rise = row
    value += part * rise
    return under + (2.0 / PIECES) * part * (value - 0.5 * part * rise) + (x - v) * value


@kernel
def drawn_area(x, table):  # type: ignore[no-untyped-def]
    """See `tube_area`."""
    return _under(x, look_up(table, _piece(x)[0]))


@kernel
def hard_area(x):  # type: ignore[no-untyped-def]
    """See `tube_area`."""
    v = min(max(x, -1.0), 1.0)
    return 0.5 * v * v + abs(x - v)


@kernel
def area(way, x, table):  # type: ignore[no-untyped-def]
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
def areas(way, x, up, begin, end, table):  # type: ignore[no-untyped-def]
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
