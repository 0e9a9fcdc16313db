"""One question, one answer: the root of a recording is right, or it is said not to be sure."""

from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import pytest
import soundfile

from felt_dial.bank.finding import matter
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import read_audio
from felt_dial.sound.matter.root import root_of
from felt_dial.start import main
from felt_dial.workshop.recording.work import look_into
from felt_dial.workshop.wav_file import recording_wav, table_wav
from tests.sound.rooted import Case, cases, recording

RATE = 48000


def judged(tried: list[Case]) -> tuple[float, float, list[str]]:
    """The parts of them that are within 10 cents or said not to be sure, and that are not sure and wrong by 50; what is."""
    fine = 0
    wrong = []
    for case in tried:
        found = root_of(recording(case), RATE)
        away = math.inf if case.root is None or found.key is None else abs(found.key - case.root)
        fine += not found.is_sure or away <= 0.1
        if found.is_sure and away > 0.5:
            wrong.append(f"{case}: {found.says()}")
    return fine / len(tried), 1.0 - len(wrong) / len(tried), wrong


def test_some_of_the_recordings_by_rule() -> None:
    """Every kind at every noise and start, at keys by chance."""
    every = list(cases(1))
    some = np.random.default_rng(30).choice(len(every), 130, replace=False)
    fine, never, wrong = judged([every[n] for n in some])
    assert fine >= 0.99 and never >= 0.998, wrong


@pytest.mark.soak
def test_all_of_the_recordings_by_rule() -> None:
    fine, never, wrong = judged(list(cases(1)))
    assert fine >= 0.99 and never >= 0.998, wrong


@pytest.mark.parametrize("what", ["sine", "saw", "square", "reed", "string", "bell", "a"])
def test_single_notes_are_sure(what: str) -> None:
    """Unsure is no way out: a note alone, as a microphone near it takes it, is found."""
    for key in (40, 52, 60, 71):
        found = root_of(recording(Case(what, (key,), -40.0, 0.1, 1e-4, key)), RATE)
        assert found.is_sure and found.key == pytest.approx(key, abs=0.1), found.says()


def test_two_notes_at_once_are_not_sure() -> None:
    for up in (3, 4, 7, 9):
        found = root_of(recording(Case("saw", (48, 48 + up), -40.0, 0.1, 0.0, up)), RATE)
        assert not found.is_sure and found.says().endswith("not sure: listen"), found.says()


def test_noise_and_silence_have_none() -> None:
    for n in range(4):
        assert root_of(recording(Case("noise", (60,), -60.0, 0.1, float(n), n)), RATE).key is None
    assert root_of(np.zeros((1, RATE), np.float32), RATE).key is None
    assert root_of(np.zeros((2, 0), np.float32), RATE).key is None


def test_as_many_cycles_as_it_takes() -> None:
    """A few turns of something are no note that anybody could be sure of."""
    t = np.arange(2400) / RATE
    assert not root_of((0.5 * np.sin(2 * np.pi * 60 * t)).astype(np.float32)[None], RATE).is_sure


@pytest.fixture
def three(tmp_path: Path) -> list[Path]:
    found = []
    for n, (what, keys) in enumerate({"saw": (57,), "reed": (48, 52, 55), "noise": (60,)}.items()):
        found.append(tmp_path / f"{what}.wav")
        soundfile.write(found[-1], recording(Case(what, keys, -60.0, 0.1, 0.0, n))[0], RATE, subtype="FLOAT")
    return found


def test_the_command_line_says_it(
    three: list[Path], monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture
) -> None:
    monkeypatch.setattr("sys.argv", ["felt-dial", "root", "--json", *map(str, three)])
    main()
    listed = json.loads(capsys.readouterr().out)
    assert [row["file"] for row in listed] == [str(path) for path in three]
    assert listed[0]["key"] == pytest.approx(57.0, abs=0.1) and listed[0]["sure"] is True
    assert listed[1]["sure"] is False
    assert listed[2] == {"file": str(three[2]), "key": None, "sure": False}


def test_a_file_that_cannot_be_read_is_named_and_the_others_are_answered(
    three: list[Path], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture
) -> None:
    (tmp_path / "broken.wav").write_bytes(b"no sound")
    monkeypatch.setattr("sys.argv", ["felt-dial", "root", str(tmp_path / "broken.wav"), str(three[0])])
    with pytest.raises(SystemExit) as ended:
        main()
    said = capsys.readouterr()
    assert ended.value.code == 2 and "broken.wav" in said.err and said.out.startswith("saw.wav: A3")


def test_what_a_file_notes_of_itself_counts(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture
) -> None:
    sound = recording(Case("saw", (57,), -60.0, 0.0, 0.0, 1))
    (tmp_path / "noted.wav").write_bytes(recording_wav(sound, RATE, 33.0, None))
    monkeypatch.setattr("sys.argv", ["felt-dial", "root", "--json", str(tmp_path / "noted.wav")])
    main()
    assert json.loads(capsys.readouterr().out)[0] | {"file": ""} == {"file": "", "key": 33.0, "sure": True}


def test_channels_that_take_each_other_away_still_have_a_root() -> None:
    one = recording(Case("saw", (50,), -40.0, 0.1, 0.0, 1))[0]
    found = root_of(np.stack([one, -one]), RATE)
    assert found.is_sure and found.key == pytest.approx(50.0, abs=0.1)


def test_what_a_file_notes_of_itself_is_what_the_drawer_says(tmp_path: Path) -> None:
    """Root and cycle of its chunks, a cycle by its name, and a table of as many frames as there may be."""
    (tmp_path / "noted.wav").write_bytes(recording_wav(recording(Case("saw", (57,), -60.0, 0.0, 0.0, 1)), RATE, 33.0))
    chance = np.random.default_rng(2).normal(0.0, 0.2, 64 * 1024).astype(np.float32)
    soundfile.write(tmp_path / "Sparks x64.wav", chance, RATE, subtype="FLOAT")
    turns = np.arange(2048) / 2048
    whole = np.concatenate([np.sin(2 * np.pi * turns) + n / 256 * np.sin(6 * np.pi * turns) for n in range(256)])
    soundfile.write(tmp_path / "Whole.wav", 0.3 * whole, RATE, subtype="FLOAT")
    noted, named, long = matter.look_at([str(tmp_path / name) for name in ("noted.wav", "Sparks x64.wav", "Whole.wav")])
    assert (noted.root, noted.sure) == (33.0, 1.0)
    assert named.cycle == 1024 and long.cycle == 2048
    (tmp_path / "own.wav").write_bytes(table_wav(chance[: 6 * 500].reshape(6, 500), RATE))
    assert matter.look_at([str(tmp_path / "own.wav")])[0].cycle == 500


def test_drawer_and_bench_give_the_one_answer(
    three: list[Path], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("FELT_DIAL_HOME", str(tmp_path))
    assets.look_in(tmp_path)
    for path, looked in zip(three, matter.look_at([str(p) for p in three]), strict=True):
        audio = read_audio(path)
        asked = root_of(audio.sound, audio.rate)
        benched, _ = look_into(assets.keep(tmp_path / ".assets", audio, path.stem))
        assert (looked.root, looked.sure) == (asked.key, asked.sure) == (benched.key, benched.sure), path.name
