"""The walks of CONTRIBUTING are what they say: each is written as it is printed, beside the program, and its own test run."""

from __future__ import annotations

import ast
import os
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

import felt_dial.sound.modules  # noqa: F401
from felt_dial.patch.module import Effect, Filter, Modulator, Module, Source

ROOT = Path(__file__).parent.parent
TEXT = (ROOT / "CONTRIBUTING.md").read_text()
FAMILIES = {"Effect": Effect, "Filter": Filter, "Modulator": Modulator, "Source": Source}
BEGIN = """
import importlib, sys
from pathlib import Path
sys.path.insert(0, {root!r})
for folder in {folders!r}:
    package = importlib.import_module(folder.replace("/", "."))
    package.__path__.append(str(Path({over!r}) / folder))
"""


def walks() -> dict[str, dict[str, str]]:
    """Code by the file that it is printed for, of every walk."""
    found: dict[str, dict[str, str]] = {}
    for section in re.split(r"^## ", TEXT, flags=re.M)[1:]:
        title, _, body = section.partition("\n")
        files = {}
        for before, code in re.findall(r"((?:(?!```).)*?)```python\n(.*?)```", body, flags=re.S):
            named = re.findall(r"`([\w/]+\.py)`", before)
            if named and code.startswith('"""'):
                path = named[-1]
                files[
                    path
                    if "/" in path and path.split("/")[0] in ("felt_dial", "tests")
                    else f"felt_dial/ui/pages/{path}"
                ] = code
        if files:
            found[title] = files
    return found


def test_there_is_a_walk_for_each_kind_of_thing() -> None:
    assert list(walks()) == ["An effect", "A source", "A filter", "A modulator", "A page"]
    for files in walks().values():
        assert len(files) in (1, 3), files.keys()


@pytest.mark.parametrize("title", list(walks()))
def test_a_walk_does_what_it_says(title: str, tmp_path: Path, kernels: None) -> None:
    files = walks()[title]
    for path, code in files.items():
        (tmp_path / path).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / path).write_text(code)
    if title == "A page":
        (tmp_path / "felt_dial/ui/pages/notes/__init__.py").write_text("")
        folders, act = ["felt_dial/ui/pages"], "from felt_dial.ui.pages.page import all_pages\n"
        act += "assert [page.title for page in all_pages()][-1] == 'Notes'\nprint('1 passed')"
    else:
        folders = sorted({str(Path(path).parent) for path in files if path.startswith("felt_dial")})
        tests = [str(tmp_path / path) for path in files if path.startswith("tests")]
        words = ["-q", "-p", "no:cacheprovider", "--import-mode=importlib", "-c", str(ROOT / "pyproject.toml"), *tests]
        act = f"import pytest\nsys.exit(pytest.main({words!r}))"
    script = BEGIN.format(root=str(ROOT), folders=folders, over=str(tmp_path)) + act
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "NUMBA_CACHE_DIR": ""}
    env = {key: value for key, value in env.items() if value and not key.startswith("PYTEST")}
    run = subprocess.run([sys.executable, "-c", script], cwd=ROOT, env=env, capture_output=True, text=True, timeout=400)
    assert run.returncode == 0 and ("passed" in run.stdout or " [100%]" in run.stdout), (
        run.stdout[-3000:] + run.stderr[-3000:]
    )


# --- what is written in code is there -------------------------------------------------------------


def constructor_calls() -> Iterator[tuple[str, type[Module], list[str]]]:
    """Where a module is made in code, its class, and the words that it is given; by class name, or by family and kind."""
    classes = {}
    for family in FAMILIES.values():
        for kind in family.kinds.values():
            classes[kind.__name__] = kind
    for folder in ("felt_dial", "tests", "tools", "bench"):
        for path in sorted((ROOT / folder).rglob("*.py")):
            text = path.read_text()
            if "kinds[" not in text and not any(f"import {name}" in text or f" {name}(" in text for name in classes):
                continue
            imported = set(
                re.findall(r"\b[A-Z]\w+\b", " ".join(re.findall(r"^from felt_dial\.sound\.\S+ import .*$", text, re.M)))
            )
            for node in ast.walk(ast.parse(text)):
                if not isinstance(node, ast.Call):
                    continue
                made: type[Module] | None = None
                match node.func:
                    case ast.Name(id=name) if name in classes and name in imported:
                        made = classes[name]
                    case ast.Subscript(
                        value=ast.Attribute(value=ast.Name(id=family), attr="kinds"),
                        slice=ast.Constant(value=str(kind)),
                    ) if family in FAMILIES and kind in FAMILIES[family].kinds:
                        made = FAMILIES[family].kinds[kind]
                if made is not None:
                    words = [word.arg for word in node.keywords if word.arg is not None]
                    yield f"{path.relative_to(ROOT)}:{node.lineno}", made, words


def test_no_module_is_made_with_a_word_that_it_does_not_have() -> None:
    calls = list(constructor_calls())
    assert len(calls) > 100
    wrong = [
        (where, made.__name__, word) for where, made, words in calls for word in words if word not in made.model_fields
    ]
    assert wrong == []


def test_a_misspelt_parameter_is_a_fault_in_code_and_kept_in_a_document() -> None:
    wave = Source.kinds["wave"]
    with pytest.raises(TypeError, match="Wave has no shpae"):
        wave(shpae="saw")
    with pytest.raises(TypeError, match="Wave has no shpae"):
        wave().model_copy(update={"shpae": "saw"})
    read = wave.model_validate({"kind": "wave", "shpae": 3})
    assert read.model_dump()["shpae"] == 3 and read.model_copy(update={"shpae": 4}).model_dump()["shpae"] == 4
