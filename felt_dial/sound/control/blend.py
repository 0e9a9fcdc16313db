"""Blend: two modulators made one."""

from __future__ import annotations

from felt_dial.patch.module import Modulator
from felt_dial.patch.params import Choice, Param
from felt_dial.patch.units import PERCENT


class Blend(Modulator, kind="blend"):
    """Two movers multiplied, crossfaded by a third, added, compared, or one let through by the other."""

    picture, order = "blend", 6

    tag, dye, most = "B", "ink", 4
    shapes_levels = True
    inputs = ("first", "second", "third")

    way = Choice(
        "Type",
        "times",
        {
            "times": "Multiplied",
            "fade": "Crossfaded",
            "larger": "The larger",
            "smaller": "The smaller",
            "sum": "Added",
            "gate": "Gated",
        },
        says="What becomes of the two; each is read from 0 to 1.",
    )
    gate = Param("Gate at", 0.5, (0.0, 1.0), PERCENT, says="Gated: the first passes while the second is above this.")
    first: str = ""
    second: str = ""
    third: str = ""

    def at_rest(self) -> dict[str, tuple[str, str]]:
        """Only a gate has a threshold."""
        return {} if self.get("way") == "gate" else {"gate": ("way", "nothing is gated")}


def blend_value(way: str, a: float, b: float, c: float, gate: float) -> float:
    """What a blend makes of three values from 0 to 1, by its definition."""
    return {
        "times": a * b,
        "fade": a + (b - a) * c,
        "larger": max(a, b),
        "smaller": min(a, b),
        "sum": min(a + b, 1.0),
        "gate": a if b > gate else 0.0,
    }[way]
