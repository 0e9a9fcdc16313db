"""White noise, a number a frame."""

from __future__ import annotations

import numpy as np

from felt_dial.sound.compiling.kernel import kernel


@kernel(inline=True)
def white(seeds, row, at):
    """The next number from −1 to 1 of a seed, uint64 (row, at): xorshift64*, S. Vigna, ACM TOMS 42(4), 2016."""
    x = seeds[row, at]
    x ^= x >> np.uint64(12)
    x ^= x << np.uint64(25)
    x ^= x >> np.uint64(27)
    seeds[row, at] = x
    return np.float32(np.int64((x * np.uint64(0x2545F4914F6CDD1D)) >> np.uint64(40))) * np.float32(
        2.0 / 16777216.0
    ) - np.float32(1.0)
