"""Drive: bends waves by a curve, note by note or as one chord, with few aliases."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Module
from felt_dial.patch.shaping import DIODE, DRAWN, DRAWN_AT_FIRST, REDUCE, TUBE, Shaper
from felt_dial.sound.kernel import Stage, inner, kernel
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
from felt_dial.sound.tone.core.halves import FINE, stages
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
from felt_dial.sound.tone.kernels.core.transfer import area, areas, bend, drawn_table
from felt_dial.sound.tone.kernels.core.voices import works_in_pieces

WAY, AMOUNT, BIAS, BEFORE, TONE, BITS, HOLD, LEVEL, KEPT = (
    Shaper.row_of(name) for name in ("way", "amount", "bias", "before", "tone", "bits", "hold", "level", "kept")
)
(LAST, LOW, HIGH, BLOCKED, INTO, HELD, PHASE, DARK_IN, DARK_OUT, SUM_IN, SUM_OUT, GAIN) = range(12)
"""Numbers of every channel. The last five keep the level: what is below 1.5 kHz before and after, both powers, the gain."""
UP = 12
"""The first of the numbers that the way up keeps, at most three times; those of the way down follow."""
DOWN = UP + UP_FIRST + 2 * UP_LATER
POWER_IN = DOWN + DOWN_FIRST + 2 * DOWN_LATER
"""Powers of this block, and not kept."""
POWER_OUT, NUMBERS = POWER_IN + 1, POWER_IN + 2
ALIVE, PUSH, BIASED, LOUD, THIN, DULL, LEANS, STEPS, BEAT, DIALS = range(10)
"""Dials: where voices begin, the push, the bias, the level, the two one-poles, who leans, steps and beat of Bits and rate."""
AT_ONCE = 2
"""Ticks that go through the whole drive together: what they need stays in the nearest cache."""
TINY = 1e-30
NEAR = 1e-6
"""Frames that are nearer to each other than this are taken for one place of the curve."""
MEMORY, PACE = 1.0, 0.01
"""Seconds over which loudness before and after is compared, and those in which the gain that keeps it follows."""
NOTHING = 1e-9
"""Power below which a block counts as silence: what comes after it begins anew."""
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
    gains : float64 (2, voice)
        What keeps the level of each of four voices, as the block begins and as it ends.
    """

    lanes: Lanes
    halves: NDArray[np.float64]
    wide: NDArray[np.float64]
    table: NDArray[np.float64]
    gains: NDArray[np.float64]


def prepare_shaper(module: Module, stage: Stage) -> DriveState:
    """State of a drive, as it begins, with the curve that is drawn at first."""
    drawn = Shaper.drawings["curve"].numbers(DRAWN_AT_FIRST)
    halves = stages(stage.rate, finest=True)
    return DriveState(
        lanes=lane_room(stage, DIALS, NUMBERS, AT_ONCE * stage.tick, POWER_IN),
        halves=halves,
        wide=lane_array(2, AT_ONCE * stage.tick << len(halves)),
        table=drawn_table(np.array(drawn), True),
        gains=np.ones((2, VOICES)),
    )


def redraw(state: DriveState, numbers: np.ndarray, odd: bool) -> None:
    """Puts a drawn curve into the state of a drive."""
    state.table[:] = drawn_table(numbers, odd)


@kernel
def _expected(way, table, push, bias, amplitude):
    """The gain that keeps the level of a sine, as long as nothing was measured."""
    total = middle = 0.0
    for n in range(64):
        y = bend(way, push * amplitude * math.sin(2.0 * math.pi * (n + 0.5) / 64.0) + bias, table)
        total += y * y
        middle += y
    power = total / 64.0 - (middle / 64.0) ** 2
    return min(amplitude * math.sqrt(0.5 / (power + 1e-18)), MOST_GAIN)


@kernel
def _leans(way, control, row, first):
    """True where a wave may come out off its middle, which must be taken away."""
    furthest = np.float32(1.0) if way in (TUBE, DIODE, DRAWN, REDUCE) else np.float32(0.0)
    for t in range(first, control.shape[2]):
        furthest = max(furthest, abs(control[BIAS, row, t]))
    return furthest > 0.0


@kernel
def _pole(hertz, rate):
    """How much of the way a one-pole goes in a frame."""
    return 1.0 - math.exp(-2.0 * math.pi * np.float64(hertz) / rate)


@kernel
def _turn_dials(dials, control, who, first, rate, gains):
    """What four voices are driven by at every tick; `gains` are what keeps their level, as the block begins and ends."""
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
    for v in range(VOICES):
        was, now = gains[0, v], gains[1, v]
        if was != 1.0 or now != 1.0:
            for t in range(first, ticks + 1):
                both(dials[LOUD], t, v, dials[LOUD, t, 2 * v] * (was + (now - was) * t / ticks))


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
        for k in range(DOWN, POWER_IN):
            both(here, k, v, bent)


@kernel
def _hush(tile, who, begin, end, tick):
    """Nothing comes in before a voice begins."""
    for v in range(VOICES):
        for n in range((min(who[1, v], end) - begin) * tick):
            both(tile, n, v, 0.0)


@kernel
def _go_in(tile, begin, end, tick, dials, here, dark):
    """Takes the low from four voices, from tick `begin` up to `end`, and pushes them: what then goes into the curve."""
    under, power, below = load(here, LOW), load(here, POWER_IN), load(here, DARK_IN)
    each = 1.0 / tick
    for t in range(begin, end):
        first = (t - begin) * tick
        push, bias, thin = load(dials[PUSH], t), load(dials[BIASED], t), load(dials[THIN], t)
        grow, lean = (load(dials[PUSH], t + 1) - push) * each, (load(dials[BIASED], t + 1) - bias) * each
        under = pick(thin, 0.0, under, 0.0)
        if any_above(thin, 0.0):
            for n in range(first, first + tick):
                x = load(tile, n)
                below += dark * (x - below)
                heard = x + BRIGHT * (x - below)
                power += heard * heard
                under += thin * (x - under)
                store(tile, n, push * (x - under) + bias)
                push += grow
                bias += lean
        else:
            for n in range(first, first + tick):
                x = load(tile, n)
                below += dark * (x - below)
                heard = x + BRIGHT * (x - below)
                power += heard * heard
                store(tile, n, push * x + bias)
                push += grow
                bias += lean
    store(here, LOW, under)
    store(here, POWER_IN, power)
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

    What does not lean has nothing that
    stands still, and what would take it away stands ready.
    """
    tile, dials, here = state.lanes.tile, state.lanes.dials, state.lanes.here
    blocked, into, over, power = load(here, BLOCKED), load(here, INTO), load(here, HIGH), load(here, POWER_OUT)
    leans, low = load(dials[LEANS], 0), load(here, DARK_OUT)
    keep = leans * block
    for t in range(begin, end):
        first = (t - begin) * tick
        dull, level = load(dials[DULL], t), load(dials[LOUD], t)
        louder = (load(dials[LOUD], t + 1) - level) * (1.0 / tick)
        if any_above(1.0, dull):
            for n in range(first, first + tick):
                y = load(bent, n)
                blocked = y - leans * into + keep * blocked
                into = y
                over += dull * (blocked - over)
                low += dark * (over - low)
                heard = over + BRIGHT * (over - low)
                power += heard * heard
                store(tile, n, level * over)
                level += louder
        elif any_above(leans, 0.5):
            for n in range(first, first + tick):
                y = load(bent, n)
                blocked = y - leans * into + keep * blocked
                into = y
                low += dark * (blocked - low)
                heard = blocked + BRIGHT * (blocked - low)
                power += heard * heard
                store(tile, n, level * blocked)
                level += louder
            over = blocked
        else:
            for n in range(first, first + tick):
                into = load(bent, n)
                low += dark * (into - low)
                heard = into + BRIGHT * (into - low)
                power += heard * heard
                store(tile, n, level * into)
                level += louder
            blocked = over = into
    store(here, BLOCKED, blocked)
    store(here, INTO, into)
    store(here, HIGH, over)
    store(here, POWER_OUT, power)
    store(here, DARK_OUT, low)


@kernel
def _first_amplitude(audio, row, first):
    """Amplitude of a sine that is as strong as what comes in from frame `first` on, and never so faint that nothing counts."""
    power = 0.0
    for n in range(first, audio.shape[2]):
        power += np.float64(audio[row, 0, n]) ** 2 + np.float64(audio[row, 1, n]) ** 2
    return max(math.sqrt(power / max(audio.shape[2] - first, 1)), 1e-3)


@kernel
def _keep(played, state, group, way):
    """The gains that keep the level of four voices in this block.

    They follow from what each was and became since it began, so that every note is kept by itself, the first as the
    fourth; in its first block by what a sine of its strength would become. What no note begins, the chord of a rack,
    begins after silence.
    """
    here, gains, control, who = state.lanes.here, state.gains, played.control, state.lanes.who
    ticks = control.shape[2] - 1
    follow = 1.0 - math.exp(-ticks * played.tick / played.rate / PACE)
    for v in range(VOICES):
        row, first = who[0, v], max(who[1, v], 0)
        part, whole = np.float64(control[KEPT, row, first]), np.float64(control[KEPT, row, ticks])
        if part <= 0.0 and whole <= 0.0:
            here[GAIN, 2 * v] = 0.0
            gains[0, v] = gains[1, v] = 1.0
            continue
        was = here[GAIN, 2 * v]
        if who[1, v] >= 0 or was <= 0.0:
            here[SUM_IN, 2 * v] = here[SUM_OUT, 2 * v] = 0.0
            push = 10.0 ** (np.float64(control[AMOUNT, row, first]) / 20.0)
            amplitude = _first_amplitude(played.audio, row, first * played.tick)
            was = _expected(way, state.table, push, np.float64(control[BIAS, row, first]), amplitude)
            now = was
        else:
            goal = math.sqrt((here[SUM_IN, 2 * v] + 1e-12) / (here[SUM_OUT, 2 * v] + 1e-12))
            now = was + (min(goal, MOST_GAIN) - was) * follow
        gains[0, v], gains[1, v] = 1.0 + part * (was - 1.0), 1.0 + whole * (now - 1.0)
        here[GAIN, 2 * v] = now


@kernel
def _follow(played, here, ticks):
    """After the block: the powers before and after are followed, and forgotten in silence."""
    frames = ticks * played.tick
    fade = math.exp(-frames / played.rate / MEMORY)
    for v in range(VOICES):
        came = here[POWER_IN, 2 * v] + here[POWER_IN, 2 * v + 1]
        went = here[POWER_OUT, 2 * v] + here[POWER_OUT, 2 * v + 1]
        here[SUM_IN, 2 * v] = fade * here[SUM_IN, 2 * v] + came
        here[SUM_OUT, 2 * v] = fade * here[SUM_OUT, 2 * v] + went
        if came < NOTHING * frames:
            here[GAIN, 2 * v] = 0.0


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
    _keep(played, state, group, way)
    dark = _pole(ABOVE, rate)
    here[POWER_IN] = here[POWER_OUT] = 0.0
    for v in range(VOICES):
        both(dials[LEANS], 0, v, 1.0 if _leans(way, control, who[0, v], max(who[1, v], 0)) else 0.0)
    _begin(way, state, control, first)
    _turn_dials(dials, control, who, first, rate, state.gains)
    if way == REDUCE:
        _turn_reducers(dials, control, who, first, rate * (1 << doublings))
    for t in range(first, ticks, AT_ONCE):
        end, base = min(t + AT_ONCE, ticks), t * tick
        voices_in(played.audio, who, t, end, tick, tile, base)
        _hush(tile, who, t, end, tick)
        _go_in(tile, t, end, tick, dials, here, dark)
        _come_out(state, state.wide[_bent(way, state, t, end, tick, doublings)], t, end, tick, block, dark)
        voices_out(tile, who, t, end, tick, played.audio, base)
    _follow(played, here, ticks)
