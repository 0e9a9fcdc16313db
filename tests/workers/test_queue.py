"""The queue: each piece once, those that are waited for first, and a process that dies takes one piece with it."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator
from typing import Any

import pytest

from felt_dial.errors import FeltDialError
from felt_dial.workers.queue import MOST_DEATHS, WorkQueue


def doubled(number: int) -> int:
    """Dies of 13, refuses what is below nothing, fails at 500."""
    if number == 13:
        os._exit(1)
    if number < 0:
        raise FeltDialError("It is below nothing.")
    return 2 * number if number != 500 else number // 0


def slow(number: int, watch: Callable[[float], bool]) -> int:
    for n in range(50):
        watch(n / 50)
        time.sleep(0.01)
    return number


def all_of(queue: WorkQueue[Any], seconds: float = 30.0) -> list[tuple[str, Any]]:
    found: list[tuple[str, Any]] = []
    end = time.monotonic() + seconds
    while (queue.left or not found) and time.monotonic() < end:
        found += queue.poll()
        time.sleep(0.005)
    return found


@pytest.fixture
def queue() -> Iterator[WorkQueue[int]]:
    made: WorkQueue[int] = WorkQueue(doubled, 1)
    yield made
    made.close()


def test_each_is_done_once_by_its_key_and_the_total_begins_anew(queue: WorkQueue[int]) -> None:
    for key in ("a", "b", "a", "c", "b"):
        queue.ask(key, lambda key=key: (ord(key),))  # type: ignore[misc]
    assert queue.total == queue.left == 3 and queue.asked("c") and not queue.asked("d")
    assert all_of(queue) == [(key, 2 * ord(key)) for key in "abc"]
    assert queue.total == 0 and queue.share == 1.0


def test_what_is_waited_for_comes_first_and_what_is_looked_at_before_the_rest(queue: WorkQueue[int]) -> None:
    queue.ask("begun", lambda: (0,))
    for n in range(6):
        queue.ask(f"{n}", lambda n=n: (n,), first=n == 4)  # type: ignore[misc]
    queue.prefer({"3", "5"})
    assert [key for key, _ in all_of(queue)] == ["begun", "4", "3", "5", "0", "1", "2"]


def test_one_that_dies_refuses_or_fails_is_none_and_the_others_are_done(queue: WorkQueue[int]) -> None:
    for number in (1, 13, 2, -5, 500, 3):
        queue.ask(f"{number}", lambda number=number: (number,))  # type: ignore[misc]
    assert dict(all_of(queue)) == {"1": 2, "13": None, "2": 4, "-5": None, "500": None, "3": 6}
    assert queue.deaths == 0, "something was done since"


def test_after_three_deaths_it_rests_and_then_tries_again(
    queue: WorkQueue[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    for n in range(5):
        queue.ask(f"{n}", lambda: (13,))
    assert [what for _, what in all_of(queue)] == [None] * MOST_DEATHS
    queue.ask("more", lambda: (1,))
    assert queue.left == 0
    monkeypatch.setattr("felt_dial.workers.queue.REST", 0.0)
    queue.ask("more", lambda: (1,))
    assert all_of(queue) == [("more", 2)]


def test_what_is_gone_before_its_turn_is_left_out_and_may_be_asked_for_again(queue: WorkQueue[int]) -> None:
    def gone() -> tuple[int]:
        raise FeltDialError("It is not there.")

    queue.ask("gone", gone)
    assert queue.left == 0 and queue.poll() == []
    queue.ask("gone", lambda: (4,))
    assert all_of(queue) == [("gone", 8)]


def test_it_says_how_far_it_is_and_is_emptied_at_a_word() -> None:
    queue: WorkQueue[int] = WorkQueue(slow, 1)
    for n in range(2):
        queue.ask(f"{n}", lambda n=n: (n,))  # type: ignore[misc]
    shares = [queue.share]
    end = time.monotonic() + 30
    while queue.left == 2 and time.monotonic() < end:
        queue.poll()
        shares.append(queue.share)
        time.sleep(0.01)
    assert shares == sorted(shares) and len(set(shares)) > 5 and 0.4 < shares[-1] <= 0.6
    queue.cancel()
    assert len(all_of(queue)) <= 1 and queue.left == 0
    queue.close()
