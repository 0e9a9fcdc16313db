"""The index: what was measured, by content. It can always be made anew."""

from __future__ import annotations

import sqlite3
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.bank.features import BANDS, Features, vector
from felt_dial.bank.measurement import SWATCH_SHAPE, Measurement
from felt_dial.errors import FeltDialError

VERSION = 3
FEATURES = ("bright", "attack", "length", "noise", "movement", "width")
TABLE = f"""
CREATE TABLE IF NOT EXISTS sound (
    key TEXT PRIMARY KEY, lufs REAL, peak REAL, swatch BLOB, {", ".join(f"{name} REAL" for name in FEATURES)}, shape BLOB,
    cost REAL
);
"""
COLUMNS = f"lufs, peak, swatch, {', '.join(FEATURES)}, shape, cost"


class Index:
    """SQLite; in memory where no path is given, or where it cannot be written."""

    def __init__(self, path: Path | None = None) -> None:
        self._unwritten: dict[str, Measurement] = {}
        self._vectors: dict[str, NDArray[np.float64]] | None = None
        try:
            if path is not None:
                path.parent.mkdir(parents=True, exist_ok=True)
            self._base = sqlite3.connect(path or ":memory:", isolation_level=None)
        except (OSError, sqlite3.OperationalError):
            path = None
            self._base = sqlite3.connect(":memory:", isolation_level=None)
        try:
            _lay_out(self._base)
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
                _lay_out(base)
                return base
            except (OSError, sqlite3.Error):
                continue
        raise FeltDialError("SQLite cannot keep a list in memory.")

    def close(self) -> None:
        """Lets go of the file."""
        self._base.close()

    def put(self, key: str, measured: Measurement) -> None:
        """Keeps a measurement under the key of its sound."""
        of = measured.features
        row = (
            *(key, measured.lufs, measured.peak, measured.swatch.tobytes(), *(getattr(of, name) for name in FEATURES)),
            *(of.shape.astype(np.float32).tobytes(), measured.cost),
        )
        if self._vectors is not None:
            self._vectors[key] = vector(of)
        try:
            self._base.execute(f"INSERT OR REPLACE INTO sound VALUES ({', '.join('?' * len(row))})", row)
        except sqlite3.Error:  # a full disk, or a file that was taken away: kept while the window is open
            self._unwritten[key] = measured

    def get(self, key: str) -> Measurement | None:
        """The measurement of a sound, if there is one."""
        try:
            row = self._base.execute(f"SELECT {COLUMNS} FROM sound WHERE key = ?", (key,)).fetchone()
        except sqlite3.Error:
            row = None
        if row is None:
            return self._unwritten.get(key)
        try:
            swatch = np.frombuffer(row[2], np.uint8).reshape(SWATCH_SHAPE)
            lufs = row[0] if row[0] is not None else float("-inf")
            return Measurement(lufs, float(row[1]), swatch, _features(row[3:10]), float(row[10]))
        except (TypeError, ValueError):  # a row that somebody else wrote
            return None

    def vectors(self) -> dict[str, NDArray[np.float64]]:
        """Every measured sound as a point among the others, see `features.vector`."""
        if self._vectors is None:
            self._vectors = {key: vector(measured.features) for key, measured in self._unwritten.items()}
            try:
                rows = self._base.execute(f"SELECT key, {', '.join(FEATURES)}, shape FROM sound").fetchall()
            except sqlite3.Error:
                rows = []
            for row in rows:
                try:
                    self._vectors[row[0]] = vector(_features(row[1:]))
                except (TypeError, ValueError):
                    continue
        return self._vectors


def _features(row: tuple[Any, ...]) -> Features:
    numbers = {name: float(value) for name, value in zip(FEATURES, row[:-1], strict=True)}
    return Features(**numbers, shape=np.frombuffer(row[-1], np.float32, BANDS).astype(np.float64))


def _lay_out(base: sqlite3.Connection) -> None:
    base.execute("PRAGMA journal_mode = WAL")
    base.execute("PRAGMA synchronous = OFF")
    if base.execute("PRAGMA user_version").fetchone()[0] != VERSION:
        base.execute("DROP TABLE IF EXISTS sound")
        base.execute(f"PRAGMA user_version = {VERSION}")
    base.executescript(TABLE)
