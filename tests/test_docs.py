"""What the repository says of itself is true."""

from __future__ import annotations

import re
import sys
from pathlib import Path

from felt_dial import __version__
from felt_dial.patch.module import Effect, Filter, Modulator, Source

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


def test_every_link_and_picture_of_the_readme_is_there() -> None:
    for name in (
        "README.md",
        "CONTRIBUTING.md",
        "docs/architecture.md",
        "docs/guide/first-sound.md",
        "docs/guide/raw-matter.md",
    ):
        page = ROOT / name
        prose = re.sub(r"```.*?```", "", page.read_text(), flags=re.DOTALL)
        for target in re.findall(r"\]\(([^)#]+)\)", prose):
            assert (page.parent / target).exists(), (name, target)


def test_the_version_stands_in_the_changelog() -> None:
    assert f"## {__version__}" in (ROOT / "CHANGELOG.md").read_text()
