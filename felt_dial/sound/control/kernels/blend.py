"""How a blend is worked out."""

from __future__ import annotations

import numpy as np

from felt_dial.sound.compiling.kernel import kernel
from felt_dial.sound.control.blend import Blend
from felt_dial.sound.control.kernels.core.movers import moves_every_tick, one_way

WAY, GATE = (Blend.row_of(name) for name in Blend.params)
TIMES, FADE, LARGER, SMALLER, SUM, GATED = range(6)


@kernel
def blended(way, a, b, c, gate):
    """`blend_value`, compiled."""
    if way == TIMES:
        return a * b
    if way == FADE:
        return a + (b - a) * c
    if way == LARGER:
        return max(a, b)
    if way == SMALLER:
        return min(a, b)
    if way == SUM:
        return min(a + b, 1.0)
    return a if b > gate else 0.0


@moves_every_tick(Blend)
@kernel
def run_blend(m, row, t, modulation, performance, span):
    """What becomes of its movers at a tick; one that is worked out later is read a tick late."""
    mover, control = modulation.movers[m], modulation.control
    late, p = mover.late, mover.first
    a = one_way(modulation, mover.a, row, max(t - (late & 1), 0))
    b = one_way(modulation, mover.b, row, max(t - ((late >> 1) & 1), 0))
    c = one_way(modulation, mover.c, row, max(t - ((late >> 2) & 1), 0))
    way = np.int64(control[p + WAY, row, t])
    return np.float64(blended(way, a, b, c, np.float64(control[p + GATE, row, t])))
