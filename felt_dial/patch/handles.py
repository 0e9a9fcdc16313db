"""Handles: what the wheel and each macro of a patch do, in words, as its threads have it."""

from __future__ import annotations

from typing import NamedTuple

from felt_dial.patch.edits import place_name
from felt_dial.patch.patch import Patch
from felt_dial.patch.player import PLAYER_SOURCES

PLAYED = ("w", "p", "sl", "pd")
"""What a player does on purpose besides the keys."""


class Handle(NamedTuple):
    """One handle: its short name, what it is called, what its maker says of it, and what its threads move."""

    tag: str
    name: str
    says: str
    moves: str


def handles_of(patch: Patch, most: int = 4) -> list[Handle]:
    """Every macro that has a name or moves something, and what else a player moves it by."""
    found = []
    named = {key: (macro.name, macro.description) for key, macro in patch.macros.items()}
    named |= {key: (PLAYER_SOURCES[key].name, "") for key in PLAYED}
    for key, (name, says) in named.items():
        moved = [thread.target for thread in patch.threads.values() if thread.source == key and thread.get("on")]
        if not moved and (key in PLAYED or not name):
            continue
        words = [" ".join(place_name(patch, path)) for path in dict.fromkeys(moved)]
        more = f" and {len(words) - most} more" if len(words) > most else ""
        found.append(
            Handle(key.upper(), name or f"Macro {key[1:]}", says, ", ".join(words[:most]) + more or "nothing yet")
        )
    return found
