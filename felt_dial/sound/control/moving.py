"""Moving: the kernel that works out movers, threads and parameters, tick by tick."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.control.blend import GATE, WAY, blended
from felt_dial.sound.control.chances import drawn_lot, run_chance
from felt_dial.sound.control.curve import run_curve
from felt_dial.sound.control.envelope import DONE, STAGE, run_envelope
from felt_dial.sound.control.lfo import run_lfo
from felt_dial.sound.control.listener import run_follow
from felt_dial.sound.control.order import SLOT
from felt_dial.sound.control.sewing import (
    BEATS_OF_RATE,
    FADE,
    GLOBAL,
    IS_AGE,
    IS_BEND,
    IS_BLEND,
    IS_CHANCE,
    IS_CURVE,
    IS_ENVELOPE,
    IS_FOLLOW,
    IS_KEY,
    IS_LFO,
    IS_LOT,
    IS_MACRO,
    IS_NUMBER,
    IS_PEDAL,
    IS_PRESSURE,
    IS_RELEASE_VELOCITY,
    IS_STEPS,
    IS_VELOCITY,
    IS_WHEEL,
    NOT_BEATS,
    SMOOTHING,
    one_way,
    run_slot,
)
from felt_dial.sound.control.steps import run_steps
from felt_dial.sound.kernel import ROWS, TICK, kernel


@kernel
def settle(target, beats, low, high, tempo):  # type: ignore[no-untyped-def]
    """A value in its own unit; a count of beats, kept as its negative, becomes a time or a rate."""
    if beats == NOT_BEATS or target >= 0.0:
        return target
    seconds = -target * 60.0 / tempo
    return min(max(1.0 / seconds if beats == BEATS_OF_RATE else seconds, low), high)


@kernel
def _fill(slots, base, control, tempo, follow):  # type: ignore[no-untyped-def]
    """Base values of this block, smoothed; what no thread moves goes straight into its control rows."""
    columns = base.shape[1]
    for s in range(slots.shape[0]):
        goal = settle(slots[s].target, slots[s].beats, slots[s].low, slots[s].high, tempo)
        value = slots[s].current
        if value == goal and slots[s].filled != 0:
            slots[s].since = 0
            continue
        still = value == goal
        smooth = slots[s].smooth != 0
        base[s, 0] = value if smooth else goal
        for t in range(1, columns):
            if t <= slots[s].since:
                pass
            elif smooth:
                value += (goal - value) * follow
                if abs(goal - value) <= 1e-5 * (abs(goal) + 1e-3):
                    value = goal
            else:
                value = goal
            base[s, t] = value
        slots[s].current, slots[s].since = value, 0
        slots[s].filled = 1 if still else 0
        if slots[s].moved == 0:
            for row in range(ROWS + 1):
                for t in range(columns):
                    control[s, row, t] = np.float32(base[s, t])


@kernel
def _run_player(kind, m, p, rows, info, base, moves, state, touches, t0, t1, seconds):  # type: ignore[no-untyped-def]
    """What the player does, to each note or to all; `p` is the slot of the patch's parameter that it goes by."""
    tail = base.shape[0]
    for row in rows:
        for t in range(max(t0, info[row].first), t1):
            begins = t == info[row].begin
            value = 0.0
            if kind == IS_WHEEL:
                value = base[tail - 2, t]
            elif kind == IS_BEND:
                value = base[tail - 3, t]
            elif kind == IS_PEDAL:
                value = base[tail - 1, t]
            elif row == GLOBAL:
                value = 0.0
            elif kind == IS_KEY:
                value = min(max((info[row].key - base[p, t]) / 60.0, -1.0), 1.0)
            elif kind == IS_VELOCITY:
                value = info[row].velocity
            elif kind == IS_RELEASE_VELOCITY:
                value = np.float64(touches[3, row])
            elif kind == IS_AGE:
                state[m, row, 0] = 0.0 if begins else state[m, row, 0] + seconds
                value = min(state[m, row, 0] / base[p, t], 1.0)
            elif kind == IS_NUMBER:
                cycle = np.int64(max(base[p, t], 2.0))
                value = np.float64((info[row].number - 1) % cycle) / (cycle - 1)
            elif kind == IS_LOT:
                value = drawn_lot(base[p, t], info[row].number, -1)
            else:
                touch = np.float64(touches[1 if kind == IS_PRESSURE else 2, row])
                if begins:
                    state[m, row, 0] = touch
                state[m, row, 0] += (touch - state[m, row, 0]) * (1.0 - math.exp(-seconds / SMOOTHING))
                value = state[m, row, 0]
            moves[m, row, t] = np.float32(value)


@kernel
def _run_mixed(m, rows, info, movers, base, control, moves, t0, t1):  # type: ignore[no-untyped-def]
    """A macro, or a blend of other movers."""
    p, late = movers[m].first, movers[m].late
    for row in rows:
        for t in range(max(t0, info[row].first), t1):
            if movers[m].kind == IS_MACRO:
                low, high = base[movers[m].a, t], base[movers[m].b, t]
                value = low + (high - low) * np.float64(control[p, row, t])
            else:
                a = one_way(movers, moves, movers[m].a, row, max(t - (late & 1), 0))
                b = one_way(movers, moves, movers[m].b, row, max(t - ((late >> 1) & 1), 0))
                c = one_way(movers, moves, movers[m].c, row, max(t - ((late >> 2) & 1), 0))
                way = np.int64(control[p + WAY, row, t])
                value = np.float64(blended(way, a, b, c, np.float64(control[p + GATE, row, t])))
            moves[m, row, t] = np.float32(value)


@kernel
def _run_steps(  # type: ignore[no-untyped-def]
    steps, rows, info, slots, movers, threads, drawn, base, control, moves, state, traces, past, sums, heard, touches,
    t0, t1, clock, seconds,
):  # fmt: skip
    """Works out `steps` for `rows` from tick `t0` up to `t1`: each step for all rows and ticks before the next one."""
    for i in range(steps.shape[0]):
        m = steps[i, 1]
        if steps[i, 0] == SLOT:
            run_slot(
                m, rows, info, slots, movers, threads, drawn, base, control, moves, traces, past, sums, t0, t1, clock,
                seconds,
            )  # fmt: skip
            continue
        kind, p, line = movers[m].kind, movers[m].first, movers[m].drawn
        if kind == IS_ENVELOPE:
            if rows[0] == GLOBAL:
                for t in range(t0, t1):
                    moves[m, GLOBAL, t] = np.float32(0.0)
            else:
                run_envelope(m, p, rows, info, control, moves, state, t0, t1, seconds)
        elif kind == IS_LFO:
            run_lfo(m, p, line, rows, info, control, drawn, moves, state, t0, t1, seconds)
        elif kind == IS_CURVE:
            run_curve(m, p, line, rows, info, control, drawn, moves, state, t0, t1, seconds)
        elif kind == IS_CHANCE:
            run_chance(m, p, rows, info, control, moves, state, t0, t1, seconds)
        elif kind == IS_STEPS:
            run_steps(m, p, line, rows, info, control, drawn, moves, state, t0, t1, seconds)
        elif kind == IS_FOLLOW:
            run_follow(m, p, movers[m].a, heard, control, moves, state, rows[0], max(t0, 1), t1, seconds)
        elif kind in (IS_MACRO, IS_BLEND):
            _run_mixed(m, rows, info, movers, base, control, moves, t0, t1)
        else:
            _run_player(kind, m, p, rows, info, base, moves, state, touches, t0, t1, seconds)


@kernel
def _run_shared(  # type: ignore[no-untyped-def]
    steps, rows, info, slots, movers, threads, drawn, base, control, moves, state, traces, past, sums, heard, touches,
    t0, t1, clock, seconds, fresh,
):  # fmt: skip
    """Works out what all notes share, up to the tick `fresh` at which some of it begins anew, and from there on."""
    for i in range(steps.shape[0]):
        m = steps[i, 1]
        starts = steps[i, 0] != SLOT and movers[m].anew != 0 and fresh >= 0
        info[GLOBAL].begin = fresh if starts else -1
        info[GLOBAL].first = 0 if clock == 0 or (starts and fresh == 0) else 1
        if clock == 0:
            info[GLOBAL].begin = 0
        _run_steps(
            steps[i : i + 1], rows, info, slots, movers, threads, drawn, base, control, moves, state, traces, past,
            sums, heard, touches, t0, t1, clock, seconds,
        )  # fmt: skip


@kernel
def _spread(steps, control, moves, source, target, first, last):  # type: ignore[no-untyped-def]
    """What was worked out in one row goes into another as well, from a tick to another."""
    for i in range(steps.shape[0]):
        if steps[i, 0] == SLOT:
            for t in range(first, last):
                control[steps[i, 1], target, t] = control[steps[i, 1], source, t]
        else:
            for t in range(first, last):
                moves[steps[i, 1], target, t] = moves[steps[i, 1], source, t]


@kernel
def _turn_over(steps, control, moves, row):  # type: ignore[no-untyped-def]
    """The last column of the block before becomes the first of this one."""
    last = control.shape[2] - 1
    for i in range(steps.shape[0]):
        if steps[i, 0] == SLOT:
            control[steps[i, 1], row, 0] = control[steps[i, 1], row, last]
        else:
            moves[steps[i, 1], row, 0] = moves[steps[i, 1], row, last]


@kernel
def _hold_back(steps, control, moves, row, tick):  # type: ignore[no-untyped-def]
    """Before a note begins its row stands where it begins."""
    for i in range(steps.shape[0]):
        for t in range(tick):
            if steps[i, 0] == SLOT:
                control[steps[i, 1], row, t] = control[steps[i, 1], row, tick]
            else:
                moves[steps[i, 1], row, t] = moves[steps[i, 1], row, tick]


@kernel
def run_movement(  # type: ignore[no-untyped-def]
    slots, movers, threads, shared, noted, contours, drawn, base, control, moves, state, traces, past, sums, info,
    whole, gain, fading, heard, touches, key, begin, after, active, release, fade, through, shaped, finished, newest,
    fresh, last_up, tempo, clock, rate,
):  # fmt: skip
    """Fills `control`, `moves` and `gain` for one block; returns how many rows have `finished`.

    `begin` (2, row) is the tick of this block at which the note begins, and its number; `release` and `fade`
    (row,) are the ticks at which it is let go, or begins to fade because it was stolen; −1 where it does
    not. `fresh` is the tick at which a note begins while none was held, `last_up` that at which the last key is let
    go. `through` (row,) says that the note stays at no sustain: its release follows the decay. `shaped` (contour, row)
    says which contours shape some layer of the note: it ends when they have. `touches` (4, row) are velocity,
    pressure, slide and release velocity; `heard` the peaks of the last block; `clock` the ticks since the beginning.
    Where something moves what moves it, all steps of a tick come before those of the next.
    """
    ticks = base.shape[1] - 1
    seconds = TICK / rate
    start = begin[0]
    _fill(slots, base, control, tempo, 1.0 - math.exp(-seconds / SMOOTHING))
    loops = False
    for n in range(threads.shape[0]):
        loops = loops or threads[n].late != 0 or threads[n].scaler_late != 0
    for m in range(movers.shape[0]):
        loops = loops or movers[m].late != 0
    length = 1 if loops else ticks + 1
    info[GLOBAL].release, info[GLOBAL].through, info[GLOBAL].after = last_up, 0, -1
    _turn_over(shared, control, moves, GLOBAL)
    for t in range(0, ticks + 1, length):
        _run_shared(
            shared, whole, info, slots, movers, threads, drawn, base, control, moves, state, traces, past, sums, heard,
            touches, t, t + length, clock, seconds, fresh,
        )  # fmt: skip
    for n in range(threads.shape[0]):
        if threads[n].past >= 0 and threads[n].shared != 0:
            for t in range(ticks + 1):
                past[threads[n].past, GLOBAL, (clock + t) % past.shape[2]] = moves[threads[n].mover, GLOBAL, t]
    for row in active:
        info[row].begin, info[row].release, info[row].after = start[row], release[row], after[row]
        info[row].first = 1 if start[row] < 0 else start[row]
        info[row].through, info[row].number = through[row], begin[1, row]
        info[row].key, info[row].velocity = key[row], touches[0, row]
        _spread(shared, control, moves, GLOBAL, row, 0, ticks + 1)
        if start[row] < 0:
            _turn_over(noted, control, moves, row)
    if active.shape[0] > 0:
        for t in range(0, ticks + 1, length):
            _run_steps(
                noted, active, info, slots, movers, threads, drawn, base, control, moves, state, traces, past, sums,
                heard, touches, t, t + length, clock, seconds,
            )  # fmt: skip
    for row in active:
        if start[row] > 0:
            _hold_back(noted, control, moves, row, start[row])
    _turn_over(noted, control, moves, GLOBAL)
    info[GLOBAL].begin, info[GLOBAL].first = -1, 1
    if newest >= 0:
        _spread(noted, control, moves, newest, GLOBAL, 1, ticks + 1)
    else:
        for t in range(0, ticks + 1, length):
            _run_steps(
                noted, whole, info, slots, movers, threads, drawn, base, control, moves, state, traces, past, sums,
                heard, touches, t, t + length, clock, seconds,
            )  # fmt: skip
    ended = 0
    for row in active:
        level = fading[row] if start[row] < 0 else np.float32(1.0)
        falls = level < 1.0
        for t in range(ticks + 1):
            gain[row, t] = level
            if fade[row] == t:
                falls = True
            if falls and t < ticks:
                level = max(level - np.float32(seconds / FADE), np.float32(0.0))
        fading[row] = gain[row, ticks]
        over = True
        for c in range(contours.shape[0]):
            if shaped[c, row] and state[contours[c], row, STAGE] != DONE:
                over = False
        finished[row] = over or fading[row] <= 0.0
        ended += finished[row]
    return ended
