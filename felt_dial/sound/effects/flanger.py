"""Flanger: a short copy whose delay sways, fed back."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import LOG, Param
from felt_dial.patch.units import PERCENT, SECONDS
from felt_dial.sound.effects.core.sway import _rate


class Flanger(Effect, kind="flanger"):
    """A very short delay that sways and comes back on itself: teeth that wander through the spectrum."""

    group = "Movement"

    picture = "sway"

    time = Param("Time", 0.003, (0.0005, 0.015), SECONDS, taper=LOG, says="The middle of its delay.")
    depth = Param("Depth", 0.6, (0.0, 1.0), PERCENT, says="How far the delay sways.")
    rate = _rate(0.2)
    feedback = Param("Feedback", 0.4, (-0.95, 0.95), PERCENT, says="How sharp its teeth are; below 0 others stand.")
    sides = Param("Stereo phase", 0.25, (0.0, 0.5), PERCENT, says="How far right is behind left in its swaying.")
    wet = Param("Wet", 0.5, (0.0, 1.0), PERCENT, says="Half makes the deepest notches.")

    def lines(self, turns: NDArray[np.float64]) -> list[NDArray[np.float64]]:
        """Delay of both sides over some turns, as a part of the longest; for the picture."""
        return [0.5 + 0.45 * float(self.depth) * np.sin(2 * np.pi * (turns + s)) for s in (0.0, float(self.sides))]
