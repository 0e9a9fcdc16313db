"""Limiter: nothing comes out above its ceiling."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import LOG, Param
from felt_dial.patch.units import DECIBELS, SECONDS

AHEAD = (0.0015, 0.0004)
"""Seconds by which each of its two turns hears the sound early, and by which the sound comes late."""
BETWEEN = 6
"""Frames later: what lies between two frames is known from six on either side."""
SHORTEST = 8
"""Frames by which a turn hears early at the least."""


class Limiter(Effect, kind="limiter"):
    """Pushes the sound against a ceiling and holds it there, two milliseconds late."""

    group = "Dynamics"

    picture, levels = "transfer", (-60.0, 6.0)

    gain = Param("Push", 0.0, (-12.0, 24.0), DECIBELS, says="How much louder it is before the ceiling.")
    ceiling = Param("Ceiling", -1.0, (-24.0, 0.0), DECIBELS, says="Nothing comes out above this, true peaks included.")
    release = Param("Release", 0.1, (0.005, 2.0), SECONDS, taper=LOG, says="How slowly it lets go after a peak.")

    def transfer(self, level: NDArray[np.float64]) -> NDArray[np.float64]:
        """dB that come out for dB that go in."""
        return np.minimum(level + self.number("gain"), self.number("ceiling"))

    def reading(self, state: tuple[Any, ...]) -> float:
        """dB by which it turns the sound down now."""
        return 20.0 * math.log10(max(float(state[5][HELD]) * float(state[10][HELD]), 1e-6))

    def late(self, rate: float) -> int:
        """Frames by which the sound comes out late at a rate."""
        return sum(wait + BETWEEN for wait in waits(rate))


def waits(rate: float) -> tuple[int, int]:
    """Frames by which each turn hears the sound early at a rate, besides those that it needs to see between frames."""
    first, second = (max(int(ahead * rate), SHORTEST) for ahead in AHEAD)
    return first, second


WRITE, HELD, SUM, OLDEST, LOWEST, ASKED, AVERAGED = range(7)
