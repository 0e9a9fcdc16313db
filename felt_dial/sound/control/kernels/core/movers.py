"""Everything that moves: its kernel by its kind, and the one kernel that calls them all."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from typing import Any

import numpy as np

from felt_dial.patch.module import Modulator
from felt_dial.sound.compiling.kernel import copied, inner

MOVERS: dict[str, Any] = {}
"""Kernels of (mover, rows, modulation, performance, span), by the kind of a modulator, by `macro`, or by the id of something
that the player does."""

VALUES: dict[str, Any] = {}
"""Kernels of (mover, row, tick, modulation, performance, span) of what is a value for each tick by itself."""
GIVEN = "kind, m, rows, modulation, performance, span"


def moves(kind: type[Modulator] | str) -> Callable[[Any], Any]:
    """Enters the kernel of something that moves.

    The kernel fills `modulation.moves[m, row]` for every one of `rows`, from tick `span.t0` up to `span.t1`, and begins anew
    where `modulation.info[row].begin` says so. `modulation.movers[m].first` is the slot of its first parameter.
    """

    def enter(run: Any) -> Any:
        MOVERS[kind if isinstance(kind, str) else kind.model_fields["kind"].default] = run
        return run

    return enter


def moves_every_tick(kind: type[Modulator] | str) -> Callable[[Any], Any]:
    """Enters a kernel of (mover, row, tick, modulation, performance, span) that returns the value of one tick."""

    def enter(value: Any) -> Any:
        VALUES[kind if isinstance(kind, str) else kind.model_fields["kind"].default] = value
        return value

    return enter


@inner
def one_way(modulation, m, row, t):
    """A mover read from 0 to 1; 0 for none."""
    x = 0.0
    if m >= 0:
        x = np.float64(modulation.moves[m, row, t])
        if modulation.movers[m].both != 0:
            x = 0.5 * (x + 1.0)
    return x


def written(name: str, head: str, branches: dict[str, str], tail: str, space: dict[str, Any]) -> Any:
    """A kernel with a branch for each of several kinds, compiled in this file: Numba knows no table of functions."""
    known = hashlib.sha256(repr((head, branches, tail)).encode()).hexdigest()[:8]
    last = head.splitlines()[-1] if head else "    "
    depth = last[: len(last) - len(last.lstrip())]
    lines = [f"def {name}_{known}({GIVEN}):", *head.splitlines()]
    for n, (test, act) in enumerate(branches.items()):
        lines += [f"{depth}{'elif' if n else 'if'} kind == {test}:", f"{depth}    {act}"]
    exec(compile("\n".join([*lines, *tail.splitlines()]), __file__, "exec"), space)
    return inner(space[f"{name}_{known}"])


def one_of_all() -> tuple[dict[str, int], Any]:
    """The number of every kind, and the kernel of (number, mover, rows, modulation, performance, span) that runs it."""
    codes = {kind: n for n, kind in enumerate(sorted({**MOVERS, **VALUES}))}
    values = {f"value_{kind}": copied(value) for kind, value in VALUES.items()}
    ticks = written(
        "run_ticks",
        "    for row in rows:\n"
        "        for t in range(max(span.t0, modulation.info[row].first), span.t1):\n"
        "            value = 0.0",
        {
            str(codes[kind]): f"value = value_{kind}(m, row, t, modulation, performance, span)"
            for kind in sorted(VALUES)
        },
        "            modulation.moves[m, row, t] = np.float32(value)",
        {"__name__": __name__, "np": np, **values},
    )
    run = written(
        "run_mover",
        "",
        {str(codes[kind]): f"run_{kind}(m, rows, modulation, performance, span)" for kind in sorted(MOVERS)},
        "    else:\n        run_ticks(kind, m, rows, modulation, performance, span)",
        {"__name__": __name__, "run_ticks": ticks, **{f"run_{kind}": run for kind, run in MOVERS.items()}},
    )
    return codes, run
