"""Changes of parameters between two formats: they get another name, or become several.

Each works on a patch, a snippet and a control map alike, wherever a module of the kind stands, and lets threads and learned
controllers follow:

    PATCH = DocumentKind("patch", 2, {1: renamed("source", "noise", "rate", "hold_rate")})
    SNIPPET = DocumentKind("snippet", 2, {1: renamed("source", "noise", "rate", "hold_rate")})
    CONTROL_MAP = DocumentKind("control map", 2, {1: renamed("source", "noise", "rate", "hold_rate")})
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any

from felt_dial.patch.documents.kind import Data, Migration


def modules_in(data: Data, family: str) -> Iterator[tuple[str, Data]]:
    """Path and settings of every module of a family in a patch, or those in a snippet.

    Families are `source`, `drive`, `filter`, `modulator` and `effect`.
    """
    if "module" in data and "family" in data:
        if data["family"] == family:
            yield "", data["module"]
        return
    if data.get("family") == "chain":
        yield from (("", module) for module in data.get("effects", []) if family == "effect")
        return
    for key, layer in data.get("layers", {}).items():
        if family in ("source", "drive", "filter") and family in layer:
            yield f"layers.{key}.{family}", layer[family]
    for key, bus in data.get("buses", {}).items():
        for part in ("drive", "after") if family == "drive" else ("filter",) if family == "filter" else ():
            if part in bus:
                yield f"buses.{key}.{part}", bus[part]
    if family == "modulator":
        yield from ((f"modulators.{key}", module) for key, module in data.get("modulators", {}).items())
    if family == "effect":
        for rack, effects in data.get("racks", {}).items():
            yield from ((f"racks.{rack}.{key}", module) for key, module in effects.items())


def _of_kind(data: Data, family: str, kind: str) -> Iterator[tuple[str, Data]]:
    return ((path, module) for path, module in modules_in(data, family) if module.get("kind", "shaper") == kind)


def _follow(data: Data, moved: dict[str, str]) -> None:
    """Threads that ended on a parameter end on what it is called now."""
    for thread in data.get("threads", {}).values():
        thread["target"] = moved.get(thread["target"], thread["target"])


PLACES = {
    "source": r"layers\.\w+\.source",
    "drive": r"layers\.\w+\.drive|buses\.\w+\.(?:drive|after)",
    "filter": r"(?:layers|buses)\.\w+\.filter",
    "modulator": r"modulators\.\w+",
    "effect": r"racks\.\w+\.{kind}\d+",
}
"""Where modules of a family stand, as paths; an effect's own kind is in its id."""


def _learned(data: Data, family: str, kind: str, old: str, new: str) -> None:
    """Controllers of a control map that turned a parameter turn what it is called now. A map knows no patch: where the kind
    cannot be told from the path, every module of the family that stands there counts."""
    place = re.compile(f"({PLACES[family].format(kind=re.escape(kind))})\\.{re.escape(old)}")
    for control, path in data["controllers"].items():
        if isinstance(path, str) and (found := place.fullmatch(path)):
            data["controllers"][control] = f"{found[1]}.{new}"


def renamed(family: str, kind: str, old: str, new: str) -> Migration:
    """A parameter of a kind of module gets another name."""
    return split(family, kind, old, lambda value: {new: value}, moved=new)


def split(family: str, kind: str, old: str, parts: Callable[[Any], Data], moved: str) -> Migration:
    """A parameter becomes several: `parts` makes their values of the old one; threads go on to `moved`."""

    def migrate(data: Data) -> Data:
        if isinstance(data.get("controllers"), dict):
            _learned(data, family, kind, old, moved)
            return data
        paths = {}
        for path, module in _of_kind(data, family, kind):
            if old in module:
                module.update(parts(module.pop(old)))
            paths[f"{path}.{old}"] = f"{path}.{moved}"
        _follow(data, paths)
        return data

    return migrate
