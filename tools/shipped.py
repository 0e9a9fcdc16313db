"""Brings what comes with the program up to date: `python tools/shipped.py`, and `--level` where the sound has changed.

Banks and snippets in `felt_dial/data` are documents like those of anybody: they are read by the program, which brings them
to today's format, and written again. `--level` renders every preset and sets its level so that it is as loud as its bank
wishes, or as its peak lets it be.
"""

from __future__ import annotations

import argparse
import math
from collections.abc import Callable, Iterator
from pathlib import Path

from felt_dial.bank.library.bank import read_bank, write_bank
from felt_dial.bank.library.library import Library
from felt_dial.bank.library.snippets import SHIPPED, read_snippet, write_chain, write_snippet
from felt_dial.bank.measuring.worker import peak_of, played
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.patch import Patch, with_value
from felt_dial.sound.integrated import loudness

BANKS = Path(__file__).parent.parent / "felt_dial" / "data" / "banks"
HIGHEST = -1.0
"""dB of full scale that a peak may reach."""


def snippet_again(text: str, where: str) -> str:
    """A snippet as the program writes it today."""
    name, family, modules = read_snippet(text, where)
    return write_chain(name, modules) if family == "chain" else write_snippet(name, modules[0])


def documents(folder: Path = BANKS) -> Iterator[tuple[Path, Callable[[str, str], str]]]:
    """Every document that ships, and how it is written again from its text and its name."""
    for bank in sorted(folder.glob("*/bank.json")):
        yield bank, lambda text, where: write_bank(read_bank(text, where))
        for preset in sorted(bank.parent.glob("presets/*.json")):
            yield preset, lambda text, where: write_patch(read_patch(text, where))
    for snippet in sorted(SHIPPED.glob("*.json")):
        yield snippet, snippet_again


def levelled(patch: Patch, wanted: float) -> Patch:
    """The patch as loud as wished (LUFS) with the phrase of its kind, or as its peak lets it be."""
    for _ in range(2):  # a limiter answers to the first change
        sound = played(patch)
        change = min(wanted - loudness(sound), HIGHEST - peak_of(sound))
        patch = with_value(patch, "level", math.floor(10 * (float(patch.level) + change)) / 10)
    return patch


def main() -> None:
    words = argparse.ArgumentParser(description=__doc__)
    words.add_argument("--level", action="store_true", help="make every preset as loud as its bank wishes")
    level = words.parse_args().level
    for path, again in documents():
        text = path.read_text("utf-8")
        if (now := again(text, path.name)) != text:
            path.write_text(now, "utf-8")
            print(f"brought along: {path.relative_to(BANKS.parent)}")
    for preset in Library(BANKS).presets() if level else ():
        if preset.patch is None:
            continue
        path = BANKS / preset.bank / "presets" / f"{preset.id}.json"
        wanted = read_bank((BANKS / preset.bank / "bank.json").read_text("utf-8"), preset.bank).loudness
        made = levelled(preset.patch, wanted)
        print(
            f"{made.name:20} {float(made.level):6.1f} dB ({float(made.level) - float(preset.patch.level):+.1f})",
            flush=True,
        )
        path.write_text(write_patch(made), "utf-8")


if __name__ == "__main__":
    main()
