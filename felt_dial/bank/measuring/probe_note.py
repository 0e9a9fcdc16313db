"""Hearing a sound without a person: one note of it, and how loud a sound is. It renders, so it is for helpers."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.phrase import Note
from felt_dial.sound.integrated import loudness
from felt_dial.sound.render import render

RATE = 48000
KEYS = {"Bass": 36, "Drum": 48, "Lead": 64, "Bell": 69}
KEY, HELD, SECONDS = 55, 0.9, 1.8
LOUD_LU = 0.5
"""How near to a wished loudness is as loud."""
BLOCK = 1024
"""Frames of a block: nobody plays along, and fewer are quicker."""


def heard(patch: Patch, quality: int = 1) -> NDArray[np.float32]:
    """One note of a patch, float32 (2, frames)."""
    return render(patch, [Note(0.0, HELD, KEYS.get(patch.type, KEY))], SECONDS, rate=RATE, quality=quality, block=BLOCK)


def levelled(patch: Patch, sound: NDArray[np.float32], lufs: float) -> tuple[Patch, NDArray[np.float32], bool]:
    """A patch and what is heard of it at a loudness, and whether that could be reached.

    Its level is the last thing before the output, so that nothing else changes.
    """
    change = lufs - loudness(sound)
    if not math.isfinite(change):
        return patch, sound, False
    made = with_value(patch, "level", round(min(max(float(patch.level) + change, -60.0), 12.0), 2))
    moved = float(made.level) - float(patch.level)
    return made, np.asarray(sound * 10 ** (moved / 20), np.float32), abs(moved - change) <= LOUD_LU
