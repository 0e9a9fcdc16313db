"""Follow: the level of a layer, of the rack or of the output as a modulator."""

from __future__ import annotations

from collections.abc import Iterable

from felt_dial.patch.module import Modulator
from felt_dial.patch.params import CUBIC, Param
from felt_dial.patch.units import DECIBELS, SECONDS


class Follow(Modulator, kind="follow"):
    """How loud a layer, the sum before the rack, or the output is, a block late."""

    picture, order = "follow", 7

    tag, dye, most = "F", "walnut", 1
    inputs = ("listens",)

    floor = Param("Quiet", -48.0, (-60.0, 0.0), DECIBELS, says="The level at which it gives 0.")
    full = Param("Loud", -6.0, (-60.0, 6.0), DECIBELS, says="The level at which it gives 1.")
    attack = Param("Attack", 0.01, (0.0, 2.0), SECONDS, taper=CUBIC, says="How fast it follows what gets louder.")
    release = Param("Release", 0.15, (0.0, 5.0), SECONDS, taper=CUBIC, says="How fast it follows what gets softer.")
    listens: str = "out"

    @classmethod
    def places(cls, layers: Iterable[str]) -> dict[str, str]:
        """The output, the sum before the rack, and the layers."""
        return {"out": "The output", "rack": "Before the rack"} | {key: f"Layer {key.upper()}" for key in layers}

    def shared(self) -> bool:
        """There is one level for all notes."""
        return True


OUT, BEFORE_RACK, FIRST_LAYER = range(3)
"""Places in the array of peaks of the last block: the output, the sum before the rack, then the layers."""
