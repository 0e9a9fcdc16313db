"""Racks: chains of effects on a sum of voices."""

from __future__ import annotations

from dataclasses import dataclass, field
from time import perf_counter_ns

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.sound.kernel import TICK
from felt_dial.sound.mix import run_blend, run_copy, run_kept, sound_peak
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


class Slot:
    """An effect at its place in a rack, with what the rack does for it: wet, level kept, a finer rate."""

    def __init__(self, placed: Placed, frames: int, quality: int) -> None:
        self.placed = placed
        effect = placed.module
        assert isinstance(effect, Effect)
        self.finer = Finer(frames, quality) if effect.bends and quality > 1 else None
        self.late = self.finer.late if self.finer else effect.late(placed.stage.rate)
        self.blends, self.keeps = effect.leaves("wet"), effect.leaves("kept")
        self.kept = placed.control[effect.row_of("kept")]
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
        self.slots: list[Slot] = []
        self.peaks = [0.0, 0.0]
        self._dry = np.zeros((2, frames), np.float32)

    def add(self, placed: Placed) -> None:
        """An effect at the end."""
        self.slots.append(Slot(placed, self.frames, self.quality))

    @property
    def late(self) -> int:
        """Frames by which the rack is late in this block."""
        return sum(slot.late for slot in self.slots if slot.late and slot.on)

    def run(self, sound: Sound, tap: Tap | None = None) -> list[str]:
        """Works on `sound`, float32 (2, frame), in place; the paths of effects that gave no number."""
        broken = []
        self.peaks = [0.0, 0.0]
        for slot in self.slots:
            here = tap is not None and tap.path == slot.placed.path
            if here and tap is not None:
                tap.before[:] = sound
            if not self._run_one(slot, sound, here and tap is not None and tap.alone):
                broken.append(slot.placed.path)
            if here and tap is not None:
                tap.after[:] = sound
                if tap.alone:
                    break
        if self.slots:
            self.peaks = [self.slots[0].placed.peaks[0] or sound_peak(sound), sound_peak(sound)]
        return broken

    def _run_one(self, slot: Slot, sound: Sound, alone: bool) -> bool:
        """One effect; False where it gave no number and was reset. `alone` leaves only what it adds."""
        placed = slot.placed
        if not slot.on:
            placed.rest()
            if alone:
                sound.fill(0.0)
            return True
        placed.quiet = False
        begin = perf_counter_ns()
        on, wet = placed.on, placed.wet
        mixed = on[0] != 1.0 or on[-1] != 1.0 or (slot.blends and (wet[0] != 1.0 or wet[-1] != 1.0))
        keeps = slot.keeps and slot.kept[-1] > 0.5
        placed.peaks[0] = run_copy(sound, self._dry)
        if slot.pad is not None:
            slot.pad.run(self._dry, slot.late)
        if slot.finer is not None:
            fine = slot.finer.lift(sound)
            placed.kernel(fine, placed.control, placed.stage.tick, placed.stage.rate, *placed.state)
            slot.finer.drop(sound)
        else:
            placed.kernel(sound, placed.control, TICK, placed.stage.rate, *placed.state)
        peak = sound_peak(sound)
        good = bool(peak >= 0.0)
        if not good:
            sound.fill(0.0)
            placed.reset()
        if keeps:
            run_kept(self._dry, sound, slot.loud, placed.stage.rate)
        if mixed:
            run_blend(self._dry, sound, on, wet if slot.blends else on, slot.blends, TICK)
        if alone:
            sound -= self._dry
        placed.peaks[1] = peak if good and not (mixed or alone or keeps) else sound_peak(sound)
        placed.spent(begin)
        return good
