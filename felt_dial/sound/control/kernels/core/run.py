"""The kernel that works out movers, threads and parameters of a block, tick by tick."""

from __future__ import annotations

import importlib
import math
import pkgutil

import numpy as np

from felt_dial.sound.compiling.kernel import entry, inner, kernel
from felt_dial.sound.control import kernels
from felt_dial.sound.control.core.order import SLOT
from felt_dial.sound.control.core.records import (
    AT_END,
    BEATS_OF_RATE,
    BY_ITSELF,
    CLOSES,
    FADE,
    GLOBAL,
    NOT_BEATS,
    SMOOTHING,
    Modulation,
    Performance,
    Span,
)
from felt_dial.sound.control.kernels.core.movers import one_of_all
from felt_dial.sound.control.kernels.core.threads import run_slot
from felt_dial.sound.control.kernels.curve import AT_END_FOR, LOOP
from felt_dial.sound.control.kernels.envelope import DONE, STAGE
from felt_dial.sound.sizes import ROWS, TICK

for _found in pkgutil.iter_modules(kernels.__path__, kernels.__name__ + "."):
    if not _found.ispkg:
        importlib.import_module(_found.name)
CODES, run_mover = one_of_all()
"""The number of every kind of mover, and the kernel that runs it."""


@kernel
def settle(target, beats, low, high, tempo):
    """A value in its own unit; a count of beats, kept as its negative, becomes a time or a rate."""
    if beats == NOT_BEATS or target >= 0.0:
        return target
    seconds = -target * 60.0 / tempo
    return min(max(1.0 / seconds if beats == BEATS_OF_RATE else seconds, low), high)


@kernel
def _fill(slots, base, control, tempo, follow):
    """Base values of this block, smoothed; what no thread moves goes straight into its control rows.

    A value follows one that follows its target, so that it neither jumps nor sets off with a corner, which would be heard
    wherever it moves a delay or a level: `follow` is how much of the way each of the two goes in a tick.
    """
    columns = base.shape[1]
    for s in range(slots.shape[0]):
        goal = settle(slots[s].target, slots[s].beats, slots[s].low, slots[s].high, tempo)
        value, led = slots[s].current, slots[s].led
        if value == goal and led == goal and slots[s].filled != 0:
            slots[s].since = 0
            continue
        still = value == goal and led == goal
        smooth = slots[s].smooth != 0
        base[s, 0] = value if smooth else goal
        for t in range(1, columns):
            if t <= slots[s].since:
                pass
            elif smooth:
                led += (goal - led) * follow
                value += (led - value) * follow
                if abs(goal - led) <= 1e-5 * (abs(goal) + 1e-3):
                    led = goal
                    if abs(goal - value) <= 1e-5 * (abs(goal) + 1e-3):
                        value = goal
            else:
                value = led = goal
            base[s, t] = value
        slots[s].current, slots[s].led, slots[s].since = value, led, 0
        slots[s].filled = 1 if still else 0
        if slots[s].moved == 0:
            for row in range(ROWS + 1):
                for t in range(columns):
                    control[s, row, t] = np.float32(base[s, t])


@inner
def _work_out(order, rows, modulation, performance, span):
    """Works out what is listed in `order` for `rows`: each for all rows and ticks before the next one."""
    for i in range(order.shape[0]):
        m = order[i, 1]
        if order[i, 0] == SLOT:
            run_slot(m, rows, modulation, span, performance.clock)
        else:
            run_mover(modulation.movers[m].kind, m, rows, modulation, performance, span)


@inner
def _work_out_shared(modulation, performance, span):
    """Works out what all notes share, up to the tick `fresh` at which some of it begins anew, and from there on."""
    order, info, fresh, clock = modulation.shared, modulation.info, performance.fresh, performance.clock
    for i in range(order.shape[0]):
        starts = order[i, 0] != SLOT and modulation.movers[order[i, 1]].anew != 0 and fresh >= 0
        info[GLOBAL].begin = fresh if starts else -1
        info[GLOBAL].first = 0 if clock == 0 or (starts and fresh == 0) else 1
        if clock == 0:
            info[GLOBAL].begin = 0
        _work_out(order[i : i + 1], modulation.whole, modulation, performance, span)


@kernel
def _spread(steps, control, moves, source, target, first, last):
    """What was worked out in one row goes into another as well, from a tick to another."""
    for i in range(steps.shape[0]):
        if steps[i, 0] == SLOT:
            for t in range(first, last):
                control[steps[i, 1], target, t] = control[steps[i, 1], source, t]
        else:
            for t in range(first, last):
                moves[steps[i, 1], target, t] = moves[steps[i, 1], source, t]


@kernel
def _turn_over(steps, control, moves, row):
    """The last column of the block before becomes the first of this one."""
    last = control.shape[2] - 1
    for i in range(steps.shape[0]):
        if steps[i, 0] == SLOT:
            control[steps[i, 1], row, 0] = control[steps[i, 1], row, last]
        else:
            moves[steps[i, 1], row, 0] = moves[steps[i, 1], row, last]


@kernel
def _hold_back(steps, control, moves, row, tick):
    """Before a note begins its row stands where it begins."""
    for i in range(steps.shape[0]):
        for t in range(tick):
            if steps[i, 0] == SLOT:
                control[steps[i, 1], row, t] = control[steps[i, 1], row, tick]
            else:
                moves[steps[i, 1], row, t] = moves[steps[i, 1], row, tick]


@inner
def _run_level(c, row, modulation, performance, ticks, seconds):
    """The level over time of a note by what is no envelope, 0 to 1: it is open while its key is down, and closes in `CLOSES`
    seconds from where the key goes up. A curve of every note goes its way first, unless it goes round. True once it is over."""
    m, levels, closing = modulation.contours[c], modulation.levels, modulation.closing
    start, up = performance.begin[0, row], performance.release[row]
    if up < 0:  # a note that ignores its key has none that goes up
        up = ticks + 1 if performance.held[row] or performance.once[row] else 0
    share = 1.0 if start >= 0 else closing[c, row]
    over = False
    if modulation.closes[c] == AT_END:
        ended = modulation.state[m, row, AT_END_FOR]
        if modulation.control[modulation.movers[m].first + LOOP, row, ticks] <= 1.5:
            up = max(up, ticks + 1 - np.int64(ended))
        over = ended > 0.0 and modulation.moves[m, row, ticks] <= 0.0
    for t in range(ticks + 1):
        levels[c, row, t] = np.float32(max(modulation.moves[m, row, t], np.float32(0.0)) * share)
        if max(up, start) <= t < ticks:
            share = max(share - seconds / CLOSES, 0.0)
    closing[c, row] = share
    return over or share <= 0.0


@kernel
def run_modulation(modulation, performance):
    """Fills `control`, `moves` and `gain` for one block; returns how many rows have `finished`.

    Where something moves what moves it, all that is worked out for a tick comes before the next tick.
    """
    slots, movers, threads = modulation.slots, modulation.movers, modulation.threads
    shared, noted, contours = modulation.shared, modulation.noted, modulation.contours
    base, control, moves, state = modulation.base, modulation.control, modulation.moves, modulation.state
    past, info, gain, fading = modulation.past, modulation.info, modulation.gain, modulation.fading
    key, touches, begin, after, active = (
        performance.key,
        performance.touches,
        performance.begin,
        performance.after,
        performance.active,
    )
    release, fade, through = performance.release, performance.fade, performance.through
    shaped, finished, newest = performance.shaped, performance.finished, performance.newest
    last_up, tempo, clock, rate = performance.last_up, performance.tempo, performance.clock, performance.rate
    ticks = base.shape[1] - 1
    seconds = TICK / rate
    start = begin[0]
    _fill(slots, base, control, tempo, 1.0 - math.exp(-2.0 * seconds / SMOOTHING))
    loops = False
    for n in range(threads.shape[0]):
        loops = loops or threads[n].late != 0 or threads[n].scaler_late != 0
    for m in range(movers.shape[0]):
        loops = loops or movers[m].late != 0
    length = 1 if loops else ticks + 1
    info[GLOBAL].release, info[GLOBAL].through, info[GLOBAL].after = last_up, 0, -1
    _turn_over(shared, control, moves, GLOBAL)
    for t in range(0, ticks + 1, length):
        _work_out_shared(modulation, performance, Span(t, t + length, seconds))
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
            _work_out(noted, active, modulation, performance, Span(t, t + length, seconds))
    for row in active:
        if start[row] > 0:
            _hold_back(noted, control, moves, row, start[row])
    _turn_over(noted, control, moves, GLOBAL)
    info[GLOBAL].begin, info[GLOBAL].first = -1, 1
    if newest >= 0:
        _spread(noted, control, moves, newest, GLOBAL, 1, ticks + 1)
    else:
        for t in range(0, ticks + 1, length):
            _work_out(noted, modulation.whole, modulation, performance, Span(t, t + length, seconds))
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
            if modulation.closes[c] != BY_ITSELF:
                ended_here = _run_level(c, row, modulation, performance, ticks, seconds)
                over = over and (ended_here or not shaped[c, row])
            elif shaped[c, row] and state[contours[c], row, STAGE] != DONE:
                over = False
        finished[row] = over or fading[row] <= 0.0
        ended += finished[row]
    return ended


enter_modulation = entry(run_modulation, Modulation, Performance)
"""`run_modulation`, as Python calls it: with all fields of both records."""
