"""Kernels: how functions are compiled, and how a module is tied to the one that computes it.

A module is declared without Numba, so that the window can read it; its kernel stands in the `kernels` folder beside it.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import cache
from types import FunctionType
from typing import Any, NamedTuple, get_type_hints

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Module
from felt_dial.sound.sizes import ROWS, TICK


@dataclass(frozen=True)
class Stage:
    """Where a module works: what it needs to know to lay out its state."""

    rate: float
    frames: int
    rows: int = ROWS
    tick: int = TICK
    newest: NDArray[np.float32] = field(default_factory=lambda: np.zeros((2, 1, 1), np.float32), compare=False)
    """Pitch in semitones and frequency in Hz of the newest note, (2, 1, tick + 1): what an effect is tuned by."""
    grains: NDArray[np.float64] = field(
        default_factory=lambda: np.array([0.0, 512.0, 0.0, 0.0, 0.0, 0.0]), compare=False
    )
    """Grains that sound in the whole patch, the most that may, and those counted in this block."""


State = tuple[Any, ...]
"""What a kernel keeps from block to block: arrays, in records or one by one, in the order of its last arguments."""


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
    keeps = "felt_dial.sound.compiling.kernel_cache"
    places = ",".join(f"{keeps}.{place}" for place in ("Beside", "InHome", "Nowhere"))
    setattr(numba.config, "CACHE_LOCATOR_CLASSES", places)  # noqa: B010  (declared nowhere)
    from felt_dial.sound.compiling.kernel_cache import Whole

    setattr(numba.core.caching, "IndexDataCacheFile", Whole)  # noqa: B010
    return numba


def kernel(
    function: Callable[..., Any] | None = None, *, fast: bool = True, inline: bool = False, inner: bool = False
) -> Any:
    """Compiles a function with Numba: cached, without the GIL, with fast math unless `fast=False`.

    Fast math assumes that no NaN exists; what looks for NaN is compiled without it. `inline` copies a small function into
    its caller; an `inner` one is called by kernels only, and no way in from Python is made for it, which for records takes
    longer to compile than the work. Numba's memory runtime is off: a kernel that would make an array does not compile, and
    no reference to an array is counted, which for many arrays and few frames takes longer than the work itself.
    """

    def compile_it(plain: Callable[..., Any]) -> Any:
        numba = _numba()
        where = "always" if inline else "never"
        return numba.njit(
            cache=True,
            nogil=True,
            error_model="numpy",
            fastmath=fast,
            inline=where,
            _nrt=False,
            no_cfunc_wrapper=True,
            no_cpython_wrapper=inner,
        )(plain)

    return compile_it if function is None else compile_it(function)


def inner(function: Callable[..., Any]) -> Any:
    """Compiles a function that only kernels call."""
    return kernel(function, inner=True)


@cache
def formula(plain: Callable[..., Any]) -> Any:
    """Compiles a function that the window calls as it is, and the plain functions of ours that it calls.

    So what a picture draws and what a kernel computes is written once, where the module is declared.
    """
    names = {name: plain.__globals__[name] for name in plain.__code__.co_names if name in plain.__globals__}
    own = {name: formula(found) for name, found in names.items() if isinstance(found, FunctionType)}
    return kernel(FunctionType(plain.__code__, {**plain.__globals__, **own}, plain.__name__, plain.__defaults__))


@cache
def copied(function: Any) -> Any:
    """A kernel that is copied into its callers: every level of calls is compiled once more with all that is below it."""
    return kernel(function.py_func, inline=True)


def filled(frame: Callable[..., Any], core: Any, name: str = "", **names: Any) -> Any:
    """A frame with what it leaves open filled in: compiled, and cached, as if it had been written in the file of `core`.

    A frame is a plain function that does for every kernel of a family what all of them need, and calls `CORE` for the
    rest. `names` are more of its names that are filled in; `name` tells two fillings of the same frame and core apart.
    """
    own = core.py_func
    name = f"{frame.__name__}_{name or own.__name__}"
    code = frame.__code__.replace(
        co_filename=own.__code__.co_filename, co_name=name, co_qualname=name, co_firstlineno=own.__code__.co_firstlineno
    )
    space = {**frame.__globals__, "__name__": own.__module__, "CORE": copied(core), **names}
    return kernel(FunctionType(code, space, name, frame.__defaults__))


def is_record(kind: object) -> bool:
    """True for a class of tuples with named fields."""
    return isinstance(kind, type) and issubclass(kind, tuple) and hasattr(kind, "_fields")


def flat(record: Iterable[Any]) -> State:
    """All that is in a record and in the records within it, in order."""
    found: list[Any] = []
    for part in record:
        found += flat(part) if isinstance(part, tuple) else [part]
    return tuple(found)


def entry(run: Any, *records: type) -> Any:
    """The way from Python into a kernel that is given `records`: a kernel of all their fields, one after the other.

    Numba takes three times as long to take a record apart at this border as to take the arrays by themselves.
    """
    own = run.py_func
    space: dict[str, Any] = {"__name__": own.__module__, "run": copied(run)}
    names: list[str] = []

    def made(kind: type, before: str) -> str:
        space[kind.__name__] = kind
        parts = []
        for name, of in get_type_hints(kind).items():
            if is_record(of):
                parts.append(made(of, f"{before}{name}_"))
            else:
                names.append(before + name)
                parts.append(names[-1])
        return f"{kind.__name__}({', '.join(parts)})"

    given = ", ".join(made(kind, f"{kind.__name__}_") for kind in records)
    source = f"def enter_{own.__name__}({', '.join(names)}):\n    return run({given})\n"
    exec(compile(source, own.__code__.co_filename, "exec"), space)
    return kernel(space[f"enter_{own.__name__}"])


@kernel
def flushed(x):
    """What has decayed to nothing is nothing: denormal numbers cost ten times."""
    return x if abs(x) > 1e-15 else 0.0


@kernel
def flush(state):
    """`flushed` for all of an array."""
    flat = state.reshape(-1)
    for n in range(flat.shape[0]):
        if abs(flat[n]) < 1e-15:
            flat[n] = 0.0


@kernel
def ramp(dial, t, tick):
    """A dial, float32 (tick + 1,), at a tick, and by how much it moves in every frame of it."""
    now = np.float64(dial[t])
    return now, (np.float64(dial[t + 1]) - now) / tick


AtRate = Callable[[Any, float], None]
"""Adapts a state that was carried over to a rate so many times as fine: what counts frames counts so many times as many."""


def as_it_is(state: Any, finer: float) -> None:
    """Nothing in a state counts frames."""


class Compiled(NamedTuple):
    """What a module computes with: its kernel, the state that the kernel begins with, and how that goes on at another rate."""

    run: Callable[..., Any]
    prepare: Callable[[Any, Stage], State]
    at_rate: AtRate = as_it_is


KERNELS: dict[type[Module], Compiled] = {}
"""Every module that processes audio; `sound/compiling/compiled.py` fills and reads it."""


def works_for(
    module: type[Module], prepare: Callable[[Any, Stage], State], at_rate: AtRate = as_it_is
) -> Callable[[Any], Any]:
    """Ties a kernel to the module whose parameters it reads; `prepare` makes the state of one as it begins."""

    def tie(run: Any) -> Any:
        KERNELS[module] = Compiled(run, prepare, at_rate)
        return run

    return tie
