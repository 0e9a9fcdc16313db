"""Banks on disk: saved whole, versions kept, the bin, bank files good and bad, search, the demo script."""

from __future__ import annotations

import errno
import io
import json
import os
import shutil
import sys
import time
import zipfile
from datetime import date
from functools import partial
from pathlib import Path
from random import Random

import numpy as np
import pytest
from scipy import signal

from felt_dial import files
from felt_dial.bank.library.import_preview import free_bank_name, lacks_of, look_into
from felt_dial.bank.library.library import Library, NoSuchBank, Preset
from felt_dial.bank.library.package import export_bank, import_bank, missing_from
from felt_dial.bank.library.places import Settings, lay_out_demo, load_settings, save_settings, settings_path
from felt_dial.bank.measuring.figures import Figures
from felt_dial.bank.measuring.index import Index
from felt_dial.bank.measuring.measurement import sound_key, swatch_of
from felt_dial.bank.measuring.measuring import Measuring
from felt_dial.bank.measuring.worker import measure, peak_of, played
from felt_dial.errors import FeltDialError
from felt_dial.files import CannotWrite, slug, write_whole
from felt_dial.patch.documents.kind import BadDocument
from felt_dial.patch.documents.patch import write_patch
from felt_dial.patch.patch import Patch, with_value
from felt_dial.sound.integrated import loudness
from felt_dial.sound.matter.wav import wav_bytes
from felt_dial.sound.modules import new_patch
from felt_dial.workers.queue import MOST_DEATHS
from tests.sampled import some

ROOT = Path(__file__).parent.parent.parent
BANKS = ROOT / "felt_dial" / "data" / "banks"


def louder(patch: Patch, level: float) -> Patch:
    return with_value(patch, "layers.a.level", level)


def names(library: Library, bank: str = "glasshouse") -> list[str]:
    return [preset.name for preset in library.bank(bank).presets()]


def tree(folder: Path) -> dict[str, bytes]:
    return {str(p.relative_to(folder)): p.read_bytes() for p in sorted(folder.rglob("*")) if p.is_file()}


def test_a_preset_is_found_again_as_it_was(library: Library) -> None:
    bank = library.bank("glasshouse")
    patch = louder(new_patch("Fern Pluck"), -3.25)
    key = bank.save_new(patch, after="dew")
    assert key == "fern-pluck" and names(library) == ["Dew", "Fern Pluck", "Moss", "Root"]
    assert Library(library.root).named("Glasshouse").load(key) == patch


def test_two_of_one_name_are_two_presets(library: Library) -> None:
    bank = library.bank("glasshouse")
    assert bank.save_new(new_patch("Dew")) == "dew-2" and bank.save_new(new_patch("…")) == "sound"
    assert slug("Núbés & Möss!") == "nubes-moss"


def test_saving_over_keeps_the_last_three_versions(library: Library) -> None:
    bank = library.bank("glasshouse")
    for level in (-1.0, -2.0, -3.0, -4.0, -5.0):
        bank.save("dew", louder(new_patch("Dew"), level))
    kept = [json.loads(path.read_text())["layers"]["a"]["level"] for path in bank.versions("dew")]
    assert kept == [-4.0, -3.0, -2.0] and bank.load("dew").layers["a"].level == -5.0


def test_deleting_goes_to_the_bin_and_comes_back_to_its_place(library: Library) -> None:
    before = tree(library.root / "glasshouse")
    ticket = library.delete("glasshouse", "moss")
    assert names(library) == ["Dew", "Root"] and [t.name for t in library.bin.all()] == ["Moss"]
    assert library.restore(ticket) == ("glasshouse", "moss")
    assert names(library) == ["Dew", "Moss", "Root"] and library.bin.all() == []
    after = tree(library.root / "glasshouse")
    assert {k: v for k, v in before.items() if "presets" in k} == {k: v for k, v in after.items() if "presets" in k}
    with pytest.raises(NoSuchBank):
        library.delete("glasshouse", "nothing")


def test_moving_takes_a_preset_to_another_bank(library: Library) -> None:
    library.create("Tide")
    library.move("glasshouse", "moss", "tide")
    assert names(library) == ["Dew", "Root"] and names(library, "tide") == ["Moss"]


def test_a_broken_bank_file_leaves_its_presets_and_the_other_banks(library: Library) -> None:
    other = library.create("Tide")
    other.save_new(new_patch("Ebb"))
    before = '{"format": 9, "name": "Glasshouse"}'
    (library.root / "glasshouse" / "bank.json").write_text(before)
    broken = library.bank("glasshouse")
    assert broken.name == "glasshouse" and "format 9" in broken.problem
    assert broken.ids() == ["dew", "moss", "root"] and broken.load("dew").name == "Dew"
    assert library.named("Tide").ids() == ["ebb"] and len(list(library.presets())) == 4
    with pytest.raises(BadDocument):
        broken.reorder(["root", "dew", "moss"])
    assert (broken.folder / "bank.json").read_text() == before, "a newer file is not overwritten"


def test_one_broken_file_leaves_the_others_and_names_itself(library: Library) -> None:
    bank = library.bank("glasshouse")
    bank.path("moss").write_text(write_patch(new_patch("Moss"))[:100])
    found = {preset.id: preset for preset in bank.presets()}
    assert found["dew"].patch and found["moss"].patch is None and "moss" in found["moss"].problem
    with pytest.raises(BadDocument):
        bank.load("moss")


@pytest.mark.parametrize("number", [errno.ENOSPC, errno.EACCES, errno.EROFS, errno.EIO])
@pytest.mark.parametrize("where", ["fsync", "replace"])
def test_a_disk_that_fails_while_saving_leaves_the_old_version(
    library: Library, monkeypatch: pytest.MonkeyPatch, number: int, where: str
) -> None:
    bank = library.bank("glasshouse")
    before = tree(library.root)

    def fail(*_: object) -> None:
        raise OSError(number, os.strerror(number))

    monkeypatch.setattr(files.os, where, fail)
    with pytest.raises(CannotWrite) as wrong:
        bank.save("dew", louder(new_patch("Dew"), -1.0))
    assert "stays" in str(wrong.value) and os.strerror(number) in str(wrong.value)
    monkeypatch.undo()
    assert tree(library.root) == before, "no half-written file is left behind"


def test_a_library_that_cannot_be_written_says_so(tmp_path: Path) -> None:
    (tmp_path / "library").write_text("this is a file, not a folder")
    with pytest.raises(FeltDialError) as wrong:
        Library(tmp_path / "library").create("Glasshouse")
    assert "Not a directory. It is as it was." in str(wrong.value)
    assert Library(tmp_path / "nowhere").banks() == []


def test_a_bank_file_brings_the_same_bank(library: Library, tmp_path: Path) -> None:
    target = tmp_path / "glasshouse.feltbank"
    assets = library.root / "glasshouse" / "assets"
    (assets / ("5" * 64 + ".flac")).write_bytes(b"fLaC")
    assert export_bank(library.bank("glasshouse"), target) == 3
    first = target.read_bytes()
    export_bank(library.bank("glasshouse"), target)
    assert target.read_bytes() == first, "equal content, equal bytes"
    other = Library(tmp_path / "other")
    made = import_bank(other, target)
    whole = tree(library.root / "glasshouse")
    assert whole.pop("assets/" + "5" * 64 + ".flac"), "a recording that no preset needs does not go along"
    assert made.file.came == date.today()
    assert tree(made.folder) | {"bank.json": b""} == whole | {"bank.json": b""}
    assert made.file.model_copy(update={"came": None}) == library.bank("glasshouse").file
    export_bank(made, tmp_path / "again.feltbank")
    assert (tmp_path / "again.feltbank").read_bytes() == first, "when it came here is nobody else's matter"
    assert import_bank(other, target).id == "glasshouse-2"


def test_a_bank_file_tells_what_of_it_is_here_already(library: Library, tmp_path: Path) -> None:
    target, bank = tmp_path / "glasshouse.feltbank", library.bank("glasshouse")
    bank.change("dew", {}, {"notes": "mine"})
    export_bank(bank, target)
    assert look_into(library, target).known == ("glasshouse", "Glasshouse", (), ("dew", "moss", "root"), ())
    bank.save("moss", with_value(bank.load("moss"), "level", -9.0))
    library.delete("glasshouse", "root")
    arrival = look_into(library, target)
    assert arrival.known == ("glasshouse", "Glasshouse", ("root",), ("dew",), ("moss",)) and arrival.presets == 3
    assert arrival.known is not None
    assert arrival.known.sentence() == "“Glasshouse” is here already: 1 new, 1 the same, 1 different"
    name = free_bank_name(library, "Glasshouse")
    made = import_bank(library, target, name=name, only=arrival.to_take)
    assert (made.name, made.id, made.ids()) == ("Glasshouse 2", "glasshouse-2", ["moss", "root"])
    assert free_bank_name(library, "Glasshouse") == "Glasshouse 3" and free_bank_name(library, "Reeds") == "Reeds"


def test_what_a_receiver_would_miss_is_listed(library: Library) -> None:
    bank = library.bank("glasshouse")
    bank.change("dew", {}, {"description": "Wet", "unnamed": True})
    said = lacks_of(bank, lambda patch: patch.name == "Moss")
    assert said == [
        "1 preset is not named (“Dew”)",
        "2 presets have no description (“Moss”, “Root”)",
        "2 presets are not measured (“Dew”, “Root”)",
    ]


def zipped(entries: dict[str, str | bytes], compress: bool = True) -> bytes:
    memory = io.BytesIO()
    with zipfile.ZipFile(memory, "w", zipfile.ZIP_DEFLATED if compress else zipfile.ZIP_STORED) as archive:
        for name, content in entries.items():
            archive.writestr(name, content)
    return memory.getvalue()


GOOD = {
    "bank.json": '{"format": 1, "name": "Tide", "order": ["dew"]}',
    "presets/dew.json": write_patch(new_patch("Dew")),
}
BAD_BANKS = {
    "not a zip": (b"moss", "not a zip"),
    "cut short": (zipped(GOOD)[:-40], "cut short"),
    "no bank.json": (zipped({"presets/dew.json": "{}"}), "bank.json"),
    "bank.json not JSON": (zipped(GOOD | {"bank.json": "{"}), "JSON"),
    "bank without a name": (zipped(GOOD | {"bank.json": '{"format": 1}'}), "name"),
    "newer bank": (zipped(GOOD | {"bank.json": '{"format": 9, "name": "x"}'}), "format 9"),
    "newer preset": (zipped(GOOD | {"presets/dew.json": '{"format": 9}'}), "format 9"),
    "broken preset": (zipped(GOOD | {"presets/dew.json": "{"}), "presets/dew.json"),
    "NaN in a preset": (zipped(GOOD | {"presets/dew.json": GOOD["presets/dew.json"].replace("-12.0", "NaN")}), "NaN"),
    "leaves its folder": (zipped(GOOD | {"presets/../../evil.json": "{}"}), "leaves its folder"),
    "absolute": (zipped(GOOD | {"/etc/evil": "{}"}), "leaves its folder"),
    "no name": (zipped(GOOD | {"presets/.json": "{}"}), "presets/.json"),
    "a folder in presets": (zipped(GOOD | {"presets/a/b.json": "{}"}), "presets/a/b.json"),
    "an asset of another name": (zipped(GOOD | {"assets/x.exe": "MZ"}), "assets/x.exe"),
    "a huge number": (
        zipped(GOOD | {"presets/dew.json": GOOD["presets/dew.json"].replace("-12.0", "1" + "0" * 400)}),
        "too large",
    ),
    "an endless number": (
        zipped(GOOD | {"presets/dew.json": GOOD["presets/dew.json"].replace("-12.0", "1e999")}),
        "too large",
    ),
    "a kind that is a list": (
        zipped(GOOD | {"presets/dew.json": GOOD["presets/dew.json"].replace('"kind": "wave"', '"kind": []')}),
        "presets/dew.json",
    ),
    "unpacks to gigabytes": (zipped(GOOD | {"assets/" + "a" * 64 + ".flac": bytes(64 * 1024**2)}), "more than a bank"),
}


@pytest.mark.parametrize("fault", list(BAD_BANKS))
def test_a_bad_bank_file_gets_one_sentence_and_leaves_the_library_as_it_was(
    fault: str, library: Library, tmp_path: Path
) -> None:
    content, word = BAD_BANKS[fault]
    source = tmp_path / "bad.feltbank"
    source.write_bytes(content)
    before = tree(library.root)
    with pytest.raises(BadDocument) as wrong:
        import_bank(library, source)
    assert word in str(wrong.value) and "bad.feltbank" in str(wrong.value) and "\n" not in str(wrong.value)
    assert tree(library.root) == before and not list(library.root.glob(".importing*"))


@pytest.mark.parametrize("way", [zipfile.ZIP_DEFLATED, zipfile.ZIP_LZMA, zipfile.ZIP_BZIP2, zipfile.ZIP_STORED])
def test_a_bank_file_that_is_damaged_anywhere_is_whole_or_refused(way: int, library: Library, tmp_path: Path) -> None:
    """Bytes changed, left out and put in at random places, headers and names included: a sentence, or the bank."""
    rng = Random(way)
    memory = io.BytesIO()
    with zipfile.ZipFile(memory, "w", way) as archive:
        for name, content in GOOD.items():
            archive.writestr(name, content)
        archive.writestr("assets/" + "é" * 3, "x")
    whole, source, refused = memory.getvalue(), tmp_path / "tide.feltbank", 0
    for _ in range(150):
        spoilt = bytearray(whole)
        for _ in range(rng.randrange(1, 4)):
            at = rng.choice((rng.randrange(len(spoilt)), max(len(spoilt) - rng.randrange(1, 400), 0)))
            spoilt[at : at + rng.randrange(3)] = rng.randbytes(rng.randrange(3))
        source.write_bytes(spoilt)
        try:
            import_bank(library, source)
        except FeltDialError as wrong:
            refused += 1
            assert len(str(wrong)) <= 220 and "\n" not in str(wrong)
    assert refused > 100 and not list(library.root.glob(".making-*"))


def test_a_bank_that_is_not_whole_says_so_before_it_is_written(library: Library, tmp_path: Path) -> None:
    bank, target = library.bank("glasshouse"), tmp_path / "out.feltbank"
    bank.path("moss").write_text("{")
    for act in (lambda: missing_from(bank), lambda: export_bank(bank, target)):
        with pytest.raises(BadDocument, match="moss"):
            act()
    assert not target.exists()


def test_a_disk_that_fails_while_importing_leaves_the_library_as_it_was(
    library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    source = tmp_path / "tide.feltbank"
    source.write_bytes(zipped(GOOD))
    before = tree(library.root)

    def full(*_: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(files.os, "fsync", full)
    with pytest.raises(CannotWrite, match="as it was"):
        import_bank(library, source)
    assert tree(library.root) == before and not list(library.root.glob(".importing*"))


def test_an_index_that_is_damaged_is_made_anew(tmp_path: Path) -> None:
    (tmp_path / "index.sqlite").write_bytes(b"moss" * 500)
    index = Index(tmp_path / "index.sqlite")
    assert index.get("x") is None
    index.close()
    (tmp_path / "file").write_text("no folder")
    elsewhere = Index(tmp_path / "file" / "index.sqlite")
    elsewhere.put("moss", measure(new_patch()))
    assert elsewhere.get("moss") is not None, "where nothing can be written the index lives in memory"


def test_a_sine_measures_as_what_it_is() -> None:
    """Its swatch has one bright line; peak and key follow from the render."""
    t = np.arange(48000 * 4) / 48000
    sine = np.sin(2 * np.pi * 1000 * t).astype(np.float32)
    swatch = swatch_of(np.stack([sine, sine]), 48000)
    row = int(np.argmax(swatch[:, 80]))
    frequency = 20000 * (20 / 20000) ** ((row + 0.5) / 64)
    assert frequency == pytest.approx(1000, rel=0.08) and swatch[:, 80].max() >= 250
    assert (swatch[:, 80] > 60).sum() < 16
    chirp = signal.chirp(t, 100, 4, 8000, "logarithmic").astype(np.float32)
    rows = np.argmax(swatch_of(np.stack([chirp, chirp]), 48000)[:, 8:-8], axis=0)
    assert (np.diff(rows) <= 1).all() and rows[0] > rows[-1] + 20, "a rising sweep rises in the picture"


def test_a_measurement_is_kept_by_the_content_of_the_sound(tmp_path: Path) -> None:
    patch = new_patch("Dew")
    found = measure(patch)
    assert -40 < found.lufs < 0 and found.peak < 0
    index = Index(tmp_path / "index.sqlite")
    index.put(sound_key(patch), found)
    index.close()
    again = Index(tmp_path / "index.sqlite").get(
        sound_key(patch.model_copy(update={"name": "Rain", "favourite": True}))
    )
    assert again is not None and again.lufs == found.lufs and np.array_equal(again.swatch, found.swatch)
    assert sound_key(louder(patch, -1.0)) != sound_key(patch)
    quiet = measure(louder(patch, -18.0))
    assert quiet.lufs == pytest.approx(found.lufs - 6.0, abs=0.1)


def test_measuring_works_in_the_background_and_can_be_cancelled() -> None:
    work = Measuring()
    patches = {sound_key(p): p for p in (louder(new_patch(), -n) for n in range(4, 10))}
    for key, patch in patches.items():
        work.measure(key, partial(write_patch, patch))
    work.measure(next(iter(patches)), partial(write_patch, new_patch()))
    assert work.left == 6
    found: list[str] = []
    end = time.monotonic() + 60
    while not found and time.monotonic() < end:
        found += [key for key, measured in work.poll() if measured is not None]
        time.sleep(0.02)
    work.cancel()
    assert found and work.left <= 1
    work.close()


def test_a_sound_that_is_gone_before_its_turn_has_not_failed(kernels: None) -> None:
    """As an offshoot that is kept and taken back at once; where it comes back, it is measured after all."""

    def gone() -> str:
        raise NoSuchBank("not there")

    figures = Figures(Index(), Measuring(workers=1))
    patch = louder(new_patch(), -5.0)
    figures.measuring.measure(figures.key(patch), gone)
    assert figures.poll() == [] and not figures.failed and figures.measuring.left == 0
    figures.ask([patch])
    found: list[str] = []
    end = time.monotonic() + 60
    while not found and time.monotonic() < end:
        found += [key for key, measured in figures.poll() if measured is not None]
        time.sleep(0.02)
    assert found == [figures.key(patch)]
    figures.close()


def test_what_ships_is_written_as_the_program_writes_it_today(monkeypatch: pytest.MonkeyPatch) -> None:
    """`tools/shipped.py` has been run since a parameter was called otherwise: nothing is left to bring along."""
    monkeypatch.syspath_prepend(str(ROOT / "tools"))
    import shipped

    documents = list(shipped.documents())
    assert len(documents) > 110
    for path, again in documents:
        text = path.read_text("utf-8")
        assert again(text, path.name) == text, path.name


def test_the_demo_has_two_banks() -> None:
    assert [len(bank.ids()) for bank in Library(BANKS).banks()] == [36, 16]


@pytest.mark.parametrize("preset", some(Library(BANKS).presets(), 3), ids=lambda preset: preset.id)
def test_a_sound_of_the_demo_is_as_loud_as_its_neighbours(preset: Preset) -> None:
    """At −18 LUFS within 1 and below −1 dB, played and at the quality of a render; every named macro moves something."""
    assert preset.patch is not None and preset.patch.description and preset.patch.type
    live, rendered = played(preset.patch), played(preset.patch, 4)
    assert abs(loudness(live) + 18) < 1 and peak_of(live) <= -1.0 and abs(loudness(rendered) + 18) < 1
    for key, macro in preset.patch.macros.items():
        moved = [t for t in preset.patch.threads.values() if key in (t.source, t.scaled)]
        assert bool(moved) == bool(macro.name), key


def test_settings_are_kept_and_broken_ones_give_the_defaults(home: Path) -> None:
    assert load_settings() == Settings()
    save_settings(Settings(rate=96000, night=True))
    assert load_settings().rate == 96000 and load_settings().night
    settings_path().write_text("{")
    assert load_settings() == Settings()
    lay_out_demo(home / "library")
    assert len(Library(home / "library").banks()) == 2
    shutil.rmtree(home / "library" / "tide-tables")
    lay_out_demo(home / "library")
    assert len(Library(home / "library").banks()) == 1, "a bank that was taken away stays away"


def test_a_worker_that_dies_is_started_again_thrice_and_then_left_alone(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sys, "executable", "/bin/false")
    work, found = Measuring(), []
    for n in range(6):
        work.measure(f"key {n}", partial(write_patch, new_patch()))
    end = time.monotonic() + 20
    while work.left and time.monotonic() < end:
        found += work.poll()
        time.sleep(0.01)
    assert len(found) == work.deaths == MOST_DEATHS and all(measured is None for _, measured in found)
    work.measure("another", partial(write_patch, new_patch()))
    assert work.left == 0, "nothing is asked for any more"
    work.close()


def test_equal_sounds_are_equal_files_and_follow_the_umask(tmp_path: Path) -> None:
    sound = np.random.default_rng(4).uniform(-1, 1, (2, 100)).astype(np.float32)
    first = wav_bytes(sound, 48000)
    time.sleep(1.1)
    assert wav_bytes(sound, 48000) == first, "no time stands in it"
    before = os.umask(0o027)
    try:
        write_whole(tmp_path / "a.wav", first)
    finally:
        os.umask(before)
    assert (tmp_path / "a.wav").stat().st_mode & 0o777 == 0o640
