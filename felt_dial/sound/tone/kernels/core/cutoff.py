"""Cutoffs as coefficients: at every tick, and between two of them."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Tuned
from felt_dial.sound.compiling.kernel import Stage, inner, kernel
from felt_dial.sound.simd.arithmetic import power_of_two, tangent
from felt_dial.sound.simd.lanes import VOICES, Lanes, both, hold, lane_array, lane_room, rests, stands
from felt_dial.sound.simd.memory import load, store
from felt_dial.sound.simd.types import pick, quotient
from felt_dial.sound.tone.core.cutoff import HIGHEST, LOWEST
from felt_dial.sound.tone.kernels.core.transfer import NEAR, TINY, soft, soft_area

CUTOFF, COUNTED, DISTANCE, RESONANCE, FOLLOW, DRIVE = (
    Tuned.row_of(name) for name in ("cutoff", "counted", "distance", "resonance", "follow", "drive")
)
ALIVE, HERTZ, WARP, PUSH, BACK, OWN = range(6)
"""The first dials of every filter: where voices begin, the cutoff in Hz and warped, the push and what of it is taken back."""
ALL_BENT = 1.0 / (10.0**0.15 - 1.0)
"""From 3 dB of drive on all of the sound is pushed; below, a part of it goes past."""


class Tuning(NamedTuple):
    """Room for four voices of a tuned filter, and for cutoffs that swing, float64 (frame, 8)."""

    lanes: Lanes
    swung: NDArray[np.float64]


def tuned_room(stage: Stage, numbers: int, own: int = 0) -> Tuning:
    """Room for `numbers` of every channel and that of `push_in`, and for `own` dials besides those that all filters have."""
    return Tuning(lane_room(stage, OWN + own, numbers + 1), lane_array(stage.frames))


@kernel
def cutoff_stands(control, line, frequency, who, first):
    """True where the cutoffs of four voices stand still in this block."""
    for which in (CUTOFF, COUNTED, DISTANCE, FOLLOW):
        if not stands(control[which], who, first):
            return False
    counted = follows = False
    for v in range(VOICES):
        counted = counted or control[COUNTED, who[0, v], first] > 0.5
        follows = follows or control[FOLLOW, who[0, v], first] != 0.0
    return (not counted or stands(frequency, who, first)) and (not follows or stands(line, who, first))


@kernel
def hertz_in(lanes, octaves, control, line, frequency, who, first, end):
    """`hertz`, compiled, of four voices from tick `first` up to `end`, into `lanes` (tick, 8); `octaves` is room like it."""
    for v in range(VOICES):
        row = who[0, v]
        for t in range(first, end):
            if control[COUNTED, row, t] > 0.5:
                both(lanes, t, v, np.float64(frequency[row, t]))
                both(octaves, t, v, np.float64(control[DISTANCE, row, t]) / 12.0)
            else:
                both(lanes, t, v, np.float64(control[CUTOFF, row, t]))
                both(octaves, t, v, np.float64(control[FOLLOW, row, t]) * (np.float64(line[row, t]) - 60.0) / 12.0)
    for t in range(first, end):
        store(lanes, t, load(lanes, t) * power_of_two(load(octaves, t)))


@kernel
def warped_at(f, rate):
    """tan(π f / rate) of cutoffs within their ends."""
    return tangent((math.pi / rate) * min(max(f, LOWEST), HIGHEST * rate))


@kernel
def warp(dials, control, line, frequency, who, first, rate):
    """Cutoffs of four voices at every tick: in Hz, and tan(π f / rate) of them."""
    cutoffs, warped = dials[HERTZ], dials[WARP]
    end = first + 1 if cutoff_stands(control, line, frequency, who, first) else cutoffs.shape[0]
    hertz_in(cutoffs, warped, control, line, frequency, who, first, end)
    for t in range(first, end):
        store(warped, t, warped_at(load(cutoffs, t), rate))
    hold(cutoffs, end)
    hold(warped, end)


@kernel
def swings_in(g, swing, who, first, tick):
    """By which ratio `swing`, octaves in float32 (row, frame), moves four voices at every frame, into `g` (frame, 8).

    Returns False where nothing swings: then `swing` is (0, 0).
    """
    if swing.shape[0] == 0:
        return False
    for v in range(VOICES):
        line = swing[who[0, v]]
        for n in range(first * tick, g.shape[0]):
            both(g, n, v, np.float64(line[n]))
    for n in range(first * tick, g.shape[0]):
        store(g, n, power_of_two(load(g, n)))
    return True


@kernel
def warp_swung(g, dials, swing, who, first, tick, rate):
    """`warp` at every frame, of cutoffs that `swing` moves, into `g`; False where nothing swings."""
    if not swings_in(g, swing, who, first, tick):
        return False
    cutoffs = dials[HERTZ]
    for t in range(first, cutoffs.shape[0] - 1):
        f = load(cutoffs, t)
        rise = (load(cutoffs, t + 1) - f) * (1.0 / tick)
        for n in range(t * tick, (t + 1) * tick):
            store(g, n, warped_at(f * load(g, n), rate))
            f += rise
    return True


@kernel
def pushes(push, back, control, who, first):
    """How hard four voices are pushed at every tick, and what of that is taken back; True where some are at all."""
    driven = False
    end = first + 1 if stands(control[DRIVE], who, first) else push.shape[0]
    for v in range(VOICES):
        row = who[0, v]
        for t in range(first, end):
            driven = driven or control[DRIVE, row, t] > 0.0
            if rests(control, DRIVE, row, t, first):
                both(push, t, v, push[t - 1, 2 * v])
                both(back, t, v, back[t - 1, 2 * v])
            else:
                drive = np.float64(control[DRIVE, row, t])
                hard = 1.0 if drive == 0.0 else 10.0 ** (drive / 20.0)
                both(push, t, v, hard)
                both(back, t, v, 1.0 / math.sqrt(hard))
    hold(push, end)
    hold(back, end)
    return driven


@kernel
def push_in(lanes, control, first, tick):
    """Drives four voices softly into a filter that itself is linear; no drive leaves them as they are.

    First-order antiderivative antialiasing, as a drive has it; the last of the numbers that a filter keeps is where it is.
    """
    tile, dials, here, who = lanes.tile, lanes.dials, lanes.here, lanes.who
    push, back, alive = dials[PUSH], dials[BACK], dials[ALIVE]
    kept = here.shape[0] - 1
    if not pushes(push, back, control, who, first):
        store(here, kept, load(tile, tile.shape[0] - 1))
        return
    each = 1.0 / tick
    last = load(here, kept)
    below = soft_area(last)
    for t in range(first, push.shape[0] - 1):
        last, below = last * load(alive, t), below * load(alive, t)
        hard, out = load(push, t), load(back, t)
        harder, further = (load(push, t + 1) - hard) * each, (load(back, t + 1) - out) * each
        for n in range(t * tick, (t + 1) * tick):
            x = load(tile, n)
            into = hard * x
            above, apart = soft_area(into), into - last
            bent = pick(abs(apart), NEAR, quotient(above - below, apart + TINY), soft(0.5 * (into + last)))
            last, below = into, above
            share = min((hard - 1.0) * ALL_BENT, 1.0)
            store(tile, n, x + share * (out * bent - x))
            hard += harder
            out += further
    store(here, kept, last)


@inner
def tune(played, state, first):
    """Pushes four voices into a linear filter, and finds its cutoff at every tick; True where it swings from frame to frame."""
    lanes = state.lanes
    dials, who = lanes.dials, lanes.who
    push_in(lanes, played.control, first, played.tick)
    warp(dials, played.control, played.line, played.frequency, who, first, played.rate)
    return warp_swung(state.swung, dials, played.swing, who, first, played.tick, played.rate)
