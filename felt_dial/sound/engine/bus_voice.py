"""Bus voices: the buses of a program, where layers meet note by note."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.parts import Bus
from felt_dial.sound.compiling.plan import Listed
from felt_dial.sound.engine.layer_voice import Sending, Swing
from felt_dial.sound.engine.output_stage import SPILL
from felt_dial.sound.engine.parts import Part
from felt_dial.sound.engine.tone_chain import Tone
from felt_dial.sound.sizes import ROWS

LEVEL, PAN = Bus.rows_of("level", "pan")
RINGS = 0.4
"""Seconds for which a bus may ring on when the last layer of a note has ended; it fades over that time."""


class BusVoice:
    """A bus: the voices that layers put into it, and what it makes of them.

    `over_time` (row, tick + 1) is its level from 0 to 1, `rest` (2, row) how much of each voice is left before and after
    the block: less than 1 only while it rings on. `listed` are the voices that sound in it, `before` those of the block
    before. `feeds` bool (layer or bus,) says what goes into it.
    """

    def __init__(
        self,
        key: str,
        place: int,
        tone: Tone,
        control: NDArray[np.float32],
        out: int,
        goes: tuple[int, ...],
        frames: int,
        over_time: NDArray[np.float32],
    ) -> None:
        self.key, self.place, self.tone, self.control, self.out, self.places = key, place, tone, control, out, goes
        self.level, self.pan, self.over_time = control[LEVEL], control[PAN], over_time
        self.swing: Swing | None = None
        self.also: list[Sending] = []
        self.audio = np.zeros((ROWS, 2, frames), np.float32)
        self.inlet = np.zeros((ROWS, 2, frames + SPILL), np.float32)
        self.loud = np.zeros(ROWS, np.float32)
        self.rest = np.ones((2, ROWS), np.float32)
        self.left = self.rest[0], self.rest[1]
        self.held = np.zeros(ROWS, np.bool_)
        self.listed, self.before = Listed(ROWS), Listed(ROWS)
        self.went = self.goes = 0
        self.peaks = np.zeros(1)
        self.broken = np.zeros(1, np.int64)
        self.part = Part(*tone.steps, questions=2 + len(tone.answers))
        self.tone.answers = self.part.answers[2:]

    @property
    def rows(self) -> NDArray[np.int32]:
        """The voices that sound in it, int32 (row,)."""
        return self.listed.now

    @property
    def peak(self) -> float:
        """Its largest sample in the last block."""
        return float(self.peaks[0])
