"""Matter at hand: every recording and table that ships, of the library, and of folders that the person adds, as rows.

Files stay the truth: a row knows the time and size of the file that it was read from. What a file is called and how long it
is stands there at once; root, brightness and picture follow, measured beside the work.
"""

from __future__ import annotations

import contextlib
import json
import os
import sqlite3
import sys
import threading
import time
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.bank.library.sqlite_file import is_busy
from felt_dial.errors import FeltDialError, cut
from felt_dial.files import bytes_of, is_folder, named_in_text
from felt_dial.patch.asset import Asset
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import BadAudio, file_about, read_part
from felt_dial.sound.matter.root import LISTENED, root_of
from felt_dial.sound.matter.tables import shipped_recordings, shipped_tables
from felt_dial.sound.sources.core.levels import MOST_FRAMES, POWERS, table_cycles

AUDIO = frozenset((".wav", ".flac", ".aif", ".aiff", ".ogg", ".mp3"))
SCHEMA = 2
TABLES = """
CREATE TABLE matter (
    row INTEGER PRIMARY KEY, path TEXT UNIQUE, stamp INTEGER, size INTEGER, name TEXT, place TEXT, origin TEXT,
    digest TEXT, frames INTEGER, rate REAL, channels INTEGER, seconds REAL, cycle INTEGER, root REAL, sure REAL,
    bright REAL, peaks BLOB, measured INTEGER, problem TEXT
);
CREATE INDEX by_place ON matter (place);
CREATE INDEX by_name ON matter (name COLLATE NOCASE);
CREATE INDEX unmeasured ON matter (measured);
"""
COLUMNS = 48
"""Columns of a small picture."""
BATCH = 24
SHIPPED, LIBRARY, OWN = "shipped", "library", "own"
DARK, BRIGHT = 500.0, 2000.0
"""Hertz under which the middle of the spectrum is called dark, and over which bright."""
LENGTHS = {"any": (0.0, 1e9), "short": (0.0, 0.5), "middle": (0.5, 2.0), "long": (2.0, 10.0), "longest": (10.0, 1e9)}


class Piece(NamedTuple):
    """A recording or a table as it is listed.

    Attributes
    ----------
    origin : str
        `shipped`, `library` or `own`, a folder of the person's.
    place : str
        The folder or bank that it lies in, for the person.
    cycle : int
        Samples of a cycle where it is a table, else 0.
    root, bright : float or None
        MIDI key with cents, and the middle of the spectrum in Hz; None where there is none, or not yet.
    peaks : int8 (2, 48) or None
    """

    row: int
    path: str
    name: str
    place: str
    origin: str
    digest: str
    frames: int
    rate: float
    channels: int
    seconds: float
    cycle: int
    root: float | None
    sure: float
    bright: float | None
    peaks: NDArray[np.int8] | None
    measured: bool
    problem: str

    @property
    def asset(self) -> Asset | None:
        """Its name in a patch, where it lies in a store."""
        if not self.digest or not self.frames or not self.rate:
            return None
        noted = assets.noted(Path(self.path).parent, self.digest)
        whose = {} if noted is None else {"rights": noted.rights, "terms": noted.terms, "recipe": noted.recipe}
        made = Asset(name=self.name, digest=self.digest, frames=self.frames, channels=self.channels, rate=self.rate)
        return made.model_copy(update=whose)


class MatterQuery(NamedTuple):
    """What is looked for: words, and filters that each may be left open."""

    words: str = ""
    kind: str = ""
    origin: str = ""
    place: str = ""
    pitched: str = ""
    length: str = "any"
    root: int = -1
    bright: str = ""
    only: frozenset[str] | None = None
    """Digests or paths, of which it must have one."""


class Looked(NamedTuple):
    """What was found out about a file."""

    path: str
    frames: int
    rate: float
    channels: int
    cycle: int
    root: float | None
    sure: float
    bright: float
    peaks: bytes
    problem: str


def look_at(paths: list[str]) -> list[Looked]:
    """Looks into files: length, table or not, root, brightness, picture; for a helper."""
    return [_look(path) for path in paths]


def _look(path: str) -> Looked:
    try:
        return _looked(path)
    except (FeltDialError, ValueError, ArithmeticError, LookupError, RuntimeError, OSError, MemoryError) as wrong:
        return Looked(path, 0, 0.0, 0, 0, None, 0.0, 0.0, b"", cut(wrong, 200))


def _looked(path: str) -> Looked:
    frames, rate, channels = file_about(Path(path))
    fits_a_table = channels == 1 and frames <= MOST_FRAMES * POWERS[0]
    audio, _ = read_part(Path(path), 0.0, max(LISTENED, frames / rate) if fits_a_table else LISTENED)
    sound = audio.sound
    if float(np.abs(sound).max()) < 1e-7:
        raise BadAudio("It is silent from beginning to end.")
    mono = sound.mean(axis=0)
    cycle = next(iter(table_cycles(sound[0], Path(path).stem, audio.cycle)), 0) if fits_a_table else 0
    size = min(len(mono), 65536)
    power = np.square(np.abs(np.fft.rfft(mono[:size] * np.hanning(size))))
    hertz = np.fft.rfftfreq(size, 1 / audio.rate)
    bright = float((power * hertz).sum() / max(float(power.sum()), 1e-12))
    known = assets.known_root(Path(path), audio)
    root = None if cycle or known is not None else root_of(sound, audio.rate)
    edges = np.linspace(0, len(mono), min(COLUMNS, len(mono)) + 1).astype(int)[:-1]
    peaks = np.stack([np.minimum.reduceat(mono, edges), np.maximum.reduceat(mono, edges)])
    peaks = np.rint(127 * peaks / max(float(np.abs(peaks).max()), 1e-9)).astype(np.int8)
    key, sure = (root.key, root.sure) if root is not None else (None if cycle else known, float(known is not None))
    return Looked(path, frames, rate, channels, cycle, key, sure, bright, peaks.tobytes(), "")


class Matter:
    """The rows, in a file of SQLite that can always be made anew; in memory where it cannot be used."""

    def __init__(self, path: Path | None) -> None:
        self._lock = threading.Lock()
        self._db = self._open(path)

    def _open(self, path: Path | None) -> sqlite3.Connection:
        how = {"isolation_level": None, "timeout": 5.0, "check_same_thread": False}
        for place in (path, None):
            try:
                if place is not None:
                    place.parent.mkdir(parents=True, exist_ok=True)
                db = sqlite3.connect(str(place) if place is not None else ":memory:", **how)  # type: ignore[call-overload]
                db.execute("PRAGMA journal_mode = WAL")
                if db.execute("PRAGMA user_version").fetchone()[0] != SCHEMA:
                    db.executescript("DROP TABLE IF EXISTS matter;" + TABLES + f"PRAGMA user_version = {SCHEMA};")
                return db  # type: ignore[no-any-return]
            except (sqlite3.DatabaseError, OSError) as wrong:
                if place is not None and not is_busy(wrong):
                    with contextlib.suppress(OSError):
                        place.unlink()
        raise AssertionError("memory is always there")

    def close(self) -> None:
        """Lets go of the file."""
        with self._lock:
            self._db.close()

    def _do(self, text: str, values: Iterable[object] = ()) -> list[tuple]:
        with self._lock:
            try:
                return self._db.execute(text, tuple(values)).fetchall()
            except sqlite3.Error:
                return []

    # --- what there is -------------------------------------------------------------------------

    def refresh(self, library: Path, folders: Iterable[str], go_on: Callable[[], bool] = lambda: True) -> bool:
        """Reads which files there are; rows of files that are gone go too. True where something changed."""
        known = {path: (stamp, size) for path, stamp, size in self._do("SELECT path, stamp, size FROM matter")}
        seen, fresh = set[str](), list[Found]()
        for found in _everything(library, folders):
            path = found.path
            if not go_on():
                return False
            seen.add(path)
            if known.get(path) != (found.stamp, found.size):
                fresh.append(found)
            if len(fresh) >= 500:
                self._put(fresh)
                fresh = []
                time.sleep(0)
        self._put(fresh)
        gone = [path for path in known if path not in seen]
        with self._lock, contextlib.suppress(sqlite3.Error):
            self._db.execute("BEGIN")
            self._db.executemany("DELETE FROM matter WHERE path = ?", [(path,) for path in gone])
            self._db.execute("COMMIT")
        return bool(fresh or gone) or len(seen) != len(known)

    def _put(self, rows: list[Found]) -> None:
        with self._lock, contextlib.suppress(sqlite3.Error):
            self._db.execute("BEGIN")
            self._db.executemany(
                "INSERT OR REPLACE INTO matter (path, stamp, size, name, place, origin, digest, frames, rate, channels,"
                " seconds, cycle, root, sure, measured, problem) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 0, '')",
                rows,
            )
            self._db.execute("COMMIT")

    def unmeasured(self) -> list[str]:
        """Files that nobody has looked into yet, some of them."""
        return [path for (path,) in self._do("SELECT path FROM matter WHERE measured = 0 LIMIT ?", (BATCH,))]

    def take(self, looked: Iterable[Looked]) -> None:
        """Writes down what was found out."""
        with self._lock, contextlib.suppress(sqlite3.Error):
            self._db.execute("BEGIN")
            for one in looked:
                seconds = one.frames / one.rate if one.rate else 0.0
                self._db.execute(
                    "UPDATE matter SET frames = ?, rate = ?, channels = ?, seconds = ?, bright = ?, peaks = ?, problem = ?,"
                    " root = COALESCE(root, ?), sure = ?, cycle = CASE WHEN cycle > 0 THEN cycle ELSE ? END, measured = 1"
                    " WHERE path = ?",
                    (
                        *(one.frames, one.rate, one.channels, seconds, one.bright, one.peaks, one.problem),
                        *(one.root, one.sure, one.cycle, one.path),
                    ),
                )
            self._db.execute("COMMIT")

    def count(self) -> tuple[int, int]:
        """How many there are, and into how many somebody has looked."""
        found = self._do("SELECT COUNT(*), SUM(measured) FROM matter")
        return (int(found[0][0]), int(found[0][1] or 0)) if found else (0, 0)

    def places(self) -> list[str]:
        """Folders and banks that hold some, by name."""
        return [place for (place,) in self._do("SELECT DISTINCT place FROM matter ORDER BY place COLLATE NOCASE")]

    # --- looking -------------------------------------------------------------------------------

    def find(self, wish: MatterQuery) -> list[int]:
        """Rows of what is looked for: those that have the words in their name first, by name."""
        where, values, named = ["problem = ''"], list[object](), list[str]()
        likes = list[object]()
        for word in wish.words.split():
            where.append("(name LIKE ? ESCAPE '\\' OR place LIKE ? ESCAPE '\\')")
            like = "%" + word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
            values += [like, like]
            named.append("name LIKE ? ESCAPE '\\'")
            likes.append(like)
        if wish.kind:
            where.append("cycle > 0" if wish.kind == "table" else "cycle = 0")
        for column, wanted in (("origin", wish.origin), ("place", wish.place)):
            if wanted:
                where.append(f"{column} = ?")
                values.append(wanted)
        if wish.pitched:
            where.append("root IS NOT NULL" if wish.pitched == "yes" else "root IS NULL AND measured = 1 AND cycle = 0")
        if wish.length != "any":
            where.append("seconds >= ? AND seconds < ?")
            values += LENGTHS[wish.length]
        if wish.root >= 0:
            where.append("root IS NOT NULL AND CAST(root + 0.5 AS INTEGER) % 12 = ?")
            values.append(wish.root)
        if wish.bright:
            low, high = {"dark": (0, DARK), "middle": (DARK, BRIGHT), "bright": (BRIGHT, 1e9)}[wish.bright]
            where.append("bright >= ? AND bright < ?")
            values += [low, high]
        if wish.only is not None:
            marks = ", ".join("?" * len(wish.only)) or "''"
            where.append(f"(digest IN ({marks}) OR path IN ({marks}))")
            values += [*wish.only, *wish.only]
        first = f"({' AND '.join(named)}) DESC, " if named else ""
        text = f"SELECT row FROM matter WHERE {' AND '.join(where)} ORDER BY {first}name COLLATE NOCASE, place, row"
        return [row for (row,) in self._do(text, [*values, *likes])]

    def piece(self, row: int) -> Piece | None:
        """One of them; None where it is gone."""
        text = (
            "SELECT row, path, name, place, origin, digest, frames, rate, channels, seconds, cycle, root, sure, bright,"
            " peaks, measured, problem FROM matter WHERE row = ?"
        )
        found = self._do(text, (row,))
        if not found:
            return None
        values = list(found[0])
        peaks = np.frombuffer(values[14], np.int8) if values[14] else None
        values[14] = peaks.reshape(2, -1) if peaks is not None else None
        values[15] = bool(values[15])
        return Piece(*values)


class Found(NamedTuple):
    """A file that there is, as the first columns of its row."""

    path: str
    stamp: int
    size: int
    name: str
    place: str
    origin: str
    digest: str = ""
    frames: int = 0
    rate: float = 0.0
    channels: int = 0
    seconds: float = 0.0
    cycle: int = 0
    root: float | None = None
    sure: float = 0.0


def _of_asset(path: str, asset: Asset, place: str, origin: str, stamp: int = 0, size: int = 0) -> Found:
    name = asset.name or asset.digest[:12]
    about = asset.digest, asset.frames, asset.rate, asset.channels, asset.seconds
    return Found(path, stamp, size, name, place, origin, *about)


def _everything(library: Path, folders: Iterable[str]) -> Iterator[Found]:
    """Every file there is, each content once as far as it is known."""
    seen = set()
    for found in _shipped():
        seen.add(found.digest)
        yield found
    banks = [(bank / "assets", _name_of(bank)) for bank in _banks(library)]
    for store, place in [(library / ".assets", "Library"), *banks]:
        for path, stamp, size in _files(str(store), deep=False):
            digest = Path(path).stem
            if digest in seen:
                continue
            seen.add(digest)
            about = assets.noted(store, digest)
            if about is not None:
                yield _of_asset(path, about, place, LIBRARY, stamp, size)
            else:
                yield Found(path, stamp, size, f"Recording {digest[:8]}", place, LIBRARY, digest)
    for folder in folders:
        for path, stamp, size in _files(folder, deep=True):
            yield Found(path, stamp, size, Path(path).stem, Path(path).parent.name, OWN)


def _shipped() -> Iterator[Found]:
    for asset, root in shipped_recordings().values():
        path = assets.find(asset)
        if path is not None:
            yield _of_asset(str(path), asset, "Felt Dial", SHIPPED)._replace(root=float(root), sure=1.0)
    for about in shipped_tables().values():
        path = assets.find(about.asset)
        if path is not None:
            yield _of_asset(str(path), about.asset, about.family, SHIPPED)._replace(cycle=about.cycle)


def _banks(library: Path) -> list[Path]:
    return sorted(path.parent for path in library.glob("*/bank.json")) if is_folder(library) else []


def _name_of(bank: Path) -> str:
    try:
        name = json.loads(bytes_of(bank / "bank.json")).get("name")
    except (OSError, ValueError, AttributeError):
        name = None
    return name if isinstance(name, str) and name else bank.name


def _files(folder: str, deep: bool) -> Iterator[tuple[str, int, int]]:
    """Audio files of a folder, with their time and size; what cannot be looked into is passed over."""
    left = [folder]
    while left:
        try:
            entries = list(os.scandir(left.pop()))
        except OSError:
            continue
        for entry in entries:
            with contextlib.suppress(OSError):
                if entry.is_dir(follow_symlinks=False):
                    if deep and not entry.name.startswith("."):
                        left.append(entry.path)
                elif os.path.splitext(entry.name)[1].lower() in AUDIO and entry.is_file() and named_in_text(entry.path):
                    about = entry.stat()
                    yield entry.path, about.st_mtime_ns, about.st_size


class Gathering:
    """A thread that reads which files there are, looks into them beside the work, and reads anew what changes.

    Attributes
    ----------
    changes : int
        Goes up whenever something is another.
    """

    def __init__(
        self, matter: Matter, library: Path, folders: Iterable[str], look: Callable[[list[str]], list[Looked]]
    ) -> None:
        self.matter, self.library, self.folders = matter, library, tuple(folders)
        self.changes = 0
        self._look = look
        self._told = ""
        self._stop = threading.Event()
        self._again = threading.Event()
        self._thread = threading.Thread(target=self._run, name="gather matter", daemon=True)
        self._thread.start()

    def again(self) -> None:
        """Something may have changed: it is looked through anew."""
        self._again.set()

    def close(self) -> None:
        """Ends it."""
        self._stop.set()
        self._again.set()
        self._thread.join(5.0)

    def _run(self) -> None:
        watcher = threading.Thread(target=self._watch, daemon=True)
        watcher.start()
        while not self._stop.is_set():
            self._again.clear()
            try:
                self._gather()
            except Exception as wrong:  # whatever one file does: the others are looked into the next time
                if repr(wrong) != self._told:
                    self._told = repr(wrong)
                    print(f"Recordings could not be gathered for a moment: {wrong!r}", file=sys.stderr)
                self._stop.wait(2.0)
            self._again.wait()

    def _gather(self) -> None:
        """Reads which files there are, and looks into all that nobody has looked into."""
        if self.matter.refresh(self.library, self.folders, lambda: not self._stop.is_set()):
            self.changes += 1
        while not self._stop.is_set() and not self._again.is_set() and (paths := self.matter.unmeasured()):
            try:
                self.matter.take(self._look(paths))
            except FeltDialError:
                lost = [Looked(path, 0, 0.0, 0, 0, None, 0.0, 0.0, b"", "cannot be looked into") for path in paths]
                self.matter.take(lost)
            self.changes += 1

    def _watch(self) -> None:
        from watchfiles import watch

        there = [folder for folder in (str(self.library), *self.folders) if os.path.isdir(folder)]
        with contextlib.suppress(OSError, RuntimeError):
            for _ in watch(*there, stop_event=self._stop, debounce=800, recursive=True, raise_interrupt=False):
                self._again.set()
