"""The memory that the window and the engine share: values there, meters back, no message per move.

One writer for every field. Aligned eight-byte stores are whole, and a reader that sees a value a block late shows or plays it
a block late; nothing here needs a lock. That what is written first is also seen first, as the ring of events asks, holds on
x86-64; a processor that orders stores otherwise would need a barrier before the count of the ring is raised.
"""

from __future__ import annotations

import mmap
import os
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.playing.events import PANIC, Event

MOST_SLOTS = 8192
MOST_NUMBERS = 65536
"""Values of a patch: those of its parameters, and behind them its drawings. The largest patch that the model allows fits."""
BANKS = 64
"""Rooms for the values of as many generations of a patch: one is read by the engine while the next are written. What was
given to a later generation is read no more, so that its layout is never taken for an old one."""
RING = 1024
SCOPE = 16384
MOST_MOVERS = 96
NOTHING_MOVES = -2.0
"""Value of a mover while no note sounds."""
MOST_PLACED = 64

NOTE = np.dtype([("kind", "i4"), ("key", "f4"), ("value", "f4"), ("channel", "f4")])
LAYOUT = np.dtype(
    [
        ("values", "f8", (BANKS, MOST_NUMBERS)),
        ("given", "i8", (BANKS,)),
        ("trim", "f8"),
        ("ring_written", "i8"),
        ("ring", NOTE, (RING,)),
        ("resting", "i8"),
        ("generation", "i8"),
        ("blocks", "i8"),
        ("late", "i8"),
        ("worst_late", "f8"),
        ("load", "f8"),
        ("voices", "i8"),
        ("peaks", "f4", (2,)),
        ("layer_peaks", "f4", (8,)),
        ("places", "f4", (8,)),
        ("short", "f4", (8,)),
        ("grains", "i8"),
        ("momentary", "f8"),
        ("short_term", "f8"),
        ("beads", "f4", (MOST_SLOTS,)),
        ("movers", "f4", (MOST_MOVERS, 4)),
        ("costs", "f4", (MOST_PLACED,)),
        ("steps", "f4", (MOST_PLACED, 2)),
        ("readings", "f4", (MOST_PLACED,)),
        ("bus_peaks", "f4", (3,)),
        ("rack_peaks", "f4", (2, 2)),
        ("integrated", "f8"),
        ("held", "f8"),
        ("quality", "i8"),
        ("tap", "f4", (4, SCOPE)),
        ("keys", "u1", (128,)),
        ("playing", "i8"),
        ("position", "f8"),
        ("clock", "f8"),
        ("pattern_step", "i8"),
        ("scope_written", "i8"),
        ("scope", "f4", (2, SCOPE)),
    ]
)


class Shared:
    """Anonymous shared memory, laid out as `LAYOUT`; it vanishes with the last process that has it."""

    def __init__(self, handle: int | None = None, fresh: bool = False) -> None:
        self.handle = os.memfd_create("felt-dial") if handle is None else handle
        fresh = fresh or handle is None
        if fresh:
            os.ftruncate(self.handle, LAYOUT.itemsize)
        self._map = mmap.mmap(self.handle, LAYOUT.itemsize)
        self.data = np.frombuffer(self._map, LAYOUT, count=1)[0]
        self._read = 0
        if fresh:
            self.data["movers"][:, 3] = NOTHING_MOVES
            for loudness in ("momentary", "short_term", "integrated"):
                self.data[loudness] = -np.inf

    def field(self, name: str) -> NDArray[Any]:
        """A field by itself, as an array that is written without looking it up; (1,) for one number."""
        found: NDArray[Any] = np.frombuffer(self._map, LAYOUT, count=1)[name]
        return found[0] if found.ndim > 1 else found

    def values(self, generation: int) -> NDArray[np.float64]:
        """The room for the values of a generation."""
        found: NDArray[np.float64] = self.data["values"][generation % BANKS]
        return found

    def give(self, generation: int) -> NDArray[np.float64]:
        """Window: takes a room for a generation from the one that had it."""
        self.data["given"][generation % BANKS] = generation
        return self.values(generation)

    def holds(self, generation: int) -> bool:
        """Engine: whether what was just read of a generation was its own still."""
        return int(self.data["given"][generation % BANKS]) == generation

    def send(self, event: Event) -> None:
        """Window: puts a note into the ring."""
        written = int(self.data["ring_written"])
        self.data["ring"][written % RING] = (event.kind, event.key, event.value, event.channel)
        self.data["ring_written"] = written + 1

    def waiting(self) -> bool:
        """Engine: whether there are notes that were not read yet."""
        return int(self.data["ring_written"]) > self._read

    def read_from(self, count: int) -> None:
        """Engine: so many notes of the ring were for another."""
        self._read = count

    def received(self) -> list[Event]:
        """Engine: what came since the last call, as events at the block's first frame.

        Where more came than there is room for, what is lost may have held a key going up, or a word to be silent: then
        everything is silenced first, since a note that hangs is worse than one that is not heard.
        """
        written = int(self.data["ring_written"])
        found = []
        if written - RING > self._read:
            self._read = written - RING
            found.append(Event(0, PANIC))
        while self._read < written:
            note = self.data["ring"][self._read % RING]
            found.append(Event(0, int(note["kind"]), float(note["key"]), float(note["value"]), int(note["channel"])))
            self._read += 1
        return found
