"""Steps: a drawn row of values, one after another, with ties and chances."""

from __future__ import annotations

from felt_dial.patch.drawn import Column, Drawn, Rows
from felt_dial.patch.module import Modulator
from felt_dial.patch.params import CUBIC, Param
from felt_dial.patch.units import COUNT, SECONDS, Beats
from felt_dial.sound.control.core.clock import rate, start, swing

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

    picture, order = "steps", 4

    tag, dye, most = "S", "weld", 2
    shapes_levels = True

    rate = rate("Step", Beats(0.25), "How long a step lasts: a note length, or steps in a second.")
    start = start("free")
    smooth = Param("Glide", 0.0, (0.0, 1.0), SECONDS, taper=CUBIC, says="Time in which it goes to the next step.")
    swing = swing("Every second step comes later.")
    seed = Param("Seed", 1, (1, 999), COUNT, whole=True, movable=False, says="Another number, other chances.")
    row = Drawn("Steps", STAIRS, STEP, most=64, says="The steps: level, tie, probability and random amount of each.")

    def shared(self) -> bool:
        """Free and first-note steps are one row for all notes."""
        return self.start in ("free", "first note")
