"""Tunings: scales and keyboard maps, read from the Scala formats `.scl` and `.kbm`.

The formats are those published by the Scala archive (M. Op de Coul): lines that begin with `!` are
comments; a pitch with a period is in cents, any other a ratio.
"""

from __future__ import annotations

import math
from pathlib import Path

from pydantic import BaseModel, ConfigDict, Field

from felt_dial.errors import FeltDialError
from felt_dial.files import read_whole
from felt_dial.patch.units import number

MOST_DEGREES = 1024
LARGEST = 256 * 1024


class BadTuning(FeltDialError):
    """A scale or keyboard map that cannot be read; the tuning stays as it was."""


class KeyMap(BaseModel):
    """Which key plays which degree of the scale."""

    model_config = ConfigDict(frozen=True)

    first: int = 0
    last: int = 127
    middle: int = 60
    reference_key: int = 69
    reference: float = Field(default=440.0, gt=0, allow_inf_nan=False)
    octave: int = 0
    degrees: tuple[int | None, ...] = ()


class Tuning(BaseModel):
    """A scale in cents above its first degree, the last of which is its period, and the map to the keys."""

    model_config = ConfigDict(frozen=True)

    name: str = ""
    cents: tuple[float, ...]
    keys: KeyMap | None = None

    def _steps(self, key: int) -> float | None:
        """Cents of a key above the key that plays the first degree; None where the map leaves it out."""
        size = len(self.cents)
        mapped = self.keys or KeyMap()
        distance = key - mapped.middle
        if mapped.degrees:
            turns, place = divmod(distance, len(mapped.degrees))
            degree = mapped.degrees[place]
            if degree is None:
                return None
            octaves, within = divmod(degree + turns * (mapped.octave or size), size)
        else:
            octaves, within = divmod(distance, size)
        return octaves * self.cents[-1] + (self.cents[within - 1] if within else 0.0)

    def pitch(self, key: int) -> float | None:
        """Pitch of a key in semitones of equal temperament (69 is A4); None for a key that is left out.

        Without a map the scale begins on C4, which keeps its pitch.
        """
        steps = self._steps(key)
        if steps is None:
            return None
        if self.keys is None:
            return 60.0 + steps / 100.0
        if not self.keys.first <= key <= self.keys.last:
            return None
        start = self._steps(self.keys.reference_key) or 0.0
        return 69.0 + 12.0 * math.log2(self.keys.reference / 440.0) + (steps - start) / 100.0

    def about(self) -> str:
        """One line: the name, how many degrees, and the period."""
        return f"{self.name or 'A scale'}: {len(self.cents)} degrees in {number(self.cents[-1], 1)} ct"


def _lines(text: str) -> list[str]:
    return [line.strip() for line in text.splitlines() if not line.lstrip().startswith("!")]


def _cents(line: str, where: str, degree: int) -> float:
    word = line.split()[0] if line.split() else ""
    try:
        if "." in word:
            cents = float(word)
        else:
            above, _, below = word.partition("/")
            ratio = int(above) / int(below or 1)
            cents = 1200.0 * math.log2(ratio)
    except (ValueError, ZeroDivisionError, OverflowError):
        raise BadTuning(f"{where}: degree {degree} is “{line[:40]}”, neither cents nor a ratio.") from None
    if not math.isfinite(cents) or abs(cents) > 24000:
        raise BadTuning(f"{where}: degree {degree} of {line[:40]} is further than twenty octaves away.")
    return cents


def read_scl(text: str, where: str) -> Tuning:
    """The scale of a `.scl` file; raises `BadTuning` naming the line that cannot be read."""
    lines = _lines(text)
    if len(lines) < 2:
        raise BadTuning(f"{where} is no scale: it ends before it says how many degrees it has.")
    try:
        count = int(lines[1].split()[0])
    except (ValueError, IndexError):
        raise BadTuning(f"{where}: “{lines[1][:40]}” is no number of degrees.") from None
    if not 1 <= count <= MOST_DEGREES:
        raise BadTuning(f"{where} has {count} degrees; 1 to {MOST_DEGREES} can be played.")
    pitches = [line for line in lines[2:] if line]
    if len(pitches) < count:
        raise BadTuning(f"{where} promises {count} degrees and holds {len(pitches)}.")
    cents = tuple(_cents(line, where, n + 1) for n, line in enumerate(pitches[:count]))
    return Tuning(name=lines[0], cents=cents)


def read_kbm(text: str, where: str) -> KeyMap:
    """The keyboard map of a `.kbm` file; raises `BadTuning` naming what cannot be read."""
    lines = [line.split()[0] for line in _lines(text) if line]
    if len(lines) < 7:
        raise BadTuning(f"{where} is no keyboard map: it has {len(lines)} of the seven lines at its head.")
    try:
        size, first, last, middle, key = (int(line) for line in lines[:5])
        reference, octave = float(lines[5]), int(lines[6])
        degrees = tuple(None if line.lower() == "x" else int(line) for line in lines[7 : 7 + size])
    except ValueError as wrong:
        raise BadTuning(f"{where} holds something that is no number ({wrong}).") from None
    if not 0 <= size <= 128 or not all(0 <= n <= 127 for n in (first, last, middle, key)):
        raise BadTuning(f"{where} speaks of keys outside 0 … 127.")
    if not (math.isfinite(reference) and 1.0 <= reference <= 20000.0):
        raise BadTuning(f"{where} has a reference of {reference:g} Hz; 1 Hz to 20 kHz can be played.")
    if any(degree is not None and abs(degree) > MOST_DEGREES for degree in degrees) or not 0 <= octave <= MOST_DEGREES:
        raise BadTuning(f"{where} maps a key to a degree beyond {MOST_DEGREES}.")
    degrees += (None,) * (size - len(degrees))
    return KeyMap(
        first=first, last=last, middle=middle, reference_key=key, reference=reference, octave=octave, degrees=degrees
    )


def load_tuning(path: Path, before: Tuning | None = None) -> Tuning:
    """The tuning of a `.scl`, or `before` with the map of a `.kbm`; raises `BadTuning` or `CannotRead`."""
    where = f"“{path.name}”"
    data = read_whole(path, LARGEST + 1)
    if len(data) > LARGEST or b"\0" in data:
        raise BadTuning(f"{where} is no text of a scale. The tuning stays as it was.")
    text = data.decode("utf-8", "replace")
    if path.suffix.lower() == ".kbm":
        equal = Tuning(name="Equal temperament", cents=tuple(100.0 * n for n in range(1, 13)))
        return (before or equal).model_copy(update={"keys": read_kbm(text, where)})
    tuning = read_scl(text, where)
    return tuning.model_copy(update={"keys": before.keys}) if before else tuning
