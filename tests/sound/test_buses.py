"""Buses: where layers meet note by note, in parallel, in series, and on to the racks."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from scipy import signal

from felt_dial.patch.edits import (
    add_effect,
    add_layer,
    add_modulator,
    add_send,
    duplicate_layer,
    remove_layer,
    remove_send,
    replace_module,
    sew,
)
from felt_dial.patch.module import Effect, Filter, Modulator
from felt_dial.patch.params import OutOfRange
from felt_dial.patch.patch import Patch, audio_rate_modulators, slots, sounding, with_value
from felt_dial.patch.phrase import Note
from felt_dial.patch.reach import silent_because
from felt_dial.patch.routing import bus_layers, inputs_of, words
from felt_dial.sound.engine.carry_over import carry_on
from felt_dial.sound.engine.program import Program
from felt_dial.sound.modules import new_layer, new_patch
from felt_dial.sound.playing.events import OFF, ON, Event
from felt_dial.sound.render import render
from tests.sound.listening import RATE, amplitude_at, decibels, plain, steady


def layered() -> Patch:
    patch = plain(layers__a__source__shape="saw", layers__a__level=-18.0)
    return duplicate_layer(patch, "a")[0]


def test_a_bus_that_does_nothing_is_bit_equal_to_none() -> None:
    patch, notes = plain(layers__a__source__shape="saw"), [Note(0, 0.5, 50)]
    straight = render(patch, notes, 0.8)
    bussed = with_value(patch, "layers.a.out", "bus1")
    chained = with_value(with_value(bussed, "buses.1.out", "bus2"), "buses.2.out", "bus3")
    assert np.array_equal(render(bussed, notes, 0.8), straight)
    assert np.array_equal(render(chained, notes, 0.8), straight)
    both = with_value(with_value(layered(), "layers.a.out", "bus1"), "layers.b.out", "bus1")
    assert np.abs(render(both, notes, 0.8) - render(layered(), notes, 0.8)).max() < 1e-6, (
        "only the order of adding differs"
    )


def test_two_band_passes_side_by_side_into_a_high_pass() -> None:
    """Serial and parallel filters: the response of the routing is the sum of two bands times the high-pass (scipy)."""
    patch = with_value(with_value(layered(), "layers.a.out", "bus1"), "layers.b.out", "bus2")
    for bus, response, cutoff in (("1", "band 12", 400.0), ("2", "band 12", 2000.0), ("3", "high 12", 300.0)):
        for name, value in (("on", True), ("response", response), ("cutoff", cutoff)):
            patch = with_value(patch, f"buses.{bus}.filter.{name}", value)
    patch = with_value(with_value(patch, "buses.1.out", "bus3"), "buses.2.out", "bus3")
    plain_sound, routed = steady(layered(), 45), steady(patch, 45)

    def prototype(top: list[float], cutoff: float, f: float) -> complex:
        w = 2 * RATE * np.tan(np.pi * cutoff / RATE)
        b, a = signal.bilinear(*signal.lp2lp(top, [1, np.sqrt(2), 1], w), RATE)
        return complex(signal.freqz(b, a, [f], fs=RATE)[1][0])

    for n in (2, 4, 9, 18, 40):
        f = 110.0 * n
        bands = 0.5 * (prototype([np.sqrt(2), 0], 400.0, f) + prototype([np.sqrt(2), 0], 2000.0, f))
        expected = decibels(abs(bands * prototype([1, 0, 0], 300.0, f)))
        assert decibels(amplitude_at(routed, f) / amplitude_at(plain_sound, f)) == pytest.approx(expected, abs=0.15), n


def test_a_bus_goes_to_rack_two_and_one_layer_alone_into_a_reverb() -> None:
    patch = with_value(layered(), "layers.b.out", "bus1")
    patch = with_value(with_value(patch, "buses.1.out", "rack2"), "rack2", "out")
    patch = add_effect(patch, "2", Effect.kinds["reverb"](wet=1.0, decay=4.0))[0]
    tail = render(patch, [Note(0, 0.2, 50)], 2.0)[:, RATE:]
    dry = render(with_value(patch, "layers.b.mute", True), [Note(0, 0.2, 50)], 2.0)[:, RATE:]
    assert np.abs(tail).max() > 1e-3 and np.abs(dry).max() < 1e-6


def test_a_bus_rings_on_after_the_note_and_then_ends() -> None:
    """A comb in a bus outlives the layers' envelopes, fades within half a second, and gives its voice back."""
    patch = with_value(with_value(plain(), "layers.a.out", "bus1"), "buses.1.filter.on", True)
    patch = replace_module(patch, "buses.1.filter", Filter.kinds["comb"](on=True, resonance=1.0))
    patch = with_value(patch, "modulators.e1.release", 0.005)
    program = Program(patch, RATE)
    program.block([Event(0, ON, 57, 1.0)])
    for _ in range(30):
        program.block()
    program.block([Event(0, OFF, 57)])
    peaks = [float(np.abs(program.block()).max()) for _ in range(200)]
    assert peaks[20] > 0.01 and peaks[-1] == 0.0 and not len(program.voices.active)
    assert max(b - a for a, b in pairwise(peaks[5:])) < 0.05, "it fades without a step"


def test_buses_are_told_apart_per_note() -> None:
    """Two notes through a driven bus make no difference tones: the bus bends note by note, as a layer does."""
    patch = with_value(plain(layers__a__source__shape="sine", layers__a__level=-6.0), "layers.a.out", "bus1")
    patch = with_value(with_value(patch, "buses.1.drive.on", True), "buses.1.drive.amount", 18.0)
    sound = render(patch, [Note(0, 2, 69), Note(0, 2, 76)], 1.8)[0].astype(np.float64)[RATE // 2 :]
    beat = 2 * 440.0 - 440.0 * 2 ** (7 / 12)
    assert decibels(amplitude_at(sound, beat) / amplitude_at(sound, 440.0) + 1e-9) < -70.0


def test_layers_that_swing_a_cutoff_are_known_and_forgotten() -> None:
    patch, other = add_layer(new_patch(), new_layer())
    patch = with_value(with_value(patch, "layers.a.swung", other), "buses.2.swung", other)
    assert audio_rate_modulators(patch, "a") == [other, other]
    patch = remove_layer(patch, other)
    assert patch.layers["a"].swung == "none" and patch.buses["2"].swung == "none"


def test_a_layer_swings_the_cutoff_of_another_and_of_a_bus() -> None:
    for where in ("layers.a", "buses.1"):
        patch = with_value(plain(layers__a__source__shape="sine"), "layers.a.out", "bus1")
        patch, other = add_layer(patch, new_layer())
        patch = with_value(with_value(patch, f"layers.{other}.source.shape", "sine"), f"layers.{other}.out", "none")
        patch = with_value(with_value(patch, f"layers.{other}.fixed", True), f"layers.{other}.frequency", 90.0)
        for name, value in (("on", True), ("response", "band 12"), ("cutoff", 800.0), ("resonance", 0.6)):
            patch = with_value(patch, f"{where}.filter.{name}", value)
        still = steady(patch, 69)
        swung = steady(with_value(with_value(patch, f"{where}.swung", other), f"{where}.swing", 2.0), 69)
        levels = [decibels(amplitude_at(s, 530.0) / amplitude_at(s, 440.0) + 1e-9) for s in (still, swung)]
        assert levels[0] < -80.0 and levels[1] > -40.0, where


def test_every_bus_dial_can_be_moved_by_an_envelope_note_by_note() -> None:
    patch = with_value(
        with_value(plain(layers__a__source__shape="saw"), "layers.a.out", "bus1"), "buses.1.filter.on", True
    )
    patch = with_value(patch, "buses.1.filter.cutoff", 200.0)
    patch, envelope = add_modulator(patch, Modulator.kinds["envelope"](attack=0.5, sustain=1.0))
    patch, _ = sew(patch, envelope, "buses.1.filter.cutoff", 48.0)
    sound = render(patch, [Note(0, 1.2, 45)], 1.2)[0].astype(np.float64)
    early, late = sound[2400:7200], sound[-RATE // 4 :]
    brightness = [decibels(amplitude_at(s, 1100.0) / amplitude_at(s, 110.0)) for s in (early, late)]
    assert brightness[1] > brightness[0] + 15.0


def test_a_bus_may_go_only_onward_and_old_documents_have_three() -> None:
    for bus, wrong in (("2", "bus1"), ("3", "bus2"), ("1", "bus1")):
        with pytest.raises(Exception, match="Goes to"):
            with_value(new_patch(), f"buses.{bus}.out", wrong)
    old = new_patch().model_dump()
    del old["buses"]
    for layer in old["layers"].values():
        del layer["drive"]
    assert Patch.model_validate(old) == new_patch()
    with pytest.raises(ValueError, match="no '9'"):
        Patch.model_validate(new_patch().model_dump() | {"buses": {"9": {}}})
    patch = with_value(with_value(new_patch(), "layers.a.out", "bus1"), "buses.1.out", "bus3")
    assert bus_layers(patch, "3") == ["a"] == bus_layers(patch, "1") and bus_layers(patch, "2") == []


def test_what_sounds_is_listed_in_one_order_for_engine_and_window() -> None:
    patch = add_effect(layered(), "2", Effect.kinds["delay"]())[0]
    paths = sounding(patch)
    assert paths[:3] == ["layers.a.source", "layers.a.drive", "layers.a.filter"] and paths[-1] == "racks.2.delay1"
    assert [placed.path for placed in Program(patch, RATE).running()] == paths and "buses.3.after" in paths


def test_a_rerouted_layer_goes_over_without_a_click() -> None:
    """From rack 1 to bus 2 and back while a sine is held: no step larger than twice the sine's own."""
    patch = plain(layers__a__source__shape="sine", layers__a__level=-12.0)
    program = Program(patch, RATE)
    at = program.at["layers.a.out"]
    out = [program.block([Event(0, ON, 57, 1.0)]).copy()]
    for n in range(120):
        if n in (40, 80):
            program.values[at] = 5.0 if n == 40 else 0.0
        out.append(program.block().copy())
    sound = np.concatenate(out, axis=1)[0, 2000:].astype(np.float64)
    assert np.abs(np.diff(sound)).max() < 2.0 * np.abs(np.diff(sound[:4000])).max()


def test_a_bus_carries_on_through_an_edit_of_the_structure() -> None:
    """An effect is added while a bus rings: the ringing goes on, no voice is lost."""
    patch = with_value(
        with_value(plain(layers__a__source__shape="saw"), "layers.a.out", "bus1"), "buses.1.filter.on", True
    )
    program = Program(patch, RATE)
    program.block([Event(0, ON, 57, 1.0)])
    for _ in range(30):
        program.block()
    before = np.abs(program.block()).max()
    fresh = Program(add_effect(patch, "1", Effect.kinds["trim"]())[0], RATE)
    carry_on(fresh, program)
    peaks = [float(np.abs(fresh.block()).max()) for _ in range(4)]
    assert min(peaks) > 0.7 * before and len(fresh.voices.active) == 1


def test_the_level_and_pan_of_a_bus_are_what_they_say() -> None:
    """6 dB and a full turn to the right, equal power (common practice): +6.02 dB, and +3.01 on the one side."""
    patch = with_value(
        plain(layers__a__source__shape="sine", layers__a__level=-18.0, layers__a__pan=0.0), "layers.a.out", "bus1"
    )
    base = render(patch, [Note(0, 1, 69)], 0.5)[:, RATE // 4 :]
    loud = render(with_value(patch, "buses.1.level", 6.0), [Note(0, 1, 69)], 0.5)[:, RATE // 4 :]
    right = render(with_value(patch, "buses.1.pan", 1.0), [Note(0, 1, 69)], 0.5)[:, RATE // 4 :]
    assert decibels(float(np.abs(loud).max() / np.abs(base).max())) == pytest.approx(6.0, abs=0.01)
    assert np.abs(right[0]).max() < 1e-6
    assert decibels(float(np.abs(right[1]).max() / np.abs(base[1]).max())) == pytest.approx(3.01, abs=0.02)


def test_a_stolen_note_leaves_its_bus_without_a_click() -> None:
    patch = with_value(plain(layers__a__source__shape="sine", layers__a__level=-12.0), "layers.a.out", "bus1")
    patch = with_value(with_value(patch, "voices", 1), "buses.1.filter.on", True)
    program = Program(patch, RATE)
    out = [program.block([Event(0, ON, 57, 1.0)]).copy()]
    out += [program.block([Event(0, ON, 64, 1.0)] if n == 40 else []).copy() for n in range(90)]
    sound = np.concatenate(out, axis=1)[0, 2000:].astype(np.float64)
    own = np.abs(np.diff(np.sin(2 * np.pi * 330 * np.arange(2000) / RATE))).max() * np.abs(sound).max()
    assert np.abs(np.diff(sound)).max() < 3.0 * own


# --- sends ---------------------------------------------------------------------------------------


def test_six_squares_through_two_band_passes_side_by_side_into_a_high_pass() -> None:
    """Each layer goes to one band and sends to the other: the sum of both bands times the high-pass (scipy), from outside."""
    patch = plain(layers__a__source__shape="pulse", layers__a__level=-30.0)
    for n, pitch in enumerate((3.86, 7.02, 10.7, 14.2, 17.5), 1):
        patch = duplicate_layer(patch, "a")[0]
        patch = with_value(patch, f"layers.{'abcdef'[n]}.pitch", pitch)
    dry = patch
    for key in patch.layers:
        patch = add_send(with_value(patch, f"layers.{key}.out", "bus1"), f"layers.{key}", "bus2", 0.0)
    for bus, response, cutoff in (("1", "band 12", 4900.0), ("2", "band 12", 8900.0), ("3", "high 12", 7000.0)):
        for name, value in (("on", True), ("response", response), ("cutoff", cutoff)):
            patch = with_value(patch, f"buses.{bus}.filter.{name}", value)
    patch = with_value(with_value(patch, "buses.1.out", "bus3"), "buses.2.out", "bus3")
    assert sorted(bus_layers(patch, "3")) == list("abcdef")
    plain_sound, routed = steady(dry, 69), steady(patch, 69)

    def prototype(top: list[float], cutoff: float, f: float) -> complex:
        w = 2 * RATE * np.tan(np.pi * cutoff / RATE)
        b, a = signal.bilinear(*signal.lp2lp(top, [1, np.sqrt(2), 1], w), RATE)
        return complex(signal.freqz(b, a, [f], fs=RATE)[1][0])

    for n in (3, 7, 11, 19, 25):
        f = 440.0 * n
        bands = prototype([np.sqrt(2), 0], 4900.0, f) + prototype([np.sqrt(2), 0], 8900.0, f)
        expected = decibels(abs(bands * prototype([1, 0, 0], 7000.0, f)))
        assert decibels(amplitude_at(routed, f) / amplitude_at(plain_sound, f)) == pytest.approx(expected, abs=0.2), n


def test_a_send_is_the_layer_once_more_at_its_level() -> None:
    """Through an idle bus it adds in phase: −6.02 dB doubles by half; to rack 2 as well as to a bus, and out of a bus."""
    notes = [Note(0, 0.5, 50)]
    patch = plain(layers__a__source__shape="saw", layers__a__level=-18.0, layers__a__pan=0.4)
    once = render(patch, notes, 0.8)
    half = float(20 * np.log10(0.5))
    for where in ("direct", "rack2", "bus1", "bus2", "bus3"):
        assert np.abs(render(add_send(patch, "layers.a", where, half), notes, 0.8) - 1.5 * once).max() < 2e-6, where
    bussed = with_value(patch, "layers.a.out", "bus1")
    for where in ("direct", "rack2", "bus2", "bus3"):
        assert np.abs(render(add_send(bussed, "buses.1", where, half), notes, 0.8) - 1.5 * once).max() < 2e-6, where
    silent = add_send(with_value(patch, "layers.a.out", "none"), "layers.a", "bus3", 0.0)
    assert np.abs(render(silent, notes, 0.8) - once).max() < 2e-6
    assert not render(with_value(silent, "layers.a.sends.bus3.level", -60.0), notes, 0.8).any(), (
        "the low end is nothing"
    )
    assert not render(with_value(silent, "layers.a.mute", True), notes, 0.8).any(), "mute is for all of the layer"


def test_half_dry_and_half_into_a_comb() -> None:
    """The dry sound and that of the comb add up, and a thread moves the send alone."""
    notes = [Note(0, 0.6, 57)]
    patch = plain(layers__a__source__shape="saw", layers__a__level=-18.0)
    patch = replace_module(patch, "buses.1.filter", Filter.kinds["comb"](on=True, distance=7.0, resonance=0.8))
    dry, wet = render(patch, notes, 1.0), render(with_value(patch, "layers.a.out", "bus1"), notes, 1.0)
    both = add_send(patch, "layers.a", "bus1", 0.0)
    assert np.abs(render(both, notes, 1.0) - dry - wet).max() < 2e-6
    patch, lfo = add_modulator(both, Modulator.kinds["lfo"](rate=8.0))
    moved = sew(patch, lfo, "layers.a.sends.bus1.level", -30.0)[0]
    assert np.abs(render(moved, notes, 1.0) - render(both, notes, 1.0)).max() > 0.02
    assert (
        silent_because(add_send(with_value(both, "layers.a.out", "none"), "layers.a", "bus1"), "layers.a.pitch") is None
    )


def test_a_driven_way_and_a_plain_one_meet_in_step() -> None:
    """A drive that bends nothing beside the plain sound: no comb up to 11 kHz, within 0.3 dB; at every quality."""
    patch = plain(layers__a__source__shape="saw", layers__a__level=-40.0)
    patch = add_send(patch, "layers.a", "bus2", 0.0)
    for name, value in (("on", True), ("way", "hard"), ("amount", 0.0), ("kept", False)):
        patch = with_value(patch, f"buses.2.drive.{name}", value)
    for quality in (1, 2, 8):
        driven = steady(patch, 45, quality=quality)
        straight = steady(with_value(patch, "buses.2.drive.on", False), 45, quality=quality)
        for n in (1, 9, 40, 70, 100):
            change = decibels(amplitude_at(driven, 110.0 * n) / amplitude_at(straight, 110.0 * n))
            assert change == pytest.approx(0.0, abs=0.3), (quality, n)


def test_a_send_that_would_go_round_is_refused_in_words_and_threads_go_with_a_send() -> None:
    patch = add_send(layered(), "layers.a", "bus2")
    with pytest.raises(OutOfRange, match="Bus 3 cannot send to bus 1, which may come to it"):
        add_send(patch, "buses.3", "bus1")
    with pytest.raises(OutOfRange, match="no place"):
        add_send(patch, "layers.a", "attic")
    with pytest.raises(ValueError, match="round and round"):
        Patch.model_validate(
            patch.model_dump() | {"buses": patch.model_dump()["buses"] | {"2": {"sends": {"bus2": {}}}}}
        )
    patch, lfo = add_modulator(patch, Modulator.kinds["lfo"]())
    patch, key = sew(patch, lfo, "layers.a.sends.bus2.level", 6.0)
    assert key not in remove_send(patch, "layers.a", "bus2").threads
    assert any(slot.path == "layers.a.sends.bus2.level" for slot in slots(patch))
    assert inputs_of(add_send(patch, "layers.b", "rack2"), "rack2") == ["B"]
    assert "A at −6.0\u2009dB also → bus 2" in words(patch) and "bus 2 (nothing yet) → rack 1" in words(patch)
