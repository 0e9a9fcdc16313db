"""Drive: bends the wave of the whole chord, by the same curves that bend single notes."""

from __future__ import annotations

from felt_dial.patch.module import Effect
from felt_dial.patch.params import Param, Switch
from felt_dial.patch.shaping import WAYS, Shaping
from felt_dial.patch.units import PERCENT
from felt_dial.sound.effects.as_one import as_one, drives
from felt_dial.sound.kernel import KERNELS
from felt_dial.sound.tone.shaper import run_shaper, shaper_state


class Drive(Effect, Shaping, kind="drive"):
    """Bends the wave of the whole chord: the more notes, the more they grind against each other."""

    bends = True
    wet = Param("Wet", 1.0, (0.0, 1.0), PERCENT, says="How much of the bent wave, beside the plain one.")
    kept = Switch("Level kept", True, says="As loud after as before, measured while it plays.")

    @classmethod
    def leaves(cls, name: str) -> bool:
        """The wet is the rack's work, the level its own."""
        return name == "wet"

    prepare = as_one(shaper_state)

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return f"{WAYS[str(self.way)].lower()} · {self.params['amount'].write(self.get('amount'))}"


KERNELS[Drive] = drives(run_shaper)
