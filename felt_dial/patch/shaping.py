"""Shaping: what a drive is set to, whether it bends each note by itself or a whole chord."""

from __future__ import annotations

from felt_dial.patch.drawn import LINE, Drawn
from felt_dial.patch.module import Module
from felt_dial.patch.params import LOG, Choice, Param, Switch
from felt_dial.patch.units import COUNT, DECIBELS, HERTZ, PERCENT

WAYS = {
    "soft": "Soft",
    "hard": "Hard",
    "tube": "Tube",
    "diode": "Diode",
    "sine": "Sine fold",
    "fold": "Triangle fold",
    "wrap": "Wrap",
    "drawn": "Drawn",
    "reduce": "Bits and rate",
}
SOFT, HARD, TUBE, DIODE, SINE, FOLD, WRAP, DRAWN, REDUCE = range(9)
DRAWN_AT_FIRST = ((0.0, 0.0, 0.0), (0.35, 0.7, 0.3), (0.6, 0.55, 0.0), (1.0, 1.0, 0.0))


class Shaping(Module):  # type: ignore[metaclass]
    """The curve that a wave is bent by, and what comes before and after it."""

    way = Choice("Type", "soft", WAYS, says="The curve that the wave is bent by.")
    amount = Param("Drive amount", 12.0, (-12.0, 48.0), DECIBELS, says="How hard the wave is pushed into the curve.")
    bias = Param("Bias", 0.0, (-1.0, 1.0), PERCENT, says="Pushes the wave off its middle: even harmonics.")
    before = Param("Low cut", 20.0, (20.0, 2000.0), HERTZ, taper=LOG, says="Keeps what is below out of the curve.")
    tone = Param("Tone", 20000.0, (300.0, 20000.0), HERTZ, taper=LOG, says="Takes away what is above, after the curve.")
    bits = Param("Bits", 8.0, (1.0, 16.0), COUNT, says="How finely Bits and rate keeps the level.")
    hold = Param("Held at", 12000.0, (200.0, 48000.0), HERTZ, taper=LOG, says="How often Bits and rate looks anew.")
    level = Param("Drive level", 0.0, (-24.0, 12.0), DECIBELS, says="How loud it comes out of the curve.")
    odd = Switch("Both halves alike", True, says="A drawn curve bends both halves of the wave the same way.")
    curve = Drawn(
        "Curve",
        DRAWN_AT_FIRST,
        LINE,
        least=2,
        most=16,
        says="The curve of Drawn: what comes in goes across, what goes out goes up.",
    )

    def idle(self) -> set[str]:
        """Only Bits and rate has those, only Drawn has halves."""
        return (set() if self.way == "reduce" else {"bits", "hold"}) | (set() if self.way == "drawn" else {"odd"})


class Shaper(Shaping, family=True, kind="shaper", title="Drive"):
    """Drive, note by note: chords stay clean, each note is bent by itself."""

    on = Switch("On", False, says="Lets the drive work.", smooth=True)
    wet = Param("Drive mix", 1.0, (0.0, 1.0), PERCENT, says="How much of the bent wave, beside the plain one.")
    kept = Switch("Level kept", True, says="As loud after as before, measured while it plays.", smooth=True)

    def gist(self) -> str:
        """What it is set to, in a few words."""
        return WAYS[str(self.way)].lower()
