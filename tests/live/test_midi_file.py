"""Standard MIDI Files: their tempo, and what is said where they are broken; nothing else is raised."""

from __future__ import annotations

from pathlib import Path
from random import Random

import mido
import numpy as np
import pytest

from felt_dial.live.midi.midi_file import read_midi
from felt_dial.patch.documents.kind import BadDocument
from felt_dial.patch.edits import add_modulator, sew
from felt_dial.patch.module import Modulator
from felt_dial.patch.patch import with_value
from felt_dial.patch.units import Beats
from felt_dial.shipped import DATA
from felt_dial.sound.engine.program import Program
from felt_dial.sound.playing.events import ON, TEMPO, Event
from felt_dial.sound.render import render
from tests.sound.listening import plain


def made(path: Path, *messages: mido.Message | mido.MetaMessage, ticks: int = 480) -> Path:
    file = mido.MidiFile(ticks_per_beat=ticks)
    file.tracks.append(mido.MidiTrack(messages))
    file.save(path)
    return path


NOTES = (mido.Message("note_on", note=60, time=0), mido.Message("note_off", note=60, time=480))


def test_a_tempo_of_nothing_is_no_crash(tmp_path: Path) -> None:
    path = made(tmp_path / "a.mid", mido.MetaMessage("set_tempo", tempo=0), *NOTES)
    events, end = read_midi(path, 120.0, 48000.0)
    assert len(events) == 3 and end == 0.0


def test_the_map_of_tempos_moves_what_counts_in_beats_and_a_tempo_that_is_asked_for_rules_both(tmp_path: Path) -> None:
    """An LFO of a quarter note turns once a beat: 2 Hz at 120, 4 Hz at 240 beats a minute, and 1 Hz where 60 is asked for."""
    held = (mido.Message("note_on", note=60, velocity=127, time=0), mido.Message("note_off", note=60, time=480 * 12))
    tempos = (mido.MetaMessage("set_tempo", tempo=500_000), mido.MetaMessage("set_tempo", tempo=250_000, time=480 * 4))
    path = made(tmp_path / "a.mid", tempos[0], held[0], tempos[1], held[1])
    patch, lfo = add_modulator(plain(), Modulator.kinds["lfo"]())
    patch = with_value(with_value(patch, "layers.a.source.shape", "sine"), f"modulators.{lfo}.rate", Beats(1.0))
    patch, _ = sew(patch, lfo, "layers.a.level", 12.0)

    def turns(fixed: bool, first: float, last: float, rate: int = 48000) -> float:
        events, end = read_midi(path, 60.0, rate, fixed=fixed)
        sound = np.abs(render(patch, [], end, events=events, tempo=60.0)[0, round(first * rate) : round(last * rate)])
        level = sound[: len(sound) // 480 * 480].reshape(-1, 480).max(axis=1)
        spectrum = np.abs(np.fft.rfft(level - level.mean(), 65536))
        return float(np.argmax(spectrum) / 65536 * 100)

    assert read_midi(path, 60.0, 48000.0)[1] == pytest.approx(5.0, abs=0.01)
    assert turns(False, 0.0, 2.0) == pytest.approx(2.0, abs=0.1)
    assert turns(False, 2.1, 4.9) == pytest.approx(4.0, abs=0.1)
    assert read_midi(path, 60.0, 48000.0, fixed=True)[1] == pytest.approx(16.0, abs=0.01)
    assert turns(True, 0.0, 8.0) == pytest.approx(1.0, abs=0.05)


@pytest.mark.parametrize("tempo", [1, 16_777_215])
def test_a_wild_tempo_stays_within_what_a_patch_takes(tempo: int, tmp_path: Path) -> None:
    """A microsecond a beat, or as long as the format allows: the pattern plays on within its limits, and the render ends."""
    path = made(tmp_path / "a.mid", mido.MetaMessage("set_tempo", tempo=tempo), *NOTES)
    events, _ = read_midi(path, 120.0, 48000.0)
    program = Program(with_value(plain(), "pattern.on", True))
    program.block([Event(0, ON, 60, 1.0), *(event for event in events if event.kind == TEMPO)])
    for _ in range(40):
        assert np.isfinite(program.block()).all()
    limits = program.patch.param_of("tempo")
    assert limits.low <= program.tempo <= limits.high


def test_a_broken_key_signature_is_one_sentence(tmp_path: Path) -> None:
    path = made(tmp_path / "a.mid", mido.MetaMessage("key_signature", key="C"), *NOTES)
    path.write_bytes(path.read_bytes().replace(b"\xff\x59\x02\x00\x00", b"\xff\x59\x02\x63\x63"))
    with pytest.raises(BadDocument, match="no whole Standard MIDI File"):
        read_midi(path, 120.0, 48000.0)


def test_a_file_that_lasts_for_days_is_refused(tmp_path: Path) -> None:
    path = made(tmp_path / "a.mid", mido.Message("note_on", note=60, time=2**27), ticks=24)
    with pytest.raises(BadDocument, match="lasts more than 4 hours"):
        read_midi(path, 120.0, 48000.0)


def test_four_hundred_damaged_files_are_sentences_or_events(tmp_path: Path) -> None:
    whole = next((DATA / "midi").glob("*.mid")).read_bytes()[:1500]
    rng, path, refused = Random(5), tmp_path / ("x" * 120 + ".mid"), 0
    for _ in range(400):
        spoilt = bytearray(whole)
        for _ in range(rng.randrange(1, 6)):
            at = rng.randrange(len(spoilt))
            spoilt[at : at + rng.randrange(4)] = rng.randbytes(rng.randrange(4))
        path.write_bytes(spoilt)
        try:
            read_midi(path, 120.0, 48000.0)
        except BadDocument as wrong:
            refused += 1
            assert len(str(wrong)) <= 220 and "\n" not in str(wrong)
    assert refused > 50
