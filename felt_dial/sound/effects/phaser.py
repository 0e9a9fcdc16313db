"""Phaser: a row of all-passes that sways, beside the plain sound."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import LOG, Param
from felt_dial.patch.units import COUNT, HERTZ, OCTAVES, PERCENT, RATE

MOST = 12


class Phaser(Effect, kind="phaser"):
    """Notches that wander: two to twelve all-passes, whose corner sways."""

    group = "Movement"

    picture = "phaser"

    stages = Param("Stages", 6, (2, MOST), COUNT, whole=True, says="How many all-passes; every two make a notch.")
    frequency = Param("Middle", 800.0, (60.0, 8000.0), HERTZ, taper=LOG, says="Where the notches stand.")
    depth = Param("Depth", 1.5, (0.0, 4.0), OCTAVES, says="By how many octaves they sway to both sides.")
    rate = Param("Rate", 0.3, (0.01, 12.0), RATE, taper=LOG, beats=True, says="How often they sway.")
    feedback = Param("Feedback", 0.3, (-0.95, 0.95), PERCENT, says="How sharp what is between the notches becomes.")
    sides = Param("Stereo phase", 0.2, (0.0, 0.5), PERCENT, says="How far right is behind left.")
    wet = Param("Wet", 0.5, (0.0, 1.0), PERCENT, says="Half makes the deepest notches.")

    def response(self, frequencies: NDArray[np.float64], rate: float = 48000.0) -> NDArray[np.float64]:
        """Gain in dB at frequencies in Hz while the corner stands in the middle; closed form, shape of `frequencies`."""
        k = math.tan(math.pi * float(self.frequency) / rate)
        a = (k - 1) / (k + 1)
        z = np.exp(-2j * np.pi * frequencies / rate)
        chain = ((a + z) / (1 + a * z)) ** int(self.stages)
        looped = chain / (1 - float(self.feedback) * z * chain)
        wet = float(self.wet)
        return np.asarray(20 * np.log10(np.abs((1 - wet) + wet * looped) + 1e-9))
