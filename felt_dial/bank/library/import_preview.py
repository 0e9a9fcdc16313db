"""What a bank file would bring, before anything is written; and what a receiver of a bank would miss, before it is sent."""

from __future__ import annotations

import zipfile
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import NamedTuple

from felt_dial.bank.library.bank import Bank
from felt_dial.bank.library.library import Library
from felt_dial.bank.library.package import ASSET, PRESET, opened
from felt_dial.errors import FeltDialError, Stopped, cut
from felt_dial.files import names_like
from felt_dial.patch.documents.patch import read_patch
from felt_dial.patch.patch import Patch
from felt_dial.sound.matter.assets import assets_of, find, missing, ships

SHOWN = 3
"""Names that a sentence tells; of more it tells how many."""


class Alike(NamedTuple):
    """A bank of the library that is called the same: ids of presets that it does not have, has the same, and has otherwise."""

    bank: str
    name: str
    new: tuple[str, ...]
    same: tuple[str, ...]
    different: tuple[str, ...]

    def sentence(self) -> str:
        """In words: `“Tides” is here already: 2 new, 11 the same, 1 different`."""
        counts = ((len(self.new), "new"), (len(self.same), "the same"), (len(self.different), "different"))
        return f"“{cut(self.name, 40)}” is here already: " + ", ".join(f"{n} {what}" for n, what in counts)


class ImportPreview(NamedTuple):
    """What a bank file holds: its name, how many presets, the recordings that it lacks, and a bank that is called the same."""

    path: Path
    name: str
    presets: int
    lacks: tuple[str, ...]
    known: Alike | None

    @property
    def to_take(self) -> tuple[str, ...]:
        """Ids of presets that the bank of the same name does not have as they are here."""
        return (*self.known.new, *self.known.different) if self.known else ()


def look_into(library: Library, source: Path, watch: Callable[[float], bool] = lambda part: True) -> ImportPreview:
    """Reads a bank file without taking it in; raises `BadDocument` as the import does."""
    with opened(source) as (archive, where, file):
        patches, there = _patches(archive, where, watch), set(archive.namelist())
    carried = {name.split("/")[1].split(".")[0] for name in there if ASSET.fullmatch(name)}
    lacks = {
        asset.digest: f"the recording “{cut(asset.name, 40)}” of “{cut(patch.name, 40)}”"
        for patch in patches.values()
        for asset in assets_of(patch).values()
        if asset.digest not in carried and find(asset) is None
    }
    return ImportPreview(source, file.name, len(patches), tuple(lacks.values()), _alike(library, file.name, patches))


def _patches(archive: zipfile.ZipFile, where: str, watch: Callable[[float], bool]) -> dict[str, Patch]:
    names = [name for name in archive.namelist() if PRESET.fullmatch(name)]
    patches = {}
    for n, name in enumerate(names):
        if n % 20 == 0 and not watch(n / len(names)):
            raise Stopped(f"Looking into {where} was stopped. Nothing was imported.")
        patches[name.removeprefix("presets/").removesuffix(".json")] = read_patch(
            archive.read(name), f"{where}: {name}"
        )
    return patches


def _alike(library: Library, name: str, patches: dict[str, Patch]) -> Alike | None:
    """The bank of that name, the one with most that is the same where several are called so."""
    found = []
    for bank in library.banks():
        if bank.name.casefold() != name.casefold():
            continue
        here: dict[str, Patch | None] = {}
        for key in bank.ids():
            try:
                here[key] = bank.load(key).model_copy(update={"notes": ""})  # they are never exported
            except FeltDialError:
                here[key] = None
        same = tuple(key for key, patch in patches.items() if here.get(key) == patch)
        other = tuple(key for key in patches if key in here and key not in same)
        found.append(Alike(bank.id, bank.name, tuple(key for key in patches if key not in here), same, other))
    return max(found, key=lambda alike: len(alike.same), default=None)


def free_bank_name(library: Library, name: str) -> str:
    """The name, or with a number behind it where a bank is called so already."""
    taken = {bank.name.casefold() for bank in library.banks()}
    return next(
        said for key in names_like(name) if (said := key.replace(f"{name}-", f"{name} ")).casefold() not in taken
    )


def lacks_of(bank: Bank, measured: Callable[[Patch], bool]) -> list[str]:
    """What somebody who gets the bank would miss, a sentence a kind; raises `BadDocument` for a preset that cannot be read."""
    patches = [bank.load(key) for key in bank.ids()]
    unknown = {
        asset.name: None
        for patch in patches
        for asset in assets_of(patch).values()
        if not asset.rights and not ships(asset)
    }
    gone = {asset.name: None for patch in patches for asset in missing(patch).values()}
    rows: list[tuple[Iterable[str], str, str]] = [
        (gone, "recording is not here", "recordings are not here"),
        (unknown, "recording says not whose it is", "recordings say not whose they are"),
        ([patch.name for patch in patches if patch.unnamed], "preset is not named", "presets are not named"),
        (
            [patch.name for patch in patches if not patch.description],
            "preset has no description",
            "presets have no description",
        ),
        (
            [patch.name for patch in patches if not measured(patch)],
            "preset is not measured",
            "presets are not measured",
        ),
    ]
    said = []
    for found, one, many in rows:
        names = list(found)
        if names:
            shown = ", ".join(f"“{cut(name, 30) or 'unnamed'}”" for name in names[:SHOWN])
            said.append(
                f"{len(names)} {one if len(names) == 1 else many} ({shown}{' …' if len(names) > SHOWN else ''})"
            )
    return said
