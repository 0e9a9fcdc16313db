"""How loud a whole sound is: LUFS of ITU-R BS.1770, integrated and gated."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

SHORTEST = 0.5
"""Seconds below which there is no whole block of 400 ms to be sure of."""


def loudness(sound: NDArray[np.float32], rate: float = 48000.0, again: bool = False) -> float:
    """LUFS of a sound, float32 (channel, frame) at `rate` Hz; −inf for silence.

    What is too short for a block is heard with silence behind it, or, where it is part of something longer, `again` and again.
    """
    import pyloudnorm

    least = int(SHORTEST * rate)
    if again and 0 < sound.shape[1] < least:
        sound = np.tile(sound, (1, -(-least // sound.shape[1])))
    sound = np.pad(sound, ((0, 0), (0, max(least - sound.shape[1], 0))))
    with np.errstate(divide="ignore"):
        return float(pyloudnorm.Meter(int(rate)).integrated_loudness(sound.T.astype(np.float64)))
