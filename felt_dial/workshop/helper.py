"""A process that does long work beside the window: one call after the other, with progress, and gone when it is stopped."""

from __future__ import annotations

import contextlib
import importlib
import inspect
import os
import socket
import subprocess
import sys
import threading
import time
import traceback
from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any, TypeVar

from felt_dial.errors import FeltDialError, cut
from felt_dial.sound.matter import assets

T = TypeVar("T")
Watch = Callable[[float], bool]
KEEPS_MEMORY = {"MALLOC_MMAP_THRESHOLD_": "33554432", "MALLOC_TRIM_THRESHOLD_": "1073741824"}
"""Arrays of up to 32 MB come from memory that is there already: what is taken from the system and given back for each of them
holds up the sound on a machine that gets its memory from another."""
LOOK_EVERY = 0.02
"""Seconds between two looks at whether somebody wants it to stop."""


class Stopped(FeltDialError):
    """Work that somebody stopped; nothing of it is kept."""


class HelperFailed(FeltDialError):
    """The helper ended before its work was done."""


class Helper:
    """Does what it is asked in a process of its own, which is started when it is first needed.

    From any thread; calls wait for each other.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._pipe: Connection | None = None
        self._process: subprocess.Popen[bytes] | None = None

    def call(self, work: Callable[..., T], *args: Any, watch: Watch | None = None) -> T:
        """What a function of a module gives; it, its arguments and its result are sent from process to process.

        Where it takes `watch` it is told how far it is. Raises `Stopped` once `watch` gives False, what the function
        raises where that is a `FeltDialError`, and `HelperFailed` for all else.
        """
        found: T = self._ask(work, args, watch)
        return found

    def call_named(self, work: str, *args: Any, watch: Watch | None = None) -> Any:
        """The same for a function that the window may not import, named as `module:function`."""
        return self._ask(work, args, watch)

    def _ask(self, work: Callable[..., Any] | str, args: tuple[Any, ...], watch: Watch | None) -> Any:
        with self._lock:
            pipe = self._pipe or self._start()
            try:
                pipe.send((work, args, assets.searched()))
                part = 0.0
                while True:
                    there = pipe.poll(LOOK_EVERY)
                    if watch is not None and not watch(part):
                        self.close()
                        raise Stopped("Stopped; nothing of it was kept.")
                    if not there:
                        continue
                    kind, what = pipe.recv()
                    if kind == "part":
                        part = what
                    elif kind == "wrong":
                        raise what
                    else:
                        return what
            except (EOFError, OSError):
                self.close()
                raise HelperFailed("The helper ended before it was done; nothing of it was kept. Try again.") from None

    def _start(self) -> Connection:
        ours, theirs = socket.socketpair()
        with theirs:
            command = [sys.executable, "-c", f"from felt_dial.workshop.helper import main; main({theirs.fileno()})"]
            environment = {**os.environ, **KEEPS_MEMORY}
            self._process = subprocess.Popen(
                command, pass_fds=(theirs.fileno(),), stdin=subprocess.DEVNULL, env=environment, process_group=0
            )
        self._pipe = Connection(ours.detach())
        return self._pipe

    def close(self) -> None:
        """Ends the process, whatever it does."""
        process, pipe = self._process, self._pipe
        self._process = self._pipe = None
        if process is not None:
            process.kill()
            process.wait()
        if pipe is not None:
            pipe.close()


def main(handle: int) -> None:
    """Does what is asked, until the window is gone."""
    with contextlib.suppress(OSError):
        os.nice(10)
    window = Connection(handle)

    told = [0.0]

    def watch(part: float) -> bool:
        if time.monotonic() - told[0] > LOOK_EVERY:
            told[0] = time.monotonic()
            window.send(("part", part))
        return True

    with contextlib.suppress(EOFError, OSError):
        while True:
            work, args, places = window.recv()
            if isinstance(work, str):
                module, _, name = work.partition(":")
                work = getattr(importlib.import_module(module), name)
            assets.search_in(places)
            watched = {"watch": watch} if "watch" in inspect.signature(work).parameters else {}
            try:
                window.send(("done", work(*args, **watched)))
            except FeltDialError as wrong:
                window.send(("wrong", FeltDialError(str(wrong))))
            except (EOFError, OSError):
                raise
            except Exception as wrong:
                traceback.print_exc()
                window.send(("wrong", HelperFailed(f"That could not be done: {cut(wrong)}. Nothing was changed.")))
