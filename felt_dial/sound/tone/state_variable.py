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
from felt_dial.sound.kernel import Stage, kernel, works_for
from felt_dial.sound.lanes import (
    VOICES,
    any_above,
    both,
    hold,
    load,
    rests,
    root,
    stands,
    state_in,
    state_out,
    store,
    take_voices,
    voices_in,
    voices_out,
)  # fmt: skip
from felt_dial.sound.tone.cutoff import (
    ALIVE,
    BACK,
    OWN,
    PUSH,
    RESONANCE,
    WARP,
    hertz,
    now_or_set,
    prototype,
    push_in,
    tuned_room,
    warp,
    warp_swung,
)  # fmt: skip

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
        return tuned_room(stage, 4, 1)

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
        return tuned_room(stage, 2, 2)

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
DAMPED, LIFTED = OWN, OWN + 1
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
def step(x, w, k, a, b):  # type: ignore[no-untyped-def]
    """One frame of a second-order stage with the integrators `a` and `b`: its band, its low, and the integrators after."""
    scale = 1.0 / (1.0 + w * (w + k))
    band = w * scale * (x - b) + scale * a
    low = w * band + b
    return band, low, 2.0 * band - a, 2.0 * low - b


@kernel
def run_still(tile, begin, end, w, k, m0, m, m2, a, b):  # type: ignore[no-untyped-def]
    """Frames of a stage that stands still, over four voices in place: m0·x + m·band + m2·low; the integrators after."""
    scale = 1.0 / (1.0 + w * (w + k))
    gs = w * scale
    into, from_a, from_b = m0 + gs * (m + m2 * w), scale * m + m2 * gs, m2 * (1.0 - w * gs) - gs * m
    aa, ab, ax, bb, bx = 2.0 * scale - 1.0, -2.0 * gs, 2.0 * gs, 1.0 - 2.0 * w * gs, 2.0 * w * gs
    for n in range(begin, end):
        x = load(tile, n)
        store(tile, n, into * x + from_a * a + from_b * b)
        after = aa * a + (ab * b + ax * x)
        b = bb * b + (ax * a + bx * x)
        a = after
    return a, b


@kernel
def _two_pole(tile, first, tick, alive, cutoffs, dampings, g, swings, m0, m1, m1k, m2, here, at):  # type: ignore[no-untyped-def]
    """One second-order stage over four voices, in place: m0·x + (m1 + m1k·k)·band + m2·low."""
    a, b = load(here, at), load(here, at + 1)
    each = 1.0 / tick
    for t in range(first, alive.shape[0] - 1):
        a, b = a * load(alive, t), b * load(alive, t)
        w, k = load(cutoffs, t), load(dampings, t)
        open_, sharpen = (load(cutoffs, t + 1) - w) * each, (load(dampings, t + 1) - k) * each
        if swings or any_above(abs(open_) + abs(sharpen), 0.0):
            for n in range(t * tick, (t + 1) * tick):
                if swings:
                    w = load(g, n)
                x = load(tile, n)
                band, low, a, b = step(x, w, k, a, b)
                store(tile, n, m0 * x + (m1 + m1k * k) * band + m2 * low)
                w += open_
                k += sharpen
        else:
            a, b = run_still(tile, t * tick, (t + 1) * tick, w, k, m0, m1 + m1k * k, m2, a, b)
    store(here, at, a)
    store(here, at + 1, b)


@kernel
def _dampings(lanes, control, response, stage, who, first):  # type: ignore[no-untyped-def]
    """The damping of a stage of four voices at every tick."""
    end = first + 1 if stands(control[RESONANCE], who, first) else lanes.shape[0]
    for v in range(VOICES):
        row = who[0, v]
        for t in range(first, end):
            if rests(control, RESONANCE, row, t, first):
                both(lanes, t, v, lanes[t - 1, 2 * v])
            else:
                both(lanes, t, v, _damping(response, np.float64(control[RESONANCE, row, t]), stage))
    hold(lanes, end)


@works_for(StateVariable)
@kernel
def run_state_variable(  # type: ignore[no-untyped-def]
    audio, control, line, frequency, rows, start, tick, rate, swing, state, who, dials, here, tile, g
):
    """Filters `audio[row]` in place; `state` is float64 (row, number, channel)."""
    ticks = control.shape[2] - 1
    for group in range(0, rows.shape[0], VOICES):
        first = take_voices(audio, rows, start, group, who, dials[ALIVE])
        response = np.int64(control[RESPONSE, who[0, 0], max(who[1, 0], 0)])
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
        state_in(state, who, here)
        voices_in(audio, who, first, ticks, tick, tile)
        push_in(tile, dials[PUSH], dials[BACK], control, who, first, tick)
        warp(dials, control, line, frequency, who, first, rate)
        swings = warp_swung(g, dials, swing, who, first, tick, rate)
        for stage in range(1 + response % 2):
            _dampings(dials[DAMPED], control, response, stage, who, first)
            _two_pole(
                tile, first, tick, dials[ALIVE], dials[WARP], dials[DAMPED], g, swings, m0, m1, m1k, m2, here, 2 * stage
            )  # fmt: skip
        voices_out(tile, who, first, ticks, tick, audio)
        state_out(here, who, state)


@kernel
def _lifts(lifts, dampings, control, who, first):  # type: ignore[no-untyped-def]
    """The lift of four shelves (the root of its gain) and their damping at every tick."""
    still = stands(control[LIFT], who, first) and stands(control[RESONANCE], who, first)
    end = first + 1 if still else lifts.shape[0]
    for v in range(VOICES):
        row = who[0, v]
        for t in range(first, end):
            if rests(control, LIFT, row, t, first) and rests(control, RESONANCE, row, t, first):
                both(lifts, t, v, lifts[t - 1, 2 * v])
                both(dampings, t, v, dampings[t - 1, 2 * v])
            else:
                both(lifts, t, v, 10.0 ** (np.float64(control[LIFT, row, t]) / 40.0))
                both(dampings, t, v, 4.0 ** -np.float64(control[RESONANCE, row, t]) / BUTTERWORTH_12)
    hold(lifts, end)
    hold(dampings, end)


@kernel
def _shelved(a, high):  # type: ignore[no-untyped-def]
    """What a shelf is made of for `a`, the root of its gain: its stage's cutoff over its own; sound, band over damping, low."""
    if high:
        return root(a), a * a, (1.0 - a) * a, 1.0 - a * a
    return 1.0 / root(a), 1.0 + 0.0 * a, a - 1.0, a * a - 1.0


@kernel
def _shelve(high, tile, first, tick, dials, g, swings, here):  # type: ignore[no-untyped-def]
    """A shelf over four voices, in place."""
    a, b = load(here, 0), load(here, 1)
    alive, cutoffs, dampings, lifts = dials[ALIVE], dials[WARP], dials[DAMPED], dials[LIFTED]
    each = 1.0 / tick
    for t in range(first, alive.shape[0] - 1):
        a, b = a * load(alive, t), b * load(alive, t)
        w, k, lift = load(cutoffs, t), load(dampings, t), load(lifts, t)
        open_, sharpen = (load(cutoffs, t + 1) - w) * each, (load(dampings, t + 1) - k) * each
        raised = (load(lifts, t + 1) - lift) * each
        of, m0, m1k, m2 = _shelved(lift, high)
        lifts_on = any_above(abs(raised), 0.0)
        if swings or lifts_on or any_above(abs(open_) + abs(sharpen), 0.0):
            for n in range(t * tick, (t + 1) * tick):
                if swings:
                    w = load(g, n)
                if lifts_on:
                    of, m0, m1k, m2 = _shelved(lift, high)
                x = load(tile, n)
                band, low, a, b = step(x, of * w, k, a, b)
                store(tile, n, m0 * x + m1k * k * band + m2 * low)
                w += open_
                k += sharpen
                lift += raised
        else:
            a, b = run_still(tile, t * tick, (t + 1) * tick, of * w, k, m0, m1k * k, m2, a, b)
    store(here, 0, a)
    store(here, 1, b)


@works_for(Shelf)
@kernel
def run_shelf(audio, control, line, frequency, rows, start, tick, rate, swing, state, who, dials, here, tile, g):  # type: ignore[no-untyped-def]
    """Shelves of the Audio EQ Cookbook as one second-order stage (Zavalishin, chapter 4); `state` (row, number, channel)."""
    ticks = control.shape[2] - 1
    for group in range(0, rows.shape[0], VOICES):
        first = take_voices(audio, rows, start, group, who, dials[ALIVE])
        high = control[SIDE, who[0, 0], max(who[1, 0], 0)] > 0.5
        state_in(state, who, here)
        voices_in(audio, who, first, ticks, tick, tile)
        push_in(tile, dials[PUSH], dials[BACK], control, who, first, tick)
        warp(dials, control, line, frequency, who, first, rate)
        swings = warp_swung(g, dials, swing, who, first, tick, rate)
        _lifts(dials[LIFTED], dials[DAMPED], control, who, first)
        _shelve(high, tile, first, tick, dials, g, swings, here)
        voices_out(tile, who, first, ticks, tick, audio)
        state_out(here, who, state)
