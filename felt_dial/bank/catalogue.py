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
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any, NamedTuple

from felt_dial.bank.bank import Bank, BankFile
from felt_dial.bank.index import TABLE as FIGURES
from felt_dial.bank.library import Library
from felt_dial.bank.measurement import sound_key
from felt_dial.bank.opened import TABLE as PERSON
from felt_dial.bank.search import MARKS, parse
from felt_dial.errors import FeltDialError
from felt_dial.patch.patch import Patch

SCHEMA = 5
TABLES = """
CREATE TABLE bank (id TEXT PRIMARY KEY, stamp INTEGER, name TEXT, problem TEXT, dye TEXT) WITHOUT ROWID;
CREATE TABLE preset (
    row INTEGER PRIMARY KEY, bank TEXT, id TEXT, place INTEGER, stamp INTEGER, size INTEGER, name TEXT, kind TEXT,
    character TEXT, description TEXT, favourite INTEGER, author TEXT, layers INTEGER, threads INTEGER, macros TEXT,
    key TEXT, problem TEXT, uses TEXT, parent TEXT, mark TEXT, made TEXT, unnamed INTEGER, UNIQUE (bank, id)
);
CREATE INDEX in_order ON preset (bank, place);
CREATE INDEX of_kind ON preset (kind, bank);
CREATE INDEX of_sound ON preset (key);
CREATE VIRTUAL TABLE words USING fts5 (name, kind, character, text, prefix = '1 2 3');
"""
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
HOW: dict[str, Any] = {"isolation_level": None, "timeout": 5.0, "check_same_thread": False, "uri": True}


class ListedBank(NamedTuple):
    """A bank as it is listed."""

    id: str
    name: str
    problem: str
    presets: int
    dye: str = ""


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


def catalogue_path(folder: Path, root: Path) -> Path:
    """Where the catalogue of a library is kept: each library has its own."""
    return folder / f"library-{hashlib.sha256(str(root.resolve()).encode()).hexdigest()[:16]}.sqlite"


class Catalogue:
    """Rows of everything in a library."""

    def __init__(self, path: Path | None = None, figures: Path | None = None, opened: Path | None = None) -> None:
        self.path = path
        self._beside = {"figures": (figures, "sound", FIGURES), "person": (opened, "opened", PERSON)}
        self._base = self._open()
        self._answered: object = None
        self._answers: dict[object, list[Any]] = {}
        self._attach()

    # --- what is asked of it ---------------------------------------------------------------------

    def banks(self) -> list[ListedBank]:
        """Every bank, by id."""
        rows = self._known(
            "SELECT id, name, problem, (SELECT count(*) FROM preset WHERE preset.bank = bank.id), dye FROM bank ORDER BY id"
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

        `watch` is told how many of how many banks are done, and stops it by returning False.
        """
        there = {bank.id: bank for bank in library.banks()} if banks is None else {}
        if banks is None:
            banks = sorted({*there, *(row[0] for row in self._ask("SELECT id FROM bank"))})
        else:
            banks = list(banks)
            for key in banks:
                with contextlib.suppress(FeltDialError):
                    there[key] = library.bank(key)
        changed = set()
        for done, key in enumerate(banks):
            if watch is not None and not watch(done, len(banks)):
                break
            if self._refresh(key, there.get(key)):
                changed.add(key)
        return changed

    def _refresh(self, key: str, bank: Bank | None) -> bool:
        if bank is None:
            gone = bool(self._ask("SELECT 1 FROM bank WHERE id = ?", key))
            self._write([("DELETE FROM words WHERE rowid IN (SELECT row FROM preset WHERE bank = ?)", (key,))])
            self._write([("DELETE FROM preset WHERE bank = ?", (key,)), ("DELETE FROM bank WHERE id = ?", (key,))])
            return gone
        try:
            file, problem = bank.file, ""
        except FeltDialError as wrong:
            file, problem = BankFile(name=bank.id), str(wrong)
        found = dict(_files(bank.folder / "presets"))
        order = [preset for preset in file.order if preset in found]
        places = {preset: n for n, preset in enumerate([*order, *sorted(set(found) - set(order))])}
        known = {
            row[0]: row[1:] for row in self._ask("SELECT id, stamp, size, place, row FROM preset WHERE bank = ?", key)
        }
        steps: list[tuple[str, tuple[Any, ...]]] = []
        if self._ask("SELECT name, problem, dye FROM bank WHERE id = ?", key) != [(file.name, problem, file.dye)]:
            steps.append(("INSERT OR REPLACE INTO bank VALUES (?, 0, ?, ?, ?)", (key, file.name, problem, file.dye)))
        for preset in set(known) - set(found):
            steps.append(("DELETE FROM words WHERE rowid = ?", (known[preset][3],)))
            steps.append(("DELETE FROM preset WHERE row = ?", (known[preset][3],)))
        for preset, stamp in found.items():
            if preset not in known or known[preset][:2] != stamp:
                steps += _entered(bank, preset, places[preset], stamp, known.get(preset))
            elif known[preset][2] != places[preset]:
                steps.append(("UPDATE preset SET place = ? WHERE row = ?", (places[preset], known[preset][3])))
        if steps:
            self._write(steps)
        return bool(steps)

    # --- the rim ---------------------------------------------------------------------------------

    def _open(self) -> sqlite3.Connection:
        """The file; a new one in the place of one that is damaged; memory where neither can be used."""
        if self.path is not None:
            for _ in range(2):
                try:
                    self.path.parent.mkdir(parents=True, exist_ok=True)
                    return self._laid_out(sqlite3.connect(self.path, **HOW))
                except (OSError, sqlite3.Error) as wrong:
                    if _busy(wrong) or not _taken_away(self.path):
                        break
            self.path = None
        return self._laid_out(sqlite3.connect(":memory:", **HOW))

    @staticmethod
    def _laid_out(base: sqlite3.Connection) -> sqlite3.Connection:
        """The connection, its tables there; closed again where that fails."""
        try:
            base.execute("PRAGMA journal_mode = WAL")
            base.execute("PRAGMA synchronous = OFF")
            base.execute("BEGIN IMMEDIATE")
            if base.execute("PRAGMA user_version").fetchone()[0] != SCHEMA:
                for name in ("words", "preset", "bank"):
                    base.execute(f"DROP TABLE IF EXISTS {name}")
                for table in TABLES.split(";\n"):
                    base.execute(table)
                base.execute(f"PRAGMA user_version = {SCHEMA}")
            base.execute("COMMIT")
        except sqlite3.Error:
            base.close()
            raise
        return base

    def _mend(self) -> None:
        """The file failed: a new one, or none."""
        with contextlib.suppress(sqlite3.Error):
            self._base.close()
        if self.path is not None and not _taken_away(self.path):
            self.path = None
        self._base = self._open()
        self._attach()

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
            return self._base.execute(question, given).fetchall()
        except sqlite3.Error:
            self._mend()
            return self._base.execute(question, given).fetchall()

    def _known(self, question: str, *given: object) -> list[Any]:
        """What is asked of the whole library again and again: asked anew when anybody has written since."""
        now = self._base, self._base.total_changes, self._ask("PRAGMA main.data_version")
        if now != self._answered:
            self._answered, self._answers = now, {}
        if (question, given) not in self._answers:
            self._answers[question, given] = self._ask(question, *given)
        return self._answers[question, given]

    def _write(self, steps: list[tuple[str, tuple[Any, ...]]]) -> None:
        """Does all steps or none."""
        try:
            self._base.execute("BEGIN IMMEDIATE")
            for step, given in steps:
                self._base.execute(step, given)
            self._base.execute("COMMIT")
        except sqlite3.Error as wrong:
            with contextlib.suppress(sqlite3.Error):
                self._base.execute("ROLLBACK")
            if not _busy(wrong):  # else another window is at it: its rows will do
                self._mend()

    def close(self) -> None:
        """Lets go of the file."""
        self._base.close()


def _joined(conditions: str) -> str:
    """What a question has to be joined with for its conditions."""
    return (SOUND if "sound." in conditions else "") + (PERSONAL if "opened." in conditions else "")


def _busy(wrong: Exception) -> bool:
    """Whether another window only holds the file for the moment."""
    return isinstance(wrong, sqlite3.OperationalError) and any(word in str(wrong) for word in ("locked", "busy"))


def _taken_away(path: Path) -> bool:
    """Takes a file away that cannot be used, and what belongs to it; False where that cannot be done."""
    try:
        for part in (path, Path(f"{path}-wal"), Path(f"{path}-shm")):
            part.unlink(missing_ok=True)
    except OSError:
        return False
    return True


def _files(folder: Path) -> Iterable[tuple[str, tuple[int, int]]]:
    """Id, time and size of every preset's file."""
    with contextlib.suppress(OSError), os.scandir(folder) as entries:
        for entry in entries:
            if entry.name.endswith(".json") and not entry.name.startswith("."):
                with contextlib.suppress(OSError):
                    about = entry.stat()
                    yield entry.name[:-5], (about.st_mtime_ns, about.st_size)


def uses_of(patch: Patch) -> str:
    """Kinds of the sources, of filters that are on, and of the effects of a patch, each once."""
    found = [layer.source.title for layer in patch.layers.values()]
    found += [layer.filter.title for layer in patch.layers.values() if layer.filter.get("on")]
    found += [effect.title for rack in patch.racks.values() for effect in rack.values()]
    return " · ".join(dict.fromkeys(found))


def _entered(
    bank: Bank, preset: str, place: int, stamp: tuple[int, int], known: tuple[Any, ...] | None
) -> list[tuple[str, tuple[Any, ...]]]:
    """The steps that enter a preset's file as a row, in the place of the one before."""
    row = known[3] if known else None
    steps: list[tuple[str, tuple[Any, ...]]] = []
    if row is not None:
        steps.append(("DELETE FROM words WHERE rowid = ?", (row,)))
    about: tuple[Any, ...]
    try:
        patch = bank.load(preset)
        named = " · ".join(f"{key.upper()} {macro.name}" for key, macro in patch.macros.items() if macro.name)
        about = (
            patch.name, patch.type, ", ".join(patch.character), patch.description, patch.favourite, patch.author,
            len(patch.layers), len(patch.threads), named, sound_key(patch), "", uses_of(patch), patch.parent,
            patch.mark, f"{patch.made or ''}", patch.unnamed,
        )  # fmt: skip
    except FeltDialError as wrong:
        about = (preset, "", "", "", False, "", 0, 0, "", "", str(wrong), "", "", "", "", False)
    marks = ", ".join("?" * (6 + len(about)))
    steps.append((f"INSERT OR REPLACE INTO preset VALUES ({marks})", (row, bank.id, preset, place, *stamp, *about)))
    words = (about[0], about[1], about[2], " ".join((about[3], about[5], about[8], about[11])))
    at = "(SELECT row FROM preset WHERE bank = ? AND id = ?)"
    steps.append(
        (f"INSERT INTO words (rowid, name, kind, character, text) VALUES ({at}, ?, ?, ?, ?)", (bank.id, preset, *words))
    )
    return steps
