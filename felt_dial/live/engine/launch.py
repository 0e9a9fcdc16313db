"""Starting the engine's process: nothing is read here that takes time, so that a window can do it before all else."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
from dataclasses import dataclass
from multiprocessing.connection import Connection


@dataclass
class Launched:
    """A process that reads its modules and then waits for `("begin", device, rate, frames)`."""

    process: subprocess.Popen[bytes]
    pipe: Connection
    memory: int
    """Handle of the memory that both will share, of no size at first."""


def launch(memory: int | None = None) -> Launched:
    """Starts an engine, on shared memory that is there, or on new one; Ctrl+C in the terminal is for the window alone."""
    memory = os.memfd_create("felt-dial") if memory is None else memory
    ours, theirs = socket.socketpair()
    with theirs:
        handles = (memory, theirs.fileno())
        command = [sys.executable, "-m", "felt_dial.live.engine.begin", *map(str, handles)]
        process = subprocess.Popen(command, pass_fds=handles, stdin=subprocess.DEVNULL, process_group=0)
    return Launched(process, Connection(ours.detach()), memory)
