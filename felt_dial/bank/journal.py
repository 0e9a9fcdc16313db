"""The journal: unsaved work, written as it is done and offered again after a crash."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from felt_dial.bank.files import write_whole
from felt_dial.errors import FeltDialError
from felt_dial.patch.documents.kind import DocumentKind
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.patch import Patch

JOURNAL = DocumentKind("journal", 1, kept="It was set aside.")


class Unsaved(NamedTuple):
    """Work that was not saved: the patch, and the preset it came from (empty for a new one)."""

    patch: Patch
    bank: str
    preset: str


class Journal:
    """One file that is there only while there is unsaved work."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def write(self, work: Unsaved) -> None:
        """Keeps the work; raises `CannotWrite`."""
        entry = {"bank": work.bank, "preset": work.preset, "patch": write_patch(work.patch)}
        write_whole(self.path, JOURNAL.write(entry))

    def clear(self) -> None:
        """There is no unsaved work any more."""
        self.path.unlink(missing_ok=True)

    def read(self) -> Unsaved | None:
        """Work that was left behind; a journal that cannot be read is set aside, not deleted."""
        if not self.path.exists():
            return None
        try:
            entry = JOURNAL.read(self.path.read_bytes(), "The journal")
            return Unsaved(read_patch(entry["patch"], "The journal"), str(entry["bank"]), str(entry["preset"]))
        except (FeltDialError, KeyError, TypeError, OSError):
            self.path.replace(self.path.with_suffix(".unreadable"))
            return None
