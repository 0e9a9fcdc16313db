"""No module of the program needs, by whatever way, a module that needs it; not for its types either."""

from __future__ import annotations

import ast
from graphlib import TopologicalSorter
from pathlib import Path

ROOT = Path(__file__).parent.parent / "felt_dial"


def _modules() -> dict[str, Path]:
    return {".".join(path.relative_to(ROOT.parent).with_suffix("").parts): path for path in ROOT.rglob("*.py")}


def _imports(path: Path, known: dict[str, Path]) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module:
            for name in (f"{node.module}.{alias.name}" for alias in node.names):
                found.add(name if name in known else node.module)
        elif isinstance(node, ast.Import):
            found.update(alias.name for alias in node.names)
    return found & set(known)


def test_no_circle_of_modules() -> None:
    known = _modules()
    order = TopologicalSorter({name: _imports(path, known) - {name} for name, path in known.items()})
    assert len(list(order.static_order())) == len(known) > 400  # raises CycleError with the names
