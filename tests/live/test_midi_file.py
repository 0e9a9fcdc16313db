"""Standard MIDI Files that are broken: one sentence, or events; nothing else is raised."""

from __future__ import annotations

from pathlib import Path
from random import Random

import mido
import pytest

from felt_dial.live.midi_file import read_midi
from felt_dial.patch.documents.kind import BadDocument
from felt_dial.shipped import DATA


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
