"""Comb: a delay as long as one turn of a pitch, fed back, so that the pitch and its harmonics ring.

With all of it fed back it goes on by itself, like a string: K. Karplus and A. Strong, Computer Music Journal 7(2), 1983;
the loop's filters are tuned out as in D. A. Jaffe and J. O. Smith, the same issue.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Tuned
from felt_dial.patch.params import LOG, Choice, Param
from felt_dial.patch.units import HERTZ, PERCENT, SEMITONES
from felt_dial.sound.tone.core.cutoff import hertz, now_or_set

Loop = Callable[[NDArray[np.complex128]], NDArray[np.complex128]]
OPEN = 19_900.0
BLOCK = 1.0
"""Hertz below which the loop loses what stands still; turned over it has none of it to lose."""


class Comb(Tuned, kind="comb", title="Comb"):
    """Rings at the played pitch and its harmonics; with all of it fed back, like a string that goes on by itself."""

    bends = False

    splices = frozenset({"counted", "teeth"})

    cutoff = Param("Cutoff", 220.0, (20.0, 20000.0), HERTZ, taper=LOG, says="The lowest tone that rings, if in hertz.")
    counted = Choice(
        "Cutoff is",
        "key",
        {"hertz": "In hertz", "key": "From the key"},
        says="The comb rings where its dial says, or at a distance from the pitch that is played.",
    )
    distance = Param(
        "From the key", 0.0, (-48.0, 96.0), SEMITONES, says="How far above the played pitch it rings, if counted so."
    )
    resonance = Param(
        "Resonance", 0.5, (0.0, 1.0), PERCENT, says="How much is fed back: at the end it never dies away."
    )
    teeth = Choice(
        "Teeth",
        "all",
        {"all": "All harmonics", "odd": "Odd harmonics"},
        says="Fed back as it is, all harmonics ring; turned over, only the odd ones, hollow.",
    )
    damping = Param("Damping", 20000.0, (200.0, 20000.0), HERTZ, taper=LOG, says="Each turn loses what is above.")

    def gain(
        self, frequency: ArrayLike, rate: float, now: Mapping[str, float] | None = None, pitch: float = 60.0
    ) -> NDArray[np.float64]:
        """Gain (linear) at each frequency: the closed form of the loop."""
        f = np.asarray(frequency, np.float64)
        back = feedback(now_or_set(self, now, "resonance"))
        sign = -1.0 if self.teeth == "odd" else 1.0
        at = hertz(self, now, pitch)
        z = np.exp(-2j * np.pi * f / rate)
        loop, wait = loop_at(at, now_or_set(self, now, "damping"), rate, sign)
        found = math.sqrt(1 - 0.96 * back * back) / (1 - sign * back * loop(z) * z**wait)
        return np.asarray(np.abs(found))

    def gist(self) -> str:
        """What kind of filter it is set to, in a word or two."""
        return f"comb, {'all' if self.teeth == 'all' else 'odd'} teeth"


def feedback(resonance: float) -> float:
    """Gain of one turn."""
    return 1.0 - (1.0 - resonance) ** 2


def loop_at(at: float, damping: float, rate: float, sign: float) -> tuple[Loop, float]:
    """The loop's filter as a function of 1/z, and the frames of its delay, so that it rings at `at` Hz."""
    dull = 1.0 if damping > OPEN else 1.0 - math.exp(-2.0 * math.pi * damping / rate)
    keep = 1.0 - 2.0 * math.pi * BLOCK / rate

    def loop(z: NDArray[np.complex128]) -> NDArray[np.complex128]:
        return np.asarray(dull / (1 - (1 - dull) * z) * ((1 - z) / (1 - keep * z) if sign > 0 else 1.0))

    w = 2 * math.pi * at / rate
    turn = 2 * math.pi if sign > 0 else math.pi
    wait = (turn + float(np.angle(loop(np.exp(-1j * np.array([w])))[0]))) / w
    return loop, max(wait, 2.0)
