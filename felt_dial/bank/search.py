"""What is typed into the search: words, and simple filters such as `kind:pad -drum uses:grains macro:bright layers<3 unnamed`."""

from __future__ import annotations

import re
from typing import NamedTuple

TOKEN = re.compile(r'(-?)(?:(\w+):)?(?:"([^"]*)"|(\S+))')
COMPARES = re.compile(r"(layers|threads)(<=|>=|<|>|=)(\d+)$")
FIELDS = {
    "kind": "kind",
    "author": "author",
    "by": "author",
    "macro": "macros",
    "uses": "uses",
    "word": "character",
    "character": "character",
    "from": "parent",
    "name": "name",
}
"""What can stand before a colon, and the column that is looked through."""
MARKS = {"unnamed": "unnamed", "starred": "favourite"}
"""Words that filter by themselves, and their columns."""


class Query(NamedTuple):
    """Attributes
    ----------
    words : list of str
        That each preset has, or begins one of its own with.
    without : list of str
        That none has.
    where : list of (condition, value)
        In SQL, about columns of `preset`.
    """

    words: list[str]
    without: list[str]
    where: list[tuple[str, object]]

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
    words, without, where = list[str](), list[str](), list[tuple[str, object]]()
    for minus, field, quoted, plain in TOKEN.findall(text):
        value = quoted or plain
        column = FIELDS.get(field.casefold()) if field else None
        compares = COMPARES.match(plain) if not field and not minus else None
        if column is not None:
            like = "%" + value.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
            where.append((f"preset.{column} {'NOT ' * bool(minus)}LIKE ? ESCAPE '\\'", like))
        elif compares is not None:
            where.append((f"preset.{compares[1]} {compares[2]} ?", int(compares[3])))
        elif not field and value.casefold() in MARKS:
            where.append((f"preset.{MARKS[value.casefold()]} = ?", int(not minus)))
        else:
            found = re.findall(r"\w+", f"{field} {value}" if field else value)
            (without if minus else words).extend(found)
    return Query(words, without, where)
