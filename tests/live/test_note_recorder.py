"""Taking down what is played: notes in beats, a click in time, and the way to a file and back."""

from __future__ import annotations

from pathlib import Path

import mido
import numpy as np
import pytest

from felt_dial.live.engine.note_recorder import BAR, EARLY, NoteRecorder
from felt_dial.live.engine.player import Player
from felt_dial.live.midi.midi_file import phrase_of, write_phrase_as_midi
from felt_dial.patch.phrase import Beat, Phrase
from felt_dial.sound.playing.events import OFF, ON, Event
from felt_dial.sound.playing.phrases import PHRASES

RATE, FRAMES = 48000, 256


def played(taking: NoteRecorder, phrase: Phrase, tempo: float, begin: float) -> np.ndarray:
    """A phrase played by hand, beginning so many beats after the click began; what is heard of the click."""
    player = Player(RATE)
    out: list[np.ndarray] = []
    beats = FRAMES / RATE * tempo / 60.0
    at = float(-BAR)
    while at < phrase.beats + 1.0:
        if at <= begin < at + beats:
            player.play(phrase, False)
        block = np.zeros((2, FRAMES), np.float32)
        taking.block(player.block(FRAMES, tempo), tempo, block)
        out.append(block)
        at += beats
    return np.concatenate(out, axis=1)


@pytest.mark.parametrize("tempo", [60.0, 120.0, 173.0])
def test_what_is_played_is_taken_down_in_beats(tempo: float) -> None:
    taking = NoteRecorder(RATE)
    played(taking, PHRASES["keys"], tempo, 0.0)
    taken = taking.finish()
    wanted = sorted(PHRASES["keys"].notes)
    block = FRAMES / RATE * tempo / 60.0
    assert [note.key for note in taken] == [note.key for note in wanted]
    for ours, theirs in zip(taken, wanted, strict=True):
        assert ours.at == pytest.approx(theirs.at, abs=1.01 * block) and ours.velocity == theirs.velocity
        assert ours.length == pytest.approx(theirs.length, abs=1.01 * block), "an early one begins with the first beat"


def test_a_click_stands_on_every_beat_and_the_first_of_a_bar_is_higher() -> None:
    heard = played(NoteRecorder(RATE), PHRASES["keys"], 120.0, 99.0)[0]
    loud = np.abs(heard) > 0.02
    begins = np.flatnonzero(loud & ~np.concatenate([[False], loud[:-1]]))
    begins = begins[np.concatenate([[True], np.diff(begins) > RATE // 10])]
    assert np.diff(begins) == pytest.approx(RATE / 2, abs=60), "half a second apart at 120"
    tones = []
    for at in begins[:8]:
        spectrum = np.abs(np.fft.rfft(heard[at : at + 1024], 8192))
        tones.append(np.argmax(spectrum) * RATE / 8192)
    assert tones == pytest.approx([1800, 1200, 1200, 1200] * 2, abs=60)
    assert not played(NoteRecorder(RATE, clicks=False), PHRASES["keys"], 120.0, 99.0).any()


def test_a_key_a_little_before_the_first_beat_belongs_to_it_and_one_in_the_count_does_not() -> None:
    taking, silence = NoteRecorder(RATE, count_in=1.0), np.zeros((2, RATE // 2), np.float32)
    taking.block(
        [Event(0, ON, 60, 0.5), Event(100, OFF, 60), Event(int((1 - EARLY / 2) * RATE / 2), ON, 64, 0.5)],
        120.0,
        silence,
    )
    taking.block([], 120.0, silence.copy())
    assert [(note.at, note.key) for note in taking.finish()] == [(0.0, 64)], "what is still held ends with it"


def test_a_phrase_goes_to_a_midi_file_and_back_and_another_reader_agrees(tmp_path: Path) -> None:
    """Standard MIDI Files 1.0, read back by mido."""
    for made in PHRASES.values():
        path = tmp_path / "x.mid"
        write_phrase_as_midi(made, 96.0, path)
        back = phrase_of(path)
        assert len(back.notes) == len(made.notes)
        for ours, theirs in zip(sorted(back.notes), sorted(made.notes), strict=True):
            assert (ours.key, ours.velocity) == (theirs.key, theirs.velocity)
            assert (ours.at, ours.length) == pytest.approx((theirs.at, theirs.length), abs=2e-3)
    file = mido.MidiFile(path)
    assert file.length == pytest.approx(made.seconds(96.0), abs=0.3)
    assert sum(message.type == "note_on" for message in file) == len(made.notes)


def test_a_phrase_that_is_changed_while_it_plays_goes_on_from_where_it_is() -> None:
    player = Player(RATE)
    player.play(Phrase("x", "X", 4.0, (Beat(0.0, 1.0, 60), Beat(2.0, 1.0, 62))), True)
    for _ in range(200):
        player.block(FRAMES, 120.0)
    at = player.position
    player.play(Phrase("x", "X", 4.0, (Beat(0.0, 1.0, 60), Beat(3.0, 1.0, 67))), True, at)
    keys = [event.key for _ in range(400) for event in player.block(FRAMES, 120.0) if event.kind == ON]
    assert player.position != at and keys[0] == 67
