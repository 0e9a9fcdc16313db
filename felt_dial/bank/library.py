"""The library: banks as folders, presets as files, a bin, and the last versions of everything.

library/
  glasshouse-at-dusk/
    bank.json                 name, order
    presets/dew-pluck.json    one patch each
    versions/dew-pluck/       what it was before the last three saves
    assets/<sha256>.flac
  .bin/                       deleted presets, restorable
"""

from __future__ import annotations

import json
import shutil
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, ValidationError

from felt_dial.bank.files import CannotWrite, free_name, slug, write_whole
from felt_dial.errors import FeltDialError
from felt_dial.patch.asset import Asset
from felt_dial.patch.documents.kind import DocumentKind
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.patch import Patch
from felt_dial.sound.matter.assets import SHIPPED as SHIPPED_ASSETS
from felt_dial.sound.matter.assets import assets_of, look_in
from felt_dial.sound.matter.assets import find as find_asset
from felt_dial.sound.matter.assets import keep as keep_asset
from felt_dial.sound.matter.audio_file import Audio

VERSIONS_KEPT = 3
BANK = DocumentKind("bank", 1)


class NoSuchBank(FeltDialError):
    """A bank or preset that is not in the library."""


class BankFile(BaseModel):
    """What `bank.json` says; unknown keys are kept."""

    model_config = ConfigDict(frozen=True, extra="allow")

    name: str
    description: str = ""
    order: tuple[str, ...] = ()


def read_bank(text: str | bytes, where: str) -> BankFile:
    """The bank document in `text`; raises `BadDocument`."""
    data = BANK.read(text, where)
    try:
        return BankFile.model_validate(data)
    except ValidationError as wrong:
        raise BANK.refused(where, wrong) from None


def write_bank(bank: BankFile) -> str:
    """The bank document as JSON."""
    return BANK.write(bank.model_dump(mode="json"))


@dataclass(frozen=True)
class Preset:
    """A preset on the shelf: where it is, and its patch or what is wrong with its file."""

    bank: str
    id: str
    patch: Patch | None
    problem: str = ""

    @property
    def name(self) -> str:
        """Its name, or its file's where that cannot be read."""
        return self.patch.name if self.patch else self.id


class Bank:
    """One folder of presets."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.id = folder.name

    @property
    def file(self) -> BankFile:
        """What `bank.json` says now."""
        return read_bank(_read(self.folder / "bank.json"), f"{self.id}/bank.json")

    @property
    def problem(self) -> str:
        """What is wrong with `bank.json`; empty where nothing is. Its presets are still there."""
        try:
            _ = self.file
        except FeltDialError as wrong:
            return str(wrong)
        return ""

    @property
    def name(self) -> str:
        """The bank's name, or its folder's where `bank.json` cannot be read."""
        return self.id if self.problem else self.file.name

    def rename(self, name: str) -> None:
        """Gives the bank another name; the folder stays."""
        self._write(self.file.model_copy(update={"name": name}))

    def describe(self, text: str) -> None:
        """Gives the bank another description."""
        self._write(self.file.model_copy(update={"description": text}))

    def _write(self, bank: BankFile) -> None:
        write_whole(self.folder / "bank.json", write_bank(bank))

    def path(self, preset: str) -> Path:
        """The preset's file."""
        return self.folder / "presets" / f"{preset}.json"

    def ids(self) -> list[str]:
        """Presets in the bank's order; files the order does not know come last."""
        there = {path.stem for path in (self.folder / "presets").glob("*.json")}
        order = [] if self.problem else [key for key in self.file.order if key in there]
        return order + sorted(there - set(order))

    def presets(self) -> list[Preset]:
        """Every preset, a broken one with its problem."""
        found = []
        for key in self.ids():
            try:
                found.append(Preset(self.id, key, self.load(key)))
            except FeltDialError as wrong:
                found.append(Preset(self.id, key, None, str(wrong)))
        return found

    def load(self, preset: str) -> Patch:
        """The patch of a preset; raises `BadDocument` or `NoSuchBank`."""
        return read_patch(_read(self.path(preset)), f"“{preset}” in {self.id}")

    def save(self, preset: str, patch: Patch) -> None:
        """Saves over a preset and keeps what was there among its versions."""
        if self.path(preset).exists():
            before = self.path(preset).read_bytes()
            folder = self.folder / "versions" / preset
            kept = sorted(folder.glob("*.json"))
            write_whole(folder / f"{time.time_ns():020d}.json", before)
            for old in kept[: max(0, len(kept) + 1 - VERSIONS_KEPT)]:
                old.unlink()
        self._keep_assets(patch)
        write_whole(self.path(preset), write_patch(patch))

    def _keep_assets(self, patch: Patch) -> None:
        """Copies the recordings that a patch names into the bank; a missing one stays a name."""
        for asset in assets_of(patch).values():
            path = find_asset(asset)
            if path is not None and path.parent not in (SHIPPED_ASSETS, self.folder / "assets"):
                write_whole(self.folder / "assets" / path.name, path.read_bytes())

    def versions(self, preset: str) -> list[Path]:
        """Files of the last versions, newest first."""
        return sorted((self.folder / "versions" / preset).glob("*.json"), reverse=True)

    def save_new(self, patch: Patch, after: str | None = None, wanted: str | None = None) -> str:
        """Saves a patch as a new preset and returns its id."""
        order = self.ids()
        key = free_name(wanted or slug(patch.name), set(order))
        self._keep_assets(patch)
        write_whole(self.path(key), write_patch(patch))
        order.insert(order.index(after) + 1 if after in order else len(order), key)
        self.reorder(order)
        return key

    def reorder(self, order: list[str]) -> None:
        """Keeps a new order of presets."""
        self._write(self.file.model_copy(update={"order": tuple(order)}))


class Library:
    """All banks of a person."""

    def __init__(self, root: Path) -> None:
        self.root = root
        look_in(root)

    def keep_audio(self, audio: Audio, name: str) -> Asset:
        """Keeps a recording in the library, loose until a bank needs it."""
        return keep_asset(self.root / ".assets", audio, name)

    def banks(self) -> list[Bank]:
        """Every bank, by name."""
        if not self.root.is_dir():
            return []
        found = [Bank(path.parent) for path in self.root.glob("*/bank.json") if not path.parent.name.startswith(".")]
        return sorted(found, key=lambda bank: bank.id)

    def bank(self, key: str) -> Bank:
        """A bank by its folder's name or by its own; raises `NoSuchBank`."""
        for bank in self.banks():
            if key in (bank.id, bank.name):
                return bank
        raise NoSuchBank(f"There is no bank “{key}” in {self.root}.")

    def create(self, name: str) -> Bank:
        """A new, empty bank."""
        bank = Bank(self.root / free_name(slug(name), {b.id for b in self.banks()}))
        write_whole(bank.folder / "bank.json", write_bank(BankFile(name=name)))
        try:
            (bank.folder / "presets").mkdir(exist_ok=True)
            (bank.folder / "assets").mkdir(exist_ok=True)
        except OSError as wrong:
            raise CannotWrite(f"“{name}” could not be made in {self.root}: {wrong.strerror}.") from None
        return bank

    def presets(self) -> Iterator[Preset]:
        """Every preset of every bank."""
        for bank in self.banks():
            yield from bank.presets()

    def delete(self, bank: str, preset: str) -> str:
        """Puts a preset into the bin; the ticket brings it back."""
        home = self.bank(bank)
        order = home.ids()
        if preset not in order:
            raise NoSuchBank(f"There is no preset “{preset}” in {bank}.")
        ticket = f"{time.time_ns():020d}"
        about = {"bank": home.id, "preset": preset, "place": order.index(preset)}
        write_whole(self.root / ".bin" / ticket / "about.json", json.dumps(about))
        write_whole(self.root / ".bin" / ticket / "preset.json", home.path(preset).read_bytes())
        home.path(preset).unlink()
        home.reorder([key for key in order if key != preset])
        return ticket

    def bin(self) -> list[tuple[str, dict[str, Any], Patch | None]]:
        """What is in the bin, newest first: ticket, where it was, the patch."""
        found = []
        for folder in sorted((self.root / ".bin").glob("*"), reverse=True):
            about = json.loads((folder / "about.json").read_text())
            try:
                patch: Patch | None = read_patch((folder / "preset.json").read_text(), about["preset"])
            except FeltDialError:
                patch = None
            found.append((folder.name, about, patch))
        return found

    def restore(self, ticket: str) -> tuple[str, str]:
        """Brings a preset back from the bin to its place; returns its bank and id."""
        folder = self.root / ".bin" / ticket
        about = json.loads(_read(folder / "about.json"))
        home = self.bank(about["bank"])
        order = home.ids()
        key = free_name(about["preset"], set(order))
        write_whole(home.path(key), (folder / "preset.json").read_bytes())
        order.insert(min(about["place"], len(order)), key)
        home.reorder(order)
        shutil.rmtree(folder)
        return home.id, key

    def move(self, bank: str, preset: str, to: str) -> str:
        """Moves a preset to the end of another bank; returns its id there."""
        home, other = self.bank(bank), self.bank(to)
        key = other.save_new(home.load(preset), wanted=preset)
        home.path(preset).unlink()
        home.reorder([k for k in home.ids() if k != preset])
        return key


def _read(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as wrong:
        raise NoSuchBank(f"{path} cannot be read: {wrong.strerror or wrong}.") from None
