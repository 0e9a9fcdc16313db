"""State-variable filter, four voices at a time."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, inner, kernel
from felt_dial.sound.simd.lanes import VOICES, both, hold, rests, stands
from felt_dial.sound.simd.memory import load, store
from felt_dial.sound.simd.types import any_above
from felt_dial.sound.tone.kernels.core.cutoff import ALIVE, OWN, RESONANCE, WARP, Tuning, tune, tuned_room
from felt_dial.sound.tone.kernels.core.voices import set_to, works_at_once
from felt_dial.sound.tone.state_variable import (
    BUTTERWORTH_12,
    BUTTERWORTH_24,
    HIGHEST_Q,
    HIGHEST_Q_TWICE,
    StateVariable,
)

LOW, HIGH, BAND, NOTCH, PEAK, GENTLE = range(6)
FIRST_24, SECOND_24 = BUTTERWORTH_24


RESPONSE = StateVariable.row_of("response")
DAMPED, LIFTED = OWN, OWN + 1


@kernel
def _damping(response, resonance, stage):
    if response // 2 == GENTLE:
        return 2.0
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
def step(x, w, k, a, b):
    """One frame of a second-order stage with the integrators `a` and `b`: its band, its low, and the integrators after."""
    scale = 1.0 / (1.0 + w * (w + k))
    band = w * scale * (x - b) + scale * a
    low = w * band + b
    return band, low, 2.0 * band - a, 2.0 * low - b


@kernel
def run_still(tile, begin, end, w, k, m0, m, m2, a, b):
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


class Mixed(NamedTuple):
    """What comes out of a second-order stage: m0·x + (m1 + m1k·k)·band + m2·low, with its damping k."""

    m0: float
    m1: float
    m1k: float
    m2: float


@inner
def _two_pole(played, state, first, swings, mixed, at):
    """One second-order stage over four voices, in place; its two numbers are at `at`."""
    tile, dials, here, tick, g = state.lanes.tile, state.lanes.dials, state.lanes.here, played.tick, state.swung
    alive, cutoffs, dampings = dials[ALIVE], dials[WARP], dials[DAMPED]
    m0, m1, m1k, m2 = mixed
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
def _dampings(lanes, control, response, stage, who, first):
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


def prepare_state_variable(module: StateVariable, stage: Stage) -> Tuning:
    """State of a filter, as it begins."""
    return tuned_room(stage, 4, 1)


@works_at_once(StateVariable, prepare_state_variable, Tuning)
@kernel
def state_variable(played, state, first):
    """Filters four voices in place."""
    lanes = state.lanes
    response = set_to(played, lanes, RESPONSE)
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
    elif response == 2 * GENTLE:  # (s + 1) / (s + 1)²
        m1, m2 = 1.0, 1.0
    elif form == GENTLE:  # (s² + s) / (s + 1)²
        m0, m1, m2 = 1.0, -1.0, -1.0
    else:
        m0, m1, m1k = 1.0, 1.0 / BUTTERWORTH_12, -1.0
    swings = tune(played, state, first)
    for stage in range(1 if form == GENTLE else 1 + response % 2):
        _dampings(lanes.dials[DAMPED], played.control, response, stage, lanes.who, first)
        _two_pole(played, state, first, swings, Mixed(m0, m1, m1k, m2), 2 * stage)
