"""What is typed into the search: words, and simple filters such as `kind:pad -drum uses:grains cost<0.1 unnamed`."""

from __future__ import annotations

import re
from typing import NamedTuple

TOKEN = re.compile(r'(-?)(?:(\w+):)?(?:"([^"]*)"|(\S+))')
MEASURES = {
    "layers": "preset.layers",
    "threads": "preset.threads",
    "cost": "sound.cost",
    "loudness": "sound.lufs",
    "length": "sound.length",
}
"""What can be compared with a number; what is of `sound` is known of what was measured."""
COMPARES = re.compile(rf"({'|'.join(MEASURES)})(<=|>=|<|>|=)([-−]?\d+(?:[.,]\d+)?)$")
FIELDS = {
    "kind": "kind",
    "author": "author",
    "by": "author",
    "macro": "macros",
    "uses": "uses",
    "word": "character",
    "character": "character",
    "from": "parent",
    "colour": "mark",
    "name": "name",
}
"""What can stand before a colon, and the column that is looked through."""
MARKS = {
    "unnamed": ("preset.unnamed = 1", "preset.unnamed = 0"),
    "starred": ("preset.favourite = 1", "preset.favourite = 0"),
    "opened": ("opened.last IS NOT NULL", "opened.last IS NULL"),
    "unopened": ("opened.last IS NULL", "opened.last IS NOT NULL"),
}
"""Words that filter by themselves, with what they ask for and what they ask for after a minus."""


class Query(NamedTuple):
    """Attributes
    ----------
    words : list of str
        That each preset has, or begins one of its own with.
    without : list of str
        That none has.
    where : list of (condition, values)
        In SQL, about columns of `preset`, of `sound` and of `opened`.
    """

    words: list[str]
    without: list[str]
    where: list[tuple[str, tuple[object, ...]]]

    @property
    def match(self) -> str:
        """For the full-text index; empty where no word is asked for."""
        asked = " AND ".join(f'"{word}"*' for word in self.words)
        if not asked:
            return ""
        gone = " ".join(f'NOT "{word}"*' for word in self.without)
        return f"({asked}) {gone}".strip()


def parse(text: str) -> Query:
    """The query in a text; whatever is no filter is a word."""
    words, without, where = list[str](), list[str](), list[tuple[str, tuple[object, ...]]]()
    for minus, field, quoted, plain in TOKEN.findall(text):
        value = quoted or plain
        column = FIELDS.get(field.casefold()) if field else None
        compares = COMPARES.match(plain) if not field and not minus else None
        if column is not None:
            like = "%" + value.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
            where.append((f"preset.{column} {'NOT ' * bool(minus)}LIKE ? ESCAPE '\\'", (like,)))
        elif compares is not None:
            number = float(compares[3].replace("−", "-").replace(",", "."))
            where.append((f"{MEASURES[compares[1]]} {compares[2]} ?", (number,)))
        elif not field and not quoted and value.casefold() in MARKS:
            where.append((MARKS[value.casefold()][bool(minus)], ()))
        else:
            found = re.findall(r"\w+", f"{field} {value}" if field else value)
            (without if minus else words).extend(found)
    return Query(words, without, where)
