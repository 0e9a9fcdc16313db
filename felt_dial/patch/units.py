"""Units: how a value is read from a person's typing and written on the screen.

Values live in real units everywhere (hertz, seconds, decibels, semitones, cents, fractions 0–1).
A time or a rate may instead be a number of beats, which follows the tempo.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import dataclass, field

from felt_dial.errors import FeltDialError

THIN = "\u2009"
MINUS = "\u2212"
NOTE_NAMES = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")


class NotReadable(FeltDialError):
    """What was typed is not a value of this unit."""


@dataclass(frozen=True)
class Beats:
    """A length counted in quarter notes; a dotted eighth is `Beats(0.75)`."""

    count: float

    def seconds(self, tempo: float) -> float:
        """Length in seconds at `tempo` beats per minute."""
        return self.count * 60.0 / tempo

    def __str__(self) -> str:
        return division_name(self.count)


Value = float | int | bool | str | Beats


def _divisions() -> dict[str, float]:
    found = {}
    for bottom in (64, 32, 16, 8, 4, 2, 1):
        for mark, factor in (("t", 2 / 3), ("", 1.0), ("d", 1.5)):
            found[f"1/{bottom}{mark}"] = 4.0 / bottom * factor
    found |= {"2/1": 8.0, "4/1": 16.0}
    return dict(sorted(found.items(), key=lambda item: item[1]))


DIVISIONS = _divisions()


def division_name(count: float) -> str:
    """`1/8d` for 0.75 beats; a plain count where no note value has that length."""
    for name, beats in DIVISIONS.items():
        if math.isclose(beats, count, rel_tol=1e-9):
            return name
    return f"{count:g} beats"


def note_name(key: int) -> str:
    """`A4` for key 69: scientific pitch, where key 60 is C4."""
    return f"{NOTE_NAMES[key % 12]}{key // 12 - 1}"


def note_frequency(key: float) -> float:
    """Hertz of a MIDI key in equal temperament, A4 = 440 Hz (ISO 16:1975)."""
    return float(440.0 * 2.0 ** ((key - 69.0) / 12.0))


_NUMBER = re.compile(r"([+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?)\s*(.*)", re.IGNORECASE)
_NOTE = re.compile(r"([A-Ga-g])([#b]?)(-?\d)$")
_DIVISION = re.compile(r"(\d+)/(\d+)([dt]?)$")
_BEATS = re.compile(r"([+]?(?:\d+\.?\d*|\.\d+))\s*(beats?|bt|bars?)$")
_SUM = re.compile(r"\s*([*/×+\-\u2212])\s*(.+)")


def _tidy(text: str) -> str:
    return text.strip().replace(MINUS, "-").replace(THIN, " ").replace("\u00a0", " ").replace(",", ".")


def _suffixed(text: str, suffixes: dict[str, float]) -> float | None:
    """The number in `text` times the factor of its suffix; None where it has no such suffix."""
    found = _NUMBER.fullmatch(_tidy(text))
    if not found:
        return None
    factor = suffixes.get(found[2].strip().lower())
    return None if factor is None else float(found[1]) * factor


def read_note(text: str) -> int | None:
    """Key of a note name such as `C#3` (C4 is key 60); None where it is not one."""
    found = _NOTE.fullmatch(_tidy(text))
    if not found:
        return None
    step = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}[found[1].upper()]
    return step + {"": 0, "#": 1, "b": -1}[found[2]] + 12 * (int(found[3]) + 1)


def read_beats(text: str) -> Beats | None:
    """Beats of `1/8d`, `1/4t`, `3 beats`, `4 bars` (of four beats); None where it is not a note length."""
    text = _tidy(text).lower()
    if (found := _DIVISION.fullmatch(text)) and int(found[2]) > 0 and int(found[1]) > 0:
        whole = int(found[1]) / int(found[2])
        return Beats(4.0 * whole * {"": 1.0, "d": 1.5, "t": 2.0 / 3.0}[found[3]])
    if found := _BEATS.fullmatch(text):
        count = float(found[1]) * (4.0 if found[2].startswith("bar") else 1.0)
        return Beats(count) if count > 0 else None
    return None


def read_sum(text: str) -> tuple[str, str] | None:
    """A small sum that begins with its sign, such as `*2`, `/2` or `+3`: the sign and what stands behind it."""
    found = _SUM.fullmatch(text)
    return None if found is None else (found[1].replace(MINUS, "-"), found[2])


def number(value: float, digits: int, signed: bool = False) -> str:
    """A number with a real minus sign, never a negative zero."""
    text = f"{value:.{digits}f}"
    if float(text) == 0.0:
        text = f"{0:.{digits}f}"
    elif signed and value > 0:
        text = "+" + text
    return text.replace("-", MINUS)


def _short(value: float, digits: int, signed: bool = False) -> str:
    """A number with so many digits, or none where it is whole."""
    whole = abs(value - round(value)) < 0.5 * 10.0**-digits
    return number(value, 0 if whole else digits, signed)


def _three(value: float) -> str:
    """Three significant digits."""
    size = abs(value)
    return number(value, 2 if size < 9.995 else 1 if size < 99.95 else 0)


@dataclass(frozen=True)
class Unit:
    """How one kind of value is read and written.

    `geometric` units are moved by ratios: a thread's depth on them is in `depth` units, and
    `amount` turns such a depth into octaves; on other units a depth is simply added. `amounts` is
    the unit of a depth on a geometric unit that is added all the same.
    """

    name: str
    suffixes: dict[str, float]
    write_number: Callable[[float], str]
    accepts: str
    geometric: bool = False
    depth_unit: Unit | None = None
    amounts: Unit | None = None
    amount: Callable[[float], float] = field(default=float)
    read_special: Callable[[str], float | None] = field(default=lambda text: None)

    def write(self, value: float) -> str:
        """The value as shown, with a thin space before its unit."""
        return self.write_number(value)

    def write_signed(self, value: float) -> str:
        """The value with a sign in front, as a depth is shown."""
        text = self.write(value)
        return text if value <= 0 or text.startswith(("+", "×")) or text == self.write(0.0) else "+" + text

    def read(self, text: str) -> float:
        """The number in real units; raises `NotReadable` naming what would have been accepted."""
        value = self.read_special(text)
        if value is None:
            value = _suffixed(text, self.suffixes)
        if value is None or not math.isfinite(value):
            raise NotReadable(f"“{text.strip()}” is not {self.name}: try {self.accepts}.")
        return value

    def meant_otherwise(self, text: str) -> str:
        """What a part of one that is typed for per cent may have been meant as, in words; empty for all else.

        >>> PERCENT.meant_otherwise("0.76")
        'for 76 % type 76'
        """
        bare = _suffixed(text, {"": 1.0})
        if self is not PERCENT or bare is None or not 0.0 < abs(bare) <= 1.0:
            return ""
        return f"for {self.write(bare)} type {_short(100 * bare, 1)}"

    def read_by_face(self, text: str, shown: float) -> float | None:
        """A bare number as a person means it who sees `shown`: in the unit that stands there; None for any other text.

        >>> SECONDS.read_by_face("274", 0.3)  # 300 ms
        0.274
        """
        bare, face = _suffixed(text, {"": 1.0}), _NUMBER.fullmatch(_tidy(self.write(shown)).lstrip("+×"))
        if bare is None or face is None:
            return None
        factor = self.suffixes.get(face[2].strip().lower())
        return None if factor is None else bare * factor

    @property
    def depth(self) -> Unit:
        """The unit in which a thread says how far it moves a value of this unit."""
        return self.depth_unit or self


def _hertz(value: float) -> str:
    return f"{_three(value / 1000)}{THIN}kHz" if value >= 999.5 else f"{_three(value)}{THIN}Hz"


def _seconds(value: float) -> str:
    if value < 0:
        return MINUS + _seconds(-value)
    if abs(value) < 5e-6:
        return f"0{THIN}ms"
    return f"{_three(value)}{THIN}s" if value >= 0.9995 else f"{_three(value * 1000)}{THIN}ms"


def _signed_hertz(value: float) -> str:
    size = _hertz(abs(value))
    return size if value == 0 else ("+" if value > 0 else MINUS) + size


def _length_hertz(text: str) -> float | None:
    """The rate whose turn lasts as long as was typed: `2 s` is 0.5 Hz."""
    seconds = _suffixed(text, {"s": 1.0, "ms": 0.001})
    return 1.0 / seconds if seconds is not None and seconds > 0 else None


def _note_hertz(text: str) -> float | None:
    key = read_note(text)
    return None if key is None else note_frequency(key)


def _key(text: str) -> float | None:
    key = read_note(text)
    return None if key is None else float(key)


def _speed(text: str) -> float | None:
    plain = _tidy(text).lower()
    back, plain = plain.startswith("-"), plain.removeprefix("-").removeprefix("+")
    size = _suffixed(plain.removeprefix("×").removeprefix("x"), {"": 1.0, "x": 1.0, "×": 1.0})
    return None if size is None else -size if back else size


def _silence(text: str) -> float | None:
    return -60.0 if _tidy(text).lower().removesuffix("db").strip() in {"-inf", "off", "-∞"} else None


def _factor(text: str) -> float | None:
    found = _suffixed(_tidy(text).lower().removeprefix("×").removeprefix("x"), {"": 1.0, "x": 1.0, "×": 1.0})
    return found if found is not None and found > 0 else None


SEMITONES = Unit(
    "a number of semitones",
    {"": 1.0, "st": 1.0, "ct": 0.01, "oct": 12.0},
    lambda v: _short(v, 2, signed=True) + THIN + "st",
    "“+7 st”, “−12” or “50 ct”",
)
CENTS = Unit(
    "a number of cents",
    {"": 1.0, "ct": 1.0, "st": 100.0},
    lambda v: _short(v, 1, signed=True) + THIN + "ct",
    "“12 ct” or “0.5 st”",
)
HERTZ_MORE = Unit("a frequency", {"": 1.0, "hz": 1.0, "k": 1000.0, "khz": 1000.0}, _signed_hertz, "“+500 Hz”")
HERTZ = Unit(
    "a frequency",
    {"": 1.0, "hz": 1.0, "k": 1000.0, "khz": 1000.0},
    _hertz,
    "“2.4k”, “440 Hz” or “C#3”",
    geometric=True,
    depth_unit=SEMITONES,
    amounts=HERTZ_MORE,
    amount=lambda d: d / 12.0,
    read_special=_note_hertz,
)
TIMES_MORE = Unit("a number of times", {"": 1.0}, lambda v: number(v, 2, signed=True), "“+1.5”")
FACTOR = Unit(
    "a factor", {"": 1.0}, lambda v: "×" + _three(v), "“×2” or “×0.5”", depth_unit=TIMES_MORE, read_special=_factor
)
SPEED = Unit(
    "a speed",
    {"": 1.0, "x": 1.0, "×": 1.0},
    lambda v: ("" if v >= 0 or _three(abs(v)) == _three(0.0) else MINUS) + "×" + _three(abs(v)),
    "“1.5” or “−0.5”",
    read_special=_speed,
)
RATE = Unit(
    "a rate",
    {"": 1.0, "hz": 1.0, "k": 1000.0, "khz": 1000.0},
    _hertz,
    "“5.2 Hz”, “1/8d” or “2 s” for a turn",
    geometric=True,
    depth_unit=FACTOR,
    amounts=HERTZ_MORE,
    read_special=_length_hertz,
    amount=lambda d: math.log2(max(d, 1e-6)),
)
SECONDS = Unit("a time", {"": 1.0, "s": 1.0, "ms": 0.001}, _seconds, "“350 ms”, “1.2 s” or “1/8d”")
DECIBELS = Unit(
    "a level",
    {"": 1.0, "db": 1.0},
    lambda v: MINUS + "∞" + THIN + "dB" if v < -59.95 else number(v, 1) + THIN + "dB",
    "“−6 dB” or “off”",
    read_special=_silence,
    depth_unit=Unit("a level", {"": 1.0, "db": 1.0}, lambda v: number(v, 1, signed=True) + THIN + "dB", "“−6 dB”"),
)
PERCENT = Unit("a percentage", {"": 0.01, "%": 0.01}, lambda v: _short(v * 100, 1) + THIN + "%", "“40 %” or “12.5”")
DEGREES = Unit("an angle", {"": 1.0, "°": 1.0, "deg": 1.0}, lambda v: _short(v, 1) + "°", "“90°”")
KEY = Unit("a key", {"": 1.0}, lambda v: note_name(round(v)), "“C#3” or a number from 0 to 127", read_special=_key)
PLACE = Unit("a place", {"": 1.0}, lambda v: number(v, 2), "“1.5”")
RADIANS = Unit("an index", {"": 1.0, "rad": 1.0}, lambda v: number(v, 2), "“2.4”")
SLOPE = Unit(
    "a slope", {"": 1.0, "db": 1.0, "db/oct": 1.0}, lambda v: number(v, 1, signed=True) + THIN + "dB/oct", "“−3 dB/oct”"
)
COUNT = Unit("a number", {"": 1.0}, lambda v: _short(v, 1), "“8”")
OCTAVES = Unit("a number of octaves", {"": 1.0, "oct": 1.0}, lambda v: _short(v, 2, signed=True) + THIN + "oct", "“−1”")
TEMPO = Unit("a tempo", {"": 1.0, "bpm": 1.0}, lambda v: number(v, 1) + THIN + "bpm", "“96 bpm”")
BEND = Unit("a bend", {"": 0.01, "%": 0.01}, lambda v: _short(v * 100, 1, signed=True) + THIN + "%", "“−40 %”")
