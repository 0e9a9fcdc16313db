"""Changes of parameters between two formats: they get another name, or become several.

One line of `CHANGES` is for patches, snippets and control maps alike, wherever a module of the kind stands; threads and learned
controllers follow:

    CHANGES = (
        renamed("source", "noise", "rate", "hold_rate"),
        renamed("effect", EVERY, "wet", "blend"),  # a parameter of all kinds of a family
    )
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any

from felt_dial.patch.documents.kind import Data, DocumentKind, Migration

EVERY = ""
"""Every kind of a family."""


def modules_in(data: Data, family: str) -> Iterator[tuple[str, Data]]:
    """Path and settings of every module of a family in a patch, or those in a snippet.

    Families are `source`, `drive`, `filter`, `modulator`, `effect`, and `layer` and `bus` for what stands on those themselves.
    """
    if "module" in data and "family" in data:
        if data["family"] == family:
            yield "", data["module"]
        return
    if data.get("family") == "chain":
        yield from (("", module) for module in data.get("effects", []) if family == "effect")
        return
    if family in ("layer", "bus"):
        those = {"layer": "layers", "bus": "buses"}[family]
        yield from ((f"{those}.{key}", part) for key, part in data.get(those, {}).items())
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
    return (
        (path, module)
        for path, module in modules_in(data, family)
        if kind == EVERY or module.get("kind", "shaper") == kind
    )


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
    "layer": r"layers\.\w+",
    "bus": r"buses\.\w+",
}
"""Where modules of a family stand, as paths; an effect's own kind is in its id."""


def _learned(data: Data, family: str, kind: str, old: str, new: str) -> None:
    """Controllers of a control map that turned a parameter turn what it is called now. A map knows no patch: where the kind
    cannot be told from the path, every module of the family that stands there counts."""
    place = re.compile(f"({PLACES[family].format(kind=re.escape(kind) if kind else '[a-z]+')})\\.{re.escape(old)}")
    for control, path in data["controllers"].items():
        if isinstance(path, str) and (found := place.fullmatch(path)):
            data["controllers"][control] = f"{found[1]}.{new}"


def renamed(family: str, kind: str, old: str, new: str) -> Migration:
    """A parameter of a kind of module, or of `EVERY` kind of a family, gets another name."""
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


CHANGES: tuple[Migration, ...] = ()
"""What became of parameters since format 1, each the way to the next format; one line is all that a change asks for."""


def of_modules(noun: str, kept: str = "Nothing was read.") -> DocumentKind:
    """A kind of document that holds modules, or paths of their parameters: its format counts the changes of those."""
    return DocumentKind(noun, 1 + len(CHANGES), dict(enumerate(CHANGES, 1)), kept)
