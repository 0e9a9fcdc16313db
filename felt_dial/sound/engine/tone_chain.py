"""Tone chain: the drives and the filter of a layer or a bus, one after the other, note by note."""

from __future__ import annotations

from time import perf_counter_ns
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.kernel import State
from felt_dial.sound.engine.finer_voices import FinerRoom
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
    rows, start : int32 (row,)
        Which they are; the tick of this block at which each begins, −1 for none.
    line, frequency : float32 (row, tick + 1)
    swing : float32 (row, frame)
    """

    rows: NDArray[np.int32]
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
    """Drives and a filter in a row."""

    def __init__(self, steps: list[RunningModule], room: Workspace) -> None:
        self.steps, self._dry, self._was, self._finer = steps, room.dry, room.was, room.finer
        self._turned: bool | None = None
        self._rests = False
        self.heard: list[Passed] = []

    @property
    def late(self) -> int:
        """Frames by which voices come out of it late in this block."""
        return sum(step.late for step in self.steps)

    def run(self, audio: NDArray[np.float32], notes: Notes, turned: bool = False) -> None:
        """Works on the voices of `audio`, float32 (row, channel, frame), in place; the last step first where `turned`.

        Where a choice was set, it works as before as well, and what comes of that fades into what comes now. Where that is
        late and this was not, as a drive begins to work, they are to be mixed apart: `heard` says what of the block is.
        """
        self._rests = False
        rows, before = notes.rows, turned if self._turned is None else self._turned
        self._turned = turned
        begins = [step for step in self.steps if step.begins_late(rows)]
        if begins and (notes.start[rows] >= 0).all():  # nothing sounded: it is driven from the first frame on
            for step in begins:
                step.lags = True
            begins = []
        jumps, late = bool(begins) or before != turned or any(step.steps for step in self.steps), self.late
        if jumps:
            self._was[rows] = audio[rows]
            for step in self._order(before):
                line, state = step.line.copy(), self._state_before(step, step in begins)
                self._run_one(step, self._was, notes, step.before() if step.steps else step.control, state, line)
        for step in begins:
            step.lags = True
            if step.finer is not None:
                step.finer.reset()  # of what sounded in it earlier
        for step in self._order(turned):
            if step.steps and step.begins_anew():
                step.reset()
                step.was_off = True
            works = self._run_one(step, audio, notes, step.control, step.at_work, step.line)
            step.was_off = not works
            if not works:
                step.rest()
        self.heard = [Passed(audio, 1.0, 1.0, self.late)]
        if begins:
            self.heard = [Passed(self._was, 1.0, 0.0, late), Passed(audio, 0.0, 1.0, self.late)]
        elif jumps:
            run_fade(self._was, audio, rows)

    @staticmethod
    def _state_before(step: RunningModule, begins: bool) -> State:
        """With which state it works once more as before: a drive that only now begins did nothing, a filter was not driven."""
        if step.quiet or (begins and step.finer is None):
            return ()
        return step.twin()

    def _order(self, turned: bool) -> list[RunningModule]:
        return self.steps[::-1] if turned else self.steps

    def _run_one(
        self,
        step: RunningModule,
        audio: NDArray[np.float32],
        notes: Notes,
        control: NDArray[np.float32],
        state: State,
        line: NDArray[np.float32],
    ) -> bool:
        """One step, with its own control and state or with those of a twin; False where it is off."""
        rows, stage, works = notes.rows, step.stage, gate(step.on, step.wet, notes.rows)
        if works == 0 or not state:
            if step.late:
                run_wait(audio, line, rows, notes.start, stage.tick, audio)
            elif line.size and not works:
                run_remember(audio, line, rows, notes.start, stage.tick)
            return bool(works)
        step.quiet = False
        begin = perf_counter_ns()
        before = voices_peak(audio, rows)
        if step.late:
            run_wait(audio, line, rows, notes.start, stage.tick, self._dry)
        elif works == 2:
            self._dry[rows] = audio[rows]
        if step.was_off and state is step.at_work:
            run_rise(audio, rows, notes.start)
        at = step.finer.stage if step.finer is not None and step.lags else stage

        def work(voices: NDArray[np.float32], swing: NDArray[np.float32], own: State) -> None:
            played = voices, control, notes.line, notes.frequency, rows, notes.start, at.tick, at.rate, swing
            step.kernel(*played, *own)

        if step.finer is not None and step.lags:
            step.finer.run(audio, rows, notes.start, notes.swing, state, self._finer, work)
        else:
            work(audio, notes.swing, state)
        if works == 2:
            run_voice_blend(self._dry, audio, step.on, step.wet, rows, stage.tick)
        step.peaks = [before, voices_peak(audio, rows)]
        step.spent(begin)
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
