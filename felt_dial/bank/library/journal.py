"""The journal: unsaved work, written as it is done, kept until it is saved or the person answers what becomes of it.

Every window has a name of its own, which it holds with a lock while it lives; every sound that lay on its table has a
page. What windows that have ended left behind is offered by the next one:

journal/
  <window>.lock
  <window>-<page>.json
"""

from __future__ import annotations

import contextlib
import os
import secrets
import time
from datetime import datetime
from pathlib import Path
from typing import NamedTuple

from filelock import FileLock

from felt_dial.bank.library.bank import Stamp
from felt_dial.errors import FeltDialError
from felt_dial.files import at_the_disk, bytes_of, in_use, write_whole
from felt_dial.patch.documents.kind import LARGEST, Data, DocumentKind
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.patch import Patch


def _one_side(data: Data) -> Data:
    """Format 1 kept the side that sounded."""
    return {**data, "b": data["patch"], "side": "a"}


JOURNAL = DocumentKind("journal", 2, {1: _one_side}, kept="It was set aside.", longest=LARGEST)


class Unsaved(NamedTuple):
    """Work that was not saved: both patches, which of them sounded, the preset it came from (empty for a new one), and the
    stamp of the file of that, where it is known."""

    a: Patch
    b: Patch
    side: str
    bank: str
    preset: str
    seen: Stamp | None = None

    @property
    def patch(self) -> Patch:
        """The patch that sounded."""
        return self.a if self.side == "a" else self.b


class LeftBehind(NamedTuple):
    """Work that a window which has ended left behind: its file, when it was written, and what it holds."""

    path: Path
    when: datetime
    work: Unsaved


class Journal:
    """The pages of one window."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.window = f"{time.time_ns():020d}-{secrets.token_hex(4)}"
        self._lock: FileLock | None = None

    def path(self, page: str) -> Path:
        """The file of a page."""
        return self.folder / f"{self.window}-{page}.json"

    def write(self, page: str, work: Unsaved) -> None:
        """Keeps the work; raises `CannotWrite`."""
        self._live()
        entry = {
            "bank": work.bank,
            "preset": work.preset,
            "side": work.side,
            "patch": write_patch(work.a),
            "b": write_patch(work.b),
            "seen": [f"{number}" for number in work.seen or ()],
        }
        with at_the_disk("Unsaved work could not be put into the journal", "It is on the table."):
            write_whole(self.path(page), JOURNAL.write(entry))

    def clear(self, page: str) -> None:
        """There is nothing on this page to be lost any more; raises `CannotWrite`."""
        with at_the_disk("The journal could not be cleared", "It stays."):
            self.path(page).unlink(missing_ok=True)

    def pages(self) -> list[Path]:
        """The pages of this window that hold something."""
        return sorted(self.folder.glob(f"{self.window}-*.json"))

    def _live(self) -> None:
        """Tells other windows that this one lives, from its first page on."""
        if self._lock is None:
            with at_the_disk("The journal could not be written", "Your work is on the table."):
                self.folder.mkdir(parents=True, exist_ok=True)
                self._lock = FileLock(self.folder / f"{self.window}.lock")
                self._lock.acquire(timeout=0)

    def close(self) -> None:
        """Lets go: what still stands on its pages is offered by the next window."""
        if self._lock is not None:
            self._lock.release()
            with contextlib.suppress(OSError):
                os.unlink(self.folder / f"{self.window}.lock")
            self._lock = None

    def left_behind(self) -> list[LeftBehind]:
        """What windows that have ended left, newest first; a page that cannot be read is set aside, not deleted."""
        found, living = [], {self.window: self._lock is not None}
        with contextlib.suppress(OSError):
            for path in sorted(self.folder.glob("*.json"), reverse=True):
                window = path.stem.rpartition("-")[0]
                if window not in living:
                    living[window] = self._lives(window)
                if not living[window] and (left := self._read(path)) is not None:
                    found.append(left)
        return sorted(found, key=lambda left: left.when, reverse=True)

    def _lives(self, window: str) -> bool:
        """Whether another process holds the lock of a window."""
        path = self.folder / f"{window}.lock"
        if in_use(path):
            return True
        with contextlib.suppress(OSError):
            path.unlink(missing_ok=True)
        return False

    def _read(self, path: Path) -> LeftBehind | None:
        try:
            entry = JOURNAL.read(bytes_of(path), "The journal")
            a, b = (read_patch(entry[key], "The journal") for key in ("patch", "b"))
            side = "b" if entry["side"] == "b" else "a"
            work = Unsaved(a, b, side, str(entry["bank"]), str(entry["preset"]), _stamp(entry.get("seen")))
            return LeftBehind(path, datetime.fromtimestamp(path.stat().st_mtime), work)
        except (OSError, FeltDialError, KeyError, TypeError):
            with contextlib.suppress(OSError):
                path.replace(path.with_suffix(".unreadable"))
            return None

    def throw_away(self, left: LeftBehind) -> None:
        """The person does not want it any more; raises `CannotWrite`."""
        with at_the_disk("The journal could not be cleared", "What it holds is offered again."):
            left.path.unlink(missing_ok=True)


def _stamp(written: object) -> Stamp | None:
    """A stamp as it is written down, in letters since it is longer than numbers of a document may be."""
    match written:
        case [str(when), str(size)] if when.isdecimal() and size.isdecimal():
            return int(when), int(size)
    return None
