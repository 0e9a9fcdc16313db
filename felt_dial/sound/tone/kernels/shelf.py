"""Shelves, four voices at a time."""

from __future__ import annotations

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, inner, kernel
from felt_dial.sound.simd.lanes import VOICES, both, hold, rests, stands
from felt_dial.sound.simd.memory import load, store
from felt_dial.sound.simd.types import any_above, root
from felt_dial.sound.tone.kernels.core.cutoff import ALIVE, RESONANCE, WARP, Tuning, tune, tuned_room
from felt_dial.sound.tone.kernels.core.voices import set_to, works_at_once
from felt_dial.sound.tone.kernels.state_variable import DAMPED, LIFTED, run_still, step
from felt_dial.sound.tone.shelf import Shelf
from felt_dial.sound.tone.state_variable import BUTTERWORTH_12

SIDE, LIFT = Shelf.row_of("side"), Shelf.row_of("lift")


@kernel
def _lifts(lifts, dampings, control, who, first):
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
def _shelved(a, high):
    """What a shelf is made of for `a`, the root of its gain: its stage's cutoff over its own; sound, band over damping, low."""
    if high:
        return root(a), a * a, (1.0 - a) * a, 1.0 - a * a
    return 1.0 / root(a), 1.0 + 0.0 * a, a - 1.0, a * a - 1.0


@inner
def _shelve(played, state, first, swings, high):
    """A shelf over four voices, in place."""
    tile, dials, here, tick, g = state.lanes.tile, state.lanes.dials, state.lanes.here, played.tick, state.swung
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


def prepare_shelf(module: Shelf, stage: Stage) -> Tuning:
    """State of a shelf, as it begins."""
    return tuned_room(stage, 2, 2)


@works_at_once(Shelf, prepare_shelf, Tuning)
@kernel
def shelf(played, state, first):
    """Shelves of the Audio EQ Cookbook as one second-order stage (Zavalishin, chapter 4), over four voices in place."""
    lanes = state.lanes
    swings = tune(played, state, first)
    _lifts(lanes.dials[LIFTED], lanes.dials[DAMPED], played.control, lanes.who, first)
    _shelve(played, state, first, swings, set_to(played, lanes, SIDE) > 0)
