"""Real time: the thread that makes sound asks to go before all others, and its memory to stay where it is.

Neither is needed, and a system may allow neither; the settings say which of the two it has.
"""

from __future__ import annotations

import contextlib
import ctypes
import os
import resource
import threading

from felt_dial.live.link.messages import Scheduled

PRIORITY = 10
"""Before all that is not real time, and after whatever the system itself needs so."""
CURRENT, FUTURE, AS_USED = 1, 2, 4
"""Flags of `mlockall`: what is there, what will be, and that only once it is used."""


def go_first() -> bool:
    """Asks that the calling thread goes before all that is not real time; whether it does. Its children do not."""
    with contextlib.suppress(OSError):
        os.sched_setscheduler(0, os.SCHED_RR | os.SCHED_RESET_ON_FORK, os.sched_param(PRIORITY))
    return os.sched_getscheduler(0) & ~os.SCHED_RESET_ON_FORK in (os.SCHED_FIFO, os.SCHED_RR)


def stay_in_memory() -> bool:
    """Asks that no memory of this process is put aside; whether it is so.

    Only where the system sets no limit: with one, whatever comes after it would not be given at all.
    """
    if resource.getrlimit(resource.RLIMIT_MEMLOCK)[0] != resource.RLIM_INFINITY:
        return False
    return bool(ctypes.CDLL(None).mlockall(CURRENT | FUTURE | AS_USED) == 0)


class RealTime:
    """Asks once for every thread that makes sound, and gives what to tell of it."""

    def __init__(self) -> None:
        self._thread: int | None = None

    def asked(self) -> Scheduled | None:
        """What this thread has now, where it makes sound for the first time; else nothing."""
        thread = threading.get_ident()
        if thread == self._thread:
            return None
        self._thread = thread
        return Scheduled(go_first(), stay_in_memory())
