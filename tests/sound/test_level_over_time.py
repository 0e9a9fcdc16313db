"""The level over time of a layer or a bus goes by anything: curves, LFOs, steps, blends; linear in amplitude."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray
from pydantic import ValidationError

from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.edits import add_effect, add_modulator, duplicate_layer, remove_modulator
from felt_dial.patch.module import Effect, Modulator
from felt_dial.patch.params import OutOfRange
from felt_dial.patch.patch import Patch, put, with_value
from felt_dial.patch.phrase import Note
from felt_dial.sound.engine.carry_over import carry_on
from felt_dial.sound.engine.program import Program
from felt_dial.sound.playing.events import OFF, ON, Event
from felt_dial.sound.render import render
from tests.sound.listening import RATE, plain

SINE = plain(layers__a__source__shape="sine")
FALL = ((0.0, 1.0, 0.0), (1.0, 0.0, 0.0))


def shaped(kind: str, path: str = "layers.a", base: Patch = SINE, **values: object) -> Patch:
    """A patch whose level over time goes by a new mover."""
    patch, key = add_modulator(base, Modulator.kinds[kind](**values))
    return put(patch, [*path.split("."), "contour"], key)


def amplitude(sound: NDArray[np.float32], at: float) -> float:
    """Amplitude of a 440 Hz sine around a time, by its quadratures over whole periods."""
    t = np.arange(int((at - 0.0115) * RATE), int((at + 0.0115) * RATE))
    part = sound[0, t].astype(float)
    turn = np.exp(-2j * np.pi * 440.0 * t / RATE)
    return float(2.0 * abs(np.mean(part * turn)))


def played(patch: Patch, held: float = 0.6, seconds: float = 1.2) -> NDArray[np.float32]:
    return render(patch, [Note(0, held, 69)], seconds)


def test_a_curve_is_linear_in_amplitude_and_goes_its_way_after_the_key() -> None:
    sound = played(shaped("curve", length=1.0, line=FALL), held=0.2)
    full = amplitude(played(SINE), 0.3)
    for at in (0.1, 0.3, 0.5, 0.7, 0.9):
        assert amplitude(sound, at) / full == pytest.approx(1.0 - at, abs=0.01), at
    assert np.abs(sound[:, int(1.02 * RATE) :]).max() == 0.0, "and the note is over with it"


@pytest.mark.parametrize(
    ("kind", "values"),
    [
        ("lfo", {"rate": 5.0}),
        ("steps", {}),
        ("blend", {"first": "e1", "second": "e1"}),
        ("curve", {"loop": "on", "line": FALL}),
    ],
)
def test_what_goes_on_by_itself_closes_within_five_milliseconds_of_the_key(
    kind: str, values: dict[str, object]
) -> None:
    sound = played(shaped(kind, **values), held=0.6)
    assert np.abs(sound[:, : int(0.58 * RATE)]).max() > 0.1
    assert np.abs(sound[:, int(0.6 * RATE) + 384 :]).max() == 0.0
    steps = np.abs(np.diff(sound[0].astype(float)))[int(0.599 * RATE) : int(0.61 * RATE)]
    assert steps.max() < 0.06, "no step: a sine at 440 Hz of this level goes 0.029 a frame"


def test_an_lfo_is_its_wave_from_silence_to_full() -> None:
    sound = played(shaped("lfo", rate=2.0, shape="triangle", start="per note"), held=1.0)
    levels = [amplitude(sound, at) for at in np.arange(0.05, 0.95, 0.0125)]
    full = amplitude(played(SINE), 0.3)
    assert max(levels) == pytest.approx(full, rel=0.05) and min(levels) < 0.06 * full


def test_a_curve_that_ends_above_silence_is_held_until_the_key_goes_up() -> None:
    sound = played(shaped("curve", length=0.2, line=((0.0, 1.0, 0.0), (1.0, 0.5, 0.0))), held=0.6)
    assert amplitude(sound, 0.5) == pytest.approx(0.5 * amplitude(played(SINE), 0.3), rel=0.02)
    assert np.abs(sound[:, int(0.61 * RATE) :]).max() == 0.0


def test_voices_are_given_back_when_the_level_is_over() -> None:
    program = Program(shaped("curve", length=0.1, line=FALL))
    program.block([Event(0, ON, 69, 0.8)])
    for _ in range(30):
        program.block()
    assert not program.voices.sounding.any(), "the curve is over though the key is down"
    program = Program(shaped("lfo", rate=3.0))
    program.block([Event(0, ON, 69, 0.8)])
    for _ in range(200):
        program.block()
    assert program.voices.sounding.any()
    program.block([Event(0, OFF, 69, 0.0)])
    for _ in range(4):
        program.block()
    assert not program.voices.sounding.any()


def test_each_layer_goes_by_its_own_and_the_note_lasts_as_long_as_the_longest() -> None:
    patch = with_value(duplicate_layer(shaped("curve", length=0.1, line=FALL), "a")[0], "layers.b.octave", 1)
    patch = put(patch, ["layers", "b", "contour"], "e1")
    sound = played(patch, held=0.5)
    turn = np.exp(-2j * np.pi * 880.0 * np.arange(sound.shape[1]) / RATE)
    late = slice(int(0.3 * RATE), int(0.4 * RATE))
    assert 2 * abs(np.mean(sound[0, late] * turn[late])) > 0.1 and amplitude(sound, 0.35) < 2e-3


def test_a_bus_has_a_level_over_time_and_what_rings_in_it_is_shut() -> None:
    """A resonant comb rings long after a short note; a gate over the bus ends it."""
    ringing = with_value(with_value(SINE, "layers.a.out", "bus1"), "buses.1.filter.on", True)
    ringing = with_value(with_value(ringing, "buses.1.filter.resonance", 0.98), "buses.1.filter.cutoff", 440.0)
    gate, key = add_modulator(
        ringing, Modulator.kinds["curve"](length=0.1, line=((0.0, 1.0, 0.0), (0.9, 1.0, 0.0), (1.0, 0.0, 0.0)))
    )
    gated = put(gate, ["buses", "1", "contour"], key)
    plain_one, shut = played(ringing, held=0.09), played(gated, held=0.09)
    after = slice(int(0.105 * RATE), int(0.2 * RATE))
    assert np.abs(plain_one[:, after]).max() > 0.01 and np.abs(shut[:, after]).max() == 0.0
    early = slice(0, int(0.08 * RATE))
    assert np.allclose(plain_one[:, early], shut[:, early], atol=1e-6)


def test_it_is_kept_in_documents_and_refused_where_it_cannot_be() -> None:
    patch = shaped("steps", "buses.2", shaped("curve"))
    assert read_patch(write_patch(patch), "it") == patch
    assert '"contour"' not in write_patch(SINE).split('"buses"')[1].split('"modulators"')[0], (
        "older buses stay as they were"
    )
    with pytest.raises(ValidationError, match="nothing that shapes a level"):
        Patch.model_validate(
            {**patch.model_dump(), "layers": {"a": {**patch.layers["a"].model_dump(), "contour": "v"}}}
        )
    for mover, whose in (("c1", "layer A"), ("s1", "bus 2")):
        with pytest.raises(OutOfRange, match=f"shapes the level of {whose}"):
            remove_modulator(patch, mover)


def test_where_in_a_block_a_note_falls_and_which_block_it_is_make_no_difference() -> None:
    patch = shaped("curve", length=0.3, line=FALL)
    whole = render(patch, [Note(0, 1.0, 69)], 0.5)
    for first in (16, 96, 240):
        program = Program(patch)
        out = [program.block([Event(first, ON, 69, 96 / 127)])]
        out = [out[0].copy()] + [program.block().copy() for _ in range(70)]
        sound = np.concatenate(out, axis=1)[:, first + program.late :]
        length = int(0.28 * RATE)
        assert np.abs(sound[:, :length] - whole[:, :length]).max() < 2e-5, first


@pytest.mark.parametrize("path", ["layers.a", "buses.1"])
@pytest.mark.parametrize(
    ("kind", "values"),
    [
        ("lfo", {"rate": 3.0}),
        ("steps", {}),
        ("curve", {"length": 3.0, "line": FALL}),
        ("curve", {"loop": "on", "line": FALL}),
    ],
)
def test_an_edit_under_a_held_note_does_not_end_it(kind: str, path: str, values: dict[str, object]) -> None:
    """What went on before goes on, bit for bit, and a key that goes up after the edit still shuts it."""
    base = with_value(SINE, "layers.a.out", "bus1") if path == "buses.1" else SINE
    patch = shaped(kind, path, base, **values)
    old, still = Program(patch), Program(patch)
    for program in (old, still):
        program.block([Event(0, ON, 69, 0.8)])
        for _ in range(30):
            program.block()
    fresh = Program(add_effect(patch, "2", Effect.kinds["delay"]())[0])
    carry_on(fresh, old)
    blocks = [(fresh.block().copy(), still.block().copy()) for _ in range(60)]
    assert all(np.array_equal(sound, before) for sound, before in blocks)
    assert np.abs(np.concatenate([sound for sound, _ in blocks[-40:]], axis=1)).max() > 0.05
    fresh.block([Event(0, OFF, 69, 0.0)])
    for _ in range(600 if values.get("length") else 8):
        fresh.block()
    assert np.abs(fresh.block()).max() == 0.0 and not fresh.voices.sounding.any()


@pytest.mark.parametrize("held", [True, False])
def test_another_mover_may_become_the_level_under_a_note(held: bool) -> None:
    """A held note goes on by it; one that was let go before is shut, and does not hang."""
    patch = with_value(SINE, "modulators.e1.release", 4.0)
    old = Program(patch)
    old.block([Event(0, ON, 69, 0.8)])
    for _ in range(20):
        old.block([] if held else [Event(0, OFF, 69, 0.0)])
    fresh = Program(shaped("lfo", base=patch, rate=3.0))
    carry_on(fresh, old)
    for _ in range(40):
        fresh.block()
    assert bool(fresh.voices.sounding.any()) is held
