"""The wire between the window and the engine: whoever says something never waits for the other to hear it."""

from __future__ import annotations

import threading
from multiprocessing.connection import Connection
from queue import SimpleQueue

MOST_WAITING = 20_000
"""Messages that wait to be sent; a process that hears nothing for longer than that takes is not coming back."""


class AsyncPipe:
    """One end of a pipe. What is said waits in a line, and a thread of its own sends it.

    A pipe holds a few hundred messages. Without the line, turning a knob would stop the sound as soon as the window has
    been busy for two seconds, and a window would stand still with an engine that does.

    Attributes
    ----------
    gone : bool
        Whether the other end was not there any more when something was sent.
    """

    def __init__(self, pipe: Connection) -> None:
        self._pipe = pipe
        self._line: SimpleQueue[object] = SimpleQueue()
        self._lock = threading.Lock()
        self._sends: threading.Thread | None = None
        self.gone = False

    def tell(self, message: object) -> None:
        """Sends a message, which nobody may change from now on; one to an end that is gone is lost."""
        if self._sends is None:
            self._begin()
        if not self.gone and self._line.qsize() < MOST_WAITING:
            self._line.put(message)

    def _begin(self) -> None:
        """The thread that sends, one for all that speak."""
        with self._lock:
            if self._sends is None:
                self._sends = threading.Thread(target=_send, args=(self,), daemon=True)
                self._sends.start()

    def close(self, seconds: float = 1.0) -> None:
        """Nothing more will be said; waits so long until all that was is sent."""
        if self._sends is not None:
            self._line.put(_send)
            self._sends.join(seconds)

    def poll(self) -> bool:
        """Whether something came, or the other end is gone."""
        return self._pipe.poll()

    def recv(self) -> object:
        """The next message; waits for it, and raises EOFError or OSError where the other end is gone."""
        return self._pipe.recv()


def _send(wire: AsyncPipe) -> None:
    while (message := wire._line.get()) is not _send:
        try:
            wire._pipe.send(message)
        except OSError:
            wire.gone = True
            return
