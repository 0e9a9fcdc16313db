"""What a file says of its root and loop, which recordings a patch lacks, and how they are found again."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np
import pytest
import soundfile

from felt_dial.patch.asset import Asset
from felt_dial.patch.edits import add_layer, replace_module
from felt_dial.patch.module import Source
from felt_dial.patch.patch import Patch
from felt_dial.sound.matter.assets import digest_of, search, words_of_missing
from felt_dial.sound.matter.audio_file import read_audio
from felt_dial.sound.modules import new_layer, new_patch


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
