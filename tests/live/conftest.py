"""An engine in a process of its own, and waiting for what it does."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator

import pytest

from felt_dial.live.devices import SIMULATED
from felt_dial.live.link import EngineLink
from felt_dial.sound.modules import new_patch


def until(true: Callable[[], bool], seconds: float = 30.0) -> bool:
    """Waits until something is so; False where it does not come."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if true():
            return True
        time.sleep(0.01)
    return False


@pytest.fixture
def link(kernels: None) -> Iterator[EngineLink]:
    made = EngineLink(SIMULATED)
    made.show(new_patch(), carry=False)
    made.start()
    assert made.wait_until_ready(60)
    yield made
    made.close()
