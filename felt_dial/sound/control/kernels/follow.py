"""How a follower follows a level."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import inner
from felt_dial.sound.control.follow import Follow
from felt_dial.sound.control.kernels.core.clock import follow
from felt_dial.sound.control.kernels.core.movers import moves

FLOOR, FULL, ATTACK, RELEASE = (Follow.row_of(name) for name in Follow.params)


@moves(Follow)
@inner
def run_follow(m, rows, modulation, performance, span):
    """Values of one row, 0 to 1; `state[m, row, 2]` is where it stands."""
    control, moving, state, p = modulation.control, modulation.moves[m], modulation.state, modulation.movers[m].first
    row, place, heard, seconds = rows[0], modulation.movers[m].a, performance.heard, span.seconds

    level = 20.0 * math.log10(max(heard[place], 1e-6))
    value = state[m, row, 2]
    for t in range(max(span.t0, 1), span.t1):
        floor, full = np.float64(control[p + FLOOR, row, t]), np.float64(control[p + FULL, row, t])
        goal = min(max((level - floor) / max(full - floor, 1.0), 0.0), 1.0)
        value = follow(value, goal, seconds, np.float64(control[p + (ATTACK if goal > value else RELEASE), row, t]))
        moving[row, t] = np.float32(value)
    state[m, row, 2] = value
