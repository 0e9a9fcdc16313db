"""Ladder and acid filters: loops that give way, four voices at a time."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.kernel import Stage, inner, kernel
from felt_dial.sound.simd.lanes import VOICES, Lanes, both, hold, stands
from felt_dial.sound.simd.memory import load, store
from felt_dial.sound.simd.types import any_above
from felt_dial.sound.tone.core.transfer import KNEE
from felt_dial.sound.tone.kernels.core.cutoff import (
    ALIVE,
    BACK,
    OWN,
    PUSH,
    RESONANCE,
    WARP,
    pushes,
    tuned_room,
    warp,
    warp_swung,
)
from felt_dial.sound.tone.kernels.core.transfer import rounded, soft
from felt_dial.sound.tone.kernels.core.voices import set_to, works_at_once
from felt_dial.sound.tone.ladder import (
    BASS,
    MIXES,
    MOST,
    RUBBER_AT,
    RUBBER_MOST,
    WIDEST,
    WIRE_MOST,
    WIRE_OPEN,
    Acid,
    Ladder,
    rubber_table,
)

STILL = 2.0
"""Hertz below which a driven filter loses what stands still: a bent wave that leans to one side has a middle."""
RUBBER_ROOM = 6.0
"""Level at which the loop gives way: its output is soft against what goes round in it."""
RESPONSE, CHARACTER = Ladder.row_of("response"), Acid.row_of("character")


SUNG, BLOCKED, INTO = OWN, 4, 5
"""The dial of the resonance, and what takes away what stands still, in the state."""


@kernel
def _chain(w):
    """What solves a chain of four poles that lean on each other, from its first to its last."""
    one = 1.0 / (1.0 + 2.0 * w)
    two = 1.0 / (1.0 + 2.0 * w - w * w * one)
    three = 1.0 / (1.0 + 2.0 * w - w * w * two)
    return one, two, three, 1.0 / (1.0 + w - w * w * three)


@kernel
def _equal(w):
    """The same for four poles with buffers between them."""
    h = 1.0 / (1.0 + w)
    return h, h, h, h


@kernel
def _poles(leans, w, one, two, three, four, u, s1, s2, s3, s4):
    """Four poles, leaning on each other or not (None), for what comes in and their states."""
    y1 = one * s1 + (one * w) * u
    y2 = two * s2 + (two * w) * y1
    y3 = three * s3 + (three * w) * y2
    y4 = four * s4 + (four * w) * y3
    if leans is None:
        return y1, y2, y3, y4
    y3 = y3 + (three * w) * y4
    y2 = y2 + (two * w) * y3
    return y1 + (one * w) * y2, y2, y3, y4


@kernel
def _turns(leans, w, one, two, three, four, s1, s2, s3, s4):
    """What four states become by themselves: 2 q − s."""
    q1, q2, q3, q4 = _poles(leans, w, one, two, three, four, 0.0, s1, s2, s3, s4)
    return 2.0 * q1 - s1, 2.0 * q2 - s2, 2.0 * q3 - s3, 2.0 * q4 - s4


@kernel
def _solved(leans, w, k):
    """What a cutoff and a resonance make of the chain: its solution, its parts of the loop's input, of the states."""
    one, two, three, four = _equal(w) if leans is None else _chain(w)
    p1, p2, p3, p4 = _poles(leans, w, one, two, three, four, 1.0, 0.0, 0.0, 0.0, 0.0)
    d4 = four
    d3 = d4 * w * three
    d2 = d3 * w * two
    d1 = d2 * w * one
    return (one, two, three, four), (p1, p2, p3, p4), (d1, d2, d3, d4), 1.0 / (1.0 + k * p4)


@kernel
def _loop(leans, at, room, tile, first, tick, dials, g, swings, mix, keep, here):
    """Four poles in a loop that gives way at `room`, over four voices, in place; `at` is where they are, by the cutoff.

    Every pole is a part p of the loop's input u and a part q of the states alone, and each state s becomes 2 (p u + q) − s.
    So of the next frame all but one product is known before this frame's u is: what a processor would wait for is short.
    """
    c0, c1, c2, c3, c4 = mix[0], mix[1], mix[2], mix[3], mix[4]
    v1, v2, v3, v4 = load(here, 0), load(here, 1), load(here, 2), load(here, 3)
    p, before = load(here, BLOCKED), load(here, INTO)
    alive, cutoffs, push, back, sung = dials[ALIVE], dials[WARP], dials[PUSH], dials[BACK], dials[SUNG]
    each, full = 1.0 / tick, 1.0 / (room * KNEE)
    for t in range(first, alive.shape[0] - 1):
        lives = load(alive, t)
        v1, v2, v3, v4, p, before = lives * v1, lives * v2, lives * v3, lives * v4, lives * p, lives * before
        w, k, hard, out = load(cutoffs, t) * at, load(sung, t), load(push, t), load(back, t)
        open_, lift = (load(cutoffs, t + 1) - load(cutoffs, t)) * (at * each), (load(sung, t + 1) - k) * each
        harder, fade = (load(push, t + 1) - hard) * each, (load(back, t + 1) - out) * each
        u = 0.0 * w
        if swings or any_above(abs(open_) + abs(lift) + abs(harder), 0.0):
            e1, e2, e3, e4 = 0.0 * w, 0.0 * w, 0.0 * w, 0.0 * w
            for n in range(t * tick, (t + 1) * tick):
                if swings:
                    w = load(g, n) * at
                (one, two, three, four), (p1, p2, p3, p4), (d1, d2, d3, d4), solve = _solved(leans, w, k)
                known = hard * (1.0 + BASS * k) * load(tile, n) - k * ((d1 * v1 + d2 * v2) + (d3 * v3 + d4 * v4))
                late = k * ((d1 * e1 + d2 * e2) + (d3 * e3 + d4 * e4))
                s1, s2, s3, s4 = v1 + e1 * u, v2 + e2 * u, v3 + e3 * u, v4 + e4 * u
                u = room * rounded(known * (solve * full) - (late * (solve * full)) * u)
                q1, q2, q3, q4 = _poles(leans, w, one, two, three, four, 0.0, s1, s2, s3, s4)
                v1, v2, v3, v4 = 2.0 * q1 - s1, 2.0 * q2 - s2, 2.0 * q3 - s3, 2.0 * q4 - s4
                e1, e2, e3, e4 = 2.0 * p1, 2.0 * p2, 2.0 * p3, 2.0 * p4
                heard = c1 * (p1 * u + q1) + c2 * (p2 * u + q2) + c3 * (p3 * u + q3) + c4 * (p4 * u + q4) + c0 * u
                p = heard - before + keep * p
                before = heard
                store(tile, n, out * p)
                w += open_
                k += lift
                hard += harder
                out += fade
        else:
            (one, two, three, four), (p1, p2, p3, p4), (d1, d2, d3, d4), solve = _solved(leans, w, k)
            much = k * solve * full
            loud = hard * (1.0 + BASS * k) * solve * full
            e1, e2, e3, e4 = (2.0 * room) * p1, (2.0 * room) * p2, (2.0 * room) * p3, (2.0 * room) * p4
            late = much * ((d1 * e1 + d2 * e2) + (d3 * e3 + d4 * e4))
            of_u = room * (c0 + c1 * p1 + c2 * p2 + c3 * p3 + c4 * p4)
            d1, d2, d3, d4 = much * d1, much * d2, much * d3, much * d4
            a11, a21, a31, a41 = _turns(leans, w, one, two, three, four, 1.0, 0.0, 0.0, 0.0)
            a12, a22, a32, a42 = _turns(leans, w, one, two, three, four, 0.0, 1.0, 0.0, 0.0)
            a13, a23, a33, a43 = _turns(leans, w, one, two, three, four, 0.0, 0.0, 1.0, 0.0)
            a14, a24, a34, a44 = _turns(leans, w, one, two, three, four, 0.0, 0.0, 0.0, 1.0)
            f1, f2 = d1 * a11 + d2 * a21 + d3 * a31 + d4 * a41, d1 * a12 + d2 * a22 + d3 * a32 + d4 * a42
            f3, f4 = d1 * a13 + d2 * a23 + d3 * a33 + d4 * a43, d1 * a14 + d2 * a24 + d3 * a34 + d4 * a44
            h1 = 0.5 * (c1 + c1 * a11 + c2 * a21 + c3 * a31 + c4 * a41)
            h2 = 0.5 * (c2 + c1 * a12 + c2 * a22 + c3 * a32 + c4 * a42)
            h3 = 0.5 * (c3 + c1 * a13 + c2 * a23 + c3 * a33 + c4 * a43)
            h4 = 0.5 * (c4 + c1 * a14 + c2 * a24 + c3 * a34 + c4 * a44)
            fed = (d1 * v1 + d2 * v2) + (d3 * v3 + d4 * v4)
            for n in range(t * tick, (t + 1) * tick):
                s1, s2, s3, s4 = v1 + e1 * u, v2 + e2 * u, v3 + e3 * u, v4 + e4 * u
                u = rounded(loud * load(tile, n) - fed - late * u)
                fed = (f1 * s1 + f2 * s2) + (f3 * s3 + f4 * s4)
                if leans is None:
                    v1, v2, v3, v4 = _turns(leans, w, one, two, three, four, s1, s2, s3, s4)
                else:
                    v1 = (a11 * s1 + a12 * s2) + (a13 * s3 + a14 * s4)
                    v2 = (a21 * s1 + a22 * s2) + (a23 * s3 + a24 * s4)
                    v3 = (a31 * s1 + a32 * s2) + (a33 * s3 + a34 * s4)
                    v4 = (a41 * s1 + a42 * s2) + (a43 * s3 + a44 * s4)
                heard = (h1 * s1 + h2 * s2) + (h3 * s3 + h4 * s4) + of_u * u
                p = heard - before + keep * p
                before = heard
                store(tile, n, out * p)
        v1, v2, v3, v4 = v1 + e1 * u, v2 + e2 * u, v3 + e3 * u, v4 + e4 * u
    store(here, 0, v1)
    store(here, 1, v2)
    store(here, 2, v3)
    store(here, 3, v4)
    store(here, BLOCKED, p)
    store(here, INTO, before)


@kernel
def _tune(dials, control, most, line, frequency, who, first, rate):
    """Push, resonance (`most` of it at its end) and cutoff of four voices at every tick."""
    pushes(dials[PUSH], dials[BACK], control, who, first)
    warp(dials, control, line, frequency, who, first, rate)
    end = first + 1 if stands(control[RESONANCE], who, first) else dials.shape[1]
    for v in range(VOICES):
        for t in range(first, end):
            both(dials[SUNG], t, v, most * np.float64(control[RESONANCE, who[0, v], t]))
    hold(dials[SUNG], end)


class LadderState(NamedTuple):
    """Room for four voices, how the taps of a ladder are mixed, for every response or for one, and `rubber_table`."""

    lanes: Lanes
    swung: NDArray[np.float64]
    mixes: NDArray[np.float64]
    opens: NDArray[np.float64]


GIVES_AT = 48000.0
"""Rate at which the band of the wire clips wholly in every frame."""


def prepare_ladder(module: Ladder, stage: Stage) -> LadderState:
    """State of a ladder, as it begins."""
    return LadderState(*tuned_room(stage, 6, 1), MIXES.copy(), np.ones(1))


@works_at_once(Ladder, prepare_ladder, LadderState)
@kernel
def ladder(played, state, first):
    """Filters four voices in place."""
    lanes = state.lanes
    keep = 1.0 - 2.0 * math.pi * STILL / played.rate
    mix = state.mixes[set_to(played, lanes, RESPONSE)]
    swings = _tuned(played, state, MOST, first)
    _loop(None, 1.0, 1.0, lanes.tile, first, played.tick, lanes.dials, state.swung, swings, mix, keep, lanes.here)


def prepare_acid(module: Acid, stage: Stage) -> LadderState:
    """State of an acid filter, as it begins."""
    return LadderState(*tuned_room(stage, 6, 1), MIXES.copy(), rubber_table())


@inner
def _tuned(played, state, most, first):
    """Cutoff, push and whistle of four voices at every tick; True where the cutoff swings from frame to frame."""
    dials, who = state.lanes.dials, state.lanes.who
    _tune(dials, played.control, most, played.line, played.frequency, who, first, played.rate)
    return warp_swung(state.swung, dials, played.swing, who, first, played.tick, played.rate)


@works_at_once(Acid, prepare_acid, LadderState)
@kernel
def acid(played, state, first):
    """Filters four voices in place.

    Rubber is a chain of four resistors and capacitors without buffers between them, in a loop: the poles lean on each
    other (Zavalishin, section 5.10, for a diode ladder). Wire is a two-pole whose band clips and so tames its ringing.
    """
    lanes, tick, g = state.lanes, played.tick, state.swung
    keep = 1.0 - 2.0 * math.pi * STILL / played.rate
    wire = set_to(played, lanes, CHARACTER) > 0
    swings = _tuned(played, state, 1.0 if wire else RUBBER_MOST, first)
    if wire:
        _wire(lanes.tile, first, tick, lanes.dials, g, swings, keep, lanes.here, GIVES_AT / played.rate)
    else:
        mix = state.mixes[0]
        _open(lanes.dials, g, swings, state.opens, first, tick)
        _loop(1, 1.0 / RUBBER_AT, RUBBER_ROOM, lanes.tile, first, tick, lanes.dials, g, swings, mix, keep, lanes.here)


@kernel
def _open(dials, g, swings, opens, first, tick):
    """Sets the poles of rubber wider, as far as their resonance asks for."""
    steps = opens.shape[0] - 1
    for t in range(first, dials.shape[1]):
        for v in range(VOICES):
            at = min(max(dials[SUNG, t, 2 * v] * (steps / RUBBER_MOST), 0.0), steps - 1e-9)
            k = int(at)
            factor = opens[k] + (at - k) * (opens[k + 1] - opens[k])
            both(dials[WARP], t, v, min(dials[WARP, t, 2 * v] * factor, WIDEST))
            if swings and t + 1 < dials.shape[1]:
                for n in range(t * tick, (t + 1) * tick):
                    both(g, n, v, min(g[n, 2 * v] * factor, WIDEST))


@kernel
def _wire(tile, first, tick, dials, g, swings, keep, here, give):
    """Two poles whose band clips, over four voices, in place; of its state a `half` is kept, which is what gives way.

    It gives way by a part in every frame, `give`, so that it does as much in a second at any rate.
    """
    half, s2, p, before = load(here, 0), load(here, 1), load(here, BLOCKED), load(here, INTO)
    alive, cutoffs, push, back, sung = dials[ALIVE], dials[WARP], dials[PUSH], dials[BACK], dials[SUNG]
    each = 1.0 / tick
    for t in range(first, alive.shape[0] - 1):
        lives = load(alive, t)
        half, s2, p, before = lives * half, lives * s2, lives * p, lives * before
        w, r, hard, out = load(cutoffs, t), load(sung, t), load(push, t), load(back, t)
        open_, lift = (load(cutoffs, t + 1) - w) * each, (load(sung, t + 1) - r) * each
        harder, fade = (load(push, t + 1) - hard) * each, (load(back, t + 1) - out) * each
        moves = swings or any_above(abs(open_) + abs(lift), 0.0)
        scale = 1.0 / (1.0 + w * (w + WIRE_OPEN * (1.0 - WIRE_MOST * r)))
        for n in range(t * tick, (t + 1) * tick):
            if moves:
                if swings:
                    w = load(g, n)
                scale = 1.0 / (1.0 + w * (w + WIRE_OPEN * (1.0 - WIRE_MOST * r)))
            pulled = w * scale * (soft(hard * load(tile, n)) - s2)
            low = w * pulled + (2.0 * w * scale) * half + s2
            half = pulled + (2.0 * scale - 1.0) * half
            half += give * (rounded(half * (1.0 / KNEE)) - half)
            s2 = min(max(2.0 * low - s2, -8.0), 8.0)
            p = low - before + keep * p
            before = low
            store(tile, n, out * p)
            w += open_
            r += lift
            hard += harder
            out += fade
    store(here, 0, half)
    store(here, 1, s2)
    store(here, BLOCKED, p)
    store(here, INTO, before)
