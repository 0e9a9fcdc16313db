"""Steps: a drawn row of values, one after another, with ties and chances."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.patch.drawn import Column, Drawn, Rows
from felt_dial.patch.module import Modulator
from felt_dial.patch.params import CUBIC, Param
from felt_dial.patch.units import COUNT, SECONDS, Beats
from felt_dial.sound.control.chances import drawn_lot
from felt_dial.sound.control.clock import follow, rate, start, swing, swung
from felt_dial.sound.kernel import kernel

STEP = (
    Column("level", 0.0, 1.0, 0.5),
    Column("tie", 0.0, 1.0, 0.0, whole=True),
    Column("probability", 0.0, 1.0, 1.0),
    Column("vary", 0.0, 1.0, 0.0),
)
"""How high a step is, whether it goes on with the one before, how likely it comes, how far chance moves it."""
STAIRS: Rows = tuple((level, 0.0, 1.0, 0.0) for level in (1.0, 0.4, 0.7, 0.2, 0.85, 0.4, 0.6, 0.1))


class Steps(Modulator, kind="steps"):
    """Up to 64 values, one after another in time, each for as long as a step."""

    tag, dye, most = "S", "weld", 2

    rate = rate("Step", Beats(0.25), "How long a step lasts: a note length, or steps in a second.")
    start = start("free")
    smooth = Param("Glide", 0.0, (0.0, 1.0), SECONDS, taper=CUBIC, says="Time in which it goes to the next step.")
    swing = swing("Every second step comes later.")
    seed = Param("Seed", 1, (1, 999), COUNT, whole=True, movable=False, says="Another number, other chances.")
    row = Drawn("Steps", STAIRS, STEP, most=64, says="The steps: level, tie, probability and random amount of each.")

    def shared(self) -> bool:
        """Free and first-note steps are one row for all notes."""
        return self.start in ("free", "first note")


RATE_AT, START, SMOOTH, SWING, SEED = (Steps.row_of(name) for name in Steps.params)
COUNTED, GOAL = 3, 4


@kernel
def run_steps(m, p, at, rows, info, control, drawn, moves, state, t0, t1, seconds):  # type: ignore[no-untyped-def]
    """Values of one row of steps, 0 to 1, from tick `t0` up to `t1`, into `moves[m]`, for every one of `rows`.

    `state[m, row]` is (steps since it began, step in the row, value, steps counted, value of this step). A step that
    does not come leaves the one before standing. It begins anew at `info[row].begin`.
    """
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
            moves[m, row, t] = np.float32(value)
        state[m, row, 0], state[m, row, 1], state[m, row, 2] = phase, step, value
        state[m, row, COUNTED], state[m, row, GOAL] = np.float64(counted), goal
