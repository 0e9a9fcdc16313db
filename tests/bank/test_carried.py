"""Banks carry their recordings: through saving, moving, handing over and taking in; and the command line hears them."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
import soundfile

from felt_dial.bank.library.library import Library
from felt_dial.bank.library.package import export_bank, import_bank
from felt_dial.bank.measuring.worker import measure
from felt_dial.patch.documents.patch import write_patch
from felt_dial.patch.edits import add_layer, replace_module
from felt_dial.patch.module import Source
from felt_dial.patch.patch import Patch
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import Audio
from felt_dial.sound.matter.tables import shipped_tables
from felt_dial.sound.modules import new_layer, new_patch
from tests.test_cli import run


@pytest.fixture
def library(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Library:
    monkeypatch.setenv(assets.PLACES, "")
    return Library(tmp_path / "library")


def toned(library: Library, hertz: float = 333.0) -> Patch:
    sound = np.asarray(0.5 * np.sin(2 * np.pi * hertz * np.arange(24000) / 48000), np.float32)[None]
    asset = library.keep_audio(Audio(sound, 48000.0), f"tone {hertz:.0f}")
    patch = replace_module(new_patch("Toned"), "layers.a.source", Source.kinds["sample"](asset=asset))
    patch, key = add_layer(patch, new_layer())
    table = shipped_tables()["Frost"]
    return replace_module(patch, f"layers.{key}.source", Source.kinds["table"](asset=table.asset, cycle=table.cycle))


def kept(bank_folder: Path) -> set[str]:
    return {path.stem for path in (bank_folder / "assets").iterdir()}


def test_saving_takes_the_recordings_along_but_not_the_tables_of_the_house(library: Library) -> None:
    patch = toned(library)
    bank = library.create("Tones")
    key = bank.save_new(patch)
    digest = patch.layers["a"].source.asset.digest  # type: ignore[attr-defined]
    assert kept(bank.folder) == {digest}
    other = toned(library, 444.0)
    bank.save(key, other)
    assert kept(bank.folder) == {digest, other.layers["a"].source.asset.digest}, "the version before keeps its own"  # type: ignore[attr-defined]


def test_a_preset_that_moves_to_another_bank_takes_them_along(library: Library) -> None:
    first, second = library.create("First"), library.create("Second")
    key = first.save_new(toned(library))
    library.move("first", key, "second")
    assert len(kept(second.folder)) == 1


def test_a_bank_that_is_handed_over_sounds_on_another_machine(
    library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    bank = library.create("Tones")
    key = bank.save_new(toned(library))
    before = measure(bank.load(key))
    export_bank(bank, tmp_path / "tones.feltbank")
    monkeypatch.setenv(assets.PLACES, "")
    assert assets.missing(bank.load(key)), "nothing of the first machine is looked at"
    elsewhere = Library(tmp_path / "elsewhere")
    taken = import_bank(elsewhere, tmp_path / "tones.feltbank")
    assert assets.missing(taken.load(key)) == {}
    after = measure(taken.load(key))
    assert after.lufs == pytest.approx(before.lufs, abs=1e-6) and after.peak == pytest.approx(before.peak, abs=1e-6)


def test_a_lost_recording_stays_a_name_through_saving(library: Library) -> None:
    patch = toned(library)
    for path in (library.root / ".assets").iterdir():
        path.unlink()
    bank = library.create("Tones")
    key = bank.save_new(patch)
    assert bank.load(key) == patch and kept(bank.folder) == set()


def test_the_command_line_renders_a_preset_with_its_recording(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("FELT_DIAL_HOME", str(tmp_path / "home"))
    out = tmp_path / "reed.wav"
    words = ["render", "Glasshouse at Dusk:Reed Bed", "-o", str(out), "--note", "57", "--hold", "0.5", "--quality", "1"]
    assert run(monkeypatch, capsys, *words, "--set", "layers.b.on=off")[0] == 0
    sound, rate = soundfile.read(out)
    spectrum = np.abs(np.fft.rfft(sound[4800:28800, 0]))
    strongest = float(np.argmax(spectrum) * rate / 24000)
    assert any(abs(strongest - 220.0 * n) < 5 for n in range(1, 10))


def test_the_command_line_lists_the_parameters_of_every_source(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    for kind, cls in Source.kinds.items():
        path = tmp_path / f"{kind}.json"
        path.write_text(write_patch(replace_module(new_patch(), "layers.a.source", cls())))
        status, out, _ = run(monkeypatch, capsys, "params", path, "--json")
        assert status == 0
        listed = {row["id"] for row in json.loads(out)}
        assert {f"layers.a.source.{name}" for name in cls.params} <= listed
