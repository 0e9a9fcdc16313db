"""The catalogue: what stands in the library, as rows, so that nobody has to read all files to list or search them.

Files stay the truth. A row knows the time and size of the file that it was read from, and is read anew where they differ.
The catalogue can always be made anew; where its file cannot be used, it is kept in memory.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import re
import sqlite3
import time
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

from felt_dial.bank.finding.search import MARKS, parse
from felt_dial.bank.library.bank import WANTED_LUFS, Bank, BankFile, Stamp
from felt_dial.bank.library.library import Library
from felt_dial.bank.library.opened import TABLE as PERSON
from felt_dial.bank.library.sqlite_file import code_of, is_busy
from felt_dial.bank.measuring.index import TABLE as FIGURES
from felt_dial.bank.measuring.measurement import sound_key
from felt_dial.errors import FeltDialError
from felt_dial.files import held
from felt_dial.patch.patch import Patch

SCHEMA = 6
TABLES = """
CREATE TABLE bank (
    id TEXT PRIMARY KEY, place INTEGER, name TEXT, problem TEXT, dye TEXT, loudness REAL
) WITHOUT ROWID;

CREATE TABLE preset (
    row INTEGER PRIMARY KEY, bank TEXT, id TEXT, place INTEGER, stamp INTEGER, size INTEGER, name TEXT, kind TEXT,
    character TEXT, description TEXT, favourite INTEGER, author TEXT, layers INTEGER, threads INTEGER, macros TEXT,
    key TEXT, problem TEXT, uses TEXT, parent TEXT, mark TEXT, made TEXT, unnamed INTEGER, UNIQUE (bank, id)
);

CREATE INDEX in_order ON preset (bank, place);

CREATE INDEX of_kind ON preset (kind, bank);

CREATE INDEX of_sound ON preset (key);

CREATE VIRTUAL TABLE words USING fts5 (name, kind, character, text, prefix = '1 2 3');

CREATE VIEW words_of AS
    SELECT row, name, kind, character, description || ' ' || author || ' ' || macros || ' ' || uses FROM preset;

CREATE TRIGGER words_of_new AFTER INSERT ON preset BEGIN
    INSERT INTO words (rowid, name, kind, character, text) SELECT * FROM words_of WHERE row = new.row;
END;

CREATE TRIGGER words_of_gone AFTER DELETE ON preset BEGIN
    DELETE FROM words WHERE rowid = old.row;
END;
"""
"""Words that are searched are written and taken away by the base itself, with the row that they belong to."""
ENTER_WORDS = "INSERT INTO words (rowid, name, kind, character, text) SELECT * FROM words_of"
IDS = "SELECT id FROM bank"
ENTER_BANK = """INSERT INTO bank VALUES (?, 0, ?, ?, ?, ?) ON CONFLICT (id) DO UPDATE SET
    name = excluded.name, problem = excluded.problem, dye = excluded.dye, loudness = excluded.loudness"""
DAMAGE = (
    sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB, sqlite3.SQLITE_IOERR, sqlite3.SQLITE_CANTOPEN, sqlite3.SQLITE_READONLY,
)  # fmt: skip
"""Errors after which a file cannot be used any more, and is made anew."""
FILES_STAY = "The files are as they are."
MOST_FOUND = 500
"""How many presets a search lists."""
NEAR_ENOUGH = 74
"""How alike, of 100, a word must be to be taken for another."""
MOST_WEIGHED = 5000
"""Where more have the words, which are hardly more than a letter then, those that have them in their name are the best."""
RECENT = 50
"""How many presets are recent."""
ONLY = ("starred", "unnamed", "unopened")
"""Of `MARKS`, those that a list can be narrowed to."""
SOUND = " JOIN figures.sound AS sound ON sound.key = preset.key"
PERSONAL = " LEFT JOIN person.opened AS opened ON opened.bank = preset.bank AND opened.id = preset.id"
About = tuple[Any, ...]
"""What the row of a preset holds besides where it is and its stamp."""
HOW: dict[str, Any] = {"isolation_level": None, "check_same_thread": False, "uri": True}
OPENING = 3.0
"""Seconds for which a file is waited for as it is opened: who gives up has a list of its own, which nobody fills."""
PATIENCE = 0.2
"""Seconds for which a file is waited for that another process writes to; the window does not stand still for longer."""


class CatalogueFault(FeltDialError):
    """The list of the library could not be asked or changed, though its file is whole."""


class ListedBank(NamedTuple):
    """A bank as it is listed."""

    id: str
    name: str
    problem: str
    presets: int
    dye: str = ""
    loudness: float = WANTED_LUFS
    """How loud its presets shall be, in LUFS."""


class Listed(NamedTuple):
    """A preset as it is listed: where it is, what it is called, and what is wrong with its file, if anything."""

    bank: str
    id: str
    place: int
    name: str
    kind: str
    character: str
    description: str
    favourite: bool
    author: str
    layers: int
    threads: int
    macros: str
    """Names of the macros that have one, as they are read out."""
    key: str
    """Of its sound, see `sound_key`; empty where its file cannot be read."""
    problem: str
    uses: str = ""
    """Kinds of its sources, filters and effects, as they are read out."""
    parent: str = ""
    mark: str = ""
    made: str = ""
    stamp: int = 0
    """When its file was last written, in nanoseconds."""
    unnamed: bool = False


COLUMNS = ", ".join(f"preset.{name}" for name in Listed._fields)
ENTER_PRESET = f"INSERT INTO preset VALUES ({', '.join('?' * 22)})"


def catalogue_path(folder: Path, root: Path) -> Path:
    """Where the catalogue of a library is kept: each library has its own."""
    return folder / f"library-{hashlib.sha256(str(root.resolve()).encode()).hexdigest()[:16]}.sqlite"


class Catalogue:
    """Rows of everything in a library.

    Attributes
    ----------
    mended : bool
        The file was damaged, or another has mended it: all of the library has to be read again. Whoever does it lets it be
        False again.
    """

    def __init__(
        self,
        path: Path | None = None,
        figures: Path | None = None,
        opened: Path | None = None,
        patience: float = PATIENCE,
    ) -> None:
        self.path = path
        self._how = {**HOW, "timeout": patience}
        self._beside = {"figures": (figures, "sound", FIGURES), "person": (opened, "opened", PERSON)}
        self.mended = False
        self._file: tuple[int, int] | None = None
        self._base = self._open()
        self._answered: object = None
        self._told: object = None
        self._answers: dict[object, list[Any]] = {}
        self._attach()

    # --- what is asked of it ---------------------------------------------------------------------

    def banks(self) -> list[ListedBank]:
        """Every bank, in the order that the person gave them."""
        rows = self._known(
            "SELECT id, name, problem, (SELECT count(*) FROM preset WHERE preset.bank = bank.id), dye, loudness FROM bank"
            " ORDER BY place, id"
        )
        return [ListedBank(*row) for row in rows]

    def presets(self, bank: str, kind: str = "", only: str = "") -> list[Listed]:
        """The presets of a bank in their order, or those of one kind, or those of `ONLY`; what is recent is of all banks,
        the last one first."""
        recent = only == "recent"
        asked = MARKS["opened"][0] if recent else "preset.bank = ?"
        asked += " AND preset.kind = ?" if kind else ""
        asked += f" AND {MARKS[only][0]}" if only in ONLY else ""
        order = f"opened.last DESC LIMIT {RECENT}" if recent else "preset.place"
        of = f"FROM preset{_joined(asked)} WHERE {asked} ORDER BY {order}"
        return self._listed(f"SELECT {COLUMNS} {of}", *[bank] * (not recent), *[kind] * bool(kind))

    def of_sounds(self, keys: Iterable[str]) -> list[Listed]:
        """Every preset that sounds as one of these keys, see `sound_key`."""
        given = list(keys)
        return self._listed(f"SELECT {COLUMNS} FROM preset WHERE key IN ({', '.join('?' * len(given))})", *given)

    def measured(self, bank: str) -> dict[str, tuple[float, float, float]]:
        """Brightness, length and loudness of the presets of a bank that were measured, by id."""
        rows = self._ask(
            f"SELECT preset.id, sound.bright, sound.length, sound.lufs FROM preset{SOUND} WHERE preset.bank = ?", bank
        )
        return {row[0]: row[1:] for row in rows if row[1] is not None}

    def counts(self, bank: str) -> dict[str, int]:
        """How many presets of a bank there are of each of `ONLY`."""
        counts = ", ".join(f"sum({MARKS[name][0]})" for name in ONLY)
        row = self._ask(f"SELECT {counts} FROM preset{PERSONAL} WHERE preset.bank = ?", bank)[0]
        return {name: int(count or 0) for name, count in zip(ONLY, row, strict=True)}

    def preset(self, bank: str, preset: str) -> Listed | None:
        """One preset; None where it is not known."""
        found = self._listed(f"SELECT {COLUMNS} FROM preset WHERE bank = ? AND id = ?", bank, preset)
        return found[0] if found else None

    def kinds(self, bank: str) -> dict[str, int]:
        """How many presets of each kind a bank has; those of all banks where none is named."""
        where, given = ("WHERE bank = ? AND", (bank,)) if bank else ("WHERE", ())
        return dict(
            self._known(f"SELECT kind, count(*) FROM preset {where} kind != '' GROUP BY kind ORDER BY kind", *given)
        )

    def names(self) -> list[str]:
        """What every preset of every bank is called."""
        return [name for (name,) in self._ask("SELECT name FROM preset")]

    def search(self, text: str, kind: str = "") -> tuple[list[Listed], int]:
        """The best `MOST_FOUND` presets that have all the words, or beginnings of words, and how many there are."""
        asked = parse(text)
        query = asked.match
        where = [*asked.where, *([("preset.kind = ?", (kind,))] if kind else [])]
        if not query and asked.without:
            gone = " OR ".join(f'"{word}"*' for word in asked.without)
            where.append(("preset.row NOT IN (SELECT rowid FROM words WHERE words MATCH ?)", (gone,)))
        if not query and not where:
            return [], 0
        if where:
            conditions = " AND ".join(condition for condition, _ in where)
            values, joined = [value for _, given in where for value in given], _joined(conditions)
            if query:
                of = f"FROM words CROSS JOIN preset ON preset.row = words.rowid{joined} WHERE words MATCH ? AND {conditions}"
                values, order = [query, *values], "rank"
            else:
                of, order = f"FROM preset{joined} WHERE {conditions}", "preset.bank, preset.place"
            listed = self._listed(f"SELECT {COLUMNS} {of} ORDER BY {order} LIMIT {MOST_FOUND}", *values)
            return listed, int(self._ask(f"SELECT count(*) {of}", *values)[0][0])
        count = self._count(query)
        if count > MOST_WEIGHED and self._count(f"name : ({query})") >= MOST_FOUND:
            return self._found(f"name : ({query})", "rowid"), count
        return self._found(query, "rank"), count

    def corrected(self, text: str) -> str:
        """What is typed with words that nobody has turned into the nearest that somebody has; as it is where none is near."""
        from rapidfuzz import fuzz, process

        known: list[str] | None = None
        for word in parse(text).words:
            if self._count(f'"{word}"*'):
                continue
            if known is None:
                self._base.execute(
                    "CREATE VIRTUAL TABLE IF NOT EXISTS temp.terms USING fts5vocab('main', 'words', 'row')"
                )
                known = [term for (term,) in self._ask("SELECT term FROM temp.terms")]
            found = process.extractOne(word.casefold(), known, scorer=fuzz.ratio, score_cutoff=NEAR_ENOUGH)
            if found is not None:
                text = re.sub(rf"\b{re.escape(word)}\b", found[0], text)
        return text

    def _count(self, query: str) -> int:
        return int(self._ask("SELECT count(*) FROM words WHERE words MATCH ?", query)[0][0])

    def _found(self, query: str, order: str) -> list[Listed]:
        best = f"SELECT rowid AS found, {order} FROM words WHERE words MATCH ? ORDER BY {order} LIMIT {MOST_FOUND}"
        return self._listed(f"SELECT {COLUMNS} FROM ({best}) CROSS JOIN preset ON preset.row = found", query)

    def _listed(self, question: str, *given: object) -> list[Listed]:
        return [
            Listed._make((*row[:7], bool(row[7]), *row[8:-1], bool(row[-1]))) for row in self._ask(question, *given)
        ]

    # --- how it follows the files ----------------------------------------------------------------

    def refresh(
        self, library: Library, banks: Iterable[str] | None = None, watch: Callable[[int, int], bool] | None = None
    ) -> set[str]:
        """Reads what has changed in some banks, or in all; returns the banks whose rows are others now.

        `watch` is told how many of how many banks are done, and stops it by returning False. Raises `CatalogueFault`; a
        file that another process holds for too long is left to it, and to the next time.
        """
        if banks is None:
            banks = sorted({*(bank.id for bank in library.banks()), *(row[0] for row in self._ask(IDS))})
        else:
            banks = list(banks)
        changed = set()
        for done, key in enumerate(banks):
            if watch is not None and not watch(done, len(banks)):
                break
            if self._refresh(key, library):
                changed.add(key)
        self._place_banks(library)
        return changed

    def _refresh(self, key: str, library: Library) -> bool:
        """Makes the rows of a bank what its folder holds. Files are read beside it first, since that takes long; then
        folder and rows are compared and the rows written in one transaction, so that no other writer comes between."""
        bank = _bank_of(library, key)
        read: dict[tuple[str, Stamp], About] = {}
        if bank is not None:
            found, known = dict(_files(bank)), self._stamps(key)
            read = {row: _about(bank, row[0]) for row in found.items() if known.get(row[0]) != row[1]}
            if not read and not self._steps(key, bank, {}):
                return False
        return self._write(lambda: self._steps(key, _bank_of(library, key), read))

    def _steps(self, key: str, bank: Bank | None, read: dict[tuple[str, Stamp], About]) -> list[tuple[str, Any]]:
        """What has to be written for the rows of a bank to be what its folder holds; `read` are files that were read."""
        steps: list[tuple[str, Any]] = []
        told = self._ask("SELECT name, problem, dye, loudness FROM bank WHERE id = ?", key)
        known = {row[0]: row for row in self._ask("SELECT id, stamp, size, place, row FROM preset WHERE bank = ?", key)}
        if bank is None:
            if told or known:
                steps = [("DELETE FROM preset WHERE bank = ?", (key,)), ("DELETE FROM bank WHERE id = ?", (key,))]
            return steps
        try:
            file, problem = bank.file, ""
        except FeltDialError as wrong:
            file, problem = BankFile(name=bank.id), str(wrong)
        found = dict(_files(bank))
        order = [preset for preset in file.order if preset in found]
        places = {preset: n for n, preset in enumerate([*order, *sorted(set(found) - set(order))])}
        says = (file.name, problem, file.dye, file.loudness)
        if told != [says]:
            steps.append((ENTER_BANK, (key, *says)))
        steps += [("DELETE FROM preset WHERE row = ?", (known[preset][4],)) for preset in set(known) - set(found)]
        for preset, stamp in found.items():
            row = known.get(preset)
            if row is not None and row[1:3] == stamp:
                if row[3] != places[preset]:
                    steps.append(("UPDATE preset SET place = ? WHERE row = ?", (places[preset], row[4])))
                continue
            about = read.get((preset, stamp)) or _about(bank, preset)
            if row is not None:
                steps.append(("DELETE FROM preset WHERE row = ?", (row[4],)))
            steps.append((ENTER_PRESET, (row and row[4], key, preset, places[preset], *stamp, *about)))
        return steps

    def _place_banks(self, library: Library) -> None:
        """Keeps the order of the banks."""
        rows = self._ask("SELECT id, place FROM bank")
        wanted = sorted((row[0] for row in rows), key=library.place_of())
        moved = [(n, key) for n, key in enumerate(wanted) if (key, n) not in rows]
        if moved:
            self._write(lambda: [("UPDATE bank SET place = ? WHERE id = ?", row) for row in moved])

    def _stamps(self, key: str) -> dict[str, Stamp]:
        return {row[0]: row[1:] for row in self._ask("SELECT id, stamp, size FROM preset WHERE bank = ?", key)}

    def strayed(self, library: Library) -> set[str]:
        """Banks whose rows are not what their folder holds, by every file's time and size; words that are searched and
        belong to no row, or are lacking, are mended."""
        there = {bank.id: dict(_files(bank)) for bank in library.banks()}
        if self._ask("SELECT rowid FROM words_docsize") != self._ask("SELECT row FROM preset ORDER BY row"):
            self._write(lambda: [("DELETE FROM words", ()), (ENTER_WORDS, ())])
        banks, rows = {row[0] for row in self._ask(IDS)}, dict[str, dict[str, Stamp]]()
        for bank, preset, *stamp in self._ask("SELECT bank, id, stamp, size FROM preset"):
            rows.setdefault(bank, {})[preset] = (stamp[0], stamp[1])
        return (banks ^ set(there)) | {key for key in {*there, *rows} if there.get(key, {}) != rows.get(key, {})}

    def moved_on(self) -> bool:
        """True where rows were written, by whomever, since it was asked last."""
        now = self._version()
        before, self._told = self._told, now
        return now != before

    def _version(self) -> object:
        return id(self._base), self._base.total_changes, self._ask("PRAGMA main.data_version")

    # --- the rim ---------------------------------------------------------------------------------

    def _open(self) -> sqlite3.Connection:
        """The file; a new one in the place of one that is damaged; memory where neither can be used."""
        if self.path is not None:
            mends, end = 0, time.monotonic() + OPENING
            while mends < 2:
                try:
                    self.path.parent.mkdir(parents=True, exist_ok=True)
                    base = self._laid_out(sqlite3.connect(self.path, **self._how))
                    self._file = _inode(self.path)
                    return base
                except (OSError, sqlite3.Error) as wrong:
                    if is_busy(wrong):  # another lays it out at this moment, and is done soon
                        if time.monotonic() > end:
                            break
                        time.sleep(0.01)
                        continue
                    if not _taken_away(self.path):
                        break
                    mends += 1
            self.path = None
        return self._laid_out(sqlite3.connect(":memory:", **self._how))

    @staticmethod
    def _laid_out(base: sqlite3.Connection) -> sqlite3.Connection:
        """The connection, its tables there; closed again where that fails."""
        try:
            base.execute("PRAGMA journal_mode = WAL")
            base.execute("PRAGMA synchronous = OFF")
            base.execute("BEGIN IMMEDIATE")
            if base.execute("PRAGMA user_version").fetchone()[0] != SCHEMA:
                base.execute("DROP VIEW IF EXISTS words_of")
                for name in ("words", "preset", "bank"):
                    base.execute(f"DROP TABLE IF EXISTS {name}")
                for table in TABLES.split("\n\n"):
                    base.execute(table)
                base.execute(f"PRAGMA user_version = {SCHEMA}")
            base.execute("COMMIT")
        except sqlite3.Error:
            base.close()
            raise
        return base

    def _mend(self) -> None:
        """The file failed, or is another by now: a new one, or none. All has to be read again, see `mended`."""
        with contextlib.suppress(sqlite3.Error):
            self._base.close()
        if self.path is not None:
            with held(self.path.with_suffix(".lock"), "The list of the library"):
                if _inode(self.path) == self._file and not _taken_away(self.path):  # else another has mended it
                    self.path = None
                self._base = self._open()
        else:
            self._base = self._open()
        self._attach()
        self.mended = True

    def _attach(self) -> None:
        """Lets questions reach what was measured and what was opened, or an empty stand-in of it."""
        for name, (path, table, made_by) in self._beside.items():
            try:
                if path is None or not path.exists():
                    raise sqlite3.OperationalError("there is no such file")
                self._base.execute(f"ATTACH ? AS {name}", (f"{path.resolve().as_uri()}?mode=ro",))
                self._base.execute(f"SELECT 1 FROM {name}.{table} LIMIT 1")
            except sqlite3.Error:
                with contextlib.suppress(sqlite3.Error):
                    self._base.execute(f"DETACH {name}")
                self._base.execute(f"ATTACH ':memory:' AS {name}")
                self._base.execute(made_by.replace(table, f"{name}.{table}", 1))

    def _ask(self, question: str, *given: object) -> list[Any]:
        try:
            if self.path is not None and _inode(self.path) != self._file:
                self._mend()
            return self._base.execute(question, given).fetchall()
        except sqlite3.Error as wrong:
            if not _damage(wrong):
                raise CatalogueFault(f"The list of the library gives no answer: {wrong}. {FILES_STAY}") from wrong
            self._mend()
            return self._base.execute(question, given).fetchall()

    def _known(self, question: str, *given: object) -> list[Any]:
        """What is asked of the whole library again and again: asked anew when anybody has written since."""
        now = self._version()
        if now != self._answered:
            self._answered, self._answers = now, {}
        if (question, given) not in self._answers:
            self._answers[question, given] = self._ask(question, *given)
        return self._answers[question, given]

    def _write(self, steps_of: Callable[[], list[tuple[str, Any]]]) -> bool:
        """Holds the file against other writers, asks what has to be written, and writes all of it or nothing; True where
        something was written.

        Where another holds it for too long, nothing is written and nothing is said. A damaged file is mended, and nothing
        is written either: whoever sees `mended` has everything read again.
        """
        try:
            if self.path is not None and _inode(self.path) != self._file:
                self._mend()
            self._base.execute("BEGIN IMMEDIATE")
            try:
                steps = steps_of()
                for step, given in steps:
                    self._base.execute(step, given)
                self._base.execute("COMMIT")
            except BaseException:
                with contextlib.suppress(sqlite3.Error):
                    self._base.execute("ROLLBACK")
                raise
            return bool(steps)
        except sqlite3.Error as wrong:
            if _damage(wrong):
                self._mend()
            elif not is_busy(wrong):
                raise CatalogueFault(f"The list of the library was not changed: {wrong}. {FILES_STAY}") from wrong
            return False

    def close(self) -> None:
        """Lets go of the file."""
        self._base.close()


def _joined(conditions: str) -> str:
    """What a question has to be joined with for its conditions."""
    return (SOUND if "sound." in conditions else "") + (PERSONAL if "opened." in conditions else "")


def _damage(wrong: sqlite3.Error) -> bool:
    """Whether the file cannot be used any more. A constraint that is broken is a fault of the program, never of the file."""
    closed = isinstance(wrong, sqlite3.ProgrammingError) and "closed" in str(wrong)
    return closed or code_of(wrong) in DAMAGE or "no such table" in str(wrong)


def _inode(path: Path) -> tuple[int, int] | None:
    """Which file it is that stands there now."""
    try:
        about = os.stat(path)
    except OSError:
        return None
    return about.st_dev, about.st_ino


def _bank_of(library: Library, key: str) -> Bank | None:
    """A bank; None where it is not there."""
    try:
        return library.bank(key)
    except FeltDialError:
        return None


def _taken_away(path: Path) -> bool:
    """Takes a file away that cannot be used, and what belongs to it; False where that cannot be done."""
    try:
        for part in (path, Path(f"{path}-wal"), Path(f"{path}-shm")):
            part.unlink(missing_ok=True)
    except OSError:
        return False
    return True


def _files(bank: Bank) -> Iterator[tuple[str, Stamp]]:
    """Id, time and size of every preset's file."""
    for preset, entry in bank.files():
        with contextlib.suppress(OSError):
            about = entry.stat()
            yield preset, (about.st_mtime_ns, about.st_size)


def uses_of(patch: Patch) -> str:
    """Kinds of the sources, of filters that are on, and of the effects of a patch, each once."""
    found = [layer.source.title for layer in patch.layers.values()]
    found += [layer.filter.title for layer in patch.layers.values() if layer.filter.get("on")]
    found += [effect.title for rack in patch.racks.values() for effect in rack.values()]
    return " · ".join(dict.fromkeys(found))


def _about(bank: Bank, preset: str) -> About:
    """What the row of a preset says: what its file says, or what is wrong with that."""
    try:
        patch = bank.load(preset)
    except FeltDialError as wrong:
        return preset, "", "", "", False, "", 0, 0, "", "", str(wrong), "", "", "", "", False
    named = " · ".join(f"{key.upper()} {macro.name}" for key, macro in patch.macros.items() if macro.name)
    return (
        patch.name, patch.type, ", ".join(patch.character), patch.description, patch.favourite, patch.author,
        len(patch.layers), len(patch.threads), named, sound_key(patch), "", uses_of(patch), patch.parent,
        patch.mark, f"{patch.made or ''}", patch.unnamed,
    )  # fmt: skip
