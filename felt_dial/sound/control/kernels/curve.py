"""How a curve is read, with its loop."""

from __future__ import annotations

import numpy as np

from felt_dial.sound.compiling.kernel import inner
from felt_dial.sound.control.curve import Curve
from felt_dial.sound.control.kernels.core.clock import follow
from felt_dial.sound.control.kernels.core.line import line_at
from felt_dial.sound.control.kernels.core.movers import moves

LENGTH, START, LOOP, LOOP_FROM, LOOP_TO, SMOOTH = (
    Curve.row_of(name) for name in ("length", "start", "loop", "loop_from", "loop_to", "smooth")
)
LET_GO, AT_END_FOR = 3, 4


@moves(Curve)
@inner
def run_curve(m, rows, modulation, performance, span):
    """Values of one curve, 0 to 1.

    `state[m, row]` is (place from 0 to 1, seconds since it began, value, 1 after the key was let go, ticks for which it has
    stood at its end). It begins anew at `info[row].begin`.
    """
    info, control, moving, state = modulation.info, modulation.control, modulation.moves[m], modulation.state
    p, t0, t1, seconds = modulation.movers[m].first, span.t0, span.t1, span.seconds
    drawn, line = modulation.drawn, modulation.movers[m].drawn

    end = np.uint64(t1)
    for r in rows:
        row, begin, release = np.uint64(r), info[r].begin, info[r].release
        place, now, value = state[m, row, 0], state[m, row, 1], state[m, row, 2]
        ended = state[m, row, AT_END_FOR]
        held = state[m, row, LET_GO] == 0.0 and not (release == 0 and t0 <= 1 and info[r].first > 0)
        for t in range(np.uint64(max(t0, info[r].first)), end):
            begins = np.int64(t) == begin
            since = 0.0 if begins else seconds
            if begins:
                place = now = ended = 0.0
                held = True
            now += since
            before = place
            place += since / max(np.float64(control[p + LENGTH, row, t]), 1e-3)
            loop = control[p + LOOP, row, t]
            if loop > 1.5 or (loop > 0.5 and held):
                low, high = np.float64(control[p + LOOP_FROM, row, t]), np.float64(control[p + LOOP_TO, row, t])
                if high > low and before <= high < place:
                    place = low + (place - high) % (high - low)
            place = min(place, 1.0)
            ended = ended + 1.0 if place >= 1.0 else 0.0
            goal = line_at(drawn, line, place)
            smooth = np.float64(control[p + SMOOTH, row, t])
            value = goal if begins or smooth == 0.0 else follow(value, goal, seconds, smooth)
            moving[row, t] = np.float32(value)
            held = held and np.int64(t) != release
        state[m, row, 0], state[m, row, 1], state[m, row, 2] = place, now, value
        state[m, row, LET_GO], state[m, row, AT_END_FOR] = 0.0 if held else 1.0, ended
