"""Measuring in the background: worker processes render while the window works and the sound plays."""

from __future__ import annotations

import contextlib
import os
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path

from felt_dial.bank.library.previews import preview_path
from felt_dial.bank.measuring.measurement import Measurement
from felt_dial.errors import FeltDialError
from felt_dial.sound.matter import assets

MOST_DEATHS = 3
"""So often a worker is started again; then nothing is measured for a while."""
REST = 30.0
"""Seconds of that while."""
WORKERS = max((os.cpu_count() or 1) // 2, 1)
"""Half of the cores at the most: the sound and the window need theirs."""


class Worker:
    """One process that measures one sound after the other."""

    def __init__(self) -> None:
        self.busy = ""
        ours, theirs = socket.socketpair()
        with theirs:
            command = [sys.executable, "-m", "felt_dial.bank.measuring.worker", str(theirs.fileno())]
            self._process = subprocess.Popen(
                command, pass_fds=(theirs.fileno(),), stdin=subprocess.DEVNULL, process_group=0
            )
        self.pipe = Connection(ours.detach())

    def close(self) -> None:
        """Ends it."""
        self._process.kill()
        self._process.wait()
        self.pipe.close()


class Measuring:
    """A queue of patches to be measured by processes that start when first needed.

    Attributes
    ----------
    quality : int
        At which quality is rendered.
    previews : Path or None
        The folder where what was rendered is kept to be listened to; None keeps nothing.
    deaths : int
        Times that a worker ended by itself without anything having been measured since.
    """

    def __init__(self, quality: int = 1, previews: Path | None = None, workers: int | None = None) -> None:
        self.quality, self.previews = quality, previews
        self._most = WORKERS if workers is None else workers
        self.waiting: list[tuple[bool, str, Callable[[], str]]] = []
        """Whether it goes before everything else, its key, and what reads its document."""
        self.total, self.deaths = 0, 0
        self._died = 0.0
        self._workers: list[Worker] = []

    def ask(self, key: str, text: Callable[[], str], first: bool = False) -> None:
        """Puts a patch into the queue, once. `text` reads its document when its turn comes; where it raises, there is nothing
        to be measured any more."""
        if self.deaths >= MOST_DEATHS and time.monotonic() - self._died > REST:
            self.deaths = 0
        if self.asked(key) or self.deaths >= MOST_DEATHS:
            return
        self.waiting.insert(0 if first else len(self.waiting), (first, key, text))
        self.total += 1
        self._feed()

    def prefer(self, keys: set[str]) -> None:
        """Brings those that are looked at now to the front, in the order in which they were asked for."""
        self.waiting.sort(key=lambda one: (not one[0], one[1] not in keys))

    def asked(self, key: str) -> bool:
        """True while a sound is waited for."""
        return any(key == worker.busy for worker in self._workers) or any(
            key == waiting for _, waiting, _ in self.waiting
        )

    def cancel(self) -> None:
        """Empties the queue; what is being measured ends by itself."""
        self.waiting.clear()
        self.total = self.left

    @property
    def left(self) -> int:
        """How many are still to come."""
        return len(self.waiting) + sum(bool(worker.busy) for worker in self._workers)

    def poll(self) -> list[tuple[str, Measurement | None]]:
        """What was measured since the last call; None where it could not be."""
        found: list[tuple[str, Measurement | None]] = []
        for worker in list(self._workers):
            try:
                while worker.pipe.poll():
                    found.append(worker.pipe.recv())
                    worker.busy, self.deaths = "", 0
            except (EOFError, OSError):
                if worker.busy:
                    found.append((worker.busy, None))
                self._workers.remove(worker)
                worker.close()
                self.deaths += 1
                self._died = time.monotonic()
                if self.deaths >= MOST_DEATHS:
                    self.waiting.clear()
        self._feed()
        if not self.left:
            self.total = 0
        return found

    def _feed(self) -> None:
        while self.waiting:
            worker = next((one for one in self._workers if not one.busy), None)
            if worker is None:
                if len(self._workers) >= self._most:
                    return
                worker = Worker()
                self._workers.append(worker)
            _, key, text = self.waiting.pop(0)
            try:
                document = text()
            except FeltDialError:  # its file is gone meanwhile; it is asked for again where it comes back
                continue
            worker.busy = key
            preview = preview_path(self.previews, key) if self.previews is not None else None
            with contextlib.suppress(OSError):  # a worker that has died already is found by the next poll
                worker.pipe.send((key, document, assets.searched(), self.quality, preview))

    def close(self) -> None:
        """Ends the workers."""
        for worker in self._workers:
            worker.close()
        self._workers.clear()
