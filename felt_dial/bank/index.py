"""The index: what was measured, by content, and every word one may search for. It can always be made anew."""

from __future__ import annotations

import re
import sqlite3
from pathlib import Path

import numpy as np

from felt_dial.bank.library import Preset
from felt_dial.bank.measurement import SWATCH_SHAPE, Measurement

SCHEMA = """
CREATE TABLE IF NOT EXISTS sound (key TEXT PRIMARY KEY, lufs REAL, peak REAL, swatch BLOB);
CREATE VIRTUAL TABLE IF NOT EXISTS words USING fts5(bank UNINDEXED, preset UNINDEXED, name, kind, character, text);
"""


class Index:
    """SQLite with full-text search; in memory where no path is given, or where it cannot be written."""

    def __init__(self, path: Path | None = None) -> None:
        try:
            if path is not None:
                path.parent.mkdir(parents=True, exist_ok=True)
            self._base = sqlite3.connect(path or ":memory:", isolation_level=None)
        except (OSError, sqlite3.OperationalError):
            path = None
            self._base = sqlite3.connect(":memory:", isolation_level=None)
        try:
            self._base.executescript(SCHEMA)
        except sqlite3.DatabaseError:
            self._base.close()
            assert path is not None
            path.unlink()
            self._base = sqlite3.connect(path, isolation_level=None)
            self._base.executescript(SCHEMA)

    def close(self) -> None:
        """Lets go of the file."""
        self._base.close()

    def put(self, key: str, measured: Measurement) -> None:
        """Keeps a measurement under the key of its sound."""
        row = (key, measured.lufs, measured.peak, measured.swatch.tobytes())
        self._base.execute("INSERT OR REPLACE INTO sound VALUES (?, ?, ?, ?)", row)

    def get(self, key: str) -> Measurement | None:
        """The measurement of a sound, if there is one."""
        row = self._base.execute("SELECT lufs, peak, swatch FROM sound WHERE key = ?", (key,)).fetchone()
        if row is None:
            return None
        swatch = np.frombuffer(row[2], np.uint8).reshape(SWATCH_SHAPE)
        return Measurement(row[0] if row[0] is not None else float("-inf"), row[1], swatch)

    def refresh(self, presets: list[Preset]) -> None:
        """Makes the words anew from the presets as they are."""
        rows = [
            (
                p.bank,
                p.id,
                p.name,
                p.patch.type if p.patch else "",
                " ".join(p.patch.character) if p.patch else "",
                p.patch.description if p.patch else "",
            )
            for p in presets
        ]
        self._base.execute("BEGIN")
        self._base.execute("DELETE FROM words")
        self._base.executemany("INSERT INTO words VALUES (?, ?, ?, ?, ?, ?)", rows)
        self._base.execute("COMMIT")

    def search(self, text: str) -> list[tuple[str, str]]:
        """Bank and preset of everything that has all the words, or beginnings of words; best first."""
        words = re.findall(r"\w+", text)
        if not words:
            return []
        query = " AND ".join(f'"{word}"*' for word in words)
        rows = self._base.execute("SELECT bank, preset FROM words WHERE words MATCH ? ORDER BY bm25(words)", (query,))
        return [(row[0], row[1]) for row in rows]
