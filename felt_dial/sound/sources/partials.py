"""Partials: a recording, or drawn harmonics, made anew from sines that each go their own way."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BeforeValidator

from felt_dial.patch.asset import Asset
from felt_dial.patch.params import CUBIC, Param, Switch
from felt_dial.patch.units import BEND, COUNT, PERCENT, PLACE, SECONDS, SEMITONES, SLOPE, SPEED, note_frequency
from felt_dial.sound.matter.analysis import MOST_PARTIALS
from felt_dial.sound.sources.core.unison import Unison
from felt_dial.sound.sources.sample import key_cents, key_root


def _drawn(value: object) -> tuple[float, ...]:
    if not isinstance(value, list | tuple) or not 1 <= len(value) <= 64:
        raise ValueError("1 to 64 harmonics can be drawn")
    if not all(isinstance(x, int | float) and 0.0 <= x <= 1.0 for x in value):
        raise ValueError("drawn harmonics are between 0 and 1")
    return tuple(float(x) for x in value)


class Partials(Unison, kind="partials"):
    """Up to 256 sines that follow a recording, at their own speed, stretched, thinned, tilted; or drawn harmonics."""

    picture, order = "partials", 5

    position = Param("Position", 0.0, (0.0, 1.0), PERCENT, says="Where in the recording a note begins.")
    speed = Param("Speed", 1.0, (0.0, 4.0), SPEED, says="How fast the recording goes by; 0 stands still.")
    slow = Param(
        "Slow-down",
        0.0,
        (0.0, 20.0),
        SECONDS,
        taper=CUBIC,
        says="Time in which the speed falls to a third, until the sound stands for ever; 0 keeps its speed.",
    )
    life = Param(
        "Life", 0.15, (0.0, 1.0), PERCENT, says="How much each sine wanders by itself, so that standing sound lives."
    )
    partials = Param("Partials", 128, (1, MOST_PARTIALS), COUNT, whole=True, says="How many sines there may be.")
    stretch = Param("Stretch", 0.0, (-0.5, 0.5), BEND, says="Spreads the partials apart, or draws them together.")
    shift = Param("Shift", 0.0, (-1.0, 1.0), PLACE, says="Moves all partials by a part of the fundamental.")
    tilt = Param("Tilt", 0.0, (-12.0, 12.0), SLOPE, says="Makes high partials louder or softer.")
    odd_even = Param("Odd, even", 0.0, (-1.0, 1.0), BEND, says="Below 0 takes even partials away, above 0 odd ones.")
    formant = Param(
        "Formants", 0.0, (-24.0, 24.0), SEMITONES, says="Moves the colour of the sound and leaves its pitch."
    )
    blur = Param("Blur", 0.0, (0.0, 1.0), PERCENT, says="Lets each sine hear another moment of the recording.")
    residue = Param(
        "Residue",
        0.0,
        (0.0, 2.0),
        PERCENT,
        says="How loud the recording's own noise is beside the sines, which then leave it alone; 100 % is as recorded.",
    )
    root = key_root()
    cents = key_cents()
    loop = Switch("Round again", False, says="Begins anew where the recording ends.")
    asset: Asset | None = None
    drawn: Annotated[tuple[float, ...], BeforeValidator(_drawn)] = tuple(1.0 / n for n in range(1, 17))

    def at_rest(self) -> dict[str, tuple[str, str]]:
        """Drawn harmonics have no time, and no noise between them."""
        found = super().at_rest()
        if self.asset is None:
            found |= dict.fromkeys(
                ("position", "speed", "slow", "blur", "loop"), ("asset", "drawn harmonics never change")
            )
            found["residue"] = "asset", "drawn harmonics have no noise between them"
        return found

    def lasts(self, name: str) -> tuple[float, float] | None:
        placed = self.asset is not None and name in ("position",)
        return (self.asset.seconds, self.asset.frames) if placed and self.asset else None

    def substance(self) -> tuple[object, ...]:
        return (self.asset,)

    def shaped(self) -> tuple[object, ...]:
        return self.drawn, self.get("root") if self.asset else 0, self.get("cents") if self.asset else 0

    def fundamental(self) -> float:
        """Hertz of the recording's root."""
        return note_frequency(self.number("root") + self.number("cents") / 100)

    def gist(self) -> str:
        return self.asset.name if self.asset else f"{len(self.drawn)} drawn"

    def place(self, state: Any, row: int) -> float:
        return float(state.ages[row, AT] / max(state.tracks.octaves.shape[0] - 1, 1)) if self.asset else -1.0


AT, AGE, FRESH, BEGAN, LAID = range(5)
