"""Strikes of a recording, and how loud its bands are between them."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

STEP, WIDE, BACK, APART = 0.0005, 0.004, 0.06, 0.02
"""Seconds: from look to look for a strike, over which a look is, with which it is compared, and between two strikes."""
STRONGER, FAINT = 10.0, 1e-6
"""How many times the power of all before makes a strike, and the part of the strongest below which there is none."""


def strikes_of(mono: NDArray[np.float64], rate: float) -> NDArray[np.int64]:
    """Frames at which something is struck: 4 ms are ten times as strong as any of the 60 ms before.

    What begins with the recording is none. Cycles as slow as 20 Hz are no strikes, since the one before was as strong.
    """
    step, wide, back, apart = (round(seconds * rate) for seconds in (STEP, WIDE, BACK, APART))
    sums = np.pad(np.concatenate([[0.0], np.cumsum(np.square(mono))]), (0, wide), mode="edge")
    begins = np.arange(0, len(mono), step)
    energy = sums[begins + wide] - sums[begins]
    if not len(energy):
        return np.zeros(0, np.int64)
    reach, gap = (back - wide) // step, wide // step
    padded = np.concatenate([np.zeros(reach + gap), energy])
    before = np.lib.stride_tricks.sliding_window_view(padded, reach).max(axis=1)[: len(energy)]
    struck = np.flatnonzero((energy > STRONGER * before) & (energy > FAINT * energy.max()))
    found: list[int] = []
    last = -apart
    for n in struck:
        first = int(begins[n])
        loud = np.abs(mono[first : first + wide])
        lead = np.abs(mono[max(first - wide, 0) : first]).max(initial=0.0)
        at = first + int(np.argmax(loud > max(0.1 * float(loud.max()), 1.5 * lead)))
        if at - last >= apart:
            last = at
            found += [at] if 2 * at > wide else []
    return np.array(found, np.int64)


def band_power(
    spectrum: NDArray[np.complex128],
    rate: float,
    low: float,
    high: float,
    around: NDArray[np.int64],
    least: float,
    frames: int,
) -> NDArray[np.float64]:
    """Mean square of what lies between two frequencies around some frames of a sound, (place,).

    What lies in a band is made at a rate that holds its square, since that of the sound would take long for low ones.

    Parameters
    ----------
    spectrum : complex128 (bin,)
        Of the sound, a power of two of frames, silent at their end.
    around : int64 (place,)
        Frames; the mean is over two turns of `low`, and over `least` frames at least.
    frames : int
        Beyond which nothing counts.
    """
    size = 2 * (len(spectrum) - 1)
    first, last = (min(int(np.ceil(hertz * size / rate)), len(spectrum)) for hertz in (low, high))
    small = min(1 << (4 * last).bit_length(), size)
    inside = np.zeros(small // 2 + 1, np.complex128)
    inside[first:last] = spectrum[first:last]
    sums = np.concatenate([[0.0], np.cumsum(np.square(np.fft.irfft(inside, small) * (small / size)))])
    wide = 0.5 * max(least, 2 * rate / low)
    most = min(int(frames * small / size), small)
    begin, end = (np.clip(np.round((around + side) * small / size), 0, most).astype(int) for side in (-wide, wide))
    return np.asarray((sums[end] - sums[begin]) / np.maximum(end - begin, 1))


def bands_heard(
    mono: NDArray[np.float64],
    rate: float,
    bands: list[tuple[float, float]],
    looks: int,
    hop: int,
    strikes: NDArray[np.int64],
) -> NDArray[np.float64]:
    """Mean square of what lies between two frequencies around every look, (look, band).

    Each stretch between two strikes is heard by itself, so that nothing is heard before it is struck.
    """
    found = np.zeros((looks, len(bands)))
    at = np.arange(looks) * hop
    for begins, ends in pairwise([0, *strikes.tolist(), len(mono)]):
        whole = ends == len(mono)
        here = np.flatnonzero(((at > begins) | (begins == 0)) & ((at <= ends) | whole))
        if not len(here) or ends == begins:
            continue
        size = 1 << (ends - begins + 2 * hop).bit_length()
        spectrum = np.fft.rfft(mono[begins:ends], size)
        for n, (low, high) in enumerate(bands):
            frames = size if whole else ends - begins
            found[here, n] = band_power(spectrum, rate, low, high, at[here] - begins, hop, frames)
    return found
