"""The index: what was measured, by content. It can always be made anew."""

from __future__ import annotations

import contextlib
import sqlite3
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.bank.library.sqlite_file import is_busy
from felt_dial.bank.measuring.deviation import Apart
from felt_dial.bank.measuring.features import AXES, BANDS, Features, vector, vectors
from felt_dial.bank.measuring.measurement import SWATCH_SHAPE, Measurement
from felt_dial.errors import FeltDialError

VERSION = 5
FEATURES = tuple(AXES)
TABLE = f"""CREATE TABLE IF NOT EXISTS sound (
    key TEXT PRIMARY KEY, lufs REAL, peak REAL, {", ".join(f"{name} REAL" for name in FEATURES)}, shape BLOB, cost REAL,
    apart REAL, apart_at REAL, apart_by TEXT
)"""
LOOKS = "CREATE TABLE IF NOT EXISTS look (key TEXT PRIMARY KEY, swatch BLOB)"
"""Pictures by themselves: what is searched for and compared must not be read past them."""
COLUMNS = f"lufs, peak, {', '.join(FEATURES)}, shape, cost, apart, apart_at, apart_by, swatch"


class Index:
    """SQLite; in memory where no path is given, or where it cannot be written."""

    def __init__(self, path: Path | None = None) -> None:
        self._unwritten: dict[str, Measurement] = {}
        self._keys: list[str] | None = None
        self._points = np.zeros((0, 0))
        self._fresh: dict[str, Features] = {}
        """Measured since the points were read."""
        try:
            if path is not None:
                path.parent.mkdir(parents=True, exist_ok=True)
            self._base = sqlite3.connect(path or ":memory:", isolation_level=None)
        except (OSError, sqlite3.OperationalError):
            path = None
            self._base = sqlite3.connect(":memory:", isolation_level=None)
        try:
            _lay_out(self._base)
        except sqlite3.Error as wrong:
            self._base.close()
            self._base = self._anew(None if is_busy(wrong) else path)

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
        figures = (getattr(of, name) for name in FEATURES)
        shape = of.shape.astype(np.float32).tobytes()
        row = (key, measured.lufs, measured.peak, *figures, shape, measured.cost, *measured.apart)
        self._fresh[key] = of
        try:
            self._base.execute("BEGIN")
            self._base.execute(f"INSERT OR REPLACE INTO sound VALUES ({', '.join('?' * len(row))})", row)
            self._base.execute("INSERT OR REPLACE INTO look VALUES (?, ?)", (key, measured.swatch.tobytes()))
            self._base.execute("COMMIT")
        except sqlite3.Error:  # a full disk, or a file that was taken away: kept while the window is open
            self._unwritten[key] = measured
            with contextlib.suppress(sqlite3.Error):
                self._base.execute("ROLLBACK")

    def get(self, key: str) -> Measurement | None:
        """The measurement of a sound, if there is one."""
        try:
            row = self._base.execute(
                f"SELECT {COLUMNS} FROM sound JOIN look USING (key) WHERE key = ?", (key,)
            ).fetchone()
        except sqlite3.Error:
            row = None
        if row is None:
            return self._unwritten.get(key)
        try:
            swatch = np.frombuffer(row[-1], np.uint8).reshape(SWATCH_SHAPE)
            lufs = row[0] if row[0] is not None else float("-inf")
            apart = Apart(float(row[-4]), float(row[-3]), str(row[-2]))
            return Measurement(lufs, float(row[1]), swatch, _features(row[2:-5]), float(row[-5]), apart)
        except (TypeError, ValueError):  # a row that somebody else wrote
            return None

    def points(self) -> tuple[list[str], NDArray[np.float64]]:
        """Every measured sound as a point among the others, see `features.vectors`: their keys, and (sound, 30)."""
        if self._keys is None:
            self._read_points()
        assert self._keys is not None
        if self._fresh:
            found = np.stack([vector(features) for features in self._fresh.values()])
            places = {key: n for n, key in enumerate(self._keys)}
            for (key, _), point in zip(self._fresh.items(), found, strict=True):
                if key in places:
                    self._points[places[key]] = point
            more = [n for n, key in enumerate(self._fresh) if key not in places]
            self._points = np.concatenate([self._points, found[more]])
            self._keys += [key for key in self._fresh if key not in places]
            self._fresh = {}
        return self._keys, self._points

    def _read_points(self) -> None:
        size = 4 * BANDS
        try:
            rows = self._base.execute(
                f"SELECT key, {', '.join(FEATURES)}, shape FROM sound WHERE length(shape) = {size}"
            ).fetchall()
            figures = np.array([row[1:-1] for row in rows], np.float64).reshape(len(rows), len(FEATURES))
            shapes = np.frombuffer(b"".join(row[-1] for row in rows), np.float32).reshape(len(rows), BANDS)
            self._keys, self._points = [row[0] for row in rows], vectors(figures, shapes.astype(np.float64))
        except (sqlite3.Error, TypeError, ValueError):  # rows that somebody else wrote
            self._keys, self._points = [], np.zeros((0, len(FEATURES) + BANDS))


def _features(row: tuple[Any, ...]) -> Features:
    numbers = {name: float(value) for name, value in zip(FEATURES, row[:-1], strict=True)}
    return Features(**numbers, shape=np.frombuffer(row[-1], np.float32, BANDS).astype(np.float64))


def _lay_out(base: sqlite3.Connection) -> None:
    base.execute("PRAGMA journal_mode = WAL")
    base.execute("PRAGMA synchronous = OFF")
    if base.execute("PRAGMA user_version").fetchone()[0] != VERSION:
        for table in ("sound", "look"):
            base.execute(f"DROP TABLE IF EXISTS {table}")
        base.execute(f"PRAGMA user_version = {VERSION}")
    base.execute(TABLE)
    base.execute(LOOKS)
