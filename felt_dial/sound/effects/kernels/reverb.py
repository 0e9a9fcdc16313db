"""Reverb: eight delay lines with feedback, as eight lanes."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from felt_dial.patch.shaping import SINE
from felt_dial.sound.compiling.kernel import Stage, flushed, kernel, works_for
from felt_dial.sound.effects.reverb import LARGEST, LENGTHS, LINES, PREDELAY, Reverb, dulled
from felt_dial.sound.simd.lanes import LANES, lane_array, rings_in_finely, rings_out, seventh
from felt_dial.sound.simd.memory import load, store
from felt_dial.sound.simd.types import any_above, pick, sides
from felt_dial.sound.tone.kernels.core.transfer import bend

ALLPASSES = 4
DIFFUSERS = {
    "room": (0.0021, 0.0035, 0.0047, 0.0058),
    "hall": (0.0047, 0.0061, 0.0083, 0.0101),
    "plate": (0.0029, 0.0041, 0.0053, 0.0071),
    "cloud": (0.0111, 0.0153, 0.0197, 0.0233),
}
DENSITY = {"room": 0.55, "hall": 0.62, "plate": 0.72, "cloud": 0.7}


ROW = {name: Reverb.row_of(name) for name in Reverb.params}
WAY, DECAY, PREDELAY_AT, SIZE, DAMPING = (ROW[n] for n in ("way", "decay", "predelay", "size", "damping"))
LOW_CUT, HIGH_CUT, WIDTH, MOVEMENT = (ROW[n] for n in ("low_cut", "high_cut", "width", "movement"))
FREEZE, WET = ROW["freeze"], ROW["wet"]
_dulled = kernel(dulled)
_LENGTHS = np.array([LENGTHS[way] for way in LENGTHS])
_DIFFUSERS = np.array([DIFFUSERS[way] for way in LENGTHS])
_DENSITY = np.array([DENSITY[way] for way in LENGTHS])
WRITE, TURN, LOW, HIGH, SIZE_NOW, KNOWN, CUTS, SWAYING, NUMBERS = 0, 1, 2, 4, 6, 7, 10, 14, 15
"""State: the frame, the turn of the sway, two one-poles of two channels each, the size, for what values are known, the cuts,
and how far lines sway now."""
FRAMES, GAINS, FALL, DAMPED, PACE, SIGNS, WAS, SWAYED, GAIN_WAS, GAINED, ROOMS = range(11)
"""Of every line: its frames and gain while it stands, the fall per frame, what it holds, constants, and its frames and gain
as a tick begins and ends."""
FED, SIDE, ENTERS = range(3)
SPREAD, DENSE = range(2)
AT, FROM, BEGINS, HERE = range(4)
SWAY = 0.0006
"""Seconds by which a line sways at full movement."""
STILL = 0.1
"""Seconds in which the walls come to stand while the room is frozen: what stands on whole frames loses nothing."""


@kernel
def _measure(control, t, rate, state, room, spread):
    """Lengths and gains of lines and all-passes, where space, size or decay are other than they were."""
    goal = np.float64(control[SIZE, t])
    if state[SIZE_NOW] == 0.0 or abs(goal - state[SIZE_NOW]) < 1e-6:
        state[SIZE_NOW] = goal
    state[SIZE_NOW] += (goal - state[SIZE_NOW]) * 0.02
    way, size, decay = np.int64(control[WAY, t]), state[SIZE_NOW], np.float64(control[DECAY, t])
    if state[KNOWN] == way + 1.0 and state[KNOWN + 1] == size and state[KNOWN + 2] == decay:
        return
    state[KNOWN], state[KNOWN + 1], state[KNOWN + 2] = way + 1.0, size, decay
    fall = -3.0 * math.log(10.0) / rate / decay
    for k in range(LINES):
        room[FRAMES, k] = math.floor(_LENGTHS[way, k] * size * rate + 0.5)
        room[GAINS, k] = math.exp(fall * room[FRAMES, k])
        room[FALL, k] = fall
    for k in range(ALLPASSES):
        spread[SPREAD, k] = max(math.floor(_DIFFUSERS[way, k] * size * rate), 1.0)
        spread[DENSE, k] = min(_DENSITY[way], math.exp(4.0 * fall * spread[SPREAD, k]))


@kernel
def _cut(control, t, rate, state):
    """How much of the way the two cuts go in a frame, found again where their dials moved."""
    for k, which in enumerate((LOW_CUT, HIGH_CUT)):
        hertz = np.float64(control[which, t])
        if state[CUTS + 2 * k] != hertz:
            state[CUTS + 2 * k] = hertz
            state[CUTS + 2 * k + 1] = 1.0 - math.exp(-2.0 * math.pi * min(hertz, 0.45 * rate) / rate)
    return state[CUTS + 1], state[CUTS + 3]


@kernel
def _enter(audio, control, t, tick, rate, before, state, into):
    """What goes into the room in a tick: middle and side, after the pre-delay and without what the cuts keep out."""
    mask, write = before.shape[1] - 1, np.int64(state[WRITE])
    low, high = _cut(control, t, rate, state)
    wait = np.int64(np.float64(control[PREDELAY_AT, t]) * rate)
    later = np.int64(np.float64(control[PREDELAY_AT, t + 1]) * rate)
    low_middle, low_side, high_middle, high_side = state[LOW], state[LOW + 1], state[HIGH], state[HIGH + 1]
    for n in range(tick):
        here = write + n
        before[0, here & mask], before[1, here & mask] = audio[0, t * tick + n], audio[1, t * tick + n]
        left, right = np.float64(before[0, (here - wait) & mask]), np.float64(before[1, (here - wait) & mask])
        if later != wait:
            part = n / tick
            left += part * (np.float64(before[0, (here - later) & mask]) - left)
            right += part * (np.float64(before[1, (here - later) & mask]) - right)
        middle, side = 0.5 * (left + right), 0.5 * (left - right)
        low_middle += low * (middle - low_middle)
        low_side += low * (side - low_side)
        high_middle += high * (middle - low_middle - high_middle)
        high_side += high * (side - low_side - high_side)
        into[FED, n], into[SIDE, n] = high_middle, high_side
    state[LOW], state[LOW + 1] = flushed(low_middle), flushed(low_side)
    state[HIGH], state[HIGH + 1] = flushed(high_middle), flushed(high_side)


@kernel
def _spread(line, write, late, dense, fed):
    """An all-pass `late` frames long on `fed`, in place."""
    mask, tick = line.shape[0] - 1, fed.shape[0]
    here, there = write & mask, (write - late) & mask
    if late >= tick and max(here, there) + tick <= line.shape[0]:
        old, new = line[there:], line[here:]
        for n in range(np.uint64(tick)):
            heard = np.float64(old[n])
            inner = fed[n] + dense * heard
            fed[n] = heard - dense * inner
            new[n] = np.float32(inner)
        return
    for n in range(tick):
        heard = np.float64(line[(write + n - late) & mask])
        inner = fed[n] + dense * heard
        fed[n] = heard - dense * inner
        line[(write + n) & mask] = np.float32(inner)


@kernel
def _sway(room, sway, turn, freeze, tick):
    """Lengths and gains of eight lines as a tick begins, which were those of the last one's end, and as it ends.

    A gain follows the length by the first terms of its exponential: a sway is short against the decay.
    """
    more = sway * (1.0 + bend(SINE, 4.0 * turn * load(room, PACE), room))
    x = load(room, FALL) * more
    gains = load(room, GAINS) * (1.0 + x * (1.0 + 0.5 * x))
    gains += freeze * (1.0 - gains)
    frames = max(load(room, FRAMES) + more, tick + 4.0)
    new = room[SWAYED, 0] == 0.0
    store(room, WAS, frames if new else load(room, SWAYED))
    store(room, GAIN_WAS, gains if new else load(room, GAINED))
    store(room, SWAYED, frames)
    store(room, GAINED, gains)


@kernel
def _point(frames, at, taps, write, size):
    """Where eight lines are read `frames` (8,) ago, and with which weights."""
    for k in range(LINES):
        whole = np.int64(frames[k])
        seventh(taps, k, frames[k] - whole)
        at[AT, k], at[FROM, k] = write & (size - 1), (write - whole - 4) & (size - 1)


@kernel
def _hear(rings, room, at, taps, write, tile, other, size):
    """A tick of what eight lines hold, into `tile`; where their lengths move, faded from those before to those after."""
    tick, each = tile.shape[0], 1.0 / tile.shape[0]
    _point(room[WAS], at, taps, write, size)
    rings_in_finely(rings, at[BEGINS], at[FROM], tick, taps, at[HERE], tile)
    if any_above(abs(load(room, SWAYED) - load(room, WAS)), 0.0):
        _point(room[SWAYED], at, taps, write, size)
        rings_in_finely(rings, at[BEGINS], at[FROM], tick, taps, at[HERE], other)
        for n in range(tick):
            was = load(tile, n)
            store(tile, n, was + (n * each) * (load(other, n) - was))


def prepare_reverb(module: Reverb, stage: Stage) -> tuple[Any, ...]:
    """State of a reverb, as it begins."""
    longest = max(max(times) for times in LENGTHS.values()) * LARGEST + 0.01
    size = 1 << math.ceil(math.log2(longest * stage.rate))
    diffuser = 1 << math.ceil(math.log2(max(max(times) for times in DIFFUSERS.values()) * LARGEST * stage.rate))
    before = 1 << math.ceil(math.log2(PREDELAY * stage.rate + 2))
    wide = size + stage.tick + LANES
    places = np.zeros((HERE + 1, LANES), np.int64)
    places[BEGINS] = np.arange(LINES) * wide
    room = lane_array(ROOMS)
    room[PACE], room[SIGNS] = 0.61 + 0.125 * np.arange(LINES), np.tile((0.35, -0.35), LINES // 2)
    return (
        np.zeros((LINES, wide), np.float32),
        np.zeros((ALLPASSES, diffuser), np.float32),
        np.zeros((2, before), np.float32),
        np.zeros(NUMBERS),
        room,
        lane_array(stage.tick),
        lane_array(stage.tick),
        np.zeros((ENTERS, stage.tick)),
        np.zeros((2, ALLPASSES)),
        np.zeros((LANES, 8), np.float32),
        places,
        size,
    )


@works_for(Reverb, prepare_reverb)
@kernel
def run_reverb(
    audio, control, tick, rate, rings, diffusers, before, state, room, tile, other, into, spread, taps, at, size
):
    """Adds a room to `audio` (float32, channel × frame) in place.

    A feedback delay network (J.-M. Jot, A. Chaigne, AES 90th Convention, 1991): eight lines whose gains
    10^(−3·length/decay) make every path fall by 60 dB in the decay, mixed by a Householder matrix, a one-pole
    low-pass in each for the damping, and four all-passes before them (M. R. Schroeder, JAES 10 (1962)). No line is
    shorter than a tick, so that what all of them hear in it is read before.
    """
    fed, side = into[FED], into[SIDE]
    damped = load(room, DAMPED)
    for t in range(control.shape[1] - 1):
        write = np.int64(state[WRITE])
        _measure(control, t, rate, state, room, spread)
        _enter(audio, control, t, tick, rate, before, state, into)
        state[TURN] += tick / rate * 0.7
        if state[TURN] > 64.0:
            state[TURN] -= 64.0
        freeze = np.float64(control[FREEZE, t])
        goal = SWAY * np.float64(control[MOVEMENT, t]) * rate * (1.0 - freeze)
        fresh = state[SWAYING] < 0.0 or room[SWAYED, 0] == 0.0
        state[SWAYING] = goal if fresh else state[SWAYING] + (goal - state[SWAYING]) * min(tick / rate / STILL, 1.0)
        sway = state[SWAYING] if state[SWAYING] > 1e-4 else 0.0
        _sway(room, sway, state[TURN], freeze, tick)
        gains = load(room, GAIN_WAS)
        swell = (load(room, GAINED) - gains) * (1.0 / tick)
        dull = (1.0 - freeze) * _dulled(np.float64(control[DAMPING, t]), rate)
        wide, wet = np.float64(control[WIDTH, t]), np.float64(control[WET, t])
        wetter = (np.float64(control[WET, t + 1]) - wet) / tick
        for n in range(tick):
            fed[n] *= 1.0 - freeze
            side[n] *= 1.0 - freeze
        for k in range(ALLPASSES):
            _spread(diffusers[k], write, np.int64(spread[SPREAD, k]), spread[DENSE, k], fed)
        _hear(rings, room, at, taps, write, tile, other, size)
        signs, first = load(room, SIGNS), t * tick
        for n in range(tick):
            heard = load(tile, n)
            damped = (1.0 - dull) * heard + dull * damped
            out = gains * damped
            gains += swell
            left, right = sides(out)
            back = out + signs * side[n] + (0.5 * fed[n] - (left + right) * (2.0 / LINES))
            store(tile, n, pick(abs(back), 1e-15, back, 0.0))
            middle = 0.5 * (left + right)
            audio[0, first + n] = np.float32(audio[0, first + n] + wet * (middle + wide * (left - middle)))
            audio[1, first + n] = np.float32(audio[1, first + n] + wet * (middle + wide * (right - middle)))
            wet += wetter
        rings_out(tile, rings, at[BEGINS], at[AT], tick, at[HERE], size, rings.shape[1] - size)
        state[WRITE] = write + tick
    store(room, DAMPED, pick(abs(damped), 1e-15, damped, 0.0))
