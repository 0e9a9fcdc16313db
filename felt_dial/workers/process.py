"""One process that does what it is asked, one piece of work after the other."""

from __future__ import annotations

import contextlib
import importlib
import inspect
import os
import socket
import subprocess
import sys
import time
import traceback
from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any

from felt_dial.errors import FeltDialError, cut
from felt_dial.sound.matter import assets

Work = Callable[..., Any] | str
"""A function of a module, or `module:function` for one that who asks may not import."""
PART, DONE, WRONG = "part", "done", "wrong"
"""What a process tells: how far it is, what came of it, why nothing did."""
KEEPS_MEMORY = {"MALLOC_MMAP_THRESHOLD_": "33554432", "MALLOC_TRIM_THRESHOLD_": "1073741824"}
"""Arrays of up to 32 MB come from memory that is there already: what is taken from the system and given back for each of them
holds up the sound on a machine that gets its memory from another."""
LOOK_EVERY = 0.02
"""Seconds between two looks at how far it is."""


class HelperFailed(FeltDialError):
    """The process ended before its work was done."""


class WorkerProcess:
    """A process that is there until it is closed, or until who started it is gone.

    Attributes
    ----------
    pipe : Connection
        Gives (PART, share), (DONE, result) and (WRONG, `FeltDialError`); raises `EOFError` or `OSError` where the process
        ended by itself.
    """

    def __init__(self) -> None:
        ours, theirs = socket.socketpair()
        with theirs:
            command = [sys.executable, "-c", f"from felt_dial.workers.process import main; main({theirs.fileno()})"]
            self._process = subprocess.Popen(
                command,
                pass_fds=(theirs.fileno(),),
                stdin=subprocess.DEVNULL,
                env={**os.environ, **KEEPS_MEMORY},
                process_group=0,
            )
        self.pipe = Connection(ours.detach())

    @property
    def pid(self) -> int:
        """The number of the process."""
        return self._process.pid

    def ask(self, work: Work, args: tuple[Any, ...]) -> None:
        """Has a piece of work done; it, its arguments and what comes of it are sent from process to process.

        Raises
        ------
        OSError
            The process has ended.
        """
        self.pipe.send((work, args, assets.searched()))

    def close(self) -> None:
        """Ends it, whatever it does."""
        self._process.kill()
        self._process.wait()
        self.pipe.close()


def main(handle: int) -> None:
    """The process: does what is asked until the one that asks is gone."""
    with contextlib.suppress(OSError):
        os.nice(10)
    window = Connection(handle)
    told = [0.0]

    def watch(part: float) -> bool:
        if time.monotonic() - told[0] > LOOK_EVERY:
            told[0] = time.monotonic()
            window.send((PART, part))
        return True

    with contextlib.suppress(EOFError, OSError):
        while True:
            work, args, places = window.recv()
            assets.search_in(places)
            try:
                function = _found(work)
                watched = {"watch": watch} if "watch" in inspect.signature(function).parameters else {}
                window.send((DONE, function(*args, **watched)))
            except FeltDialError as wrong:
                window.send((WRONG, FeltDialError(str(wrong))))
            except (EOFError, OSError):
                raise
            except Exception as wrong:
                traceback.print_exc()
                window.send((WRONG, HelperFailed(f"That could not be done: {cut(wrong)}. Nothing was changed.")))


def _found(work: Work) -> Callable[..., Any]:
    if not isinstance(work, str):
        return work
    module, _, name = work.partition(":")
    found: Callable[..., Any] = getattr(importlib.import_module(module), name)
    return found
