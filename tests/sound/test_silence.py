"""Silence: whatever the patch, its notes end when the keys come up and every release is 0."""

from __future__ import annotations

from random import Random

import pytest

from felt_dial.patch.params import Param
from felt_dial.patch.patch import Patch, slots, with_value
from felt_dial.sound.engine.program import Program
from felt_dial.sound.modules import new_patch
from felt_dial.sound.playing.events import OFF, ON, Event
from felt_dial.sound.sizes import BLOCK
from tests.sound.at_random import edited

RATE = 48000


def ends_at_once(patch: Patch) -> Patch:
    """The patch without all that explains a note which goes on: releases, late layers, layers at key up, Hold."""
    moves = ("release", "delay", "threads.")
    threads = {k: t for k, t in patch.threads.items() if not any(word in t.target for word in moves)}
    patch = patch.model_copy(update={"threads": threads})
    for slot in list(slots(patch)):
        place, _, name = slot.path.rpartition(".")
        if name == "release" and isinstance(slot.param, Param):
            patch = with_value(patch, slot.path, slot.param.low)
        elif name in ("trigger", "delay") and place.count(".") == 1 and place.startswith("layers."):
            patch = with_value(patch, slot.path, {"trigger": "down", "delay": 0.0}[name])
        elif name == "once" or slot.path == "pattern.hold":
            patch = with_value(patch, slot.path, False)
    return patch


def notes_after(patch: Patch, seconds: float) -> int:
    """How many notes still sound so long after the only key came up."""
    program = Program(patch, RATE, BLOCK)
    program.block([Event(0, ON, 60, 1.0)])
    for _ in range(40):
        program.block()
    program.block([Event(0, OFF, 60, 0.5)])
    for _ in range(int(seconds * RATE / BLOCK)):
        program.block()
    return len(program.voices.active)


def search(first: int, count: int) -> list[int]:
    """Seeds of patches whose notes go on for no reason."""
    found = []
    for seed in range(first, first + count):
        patch = ends_at_once(edited(new_patch(), Random(seed), 80))
        if notes_after(patch, 5.0):
            found.append(seed)
    return found


def test_notes_end_whatever_the_patch() -> None:
    """Filters that howl and echoes of a minute may go on in the racks: those the meter names."""
    assert search(0, 12) == []


@pytest.mark.soak
def test_notes_end_whatever_the_patch_for_long() -> None:
    assert search(1000, 600) == []
