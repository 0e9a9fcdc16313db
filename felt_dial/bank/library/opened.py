"""When a person last opened which preset: for what is recent, and for what nobody has listened to yet."""

from __future__ import annotations

import contextlib
import sqlite3
import time
from pathlib import Path

TABLE = "CREATE TABLE IF NOT EXISTS opened (bank TEXT, id TEXT, last REAL, PRIMARY KEY (bank, id)) WITHOUT ROWID"


class Opened:
    """A small file; where it cannot be used, nothing is remembered beyond the window."""

    def __init__(self, path: Path | None = None) -> None:
        try:
            if path is not None:
                path.parent.mkdir(parents=True, exist_ok=True)
            self._base = sqlite3.connect(path or ":memory:", isolation_level=None)
            self._base.execute(TABLE)
        except (OSError, sqlite3.Error):
            self._base = sqlite3.connect(":memory:", isolation_level=None)
            self._base.execute(TABLE)

    def note(self, bank: str, preset: str) -> None:
        """A preset is opened now."""
        self._do("INSERT OR REPLACE INTO opened VALUES (?, ?, ?)", bank, preset, time.time())

    def moved(self, bank: str, preset: str, to: str, as_: str) -> None:
        """A preset has another place."""
        self._do("UPDATE OR REPLACE opened SET bank = ?, id = ? WHERE bank = ? AND id = ?", to, as_, bank, preset)

    def _do(self, step: str, *given: object) -> None:
        with contextlib.suppress(sqlite3.Error):
            self._base.execute(step, given)

    def close(self) -> None:
        """Lets go of the file."""
        self._base.close()
