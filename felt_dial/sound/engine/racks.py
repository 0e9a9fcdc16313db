"""Racks: chains of effects on a sum of voices."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.sound.compiling.kernel import State
from felt_dial.sound.compiling.plan import Desk, Plan
from felt_dial.sound.engine.finer_voices import LONG_AGO, ONE, FinerRoom
from felt_dial.sound.engine.kernels.arranging import run_copy, run_meet, run_zero_sound
from felt_dial.sound.engine.kernels.mix import SILENT, effect_works, run_back, run_fade, run_in, run_rise, sound_peak
from felt_dial.sound.engine.parts import Part
from felt_dial.sound.engine.rates import Finer, Pad
from felt_dial.sound.engine.running_module import RunningModule, latency_of
from felt_dial.sound.sizes import TICK
from felt_dial.sound.tone.kernels.core.voices import NO_SWING

Sound = NDArray[np.float32]
FORGETS = 5.0
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


class RackEffect(Part):
    """An effect in a rack, with what the rack does for it: wet, level kept, a finer rate."""

    def __init__(self, running: RunningModule, frames: int, quality: int) -> None:
        super().__init__(running)
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
        self.most = FORGETS * self.rate if not self.runs_on else np.inf
        self.works, self.keeps = 0, False
        self.shown: Sound | None = None
        """What goes into it, kept for one that takes its place, once somebody asks for it."""
        self._before: tuple[Sound, Sound] | None = None
        self._warms = 0
        self._cold = 1 + self.late // frames
        u = np.linspace(0.0, 1.0, len(self.share), dtype=np.float32)
        self._rise = u * u * (3.0 - 2.0 * u)

    def goes_on_from(self, old: RackEffect, ramp: Sound) -> None:
        """In the next block, what goes into it fades from what went into `old`, by `ramp` (frame,)."""
        self._before = None if old.shown is None else (old.shown, ramp)

    def take_in(self, plan: Plan, sound: Sound) -> None:
        """What goes into it in this block, in place, while it takes the place of another; and kept for one to come."""
        if self.shown is not None:
            plan.call(run_copy, sound, self.shown)
        if self._before is not None:
            shown, ramp = self._before
            plan.call(run_meet, sound, shown, ramp)
            self._before = None

    def ask(self, plan: Plan) -> None:
        """Plans the question what it does in a block."""
        plan.call(effect_works, self.running.on, self.wet, self.kept, into=self.answers)

    def hear(self) -> None:
        """Takes the answer."""
        self.works, self.keeps = int(self.answers[0]) & 3, bool(self.answers[0] & 4)
        if not self.works and self.running.quiet:
            self.running.was_off = True

    @property
    def on(self) -> bool:
        """True where it works in this block."""
        on = self.running.on
        return bool(on[0] != 0.0 or on[-1] != 0.0)

    @property
    def goes_in(self) -> bool:
        """True where what goes into it is kept, or fades from that of another."""
        return self.shown is not None or self._before is not None

    @property
    def passes(self) -> bool:
        """True where something is done in this block that is not in the next one."""
        running = self.running
        return bool(running.steps or running.was_off or self._warms) if self.works else not running.was_off

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
        self.peaks = np.zeros(2, np.float32)
        self._first, self._last = Part(), Part()
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

    def ask(self, plan: Plan) -> None:
        """Plans the questions what its effects do in a block."""
        for effect in self.effects:
            effect.ask(plan)

    def hear(self) -> None:
        """Takes the answers."""
        for effect in self.effects:
            effect.hear()

    def plans(self, desk: Desk, sound: Sound, attention: NDArray[np.int64], tap: Tap | None = None) -> list[Plan]:
        """What works on `sound`, float32 (2, frame), in place; `attention` is called for where an effect gave no number."""
        if not self.effects:
            return []
        found = [self._first.plan_for(id(sound), False, desk, lambda plan: self._measure(plan, sound, 0))]
        for effect in self.effects:
            heard = tap if tap is not None and tap.path == effect.running.path else None
            alone = heard is not None and heard.alone
            if effect.goes_in or heard is not None:
                plan = Plan(desk)
                if heard is not None:
                    plan.call(run_copy, sound, heard.before)
                effect.take_in(plan, sound)
                found.append(plan.finish())
            passes, key = effect.passes, (id(sound), effect.works, effect.keeps, alone)

            def build(plan: Plan, effect: RackEffect = effect, alone: bool = alone) -> None:
                self._plan_one(plan, effect, sound, alone, attention)

            found.append(effect.plan_for(key, passes, desk, build))
            if heard is not None:
                plan = Plan(desk)
                plan.call(run_copy, sound, heard.after)
                found.append(plan.finish())
            if alone:
                break
        return [*found, self._last.plan_for(id(sound), False, desk, lambda plan: self._measure(plan, sound, 1))]

    def _measure(self, plan: Plan, sound: Sound, place: int) -> None:
        plan.call(sound_peak, sound, into=self.peaks[place : place + 1])

    def _plan_one(
        self, plan: Plan, effect: RackEffect, sound: Sound, alone: bool, attention: NDArray[np.int64]
    ) -> None:
        """One effect. `alone` leaves only what it adds."""
        running = effect.running
        if not effect.works:
            running.rest()
            running.was_off = True
            if effect.pad is not None:
                effect.pad.plan(plan, sound, 0)
            if alone:
                plan.call(run_zero_sound, sound)
            return
        goes_on = effect.runs_on or running.was_off
        with (
            plan.where(run_in, sound, self._dry, running.peaks, running.flags, goes_on, alone),
            plan.timed(running.spent),
        ):
            if effect.pad is not None:
                effect.pad.plan(plan, self._dry, effect.late)
            share, warms = effect.shares()
            self._work(plan, effect, sound)
            how = 2 if warms else effect.works, effect.keeps, alone
            dials = share, effect.wet, effect.shared, effect.kept
            told = running.peaks, running.flags, effect.most, attention
            plan.call(run_back, self._dry, sound, *how, *dials, effect.loud, effect.rate, TICK, *told)

    def mend(self) -> list[str]:
        """Resets effects that gave no number, and gives their paths; those that were silent for long begin anew."""
        broken = []
        for effect in self.effects:
            running = effect.running
            if running.take_broken():
                running.reset()
                broken.append(running.path)
            if running.flags[SILENT] > effect.most:
                running.rest()
                running.flags[SILENT] = 0
        return broken

    def _work(self, plan: Plan, effect: RackEffect, sound: Sound) -> None:
        """What the effect itself does. Where a choice was set, it works as before as well, and fades into what it does now."""
        running = effect.running
        fine = sound if effect.finer is None else effect.finer.lift(plan, sound)
        was = None
        if running.steps and not running.was_off:
            was = np.zeros_like(fine)
            plan.call(run_copy, fine, was)
            self._run(plan, running, was, running.before(), running.twin())
            if running.begins_anew():
                running.reset()
                running.was_off = True
        if running.was_off:
            plan.call(run_rise, fine[None], ONE, LONG_AGO)
            running.was_off = False
        self._run(plan, running, fine, running.control, running.at_work)
        if was is not None:
            plan.call(run_fade, was[None], fine[None], ONE)
        if effect.finer is not None:
            effect.finer.drop(plan, sound)

    def _run(
        self, plan: Plan, running: RunningModule, sound: Sound, control: NDArray[np.float32], state: State
    ) -> None:
        finer = running.finer
        at = finer.stage if finer is not None else running.stage

        def work(voices: Sound, swing: Sound, own: State) -> None:
            plan.call(running.kernel, voices[0], control, at.tick, at.rate, *own)

        if finer is not None:
            finer.plan(plan, sound[None], ONE, LONG_AGO, NO_SWING, state, self._room, work)
        else:
            work(sound[None], NO_SWING, state)
