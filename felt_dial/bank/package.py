"""`.feltbank`: a bank as one file, a zip of its folder."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path, PurePosixPath

from felt_dial.bank.files import write_whole
from felt_dial.bank.library import Bank, Library, read_bank, write_bank
from felt_dial.patch.documents.kind import BadDocument
from felt_dial.patch.documents.patch import read_patch

MOST_FILES = 20_000
MOST_BYTES = 2 * 1024**3
MOST_RATIO = 200


def export_bank(bank: Bank, target: Path) -> int:
    """Writes a bank as `.feltbank`, bytes equal for equal content; returns how many presets it holds."""
    memory = io.BytesIO()
    with zipfile.ZipFile(memory, "w", zipfile.ZIP_DEFLATED) as archive:
        _add(archive, "bank.json", write_bank(bank.file).encode())
        for key in bank.ids():
            _add(archive, f"presets/{key}.json", bank.path(key).read_bytes())
        for asset in sorted((bank.folder / "assets").glob("*")):
            _add(archive, f"assets/{asset.name}", asset.read_bytes())
    write_whole(target, memory.getvalue())
    return len(bank.ids())


def _add(archive: zipfile.ZipFile, name: str, content: bytes) -> None:
    about = zipfile.ZipInfo(name, (2000, 1, 1, 0, 0, 0))
    about.compress_type = zipfile.ZIP_DEFLATED
    archive.writestr(about, content)


def _check_names(archive: zipfile.ZipFile, where: str) -> None:
    entries = archive.infolist()
    if len(entries) > MOST_FILES:
        raise BadDocument(f"{where} holds {len(entries)} files; a bank has at most {MOST_FILES}. Nothing was imported.")
    total = 0
    for entry in entries:
        path = PurePosixPath(entry.filename)
        if path.is_absolute() or ".." in path.parts or "\\" in entry.filename or ":" in entry.filename:
            raise BadDocument(f"{where} holds “{entry.filename}”, which leaves its folder. Nothing was imported.")
        total += entry.file_size
        if total > MOST_BYTES or entry.file_size > MOST_RATIO * max(entry.compress_size, 1024):
            raise BadDocument(f"{where} unpacks to more than a bank can be. Nothing was imported.")


def import_bank(library: Library, source: Path) -> Bank:
    """Reads a `.feltbank` into the library, all of it or nothing; raises `BadDocument` or `CannotWrite`."""
    where = f"“{source.name}”"
    try:
        archive = zipfile.ZipFile(source)
    except OSError as wrong:
        raise BadDocument(f"{where} cannot be read: {wrong.strerror or wrong}. Nothing was imported.") from None
    except zipfile.BadZipFile:
        raise BadDocument(f"{where} is no whole bank file (not a zip, or cut short). Nothing was imported.") from None
    with archive:
        _check_names(archive, where)
        names = set(archive.namelist())
        if "bank.json" not in names:
            raise BadDocument(f"{where} holds no bank.json. Nothing was imported.")
        try:
            bank = read_bank(archive.read("bank.json"), f"{where}: bank.json")
            files = {n: archive.read(n) for n in names if n.startswith(("presets/", "assets/")) and not n.endswith("/")}
        except (zipfile.BadZipFile, EOFError, OSError, RuntimeError) as wrong:
            raise BadDocument(f"{where} is damaged ({wrong}). Nothing was imported.") from None
    for name, content in files.items():
        if name.startswith("presets/"):
            read_patch(content, f"{where}: {name}")
    return _lay_down(library, bank.name, write_bank(bank).encode(), files)


def _lay_down(library: Library, name: str, bank: bytes, files: dict[str, bytes]) -> Bank:
    with library.draft(name) as folder:
        write_whole(folder / "bank.json", bank)
        for file, content in files.items():
            write_whole(folder / file, content)
        return library.put_up(folder, name)
