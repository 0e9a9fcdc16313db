"""Kinds of documents: each has its own format number, its own migrations, and its own words for what is wrong."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar, TypeVar

from pydantic import BaseModel, ValidationError
from pydantic_core import to_json

from felt_dial.errors import FeltDialError, cut

LARGEST = 8 * 1024 * 1024
"""Bytes of a document."""
DEEPEST, MOST_PARTS, LONGEST, LONGEST_KEY, LARGEST_NUMBER = 32, 200_000, 4_000, 64, 1e15
"""Levels of a document, parts in all, letters of a text and of a key, and the size of a number."""
Data = dict[str, Any]
Migration = Callable[[Data], Data]
M = TypeVar("M", bound=BaseModel)


class BadDocument(FeltDialError):
    """A file that is not what it should be; nothing was taken from it. One sentence, in one line."""

    def __init__(self, says: str) -> None:
        super().__init__(cut(says, 220))


def _whole(text: str) -> bool:
    """True for a text without halves of surrogate pairs."""
    try:
        text.encode()
    except UnicodeEncodeError:
        return False
    return True


def fault(data: Any, longest: int = LONGEST) -> str:
    """What a document may not hold, whatever it is of; empty where there is nothing of the kind."""
    level, parts, count = 0, [data], 0
    while parts:
        level, count = level + 1, count + len(parts)
        if level > DEEPEST:
            return f"it is nested more than {DEEPEST} levels deep"
        if count > MOST_PARTS:
            return f"it holds more than {MOST_PARTS} parts"
        inner: list[object] = []
        for part in parts:
            kind = type(part)  # of JSON, which has no other kinds than these
            if kind is float or kind is int:
                if not -LARGEST_NUMBER <= part <= LARGEST_NUMBER:
                    return "a number in it is too large"
            elif kind is str:
                if len(part) > longest:
                    return f"“{cut(part, 20)}” is a text of more than {longest} letters"
                if "\0" in part or not (part.isascii() or _whole(part)):
                    return "a text in it is no whole Unicode"
            elif kind is dict:
                for key in part:
                    if len(key) > LONGEST_KEY or not key.isprintable():
                        return f"the key “{cut(key, 20)}” is longer than {LONGEST_KEY} letters, or cannot be shown"
                inner += part.values()
            elif kind is list or kind is tuple:
                inner += part
        parts = inner
    return ""


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
    longest : int
        Letters that a text in it may have.
    """

    noun: str
    format: int = 1
    migrations: Mapping[int, Migration] = field(default_factory=dict)
    kept: str = "Nothing was read."
    first: int | None = None
    longest: int = LONGEST

    known: ClassVar[dict[str, DocumentKind]] = {}
    """Every kind there is, by its noun."""

    def __post_init__(self) -> None:
        missing = [n for n in range(1, self.format) if n not in self.migrations]
        if missing:
            raise ValueError(f"A {self.noun} of format {missing[0]} has no way to format {missing[0] + 1}.")
        self.known.setdefault(self.noun, self)

    def read(self, text: str | bytes, where: str) -> Data:
        """The document in `text`, in today's format and without its number; raises `BadDocument` naming `where`."""
        where = cut(where, 70)
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
            except (KeyError, TypeError, ValueError, AttributeError, IndexError):
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
        except UnicodeDecodeError:
            raise BadDocument(f"{where} cannot be read: it is no UTF-8 text. {self.kept}") from None
        except RecursionError:
            raise BadDocument(f"{where} cannot be read: it is nested too deep. {self.kept}") from None
        except ValueError as wrong:
            raise BadDocument(f"{where} cannot be read: {cut(wrong)}. {self.kept}") from None
        if not isinstance(data, dict):
            raise BadDocument(f"{where} holds no {self.noun}: it should begin with “{{”. {self.kept}")
        if found := fault(data, self.longest):
            raise BadDocument(f"{where} cannot be read: {found}. {self.kept}")
        return data

    def validated(self, model: type[M], data: Any, where: str) -> M:
        """What a model makes of the data; raises `BadDocument`, whatever is wrong with them."""
        try:
            return model.model_validate(data)
        except ValidationError as wrong:
            raise BadDocument(f"{cut(where, 70)}: {sentence(wrong)}. {self.kept}") from None
        except (TypeError, AttributeError, LookupError, ArithmeticError, RecursionError):
            raise BadDocument(f"{cut(where, 70)} holds something that is no {self.noun}. {self.kept}") from None

    def write(self, data: Data) -> str:
        """A document as JSON text, with the format of today; raises `BadDocument` where nobody could read it again."""
        if found := fault(data, self.longest):
            raise BadDocument(f"The {self.noun} cannot be written: {found}. What was there before stays.")
        return to_json({"format": self.format, **data}, indent=1).decode() + "\n"


def sentence(wrong: ValidationError) -> str:
    """The first fault as `path: what is wrong`."""
    first = wrong.errors()[0]
    path = cut(".".join(str(step) for step in first["loc"] if not str(step).startswith("function")), 48)
    message = cut(first["msg"].removeprefix("Value error, "), 90).rstrip(".")
    if first["type"] == "missing":
        message = "is missing"
    more = wrong.error_count() - 1
    also = f" ({more} more)" if more else ""
    return f"{path + ': ' if path else ''}{message}{also}"
