"""Clocks: what goes round at a rate, for everything that turns or steps."""

from __future__ import annotations

import math

from felt_dial.patch.params import LOG, Choice, Param
from felt_dial.patch.units import PERCENT, RATE, Beats
from felt_dial.sound.kernel import kernel

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


@kernel
def swung(phase, turns, swing_by):  # type: ignore[no-untyped-def]
    """A phase, in turns, `turns` of even time later: of every two turns the first takes 1 + swing, the second 1 − swing."""
    if swing_by <= 0.0:
        return phase + turns
    pair = math.floor(phase / 2.0)
    inside = phase - 2.0 * pair
    time = inside * (1.0 + swing_by) if inside < 1.0 else 1.0 + swing_by + (inside - 1.0) * (1.0 - swing_by)
    time += turns
    more = math.floor(time / 2.0)
    time -= 2.0 * more
    inside = time / (1.0 + swing_by) if time < 1.0 + swing_by else 1.0 + (time - 1.0 - swing_by) / (1.0 - swing_by)
    return 2.0 * (pair + more) + inside


@kernel
def follow(value, goal, seconds, time):  # type: ignore[no-untyped-def]
    """A value that follows its goal with a time constant, a step of `seconds` later."""
    return goal if time <= 0.0 else value + (goal - value) * (1.0 - math.exp(-seconds / time))
