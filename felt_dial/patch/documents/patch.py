"""Patches as JSON text: written whole, read with one clear sentence for everything that is wrong."""

from __future__ import annotations

from typing import Any

from felt_dial.patch.documents.changes import of_modules
from felt_dial.patch.patch import Patch

PATCH = of_modules("patch")


def read_patch(text: str | bytes, where: str) -> Patch:
    """The patch in `text`; raises `BadDocument`, a sentence naming `where` and the fault."""
    return PATCH.validated(Patch, PATCH.read(text, where), where)


def write_patch(patch: Patch) -> str:
    """The patch as JSON, unknown keys of the file it came from included."""
    return PATCH.write(patch.model_dump(mode="json"))


def schema() -> dict[str, Any]:
    """JSON Schema of a patch document, with every kind of every family spelled out."""
    from felt_dial.patch.module import Effect, Filter, Modulator, Source

    made = Patch.model_json_schema()
    made["properties"]["format"] = {"const": PATCH.format}
    made["required"] = sorted({*made.get("required", []), "format"})
    kinds = made.setdefault("$defs", {})
    for family in (Source, Filter, Modulator, Effect):
        branches = []
        for name in family.in_order():
            kind = family.kinds[name]
            part = kind.model_json_schema()
            kinds |= part.pop("$defs", {})
            kinds[kind.__name__] = part
            branches.append({"$ref": f"#/$defs/{kind.__name__}"})
        kinds[family.__name__] = {"anyOf": branches}
    return made
