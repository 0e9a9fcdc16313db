"""Plans: calls of kernels that are walked do what the same calls do from Python, and a block that goes on makes nothing."""

from __future__ import annotations

import gc
import sys
import threading
from typing import Any

import numpy as np
import pytest

from felt_dial.patch.edits import add_effect, add_modulator, duplicate_layer, sew
from felt_dial.patch.module import Effect, Modulator
from felt_dial.patch.patch import Patch, with_value
from felt_dial.sound.compiling.kernel import kernel
from felt_dial.sound.compiling.plan import At, Desk, Listed, Plan, Walk, entry_text
from felt_dial.sound.engine.parts import MOST_PLANS, Part
from felt_dial.sound.engine.program import Program
from felt_dial.sound.modules import new_patch
from felt_dial.sound.playing.events import OFF, ON, Event
from felt_dial.sound.sizes import ROWS


@kernel
def weighed(out, audio, rows, gain, times, small, turned, part):
    """Each kind of argument once: arrays of one to three dimensions, lists, numbers of every type."""
    for row in rows:
        for n in range(audio.shape[2]):
            value = audio[row, 0, n] * gain * small + part[n]
            out[row, n] = -value if turned else value * times
    return rows.shape[0]


@kernel
def count_up(counted, by):
    """How often this was called."""
    counted[0] += by
    return counted[0]


def given(out: Any, rows: Any) -> tuple[Any, ...]:
    audio = np.random.default_rng(3).normal(size=(6, 2, 32)).astype(np.float32)
    part = np.arange(64, dtype=np.float64)[::2]  # one that does not lie in a row
    return out, audio, rows, 0.25, 3, np.float32(0.5), False, part


def test_what_is_walked_is_what_is_called() -> None:
    wanted, out = np.zeros((6, 32)), np.zeros((6, 32))
    rows, found = np.array([1, 4], np.int32), np.zeros(1, np.int64)
    assert weighed(*given(wanted, rows)) == 2
    plan = Plan(Desk())
    plan.call(weighed, *given(out, rows), into=found)
    Walk([plan.finish()])()
    assert found[0] == 2 and np.array_equal(out, wanted) and wanted[4].any()


def test_lists_and_numbers_are_read_where_they_stand() -> None:
    """A plan is made once; what rows there are and what a number is may be another in every block."""
    rows, numbers, out = Listed(ROWS), np.array([0.0, 1.0]), np.zeros((6, 32))
    arguments = list(given(out, rows))
    arguments[3] = At(numbers, 1)
    plan = Plan(Desk())
    plan.call(weighed, *arguments)
    walk = Walk([plan.finish()])
    walk()
    assert not out.any()
    rows.set(np.array([0, 3]))
    walk()
    assert sorted(np.flatnonzero(out.any(axis=1))) == [0, 3] and list(rows.now) == [0, 3]
    before = out.copy()
    numbers[1] = 0.0
    walk()
    assert np.abs(out - before).max() > 0.1
    rows.set(np.array([5]))
    walk()
    assert out[5].any() and len(rows.now) == 1


def test_what_a_kernel_decides_against_is_passed_by() -> None:
    counted, zero, some = np.zeros(4, np.int64), np.zeros(1, np.int64), np.ones(1, np.int64)
    plan = Plan(Desk())
    with plan.where(count_up, zero, 0):
        plan.call(count_up, counted[0:1], 1)
        plan.call(count_up, counted[0:1], 1)
    with plan.where(count_up, some, 0):
        plan.call(count_up, counted[1:2], 1)
        with plan.where(count_up, zero, 0):
            plan.call(count_up, counted[2:3], 1)
    plan.call(count_up, counted[3:4], 1)
    walk = Walk([plan.finish()])
    walk()
    walk()
    assert counted.tolist() == [0, 2, 0, 2]


def test_time_is_taken() -> None:
    cost = np.zeros(1)
    plan = Plan(Desk())
    with plan.timed(cost):
        for _ in range(200):
            plan.call(count_up, np.zeros(1, np.int64), 1)
    walk = Walk([plan.finish()])
    for _ in range(300):
        walk()
    assert 100 < cost[0] < 10_000_000  # nanoseconds


def test_arguments_of_one_form_share_an_entry() -> None:
    desk, text = Desk(), entry_text("entry", (7, "double"))
    assert text.count("load i64") == 1 + 2 + 7 and text.count("load double") == 1
    assert desk.machine.entry((7, "double")) == desk.machine.entry((7, "double")) != desk.machine.entry((9, "double"))


def test_threads_that_plan_at_once_mean_the_same_types() -> None:
    """Types of arrays that nobody named before, from eight threads at once: each number stands for one type."""
    machine, kinds = Desk().machine, [np.dtype([(f"field{n}", "f8")]) for n in range(200)]
    given = [np.zeros(2, kind) for kind in kinds]
    codes: list[list[int]] = []

    def ask() -> None:
        codes.append([machine.code_of(array) for array in given])

    threads = [threading.Thread(target=ask) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert all(found == codes[0] for found in codes) and len(set(codes[0])) == 200


def test_arrays_that_are_no_more_are_forgotten() -> None:
    """What passes has arrays of its own, edit after edit: the desk does not keep what is known of them."""
    desk, kept = Desk(), np.zeros(3)
    first = desk.argument(kept)
    for n in range(20_000):
        desk.argument(np.zeros(1 + n % 7))
    assert len(desk._arrays) < 6_000 and desk.argument(kept) is first


def much() -> Patch:
    """Three layers that filter, move and hear one another, a bus and effects."""
    patch = with_value(new_patch(), "layers.a.filter.on", True)
    for _ in range(2):
        patch, _ = duplicate_layer(patch, "a")
    patch = with_value(patch, "layers.b.out", "bus1")
    patch, lfo = add_modulator(patch, Modulator.kinds["lfo"]())
    patch, _ = sew(patch, lfo, "layers.a.filter.cutoff", 0.4)
    for kind in ("chorus", "reverb", "equaliser"):
        patch, _ = add_effect(patch, "1", Effect.kinds[kind]())
    return patch


def test_a_block_that_goes_on_is_planned_once_and_makes_nothing(monkeypatch: pytest.MonkeyPatch) -> None:
    """A thousand blocks under a held note: no plan, and no object of Python's that stays."""
    program = Program(much(), 48000)
    program.block([Event(0, ON, 50, 0.8)])
    for _ in range(30):
        program.block()
    planned: list[Plan] = []
    monkeypatch.setattr("felt_dial.sound.engine.arranging.Plan", lambda desk: planned.append(desk))
    monkeypatch.setattr("felt_dial.sound.engine.parts.Plan", lambda desk: planned.append(desk))
    program.block()
    gc.collect()
    gc.disable()
    try:
        before = sys.getallocatedblocks()
        for _ in range(1000):
            program.block()
        after = sys.getallocatedblocks()
    finally:
        gc.enable()
    assert not planned and after - before < 200


def test_a_note_and_a_dial_ask_for_no_plan(monkeypatch: pytest.MonkeyPatch) -> None:
    """More notes, the end of one, and a dial that is turned: all of it lies in arrays."""
    program = Program(much(), 48000)
    program.block([Event(0, ON, 50, 0.8)])
    for _ in range(30):
        program.block()
    planned: list[object] = []
    monkeypatch.setattr(type(program.arranger), "_arrange", lambda arranger, shares: planned.append(shares))
    program.block([Event(5, ON, 57, 0.8)])
    program.values[program.at["layers.a.filter.cutoff"]] *= 0.8
    program.block([Event(5, OFF, 57, 0.8)])
    for _ in range(20):
        program.block()
    assert not planned
    program.values[program.at["layers.b.out"]] = 0.0
    program.block()
    assert planned


def test_a_part_remembers_many_plans_and_those_of_a_state_only_while_it_stands() -> None:
    """What goes back and forth is planned once; a state that is laid out anew asks for another plan."""
    program = Program(with_value(new_patch(), "layers.a.filter.on", True), 48000)
    source, desk, planned = program.layers[0].source, Desk(), []
    part = Part(source)

    def plan(key: int, passes: bool = False) -> Plan:
        return part.plan_for(key, passes, desk, lambda plan: planned.append(key))

    first = plan(0)
    assert plan(1) is plan(1) and plan(0) is first and planned == [0, 1]
    assert plan(0, passes=True) is not first and plan(0) is first
    for key in range(2, MOST_PLANS):
        plan(key)
    assert plan(0) is first, "a full part still finds what it has"
    source.reset()
    assert plan(0) is not first


def test_what_is_planned_beforehand_leaves_no_trace() -> None:
    """A program that has not played yet stands as built: nothing sounds, waits, lags or is stale, muted layers too."""
    patch = with_value(much(), "layers.c.mute", True)
    program = Program(patch, 48000)
    assert not any(layer.stale or layer.sends or len(layer.rows) for layer in program.layers)
    assert not any(one.was_off or not one.quiet for one in program.running())
    assert not any(one.lags for layer in program.layers for one in layer.tone.steps)
    assert not any(len(bus.rows) for bus in program.buses) and not program.block().any()
