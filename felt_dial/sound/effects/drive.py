"""Drive: bends the wave of the whole chord, by the same curves that bend single notes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import Param, Switch
from felt_dial.patch.shaping import WAYS, Shaping
from felt_dial.patch.units import PERCENT
from felt_dial.sound.tone.core.transfer import bent


class Drive(Effect, Shaping, kind="drive"):
    """Bends the wave of the whole chord: the more notes, the more they grind against each other."""

    group = "Drive"

    picture, reach = "transfer", 0.84

    bends = True
    wet = Param("Wet", 1.0, (0.0, 1.0), PERCENT, says="How much of the bent wave, beside the plain one.")
    kept = Switch("Level kept", True, says="As loud after as before, measured while it plays.", smooth=True)

    @classmethod
    def leaves(cls, name: str) -> bool:
        """The wet is the rack's work, the level its own."""
        return name == "wet"

    def transfer(self, x: NDArray[np.float64]) -> NDArray[np.float64]:
        """What comes out of the curve for a sample from −1 to 1."""
        return bent(self, x)

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return f"{WAYS[str(self.way)].lower()} · {self.params['amount'].write(self.get('amount'))}"
