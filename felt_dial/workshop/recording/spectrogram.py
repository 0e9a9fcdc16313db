"""The spectrum over time, evenly by ear from 30 Hz to 20 kHz, worked out only for what is seen."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

LOW, HIGH, FLOOR_DB = 30.0, 20000.0, -96.0


def row_of(hertz: float) -> float:
    """Where a frequency stands, 0 at 30 Hz and 1 at 20 kHz."""
    return float(np.log(max(hertz, 1e-3) / LOW) / np.log(HIGH / LOW))


def hertz_of(row: float) -> float:
    """The frequency at a place from 0 to 1."""
    return float(LOW * (HIGH / LOW) ** row)


def spectrogram(
    sound: NDArray[np.float32], rate: float, first: float, last: float, columns: int, rows: int
) -> NDArray[np.float32]:
    """Levels in dB under a full sine, −96 to 0, float32 (row, column), the lowest frequency first.

    Windows are Hann, as long as a column where that is more than 4096 frames and never shorter than 1024: zoomed in it
    tells moments apart, zoomed out nothing falls between two columns that lasts.
    """
    frames = sound.shape[1]
    wide = (last - first) / max(columns, 1)
    size = 1 << int(np.clip(np.round(np.log2(max(wide * 4, 1024))), 10, 12))
    centres = first + (np.arange(columns) + 0.5) * wide
    begin = np.rint(centres - size / 2).astype(np.int64)
    at = begin[:, None] + np.arange(size)
    inside = (at >= 0) & (at < frames)
    pieces = np.where(inside, sound[:, np.clip(at, 0, frames - 1)].mean(axis=0), 0.0) * np.hanning(size).astype(
        np.float32
    )
    power = np.square(np.abs(np.fft.rfft(pieces, axis=1))) * (4.0 / size) ** 2
    edges = hertz_edges(rows) * size / rate
    low = np.clip(np.floor(edges[:-1]).astype(int), 0, power.shape[1] - 1)
    high = np.clip(np.ceil(edges[1:]).astype(int), low + 1, power.shape[1])
    bounds = np.minimum(np.stack([low, high], axis=1).ravel(), power.shape[1] - 1)
    found = np.maximum.reduceat(power, bounds, axis=1)[:, ::2]
    found[:, edges[:-1] > power.shape[1] - 1] = 0.0
    levels = np.clip(10 * np.log10(np.maximum(found, 1e-12)), FLOOR_DB, 0.0)
    return np.asarray(levels.T, np.float32)


def hertz_edges(rows: int) -> NDArray[np.float64]:
    """Frequencies between rows, float (row + 1,)."""
    return np.asarray(LOW * (HIGH / LOW) ** (np.arange(rows + 1) / rows))
