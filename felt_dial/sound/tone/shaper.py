"""Drive: bends waves by a curve, note by note or as one chord, with few aliases."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from felt_dial.patch.shaping import DIODE, DRAWN, DRAWN_AT_FIRST, REDUCE, TUBE, Shaper
from felt_dial.sound.kernel import Stage, kernel, works_for
from felt_dial.sound.lanes import (
    VOICES,
    any_above,
    both,
    hold,
    lane_array,
    lane_room,
    load,
    pick,
    quotient,
    rests,
    stands,
    state_in,
    state_out,
    store,
    take_voices,
    voices_in,
    voices_out,
    whole,
)  # fmt: skip
from felt_dial.sound.tone.curves import area, areas, bend, drawn_table

WAY, AMOUNT, BIAS, BEFORE, TONE, BITS, HOLD, LEVEL, KEPT = (
    Shaper.row_of(name) for name in ("way", "amount", "bias", "before", "tone", "bits", "hold", "level", "kept")
)
LAST, LOW, HIGH, BLOCKED, INTO, HELD, PHASE, POWER_IN, POWER_OUT, NUMBERS = range(10)
"""Numbers of every channel; the last two are powers of this block, and not kept."""
ALIVE, PUSH, BIASED, LOUD, THIN, DULL, LEANS, STEPS, BEAT, DIALS = range(10)
"""Dials: where voices begin, the push, the bias, the level, the two one-poles, who leans, steps and beat of Bits and rate."""
POWERS_IN, POWERS_OUT, GAIN = range(3)
AT_ONCE = 4
"""Ticks that go through the whole drive together: what they need stays in the nearest cache."""
TABLE = -2
"""Where the table of a drawn curve is in the state, counted from its end."""
NEAR = 1e-6
"""Frames that are nearer to each other than this are taken for one place of the curve."""
EXPECTED = 0.35
"""Amplitude of the sine from which the kept level is guessed before anything was measured."""


def shaper_state(stage: Stage) -> tuple[np.ndarray, ...]:
    """State of every row, room for four voices, the table of a drawn curve, and the measured powers and gain."""
    drawn = Shaper.drawings["curve"].numbers(DRAWN_AT_FIRST)
    table, loud = drawn_table(np.array(drawn), True), np.array([0.0, 0.0, -1.0])
    who, dials, here, _ = lane_room(stage, DIALS, NUMBERS)
    tile, up = lane_array(AT_ONCE * stage.tick), lane_array(AT_ONCE * stage.tick)
    return np.zeros((stage.rows, POWER_IN, 2)), who, dials, here, tile, up, table, loud


def redraw(state: tuple[Any, ...], numbers: np.ndarray, odd: bool) -> None:
    """Puts a drawn curve into the state of a shaper."""
    state[TABLE][:] = drawn_table(numbers, odd)


@kernel
def _expected(way, table, push, bias):  # type: ignore[no-untyped-def]
    """The gain that keeps the level of a sine, as long as nothing was measured."""
    total = middle = 0.0
    for n in range(64):
        y = bend(way, push * EXPECTED * math.sin(2.0 * math.pi * (n + 0.5) / 64.0) + bias, table)
        total += y * y
        middle += y
    power = total / 64.0 - (middle / 64.0) ** 2
    return min(EXPECTED * math.sqrt(0.5 / (power + 1e-9)), 8.0)


@kernel
def _leans(way, control, row, first):  # type: ignore[no-untyped-def]
    """True where a wave may come out off its middle, which must be taken away."""
    furthest = np.float32(1.0) if way in (TUBE, DIODE, DRAWN, REDUCE) else np.float32(0.0)
    for t in range(first, control.shape[2]):
        furthest = max(furthest, abs(control[BIAS, row, t]))
    return furthest > 0.0


@kernel
def _pole(hertz, rate):  # type: ignore[no-untyped-def]
    """How much of the way a one-pole goes in a frame."""
    return 1.0 - math.exp(-2.0 * math.pi * np.float64(hertz) / rate)


@kernel
def _turn_dials(dials, control, who, first, rate, was, now):  # type: ignore[no-untyped-def]
    """What four voices are driven by at every tick; `was` and `now` are what keeps the level, as the block begins and ends."""
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
    for t in range(first, ticks + 1):
        store(dials[LOUD], t, load(dials[LOUD], t) * (was + (now - was) * t / ticks))


@kernel
def _go_in(tile, begin, end, tick, dials, here):  # type: ignore[no-untyped-def]
    """Takes the low from four voices, from tick `begin` up to `end`, and pushes them: what then goes into the curve."""
    under, power = load(here, LOW), load(here, POWER_IN)
    each = 1.0 / tick
    for t in range(begin, end):
        first = (t - begin) * tick
        push, bias, thin = load(dials[PUSH], t), load(dials[BIASED], t), load(dials[THIN], t)
        grow, lean = (load(dials[PUSH], t + 1) - push) * each, (load(dials[BIASED], t + 1) - bias) * each
        lives = load(dials[ALIVE], t)
        power = lives * power
        under = pick(thin, 0.0, lives * under, 0.0)
        if any_above(thin, 0.0):
            for n in range(first, first + tick):
                x = load(tile, n)
                power += x * x
                under += thin * (x - under)
                store(tile, n, push * (x - under) + bias)
                push += grow
                bias += lean
        else:
            for n in range(first, first + tick):
                x = load(tile, n)
                power += x * x
                store(tile, n, push * x + bias)
                push += grow
                bias += lean
    store(here, LOW, under)
    store(here, POWER_IN, power)


@kernel
def _turn_reducers(dials, control, who, first, rate):  # type: ignore[no-untyped-def]
    """Steps and beat of Bits and rate at every tick."""
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


@kernel
def _reduced(tile, begin, end, tick, dials, here):  # type: ignore[no-untyped-def]
    """Holds the sound at a rate of its own and keeps its level to so many bits."""
    held, phase = load(here, HELD), load(here, PHASE)
    for t in range(begin, end):
        first = (t - begin) * tick
        lives = load(dials[ALIVE], t)
        held, phase = lives * held, lives * phase
        step, beat = load(dials[STEPS], t), load(dials[BEAT], t)
        for n in range(first, first + tick):
            phase += beat
            held = pick(1.0, phase, held, whole(min(max(load(tile, n), -1.0), 1.0) * step + 0.5) / step)
            phase -= whole(phase)
            store(tile, n, held)
    store(here, HELD, held)
    store(here, PHASE, phase)


@kernel
def _bend_near(way, tile, up, begin, end, last, table):  # type: ignore[no-untyped-def]
    """Where two frames are too near for the mean between them, the curve in their middle instead; `last` is before them."""
    for n in range(begin, end):
        x = load(tile, n)
        store(up, n, pick(abs(x - last), NEAR, load(up, n), bend(way, 0.5 * (x + last), table)))
        last = x


@kernel
def _means(way, tile, up, first, end, last, below, table):  # type: ignore[no-untyped-def]
    """Of the areas in `up` the mean of the curve between every two frames of `tile`; `last` and `below` are before them."""
    was, nearest = last, abs(last) + 1.0
    for n in range(first, end):
        x, above = load(tile, n), load(up, n)
        apart = abs(x - last)
        store(up, n, quotient(above - below, pick(apart, NEAR, x - last, 1.0)))
        nearest = min(nearest, apart)
        last, below = x, above
    if any_above(NEAR, nearest):
        _bend_near(way, tile, up, first, end, was, table)
    return last, below


@kernel
def _come_out(way, tile, up, begin, end, tick, dials, here, table, block):  # type: ignore[no-untyped-def]
    """The mean of the curve between every two frames of `tile`, without what stands still, dulled and at its level.

    `up` (frame, 8) is room for the areas under the curve, and then for the means. What does not lean has nothing that
    stands still, and what would take it away stands ready.
    """
    blocked, into, over, power = load(here, BLOCKED), load(here, INTO), load(here, HIGH), load(here, POWER_OUT)
    leans, last = load(dials[LEANS], 0), load(here, LAST)
    keep = leans * block
    below = area(way, last, table)
    reduces = way == REDUCE
    bent = tile if reduces else up
    if not reduces:
        areas(way, tile, up, 0, (end - begin) * tick, table)
    for t in range(begin, end):
        first = (t - begin) * tick
        lives = load(dials[ALIVE], t)
        if any_above(0.5, lives):
            bias = load(dials[BIASED], t)
            last, into = pick(lives, 0.5, last, bias), pick(lives, 0.5, into, bend(way, bias, table))
            below = area(way, last, table)
            blocked, over, power = lives * blocked, lives * over, lives * power
        if not reduces:
            last, below = _means(way, tile, up, first, first + tick, last, below, table)
        dull, level = load(dials[DULL], t), load(dials[LOUD], t)
        louder = (load(dials[LOUD], t + 1) - level) * (1.0 / tick)
        if any_above(1.0, dull):
            for n in range(first, first + tick):
                y = load(bent, n)
                blocked = y - leans * into + keep * blocked
                into = y
                over += dull * (blocked - over)
                power += over * over
                store(tile, n, level * over)
                level += louder
        elif any_above(leans, 0.5):
            for n in range(first, first + tick):
                y = load(bent, n)
                blocked = y - leans * into + keep * blocked
                into = y
                power += blocked * blocked
                store(tile, n, level * blocked)
                level += louder
            over = blocked
        else:
            for n in range(first, first + tick):
                into = load(bent, n)
                power += into * into
                store(tile, n, level * into)
                level += louder
            blocked = over = into
    store(here, LAST, last)
    store(here, BLOCKED, blocked)
    store(here, INTO, into)
    store(here, HIGH, over)
    store(here, POWER_OUT, power)


@kernel
def _kept(control, row, first, ticks, frames, rate, way, table, loud):  # type: ignore[no-untyped-def]
    """Gain that keeps the level as this block begins and as it ends; 1 where it is not kept."""
    if control[KEPT, row, first] <= 0.5:
        loud[GAIN] = -1.0
        return 1.0, 1.0
    was = loud[GAIN]
    if was <= 0.0:
        push = 10.0 ** (np.float64(control[AMOUNT, row, first]) / 20.0)
        was = _expected(way, table, push, np.float64(control[BIAS, row, first]))
    loud[GAIN] = was
    if loud[POWERS_OUT] > 1e-9:
        goal = min(math.sqrt((loud[POWERS_IN] + 1e-12) / (loud[POWERS_OUT] + 1e-12)), 8.0)
        loud[GAIN] = was + (goal - was) * (1.0 - math.exp(-4.0 * frames / rate / 0.3))
    return was, loud[GAIN]


@works_for(Shaper, shaper_state)
@kernel
def run_shaper(audio, control, rows, start, tick, rate, state, who, dials, here, tile, up, table, loud):  # type: ignore[no-untyped-def]
    """Bends `audio[row]`, float32 (row, channel, frame), in place; `state` float64 (row, number, channel).

    First-order antiderivative antialiasing (J. D. Parker, V. Zavalishin, E. Le Bivic, DAFx 2016): the mean of the
    curve between two frames, (F(x1) − F(x0)) / (x1 − x0); the bent sound is half a frame late. `loud` holds the powers
    before and after over all voices, and the gain that keeps the level.
    """
    if rows.shape[0] == 0:
        return
    ticks = control.shape[2] - 1
    block = 1.0 - 2.0 * math.pi * 5.0 / rate
    power_in = power_out = 0.0
    count = 0
    begin = max(start[rows[0]], 0)
    way = np.int64(control[WAY, rows[0], begin])
    was, now = _kept(control, rows[0], begin, ticks, ticks * tick, rate, way, table, loud)
    for group in range(0, rows.shape[0], VOICES):
        first = take_voices(audio, rows, start, group, who, dials[ALIVE])
        state_in(state, who, here)
        here[POWER_IN] = here[POWER_OUT] = 0.0
        for v in range(VOICES):
            both(dials[LEANS], 0, v, 1.0 if _leans(way, control, who[0, v], max(who[1, v], 0)) else 0.0)
        _turn_dials(dials, control, who, first, rate, was, now)
        if way == REDUCE:
            _turn_reducers(dials, control, who, first, rate)
        for t in range(first, ticks, AT_ONCE):
            end, base = min(t + AT_ONCE, ticks), t * tick
            voices_in(audio, who, t, end, tick, tile, base)
            _go_in(tile, t, end, tick, dials, here)
            if way == REDUCE:
                _reduced(tile, t, end, tick, dials, here)
            _come_out(way, tile, up, t, end, tick, dials, here, table, block)
            voices_out(tile, who, t, end, tick, audio, base)
        state_out(here, who, state)
        for v in range(min(VOICES, rows.shape[0] - group)):
            power_in += here[POWER_IN, 2 * v] + here[POWER_IN, 2 * v + 1]
            power_out += here[POWER_OUT, 2 * v] + here[POWER_OUT, 2 * v + 1]
            count += 2 * (ticks - max(who[1, v], 0)) * tick
    slow = 1.0 - math.exp(-ticks * tick / rate / 0.3)
    loud[POWERS_IN] += slow * (power_in / count - loud[POWERS_IN])
    loud[POWERS_OUT] += slow * (power_out / count - loud[POWERS_OUT])
