"""Tone chain: the drives and the filter of a layer or a bus, one after the other, note by note."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.kernel import State
from felt_dial.sound.compiling.plan import Plan
from felt_dial.sound.engine.finer_voices import FinerRoom, Rows
from felt_dial.sound.engine.kernels.arranging import run_copy_rows
from felt_dial.sound.engine.kernels.finer_voices import any_pushed
from felt_dial.sound.engine.kernels.mix import (
    gate,
    run_fade,
    run_remember,
    run_rise,
    run_voice_blend,
    run_wait,
    voices_peak,
)
from felt_dial.sound.engine.running_module import RunningModule
from felt_dial.sound.sizes import ROWS


class Workspace:
    """Room that all layers and buses work in, one after the other."""

    def __init__(self, frames: int, tick: int) -> None:
        self.dry = np.zeros((ROWS, 2, frames), np.float32)
        self.was = np.zeros((ROWS, 2, frames), np.float32)
        self.swing = np.zeros((ROWS, frames), np.float32)
        self.level = np.zeros((ROWS + 1, frames // tick + 1), np.float32)
        self.finer = FinerRoom(frames, tick)


class Notes(NamedTuple):
    """The voices that a tone chain works on.

    Attributes
    ----------
    rows : list of rows
        Which they are.
    start : int32 (row,)
        The tick of this block at which each begins, −1 for none.
    line, frequency : float32 (row, tick + 1)
    swing : float32 (row, frame)
    """

    rows: Rows
    start: NDArray[np.int32]
    line: NDArray[np.float32]
    frequency: NDArray[np.float32]
    swing: NDArray[np.float32]


class Passed(NamedTuple):
    """What comes out of a tone chain in a block: voices, how much of them as it begins and as it ends, and how late they are."""

    audio: NDArray[np.float32]
    first: float
    last: float
    late: int


class Tone:
    """Drives and a filter in a row.

    `answers` int64 (2 · step,) say of every step what its gate is, and whether it is pushed.
    """

    def __init__(self, steps: list[RunningModule], room: Workspace) -> None:
        self.steps, self._dry, self._was, self._finer = steps, room.dry, room.was, room.finer
        self.answers = np.zeros(2 * len(steps), np.int64)
        self._works = [0] * len(steps)
        self._pushed = [False] * len(steps)
        self._turned: bool | None = None
        self._rests = False
        self.heard: list[Passed] = []

    @property
    def late(self) -> int:
        """Frames by which voices come out of it late in this block."""
        return sum(step.late for step in self.steps)

    def ask(self, plan: Plan, rows: Rows) -> None:
        """Plans the questions what each step does in a block."""
        for n, step in enumerate(self.steps):
            plan.call(gate, step.on, step.wet, rows, into=self.answers[2 * n : 2 * n + 1])
            if step.push is not None:
                plan.call(any_pushed, step.push, rows, into=self.answers[2 * n + 1 : 2 * n + 2])

    def hear(self) -> None:
        """Takes the answers."""
        found = self.answers.tolist()
        self._works, self._pushed = found[::2], [bool(pushed) for pushed in found[1::2]]

    def key(self, turned: bool) -> tuple[object, ...]:
        """What a plan is made for."""
        return (turned, *self._works, *[step.lags for step in self.steps])

    def begins(self) -> None:
        """All its voices begin in this block, nothing sounded in it before: what is driven is so from the first frame on."""
        for step, works, pushed in zip(self.steps, self._works, self._pushed, strict=True):
            step.lags |= step.begins_late(bool(works), pushed)

    def passes(self, turned: bool) -> bool:
        """True where something is done in this block that is not in the next one."""
        if self._turned is not None and self._turned is not turned:
            return True
        for step, works, pushed in zip(self.steps, self._works, self._pushed, strict=True):
            if step.steps or (step.was_off if works else not step.quiet) or step.begins_late(bool(works), pushed):
                return True
        return False

    def forget(self) -> None:
        """Nothing has been played in it yet."""
        self._turned, self._rests = None, False

    def goes_on(self, turned: bool) -> None:
        """Does in this block what it will do in the next one."""
        self._turned, self._rests = turned, False
        for step, works in zip(self.steps, self._works, strict=True):
            step.was_off = not works
            if works:
                step.quiet = False

    def plan(self, plan: Plan, audio: NDArray[np.float32], notes: Notes, turned: bool = False) -> None:
        """Works on the voices of `audio`, float32 (row, channel, frame), in place; the last step first where `turned`.

        Where a choice was set, it works as before as well, and what comes of that fades into what comes now. Where that is
        late and this was not, as a drive begins to work, they are to be mixed apart: `heard` says what of the block is."""
        self._rests = False
        before = turned if self._turned is None else self._turned
        self._turned = turned
        answers = zip(self.steps, self._works, self._pushed, strict=True)
        begins = [step for step, works, pushed in answers if step.begins_late(bool(works), pushed)]
        jumps, late = bool(begins) or before != turned or any(step.steps for step in self.steps), self.late
        if jumps:
            plan.call(run_copy_rows, audio, self._was, notes.rows)
            for n in self._order(before):
                step = self.steps[n]
                line, state = step.line.copy(), self._state_before(step, step in begins)
                control = step.before() if step.steps else step.control
                self._plan_one(plan, n, self._was, notes, control, state, line)
        for step in begins:
            step.lags = True
            if step.finer is not None:
                step.finer.reset()  # of what sounded in it earlier
                step.version += 1
        for n in self._order(turned):
            step = self.steps[n]
            if step.steps and step.begins_anew():
                step.reset()
                step.was_off = True
            works = self._plan_one(plan, n, audio, notes, step.control, step.at_work, step.line)
            step.was_off = not works
            if not works:
                step.rest()
        self.heard = [Passed(audio, 1.0, 1.0, self.late)]
        if begins:
            self.heard = [Passed(self._was, 1.0, 0.0, late), Passed(audio, 0.0, 1.0, self.late)]
        elif jumps:
            plan.call(run_fade, self._was, audio, notes.rows)

    @staticmethod
    def _state_before(step: RunningModule, begins: bool) -> State:
        """With which state it works once more as before: a drive that only now begins did nothing, a filter was not driven."""
        if step.quiet or (begins and step.finer is None):
            return ()
        return step.twin()

    def _order(self, turned: bool) -> range:
        count = len(self.steps)
        return range(count - 1, -1, -1) if turned else range(count)

    def _plan_one(
        self,
        plan: Plan,
        place: int,
        audio: NDArray[np.float32],
        notes: Notes,
        control: NDArray[np.float32],
        state: State,
        line: NDArray[np.float32],
    ) -> bool:
        """One step, with its own control and state or with those of a twin; False where it is off."""
        step, works, rows = self.steps[place], self._works[place], notes.rows
        stage = step.stage
        if works == 0 or not state:
            if step.late:
                plan.call(run_wait, audio, line, rows, notes.start, stage.tick, audio)
            elif line.size and not works:
                plan.call(run_remember, audio, line, rows, notes.start, stage.tick)
            return bool(works)
        step.quiet = False
        with plan.timed(step.spent):
            plan.call(voices_peak, audio, rows, into=step.peaks)
            if step.late:
                plan.call(run_wait, audio, line, rows, notes.start, stage.tick, self._dry)
            elif works == 2:
                plan.call(run_copy_rows, audio, self._dry, rows)
            if step.was_off and state is step.at_work:
                plan.call(run_rise, audio, rows, notes.start)
            at = step.finer.stage if step.finer is not None and step.lags else stage

            def work(voices: NDArray[np.float32], swing: NDArray[np.float32], own: State) -> None:
                played = voices, control, notes.line, notes.frequency, rows, notes.start, at.tick, at.rate, swing
                plan.call(step.kernel, *played, *own)

            if step.finer is not None and step.lags:
                step.finer.plan(plan, audio, rows, notes.start, notes.swing, state, self._finer, work)
            else:
                work(audio, notes.swing, state)
            if works == 2:
                plan.call(run_voice_blend, self._dry, audio, step.on, step.wet, rows, stage.tick)
            plan.call(voices_peak, audio, rows, into=step.peaks[1:])
        return True

    def rest(self) -> None:
        """Forgets what sounds in it, once."""
        if self._rests:
            return
        self._rests = True
        for step in self.steps:
            step.rest()
            step.lags = step.was_off = False

    def calm(self) -> None:
        """Nothing sounds in it: what comes next need not wait."""
        for step in self.steps:
            step.lags = step.was_off = False

    def reset(self) -> None:
        """State as after building."""
        for step in self.steps:
            step.reset()
