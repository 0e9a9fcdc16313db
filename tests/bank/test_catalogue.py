"""The catalogue: rows of what stands in the library, true after every change, whoever makes it."""

from __future__ import annotations

import contextlib
import os
import shutil
import sqlite3
import threading
import time
from pathlib import Path
from random import Random
from typing import Any

import pytest

from felt_dial.bank.finding import catalogue as catalogues
from felt_dial.bank.finding.catalogue import Catalogue, CatalogueFault, Listed, catalogue_path
from felt_dial.bank.finding.follow import Following
from felt_dial.bank.library.library import Library
from felt_dial.bank.measuring.measurement import sound_key
from felt_dial.patch.patch import with_value
from felt_dial.sound.modules import new_patch


def as_it_is(library: Library) -> dict[str, list[tuple[str, str, str, bool]]]:
    """What stands in the library, read from its files alone."""
    found = {}
    for bank in library.banks():
        found[bank.id] = [
            (p.id, p.name, sound_key(p.patch) if p.patch else "", bool(p.patch and p.patch.favourite))
            for p in bank.presets()
        ]
    return found


def as_listed(catalogue: Catalogue) -> dict[str, list[tuple[str, str, str, bool]]]:
    return {b.id: [(p.id, p.name, p.key, p.favourite) for p in catalogue.presets(b.id)] for b in catalogue.banks()}


def test_search_finds_beginnings_of_words_in_every_field(library: Library) -> None:
    bank = library.bank("glasshouse")
    about = {"type": "Brass", "character": ("warm", "slow"), "description": "Opens as it is held"}
    bank.save_new(new_patch("Lantern Brass").model_copy(update=about))
    catalogue = Catalogue()
    catalogue.refresh(library)
    for words in ("lant", "warm slow brass", "opens", "SLOW lantern"):
        assert [p.id for p in catalogue.search(words)[0]] == ["lantern-brass"], words
    assert catalogue.search("warm cold") == catalogue.search('"; DROP') == catalogue.search("") == ([], 0)
    assert [p.id for p in catalogue.search("dew")[0]] == ["dew"]
    assert catalogue.search("lant", "Pad") == ([], 0) and catalogue.search("lant", "Brass")[1] == 1
    assert catalogue.kinds("glasshouse") == {"Brass": 1}


def test_a_long_search_lists_the_best_and_tells_how_many_there_are(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(catalogues, "MOST_FOUND", 2)
    catalogue = Catalogue()
    for n in range(5):
        library.bank("glasshouse").save_new(new_patch(f"Leaf {n}"))
    catalogue.refresh(library)
    found, count = catalogue.search("leaf")
    assert len(found) == 2 and count == 5


def test_rows_say_what_the_files_say_and_what_is_wrong(library: Library) -> None:
    bank, catalogue = library.bank("glasshouse"), Catalogue()
    bank.path("moss").write_text('{"format": 99}')
    catalogue.refresh(library)
    dew, moss, root = catalogue.presets("glasshouse")
    assert isinstance(dew, Listed) and (dew.name, dew.place, dew.layers, dew.problem) == ("Dew", 0, 1, "")
    assert "format 99" in moss.problem and moss.name == "moss" and moss.key == "" and root.place == 2
    (bank.folder / "bank.json").write_text("{")
    assert catalogue.refresh(library) == {"glasshouse"}
    assert catalogue.banks()[0].problem and catalogue.banks()[0].presets == 3
    assert catalogue.refresh(library) == set()


def test_only_what_changed_is_read(library: Library, monkeypatch: pytest.MonkeyPatch) -> None:
    catalogue, read = Catalogue(), []
    catalogue.refresh(library)
    load = catalogues.Bank.load
    monkeypatch.setattr(catalogues.Bank, "load", lambda bank, preset: read.append(preset) or load(bank, preset))
    assert catalogue.refresh(library) == set() and read == []
    library.bank("glasshouse").change("moss", {}, {"favourite": True})
    read.clear()
    assert catalogue.refresh(library, ["glasshouse"]) == {"glasshouse"} and read == ["moss"]
    library.bank("glasshouse").reorder(["root", "moss", "dew"])
    read.clear()
    assert catalogue.refresh(library) == {"glasshouse"} and read == []
    assert [p.id for p in catalogue.presets("glasshouse")] == ["root", "moss", "dew"]


class Acts:
    """Random acts on a library: saves, words, moves, deletions, restorations, orders, new, renamed and vanished banks."""

    def __init__(self, library: Library, seed: int) -> None:
        self.library, self.rng = library, Random(seed)

    def act(self) -> set[str]:
        """One of them; the banks that it was about."""
        library, rng = self.library, self.rng
        banks = library.banks() or [library.create("Glasshouse")]
        bank = rng.choice(banks)
        ids = bank.ids()
        what = rng.randrange(10)
        if what <= 1 or not ids:
            name = rng.choice(("Dew", "Fern", "Moss"))
            bank.save_new(with_value(new_patch(name), "level", rng.uniform(-20.0, 0.0)))
        elif what == 2:
            bank.save(rng.choice(ids), with_value(new_patch("Root"), "level", rng.uniform(-20.0, 0.0)))
        elif what == 3:
            bank.change(rng.choice(ids), {}, {"favourite": rng.random() < 0.5})
        elif what == 4 and len(banks) > 1:
            other = rng.choice(banks)
            library.move(bank.id, rng.choice(ids), other.id)
            return {bank.id, other.id}
        elif what == 5 or len(ids) > 12:
            for key in ids[::3]:
                library.delete(bank.id, key)
        elif what == 6 and (thrown := library.bin.all()):
            return {bank.id, library.restore(rng.choice(thrown).ticket)[0]}
        elif what == 7:
            rng.shuffle(ids)
            bank.reorder(ids)
        elif what == 8:
            return {bank.id, library.create(rng.choice(("Tide", "Aviary"))).id} if len(banks) < 4 else {bank.id}
        elif len(banks) > 2:
            shutil.rmtree(bank.folder)
            library.bin.tidy(30, 20)
        return {bank.id}


def searched(catalogue: Catalogue, word: str) -> tuple[set[tuple[str, str]], int]:
    listed, count = catalogue.search(word)
    return {(row.bank, row.id) for row in listed}, count


def named(library: Library, word: str) -> set[tuple[str, str]]:
    return {(p.bank, p.id) for p in library.presets() if p.patch is not None and word in p.patch.name.lower().split()}


def walk(library: Library, folder: Path, seed: int, steps: int) -> None:
    """Two catalogues, a follower, and the folder: after each act the index is what the folder holds, whoever wrote it."""
    path, acts = folder / "catalogue.sqlite", Acts(library, seed)
    windows = [Catalogue(path), Catalogue(path)]
    following = Following(library, path)
    try:
        for step in range(steps):
            banks = acts.act()
            mine, other = acts.rng.sample(windows, 2)
            mine.refresh(library, None if acts.rng.random() < 0.2 else banks)
            there = as_it_is(library)
            for one in (mine, other):
                assert as_listed(one) == there, f"step {step} of seed {seed}"
            assert searched(other, "dew") == (named(library, "dew"), len(named(library, "dew"))), f"step {step}"
        assert not any(one.mended for one in windows) and following.told() == []
        assert windows[0].strayed(library) == set()
    finally:
        following.close()
        for one in windows:
            one.close()


@pytest.mark.parametrize("seed", range(4))
def test_whoever_writes_the_index_is_what_the_folder_holds(library: Library, tmp_path: Path, seed: int) -> None:
    walk(library, tmp_path, seed, 60)


@pytest.mark.soak
@pytest.mark.parametrize("seed", range(10, 20))
def test_it_is_so_for_ten_thousand_acts(library: Library, tmp_path: Path, seed: int) -> None:
    walk(library, tmp_path, seed, 1000)


@pytest.mark.parametrize(
    "harm",
    [
        "DELETE FROM preset WHERE id = 'moss'",
        "DELETE FROM bank",
        "INSERT INTO words (rowid, name) VALUES (900, 'Dew')",
        "DELETE FROM words WHERE rowid = 1",
        "INSERT INTO preset (row, bank, id, name) SELECT 77, 'elsewhere', 'dew', 'Dew'",
        "UPDATE preset SET stamp = 5, name = 'Ghost'",
        "a damaged file",
        "no file",
    ],
)
def test_what_is_wrong_in_the_index_heals_within_two_seconds(library: Library, tmp_path: Path, harm: str) -> None:
    path = tmp_path / "c.sqlite"
    window, following = Catalogue(path), Following(library, path)
    end = time.monotonic() + 20
    while as_listed(window) != as_it_is(library) and time.monotonic() < end:
        time.sleep(0.02)
    time.sleep(0.3)
    try:
        if harm == "a damaged file":
            with open(path, "r+b") as file:
                file.write(b"fern" * 4000)
            for part in tmp_path.glob("c.sqlite-*"):
                part.unlink()
        elif harm == "no file":
            path.unlink()
        else:
            with contextlib.closing(sqlite3.connect(path)) as base, base:
                base.execute(harm)
        end = time.monotonic() + 3.0  # two, and what a busy machine takes
        healed = False
        while not healed and time.monotonic() < end:
            time.sleep(0.05)
            healed = as_listed(window) == as_it_is(library) and searched(window, "dew")[1] == len(named(library, "dew"))
        assert healed
        assert window.mended or harm != "no file"  # which the window says
        with contextlib.closing(Catalogue(path)) as later:
            assert harm != "no file" or as_listed(later) == as_it_is(library)
    finally:
        following.close()
        window.close()


def test_a_broken_constraint_is_told_and_no_damage(library: Library, tmp_path: Path) -> None:
    catalogue = Catalogue(tmp_path / "c.sqlite")
    catalogue.refresh(library)
    inode = (tmp_path / "c.sqlite").stat().st_ino
    with pytest.raises(CatalogueFault, match="UNIQUE"):
        catalogue._write(lambda: [("INSERT INTO preset (bank, id) SELECT bank, id FROM preset LIMIT 1", ())])
    assert not catalogue.mended and (tmp_path / "c.sqlite").stat().st_ino == inode
    assert as_listed(catalogue) == as_it_is(library)


# --- the rim ------------------------------------------------------------------------------------


@pytest.mark.parametrize("fault", ["damaged", "truncated", "a folder", "no place", "another schema"])
def test_a_catalogue_that_cannot_be_used_is_made_anew_or_kept_in_memory(
    library: Library, tmp_path: Path, fault: str
) -> None:
    path = tmp_path / "cache" / "catalogue.sqlite"
    made = Catalogue(path)
    made.refresh(library)
    made.close()
    if fault == "damaged":
        path.write_bytes(b"moss" * 5000)
    elif fault == "truncated":
        path.write_bytes(path.read_bytes()[:5000])
    elif fault == "a folder":
        path.unlink()
        path.mkdir()
    elif fault == "no place":
        path = tmp_path / "file" / "catalogue.sqlite"
        path.parent.write_text("no folder")
    else:
        with sqlite3.connect(path) as base:
            base.execute("PRAGMA user_version = 77")
    again = Catalogue(path)
    again.refresh(library)
    assert as_listed(again) == as_it_is(library)


def test_a_file_that_fails_while_it_is_used_is_given_up(library: Library, tmp_path: Path) -> None:
    path = tmp_path / "catalogue.sqlite"
    catalogue = Catalogue(path)
    catalogue.refresh(library)
    with open(path, "r+b") as file:
        file.write(b"\0" * 200)
    for part in tmp_path.glob("catalogue.sqlite-*"):
        part.unlink()
    catalogue._base.close()  # as where the disk goes away
    catalogue.refresh(library)
    assert as_listed(catalogue) == as_it_is(library)


def test_a_disk_that_takes_no_database_leaves_the_rows_in_memory(
    library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Every try with the file fails, as on a full disk: it is given up after the second."""
    tried, connect = [], sqlite3.connect

    def full(path: object, **words: Any) -> sqlite3.Connection:
        tried.append(path)
        if path != ":memory:":
            raise sqlite3.OperationalError("database or disk is full")
        return connect(":memory:", **words)

    monkeypatch.setattr(catalogues.sqlite3, "connect", full)
    catalogue = Catalogue(tmp_path / "c.sqlite")
    catalogue.refresh(library)
    assert as_listed(catalogue) == as_it_is(library) and len(tried) == 3 and catalogue.path is None


def test_who_opens_it_while_another_lays_it_out_waits_and_shares_it(library: Library, tmp_path: Path) -> None:
    """Two windows that begin at once, on a busy machine: a list of one's own would be filled by nobody."""
    holder = sqlite3.connect(tmp_path / "c.sqlite", isolation_level=None, check_same_thread=False)
    holder.execute("BEGIN IMMEDIATE")
    threading.Timer(0.7, lambda: holder.execute("COMMIT")).start()
    second = Catalogue(tmp_path / "c.sqlite")
    assert second.path is not None
    Catalogue(tmp_path / "c.sqlite").refresh(library)
    assert as_listed(second) == as_it_is(library)


def test_a_file_that_another_holds_is_not_taken_away(
    library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(catalogues, "OPENING", 0.3)
    first = Catalogue(tmp_path / "c.sqlite")
    first.refresh(library)
    holder = sqlite3.connect(tmp_path / "c.sqlite", isolation_level=None)
    holder.execute("BEGIN IMMEDIATE")
    second = Catalogue(tmp_path / "c.sqlite")
    second.refresh(library)
    assert as_listed(second) == as_it_is(library)
    library.bank("glasshouse").change("dew", {}, {"favourite": True})
    first.refresh(library)
    holder.execute("ROLLBACK")
    first.refresh(library)
    assert first.path is not None and first.path.exists() and as_listed(first) == as_it_is(library)


def test_two_windows_share_one_file(library: Library, tmp_path: Path) -> None:
    first, second = Catalogue(tmp_path / "c.sqlite"), Catalogue(tmp_path / "c.sqlite")
    first.refresh(library)
    assert as_listed(second) == as_it_is(library)
    library.delete("glasshouse", "moss")
    second.refresh(library)
    assert as_listed(first) == as_it_is(library)


def test_every_library_has_its_own(tmp_path: Path) -> None:
    assert catalogue_path(tmp_path, tmp_path / "a") != catalogue_path(tmp_path, tmp_path / "b")


# --- following ----------------------------------------------------------------------------------


def test_what_another_does_is_noticed(library: Library, tmp_path: Path) -> None:
    path = tmp_path / "c.sqlite"
    following = Following(library, path)
    catalogue, end = Catalogue(path), time.monotonic() + 30
    while not catalogue.presets("glasshouse") and time.monotonic() < end:
        time.sleep(0.02)
    assert catalogue.moved_on() and not catalogue.moved_on()
    assert as_listed(catalogue) == as_it_is(library)
    time.sleep(0.3)
    library.bank("glasshouse").save_new(new_patch("Fern"))
    os.utime(library.bank("glasshouse").path("dew"), (1, 1))
    while as_listed(catalogue) != as_it_is(library) and time.monotonic() < end:
        time.sleep(0.05)
    assert as_listed(catalogue) == as_it_is(library)
    assert time.monotonic() < end and catalogue.moved_on() and following.told() == []
    following.close()


def test_a_search_within_a_kind_finds_that_kind_whatever_it_is_called(library: Library) -> None:
    bank = library.bank("glasshouse")
    kinds = ("Pad", "Synth Pad", 'Pad "wide"', "…")
    for n, kind in enumerate(kinds):
        bank.save_new(new_patch(f"Tarn {n}").model_copy(update={"type": kind}))
    catalogue = Catalogue()
    catalogue.refresh(library)
    for n, kind in enumerate(kinds):
        listed, count = catalogue.search("tarn", kind)
        assert [p.name for p in listed] == [f"Tarn {n}"] and count == 1, kind


@pytest.mark.parametrize("order", ["5", "null", '"ab"', "{}", "[1, null, [2]]", '["nowhere", "glasshouse"]'])
def test_an_order_of_banks_that_is_none_is_read_past(library: Library, order: str) -> None:
    (library.root / "library.json").write_text(f'{{"format": 1, "order": {order}}}')
    assert "glasshouse" in [bank.id for bank in library.banks()]
    library.place_bank("glasshouse", 0)
    assert library.banks()[0].id == "glasshouse"
