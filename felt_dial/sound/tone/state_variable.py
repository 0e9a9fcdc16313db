"""State-variable filter: low-, high- and band-pass, notch and peak, 12 and 24 dB per octave; and the shelves.

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
from felt_dial.sound.kernel import Stage, flushed, kernel, works_for
from felt_dial.sound.tone.cutoff import RESONANCE, hertz, now_or_set, prototype, push_in, warp_line

RESPONSES = {
    "low 12": "Low-pass 12", "low 24": "Low-pass 24", "high 12": "High-pass 12",
    "high 24": "High-pass 24", "band 12": "Band-pass 12", "band 24": "Band-pass 24",
    "notch 12": "Notch 12", "notch 24": "Notch 24", "peak 12": "Peak 12", "peak 24": "Peak 24",
}  # fmt: skip
LOW, HIGH, BAND, NOTCH, PEAK = range(5)
BUTTERWORTH_12 = math.sqrt(0.5)
BUTTERWORTH_24 = (0.541196100146197, 1.306562964876377)
HIGHEST_Q = 30.0
HIGHEST_Q_TWICE = 6.0
"""Highest Q where two equal stages follow one another."""
FIRST_24, SECOND_24 = BUTTERWORTH_24


class StateVariable(Tuned, kind="state_variable", title="State-variable"):
    """Lets through what is below, above or around its cutoff; resonance lifts the cutoff itself."""

    response = Choice("Response", "low 12", RESPONSES, says="Which side of the cutoff stays, and how steeply.")

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        return np.zeros((stage.rows, 2, 2, 2)), np.zeros(stage.frames)

    def gain(
        self, frequency: ArrayLike, rate: float, now: Mapping[str, float] | None = None, pitch: float = 60.0
    ) -> NDArray[np.float64]:
        """Gain (linear) at each frequency, of the parameters as they are, or as `now` says."""
        return gain_at(str(self.response), hertz(self, now, pitch), now_or_set(self, now, "resonance"), frequency, rate)

    def gist(self) -> str:
        """What kind of filter it is set to, in a word or two."""
        return RESPONSES[str(self.response)].lower()


class Shelf(Tuned, kind="shelf", title="Shelf"):
    """Lifts or lowers everything below or above its cutoff; resonance sharpens the step."""

    side = Choice("Side", "low", {"low": "Below", "high": "Above"}, says="Which side of the cutoff is moved.")
    lift = Param("Lift", 6.0, (-24.0, 24.0), DECIBELS, says="How far the shelf is lifted or lowered.")

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        return np.zeros((stage.rows, 2, 2)), np.zeros(stage.frames)

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


RESPONSE = StateVariable.row_of("response")
SIDE, LIFT = Shelf.row_of("side"), Shelf.row_of("lift")


def quality_factors(response: str, resonance: float) -> list[float]:
    """Q of each second-order stage: Butterworth at no resonance, geometric up to Q 30 at full."""
    form, slope = response.split()
    if slope == "12":
        return [BUTTERWORTH_12 * (HIGHEST_Q / BUTTERWORTH_12) ** resonance]
    if form in ("band", "notch", "peak"):
        return [BUTTERWORTH_12 * (HIGHEST_Q_TWICE / BUTTERWORTH_12) ** resonance] * 2
    low, high = BUTTERWORTH_24
    return [low, high * (HIGHEST_Q / high) ** resonance]


def gain_at(response: str, cutoff: float, resonance: float, frequency: ArrayLike, rate: float) -> NDArray[np.float64]:
    """Gain (linear) at each frequency: the analogue prototype under the bilinear transform."""
    s = prototype(frequency, cutoff, rate)
    gain = np.ones_like(s)
    for q in quality_factors(response, resonance):
        top = {
            "low": np.ones_like(s), "high": s * s, "band": s / q, "notch": s * s + 1,
            "peak": s * s + s / BUTTERWORTH_12 + 1,
        }[response.split()[0]]  # fmt: skip
        gain = gain * top / (s * s + s / q + 1)
    found: NDArray[np.float64] = np.abs(gain)
    return found


@kernel
def _damping(response, resonance, stage):  # type: ignore[no-untyped-def]
    if response % 2 == 0:
        low, high = BUTTERWORTH_12, HIGHEST_Q
    elif response >= 4:
        low, high = BUTTERWORTH_12, HIGHEST_Q_TWICE
    elif stage == 0:
        return 1.0 / FIRST_24
    else:
        low, high = SECOND_24, HIGHEST_Q
    return 1.0 / (low * (high / low) ** resonance)


@kernel
def two_pole(line, other, begin, count, g, moves, k, sharpen, m0, m1, m1k, m2, here):  # type: ignore[no-untyped-def]
    """One second-order stage over both channels of a voice, in place: m0·x + (m1 + m1k·k)·band + m2·low.

    `here` (channel, 2) holds the two integrators; `g` is read at every frame where it `moves`.
    """
    a, b, c, d = here[0, 0], here[0, 1], here[1, 0], here[1, 1]
    if not moves and sharpen == 0.0:
        w = g[0]
        scale = 1.0 / (1.0 + w * (w + k))
        gs = w * scale
        m = m1 + m1k * k
        into, from_a, from_b = m0 + gs * (m + m2 * w), scale * m + m2 * gs, m2 * (1.0 - w * gs) - gs * m
        aa, ab, ax, bb, bx = 2.0 * scale - 1.0, -2.0 * gs, 2.0 * gs, 1.0 - 2.0 * w * gs, 2.0 * w * gs
        for n in range(np.uint64(begin), np.uint64(begin + count)):
            x, y = np.float64(line[n]), np.float64(other[n])
            line[n] = np.float32(into * x + from_a * a + from_b * b)
            other[n] = np.float32(into * y + from_a * c + from_b * d)
            fresh, fresh_right = aa * a + (ab * b + ax * x), aa * c + (ab * d + ax * y)
            b, d = bb * b + (ax * a + bx * x), bb * d + (ax * c + bx * y)
            a, c = fresh, fresh_right
    else:
        for n in range(np.uint64(begin), np.uint64(begin + count)):
            w = g[n] if moves else g[0]
            scale = 1.0 / (1.0 + w * (w + k))
            gs = w * scale
            m = m1 + m1k * k
            x, y = np.float64(line[n]), np.float64(other[n])
            band, band_right = gs * (x - b) + scale * a, gs * (y - d) + scale * c
            low, low_right = w * band + b, w * band_right + d
            a, b = 2.0 * band - a, 2.0 * low - b
            c, d = 2.0 * band_right - c, 2.0 * low_right - d
            line[n] = np.float32(m0 * x + m * band + m2 * low)
            other[n] = np.float32(m0 * y + m * band_right + m2 * low_right)
            k += sharpen
    here[0, 0], here[0, 1], here[1, 0], here[1, 1] = flushed(a), flushed(b), flushed(c), flushed(d)


@works_for(StateVariable)
@kernel
def run_state_variable(audio, control, line, frequency, rows, start, tick, rate, swing, state, g):  # type: ignore[no-untyped-def]
    """Filters `audio[row]` in place; `state` is float64 (row, stage, channel, 2), `g` room for a line of frames."""
    ticks = control.shape[2] - 1
    for row in rows:
        first = max(start[row], 0)
        if start[row] >= 0:
            state[row] = 0.0
        push_in(audio, control, row, first, tick)
        moves = warp_line(g, control, line, frequency, swing, row, first, tick, rate, 1.0)
        left, right = audio[row, 0, first * tick :], audio[row, 1, first * tick :]
        response = np.int64(control[RESPONSE, row, first])
        form = response // 2
        m0, m1, m1k, m2 = 0.0, 0.0, 0.0, 0.0
        if form == LOW:
            m2 = 1.0
        elif form == HIGH:
            m0, m1k, m2 = 1.0, -1.0, -1.0
        elif form == BAND:
            m1k = 1.0
        elif form == NOTCH:
            m0, m1k = 1.0, -1.0
        else:
            m0, m1, m1k = 1.0, 1.0 / BUTTERWORTH_12, -1.0
        lifts = False
        for t in range(first + 1, ticks + 1):
            lifts = lifts or control[RESONANCE, row, t] != control[RESONANCE, row, first]
        for stage in range(1 + response % 2):
            k = _damping(response, np.float64(control[RESONANCE, row, first]), stage)
            if not lifts:
                two_pole(
                    left, right, 0, (ticks - first) * tick, g, moves, k, 0.0, m0, m1, m1k, m2, state[row, stage]
                )  # fmt: skip
                continue
            for t in range(first, ticks):
                k = _damping(response, np.float64(control[RESONANCE, row, t]), stage)
                sharpen = (_damping(response, np.float64(control[RESONANCE, row, t + 1]), stage) - k) / tick
                two_pole(
                    left, right, (t - first) * tick, tick, g, moves, k, sharpen, m0, m1, m1k, m2, state[row, stage]
                )  # fmt: skip


@works_for(Shelf)
@kernel
def run_shelf(audio, control, line, frequency, rows, start, tick, rate, swing, state, g):  # type: ignore[no-untyped-def]
    """Shelves of the Audio EQ Cookbook as one second-order stage (Zavalishin, chapter 4); `state` (row, channel, 2)."""
    ticks = control.shape[2] - 1
    for row in rows:
        first = max(start[row], 0)
        if start[row] >= 0:
            state[row] = 0.0
        push_in(audio, control, row, first, tick)
        left, right = audio[row, 0, first * tick :], audio[row, 1, first * tick :]
        high = control[SIDE, row, first] > 0.5
        for t in range(first, ticks):
            a = 10.0 ** (np.float64(control[LIFT, row, t]) / 40.0)
            root = math.sqrt(a)
            k = 1.0 / (BUTTERWORTH_12 * 4.0 ** np.float64(control[RESONANCE, row, t]))
            if t == first:
                moves = warp_line(
                    g, control, line, frequency, swing, row, first, tick, rate, 1.0
                )  # fmt: skip
                scaled = 1.0
            stretch = root if high else 1.0 / root
            begin = (t - first) * tick
            if moves:
                for n in range(tick):
                    g[begin + n] *= stretch
            else:
                g[0] *= stretch / scaled
                scaled = stretch
            if high:
                m0, m1, m2 = a * a, k * (1.0 - a) * a, 1.0 - a * a
            else:
                m0, m1, m2 = 1.0, k * (a - 1.0), a * a - 1.0  # type: ignore[assignment]
            two_pole(left, right, begin, tick, g, moves, k, 0.0, m0, m1, 0.0, m2, state[row])
