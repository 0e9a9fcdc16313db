"""Multiband: three bands by crossovers, the level of each."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, flush, inner, kernel, works_for
from felt_dial.sound.effects.multiband import BANDS, MOST_UP, QUIET, Multiband

ROOT = math.sqrt(0.5)


DEPTH, SPLIT_LOW, SPLIT_HIGH, ABOVE, BELOW, PRESS, LIFT, ATTACK, RELEASE, LOW, MIDDLE, HIGH = Multiband.rows_of(
    "depth", "split_low", "split_high", "above", "below", "press", "lift", "attack", "release", *BANDS
)
TRIMS = (LOW, MIDDLE, HIGH)


@inner
def _two_pole(x, g, here):
    """Low, damped band and high of a Butterworth state-variable stage (Zavalishin, chapter 4); `here` (2,)."""
    k = 1.0 / ROOT
    high = (x - (g + k) * here[0] - here[1]) / (1.0 + g * (g + k))
    band = g * high + here[0]
    low = g * band + here[1]
    here[0], here[1] = g * high + band, g * band + low
    return low, k * band, high


def prepare_multiband(module: Multiband, stage: Stage) -> tuple[np.ndarray, ...]:
    """State of a multiband, as it begins."""
    return np.zeros((2, 7, 2)), np.full(3, -120.0), np.zeros(3)


@works_for(Multiband, prepare_multiband)
@kernel
def run_multiband(audio, control, tick, rate, state, levels, moved):
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
                goal = (above - level) * press
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
