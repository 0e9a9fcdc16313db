"""The library: banks as folders, a bin, and the recordings that no bank needs yet.

library/
  glasshouse-at-dusk/         a bank, see `bank.py`
  library.json                the order of the banks
  .bin/                       deleted presets, restorable
  .assets/                    recordings that no bank needs yet
  .locks/                     one for every bank, and one for the library
"""

from __future__ import annotations

import contextlib
import os
import secrets
import shutil
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager
from pathlib import Path

from felt_dial.bank.library.bank import Bank, BankFile, MovedOn, NoSuchBank, Preset, read_bank, write_bank
from felt_dial.bank.library.bin import Bin, Thrown
from felt_dial.errors import FeltDialError
from felt_dial.files import (
    LITTER,
    CannotWrite,
    at_the_disk,
    bytes_of,
    clear_litter,
    file_named,
    held,
    in_use,
    is_folder,
    names_like,
    read_whole,
    slug,
    write_whole,
)
from felt_dial.patch.asset import Asset
from felt_dial.patch.documents.kind import DocumentKind
from felt_dial.sound.matter.assets import keep as keep_asset
from felt_dial.sound.matter.assets import look_in
from felt_dial.sound.matter.audio_file import Audio

LIBRARY = DocumentKind("library", 1)

__all__ = ["Bank", "BankFile", "Library", "MovedOn", "NoSuchBank", "Preset", "Thrown", "read_bank", "write_bank"]


class Library:
    """All banks of a person. A bank is found by its id, which is its folder's name, and a preset by its own."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self.bin = Bin(root / ".bin")
        look_in(root)

    def keep_audio(self, audio: Audio, name: str, rights: str = "") -> Asset:
        """Keeps a recording in the library, loose until a bank needs it; `rights` say whose it is."""
        return keep_asset(self.root / ".assets", audio, name, rights)

    def banks(self) -> list[Bank]:
        """Every bank, in the order that the person gave them; what it does not name comes last, by id."""
        if not is_folder(self.root):
            return []
        found = []
        with contextlib.suppress(OSError):
            found = [path.parent for path in self.root.glob("*/bank.json") if not path.parent.name.startswith(".")]
        place = self.place_of()
        return sorted((Bank(folder) for folder in found), key=lambda bank: place(bank.id))

    def place_of(self) -> Callable[[str], tuple[int, str]]:
        """What banks are sorted by, given their ids."""
        try:
            order = LIBRARY.read(read_whole(self.root / "library.json"), "library.json").get("order", [])
        except FeltDialError:
            order = []
        named = [key for key in order if isinstance(key, str)] if isinstance(order, list) else []
        places = {key: n for n, key in enumerate(named)}
        return lambda key: (places.get(key, len(places)), key)

    def place_bank(self, key: str, at: int) -> None:
        """Gives a bank another place among the others, counted without it; raises `CannotWrite`."""
        with self.held(), at_the_disk("The order of the banks was not changed", "It is as it was."):
            order = [bank.id for bank in self.banks() if bank.id != key]
            write_whole(self.root / "library.json", LIBRARY.write({"order": [*order[:at], key, *order[at:]]}))

    def bank(self, key: str) -> Bank:
        """The bank of an id; raises `NoSuchBank`."""
        folder = self.root / file_named(key)
        try:
            there = (
                bool(key)
                and folder.parent == self.root
                and not key.startswith(".")
                and (folder / "bank.json").is_file()
            )
        except OSError:
            there = False
        if not there:
            raise NoSuchBank(f"There is no bank “{key}” in {self.root}.")
        return Bank(folder)

    def named(self, name: str) -> Bank:
        """The bank that a person names: by its id, else by its name; raises `NoSuchBank`, also where two are called so."""
        with contextlib.suppress(NoSuchBank):
            return self.bank(name)
        found = [bank for bank in self.banks() if bank.name == name]
        if len(found) > 1:
            raise NoSuchBank(f"{len(found)} banks are called “{name}”; say which: {', '.join(b.id for b in found)}.")
        return found[0] if found else self.bank(name)

    def held(self) -> AbstractContextManager[None]:
        """Holds the list of banks against other processes; raises `CannotWrite`."""
        return held(self.root / ".locks" / "library.lock", f"The library {self.root}")

    def create(self, name: str) -> Bank:
        """A new, empty bank."""
        with self.draft(name) as folder:
            write_whole(folder / "bank.json", write_bank(BankFile(name=name)))
            return self.put_up(folder, name)

    @contextlib.contextmanager
    def draft(self, name: str) -> Iterator[Path]:
        """A folder aside in which a bank is made; what is not put up is taken away again. Raises `CannotWrite`."""
        folder = self.root / f".making-{secrets.token_hex(8)}"
        with held(self._lock_of(folder), f"“{name}”"):
            with at_the_disk(f"“{name}” could not be made in {self.root}", "The library is as it was."):
                for sub in ("presets", "assets"):
                    (folder / sub).mkdir(parents=True)
            try:
                yield folder
            except CannotWrite as wrong:
                says = f"“{name}” could not be put into the library, which is as it was: {wrong.reason}."
                raise CannotWrite(says, wrong.reason) from None
            finally:
                shutil.rmtree(folder, ignore_errors=True)
                with contextlib.suppress(OSError):
                    self._lock_of(folder).unlink(missing_ok=True)

    def _lock_of(self, folder: Path) -> Path:
        """Held while a folder aside is being filled."""
        return self.root / ".locks" / f"{folder.name}.lock"

    def put_up(self, folder: Path, name: str, wanted: str = "") -> Bank:
        """Gives a bank that was made aside its place, never that of another."""
        with self.held(), at_the_disk(f"“{name}” could not be put into {self.root}", "The library is as it was."):
            key = next(key for key in names_like(wanted or slug(name)) if not (self.root / key).exists())
            os.rename(folder, self.root / key)
        return Bank(self.root / key)

    def remove_empty(self, key: str) -> None:
        """Takes a bank away that holds no preset; raises `MovedOn` where it does."""
        with self.held():
            bank = self.bank(key)
            with bank.held():
                if bank.ids():
                    raise MovedOn(f"“{bank.name}” holds presets by now; it stays.")
                gone = self.root / f".gone-{secrets.token_hex(8)}"
                with at_the_disk(f"“{bank.name}” could not be taken away", "It is still there."):
                    os.rename(bank.folder, gone)
                shutil.rmtree(gone, ignore_errors=True)

    def delete_bank(self, key: str) -> str:
        """Puts a whole bank into the bin; the ticket brings it back."""
        with self.held():
            return self.bin.take_bank(self.bank(key))

    def duplicate(self, key: str) -> Bank:
        """A copy of a bank with all its presets and recordings, without their earlier versions."""
        bank = self.bank(key)
        with bank.held():
            return self.take_in(bank.folder, f"{bank.name} copy")

    def take_in(self, folder: Path, name: str = "") -> Bank:
        """A copy of a bank's folder, wherever that lies, under its own name or another."""
        file = Bank(folder).file
        name = name or file.name
        with self.draft(name) as made:
            with at_the_disk(f"“{file.name}” could not be copied", "The library is as it was."):
                for sub in ("presets", "assets"):
                    if (folder / sub).is_dir():
                        shutil.copytree(folder / sub, made / sub, dirs_exist_ok=True)
            write_whole(made / "bank.json", write_bank(file.model_copy(update={"name": name})))
            return self.put_up(made, name)

    def presets(self) -> Iterator[Preset]:
        """Every preset of every bank."""
        for bank in self.banks():
            yield from bank.presets()

    def delete(self, bank: str, preset: str) -> str:
        """Puts a preset into the bin; the ticket brings it back."""
        return self.bin.take(self.bank(bank), preset)

    def restore(self, ticket: str) -> tuple[str, str]:
        """Brings a preset back from the bin to its place, into a new bank where its own is gone; returns bank and id.

        A whole bank comes back with all its presets; the id of a preset is empty then.
        """
        entry = self.bin.entry(ticket)
        if entry.whole:
            with self.held():
                bank = self.put_up(self.bin.bank_in(ticket), entry.name, entry.bank)
            self.bin.forget(ticket)
            return bank.id, ""
        try:
            home = self.bank(entry.bank)
        except NoSuchBank:
            home = self.create(entry.bank_name or "Restored")
        return home.id, self.bin.give_back(ticket, home)

    def move(self, bank: str, preset: str, to: str, place: int | None = None) -> str:
        """Moves a preset with its versions to the end of another bank, or to a place of it; returns its id there."""
        home, other = self.bank(bank), self.bank(to)
        first, second = sorted((home, other), key=lambda b: b.id)
        with first.held(), second.held(), at_the_disk(f"“{home.name_of(preset)}” was not moved", "It is where it was."):
            content = home.path(preset)
            other.keep_assets(home.load(preset))
            key = other.add(bytes_of(content), preset, place=place)
            versions = home.folder / "versions" / preset
            if versions.is_dir():
                with at_the_disk(f"The versions of “{preset}” were not moved", "They are where they were."):
                    (other.folder / "versions").mkdir(exist_ok=True)
                    os.rename(versions, other.folder / "versions" / key)
            home.remove(preset)
            return key

    def tidy(self, days: int, most: int) -> None:
        """Clears what was left half done, and what has lain in the bin for too long; leaves a library that cannot be
        written, or is not there, as it is."""
        if not is_folder(self.root):
            return
        with contextlib.suppress(OSError, CannotWrite), self.held():
            for litter in (*self.root.glob(f"{LITTER[1]}*"), *self.root.glob(f"{LITTER[2]}*")):
                if not in_use(self._lock_of(litter)):
                    shutil.rmtree(litter, ignore_errors=True)
                    self._lock_of(litter).unlink(missing_ok=True)
            self.bin.tidy(days, most)
        clear_litter(self.root)
