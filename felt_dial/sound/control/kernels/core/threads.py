"""Sums of the threads on a parameter: shaped, scaled, smoothed, delayed."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import inner, kernel
from felt_dial.sound.control.core.records import BOTH_WAYS, FLIPPED, GLOBAL, IN_FACTORS, IN_SEMITONES, PLAIN
from felt_dial.sound.control.kernels.core.line import line_at
from felt_dial.sound.control.kernels.core.movers import one_way


@kernel(inline=True)
def _scaled(scale, depth):
    """A depth as it is added: octaves where it is a ratio."""
    if scale == IN_SEMITONES:
        return depth * (1.0 / 12.0)
    return math.log2(max(depth, 1e-6)) if scale == IN_FACTORS else depth


@inner
def _add_thread(n, where, rows, modulation, span, clock):
    """Adds what a thread makes of its mover, with everything a thread can do, to `modulation.sums[where]`."""
    info, movers, threads, drawn, control = (
        modulation.info,
        modulation.movers,
        modulation.threads,
        modulation.drawn,
        modulation.control,
    )
    moves, traces, past, sums = modulation.moves, modulation.traces, modulation.past, modulation.sums
    t0, t1, seconds = span.t0, span.t1, span.seconds
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
                x *= one_way(modulation, scaler, row, max(t - 1, 0) if threads[n].scaler_late != 0 else t)
            if not there:
                x = np.float64(0.0)
            smooth = np.float64(control[threads[n].smooth, row, t])
            if smooth > 0.0 and age > 0.0:
                x = traces[n, row, 0] + (x - traces[n, row, 0]) * (1.0 - math.exp(-seconds / smooth))
            traces[n, row, 0], traces[n, row, 1] = x, age
            sums[where, row, t] += x * _scaled(threads[n].scale, np.float64(control[threads[n].depth, row, t]))


@inner
def _rise(s, rows, modulation, span):
    """A level: decibels are added, but from silence it rises as the ear expects, by the square of the way.

    At the end of the way it is where its threads say; half way it is 12 dB below that, and not half of the decibels that
    silence is counted as.
    """
    slots, threads, base, sums = modulation.slots, modulation.threads, modulation.base, modulation.sums
    low, high, whole = slots[s].low, slots[s].high, 0.0
    for n in range(slots[s].first_thread, slots[s].last_thread):
        if slots[threads[n].first].current > 0.5:
            whole += max(slots[threads[n].depth].current, 0.0)
    for row in rows:
        for t in range(max(span.t0, modulation.info[row].first), span.t1):
            value = base[s, t] + sums[1, row, t]
            if base[s, t] <= low + 0.05 and whole > 0.0:
                way = sums[1, row, t] / whole
                value = low + whole + 40.0 * math.log10(way) if way > 1e-3 else low
            modulation.control[s, row, t] = np.float32(min(max(value, low), high))


@inner
def run_slot(s, rows, modulation, span, clock):
    """A parameter that threads move, for every one of `rows`.

    `sums` (2, row, tick) gathers octaves, and what is added. A thread without a shape, a delay and the like is a
    product and a sum for each tick.
    """
    info, slots, movers, threads, drawn = (
        modulation.info,
        modulation.slots,
        modulation.movers,
        modulation.threads,
        modulation.drawn,
    )
    base, control, moves, sums = modulation.base, modulation.control, modulation.moves, modulation.sums
    t0, t1 = span.t0, span.t1
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
            threads[n].past < 0
            and threads[n].scaler < 0
            and threads[n].late == 0
            and drawn[threads[n].drawn] == 0.0
            and slots[depth_slot].moved == 0
            and slots[threads[n].smooth].current == 0.0
        )
        if not plain:
            _add_thread(n, where, rows, modulation, span, clock)
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
    if slots[s].faint != 0:
        _rise(s, rows, modulation, span)
        return
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
