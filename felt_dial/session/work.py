"""The work on the table."""

from __future__ import annotations

import secrets
from collections.abc import Callable
from dataclasses import dataclass, field, replace

from felt_dial.bank.library.documents import Document
from felt_dial.patch.patch import Patch, with_about_of, without_solo


def alike(patch: Patch, other: Patch) -> bool:
    """True where two patches are the same, whichever layers are listened to alone."""
    return patch == other or without_solo(patch) == without_solo(other)


@dataclass(frozen=True)
class Work:
    """What lies on the table.

    Attributes
    ----------
    a, b : Patch
        Two patches to compare; `side` says which of them sounds.
    document : Document or None
        The preset that it belongs to; None for a sound that was never saved.
    base_a, base_b : Patch or None
        What each side was when it was laid there or saved last: while it is still that, nobody has changed it by hand, and
        there is nothing to lose. None for what was made and is in no bank.
    page : str
        Where the journal keeps it.
    """

    a: Patch
    b: Patch
    side: str = "a"
    document: Document | None = None
    base_a: Patch | None = None
    base_b: Patch | None = None
    page: str = field(default_factory=lambda: secrets.token_hex(4))

    @property
    def patch(self) -> Patch:
        """The patch that sounds."""
        return self.a if self.side == "a" else self.b

    @property
    def bank(self) -> str:
        """The bank of its preset; empty where it has none."""
        return self.document.bank if self.document else ""

    @property
    def preset(self) -> str:
        """The id of its preset; empty where it has none."""
        return self.document.preset if self.document else ""

    @property
    def stored(self) -> Patch | None:
        """What disk holds of it."""
        return self.document.stored if self.document else None

    @property
    def unsaved(self) -> bool:
        """True while the sounding patch is not what disk holds."""
        return self.stored is None or not alike(self.patch, self.stored)

    @property
    def worth_keeping(self) -> bool:
        """True where something would be lost with it: a side that was changed by hand, or made, and is not on disk."""
        vanished = self.document is not None and not self.document.there and not self.document.ticket
        sides = ((self.a, self.base_a), (self.b, self.base_b))
        return any(
            not any(known is not None and alike(patch, known) for known in (self.stored, None if vanished else base))
            for patch, base in sides
        )

    def saved(self, document: Document) -> Work:
        """The same work once its sounding side is what disk holds of a document."""
        now = self.patch  # the other side may be the same
        base_a, base_b = (
            side if alike(side, now) else base for side, base in ((self.a, self.base_a), (self.b, self.base_b))
        )
        return replace(self, document=document, base_a=base_a, base_b=base_b)

    def let_go(self) -> Work:
        """The same work with the sounding side alone, which nobody wants to keep."""
        return replace(self, a=self.patch, b=self.patch, base_a=self.patch, base_b=self.patch)

    def with_patch(self, patch: Patch) -> Work:
        """The same work with the sounding patch changed."""
        return replace(self, a=patch) if self.side == "a" else replace(self, b=patch)

    def with_patches_of(self, other: Work, about: bool) -> Work:
        """The same work with the patches of another; with its name and words too where `about`."""
        if about:
            return replace(self, a=other.a, b=other.b, side=other.side)
        return replace(self, a=with_about_of(other.a, self.a), b=with_about_of(other.b, self.b), side=other.side)

    def with_about(self, about: dict[str, object]) -> Work:
        """The same work under another name, or with other words."""
        return self.with_each(lambda patch: patch.model_copy(update=about))

    def with_each(self, change: Callable[[Patch], Patch]) -> Work:
        """The same work with something changed in both sides, and in what they were when they were laid or saved."""
        base_a, base_b = (base and change(base) for base in (self.base_a, self.base_b))
        return replace(self, a=change(self.a), b=change(self.b), base_a=base_a, base_b=base_b)

    def says_the_same(self, other: Work) -> bool:
        """True where both have the same names and words."""
        return all(with_about_of(p, q) is p for p, q in ((self.a, other.a), (self.b, other.b)))
