"""Band-limited single cycles: one table for every number of harmonics that fits under a limit.

Consecutive tables differ by at most a ninth of their harmonics, so the fullest table below half
the rate still reaches 0.45 of it. Tables are long enough for linear interpolation: a harmonic h
of amplitude 1/h read from L samples leaves an image of about h / L² (common practice), and L is
chosen to keep that below −100 dB. The droop of linear interpolation, sinc²(h / L), is divided out.
"""

from __future__ import annotations

import math
from functools import cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float32]
MOST_HARMONICS = 1024
SHAPES = ("sine", "triangle", "saw")
SINE, TRIANGLE, SAW, PULSE = range(4)
SQUARE_HALF, SQUARE_THIRD = math.sqrt(0.5), math.sqrt(1.0 / 3.0)
"""Effective values of a sine, and of a triangle or a saw."""
SINE_IN_TRIANGLE = 4.0 / math.pi**2 * math.sqrt(6.0)
"""Correlation of a triangle with its fundamental."""


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


def between(shape: float, segment: int, width: float) -> tuple[float, float]:
    """How much of two reads makes a shape: sine and triangle, triangle and saw, saw and the saw taken off, `1 - width` later.

    No fundamental is lost on the way, and the effective value goes in a straight line from that of one
    shape to that of the next: with effective values r, s and the correlation ρ of both (their Fourier
    series: 2√6·4/π³…, 3/4, and 1 − 6 w + 6 w² of a saw with itself w of a cycle later).
    """
    f = shape - segment
    if segment == 2:
        apart = 1.0 - 6.0 * width * (1.0 - width)
        wanted = 1.0 - f + f * math.sqrt(2.0 * (1.0 - apart))
        gain = wanted / math.sqrt(1.0 + f * f - 2.0 * f * apart)
        return gain, -f * gain
    r = SQUARE_HALF if segment == 0 else SQUARE_THIRD
    alike = SINE_IN_TRIANGLE if segment == 0 else 0.75
    a, b = (1.0 - f) * r, f * SQUARE_THIRD
    gain = (a + b) / math.sqrt(a * a + b * b + 2.0 * a * b * alike)
    return (1.0 - f) * gain, f * gain


def _plain(shape: int, phase: NDArray[np.float64]) -> NDArray[np.float64]:
    """A classic shape without a limit to its harmonics."""
    if shape == SINE:
        return np.sin(2 * np.pi * phase)
    if shape == TRIANGLE:
        return 2 / np.pi * np.arcsin(np.sin(2 * np.pi * phase))
    saw = 2 * ((phase + 0.5) % 1.0) - 1.0
    return saw


def cycle_picture(shape: float, width: float, points: int, sync: float = 0.0) -> NDArray[np.float64]:
    """One cycle as the ear gets it far below the limit, for drawing; shape (points,).

    `shape` runs from 0 (sine) to 3 (pulse), `sync` is in semitones.
    """
    phase = np.linspace(0.0, 1.0, points) * 2.0 ** (sync / 12.0) % 1.0
    below = min(int(shape), SAW)
    first, second = between(shape, below, width)
    later = phase - (1.0 - width) if below == SAW else phase
    return first * _plain(below, phase) + second * _plain(min(below + 1, SAW), later)
