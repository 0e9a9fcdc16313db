"""Follow: the level of a layer, of the rack or of the output as a modulator."""

from __future__ import annotations

import math
from collections.abc import Iterable

import numpy as np

from felt_dial.patch.module import Modulator
from felt_dial.patch.params import CUBIC, Param
from felt_dial.patch.units import DECIBELS, SECONDS
from felt_dial.sound.control.clock import follow
from felt_dial.sound.kernel import kernel


class Follow(Modulator, kind="follow"):
    """How loud a layer, the sum before the rack, or the output is, a block late."""

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


FLOOR, FULL, ATTACK, RELEASE = (Follow.row_of(name) for name in Follow.params)
OUT, BEFORE_RACK, FIRST_LAYER = range(3)
"""Places in the array of peaks of the last block: the output, the sum before the rack, then the layers."""


@kernel
def run_follow(m, p, place, heard, control, moves, state, row, t0, t1, seconds):  # type: ignore[no-untyped-def]
    """Values of one row, 0 to 1, from tick `t0` up to `t1`, into `moves[m]`; `state[m, row, 2]` is where it stands."""
    level = 20.0 * math.log10(max(heard[place], 1e-6))
    value = state[m, row, 2]
    for t in range(t0, t1):
        floor, full = np.float64(control[p + FLOOR, row, t]), np.float64(control[p + FULL, row, t])
        goal = min(max((level - floor) / max(full - floor, 1.0), 0.0), 1.0)
        value = follow(value, goal, seconds, np.float64(control[p + (ATTACK if goal > value else RELEASE), row, t]))
        moves[m, row, t] = np.float32(value)
    state[m, row, 2] = value
