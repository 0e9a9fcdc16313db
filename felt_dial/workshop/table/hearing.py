"""A table as it is heard before it is taken: from its first frame to its last, at one pitch."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.workshop.table.cycles import CYCLE, Floats, cycle_of, spectrum

KEY_HERTZ, SECONDS, RATE = 110.0, 2.4, 48000


def as_heard(frames: Floats, hertz: float = KEY_HERTZ, seconds: float = SECONDS) -> NDArray[np.float32]:
    """A tone that travels through frames, float (frame, 2048), with a fifth of a second to fade; float32 (1, frames)."""
    found = spectrum(frames)
    found[:, int(0.45 * RATE / hertz) :] = 0.0
    rows = cycle_of(found)
    rows = np.concatenate([rows, rows[:, :1]], axis=1)
    n = np.arange(int(seconds * RATE))
    at = n * hertz / RATE % 1.0 * CYCLE
    low, part = at.astype(int), at - at.astype(int)
    row = np.clip(n / len(n) * 1.15 - 0.05, 0.0, 1.0) * (len(rows) - 1)
    below = np.minimum(row.astype(int), max(len(rows) - 2, 0))
    above = np.minimum(below + 1, len(rows) - 1)
    mix = row - below

    def read(which: NDArray[np.int64]) -> Floats:
        return np.asarray((1 - part) * rows[which, low] + part * rows[which, low + 1])

    sound = (1 - mix) * read(below) + mix * read(above)
    fade = int(0.2 * RATE)
    sound[-fade:] *= np.linspace(1.0, 0.0, fade)
    sound[:240] *= np.linspace(0.0, 1.0, 240)
    return np.asarray(0.5 * sound / max(float(np.abs(sound).max()), 1e-6), np.float32)[None]
