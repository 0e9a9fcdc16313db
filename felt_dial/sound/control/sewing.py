"""Sewing: the records that say what moves what, and the kernels that add up the threads on a parameter."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.control.line import line_at
from felt_dial.sound.kernel import ROWS, kernel

GLOBAL = ROWS
SMOOTHING = 0.005
FADE = 0.005
(
    IS_ENVELOPE, IS_LFO, IS_CURVE, IS_CHANCE, IS_STEPS, IS_BLEND, IS_FOLLOW, IS_MACRO, IS_KEY, IS_VELOCITY,
    IS_RELEASE_VELOCITY, IS_WHEEL, IS_PRESSURE, IS_SLIDE, IS_BEND, IS_PEDAL, IS_AGE, IS_NUMBER, IS_LOT,
) = range(19)  # fmt: skip
KINDS = {
    "envelope": IS_ENVELOPE, "lfo": IS_LFO, "curve": IS_CURVE, "chance": IS_CHANCE, "steps": IS_STEPS,
    "blend": IS_BLEND, "follow": IS_FOLLOW,
}  # fmt: skip
PLAYER_CODES = {
    "k": IS_KEY, "v": IS_VELOCITY, "rv": IS_RELEASE_VELOCITY, "w": IS_WHEEL, "p": IS_PRESSURE, "sl": IS_SLIDE,
    "bd": IS_BEND, "pd": IS_PEDAL, "ag": IS_AGE, "nn": IS_NUMBER, "ch": IS_LOT,
}  # fmt: skip
NOT_BEATS, BEATS_OF_TIME, BEATS_OF_RATE = range(3)
PLAIN, IN_SEMITONES, IN_FACTORS = range(3)
BOTH_WAYS, FLIPPED = 1, 2

SLOT_RECORD = np.dtype([
    ("low", "f8"), ("high", "f8"), ("target", "f8"), ("current", "f8"), ("smooth", "i4"), ("beats", "i4"),
    ("geometric", "i4"), ("moved", "i4"), ("filled", "i4"),
    ("since", "i4"), ("first_thread", "i4"), ("last_thread", "i4"),
])  # fmt: skip
MOVER_RECORD = np.dtype([
    ("kind", "i4"), ("first", "i4"), ("both", "i4"), ("drawn", "i4"), ("a", "i4"), ("b", "i4"), ("c", "i4"),
    ("late", "i4"), ("anew", "i4"),
])  # fmt: skip
THREAD_RECORD = np.dtype([
    ("mover", "i4"), ("first", "i4"), ("late", "i4"), ("scale", "i4"), ("scaler", "i4"), ("scaler_late", "i4"),
    ("shared", "i4"), ("drawn", "i4"), ("past", "i4"),
    ("reading", "i4"), ("smooth", "i4"), ("delay", "i4"), ("depth", "i4"),
])  # fmt: skip
ROW_RECORD = np.dtype([
    ("first", "i4"), ("begin", "i4"), ("release", "i4"), ("through", "i4"), ("number", "i8"), ("after", "i8"),
    ("key", "f8"), ("velocity", "f8"),
])  # fmt: skip
"""What the movers need to know of a row in this block: the first tick to work out, the ticks at which it begins and is
let go (−1 for neither), whether no key holds it, the number of its note, the row it follows, key and velocity."""


@kernel(inline=True)
def one_way(movers, moves, m, row, t):  # type: ignore[no-untyped-def]
    """A mover read from 0 to 1."""
    x = 0.0
    if m >= 0:
        x = np.float64(moves[m, row, t])
        if movers[m].both != 0:
            x = 0.5 * (x + 1.0)
    return x


@kernel(inline=True)
def _scaled(scale, depth):  # type: ignore[no-untyped-def]
    """A depth as it is added: octaves where it is a ratio."""
    if scale == IN_SEMITONES:
        return depth * (1.0 / 12.0)
    return math.log2(max(depth, 1e-6)) if scale == IN_FACTORS else depth


@kernel
def _add_thread(  # type: ignore[no-untyped-def]
    n, where, rows, info, movers, threads, drawn, control, moves, traces, past, sums, t0, t1, clock, seconds
):  # fmt: skip
    """Adds what a thread makes of its mover, with everything a thread can do, to `sums[where]`."""
    m, ring, scaler = threads[n].mover, threads[n].past, threads[n].scaler
    size = past.shape[2]
    for row in rows:
        begin = info[row].begin
        for t in range(max(t0, info[row].first), t1):
            x = np.float64(moves[m, row, max(t - 1, 0) if threads[n].late != 0 else t])
            age = 0.0 if t == begin else traces[n, row, 1] + 1.0
            there = True
            if ring >= 0:
                back = min(np.int64(control[threads[n].delay, row, t] / seconds + 0.5), size - 1)
                past[ring, row, (clock + t) % size] = np.float32(x)
                there = row == GLOBAL or threads[n].shared != 0 or back <= age
                source = GLOBAL if threads[n].shared != 0 else row
                x = np.float64(past[ring, source, (clock + t - back) % size])
            if movers[m].both != 0:
                x = 0.5 * (x + 1.0)
            reading = np.int64(control[threads[n].reading, row, t])
            if reading == FLIPPED:
                x = 1.0 - x
            if drawn[threads[n].drawn] > 0.0:
                x = line_at(drawn, threads[n].drawn, x)
            if reading == BOTH_WAYS:
                x = 2.0 * x - 1.0
            if scaler >= 0:
                x *= one_way(movers, moves, scaler, row, max(t - 1, 0) if threads[n].scaler_late != 0 else t)
            if not there:
                x = np.float64(0.0)
            smooth = np.float64(control[threads[n].smooth, row, t])
            if smooth > 0.0 and age > 0.0:
                x = traces[n, row, 0] + (x - traces[n, row, 0]) * (1.0 - math.exp(-seconds / smooth))
            traces[n, row, 0], traces[n, row, 1] = x, age
            sums[where, row, t] += x * _scaled(threads[n].scale, np.float64(control[threads[n].depth, row, t]))


@kernel
def run_slot(  # type: ignore[no-untyped-def]
    s, rows, info, slots, movers, threads, drawn, base, control, moves, traces, past, sums, t0, t1, clock, seconds
):  # fmt: skip
    """A parameter that threads move, from tick `t0` up to `t1`, for every one of `rows`.

    `sums` (2, row, tick) gathers octaves, and what is added. A thread without a shape, a delay and the like is a
    product and a sum for each tick.
    """
    end = np.uint64(t1)
    for r in rows:
        row = np.uint64(r)
        for t in range(np.uint64(t0), end):
            sums[0, row, t] = sums[1, row, t] = 0.0
    bends = False
    for n in range(slots[s].first_thread, slots[s].last_thread):
        p, m, scale = threads[n].first, threads[n].mover, threads[n].scale
        if slots[p].current < 0.5:
            continue
        where = 1 if scale == PLAIN else 0
        bends = bends or scale != PLAIN
        depth_slot = threads[n].depth
        plain = (
            threads[n].past < 0 and threads[n].scaler < 0 and threads[n].late == 0 and drawn[threads[n].drawn] == 0.0
            and slots[depth_slot].moved == 0 and slots[threads[n].smooth].current == 0.0
        )  # fmt: skip
        if not plain:
            _add_thread(
                n, where, rows, info, movers, threads, drawn, control, moves, traces, past, sums, t0, t1, clock, seconds
            )
            continue
        reading = np.int64(slots[threads[n].reading].current)
        factor, more = 1.0, 0.0
        if movers[m].both != 0 and reading != BOTH_WAYS:
            factor, more = 0.5, 0.5
        elif movers[m].both == 0 and reading == BOTH_WAYS:
            factor, more = 2.0, -1.0
        if reading == FLIPPED:
            factor, more = -factor, 1.0 - more
        depth = _scaled(scale, slots[depth_slot].current)
        if slots[depth_slot].filled != 0:
            factor, more = factor * depth, more * depth
            for r in rows:
                row = np.uint64(r)
                for t in range(np.uint64(max(t0, info[r].first)), end):
                    sums[where, row, t] += factor * np.float64(moves[m, row, t]) + more
        else:
            for r in rows:
                row = np.uint64(r)
                for t in range(np.uint64(max(t0, info[r].first)), end):
                    depth = _scaled(scale, base[depth_slot, t])
                    sums[where, row, t] += depth * (factor * np.float64(moves[m, row, t]) + more)
    low, high = slots[s].low, slots[s].high
    for r in rows:
        row = np.uint64(r)
        start = np.uint64(max(t0, info[r].first))
        if bends:
            octaves, ratio = 0.0, 1.0
            for t in range(start, end):
                if sums[0, row, t] != octaves:
                    octaves = sums[0, row, t]
                    ratio = 2.0**octaves
                control[s, row, t] = np.float32(min(max(base[s, t] * ratio + sums[1, row, t], low), high))
        else:
            for t in range(start, end):
                control[s, row, t] = np.float32(min(max(base[s, t] + sums[1, row, t], low), high))
