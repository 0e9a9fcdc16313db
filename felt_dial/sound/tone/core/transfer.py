"""The curves that a drive bends waves by: pieces of polynomials, so that their areas are exact and cheap.

Soft and its kin end flat with no corner; those that fold go round over a turn of 4. A drawn curve is read from a
table of straight pieces, and its area from the exact area under them.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.drawn import Rows
from felt_dial.patch.shaping import Shaping
from felt_dial.sound.control.core.line import line_value

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


def bent(drive: Shaping, x: NDArray[np.float64]) -> NDArray[np.float64]:
    """What a drive makes of values from −1 to 1, amount and bias included, before its tone and level."""
    pushed = 10 ** (drive.number("amount") / 20) * x + drive.number("bias")
    if drive.way == "reduce":
        steps = 2.0 ** (min(drive.number("bits"), 8.0) - 1.0)
        return np.asarray(np.floor(np.clip(pushed, -1.0, 1.0) * steps + 0.5) / steps)
    return curve(str(drive.way), pushed, drive.curve, bool(drive.odd))
