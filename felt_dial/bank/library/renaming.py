"""Names by a pattern: `{n:02} {name}`, find and replace, and the case of letters."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import NamedTuple

from felt_dial.errors import FeltDialError

FIELD = re.compile(r"\{(n|name|kind|author)(?::0?(\d{1,2}))?\}")
CASES: dict[str, tuple[str, Callable[[str], str]]] = {
    "": ("as it is", lambda name: name),
    "title": ("Each Word", lambda name: " ".join(word[:1].upper() + word[1:] for word in name.split(" "))),
    "lower": ("all lower", str.lower),
    "upper": ("ALL UPPER", str.upper),
}
LONGEST = 80


class BadPattern(FeltDialError):
    """A pattern that gives no names; nothing was renamed."""


class Named(NamedTuple):
    """What is known of a preset that is renamed."""

    name: str
    kind: str = ""
    author: str = ""


def renamed(
    these: Sequence[Named], pattern: str, find: str = "", replace: str = "", case: str = "", first: int = 1
) -> list[str]:
    """Names of presets by a pattern, in their order; `find` is text, not an expression. Raises `BadPattern`.

    `{n}` counts from `first`, `{n:02}` with two digits; `{name}`, `{kind}` and `{author}` are what they are called now.
    """
    left = FIELD.sub("", pattern)
    if "{" in left or "}" in left:
        raise BadPattern("A pattern takes {n}, {n:02}, {name}, {kind} and {author}; nothing was renamed.")
    found = []
    for n, one in enumerate(these, first):
        name = one.name.replace(find, replace) if find else one.name
        values = {"n": str(n), "name": name, "kind": one.kind, "author": one.author}

        def put(match: re.Match[str], values: dict[str, str] = values) -> str:
            text = values[match[1]]
            return text.zfill(int(match[2])) if match[2] and match[1] == "n" else text

        made = CASES[case][1](" ".join(FIELD.sub(put, pattern).split()))[:LONGEST].strip()
        if not made:
            raise BadPattern(f"“{one.name}” would have no name; nothing was renamed.")
        found.append(made)
    return found
