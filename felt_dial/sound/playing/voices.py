"""Voices: what a player does, and which note sounds in which row."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.parts import LAYER_IDS
from felt_dial.sound.sizes import ROWS

MOST_ROWS = 48
"""Rows that notes may fill; the others are for those that fade because they were stolen."""
WAS, NOW, SENT = range(3)


class Voices:
    """Rows for notes: a note fills one row for every moment at which layers of it begin.

    Arrays are indexed by row. `start`, `release`, `fade` and `turn` are ticks of this block, −1
    where nothing happens; `begin` holds `start` and the number of the note for the sources.

    Attributes
    ----------
    pitch, goal, before, pace : float64 (row,)
        Semitones (69 is A4): where the note is, where it glides to, where it glided to before
        `turn`, and how far it goes in a tick.
    bend : float64 (row,)
        Semitones by which the note alone is bent, as asked for.
    part : int32 (row,)
        Which of its note's strikes the row is.
    velocity, pressure, slide, lifted : float32 (row,)
        What the finger on the note does, 0 to 1; `lifted` is how fast it left. They are the rows of `touches`.
    after : int32 (row,)
        The row of the note that this one follows in the mono modes, −1 for none.
    fresh, last_up : int
        Ticks of this block at which a key went down while none was held, and the last one came up; −1 for neither.
    weights : float32 (3, layer, row)
        How much of each layer the note has: before this block, after it, and towards the layers it
        modulates.
    """

    def __init__(self) -> None:
        self.key = np.zeros(ROWS, np.float32)
        self.touches = np.zeros((4, ROWS), np.float32)
        self.velocity, self.pressure, self.slide, self.lifted = self.touches
        self.bend = np.zeros(ROWS)
        self.pitch, self.goal, self.before = np.zeros(ROWS), np.zeros(ROWS), np.zeros(ROWS)
        self.pace = np.zeros(ROWS)
        self.weights = np.zeros((3, len(LAYER_IDS), ROWS), np.float32)
        self.sounding = np.zeros(ROWS, np.bool_)
        self.held = np.zeros(ROWS, np.bool_)
        self.through = np.zeros(ROWS, np.bool_)
        self.once = np.zeros(ROWS, np.bool_)
        self.stolen = np.zeros(ROWS, np.bool_)
        self.number = np.zeros(ROWS, np.int64)
        self.part = np.zeros(ROWS, np.int32)
        self.after = np.full(ROWS, -1, np.int32)
        self.channel = np.zeros(ROWS, np.int32)
        self.peak = np.zeros(ROWS, np.float32)
        self.begin = np.full((2, ROWS), -1, np.int32)
        self.release = np.full(ROWS, -1, np.int32)
        self.fade = np.full(ROWS, -1, np.int32)
        self.turn = np.full(ROWS, -1, np.int32)
        self.finished = np.zeros(ROWS, np.bool_)
        self.active = np.zeros(0, np.int32)
        self.newest = self.fresh = self.last_up = -1
        self.stirred = False

    @property
    def start(self) -> NDArray[np.int32]:
        """Tick of this block at which each row begins, or −1."""
        found: NDArray[np.int32] = self.begin[0]
        return found

    def begin_block(self) -> None:
        """Forgets the ticks of the last block and frees the rows that finished in it.

        `stirred` says that there is something to forget: most blocks have nothing.
        """
        self.fresh = self.last_up = -1
        if not self.stirred:
            return
        self.sounding &= ~self.finished
        self.held &= self.sounding
        self.stolen &= self.sounding
        self.finished[:] = False
        self.weights[WAS] = self.weights[NOW]
        self.before[:] = self.goal
        for ticks in (self.begin[0], self.release, self.fade, self.turn):
            ticks.fill(-1)

    def started(self) -> bool:
        """True where a tick of this block is noted, to be forgotten in the next."""
        return any(bool((ticks >= 0).any()) for ticks in (self.begin[0], self.release, self.fade, self.turn))

    def settle(self) -> None:
        """Lists the rows that sound, after the events of a block."""
        if not self.stirred:
            return
        self.active = np.flatnonzero(self.sounding).astype(np.int32)
        if self.newest >= 0 and not self.sounding[self.newest]:
            rows = np.flatnonzero(self.sounding & ~self.stolen)
            self.newest = int(rows[np.argmax(self.number[rows])]) if len(rows) else -1

    def rows_of(self, number: int) -> NDArray[np.int64]:
        """Rows in which a note sounds and is not being taken away."""
        return np.flatnonzero((self.number == number) & self.sounding & ~self.stolen)

    def strike(self, number: int, key: float, velocity: float, tick: int) -> int:
        """Begins a row of a note at a tick and returns it; the caller fills in the rest."""
        self.stirred = True
        free = np.flatnonzero(~self.sounding)
        if len(free):
            row = int(free[0])
        else:
            taken = np.flatnonzero(self.stolen)
            row = int(taken[0]) if len(taken) else int(np.argmin(self.number))
        self.key[row], self.velocity[row], self.number[row] = key, velocity, number
        self.begin[:, row] = tick, number & 0x7FFFFFFF
        self.sounding[row] = self.held[row] = True
        self.stolen[row] = self.finished[row] = self.through[row] = self.once[row] = False
        self.weights[:, :, row] = 0.0
        self.peak[row], self.lifted[row], self.after[row] = 1.0, 0.0, -1
        self.release[row] = self.fade[row] = self.turn[row] = -1
        self.newest = row
        return row

    def make_room(self, tick: int, limit: int, rows: int) -> None:
        """Steals notes until one more fits that fills some `rows`."""
        while True:
            live = self.sounding & ~self.stolen
            count = int(np.count_nonzero(live))
            if not count or (len(set(self.number[live].tolist())) < limit and count + rows <= MOST_ROWS):
                return
            self._steal(live, tick)

    def _steal(self, live: NDArray[np.bool_], tick: int) -> None:
        """Fades the quietest released note, or the oldest held one where none is released."""
        held = set(self.number[live & self.held].tolist())
        released = {
            n: float(self.peak[live & (self.number == n)].max()) for n in set(self.number[live].tolist()) - held
        }
        self.take_away(min(released, key=lambda n: (released[n], n)) if released else min(held), tick)

    def take_away(self, number: int, tick: int) -> None:
        """Fades every row of a note from a tick on."""
        self.stirred = True
        for row in self.rows_of(number):
            self.stolen[row], self.held[row] = True, False
            self.fade[row] = max(tick, self.begin[0, row])

    def let_go(self, row: int, tick: int, velocity: float = 0.0) -> None:
        """Begins the release of a row; one that plays through or once goes on by itself."""
        self.stirred = True
        self.held[row], self.lifted[row] = False, velocity
        if not self.once[row]:
            self.release[row] = max(tick, self.begin[0, row])

    def copy_from(self, other: Voices) -> None:
        """Takes over another table of notes as it stands between two blocks."""
        for name, theirs in vars(other).items():
            mine = getattr(self, name)
            if isinstance(theirs, np.ndarray) and mine.shape == theirs.shape:
                mine[...] = theirs
            else:
                setattr(self, name, theirs.copy() if isinstance(theirs, np.ndarray) else theirs)
