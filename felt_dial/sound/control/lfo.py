"""LFO: a slow wave that moves something."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Modulator
from felt_dial.patch.params import LOG, Choice, Param
from felt_dial.patch.units import DEGREES, RATE
from felt_dial.sound.kernel import kernel


class Lfo(Modulator, kind="lfo", title="LFO"):
    """A slow wave, in hertz or in beats, shared by all notes or begun anew with each."""

    tag, dye, both_ways = "L", "woad", True

    shape = Choice(
        "Shape", "sine",
        {"sine": "Sine", "triangle": "Triangle", "up": "Saw up", "down": "Saw down", "square": "Square"},
        says="How it moves: round, straight, or in jumps.",
    )  # fmt: skip
    rate = Param("Rate", 2.0, (0.01, 50.0), RATE, taper=LOG, beats=True, says="How often it goes round.")
    phase = Param("Phase", 0.0, (0.0, 360.0), DEGREES, says="Where in its cycle it begins.")
    start = Choice(
        "Start", "per note", {"free": "Free", "per note": "Per note"},
        says="Free runs on by itself for all notes; per note begins with each.",
    )  # fmt: skip


SHAPE, RATE_AT, PHASE, START = (Lfo.row_of(name) for name in ("shape", "rate", "phase", "start"))
FREE = 0


def lfo_value(shape: str, turns: ArrayLike) -> NDArray[np.float64]:
    """Value from −1 to 1 after a number of turns, by its closed form; shape of `turns`."""
    x = np.asarray(turns, np.float64) % 1.0
    forms = {
        "sine": np.sin(2 * np.pi * x),
        "triangle": 1 - 4 * np.abs((x + 0.75) % 1.0 - 0.5),
        "up": 2 * x - 1,
        "down": 1 - 2 * x,
        "square": np.where(x < 0.5, 1.0, -1.0),
    }
    return forms[shape]


@kernel
def _wave(shape, x):  # type: ignore[no-untyped-def]
    if shape == 0:
        return math.sin(2 * math.pi * x)
    if shape == 1:
        y = x + 0.75
        return 1.0 - 4.0 * abs(y - math.floor(y) - 0.5)
    if shape == 2:
        return 2.0 * x - 1.0
    if shape == 3:
        return 1.0 - 2.0 * x
    return 1.0 if x < 0.5 else -1.0


@kernel(inline=True)
def lfo_tick(state, control, first, m, row, lead, t, seconds):  # type: ignore[no-untyped-def]
    """Moves on and returns the value, −1 to 1.

    `state[m, row, 0]` is the phase in turns. A free LFO is led by the patch's own row, `lead`.
    """
    phase = state[m, lead, 0]
    if row == lead or control[first + START, row, t] != FREE:
        phase = state[m, row, 0] + np.float64(control[first + RATE_AT, row, t]) * seconds
        phase -= math.floor(phase)
    state[m, row, 0] = phase
    x = phase + control[first + PHASE, row, t] / 360.0
    return _wave(int(control[first + SHAPE, row, t]), x - math.floor(x))
