"""How an LFO turns: waits, fades in, swings, goes once."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import inner, kernel
from felt_dial.sound.control.core.clock import ONCE
from felt_dial.sound.control.kernels.core.clock import follow, swung
from felt_dial.sound.control.kernels.core.line import line_at
from felt_dial.sound.control.kernels.core.movers import moves
from felt_dial.sound.control.lfo import Lfo

SHAPE, RATE_AT, PHASE, START, DELAY, FADE, SMOOTH, SWING = (Lfo.row_of(name) for name in Lfo.params)
DRAWN = 5


@kernel
def _sine(x):
    """sin(2πx) for 0 ≤ x ≤ 1 by its Taylor series to the ninth power, folded to a quarter turn: within 4e-6."""
    u = 2.0 * x - 1.0
    u = u if abs(u) <= 0.5 else math.copysign(1.0 - abs(u), u)
    v = (math.pi * u) ** 2
    return -math.pi * u * (1.0 + v * (-1 / 6 + v * (1 / 120 + v * (-1 / 5040 + v * (1 / 362880)))))


@kernel
def _wave(shape, x):
    if shape == 0:
        return _sine(x)
    if shape == 1:
        y = x + 0.75
        return 1.0 - 4.0 * abs(y - math.floor(y) - 0.5)
    if shape == 2:
        return 2.0 * x - 1.0
    if shape == 3:
        return 1.0 - 2.0 * x
    return 1.0 if x < 0.5 else -1.0


@moves(Lfo)
@inner
def run_lfo(m, rows, modulation, performance, span):
    """Values of one LFO, −1 to 1,.

    `state[m, row]` is (phase in turns, seconds since it began, value). It begins anew at `info[row].begin`.
    """
    info, control, moving, state = modulation.info, modulation.control, modulation.moves[m], modulation.state
    p, t0, t1, seconds = modulation.movers[m].first, span.t0, span.t1, span.seconds
    drawn, line = modulation.drawn, modulation.movers[m].drawn

    end = np.uint64(t1)
    for r in rows:
        row, begin = np.uint64(r), info[r].begin
        phase, now, value = state[m, row, 0], state[m, row, 1], state[m, row, 2]
        for t in range(np.uint64(max(t0, info[r].first)), end):
            begins = np.int64(t) == begin
            since = 0.0 if begins else seconds
            if begins:
                phase = now = 0.0
            now += since
            wait, fade = np.float64(control[p + DELAY, row, t]), np.float64(control[p + FADE, row, t])
            turns = np.float64(control[p + RATE_AT, row, t]) * min(max(now - wait, 0.0), since)
            swing_by = np.float64(control[p + SWING, row, t])
            phase = phase + turns if swing_by == 0.0 else swung(phase, turns, swing_by)
            once = control[p + START, row, t] == ONCE
            if once:
                phase = min(phase, 1.0)
            elif phase >= 2.0:
                phase -= 2.0 * math.floor(phase * 0.5)
            x = phase + np.float64(control[p + PHASE, row, t]) * (1.0 / 360.0)
            if x > 1.0 or (x == 1.0 and not once):
                x -= math.floor(x)
            shape = np.int64(control[p + SHAPE, row, t])
            goal = 2.0 * line_at(drawn, line, x) - 1.0 if shape == DRAWN else _wave(shape, x)
            if now < wait + fade:
                goal *= max(now - wait, 0.0) / fade if fade > 0.0 else 1.0
            smooth = np.float64(control[p + SMOOTH, row, t])
            value = goal if begins or smooth == 0.0 else follow(value, goal, seconds, smooth)
            moving[row, t] = np.float32(value)
        state[m, row, 0], state[m, row, 1], state[m, row, 2] = phase, now, value
