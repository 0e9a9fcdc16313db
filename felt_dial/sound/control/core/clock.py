"""Clocks: what goes round at a rate, for everything that turns or steps."""

from __future__ import annotations

import math

from felt_dial.patch.params import LOG, Choice, Param
from felt_dial.patch.units import PERCENT, RATE, Beats

FREE, PER_NOTE, FIRST_NOTE, ONCE = range(4)


def rate(label: str, default: float | Beats, says: str, fastest: float = 50.0) -> Param:
    """A rate in hertz, in beats, or by the length of a turn."""
    return Param(label, default, (0.01, fastest), RATE, taper=LOG, beats=True, says=says)


def swing(says: str) -> Param:
    """How much later every second turn begins."""
    return Param("Swing", 0.0, (0.0, 0.5), PERCENT, says=says)


def start(default: str, once: bool = False) -> Choice:
    """When it begins anew."""
    options = {"free": "Free", "per note": "Per note", "first note": "First note"}
    says = "Free runs on by itself for all notes; per note begins with each; first note begins when none was held."
    if once:
        options["once"] = "Once"
        says += " Once goes round once with each note, then stays."
    return Choice("Start", default, options, says=says, rebuilds=True)


def follow(value: float, goal: float, seconds: float, time: float) -> float:
    """A value that follows its goal with a time constant, a step of `seconds` later."""
    return goal if time <= 0.0 else value + (goal - value) * (1.0 - math.exp(-seconds / time))
