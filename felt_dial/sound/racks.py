"""Racks: chains of effects on a sum of voices."""

from __future__ import annotations

from time import perf_counter_ns

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.kernel import TICK
from felt_dial.sound.mix import run_blend, sound_finite
from felt_dial.sound.strands import Placed


class Rack:
    """An ordered chain of effects; each fades in and out, and one that gives no number is reset."""

    def __init__(self, frames: int) -> None:
        self.effects: list[Placed] = []
        self._dry = np.zeros((2, frames), np.float32)

    def run(self, sound: NDArray[np.float32]) -> list[str]:
        """Works on `sound`, float32 (2, frame), in place; the paths of effects that gave no number."""
        return [effect.path for effect in self.effects if not self.run_one(effect, sound)]

    def run_one(self, effect: Placed, sound: NDArray[np.float32]) -> bool:
        """One effect; False where it gave no number and was reset."""
        on = effect.control[0]
        if on[0] == 0.0 and on[-1] == 0.0:
            if not effect.quiet:
                effect.reset()
                effect.quiet = True
            effect.cost = 0.0
            return True
        effect.quiet = False
        begin = perf_counter_ns()
        mixed = on[0] != 1.0 or on[-1] != 1.0
        if mixed:
            self._dry[:] = sound
        effect.kernel(sound, effect.control, TICK, effect.stage.rate, *effect.state)
        if mixed:
            run_blend(self._dry, sound, on, TICK)
        effect.spent(begin)
        if sound_finite(sound):
            return True
        sound.fill(0.0)
        effect.reset()
        return False
