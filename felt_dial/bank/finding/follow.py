"""Following a library: what changes in it, by whomever, is read into the catalogue beside the work of the window."""

from __future__ import annotations

import contextlib
import threading
import time
from collections import deque
from collections.abc import Iterator
from pathlib import Path

from felt_dial.bank.finding.catalogue import Catalogue
from felt_dial.bank.library.bank import Bank
from felt_dial.bank.library.library import Library
from felt_dial.errors import FeltDialError
from felt_dial.files import file_id

CHECKED = 1.0
"""Seconds from one check of the catalogue against the folders to the next."""
CLOSELY = 30.0
"""Seconds after which every file's time and size is compared, where nobody wrote and no folder changed."""


class Following:
    """A thread that reads all of a library once, then every bank in which something changes, and which looks every second
    whether the catalogue is still what the folders hold. Whoever shows the catalogue asks that whether it has moved on.

    Attributes
    ----------
    done, total : int
        How many of how many banks are read; both 0 once all are.
    """

    def __init__(self, library: Library, path: Path) -> None:
        self.done = self.total = 0
        self._library, self._path = library, path
        self._all = True
        self._told: deque[str] = deque()
        self._said = ""
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="follow the library", daemon=True)
        self._thread.start()

    def told(self) -> list[str]:
        """Sentences about what went wrong since the last call, each once."""
        told = list(self._told)
        self._told.clear()
        return told

    def read_all(self) -> None:
        """Has all of the library read again."""
        self._all = True

    def close(self) -> None:
        """Ends it; what it is reading is read to its end."""
        self._stop.set()
        self._thread.join(5.0)

    def _run(self) -> None:
        with contextlib.closing(Catalogue(self._path, patience=5.0)) as catalogue:
            seen: dict[str, object] = {}
            closely = 0.0
            for banks in self._changes():
                try:
                    if catalogue.mended:
                        catalogue.mended, self._all = False, True
                    if self._all:
                        self._all = False
                        try:
                            catalogue.refresh(self._library, watch=self._watch)
                        finally:
                            self.done = self.total = 0
                    known = dict(seen)
                    seen.clear()
                    seen.update({bank.id: _signs(bank) for bank in self._library.banks()})
                    banks |= {key for key in {*seen, *known} if seen.get(key) != known.get(key)}
                    if catalogue.moved_on() or time.monotonic() > closely:
                        closely = time.monotonic() + CLOSELY
                        banks |= catalogue.strayed(self._library)
                    catalogue.refresh(self._library, banks)
                    catalogue.moved_on()
                except Exception as wrong:  # whatever one file does: the others are followed
                    self._tell(wrong)

    def _tell(self, wrong: Exception) -> None:
        says = str(wrong) if isinstance(wrong, FeltDialError) else f"{type(wrong).__name__}: {wrong}"
        if says != self._said:
            self._said = says
            self._told.append(f"The library could not be followed for a moment, and is read again. {says}")

    def _watch(self, done: int, total: int) -> bool:
        self.done, self.total = done, total
        return not self._stop.is_set()

    def _changes(self) -> Iterator[set[str]]:
        """The banks of files that changed, as they change; every second those of none."""
        yield set()
        while not self._stop.is_set():
            try:
                yield from self._watched()
            except Exception as wrong:  # nothing can be watched, as on some shared drives: it is looked at each second
                if not isinstance(wrong, OSError | RuntimeError):
                    self._tell(wrong)
            self._stop.wait(CHECKED)
            yield set()

    def _watched(self) -> Iterator[set[str]]:
        from watchfiles import watch

        root = self._library.root
        timeout = round(1000 * CHECKED)
        for changes in watch(
            root,
            stop_event=self._stop,
            debounce=300,
            rust_timeout=timeout,
            yield_on_timeout=True,
            recursive=True,
            raise_interrupt=False,
        ):
            parts = [Path(path).relative_to(root).parts for _, path in changes if Path(path).is_relative_to(root)]
            yield {
                file_id(part[0])
                for part in parts
                if len(part) > 1 and not part[0].startswith(".") and ".writing-" not in part[-1]
            }


def _signs(bank: Bank) -> object:
    """What tells that something was put into a bank's folder, or taken out of it."""
    signs: list[object] = []
    for path in (bank.folder / "bank.json", bank.folder / "presets"):
        try:
            about = path.stat()
        except OSError:
            signs.append(None)
        else:
            signs.append((about.st_mtime_ns, about.st_size, about.st_ino))
    return signs
