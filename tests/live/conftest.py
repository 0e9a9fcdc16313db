"""An engine in a process of its own, and waiting for what it does."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from multiprocessing import Pipe

import pytest

from felt_dial.live.engine.devices import SIMULATED
from felt_dial.live.engine.engine import Engine
from felt_dial.live.link.async_pipe import AsyncPipe
from felt_dial.live.link.link import EngineLink
from felt_dial.live.link.shared_memory import Shared
from felt_dial.patch.patch import Patch
from felt_dial.sound.engine.program import Program
from felt_dial.sound.modules import new_patch


def until(true: Callable[[], bool], seconds: float = 30.0) -> bool:
    """Waits until something is so; False where it does not come."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if true():
            return True
        time.sleep(0.01)
    return False


def engine(patch: Patch) -> Engine:
    """An engine in this process; nobody hears it, and its blocks come as they are asked for."""
    here, _ = Pipe()
    made = Engine(Shared(), AsyncPipe(here), SIMULATED, 48000.0, 256)
    made.program = Program(patch, 48000, 256)
    return made


@pytest.fixture
def link(kernels: None) -> Iterator[EngineLink]:
    made = EngineLink(SIMULATED)
    made.show(new_patch(), carry=False)
    made.start()
    assert made.wait_until_ready(60)
    yield made
    made.close()
