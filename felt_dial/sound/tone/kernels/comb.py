"""Comb: a tuned delay in a loop, four voices at a time."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.kernel import Stage, inner, kernel
from felt_dial.sound.effects.kernels.delay import echo
from felt_dial.sound.simd.arithmetic import tangent
from felt_dial.sound.simd.lanes import (
    LANES,
    VOICES,
    Lanes,
    both,
    cubic,
    hold,
    lane_array,
    lane_room,
    rests,
    rings_in,
    rings_out,
    stands,
    voices_in,
    voices_out,
)
from felt_dial.sound.simd.memory import load, store
from felt_dial.sound.simd.types import any_above, pick
from felt_dial.sound.tone.comb import BLOCK, OPEN, Comb
from felt_dial.sound.tone.core.transfer import KNEE
from felt_dial.sound.tone.kernels.core.cutoff import DRIVE, RESONANCE, cutoff_stands, hertz_in
from felt_dial.sound.tone.kernels.core.transfer import rounded
from felt_dial.sound.tone.kernels.core.voices import set_to, works_in_pieces

LOWEST = 16.0
AT_ONCE = 8
"""Ticks that go through the whole comb together: what they need stays in the nearest cache."""
SPARE = 32
"""Frames of a line that no delay reaches."""
ROOM = 4.0
"""Level at which the loop gives way without drive."""


TEETH, DAMPING = Comb.row_of("teeth"), Comb.row_of("damping")
DULL, BLOCKED, INTO, NUMBERS = range(4)
ALIVE, AT_HERTZ, LAGS, WAIT, DULLED, FED, OUT, CEILING, KNEES, DIALS = range(10)


@kernel
def _lag(f, damping, rate):
    """Radians by which the damping of a loop is late at `f` Hz."""
    if damping > OPEN:
        return 0.0
    w = 2.0 * math.pi * min(max(f, LOWEST), 0.25 * rate) / rate
    rest = math.exp(-2.0 * math.pi * damping / rate)
    return math.atan2(rest * math.sin(w), 1.0 - rest * math.cos(w))


@kernel
def _waits(f, lags, rate, odd):
    """Frames of four delays: one turn of the pitch less what the loop's filters add.

    What takes away what stands still is ahead by atan((1 − c) / (1 + c) / tan(w / 2)), with c what it keeps; that is below
    0.07, where three terms of its series are good to 1e-9.
    """
    half = (math.pi / rate) * min(max(f, LOWEST), 0.25 * rate)
    if odd:
        return max((math.pi - lags) / (2.0 * half), 2.0)
    keep = 1.0 - 2.0 * math.pi * BLOCK / rate
    ahead = ((1.0 - keep) / (1.0 + keep)) / tangent(half)
    q = ahead * ahead
    return max((2.0 * math.pi - lags + ahead * (1.0 - q * (1.0 / 3.0 - 0.2 * q))) / (2.0 * half), 2.0)


@kernel
def _tune(dials, control, line, frequency, who, first, rate, odd):
    """Delay, damping, feedback, output level and ceiling of four voices at every tick; True where they stand still."""
    still = cutoff_stands(control, line, frequency, who, first)
    for which in (DAMPING, RESONANCE, DRIVE):
        still = still and stands(control[which], who, first)
    end = first + 1 if still else dials.shape[1]
    hertz_in(dials[AT_HERTZ], dials[LAGS], control, line, frequency, who, first, end)
    for v in range(VOICES):
        row = who[0, v]
        for t in range(first, end):
            damping = np.float64(control[DAMPING, row, t])
            both(dials[LAGS], t, v, _lag(dials[AT_HERTZ, t, 2 * v], damping, rate))
            if rests(control, DAMPING, row, t, first):
                both(dials[DULLED], t, v, dials[DULLED, t - 1, 2 * v])
            else:
                both(dials[DULLED], t, v, 1.0 if damping > OPEN else 1.0 - math.exp(-2.0 * math.pi * damping / rate))
            back = 1.0 - (1.0 - np.float64(control[RESONANCE, row, t])) ** 2
            both(dials[FED], t, v, back)
            both(dials[OUT], t, v, math.sqrt(1.0 - 0.96 * back * back))
            if rests(control, DRIVE, row, t, first):
                both(dials[CEILING], t, v, dials[CEILING, t - 1, 2 * v])
                both(dials[KNEES], t, v, dials[KNEES, t - 1, 2 * v])
            else:
                drive = np.float64(control[DRIVE, row, t])
                ceiling = ROOM if drive == 0.0 else ROOM / 10.0 ** (drive / 20.0)
                both(dials[CEILING], t, v, ceiling)
                both(dials[KNEES], t, v, 1.0 / (KNEE * ceiling))
    for t in range(first, end):
        store(dials[WAIT], t, _waits(load(dials[AT_HERTZ], t), load(dials[LAGS], t), rate, odd))
    for dial in range(WAIT, DIALS):
        hold(dials[dial], end)
    for v in range(VOICES):
        still = still and who[1, v] <= first
    return still


@kernel
def _aim(at, taps, dials, t, size):
    """Where eight lines are read as far behind as tick `t` has it, and with which weights."""
    for lane in range(LANES):
        wait = dials[WAIT, t, lane]
        frames = np.int64(wait)
        cubic(taps, lane, wait - frames)
        at[1, lane] = (at[0, lane] - frames - 2) & (size - 1)


@inner
def _listen(played, state, t, n, count):
    """What four pairs of lines held their wait ago, for `count` frames from `n` on in tick `t`, into `state.heard`.

    `at` is where each line is now. Between frames it is the cubic of `echo`, its four weights the same for all frames. Where
    a wait moves by less than a third of a frame in the tick it is read with that of both ends (`other` is room), and
    faded from one to the other; where it moves further, frame by frame.
    """
    at, who, dials, rings, heard, other = (
        state.at,
        state.lanes.who,
        state.lanes.dials,
        state.rings,
        state.heard,
        state.other,
    )
    tick, swing, taps, places, size = played.tick, played.swing, state.taps, state.places, state.size
    begins = at[2]
    far, near = swing.shape[0] > 0, True
    for v in range(VOICES):
        moved = abs(dials[WAIT, t + 1, 2 * v] - dials[WAIT, t, 2 * v])
        far, near = far or moved > 1.0 / 3.0, near and moved == 0.0
    if not far:
        _aim(at, taps, dials, t, size)
        rings_in(rings, begins, at[1], count, taps, places, heard)
        if not near:
            _aim(at, taps, dials, t + 1, size)
            rings_in(rings, begins, at[1], count, taps, places, other)
            for m in range(count):
                here = load(heard, m)
                store(heard, m, here + ((n + m - t * tick) / tick) * (load(other, m) - here))
        return
    for v in range(VOICES):
        row, now = who[0, v], at[0, 2 * v]
        grow = (dials[WAIT, t + 1, 2 * v] - dials[WAIT, t, 2 * v]) / tick
        wait = dials[WAIT, t, 2 * v] + grow * (n - t * tick)
        if swing.shape[0] > 0:
            wait = min(max(wait * 2.0 ** -np.float64(swing[row, n]), 2.0), size - np.float64(SPARE))
        for m in range(count):
            heard[m, 2 * v] = echo(rings[row, 0], now + m, wait + grow * m, size - 1)
            heard[m, 2 * v + 1] = echo(rings[row, 1], now + m, wait + grow * m, size - 1)


@inner
def _turn(state, first, t, tick, at, count, keep, odd):
    """Frames `at` and on, in tick `t`, row `first` and on of `tile`: damps what is `heard` and feeds it back.

    `heard` is then what goes into the lines.
    """
    tile, heard, dials, here = state.lanes.tile, state.heard, state.lanes.dials, state.lanes.here
    low, blocked, into = load(here, DULL), load(here, BLOCKED), load(here, INTO)
    each = 1.0 / tick
    dull, back, out, ceiling = load(dials[DULLED], t), load(dials[FED], t), load(dials[OUT], t), load(dials[CEILING], t)
    lift, louder = (load(dials[FED], t + 1) - back) * each, (load(dials[OUT], t + 1) - out) * each
    higher, per_knee = (load(dials[CEILING], t + 1) - ceiling) * each, load(dials[KNEES], t)
    softer = (load(dials[KNEES], t + 1) - per_knee) * each
    sign = -1.0 if odd else 1.0
    if any_above(abs(lift) + abs(louder) + abs(higher) + abs(softer), 0.0):
        n = at - t * tick
        back, out, ceiling, per_knee = back + n * lift, out + n * louder, ceiling + n * higher, per_knee + n * softer
        for m in range(count):
            low += dull * (load(heard, m) - low)
            blocked = low if odd else low - into + keep * blocked
            into = low
            y = load(tile, first + m) + sign * ceiling * rounded(back * per_knee * blocked)
            store(heard, m, pick(abs(y), 1e-15, y, 0.0))
            store(tile, first + m, y * out)
            back += lift
            out += louder
            ceiling += higher
            per_knee += softer
    else:
        much, most = back * per_knee, sign * ceiling
        for m in range(count):
            low += dull * (load(heard, m) - low)
            blocked = low if odd else low - into + keep * blocked
            into = low
            y = load(tile, first + m) + most * rounded(much * blocked)
            store(heard, m, pick(abs(y), 1e-15, y, 0.0))
            store(tile, first + m, y * out)
    store(here, DULL, low)
    store(here, BLOCKED, blocked)
    store(here, INTO, into)


class CombState(NamedTuple):
    """Room for four voices, and the lines of all.

    Attributes
    ----------
    heard, other : float64 (frame, 8)
        What the lines of four voices hold; and room for it at another delay.
    taps : float32 (8, 4)
    places : int64 (8,)
    at : int64 (3, 8)
        Where each line is now, what it hears there, and where it begins in `rings`, counted flat.
    rings : float32 (row, channel, frame)
    writes : int64 (row,)
        Where each voice writes.
    size : int
        Frames of a ring, a power of two.
    """

    lanes: Lanes
    heard: NDArray[np.float64]
    other: NDArray[np.float64]
    taps: NDArray[np.float32]
    places: NDArray[np.int64]
    at: NDArray[np.int64]
    rings: NDArray[np.float32]
    writes: NDArray[np.int64]
    size: int


def prepare_comb(module: Comb, stage: Stage) -> CombState:
    """State of a comb, as it begins."""
    piece = AT_ONCE * stage.tick
    size = 1 << math.ceil(math.log2(stage.rate / LOWEST + SPARE))
    return CombState(
        lanes=lane_room(stage, DIALS, NUMBERS, piece),
        heard=lane_array(piece + LANES),
        other=lane_array(stage.tick + LANES),
        taps=np.zeros((LANES, 4), np.float32),
        places=np.zeros(LANES, np.int64),
        at=np.zeros((3, LANES), np.int64),
        rings=np.zeros((stage.rows, 2, size + piece + SPARE), np.float32),
        writes=np.zeros(stage.rows, np.int64),
        size=size,
    )


@works_in_pieces(Comb, prepare_comb, CombState)
@kernel
def comb(played, state, group, first):
    """Filters four voices in place.

    As many frames are worked on at once as the shortest of four delays allows: what they hear is then known before.
    """
    lanes, at, rings, size, tick = state.lanes, state.at, state.rings, state.size, played.tick
    who, dials, here = lanes.who, lanes.dials, lanes.here
    ticks, wide = played.control.shape[2] - 1, rings.shape[2]
    keep = 1.0 - 2.0 * math.pi * BLOCK / played.rate
    begins = at[2]
    for v in range(VOICES):
        if who[1, v] >= 0:
            rings[who[0, v]] = np.float32(0.0)
    for lane in range(LANES):
        begins[lane] = (2 * who[0, lane // 2] + lane % 2) * wide
        at[0, lane] = (state.writes[who[0, lane // 2]] + first * tick) & (size - 1)
    odd = set_to(played, lanes, TEETH) > 0
    still = _tune(dials, played.control, played.line, played.frequency, who, first, played.rate, odd)
    for begin in range(first, ticks, AT_ONCE):
        end, base = min(begin + AT_ONCE, ticks), begin * tick
        voices_in(played.audio, who, begin, end, tick, lanes.tile, base)
        n = base
        while n < end * tick:
            t = n // tick
            if n == t * tick:
                for k in range(NUMBERS):
                    store(here, k, load(here, k) * load(dials[ALIVE], t))
            count = end * tick - n if still else (t + 1) * tick - n
            for v in range(VOICES):
                shortest = min(dials[WAIT, t, 2 * v], dials[WAIT, t + 1, 2 * v])
                count = min(count, max(np.int64(shortest) - 1, 1))
            if played.swing.shape[0] > 0:
                count = 1
            _listen(played, state, t, n, count)
            _turn(state, n - base, t, tick, n, count, keep, odd)
            rings_out(state.heard, rings, begins, at[0], count, state.places, size, wide - size)
            for lane in range(LANES):
                at[0, lane] = (at[0, lane] + count) & (size - 1)
            n += count
        voices_out(lanes.tile, who, begin, end, tick, played.audio, base)
    for v in range(VOICES):
        state.writes[who[0, v]] = at[0, 2 * v]
