"""LFO: a slow wave that moves something."""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.drawn import LINE, Drawn, Rows
from felt_dial.patch.module import Modulator
from felt_dial.patch.params import CUBIC, Choice, Param
from felt_dial.patch.units import DEGREES, SECONDS
from felt_dial.sound.control.core.clock import rate, start, swing
from felt_dial.sound.control.core.line import line_value, slope

HILL: Rows = ((0.0, 0.0, 0.4), (0.5, 1.0, -0.4), (1.0, 0.0, 0.0))


class Lfo(Modulator, kind="lfo", title="LFO"):
    """A slow wave, in hertz or in beats, shared by all notes or begun anew with each."""

    picture, order = "line", 2

    tag, dye, both_ways = "L", "woad", True
    shapes_levels = True

    shape = Choice(
        "Shape",
        "sine",
        {
            "sine": "Sine",
            "triangle": "Triangle",
            "up": "Saw up",
            "down": "Saw down",
            "square": "Square",
            "drawn": "Drawn",
        },
        says="How it moves: round, straight, in jumps, or as drawn.",
    )
    rate = rate("Rate", 2.0, "How often it goes round; a time such as 2 s is the length of a turn.")
    phase = Param("Phase", 0.0, (0.0, 360.0), DEGREES, says="Where in its cycle it begins.")
    start = start("per note", once=True)
    delay = Param("Delay", 0.0, (0.0, 20.0), SECONDS, taper=CUBIC, beats=True, says="How long it stands still first.")
    fade = Param("Fade in", 0.0, (0.0, 20.0), SECONDS, taper=CUBIC, beats=True, says="Time until it moves fully.")
    smooth = Param("Smooth", 0.0, (0.0, 1.0), SECONDS, taper=CUBIC, says="Rounds its corners and jumps.")
    swing = swing("Every second turn begins later.")
    line = Drawn("Drawn shape", HILL, LINE, least=2, most=32, says="The shape of a turn, while Shape is Drawn.")

    def swings(self) -> bool:
        """Waves that go to both sides do, and drawings that begin and end in the middle; one turn, a rise, a fall or a drawing
        from elsewhere begins or ends at nothing."""
        if self.shape == "drawn":
            ends = self.line[0][1], self.line[-1][1]
            return self.start != "once" and all(abs(level - 0.5) < 0.05 for level in ends)
        return self.start != "once" and self.shape in ("sine", "triangle", "square")

    def shared(self) -> bool:
        """Free and first-note LFOs are one for all notes."""
        return self.start in ("free", "first note")


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


def as_drawn(shape: str) -> Rows:
    """A ready shape as a drawing of the same wave; the sine within 1.2 % of its height."""
    forms: dict[str, Rows] = {
        "sine": _sine(),
        "triangle": ((0.0, 0.5, 0.0), (0.25, 0.0, 0.0), (0.75, 1.0, 0.0), (1.0, 0.5, 0.0)),
        "up": ((0.0, 0.0, 0.0), (1.0, 1.0, 0.0)),
        "down": ((0.0, 1.0, 0.0), (1.0, 0.0, 0.0)),
        "square": ((0.0, 1.0, 0.0), (0.5, 1.0, 0.0), (0.5, 0.0, 0.0), (1.0, 0.0, 0.0)),
    }
    return forms[shape]


@cache
def _sine() -> Rows:
    """A sine in eight bent pieces, each bend chosen by its largest error."""
    ends = np.linspace(0.0, 1.0, 9)
    levels = 0.5 + 0.5 * np.sin(2 * np.pi * ends)
    part, bends = np.linspace(0.0, 1.0, 101), np.linspace(-1.0, 1.0, 401)
    rows = []
    for n in range(8):
        wave = 0.5 + 0.5 * np.sin(2 * np.pi * (ends[n] + part / 8))
        wanted = (wave - levels[n]) / (levels[n + 1] - levels[n])
        bend = min(bends, key=lambda b: float(np.abs(slope(part, b) - wanted).max()))
        rows.append((float(ends[n]), float(levels[n]), float(bend)))
    return (*rows, (1.0, 0.5, 0.0))
