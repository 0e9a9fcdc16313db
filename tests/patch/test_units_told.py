"""Units: what each is called where something cannot be read, and that its examples are read as they are written."""

from __future__ import annotations

import math
import re

import pytest

from felt_dial.patch import units
from felt_dial.patch.units import THIN, Unit

NOUNS = {
    "SEMITONES": "a number of semitones", "CENTS": "a number of cents", "HERTZ": "a frequency", "HERTZ_MORE": "a frequency",
    "TIMES_MORE": "a number of times", "FACTOR": "a factor", "SPEED": "a speed", "RATE": "a rate", "SECONDS": "a time",
    "DECIBELS": "a level", "PERCENT": "a percentage", "DEGREES": "an angle", "KEY": "a key", "PLACE": "a place",
    "RADIANS": "an index", "SLOPE": "a slope", "COUNT": "a number", "OCTAVES": "a number of octaves", "TEMPO": "a tempo",
    "BEND": "a bend",
}  # fmt: skip
UNITS = {name: unit for name, unit in vars(units).items() if isinstance(unit, Unit)}

READ = {
    "SEMITONES": {"+7 st": 7, "−12": -12, "50 ct": 0.5, "1 oct": 12},
    "CENTS": {"12 ct": 12, "0.5 st": 50, "7": 7},
    "HERTZ": {"2.4k": 2400, "440 Hz": 440, "C#3": 440 * 2 ** (-20 / 12), "1.5 kHz": 1500},
    "HERTZ_MORE": {"+500 Hz": 500, "2k": 2000},
    "TIMES_MORE": {"+1.5": 1.5},
    "FACTOR": {"×2": 2, "×0.5": 0.5, "3x": 3},
    "SPEED": {"1.5": 1.5, "−0.5": -0.5, "×2": 2},
    "RATE": {"5.2 Hz": 5.2, "2 s": 0.5, "1k": 1000},
    "SECONDS": {"350 ms": 0.35, "1.2 s": 1.2, "3": 3},
    "DECIBELS": {"−6 dB": -6, "off": -60, "3": 3},
    "PERCENT": {"40 %": 0.4, "12.5": 0.125},
    "DEGREES": {"90°": 90, "45 deg": 45},
    "KEY": {"C#3": 49, "60": 60},
    "PLACE": {"1.5": 1.5},
    "RADIANS": {"2.4": 2.4, "3 rad": 3},
    "SLOPE": {"−3 dB/oct": -3, "4.5 dB": 4.5},
    "COUNT": {"8": 8},
    "OCTAVES": {"−1": -1, "2 oct": 2},
    "TEMPO": {"96 bpm": 96, "120": 120},
    "BEND": {"−40 %": -0.4, "25": 0.25},
}
WRITTEN = {
    "SEMITONES": {7: "+7 st", -0.5: "−0.50 st"}, "CENTS": {12: "+12 ct"}, "PERCENT": {0.125: "12.5 %", 1: "100 %"},
    "DEGREES": {90: "90°"}, "DECIBELS": {-6: "−6.0 dB", -60: "−∞ dB"}, "FACTOR": {2: "×2.00"}, "SLOPE": {-3: "−3.0 dB/oct"},
    "TEMPO": {96: "96.0 bpm"}, "OCTAVES": {-1: "−1 oct"}, "BEND": {-0.4: "−40 %"}, "SECONDS": {0.35: "350 ms", 1.2: "1.20 s"},
    "HERTZ": {2400: "2.40 kHz", 440: "440 Hz"}, "KEY": {49: "C#3"}, "COUNT": {8: "8"},
}  # fmt: skip


def test_every_unit_is_here() -> None:
    assert set(NOUNS) == set(UNITS) == set(READ)


@pytest.mark.parametrize("name", list(UNITS))
def test_a_unit_says_what_it_is_and_how_it_is_written(name: str) -> None:
    unit = UNITS[name]
    with pytest.raises(units.NotReadable) as told:
        unit.read("blue ham")
    assert NOUNS[name] in str(told.value) and "blue ham" in str(told.value)
    examples = re.findall(r"“([^”]+)”", str(told.value).replace("“blue ham”", ""))
    assert examples and str(told.value).endswith(".")
    for example in examples:
        if "/8" not in example:
            assert math.isfinite(float(unit.read(example)))


@pytest.mark.parametrize("name", list(READ))
def test_what_is_typed_is_read_in_its_unit(name: str) -> None:
    for typed, value in READ[name].items():
        assert float(UNITS[name].read(typed)) == pytest.approx(value), typed
    for value, written in WRITTEN.get(name, {}).items():
        assert UNITS[name].write(value) == written.replace(" ", THIN)
