"""Wave: the classic shapes, band-limited, from one to the next without a step."""

from __future__ import annotations

from felt_dial.patch.params import Param
from felt_dial.patch.units import PERCENT, PLACE, SEMITONES
from felt_dial.sound.sources.core.cyclic import Cyclic


class Wave(Cyclic, kind="wave"):
    """A steady wave from sine over triangle and saw to pulse, with every harmonic the rate can carry and none beyond."""

    picture, order = "wave", 1

    shape = Param(
        "Shape",
        2.0,
        (0.0, 3.0),
        PLACE,
        names={"sine": 0.0, "triangle": 1.0, "saw": 2.0, "pulse": 3.0},
        says="Which harmonics the wave has, from none over odd ones to all.",
    )
    width = Param("Width", 0.5, (0.02, 0.98), PERCENT, says="How much of a pulse's cycle is high; others ignore it.")
    sync = Param(
        "Sync",
        0.0,
        (0.0, 48.0),
        SEMITONES,
        says="How far the wave runs above the pitch while a hidden one at the pitch starts it anew; 0 is off.",
    )

    def gist(self) -> str:
        return self.params["shape"].write(self.get("shape"))
