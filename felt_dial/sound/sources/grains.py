"""Grains: a recording as a cloud; pitch follows the key, time does not."""

from __future__ import annotations

import math
from typing import Annotated, Any

from pydantic import BeforeValidator

from felt_dial.patch.asset import Asset
from felt_dial.patch.module import Source
from felt_dial.patch.params import LOG, Choice, Param, Switch
from felt_dial.patch.units import COUNT, DECIBELS, PERCENT, RATE, SECONDS, SEMITONES, SPEED
from felt_dial.sound.sources.core.travel import STRAIGHT, Curve, checked
from felt_dial.sound.sources.sample import key_cents, key_root


class Grains(Source, kind="grains"):
    """A cloud of short pieces of a recording: its pitch follows the key, its time goes its own way."""

    picture, order = "grains", 4

    position = Param("Position", 0.0, (0.0, 1.0), PERCENT, says="Where in the sample the cloud begins, or stands.")
    size = Param("Size", 0.08, (0.004, 2.0), SECONDS, taper=LOG, beats=True, says="How long a grain is.")
    rate = Param("Density", 40.0, (0.1, 1000.0), RATE, taper=LOG, beats=True, says="How many grains begin in a second.")
    count = Param(
        "Count", 4.0, (0.5, 64.0), COUNT, taper=LOG, says="How many grains sound at once, while they are counted."
    )
    window = Param("Window", 0.0, (0.0, 1.0), PERCENT, says="How hard a grain begins and ends: from soft to a cut.")
    speed = Param("Speed", 1.0, (-4.0, 4.0), SPEED, says="How fast the cloud moves through the sample; 0 stands still.")
    passes = Param(
        "Passes", 0.25, (0.01, 20.0), RATE, taper=LOG, beats=True, says="How often the whole sample goes by."
    )
    loop_start = Param("Loop start", 0.0, (0.0, 1.0), PERCENT, says="Where the way of the cloud begins again.")
    loop_end = Param("Loop end", 1.0, (0.0, 1.0), PERCENT, says="Where the way of the cloud turns or begins again.")
    by_place = Param("Place by", 0.01, (0.0, 1.0), PERCENT, says="How far each grain's place is left to chance.")
    by_pitch = Param("Pitch by", 0.0, (0.0, 24.0), SEMITONES, says="How far each grain's pitch is left to chance.")
    by_pan = Param("Pan by", 0.3, (0.0, 1.0), PERCENT, says="How far to the sides grains are thrown.")
    by_size = Param("Size by", 0.0, (0.0, 1.0), PERCENT, says="How far each grain's size is left to chance.")
    by_level = Param("Level by", 0.0, (0.0, 24.0), DECIBELS, says="How much softer a grain may be, by chance.")
    length = Param(
        "Travel time", 4.0, (0.05, 60.0), SECONDS, taper=LOG, beats=True, says="How long the travel curve lasts."
    )
    root = key_root()
    cents = key_cents()
    scan = Choice(
        "Moves by",
        "speed",
        {"speed": "Speed", "passes": "Passes", "travel": "Travel curve"},
        says="By a speed, in so many passes of the whole sample, or along the drawn curve.",
    )
    dense = Choice(
        "Grains by", "rate", {"rate": "Density", "count": "Count"}, says="So many a second, or so many at once."
    )
    way = Choice(
        "Direction", "forward", {"forward": "Forward", "back": "There and back"}, says="How the way goes on at its end."
    )
    begins = Choice(
        "Travel begins",
        "note",
        {"note": "Each note", "first": "First of a line", "free": "By itself"},
        says="With each note, with the first of overlapping notes, or never anew.",
    )
    track = Switch(
        "Follows key", True, says="Keys play the grains higher or lower; off, every key plays them as recorded."
    )
    needs_matter = True
    asset: Asset | None = None
    curve: Annotated[Curve, BeforeValidator(checked)] = STRAIGHT

    def at_rest(self) -> dict[str, tuple[str, str]]:
        """What moves the cloud, and what counts its grains."""
        moves, dense = str(self.get("scan")), str(self.get("dense"))
        used = {"speed": ("speed",), "passes": ("speed", "passes"), "travel": ("length",)}[
            moves
        ]  # of passes, speed is the way
        rest = [name for name in ("speed", "passes", "length") if name not in used]
        found = dict.fromkeys(rest, ("scan", "the cloud moves otherwise"))
        found["count" if dense == "rate" else "rate"] = "dense", "grains are counted otherwise"
        return found

    def lasts(self, name: str) -> tuple[float, float] | None:
        placed = self.asset is not None and name in ("position", "loop_start", "loop_end", "by_place")
        return (self.asset.seconds, self.asset.frames) if placed and self.asset else None

    def substance(self) -> tuple[object, ...]:
        return (self.asset,)

    def shaped(self) -> tuple[object, ...]:
        return (self.curve,)

    def gist(self) -> str:
        return self.asset.name if self.asset else "no sample yet"

    def place(self, state: Any, row: int) -> float:
        return float(state.clocks[row, PLACE] / max(state.recording.sizes[0] - 1, 1))

    def falls_short(self, state: Any) -> float:
        return 10 * math.log10(state.crowd[THINNED])


NEXT, MOVED, CLOCK, BORN, PLACE = range(5)
RAN, LEFT_ALIVE, THINNED = range(3)
