"""Comb: a delay as long as one turn of a pitch, fed back, so that the pitch and its harmonics ring.

With all of it fed back it goes on by itself, like a string: K. Karplus and A. Strong, Computer Music Journal 7(2), 1983;
the loop's filters are tuned out as in D. A. Jaffe and J. O. Smith, the same issue.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Tuned
from felt_dial.patch.params import LOG, Choice, Param
from felt_dial.patch.units import HERTZ, PERCENT, SEMITONES
from felt_dial.sound.effects.delay import echo
from felt_dial.sound.kernel import Stage, kernel, works_for
from felt_dial.sound.lanes import (
    LANES,
    VOICES,
    both,
    hold,
    lane_room,
    load,
    pick,
    rests,
    stands,
    state_in,
    state_out,
    store,
    take_voices,
    turn_in,
    turn_out,
    voices_in,
    voices_out,
)  # fmt: skip
from felt_dial.sound.tone.curves import KNEE, rounded
from felt_dial.sound.tone.cutoff import DRIVE, RESONANCE, cutoff_stands, hertz, hertz_at, now_or_set

Loop = Callable[[NDArray[np.complex128]], NDArray[np.complex128]]
LOWEST = 16.0
OPEN = 19_900.0
BLOCK = 1.0
"""Hertz below which the loop loses what stands still; turned over it has none of it to lose."""
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
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        size = 1 << math.ceil(math.log2(stage.rate / LOWEST + 8))
        lines, writes = np.zeros((stage.rows, 2, size), np.float32), np.zeros(stage.rows, np.int64)
        beyond = stage.frames + LANES
        heard, flat = np.zeros((beyond, LANES)), np.zeros((LANES, beyond), np.float32)
        return (
            np.zeros((stage.rows, NUMBERS, 2)), *lane_room(stage, DIALS, NUMBERS), heard, flat,
            np.zeros(LANES, np.int64), lines, writes,
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
ALIVE, WAIT, DULLED, FED, OUT, CEILING, KNEES, DIALS = range(8)


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
def _wait(f, damping, rate, odd):  # type: ignore[no-untyped-def]
    """Frames of the delay: one turn of the pitch less what the loop's filters add."""
    w = 2.0 * math.pi * min(max(f, LOWEST), 0.25 * rate) / rate
    keep = 1.0 - 2.0 * math.pi * BLOCK / rate
    rest = 0.0 if damping > OPEN else math.exp(-2.0 * math.pi * damping / rate)
    turn = math.pi if odd else 2.0 * math.pi
    turn -= math.atan2(rest * math.sin(w), 1.0 - rest * math.cos(w))
    if odd:
        return max(turn / w, 2.0)
    turn += math.atan2(math.sin(w), 1.0 - math.cos(w)) - math.atan2(keep * math.sin(w), 1.0 - keep * math.cos(w))
    return max(turn / w, 2.0)


@kernel
def _tune(dials, control, line, frequency, who, first, rate, odd):  # type: ignore[no-untyped-def]
    """Delay, damping, feedback, output level and ceiling of four voices at every tick; True where they stand still."""
    still = cutoff_stands(control, line, frequency, who, first)
    for which in (DAMPING, RESONANCE, DRIVE):
        still = still and stands(control[which], who, first)
    end = first + 1 if still else dials.shape[1]
    for v in range(VOICES):
        row = who[0, v]
        known = np.float64(-1.0)
        for t in range(first, end):
            f, damping = hertz_at(control, line, frequency, row, t), np.float64(control[DAMPING, row, t])
            if f == known and rests(control, DAMPING, row, t, first):
                both(dials[WAIT], t, v, dials[WAIT, t - 1, 2 * v])
                both(dials[DULLED], t, v, dials[DULLED, t - 1, 2 * v])
            else:
                both(dials[WAIT], t, v, _wait(f, damping, rate, odd))
                both(dials[DULLED], t, v, 1.0 if damping > OPEN else 1.0 - math.exp(-2.0 * math.pi * damping / rate))
            known = f
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
    for dial in range(WAIT, DIALS):
        hold(dials[dial], end)
    for v in range(VOICES):
        still = still and who[1, v] <= first
    return still


@kernel
def _echoes(own, at, wait, grow, mask, line, begin, count):  # type: ignore[no-untyped-def]
    """What a line holds `wait` frames ago, for `count` frames from `begin` of `line` on; the same cubic as `echo`."""
    frames = np.int64(wait)
    oldest = (at - frames - 2) & mask
    if grow != 0.0 or oldest + count + 3 > mask:
        for n in range(count):
            line[begin + n] = np.float32(echo(own, at + n, wait + grow * n, mask))
        return
    p = wait - frames
    before, here = np.float32(0.5 * p * (2.0 * p - p * p - 1.0)), np.float32(1.0 + p * p * (1.5 * p - 2.5))
    after, last = np.float32(0.5 * p * (1.0 + 4.0 * p - 3.0 * p * p)), np.float32(0.5 * p * p * (p - 1.0))
    piece, to = own[oldest:], line[begin:]
    one, two, three = np.uint64(1), np.uint64(2), np.uint64(3)
    for n in range(np.uint64(count)):
        to[n] = last * piece[n] + after * piece[n + one] + here * piece[n + two] + before * piece[n + three]


@kernel
def _keep(line, begin, count, own, at, mask):  # type: ignore[no-untyped-def]
    """Writes `count` frames of `line` from `begin` on into a delay line from `at` on."""
    straight = min(count, mask + 1 - at)
    piece, to = line[begin:], own[at:]
    for n in range(np.uint64(straight)):
        to[n] = piece[n]
    for n in range(straight, count):
        own[n - straight] = piece[n]


@kernel
def _turn(tile, heard, dials, here, t, tick, at, count, keep, odd):  # type: ignore[no-untyped-def]
    """Frames `at` and on, the first in tick `t`: damps what is `heard` and feeds it back.

    `heard` is then what goes into the lines.
    """
    low, blocked, into = load(here, DULL), load(here, BLOCKED), load(here, INTO)
    each = 1.0 / tick
    dull, back, out, ceiling = load(dials[DULLED], t), load(dials[FED], t), load(dials[OUT], t), load(dials[CEILING], t)
    lift, louder = (load(dials[FED], t + 1) - back) * each, (load(dials[OUT], t + 1) - out) * each
    higher, per_knee = (load(dials[CEILING], t + 1) - ceiling) * each, load(dials[KNEES], t)
    softer = (load(dials[KNEES], t + 1) - per_knee) * each
    n = at - t * tick
    back, out, ceiling, per_knee = back + n * lift, out + n * louder, ceiling + n * higher, per_knee + n * softer
    sign = -1.0 if odd else 1.0
    for m in range(at, at + count):
        low += dull * (load(heard, m) - low)
        if odd:
            blocked = low
        else:
            blocked = low - into + keep * blocked
        into = low
        y = load(tile, m) + sign * ceiling * rounded(back * per_knee * blocked)
        store(heard, m, pick(abs(y), 1e-15, y, 0.0))
        store(tile, m, y * out)
        back += lift
        out += louder
        ceiling += higher
        per_knee += softer
    store(here, DULL, low)
    store(here, BLOCKED, blocked)
    store(here, INTO, into)


@works_for(Comb)
@kernel
def run_comb(  # type: ignore[no-untyped-def]
    audio, control, line, frequency, rows, start, tick, rate, swing,
    state, who, dials, here, tile, heard, flat, places, lines, writes,
):  # fmt: skip
    """Filters `audio[row]` in place; `lines` float32 (row, channel, 2ⁿ), `state` float64 (row, number, channel).

    `heard` float64 (frame, 8) and `flat` float32 (8, frame) hold what the lines give, `places` where each begins in `flat`.
    As many frames are worked on at once as the shortest of four delays allows: what they hear is then known before.
    """
    ticks, mask = control.shape[2] - 1, lines.shape[2] - 1
    keep = 1.0 - 2.0 * math.pi * BLOCK / rate
    for group in range(0, rows.shape[0], VOICES):
        first = take_voices(audio, rows, start, group, who, dials[ALIVE])
        have = min(VOICES, rows.shape[0] - group)
        for lane in range(LANES):
            places[lane] = min(lane, 2 * have - 2 + lane % 2) * flat.shape[1]
        for v in range(have):
            if who[1, v] >= 0:
                lines[who[0, v]] = np.float32(0.0)
        odd = control[TEETH, who[0, 0], max(who[1, 0], 0)] > 0.5
        state_in(state, who, here)
        voices_in(audio, who, first, ticks, tick, tile)
        still = _tune(dials, control, line, frequency, who, first, rate, odd)
        at, end = first * tick, ticks * tick
        while at < end:
            t = at // tick
            if at == t * tick:
                for k in range(NUMBERS):
                    store(here, k, load(here, k) * load(dials[ALIVE], t))
            count = end - at if still else (t + 1) * tick - at
            if swing.shape[0] > 0:
                count = 1
            for v in range(have):
                shortest = min(dials[WAIT, t, 2 * v], dials[WAIT, t + 1, 2 * v])
                count = min(count, max(np.int64(shortest) - 1, 1))
            for v in range(have):
                row = who[0, v]
                grow = (dials[WAIT, t + 1, 2 * v] - dials[WAIT, t, 2 * v]) / tick
                wait = dials[WAIT, t, 2 * v] + grow * (at - t * tick)
                if swing.shape[0] > 0:
                    wait = min(max(wait * 2.0 ** -np.float64(swing[row, at]), 2.0), mask - 4.0)
                now = (writes[row] + at) & mask
                _echoes(lines[row, 0], now, wait, grow, mask, flat[2 * v], at, count)
                _echoes(lines[row, 1], now, wait, grow, mask, flat[2 * v + 1], at, count)
            for k in range(at, at + count, LANES):
                turn_in(flat, places, k, heard, k)
            _turn(tile, heard, dials, here, t, tick, at, count, keep, odd)
            for k in range(at, at + count, LANES):
                turn_out(flat, places, k, heard, k)
            for v in range(have):
                now = (writes[who[0, v]] + at) & mask
                _keep(flat[2 * v], at, count, lines[who[0, v], 0], now, mask)
                _keep(flat[2 * v + 1], at, count, lines[who[0, v], 1], now, mask)
            at += count
        for v in range(have):
            writes[who[0, v]] = (writes[who[0, v]] + end) & mask
        voices_out(tile, who, first, ticks, tick, audio)
        state_out(here, who, state)
