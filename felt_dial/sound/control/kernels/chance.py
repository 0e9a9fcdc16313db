"""How random values are worked out: held, stepped, drifting, chaotic."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import formula, inner
from felt_dial.sound.control import chance as declared
from felt_dial.sound.control.chance import ORBIT, Chance
from felt_dial.sound.control.kernels.core.clock import follow
from felt_dial.sound.control.kernels.core.movers import moves

WAY, RATE_AT, VOICES, FLOOR, SPAN, SMOOTH, SEED = (Chance.row_of(name) for name in Chance.params)
EACH, STEPPED, DRIFTING, CHAOTIC = range(4)


drawn_lot, orbit_start, orbit = formula(declared.drawn_lot), formula(declared.orbit_start), formula(declared.orbit)


@moves(Chance)
@inner
def run_chance(m, rows, modulation, performance, span):
    """Values of one chance, 0 to 1,.

    `state[m, row]` is (turns, x, value, y, z): x, y, z are those of its `orbit`. It begins anew at `info[row].begin`.
    """
    info, control, moving, state = modulation.info, modulation.control, modulation.moves[m], modulation.state
    p, t0, t1, seconds = modulation.movers[m].first, span.t0, span.t1, span.seconds

    for row in rows:
        begin, note = info[row].begin, info[row].number
        turns, value = state[m, row, 0], state[m, row, 2]
        x, y, z = state[m, row, 1], state[m, row, 3], state[m, row, 4]
        for t in range(max(t0, info[row].first), t1):
            seed, way = np.int64(control[p + SEED, row, t]), np.int64(control[p + WAY, row, t])
            goes = np.float64(control[p + RATE_AT, row, t]) * seconds
            if t == begin:
                turns = goes = 0.0
            if t == begin or z == 0.0:
                x, y, z = orbit_start(seed, note)
            turns += goes
            whole = math.floor(turns)
            if way == EACH:
                part = drawn_lot(seed, note, 0)
            elif way == STEPPED:
                part = drawn_lot(seed, note, whole)
            elif way == DRIFTING:
                u = turns - whole
                a, b = drawn_lot(seed, note, whole), drawn_lot(seed, note, whole + 1)
                part = a + (b - a) * u * u * (3.0 - 2.0 * u)
            else:
                x, y, z = orbit(x, y, z, ORBIT * goes)
                part = min(max(0.5 + x / 40.0, 0.0), 1.0)
            goal = min(np.float64(control[p + FLOOR, row, t]) + np.float64(control[p + SPAN, row, t]) * part, 1.0)
            value = goal if t == begin else follow(value, goal, seconds, np.float64(control[p + SMOOTH, row, t]))
            moving[row, t] = np.float32(value)
        state[m, row, 0], state[m, row, 2] = turns, value
        state[m, row, 1], state[m, row, 3], state[m, row, 4] = x, y, z
