"""Turning: what shows one part of a patch comes to show another that is laid out alike."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Protocol


class Turns(Protocol):
    """What can be turned: of what it shows it keeps nothing but the path."""

    path: str

    def turn_to(self, path: str, shade: str, /) -> None:
        """Shows what is at another path, in its dye."""


def turn_all(parts: Iterable[Turns], before: str, path: str, shade: str) -> None:
    """Lets parts that are at or below a path be at or below another."""
    for part in parts:
        part.turn_to(path + part.path.removeprefix(before), shade)
