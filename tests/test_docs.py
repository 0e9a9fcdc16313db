"""What the repository says of itself is true."""

from __future__ import annotations

import json
import re
import sys
from pathlib import Path

import pytest

from felt_dial import __version__
from felt_dial.patch.module import Effect, Filter, Modulator, Source
from felt_dial.patch.params import Choice
from felt_dial.patch.parts import LAYER_IDS
from felt_dial.patch.patch import param_at
from felt_dial.sound.modules import new_patch
from felt_dial.sound.playing.phrases import PHRASES

ROOT = Path(__file__).parent.parent


def test_the_generated_documents_are_those_of_the_declarations() -> None:
    sys.path.insert(0, str(ROOT / "tools"))
    try:
        import make_docs
    finally:
        sys.path.pop(0)
    for name, text in make_docs.documents().items():
        assert (ROOT / name).read_text() == text, f"run `make docs` for {name}"


def test_every_module_says_what_it_does_to_the_sound() -> None:
    for family in (Source, Filter, Modulator, Effect):
        for kind in family.kinds.values():
            assert len(kind.about()) > 30, kind


PAGES = sorted(str(page.relative_to(ROOT)) for page in (*ROOT.glob("*.md"), *ROOT.glob("docs/**/*.md")))


@pytest.mark.parametrize("name", PAGES)
def test_every_link_picture_and_file_that_a_page_names_is_there(name: str) -> None:
    page = ROOT / name
    prose = re.sub(r"```.*?```", "", page.read_text(), flags=re.DOTALL)
    for target in re.findall(r"\]\(([^)#]+)(?:#[^)]*)?\)", prose):
        assert target.startswith("http") or (page.parent / target).exists(), target
    if name in ("CONTRIBUTING.md", "docs/format.md"):  # which name files that a person makes
        return
    rooms = [ROOT / room for room in ("felt_dial", "tools", "tests", "bench", "docs")]
    files = {f"/{file.relative_to(ROOT)}" for room in rooms for file in room.rglob("*.*")}
    for target in re.findall(r"`([\w/]+/\w+\.(?:py|sh|md|json))`", prose):
        assert any(file.endswith(f"/{target}") for file in files), target


def test_the_version_stands_in_the_changelog() -> None:
    assert f"## {__version__}" in (ROOT / "CHANGELOG.md").read_text()


def test_the_numbers_that_readme_and_guide_say_are_those_of_the_program() -> None:
    words = {3: "three", 6: "six", 7: "seven", 8: "eight", 9: "nine", 12: "twelve", 20: "twenty"}
    snippets = len(list((ROOT / "felt_dial" / "data" / "snippets").glob("*.json")))
    tables = json.loads((ROOT / "felt_dial" / "data" / "assets" / "tables.json").read_text())
    drive = param_at(new_patch(), "layers.a.drive.way")
    assert isinstance(drive, Choice)
    true = {
        "README.md": (
            f"up to {words[len(LAYER_IDS)]} layers, each one of {words[len(Source.kinds)]} kinds of source",
            f"drives in {words[len(drive.options)]} ways",
            f"filters of {words[len(Filter.kinds)]} kinds",
            f"with {len(tables)} tables of its own",
            f"by name, {snippets} to begin with",
            f"{words[len(PHRASES)]} phrases to listen to",
        ),
        "docs/guide/what-moves.md": (f"{snippets} come along",),
        "docs/guide/raw-matter.md": (f"one of {words[len(Source.kinds)]} sources",),
    }
    for name, sentences in true.items():
        text = " ".join((ROOT / name).read_text().split())
        for sentence in sentences:
            assert sentence in text, (name, sentence)
