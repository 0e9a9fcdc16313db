"""Bus voices: the buses of a program, where layers meet note by note."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.engine.layer_voice import Sending, Swing
from felt_dial.sound.engine.output_stage import SPILL
from felt_dial.sound.engine.tone_chain import Tone
from felt_dial.sound.playing.voices import Voices
from felt_dial.sound.sizes import ROWS

RINGS = 0.4
"""Seconds for which a bus may ring on when the last layer of a note has ended; it fades over that time."""
SILENT = 1e-5


class BusVoice:
    """A bus: the voices that layers put into it, and what it makes of them.

    `over_time` (row, tick + 1) is its level from 0 to 1, `rest` (2, row) how much of each voice is left before and after
    the block: less than 1 only while it rings on.
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
        self.over_time = over_time
        self.swing: Swing | None = None
        self.also: list[Sending] = []
        self.audio = np.zeros((ROWS, 2, frames), np.float32)
        self.inlet = np.zeros((ROWS, 2, frames + SPILL), np.float32)
        self.touched = np.zeros(ROWS, np.bool_)
        self.loud = np.zeros(ROWS, np.float32)
        self.rest = np.ones((2, ROWS), np.float32)
        self.held = np.zeros(ROWS, np.bool_)
        self.rows = np.zeros(0, np.int32)
        self.goes = 0
        self.peak = 0.0
        self.used = False

    def begin_block(self) -> None:
        """Empties what was put in, but for what comes later."""
        if len(self.rows):
            self.inlet[self.rows, :, :SPILL] = self.inlet[self.rows, :, -SPILL:]
            self.inlet[self.rows, :, SPILL:] = 0.0
            self.touched.fill(False)
        self.used = False
        self.peak = 0.0

    def take(self, rows: NDArray[np.int32]) -> NDArray[np.float32]:
        """Where a layer or another bus adds its voices, up to `SPILL` frames late."""
        self.touched[rows] = True
        self.used = True
        return self.inlet

    def settle(self, voices: Voices, seconds: float) -> None:
        """Lists the voices that sound in it, those that ring on among them, and how much of each is left."""
        ringing = voices.sounding & (self.loud > SILENT)
        self.inlet[self.rows[~(self.touched | ringing)[self.rows]]] = 0.0
        self.rows = np.flatnonzero(self.touched | ringing).astype(np.int32)
        self.audio[self.rows] = self.inlet[self.rows, :, : self.audio.shape[2]]
        if not len(self.rows):
            self.held.fill(False)
            return
        self.rest[0] = self.rest[1]
        fresh = voices.start >= 0
        self.rest[:, fresh] = 1.0
        over = self.held & ~fresh
        self.rest[1, over] = np.maximum(self.rest[1, over] - seconds / RINGS, 0.0)
        self.loud.fill(0.0)

    def keep_ringing(self, voices: Voices) -> None:
        """Lets voices go on that have ended but still sound in this bus."""
        self.held = voices.finished & (self.loud > SILENT) & (self.rest[1] > 0.0)
        voices.finished &= ~self.held
