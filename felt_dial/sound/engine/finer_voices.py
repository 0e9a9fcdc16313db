"""A filter that is driven bends the waves that go through it: its voices work at four times the rate then, as a drive does."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Filter, Module
from felt_dial.sound.compiling.compiled import prepared
from felt_dial.sound.compiling.kernel import Stage, State, flat
from felt_dial.sound.compiling.plan import Listed, Plan
from felt_dial.sound.engine.kernels.finer_voices import DOWN, FINER, UP, run_down, run_line_up, run_up
from felt_dial.sound.simd.lanes import LANES, lane_array
from felt_dial.sound.sizes import ROWS
from felt_dial.sound.tone.core.halves import FIRST, LATER, stages

FINE_ENOUGH = 300_000.0
"""Hz from which nothing is gained by a finer rate."""
WAY_UP, WAY_DOWN, LAST, OWN = range(4)
"""Where in its arrays are those of the ways, the last swing, and from where on those of the filter itself."""
Work = Callable[[NDArray[np.float32], NDArray[np.float32], State], None]
Rows = Listed | NDArray[np.int32]
ONE, LONG_AGO = np.zeros(1, np.int32), np.full(1, -1, np.int32)
"""The only row of a sound, and the tick at which it begins."""


def bends_finer(module: Module, rate: float) -> bool:
    """True for a filter that works at a finer rate: one of voices once it is driven, one in a rack always."""
    return isinstance(module, Filter) and module.bends and rate < FINE_ENOUGH


@cache
def finer_latency(rate: float) -> int:
    """Frames by which such a filter is late at a rate in Hz, to the nearest whole."""
    frames = 0.0
    for n, (row, count) in enumerate(zip(stages(rate).tolist(), (FIRST, LATER), strict=True)):
        frames += sum((1 - c) / (1 + c) for c in row[:count]) / 2.0**n
    return round(frames)


@cache
def _halves(rate: float) -> NDArray[np.float64]:
    return stages(rate)


class FinerRoom:
    """Room that all such filters work in, one after the other."""

    def __init__(self, frames: int, tick: int, rows: int = ROWS) -> None:
        self.audio = np.zeros((rows, 2, FINER * frames), np.float32)
        self.swing = np.zeros((rows, FINER * frames), np.float32)
        self.who = np.zeros((3, LANES), np.int64)
        self.alive, self.here = lane_array(frames // tick + 1), lane_array(max(UP, DOWN))
        self.tile, self.wide = lane_array(frames), lane_array(2, FINER * frames)
        self.narrow = self.wide[0]


class FinerVoices:
    """The state of a filter at the finer rate, and of the ways there and back; laid out by `reset`.

    Attributes
    ----------
    stage : Stage
        Where the filter works.
    arrays : State
        What the ways keep, then what the filter keeps.
    """

    def __init__(self, module: Module, stage: Stage) -> None:
        self._module, self._halves = module, _halves(stage.rate)
        self.stage = Stage(
            FINER * stage.rate, FINER * stage.frames, stage.rows, FINER * stage.tick, stage.newest, stage.grains
        )
        self.arrays: State = ()

    def reset(self) -> None:
        """State as after building."""
        rows = self.stage.rows
        ways = np.zeros((rows, UP, 2)), np.zeros((rows, DOWN, 2)), np.zeros(rows, np.float32)
        self.arrays = (*ways, *flat(prepared(self._module, self.stage)))

    def plan(
        self,
        plan: Plan,
        audio: NDArray[np.float32],
        rows: Rows,
        start: NDArray[np.int32],
        swing: NDArray[np.float32],
        state: State,
        room: FinerRoom,
        work: Work,
    ) -> None:
        """Lets a filter work on voices of `audio`, float32 (row, channel, frame), in place, at the finer rate.

        `work` plans it, given the voices, the swing of every frame and the filter's own arrays, at the rate of `stage`.
        """
        tick = self.stage.tick // FINER
        plan.call(
            run_up,
            *(audio, room.audio, rows, start, tick, state[WAY_UP], self._halves),
            *(room.who, room.alive, room.here, room.tile, room.wide),
        )
        if swing.shape[0]:
            plan.call(run_line_up, swing, room.swing, rows, start, tick, state[LAST])
            swing = room.swing
        work(room.audio, swing, state[OWN:])
        plan.call(
            run_down,
            *(room.audio, audio, rows, start, tick, state[WAY_DOWN], self._halves),
            *(room.who, room.alive, room.here, room.narrow),
        )
