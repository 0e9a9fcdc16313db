"""Compressor: makes what is above a threshold softer, by a ratio."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import CUBIC, LOG, Param
from felt_dial.patch.units import DECIBELS, HERTZ, PERCENT, PLACE, SECONDS

AHEAD = 0.01


class Compressor(Effect, kind="compressor"):
    """Turns down what is louder than a threshold, and all of it up again if you like."""

    group = "Dynamics"

    picture, levels = "transfer", (-60.0, 0.0)

    threshold = Param("Threshold", -18.0, (-60.0, 0.0), DECIBELS, says="From where on it works.")
    ratio = Param("Ratio", 4.0, (1.0, 40.0), PLACE, taper=LOG, says="4 means: 4 dB above come out as 1 dB.")
    knee = Param("Knee", 6.0, (0.0, 24.0), DECIBELS, says="Over how many dB it sets in.")
    attack = Param("Attack", 0.008, (0.0, 0.5), SECONDS, taper=CUBIC, says="Time to 63 % of what it turns down.")
    release = Param("Release", 0.12, (0.005, 3.0), SECONDS, taper=LOG, says="Time to let go of 63 % of it.")
    ahead = Param(
        "Look-ahead",
        0.0,
        (0.0, AHEAD),
        SECONDS,
        movable=False,
        rebuilds=True,
        says="How long before a peak it begins to turn down.",
    )
    side_cut = Param("Side low cut", 20.0, (20.0, 2000.0), HERTZ, taper=LOG, says="What is below does not work it.")
    makeup = Param("Make-up", 0.0, (-12.0, 24.0), DECIBELS, says="How much louder all of it comes out.")
    wet = Param("Wet", 1.0, (0.0, 1.0), PERCENT, says="How much of the compressed sound, beside the plain one.")

    def transfer(self, level: NDArray[np.float64]) -> NDArray[np.float64]:
        """dB that come out for dB that go in."""
        out = static_curve(level, self.number("threshold"), self.number("ratio"), self.number("knee"))
        return np.asarray(out + self.number("makeup"))

    def reading(self, state: tuple[Any, ...]) -> float:
        """dB by which it turns the sound down now."""
        return -float(state[1][REDUCED])

    def late(self, rate: float) -> int:
        """Frames by which the sound comes out late at a rate."""
        return int(float(np.float32(self.ahead)) * rate)

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return f"{float(self.ratio):.1f} : 1 from {self.params['threshold'].write(self.get('threshold'))}"


WRITE, LOW_LEFT, LOW_RIGHT, PEAK, REDUCED = range(5)


def static_curve(level: ArrayLike, threshold: float, ratio: float, knee: float) -> NDArray[np.float64]:
    """Level out for a level in, both dB, before make-up (Giannoulis, Massberg, Reiss, JAES 60(6), 2012, eq. 4)."""
    x = np.asarray(level, np.float64)
    over = x - threshold
    soft = x + (1 / ratio - 1) * (over + knee / 2) ** 2 / max(2 * knee, 1e-9)
    hard = threshold + over / ratio
    return np.where(2 * over < -knee, x, np.where((2 * np.abs(over) <= knee) & (knee > 0), soft, hard))
