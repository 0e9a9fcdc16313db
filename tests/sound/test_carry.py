"""Carrying over: whatever is edited, at whatever quality, the next program takes over and the sound stays a sound."""

from __future__ import annotations

import copy
import dataclasses
import gc
import time
import weakref
from collections.abc import Iterator
from random import Random
from typing import Any

import numpy as np
import pytest

from felt_dial.patch.edits import add_inlet, add_layer, replace_module
from felt_dial.patch.module import Source
from felt_dial.patch.patch import Patch, with_value
from felt_dial.sound.compiling.compiled import prepared
from felt_dial.sound.compiling.kernel import Stage
from felt_dial.sound.engine.carry_over import carry_on
from felt_dial.sound.engine.program import Program
from felt_dial.sound.matter.tables import shipped_recordings
from felt_dial.sound.modules import new_layer, new_patch
from felt_dial.sound.playing.events import BEND, OFF, ON, Event
from felt_dial.sound.sizes import BLOCK
from tests.sound.at_random import edited
from tests.sound.listening import decibels, plain
from tests.sound.test_at_rest import with_matter


def modulated(ring: float = 0.0) -> Patch:
    """Two sines, one of which modulates the other's phase, and its level at audio rate."""
    patch, other = add_layer(plain(layers__a__source__shape="sine", modulators__e1__sustain=1.0), new_layer())
    patch = with_value(with_value(patch, f"layers.{other}.source.shape", "sine"), f"layers.{other}.octave", 1)
    patch = add_inlet(patch, "a", other, 0.5)
    return with_value(patch, f"layers.a.inlets.{other}.ring", ring)


@pytest.mark.parametrize("after", [1, 2, 4, 8])
@pytest.mark.parametrize("before", [1, 2, 4, 8])
def test_a_layer_that_modulates_another_goes_on_at_another_quality(before: int, after: int) -> None:
    """The held note sounds on, as loud as before."""
    patch = modulated(0.5)
    old = Program(patch, 48000, BLOCK, before)
    old.block([Event(0, ON, 45, 1.0)])
    was = np.concatenate([old.block().copy() for _ in range(60)], axis=1)[0, 20 * BLOCK :].astype(np.float64)
    fresh = Program(patch, 48000, BLOCK, after)
    carry_on(fresh, old)
    now = np.concatenate([fresh.block().copy() for _ in range(44)], axis=1)[0, 4 * BLOCK :].astype(np.float64)
    assert decibels(np.sqrt(np.square(now).mean()) / np.sqrt(np.square(was).mean())) == pytest.approx(0.0, abs=0.3)


def in_a_circle() -> Patch:
    """Two layers of which each hears the other, by phase and by cutoff."""
    patch = modulated(0.5)
    a, b = patch.layers
    patch = add_inlet(add_inlet(patch, b, a, 0.3), a, a, 0.2)
    return with_value(with_value(patch, f"layers.{a}.swung", b), f"layers.{a}.swing", 0.5)


@pytest.mark.parametrize("seed", range(12))
def test_a_program_that_is_left_behind_is_freed_at_once(seed: int) -> None:
    """The engine looks for no garbage while it sounds: nothing of a program may wait for that."""
    rng = Random(seed)
    patch = in_a_circle() if seed == 0 else edited(in_a_circle(), rng, 8)
    gc.collect()
    gc.disable()
    try:
        old = Program(patch, 48000, BLOCK)
        old.block([Event(0, ON, 45, 1.0)])
        fresh = Program(edited(patch, rng, 6), 48000, BLOCK)
        carry_on(fresh, old)
        fresh.block()
        left = [weakref.ref(part) for part in (old, *old.layers, *old.buses, *old.running(), old.output)]
        del old
        assert all(part() is None for part in left)
    finally:
        gc.enable()


def wander(seed: int, steps: int) -> None:
    """A patch is edited and played, and every next program takes over from the one before."""
    rng = Random(seed)
    patch = edited(new_patch(), rng, 12)
    rate = rng.choice((44100, 48000, 96000))
    program = Program(patch, rate, BLOCK, 1)
    for step in range(steps):
        for _ in range(rng.randrange(1, 4)):
            events = [Event(rng.randrange(BLOCK), rng.choice((ON, ON, OFF)), rng.randrange(30, 90), rng.random())]
            out = program.block(events)
            assert np.isfinite(out).all() and np.abs(out).max() <= 1.0 + 1e-6, f"seed {seed}, step {step}"
        patch = edited(patch, rng, rng.randrange(1, 4))
        fresh = Program(patch, rate, BLOCK, rng.choice((1, 1, 2, 4, 8)))
        carry_on(fresh, program)
        program = fresh


@pytest.mark.parametrize("seed", range(8))
def test_random_edits_at_random_qualities_go_on(seed: int) -> None:
    wander(seed, 12)


@pytest.mark.soak
def test_random_edits_for_ten_minutes() -> None:
    end, seed = time.monotonic() + 600, 1000
    while time.monotonic() < end:
        wander(seed, 30)
        seed += 1


# --- another rate: what counts frames, and what was made for a rate -----------------------------------


def sources() -> list[Source]:
    """Every kind as it begins, with matter, and what has arrays of its own."""
    reed, rain = (shipped_recordings()[name][0] for name in ("Blown Reed", "Rain on Panes"))
    found = [with_matter(Source.kinds[kind]()) for kind in sorted(Source.kinds)]
    found.append(Source.kinds["partials"](asset=reed, root=57, residue=1.0, slow=0.3))
    found += [Source.kinds["noise"](slope=-6.0), Source.kinds["noise"](hold=True), Source.kinds["noise"](asset=rain)]
    return [*found, Source.kinds["sample"](asset=reed, loop="forward"), Source.kinds["grains"](asset=reed, speed=1.0)]


def named_arrays(state: Any, before: str = "") -> Iterator[tuple[str, np.ndarray]]:
    for name, part in zip(state._fields, state, strict=True):
        if isinstance(part, np.ndarray):
            yield before + name, part
        elif isinstance(part, tuple):
            yield from named_arrays(part, f"{before}{name}.")


def test_what_was_made_for_a_rate_is_never_carried_over() -> None:
    """What differs between the states of silence of two rates was made for them, and may not be written."""
    for source in sources():
        coarse, fine = (dict(named_arrays(prepared(source, Stage(48000.0 * n, BLOCK * n)))) for n in (1, 4))
        for name, array in coarse.items():
            if array.shape == fine[name].shape and not np.array_equal(array, fine[name]):
                assert not array.flags.writeable and not fine[name].flags.writeable, (source.kind, name)


@pytest.mark.parametrize(("before", "after"), [(1, 4), (4, 1), (2, 8)])
@pytest.mark.parametrize("source", sources(), ids=lambda source: source.kind)
def test_a_held_note_goes_on_at_another_quality_as_if_it_had_begun_there(
    source: Source, before: int, after: int
) -> None:
    """Octaves from 125 Hz up that have something, from a tenth of a second after the change on, within 1 dB."""
    patch = replace_module(plain(), "layers.a.source", source)

    def bands(began: int) -> np.ndarray:
        program = Program(patch, 48000, BLOCK, began)
        program.block([Event(0, ON, 57, 0.8)])
        for _ in range(60):
            program.block()
        if began != after:
            old, program = program, Program(patch, 48000, BLOCK, after)
            carry_on(program, old)
        sound = np.concatenate([program.block().copy() for _ in range(300)], axis=1)[0, 4800:].astype(np.float64)
        power = np.square(np.abs(np.fft.rfft(sound * np.hanning(len(sound)))))
        hertz = np.fft.rfftfreq(len(sound), 1 / 48000)
        octaves = 125.0 * 2.0 ** np.arange(7)
        return np.array([power[(hertz >= low) & (hertz < 2 * low)].sum() for low in octaves])

    carried, begun = bands(before), bands(after)
    there = begun > 1e-6 * begun.max()
    assert there.any() and np.abs(10 * np.log10(carried[there] / begun[there])).max() < 1.0


def what_can_change(thing: object) -> Iterator[object]:
    """Everything in a record that can change, however deep."""
    if dataclasses.is_dataclass(thing) and not isinstance(thing, type):
        yield thing
        thing = [getattr(thing, each.name) for each in dataclasses.fields(thing)]
    elif isinstance(thing, (list, dict)):
        yield thing
    for part in thing.values() if isinstance(thing, dict) else thing if isinstance(thing, (list, tuple)) else ():
        yield from what_can_change(part)


def test_twins_of_hands_and_of_a_pattern_are_equal_and_share_nothing_that_changes() -> None:
    """As a deep copy is, which would take too long between two blocks; one finger in two places stays one."""
    patch = with_value(with_value(new_patch(), "pattern.on", True), "layers.a.delay", 0.5)
    patch = with_value(add_layer(patch, new_layer())[0], "layers.b.delay", 0.2)
    for on in (False, True):
        program = Program(with_value(patch, "pattern.on", on))
        program.block([Event(0, ON, 60, 0.5), Event(0, ON, 64, 0.7, 3), Event(0, BEND, 0.0, 0.3, 3)])
        program.block()
        hands, turning = program.allocator.hands, program.pattern.now
        assert (hands.waiting and hands.fingers and hands.touches) and bool(turning.sounding) == on
        fresh = Program(patch)
        carry_on(fresh, program)
        for was, now in ((hands, fresh.allocator.hands), (turning, fresh.pattern.now)):
            assert now == was == copy.deepcopy(was)
            assert not {id(part) for part in what_can_change(was)} & {id(part) for part in what_can_change(now)}
            shape = [sum(part is other for other in what_can_change(was)) for part in what_can_change(was)]
            assert [sum(part is other for other in what_can_change(now)) for part in what_can_change(now)] == shape
