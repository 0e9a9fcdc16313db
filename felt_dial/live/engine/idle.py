"""Sleep: when nothing sounds and nothing is asked for, blocks are not computed."""

from __future__ import annotations

import threading
from time import perf_counter

from felt_dial.live.link.shared_memory import Shared
from felt_dial.sound.engine.program import Program

INAUDIBLE = 1e-6
"""Largest sample (−120 dBFS) of a block in which nothing sounds any more."""
FALLS_ASLEEP = 4.0
"""Seconds without a sound after which blocks are not computed: by then scope and meters have run out too."""
RESTS = 0.05
"""Seconds after which an engine that rests looks whether a dial was turned."""


class IdleState:
    """Counts still blocks, and notices what wakes: events, another value of a dial, another patch.

    What runs for the whole patch, such as a free LFO, keeps it awake: its picture moves.
    """

    def __init__(self, rate: float, frames: int) -> None:
        self._needed = round(FALLS_ASLEEP * rate / frames)
        self._still = 0
        self._trim = 0.0

    def __bool__(self) -> bool:
        return self._still >= self._needed

    def wake(self) -> None:
        """Something was asked for."""
        self._still = 0

    def goes_on(self, program: Program, trim: float) -> bool:
        """Whether the next block need not be computed either; another value wakes."""
        if self and (trim != self._trim or program.asked()):
            self._still = 0
        return bool(self)

    def after(self, program: Program, trim: float, busy: bool) -> None:
        """A block was computed; `busy` says that something sounded or was asked for besides the notes."""
        sounds = len(program.voices.active) or max(program.report.left, program.report.right) > INAUDIBLE
        if busy or sounds or any(modulator.shared() for modulator in program.patch.modulators.values()):
            self._still = 0
            return
        self._still, self._trim = self._still + 1, trim


class IdleTimer:
    """Lets the thread that makes sound wait while it sleeps, where the output need not be fed: to be woken 188 times a second
    costs more than what there is to do.

    A note or a message ends it at once (`stir`); a dial that is turned has nothing to sound on, and is seen a little later.
    """

    def __init__(self, shared: Shared) -> None:
        self._shared, self._stirred = shared, threading.Event()

    def stir(self) -> None:
        """Something came; from any thread."""
        self._stirred.set()

    def wait(self) -> float:
        """Waits until something comes, at most `RESTS`; gives the seconds that went by."""
        begin = perf_counter()
        self._shared.data["resting"] = 1  # from here on a note is told of
        if not self._shared.waiting():
            self._stirred.wait(RESTS)
        self._shared.data["resting"] = 0
        self._stirred.clear()
        return perf_counter() - begin
