"""Band-limited single cycles: one table for every number of harmonics that fits under a limit.

Consecutive tables differ by at most a ninth of their harmonics, so the fullest table below half
the rate still reaches 0.45 of it. Tables are long enough for linear interpolation: a harmonic h
of amplitude 1/h read from L samples leaves an image of about h / L² (common practice), and L is
chosen to keep that below −100 dB. The droop of linear interpolation, sinc²(h / L), is divided out.
"""

from __future__ import annotations

from functools import cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float32]
MOST_HARMONICS = 1024
SHAPES = ("sine", "triangle", "saw")
SINE, TRIANGLE, SAW, PULSE = range(4)


class CycleTables(NamedTuple):
    """Every cycle behind one another, and where each begins.

    Attributes
    ----------
    samples : float32, shape (total,)
        Each cycle of `1 << bits` samples is followed by a copy of its first.
    offset : int32, shape (shape, level)
    shift : uint32, shape (level,)
        `phase >> shift` is the index for a uint32 phase.
    level_of : int32, shape (MOST_HARMONICS + 1,)
        The fullest level with no more than the given number of harmonics.
    """

    samples: FloatArray
    offset: NDArray[np.int32]
    shift: NDArray[np.uint32]
    level_of: NDArray[np.int32]


def harmonic_counts() -> list[int]:
    """Numbers of harmonics for which a table is made."""
    counts = [1]
    while counts[-1] < MOST_HARMONICS:
        counts.append(min(counts[-1] + max(1, counts[-1] // 10), MOST_HARMONICS))
    return counts


def harmonic_amplitudes(shape: str, harmonics: int) -> NDArray[np.float64]:
    """Amplitudes of the sines 1 … `harmonics` of a shape that swings from −1 to 1 and starts rising at zero."""
    h = np.arange(1, harmonics + 1, dtype=np.float64)
    if shape == "sine":
        return np.where(h == 1, 1.0, 0.0)
    if shape == "triangle":
        return np.where(h % 2 == 1, (-1.0) ** ((h - 1) // 2) * 8 / np.pi**2 / h**2, 0.0)
    return (-1.0) ** (h + 1) * 2 / np.pi / h


@cache
def cycle_tables() -> CycleTables:
    """All cycles of the classic shapes; made once per process in a few milliseconds."""
    counts = harmonic_counts()
    parts, offset, shift, total = [], np.zeros((len(SHAPES), len(counts)), np.int32), [], 0
    for level, harmonics in enumerate(counts):
        bits = int(min(max(np.ceil(np.log2(np.sqrt(harmonics * 1e5))), 11), 14))
        size = 1 << bits
        shift.append(32 - bits)
        h = np.arange(1, harmonics + 1)
        for row, shape in enumerate(SHAPES):
            spectrum = np.zeros(size // 2 + 1, np.complex128)
            spectrum[1 : harmonics + 1] = -0.5j * size * harmonic_amplitudes(shape, harmonics) / np.sinc(h / size) ** 2
            cycle = np.fft.irfft(spectrum, size)
            parts.append(np.append(cycle, cycle[0]).astype(np.float32))
            offset[row, level] = total
            total += size + 1
    level_of = np.searchsorted(counts, np.arange(MOST_HARMONICS + 1), side="right") - 1
    return CycleTables(
        np.concatenate(parts), offset, np.array(shift, np.uint32), np.maximum(level_of, 0).astype(np.int32)
    )


def _plain(shape: int, phase: NDArray[np.float64], width: float) -> NDArray[np.float64]:
    """A classic shape without a limit to its harmonics."""
    if shape == SINE:
        return np.sin(2 * np.pi * phase)
    if shape == TRIANGLE:
        return 2 / np.pi * np.arcsin(np.sin(2 * np.pi * phase))
    saw = 2 * ((phase + 0.5) % 1.0) - 1.0
    return saw if shape == SAW else 2 * ((phase - width + 0.5) % 1.0) - 1.0 - saw


def cycle_picture(shape: float, width: float, points: int, sync: float = 0.0) -> NDArray[np.float64]:
    """One cycle as the ear gets it far below the limit, for drawing; shape (points,).

    `shape` runs from 0 (sine) to 3 (pulse), `sync` is in semitones.
    """
    phase = np.linspace(0.0, 1.0, points) * 2.0 ** (sync / 12.0) % 1.0
    below = min(int(shape), SAW)
    part = shape - below
    return (1 - part) * _plain(below, phase, width) + part * _plain(below + 1, phase, width)
