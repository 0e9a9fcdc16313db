"""LFO: a slow wave that moves something."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.drawn import LINE, Drawn, Rows
from felt_dial.patch.module import Modulator
from felt_dial.patch.params import CUBIC, Choice, Param
from felt_dial.patch.units import DEGREES, SECONDS
from felt_dial.sound.control.clock import ONCE, follow, rate, start, swing, swung
from felt_dial.sound.control.line import line_at, line_value
from felt_dial.sound.kernel import kernel

HILL: Rows = ((0.0, 0.0, 0.4), (0.5, 1.0, -0.4), (1.0, 0.0, 0.0))


class Lfo(Modulator, kind="lfo", title="LFO"):
    """A slow wave, in hertz or in beats, shared by all notes or begun anew with each."""

    tag, dye, both_ways = "L", "woad", True

    shape = Choice(
        "Shape", "sine",
        {"sine": "Sine", "triangle": "Triangle", "up": "Saw up", "down": "Saw down", "square": "Square",
         "drawn": "Drawn"},
        says="How it moves: round, straight, in jumps, or as drawn.",
    )  # fmt: skip
    rate = rate("Rate", 2.0, "How often it goes round; a time such as 2 s is the length of a turn.")
    phase = Param("Phase", 0.0, (0.0, 360.0), DEGREES, says="Where in its cycle it begins.")
    start = start("per note", once=True)
    delay = Param("Delay", 0.0, (0.0, 20.0), SECONDS, taper=CUBIC, beats=True, says="How long it stands still first.")
    fade = Param("Fade in", 0.0, (0.0, 20.0), SECONDS, taper=CUBIC, beats=True, says="Time until it moves fully.")
    smooth = Param("Smooth", 0.0, (0.0, 1.0), SECONDS, taper=CUBIC, says="Rounds its corners and jumps.")
    swing = swing("Every second turn begins later.")
    line = Drawn("Drawn shape", HILL, LINE, least=2, most=32, says="The shape of a turn, while Shape is Drawn.")

    def shared(self) -> bool:
        """Free and first-note LFOs are one for all notes."""
        return self.start in ("free", "first note")


SHAPE, RATE_AT, PHASE, START, DELAY, FADE, SMOOTH, SWING = (Lfo.row_of(name) for name in Lfo.params)
DRAWN = 5


def lfo_value(shape: str, turns: ArrayLike, line: Rows = HILL) -> NDArray[np.float64]:
    """Value from −1 to 1 after a number of turns, by its closed form; shape of `turns`."""
    x = np.asarray(turns, np.float64) % 1.0
    forms = {
        "sine": lambda: np.sin(2 * np.pi * x),
        "triangle": lambda: 1 - 4 * np.abs((x + 0.75) % 1.0 - 0.5),
        "up": lambda: 2 * x - 1,
        "down": lambda: 1 - 2 * x,
        "square": lambda: np.where(x < 0.5, 1.0, -1.0),
        "drawn": lambda: 2 * line_value(line, x) - 1,
    }
    return forms[shape]()


@kernel
def _sine(x):  # type: ignore[no-untyped-def]
    """sin(2πx) for 0 ≤ x ≤ 1 by its Taylor series to the ninth power, folded to a quarter turn: within 4e-6."""
    u = 2.0 * x - 1.0
    u = u if abs(u) <= 0.5 else math.copysign(1.0 - abs(u), u)
    v = (math.pi * u) ** 2
    return -math.pi * u * (1.0 + v * (-1 / 6 + v * (1 / 120 + v * (-1 / 5040 + v * (1 / 362880)))))


@kernel
def _wave(shape, x):  # type: ignore[no-untyped-def]
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


@kernel
def run_lfo(m, p, line, rows, info, control, drawn, moves, state, t0, t1, seconds):  # type: ignore[no-untyped-def]
    """Values of one LFO, −1 to 1, from tick `t0` up to `t1`, into `moves[m]`, for every one of `rows`.

    `state[m, row]` is (phase in turns, seconds since it began, value). It begins anew at `info[row].begin`.
    """
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
            moves[m, row, t] = np.float32(value)
        state[m, row, 0], state[m, row, 1], state[m, row, 2] = phase, now, value
