"""What is said in words: how sounds differ, the way of the sound, what is missing; and what a file says of its root and loop."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np
import pytest
import soundfile

from felt_dial.bank.compare import changed_modules
from felt_dial.bank.features import AXES, BANDS, Features, distance, lacks, reason, steps, vector
from felt_dial.bank.matter import look_at
from felt_dial.patch import ways
from felt_dial.patch.asset import Asset
from felt_dial.patch.edits import (
    add_effect,
    add_inlet,
    add_layer,
    add_modulator,
    add_send,
    replace_module,
    set_thread,
    sew,
)
from felt_dial.patch.module import Effect, Modulator, Source
from felt_dial.patch.patch import Patch, with_value
from felt_dial.sound.matter.assets import digest_of, search, words_of_missing
from felt_dial.sound.matter.audio_file import read_audio
from felt_dial.sound.modules import new_layer, new_patch

SHAPE = np.linspace(-20.0, 0.0, BANDS)
PLAIN = Features(3.0, 0.1, 1.0, 0.3, 2.0, 0.2, SHAPE)


def moved(axis: str, much: float) -> Features:
    """A sound that lies so many scales of an axis from the plain one."""
    scale = AXES[axis][2]
    value = float(getattr(PLAIN, axis))
    value = value * 10 ** (much * scale) if axis in ("attack", "length") else value + much * scale
    return PLAIN._replace(**{axis: value})


@pytest.mark.parametrize("axis", list(AXES))
def test_each_axis_counts_by_its_scale_and_is_named(axis: str) -> None:
    """One scale along one axis of six is √(1 / 6) apart, and has the word of its side."""
    for much in (1.0, -1.0):
        other = moved(axis, much)
        assert steps(PLAIN, other)[axis] == pytest.approx(much)
        assert distance(PLAIN, other) == pytest.approx(np.sqrt(1 / len(AXES)))
        assert np.linalg.norm(vector(PLAIN) - vector(other)) == pytest.approx(np.sqrt(1 / len(AXES)))
        word = AXES[axis][0 if much > 0 else 1]
        assert word in reason(PLAIN, other).split(", ")
        assert lacks(other, PLAIN) == word
    assert distance(PLAIN, moved(axis, 40.0)) == 3.0, "never over 3"


def test_what_stayed_is_said_first_and_the_two_farthest_after() -> None:
    assert reason(PLAIN, PLAIN) == "same attack" and lacks(PLAIN, PLAIN) == ""
    assert reason(PLAIN, moved("attack", 1.0)).startswith("same length, ")
    both = moved("attack", 1.0)._replace(length=moved("length", 1.0).length)
    assert reason(PLAIN, both).startswith("same brightness, ")
    three = both._replace(bright=moved("bright", 1.0).bright)
    assert reason(PLAIN, three).startswith("same grain, ")
    four = three._replace(noise=moved("noise", 1.2).noise)
    words = reason(PLAIN, four).split(", ")
    assert len(words) == 2 and words[0] == AXES["noise"][0], "the farthest first"
    assert len(lacks(four, PLAIN).split(", ")) == 3


def test_the_way_of_the_sound_is_read_out() -> None:
    assert ways.words(new_patch()) == "A → rack 1 · rack 1 (empty) → output"
    patch, _ = add_layer(new_patch(), new_layer())
    patch = with_value(add_inlet(patch, "a", "b", 1.0), "layers.b.out", "none")
    patch, _ = add_effect(patch, "1", Effect.kinds["delay"](on=True))
    assert ways.words(patch) == "A → rack 1 · B modulates only · rack 1 (Delay) → output"
    patch = with_value(patch, "layers.a.out", "bus1")
    said = ways.words(patch)
    assert said == "B modulates only · A → bus 1 · bus 1 (nothing yet) → rack 1 · rack 1 (Delay) → output"
    sent = add_send(patch, "layers.b", "rack2", -6.0)
    assert "B modulates only" not in ways.words(sent)
    assert "B at −6.0 dB also → rack 2" in ways.words(sent).replace("\u2009", " ")
    assert "rack 2 (empty) → rack 1" in ways.words(sent)
    assert "rack 2 (empty) → output" in ways.words(with_value(sent, "rack2", "out"))
    assert ways.words(with_value(new_patch(), "layers.a.out", "direct")) == "A → output · rack 1 (empty) → output"


def lacking(names: list[str]) -> Patch:
    patch = new_patch().model_copy(update={"name": "Reed"})
    for n, name in enumerate(names):
        asset = Asset(digest=f"{n:064x}", name=name, frames=100, rate=48000.0, channels=1)
        key = "a"
        if n:
            patch, key = add_layer(patch, new_layer())
        patch = replace_module(patch, f"layers.{key}.source", Source.kinds["sample"](asset=asset))
    return patch


@pytest.mark.parametrize(
    ("names", "said"),
    [
        ([], ""),
        (["Fen"], "Reed: “Fen” is missing, so that layer A is silent. "),
        (["Fen", "Sea"], "Reed: “Fen”, “Sea” are missing, so that layers A, B are silent. "),
        (["A", "B", "C", "D"], "Reed: “A”, “B”, “C” are missing, so that layers A, B, C, D are silent. "),
        ([""], "Reed: “unnamed” is missing, so that layer A is silent. "),
    ],
)
def test_what_is_missing_is_said(names: list[str], said: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("FELT_DIAL_HOME", str(tmp_path))
    told = words_of_missing(lacking(names))
    assert told == (said + "Load it in the layer, or look for it in a folder there." if said else "")


def wav(path: Path, unity: int, fraction: int, loops: list[tuple[int, int]]) -> Path:
    """A WAV with a sampler chunk (Microsoft, Multimedia Programming Interface and Data Specifications 1.0, 1991)."""
    data = struct.pack("<400h", *(np.arange(400) * 40).astype(int).tolist())
    smpl = struct.pack("<9I", 0, 0, 20833, unity, fraction, 0, 0, len(loops), 0)
    smpl += b"".join(struct.pack("<6I", n, 0, first, last, 0, 0) for n, (first, last) in enumerate(loops))
    form = struct.pack("<HHIIHH", 1, 1, 48000, 96000, 2, 16)
    body = b"WAVEfmt " + struct.pack("<I", len(form)) + form
    body += b"smpl" + struct.pack("<I", len(smpl)) + smpl + b"data" + struct.pack("<I", len(data)) + data
    path.write_bytes(b"RIFF" + struct.pack("<I", len(body)) + body)
    return path


@pytest.mark.parametrize(
    ("unity", "fraction", "root"),
    [(0, 0, 0.0), (1, 0, 1.0), (60, 0, 60.0), (69, 2**31, 69.5), (127, 0, 127.0), (128, 0, None), (2**31, 0, None)],
)
def test_a_file_says_its_root(tmp_path: Path, unity: int, fraction: int, root: float | None) -> None:
    assert read_audio(wav(tmp_path / "it.wav", unity, fraction, [])).root == root


def test_a_file_says_its_loop(tmp_path: Path) -> None:
    assert read_audio(wav(tmp_path / "it.wav", 60, 0, [(10, 299)])).loop == (10, 300)
    assert read_audio(wav(tmp_path / "two.wav", 60, 0, [(10, 299), (20, 30)])).loop == (10, 300)
    assert read_audio(wav(tmp_path / "none.wav", 60, 0, [])).loop is None


@pytest.mark.parametrize("suffix", [".wav", ".WAV", ".flac", ".aif", ".aiff"])
def test_a_missing_recording_is_found_in_every_kind_of_file(tmp_path: Path, suffix: str) -> None:
    sound = (0.3 * np.sin(np.arange(2400) / 9)).astype(np.float32)
    form = {"wav": "WAV", "flac": "FLAC", "aif": "AIFF", "aiff": "AIFF"}[suffix[1:].lower()]
    soundfile.write(tmp_path / f"it{suffix}", sound, 48000, format=form, subtype="PCM_16")
    (tmp_path / "it.txt").write_text("no sound")
    wanted = digest_of(read_audio(tmp_path / f"it{suffix}").sound)
    seen: list[tuple[int, int]] = []

    def watch(done: int, of: int) -> bool:
        seen.append((done, of))
        return True

    assert search(tmp_path, {wanted}, watch) == {wanted: tmp_path / f"it{suffix}"}
    assert seen == [(0, 1)]
    assert search(tmp_path, {wanted}, lambda done, of: False) == {}


def test_threads_are_no_modules_that_changed() -> None:
    patch, mover = add_modulator(new_patch(), Modulator.kinds["lfo"]())
    patch, thread = sew(patch, mover, "layers.a.filter.cutoff", 12.0)
    other = set_thread(patch, thread, depth=5.0)
    other = with_value(with_value(other, f"modulators.{mover}.rate", 9.0), "layers.a.filter.cutoff", 900.0)
    other = with_value(other, "layers.a.level", -3.0)
    assert set(changed_modules(patch, other)) == {f"modulators.{mover}", "layers.a.filter"}
    assert changed_modules(patch, patch) == {}


def test_a_look_into_a_file_has_its_outline(tmp_path: Path) -> None:
    """A rise from −1 to 1: the lowest and the highest of each column, of 127."""
    soundfile.write(tmp_path / "rise.wav", np.linspace(-0.5, 0.5, 48000, dtype=np.float32), 48000, subtype="FLOAT")
    (found,) = look_at([str(tmp_path / "rise.wav")])
    low, high = np.frombuffer(found.peaks, np.int8).reshape(2, -1).astype(float)
    wide = len(low)
    exact = 127 * (2 * np.arange(wide + 1) / wide - 1)
    assert np.abs(low - exact[:-1]).max() <= 1.0 and np.abs(high - exact[1:]).max() <= 1.0
    assert (found.frames, found.rate, found.channels) == (48000, 48000.0, 1)
