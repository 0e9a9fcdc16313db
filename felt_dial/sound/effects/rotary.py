"""Rotary: a horn and a drum that turn before two ears, near and far, left and right."""

from __future__ import annotations

import math
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import LOG, Choice, Param
from felt_dial.patch.units import HERTZ, PERCENT, RATE, SECONDS

DRAG = 0.9
"""Pace of the drum against that of the horn."""


class Rotary(Effect, kind="rotary"):
    """The sound turns: a horn above, a drum below, each coming nearer and going away, higher and lower as it does."""

    group = "Movement"

    picture = "sway"

    pace = Choice(
        "Pace",
        "slow",
        {"stopped": "Stopped", "slow": "Slow", "fast": "Fast"},
        says="A change of pace takes its time: the drum is heavier than the horn.",
    )
    slow = Param("Slow", 0.8, (0.05, 3.0), RATE, taper=LOG, says="Turns in a second while it is slow.")
    fast = Param("Fast", 6.6, (2.0, 14.0), RATE, taper=LOG, says="Turns in a second while it is fast.")
    weight = Param("Weight", 1.0, (0.1, 6.0), SECONDS, taper=LOG, says="Time in which the horn takes up a new pace.")
    split = Param(
        "Split", 800.0, (200.0, 3000.0), HERTZ, taper=LOG, says="The drum has what is below, the horn the rest."
    )
    depth = Param(
        "Depth", 0.7, (0.0, 1.0), PERCENT, says="How far near and far, and high and low, are from each other."
    )
    spread = Param("Spread", 0.8, (0.0, 1.0), PERCENT, says="How far apart the two ears are.")

    lines_are: ClassVar[str] = "how near horn (wide) and drum are to the left ear, over two turns"

    def lines(self, turns: NDArray[np.float64]) -> list[NDArray[np.float64]]:
        """How near horn and drum are to the left ear over some turns, 0 to 1; for the picture.

        A drum's turn takes a ninth longer, and standing still they stay where they are.
        """
        apart, depth = 0.5 * math.pi * float(self.spread), float(self.depth)
        moving = 0.0 if self.pace == "stopped" else 1.0
        horn = np.cos(2 * np.pi * moving * turns + apart)
        drum = np.cos(2 * np.pi * moving * DRAG * turns + 0.5 * apart)
        return [0.5 + 0.45 * depth * horn, 0.5 + 0.25 * depth * drum]

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return f"{self.params['pace'].write(self.get('pace')).lower()} · depth {self.params['depth'].write(self.get('depth'))}"
