"""Measuring in the background: a worker process renders while the window works and the sound plays."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
from multiprocessing.connection import Connection

from felt_dial.bank.measure import Measurement, measure
from felt_dial.errors import FeltDialError
from felt_dial.patch.document import read_patch, write_patch
from felt_dial.patch.patch import Patch
from felt_dial.sound import assets


class Measuring:
    """A queue of patches to be measured, one at a time, by a process that starts when first needed."""

    def __init__(self) -> None:
        self.waiting: list[tuple[str, Patch]] = []
        self.total = 0
        self._busy = ""
        self._pipe: Connection | None = None
        self._process: subprocess.Popen[bytes] | None = None

    def ask(self, key: str, patch: Patch, first: bool = False) -> None:
        """Puts a patch into the queue, once."""
        if key == self._busy or any(key == waiting for waiting, _ in self.waiting):
            return
        self.waiting.insert(0 if first else len(self.waiting), (key, patch))
        self.total += 1
        self._feed()

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
        found: list[tuple[str, Measurement | None]] = []
        try:
            while self._pipe is not None and self._pipe.poll():
                found.append(self._pipe.recv())
                self._busy = ""
        except (EOFError, OSError):
            found.append((self._busy, None))
            self._busy, self._pipe = "", None
        self._feed()
        if not self.left:
            self.total = 0
        return found

    def _feed(self) -> None:
        if self._busy or not self.waiting:
            return
        if self._pipe is None:
            self._start()
        key, patch = self.waiting.pop(0)
        self._busy = key
        assert self._pipe is not None
        self._pipe.send((key, write_patch(patch), assets.searched()))

    def _start(self) -> None:
        ours, theirs = socket.socketpair()
        with theirs:
            environment = {k: v for k, v in os.environ.items() if k != "FELT_DIAL_ROLE"}
            command = [sys.executable, "-m", "felt_dial.bank.measuring", str(theirs.fileno())]
            self._process = subprocess.Popen(
                command, pass_fds=(theirs.fileno(),), env=environment, stdin=subprocess.DEVNULL
            )
        self._pipe = Connection(ours.detach())

    def close(self) -> None:
        """Ends the worker."""
        if self._process is not None:
            self._process.kill()
            self._process.wait()
        self._process, self._pipe = None, None


def main(handle: int) -> None:
    """The worker: measures what it is sent until the window is gone."""
    os.nice(10)
    window = Connection(handle)
    try:
        while True:
            key, text, places = window.recv()
            assets.search_in(places)
            try:
                window.send((key, measure(read_patch(text, "A preset"))))
            except FeltDialError:
                window.send((key, None))
    except (EOFError, OSError):
        return


if __name__ == "__main__":
    import felt_dial.sound.modules  # noqa: F401

    main(int(sys.argv[1]))
