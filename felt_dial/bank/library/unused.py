"""Recordings of the library that nothing uses any more: listed, and cleaned only when somebody asks for it."""

from __future__ import annotations

import contextlib
import re
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import NamedTuple

from felt_dial.errors import Stopped, cut
from felt_dial.files import CannotRead, bytes_of, reason_of
from felt_dial.sound.matter.assets import ABOUT, ENDINGS, RECIPE, noted

DIGEST = re.compile(rb"\b[0-9a-f]{64}\b")


class Unused(NamedTuple):
    """A recording, or how one was made, that no document names: its file, its name, and its bytes."""

    path: Path
    name: str
    size: int


def unused(root: Path, more: Iterable[Path] = (), watch: Callable[[float], bool] = lambda part: True) -> list[Unused]:
    """What lies loose in a library (`.assets`) and is named by no preset, version, bin entry, snippet or page of the journal.

    `more` are folders of other documents, such as the journal. What a recipe that is used begins from is used too. A
    document that is damaged counts with all the digests that stand in it. Raises `CannotRead` for one that the disk does not
    give: what it names must not be taken for unused.
    """
    documents = [path for folder in (root, *more) if folder.is_dir() for path in folder.rglob("*.json")]
    used: set[str] = set()
    for n, path in enumerate(documents):
        if n % 50 == 0 and not watch(0.9 * n / max(len(documents), 1)):
            raise Stopped("Stopped; nothing was cleaned.")
        used |= _digests(path)
    left = {path.stem: path for path in (root / ".assets").glob(f"*{RECIPE}")}
    while fresh := [digest for digest in left if digest in used]:
        for digest in fresh:
            used |= _digests(left.pop(digest))
    found = []
    for path in sorted((root / ".assets").glob("*")):
        if path.suffix in (*ENDINGS, RECIPE) and path.stem not in used:
            about = noted(path.parent, path.stem)
            name = about.name if about is not None else "a recipe" if path.suffix == RECIPE else path.stem[:12]
            with contextlib.suppress(OSError):
                found.append(Unused(path, name, path.stat().st_size))
    return found


def _digests(path: Path) -> set[str]:
    try:
        return {found.decode() for found in DIGEST.findall(bytes_of(path))}
    except FileNotFoundError:  # it was thrown away meanwhile
        return set()
    except OSError as wrong:
        said = f"“{cut(path.name)}” cannot be read ({reason_of(wrong)}), and nobody knows what it uses."
        raise CannotRead(f"{said} Nothing was cleaned.") from None


def clean(these: Iterable[Unused]) -> int:
    """Takes them away, with what is written down of them; returns how many could be."""
    gone = 0
    for one in these:
        with contextlib.suppress(OSError):
            one.path.unlink()
            gone += 1
        with contextlib.suppress(OSError):
            one.path.with_suffix(ABOUT).unlink(missing_ok=True)
    return gone
