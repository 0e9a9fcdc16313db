"""Real time: what the system allows is asked for once, told, and never needed."""

from __future__ import annotations

import os
import resource
import threading

import pytest

from felt_dial.live.engine import real_time
from felt_dial.live.engine.real_time import RealTime, go_first, stay_in_memory
from felt_dial.live.link.messages import Scheduled
from felt_dial.ui.frame.settings import in_real_time


def in_a_thread(act: object) -> object:
    """What a thread of its own finds, so that this one stays as it is."""
    found: list[object] = []
    thread = threading.Thread(target=lambda: found.append(act()))  # type: ignore[operator]
    thread.start()
    thread.join()
    return found[0]


def test_what_is_said_is_what_the_system_has() -> None:
    def ask() -> tuple[bool, int]:
        return go_first(), os.sched_getscheduler(0) & ~os.SCHED_RESET_ON_FORK

    before = os.sched_getscheduler(0)
    said, kind = in_a_thread(ask)  # type: ignore[misc]
    assert said == (kind in (os.SCHED_RR, os.SCHED_FIFO))
    assert os.sched_getscheduler(0) == before  # only that thread


def test_what_is_not_allowed_is_no_fault(monkeypatch: pytest.MonkeyPatch) -> None:
    def refuse(*given: object) -> None:
        raise PermissionError

    monkeypatch.setattr(real_time.os, "sched_setscheduler", refuse)
    monkeypatch.setattr(resource, "getrlimit", lambda which: (8 << 20, 8 << 20))
    assert in_a_thread(go_first) is False and stay_in_memory() is False


def test_every_thread_is_asked_once(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(real_time, "go_first", lambda: True)
    monkeypatch.setattr(real_time, "stay_in_memory", lambda: False)
    asks = RealTime()
    assert asks.asked() == Scheduled(True, False) and asks.asked() is None
    assert in_a_thread(asks.asked) == Scheduled(True, False)


def test_it_is_said_with_what_to_do() -> None:
    assert "rtprio" in in_real_time(Scheduled(False, False))
    assert in_real_time(Scheduled(True, True)).endswith("and its memory stays at hand.")
    assert in_real_time(None) == ""
