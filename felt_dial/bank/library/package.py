"""`.feltbank`: a bank as one file, a zip of its folder."""

from __future__ import annotations

import contextlib
import io
import lzma
import os
import re
import struct
import zipfile
import zlib
from collections.abc import Callable, Collection, Iterator
from datetime import date
from pathlib import Path, PurePosixPath

from felt_dial.bank.library.bank import BankFile, read_file
from felt_dial.bank.library.library import Bank, Library, read_bank, write_bank
from felt_dial.errors import Stopped, cut
from felt_dial.files import at_the_disk, bytes_of, regular, write_whole
from felt_dial.patch.documents.kind import BadDocument
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.sound.matter.assets import assets_of, missing, needed_for

MOST_FILES = 20_000
MOST_BYTES = 2 * 1024**3
MOST_RATIO = 200
NOTHING = "Nothing was imported."


PRESET = re.compile(r"presets/[^/.][^/]{0,100}\.json")
ASSET = re.compile(r"assets/[0-9a-f]{64}\.(flac|wav|recipe|about)")


def missing_from(bank: Bank) -> list[str]:
    """Which recordings that its presets need are nowhere to be found; raises `BadDocument` for a preset that cannot be read."""
    found = []
    for key in bank.ids():
        patch = bank.load(key)
        for asset in missing(patch).values():
            found.append(f"“{cut(patch.name, 40)}” needs the recording “{cut(asset.name, 40)}”, which is not here.")
    return found


def export_bank(bank: Bank, target: Path, watch: Callable[[float], bool] = lambda part: True) -> int:
    """Writes a bank as `.feltbank`, bytes equal for equal content; returns how many presets it holds.

    Private notes and recordings that no preset needs any more stay behind. What is written can be read again: raises
    `BadDocument` where a preset cannot be read, and writes nothing.
    """
    memory = io.BytesIO()
    order, needed = bank.ids(), set[str]()
    with at_the_disk(f"{bank.name} was not written", "Nothing was."), zipfile.ZipFile(memory, "w") as archive:
        _add(
            archive,
            "bank.json",
            write_bank(bank.file.model_copy(update={"order": tuple(order), "came": None})).encode(),
        )
        for n, key in enumerate(order):
            if n % 20 == 0 and not watch(n / len(order)):
                raise Stopped(f"“{bank.name}” was not exported: that was stopped. Nothing was written.")
            content = read_file(bank.path(key))
            patch = read_patch(content, f"“{key}” in {bank.name}")
            for named in assets_of(patch).values():
                needed |= {named.digest, named.recipe, *(other.digest for other in needed_for(named))}
            if patch.notes:  # they are for their maker
                content = write_patch(patch.model_copy(update={"notes": ""})).encode()
            _add(archive, f"presets/{key}.json", content)
        for asset in sorted((bank.folder / "assets").glob("*")):
            if asset.stem in needed and ASSET.fullmatch(f"assets/{asset.name}"):
                _add(archive, f"assets/{asset.name}", bytes_of(asset))
    write_whole(target, memory.getvalue())
    return len(order)


def _add(archive: zipfile.ZipFile, name: str, content: bytes) -> None:
    about = zipfile.ZipInfo(name, (2000, 1, 1, 0, 0, 0))
    about.compress_type = zipfile.ZIP_DEFLATED
    archive.writestr(about, content)


@contextlib.contextmanager
def _whole(where: str) -> Iterator[None]:
    """Whatever a damaged zip lets fail is one sentence."""
    try:
        yield
    except zipfile.BadZipFile as wrong:
        raise BadDocument(f"{where} is no whole bank file: not a zip, or cut short ({cut(wrong)}). {NOTHING}") from None
    except NotImplementedError:  # what zipfile raises for a packing or a lock that it does not know
        raise BadDocument(f"{where} is packed in a way that is not known here. {NOTHING}") from None
    except UnicodeDecodeError:
        raise BadDocument(f"{where} holds a name that is no text. {NOTHING}") from None
    except OSError as wrong:
        raise BadDocument(f"{where} cannot be read: {wrong.strerror or cut(wrong)}. {NOTHING}") from None
    except (zlib.error, lzma.LZMAError, EOFError, RuntimeError, ValueError, LookupError, struct.error) as wrong:
        raise BadDocument(f"{where} is damaged ({cut(wrong)}). {NOTHING}") from None


def _check_names(archive: zipfile.ZipFile, where: str) -> None:
    entries = archive.infolist()
    if len(entries) > MOST_FILES:
        raise BadDocument(f"{where} holds {len(entries)} files; a bank has at most {MOST_FILES}. {NOTHING}")
    total = 0
    for entry in entries:
        path = PurePosixPath(entry.filename)
        named = f"{where} holds “{cut(entry.filename, 40)}”"
        if path.is_absolute() or ".." in path.parts or "\\" in entry.filename or ":" in entry.filename:
            raise BadDocument(f"{named}, which leaves its folder. {NOTHING}")
        for folder, kind in (("presets/", PRESET), ("assets/", ASSET)):
            if entry.filename.startswith(folder) and entry.filename != folder and not kind.fullmatch(entry.filename):
                raise BadDocument(f"{named}, which nothing of a bank is called. {NOTHING}")
        total += entry.file_size
        if total > MOST_BYTES or entry.file_size > MOST_RATIO * max(entry.compress_size, 1024):
            raise BadDocument(f"{where} unpacks to more than a bank can be. {NOTHING}")


@contextlib.contextmanager
def opened(source: Path) -> Iterator[tuple[zipfile.ZipFile, str, BankFile]]:
    """A bank file that can be read from, its name for sentences, and what the bank says about itself; raises `BadDocument`."""
    where = f"“{cut(source.name)}”"
    with _whole(where):
        regular(source)
    with _whole(where), zipfile.ZipFile(source) as archive:
        _check_names(archive, where)
        if "bank.json" not in archive.namelist():
            raise BadDocument(f"{where} holds no bank.json. {NOTHING}")
        yield archive, where, read_bank(archive.read("bank.json"), f"{where}: bank.json")


def import_bank(
    library: Library,
    source: Path,
    watch: Callable[[float], bool] = lambda part: True,
    name: str = "",
    only: Collection[str] | None = None,
) -> Bank:
    """Reads a `.feltbank` into the library, all of it or nothing; raises `BadDocument` or `CannotWrite`.

    The bank is called `name` where one is given; `only` are ids of presets, the others stay behind. `watch` is told the part
    that is done, 0 to 1, and stops it by returning False.
    """
    with opened(source) as (archive, where, file):
        names = [name for name in archive.namelist() if PRESET.fullmatch(name) or ASSET.fullmatch(name)]
        if only is not None:
            wanted = {f"presets/{key}.json" for key in only}
            names = [name for name in names if name in wanted or ASSET.fullmatch(name)]
        bank = file.model_copy(update={"name": name or file.name, "came": date.today()})
        with library.draft(bank.name) as folder:
            for n, name in enumerate(names):
                if n % 20 == 0 and not watch(n / len(names)):
                    raise Stopped(f"Importing {where} was stopped. {NOTHING}")
                content = archive.read(name)
                if name.startswith("presets/"):
                    read_patch(content, f"{where}: {name}")
                with at_the_disk(f"“{bank.name}” could not be unpacked", "The library is as it was."):
                    (folder / name).write_bytes(content)
            write_whole(folder / "bank.json", write_bank(bank))
            os.sync()  # once for all files
            return library.put_up(folder, bank.name)
