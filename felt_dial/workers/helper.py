"""A process that one waits for: one call after the other, with progress, and gone when it is stopped."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any, TypeVar

from felt_dial.errors import Stopped
from felt_dial.workers.process import LOOK_EVERY, PART, WRONG, HelperFailed, Work, WorkerProcess

T = TypeVar("T")
Watch = Callable[[float], bool]


class Helper:
    """Does what it is asked in a process of its own, which is started when it is first needed.

    From any thread; calls wait for each other.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self.process: WorkerProcess | None = None

    def call(self, work: Callable[..., T], *args: Any, watch: Watch | None = None) -> T:
        """What a function of a module gives; where it takes `watch` it is told how far it is.

        Raises
        ------
        Stopped
            `watch` gave False.
        FeltDialError
            What the function raises of it.
        HelperFailed
            All else.
        """
        found: T = self._ask(work, args, watch)
        return found

    def call_named(self, work: str, *args: Any, watch: Watch | None = None) -> Any:
        """The same for a function that the window may not import, named as `module:function`."""
        return self._ask(work, args, watch)

    def _ask(self, work: Work, args: tuple[Any, ...], watch: Watch | None) -> Any:
        with self._lock:
            process = self.process = self.process or WorkerProcess()
            try:
                process.ask(work, args)
                part = 0.0
                while True:
                    there = process.pipe.poll(LOOK_EVERY)
                    if watch is not None and not watch(part):
                        self.close()
                        raise Stopped("Stopped; nothing of it was kept.")
                    if not there:
                        continue
                    kind, what = process.pipe.recv()
                    if kind == PART:
                        part = what
                    elif kind == WRONG:
                        raise what
                    else:
                        return what
            except (EOFError, OSError):
                self.close()
                raise HelperFailed("The helper ended before it was done; nothing of it was kept. Try again.") from None

    def close(self) -> None:
        """Ends the process, whatever it does."""
        process, self.process = self.process, None
        if process is not None:
            process.close()
