"""Control from outside: messages as bytes, files written by mido, clocks, programs, and the map of what is learned."""

from __future__ import annotations

import json
from pathlib import Path

import mido
import numpy as np
import pytest
from mido import Message

from felt_dial.live.midi.control_map import BadControlMap, ControlMap, read_map, turned
from felt_dial.live.midi.controller import Clock, Reader, SimulatedController, gesture
from felt_dial.live.midi.midi_file import read_midi
from felt_dial.patch.documents.changes import renamed
from felt_dial.patch.documents.kind import DocumentKind
from felt_dial.patch.patch import param_at
from felt_dial.patch.units import Beats
from felt_dial.sound.engine.program import Program
from felt_dial.sound.modules import new_patch
from felt_dial.sound.playing.events import OFF, ON, PANIC, TEMPO, Event
from felt_dial.sound.render import render
from tests.sound.listening import RATE, plain


def test_controllers_without_a_meaning_are_told_and_a_pair_is_one_with_14_bits() -> None:
    """MIDI 1.0: controllers 32–63 are the fine halves of 0–31; a fine half alone is a controller of its own."""
    reader = Reader()
    for number, value in ((20, 127), (45, 64), (13, 64), (45, 0)):
        assert reader.read(Message("control_change", control=number, value=value), 0) == []
    assert reader.controls == [(20, 1.0), (45, 64 / 127), (13, 64 / 127), (13, 64 * 128 / 16383)]


def test_programs_come_with_their_bank() -> None:
    reader = Reader()
    for message in (
        Message("control_change", control=0, value=1),
        Message("control_change", control=32, value=2),
        Message("program_change", program=5),
    ):
        reader.read(message, 0)
    assert reader.programs == [(130, 5)] and reader.controls == []


@pytest.mark.parametrize("tempo", [60.0, 97.5, 174.0])
def test_a_clock_of_24_ticks_a_beat_tells_its_tempo(tempo: float) -> None:
    clock = Clock()
    for n in range(49):
        clock.tick(n * 60.0 / tempo / 24)
    assert clock.tempo == pytest.approx(tempo, abs=0.05)
    assert not clock.gone(48 * 60.0 / tempo / 24 + 0.1) and clock.gone(48 * 60.0 / tempo / 24 + 0.6)


def test_a_clock_rules_times_in_beats() -> None:
    patch = plain(tempo=120.0)
    program = Program(patch)
    program.clock_tempo = 60.0
    assert program.tempo == 60.0
    program.clock_tempo = 0.0
    assert program.tempo == 120.0


def running_status(path: Path) -> None:
    """A file by hand, after the Standard MIDI File 1.0: the status byte 0x90 is written once for four notes."""
    track = bytes.fromhex("00 90 3C 64 60 40 64 60 3C 00 00 40 00 00 FF 2F 00")
    head = b"MThd" + (6).to_bytes(4, "big") + bytes.fromhex("0000 0001 0060")
    path.write_bytes(head + b"MTrk" + len(track).to_bytes(4, "big") + track)


def test_running_status_and_a_velocity_of_nothing(tmp_path: Path) -> None:
    running_status(tmp_path / "run.mid")
    events, length = read_midi(tmp_path / "run.mid", 120.0, RATE)
    notes = [(e.kind, e.key) for e in events if e.kind in (ON, OFF)]
    assert notes == [(ON, 60), (ON, 64), (OFF, 60), (OFF, 64)] and length == pytest.approx(1.0, abs=0.01)


def test_what_a_file_leaves_held_is_let_go_and_all_notes_off_is_heard(tmp_path: Path) -> None:
    """A file by mido with a note that never ends, and one that ends by controller 123."""
    file, track = mido.MidiFile(), mido.MidiTrack()
    file.tracks.append(track)
    track += [Message("note_on", note=60, velocity=90, time=0), Message("note_on", note=64, velocity=90, time=240)]
    track += [
        Message("control_change", control=123, value=0, time=240),
        Message("note_on", note=67, velocity=90, time=240),
    ]
    file.save(tmp_path / "stuck.mid")
    events, length = read_midi(tmp_path / "stuck.mid", 120.0, RATE)
    assert [e.kind for e in events].count(PANIC) == 2 and events[-1].kind == PANIC
    sound = render(plain(), [], length + 0.5, events=events)
    silent = np.abs(sound[0, round((length + 0.1) * RATE) :]).max()
    between = np.abs(sound[0, round(0.6 * RATE) : round(0.7 * RATE)]).max()
    assert silent == 0.0 and between == 0.0


def test_the_performance_that_comes_along_is_what_the_simulated_controller_plays() -> None:
    path = Path(__file__).parents[2] / "felt_dial" / "data" / "midi" / "three-fingers.mid"
    events, length = read_midi(path, 120.0, RATE)
    reader, played = Reader(), []
    for seconds, message in gesture():
        played += reader.read(message, round(seconds * RATE))
    events = [event for event in events if event.kind != TEMPO]
    assert [(e.kind, e.key, e.channel) for e in events[:-1]] == [(e.kind, e.key, e.channel) for e in played]
    assert max(abs(a.frame - b.frame) for a, b in zip(events, played, strict=False)) < RATE * 0.002
    assert length == pytest.approx(gesture()[-1][0], abs=0.01)


def test_the_simulated_controller_plays_what_its_window_sends_and_rests_when_told() -> None:
    controller = SimulatedController()
    assert controller.perform(False) == [Event(0, PANIC)]
    controller.send([0x90, 60, 100])
    controller.send([0xB0, 21, 127])
    controller.send([0x90])
    assert controller.block(256, RATE) == [Event(0, ON, 60, 100 / 127)]
    assert controller.reader.controls == [(21, 1.0)] and controller.block(RATE, RATE) == []


def test_a_map_is_learned_written_and_read_and_a_bad_one_refused(tmp_path: Path) -> None:
    made = ControlMap()
    made.learn(20, "macros.m1")
    made.learn(21, "macros.m1")
    made.learn(20, "layers.a.pan")
    assert read_map(made.write(), "x").entries == {20: "layers.a.pan", 21: "macros.m1"}
    assert made.controls_of("macros.m1") == [21]
    for taken in (1, 64, 123):
        with pytest.raises(BadControlMap, match="cannot be learned"):
            made.learn(taken, "macros.m1")
    for text in (
        "{",
        "[]",
        json.dumps({"format": 9, "controllers": {}}),
        json.dumps({"format": 1, "controllers": {"300": "x"}}),
    ):
        with pytest.raises(BadControlMap, match="stays"):
            read_map(text, "“it”")


def test_a_turned_controller_goes_the_way_of_its_dial() -> None:
    patch = new_patch()
    cutoff = param_at(patch, "layers.a.filter.cutoff")
    assert turned(cutoff, 0.0, 1.0) == 20.0 and turned(cutoff, 1.0, 1.0) == 20000.0
    assert turned(cutoff, 0.5, 1.0) == pytest.approx((20.0 * 20000.0) ** 0.5)
    assert turned(param_at(patch, "layers.a.on"), 0.4, True) is False
    assert turned(param_at(patch, "layers.a.out"), 0.99, "rack") == "bus3"
    assert isinstance(turned(param_at(patch, "modulators.e1.attack"), 0.5, Beats(1.0)), Beats)


def test_a_renamed_parameter_keeps_its_learned_controllers() -> None:
    """A map of an earlier format: the controller turns the parameter under its new name, others stay."""
    kind = DocumentKind("control map", 2, {1: renamed("effect", "trim", "level", "gain")})
    old = {
        "format": 1,
        "controllers": {"20": "racks.1.trim2.level", "21": "racks.1.delay1.level", "22": "layers.a.level"},
    }
    read = kind.read(json.dumps(old), "the map")
    assert read["controllers"] == {"20": "racks.1.trim2.gain", "21": "racks.1.delay1.level", "22": "layers.a.level"}
    source = renamed("source", "noise", "rate", "hold_rate")(
        {"controllers": {"9": "layers.b.source.rate", "8": "tempo"}}
    )
    assert source["controllers"] == {"9": "layers.b.source.hold_rate", "8": "tempo"}
