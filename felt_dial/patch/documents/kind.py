"""Kinds of documents: each has its own format number, its own migrations, and its own words for what is wrong."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar

from pydantic import ValidationError

from felt_dial.errors import FeltDialError

LARGEST = 8 * 1024 * 1024
Data = dict[str, Any]
Migration = Callable[[Data], Data]


class BadDocument(FeltDialError):
    """A file that is not what it should be; nothing was taken from it."""


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is not a number that a file may hold")


@dataclass(frozen=True)
class DocumentKind:
    """One kind of document.

    Parameters
    ----------
    noun : str
        What a sentence calls it, such as `patch`.
    format : int
        Its format of today.
    migrations : {format: function}
        From a format to the next: `migrations[1]` turns a document of format 1 into one of format 2.
    kept : str
        What a sentence says of what becomes of a document that is refused.
    first : int, optional
        The format of a document that does not say so, for kinds that once did not.
    """

    noun: str
    format: int = 1
    migrations: Mapping[int, Migration] = field(default_factory=dict)
    kept: str = "Nothing was read."
    first: int | None = None

    known: ClassVar[dict[str, DocumentKind]] = {}
    """Every kind there is, by its noun."""

    def __post_init__(self) -> None:
        missing = [n for n in range(1, self.format) if n not in self.migrations]
        if missing:
            raise ValueError(f"A {self.noun} of format {missing[0]} has no way to format {missing[0] + 1}.")
        self.known.setdefault(self.noun, self)

    def read(self, text: str | bytes, where: str) -> Data:
        """The document in `text`, in today's format and without its number; raises `BadDocument` naming `where`."""
        data = self._json(text, where)
        version = data.pop("format", self.first)
        if not isinstance(version, int) or isinstance(version, bool) or version < 1:
            raise BadDocument(f"{where} does not say which format it is in. {self.kept}")
        if version > self.format:
            raise BadDocument(
                f"{where} is a {self.noun} of format {version}, and this program reads up to {self.format}. "
                f"{self.kept.rstrip('.')}; a newer Felt Dial opens it."
            )
        for number in range(version, self.format):
            try:
                data = self.migrations[number](data)
            except (KeyError, TypeError, ValueError, AttributeError):
                raise BadDocument(
                    f"{where} cannot be brought from format {number} to {number + 1}: "
                    f"it is no whole {self.noun}. {self.kept}"
                ) from None
        return data

    def _json(self, text: str | bytes, where: str) -> Data:
        if len(text) > LARGEST:
            raise BadDocument(f"{where} is larger than {LARGEST // 1024**2} MB and was not read.")
        try:
            data = json.loads(text, parse_constant=_no_constant)
        except json.JSONDecodeError as wrong:
            what = wrong.msg.removesuffix(" starting at")
            raise BadDocument(f"{where} is not whole JSON: {what} in line {wrong.lineno}. {self.kept}") from None
        except (ValueError, RecursionError) as wrong:
            raise BadDocument(f"{where} cannot be read: {wrong}. {self.kept}") from None
        if not isinstance(data, dict):
            raise BadDocument(f"{where} holds no {self.noun}: it should begin with “{{”. {self.kept}")
        return data

    def write(self, data: Data) -> str:
        """A document as JSON text, with the format of today."""
        return json.dumps({"format": self.format, **data}, indent=1, ensure_ascii=False) + "\n"

    def refused(self, where: str, wrong: ValidationError) -> BadDocument:
        """What is said of a document that does not hold what it should."""
        return BadDocument(f"{where}: {sentence(wrong)}. {self.kept}")


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
