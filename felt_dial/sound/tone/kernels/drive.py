"""Drive: bends waves by a curve, note by note or as one chord, with few aliases."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Module
from felt_dial.patch.shaping import DRAWN, DRAWN_AT_FIRST, REDUCE, Shaper
from felt_dial.sound.compiling.kernel import Stage, inner, kernel
from felt_dial.sound.simd.lanes import (
    VOICES,
    Lanes,
    both,
    hold,
    lane_array,
    lane_room,
    rests,
    stands,
    voices_in,
    voices_out,
)
from felt_dial.sound.simd.memory import load, store
from felt_dial.sound.simd.types import any_above, pick, quotient, whole
from felt_dial.sound.sizes import ABOVE, BRIGHT
from felt_dial.sound.tone.core.halves import FINE, late, stages
from felt_dial.sound.tone.kernels.core.halves import (
    DOWN_FIRST,
    DOWN_LATER,
    UP_FIRST,
    UP_LATER,
    down_first,
    down_later,
    up_first,
    up_later,
)
from felt_dial.sound.tone.kernels.core.transfer import NEAR, TINY, area, areas, bend, drawn_table
from felt_dial.sound.tone.kernels.core.voices import works_in_pieces

WAY, AMOUNT, BIAS, BEFORE, TONE, BITS, HOLD, LEVEL, KEPT = (
    Shaper.row_of(name) for name in ("way", "amount", "bias", "before", "tone", "bits", "hold", "level", "kept")
)
(
    LAST,
    LOW,
    HIGH,
    BLOCKED,
    INTO,
    HELD,
    PHASE,
    DARK_IN,
    DARK_OUT,
    SUM_IN,
    SUM_OUT,
    GAIN,
    AGE,
    QUIET,
    OWED,
    TOP,
    STEEP,
    RISE,
    ZERO,
) = range(19)
"""Numbers of every channel. From DARK_IN on they keep the level: what is below 1.5 kHz before and after, both powers, the gain,
ticks since it began and since it was last heard, the power that came and has not gone out yet; how far and how steeply it went
before it first turned, and its last step, TURNED once it has. The last stays 0."""
UP = 19
"""The first of the numbers that the way up keeps, at most three times; those of the way down follow."""
DOWN = UP + UP_FIRST + 2 * UP_LATER
NUMBERS = DOWN + DOWN_FIRST + 2 * DOWN_LATER
ALIVE, PUSH, BIASED, LOUD, THIN, DULL, STEPS, BEAT, CAME, LAST_CAME, WENT, KEEP, KEPT_THEN, DIALS = range(14)
"""Dials: where voices begin, the push, the bias, the level, the two one-poles, steps and beat of Bits and rate; then the powers
of what comes in during a tick, apart those of its last frames, which go out in the next, and of what goes out; and the gain that
keeps the level as a tick begins and as it ends."""
AT_ONCE = 2
"""Ticks that go through the whole drive together: what they need stays in the nearest cache."""
MEMORY, PACE = 1.0, 0.01
"""Seconds over which loudness before and after is compared, and those in which the gain that keeps it follows."""
TURNED, WHOLE = 1e9, 1.0
"""Says that a wave has turned; and the amplitude that sources are at: what rises steeply is going there at the most."""
NOTHING, SILENCE = 1e-9, 0.02
"""Power of a frame that counts as nothing, and seconds of it after which what comes begins anew."""
MOST_GAIN = 8.0


class DriveState(NamedTuple):
    """Room for four voices, and what all voices share.

    Attributes
    ----------
    halves : float64 (doubling, 5)
        The half-bands of the way up and down.
    wide : float64 (2, frame, 8)
        Room at the finest rate: for what goes into the curve, and for the areas under it, which become its means.
    table : float64 (piece + 1, 4)
        Of a drawn curve.
    late : int64 (1,)
        Frames by which a drive is late.
    """

    lanes: Lanes
    halves: NDArray[np.float64]
    wide: NDArray[np.float64]
    table: NDArray[np.float64]
    late: NDArray[np.int64]


def prepare_shaper(module: Module, stage: Stage) -> DriveState:
    """State of a drive, as it begins, with the curve that is drawn at first."""
    drawn = Shaper.drawings["curve"].numbers(DRAWN_AT_FIRST)
    halves = stages(stage.rate, finest=True)
    return DriveState(
        lanes=lane_room(stage, DIALS, NUMBERS, AT_ONCE * stage.tick, NUMBERS),
        halves=halves,
        wide=lane_array(2, AT_ONCE * stage.tick << len(halves)),
        table=drawn_table(np.array(drawn), True),
        late=np.array([late(stage.rate)]),
    )


def redraw(state: DriveState, numbers: np.ndarray, odd: bool) -> None:
    """Puts a drawn curve into the state of a drive."""
    state.table[:] = drawn_table(numbers, odd)


@kernel
def _pole(hertz, rate):
    """How much of the way a one-pole goes in a frame."""
    return 1.0 - math.exp(-2.0 * math.pi * np.float64(hertz) / rate)


@kernel
def _turn_dials(dials, control, who, first, rate):
    """What four voices are driven by at every tick."""
    ticks = dials.shape[1] - 1
    for dial, which in ((PUSH, AMOUNT), (BIASED, BIAS), (LOUD, LEVEL), (THIN, BEFORE), (DULL, TONE)):
        lanes = dials[dial]
        end = first + 1 if stands(control[which], who, first) else ticks + 1
        for v in range(VOICES):
            row = who[0, v]
            for t in range(first, end):
                x = np.float64(control[which, row, t])
                if rests(control, which, row, t, first):
                    both(lanes, t, v, lanes[t - 1, 2 * v])
                elif dial == BIASED:
                    both(lanes, t, v, x)
                elif dial == THIN:
                    both(lanes, t, v, 0.0 if x <= 20.0 else _pole(x, rate))
                elif dial == DULL:
                    both(lanes, t, v, 1.0 if x >= 19900.0 else _pole(x, rate))
                else:
                    both(lanes, t, v, 1.0 if x == 0.0 else 10.0 ** (x / 20.0))
        hold(lanes, end)


@kernel
def _begin(way, state, control, first):
    """Numbers of voices that begin in this block, as if nothing had come in for ever: all stands where the bias is."""
    here, who = state.lanes.here, state.lanes.who
    for v in range(VOICES):
        if who[1, v] < 0:
            continue
        bias = np.float64(control[BIAS, who[0, v], max(who[1, v], 0)])
        bent = bend(way, bias, state.table)
        both(here, LAST, v, bias)
        both(here, HELD, v, bias)
        both(here, INTO, v, bent)
        for k in range(UP, DOWN):
            both(here, k, v, bias)
        for k in range(DOWN, NUMBERS):
            both(here, k, v, bent)


@kernel
def _hush(tile, who, begin, end, tick):
    """Nothing comes in before a voice begins."""
    for v in range(VOICES):
        for n in range((min(who[1, v], end) - begin) * tick):
            both(tile, n, v, 0.0)


@kernel
def _go_in(tile, begin, end, tick, dials, here, dark, late):
    """Takes the low from four voices, from tick `begin` up to `end`, and pushes them: what then goes into the curve. The power
    of the last `late` frames of each tick is counted apart."""
    under, below = load(here, LOW), load(here, DARK_IN)
    each = 1.0 / tick
    for t in range(begin, end):
        n, power = (t - begin) * tick, load(here, ZERO)
        push, bias, thin = load(dials[PUSH], t), load(dials[BIASED], t), load(dials[THIN], t)
        grow, lean = (load(dials[PUSH], t + 1) - push) * each, (load(dials[BIASED], t + 1) - bias) * each
        under = pick(thin, 0.0, under, 0.0)
        thins = any_above(thin, 0.0)
        for count, counted in ((tick - late, CAME), (late, LAST_CAME)):
            for _ in range(count):
                x = load(tile, n)
                below += dark * (x - below)
                heard = x + BRIGHT * (x - below)
                power += heard * heard
                if thins:
                    under += thin * (x - under)
                    store(tile, n, push * (x - under) + bias)
                else:
                    store(tile, n, push * x + bias)
                push += grow
                bias += lean
                n += 1
            store(dials[counted], t, power)
    store(here, LOW, under)
    store(here, DARK_IN, below)


@kernel
def _turn_reducers(dials, control, who, first, rate):
    """Steps and beat of Bits and rate at every tick; before a voice begins it does not look."""
    steps, beats = dials[STEPS], dials[BEAT]
    still = stands(control[BITS], who, first) and stands(control[HOLD], who, first)
    end = first + 1 if still else dials.shape[1]
    for v in range(VOICES):
        for t in range(first, end):
            if rests(control, BITS, who[0, v], t, first):
                both(steps, t, v, steps[t - 1, 2 * v])
            else:
                both(steps, t, v, 2.0 ** (np.float64(control[BITS, who[0, v], t]) - 1.0))
            both(beats, t, v, np.float64(control[HOLD, who[0, v], t]) / rate)
    hold(steps, end)
    hold(beats, end)
    for v in range(VOICES):
        for t in range(first, who[1, v]):
            both(beats, t, v, 0.0)


@kernel
def _reduced(fine, begin, end, tick, dials, here):
    """Holds the sound at a rate of its own and keeps its level to so many bits."""
    held, phase = load(here, HELD), load(here, PHASE)
    for t in range(begin, end):
        first = (t - begin) * tick
        step, beat = load(dials[STEPS], t), load(dials[BEAT], t)
        for n in range(first, first + tick):
            phase += beat
            held = pick(1.0, phase, held, whole(min(max(load(fine, n), -1.0), 1.0) * step + 0.5) / step)
            phase -= whole(phase)
            store(fine, n, held)
    store(here, HELD, held)
    store(here, PHASE, phase)


@kernel
def _bend_near(way, tile, up, begin, end, last, table):
    """Where two frames are too near for the mean between them, the curve in their middle instead; `last` is before them."""
    for n in range(begin, end):
        x = load(tile, n)
        store(up, n, pick(abs(x - last), NEAR, load(up, n), bend(way, 0.5 * (x + last), table)))
        last = x


@kernel
def _means(way, tile, up, first, end, last, below, table):
    """Of the areas in `up` the mean of the curve between every two frames of `tile`; `last` and `below` are before them."""
    was, nearest = last, abs(last) + 1.0
    for n in range(first, end):
        x, above = load(tile, n), load(up, n)
        apart = abs(x - last)
        store(up, n, quotient(above - below, x - last + TINY))
        nearest = min(nearest, apart)
        last, below = x, above
    if any_above(NEAR, nearest):
        _bend_near(way, tile, up, first, end, was, table)
    return last, below


@kernel
def _doublings(way, rate):
    """How often a drive doubles the rate, see `stages`."""
    return 3 if way == DRAWN or rate >= FINE else 2


@kernel
def _bent(way, state, begin, end, tick, doublings):
    """Four voices at the finest rate, bent by the curve, and down again; which room of `wide` begins with them.

    First-order antiderivative antialiasing (J. D. Parker, V. Zavalishin, E. Le Bivic, DAFx 2016): the mean of the
    curve between two frames, (F(x1) − F(x0)) / (x1 − x0), at four or eight times the rate.
    """
    wide, halves, here, table = state.wide, state.halves, state.lanes.here, state.table
    count, at = (end - begin) * tick, 0
    up_first(state.lanes.tile, wide[0], count, halves[0], here[UP:])
    for k in range(1, doublings):
        up_later(wide[at], wide[1 - at], count << k, halves[k], here[UP + UP_FIRST + (k - 1) * UP_LATER :])
        at = 1 - at
    if way == REDUCE:
        _reduced(wide[at], begin, end, tick << doublings, state.lanes.dials, here)
    else:
        fine, means, frames, last = wide[at], wide[1 - at], count << doublings, load(here, LAST)
        areas(way, fine, means, 0, frames, table)
        _means(way, fine, means, 0, frames, last, area(way, last, table), table)
        store(here, LAST, load(fine, frames - 1))
        at = 1 - at
    for k in range(doublings - 1, 0, -1):
        down_later(wide[at], count << k, halves[k], here[DOWN + DOWN_FIRST + (k - 1) * DOWN_LATER :])
    down_first(wide[at], count, halves[0], here[DOWN:])
    return at


@inner
def _come_out(state, bent, begin, end, tick, block, dark):
    """What comes from the curve, `bent`, into `tile`: without what stands still, dulled and at its level.

    Whatever the curve, a wave may come out off its middle: a narrow pulse, or one with a bias.
    """
    tile, dials, here = state.lanes.tile, state.lanes.dials, state.lanes.here
    blocked, into, over, low = load(here, BLOCKED), load(here, INTO), load(here, HIGH), load(here, DARK_OUT)
    for t in range(begin, end):
        first, power = (t - begin) * tick, load(here, ZERO)
        dull, level = load(dials[DULL], t), load(dials[LOUD], t)
        louder = (load(dials[LOUD], t + 1) - level) * (1.0 / tick)
        if any_above(1.0, dull):
            for n in range(first, first + tick):
                y = load(bent, n)
                blocked = y - into + block * blocked
                into = y
                over += dull * (blocked - over)
                low += dark * (over - low)
                heard = over + BRIGHT * (over - low)
                power += heard * heard
                store(tile, n, level * over)
                level += louder
        else:
            for n in range(first, first + tick):
                y = load(bent, n)
                blocked = y - into + block * blocked
                into = y
                low += dark * (blocked - low)
                heard = blocked + BRIGHT * (blocked - low)
                power += heard * heard
                store(tile, n, level * blocked)
                level += louder
            over = blocked
        store(dials[WENT], t, power)
    store(here, BLOCKED, blocked)
    store(here, INTO, into)
    store(here, HIGH, over)
    store(here, DARK_OUT, low)


@kernel
def _expected(way, table, push, bias, amplitude):
    """The gain that keeps the level of a sine of an amplitude."""
    total = middle = 0.0
    for n in range(64):
        y = bend(way, push * amplitude * math.sin(2.0 * math.pi * (n + 0.5) / 64.0) + bias, table)
        total += y * y
        middle += y
    power = total / 64.0 - (middle / 64.0) ** 2
    return min(amplitude * math.sqrt(0.5 / (power + 1e-18)), MOST_GAIN)


@kernel
def _turned(audio, row, first, frames, here, v):
    """Looks at a tick of a voice that has begun: how far it goes, and how steeply, until it turns for the first time; True
    once it has."""
    if here[RISE, 2 * v] == TURNED:
        return True
    for channel in range(2):
        lane = 2 * v + channel
        last, rise = here[RISE, lane], 0.0
        for n in range(first, first + frames):
            x = np.float64(audio[row, channel, n])
            here[TOP, 2 * v] = max(here[TOP, 2 * v], abs(x))
            if n > first:
                rise = x - np.float64(audio[row, channel, n - 1])
                here[STEEP, 2 * v] = max(here[STEEP, 2 * v], abs(rise))
                if rise * last < 0.0:
                    here[RISE, 2 * v] = TURNED
                    return True
                last = rise if rise != 0.0 else last
        here[RISE, lane] = last
    return False


@kernel
def _kept_gain(here, v, came, went, begins, tick, seconds, fade, follow):
    """The gain that keeps the level of a voice at the end of a tick in which the powers `came` and `went`; its own begins it
    where the voice `begins`, or is heard again after silence. It is 0 while nothing is heard. A tick lasts `seconds`, in which
    sums `fade` and a gain goes so much of its way (`follow`).

    It follows from what the voice was and became since it began, and from nothing else: not from where in a block that
    was, nor from what will come. Until there is enough to tell, it follows at once.
    """
    was, loud = here[GAIN, 2 * v], came >= NOTHING * tick
    if begins or was <= 0.0:
        here[SUM_IN, 2 * v] = here[SUM_OUT, 2 * v] = here[AGE, 2 * v] = here[QUIET, 2 * v] = 0.0
        here[TOP, 2 * v] = here[STEEP, 2 * v] = here[RISE, 2 * v] = here[RISE, 2 * v + 1] = 0.0
        if not loud:
            here[GAIN, 2 * v] = 0.0
            return 0.0
        was = 0.0
    here[QUIET, 2 * v] = 0.0 if loud else here[QUIET, 2 * v] + 1.0
    if here[QUIET, 2 * v] * seconds > SILENCE:
        here[GAIN, 2 * v] = 0.0
        return was
    here[SUM_IN, 2 * v] = fade * here[SUM_IN, 2 * v] + came
    here[SUM_OUT, 2 * v] = fade * here[SUM_OUT, 2 * v] + went
    here[AGE, 2 * v] += 1.0
    goal = min(math.sqrt((here[SUM_IN, 2 * v] + 1e-12) / (here[SUM_OUT, 2 * v] + 1e-12)), MOST_GAIN)
    age = here[AGE, 2 * v] * seconds
    if was <= 0.0 or (goal < was and age < 2.0 * PACE):
        now = goal
    else:
        now = was + (goal - was) * (follow if age >= PACE else 1.0 - math.exp(-seconds / age))
    here[GAIN, 2 * v] = now
    return now


@kernel
def _keep(played, state, way, begin, end):
    """Keeps the level of four voices, each by itself, from tick `begin` up to `end`.

    A wave that has just begun and has not turned yet tells little by its power: it is taken for a sine that will go as far as
    its pitch and its steepness say, so that it is driven as it will be from its first frames on.
    """
    tile, dials, here, who = state.lanes.tile, state.lanes.dials, state.lanes.here, state.lanes.who
    control, tick, seconds = played.control, played.tick, played.tick / played.rate
    fade, follow = math.exp(-seconds / MEMORY), 1.0 - math.exp(-seconds / PACE)
    for t in range(begin, end):
        changes = False
        for v in range(VOICES):
            row = who[0, v]
            part, then = np.float64(control[KEPT, row, t]), np.float64(control[KEPT, row, t + 1])
            was = now = 0.0
            if part <= 0.0 and then <= 0.0:
                here[GAIN, 2 * v] = 0.0
            elif t >= who[1, v]:
                owed = here[OWED, 2 * v] if t > who[1, v] else 0.0
                early = dials[CAME, t, 2 * v] + dials[CAME, t, 2 * v + 1]
                here[OWED, 2 * v] = dials[LAST_CAME, t, 2 * v] + dials[LAST_CAME, t, 2 * v + 1] - early
                came = owed + early
                went = dials[WENT, t, 2 * v] + dials[WENT, t, 2 * v + 1]
                was = 0.0 if t == who[1, v] else here[GAIN, 2 * v]
                now = _kept_gain(here, v, came, went, t == who[1, v], tick, seconds, fade, follow)
                if now > 0.0 and not _turned(played.audio, row, t * tick, tick, here, v):
                    hertz = np.float64(played.frequency[row, t])
                    most = here[STEEP, 2 * v] * played.rate / (2.0 * hertz) if hertz > 0.0 else 0.0
                    far = max(here[TOP, 2 * v], min(most, WHOLE), 1e-3)
                    push, bias = 10.0 ** (np.float64(control[AMOUNT, row, t]) / 20.0), np.float64(control[BIAS, row, t])
                    now = here[GAIN, 2 * v] = _expected(way, state.table, push, bias, far)
            was = now if was <= 0.0 else was
            was, now = (1.0, 1.0) if now <= 0.0 else (1.0 + part * (was - 1.0), 1.0 + then * (now - 1.0))
            both(dials[KEEP], t, v, was)
            both(dials[KEPT_THEN], t, v, now)
            changes = changes or was != 1.0 or now != 1.0
        if changes:
            level = load(dials[KEEP], t)
            louder = (load(dials[KEPT_THEN], t) - level) * (1.0 / tick)
            for n in range((t - begin) * tick, (t - begin + 1) * tick):
                store(tile, n, level * load(tile, n))
                level += louder


@works_in_pieces(Shaper, prepare_shaper, DriveState)
@kernel
def drive(played, state, group, first):
    """Bends four voices in place, late by `tone.core.halves.late`."""
    lanes, tick, rate, control, rows = state.lanes, played.tick, played.rate, played.control, played.rows
    who, dials, here, tile = lanes.who, lanes.dials, lanes.here, lanes.tile
    ticks = control.shape[2] - 1
    block = 1.0 - 2.0 * math.pi * 5.0 / rate
    way = np.int64(control[WAY, rows[0], max(played.start[rows[0]], 0)])
    doublings = _doublings(way, rate)
    dark = _pole(ABOVE, rate)
    _begin(way, state, control, first)
    _turn_dials(dials, control, who, first, rate)
    if way == REDUCE:
        _turn_reducers(dials, control, who, first, rate * (1 << doublings))
    for t in range(first, ticks, AT_ONCE):
        end, base = min(t + AT_ONCE, ticks), t * tick
        voices_in(played.audio, who, t, end, tick, tile, base)
        _hush(tile, who, t, end, tick)
        _go_in(tile, t, end, tick, dials, here, dark, state.late[0])
        _come_out(state, state.wide[_bent(way, state, t, end, tick, doublings)], t, end, tick, block, dark)
        _keep(played, state, way, t, end)
        voices_out(tile, who, t, end, tick, played.audio, base)
