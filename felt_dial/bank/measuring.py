"""Measuring in the background: a worker process renders while the window works and the sound plays."""

from __future__ import annotations

import contextlib
import socket
import subprocess
import sys
from collections.abc import Callable
from multiprocessing.connection import Connection

from felt_dial.bank.measurement import Measurement
from felt_dial.errors import FeltDialError
from felt_dial.sound.matter import assets

MOST_DEATHS = 3
"""So often the worker is started again; then nothing is measured any more."""


class Measuring:
    """A queue of patches to be measured, one at a time, by a process that starts when first needed."""

    def __init__(self) -> None:
        self.waiting: list[tuple[str, Callable[[], str]]] = []
        self.total = 0
        self.deaths = 0
        """Times that the worker ended by itself without having measured anything since."""
        self._busy = ""
        self._lost: list[str] = []
        self._pipe: Connection | None = None
        self._process: subprocess.Popen[bytes] | None = None

    def ask(self, key: str, text: Callable[[], str], first: bool = False) -> None:
        """Puts a patch into the queue, once; `text` reads its document when its turn comes, and may raise."""
        if self.asked(key) or self.deaths >= MOST_DEATHS:
            return
        self.waiting.insert(0 if first else len(self.waiting), (key, text))
        self.total += 1
        self._feed()

    def asked(self, key: str) -> bool:
        """True while a sound is waited for."""
        return key == self._busy or any(key == waiting for waiting, _ in self.waiting)

    def cancel(self) -> None:
        """Empties the queue; what is being measured ends by itself."""
        self.waiting.clear()
        self.total = 1 if self._busy else 0

    @property
    def left(self) -> int:
        """How many are still to come."""
        return len(self.waiting) + bool(self._busy)

    def poll(self) -> list[tuple[str, Measurement | None]]:
        """What was measured since the last call; None where it could not be."""
        found: list[tuple[str, Measurement | None]] = [(key, None) for key in self._lost]
        self._lost.clear()
        try:
            while self._pipe is not None and self._pipe.poll():
                found.append(self._pipe.recv())
                self._busy, self.deaths = "", 0
        except (EOFError, OSError):
            found.append((self._busy, None))
            self._busy, self._pipe = "", None
            self.deaths += 1
            if self.deaths >= MOST_DEATHS:
                self.waiting.clear()
        self._feed()
        if not self.left:
            self.total = 0
        return found

    def _feed(self) -> None:
        while not self._busy and self.waiting:
            key, text = self.waiting.pop(0)
            try:
                document = text()
            except FeltDialError:  # its file is gone meanwhile
                self._lost.append(key)
                continue
            if self._pipe is None:
                self._start()
            self._busy = key
            assert self._pipe is not None
            with contextlib.suppress(OSError):  # a worker that has died already is found by the next poll
                self._pipe.send((key, document, assets.searched()))

    def _start(self) -> None:
        ours, theirs = socket.socketpair()
        with theirs:
            command = [sys.executable, "-m", "felt_dial.bank.measure_worker", str(theirs.fileno())]
            self._process = subprocess.Popen(command, pass_fds=(theirs.fileno(),), stdin=subprocess.DEVNULL)
        self._pipe = Connection(ours.detach())

    def close(self) -> None:
        """Ends the worker."""
        if self._process is not None:
            self._process.kill()
            self._process.wait()
        self._process, self._pipe = None, None
