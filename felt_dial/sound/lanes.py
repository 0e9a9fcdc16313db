"""Four voices of two channels side by side in eight lanes: how they come there, and how they come back."""

from __future__ import annotations

import os
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.kernel import Stage, flushed, kernel

VOICES, LANES = 4, 8

any_above: Any
bits_of: Any
float_of: Any
load: Any
look_up: Any
pick: Any
quotient: Any
read_eight: Any
read_eight_between: Any
root: Any
store: Any
tap_sum: Any
turn_in: Any
turn_out: Any
whole: Any
if os.environ.get("FELT_DIAL_ROLE") == "window":
    any_above = bits_of = float_of = load = look_up = pick = read_eight = read_eight_between = root = store = None
    quotient = tap_sum = turn_in = turn_out = whole = None
else:
    from felt_dial.sound.vectors import (  # noqa: F401
        any_above,
        bits_of,
        float_of,
        load,
        look_up,
        pick,
        quotient,
        read_eight,
        read_eight_between,
        root,
        store,
        tap_sum,
        turn_in,
        turn_out,
        whole,
    )  # fmt: skip


def lane_room(stage: Stage, dials: int, numbers: int) -> tuple[NDArray[Any], ...]:
    """Room for four voices and a block.

    Who they are, int64 (3, 8); their dials at every tick, float64 (dial, tick + 1, 8); numbers of state (number, 8); frames.
    """
    ticks = stage.frames // stage.tick
    return (
        np.zeros((3, LANES), np.int64), np.zeros((dials, ticks + 1, LANES)), np.zeros((numbers, LANES)),
        np.zeros((stage.frames, LANES)),
    )  # fmt: skip


@kernel
def take_voices(audio, rows, start, group, who, alive):  # type: ignore[no-untyped-def]
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
def voices_in(audio, who, first, ticks, tick, tile):  # type: ignore[no-untyped-def]
    """Four voices, float32 (row, channel, frame), from tick `first` on into `tile` float64 (frame, 8)."""
    for n in range(first * tick, ticks * tick, LANES):
        turn_in(audio, who[2], n, tile, n)


@kernel
def voices_out(tile, who, first, ticks, tick, audio):  # type: ignore[no-untyped-def]
    """The way back of `voices_in`; a voice that has not begun is left as it is."""
    together = True
    for v in range(VOICES):
        together = together and who[1, v] <= first
    if together:
        for n in range(first * tick, ticks * tick, LANES):
            turn_out(audio, who[2], n, tile, n)
        return
    for v in range(VOICES):
        for n in range(max(who[1, v], 0) * tick, ticks * tick):
            audio[who[0, v], 0, n] = np.float32(tile[n, 2 * v])
            audio[who[0, v], 1, n] = np.float32(tile[n, 2 * v + 1])


@kernel(inline=True)
def both(lanes, at, v, value):  # type: ignore[no-untyped-def]
    """Puts a number into both channels of a voice."""
    lanes[at, 2 * v] = lanes[at, 2 * v + 1] = value


@kernel(inline=True)
def rests(control, which, row, t, first):  # type: ignore[no-untyped-def]
    """True where a value is what it was a tick before, so that what was made of it still holds."""
    return t > first and control[which, row, t] == control[which, row, t - 1]


@kernel
def stands(values, who, first):  # type: ignore[no-untyped-def]
    """True where values of four voices, (row, tick + 1), stand still in this block."""
    moved = 0
    for v in range(VOICES):
        line = values[who[0, v]]
        for t in range(first, line.shape[0]):
            moved |= line[t] != line[first]
    return moved == 0


@kernel
def hold(lanes, end):  # type: ignore[no-untyped-def]
    """What stands still is from tick `end` on what it was before."""
    for t in range(end, lanes.shape[0]):
        store(lanes, t, load(lanes, end - 1))


@kernel
def state_in(state, who, here):  # type: ignore[no-untyped-def]
    """State of four voices, float64 (row, number, channel), into the first rows of `here` (number, 8).

    A voice that begins in this block has none, from the block's first frame on.
    """
    for v in range(VOICES):
        for k in range(state.shape[1]):
            for channel in range(2):
                here[k, 2 * v + channel] = 0.0 if who[1, v] >= 0 else state[who[0, v], k, channel]


@kernel
def state_out(here, who, state):  # type: ignore[no-untyped-def]
    """The way back of `state_in`; what has decayed to nothing is nothing."""
    for v in range(VOICES):
        for k in range(state.shape[1]):
            state[who[0, v], k, 0], state[who[0, v], k, 1] = flushed(here[k, 2 * v]), flushed(here[k, 2 * v + 1])
