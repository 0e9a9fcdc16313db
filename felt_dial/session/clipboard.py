"""The clipboard: the one thing that was copied last, a layer, a modulator, an effect or a drawing."""

from __future__ import annotations

from typing import TypeVar

from felt_dial.errors import FeltDialError

T = TypeVar("T")


class NothingCopied(FeltDialError):
    """What was copied does not fit here, or nothing was."""


class Clipboard:
    """Holds one thing, and what a sentence calls it."""

    def __init__(self) -> None:
        self._thing: object = None
        self._noun = ""

    @property
    def noun(self) -> str:
        """What it holds: such as `layer`; empty where nothing was copied."""
        return self._noun

    def put(self, noun: str, thing: object) -> None:
        """Keeps a thing, instead of the one before; `noun` is such as `layer`."""
        self._thing, self._noun = thing, noun

    def take(self, noun: str, kind: type[T]) -> T:
        """The thing, where it is of this kind; raises `NothingCopied`."""
        if self._noun != noun or not isinstance(self._thing, kind):
            article = "an" if noun[0] in "aeiou" else "a"
            was = f"What was copied is a {self._noun}" if self._noun else "Nothing was copied yet"
            raise NothingCopied(f"{was}: copy {article} {noun} first.")
        return self._thing
