"""Where something begins in a recording."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

SIZE, HOP = 1024, 256
APART = 0.05
"""Seconds that two beginnings are apart at the least."""


def onsets(sound: NDArray[np.float32], rate: float, sensitivity: float = 0.5) -> list[int]:
    """Frames at which something begins, the first sound among them.

    Rises of the spectrum's logarithm above their own moving median: J. P. Bello et al., IEEE TSAP 13(5), 2005; each is
    brought back to where the level begins to rise. `sensitivity` goes from 0 to 1.
    """
    mono = sound.mean(axis=0)
    if len(mono) < 2 * SIZE:
        return [0]
    padded = np.pad(mono, (SIZE, SIZE))
    views = np.lib.stride_tricks.sliding_window_view(padded, SIZE)[::HOP]
    sizes = np.abs(np.fft.rfft(views * np.hanning(SIZE).astype(np.float32), axis=1))
    logs = np.log1p(1000.0 * sizes / max(float(sizes.max()), 1e-9))
    rise = np.maximum(np.diff(logs, axis=0), 0.0).mean(axis=1)
    from scipy.ndimage import maximum_filter1d, median_filter

    wide = int(0.2 * rate / HOP) | 1
    floor = median_filter(rise, wide, mode="nearest")
    wanted = floor + (0.9 - 0.8 * sensitivity) * 0.5 * float(rise.max()) + 1e-6
    peaks = np.flatnonzero((rise >= maximum_filter1d(rise, int(APART * rate / HOP) | 1)) & (rise > wanted))
    found: list[int] = []
    for peak in peaks:
        at = _rise(mono, int((peak + 1) * HOP - SIZE), rate)
        if not found or at - found[-1] > APART * rate:
            found.append(at)
    return found or [0]


def _rise(mono: NDArray[np.float32], near: int, rate: float) -> int:
    """Where the level begins to rise near a place: the last quiet frame before a tenth of what comes."""
    low, high = max(near - int(0.005 * rate), 0), min(near + int(0.04 * rate), len(mono))
    piece = np.abs(mono[low:high])
    if not len(piece):
        return max(near, 0)
    top = float(piece.max())
    before = float(np.abs(mono[max(low - 256, 0) : low]).max(initial=0.0))
    over = np.flatnonzero(piece > max(0.1 * top, 1.5 * before))
    at = low + (int(over[0]) if len(over) else 0)
    while at > low and mono[at - 1] * mono[at] > 0:  # back to where it goes through zero
        at -= 1
    return at
