"""Noise: of any slope, as wide as wished, held in steps if wished, or a texture that goes round."""

from __future__ import annotations

from felt_dial.patch.asset import Asset
from felt_dial.patch.module import Source
from felt_dial.patch.params import LOG, Param, Switch
from felt_dial.patch.units import FACTOR, HERTZ, PERCENT, SLOPE

STEEPEST = 12.0


class Noise(Source, kind="noise"):
    """Noise of any slope, from a rumble over white to hiss; or a texture, a recording that goes round."""

    picture, order = "noise", 6

    slope = Param(
        "Slope", 0.0, (-STEEPEST, STEEPEST), SLOPE, says="How the noise rises or falls by octave: 0 is white, −3 pink."
    )
    width = Param("Width", 1.0, (0.0, 1.0), PERCENT, says="How different left and right are.")
    hold = Switch("Hold", False, says="Holds each value of the noise for a while, in steps.")
    rate = Param("Hold rate", 2000.0, (20.0, 20000.0), HERTZ, taper=LOG, says="How many steps a second.")
    follow = Switch("Follows key", False, says="The steps, or the texture, follow the pitch of the note.")
    ratio = Param("Steps a turn", 8.0, (0.25, 64.0), FACTOR, taper=LOG, says="Steps in one turn of the note.")
    asset: Asset | None = None

    def at_rest(self) -> dict[str, tuple[str, str]]:
        """Steps have a rate or follow the key; without them neither does anything."""
        if not self.get("hold"):
            return dict.fromkeys(("rate", "follow", "ratio"), ("hold", "Hold is off"))
        other = "rate" if self.get("follow") else "ratio"
        return {
            other: ("follow", "the steps follow the key" if self.get("follow") else "the steps do not follow the key")
        }

    def substance(self) -> tuple[object, ...]:
        return (self.asset,)

    def gist(self) -> str:
        return self.asset.name if self.asset else self.params["slope"].write(self.get("slope"))
