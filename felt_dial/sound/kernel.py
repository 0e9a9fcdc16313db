"""Kernels: the compiled functions that make sound, and how a module is tied to its own.

In the window's process (`FELT_DIAL_ROLE=window`) nothing is compiled and Numba is not even
imported: the window reads the declarations of modules and never calls their kernels.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Module

TICK = 16
"""Frames between two control values, at the base rate."""

ROWS = 64
"""Voices that can sound in one block: 32 notes and as many that fade because they were stolen."""

KERNELS: dict[type[Module], Callable[..., Any]] = {}
"""The kernel of every module that processes audio."""


@dataclass(frozen=True)
class Stage:
    """Where a module works: what it needs to know to lay out its state."""

    rate: float
    frames: int
    rows: int = ROWS
    tick: int = TICK
    newest: NDArray[np.float32] = field(default_factory=lambda: np.zeros((2, 1, 1), np.float32), compare=False)
    """Pitch in semitones and frequency in Hz of the newest note, (2, 1, tick + 1): what an effect is tuned by."""
    grains: NDArray[np.int64] = field(default_factory=lambda: np.array([0, 128, 0]), compare=False)
    """Grains that sound in the whole patch, the most that may, and those counted in this block."""


@cache
def _numba() -> Any:
    """Numba, without the BLAS of SciPy that it looks for as it starts, for 0.3 s: no kernel multiplies matrices."""
    blas = "scipy.linalg.cython_blas"
    hidden = blas not in sys.modules
    if hidden:
        sys.modules[blas] = None  # type: ignore[assignment]
    import numba
    import numba.np.arraymath

    if hidden:
        del sys.modules[blas]
    return numba


def kernel(function: Callable[..., Any] | None = None, *, fast: bool = True, inline: bool = False) -> Any:
    """Compiles a function with Numba: cached, without the GIL, with fast math unless `fast=False`.

    Fast math assumes that no NaN exists; what looks for NaN is compiled without it. `inline` copies a small function into
    its caller. Numba's memory runtime is off: a kernel that would make an array does not compile, and no reference to an
    array is counted, which for many arrays and few frames takes longer than the work itself.
    """

    def compile_it(plain: Callable[..., Any]) -> Any:
        if os.environ.get("FELT_DIAL_ROLE") == "window":
            return plain
        numba = _numba()
        where = "always" if inline else "never"
        return numba.njit(cache=True, nogil=True, error_model="numpy", fastmath=fast, inline=where, _nrt=False)(plain)

    return compile_it if function is None else compile_it(function)


ROOMS: dict[type[Module], Callable[[Stage], tuple[Any, ...]]] = {}
"""What lays out the state of a module that is declared where nothing of sound is known."""


@kernel
def flushed(x):  # type: ignore[no-untyped-def]
    """What has decayed to nothing is nothing: denormal numbers cost ten times."""
    return x if abs(x) > 1e-15 else 0.0


@kernel
def flush(state):  # type: ignore[no-untyped-def]
    """`flushed` for all of an array."""
    flat = state.reshape(-1)
    for n in range(flat.shape[0]):
        if abs(flat[n]) < 1e-15:
            flat[n] = 0.0


@kernel
def ramp(dial, t, tick):  # type: ignore[no-untyped-def]
    """A dial, float32 (tick + 1,), at a tick, and by how much it moves in every frame of it."""
    now = np.float64(dial[t])
    return now, (np.float64(dial[t + 1]) - now) / tick


def works_for(module: type[Module], room: Callable[[Stage], tuple[Any, ...]] | None = None) -> Callable[[Any], Any]:
    """Ties a kernel to the module whose parameters it reads; `room` lays out its state, where it does not so itself."""

    def tie(compiled: Any) -> Any:
        KERNELS[module] = compiled
        if room is not None:
            ROOMS[module] = room
        return compiled

    return tie


def room_for(module: Module, stage: Stage) -> tuple[Any, ...]:
    """The state of a module as it begins."""
    lay = ROOMS.get(type(module))
    return lay(stage) if lay else module.prepare(stage)  # type: ignore[attr-defined,no-any-return]


def kernel_of(module: Module) -> Any:
    """The kernel of a module, found through its class."""
    return KERNELS[type(module)]
