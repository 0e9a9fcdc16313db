"""Switching while it sounds: nothing that is set by hand makes a step that the sound itself does not make.

Every switch, every choice and every whole number of every module, from one option to another and back, while a low and soft
wave sounds; listened to above 6 kHz, where such a wave has nothing. Structural edits fade as the engine lets them fade.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy import signal

from felt_dial.patch.edits import (
    add_effect,
    add_modulator,
    add_send,
    duplicate_layer,
    move_effect,
    remove_effect,
    replace_module,
    sew,
)
from felt_dial.patch.module import Effect, Filter, Modulator, Module, Source
from felt_dial.patch.params import Choice, Param, Parameter, Switch
from felt_dial.patch.patch import Patch, module_at, structure, with_value
from felt_dial.sound.engine.carry_over import carry_on
from felt_dial.sound.engine.hand_over import HandOver
from felt_dial.sound.engine.program import Program, patch_values
from felt_dial.sound.playing.events import OFF, ON, Event
from felt_dial.sound.sizes import BLOCK
from tests.sound.listening import RATE, plain

BEFORE, AFTER, PIECE = 60, 44, 64
HIGH = signal.butter(8, 6000.0, "high", fs=RATE, output="sos")
FAINT, MORE = -70.0, 3.0
"""dB of full scale that nobody hears beside the sound, and how much louder than before and after the middle may be."""
WILD = {("chaos", "system")}
"""Swings in from where it begins: the other system is a burst by itself."""


def others(param: Parameter, now: object) -> list[object]:
    """Settings to switch to and back: every option, the ends and the neighbours of a whole number."""
    if isinstance(param, Switch):
        return [not now]
    if isinstance(param, Choice):
        return [option for option in param.ids if option != now]
    if isinstance(param, Param) and not param.smooth:
        at = float(now)  # type: ignore[arg-type]
        return sorted({v for v in (param.low, param.high, at + 1, at - 1) if v != at and param.low <= v <= param.high})
    return []


def places() -> Iterator[tuple[str, Patch, str]]:
    """Every kind of module at a place where it is heard: its name, a patch, its path."""
    sine = plain(layers__a__source__shape="sine", layers__a__pan=0.0)
    for kind, source in Source.kinds.items():
        yield (
            f"source {kind}",
            replace_module(plain(layers__a__pan=0.0), "layers.a.source", source()),
            "layers.a.source",
        )
    yield "layer", sine, "layers.a"
    filtered = with_value(with_value(sine, "layers.a.filter.on", True), "layers.a.filter.response", "low 24")
    yield "drive before a filter", filtered, "layers.a.drive"
    bussed = with_value(with_value(filtered, "layers.a.out", "bus1"), "buses.1.filter.on", True)
    yield "drive of a bus before its filter", bussed, "buses.1.drive"
    yield "drive of a bus after its filter", bussed, "buses.1.after"
    yield "drive", with_value(sine, "layers.a.drive.on", True), "layers.a.drive"
    both = with_value(with_value(sine, "layers.a.drive.on", True), "layers.a.filter.on", True)
    yield "order", both, "layers.a"
    for kind, filter_ in Filter.kinds.items():
        yield f"filter {kind}", replace_module(sine, "layers.a.filter", filter_(on=True)), "layers.a.filter"
    for kind, effect in Effect.kinds.items():
        patch, key = add_effect(sine, "1", effect())
        yield f"effect {kind}", patch, f"racks.1.{key}"
    for kind, mover in Modulator.kinds.items():
        patch, key = add_modulator(sine, mover())
        patch = with_value(with_value(patch, "layers.a.filter.on", True), "layers.a.filter.cutoff", 400.0)
        yield f"mover {kind}", sew(patch, key, "layers.a.filter.cutoff", 12.0)[0], f"modulators.{key}"
    yield "patch", sine, ""


PLACES = {name: (patch, path) for name, patch, path in places()}


def switched(patch: Patch, path: str, value: object, quality: int) -> tuple[NDArray[np.float64], int]:
    """A held low note during which something is set, as the engine does it; and the frame in which the block begins."""
    changed = with_value(patch, path, value)
    program = Program(patch, float(RATE), BLOCK, quality)
    out = [program.block([Event(0, ON, 45, 1.0)]).copy()]
    out += [program.block().copy() for _ in range(BEFORE - 1)]
    if values_differ(patch, changed):
        program.values[: program.whole] = patch_values(changed)
    else:
        program = faded_over(program, changed, quality, out)
    out += [program.block().copy() for _ in range(AFTER)]
    return np.concatenate(out, axis=1).astype(np.float64), BEFORE * BLOCK


def values_differ(patch: Patch, changed: Patch) -> bool:
    """True where no more than values are others."""
    return structure(patch) == structure(changed)


def faded_over(program: Program, changed: Patch, quality: int, out: list[NDArray[np.float32]]) -> Program:
    """A program built anew goes on with what sounded, as the engine lets it."""
    fresh = Program(changed, float(RATE), BLOCK, quality)
    carry_on(fresh, program)
    handing = HandOver(program, fresh, carries=True)
    while not handing.done:
        out.append(handing.block([]).copy())
    return fresh


def steps_of(sound: NDArray[np.float64], at: int) -> tuple[float, float]:
    """dB above 6 kHz, in pieces of 64 frames: the loudest around the switch, and the loudest before it and long after."""
    high = signal.sosfilt(HIGH, sound, axis=1)
    loud = np.sqrt((high.reshape(2, -1, PIECE) ** 2).mean(axis=2)).max(axis=0)
    here = at // PIECE
    apart = max(loud[here - 80 : here - 4].max(), loud[-80:].max())
    return 20 * np.log10(loud[here - 2 : here + 40].max() + 1e-9), 20 * np.log10(apart + 1e-9)


def tried(name: str, quality: int, every: bool) -> list[str]:
    """What of a module makes a step that is heard."""
    patch, path = PLACES[name]
    module: Module = module_at(patch, path) if path else patch
    found = []
    for label, param in module.params.items():
        now = module.get(label)
        if name == "order" and label != "order":
            continue
        for other in others(param, now)[: None if every else 1]:
            if (name.split()[-1], label) in WILD:
                continue
            full = f"{path}.{label}" if path else label
            for begin, end, base in ((now, other, patch), (other, now, with_value(patch, full, other))):
                middle, apart = steps_of(*switched(base, full, end, quality))
                if middle > max(apart + MORE, FAINT):
                    found.append(f"{label} {begin} -> {end}: {middle:.0f} against {apart:.0f} dB")
    return found


@pytest.mark.parametrize("name", sorted(PLACES))
def test_nothing_that_is_switched_makes_a_step(name: str) -> None:
    assert not tried(name, 1, every=True)


@pytest.mark.parametrize("quality", [2, 4])
@pytest.mark.parametrize(
    "name", sorted(name for name in PLACES if name.split()[0] in ("filter", "effect", "drive", "order"))
)
def test_nor_at_a_finer_rate(name: str, quality: int) -> None:
    assert not tried(name, quality, every=False)


@pytest.mark.parametrize("quality", [(1, 2), (1, 4), (4, 1)])
def test_another_quality_makes_no_step(quality: tuple[int, int]) -> None:
    """The program at the other quality is heard once it has heard the sound; through effects that come late as well."""
    patch = plain(layers__a__source__shape="sine", layers__a__pan=0.0, layers__a__drive__on=True)
    for kind in ("limiter", "drive"):
        patch = add_effect(patch, "1", Effect.kinds[kind]())[0]
    program = Program(patch, float(RATE), BLOCK, quality[0])
    out = [program.block([Event(0, ON, 45, 1.0)]).copy()]
    out += [program.block().copy() for _ in range(BEFORE - 1)]
    fresh = faded_over(program, patch, quality[1], out)
    out += [fresh.block().copy() for _ in range(AFTER)]
    middle, apart = steps_of(np.concatenate(out, axis=1).astype(np.float64), BEFORE * BLOCK)
    assert middle < max(apart + MORE, FAINT)


@pytest.mark.parametrize("kind", ["limiter", "chorus", "flanger", "thicken", "phaser", "drive", "rotary"])
def test_an_edit_that_makes_it_louder_leaves_no_step_in_what_waits(kind: str) -> None:
    """A send more, a layer more, an effect more: what goes into a rack fades, and so does what comes out of its echoes."""
    patch = add_effect(plain(layers__a__source__shape="sine", layers__a__pan=0.0), "1", Effect.kinds[kind]())[0]
    for changed in (
        add_send(patch, "layers.a", "rack2", 0.0),
        duplicate_layer(patch, "a")[0],
        add_effect(patch, "1", Effect.kinds["width"]())[0],
    ):
        program = Program(patch, float(RATE), BLOCK)
        out = [program.block([Event(0, ON, 45, 1.0)]).copy()]
        out += [program.block().copy() for _ in range(BEFORE - 1)]
        fresh = faded_over(program, changed, 1, out)
        out += [fresh.block().copy() for _ in range(AFTER)]
        middle, apart = steps_of(np.concatenate(out, axis=1).astype(np.float64), BEFORE * BLOCK)
        assert middle < max(apart + MORE, FAINT)


OWN_EDGES = {"gate", "reduce"}
"""They make edges of their own in whatever they are given."""


def edges_after(patch: Patch, changed: Patch) -> float:
    """dB above 7 kHz, in pieces of 64 frames, the loudest within three quarters of a second of an edit under a held low note."""
    program = Program(patch, float(RATE), BLOCK)
    out = [program.block([Event(0, ON, 45, 1.0)]).copy()]
    out += [program.block().copy() for _ in range(BEFORE - 1)]
    fresh = faded_over(program, changed, 1, out)
    out += [fresh.block().copy() for _ in range(140)]
    high = signal.sosfilt(signal.butter(10, 7000.0, "high", fs=RATE, output="sos"), np.concatenate(out, axis=1))
    pieces = np.sqrt(np.square(high).reshape(2, -1, PIECE).mean(axis=2)).max(axis=0)
    return float(20 * np.log10(pieces[BEFORE * BLOCK // PIECE - 2 :].max() + 1e-9))


@pytest.mark.parametrize("kind", sorted(set(Effect.kinds) - OWN_EDGES))
def test_what_is_new_repeats_no_step(kind: str) -> None:
    """An effect that comes under a held note begins with nothing in its lines; one that goes leaves no step in those behind it.

    The note is at −24 dB, and has nothing above 7 kHz. What goes past a limiter is late at another moment, and is heard a
    little; so is an echo of an echo that changes places.
    """
    faint = {"limiter": -80.0, "delay": -88.0}.get(kind, -95.0)
    sine = plain(layers__a__source__shape="sine", layers__a__pan=0.0, layers__a__level=-24.0)
    effect = Effect.kinds[kind]
    there, key = add_effect(sine, "1", effect(wet=1.0) if "wet" in effect.params else effect())
    assert edges_after(sine, there) < faint
    assert edges_after(there, sine) < faint
    behind, _ = add_effect(there, "1", Effect.kinds["delay"](left=0.05, right=0.07))
    without, _ = add_effect(sine, "1", Effect.kinds["delay"](left=0.05, right=0.07))
    assert edges_after(behind, remove_effect(behind, "1", key)) < faint
    assert edges_after(behind, move_effect(behind, "1", key, 1)) < faint
    assert edges_after(without, behind) < faint


@pytest.mark.parametrize("kind", sorted(Filter.kinds))
def test_a_filter_of_another_kind_begins_with_nothing_in_it(kind: str) -> None:
    sine = plain(layers__a__source__shape="sine", layers__a__pan=0.0, layers__a__level=-24.0)
    there = replace_module(sine, "layers.a.filter", Filter.kinds[kind](on=True))
    assert edges_after(sine, there) < -95
    assert edges_after(there, sine) < -95


@pytest.mark.parametrize("kind", sorted(kind for kind, filter_ in Filter.kinds.items() if filter_.bends))
def test_a_filter_that_is_driven_for_the_first_time_makes_no_step(kind: str) -> None:
    """It works at a finer rate from then on, and is late by some frames."""
    patch = with_value(plain(layers__a__source__shape="sine", layers__a__pan=0.0), "layers.a.level", -24.0)
    patch = replace_module(patch, "layers.a.filter", Filter.kinds[kind](on=True))
    assert edges_after(patch, with_value(patch, "layers.a.filter.drive", 9.0)) < -80.0


def test_a_filter_that_is_driven_again_has_forgotten_what_rang_in_it() -> None:
    """A note that is driven rings and is cut off; another is driven while it sounds, later: it sounds as if it were the first."""
    patch = with_value(plain(layers__a__source__shape="sine", layers__a__pan=0.0), "layers.a.level", -24.0)
    patch = replace_module(
        patch, "layers.a.filter", Filter.kinds["state_variable"](on=True, resonance=1.0, cutoff=9000.0)
    )
    driven = with_value(patch, "layers.a.filter.drive", 30.0)

    def sound(earlier: Patch) -> NDArray[np.float64]:
        program = Program(patch, float(RATE), BLOCK)
        program.values[: program.whole] = patch_values(earlier)
        for n in range(471):
            program.block({0: [Event(0, ON, 100, 1.0)], 10: [Event(0, OFF, 100)]}.get(n, []))
            if n == 410:
                program.values[: program.whole] = patch_values(patch)
        out = [program.block([Event(0, ON, 45, 1.0)]).copy()]
        out += [program.block().copy() for _ in range(BEFORE - 1)]
        program.values[: program.whole] = patch_values(driven)
        return np.concatenate([*out, *(program.block().copy() for _ in range(AFTER))], axis=1).astype(np.float64)

    assert np.abs(sound(driven) - sound(patch)).max() < 1e-6
