"""Reading cycles from tables: the innermost loops of the sources that repeat.

Three short loops over a tick rather than one: places in the table, the reads themselves, and the
sum into both sides. The first and last run several frames at once, which the reads in their midst
would prevent. They are copied into the kernels that use them.
"""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import kernel
from felt_dial.sound.simd.memory import read_eight, read_eight_between

TURN = 4294967296.0
HELD = 0.25
"""Seconds in which a rise of the phase is forgotten to a third."""
"""A whole turn of a uint32 phase."""


@kernel
def find_places(p, step, grow, bends, shift, tick, index, part):
    """Index and fraction of a tick's frames from phase `p`, rising by `step`, which itself rises by `grow`."""
    mask = np.uint32(np.uint32(np.uint32(1) << shift) - np.uint32(1))
    scale = np.float32(1.0) / np.float32(np.uint32(1) << shift)
    for k in range(tick):
        q = np.uint32(p + np.uint32(step * np.uint32(k)))
        q = np.uint32(np.uint32(q + np.uint32(grow * np.uint32(k * (k - 1) // 2))) + bends[k])
        index[k] = np.uint32(q >> shift)
        part[k] = np.float32(np.int32(np.uint32(q & mask))) * scale


@kernel
def read_places(samples, offset, index, part, tick, line):
    """`line` becomes the table at `offset` read at the places found, by linear interpolation."""
    for k in range(0, tick, 8):
        read_eight(samples, np.int64(offset), index, part, line, k)


@kernel
def add_places(samples, offset, index, part, tick, line, gain, grow):
    """Adds to `line` the table at `offset`, at a gain that grows."""
    for k in range(tick):
        i = np.uint64(index[k]) + np.uint64(offset)
        here = samples[i]
        line[k] += (here + part[k] * (samples[i + np.uint64(1)] - here)) * (gain + grow * np.float32(k))


@kernel
def read_between(samples, offset, other, share, index, part, tick, line):
    """`line` becomes two tables read at the same places, mixed by `share` (frame,)."""
    for k in range(0, tick, 8):
        read_eight_between(samples, np.int64(offset), np.int64(other), share, index, part, line, k)


@kernel
def ramp_line(line, tick, gain, grow):
    """Multiplies `line` by a gain that grows."""
    for k in range(tick):
        line[k] *= gain + grow * np.float32(k)


@kernel
def run_bends(turn, row, at, tick, bends):
    """Phase offsets of a tick from `turn` (cycles) as uint32; returns their steepest rise in cycles a frame."""
    if turn.shape[0] == 0:
        for k in range(tick):
            bends[k] = np.uint32(0)
        return 0.0
    steep = 0.0
    for k in range(tick):
        bends[k] = np.uint32(np.int64(np.float64(turn[row, at + k]) * TURN))
        if at + k > 0:
            steep = max(steep, np.float64(abs(turn[row, at + k] - turn[row, at + k - 1])))
    return steep


@kernel
def held_steep(steep, before, n, rate):
    """The steepest rise that counts: that of these `n` frames, or what is left of the ones before.

    How many harmonics there is room for must not change with every swing of what modulates, which would itself be heard.
    """
    return max(steep, before * math.exp(-n / (HELD * rate)))


@kernel
def moved_on(p, step, grow, tick):
    """The phase after a tick."""
    whole = np.uint32(tick * (tick - 1) // 2)
    return np.uint32(np.uint32(p + np.uint32(step * np.uint32(tick))) + np.uint32(grow * whole))
