"""Chorus: copies of the sound whose delay sways."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import LOG, Param
from felt_dial.patch.units import COUNT, PERCENT, SECONDS
from felt_dial.sound.effects.core.sway import _rate


class Chorus(Effect, kind="chorus"):
    """One to four copies, each a little late and a little off pitch, spread to the sides."""

    group = "Movement"

    picture = "sway"

    copies = Param("Copies", 2, (1, 4), COUNT, whole=True, says="How many copies there are.")
    time = Param("Time", 0.012, (0.002, 0.04), SECONDS, taper=LOG, says="How late the copies are.")
    depth = Param("Depth", 0.35, (0.0, 1.0), PERCENT, says="How far their delay sways.")
    rate = _rate(0.6)
    spread = Param("Spread", 0.8, (0.0, 1.0), PERCENT, says="How far apart the copies stand.")
    wet = Param("Wet", 0.5, (0.0, 1.0), PERCENT, says="How loud the copies are beside the sound.")

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return f"{int(self.copies)} copies · wet {self.params['wet'].write(self.get('wet'))}"

    def lines(self, turns: NDArray[np.float64]) -> list[NDArray[np.float64]]:
        """Delay of every copy over some turns, as a part of the longest; for the picture."""
        count = int(self.copies)
        sway = [np.sin(2 * np.pi * (turns + k / count)) for k in range(count)]
        return [0.5 + 0.45 * float(self.depth) * s for s in sway]
