"""The library held against faults: identity, versions, the bin, interrupted work, and several processes at once."""

from __future__ import annotations

import contextlib
import json
import multiprocessing
import os
import shutil
from pathlib import Path

import pytest

from felt_dial import files
from felt_dial.bank.library import bin as bins
from felt_dial.bank.library.library import Library, MovedOn, NoSuchBank
from felt_dial.bank.library.places import lay_out_demo
from felt_dial.files import CannotWrite
from felt_dial.patch.patch import with_value
from felt_dial.sound.modules import new_patch


def names(library: Library, bank: str = "glasshouse") -> list[str]:
    return [preset.name for preset in library.bank(bank).presets()]


# --- who is who ---------------------------------------------------------------------------------


def test_a_bank_that_is_called_like_the_id_of_another_does_not_take_its_place(library: Library) -> None:
    library.create("Aviary").about({}, {"name": "glasshouse"})
    assert library.bank("glasshouse").ids() == ["dew", "moss", "root"]
    assert library.named("glasshouse").id == "glasshouse", "an id goes before a name"


def test_two_banks_of_one_name_are_asked_about(library: Library) -> None:
    library.create("Tide").about({}, {"name": "Harbour"})
    library.create("Quay").about({}, {"name": "Harbour"})
    with pytest.raises(NoSuchBank, match="2 banks are called “Harbour”; say which: quay, tide"):
        library.named("Harbour")


@pytest.mark.parametrize("key", ["", ".", "..", ".bin", "../library", "glasshouse/presets", "/etc"])
def test_nothing_but_a_folder_of_the_library_is_a_bank(library: Library, key: str) -> None:
    with pytest.raises(NoSuchBank):
        library.bank(key)


def _save_sixty(root: Path, who: int) -> None:
    bank = Library(root).bank("glasshouse")
    for n in range(60):
        bank.save_new(new_patch(f"Leaf {n % 7}").model_copy(update={"description": f"{who}.{n}"}))


def test_two_processes_that_save_new_presets_lose_none(library: Library) -> None:
    """Sixty each into one bank, under the same few names: all 120 are there, and the order knows each once."""
    context = multiprocessing.get_context("spawn")
    writers = [context.Process(target=_save_sixty, args=(library.root, who)) for who in (1, 2)]
    for writer in writers:
        writer.start()
    for writer in writers:
        writer.join(120)
        assert writer.exitcode == 0
    bank = library.bank("glasshouse")
    found = [preset.patch.description for preset in bank.presets() if preset.patch and preset.patch.description]
    assert sorted(found) == sorted(f"{who}.{n}" for who in (1, 2) for n in range(60))
    assert len(bank.file.order) == len(set(bank.file.order)) == 123


def _create(root: Path) -> None:
    for n in range(10):
        Library(root).create(f"Bed {n % 3}")


def test_two_processes_that_make_banks_make_all_of_them(library: Library) -> None:
    context = multiprocessing.get_context("spawn")
    makers = [context.Process(target=_create, args=(library.root,)) for _ in range(2)]
    for maker in makers:
        maker.start()
    for maker in makers:
        maker.join(120)
        assert maker.exitcode == 0
    assert len(library.banks()) == 21


def test_a_bank_that_another_holds_is_said_to_be_and_stays(library: Library, monkeypatch: pytest.MonkeyPatch) -> None:
    from filelock import FileLock

    monkeypatch.setattr(files, "PATIENCE", 0.05)
    with (
        FileLock(library.root / ".locks" / "glasshouse.lock"),
        pytest.raises(CannotWrite, match="“Glasshouse” is being changed by another window"),
    ):
        library.bank("glasshouse").save("dew", with_value(new_patch("Dew"), "level", -3.0))
    assert library.bank("glasshouse").load("dew").level == 0.0


# --- versions -----------------------------------------------------------------------------------


def test_a_save_that_changes_words_only_makes_no_version(library: Library) -> None:
    bank = library.bank("glasshouse")
    patch = bank.load("dew")
    words = {"name": "Dew II", "description": "wet", "favourite": True, "character": ("cold",), "author": "me"}
    bank.save("dew", patch.model_copy(update=words))
    bank.change("dew", {"favourite": True}, {"favourite": False})
    assert bank.versions("dew") == [] and bank.load("dew").name == "Dew II"
    bank.save("dew", with_value(patch, "level", -3.0))
    assert len(bank.versions("dew")) == 1


def test_versions_go_with_their_preset_and_never_to_a_stranger(library: Library) -> None:
    """Into another bank and back, into the bin and back; one that gets a free name anew begins without any."""
    bank, other = library.bank("glasshouse"), library.create("Tide")
    bank.save("dew", with_value(bank.load("dew"), "level", -3.0))
    key = library.move("glasshouse", "dew", "tide")
    assert len(other.versions(key)) == 1 and bank.versions("dew") == []
    assert bank.save_new(new_patch("Dew")) == "dew" and bank.versions("dew") == []
    ticket = library.delete("tide", key)
    assert other.save_new(new_patch("Dew")) == key and other.versions(key) == []
    home, back = library.restore(ticket)
    assert (home, back) == ("tide", "dew-2") and len(other.versions(back)) == 1 and other.versions(key) == []


def test_a_change_of_words_is_refused_where_they_are_not_what_they_were(library: Library) -> None:
    bank = library.bank("glasshouse")
    with pytest.raises(MovedOn, match="“Dew” was changed in the meantime"):
        bank.change("dew", {"favourite": True}, {"favourite": False})


# --- the bin ------------------------------------------------------------------------------------


def test_a_preset_whose_bank_is_gone_comes_back_in_one_of_that_name(library: Library) -> None:
    library.create("Tide").save_new(new_patch("Ebb"))
    ticket = library.delete("tide", "ebb")
    shutil.rmtree(library.root / "tide")
    assert [(t.name, t.bank_name) for t in library.bin.all()] == [("Ebb", "Tide")]
    home, key = library.restore(ticket)
    assert library.bank(home).name == "Tide" and library.bank(home).load(key).name == "Ebb"


@pytest.mark.parametrize("spoilt", ["no about", "torn about", "no preset", "a file", "empty"])
def test_one_spoilt_entry_leaves_the_bin_readable(library: Library, spoilt: str) -> None:
    library.delete("glasshouse", "dew")
    ticket = library.delete("glasshouse", "moss")
    folder = library.root / ".bin" / ticket
    if spoilt == "no about":
        (folder / "about.json").unlink()
    elif spoilt == "torn about":
        (folder / "about.json").write_text('{"bank": "gla')
    elif spoilt == "no preset":
        (folder / "preset.json").unlink()
    else:
        shutil.rmtree(folder)
        folder.write_text("") if spoilt == "a file" else folder.mkdir()
    left = [thrown.name for thrown in library.bin.all()]
    assert left == (["Moss", "Dew"] if spoilt.endswith("about") else ["Dew"])
    if spoilt.endswith("about"):
        home, key = library.restore(ticket)
        assert library.bank(home).load(key).name == "Moss"


@pytest.mark.parametrize("step", range(1, 6))
def test_a_deletion_that_is_interrupted_anywhere_loses_nothing(
    library: Library, monkeypatch: pytest.MonkeyPatch, step: int
) -> None:
    """Killed at any rename: the preset is in its bank or, once the next start has tidied up, in the bin, and never in both."""
    bank = library.bank("glasshouse")
    bank.save("moss", with_value(bank.load("moss"), "level", -3.0))
    done, rename = [0], os.rename

    class Killed(BaseException):
        pass

    def count(*args: object) -> None:
        done[0] += 1
        if done[0] == step:
            raise Killed
        rename(*args)  # type: ignore[arg-type]

    monkeypatch.setattr(bins.os, "rename", count)
    with contextlib.suppress(Killed):
        library.delete("glasshouse", "moss")
    monkeypatch.undo()
    library.tidy(90, 500)
    in_bin = [thrown.name for thrown in library.bin.all()]
    assert ("Moss" in names(library)) != ("Moss" in in_bin)
    assert not list(library.root.rglob(".making-*")) and not list(library.root.rglob(".gone-*"))
    if in_bin:
        home, key = library.restore(library.bin.all()[0].ticket)
        assert library.bank(home).load(key).level == -3.0


def test_a_full_disk_while_deleting_leaves_the_preset_and_the_bin(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(files.os, "fsync", full)
    with pytest.raises(CannotWrite, match="No space left"):
        library.delete("glasshouse", "moss")
    monkeypatch.undo()
    library.tidy(90, 500)
    assert names(library) == ["Dew", "Moss", "Root"] and library.bin.all() == []


def test_the_bin_forgets_what_is_too_old_and_too_much(library: Library) -> None:
    tickets = [library.delete("glasshouse", key) for key in ("dew", "moss", "root")]
    library.tidy(90, 2)
    assert [thrown.ticket for thrown in library.bin.all()] == tickets[:0:-1]
    old = library.root / ".bin" / f"{10**18:020d}"
    os.rename(library.root / ".bin" / tickets[1], old)
    about = json.loads((old / "about.json").read_text())
    (old / "about.json").write_text(json.dumps(about | {"when": 1e9, "day": about.get("day", 0) - 91}))
    library.tidy(90, 500)
    assert [thrown.ticket for thrown in library.bin.all()] == tickets[2:]


def test_a_library_that_cannot_be_written_or_is_not_there_is_left_as_it_is(
    library: Library, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    Library(tmp_path / "nowhere").tidy(90, 500)
    assert not (tmp_path / "nowhere").exists(), "a start on a full disk does not make it: the demo comes with the next"

    def read_only(*_: object, **__: object) -> None:
        raise OSError(30, "Read-only file system")

    monkeypatch.setattr(files.FileLock, "acquire", read_only)
    library.tidy(90, 500)
    assert names(library) == ["Dew", "Moss", "Root"]


def test_a_demo_that_is_half_laid_out_is_laid_out_anew(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    root = tmp_path / "library"
    copied = []

    def fail(source: Path, target: Path) -> None:
        copied.append(target)
        if len(copied) == 2:
            raise OSError(28, "No space left on device")
        target.mkdir()

    monkeypatch.setattr(shutil, "copytree", fail)
    with pytest.raises(OSError, match="No space"):
        lay_out_demo(root)
    assert not root.exists() and list(tmp_path.iterdir()) == []
    monkeypatch.undo()
    (root / ".locks").mkdir(parents=True)
    lay_out_demo(root)
    assert len(Library(root).banks()) == 2
