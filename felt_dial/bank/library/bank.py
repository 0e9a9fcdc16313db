"""A bank: one folder of presets, their order, their last versions, and the recordings that they need.

bank.json                 name, order, and what it says about itself
presets/dew-pluck.json    one patch each
versions/dew-pluck/       what it was before the last saves that changed its sound
assets/<sha256>.flac
"""

from __future__ import annotations

import contextlib
import os
import shutil
import time
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Annotated, NamedTuple

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from felt_dial.errors import FeltDialError
from felt_dial.files import (
    at_the_disk,
    bytes_of,
    file_id,
    file_named,
    held,
    link_or_copy,
    names_like,
    slug,
    write_new,
    write_whole,
)
from felt_dial.patch.documents.kind import DocumentKind
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.patch import MARKS, Patch, with_about_of
from felt_dial.sound.matter.assets import ENDINGS, assets_of, find_recipe, needed_for, note
from felt_dial.sound.matter.assets import SHIPPED as SHIPPED_ASSETS
from felt_dial.sound.matter.assets import find as find_asset

WANTED_LUFS = -18.0
"""How loud presets are unless their bank says otherwise, so that one follows another without a hand on the volume."""
VERSIONS_KEPT = 3
"""Versions of a preset that are kept unless it is said otherwise."""
STAYS = "What was there before stays."
BANK = DocumentKind("bank", 1)


class NoSuchBank(FeltDialError):
    """A bank or preset that is not in the library."""


class SavedMeanwhile(FeltDialError):
    """A preset's file is not the one that was shown: somebody else has saved it; nothing was changed."""


class MovedOn(FeltDialError):
    """What should be taken back is not as it was left any more; nothing was changed."""


Word = Annotated[str, StringConstraints(min_length=1, max_length=24)]


class BankFile(BaseModel):
    """What `bank.json` says; unknown keys are kept."""

    model_config = ConfigDict(frozen=True, extra="allow")

    name: str
    description: str = ""
    order: tuple[str, ...] = ()
    dye: str = Field(default="", pattern=f"^({'|'.join(MARKS)})?$", exclude_if=lambda dye: not dye)
    """The colour of its spine; that of its place on the shelf where it is empty."""
    author: str = Field(default="", max_length=200, exclude_if=lambda author: not author)
    version: str = Field(default="", max_length=40, exclude_if=lambda version: not version)
    licence: str = Field(default="", max_length=400, exclude_if=lambda licence: not licence)
    """Under what terms its sounds may be used and passed on."""
    came: date | None = Field(default=None, exclude_if=lambda came: came is None)
    """The day on which it was imported."""
    loudness: float = Field(default=WANTED_LUFS, ge=-40.0, le=-6.0, exclude_if=lambda wanted: wanted == WANTED_LUFS)
    """How loud its presets shall be, in LUFS."""
    words: tuple[Word, ...] = Field(default=(), max_length=400, exclude_if=lambda words: not words)
    """Words that names of new sounds are made of, beside those that its presets are called by."""


def read_bank(text: str | bytes, where: str) -> BankFile:
    """The bank document in `text`; raises `BadDocument`."""
    return BANK.validated(BankFile, BANK.read(text, where), where)


def write_bank(bank: BankFile) -> str:
    """The bank document as JSON."""
    return BANK.write(bank.model_dump(mode="json"))


def read_file(path: Path) -> bytes:
    """What is in a file of the library; raises `NoSuchBank`."""
    try:
        return bytes_of(path)
    except OSError as wrong:
        raise NoSuchBank(f"{path} cannot be read: {wrong.strerror or wrong}.") from None


Stamp = tuple[int, int]
"""When a file was last written, in nanoseconds, and its size."""


class Saved(NamedTuple):
    """What became of a save: whether what was there is kept as a version, and the stamp of the file that was written."""

    version: bool
    stamp: Stamp | None


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
    """One folder of presets. What changes it holds it against other processes meanwhile."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.id = file_id(folder.name)

    @property
    def file(self) -> BankFile:
        """What `bank.json` says now."""
        return read_bank(read_file(self.folder / "bank.json"), f"{self.id}/bank.json")

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
        try:
            return self.file.name
        except FeltDialError:
            return self.id

    def held(self) -> AbstractContextManager[None]:
        """Holds the bank against other processes; raises `CannotWrite`."""
        return held(self.folder.parent / ".locks" / f"{self.id}.lock", f"The bank “{self.name}”")

    def about(self, before: dict[str, object], after: dict[str, object]) -> None:
        """Changes what the bank says about itself, and nothing else.

        Raises `MovedOn` where that is not as it was `before`, and `BadDocument` for what a bank cannot say.
        """
        with self.held():
            file = self.file
            if any(getattr(file, key) != value for key, value in before.items()):
                raise MovedOn(f"What “{file.name}” says about itself was changed in the meantime; it stays so.")
            BANK.validated(BankFile, {**file.model_dump(), **after}, f"The bank “{file.name}”")
            self._change(lambda file: after)

    def reorder(self, order: list[str]) -> None:
        """Keeps a new order of presets."""
        self._change(lambda file: {"order": tuple(order)})

    def place(self, preset: str, at: int) -> None:
        """Puts a preset at a place of the order, counted without it."""
        with self.held():
            order = [key for key in self.ids() if key != preset]
            self.reorder([*order[:at], preset, *order[at:]])

    def _change(self, change: Callable[[BankFile], dict[str, object]]) -> None:
        with self.held():
            file = self.file
            with at_the_disk(f"The bank “{file.name}” was not changed", STAYS):
                write_whole(self.folder / "bank.json", write_bank(file.model_copy(update=change(file))))

    def path(self, preset: str) -> Path:
        """The preset's file."""
        return self.folder / "presets" / f"{file_named(preset)}.json"

    def files(self) -> Iterator[tuple[str, os.DirEntry[str]]]:
        """Id and file of every preset, in no order; none where the folder cannot be looked into."""
        with contextlib.suppress(OSError), os.scandir(self.folder / "presets") as entries:
            for entry in entries:
                if entry.name.endswith(".json") and not entry.name.startswith("."):
                    yield file_id(entry.name[:-5]), entry

    def stamp(self, preset: str) -> Stamp | None:
        """Time and size of a preset's file; None where there is none."""
        try:
            about = self.path(preset).stat()
        except OSError:
            return None
        return about.st_mtime_ns, about.st_size

    def ids(self) -> list[str]:
        """Presets in the bank's order; files the order does not know come last."""
        there = {key for key, _ in self.files()}
        try:
            order = [key for key in self.file.order if key in there]
        except FeltDialError:
            order = []
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
        return read_patch(read_file(self.path(preset)), f"“{preset}” in {self.id}")

    def look(self, preset: str) -> tuple[Patch, Stamp | None]:
        """The patch of a preset, and the stamp of the file that it was read from; raises as `load` does."""
        stamp = self.stamp(preset)  # first: a file that is written in between is older than it is, and looked at again
        return self.load(preset), stamp

    def name_of(self, preset: str) -> str:
        """A preset's name as people see it, its file's where that cannot be read."""
        try:
            return self.load(preset).name
        except FeltDialError:
            return preset

    def save(self, preset: str, patch: Patch, most: int = VERSIONS_KEPT, seen: Stamp | None = None) -> Saved:
        """Saves over a preset; what was there is kept as one of the `most` last versions, where it sounds otherwise.

        Raises `NoSuchBank` where the preset is gone, and `SavedMeanwhile` where its file is not the one that was `seen`.
        """
        with self.held(), at_the_disk(f"“{patch.name}” was not saved", STAYS):
            there = self.stamp(preset)
            if there is None:
                raise NoSuchBank(f"“{patch.name}” is not in {self.name} any more.")
            if seen is not None and there != seen:
                raise SavedMeanwhile(f"“{self.name_of(preset)}” was saved in the meantime, by another window.")
            kept = self._keep_version(preset, patch)
            try:
                self.keep_assets(patch)
                write_whole(self.path(preset), write_patch(patch))
            except FeltDialError:
                if kept is not None:
                    kept.unlink(missing_ok=True)
                raise
            for old in self.versions(preset)[most:]:
                with contextlib.suppress(OSError):
                    old.unlink()
            return Saved(kept is not None, self.stamp(preset))

    def _keep_version(self, preset: str, patch: Patch) -> Path | None:
        """Lets what is on disk be a version too, which takes no room there; None where both sound alike."""
        path = self.path(preset)
        if not path.exists():
            return None
        with contextlib.suppress(FeltDialError):
            if with_about_of(self.load(preset), patch) == patch:
                return None
        last = next((int(kept.stem) for kept in self.versions(preset)), 0)  # a clock that was set back makes none older
        version = self.folder / "versions" / preset / f"{max(time.time_ns(), last + 1):020d}.json"
        version.parent.mkdir(parents=True, exist_ok=True)
        link_or_copy(path, version)
        return version

    def change(self, preset: str, before: dict[str, object], after: dict[str, object]) -> Patch:
        """Changes fields that are not of the sound, and nothing else; returns the patch as disk holds it now.

        Raises `MovedOn` where the fields are not as they were `before`.
        """
        with self.held():
            patch = self.load(preset)
            if any(getattr(patch, key) != value for key, value in before.items()):
                raise MovedOn(f"“{patch.name}” was changed in the meantime; it stays as it is.")
            changed = patch.model_copy(update=after)
            with at_the_disk(f"“{patch.name}” was not changed", STAYS):
                write_whole(self.path(preset), write_patch(changed))
            return changed

    def keep_assets(self, patch: Patch) -> None:
        """Copies the recordings that a patch names into the bank; a missing one stays a name."""
        mine = list(assets_of(patch).values())
        for asset in [*mine, *(needed for made in mine for needed in needed_for(made))]:
            if any((self.folder / "assets" / (asset.digest + ending)).exists() for ending in ENDINGS):
                continue
            path = find_asset(asset)
            if path is not None and path.parent != SHIPPED_ASSETS:
                write_whole(self.folder / "assets" / path.name, read_file(path))
                note(self.folder / "assets", asset)
        for asset in mine:
            recipe = find_recipe(asset.recipe) if asset.recipe else None
            if recipe is not None and recipe.parent not in (SHIPPED_ASSETS, self.folder / "assets"):
                write_whole(self.folder / "assets" / recipe.name, read_file(recipe))

    def versions(self, preset: str) -> list[Path]:
        """Files of the last versions, newest first."""
        kept = (self.folder / "versions" / preset).glob("*.json")
        return sorted((path for path in kept if path.stem.isdecimal()), reverse=True)

    def save_new(self, patch: Patch, after: str | None = None, wanted: str | None = None) -> str:
        """Saves a patch as a new preset, never over another, and returns its id."""
        with self.held(), at_the_disk(f"“{patch.name}” was not saved", "It is on the table."):
            self.keep_assets(patch)
            return self.add(write_patch(patch), wanted or slug(patch.name), after)

    def add(self, content: str | bytes, wanted: str, after: str | None = None, place: int | None = None) -> str:
        """Puts a preset's file in under a free id, behind another or at a place, and returns that id."""
        with self.held():
            order = self.ids()
            key = next(key for key in names_like(wanted) if write_new(self.path(key), content))
            with contextlib.suppress(OSError):
                shutil.rmtree(self.folder / "versions" / key)  # of one that was called so before
            at = order.index(after) + 1 if after in order else len(order) if place is None else place
            try:
                self.reorder([*order[:at], key, *order[at:]])
            except FeltDialError:
                if not self.problem:
                    self.path(key).unlink(missing_ok=True)
                    raise
            return key

    def remove(self, preset: str) -> None:
        """Forgets a preset that stands elsewhere by now, and its versions."""
        with self.held():
            with at_the_disk(f"“{preset}” could not be taken out of {self.name}", "It is still there."):
                self.path(preset).unlink(missing_ok=True)
                shutil.rmtree(self.folder / "versions" / preset, ignore_errors=True)
            with contextlib.suppress(FeltDialError):  # an order that names what is not there is read past
                self.reorder([key for key in self.ids() if key != preset])
