"""Unison: one note as several voices, detuned and spread, at the power of one."""

from __future__ import annotations

from felt_dial.patch.module import Source
from felt_dial.patch.params import CUBIC, Choice, Param
from felt_dial.patch.units import CENTS, COUNT, DECIBELS, PERCENT

MOST = 32


class Unison(Source):
    """What sources share that can sound as several voices."""

    unison = Param("Unison", 1, (1, MOST), COUNT, whole=True, says="How many voices each note has.")
    detune = Param(
        "Detune", 14.0, (0.0, 200.0), CENTS, taper=CUBIC, says="How far the outermost voices are from the pitch."
    )
    spread = Param("Spread", 0.7, (0.0, 1.0), PERCENT, says="How far apart the voices stand between left and right.")
    side = Param(
        "Side level", 0.0, (-36.0, 12.0), DECIBELS, says="How loud the outermost voices are beside the middle ones."
    )
    scatter = Param(
        "Phase spread", 1.0, (0.0, 1.0), PERCENT, at_start=True, says="How far apart in phase the voices begin."
    )
    voicing = Choice(
        "Spacing",
        "even",
        {"even": "Even", "random": "Random", "weighted": "Gathered"},
        says="How the voices lie between the outermost two: evenly, by chance, or gathered about the middle.",
    )

    def at_rest(self) -> dict[str, tuple[str, str]]:
        """One voice has no others to stand beside."""
        others = ("detune", "spread", "side", "scatter", "voicing")
        return dict.fromkeys(others, ("unison", "there is one voice")) if self.get("unison") == 1 else {}
