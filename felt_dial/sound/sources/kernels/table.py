"""Wavetables: morphing between frames, and the six ways to reshape a cycle."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.kernel import Stage, inner, kernel
from felt_dial.sound.sources.core.levels import MOST_HARMONICS, Levels, table_of
from felt_dial.sound.sources.core.unison import MOST
from felt_dial.sound.sources.kernels.core.cycle_reader import (
    TURN,
    find_places,
    held_steep,
    moved_on,
    ramp_line,
    read_between,
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
from felt_dial.sound.sources.table import Table

NOTHING, BENT, SQUEEZED, MIRRORED, STRETCHED, FOLDED, STEPPED = range(7)


POSITION, AMOUNT, RESHAPE = (Table.row_of(name) for name in ("position", "amount", "reshape"))
NOW, TIME, STEEP = range(3)


@kernel(inline=True)
def _at(samples, offset, other, share, shift, x):
    """The table at a place from 0 to 1, between two frames."""
    size = np.float32(np.uint32(1) << np.uint32(np.uint32(32) - shift))
    place = x * size
    i = np.int64(place)
    part = place - np.float32(i)
    a = samples[offset + i] + share * (samples[other + i] - samples[offset + i])
    b = samples[offset + i + 1] + share * (samples[other + i + 1] - samples[offset + i + 1])
    return a + part * (b - a)


NEAR = np.float32(1.0 / 4096.0)
"""Part of a cycle over which its rise is taken at a corner."""
SHORTEST = np.float32(16.0)
"""Frames, at four times the rate, into which a cycle is squeezed at most; and half of it, into half of those."""


@kernel(inline=True)
def _rise(samples, offset, other, share, shift, x):
    """How much the table rises from a place on, for a whole cycle."""
    first = _at(samples, offset, other, share, shift, x)
    return (_at(samples, offset, other, share, shift, min(x + NEAR, np.float32(0.9999999))) - first) / NEAR


@kernel(inline=True)
def _folded(v):
    """Integral of the fold, a triangle of period 4 that is v between −1 and 1."""
    w = (v + 1.0) % 4.0 - 1.0
    return 0.5 * w * w - 0.5 if w < 1.0 else 0.5 - 0.5 * (w - 2.0) * (w - 2.0)


@kernel(inline=True)
def _fold(v):
    return 1.0 - abs((v + 1.0) % 4.0 - 2.0)


@kernel
def _steepness(reshape, amount):
    """How many times faster than the phase the reshaped place moves at most."""
    if reshape == BENT:
        return 0.5 / (0.5 - 0.49 * abs(amount))
    if reshape == SQUEEZED:
        return 1.0 / (1.0 - 0.96 * abs(amount))
    if reshape == MIRRORED:
        return 2.0
    if reshape == STRETCHED:
        return 8.0 ** abs(amount)
    if reshape == FOLDED:
        return 1.0 + 2.0 * abs(amount)
    return 1.0


class ReshapedRead(NamedTuple):
    """How a voice of a reshaped table goes through a tick.

    Attributes
    ----------
    offset, other, shift : int
        The two frames between which it is, and the shift from phase to index.
    share0, share1 : float32
        How much of the second frame, as the tick begins and ends; so `amount0`, `amount1`.
    phase, step, grow : uint32
    reshape : int
    gain, rise : float32
        For what fades into another frame or level.
    """

    offset: Any
    other: Any
    shift: Any
    share0: Any
    share1: Any
    phase: Any
    step: Any
    grow: Any
    reshape: Any
    amount0: Any
    amount1: Any
    gain: Any
    rise: Any


@inner
def _run_reshaped(state, row, u, tick, read, keep):
    """One voice of a reshaped table, added to `fine` at four times the rate and two of its frames late.

    Jumps and corners are rounded, see `rounding`; the fold is averaged over each frame by its integral
    (Parker, Zavalishin, Le Bivic, DAFx 2016). `edges[row, voice]` holds four frames of what is still to
    be added, two of the wave, the place and the value before; it is only kept where `keep` says so.
    """
    edges, fine, samples, bends = state.edges, state.finer.fine, state.table.samples, state.room.bends
    offset, other, shift, share0, share1, p, step, grow, reshape, amount0, amount1, gain, rise = read
    voice = state.unison.voice[row, u]
    left, right = voice[WAS_LEFT], voice[WAS_RIGHT]
    one, half = np.float32(1.0), np.float32(0.5)
    count = FINER * tick
    shortest = min(SHORTEST / FINER * np.float32(step / TURN), one)
    more_left, more_right = (voice[LEFT] - left) / np.float32(count), (voice[RIGHT] - right) / np.float32(count)
    z0, z1, z2, z3 = edges[row, u, 0], edges[row, u, 1], edges[row, u, 2], edges[row, u, 3]
    v1, v2, x0, y0 = edges[row, u, 4], edges[row, u, 5], edges[row, u, 6], np.float64(edges[row, u, 7])
    for k in range(count):
        part = np.float32(k) / np.float32(count)
        n = k // FINER
        q = np.uint32(np.uint32(p + np.uint32(step * np.uint32(n))) + np.uint32(grow * np.uint32(n * (n - 1) // 2)))
        here = np.uint32(np.uint32(q + np.uint32(np.uint32(step >> np.uint32(2)) * np.uint32(k % FINER))) + bends[n])
        x = np.float32(np.uint32(here >> np.uint32(8))) * np.float32(1.0 / 16777216.0)
        amount = np.float32(amount0 + (amount1 - amount0) * part)
        share = np.float32(share0 + (share1 - share0) * part)
        much = abs(amount)
        dx = x - x0
        wrapped = dx < np.float32(0.0)
        dx += one if wrapped else np.float32(0.0)
        x0 = x
        edge = wrapped and dx < half
        since = x / max(dx, np.float32(1e-9))
        jump = slope = np.float32(0.0)
        if reshape == BENT:
            middle = min(max(half + np.float32(0.49) * amount, half * shortest), one - half * shortest)
            slow, quick = half / middle, half / (one - middle)
            turns = x >= middle and x - dx < middle and not wrapped
            if turns or edge:
                foot = half if turns else np.float32(0.0)
                slope = _rise(samples, offset, other, share, shift, foot) * dx * (quick - slow)
                slope = slope if turns else -slope
                since = (x - middle) / max(dx, np.float32(1e-9)) if turns else since
                edge = True
            x = slow * x if x < middle else half + quick * (x - middle)
            value = _at(samples, offset, other, share, shift, min(x, np.float32(0.9999999)))
        elif reshape == SQUEEZED:
            held_from = max(one - np.float32(0.96) * much, shortest)
            ends = x >= held_from and x - dx < held_from and not wrapped
            if much > np.float32(0.0) and (ends or edge):
                since = (x - held_from) / max(dx, np.float32(1e-9)) if ends else since
                steep = _rise(samples, offset, other, share, shift, one - NEAR if ends else np.float32(0.0))
                slope = steep * dx / held_from
                slope = -slope if ends else slope
                edge = True
            x = min(x / held_from, np.float32(0.9999999))
            value = _at(samples, offset, other, share, shift, x)
        elif reshape == MIRRORED:
            value = _at(samples, offset, other, share, shift, x)
            back = one - abs(x + x - one)
            back = min(back, np.float32(0.9999999))
            turns = x >= half and x - dx < half and not wrapped
            if turns or edge:
                since = (x - half) / max(dx, np.float32(1e-9)) if turns else since
                foot = one - NEAR if turns else np.float32(0.0)
                slope = np.float32(4.0) * much * dx * _rise(samples, offset, other, share, shift, foot)
                slope = -slope if turns else slope
                edge = True
            value += much * (_at(samples, offset, other, share, shift, back) - value)
        elif reshape == STRETCHED:
            ratio = np.float32(8.0) ** much
            x = x * ratio
            x -= np.floor(x)
            value = _at(samples, offset, other, share, shift, x)
            if edge:
                end, near = ratio - np.floor(ratio), min(dx * ratio * np.float32(0.125), np.float32(0.01))
                back = end - near + (one if end < near else np.float32(0.0))
                start, stop = (
                    _at(samples, offset, other, share, shift, np.float32(0.0)),
                    _at(samples, offset, other, share, shift, end),
                )
                jump = start - stop
                slope = _at(samples, offset, other, share, shift, near) - start
                slope -= stop - _at(samples, offset, other, share, shift, back)
                slope *= dx * ratio / near
        elif reshape == FOLDED:
            y = np.float64(_at(samples, offset, other, share, shift, x) * (one + np.float32(7.0) * much))
            if abs(y - y0) > 1e-4:
                value = np.float32((_folded(y) - _folded(y0)) / (y - y0))
            else:
                value = np.float32(_fold(0.5 * (y + y0)))
            y0 = y
        else:
            steps = min(np.float32(64.0) * np.float32(1.0 / 32.0) ** much, half / max(dx, np.float32(1e-6)))
            cell = np.floor(x * steps)
            blend = min(much * np.float32(16.0), one)
            held = _at(samples, offset, other, share, shift, cell / steps)
            value = _at(samples, offset, other, share, shift, x)
            value += blend * (held - value)
            if dx < half and (wrapped or np.floor((x - dx) * steps) != cell):
                if not wrapped:
                    since = (x - cell / steps) / max(dx, np.float32(1e-9))
                edge = since < one
                jump = blend * (held - np.float32(y0))
            y0 = np.float64(held)
        if edge and (jump != np.float32(0.0) or slope != np.float32(0.0)):
            r0, r1, r2, r3 = rounding(min(since, one), jump, slope)
            z0, z1, z2, z3 = z0 + r0, z1 + r1, z2 + r2, z3 + r3
        value, v2, v1 = v2 + z0, v1, value
        z0, z1, z2, z3 = z1, z2, z3, np.float32(0.0)
        value *= gain + rise * part
        fine[0, k] += value * (left + more_left * np.float32(k))
        fine[1, k] += value * (right + more_right * np.float32(k))
    if keep:
        edges[row, u, 0], edges[row, u, 1], edges[row, u, 2], edges[row, u, 3] = z0, z1, z2, z3
        edges[row, u, 4], edges[row, u, 5], edges[row, u, 6], edges[row, u, 7] = v1, v2, x0, np.float32(y0)


@kernel
def _in_one_frame(control, row, t, run, place, frames):
    """How many of a run of ticks stay between the same two frames and are not turned on, at least one."""
    low = np.float64(min(int(place), max(frames - 2, 0)))
    for k in range(run):
        goal = np.float64(control[POSITION, row, t + k + 1]) * (frames - 1)
        if goal < low or goal > low + 1.0 or control[PHASE, row, t + k + 1] != control[PHASE, row, t]:
            return max(k, 1)
    return run


class TableState(NamedTuple):
    """The table, and what every note stands at.

    Attributes
    ----------
    phase : uint32 (row, voice)
    last : int32 (row, voice)
        The level of the tick before; another crossfades.
    now : float64 (row, 3)
        The frame of the moment, as a number with a fraction, the time in seconds, and the steepest rise that counts.
    mixed : float32 (frame,)
        Room for how much of the second of two frames there is.
    edges : float32 (row, voice, 8)
        What of rounded edges is still to be added, two frames of the wave, the place and the value before.
    """

    table: Levels
    phase: NDArray[np.uint32]
    last: NDArray[np.int32]
    now: NDArray[np.float64]
    mixed: NDArray[np.float32]
    edges: NDArray[np.float32]
    unison: UnisonState
    room: ReadingRoom
    finer: FinerState


def prepare_table(module: Table, stage: Stage) -> TableState:
    """The table at every level, and the state of no note."""
    return TableState(
        table=table_of(module.asset, module.cycle, str(module.get("morph"))),
        phase=np.zeros((stage.rows, MOST), np.uint32),
        last=np.full((stage.rows, MOST), -1, np.int32),
        now=np.zeros((stage.rows, 3)),
        mixed=np.zeros(stage.frames, np.float32),
        edges=np.zeros((stage.rows, MOST, 8), np.float32),
        unison=unison_state(stage.rows),
        room=reading_room(stage),
        finer=finer_state(stage),
    )


@plays_each(Table, prepare_table, TableState)
@kernel
def play_table(notes, state, row, first):
    """Plays one note of a table.

    Where a tick leaves a frame or a level behind, what was fades into what is.
    """
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
    table, unison, room = state.table, state.unison, state.room
    ticks = frequency.shape[1] - 1
    turns = TURN / rate
    frames = table.offsets.shape[0]
    zero, one = np.float32(0.0), np.float32(1.0)
    note = lot_of(notes, row)
    t = first
    while t < ticks:
        begins = begin[0, row] == t
        if begins:
            state.now[row, NOW] = np.float64(control[POSITION, row, t]) * (frames - 1)
            state.now[row, TIME] = state.now[row, STEEP] = 0.0
            state.finer.history[row, :, :] = zero
            state.edges[row, :, :] = zero
            begin_phases(control, row, t, note, state.phase, state.last)
        alive = unison_tick(control, row, t, note, begins, unison)
        drift = np.float64(control[DRIFT, row, t]) * CENT
        reshape = int(control[RESHAPE, row, t])
        run = 1
        if not begins and reshape == NOTHING and drift == 0.0:
            run = steady_ticks(frequency, turn, control, row, t, unison.seen)
            run = _in_one_frame(control, row, t, run, state.now[row, NOW], frames)
        n = run * tick
        was, goal = state.now[row, NOW], np.float64(control[POSITION, row, t + run]) * (frames - 1)
        state.now[row, NOW] = goal
        state.now[row, TIME] += n / rate
        old, new = min(int(was), max(frames - 2, 0)), min(int(goal), max(frames - 2, 0))
        same = old == new
        a0, a1 = np.float32(was - old), np.float32(goal - new)
        if not same and (goal - old) <= 1.0 and goal >= old:
            new, a1, same = old, np.float32(goal - old), True
        above = 1 if frames > 1 else 0
        at = t * tick
        inverse = np.float32(1.0 / n)
        steep = held_steep(run_bends(turn, row, at, n, room.bends), state.now[row, STEEP], n, rate)
        state.now[row, STEEP] = steep
        for k in range(n):
            room.mix[0, k] = room.mix[1, k] = zero
        from_ = a0
        for i in range(run):
            to = a1 if i == run - 1 else np.float32(np.float64(control[POSITION, row, t + i + 1]) * (frames - 1) - old)
            for k in range(tick):
                state.mixed[i * tick + k] = from_ + (to - from_) * np.float32(k) / np.float32(tick)
            from_ = to
        m0, m1 = control[AMOUNT, row, t], control[AMOUNT, row, t + 1]
        shaped = reshape != NOTHING
        steeper = 1.0
        if shaped:
            steeper = _steepness(reshape, max(abs(m0), abs(m1)))
            for k in range(FINER * tick):
                state.finer.fine[0, k] = state.finer.fine[1, k] = zero
        for u in range(alive):
            ratio = drifted(np.float64(unison.voice[row, u, RATIO]), drift, note, u, state.now[row, TIME])
            f0, f1 = np.float64(frequency[row, t]) * ratio, np.float64(frequency[row, t + run]) * ratio
            top = (max(f0, f1) + steep * rate) * steeper
            level = table.level_of[min(max(int(limit / max(top, 0.01)), 1), MOST_HARMONICS)]
            before = state.last[row, u] if state.last[row, u] >= 0 else level
            state.last[row, u] = level
            p = state.phase[row, u]
            step = np.uint32(np.int64(max(f0 * turns + turned_on(control, row, t, run, n), 0.0)))
            grow = np.uint32(np.int64((f1 - f0) * turns / n))
            if same and before == level:
                if shaped:
                    read = ReshapedRead(
                        np.int64(table.offsets[old, level]),
                        np.int64(table.offsets[old + above, level]),
                        table.shifts[level],
                        a0,
                        a1,
                        p,
                        step,
                        grow,
                        reshape,
                        m0,
                        m1,
                        one,
                        zero,
                    )
                    _run_reshaped(state, row, u, tick, read, True)
                else:
                    find_places(p, step, grow, room.bends, table.shifts[level], n, room.places, room.part)
                    if a0 == zero and a1 == zero:
                        read_places(table.samples, table.offsets[old, level], room.places, room.part, n, room.line)
                    else:
                        read_between(
                            table.samples,
                            table.offsets[old, level],
                            table.offsets[old + above, level],
                            state.mixed,
                            room.places,
                            room.part,
                            n,
                            room.line,
                        )
                    add_line(room.mix, n, room.line, unison.voice[row, u])
            else:
                for late in range(2):
                    lv, frame, share = (level, new, a1) if late == 1 else (before, old, a0)
                    gain, rise = (zero, one) if late == 1 else (one, -one)
                    lower, upper = np.int64(table.offsets[frame, lv]), np.int64(table.offsets[frame + above, lv])
                    if shaped:
                        read = ReshapedRead(
                            lower, upper, table.shifts[lv], share, share, p, step, grow, reshape, m0, m1, gain, rise
                        )
                        _run_reshaped(state, row, u, tick, read, late == 1)
                        continue
                    find_places(p, step, grow, room.bends, table.shifts[lv], n, room.places, room.part)
                    read_places(table.samples, lower, room.places, room.part, n, room.line)
                    ramp_line(room.line, n, (gain) * (one - share), rise * inverse * (one - share))
                    add_line(room.mix, n, room.line, unison.voice[row, u])
                    if share != zero:
                        read_places(table.samples, upper, room.places, room.part, n, room.line)
                        ramp_line(room.line, n, gain * share, rise * inverse * share)
                        add_line(room.mix, n, room.line, unison.voice[row, u])
            state.phase[row, u] = moved_on(p, step, grow, n)
        if shaped:
            come_down(state.finer, row, out, at, tick)
        else:
            for k in range(n):
                out[row, 0, at + k], out[row, 1, at + k] = room.mix[0, k], room.mix[1, k]
        t += run
