"""Audio files that are not what they should be, and the store that keeps recordings by content."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile

from felt_dial.bank.library.library import Library
from felt_dial.patch.asset import Asset
from felt_dial.patch.edits import replace_module
from felt_dial.patch.module import Source
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import BadAudio, read_audio, read_part
from felt_dial.sound.modules import new_patch

TONE = 0.5 * np.sin(2 * np.pi * 440 * np.arange(48000) / 48000)


def written(path: Path, sound: np.ndarray, rate: int = 48000, **words: str) -> Path:
    soundfile.write(path, sound, rate, **words)
    return path


@pytest.mark.parametrize("ending", ["wav", "flac", "aiff", "ogg", "mp3"])
def test_every_format_is_read_whatever_its_name_says(ending: str, tmp_path: Path) -> None:
    path = written(tmp_path / f"tone.{ending}", TONE)
    sound = read_audio(path).sound
    assert abs(sound.shape[1] - 48000) < 3000 and sound[0, 8000:40000].std() == pytest.approx(0.3536, rel=0.03)
    other = path.rename(tmp_path / "tone.wav")
    assert read_audio(other).sound.shape == sound.shape


def bad_files(folder: Path) -> dict[str, Path]:
    """Files that cannot be played, by a word their sentence must hold."""
    made = {
        "audio": folder / "broken.wav",
        "24 channels": written(folder / "many.wav", np.tile(TONE[:, None], (1, 24))),
        "silent": written(folder / "silent.wav", np.zeros(4800)),
        "1 frame;": written(folder / "one.wav", np.array([0.5])),
        "0 frames": written(folder / "none.wav", np.zeros(0)),
        "1000 Hz": written(folder / "slow.wav", TONE, 1000),
        "768000": written(folder / "fast.wav", TONE, 768000),
        "not there": folder / "nowhere.wav",
    }
    made["audio"].write_bytes(b"RIFF\x10\x00\x00\x00WAVEfmt nonsense")
    return made


@pytest.mark.parametrize(
    "word", ["audio", "24 channels", "silent", "1 frame;", "0 frames", "1000 Hz", "768000", "not there"]
)
def test_a_file_that_cannot_be_played_gets_one_sentence(word: str, tmp_path: Path) -> None:
    path = bad_files(tmp_path)[word]
    with pytest.raises(BadAudio) as wrong:
        read_audio(path)
    assert word in str(wrong.value) and path.name in str(wrong.value) and "\n" not in str(wrong.value)


@pytest.mark.parametrize("word", ["audio", "24 channels", "1000 Hz", "768000", "not there"])
def test_a_part_of_a_file_is_refused_as_the_whole_of_it(word: str, tmp_path: Path) -> None:
    path = (bad_files(tmp_path) | {"not there": tmp_path / "gone.wav"})[word]
    said = []
    for read in (read_audio, lambda path: read_part(path, 0.0, 1.0)):
        with pytest.raises(BadAudio, match=word) as wrong:
            read(path)
        said.append(str(wrong.value))
    assert said[0] == said[1]


def test_more_than_ten_minutes_are_refused_with_the_limit(tmp_path: Path) -> None:
    path = written(tmp_path / "long.wav", np.tile(TONE[:8000], 601 + 1).astype(np.float32)[: 8000 * 601], 8000)
    with pytest.raises(BadAudio, match="10 min"):
        read_audio(path)


def test_what_is_no_number_becomes_silence_and_is_said(tmp_path: Path) -> None:
    sound = TONE.copy()
    sound[100:110], sound[200] = np.nan, np.inf
    audio = read_audio(written(tmp_path / "holes.wav", sound, subtype="FLOAT"))
    assert np.isfinite(audio.sound).all() and "11 samples" in audio.notes[0]


@pytest.mark.parametrize("subtype", ["PCM_16", "PCM_24", "FLOAT"])
def test_what_is_kept_is_found_again_by_its_content(subtype: str, tmp_path: Path) -> None:
    audio = read_audio(written(tmp_path / "tone.wav", TONE, subtype=subtype))
    asset = assets.keep(tmp_path / "library" / ".assets", audio, "Tone")
    assets.look_in(tmp_path / "library")
    path = assets.find(asset)
    assert path is not None and path.suffix == (".wav" if subtype == "FLOAT" else ".flac")
    again = assets.load(asset)
    assert again is not None and np.array_equal(again, audio.sound)


def test_a_bank_carries_its_recordings_and_they_are_found_there(tmp_path: Path) -> None:
    library = Library(tmp_path / "library")
    asset = library.keep_audio(read_audio(written(tmp_path / "tone.wav", TONE)), "Tone")
    patch = replace_module(new_patch("Toned"), "layers.a.source", Source.kinds["sample"](asset=asset))
    bank = library.create("Tones")
    bank.save_new(patch)
    kept = list((bank.folder / "assets").iterdir())
    assert {path.name for path in kept} == {f"{asset.digest}.flac", f"{asset.digest}.about"}
    for path in (tmp_path / "library" / ".assets").iterdir():
        path.unlink()
    assert assets.find(asset) in kept


def test_a_search_finds_a_recording_under_any_name_and_format(tmp_path: Path) -> None:
    audio = read_audio(written(tmp_path / "tone.wav", TONE))
    wanted = Asset(name="Tone", digest=assets.digest_of(audio.sound), frames=48000, channels=1, rate=48000)
    deep = tmp_path / "old" / "things"
    deep.mkdir(parents=True)
    written(deep / "a.wav", TONE[:3000])
    written(deep / "unlabelled 7.flac", audio.sound.T, subtype="PCM_16")
    (deep / "c.wav").write_bytes(b"nothing")
    assert assets.search(tmp_path / "old", {wanted.digest}) == {wanted.digest: deep / "unlabelled 7.flac"}
    assert assets.search(tmp_path / "old", {"1" * 64}) == {}


def test_a_damaged_file_of_the_store_is_not_taken_for_the_recording(tmp_path: Path) -> None:
    folder = tmp_path / "library" / ".assets"
    asset = assets.keep(folder, read_audio(written(tmp_path / "tone.wav", TONE)), "Tone")
    assets.look_in(tmp_path / "library")
    soundfile.write(folder / f"{asset.digest}.flac", 0.5 * TONE, 48000, format="FLAC")
    assert assets.load(asset) is None
