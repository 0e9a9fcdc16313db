"""Limits are known to the patch: what it allows fits into the memory that window and engine share."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Callable, Iterator
from typing import Any

import pytest

from felt_dial.errors import FeltDialError
from felt_dial.live.engine.launch import launch
from felt_dial.live.link.shared_memory import MOST_MOVERS, MOST_NUMBERS, MOST_SLOTS, RING, Shared
from felt_dial.patch.edits import add_effect, add_layer, add_modulator, replace_module, sew
from felt_dial.patch.module import Effect, Modulator, Source
from felt_dial.patch.params import OutOfRange
from felt_dial.patch.parts import MOST_THREADS
from felt_dial.patch.patch import Patch, slots
from felt_dial.sound.engine.program import Program, patch_values
from felt_dial.sound.modules import new_layer, new_patch
from felt_dial.sound.playing.events import ON, PANIC, Event
from felt_dial.sound.sizes import BLOCK


def many(patch: Patch, add: Callable[[Patch], tuple[Patch, str]]) -> Patch:
    """Adds until the patch says that it is full."""
    for _ in range(1000):
        try:
            patch, _key = add(patch)
        except OutOfRange as full:
            assert any(figure in str(full) for figure in "123456789") or "twelve" in str(full), "it says how many"
            return patch
    raise AssertionError("there is no end")


def heaviest(family: type[Any]) -> Any:
    """The kind of a family with the most parameters."""
    return max(family.kinds.values(), key=lambda kind: len(kind.params) + 100 * len(kind.drawings))()


def sew_somewhere(patch: Patch, ends: Iterator[str]) -> tuple[Patch, str]:
    """A thread to the next place that takes one."""
    while True:
        try:
            return sew(patch, "e1", next(ends))
        except OutOfRange:
            raise
        except FeltDialError:
            continue


@pytest.fixture(scope="module")
def largest() -> Patch:
    """The most of everything, and the heaviest kinds of it."""
    patch = many(new_patch(), lambda patch: add_layer(patch, new_layer()))
    for key in patch.layers:
        patch = replace_module(patch, f"layers.{key}.source", heaviest(Source))
    for kind in Modulator.kinds.values():
        patch = many(patch, lambda patch, kind=kind: add_modulator(patch, kind()))
    for rack in patch.racks:
        patch = many(patch, lambda patch, rack=rack: add_effect(patch, rack, heaviest(Effect)))
    ends = iter(
        [slot.path for slot in slots(patch) if slot.path.startswith("layers.") and not slot.path.endswith(".on")]
    )
    return many(patch, lambda patch: sew_somewhere(patch, ends))


def test_the_largest_patch_fits_and_sounds(largest: Patch) -> None:
    assert len(largest.threads) == MOST_THREADS
    assert len(list(slots(largest))) <= MOST_SLOTS and len(patch_values(largest)) <= MOST_NUMBERS
    program = Program(largest, 48000, BLOCK)
    assert len(program.movers) <= MOST_MOVERS
    program.block()


def test_one_thread_more_is_refused_in_words(largest: Patch) -> None:
    with pytest.raises(OutOfRange, match=r"A patch holds 256 threads; cut one first\."):
        sew(largest, "e2", "layers.a.level")


def test_of_a_flood_of_notes_no_silence_is_lost_and_nothing_hangs() -> None:
    """10,000 messages before the engine looks once: a key up or “silence everything” may be among those that are lost."""
    shared = Shared(fresh=True)
    for n in range(10_000):
        shared.send(Event(0, PANIC if n == 100 else ON, 60 + n % 12, 0.5))
    first, *rest = shared.received()
    assert first.kind == PANIC and len(rest) == RING and all(event.kind == ON for event in rest)
    shared.send(Event(0, ON, 60, 0.5))
    assert [event.kind for event in shared.received()] == [ON], "without a flood nothing is put in"


def test_the_engine_says_nothing_at_an_interrupt(kernels: None) -> None:
    """SIGINT sent to the engine alone: it plays on, prints nothing, and ends with its window."""
    launched = launch()
    time.sleep(0.4)
    os.kill(launched.process.pid, signal.SIGINT)
    time.sleep(0.6)
    assert launched.process.poll() is None
    launched.pipe.close()
    assert launched.process.wait(30) is not None
