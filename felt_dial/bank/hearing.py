"""Hearing a sound without a person: one note of it, and how loud a sound is. It renders, so it is for helpers."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.patch import Patch
from felt_dial.patch.phrase import Note
from felt_dial.sound.render import render

RATE = 48000
KEYS = {"Bass": 36, "Drum": 48, "Lead": 64, "Bell": 69}
KEY, HELD, SECONDS = 55, 0.9, 1.8
BLOCK = 1024
"""Frames of a block: nobody plays along, and fewer are quicker."""


def heard(patch: Patch) -> NDArray[np.float32]:
    """One note of a patch, float32 (2, frames)."""
    return render(patch, [Note(0.0, HELD, KEYS.get(patch.type, KEY))], SECONDS, rate=RATE, quality=1, block=BLOCK)


def loudness(sound: NDArray[np.float32]) -> float:
    """LUFS, −inf for silence."""
    import pyloudnorm

    with np.errstate(divide="ignore"):
        return float(pyloudnorm.Meter(RATE).integrated_loudness(sound.T.astype(np.float64)))
