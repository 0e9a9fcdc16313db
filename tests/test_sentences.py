"""Whatever is told of a fault is a sentence: it begins like one, ends like one, and is not shouted."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import pytest

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


def faults() -> set[str]:
    """Every kind of fault that is told to a person: `FeltDialError`, and whatever is one."""
    kinds = [
        (node.name, {getattr(base, "id", getattr(base, "attr", "")) for base in node.bases})
        for file in ROOT.rglob("*.py")
        for node in ast.walk(ast.parse(file.read_text()))
        if isinstance(node, ast.ClassDef)
    ]
    found = {"FeltDialError"}
    while more := {name for name, bases in kinds if bases & found} - found:
        found |= more
    return found


FAULTS = faults() - {"NoPort"}
"""Without the reason that a port cannot be opened, which is told as the end of a sentence."""


def sentences() -> Iterator[tuple[str, str]]:
    """Where something is told of a fault, and its words."""
    for file in sorted(ROOT.rglob("*.py")):
        for node in ast.walk(ast.parse(file.read_text())):
            if not isinstance(node, ast.Call):
                continue
            called = getattr(node.func, "id", getattr(node.func, "attr", ""))
            if called in FAULTS and node.args:
                told = words(node.args[0])
            elif called == "at_the_disk" and len(node.args) == 2:
                first, second = words(node.args[0]), words(node.args[1])
                told = None if first is None or second is None else f"{first}. {second}"
            else:
                continue
            if told:
                yield f"{file.relative_to(ROOT)}:{node.lineno}", told


TOLD = dict(sentences())


def test_many_things_are_told() -> None:
    assert len(TOLD) > 100


@pytest.mark.parametrize("where", list(TOLD))
def test_what_is_told_is_a_sentence(where: str) -> None:
    told = TOLD[where]
    assert BEGINS.match(told) or told.startswith("nothing that "), told  # that comes behind the path of a thread
    assert re.search(r"(?:[.?]”?|\{\})$", told.strip()), told
    letters = [c for c in told.replace("{}", "") if c.isalpha()]
    assert sum(c.isupper() for c in letters) < 0.5 * len(letters) or len(letters) < 8, told
    assert not re.search(r"(?:^|[^A-Z])XX|XX(?:$|[^A-Z])", told), told
    for piece in re.split(r"(?<=[.?]) ", told)[1:]:
        assert BEGINS.match(piece) or piece.startswith("("), told
