"""Drawings: parameters that are many numbers at once, such as the points of a line or the steps of a row.

They are declared like any parameter and travel to the engine with the values, so that a point can be
dragged while it sounds. A thread cannot move them.
"""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Any, NamedTuple

from felt_dial.patch.params import OutOfRange, Parameter
from felt_dial.patch.units import Value, number

Rows = tuple[tuple[float, ...], ...]


class Column(NamedTuple):
    """What one number of every row is, and its range; a `whole` one takes whole numbers."""

    name: str
    low: float
    high: float
    default: float = 0.0
    whole: bool = False


LINE = (Column("at", 0.0, 1.0), Column("level", 0.0, 1.0), Column("bend", -1.0, 1.0))
"""A point of a line: where and how high, 0 to 1, and the bend of the way to the next, −1 to 1."""
AT, LEVEL, BEND = range(3)
STRAIGHT: Rows = ((0.0, 0.0, 0.0), (1.0, 1.0, 0.0))


class Drawn(Parameter):
    """Rows of numbers, `least` to `most` of them.

    A line (its columns are `LINE`) goes forward, from 0 to 1. An empty drawing is allowed where
    `least` is 0 and means that nothing was drawn.
    """

    rebuilds = False

    def __init__(
        self, label: str, default: Rows, columns: tuple[Column, ...], *, says: str, least: int = 1, most: int = 64
    ) -> None:
        self.label, self.says = label, says
        self.columns, self.least, self.most = columns, least, most
        self.default: Any = default
        self._default_in_json = [list(row) for row in default]

    @property
    def is_line(self) -> bool:
        """True for the points of a line."""
        return self.columns is LINE

    @property
    def room(self) -> int:
        """How many numbers it takes in the engine's values: the count of rows, then all of them."""
        return 1 + self.most * len(self.columns)

    def check(self, value: object) -> Any:
        """The rows as they are kept; raises `OutOfRange` with the reason."""
        if value == self._default_in_json:  # as most are
            return self.default
        if not isinstance(value, list | tuple):
            raise OutOfRange(f"{self.label} takes rows of numbers, not {value!r}.")
        if not (self.least <= len(value) <= self.most or (not value and self.least == 0)):
            raise OutOfRange(f"{self.label} takes {self.least} to {self.most} rows, not {len(value)}.")
        rows = tuple(self._row(n, row) for n, row in enumerate(value))
        if self.is_line and rows:
            if any(b[AT] < a[AT] for a, b in pairwise(rows)):
                raise OutOfRange(f"The points of {self.label} go forward.")
            if len(rows) < 2 or rows[0][AT] != 0.0 or rows[-1][AT] != 1.0:
                raise OutOfRange(f"{self.label} goes from 0 to 1.")
        return rows

    def _row(self, n: int, row: object) -> tuple[float, ...]:
        if not isinstance(row, list | tuple) or len(row) != len(self.columns):
            names = ", ".join(column.name for column in self.columns)
            raise OutOfRange(f"Row {n + 1} of {self.label} is not {names}.")
        kept = []
        for column, x in zip(self.columns, row, strict=True):
            if type(x) is float and not column.whole and column.low <= x <= column.high:  # nearly all are
                kept.append(x)
                continue
            if isinstance(x, bool) or not isinstance(x, int | float) or not math.isfinite(x):
                raise OutOfRange(f"Row {n + 1} of {self.label} has no number for {column.name}: {x!r}.")
            if not column.low <= x <= column.high:
                raise OutOfRange(
                    f"Row {n + 1} of {self.label}: {column.name} of {number(x, 3)} is outside "
                    f"{number(column.low, 0)} … {number(column.high, 0)}."
                )
            kept.append(float(round(x)) if column.whole else float(x))
        return tuple(kept)

    def numbers(self, rows: Rows) -> list[float]:
        """The drawing as the engine keeps it, `room` numbers."""
        flat = [float(len(rows)), *(x for row in rows for x in row)]
        return flat + [0.0] * (self.room - len(flat))

    def blank(self) -> tuple[float, ...]:
        """A row as it begins."""
        return tuple(column.default for column in self.columns)

    def write(self, value: Value) -> str:
        """How much is drawn."""
        rows: Any = value
        return f"{len(rows)} points" if self.is_line else f"{len(rows)} steps"

    def schema(self) -> dict[str, Any]:
        """The JSON Schema of the rows in a file."""
        numbers = [{"type": "number", "title": c.name, "minimum": c.low, "maximum": c.high} for c in self.columns]
        return {
            "type": "array",
            "minItems": self.least,
            "maxItems": self.most,
            "default": self.default,
            "items": {"type": "array", "prefixItems": numbers, "minItems": len(numbers), "maxItems": len(numbers)},
        }


def flipped(rows: Rows) -> Rows:
    """A line upside down."""
    return tuple((at, 1.0 - level, bend) for at, level, bend in rows)


def mirrored(rows: Rows) -> Rows:
    """A line from its end to its beginning; a bend turns with its segment."""
    bends = [*(-row[BEND] for row in rows[-2::-1]), 0.0]
    return tuple((1.0 - row[AT], row[LEVEL], bend) for row, bend in zip(rows[::-1], bends, strict=True))


def doubled(rows: Rows, most: int) -> Rows:
    """A line twice in the same time; raises `OutOfRange` where it would have too many points."""
    if 2 * len(rows) > most:
        raise OutOfRange(f"Twice {len(rows)} points are more than the {most} that a line may have.")
    first = [(at / 2, level, bend) for at, level, bend in rows]
    second = [(0.5 + at / 2, level, bend) for at, level, bend in rows]
    if rows[0][LEVEL] == rows[-1][LEVEL]:
        first.pop()
    return tuple(first + second)
