"""Ladders: four poles in a loop that gives way, and two filters that squeal.

V. Zavalishin, The Art of VA Filter Design (rev. 2.1.2), chapter 5: trapezoidal integrators, the loop without delay
solved for small sounds, and its sum bent by a soft ceiling, so that every resonance is bounded.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from functools import cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Tuned
from felt_dial.patch.params import Choice
from felt_dial.sound.tone.core.cutoff import hertz, now_or_set, prototype

MOST = 4.2
"""Feedback of a ladder at full resonance; at 4 it begins to sound by itself."""
BASS = 0.5
"""Part of the bass that is given back as the resonance takes it away."""
RESPONSES = {"low 24": "Low-pass 24", "low 12": "Low-pass 12", "band 12": "Band-pass 12", "high 24": "High-pass 24"}
MIXES = np.array(
    [[0.0, 0.0, 0.0, 0.0, 1.0], [0.0, 0.0, 1.0, 0.0, 0.0], [0.0, 2.0, -2.0, 0.0, 0.0], [1.0, -4.0, 6.0, -4.0, 1.0]]
)
"""How much of the loop's input and of each of the four poles a response is made of."""


class Ladder(Tuned, kind="ladder", title="Ladder"):
    """Four poles in a loop that bends: round, warm, and at full resonance it sings by itself."""

    response = Choice("Response", "low 24", RESPONSES, says="Which side of the cutoff stays, and how steeply.")

    def gain(
        self, frequency: ArrayLike, rate: float, now: Mapping[str, float] | None = None, pitch: float = 60.0
    ) -> NDArray[np.float64]:
        """Gain (linear) at each frequency, for sounds too soft to bend it."""
        s = prototype(frequency, hertz(self, now, pitch), rate)
        k = MOST * now_or_set(self, now, "resonance")
        pole = 1 / (1 + s)
        mix = MIXES[list(RESPONSES).index(str(self.response))]
        taps = sum(share * pole**n for n, share in enumerate(mix))
        found: NDArray[np.float64] = np.abs((1 + BASS * k) * taps / (1 + k * pole**4))
        return found

    def gist(self) -> str:
        """What kind of filter it is set to, in a word or two."""
        return f"ladder {RESPONSES[str(self.response)].lower()}"


class Acid(Tuned, kind="acid", title="Acid"):
    """A thin filter whose resonance squeals and snarls as it is driven."""

    character = Choice(
        "Character",
        "rubber",
        {"rubber": "Rubber, four poles", "wire": "Wire, two poles"},
        says="Rubber has four poles that lean on each other, Wire two that clip as they ring.",
    )

    def gain(
        self, frequency: ArrayLike, rate: float, now: Mapping[str, float] | None = None, pitch: float = 60.0
    ) -> NDArray[np.float64]:
        """Gain (linear) at each frequency, for sounds too soft to bend it."""
        s = prototype(frequency, hertz(self, now, pitch), rate)
        resonance = now_or_set(self, now, "resonance")
        if self.character == "wire":
            return np.asarray(np.abs(1 / (s * s + WIRE_OPEN * (1 - WIRE_MOST * resonance) * s + 1)))
        s = prototype(frequency, opened(hertz(self, now, pitch), rubber_opens(resonance), rate), rate) * RUBBER_AT
        k = RUBBER_MOST * resonance
        return np.asarray(np.abs((1 + BASS * k) / (s**4 + 7 * s**3 + 15 * s**2 + 10 * s + 1 + k)))

    def gist(self) -> str:
        """What kind of filter it is set to, in a word or two."""
        return f"acid, {self.character}"


RUBBER_AT = (10 / 7) ** 0.5
"""Where four poles that lean on each other begin to sing: ω² = 10/7 of the poles' own."""
RUBBER_MOST = 19.3
"""Feedback at full resonance; at 901/49 = 18.4 it begins to sound by itself."""
WIDEST = 6.3
"""Largest tangent of a cutoff: 0.45 of the rate."""


@cache
def rubber_table() -> NDArray[np.float64]:
    """How much wider poles that lean on each other are set so that they fall by 3 dB where the dial says; (resonance,).

    Left to themselves they would begin to fall a tenth of the way up. From where the cutoff is lifted by resonance on, it
    stays where they sing.
    """
    found = []
    for k in RUBBER_MOST * np.linspace(0.0, 1.0, RUBBER_STEPS + 1):
        c = 1.0 + k  # |(jω)⁴ + 7 (jω)³ + 15 (jω)² + 10 jω + c|² = 2 c², as a polynomial in ω²
        squares = np.roots([1.0, 19.0, 85.0 + 2.0 * c, 100.0 - 30.0 * c, -c * c])
        highest = max(float(x.real) for x in squares if abs(x.imag) < 1e-9)
        found.append(max(RUBBER_AT / math.sqrt(highest), 1.0))
    return np.array(found)


def rubber_opens(resonance: float) -> float:
    """`rubber_table` at a resonance."""
    return float(np.interp(resonance * RUBBER_STEPS, np.arange(RUBBER_STEPS + 1), rubber_table()))


def opened(cutoff: float, factor: float, rate: float) -> float:
    """A cutoff in Hz whose tangent is `factor` times as large, at most `WIDEST`."""
    return math.atan(min(math.tan(math.pi * cutoff / rate) * factor, WIDEST)) * rate / math.pi


RUBBER_STEPS = 64
WIRE_OPEN, WIRE_MOST = 1.6, 1.012
