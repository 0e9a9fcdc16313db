"""Broken documents of every kind: one short sentence or a whole document, whatever stands where; nothing else is raised."""

from __future__ import annotations

import copy
import json
from collections.abc import Callable
from pathlib import Path
from random import Random
from typing import Any

import pytest

import felt_dial.sound.modules
from felt_dial.bank.library.bank import read_bank, write_bank
from felt_dial.bank.library.journal import Journal, Unsaved
from felt_dial.bank.library.places import SHIPPED, Settings, load_settings, save_settings, settings_path
from felt_dial.bank.library.snippets import SHIPPED as SNIPPETS
from felt_dial.bank.library.snippets import read_snippet, settings_of, write_chain, write_snippet
from felt_dial.errors import FeltDialError
from felt_dial.live.midi.control_map import ControlMap, read_map
from felt_dial.patch.documents.kind import BadDocument
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.sound.modules import new_patch

assert felt_dial.sound.modules
ODD: tuple[Any, ...] = (
    None,
    True,
    -1,
    0.5,
    1e999,
    10**400,
    "",
    "x" * 5000,
    "\ud800",
    "\0",
    "<b>bold</b><img src='/etc/passwd'>",
    "a\nb",
    [],
    {},
    [[]],
    {"kind": []},
    {"kind": {}},
    {"kind": "kazoo"},
    {"beats": "x"},
    ["e1"] * 500,
    {f"t{n}": {} for n in range(400)},
    {"": {}},
    {"a.b": {}},
    {"x" * 300: 1},
)


def deep(levels: int) -> Any:
    found: Any = 1
    for _ in range(levels):
        found = {"a": found}
    return found


def places(data: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """The path of everything in a document."""
    found = [path] if path else []
    items = data.items() if isinstance(data, dict) else enumerate(data) if isinstance(data, list) else ()
    for key, part in items:
        found += places(part, (*path, key))
    return found


def broken(data: Any, rng: Random) -> str:
    """A document in which one, two or three things are something else, are gone, or are there that should not be."""
    data = copy.deepcopy(data)
    for _ in range(rng.randrange(1, 4)):
        path = rng.choice(places(data))
        inner = data
        for key in path[:-1]:
            inner = inner[key]
        odd = rng.choice([*ODD, deep(300), deep(10)])
        if rng.random() < 0.15:
            del inner[path[-1]]
        elif rng.random() < 0.2 and isinstance(inner, dict):
            inner[rng.choice(["zz", "kind", "source", "x" * 100, "\ud800"])] = copy.deepcopy(odd)
        else:
            inner[path[-1]] = copy.deepcopy(odd)
        if not data:
            break
    text = json.dumps(data)
    if rng.random() < 0.1:
        at = rng.randrange(len(text))
        text = (
            text[:at] + rng.choice(["", "}", '"', "\x00", "1e999", "NaN", "[" * 2000]) + text[at + rng.randrange(5) :]
        )
    return text


def again(read: Callable[[str], Any], write: Callable[[Any], str]) -> Callable[[str], None]:
    """What is read can be written, and read again as the same."""

    def check(text: str) -> None:
        found = read(text)
        assert read(write(found)) == found

    return check


def _snippet(text: str) -> Any:
    """A snippet keeps settings, and nothing else of a module."""
    name, family, modules = read_snippet(text, "it")
    return name, family, tuple(type(module)(**settings_of(module)) for module in modules)


def _snippet_again(found: Any) -> str:
    name, family, modules = found
    return write_chain(name, modules) if family == "chain" else write_snippet(name, modules[0])


KINDS: dict[str, tuple[list[str], Callable[[str], None]]] = {
    "patch": (
        [p.read_text() for p in sorted(SHIPPED.glob("*/presets/*.json"))[::4]],
        again(lambda text: read_patch(text, "it"), write_patch),
    ),
    "bank": (
        [p.read_text() for p in SHIPPED.glob("*/bank.json")],
        again(lambda text: read_bank(text, "it"), write_bank),
    ),
    "snippet": ([p.read_text() for p in sorted(SNIPPETS.glob("*.json"))], again(_snippet, _snippet_again)),
    "control map": (
        ['{"format": 1, "controllers": {"7": "layers.a.level", "300": "macros.m1"}}'],
        again(lambda text: read_map(text, "it").entries, lambda entries: ControlMap(entries).write()),
    ),
}


def try_broken(kind: str, seed: int, count: int) -> None:
    texts, check = KINDS[kind]
    rng = Random(seed)
    for _ in range(count):
        text = broken(json.loads(rng.choice(texts)), rng)
        try:
            check(text)
        except FeltDialError as wrong:
            said = str(wrong)
            assert 10 < len(said) <= 220 and "\n" not in said and said.isprintable(), said


@pytest.mark.parametrize("kind", list(KINDS))
def test_three_hundred_broken_ones_of_every_kind(kind: str) -> None:
    try_broken(kind, 1, 300)


@pytest.mark.soak
@pytest.mark.parametrize("kind", list(KINDS))
@pytest.mark.parametrize("seed", range(2, 6))
def test_a_thousand_broken_ones_of_every_kind(kind: str, seed: int) -> None:
    try_broken(kind, seed, 1000)


def test_broken_settings_give_the_defaults(home: Path) -> None:
    save_settings(Settings())
    text, rng = settings_path().read_text(), Random(3)
    for _ in range(300):
        settings_path().write_text(broken(json.loads(text), rng), errors="surrogatepass")
        found = load_settings()
        save_settings(found)
        assert load_settings() == found


def test_a_broken_journal_is_set_aside_and_never_raises(tmp_path: Path) -> None:
    journal = Journal(tmp_path)
    journal.write("p", Unsaved(new_patch(), new_patch(), "a", "", ""))
    text, rng = journal.path("p").read_text(), Random(4)
    journal.close()
    for _ in range(300):
        journal.path("p").write_text(broken(json.loads(text), rng), errors="surrogatepass")
        assert len(Journal(tmp_path).left_behind()) <= 1
        for path in tmp_path.glob("*.unreadable"):
            path.unlink()


# --- what cannot be read again is not written ----------------------------------------------------


@pytest.mark.parametrize("name", ["x" * 5000, "\ud800", "a\0b"])
def test_a_name_that_nobody_could_read_is_refused_in_writing(name: str) -> None:
    with pytest.raises(BadDocument, match="cannot be written"):
        write_patch(new_patch(name))
