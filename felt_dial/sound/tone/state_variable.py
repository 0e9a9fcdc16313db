"""State-variable filter: low-, high- and band-pass, notch and peak, 12 and 24 dB per octave; low- and high-pass 6.

The topology-preserving form of V. Zavalishin, The Art of VA Filter Design (rev. 2.1.2, chapter 4):
the bilinear transform of the analogue prototype, exact at the cutoff, calm when the cutoff moves.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Tuned
from felt_dial.patch.params import Choice
from felt_dial.sound.tone.core.cutoff import hertz, now_or_set, prototype

RESPONSES = {
    "low 12": "Low-pass 12",
    "low 24": "Low-pass 24",
    "high 12": "High-pass 12",
    "high 24": "High-pass 24",
    "band 12": "Band-pass 12",
    "band 24": "Band-pass 24",
    "notch 12": "Notch 12",
    "notch 24": "Notch 24",
    "peak 12": "Peak 12",
    "peak 24": "Peak 24",
    "low 6": "Low-pass 6",
    "high 6": "High-pass 6",
}
BUTTERWORTH_12 = math.sqrt(0.5)
BUTTERWORTH_24 = (0.541196100146197, 1.306562964876377)
HIGHEST_Q = 30.0
HIGHEST_Q_TWICE = 6.0
"""Highest Q where two equal stages follow one another."""


class StateVariable(Tuned, kind="state_variable", title="State-variable"):
    """Lets through what is below, above or around its cutoff; resonance lifts the cutoff itself."""

    response = Choice("Response", "low 12", RESPONSES, says="Which side of the cutoff stays, and how steeply.")

    def gain(
        self, frequency: ArrayLike, rate: float, now: Mapping[str, float] | None = None, pitch: float = 60.0
    ) -> NDArray[np.float64]:
        """Gain (linear) at each frequency, of the parameters as they are, or as `now` says."""
        return gain_at(str(self.response), hertz(self, now, pitch), now_or_set(self, now, "resonance"), frequency, rate)

    def idle(self) -> set[str]:
        """What falls by 6 dB an octave has nothing that could ring."""
        return super().idle() | ({"resonance"} if str(self.response).endswith(" 6") else set())

    def gist(self) -> str:
        """What kind of filter it is set to, in a word or two."""
        return RESPONSES[str(self.response)].lower()


def quality_factors(response: str, resonance: float) -> list[float]:
    """Q of each second-order stage: Butterworth at no resonance, geometric up to Q 30 at full."""
    form, slope = response.split()
    if slope == "6":
        return [0.5]
    if slope == "12":
        return [BUTTERWORTH_12 * (HIGHEST_Q / BUTTERWORTH_12) ** resonance]
    if form in ("band", "notch", "peak"):
        return [BUTTERWORTH_12 * (HIGHEST_Q_TWICE / BUTTERWORTH_12) ** resonance] * 2
    low, high = BUTTERWORTH_24
    return [low, high * (HIGHEST_Q / high) ** resonance]


def gain_at(response: str, cutoff: float, resonance: float, frequency: ArrayLike, rate: float) -> NDArray[np.float64]:
    """Gain (linear) at each frequency: the analogue prototype under the bilinear transform."""
    s = prototype(frequency, cutoff, rate)
    if response.endswith(" 6"):
        return np.asarray(np.abs((1.0 if response == "low 6" else s) / (s + 1)))
    gain = np.ones_like(s)
    for q in quality_factors(response, resonance):
        top = {
            "low": np.ones_like(s),
            "high": s * s,
            "band": s / q,
            "notch": s * s + 1,
            "peak": s * s + s / BUTTERWORTH_12 + 1,
        }[response.split()[0]]
        gain = gain * top / (s * s + s / q + 1)
    found: NDArray[np.float64] = np.abs(gain)
    return found
