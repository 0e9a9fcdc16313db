"""Racks: chains of effects on a sum of voices."""

from __future__ import annotations

from dataclasses import dataclass, field
from time import perf_counter_ns

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.sound.kernel import TICK
from felt_dial.sound.mix import run_back, run_in, sound_peak
from felt_dial.sound.placed import Placed
from felt_dial.sound.rates import Finer, Pad

Sound = NDArray[np.float32]


@dataclass
class Tap:
    """Where one listens in: the sound before and after an effect (its path), or before the racks and at the output.

    With `alone`, only what that effect adds is heard.
    """

    path: str = ""
    alone: bool = False
    before: Sound = field(default_factory=lambda: np.zeros((2, 0), np.float32))
    after: Sound = field(default_factory=lambda: np.zeros((2, 0), np.float32))


class Fitted:
    """An effect fitted into a rack, with what the rack does for it: wet, level kept, a finer rate."""

    def __init__(self, placed: Placed, frames: int, quality: int) -> None:
        self.placed = placed
        effect = placed.module
        assert isinstance(effect, Effect)
        self.finer = Finer(frames, quality) if effect.bends and quality > 1 else None
        self.late = self.finer.late if self.finer else effect.late(placed.stage.rate)
        self.shared = effect.leaves("wet")
        self.wet = placed.wet if self.shared else placed.on
        self.kept = placed.control[effect.row_of("kept")] if effect.leaves("kept") else np.zeros_like(placed.on)
        self.rate = placed.stage.rate / (quality if effect.bends else 1)
        self.loud = np.array([0.0, 0.0, 1.0])
        self.pad = Pad(self.late, frames) if self.late else None

    @property
    def on(self) -> bool:
        """True where it works in this block."""
        on = self.placed.on
        return bool(on[0] != 0.0 or on[-1] != 0.0)


class Rack:
    """An ordered chain of effects; each fades in and out, and one that gives no number is reset."""

    def __init__(self, frames: int, quality: int = 1) -> None:
        self.frames, self.quality = frames, quality
        self.fitted: list[Fitted] = []
        self.peaks = [0.0, 0.0]
        self._late: list[Fitted] = []
        self._dry = np.zeros((2, frames), np.float32)

    def add(self, placed: Placed) -> None:
        """An effect at the end."""
        fitted = Fitted(placed, self.frames, self.quality)
        self.fitted.append(fitted)
        if fitted.late:
            self._late.append(fitted)

    @property
    def late(self) -> int:
        """Frames by which the rack is late in this block."""
        return sum(fitted.late for fitted in self._late if fitted.on)

    def run(self, sound: Sound, tap: Tap | None = None) -> list[str]:
        """Works on `sound`, float32 (2, frame), in place; the paths of effects that gave no number."""
        if not self.fitted:
            return []
        broken = []
        before = sound_peak(sound)
        for fitted in self.fitted:
            heard = tap if tap is not None and tap.path == fitted.placed.path else None
            if heard is not None:
                heard.before[:] = sound
            if not self._run_one(fitted, sound, heard is not None and heard.alone):
                broken.append(fitted.placed.path)
            if heard is not None:
                heard.after[:] = sound
                if heard.alone:
                    break
        self.peaks = [before, sound_peak(sound)]
        return broken

    def _run_one(self, fitted: Fitted, sound: Sound, alone: bool) -> bool:
        """One effect; False where it gave no number and was reset. `alone` leaves only what it adds."""
        placed = fitted.placed
        begin = perf_counter_ns()
        works, keeps, before = run_in(sound, self._dry, placed.on, fitted.wet, fitted.kept)
        if not works:
            placed.rest()
            if alone:
                sound.fill(0.0)
            return True
        placed.quiet = False
        if fitted.pad is not None:
            fitted.pad.run(self._dry, fitted.late)
        if fitted.finer is not None:
            fine = fitted.finer.lift(sound)
            placed.kernel(fine, placed.control, placed.stage.tick, placed.stage.rate, *placed.state)
            fitted.finer.drop(sound)
        else:
            placed.kernel(sound, placed.control, TICK, placed.stage.rate, *placed.state)
        after = run_back(
            self._dry, sound, works, keeps, alone, placed.on, fitted.wet, fitted.shared, fitted.loud, fitted.rate, TICK
        )
        good = bool(after >= 0.0)
        if not good:
            placed.reset()
        placed.peaks = [before, max(after, 0.0)]
        placed.spent(begin)
        return good
