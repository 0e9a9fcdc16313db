"""Multiband: three bands, each pressed from above and lifted from below."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import LOG, Param
from felt_dial.patch.units import DECIBELS, HERTZ, PERCENT, PLACE, SECONDS
from felt_dial.sound.kernel import Stage, flush, kernel, works_for

BANDS = ("low", "middle", "high")
ROOT = math.sqrt(0.5)
MOST_UP = 24.0
QUIET = -72.0
"""Below this nothing is lifted any more: hiss stays hiss."""


class Multiband(Effect, kind="multiband"):
    """Three bands, each turned down where it is loud and lifted where it is soft; one dial for how deep."""

    depth = Param("Depth", 0.5, (0.0, 1.0), PERCENT, says="How far all bands are pressed and lifted together.")
    split_low = Param("Low split", 160.0, (40.0, 1000.0), HERTZ, taper=LOG, says="Where the low band ends.")
    split_high = Param("High split", 2500.0, (600.0, 12000.0), HERTZ, taper=LOG, says="Where the high band begins.")
    above = Param("Press above", -20.0, (-60.0, 0.0), DECIBELS, says="What is louder in its band is turned down.")
    below = Param("Lift below", -36.0, (-60.0, 0.0), DECIBELS, says="What is softer in its band is turned up.")
    press = Param("Press", 4.0, (1.0, 40.0), PLACE, taper=LOG, says="4 means: 4 dB above come out as 1 dB.")
    lift = Param("Lift", 2.0, (1.0, 10.0), PLACE, taper=LOG, says="2 means: 2 dB below come out as 1 dB.")
    attack = Param("Attack", 0.01, (0.0005, 0.3), SECONDS, taper=LOG, says="Time to 63 % of a change.")
    release = Param("Release", 0.12, (0.01, 2.0), SECONDS, taper=LOG, says="Time to let go of 63 % of it.")
    low = Param("Low", 0.0, (-18.0, 18.0), DECIBELS, says="How loud the low band comes out.")
    middle = Param("Middle", 0.0, (-18.0, 18.0), DECIBELS, says="How loud the middle band comes out.")
    high = Param("High", 0.0, (-18.0, 18.0), DECIBELS, says="How loud the high band comes out.")

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        return np.zeros((2, 7, 2)), np.full(3, -120.0), np.zeros(3)

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return f"depth {self.params['depth'].write(self.get('depth'))}"


DEPTH, SPLIT_LOW, SPLIT_HIGH, ABOVE, BELOW, PRESS, LIFT, ATTACK, RELEASE, LOW, MIDDLE, HIGH = Multiband.rows_of(
    "depth", "split_low", "split_high", "above", "below", "press", "lift", "attack", "release", *BANDS
)
TRIMS = (LOW, MIDDLE, HIGH)


def band_curve(level: ArrayLike, above: float, below: float, press: float, lift: float) -> NDArray[np.float64]:
    """dB by which a band of a level (dB) is moved at full depth: down where it is loud, up where it is soft."""
    x = np.asarray(level, np.float64)
    down = np.minimum(0.0, (above - x) * (1.0 - 1.0 / press))
    up = np.clip((min(below, above) - x) * (1.0 - 1.0 / lift), 0.0, MOST_UP)
    return np.asarray(down + np.where(x < QUIET, 0.0, up))


@kernel
def _two_pole(x, g, here):  # type: ignore[no-untyped-def]
    """Low, damped band and high of a Butterworth state-variable stage (Zavalishin, chapter 4); `here` (2,)."""
    k = 1.0 / ROOT
    high = (x - (g + k) * here[0] - here[1]) / (1.0 + g * (g + k))
    band = g * high + here[0]
    low = g * band + here[1]
    here[0], here[1] = g * high + band, g * band + low
    return low, k * band, high


@works_for(Multiband)
@kernel
def run_multiband(audio, control, tick, rate, state, levels, moved):  # type: ignore[no-untyped-def]
    """Presses and lifts the bands of `audio` (float32, channel × frame) in place.

    Bands are split by two Butterworth stages one after the other, and what is below is turned like what is above, so
    that they add up to an all-pass (S. H. Linkwitz and E. R. Riemer, JAES 24(1), 1976). The level of a band is its mean
    square over 5 ms in dB; both sides are moved alike. `moved` (band,) is the gain of this moment in dB.
    """
    fast = 1.0 - math.exp(-1.0 / (0.005 * rate))
    for t in range(control.shape[1] - 1):
        low_at = math.tan(math.pi * min(np.float64(control[SPLIT_LOW, t]), 0.45 * rate) / rate)
        high_at = max(np.float64(control[SPLIT_HIGH, t]), np.float64(control[SPLIT_LOW, t]) * 1.1)
        high_at = math.tan(math.pi * min(high_at, 0.45 * rate) / rate)  # type: ignore[assignment]
        depth = np.float64(control[DEPTH, t])
        above, below = np.float64(control[ABOVE, t]), min(np.float64(control[BELOW, t]), np.float64(control[ABOVE, t]))
        press, lift = 1.0 - 1.0 / np.float64(control[PRESS, t]), 1.0 - 1.0 / np.float64(control[LIFT, t])
        rise = 1.0 - math.exp(-tick / (np.float64(control[ATTACK, t]) * rate))
        fall = 1.0 - math.exp(-tick / (np.float64(control[RELEASE, t]) * rate))
        g0, g1, g2 = 0.0, 0.0, 0.0
        d0, d1, d2 = 0.0, 0.0, 0.0
        for b in range(3):
            level = 10.0 * math.log10(levels[b] + 1e-12) + 3.01
            goal = 0.0
            if level > above:
                goal = (above - level) * press  # type: ignore[assignment]
            elif level < below and level > QUIET:
                goal = min((below - level) * lift, MOST_UP)
            goal *= depth
            was = moved[b]
            moved[b] += (goal - was) * (rise if goal < was else fall)
            trim, after = np.float64(control[TRIMS[b], t]), np.float64(control[TRIMS[b], t + 1])
            first, last = 10.0 ** ((was + trim) / 20.0), 10.0 ** ((moved[b] + after) / 20.0)
            if b == 0:
                g0, d0 = first, (last - first) / tick
            elif b == 1:
                g1, d1 = first, (last - first) / tick
            else:
                g2, d2 = first, (last - first) / tick
        for n in range(t * tick, (t + 1) * tick):
            p0 = p1 = p2 = 0.0
            for channel in range(2):
                here = state[channel]
                x = np.float64(audio[channel, n])
                low, _, rest = _two_pole(x, low_at, here[0])
                low, _, _ = _two_pole(low, low_at, here[1])
                _, _, rest = _two_pole(rest, low_at, here[2])
                below, around, over = _two_pole(low, high_at, here[3])
                low = below - around + over
                middle, _, high = _two_pole(rest, high_at, here[4])
                middle, _, _ = _two_pole(middle, high_at, here[5])
                _, _, high = _two_pole(high, high_at, here[6])
                p0, p1, p2 = max(p0, low * low), max(p1, middle * middle), max(p2, high * high)
                audio[channel, n] = np.float32(g0 * low + g1 * middle + g2 * high)
            levels[0] += fast * (p0 - levels[0])
            levels[1] += fast * (p1 - levels[1])
            levels[2] += fast * (p2 - levels[2])
            g0 += d0
            g1 += d1
            g2 += d2
    for b in range(3):
        levels[b] = max(levels[b], 1e-15)
        if abs(moved[b]) < 1e-9:
            moved[b] = 0.0
    flush(state)
