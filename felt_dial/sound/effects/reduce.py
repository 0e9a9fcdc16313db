"""Reduce: fewer bits, a lower rate."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import LOG, Param
from felt_dial.patch.units import HERTZ, PERCENT, PLACE


class Reduce(Effect, kind="reduce"):
    """Fewer bits and fewer samples, with everything that goes wrong then."""

    group = "Drive"

    picture = "transfer"

    bits = Param("Bits", 10.0, (1.0, 24.0), PLACE, says="How many bits are left.")
    rate = Param("Rate", 12000.0, (100.0, 48000.0), HERTZ, taper=LOG, says="How many samples in a second are left.")
    wet = Param("Wet", 1.0, (0.0, 1.0), PERCENT, says="How much of the reduced sound.")

    def transfer(self, x: NDArray[np.float64]) -> NDArray[np.float64]:
        """What comes out for a sample from −1 to 1."""
        step = 2.0 ** (1.0 - min(self.number("bits"), 8.0))
        return np.asarray(step * np.floor(x / step + 0.5))

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return f"{float(self.bits):.1f} bits · {self.params['rate'].write(self.get('rate'))}"
