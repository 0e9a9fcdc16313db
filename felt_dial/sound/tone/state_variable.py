"""State-variable filter: low-, high- and band-pass, 12 and 24 dB per octave.

The topology-preserving form of V. Zavalishin, The Art of VA Filter Design (rev. 2.1.2, chapter 4):
the bilinear transform of the analogue prototype, exact at the cutoff, calm when the cutoff moves.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Filter
from felt_dial.patch.params import LOG, Choice, Param
from felt_dial.patch.units import HERTZ, PERCENT
from felt_dial.sound.kernel import Stage, kernel, works_for

RESPONSES = {
    "low 12": "Low-pass 12", "low 24": "Low-pass 24", "high 12": "High-pass 12",
    "high 24": "High-pass 24", "band 12": "Band-pass 12", "band 24": "Band-pass 24",
}  # fmt: skip
BUTTERWORTH_12 = math.sqrt(0.5)
BUTTERWORTH_24 = (0.541196100146197, 1.306562964876377)
HIGHEST_Q = 30.0
HIGHEST_Q_BAND_24 = 6.0
FIRST_24, SECOND_24 = BUTTERWORTH_24


class StateVariable(Filter, kind="state_variable", title="State-variable"):
    """Lets through what is below, above or around its cutoff; resonance lifts the cutoff itself."""

    response = Choice("Response", "low 12", RESPONSES, says="Which side of the cutoff stays, and how steeply.")
    cutoff = Param("Cutoff", 8000.0, (20.0, 20000.0), HERTZ, taper=LOG, says="Where the filter begins to take away.")
    resonance = Param("Resonance", 0.0, (0.0, 1.0), PERCENT, says="Lifts the cutoff frequency, up to a clear whistle.")
    follow = Param(
        "Key follow", 0.0, (-1.0, 1.5), PERCENT, says="How far the cutoff goes along with the key; C4 stays."
    )

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        return (np.zeros((stage.rows, 2, 2, 2), np.float64),)


ON, RESPONSE, CUTOFF, RESONANCE, FOLLOW = (
    StateVariable.row_of(name) for name in ("on", "response", "cutoff", "resonance", "follow")
)


def quality_factors(response: str, resonance: float) -> list[float]:
    """Q of each second-order stage: Butterworth at no resonance, geometric up to Q 30 at full."""
    if response.endswith("12"):
        return [BUTTERWORTH_12 * (HIGHEST_Q / BUTTERWORTH_12) ** resonance]
    if response == "band 24":
        return [BUTTERWORTH_12 * (HIGHEST_Q_BAND_24 / BUTTERWORTH_12) ** resonance] * 2
    low, high = BUTTERWORTH_24
    return [low, high * (HIGHEST_Q / high) ** resonance]


def gain_at(response: str, cutoff: float, resonance: float, frequency: ArrayLike, rate: float) -> NDArray[np.float64]:
    """Gain (linear) at each frequency: the analogue prototype under the bilinear transform."""
    f = np.minimum(np.asarray(frequency, np.float64), 0.4999 * rate)
    s = 1j * np.tan(np.pi * f / rate) / np.tan(np.pi * min(cutoff, 0.49 * rate) / rate)
    gain = np.ones_like(s)
    for q in quality_factors(response, resonance):
        top = {"low": np.ones_like(s), "high": s * s, "band": s / q}[response.split()[0]]
        gain = gain * top / (s * s + s / q + 1)
    found: NDArray[np.float64] = np.abs(gain)
    return found


@kernel
def _damping(response, resonance, stage):  # type: ignore[no-untyped-def]
    if response % 2 == 0:
        low, high = BUTTERWORTH_12, HIGHEST_Q
    elif response == 5:
        low, high = BUTTERWORTH_12, HIGHEST_Q_BAND_24
    elif stage == 0:
        return 1.0 / FIRST_24
    else:
        low, high = SECOND_24, HIGHEST_Q
    return 1.0 / (low * (high / low) ** resonance)


@kernel
def _warp(control, key, row, t, rate):  # type: ignore[no-untyped-def]
    cutoff = np.float64(control[CUTOFF, row, t]) * 2.0 ** (np.float64(control[FOLLOW, row, t]) * (key - 60.0) / 12.0)
    return math.tan(math.pi * min(max(cutoff, 5.0), 0.49 * rate) / rate)


@kernel
def _flushed(x):  # type: ignore[no-untyped-def]
    """What has decayed to nothing is nothing: denormal numbers cost ten times."""
    return x if abs(x) > 1e-15 else 0.0


@works_for(StateVariable)
@kernel
def run_state_variable(audio, control, key, active, start, tick, rate, state):  # type: ignore[no-untyped-def]
    """Filters `audio[row]` in place; `state` is float64 (row, channel, stage, 2)."""
    ticks = control.shape[2] - 1
    for row in active:
        if start[row] >= 0:
            state[row] = 0.0
        first = max(start[row], 0)
        silent = True
        for t in range(first, ticks + 1):
            if control[ON, row, t] > 0.0:
                silent = False
        if silent:
            state[row] = 0.0
            continue
        g1 = _warp(control, np.float64(key[row]), row, first, rate)
        for t in range(first, ticks):
            g0 = g1
            g1 = _warp(control, np.float64(key[row]), row, t + 1, rate)
            response = int(control[RESPONSE, row, t])
            take_low, take_high = 1.0 if response < 2 else 0.0, 1.0 if 2 <= response < 4 else 0.0
            take_band = 1.0 if response >= 4 else 0.0
            on = np.float64(control[ON, row, t])
            turn = (np.float64(control[ON, row, t + 1]) - on) / tick
            grow = (g1 - g0) / tick
            at = t * tick
            for stage in range(1 + response % 2):
                k = _damping(response, np.float64(control[RESONANCE, row, t]), stage)
                sharpen = (_damping(response, np.float64(control[RESONANCE, row, t + 1]), stage) - k) / tick
                a, b = state[row, 0, stage, 0], state[row, 0, stage, 1]
                c, d = state[row, 1, stage, 0], state[row, 1, stage, 1]
                if grow == 0.0 and sharpen == 0.0 and on == 1.0 and turn == 0.0:
                    scale = 1.0 / (1.0 + g0 * (g0 + k))
                    damp, band_gain = g0 + k, take_band * k
                    for n in range(at, at + tick):
                        x, y = np.float64(audio[row, 0, n]), np.float64(audio[row, 1, n])
                        high, high_r = (x - damp * a - b) * scale, (y - damp * c - d) * scale
                        band, band_r = g0 * high + a, g0 * high_r + c
                        low, low_r = g0 * band + b, g0 * band_r + d
                        a, b = g0 * high + band, g0 * band + low
                        c, d = g0 * high_r + band_r, g0 * band_r + low_r
                        audio[row, 0, n] = np.float32(take_low * low + take_high * high + band_gain * band)
                        audio[row, 1, n] = np.float32(take_low * low_r + take_high * high_r + band_gain * band_r)
                else:
                    g, share = g0, on
                    for n in range(at, at + tick):
                        x, y = np.float64(audio[row, 0, n]), np.float64(audio[row, 1, n])
                        scale, damp, band_gain = 1.0 / (1.0 + g * (g + k)), g + k, take_band * k
                        high, high_r = (x - damp * a - b) * scale, (y - damp * c - d) * scale
                        band, band_r = g * high + a, g * high_r + c
                        low, low_r = g * band + b, g * band_r + d
                        a, b = g * high + band, g * band + low
                        c, d = g * high_r + band_r, g * band_r + low_r
                        left = take_low * low + take_high * high + band_gain * band
                        right = take_low * low_r + take_high * high_r + band_gain * band_r
                        audio[row, 0, n] = np.float32(x + share * (left - x))
                        audio[row, 1, n] = np.float32(y + share * (right - y))
                        g += grow
                        k += sharpen
                        share += turn
                state[row, 0, stage, 0], state[row, 0, stage, 1] = _flushed(a), _flushed(b)
                state[row, 1, stage, 0], state[row, 1, stage, 1] = _flushed(c), _flushed(d)
