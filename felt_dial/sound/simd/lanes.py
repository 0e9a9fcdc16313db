"""Four voices of two channels side by side in eight lanes: how they come there, and how they come back."""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.kernel import Stage, flushed, kernel
from felt_dial.sound.simd.memory import load, store, turn_in, turn_in_among, turn_in_between, turn_out
from felt_dial.sound.simd.types import bits_of

VOICES, LANES = 4, 8


def lane_array(*shape: int) -> NDArray[np.float64]:
    """Zeros, float64 (…, 8), each row in one line of the processor's cache: a row across two of them is read twice."""
    size = math.prod(shape) * LANES * 8
    bytes_ = np.zeros(size + 64, np.uint8)
    begin = -bytes_.ctypes.data % 64
    return bytes_[begin : begin + size].view(np.float64).reshape(*shape, LANES)


class Lanes(NamedTuple):
    """Room in which four voices are worked on.

    Attributes
    ----------
    numbers : float64 (row, number, channel)
        What is kept of every voice.
    who : int64 (3, 8)
        Who the four are, see `take_voices`.
    dials : float64 (dial, tick + 1, 8)
        Their dials at every tick.
    here : float64 (number, 8)
        Their numbers.
    tile : float64 (frame, 8)
        Their frames.
    """

    numbers: NDArray[np.float64]
    who: NDArray[np.int64]
    dials: NDArray[np.float64]
    here: NDArray[np.float64]
    tile: NDArray[np.float64]


def lane_room(stage: Stage, dials: int, numbers: int, frames: int = 0, kept: int = 0) -> Lanes:
    """Room for so many dials, numbers and frames (or those of a block), of which all numbers or the first `kept` are kept."""
    return Lanes(
        np.zeros((stage.rows, kept or numbers, 2)),
        np.zeros((3, LANES), np.int64),
        lane_array(dials, stage.frames // stage.tick + 1),
        lane_array(numbers),
        lane_array(frames or stage.frames),
    )


@kernel
def take_voices(audio, rows, start, group, who, alive):
    """Four voices from `rows[group]` on, the last of them again where there are fewer; returns their first tick.

    `who` int64 (3, 8): the row of each, the tick in which it begins (−1: earlier), and where each line begins in `audio`.
    `alive` (tick + 1, 8) is 0 where a voice begins, which lets go of what sounded there before, and 1 elsewhere.
    """
    wide, high = audio.strides[0] // 4, audio.strides[1] // 4
    first: Any = np.int64(1 << 30)
    alive[:] = 1.0
    for v in range(VOICES):
        row = np.int64(rows[min(group + v, rows.shape[0] - 1)])
        who[0, v], who[1, v] = row, start[row]
        who[2, 2 * v], who[2, 2 * v + 1] = row * wide, row * wide + high
        first = min(first, max(np.int64(start[row]), 0))
        if start[row] >= 0:
            both(alive, start[row], v, 0.0)
    return first


@kernel
def voices_in(audio, who, first, end, tick, tile, base=0):
    """Four voices, float32 (row, channel, frame), from tick `first` up to `end` into `tile` float64 (frame, 8).

    `base` is the frame that comes into the first row of `tile`.
    """
    for n in range(first * tick, end * tick, LANES):
        turn_in(audio, who[2], n, tile, n - base)


@kernel
def voices_out(tile, who, first, end, tick, audio, base=0):
    """The way back of `voices_in`; a voice that has not begun is left as it is."""
    together = True
    for v in range(VOICES):
        together = together and who[1, v] <= first
    if together:
        for n in range(first * tick, end * tick, LANES):
            turn_out(audio, who[2], n, tile, n - base)
        return
    for v in range(VOICES):
        for n in range(max(who[1, v], first) * tick, end * tick):
            audio[who[0, v], 0, n] = np.float32(tile[n - base, 2 * v])
            audio[who[0, v], 1, n] = np.float32(tile[n - base, 2 * v + 1])


@kernel(inline=True)
def both(lanes, at, v, value):
    """Puts a number into both channels of a voice."""
    lanes[at, 2 * v] = lanes[at, 2 * v + 1] = value


@kernel(inline=True)
def rests(control, which, row, t, first):
    """True where a value is what it was a tick before, so that what was made of it still holds."""
    return t > first and control[which, row, t] == control[which, row, t - 1]


@kernel
def stands(values, who, first):
    """True where values of four voices, float32 (row, tick + 1), stand still in this block."""
    moved = 0
    for v in range(VOICES):
        line = values[who[0, v]]
        there = bits_of(line[first])
        for t in range(np.uint64(first), np.uint64(line.shape[0])):
            moved |= bits_of(line[t]) ^ there
    return moved == 0


@kernel
def hold(lanes, end):
    """What stands still is from tick `end` on what it was before."""
    for t in range(end, lanes.shape[0]):
        store(lanes, t, load(lanes, end - 1))


@kernel
def state_in(state, who, here):
    """State of four voices, float64 (row, number, channel), into the first rows of `here` (number, 8).

    A voice that begins in this block has none, from the block's first frame on.
    """
    for v in range(VOICES):
        for k in range(state.shape[1]):
            for channel in range(2):
                here[k, 2 * v + channel] = 0.0 if who[1, v] >= 0 else state[who[0, v], k, channel]


@kernel
def state_out(here, who, state):
    """The way back of `state_in`; what has decayed to nothing is nothing."""
    for v in range(VOICES):
        for k in range(state.shape[1]):
            state[who[0, v], k, 0], state[who[0, v], k, 1] = flushed(here[k, 2 * v]), flushed(here[k, 2 * v + 1])


@kernel(inline=True)
def cubic(taps, lane, p):
    """Weights, oldest first, of four frames of a ring for a place `p` of the way from the second newest to the one before.

    The cubic of Hermite through the two in the middle, as that of `echo`.
    """
    taps[lane, 0] = 0.5 * p * p * (p - 1.0)
    taps[lane, 1] = 0.5 * p * (1.0 + p * (4.0 - 3.0 * p))
    taps[lane, 2] = 1.0 + p * p * (1.5 * p - 2.5)
    taps[lane, 3] = 0.5 * p * (p * (2.0 - p) - 1.0)


LAGRANGE = tuple((-1.0) ** (7 - k) / (math.factorial(k) * math.factorial(7 - k)) for k in range(8))


@kernel
def seventh(taps, lane, p):
    """As `cubic`, of eight frames, the fourth and the fifth newest in the middle: J.-L. Lagrange's polynomial through all.

    Half way between two frames, where it loses most, 0.1 dB at a quarter of the rate.
    """
    at = 4.0 - p
    before = 1.0
    for k in range(8):
        taps[lane, k] = before * LAGRANGE[k]
        before *= at - k
    after = 1.0
    for k in range(7, -1, -1):
        taps[lane, k] *= after
        after *= at - k


@kernel
def rings_in_finely(rings, begins, at, count, taps, places, tile):
    """`rings_in` by sums of eight, `taps` float32 (8, 8)."""
    for lane in range(LANES):
        places[lane] = begins[lane] + at[lane]
    for n in range(0, count, LANES):
        turn_in_among(rings, places, n, taps, tile, n)


@kernel
def rings_in(rings, begins, at, count, taps, places, tile):
    """`count` frames of eight rings from `at` (8,) of each on into `tile`: sums of four that follow each other.

    A ring is 2ⁿ float32 of a larger array, from `begins` (8,) on, counted flat; its first frames stand again behind its
    last, so that every piece of it lies in a row. `taps` float32 (8, 4) are the weights of the four. As many frames are
    read as eight go into `count`; `places` int64 (8,) is room.
    """
    for lane in range(LANES):
        places[lane] = begins[lane] + at[lane]
    for n in range(0, count, LANES):
        turn_in_between(rings, places, n, taps, tile, n)


@kernel
def rings_out(tile, rings, begins, at, count, places, size, again):
    """Writes `count` frames of `tile` into eight rings of `size`, from `at` of each on, and what stands `again` behind it.

    Up to seven frames more are written, over the oldest of a ring, which no delay may reach.
    """
    for lane in range(LANES):
        places[lane] = begins[lane] + at[lane]
    for n in range(0, count, LANES):
        turn_out(rings, places, n, tile, n)
    flat = rings.reshape(-1)
    for lane in range(LANES):
        begin, end = begins[lane] + at[lane], begins[lane] + at[lane] + count
        for p in range(begin, min(end, begins[lane] + again)):
            flat[p + size] = flat[p]
        for p in range(begins[lane] + size, end):
            flat[p - size] = flat[p]
