"""Whatever the reader of documents accepts, the engine can lay out; what it cannot is refused by name where it is read."""

from __future__ import annotations

import json
from pathlib import Path
from random import Random
from typing import Any

import pytest

from felt_dial.bank.library.places import shipped_banks
from felt_dial.errors import FeltDialError
from felt_dial.patch.documents.kind import BadDocument
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.edits import sew
from felt_dial.sound.engine.program import Program
from felt_dial.sound.modules import new_patch

PRESETS = sorted(path for bank in shipped_banks() for path in bank.glob("presets/*.json"))
STRANGE: tuple[Any, ...] = (
    None, True, False, 0, -1, 1e9, -1e9, 0.5, "", "value", "none", "rack", "m1", "e9", "macros.m1.value", "macros.m1", "level",
    "layers.a", "layers.a.source", "layers.z.level", "threads.t1.depth", "threads.t1", "pattern.rate", "x" * 300, [], {},
    [[0, 0, 0]],
    {"beats": 0.75}, {"beats": -1}, "1/8",
)  # fmt: skip


def places(node: Any, at: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Every place in a JSON value."""
    found = [at] if at else []
    if isinstance(node, dict):
        for key, inner in node.items():
            found += places(inner, (*at, key))
    elif isinstance(node, list):
        for n, inner in enumerate(node[:6]):
            found += places(inner, (*at, n))
    return found


def mutated(text: str, rng: Random) -> str:
    """A document with one to three things changed: another value, or that of another place; a key gone, doubled, renamed."""
    data = json.loads(text)
    for _ in range(rng.randint(1, 3)):
        every = places(data)
        *way, last = rng.choice(every)
        node = data
        try:
            for key in way:
                node = node[key]
            what = rng.randrange(5)
            if what == 0:
                node[last] = rng.choice(STRANGE)
            elif what == 1:
                other = data
                for key in rng.choice(every):
                    other = other[key]
                node[last] = json.loads(json.dumps(other))
            elif what == 2:
                del node[last]
            elif what == 3 and isinstance(node, dict):
                node[rng.choice(("a", "b", "e1", "l7", "t99", "delay1", "value", "m9", f"{last}2"))] = node[last]
            elif isinstance(node[last], int | float):
                node[last] = node[last] * rng.choice((-1, 0, 3, 1000))
        except (KeyError, IndexError, TypeError):
            continue
    return json.dumps(data)


def lay_out(count: int, seed: int) -> int:
    """So many mutated documents, each refused in a sentence or laid out; how many were accepted."""
    rng, accepted = Random(seed), 0
    texts = [path.read_text() for path in PRESETS]
    for n in range(count):
        text = mutated(rng.choice(texts), rng)
        try:
            patch = read_patch(text, "a file")
        except BadDocument as wrong:
            assert str(wrong).startswith("a file") or "a file" in str(wrong), str(wrong)
            continue
        accepted += 1
        try:
            Program(patch)
        except FeltDialError:
            raise
        except Exception as wrong:
            Path("/tmp/not-laid-out.json").write_text(text)
            raise AssertionError(f"document {n} of seed {seed} is read and not laid out: {wrong!r}") from wrong
        assert read_patch(write_patch(patch), "again") == patch
    return accepted


def test_what_is_read_is_laid_out(kernels: None) -> None:
    assert lay_out(300, 1) > 60


@pytest.mark.soak
@pytest.mark.parametrize("seed", range(2, 12))
def test_three_thousand_are_read_or_refused(kernels: None, seed: int) -> None:
    lay_out(300, seed)


def test_a_thread_to_the_value_of_a_macro_by_a_second_name_is_refused() -> None:
    patch, _ = sew(new_patch(), "e1", "macros.m1", 0.5)
    text = write_patch(patch).replace('"macros.m1"', '"macros.m1.value"')
    with pytest.raises(BadDocument, match=r"macros\.m1\.value"):
        read_patch(text, "a file")
