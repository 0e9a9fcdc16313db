"""Vowels: three resonances along a line of vowels, four voices at a time."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.kernel import Stage, kernel
from felt_dial.sound.simd.arithmetic import power_of_two
from felt_dial.sound.simd.lanes import VOICES, Lanes, both, hold, stands
from felt_dial.sound.simd.memory import load, store
from felt_dial.sound.simd.types import any_above, quotient
from felt_dial.sound.tone.formant import LEVELS, MEANS, WIDTHS, Formant
from felt_dial.sound.tone.kernels.core.cutoff import (
    ALIVE,
    FOLLOW,
    OWN,
    RESONANCE,
    push_in,
    swings_in,
    tuned_room,
    warped_at,
)
from felt_dial.sound.tone.kernels.core.voices import set_to, works_at_once

WIDE = tuple(math.log2(width) for width in WIDTHS)


VOWEL, THROAT, SHIFT = (Formant.row_of(name) for name in ("vowel", "throat", "shift"))


FORMANTS = 3
"""Dials of each, one formant after the other: its warped frequency, its damping and its gain."""


@kernel
def _speak(dials, control, line, who, first, throat, rate, means, levels):
    """The formants of four voices at every tick; `means` and `levels` are counted in octaves, and so is all on the way."""
    stand = stands(line, who, first)
    for which in (VOWEL, SHIFT, RESONANCE, FOLLOW):
        stand = stand and stands(control[which], who, first)
    end = first + 1 if stand else dials.shape[1]
    for v in range(VOICES):
        row = who[0, v]
        for t in range(first, end):
            place = np.float64(control[VOWEL, row, t])
            low = np.int64(min(place, 6.0))
            part = place - low
            turn = np.float64(control[FOLLOW, row, t]) * (np.float64(line[row, t]) - 60.0)
            turn = (turn + np.float64(control[SHIFT, row, t])) / 12.0
            narrow = 4.0 * np.float64(control[RESONANCE, row, t]) - 2.0
            for which in range(FORMANTS):
                of = OWN + 3 * which
                height = means[throat, low, which] + part * (means[throat, low + 1, which] - means[throat, low, which])
                both(dials[of], t, v, height + turn)
                both(dials[of + 1], t, v, WIDE[which] - height - narrow)
                both(dials[of + 2], t, v, levels[low, which] + part * (levels[low + 1, which] - levels[low, which]))
    for which in range(FORMANTS):
        of = OWN + 3 * which
        for t in range(first, end):
            f = min(power_of_two(load(dials[of], t)), 0.45 * rate)
            store(dials[of], t, warped_at(f, rate))
            store(dials[of + 1], t, power_of_two(load(dials[of + 1], t)))
            store(dials[of + 2], t, power_of_two(load(dials[of + 2], t)))
        for k in range(of, of + 3):
            hold(dials[k], end)


@kernel
def _ring(x, w, scale, a, b):
    """One frame of a resonance: its band, and its two states after."""
    band = w * scale * (x - b) + scale * a
    return band, 2.0 * band - a, 2.0 * (w * band) + b


@kernel
def _rings(tile, first, tick, dials, g, swings, here):
    """Three resonances side by side over four voices, in place."""
    a1, b1, a2, b2 = load(here, 0), load(here, 1), load(here, 2), load(here, 3)
    a3, b3 = load(here, 4), load(here, 5)
    alive, of = dials[ALIVE], dials[OWN:]
    each, one = 1.0 / tick, 0.0 * a1 + 1.0
    for t in range(first, alive.shape[0] - 1):
        lives = load(alive, t)
        a1, b1, a2, b2, a3, b3 = lives * a1, lives * b1, lives * a2, lives * b2, lives * a3, lives * b3
        w1, k1, g1, w2, k2, g2 = (
            load(of[0], t),
            load(of[1], t),
            load(of[2], t),
            load(of[3], t),
            load(of[4], t),
            load(of[5], t),
        )
        w3, k3, g3 = load(of[6], t), load(of[7], t), load(of[8], t)
        dw1, dk1, dg1 = load(of[0], t + 1) - w1, load(of[1], t + 1) - k1, load(of[2], t + 1) - g1
        dw2, dk2, dg2 = load(of[3], t + 1) - w2, load(of[4], t + 1) - k2, load(of[5], t + 1) - g2
        dw3, dk3, dg3 = load(of[6], t + 1) - w3, load(of[7], t + 1) - k3, load(of[8], t + 1) - g3
        far = abs(dw1) + abs(dw2) + abs(dw3) + abs(dk1) + abs(dk2) + abs(dk3) + abs(dg1) + abs(dg2) + abs(dg3)
        moves = swings or any_above(far, 0.0)
        v1, v2, v3 = w1, w2, w3
        s1, s2, s3 = 1.0 / (1.0 + w1 * (w1 + k1)), 1.0 / (1.0 + w2 * (w2 + k2)), 1.0 / (1.0 + w3 * (w3 + k3))
        l1, l2, l3 = g1 * k1, g2 * k2, g3 * k3
        for n in range(t * tick, (t + 1) * tick):
            x = load(tile, n)
            if moves:
                part = (n - t * tick) * each
                v1, v2, v3 = w1 + part * dw1, w2 + part * dw2, w3 + part * dw3
                if swings:
                    swung = load(g, n)
                    v1, v2, v3 = min(v1 * swung, 6.0), min(v2 * swung, 6.0), min(v3 * swung, 6.0)
                h1, h2, h3 = k1 + part * dk1, k2 + part * dk2, k3 + part * dk3
                s1 = quotient(one, 1.0 + v1 * (v1 + h1))
                s2, s3 = quotient(one, 1.0 + v2 * (v2 + h2)), quotient(one, 1.0 + v3 * (v3 + h3))
                l1, l2, l3 = (g1 + part * dg1) * h1, (g2 + part * dg2) * h2, (g3 + part * dg3) * h3
            y1, a1, b1 = _ring(x, v1, s1, a1, b1)
            y2, a2, b2 = _ring(x, v2, s2, a2, b2)
            y3, a3, b3 = _ring(x, v3, s3, a3, b3)
            store(tile, n, l1 * y1 + l2 * y2 + l3 * y3)
    store(here, 0, a1)
    store(here, 1, b1)
    store(here, 2, a2)
    store(here, 3, b2)
    store(here, 4, a3)
    store(here, 5, b3)


class FormantState(NamedTuple):
    """Room for four voices; the formants of every throat and vowel in octaves, and their levels, counted in octaves too."""

    lanes: Lanes
    swung: NDArray[np.float64]
    means: NDArray[np.float64]
    levels: NDArray[np.float64]


def prepare_formant(module: Formant, stage: Stage) -> FormantState:
    """State of a throat, as it begins."""
    room = tuned_room(stage, 2 * FORMANTS, 3 * FORMANTS)
    return FormantState(*room, np.log2(MEANS), LEVELS * (math.log2(10.0) / 20.0))


@works_at_once(Formant, prepare_formant, FormantState)
@kernel
def formant(played, state, first):
    """Filters four voices in place."""
    lanes = state.lanes
    dials, who = lanes.dials, lanes.who
    throat = set_to(played, lanes, THROAT)
    push_in(lanes, played.control, first, played.tick)
    _speak(dials, played.control, played.line, who, first, throat, played.rate, state.means, state.levels)
    swings = swings_in(state.swung, played.swing, who, first, played.tick)
    _rings(lanes.tile, first, played.tick, dials, state.swung, swings, lanes.here)
