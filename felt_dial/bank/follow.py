"""Following a library: what changes in it, by whomever, is read into the catalogue beside the work of the window."""

from __future__ import annotations

import contextlib
import threading
from collections import deque
from collections.abc import Iterator
from pathlib import Path

from felt_dial.bank.catalogue import Catalogue
from felt_dial.bank.library import Library


class Following:
    """A thread that reads all of a library once, and then every bank in which something changes.

    Attributes
    ----------
    done, total : int
        How many of how many banks are read; both 0 once all are.
    """

    def __init__(self, library: Library, path: Path) -> None:
        self.done = self.total = 0
        self._library, self._path = library, path
        self._changed: deque[str] = deque()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="follow the library", daemon=True)
        self._thread.start()

    def changed(self) -> set[str]:
        """Banks in which something changed since the last call."""
        found = set()
        while self._changed:
            found.add(self._changed.popleft())
        return found

    def close(self) -> None:
        """Ends it; what it is reading is read to its end."""
        self._stop.set()
        self._thread.join(5.0)

    def _run(self) -> None:
        catalogue = Catalogue(self._path)
        with (
            contextlib.closing(catalogue),
            contextlib.suppress(OSError),
        ):  # a library that went away is followed no more
            try:
                self._changed.extend(catalogue.refresh(self._library, watch=self._watch))
            finally:
                self.done = self.total = 0
            for banks in self._banks():
                self._changed.extend(catalogue.refresh(self._library, banks))

    def _watch(self, done: int, total: int) -> bool:
        self.done, self.total = done, total
        return not self._stop.is_set()

    def _banks(self) -> Iterator[set[str]]:
        """The banks of files that changed, as they change."""
        from watchfiles import watch

        root = self._library.root
        with contextlib.suppress(OSError, RuntimeError):  # where nothing can be watched, nothing is told
            for changes in watch(root, stop_event=self._stop, debounce=300, recursive=True, raise_interrupt=False):
                parts = [Path(path).relative_to(root).parts for _, path in changes if Path(path).is_relative_to(root)]
                banks = {
                    part[0] for part in parts if part and not part[0].startswith(".") and ".writing-" not in part[-1]
                }
                if "library.json" in banks:
                    self._changed.append("")  # the order of the banks: no bank is called so
                if banks:
                    yield banks
