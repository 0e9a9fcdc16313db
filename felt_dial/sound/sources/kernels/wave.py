"""The classic shapes: morphing, pulse width, hard sync."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.kernel import Stage, formula, inner, kernel
from felt_dial.sound.sources.core import bandlimited
from felt_dial.sound.sources.core.bandlimited import SAW, CycleTables, cycle_tables
from felt_dial.sound.sources.core.unison import MOST
from felt_dial.sound.sources.kernels.core.cycle_reader import (
    TURN,
    add_places,
    find_places,
    held_steep,
    moved_on,
    ramp_line,
    read_places,
    run_bends,
)
from felt_dial.sound.sources.kernels.core.cyclic import (
    CENT,
    DRIFT,
    PHASE,
    ReadingRoom,
    begin_phases,
    drifted,
    reading_room,
    turned_on,
)
from felt_dial.sound.sources.kernels.core.notes import lot_of, plays_each
from felt_dial.sound.sources.kernels.core.oversampled import FINER, FinerState, come_down, finer_state, rounding
from felt_dial.sound.sources.kernels.core.unison import (
    LEFT,
    RATIO,
    RIGHT,
    WAS_LEFT,
    WAS_RIGHT,
    UnisonState,
    add_line,
    steady_ticks,
    unison_state,
    unison_tick,
)
from felt_dial.sound.sources.wave import Wave

SHAPE, WIDTH, SYNC = (Wave.row_of(name) for name in ("shape", "width", "sync"))
NOW, TIME, SYNCED, STEEP = range(4)


class SyncedReads(NamedTuple):
    """Where a synchronised wave reads its two shapes in a tick, by which shift; how much of each, and how far apart they are,
    as the tick begins and as it ends."""

    first: Any
    second: Any
    shift: Any
    a0: Any
    a1: Any
    b0: Any
    b1: Any
    wide0: Any
    wide1: Any


class SyncedSpeeds(NamedTuple):
    """Steps of the hidden wave in a frame, and how many times as fast the heard one is; as a tick begins and as it ends."""

    step0: Any
    step1: Any
    ratio0: Any
    ratio1: Any


@kernel
def _level(frequency, limit, level_of):
    fit = int(limit / max(frequency, np.float32(0.01)))
    return level_of[min(max(fit, 1), level_of.shape[0] - 1)]


@kernel
def _fits(frequency, limit):
    """How much is left of a synchronised wave whose own first harmonic comes near the limit: above it there is nothing."""
    return np.float32(min(max((1.1 - frequency / limit) * 5.0, 0.0), 1.0))


@kernel(inline=True)
def _read(samples, offset, shift, phase):
    index = np.int64(np.uint32(phase >> shift))
    part = np.float32(np.uint32(phase << np.uint32(np.uint32(32) - shift))) * np.float32(1.0 / 4294967296.0)
    here = samples[offset + index]
    return here + part * (samples[offset + index + 1] - here)


between = formula(bandlimited.between)


@kernel
def _parts(shape, segment, width):
    """Weights of the two reads of a segment."""
    a, b = between(shape, segment, width)
    return np.float32(a), np.float32(b)


@inner
def _run_synced(state, row, u, tick, reads, speeds):
    """One voice of a synchronised wave, added to `fine` at four times the rate, two of its frames late.

    Where the hidden wave begins anew its jump and corner are rounded, see `rounding`.
    `edges[row, voice]` holds four frames of what is still to be added and two of the wave itself.
    """
    edges, phase, hidden, bends = state.edges, state.phase, state.hidden, state.room.bends
    samples, fine = state.tables.samples, state.finer.fine
    voice = state.unison.voice[row, u]
    left, right = voice[WAS_LEFT], voice[WAS_RIGHT]
    oa, ob, shift, a0, a1, b0, b1, w0, w1 = reads
    step0, step1, r0, r1 = speeds
    count = FINER * tick
    more_left, more_right = (voice[LEFT] - left) / np.float32(count), (voice[RIGHT] - right) / np.float32(count)
    p, h = phase[row, u], hidden[row, u]
    z0, z1, z2, z3 = edges[row, u, 0], edges[row, u, 1], edges[row, u, 2], edges[row, u, 3]
    v1, v2 = edges[row, u, 4], edges[row, u, 5]
    for k in range(count):
        part = (k + 0.5) / count
        speed = (step0 + (step1 - step0) * part) / FINER
        ratio = r0 + (r1 - r0) * part
        hstep, pstep = np.uint32(np.int64(speed)), np.uint32(np.int64(speed * ratio))
        x = np.float32(part)
        a, b = a0 + (a1 - a0) * x, b0 + (b1 - b0) * x
        wide = np.uint32(np.int64((w0 + (w1 - w0) * part) * 4294967295.0))
        bend = bends[k // FINER]
        h = np.uint32(h + hstep)
        if h < hstep:
            d = np.float32(h) / np.float32(max(hstep, np.uint32(1)))
            q = np.uint32(p + bend + np.uint32(np.int64((1.0 - d) * np.float64(pstep))))
            before = a * _read(samples, oa, shift, q) + b * _read(samples, ob, shift, np.uint32(q - wide))
            after = a * _read(samples, oa, shift, bend) + b * _read(samples, ob, shift, np.uint32(bend - wide))
            jump = after - before
            near = np.uint32(pstep >> np.uint32(3))
            q, r = np.uint32(q - near), np.uint32(bend + near)
            rise = a * _read(samples, oa, shift, r) + b * _read(samples, ob, shift, np.uint32(r - wide)) - after
            rise -= before - a * _read(samples, oa, shift, q) - b * _read(samples, ob, shift, np.uint32(q - wide))
            rise *= np.float32(pstep) / np.float32(max(near, np.uint32(1)))
            p = np.uint32(np.int64(np.float64(d) * np.float64(pstep)))
            y0, y1, y2, y3 = rounding(d, jump, rise)
            z0, z1, z2, z3 = z0 + y0, z1 + y1, z2 + y2, z3 + y3
        else:
            p = np.uint32(p + pstep)
        q = np.uint32(p + bend)
        value = a * _read(samples, oa, shift, q) + b * _read(samples, ob, shift, np.uint32(q - wide))
        sound = v2 + z0
        v2, v1 = v1, value
        z0, z1, z2, z3 = z1, z2, z3, np.float32(0.0)
        fine[0, k] += sound * (left + more_left * np.float32(k))
        fine[1, k] += sound * (right + more_right * np.float32(k))
    phase[row, u], hidden[row, u] = p, h
    edges[row, u, 0], edges[row, u, 1], edges[row, u, 2], edges[row, u, 3] = z0, z1, z2, z3
    edges[row, u, 4], edges[row, u, 5] = v1, v2


@kernel
def _still_ticks(control, row, t, run, shape):
    """How many of a run of ticks keep a shape and its width, at least one."""
    for k in range(run):
        moves = control[SHAPE, row, t + k + 1] != shape or control[WIDTH, row, t + k + 1] != control[WIDTH, row, t]
        moves = moves or control[PHASE, row, t + k + 1] != control[PHASE, row, t]
        if (
            moves
            or control[SYNC, row, t + k + 1] != np.float32(0.0)
            or control[DRIFT, row, t + k + 1] != np.float32(0.0)
        ):
            return max(k, 1)
    return run


class WaveState(NamedTuple):
    """The shapes, and what every note stands at.

    Attributes
    ----------
    phase, hidden : uint32 (row, voice)
        Of the wave that is heard, and of the one that it is synchronised to.
    last : int32 (row, voice)
        The level of the tick before; another crossfades.
    now : float64 (row, 4)
        The shape of the moment, the time in seconds, whether it was synchronised once, and the steepest rise that counts.
    edges : float32 (row, voice, 6)
        What of rounded edges is still to be added, and two frames of the wave.
    """

    tables: CycleTables
    phase: NDArray[np.uint32]
    hidden: NDArray[np.uint32]
    last: NDArray[np.int32]
    now: NDArray[np.float64]
    edges: NDArray[np.float32]
    unison: UnisonState
    room: ReadingRoom
    finer: FinerState


def prepare_wave(module: Wave, stage: Stage) -> WaveState:
    """The state of no note."""
    return WaveState(
        tables=cycle_tables(),
        phase=np.zeros((stage.rows, MOST), np.uint32),
        hidden=np.zeros((stage.rows, MOST), np.uint32),
        last=np.full((stage.rows, MOST), -1, np.int32),
        now=np.zeros((stage.rows, 4)),
        edges=np.zeros((stage.rows, MOST, 6), np.float32),
        unison=unison_state(stage.rows),
        room=reading_room(stage),
        finer=finer_state(stage),
    )


@plays_each(Wave, prepare_wave, WaveState)
@kernel
def play_wave(notes, state, row, first):
    """Plays one note: from shape to shape, synchronised if wished, in all its voices."""
    out, frequency, turn, control, tick, rate, limit, begin = (
        notes.out,
        notes.frequency,
        notes.turn,
        notes.control,
        notes.tick,
        notes.rate,
        notes.limit,
        notes.begin,
    )
    tables, unison, room = state.tables, state.unison, state.room
    ticks = frequency.shape[1] - 1
    turns = TURN / rate
    zero = np.float32(0.0)
    note = lot_of(notes, row)
    t = first
    while t < ticks:
        begins = begin[0, row] == t
        if begins:
            state.now[row, NOW], state.now[row, TIME], state.now[row, SYNCED] = control[SHAPE, row, t], 0.0, 0.0
            state.now[row, STEEP] = 0.0
            state.finer.history[row, :, :] = zero
            state.edges[row, :, :] = zero
            begin_phases(control, row, t, note, state.phase, state.last)
            for u in range(MOST):
                state.hidden[row, u] = state.phase[row, u]
        alive = unison_tick(control, row, t, note, begins, unison)
        was = state.now[row, NOW]
        drift = np.float64(control[DRIFT, row, t]) * CENT
        if control[SYNC, row, t] > zero or control[SYNC, row, t + 1] > zero:
            state.now[row, SYNCED] = 1.0
        synced = state.now[row, SYNCED] > 0.0
        run = 1
        if not begins and not synced and drift == 0.0:
            run = _still_ticks(control, row, t, steady_ticks(frequency, turn, control, row, t, unison.seen), was)
        n = run * tick
        goal = np.float64(control[SHAPE, row, t + 1])
        segment = min(int(was), 2) if goal >= was else max(int(np.ceil(was)) - 1, 0)
        shape = min(max(goal, np.float64(segment)), np.float64(segment + 1))
        state.now[row, NOW] = shape
        state.now[row, TIME] += n / rate
        wide0, wide1 = np.float64(control[WIDTH, row, t]), np.float64(control[WIDTH, row, t + 1])
        a0, b0 = _parts(was, segment, wide0)
        a1, b1 = _parts(shape, segment, wide1)
        at = t * tick
        steep = held_steep(run_bends(turn, row, at, n, room.bends), state.now[row, STEEP], n, rate)
        state.now[row, STEEP] = steep
        for k in range(n):
            room.mix[0, k] = room.mix[1, k] = zero
        w0 = w1 = 0.0
        if segment == 2:
            w0, w1 = 1.0 - wide0, 1.0 - wide1
        if synced:
            for k in range(FINER * tick):
                state.finer.fine[0, k] = state.finer.fine[1, k] = zero
        for u in range(alive):
            ratio = drifted(np.float64(unison.voice[row, u, RATIO]), drift, note, u, state.now[row, TIME])
            f0, f1 = np.float64(frequency[row, t]) * ratio, np.float64(frequency[row, t + 1]) * ratio
            slide = turned_on(control, row, t, run, n)
            top = max(f0, f1) + steep * rate
            if synced:
                r0 = 2.0 ** (np.float64(control[SYNC, row, t]) / 12.0)
                r1 = 2.0 ** (np.float64(control[SYNC, row, t + 1]) / 12.0)
                level = _level(np.float32(max(f0 * r0, f1 * r1) + steep * rate), limit, tables.level_of)
                fit0, fit1 = _fits(f0 * r0, limit), _fits(f1 * r1, limit)
                reads = SyncedReads(
                    tables.offset[min(segment, SAW), level],
                    tables.offset[min(segment + 1, SAW), level],
                    tables.shift[level],
                    a0 * fit0,
                    a1 * fit1,
                    b0 * fit0,
                    b1 * fit1,
                    w0,
                    w1,
                )
                speeds = SyncedSpeeds(max(f0 * turns + slide, 0.0), max(f1 * turns + slide, 0.0), r0, r1)
                _run_synced(state, row, u, tick, reads, speeds)
                state.last[row, u] = level
                continue
            level = _level(np.float32(top), limit, tables.level_of)
            before = state.last[row, u] if state.last[row, u] >= 0 else level
            state.last[row, u] = level
            p = state.phase[row, u]
            step = np.uint32(np.int64(max(f0 * turns + slide, 0.0)))
            grow = np.uint32(np.int64((f1 - f0) * turns / n))
            wide = np.uint32(np.int64(w0 * 4294967295.0))
            widen = np.uint32(np.int64((w1 - w0) * 4294967295.0 / n))
            da, db = (a1 - a0) / np.float32(n), (b1 - b0) / np.float32(n)
            two = b0 != zero or b1 != zero
            for lv in (before, level):
                if lv == before and before != level:
                    share, rise = np.float32(1.0), np.float32(-1.0 / n)
                elif before != level:
                    share, rise = zero, np.float32(1.0 / n)
                else:
                    share, rise = np.float32(1.0), zero
                s = tables.shift[lv]
                find_places(p, step, grow, room.bends, s, n, room.places, room.part)
                read_places(tables.samples, tables.offset[min(segment, SAW), lv], room.places, room.part, n, room.line)
                if two or a0 != np.float32(1.0) or a1 != np.float32(1.0):
                    ramp_line(room.line, n, a0, da)
                if two:
                    q = np.uint32(p - wide)
                    find_places(q, np.uint32(step - widen), grow, room.bends, s, n, room.places, room.part)
                    add_places(
                        tables.samples,
                        tables.offset[min(segment + 1, SAW), lv],
                        room.places,
                        room.part,
                        n,
                        room.line,
                        b0,
                        db,
                    )
                if before != level:
                    ramp_line(room.line, n, share, rise)
                add_line(room.mix, n, room.line, unison.voice[row, u])
                if before == level:
                    break
            state.phase[row, u] = moved_on(p, step, grow, n)
            state.hidden[row, u] = state.phase[row, u]
        for k in range(n):
            out[row, 0, at + k], out[row, 1, at + k] = room.mix[0, k], room.mix[1, k]
        if synced:
            come_down(state.finer, row, out, at, tick)
        t += run
