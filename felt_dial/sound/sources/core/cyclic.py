"""What sources share that read single cycles: where a note begins in them, and how its tuning drifts."""

from __future__ import annotations

from felt_dial.patch.params import CUBIC, Choice, Param
from felt_dial.patch.units import CENTS, DEGREES
from felt_dial.sound.sources.core.unison import Unison


class Cyclic(Unison):
    """A source that goes round a cycle, in as many voices as wished."""

    drift = Param(
        "Drift", 0.0, (0.0, 50.0), CENTS, taper=CUBIC, says="How far each voice's tuning wanders, slowly, by chance."
    )
    phase = Param(
        "Phase",
        0.0,
        (0.0, 360.0),
        DEGREES,
        wraps=True,
        says="Where in its cycle it begins, and how far it is turned on.",
    )
    start = Choice(
        "Starts",
        "fixed",
        {"fixed": "At its phase", "free": "Anywhere"},
        says="Every note at the same phase, or by chance.",
    )
