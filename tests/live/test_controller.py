"""Controllers: what their messages mean, and the simulated one through the engine."""

from __future__ import annotations

import sys
import threading
import time
from pathlib import Path
from types import SimpleNamespace
from typing import Any, ClassVar

import mido
import numpy as np
import pytest
from mido import Message

from felt_dial.live.engine import note_input
from felt_dial.live.link.link import EngineLink
from felt_dial.live.link.messages import Perform, SendMidi, TakeController
from felt_dial.live.midi import midi_ports
from felt_dial.live.midi.controller import (
    NoController,
    Reader,
    RealController,
    SimulatedController,
    list_controllers,
    open_controller,
)
from felt_dial.live.midi.midi_file import read_midi
from felt_dial.patch.patch import with_value
from felt_dial.patch.phrase import Note
from felt_dial.sound.engine.program import Program
from felt_dial.sound.modules import new_patch
from felt_dial.sound.playing.events import BEND, OFF, ON, PANIC, PRESSURE, RANGE, SLIDE, SOSTENUTO, SUSTAIN, WHEEL
from felt_dial.sound.render import render
from tests.live.conftest import engine, until
from tests.sound.listening import exact_frequency, plain


def test_channel_messages_become_events_of_the_whole_patch() -> None:
    """MIDI 1.0: controllers 1, 64 and 66 are mod wheel, sustain and sostenuto; a note-on of velocity 0 is a note-off."""
    reader = Reader()
    messages = [
        (Message("note_on", note=60, velocity=127), (ON, 60, 1.0)),
        (Message("note_on", note=60, velocity=0), (OFF, 60, 0.5)),
        (Message("pitchwheel", pitch=8191, channel=4), (BEND, 0, 1.0)),
        (Message("aftertouch", value=127), (PRESSURE, 0, 1.0)),
        (Message("polytouch", note=61, value=0), (PRESSURE, 61, 0.0)),
        (Message("control_change", control=1, value=127), (WHEEL, 0, 1.0)),
        (Message("control_change", control=64, value=127), (SUSTAIN, 0, 1.0)),
        (Message("control_change", control=66, value=0), (SOSTENUTO, 0, 0.0)),
    ]
    for message, (kind, key, value) in messages:
        event = reader.read(message, 7)[0]
        assert (event.frame, event.kind, event.key, event.value, event.channel) == (7, kind, key, value, 0)


def test_the_mpe_message_makes_fingers_of_channels() -> None:
    """MPE 1.0: RPN 6 on channel 1 with n gives member channels 2 … n + 1; controller 74 is the third dimension."""
    reader = Reader()
    slide = Message("control_change", channel=2, control=74, value=64)
    assert reader.read(slide, 0)[0].channel == 0
    for control, value in ((101, 0), (100, 6), (6, 3)):
        reader.read(Message("control_change", channel=0, control=control, value=value), 0)
    assert reader.fingers == {1, 2, 3}
    event = reader.read(slide, 0)[0]
    assert (event.kind, event.channel, event.value) == (SLIDE, 3, 64 / 127)
    assert reader.read(Message("pitchwheel", channel=0, pitch=100), 0)[0].channel == 0


def test_the_simulated_controller_plays_three_fingers_and_ends_every_note() -> None:
    program, controller = Program(new_patch()), SimulatedController()
    controller.perform(True)
    bends, most = set(), 0
    for _ in range(int(SimulatedController.LENGTH * 48000 / 256)):
        program.block(controller.block(256, 48000))
        most = max(most, len(program.allocator.hands.fingers))
        bends |= {round(float(b), 1) for b in program.voices.bend[program.voices.active]}
    assert most == 3 and len(bends) > 5 and not program.allocator.hands.fingers


def test_controllers_stand_in_one_list_and_one_that_is_gone_is_said() -> None:
    listed = list_controllers()
    assert listed[0].id == "none" and listed[-1].id == "simulated" and open_controller("none") is None
    with pytest.raises(NoController, match="does not open"):
        open_controller("Fishing Rod 7")


def test_the_simulated_controller_sounds_through_the_engine() -> None:
    link = EngineLink("simulated")
    link.show(with_value(new_patch(), "layers.a.level", -12.0), carry=False)
    link.tell(TakeController("simulated"))
    link.start()
    try:
        link.wait_until_ready(30)
        time.sleep(0.5)
        assert int(link.shared.data["voices"]) == 0, "it plays when it is asked to"
        link.tell(Perform(True))
        deadline, heard = time.monotonic() + 40, 0
        while time.monotonic() < deadline and heard < 2:
            link.poll()
            heard = max(heard, int(link.shared.data["voices"]))
            time.sleep(0.02)
        assert heard >= 2
    finally:
        link.close()


def test_no_block_waits_for_a_controller_that_is_being_opened(kernels: None, monkeypatch: pytest.MonkeyPatch) -> None:
    """A first one takes a tenth of a second, for its package is read then; a block is due every five milliseconds."""
    made, may, opened = engine(new_patch()), threading.Event(), SimulatedController()

    def slow(key: str, stir: object) -> SimulatedController:
        assert may.wait(60) and key == "slow"
        return opened

    monkeypatch.setattr(note_input, "open_controller", slow)
    opening = threading.Thread(target=made.hear, args=(TakeController("slow"),), daemon=True)
    opening.start()
    for _ in range(50):
        made.block()
    assert opening.is_alive() and made.input.controller is None
    may.set()
    opening.join(60)
    made.block()
    assert made.input.controller is opened


def test_a_midi_file_plays_pedals_and_lets_go_at_its_end(tmp_path: Path) -> None:
    track = mido.MidiTrack()
    track.append(Message("control_change", control=64, value=127))
    track.append(Message("note_on", note=57, velocity=100))
    track.append(Message("note_off", note=57, time=120))
    track.append(Message("note_on", note=60, velocity=100, time=360))
    track.append(Message("note_on", note=64, time=480))
    file = mido.MidiFile(ticks_per_beat=480)
    file.tracks.append(track)
    file.save(tmp_path / "held.mid")
    events, seconds = read_midi(tmp_path / "held.mid", 120.0, 48000)
    sound = render(with_value(new_patch(), "modulators.e1.release", 0.05), [], 1.5, events=events)
    assert seconds == pytest.approx(1.0) and np.abs(sound[:, 12000:20000]).max() > 0.05
    assert not sound[:, 56000:].any()


def midi_key(channel: int, key: int, down: bool) -> list[int]:
    """A note-on or note-off of a channel, counted from 0 (MIDI 1.0)."""
    return [(0x90 if down else 0x80) + channel, key, 100 if down else 64]


@pytest.mark.parametrize("channel", [0, 3], ids=["the whole patch", "a finger of MPE"])
def test_hold_holds_the_keys_of_a_controller_and_lets_go_of_all_of_them(link: EngineLink, channel: int) -> None:
    link.tell(TakeController("simulated"))
    if channel:
        for number, value in ((101, 0), (100, 6), (6, 15)):  # the MPE configuration message: fifteen fingers
            link.tell(SendMidi([0xB0, number, value]))
    link.hold(True)
    for down in (True, False):
        for key in (60, 64):
            link.tell(SendMidi(midi_key(channel, key, down)))
    assert until(lambda: int(link.shared.data["voices"]) == 2)
    time.sleep(0.7)
    assert int(link.shared.data["voices"]) == 2, "they were let go, and sound on"
    link.hold(False)
    assert until(lambda: int(link.shared.data["voices"]) == 0), "and nothing hangs"


def test_hold_is_still_on_in_an_engine_that_was_started_again(link: EngineLink) -> None:
    link.hold(True)
    link.kill()
    assert until(lambda: link.poll() is not None and link.restarts == 1)
    assert link.wait_until_ready(60)
    link.note_on(60, 0.8)
    link.note_off(60)
    assert until(lambda: int(link.shared.data["voices"]) == 1)
    time.sleep(0.7)
    assert int(link.shared.data["voices"]) == 1
    link.silence()
    assert until(lambda: int(link.shared.data["voices"]) == 0) and not link.holding


def test_without_its_package_the_controllers_that_are_left_are_listed_and_the_rest_is_named(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setitem(sys.modules, "rtmidi2", None)
    first, last = list_controllers()
    assert "rtmidi2" in first.name and last.id == "simulated"
    with pytest.raises(NoController, match="rtmidi2, which is not installed"):
        open_controller("Fishing Rod 7")


class Sequencer:
    """As much of the package as the seam uses: one input, which sends when it is told to."""

    inputs: ClassVar[list[Any]] = []

    def __init__(self, client: str) -> None:
        self.ports, self.callback, self.opened, self.ignored = ["Reed Organ", "Weather Vane"], None, -1, {}
        self.inputs.append(self)

    def ignore_types(self, **ignored: bool) -> None:
        self.ignored = ignored

    def open_port(self, port: int) -> None:
        self.opened = port

    def close_port(self) -> None:
        self.opened = -1


def test_a_real_input_is_read_through_the_seam(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    package = SimpleNamespace(MidiIn=Sequencer, get_in_ports=lambda: ["Reed Organ", "Weather Vane"])
    monkeypatch.setitem(sys.modules, "rtmidi2", package)
    monkeypatch.setattr(midi_ports, "SEQUENCER", tmp_path)
    assert [one.id for one in list_controllers()] == ["none", "Reed Organ", "Weather Vane", "simulated"]
    stirred: list[int] = []
    opened = RealController("Weather Vane", lambda: stirred.append(1))
    port = Sequencer.inputs[-1]
    assert port.opened == 1 and port.ignored == {"midi_sysex": True, "midi_time": False, "midi_sense": True}
    port.callback([0x90, 69, 100], 0.0)
    port.callback([0xB0, 7], 0.1)  # cut short
    assert stirred == [1, 1] and opened.busy
    (note,) = opened.block(256, 48000.0)
    assert (note.kind, note.key) == (ON, 69) and not opened.busy
    assert [event.kind for event in opened.close()] == [PANIC] and port.opened == -1 and port.callback is None
    with pytest.raises(NoController, match="it is not there"):
        RealController("Fishing Rod 7", lambda: None)


def test_the_package_that_is_installed_has_what_the_seam_asks_for() -> None:
    import rtmidi2

    names = ("ignore_types", "open_port", "close_port", "ports", "callback")
    assert [name for name in names if not hasattr(rtmidi2.MidiIn, name)] == [] and callable(rtmidi2.get_in_ports)


def test_the_controller_says_how_far_its_bend_reaches() -> None:
    """MIDI 1.0, registered parameter 0: 12 semitones, so that a full bend of A4 sounds at 880 Hz; of the patch's own, 2."""
    reader = Reader()
    asked = [
        mido.Message("control_change", control=control, value=value) for control, value in ((101, 0), (100, 0), (6, 12))
    ]
    bend = mido.Message("pitchwheel", pitch=8191)
    events = [event for message in [*asked, bend] for event in reader.read(message, 0)]
    assert [(event.kind, event.value) for event in events] == [(RANGE, 12.0), (BEND, 1.0)]
    patch = plain(layers__a__source__shape="sine")
    for given, expected in ((events, 880.0), (events[1:], 440.0 * 2 ** (2 / 12))):
        sound = render(patch, [Note(0.0, 3.0, 69)], 2.0, events=given)[0].astype(np.float64)[24000:]
        assert exact_frequency(sound, expected) == pytest.approx(expected, abs=0.1)
