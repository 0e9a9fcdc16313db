"""Parameters: declared once, next to the module they belong to, and read by everything else.

The dial, typed entry, the engine's values, thread depths, the JSON Schema and the reference in the
docs all come from these declarations.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Annotated, Any

from pydantic import BeforeValidator, PlainSerializer, WithJsonSchema

from felt_dial.errors import FeltDialError
from felt_dial.patch.units import (
    COUNT,
    DIVISIONS,
    FACTOR,
    MINUS,
    RATE,
    SPEED,
    TEMPO,
    THIN,
    Beats,
    NotReadable,
    Unit,
    Value,
    read_beats,
    read_sum,
)

LINEAR, LOG, CUBIC = "linear", "log", "cubic"


class OutOfRange(FeltDialError, ValueError):
    """A value that its parameter does not take; a `ValueError`, so that a model reports it with its place."""


class Parameter:
    """What every kind of parameter shares: a name, a default, and what it does to the sound."""

    label: str
    default: Value
    says: str
    movable = False
    name = ""
    smooth = False
    rebuilds = False

    if TYPE_CHECKING:

        def __get__(self, owner: object, kind: type | None = None) -> Any: ...

    def check(self, value: object) -> Value:
        """The value as it is kept; raises `OutOfRange` with the reason."""
        raise OutOfRange(f"{self.label} takes no {value!r}.")

    def encode(self, value: Value) -> float:
        """The value as one float64 for the engine."""
        raise OutOfRange(f"{self.label} has no number for {value!r}.")

    def write(self, value: Value) -> str:
        """The value as a person reads it."""
        return str(value)

    def read(self, text: str, now: Value | None = None, by_face: bool = False) -> Value:
        """The value that a person typed, where the dial stands at `now`."""
        raise NotReadable(f"{self.label} does not take “{text}”.")

    def schema(self) -> dict[str, Any]:
        """The JSON Schema of the value in a file."""
        return {}

    def field_type(self) -> Any:
        """The annotation under which pydantic validates and writes the value."""
        about = {"title": self.label, "description": self.says, **self.schema()}
        return Annotated[Any, BeforeValidator(self.check), PlainSerializer(_plain), WithJsonSchema(about)]


def _plain(value: Value) -> Any:
    return {"beats": value.count} if isinstance(value, Beats) else value


class Param(Parameter):
    """A number on a dial.

    Parameters
    ----------
    span : (low, high)
        Ends of the range, in `unit`, both reachable.
    taper : LINEAR, LOG or CUBIC
        How the way of the dial maps to the range.
    beats : bool
        The value may also be given in beats and then follows the tempo.
    whole : bool
        Only whole numbers.
    at_start : bool
        It is read as a note begins, and stays for that note.
    wraps : bool
        It goes round: a movement beyond one end goes on at the other.
    names : {name: value}, optional
        Places on the way that have a name, in rising order; they are read, written and kept by it.
    """

    smooth = True

    def __init__(
        self,
        label: str,
        default: float | Beats,
        span: tuple[float, float],
        unit: Unit,
        *,
        says: str,
        taper: str = LINEAR,
        beats: bool = False,
        whole: bool = False,
        movable: bool = True,
        rebuilds: bool = False,
        wraps: bool = False,
        at_start: bool = False,
        names: Mapping[str, float] | None = None,
    ) -> None:
        self.label, self.default, self.says = label, default, says
        self.names = dict(names or {})
        self.low, self.high = span
        self.unit, self.taper, self.beats, self.whole = unit, taper, beats, whole
        self.movable, self.smooth, self.rebuilds, self.wraps = movable, not whole, rebuilds, wraps
        self.at_start = at_start

    @property
    def two_sided(self) -> bool:
        """True where the dial is sewn from its middle."""
        return self.low < 0 < self.high and (self.unit.name != "a level" or self.low == -self.high)

    def check(self, value: object) -> Value:
        if type(value) is float and not self.whole and self.low <= value <= self.high:  # nearly all are
            return value
        if isinstance(value, str) and value in self.names:
            return float(self.names[value])
        if isinstance(value, dict) and set(value) == {"beats"}:
            value = value["beats"]
            if isinstance(value, bool) or not isinstance(value, int | float):
                raise OutOfRange(f"{self.label} takes a number of beats, not {value!r}.")
            value = Beats(float(value))
        if isinstance(value, Beats):
            if not self.beats:
                raise OutOfRange(f"{self.label} is not counted in beats.")
            if not 1 / 64 <= value.count <= 64:
                raise OutOfRange(f"{self.label} of {value.count:g} beats is outside 1/64 … 64 beats.")
            return value
        if isinstance(value, bool) or not isinstance(value, int | float):
            known = "".join(f", {name}" for name in self.names)
            raise OutOfRange(f"{self.label} takes a number{known}, not {value!r}.")
        if not math.isfinite(value):
            raise OutOfRange(f"{self.label} takes a finite number, not {value}.")
        if not self.low <= value <= self.high:
            raise OutOfRange(
                f"{self.label} of {self.unit.write(value)} is outside "
                f"{self.unit.write(self.low)} … {self.unit.write(self.high)}."
            )
        if self.whole and value != round(value):
            raise OutOfRange(f"{self.label} takes whole numbers, not {value:g}.")
        return round(value) if self.whole else float(value)

    def encode(self, value: Value) -> float:
        """Real units; a count of beats travels as its negative, since times and rates never are."""
        return -value.count if isinstance(value, Beats) else float(value)

    def write(self, value: Value) -> str:
        if self.names:
            return self._between(self.encode(value))
        return str(value) if isinstance(value, Beats) else self.unit.write(float(value))

    def _between(self, value: float) -> str:
        """`Saw`, or `Saw + 40 %` on the way from a named place to the next."""
        below = max((name for name, place in self.names.items() if place <= value + 0.005), key=self.names.__getitem__)
        above = min((place for place in self.names.values() if place > self.names[below]), default=value + 1.0)
        part = (value - self.names[below]) / (above - self.names[below])
        return below.capitalize() if part < 0.005 else f"{below.capitalize()} + {part * 100:.0f}{THIN}%"

    def _named(self, text: str) -> float | None:
        """The value of a name, or of a name and the part of the way to the next; None for neither."""
        name, _, part = text.lower().replace(THIN, "").partition("+")
        if name.strip() not in self.names:
            return None
        below = self.names[name.strip()]
        above = min((place for place in self.names.values() if place > below), default=below)
        try:
            return below + (above - below) * float(part.replace("%", "").strip() or 0) / 100
        except ValueError:
            return None

    def read(self, text: str, now: Value | None = None, by_face: bool = False) -> Value:
        """The value that a person typed; `*2`, `/2`, `+3` and `−3` change the one of `now`.

        Where a value may have a sign, `+3` and `−3` are values themselves; `=` in front makes one of anything. Read
        `by_face` a bare number is in the unit in which `now` is shown, where such a value is within the range: `274` is 274 ms
        where 300 ms stands.
        """
        if text.lstrip().startswith("="):
            return self._typed(text.lstrip()[1:])
        typed = read_sum(text)
        if by_face and typed is None and isinstance(now, int | float) and not isinstance(now, bool) and not self.names:
            meant = self.unit.read_by_face(text, float(now))
            if meant is not None and self.low <= meant <= self.high:
                return self._within(meant)
        if typed is None or now is None or isinstance(now, str | bool):
            return self._typed(text)
        sign, other = typed
        if sign in "*/" or (sign == "×" and self.unit not in (FACTOR, SPEED)):
            times = 1.0 / FACTOR.read(other) if sign == "/" else FACTOR.read(other)
            return self._changed(now, lambda x: x * times)
        signed = self.low < 0.0 or self.unit.write(1.0).startswith("+")
        if sign in "+-" and not signed and not isinstance(now, Beats):
            more = self.unit.read(other) * (1.0 if sign == "+" else -1.0)
            return self._changed(now, lambda x: x + more)
        return self._typed(text)

    def _changed(self, now: Value, change: Callable[[float], float]) -> Value:
        if isinstance(now, Beats):
            return self.check(Beats(change(now.count)))
        return self._within(change(float(now)))

    def _within(self, value: float) -> Value:
        """A value as it is kept; one that is shown like an end of the range is that end."""
        for end in (self.low, self.high):
            if not self.low <= value <= self.high and self.unit.write(value) == self.unit.write(end):
                value = end
        return self.check(float(round(value)) if self.whole and abs(value - round(value)) < 1e-9 else value)

    def _typed(self, text: str) -> Value:
        if self.names:
            named = self._named(text)
            if named is not None:
                return self.check(named)
            try:
                return self.check(self.unit.read(text))
            except NotReadable:
                known = ", ".join(name.capitalize() for name in self.names)
                raise NotReadable(f"“{text.strip()}” is no {self.label.lower()}: try {known}.") from None
        if self.beats and (beats := read_beats(text)):
            return self.check(beats)
        return self._within(self.unit.read(text))

    def position(self, value: Value) -> float:
        """Where the dial stands for a value, 0 to 1."""
        if isinstance(value, Beats):
            counts = list(DIVISIONS.values())
            count = min(max(value.count, counts[0]), counts[-1])
            below = max(n for n, division in enumerate(counts[:-1]) if division <= count)
            part = math.log(count / counts[below]) / math.log(counts[below + 1] / counts[below])
            return (below + part) / (len(counts) - 1)
        value = float(value)
        if self.wraps and not self.low <= value <= self.high:
            value = self.low + (value - self.low) % (self.high - self.low)
        value = min(max(value, self.low), self.high)
        if self.taper == LOG:
            return math.log(value / self.low) / math.log(self.high / self.low)
        part = (value - self.low) / (self.high - self.low)
        return float(part ** (1 / 3)) if self.taper == CUBIC else part

    def at(self, position: float, in_beats: bool = False) -> Value:
        """The value for a dial position from 0 to 1."""
        position = min(max(position, 0.0), 1.0)
        if in_beats:
            counts = list(DIVISIONS.values())
            return Beats(counts[round(position * (len(counts) - 1))])
        if self.taper == LOG:
            value = float(self.low * (self.high / self.low) ** position)
        else:
            value = self.low + (self.high - self.low) * (position**3 if self.taper == CUBIC else position)
        value = min(max(value, self.low), self.high)
        return round(value) if self.whole else float(value)

    def resolve(self, value: Value, tempo: float) -> float:
        """The value in the parameter's own unit, beats worked out at `tempo`."""
        if not isinstance(value, Beats):
            return float(value)
        seconds = value.seconds(tempo)
        return min(max(1.0 / seconds if self.unit is RATE else seconds, self.low), self.high)

    def beyond(self, value: Value, tempo: float) -> str:
        """What a note length comes to at a tempo and where it ends, where it goes beyond what there is; else nothing."""
        if not isinstance(value, Beats):
            return ""
        seconds = value.seconds(tempo)
        wished, made = 1.0 / seconds if self.unit is RATE else seconds, self.resolve(value, tempo)
        if math.isclose(wished, made, rel_tol=1e-6):
            return ""
        return f"{value} is {self.unit.write(wished)} at {TEMPO.write(tempo)}; it goes no further than {self.unit.write(made)}"

    def in_beats(self, value: float, tempo: float) -> Beats:
        """The count of beats that lasts as long as a value in seconds, or a turn of a rate."""
        seconds = 1.0 / max(value, 1e-9) if self.unit is RATE else value
        return Beats(max(seconds, 1e-9) * tempo / 60.0)

    def schema(self) -> dict[str, Any]:
        plain: dict[str, Any] = {"type": "number", "minimum": self.low, "maximum": self.high}
        if self.names:
            return {"anyOf": [plain, {"enum": list(self.names)}], "default": self.default}
        if self.beats:
            beats = {"type": "object", "properties": {"beats": {"type": "number"}}, "required": ["beats"]}
            return {"anyOf": [plain, beats], "default": _plain(self.default)}
        return {**plain, "default": self.default}


class Choice(Parameter):
    """One of a few named options, given as `{id: label}`.

    `rebuilds` says that another option lays the sound out anew, as another module would.
    """

    def __init__(
        self, label: str, default: str, options: Mapping[str, str], *, says: str, rebuilds: bool = False
    ) -> None:
        self.label, self.default, self.says, self.rebuilds = label, default, says, rebuilds
        self.options = dict(options)
        self.ids = tuple(self.options)

    def check(self, value: object) -> Value:
        if not isinstance(value, str) or value not in self.options:
            raise OutOfRange(f"{self.label} takes {', '.join(self.ids)}, not {value!r}.")
        return value

    def encode(self, value: Value) -> float:
        return float(self.ids.index(str(value)))

    def write(self, value: Value) -> str:
        return self.options[str(value)]

    def read(self, text: str, now: Value | None = None, by_face: bool = False) -> Value:
        wanted = text.strip().lower()
        for key, label in self.options.items():
            if wanted in (key.lower(), label.lower()):
                return key
        raise NotReadable(f"“{text.strip()}” is no {self.label.lower()}: try {', '.join(self.options.values())}.")

    def schema(self) -> dict[str, Any]:
        return {"enum": list(self.ids), "default": self.default}


class Switch(Parameter):
    """On or off."""

    def __init__(self, label: str, default: bool, *, says: str, smooth: bool = False) -> None:
        self.label, self.default, self.says, self.smooth = label, default, says, smooth

    def check(self, value: object) -> Value:
        if not isinstance(value, bool):
            raise OutOfRange(f"{self.label} takes true or false, not {value!r}.")
        return value

    def encode(self, value: Value) -> float:
        return 1.0 if value else 0.0

    def write(self, value: Value) -> str:
        return "on" if value else "off"

    def read(self, text: str, now: Value | None = None, by_face: bool = False) -> Value:
        known = {
            "on": True,
            "true": True,
            "yes": True,
            "1": True,
            "off": False,
            "false": False,
            "no": False,
            "0": False,
        }
        if text.strip().lower() not in known:
            raise NotReadable(f"“{text.strip()}” is neither on nor off.")
        return known[text.strip().lower()]

    def schema(self) -> dict[str, Any]:
        return {"type": "boolean", "default": self.default}


__all__ = ["COUNT", "CUBIC", "LINEAR", "LOG", "MINUS", "THIN", "Choice", "OutOfRange", "Param", "Parameter", "Switch"]
