"""A queue of work for some processes: each piece once, by its key, those that are waited for first."""

from __future__ import annotations

import contextlib
import os
import time
from collections.abc import Callable, Iterator
from typing import Any, Generic, NamedTuple, TypeVar

from felt_dial.errors import FeltDialError
from felt_dial.workers.process import DONE, PART, Work, WorkerProcess

MOST_DEATHS = 3
"""So often a process is started again; then nothing is done for a while."""
REST = 30.0
"""Seconds of that while."""
WORKERS = max((os.cpu_count() or 1) // 2, 1)
"""Half of the cores at the most: the sound and the window need theirs."""
T = TypeVar("T")


class Waiting(NamedTuple):
    """A piece of work that is still to be done: whether it goes before everything else, its key, and what makes it.

    `made` gives the arguments when its turn comes; where it raises `FeltDialError`, there is nothing to be done any more.
    """

    first: bool
    key: str
    made: Callable[[], tuple[Any, ...]]


class _Busy:
    """A process, the key of what it does, and how far that is."""

    def __init__(self) -> None:
        self.process, self.key, self.part = WorkerProcess(), "", 0.0


class WorkQueue(Generic[T]):
    """Has one kind of work done by processes that start when first needed.

    Attributes
    ----------
    waiting : list of Waiting
    total : int
        Pieces asked for since nothing was left to do.
    deaths : int
        Times that a process ended by itself without anything having been done since.
    """

    def __init__(self, work: Work, workers: int | None = None) -> None:
        self._work, self._most = work, workers
        self.waiting: list[Waiting] = []
        self.total, self.deaths = 0, 0
        self._died = 0.0
        self._workers: list[_Busy] = []

    def ask(self, key: str, made: Callable[[], tuple[Any, ...]], first: bool = False) -> None:
        """Puts a piece into the queue, once."""
        if self.deaths >= MOST_DEATHS and time.monotonic() - self._died > REST:
            self.deaths = 0
        if self.asked(key) or self.deaths >= MOST_DEATHS:
            return
        self.waiting.insert(0 if first else len(self.waiting), Waiting(first, key, made))
        self.total += 1
        self._feed()

    def prefer(self, keys: set[str]) -> None:
        """Brings those that are looked at now to the front, in the order in which they were asked for."""
        self.waiting.sort(key=lambda one: (not one.first, one.key not in keys))

    def asked(self, key: str) -> bool:
        """True while a piece is waited for."""
        return any(key == worker.key for worker in self._workers) or any(key == one.key for one in self.waiting)

    def cancel(self) -> None:
        """Empties the queue; what is being done ends by itself."""
        self.waiting.clear()
        self.total = self.left

    @property
    def left(self) -> int:
        """How many are still to come."""
        return len(self.waiting) + sum(bool(worker.key) for worker in self._workers)

    @property
    def share(self) -> float:
        """How much of all is done, 0 to 1."""
        begun = sum(worker.part for worker in self._workers if worker.key)
        return (self.total - self.left + begun) / self.total if self.total else 1.0

    def poll(self) -> list[tuple[str, T | None]]:
        """What was done since the last call; None where it could not be."""
        found: list[tuple[str, T | None]] = []
        for worker in list(self._workers):
            try:
                found += self._told(worker)
            except (EOFError, OSError):
                if worker.key:
                    found.append((worker.key, None))
                self._workers.remove(worker)
                worker.process.close()
                self.deaths += 1
                self._died = time.monotonic()
                if self.deaths >= MOST_DEATHS:
                    self.waiting.clear()
        self._feed()
        if not self.left:
            self.total = 0
        return found

    def _told(self, worker: _Busy) -> Iterator[tuple[str, T | None]]:
        while worker.process.pipe.poll():
            kind, what = worker.process.pipe.recv()
            if kind == PART:
                worker.part = what
                continue
            key, worker.key, worker.part, self.deaths = worker.key, "", 0.0, 0
            yield key, what if kind == DONE else None

    def _feed(self) -> None:
        while self.waiting:
            worker = next((one for one in self._workers if not one.key), None)
            if worker is None:
                if len(self._workers) >= (WORKERS if self._most is None else self._most):
                    return
                worker = _Busy()
                self._workers.append(worker)
            one = self.waiting.pop(0)
            try:
                args = one.made()
            except FeltDialError:  # its file is gone meanwhile; it is asked for again where it comes back
                continue
            worker.key = one.key
            with contextlib.suppress(OSError):  # a process that has died already is found by the next poll
                worker.process.ask(self._work, args)

    def close(self) -> None:
        """Ends the processes."""
        for worker in self._workers:
            worker.process.close()
        self._workers.clear()
