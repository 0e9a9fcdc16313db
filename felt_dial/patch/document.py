"""Patches as JSON text: written whole, read with one clear sentence for everything that is wrong."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

from pydantic import ValidationError

from felt_dial.errors import FeltDialError
from felt_dial.patch.patch import Patch

FORMAT = 1
LARGEST = 8 * 1024 * 1024
MIGRATIONS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {}
"""From a format to the next: `MIGRATIONS[1]` will turn a document of format 1 into one of format 2."""


class BadDocument(FeltDialError):
    """A file that is not what it should be; nothing was taken from it."""


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is not a number that a file may hold")


def read_json(text: str | bytes, where: str) -> dict[str, Any]:
    """The JSON object in `text`; raises `BadDocument` naming `where`."""
    if len(text) > LARGEST:
        raise BadDocument(f"{where} is larger than {LARGEST // 1024**2} MB and was not read.")
    try:
        data = json.loads(text, parse_constant=_no_constant)
    except json.JSONDecodeError as wrong:
        what = wrong.msg.removesuffix(" starting at")
        raise BadDocument(f"{where} is not whole JSON: {what} in line {wrong.lineno}. Nothing was read.") from None
    except (ValueError, RecursionError) as wrong:
        raise BadDocument(f"{where} cannot be read: {wrong}. Nothing was read.") from None
    if not isinstance(data, dict):
        raise BadDocument(f"{where} holds no document: it should begin with “{{”. Nothing was read.")
    return data


def migrate(data: dict[str, Any], where: str) -> dict[str, Any]:
    """The document in today's format; raises `BadDocument` for a newer or nameless one."""
    version = data.get("format")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise BadDocument(f"{where} does not say which format it is in. Nothing was read.")
    if version > FORMAT:
        raise BadDocument(
            f"{where} is in format {version}, and this program reads up to {FORMAT}. "
            "Nothing was read; a newer Felt Dial opens it."
        )
    while version < FORMAT:
        data = MIGRATIONS[version](data)
        version += 1
    return {key: value for key, value in data.items() if key != "format"}


def sentence(wrong: ValidationError) -> str:
    """The first fault as `path: what is wrong`."""
    first = wrong.errors()[0]
    path = ".".join(str(step) for step in first["loc"] if not str(step).startswith("function"))
    message = first["msg"].removeprefix("Value error, ").rstrip(".")
    if first["type"] == "missing":
        message = "is missing"
    more = wrong.error_count() - 1
    also = f" ({more} more)" if more else ""
    return f"{path + ': ' if path else ''}{message}{also}"


def read_patch(text: str | bytes, where: str) -> Patch:
    """The patch in `text`; raises `BadDocument`, a sentence naming `where` and the fault."""
    data = migrate(read_json(text, where), where)
    try:
        return Patch.model_validate(data)
    except ValidationError as wrong:
        raise BadDocument(f"{where}: {sentence(wrong)}. Nothing was read.") from None


def write_patch(patch: Patch) -> str:
    """The patch as JSON, unknown keys of the file it came from included."""
    return json.dumps({"format": FORMAT, **patch.model_dump(mode="json")}, indent=1, ensure_ascii=False) + "\n"


def schema() -> dict[str, Any]:
    """JSON Schema of a patch document, with every kind of every family spelled out."""
    from felt_dial.patch.module import Effect, Filter, Modulator, Source

    made = Patch.model_json_schema()
    made["properties"]["format"] = {"const": FORMAT}
    made["required"] = sorted({*made.get("required", []), "format"})
    kinds = made.setdefault("$defs", {})
    for family in (Source, Filter, Modulator, Effect):
        branches = []
        for kind in family.kinds.values():
            part = kind.model_json_schema()
            kinds |= part.pop("$defs", {})
            kinds[kind.__name__] = part
            branches.append({"$ref": f"#/$defs/{kind.__name__}"})
        kinds[family.__name__] = {"anyOf": branches}
    return made
