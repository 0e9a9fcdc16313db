"""Whatever is told of a fault is a sentence: it begins like one, ends like one, and is not shouted."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import felt_dial

ROOT = Path(felt_dial.__file__).parent
BEGINS = re.compile(r"^(?:[A-Z“]|\{)")


def words(node: ast.expr) -> str | None:
    """The text of a string or an f-string, with {} for what is filled in; None for anything else."""
    if isinstance(node, ast.Constant):
        return node.value if isinstance(node.value, str) else None
    if isinstance(node, ast.JoinedStr):
        return "".join(str(part.value) if isinstance(part, ast.Constant) else "{}" for part in node.values)
    return None


@cache
def nodes() -> list[tuple[Path, ast.ClassDef | ast.Call]]:
    """Every class and every call of the program, with its file."""
    files = sorted(ROOT.rglob("*.py"))
    return [
        (file, node)
        for file in files
        for node in ast.walk(ast.parse(file.read_text()))
        if isinstance(node, ast.ClassDef | ast.Call)
    ]


@cache
def faults() -> set[str]:
    """Every kind of fault that is told to a person: `FeltDialError`, and whatever is one; without the reason that a port
    cannot be opened, which is told as the end of a sentence."""
    kinds = [
        (node.name, {getattr(base, "id", getattr(base, "attr", "")) for base in node.bases})
        for _, node in nodes()
        if isinstance(node, ast.ClassDef)
    ]
    found = {"FeltDialError"}
    while more := {name for name, bases in kinds if bases & found} - found:
        found |= more
    return found - {"NoPort"}


def sentences() -> Iterator[tuple[str, str]]:
    """Where something is told of a fault, and its words."""
    for file, node in nodes():
        if not isinstance(node, ast.Call):
            continue
        called = getattr(node.func, "id", getattr(node.func, "attr", ""))
        if called in faults() and node.args:
            told = words(node.args[0])
        elif called == "at_the_disk" and len(node.args) == 2:
            first, second = words(node.args[0]), words(node.args[1])
            told = None if first is None or second is None else f"{first}. {second}"
        else:
            continue
        if told:
            yield f"{file.relative_to(ROOT)}:{node.lineno}", told


def test_many_things_are_told() -> None:
    assert len(dict(sentences())) > 100


def test_what_is_told_is_a_sentence() -> None:
    wrong = [f"{where}: {told}" for where, told in sentences() if not is_sentence(told)]
    assert not wrong, "\n".join(wrong)


def is_sentence(told: str) -> bool:
    """Whether every piece of what is told begins and ends like a sentence, and nothing of it is shouted."""
    letters = [c for c in told.replace("{}", "") if c.isalpha()]
    pieces = re.split(r"(?<=[.?]) ", told)[1:]
    return bool(
        (BEGINS.match(told) or told.startswith("nothing that "))  # that comes behind the path of a thread
        and re.search(r"(?:[.?]”?|\{\})$", told.strip())
        and (sum(c.isupper() for c in letters) < 0.5 * len(letters) or len(letters) < 8)
        and not re.search(r"(?:^|[^A-Z])XX|XX(?:$|[^A-Z])", told)
        and all(BEGINS.match(piece) or piece.startswith("(") for piece in pieces)
    )


def test_what_is_none_is_seen() -> None:
    for told in ("it begins small.", "It does not end", "IT IS SHOUTED ALL OVER.", "One. two.", "XXIt was changed.XX"):
        assert not is_sentence(told), told
    assert is_sentence("It is one. (So is this.) {}")
