"""Typed values: every form a designer writes, and what is refused in place."""

from __future__ import annotations

import math
from random import Random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from felt_dial.patch import units as u
from felt_dial.patch.module import Effect, Filter, Modulator, Source
from felt_dial.patch.params import CUBIC, LOG, OutOfRange, Param
from felt_dial.patch.parts import Bus, Layer, Macro, Route, depth_param
from felt_dial.patch.patch import Patch
from felt_dial.patch.shaping import Shaper
from felt_dial.patch.units import MINUS, THIN, Beats, NotReadable

CUTOFF = Param("Cutoff", 1000.0, (20.0, 20000.0), u.HERTZ, taper=LOG, says="")
TIME = Param("Time", 0.5, (0.001, 4.0), u.SECONDS, taper=LOG, beats=True, says="")
ATTACK = Param("Attack", 0.0, (0.0, 20.0), u.SECONDS, taper=CUBIC, says="")
LEVEL = Param("Level", 0.0, (-60.0, 6.0), u.DECIBELS, says="")
WET = Param("Wet", 0.3, (0.0, 1.0), u.PERCENT, says="")
PITCH = Param("Pitch", 0.0, (-36.0, 36.0), u.SEMITONES, says="")
FINE = Param("Fine", 0.0, (-100.0, 100.0), u.CENTS, says="")
RATE = Param("Rate", 2.0, (0.01, 50.0), u.RATE, taper=LOG, beats=True, says="")
OCTAVE = Param("Octave", 0, (-4, 4), u.OCTAVES, whole=True, says="")


@pytest.mark.parametrize(
    ("param", "text", "value"),
    [
        (CUTOFF, "2.4k", 2400.0),
        (CUTOFF, "440", 440.0),
        (CUTOFF, "1.2 kHz", 1200.0),
        (CUTOFF, "A4", 440.0),
        (LEVEL, "-6 dB", -6.0),
        (LEVEL, f"{MINUS}6{THIN}dB", -6.0),
        (LEVEL, "off", -60.0),
        (LEVEL, "-3,5", -3.5),
        (PITCH, "+7 st", 7.0),
        (PITCH, "1 oct", 12.0),
        (PITCH, "50 ct", 0.5),
        (FINE, "12 ct", 12.0),
        (ATTACK, "350 ms", 0.35),
        (ATTACK, "1.2 s", 1.2),
        (ATTACK, ".5", 0.5),
        (WET, "40 %", 0.4),
        (WET, "12.5", 0.125),
        (TIME, "1/8d", Beats(0.75)),
        (TIME, "1/4t", Beats(2 / 3)),
        (TIME, "3 beats", Beats(3.0)),
        (RATE, "5.2 Hz", 5.2),
    ],
)
def test_a_typed_form_is_read(param: Param, text: str, value: object) -> None:
    found = param.read(text)
    if isinstance(value, Beats):
        assert isinstance(found, Beats) and math.isclose(found.count, value.count)
    else:
        assert found == pytest.approx(value)


def test_c_sharp_3_is_scientific_pitch() -> None:
    """C4 is key 60 (scientific pitch notation); C#3 is eleven semitones below it."""
    assert CUTOFF.read("C#3") == pytest.approx(440.0 * 2 ** ((49 - 69) / 12))
    assert u.note_name(60) == "C4" and u.read_note("c4") == 60 and u.read_note("Bb2") == 46


def test_a_dotted_eighth_is_three_quarters_of_a_beat_and_a_triplet_eighth_a_third() -> None:
    """Common practice."""
    assert u.read_beats("1/8d") == Beats(0.75)
    assert u.read_beats("1/8t").count == pytest.approx(1 / 3)  # type: ignore[union-attr]
    assert Beats(0.75).seconds(96) == pytest.approx(0.75 * 60 / 96)
    assert TIME.resolve(Beats(0.75), 120) == pytest.approx(0.375)
    assert RATE.resolve(Beats(0.5), 120) == pytest.approx(4.0)


@pytest.mark.parametrize(
    ("param", "text", "word"),
    [
        (CUTOFF, "loud", "2.4k"),
        (CUTOFF, "3 st", "2.4k"),
        (CUTOFF, "99k", "20.0"),
        (ATTACK, "-1", "20.0"),
        (WET, "140", "100"),
        (ATTACK, "1/8", "350 ms"),
        (LEVEL, "nan", "dB"),
        (CUTOFF, "1e999", "2.4k"),
        (WET, "", "40"),
    ],
)
def test_what_cannot_be_read_is_refused_with_what_would_be(param: Param, text: str, word: str) -> None:
    with pytest.raises((NotReadable, OutOfRange)) as wrong:
        param.read(text)
    assert word in str(wrong.value)


@pytest.mark.parametrize("bad", [True, "x", None, float("nan"), float("inf"), 1e9, {"beats": 1.0}, {"beats": "x"}, [1]])
def test_a_value_of_the_wrong_kind_is_refused(bad: object) -> None:
    with pytest.raises(OutOfRange):
        CUTOFF.check(bad)


def test_whole_numbers_stay_whole() -> None:
    assert OCTAVE.check(2.0) == 2 and isinstance(OCTAVE.check(2.0), int)
    with pytest.raises(OutOfRange):
        OCTAVE.check(1.5)


@pytest.mark.parametrize("param", [CUTOFF, TIME, ATTACK, LEVEL, WET, PITCH, FINE, RATE, OCTAVE])
@given(place=st.floats(0, 1))
def test_what_is_shown_can_be_typed_back(param: Param, place: float) -> None:
    """To the digits shown: three significant ones, or a tenth of a decibel or a percent."""
    value = param.at(place)
    shown = param.write(value)
    again = param.read(shown)
    assert param.write(again) == shown
    assert float(again) == pytest.approx(float(value), rel=0.006, abs=0.06)  # type: ignore[arg-type]


@pytest.mark.parametrize("param", [CUTOFF, TIME, ATTACK, LEVEL, WET, PITCH, RATE])
@given(place=st.floats(0, 1))
def test_a_dial_stands_where_its_value_is(param: Param, place: float) -> None:
    assert param.position(param.at(place)) == pytest.approx(place, abs=1e-9)


def test_every_division_has_a_place_and_a_name() -> None:
    for name, count in u.DIVISIONS.items():
        assert u.division_name(count) == name
        assert TIME.at(TIME.position(Beats(count)), in_beats=True) == Beats(count)


def test_a_length_between_two_divisions_stands_between_them_and_is_as_long_in_beats() -> None:
    dotted, whole = TIME.position(Beats(0.75)), TIME.position(Beats(1.0))
    assert dotted < TIME.position(Beats(0.85)) < whole
    assert TIME.position(Beats(1e-4)) == 0.0 and TIME.position(Beats(99.0)) == 1.0
    assert TIME.in_beats(0.375, 120).count == pytest.approx(0.75)
    assert RATE.in_beats(4.0, 120).count == pytest.approx(0.5)


def test_a_minus_is_a_minus_and_zero_has_none() -> None:
    assert u.number(-0.04, 1) == "0.0" and u.number(-6, 1) == f"{MINUS}6.0"
    assert u.DECIBELS.write(-60.0) == f"{MINUS}∞{THIN}dB"
    assert u.HERTZ.write(2400) == f"2.40{THIN}kHz" and u.SECONDS.write(0.35) == f"350{THIN}ms"


def test_depths_are_in_the_destinations_own_unit() -> None:
    assert CUTOFF.unit.depth.read("+24 st") == 24.0 and CUTOFF.unit.amount(24.0) == 2.0
    assert RATE.unit.depth.read("×4") == 4.0 and RATE.unit.amount(4.0) == 2.0


@pytest.mark.parametrize(
    ("unit", "value", "written"),
    [
        (u.OCTAVES, 0.25, "+0.25 oct"),
        (u.OCTAVES, 1.5, "+1.50 oct"),
        (u.OCTAVES, -2.0, "−2 oct"),
        (u.COUNT, 0.5, "0.5"),
        (u.COUNT, 8.0, "8"),
        (u.DEGREES, 22.5, "22.5°"),
        (u.BEND, 0.125, "+12.5 %"),
    ],
)
def test_a_value_with_few_digits_is_written_in_full(unit: u.Unit, value: float, written: str) -> None:
    assert unit.write(value).replace(THIN, " ") == written


# --- what a dial shows can be typed back -----------------------------------------------------------


def dials() -> list[tuple[str, Param]]:
    """Every dial of every kind of module, and the depth of a thread on each that can be moved."""
    kinds = [cls for family in (Source, Filter, Modulator, Effect) for cls in family.kinds.values()]
    found = []
    for cls in (Patch, Layer, Bus, Route, Macro, Shaper, *kinds):
        for name, param in cls.params.items():
            if isinstance(param, Param):
                found.append((f"{cls.__name__} {name}", param))
                if param.movable:
                    found.append((f"{cls.__name__} {name} depth", depth_param(param)))
    return found


def test_what_a_dial_shows_is_read_back_to_its_last_digit() -> None:
    """A thousand values of every dial: its ends, places of its way, and counts of beats."""
    lots = Random(3)
    for name, param in dials():
        values: list[u.Value] = [param.low, param.high]
        values += [param.at(lots.random() ** lots.choice((1, 3))) for _ in range(998 if "depth" not in name else 200)]
        if param.beats:
            values += [u.Beats(count) for count in u.DIVISIONS.values()]
        for value in values:
            shown = param.write(value)
            assert param.write(param.read(shown, value)) == shown, (name, value)
            if name.endswith("depth") and not isinstance(value, u.Beats):
                signed = param.unit.write_signed(float(value))
                assert param.unit.write_signed(float(param.read(signed))) == signed, (name, value)


@pytest.mark.parametrize(
    ("param", "now", "text", "expected"),
    [
        (Param("Density", 40.0, (0.1, 1000.0), u.RATE, says=""), 40.0, "1 kHz", 1000.0),
        (Param("Feedback", 0.0, (-0.95, 0.95), u.PERCENT, says=""), 0.0, "95 %", 0.95),
        (Param("Time", 1.0, (0.0, 60.0), u.SECONDS, beats=True, says=""), 1.0, "4 bars", u.Beats(16.0)),
        (Param("Time", 1.0, (0.0, 60.0), u.SECONDS, beats=True, says=""), u.Beats(1.0), "*2", u.Beats(2.0)),
        (Param("Cutoff", 800.0, (20.0, 20000.0), u.HERTZ, says=""), 800.0, "*2", 1600.0),
        (Param("Cutoff", 800.0, (20.0, 20000.0), u.HERTZ, says=""), 800.0, "/2", 400.0),
        (Param("Cutoff", 800.0, (20.0, 20000.0), u.HERTZ, says=""), 800.0, "×0.5", 400.0),
        (Param("Cutoff", 800.0, (20.0, 20000.0), u.HERTZ, says=""), 800.0, "+3", 803.0),
        (Param("Cutoff", 800.0, (20.0, 20000.0), u.HERTZ, says=""), 800.0, "−300 Hz", 500.0),
        (Param("Cutoff", 800.0, (20.0, 20000.0), u.HERTZ, says=""), 800.0, "=300", 300.0),
        (Param("Ratio", 2.0, (0.25, 64.0), u.FACTOR, says=""), 2.0, "×0.5", 0.5),
        (Param("Ratio", 2.0, (0.25, 64.0), u.FACTOR, says=""), 2.0, "*0.5", 1.0),
        (Param("Steps", 4, (1, 64), u.COUNT, whole=True, says=""), 4, "*2", 8),
        (PITCH, 7.0, "+3", 3.0),
        (PITCH, 7.0, "-3", -3.0),
        (PITCH, 7.0, "*2", 14.0),
    ],
)
def test_small_sums_are_read(param: Param, now: u.Value, text: str, expected: u.Value) -> None:
    assert param.read(text, now) == expected
