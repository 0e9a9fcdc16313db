"""Kernels as plain Python, for the tests: lanes are lines of eight numbers, and NumPy does their arithmetic.

`plain(kernel)` is the function that a kernel was compiled from, with every kernel that it calls made plain as well, and
with the ways of lanes written out below a second time, from what their docstrings say.
"""

from __future__ import annotations

from functools import cache
from types import FunctionType
from typing import Any

import numpy as np
from numba.core.dispatcher import Dispatcher

from felt_dial.sound.simd import memory, types

LANES = 8


class Eight(np.ndarray):
    """Eight numbers that `+=` and its like do not change in place, since lanes are values."""

    __iadd__ = np.ndarray.__add__  # type: ignore[assignment]
    __isub__ = np.ndarray.__sub__  # type: ignore[assignment]
    __imul__ = np.ndarray.__mul__  # type: ignore[assignment]
    __itruediv__ = np.ndarray.__truediv__  # type: ignore[assignment]


def _load(array: Any, row: int) -> Any:
    return array.reshape(-1, LANES)[row].copy().view(Eight)


def _store(array: Any, row: int, value: Any) -> None:
    array.reshape(-1, LANES)[row] = value


def _pick(a: Any, b: Any, then: Any, other: Any) -> Any:
    return np.where(np.greater(a, b), then, other).view(Eight)


def _look_up(table: Any, at: Any) -> Any:
    rows = table[np.asarray(at).astype(int)]
    return rows[..., 0], rows[..., 1], rows[..., 2]


def _turn_in(audio: Any, places: Any, at: int, tile: Any, row: int) -> None:
    flat = audio.reshape(-1)
    for lane in range(LANES):
        tile[row : row + LANES, lane] = flat[places[lane] + at :][:LANES]


def _turn_in_between(audio: Any, places: Any, at: int, taps: Any, tile: Any, row: int) -> None:
    flat = audio.reshape(-1)
    for lane in range(LANES):
        begin = places[lane] + at
        tile[row : row + LANES, lane] = sum(taps[lane, k] * flat[begin + k : begin + k + LANES] for k in range(4))


def _turn_in_among(audio: Any, places: Any, at: int, taps: Any, tile: Any, row: int) -> None:
    flat = audio.reshape(-1)
    for lane in range(LANES):
        begin = places[lane] + at
        tile[row : row + LANES, lane] = sum(taps[lane, k] * flat[begin + k : begin + k + LANES] for k in range(8))


def _turn_out(audio: Any, places: Any, at: int, tile: Any, row: int) -> None:
    flat = audio.reshape(-1)
    for lane in range(LANES):
        flat[places[lane] + at :][:LANES] = tile[row : row + LANES, lane]


def _float_of(bits: Any) -> Any:
    return np.int32(bits).view(np.float32)


WAYS: dict[Any, Any] = {
    memory.load: _load,
    memory.store: _store,
    memory.put_places: _store,
    memory.look_up: _look_up,
    memory.look_up_there: lambda table, room, row: _look_up(table, _load(room, row)),
    memory.turn_in: _turn_in,
    memory.turn_in_between: _turn_in_between,
    memory.turn_in_among: _turn_in_among,
    memory.turn_out: _turn_out,
    types.whole: np.floor,
    types.root: np.sqrt,
    types.pick: _pick,
    types.any_above: lambda a, b: bool(np.any(np.greater(a, b))),
    types.sides: lambda x: (x[::2].sum(), x[1::2].sum()),
    types.quotient: np.divide,
    types.bits_of: lambda x: np.float32(x).view(np.int32),
    types.float_of: _float_of,
    types.scaled: lambda x, turns: x * 2.0**turns,
}
NUMBERS = {"min": np.minimum, "max": np.maximum}


@cache
def plain(kernel: Any) -> Any:
    """A kernel as plain Python."""
    own: FunctionType = kernel.py_func
    names = dict(NUMBERS)
    for name in own.__code__.co_names:
        found = own.__globals__.get(name)
        if isinstance(found, Dispatcher):
            names[name] = plain(found)
        elif callable(found) and not isinstance(found, type) and found in WAYS:
            names[name] = WAYS[found]
    return FunctionType(own.__code__, {**own.__globals__, **names}, own.__name__, own.__defaults__)
