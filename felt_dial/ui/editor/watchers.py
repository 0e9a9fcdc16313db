"""Who is woken by an edit: widgets say at which paths of the patch they look."""

from __future__ import annotations

import weakref
from collections.abc import Callable, Iterable
from typing import Any

from shiboken6 import isValid

Follow = Callable[[], None]
EVERYTHING = ""
DOCUMENT = "document"
"""Not a path: which preset the patch belongs to, and whether disk holds it as it is."""


class Watchers:
    """Callbacks by the paths at which they look.

    One that looks at `layers.a` is woken by everything below it; `layers.*.out` looks at the output of every layer, and
    `EVERYTHING` at all values. Every one is woken by an edit that may have changed more than values. Only methods of
    widgets that still live are kept.
    """

    def __init__(self) -> None:
        self._at: dict[tuple[str, ...], list[weakref.WeakMethod[Any]]] = {}
        self._all: dict[weakref.WeakMethod[Any], None] = {}

    def watch(self, follow: Follow, *paths: str) -> None:
        """Lets a method of a widget be called after edits at or below these paths."""
        kept = weakref.WeakMethod(follow)
        self._all[kept] = None
        for path in paths:
            self._at.setdefault(_steps(path), []).append(kept)

    def leave(self, follow: Follow, *paths: str) -> None:
        """Lets a method be called no more after edits at these paths; where more may have changed it still is."""
        gone = weakref.WeakMethod(follow)
        for path in paths:
            if kept := self._at.get(_steps(path)):
                kept[:] = [one for one in kept if one != gone]

    def wake(self, paths: Iterable[str] | None) -> None:
        """Calls all who look at some paths, once each; all there are where it is not known what changed."""
        if paths is None:
            self._all = dict.fromkeys(self._living(self._all))
            self._at = {path: living for path, kept in self._at.items() if (living := self._living(kept))}
            asked = list(self._all)
        else:
            asked = [kept for path in paths for place in _places(path) for kept in self._at.get(place, ())]
        for follow in dict.fromkeys(follow for kept in asked if (follow := kept()) is not None):
            if isValid(follow.__self__):
                follow()

    @staticmethod
    def _living(kept: Iterable[weakref.WeakMethod[Any]]) -> list[weakref.WeakMethod[Any]]:
        return [one for one in kept if (follow := one()) is not None and isValid(follow.__self__)]


def _steps(path: str) -> tuple[str, ...]:
    return tuple(path.split(".")) if path else ()


def _places(path: str) -> Iterable[tuple[str, ...]]:
    """Everything that one may look at to see a path: itself, what is above it, and any thing of its kind."""
    steps = tuple(path.split("."))
    for count in range(len(steps) + 1):
        yield steps[:count]
        if count > 1:
            yield (steps[0], "*", *steps[2:count])
