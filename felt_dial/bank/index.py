"""The index: what was measured, by content. It can always be made anew."""

from __future__ import annotations

import sqlite3
from pathlib import Path

import numpy as np

from felt_dial.bank.measurement import SWATCH_SHAPE, Measurement
from felt_dial.errors import FeltDialError

SCHEMA = """
CREATE TABLE IF NOT EXISTS sound (key TEXT PRIMARY KEY, lufs REAL, peak REAL, swatch BLOB);
"""


class Index:
    """SQLite; in memory where no path is given, or where it cannot be written."""

    def __init__(self, path: Path | None = None) -> None:
        self._unwritten: dict[str, Measurement] = {}
        try:
            if path is not None:
                path.parent.mkdir(parents=True, exist_ok=True)
            self._base = sqlite3.connect(path or ":memory:", isolation_level=None)
        except (OSError, sqlite3.OperationalError):
            path = None
            self._base = sqlite3.connect(":memory:", isolation_level=None)
        try:
            self._base.executescript(SCHEMA)
        except sqlite3.Error:
            self._base.close()
            self._base = self._anew(path)

    @staticmethod
    def _anew(path: Path | None) -> sqlite3.Connection:
        """A new file instead of one that is damaged; in memory where that cannot be."""
        for place in (path, ":memory:"):
            try:
                if isinstance(place, Path):
                    place.unlink()
                base = sqlite3.connect(place or ":memory:", isolation_level=None)
                base.executescript(SCHEMA)
                return base
            except (OSError, sqlite3.Error):
                continue
        raise FeltDialError("SQLite cannot keep a list in memory.")

    def close(self) -> None:
        """Lets go of the file."""
        self._base.close()

    def put(self, key: str, measured: Measurement) -> None:
        """Keeps a measurement under the key of its sound."""
        row = (key, measured.lufs, measured.peak, measured.swatch.tobytes())
        try:
            self._base.execute("INSERT OR REPLACE INTO sound VALUES (?, ?, ?, ?)", row)
        except sqlite3.Error:  # a full disk, or a file that was taken away: kept while the window is open
            self._unwritten[key] = measured

    def get(self, key: str) -> Measurement | None:
        """The measurement of a sound, if there is one."""
        try:
            row = self._base.execute("SELECT lufs, peak, swatch FROM sound WHERE key = ?", (key,)).fetchone()
        except sqlite3.Error:
            row = None
        if row is None:
            return self._unwritten.get(key)
        try:
            swatch = np.frombuffer(row[2], np.uint8).reshape(SWATCH_SHAPE)
            return Measurement(row[0] if row[0] is not None else float("-inf"), float(row[1]), swatch)
        except (TypeError, ValueError):  # a row that somebody else wrote
            return None
