"""Files written whole or not at all, and names that are safe as file names."""

from __future__ import annotations

import os
import re
import secrets
import unicodedata
from pathlib import Path

from felt_dial.errors import FeltDialError


class CannotWrite(FeltDialError):
    """A folder or disk that does not take what should be kept; the old version stays."""


def write_whole(path: Path, content: str | bytes) -> None:
    """Writes beside the file, syncs, and takes its place; raises `CannotWrite` and leaves the old file."""
    data = content.encode() if isinstance(content, str) else content
    temporary: Path | None = None
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        temporary = path.parent / f".writing-{secrets.token_hex(8)}"
        with open(temporary, "xb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.replace(temporary, path)
        folder = os.open(path.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
    except OSError as wrong:
        if temporary is not None:
            temporary.unlink(missing_ok=True)
        raise CannotWrite(
            f"“{path.name}” could not be written in {path.parent}: {wrong.strerror or wrong}. What was there before stays."
        ) from None


def slug(name: str) -> str:
    """A file name for a person's name: `Dew Pluck` → `dew-pluck`."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:60] or "sound"


def free_name(wanted: str, taken: set[str]) -> str:
    """`wanted`, or with a number behind it where it is taken."""
    if wanted not in taken:
        return wanted
    n = 2
    while f"{wanted}-{n}" in taken:
        n += 1
    return f"{wanted}-{n}"
