"""Names are text: what people call things is shown as it is written, and never read as markup or as a key of a menu."""

from __future__ import annotations

JOINER = "\u2060"
"""Has no width and shows nothing; behind a `<`, no tag begins."""


def plain(text: str) -> str:
    """A text for a tooltip: looks the same, and holds no markup."""
    return text.replace("<", "<" + JOINER)


def item(text: str) -> str:
    """A text for an item of a menu: an ampersand in it is an ampersand."""
    return plain(text).replace("&", "&&")


def counted(count: int, noun: str) -> str:
    """So many of something: `1 preset`, `12 presets`."""
    return f"{count} {noun}{'' if count == 1 else 's'}"
