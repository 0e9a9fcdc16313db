"""Disks as they are: no hard links, names that are no text, folders that may not be looked into, clocks that go wrong."""

from __future__ import annotations

import errno
import json
import os
import sqlite3
import subprocess
import time
from collections.abc import Iterator
from datetime import date, timedelta
from pathlib import Path

import pytest

from felt_dial import files
from felt_dial.bank.finding.catalogue import Catalogue
from felt_dial.bank.finding.follow import Following
from felt_dial.bank.finding.matter import Matter
from felt_dial.bank.library import bin as bins
from felt_dial.bank.library import places
from felt_dial.bank.library.library import Library
from felt_dial.bank.library.places import (
    Settings,
    library_problem,
    load_settings,
    remember_library,
    save_settings,
    settings_path,
)
from felt_dial.bank.measuring.index import Index
from felt_dial.files import CannotWrite, clear_litter, file_id, file_named, write_new
from felt_dial.patch.documents.patch import write_patch
from felt_dial.patch.patch import with_value
from felt_dial.sound.matter import assets
from felt_dial.sound.modules import new_patch

DAY = 86_400.0


# --- no hard links ------------------------------------------------------------------------------


@pytest.fixture(params=["by the error", "a FAT image"])
def without_links(request: pytest.FixtureRequest, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    """A folder on a disk without hard links: a real one where the machine lets one be mounted, else the error of one."""
    if request.param == "by the error":

        def refused(*_: object) -> None:
            raise OSError(errno.EPERM, "Operation not permitted")

        monkeypatch.setattr(os, "link", refused)
        yield tmp_path
        return
    image, place = tmp_path / "disk.img", tmp_path / "disk"
    place.mkdir()
    with open(image, "wb") as file:
        file.truncate(64 * 2**20)
    try:
        subprocess.run(["mkfs.vfat", str(image)], check=True, capture_output=True)
        subprocess.run(["mount", "-o", "loop", str(image), str(place)], check=True, capture_output=True)
    except (OSError, subprocess.CalledProcessError):
        pytest.skip("no FAT image can be made or mounted here")
    try:
        yield place
    finally:
        subprocess.run(["umount", str(place)], check=False)


def test_where_there_are_no_links_all_is_saved_deleted_and_restored(without_links: Path) -> None:
    library = Library(without_links / "library")
    bank = library.create("Glasshouse")
    key = bank.save_new(new_patch("Dew"))
    for n in range(3):
        assert bank.save(key, with_value(new_patch("Dew"), "level", -1.0 - n)).version
    assert len(bank.versions(key)) == 3 and bank.load(key).get("level") == -3.0
    assert bank.save_new(new_patch("Dew")) == "dew-2", "never over another"
    ticket = library.delete(bank.id, key)
    assert library.restore(ticket) == (bank.id, key) and bank.load(key).get("level") == -3.0
    assert not list(without_links.rglob(".writing-*"))
    assert not write_new(bank.path(key), b"moss") and bank.load(key).get("level") == -3.0


def test_a_disk_that_is_full_in_between_leaves_no_empty_file(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def refused(*_: object) -> None:
        raise OSError(errno.EPERM, "Operation not permitted")

    def full(*_: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(os, "link", refused)
    monkeypatch.setattr(os, "replace", full)
    with pytest.raises(CannotWrite):
        write_new(tmp_path / "dew.json", b"moss")
    assert list(tmp_path.iterdir()) == []


# --- names that are no text -----------------------------------------------------------------------


def test_a_name_that_is_no_text_is_written_down_and_found_again() -> None:
    for raw in (b"caf\xe9", b"\xff\xfe", "Tau – früh".encode(), b"a\\xb", b"dew"):
        name = os.fsdecode(raw)
        key = file_id(name)
        key.encode()
        assert os.fsencode(file_named(key)) == raw or raw == b"a\\xb"
    assert file_named("dew-2") == "dew-2"


def test_one_file_whose_name_is_no_text_stands_in_its_row_and_hides_no_other(library: Library, tmp_path: Path) -> None:
    bank = library.bank("glasshouse")
    strange = os.path.join(os.fsencode(bank.folder / "presets"), b"caf\xe9.json")
    with open(strange, "wb") as file:
        file.write(write_patch(new_patch("Café")).encode())
    odd = os.path.join(os.fsencode(library.root), b"\xe0 first")
    os.makedirs(os.path.join(odd, b"presets"))
    with open(os.path.join(odd, b"bank.json"), "wb") as file:
        file.write((bank.folder / "bank.json").read_bytes())
    path = tmp_path / "c.sqlite"
    window, following = Catalogue(path), Following(library, path)
    end = time.monotonic() + 20
    while len(window.banks()) < 2 and time.monotonic() < end:
        time.sleep(0.02)
    names = {row.id: row.name for row in window.presets("glasshouse")}
    assert names == {"caf\\xe9": "Café", "dew": "Dew", "moss": "Moss", "root": "Root"}
    assert {row.id for row in window.banks()} == {"glasshouse", "\\xe0 first"} and following.told() == []
    key = "caf\\xe9"
    assert bank.load(key).name == "Café" and bank.save(key, with_value(new_patch("Café"), "level", -9.0)).version
    assert os.path.exists(strange) and len(bank.versions(key)) == 1
    ticket = library.delete("glasshouse", key)
    assert library.restore(ticket)[0] == "glasshouse"
    library.bank("\\xe0 first").save_new(new_patch("Fern"))
    library.bank("glasshouse").save_new(new_patch("Reed"))
    end = time.monotonic() + 5
    while "Reed" not in {row.name for row in window.presets("glasshouse")} and time.monotonic() < end:
        time.sleep(0.05)
    assert "Reed" in {row.name for row in window.presets("glasshouse")}, "it is followed still"
    following.close()
    window.close()


# --- clocks ---------------------------------------------------------------------------------------


def test_a_clock_that_is_set_back_makes_the_newest_version_no_older(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    bank, now = library.bank("glasshouse"), time.time_ns()
    for n in range(6):
        monkeypatch.setattr(time, "time_ns", lambda n=n: now - n * int(DAY * 1e9))
        bank.save("dew", with_value(new_patch("Dew"), "level", -1.0 - n))
    kept = [json.loads(path.read_text())["level"] for path in bank.versions("dew")]
    assert kept == [-5.0, -4.0, -3.0], "the last ones, the newest first"


def test_a_clock_that_is_set_ahead_empties_no_bin(library: Library, monkeypatch: pytest.MonkeyPatch) -> None:
    library.delete("glasshouse", "dew")
    today, now = date.today(), time.time()

    class Days(date):
        away = 0

        @classmethod
        def today(cls) -> date:
            return today + timedelta(days=cls.away)

    monkeypatch.setattr(bins, "date", Days)
    for days in (120, 4000, -300):
        Days.away = days
        monkeypatch.setattr(time, "time", lambda days=days: now + days * DAY)
        library.tidy(90, 500)
        assert [one.name for one in library.bin.all()] == ["Dew"], f"{days} days away, for once"
    for day in range(1, 95):  # and a program that runs on ninety days indeed
        Days.away = day
        monkeypatch.setattr(time, "time", lambda day=day: now + day * DAY)
        library.tidy(90, 500)
    assert library.bin.all() == []
    monkeypatch.setattr(time, "time", lambda: now - 400 * DAY)
    library.delete("glasshouse", "moss")
    assert library.bin.all()[0].name == "Moss"


# --- the place of the library ---------------------------------------------------------------------


def test_a_library_that_is_not_there_is_told_and_no_demo_put_in_its_place(home: Path) -> None:
    root = home / "mount" / "library"
    assert library_problem(root) == "", "one that was never seen is made"
    remember_library(root, 3)
    text = json.loads(places.libraries_path().read_text())
    text[str(root)]["seen"] = "2026-11-26"
    places.libraries_path().write_text(json.dumps(text))
    for make in (lambda: None, lambda: root.mkdir(parents=True), lambda: (root / ".locks").mkdir()):
        make()
        said = library_problem(root)
        assert said.startswith("The library of 26 November (3 banks) is not in ") and said.endswith(
            "is its disk there?"
        )
    Library(root).create("Reeds")
    assert library_problem(root) == ""


def test_a_library_that_may_not_be_looked_into_is_a_sentence(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    far = home / ("z" * 3000)
    assert "may not be looked into: File name too long" in library_problem(far)
    library = Library(far)
    assert library.banks() == [] and library.tidy(90, 500) is None
    monkeypatch.setenv("FELT_DIAL_ASSETS", "")
    assets.look_in(far)
    assert list(assets.places())

    def denied(*_: object) -> None:
        raise PermissionError(errno.EACCES, "Permission denied")

    monkeypatch.setattr(os, "scandir", denied)
    assert "Permission denied" in library_problem(home)


# --- what is left behind, and settings ------------------------------------------------------------


def test_what_killed_processes_left_half_written_goes_once_it_is_old(library: Library) -> None:
    folder = library.root / "glasshouse"
    old, young = folder / "presets" / ".writing-a", folder / "assets" / ".writing-b"
    for path in (old, young):
        path.parent.mkdir(exist_ok=True)
        path.write_text("half")
    os.utime(old, (1, 1))
    library.tidy(90, 500)
    assert not old.exists() and young.exists()
    clear_litter(library.root, older=-1.0)
    assert not young.exists()


def test_settings_out_of_bounds_are_as_they_come_and_the_others_stay(home: Path) -> None:
    save_settings(Settings(night=True, author="Ada"))
    written = json.loads(settings_path().read_text())
    settings_path().write_text(json.dumps(written | {"rate": 0, "block": 10**9, "quality": 3, "scale": "x"}))
    read = load_settings()
    assert (read.rate, read.block, read.quality, read.scale) == (48000, 256, 1, 1.0)
    assert read.night and read.author == "Ada"


def test_the_window_waits_for_no_lock_longer_than_a_moment(library: Library, monkeypatch: pytest.MonkeyPatch) -> None:
    """A process that stands still holds the bank: the window has its sentence within 0.2 s."""
    lock = library.root / ".locks" / "glasshouse.lock"
    with library.bank("glasshouse").held():
        pass
    holds = f"f = os.open({str(lock)!r}, os.O_RDWR); fcntl.flock(f, 2); print('held', flush=True); time.sleep(30)"
    code = f"import fcntl, os, time; {holds}"
    with subprocess.Popen(["python3", "-c", code], stdout=subprocess.PIPE, text=True) as holder:
        assert holder.stdout is not None and holder.stdout.readline() == "held\n"
        monkeypatch.setattr(files, "_hurry", 0.2)
        began = time.monotonic()
        with pytest.raises(CannotWrite, match="being changed by another window"):
            library.bank("glasshouse").save("dew", new_patch("Dew"))
        assert time.monotonic() - began < 1.0
        holder.kill()


@pytest.mark.parametrize("opened", [Index, Matter])
def test_measures_and_matter_that_another_holds_are_not_taken_away(
    opened: type[Index] | type[Matter], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As while another window lays them out: that a file is busy is no damage."""
    path = tmp_path / "held.sqlite"
    holder = sqlite3.connect(path, isolation_level=None)
    holder.execute("CREATE TABLE kept (what TEXT)")
    holder.execute("INSERT INTO kept VALUES ('moss')")
    holder.execute("BEGIN EXCLUSIVE")
    connect = sqlite3.connect
    monkeypatch.setattr(sqlite3, "connect", lambda *where, **how: connect(*where, **{**how, "timeout": 0.05}))
    opened(path).close()
    holder.execute("COMMIT")
    assert path.exists() and holder.execute("SELECT what FROM kept").fetchall() == [("moss",)]
    again = connect(path)
    assert again.execute("SELECT what FROM kept").fetchall() == [("moss",)], "the same file"
