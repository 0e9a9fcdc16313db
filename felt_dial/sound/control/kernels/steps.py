"""How a row of steps is read, with its ties and chances."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import inner
from felt_dial.sound.control.kernels.chance import drawn_lot
from felt_dial.sound.control.kernels.core.clock import follow, swung
from felt_dial.sound.control.kernels.core.movers import moves
from felt_dial.sound.control.steps import Steps

RATE_AT, START, SMOOTH, SWING, SEED = (Steps.row_of(name) for name in Steps.params)
COUNTED, GOAL = 3, 4


@moves(Steps)
@inner
def run_steps(m, rows, modulation, performance, span):
    """Values of one row of steps, 0 to 1,.

    `state[m, row]` is (steps since it began, step in the row, value, steps counted, value of this step). A step that
    does not come leaves the one before standing. It begins anew at `info[row].begin`.
    """
    info, control, moving, state = modulation.info, modulation.control, modulation.moves[m], modulation.state
    drawn, at = modulation.drawn, modulation.movers[m].drawn
    p, t0, t1, seconds = modulation.movers[m].first, span.t0, span.t1, span.seconds

    count = np.int64(max(drawn[at], 1.0))
    for row in rows:
        begin, note = info[row].begin, info[row].number
        phase, step, value = state[m, row, 0], state[m, row, 1], state[m, row, 2]
        counted, goal = np.int64(state[m, row, COUNTED]), state[m, row, GOAL]
        for t in range(max(t0, info[row].first), t1):
            goes = np.float64(control[p + RATE_AT, row, t]) * seconds
            if t == begin:
                phase = goes = 0.0
                counted = np.int64(0)
            phase = swung(phase, goes, np.float64(control[p + SWING, row, t]))
            due = np.int64(math.floor(phase)) + 1
            counted = max(counted, due - count)
            seed = np.int64(control[p + SEED, row, t])
            while counted < due:
                here = at + 1 + 4 * (counted % count)
                comes = drawn[here + 2] >= 1.0 or drawn_lot(seed, note, 2 * counted) < drawn[here + 2]
                if counted == 0 or (drawn[here + 1] < 0.5 and comes):
                    varied = drawn[here + 3] * (2.0 * drawn_lot(seed, note, 2 * counted + 1) - 1.0)
                    goal = min(max(drawn[here] + varied, 0.0), 1.0)
                step = np.float64(counted % count)
                counted += 1
            value = goal if t == begin else follow(value, goal, seconds, np.float64(control[p + SMOOTH, row, t]))
            moving[row, t] = np.float32(value)
        state[m, row, 0], state[m, row, 1], state[m, row, 2] = phase, step, value
        state[m, row, COUNTED], state[m, row, GOAL] = np.float64(counted), goal
