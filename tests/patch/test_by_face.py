"""A bare number is in the unit that stands on the face of the dial, where it can be; elsewhere in the unit of the trade."""

from __future__ import annotations

import pytest

from felt_dial.patch.params import OutOfRange, Param
from felt_dial.patch.units import DECIBELS, FACTOR, HERTZ, PERCENT, SECONDS, SEMITONES, Unit


@pytest.mark.parametrize(
    ("unit", "span", "shown", "typed", "value"),
    [
        (SECONDS, (0.0, 10.0), 0.3, "274", 0.274),
        (SECONDS, (0.0, 10.0), 0.3, "0.5 s", 0.5),
        (SECONDS, (0.0, 10.0), 2.0, "3", 3.0),
        (SECONDS, (0.0, 10.0), 0.0, "5", 0.005),
        (SECONDS, (0.0, 10.0), 0.3, "*2", 0.6),
        (HERTZ, (20.0, 20000.0), 8000.0, "5", 5000.0),
        (HERTZ, (20.0, 20000.0), 8000.0, "274", 274.0),
        (HERTZ, (20.0, 20000.0), 620.0, "900", 900.0),
        (PERCENT, (0.0, 1.0), 0.5, "76", 0.76),
        (PERCENT, (0.0, 1.0), 0.5, "0.76", 0.0076),
        (DECIBELS, (-60.0, 12.0), -12.0, "-6", -6.0),
        (SEMITONES, (-48.0, 48.0), 12.0, "7", 7.0),
        (FACTOR, (0.0, 8.0), 1.5, "2", 2.0),
    ],
)
def test_a_bare_number_is_in_the_unit_of_the_face(
    unit: Unit, span: tuple[float, float], shown: float, typed: str, value: float
) -> None:
    param = Param("Dial", shown, span, unit, says="")
    assert param.read(typed, shown, by_face=True) == pytest.approx(value)


def test_what_is_not_typed_over_a_face_does_not_hang_on_what_stands_there() -> None:
    param = Param("Attack", 0.3, (0.0, 10.0), SECONDS, says="")
    assert param.read("2", 0.3) == param.read("2", 3.0) == 2.0
    with pytest.raises(OutOfRange):
        param.read("274", 2.0, by_face=True)


def test_a_part_of_one_where_per_cent_stand_is_said() -> None:
    assert PERCENT.meant_otherwise("0.76").replace("\u2009", " ") == "for 76 % type 76"
    assert PERCENT.meant_otherwise("1").replace("\u2009", " ") == "for 100 % type 100"
    assert [PERCENT.meant_otherwise(text) for text in ("76", "0", "0.5 %", "loud")] == [""] * 4
    assert SECONDS.meant_otherwise("0.5") == ""
