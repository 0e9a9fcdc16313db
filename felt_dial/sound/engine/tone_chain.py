"""Tone chain: the drives and the filter of a layer or a bus, one after the other, note by note."""

from __future__ import annotations

from time import perf_counter_ns

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.engine.kernels.mix import gate, run_voice_blend, run_wait, voices_peak
from felt_dial.sound.engine.running_module import RunningModule
from felt_dial.sound.sizes import ROWS


class Workspace:
    """Room that all layers and buses work in, one after the other."""

    def __init__(self, frames: int, tick: int) -> None:
        self.dry = np.zeros((ROWS, 2, frames), np.float32)
        self.swing = np.zeros((ROWS, frames), np.float32)
        self.level = np.zeros((ROWS + 1, frames // tick + 1), np.float32)


class Tone:
    """Drives and a filter in a row."""

    def __init__(self, steps: list[RunningModule], room: Workspace) -> None:
        self.steps, self._dry = steps, room.dry

    @property
    def late(self) -> int:
        """Frames by which voices come out of it late in this block."""
        return sum(step.late for step in self.steps)

    def run(
        self,
        audio: NDArray[np.float32],
        rows: NDArray[np.int32],
        start: NDArray[np.int32],
        line: NDArray[np.float32],
        frequency: NDArray[np.float32],
        swing: NDArray[np.float32],
        backwards: bool = False,
    ) -> None:
        """Works on the voices `rows` of `audio`, float32 (row, channel, frame), in place."""
        for step in reversed(self.steps) if backwards else self.steps:
            works, stage = gate(step.on, step.wet, rows), step.stage
            if works == 0:
                step.rest()
                if step.late:
                    run_wait(audio, step.line, rows, start, stage.tick, audio)
                continue
            if step.line.size and not step.lags:
                step.lags = True
                step.line.fill(0.0)
            step.quiet = False
            begin = perf_counter_ns()
            before = voices_peak(audio, rows)
            if step.late:
                run_wait(audio, step.line, rows, start, stage.tick, self._dry)
            elif works == 2:
                self._dry[rows] = audio[rows]
            step.kernel(audio, step.control, line, frequency, rows, start, stage.tick, stage.rate, swing, *step.arrays)
            if works == 2:
                run_voice_blend(self._dry, audio, step.on, step.wet, rows, step.stage.tick)
            step.peaks = [before, voices_peak(audio, rows)]
            step.spent(begin)

    def rest(self) -> None:
        """Forgets what sounds in it."""
        for step in self.steps:
            step.rest()
            step.lags = False

    def calm(self) -> None:
        """Nothing sounds in it: what comes next need not wait."""
        for step in self.steps:
            step.lags = False

    def reset(self) -> None:
        """State as after building."""
        for step in self.steps:
            step.reset()
