"""The helper does what it is asked, tells how far it is, and is gone when it is stopped or dies."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Iterator

import numpy as np
import pytest

from felt_dial.errors import FeltDialError, Stopped
from felt_dial.patch.documents.patch import write_patch
from felt_dial.patch.patch import with_value
from felt_dial.sound.modules import new_patch
from felt_dial.workers.helper import Helper
from felt_dial.workers.process import HelperFailed
from felt_dial.workshop.table.from_recording import NoFrames


def double(sound: np.ndarray, watch: Callable[[float], bool] = lambda part: True) -> np.ndarray:
    for n in range(5):
        watch(n / 5)
    return 2 * sound


def forever(watch: Callable[[float], bool]) -> None:
    while True:
        watch(0.5)
        time.sleep(0.01)


def refuse() -> None:
    raise NoFrames("There is nothing in it.")


def fail() -> None:
    raise ZeroDivisionError("by nought")


def die() -> None:
    os._exit(3)


def who() -> int:
    return os.getpid()


@pytest.fixture
def helper() -> Iterator[Helper]:
    made = Helper()
    yield made
    made.close()


def test_it_works_in_a_process_of_its_own_and_keeps_it(helper: Helper) -> None:
    assert np.array_equal(helper.call(double, np.arange(4)), 2 * np.arange(4))
    first = helper.call(who)
    assert first != os.getpid() and helper.call(who) == first
    assert helper.call_named("tests.workers.test_helper:who") == first


def test_progress_is_told_and_stopping_ends_the_process_at_once(helper: Helper) -> None:
    told: list[float] = []
    before = helper.call(who)

    def watch(part: float) -> bool:
        told.append(part)
        return len(told) < 20

    begin = time.monotonic()
    with pytest.raises(Stopped):
        helper.call(forever, watch=watch)
    assert 0.5 in told and time.monotonic() - begin < 5
    with pytest.raises(ProcessLookupError):
        os.kill(before, 0)
    assert helper.call(who) != before


def test_what_is_refused_is_its_sentence_and_what_fails_or_dies_is_said(helper: Helper) -> None:
    with pytest.raises(FeltDialError, match="There is nothing in it"):
        helper.call(refuse)
    with pytest.raises(FeltDialError, match="by nought"):
        helper.call(fail)
    with pytest.raises(HelperFailed):
        helper.call(die)
    assert helper.call(who) > 0


def test_calls_from_several_threads_wait_for_each_other(helper: Helper) -> None:
    found: list[int] = []
    threads = [
        threading.Thread(target=lambda n=n: found.append(int(helper.call(double, np.array(n))))) for n in range(6)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(found) == [0, 2, 4, 6, 8, 10]


def test_a_macro_that_travels_gives_frames_that_travel(kernels: None) -> None:
    """A macro on the cutoff of a saw: the frames go from dark to bright, each a cycle that closes."""
    from felt_dial.patch.edits import sew
    from felt_dial.workshop.table.from_sound import swept_by_macro
    from felt_dial.workshop.table.mending import brightness
    from felt_dial.workshop.table.scores import scores_of

    patch = new_patch()
    for path, value in (
        ("layers.a.source.shape", "saw"),
        ("layers.a.filter.on", True),
        ("layers.a.filter.cutoff", 120.0),
    ):
        patch = with_value(patch, path, value)
    patch, _ = sew(patch, "m1", "layers.a.filter.cutoff", 72.0)
    frames = swept_by_macro(write_patch(patch), "m1", steps=5)
    bright = brightness(frames)
    assert (np.diff(bright) > 0.05).all() and scores_of(frames).jump < 0.05
    with pytest.raises(NoFrames):
        swept_by_macro(write_patch(with_value(patch, "layers.a.mute", True)), "m1", steps=2)
