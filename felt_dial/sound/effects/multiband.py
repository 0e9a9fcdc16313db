"""Multiband: three bands, each pressed from above and lifted from below."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import LOG, Param
from felt_dial.patch.units import DECIBELS, HERTZ, PERCENT, PLACE, SECONDS

BANDS = ("low", "middle", "high")
MOST_UP = 24.0
QUIET = -72.0
"""Below this nothing is lifted any more: hiss stays hiss."""


class Multiband(Effect, kind="multiband"):
    """Three bands, each turned down where it is loud and lifted where it is soft; one dial for how deep."""

    group = "Dynamics"

    picture, levels = "bands", (-72.0, 0.0)

    depth = Param("Depth", 0.5, (0.0, 1.0), PERCENT, says="How far all bands are pressed and lifted together.")
    split_low = Param("Low split", 160.0, (40.0, 1000.0), HERTZ, taper=LOG, says="Where the low band ends.")
    split_high = Param("High split", 2500.0, (600.0, 12000.0), HERTZ, taper=LOG, says="Where the high band begins.")
    above = Param("Threshold", -20.0, (-60.0, 0.0), DECIBELS, says="What is louder in its band is turned down.")
    below = Param("Lower threshold", -36.0, (-60.0, 0.0), DECIBELS, says="What is softer in its band is turned up.")
    press = Param("Ratio", 4.0, (1.0, 40.0), PLACE, taper=LOG, says="4 means: 4 dB above come out as 1 dB.")
    lift = Param("Upward ratio", 2.0, (1.0, 10.0), PLACE, taper=LOG, says="2 means: 2 dB below come out as 1 dB.")
    attack = Param("Attack", 0.01, (0.0005, 0.3), SECONDS, taper=LOG, says="Time to 63 % of a change.")
    release = Param("Release", 0.12, (0.01, 2.0), SECONDS, taper=LOG, says="Time to let go of 63 % of it.")
    low = Param("Low", 0.0, (-18.0, 18.0), DECIBELS, says="How loud the low band comes out.")
    middle = Param("Middle", 0.0, (-18.0, 18.0), DECIBELS, says="How loud the middle band comes out.")
    high = Param("High", 0.0, (-18.0, 18.0), DECIBELS, says="How loud the high band comes out.")

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return f"depth {self.params['depth'].write(self.get('depth'))}"


def band_curve(level: ArrayLike, above: float, below: float, press: float, lift: float) -> NDArray[np.float64]:
    """dB by which a band of a level (dB) is moved at full depth: down where it is loud, up where it is soft."""
    x = np.asarray(level, np.float64)
    down = np.minimum(0.0, (above - x) * (1.0 - 1.0 / press))
    up = np.clip((min(below, above) - x) * (1.0 - 1.0 / lift), 0.0, MOST_UP)
    return np.asarray(down + np.where(x < QUIET, 0.0, up))
