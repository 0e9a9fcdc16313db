"""Voices: which note sounds in which row, and which one is stolen when there are too many."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from felt_dial.sound.kernel import ROWS

ON, OFF, BEND, WHEEL, PANIC = range(5)


class Event(NamedTuple):
    """Something the player did, at a frame of the block or of the render.

    `kind` is ON (key, velocity 0–1), OFF (key), BEND (value −1…1), WHEEL (value 0…1) or PANIC.
    """

    frame: int
    kind: int
    key: float = 0.0
    value: float = 0.0


class Voices:
    """Rows for notes. Arrays are indexed by row; `start`, `release` and `fade` are ticks of this block."""

    def __init__(self) -> None:
        self.key = np.zeros(ROWS, np.float32)
        self.velocity = np.zeros(ROWS, np.float32)
        self.sounding = np.zeros(ROWS, np.bool_)
        self.held = np.zeros(ROWS, np.bool_)
        self.stolen = np.zeros(ROWS, np.bool_)
        self.number = np.zeros(ROWS, np.int64)
        self.peak = np.zeros(ROWS, np.float32)
        self.start = np.full(ROWS, -1, np.int32)
        self.release = np.full(ROWS, -1, np.int32)
        self.fade = np.full(ROWS, -1, np.int32)
        self.finished = np.zeros(ROWS, np.bool_)
        self.active = np.zeros(0, np.int32)
        self.newest = -1
        self.count = 0
        self.stirred = False

    def begin_block(self) -> None:
        """Forgets the ticks of the last block and frees the rows that finished in it.

        `stirred` says that there is something to forget: most blocks have nothing.
        """
        if not self.stirred:
            return
        self.sounding &= ~self.finished
        self.held &= self.sounding
        self.stolen &= self.sounding
        self.finished[:] = False
        for ticks in (self.start, self.release, self.fade):
            ticks.fill(-1)

    def started(self) -> bool:
        """True where a tick of this block is noted, to be forgotten in the next."""
        return bool((self.start >= 0).any() or (self.release >= 0).any() or (self.fade >= 0).any())

    def settle(self) -> None:
        """Lists the rows that sound, after the events of a block."""
        if not self.stirred:
            return
        self.active = np.flatnonzero(self.sounding).astype(np.int32)
        if self.newest >= 0 and not self.sounding[self.newest]:
            rows = np.flatnonzero(self.sounding & ~self.stolen)
            self.newest = int(rows[np.argmax(self.number[rows])]) if len(rows) else -1

    def note_on(self, key: float, velocity: float, tick: int, limit: int) -> int:
        """Begins a note and returns its row, stealing others beyond `limit`."""
        self.stirred = True
        while np.count_nonzero(self.sounding & ~self.stolen) >= limit:
            self._steal(tick)
        free = np.flatnonzero(~self.sounding)
        row = int(free[0]) if len(free) else int(np.flatnonzero(self.stolen)[0])
        self.count += 1
        self.key[row], self.velocity[row], self.number[row] = key, velocity, self.count
        self.sounding[row] = self.held[row] = True
        self.stolen[row] = self.finished[row] = False
        self.peak[row] = 1.0
        self.start[row], self.release[row], self.fade[row] = tick, -1, -1
        self.newest = row
        return row

    def _steal(self, tick: int) -> None:
        """Fades the quietest released note, or the oldest held one where none is released."""
        candidates = self.sounding & ~self.stolen
        released = np.flatnonzero(candidates & ~self.held)
        if len(released):
            row = released[np.argmin(self.peak[released])]
        else:
            rows = np.flatnonzero(candidates)
            row = rows[np.argmin(self.number[rows])]
        self.stolen[row] = True
        self.held[row] = False
        self.fade[row] = max(tick, self.start[row])

    def note_off(self, key: float, tick: int) -> None:
        """Lets go of every held note of a key."""
        self.stirred = True
        for row in np.flatnonzero(self.held & (self.key == np.float32(key))):
            self.held[row] = False
            self.release[row] = max(tick, self.start[row])

    def let_go(self, tick: int) -> None:
        """Lets go of every held note."""
        for row in np.flatnonzero(self.held):
            self.note_off(float(self.key[row]), tick)

    def held_notes(self) -> list[tuple[float, float]]:
        """Key and velocity of every held note, oldest first."""
        rows = np.flatnonzero(self.held)
        return [(float(self.key[r]), float(self.velocity[r])) for r in rows[np.argsort(self.number[rows])]]

    def copy_from(self, other: Voices) -> None:
        """Takes over another table of notes as it stands between two blocks."""
        for name, array in vars(other).items():
            setattr(self, name, array.copy() if isinstance(array, np.ndarray) else array)
