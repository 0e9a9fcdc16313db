"""Shelf: lifts or lowers what is below or above a frequency.

The topology-preserving form of V. Zavalishin, The Art of VA Filter Design (rev. 2.1.2, chapter 4):
the bilinear transform of the analogue prototype, exact at the cutoff, calm when the cutoff moves.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Tuned
from felt_dial.patch.params import Choice, Param
from felt_dial.patch.units import DECIBELS
from felt_dial.sound.tone.core.cutoff import hertz, now_or_set, prototype
from felt_dial.sound.tone.state_variable import BUTTERWORTH_12


class Shelf(Tuned, kind="shelf", title="Shelf"):
    """Lifts or lowers everything below or above its cutoff; resonance sharpens the step."""

    side = Choice("Side", "low", {"low": "Below", "high": "Above"}, says="Which side of the cutoff is moved.")
    lift = Param("Lift", 6.0, (-24.0, 24.0), DECIBELS, says="How far the shelf is lifted or lowered.")

    def gain(
        self, frequency: ArrayLike, rate: float, now: Mapping[str, float] | None = None, pitch: float = 60.0
    ) -> NDArray[np.float64]:
        """Gain (linear) at each frequency: the Audio EQ Cookbook's shelves."""
        s = prototype(frequency, hertz(self, now, pitch), rate)
        a = 10 ** (now_or_set(self, now, "lift") / 40)
        q = BUTTERWORTH_12 * 4.0 ** now_or_set(self, now, "resonance")
        if self.side == "high":
            s = np.asarray(1 / np.where(s == 0, 1e-12, s))
        found: NDArray[np.float64] = np.abs(
            a * (s * s + math.sqrt(a) / q * s + a) / (a * s * s + math.sqrt(a) / q * s + 1)
        )
        return found

    def gist(self) -> str:
        """What kind of filter it is set to, in a word or two."""
        return f"shelf {'above' if self.side == 'high' else 'below'}"
