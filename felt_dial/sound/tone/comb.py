"""Comb: a delay as long as one turn of a pitch, fed back, so that the pitch and its harmonics ring.

With all of it fed back it goes on by itself, like a string: K. Karplus and A. Strong, Computer Music Journal 7(2), 1983;
the loop's filters are tuned out as in D. A. Jaffe and J. O. Smith, the same issue.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Tuned
from felt_dial.patch.params import LOG, Choice, Param
from felt_dial.patch.units import HERTZ, PERCENT, SEMITONES
from felt_dial.sound.effects.delay import echo
from felt_dial.sound.kernel import Stage, kernel, works_for
from felt_dial.sound.lane_math import tangent
from felt_dial.sound.lanes import (
    LANES,
    VOICES,
    any_above,
    both,
    cubic,
    hold,
    lane_array,
    lane_room,
    load,
    pick,
    rests,
    rings_in,
    rings_out,
    stands,
    state_in,
    state_out,
    store,
    take_voices,
    voices_in,
    voices_out,
)  # fmt: skip
from felt_dial.sound.tone.curves import KNEE, rounded
from felt_dial.sound.tone.cutoff import DRIVE, RESONANCE, cutoff_stands, hertz, hertz_in, now_or_set

Loop = Callable[[NDArray[np.complex128]], NDArray[np.complex128]]
LOWEST = 16.0
OPEN = 19_900.0
BLOCK = 1.0
"""Hertz below which the loop loses what stands still; turned over it has none of it to lose."""
AT_ONCE = 8
"""Ticks that go through the whole comb together: what they need stays in the nearest cache."""
SPARE = 32
"""Frames of a line that no delay reaches."""
ROOM = 4.0
"""Level at which the loop gives way without drive."""


class Comb(Tuned, kind="comb", title="Comb"):
    """Rings at the played pitch and its harmonics; with all of it fed back, like a string that goes on by itself."""

    cutoff = Param("Cutoff", 220.0, (20.0, 20000.0), HERTZ, taper=LOG, says="The lowest tone that rings, if in hertz.")
    counted = Choice(
        "Cutoff is", "key", {"hertz": "In hertz", "key": "From the key"},
        says="The comb rings where its dial says, or at a distance from the pitch that is played.",
    )  # fmt: skip
    distance = Param(
        "From the key", 0.0, (-48.0, 96.0), SEMITONES, says="How far above the played pitch it rings, if counted so."
    )
    resonance = Param(
        "Resonance", 0.5, (0.0, 1.0), PERCENT, says="How much is fed back: at the end it never dies away."
    )
    teeth = Choice(
        "Teeth", "all", {"all": "All harmonics", "odd": "Odd harmonics"},
        says="Fed back as it is, all harmonics ring; turned over, only the odd ones, hollow.",
    )  # fmt: skip
    damping = Param("Damping", 20000.0, (200.0, 20000.0), HERTZ, taper=LOG, says="Each turn loses what is above.")

    @staticmethod
    def prepare(stage: Stage) -> tuple[Any, ...]:
        piece = AT_ONCE * stage.tick
        size = 1 << math.ceil(math.log2(stage.rate / LOWEST + SPARE))
        who, dials, here, _ = lane_room(stage, DIALS, NUMBERS)
        return (
            np.zeros((stage.rows, NUMBERS, 2)), who, dials, here,
            lane_array(piece), lane_array(piece + LANES), lane_array(stage.tick + LANES),
            np.zeros((LANES, 4), np.float32), np.zeros(LANES, np.int64), np.zeros((3, LANES), np.int64),
            np.zeros((stage.rows, 2, size + piece + SPARE), np.float32), np.zeros(stage.rows, np.int64), size,
        )  # fmt: skip

    def gain(
        self, frequency: ArrayLike, rate: float, now: Mapping[str, float] | None = None, pitch: float = 60.0
    ) -> NDArray[np.float64]:
        """Gain (linear) at each frequency: the closed form of the loop."""
        f = np.asarray(frequency, np.float64)
        back = feedback(now_or_set(self, now, "resonance"))
        sign = -1.0 if self.teeth == "odd" else 1.0
        at = hertz(self, now, pitch)
        z = np.exp(-2j * np.pi * f / rate)
        loop, wait = loop_at(at, now_or_set(self, now, "damping"), rate, sign)
        found = math.sqrt(1 - 0.96 * back * back) / (1 - sign * back * loop(z) * z**wait)
        return np.asarray(np.abs(found))

    def gist(self) -> str:
        """What kind of filter it is set to, in a word or two."""
        return f"comb, {'all' if self.teeth == 'all' else 'odd'} teeth"


TEETH, DAMPING = Comb.row_of("teeth"), Comb.row_of("damping")
DULL, BLOCKED, INTO, NUMBERS = range(4)
ALIVE, AT_HERTZ, LAGS, WAIT, DULLED, FED, OUT, CEILING, KNEES, DIALS = range(10)


def feedback(resonance: float) -> float:
    """Gain of one turn."""
    return 1.0 - (1.0 - resonance) ** 2


def loop_at(at: float, damping: float, rate: float, sign: float) -> tuple[Loop, float]:
    """The loop's filter as a function of 1/z, and the frames of its delay, so that it rings at `at` Hz."""
    dull = 1.0 if damping > OPEN else 1.0 - math.exp(-2.0 * math.pi * damping / rate)
    keep = 1.0 - 2.0 * math.pi * BLOCK / rate

    def loop(z: NDArray[np.complex128]) -> NDArray[np.complex128]:
        return np.asarray(dull / (1 - (1 - dull) * z) * ((1 - z) / (1 - keep * z) if sign > 0 else 1.0))

    w = 2 * math.pi * at / rate
    turn = 2 * math.pi if sign > 0 else math.pi
    wait = (turn + float(np.angle(loop(np.exp(-1j * np.array([w])))[0]))) / w
    return loop, max(wait, 2.0)


@kernel
def _lag(f, damping, rate):  # type: ignore[no-untyped-def]
    """Radians by which the damping of a loop is late at `f` Hz."""
    if damping > OPEN:
        return 0.0
    w = 2.0 * math.pi * min(max(f, LOWEST), 0.25 * rate) / rate
    rest = math.exp(-2.0 * math.pi * damping / rate)
    return math.atan2(rest * math.sin(w), 1.0 - rest * math.cos(w))


@kernel
def _waits(f, lags, rate, odd):  # type: ignore[no-untyped-def]
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
def _tune(dials, control, line, frequency, who, first, rate, odd):  # type: ignore[no-untyped-def]
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
def _aim(at, taps, dials, t, size):  # type: ignore[no-untyped-def]
    """Where eight lines are read as far behind as tick `t` has it, and with which weights."""
    for lane in range(LANES):
        wait = dials[WAIT, t, lane]
        frames = np.int64(wait)
        cubic(taps, lane, wait - frames)
        at[1, lane] = (at[0, lane] - frames - 2) & (size - 1)


@kernel
def _listen(rings, begins, at, who, dials, t, tick, n, count, swing, taps, places, heard, other, size):  # type: ignore[no-untyped-def]
    """What four pairs of lines held their wait ago, for `count` frames from `n` on in tick `t`, into `heard`.

    `at` is where each line is now. Between frames it is the cubic of `echo`, its four weights the same for all frames. Where
    a wait moves by less than a third of a frame in the tick it is read with that of both ends (`other` is room), and
    faded from one to the other; where it moves further, frame by frame.
    """
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


@kernel
def _turn(tile, first, heard, dials, here, t, tick, at, count, keep, odd):  # type: ignore[no-untyped-def]
    """Frames `at` and on, in tick `t`, row `first` and on of `tile`: damps what is `heard` and feeds it back.

    `heard` is then what goes into the lines.
    """
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


@works_for(Comb)
@kernel
def run_comb(  # type: ignore[no-untyped-def]
    audio, control, line, frequency, rows, start, tick, rate, swing,
    state, who, dials, here, tile, heard, other, taps, places, at, rings, writes, size,
):  # fmt: skip
    """Filters `audio[row]` in place; `state` float64 (row, number, channel), `rings` float32 (row, channel, frame).

    `at` int64 (3, 8): where each line is now, what it hears there, and where it begins in `rings`, counted flat. As many
    frames are worked on at once as the shortest of four delays allows: what they hear is then known before.
    """
    ticks, wide = control.shape[2] - 1, rings.shape[2]
    keep = 1.0 - 2.0 * math.pi * BLOCK / rate
    begins = at[2]
    for group in range(0, rows.shape[0], VOICES):
        first = take_voices(audio, rows, start, group, who, dials[ALIVE])
        for v in range(VOICES):
            if who[1, v] >= 0:
                rings[who[0, v]] = np.float32(0.0)
        for lane in range(LANES):
            begins[lane] = (2 * who[0, lane // 2] + lane % 2) * wide
            at[0, lane] = (writes[who[0, lane // 2]] + first * tick) & (size - 1)
        odd = control[TEETH, who[0, 0], max(who[1, 0], 0)] > 0.5
        state_in(state, who, here)
        still = _tune(dials, control, line, frequency, who, first, rate, odd)
        for begin in range(first, ticks, AT_ONCE):
            end, base = min(begin + AT_ONCE, ticks), begin * tick
            voices_in(audio, who, begin, end, tick, tile, base)
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
                if swing.shape[0] > 0:
                    count = 1
                _listen(rings, begins, at, who, dials, t, tick, n, count, swing, taps, places, heard, other, size)
                _turn(tile, n - base, heard, dials, here, t, tick, n, count, keep, odd)
                rings_out(heard, rings, begins, at[0], count, places, size, wide - size)
                for lane in range(LANES):
                    at[0, lane] = (at[0, lane] + count) & (size - 1)
                n += count
            voices_out(tile, who, begin, end, tick, audio, base)
        for v in range(VOICES):
            writes[who[0, v]] = at[0, 2 * v]
        state_out(here, who, state)
