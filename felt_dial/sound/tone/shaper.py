"""Drive: bends waves by a curve, note by note or as one chord, with few aliases."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from felt_dial.patch.shaping import DIODE, DRAWN, DRAWN_AT_FIRST, REDUCE, TUBE, Shaper
from felt_dial.sound.kernel import Stage, flushed, kernel, works_for
from felt_dial.sound.tone.curves import areas, bend, drawn_table

WAY, AMOUNT, BIAS, BEFORE, TONE, BITS, HOLD, LEVEL, KEPT = (
    Shaper.row_of(name) for name in ("way", "amount", "bias", "before", "tone", "bits", "hold", "level", "kept")
)
LAST, LOW, HIGH, BLOCKED, INTO, HELD, PHASE = range(7)
POWER_IN, POWER_OUT, GAIN = range(3)
EXPECTED = 0.35
"""Amplitude of the sine from which the kept level is guessed before anything was measured."""


def shaper_state(stage: Stage, rows: int) -> tuple[np.ndarray, ...]:
    """State (row, channel, 7), the table of a drawn curve, the measured powers and gain, and room to work in."""
    first = Shaper.drawings["curve"].numbers(DRAWN_AT_FIRST)
    return (
        np.zeros((rows, 2, 7)), drawn_table(np.array(first), True), np.array([0.0, 0.0, -1.0]),
        np.zeros((3, stage.frames + 1)),
    )  # fmt: skip


def redraw(state: tuple[Any, ...], numbers: np.ndarray, odd: bool) -> None:
    """Puts a drawn curve into the state of a shaper."""
    state[1][:] = drawn_table(numbers, odd)


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
def _stands(control, which, row, first):  # type: ignore[no-untyped-def]
    """True where a parameter stands still in this block: whole lines can be worked on at once."""
    moved = np.float32(0.0)
    for t in range(first + 1, control.shape[2]):
        moved = max(moved, abs(control[which, row, t] - control[which, row, first]))
    return moved == 0.0


@kernel
def _lowest(control, row, first):  # type: ignore[no-untyped-def]
    """True where the low cut takes nothing away."""
    highest = np.float32(0.0)
    for t in range(first, control.shape[2]):
        highest = max(highest, control[BEFORE, row, t])
    return highest <= 20.0


@kernel
def _leans(way, control, row, first):  # type: ignore[no-untyped-def]
    """True where a wave may come out off its middle, which must be taken away."""
    furthest = np.float32(1.0) if way in (TUBE, DIODE, DRAWN, REDUCE) else np.float32(0.0)
    for t in range(first, control.shape[2]):
        furthest = max(furthest, abs(control[BIAS, row, t]))
    return furthest > 0.0


@kernel
def _push(line, x, control, row, first, tick, rate, under):  # type: ignore[no-untyped-def]
    """Fills `x[1:]` with the sound `line` as it goes into the curve; returns the state of the low cut, and the power."""
    ticks = control.shape[2] - 1
    power = 0.0
    if _stands(control, AMOUNT, row, first) and _stands(control, BIAS, row, first) and _lowest(control, row, first):
        push, bias = 10.0 ** (np.float64(control[AMOUNT, row, first]) / 20.0), np.float64(control[BIAS, row, first])
        for n in range(np.uint64((ticks - first) * tick)):
            plain = np.float64(line[n])
            power += plain * plain
            x[n + np.uint64(1)] = push * plain + bias
        return 0.0, power
    pushed = 10.0 ** (np.float64(control[AMOUNT, row, first]) / 20.0)
    for t in range(first, ticks):
        push = pushed
        bias = np.float64(control[BIAS, row, t])
        grow = lean = 0.0
        if control[AMOUNT, row, t + 1] != control[AMOUNT, row, t]:
            pushed = 10.0 ** (np.float64(control[AMOUNT, row, t + 1]) / 20.0)
            grow = (pushed - push) / tick
        if control[BIAS, row, t + 1] != control[BIAS, row, t]:
            lean = (np.float64(control[BIAS, row, t + 1]) - bias) / tick
        cut = np.float64(control[BEFORE, row, t])
        begin = np.uint64((t - first) * tick)
        if cut <= 20.0:
            under = 0.0
            for n in range(np.uint64(tick)):
                plain = np.float64(line[begin + n])
                power += plain * plain
                x[begin + n + np.uint64(1)] = (push + grow * n) * plain + (bias + lean * n)
        else:
            thin = 1.0 - math.exp(-2.0 * math.pi * cut / rate)
            for n in range(np.uint64(tick)):
                plain = np.float64(line[begin + n])
                power += plain * plain
                under += thin * (plain - under)
                x[begin + n + np.uint64(1)] = (push + grow * n) * (plain - under) + (bias + lean * n)
    return under, power


@kernel
def _means(way, x, area, y, count, table):  # type: ignore[no-untyped-def]
    """The mean of the curve between every two values of `x`, into `y`."""
    areas(way, x, area, count, table)
    one = np.uint64(1)
    near = 0.0
    for n in range(np.uint64(count)):
        step = x[n + one] - x[n]
        apart = abs(step) > 1e-6
        near += 0.0 if apart else 1.0
        y[n] = (area[n + one] - area[n]) / (step if apart else 1.0)
    if near > 0.0:
        for n in range(np.uint64(count)):
            if abs(x[n + one] - x[n]) <= 1e-6:
                y[n] = bend(way, 0.5 * (x[n + one] + x[n]), table)


@kernel
def _reduce(x, y, control, row, first, tick, rate, here):  # type: ignore[no-untyped-def]
    """Holds the sound at a rate of its own and keeps its level to so many bits."""
    for t in range(first, control.shape[2] - 1):
        steps = 2.0 ** (np.float64(control[BITS, row, t]) - 1.0)
        beat = np.float64(control[HOLD, row, t]) / rate
        begin = (t - first) * tick
        for n in range(np.uint64(begin), np.uint64(begin + tick)):
            here[PHASE] += beat
            if here[PHASE] >= 1.0:
                here[PHASE] -= math.floor(here[PHASE])
                here[HELD] = math.floor(min(max(x[n + np.uint64(1)], -1.0), 1.0) * steps + 0.5) / steps
            y[n] = here[HELD]


@kernel
def _take_middle(y, count, rate, here, leans):  # type: ignore[no-untyped-def]
    """Takes away what stands still in the bent sound; what does not lean has none of it, and the blocker stands ready."""
    if not leans:
        here[BLOCKED] = here[INTO] = flushed(y[np.uint64(count - 1)])
        return
    block = 1.0 - 2.0 * math.pi * 5.0 / rate
    blocked, into = here[BLOCKED], here[INTO]
    for n in range(np.uint64(count)):
        blocked = y[n] - into + block * blocked
        into = y[n]
        y[n] = blocked
    here[BLOCKED], here[INTO] = flushed(blocked), into


@kernel
def _come_out(line, y, control, row, first, tick, rate, here, was, now):  # type: ignore[no-untyped-def]
    """Takes the top off the bent sound and writes it over `line`; returns its power."""
    ticks = control.shape[2] - 1
    over = here[HIGH]
    power = 0.0
    known = control[LEVEL, row, first]
    plain = 10.0 ** (np.float64(known) / 20.0)
    for t in range(first, ticks):
        if control[LEVEL, row, t] != known:
            known = control[LEVEL, row, t]
            plain = 10.0 ** (np.float64(known) / 20.0)
        level = plain * (was + (now - was) * (t + 0.5) / ticks)
        tone = np.float64(control[TONE, row, t])
        begin = np.uint64((t - first) * tick)
        if tone >= 19900.0:
            for n in range(np.uint64(tick)):
                power += y[begin + n] * y[begin + n]
                line[begin + n] = np.float32(level * y[begin + n])
            over = y[begin + np.uint64(tick - 1)]
        else:
            dull = 1.0 - math.exp(-2.0 * math.pi * tone / rate)
            for n in range(begin, begin + np.uint64(tick)):
                over += dull * (y[n] - over)
                power += over * over
                line[n] = np.float32(level * over)
    here[HIGH] = flushed(over)
    return power


@works_for(Shaper, lambda stage: shaper_state(stage, stage.rows))
@kernel
def run_shaper(audio, control, rows, start, tick, rate, state, table, loud, room):  # type: ignore[no-untyped-def]
    """Bends `audio[row]`, float32 (row, channel, frame), in place.

    First-order antiderivative antialiasing (J. D. Parker, V. Zavalishin, E. Le Bivic, DAFx 2016): the mean of the
    curve between two frames, (F(x1) − F(x0)) / (x1 − x0); the bent sound is half a frame late. `loud` holds the powers
    before and after over all voices, and the gain that keeps the level. The work is done in passes over a line of
    frames, of which all but the filters can be done many frames at a time.
    """
    ticks = control.shape[2] - 1
    power_in = power_out = 0.0
    count = 0
    was = now = 1.0
    x, area, y = room[0], room[1], room[2]
    for index in range(rows.shape[0]):
        row = rows[index]
        first = max(start[row], 0)
        way = np.int64(control[WAY, row, first])
        bias = np.float64(control[BIAS, row, first])
        if index == 0 and control[KEPT, row, first] > 0.5:
            was = loud[GAIN]
            if was <= 0.0:
                was = _expected(way, table, 10.0 ** (np.float64(control[AMOUNT, row, first]) / 20.0), bias)
            now = was
            if loud[POWER_OUT] > 1e-9:
                goal = min(math.sqrt((loud[POWER_IN] + 1e-12) / (loud[POWER_OUT] + 1e-12)), 8.0)
                now = was + (goal - was) * (1.0 - math.exp(-4.0 * ticks * tick / rate / 0.3))
            loud[GAIN] = now
        elif index == 0:
            loud[GAIN] = -1.0
        frames = (ticks - first) * tick
        leans = _leans(way, control, row, first)
        for channel in range(2):
            here = state[row, channel]
            if start[row] >= 0:
                here[:] = 0.0
                here[LAST] = bias
                here[INTO] = bend(way, bias, table)
                here[BLOCKED] = 0.0
            line = audio[row, channel, first * tick :]
            x[0] = here[LAST]
            here[LOW], power = _push(line, x, control, row, first, tick, rate, here[LOW])
            power_in += power
            if way == REDUCE:
                _reduce(x, y, control, row, first, tick, rate, here)
            else:
                _means(way, x, area, y, frames, table)
            here[LAST] = x[frames]
            _take_middle(y, frames, rate, here, leans)
            power_out += _come_out(line, y, control, row, first, tick, rate, here, was, now)
            here[LOW] = flushed(here[LOW])
            count += frames
    if count > 0:
        slow = 1.0 - math.exp(-ticks * tick / rate / 0.3)
        loud[POWER_IN] += slow * (power_in / count - loud[POWER_IN])
        loud[POWER_OUT] += slow * (power_out / count - loud[POWER_OUT])
