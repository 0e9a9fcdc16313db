"""Curve: a long drawn line, in seconds or bars, that goes once with a note or keeps a part of it going round."""

from __future__ import annotations

from felt_dial.patch.drawn import LINE, STRAIGHT, Drawn, Rows
from felt_dial.patch.module import Modulator
from felt_dial.patch.params import CUBIC, LOG, Choice, Param
from felt_dial.patch.units import COUNT, PERCENT, SECONDS

SWELL: Rows = ((0.0, 0.0, -0.4), (0.6, 1.0, 0.0), (0.66, 0.12, 0.3), (1.0, 0.0, 0.0))


def _bursts(places: list[float], width: float, tail: float) -> Rows:
    rows: list[tuple[float, ...]] = []
    for n, place in enumerate(places):
        end = 1.0 if n == len(places) - 1 else min(place + width, places[n + 1])
        rows += [(place, 1.0, 0.5 if n < len(places) - 1 else tail), (end, 0.0, 0.0)]
    return tuple(rows)


READY: dict[str, Rows] = {
    "Swell and drop": SWELL,
    "Two hills": ((0.0, 0.0, 0.3), (0.22, 1.0, -0.3), (0.45, 0.1, 0.3), (0.7, 0.75, -0.3), (1.0, 0.0, 0.0)),
    "Fast fall": ((0.0, 1.0, 0.85), (1.0, 0.0, 0.0)),
    "Strike, rise, tail": ((0.0, 1.0, 0.7), (0.08, 0.15, -0.4), (0.4, 0.8, 0.2), (0.55, 0.6, 0.5), (1.0, 0.0, 0.0)),
    "Bursts": _bursts([0.0, 0.12, 0.24, 0.36], 0.1, 0.6),
    "Denser stutter": _bursts([0.0, 0.24, 0.43, 0.58, 0.7, 0.79, 0.86, 0.91, 0.95], 0.03, 0.0),
    "Riser": ((0.0, 0.0, -0.5), (1.0, 1.0, 0.0)),
    "Faller": ((0.0, 1.0, -0.25), (1.0, 0.0, 0.0)),
    "Straight": STRAIGHT,
}


class Curve(Modulator, kind="curve"):
    """A line drawn on a long canvas, from 0 to 1, that begins with a note."""

    picture, order = "line", 3

    tag, dye = "C", "lichen"
    shapes_levels = True

    length = Param("Length", 2.0, (0.02, 60.0), SECONDS, taper=LOG, beats=True, says="How long the whole line lasts.")
    start = Choice(
        "Start",
        "per note",
        {"per note": "Per note", "first note": "First note"},
        rebuilds=True,
        says="Every note has its own, or it begins for all when none was held.",
    )
    loop = Choice(
        "Loop",
        "off",
        {"off": "No loop", "held": "While held", "on": "For ever"},
        says="Whether the part between the two marks goes round.",
    )
    loop_from = Param("Loop from", 0.25, (0.0, 1.0), PERCENT, says="Where the loop begins.")
    loop_to = Param("Loop to", 0.75, (0.0, 1.0), PERCENT, says="Where the loop goes back.")
    smooth = Param("Smooth", 0.0, (0.0, 1.0), SECONDS, taper=CUBIC, says="Rounds its corners and jumps.")
    grid = Param("Grid", 8, (1, 64), COUNT, whole=True, movable=False, says="Columns that points snap to.")
    snap = Choice("Snap", "off", {"off": "Free", "on": "To the grid"}, says="Whether points snap to the grid.")
    line = Drawn("Curve", SWELL, LINE, least=2, most=64, says="The line itself.")

    def at_rest(self) -> dict[str, tuple[str, str]]:
        """Where it does not loop, the loop has no ends."""
        return (
            dict.fromkeys(("loop_from", "loop_to"), ("loop", "there is no loop")) if self.get("loop") == "off" else {}
        )

    def shared(self) -> bool:
        """A first-note curve is one for all notes."""
        return bool(self.start == "first note")
