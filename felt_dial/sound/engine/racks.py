"""Racks: chains of effects on a sum of voices."""

from __future__ import annotations

from dataclasses import dataclass, field
from time import perf_counter_ns

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.sound.compiling.kernel import State
from felt_dial.sound.engine.finer_voices import LONG_AGO, ONE, FinerRoom
from felt_dial.sound.engine.kernels.mix import run_back, run_fade, run_in, run_rise, sound_peak
from felt_dial.sound.engine.rates import Finer, Pad
from felt_dial.sound.engine.running_module import RunningModule, latency_of
from felt_dial.sound.sizes import TICK
from felt_dial.sound.tone.kernels.core.voices import NO_SWING

Sound = NDArray[np.float32]
FORGETS, FAINT = 5.0, 1e-7
"""Seconds of silence, longer than any echo waits, after which an effect begins anew with the next sound: what sways stands
where it stands in a render."""


@dataclass
class Tap:
    """Where one listens in: the sound before and after an effect (its path), or before the racks and at the output.

    With `alone`, only what that effect adds is heard.
    """

    path: str = ""
    alone: bool = False
    before: Sound = field(default_factory=lambda: np.zeros((2, 0), np.float32))
    after: Sound = field(default_factory=lambda: np.zeros((2, 0), np.float32))


class RackEffect:
    """An effect in a rack, with what the rack does for it: wet, level kept, a finer rate."""

    def __init__(self, running: RunningModule, frames: int, quality: int) -> None:
        self.running = running
        module = running.module
        assert isinstance(module, Effect)
        running.lags = running.finer is not None
        late = latency_of(module, running.stage.rate)
        self.finer = Finer(frames, quality, late) if module.bends and quality > 1 else None
        self.late = self.finer.late if self.finer else late
        self.runs_on = module.runs_on
        self.shared = module.leaves("wet")
        self.wet = running.wet if self.shared else running.on
        self.kept = running.control[module.row_of("kept")] if module.leaves("kept") else np.zeros_like(running.on)
        self.rate = running.stage.rate / (quality if module.bends else 1)
        self.loud = np.array([0.0, 0.0, 1.0, *[0.0] * 5])
        self.pad = Pad(self.late, frames, always=True) if self.late else None
        self.share = np.ones_like(running.on)
        self.shown: Sound | None = None
        """What goes into it, kept for one that takes its place, once somebody asks for it."""
        self._before: tuple[Sound, Sound] | None = None
        self.silent = 0
        """Frames for which nothing came in and nothing went out."""
        self._warms = 0
        self._cold = 1 + self.late // frames
        u = np.linspace(0.0, 1.0, len(self.share), dtype=np.float32)
        self._rise = u * u * (3.0 - 2.0 * u)

    def goes_on_from(self, old: RackEffect, ramp: Sound) -> None:
        """In the next block, what goes into it fades from what went into `old`, by `ramp` (frame,)."""
        self._before = None if old.shown is None else (old.shown, ramp)

    def take_in(self, sound: Sound) -> None:
        """What goes into it in this block, in place, while it takes the place of another; and kept for one to come."""
        if self.shown is not None:
            self.shown[:] = sound
        if self._before is not None:
            shown, ramp = self._before
            sound[:] = shown + ramp * (sound - shown)
            self._before = None

    @property
    def on(self) -> bool:
        """True where it works in this block."""
        on = self.running.on
        return bool(on[0] != 0.0 or on[-1] != 0.0)

    def shares(self) -> tuple[Sound, bool]:
        """How much of it is heard at each tick, and whether that is less than it is on.

        Switched on, it is heard once the sound has come through what it looks ahead, and a block later than that in full.
        """
        running = self.running
        if running.was_off:
            self._warms = self._cold + 1
        if self._warms == 0:
            return running.on, False
        self._warms -= 1
        np.multiply(running.on, self._rise if self._warms == 0 else 0.0, out=self.share)
        return self.share, True


class Rack:
    """An ordered chain of effects; each fades in and out, and one that gives no number is reset."""

    def __init__(self, frames: int, quality: int = 1) -> None:
        self.frames, self.quality = frames, quality
        self.effects: list[RackEffect] = []
        self.peaks = [0.0, 0.0]
        self._late: list[RackEffect] = []
        self._dry = np.zeros((2, frames), np.float32)
        self._room = FinerRoom(frames * quality, TICK * quality, 1)

    def add(self, running: RunningModule) -> None:
        """An effect at the end."""
        effect = RackEffect(running, self.frames, self.quality)
        self.effects.append(effect)
        if effect.late:
            self._late.append(effect)

    @property
    def late(self) -> int:
        """Frames by which the rack is late in this block."""
        return sum(effect.late for effect in self._late if effect.on)

    def run(self, sound: Sound, tap: Tap | None = None) -> list[str]:
        """Works on `sound`, float32 (2, frame), in place; the paths of effects that gave no number."""
        if not self.effects:
            return []
        broken = []
        before = sound_peak(sound)
        for effect in self.effects:
            heard = tap if tap is not None and tap.path == effect.running.path else None
            if heard is not None:
                heard.before[:] = sound
            effect.take_in(sound)
            if not self._run_one(effect, sound, heard is not None and heard.alone):
                broken.append(effect.running.path)
            if heard is not None:
                heard.after[:] = sound
                if heard.alone:
                    break
        self.peaks = [before, sound_peak(sound)]
        return broken

    def _run_one(self, effect: RackEffect, sound: Sound, alone: bool) -> bool:
        """One effect; False where it gave no number and was reset. `alone` leaves only what it adds."""
        running = effect.running
        begin = perf_counter_ns()
        works, keeps, before = run_in(sound, self._dry, running.on, effect.wet, effect.kept)
        if not works:
            running.rest()
            running.was_off = True
            if effect.pad is not None:
                effect.pad.run(sound, 0)
            if alone:
                sound.fill(0.0)
            return True
        if running.quiet and before == 0.0 and not running.was_off and not effect.runs_on:
            if alone:
                sound.fill(0.0)
            return True
        running.quiet = False
        if effect.pad is not None:
            effect.pad.run(self._dry, effect.late)
        share, warms = effect.shares()
        self._work(effect, sound)
        after = run_back(
            self._dry,
            sound,
            2 if warms else works,
            keeps,
            alone,
            share,
            effect.wet,
            effect.shared,
            effect.kept,
            effect.loud,
            effect.rate,
            TICK,
        )
        good = bool(after >= 0.0)
        if not good:
            running.reset()
        running.peaks = [before, max(after, 0.0)]
        effect.silent = effect.silent + self.frames if before == 0.0 and after < FAINT else 0
        if effect.silent > FORGETS * effect.rate and not effect.runs_on:
            running.rest()
            effect.silent = 0
        running.spent(begin)
        return good

    def _work(self, effect: RackEffect, sound: Sound) -> None:
        """What the effect itself does. Where a choice was set, it works as before as well, and fades into what it does now."""
        running = effect.running
        fine = sound if effect.finer is None else effect.finer.lift(sound)
        was = None
        if running.steps and not running.was_off:
            was = fine.copy()
            self._run(running, was, running.before(), running.twin())
            if running.begins_anew():
                running.reset()
                running.was_off = True
        if running.was_off:
            run_rise(fine[None], ONE, LONG_AGO)
            running.was_off = False
        self._run(running, fine, running.control, running.at_work)
        if was is not None:
            run_fade(was[None], fine[None], ONE)
        if effect.finer is not None:
            effect.finer.drop(sound)

    def _run(self, running: RunningModule, sound: Sound, control: NDArray[np.float32], state: State) -> None:
        finer = running.finer
        at = finer.stage if finer is not None else running.stage

        def work(voices: Sound, swing: Sound, own: State) -> None:
            running.kernel(voices[0], control, at.tick, at.rate, *own)

        if finer is not None:
            finer.run(sound[None], ONE, LONG_AGO, NO_SWING, state, self._room, work)
        else:
            work(sound[None], NO_SWING, state)
