"""Thicken: a crowd of copies, each a little out of tune."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import Choice, Param
from felt_dial.patch.units import COUNT, PERCENT
from felt_dial.sound.effects.core.sway import MOST
from felt_dial.sound.playing.counted_chance import wander


class Thicken(Effect, kind="thicken"):
    """Many short copies that wander by themselves, as a crowd does."""

    group = "Stereo"

    picture = "sway"

    copies = Param("Copies", 6, (2, MOST), COUNT, whole=True, says="How many there are.")
    detune = Param("Detune", 0.35, (0.0, 1.0), PERCENT, says="How far they wander off pitch.")
    spread = Param("Spread", 0.9, (0.0, 1.0), PERCENT, says="How far apart they stand.")
    tempo = Choice("Pace", "calm", {"calm": "Calm", "busy": "Busy"}, says="How quickly they wander.")
    wet = Param("Wet", 0.4, (0.0, 1.0), PERCENT, says="How loud the crowd is beside the sound.")

    def lines(self, turns: NDArray[np.float64]) -> list[NDArray[np.float64]]:
        """Delay of every copy over some turns, as a part of the longest; for the picture."""
        with np.errstate(over="ignore"):
            found = [np.array([wander(1, k, 3 * float(x)) for x in turns]) for k in range(int(self.copies))]
        return [0.5 + 0.45 * float(self.detune) * line for line in found]
