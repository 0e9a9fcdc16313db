"""Spectra, pitch-locked pieces, correlation and true peak of what was just heard, for the pictures of it."""

from __future__ import annotations

import math
from functools import cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

LENGTH = 8192
POINTS = 480
LOWEST, HIGHEST = 20.0, 20000.0
FLOOR = -96.0
NAMES = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")
Line = NDArray[np.float64]


@cache
def window(length: int) -> Line:
    """A Hann window that leaves the amplitude of a sine as it is."""
    shape = np.hanning(length)
    return np.asarray(shape / (0.5 * shape.sum()))


@cache
def _bins(rate: float) -> tuple[Line, list[tuple[int, int, int]]]:
    """Places between bins of the drawn points, and of those that more than one bin falls to, which and which bins."""
    edges = np.geomspace(LOWEST, HIGHEST, POINTS + 1) * LENGTH / rate
    several = [(n, math.ceil(a), math.ceil(b)) for n, (a, b) in enumerate(pairwise(edges)) if b - a > 1.0]
    return np.sqrt(edges[1:] * edges[:-1]), several


def latest(ring: NDArray[np.float32], written: int, count: int) -> NDArray[np.float32]:
    """The last `count` frames of a ring (channel, frame) that has been written to `written` in all."""
    where = np.arange(written - count, written) % ring.shape[1]
    found: NDArray[np.float32] = ring[:, where]
    return found


def spectrum(sound: NDArray[np.float32], rate: float) -> Line:
    """dB of a mono or stereo sound (channel, LENGTH) at `POINTS` frequencies from 20 Hz to 20 kHz, evenly by ear.

    A full-scale sine reads 0 dB; between bins it is a cubic (Hermite) of their dB, of several the largest is taken.
    """
    power = np.abs(np.fft.rfft(sound * window(LENGTH))).max(axis=0)
    level = 20.0 * np.log10(np.maximum(power, 10 ** (FLOOR / 20)))
    places, several = _bins(rate)
    at = np.clip(places.astype(np.int64), 1, len(level) - 3)
    before, here, after, last = (level[at + n] for n in (-1, 0, 1, 2))
    p = places - at
    curve = 2.0 * before - 5.0 * here + 4.0 * after - last + p * (3.0 * (here - after) + last - before)
    found = here + 0.5 * p * (after - before + p * curve)
    for n, first, end in several:
        found[n] = level[first:end].max(initial=FLOOR)
    return np.asarray(np.maximum(found, FLOOR))


def across(frequency: float) -> float:
    """Place of a frequency on the log axis, 0 to 1."""
    return math.log(frequency / LOWEST) / math.log(HIGHEST / LOWEST)


def frequency_at(place: float) -> float:
    """The frequency at a place of the axis."""
    return float(LOWEST * (HIGHEST / LOWEST) ** min(max(place, 0.0), 1.0))


def note_name(frequency: float, reference: float = 440.0) -> str:
    """The nearest key and how many cents the frequency is from it: `A4 +12 ct`."""
    exact = 69.0 + 12.0 * math.log2(frequency / reference)
    key = round(exact)
    cents = round(100 * (exact - key))
    sign = "+" if cents > 0 else "−" if cents < 0 else "±"
    return f"{NAMES[key % 12]}{key // 12 - 1} {sign}{abs(cents)} ct"


def period(sound: Line, rate: float) -> int:
    """Frames of one turn of a pitched sound, by its autocorrelation; 0 where it has no pitch.

    The first peak that reaches nine tenths of the largest is taken, so that no multiple of the turn is.
    """
    mono = sound - sound.mean()
    energy = float((mono**2).sum())
    if energy < 1e-6 * len(mono):
        return 0
    turned = np.fft.rfft(mono, 2 * len(mono))
    alike = np.fft.irfft(np.abs(turned) ** 2)[: len(mono)]
    alike = alike / np.arange(len(mono), 0, -1) * len(mono) / energy
    first, last = int(rate / 2000), min(int(rate / 25), len(mono) // 2)
    inner = alike[first:last]
    if len(inner) < 3 or inner.max() < 0.5:
        return 0
    peaks = np.flatnonzero((inner[1:-1] >= inner[:-2]) & (inner[1:-1] > inner[2:])) + 1
    peaks = peaks[inner[peaks] > 0.9 * inner.max()]
    return first + int(peaks[0]) if len(peaks) else 0


def locked(sound: Line, rate: float, turns: float = 2.0) -> Line:
    """A piece of a sound that begins where it rises through nothing, `turns` turns of its pitch long, or 20 ms."""
    turn = period(sound[-4096:], rate)
    length = int(turns * turn) if turn else int(0.02 * rate)
    search = sound[-(length + max(turn, 800)) : -length or None]
    rising = np.flatnonzero((search[:-1] <= 0.0) & (search[1:] > 0.0))
    if len(rising):
        steep = rising[np.argmax(search[rising + 1] - search[rising])]
        begin = len(sound) - length - len(search) + int(steep)
    else:
        begin = len(sound) - length
    return sound[begin : begin + length]


def correlation(sound: NDArray[np.float32]) -> float:
    """How alike left and right are: 1 the same, 0 nothing in common, −1 turned over; 1 for silence."""
    left, right = sound.astype(np.float64)
    size = math.sqrt(float((left**2).sum()) * float((right**2).sum()))
    return float((left * right).sum()) / size if size > 1e-9 else 1.0


PHASES = (
    (0.0017089843750, 0.0109863281250, -0.0196533203125, 0.0332031250000, -0.0594482421875, 0.1373291015625,
     0.9721679687500, -0.1022949218750, 0.0476074218750, -0.0266113281250, 0.0148925781250, -0.0083007812500),
    (-0.0291748046875, 0.0292968750000, -0.0517578125000, 0.0891113281250, -0.1665039062500, 0.4650878906250,
     0.7797851562500, -0.2003173828125, 0.1015625000000, -0.0582275390625, 0.0330810546875, -0.0189208984375),
)  # fmt: skip
"""The first two of the four phases of the filter of ITU-R BS.1770-4, annex 2, from memory; the others are these turned round."""


@cache
def between_frames() -> Line:
    """Four rows of 12 taps, the first for the oldest frame, that read a sound at four times its rate (BS.1770-4, annex 2)."""
    rows = np.array([*PHASES, *(phase[::-1] for phase in PHASES[::-1])])
    return np.ascontiguousarray(rows[:, ::-1])


def true_peak(sound: NDArray[np.float32]) -> float:
    """Largest value of a sound (channel, frame) between its frames too, by four times the rate; ITU-R BS.1770-4, annex 2."""
    top = float(np.abs(sound).max(initial=0.0))
    if top < 1e-6:
        return top
    for channel in sound.astype(np.float64):
        for row in between_frames():
            top = max(top, float(np.abs(np.convolve(channel, row[::-1], "valid")).max(initial=0.0)))
    return top
