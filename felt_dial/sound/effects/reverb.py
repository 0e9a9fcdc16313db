"""Reverb: a room of feedback delay lines whose decay is as long as its dial says."""

from __future__ import annotations

import cmath
import math

import numpy as np

from felt_dial.patch.module import Effect
from felt_dial.patch.params import CUBIC, LOG, Choice, Param, Switch
from felt_dial.patch.units import HERTZ, PERCENT, SECONDS

LINES = 8
PREDELAY = 0.25
LARGEST = 2.0
LENGTHS = {
    "room": (0.0123, 0.0174, 0.0199, 0.0216, 0.0252, 0.0275, 0.0296, 0.0323),
    "hall": (0.0297, 0.0371, 0.0411, 0.0437, 0.0533, 0.0571, 0.0617, 0.0683),
    "plate": (0.0191, 0.0223, 0.0253, 0.0281, 0.0311, 0.0337, 0.0373, 0.0409),
    "cloud": (0.0631, 0.0743, 0.0821, 0.0937, 0.1033, 0.1129, 0.1213, 0.1327),
}
"""Seconds of the eight lines at a size of 100 %, chosen so that no two are near a simple ratio, and that no tone rings long."""
DULLED_AT = 8000.0
"""Hz at which the damping is as strong at every rate."""


def dulled(damping: float, rate: float) -> float:
    """What a line keeps of its last frame in a frame: the pole of a one-pole low-pass that is as strong at every rate.

    It is 0.75 · damping² at 48 kHz; elsewhere the pole takes as much from `DULLED_AT`, by the root of a quadratic.
    """
    pole = 0.75 * damping * damping
    if pole < 1e-9:
        return 0.0
    heard = (1.0 - pole) ** 2 / (1.0 + pole * pole - 2.0 * pole * math.cos(2.0 * math.pi * DULLED_AT / 48000.0))
    x = heard * (1.0 - math.cos(2.0 * math.pi * DULLED_AT / rate))
    return 1.0 - (math.sqrt(x * x + 2.0 * (1.0 - heard) * x) - x) / (1.0 - heard)


class Reverb(Effect, kind="reverb"):
    """A room, a hall, a plate or a cloud: eight lines that feed each other."""

    group = "Space"

    picture = "room"
    splices = frozenset({"way"})

    way = Choice(
        "Space",
        "hall",
        {"room": "Small room", "hall": "Hall", "plate": "Plate", "cloud": "Long cloud"},
        says="How far its walls are apart, and how fast echoes become a haze.",
    )
    decay = Param("Decay", 2.2, (0.1, 30.0), SECONDS, taper=LOG, says="Time in which it falls by 60 dB.")
    predelay = Param("Pre-delay", 0.012, (0.0, PREDELAY), SECONDS, taper=CUBIC, says="Time before the room answers.")
    size = Param("Size", 1.0, (0.25, LARGEST), PERCENT, says="Moves the walls; the decay stays as long.")
    damping = Param("Damping", 0.35, (0.0, 1.0), PERCENT, says="How much sooner its highs die away.")
    low_cut = Param("Low cut", 120.0, (20.0, 2000.0), HERTZ, taper=LOG, says="Keeps what is below out of the room.")
    high_cut = Param("High cut", 12000.0, (500.0, 20000.0), HERTZ, taper=LOG, says="Keeps what is above out of it.")
    width = Param("Width", 1.0, (0.0, 1.0), PERCENT, says="From one point to all around.")
    movement = Param("Movement", 0.25, (0.0, 1.0), PERCENT, says="How far its walls sway, so that nothing rings.")
    freeze = Switch("Freeze", False, says="Holds what is in the room for ever and lets nothing new in.", smooth=True)
    wet = Param("Wet", 0.25, (0.0, 1.0), PERCENT, says="How loud the room is beside the sound.")

    def fall(self, frequency: float, rate: float = 48000.0) -> tuple[float, float]:
        """Level in dB at which a frequency (Hz) enters the room, and dB that it falls in a second; the closed form.

        Every line loses 60 dB in the decay, and once more in each turn what its damping takes from the frequency.
        """
        z = cmath.exp(-2j * math.pi * frequency / rate)

        def pole(share: float) -> complex:
            return share / (1.0 - (1.0 - share) * z)

        low = pole(1.0 - math.exp(-2.0 * math.pi * float(self.low_cut) / rate))
        high = pole(1.0 - math.exp(-2.0 * math.pi * min(float(self.high_cut), 0.45 * rate) / rate))
        enters = 20.0 * math.log10(abs((1.0 - low) * high) + 1e-9)
        if self.freeze:
            return enters, 0.0
        turn = float(np.mean(LENGTHS[str(self.way)])) * float(self.size)
        damped = 20.0 * math.log10(abs(pole(1.0 - dulled(float(self.damping), rate))))
        return enters, -60.0 / float(self.decay) + damped / turn

    def echoes(self) -> list[tuple[float, float]]:
        """Seconds and gain of the first echoes: through one line, and through two one after the other.

        That is when an echo begins, and how much of the sound is in it; the all-passes spread it out.
        """
        lengths = np.array(LENGTHS[str(self.way)]) * float(self.size)
        gains = np.ones(LINES) if self.freeze else 10.0 ** (-3.0 * lengths / float(self.decay))
        once = list(zip(lengths, gains, strict=True))
        twice = [
            (lengths[i] + lengths[j], gains[i] * gains[j] * (1.0 - 2.0 / LINES if i == j else 2.0 * 2.0 / LINES))
            for i in range(LINES)
            for j in range(i, LINES)
        ]
        return sorted((float(self.predelay + seconds), float(gain)) for seconds, gain in once + twice)

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return f"{self.params['decay'].write(self.get('decay'))} · wet {self.params['wet'].write(self.get('wet'))}"
