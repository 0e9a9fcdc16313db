"""The noise of a recording between its partials, told by how loud it is in bands of half an octave."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

RESIDUE_BANDS = 16
LOWEST = 80.0
"""Hz where the lowest band begins; the highest ends at 20.5 kHz."""
LOOK = 8192
"""Frames of a spectrum in which valleys between partials can be seen, at 48 kHz."""
VALLEY = 0.4
"""Part of the bins of a band that lie in its valleys, and tell of its noise alone."""

TOGETHER, FEWEST, NOTHING = 128, 4, 1e-12
"""Looks that are worked out at once; bins that a band must have to tell anything; power that is silence."""


def band_edges() -> NDArray[np.float64]:
    """Hz between which the bands lie, (band + 1,)."""
    return np.asarray(LOWEST * 2.0 ** (0.5 * np.arange(RESIDUE_BANDS + 1)))


def strikes_of(mono: NDArray[np.float64], rate: float) -> NDArray[np.int64]:
    """Frames at which something is struck: 4 ms are ten times as strong as any of the 60 ms before.

    What begins with the recording is none. Cycles as slow as 20 Hz are no strikes, since the one before was as strong.
    """
    step, wide, back, apart = round(rate / 2000), round(0.004 * rate), round(0.06 * rate), round(0.02 * rate)
    sums = np.concatenate([np.zeros(back), [0.0], np.cumsum(np.square(mono)), np.zeros(wide)])
    sums[back + len(mono) + 1 :] = sums[back + len(mono)]
    begins = np.arange(0, len(mono), step)
    energy = np.diff(sums[np.stack([begins, begins + wide]) + back], axis=0)[0]
    if not len(energy):
        return np.zeros(0, np.int64)
    reach, gap = (back - wide) // step, wide // step
    padded = np.concatenate([np.zeros(reach + gap), energy])
    before = np.lib.stride_tricks.sliding_window_view(padded, reach).max(axis=1)[: len(energy)]
    struck = np.flatnonzero((energy > 10.0 * before) & (energy > 1e-6 * energy.max()))
    found: list[int] = []
    last = -apart
    for n in struck:
        first = int(begins[n])
        loud = np.abs(mono[first : first + wide])
        lead = np.abs(mono[max(first - wide, 0) : first]).max(initial=0.0)
        at = first + int(np.argmax(loud > max(0.1 * float(loud.max()), 1.5 * lead)))
        if at - last >= apart:
            last = at
            found += [at] if at > 0.002 * rate else []
    return np.array(found, np.int64)


def bands_heard(
    mono: NDArray[np.float64],
    rate: float,
    bands: list[tuple[float, float]],
    looks: int,
    hop: int,
    strikes: NDArray[np.int64],
) -> NDArray[np.float64]:
    """Mean square of what lies between two frequencies around every look, (look, band).

    Each stretch between two strikes is heard by itself, so that nothing is heard before it is struck. What lies in a band is
    made at a rate that holds its square, since that of the sound would take long for low ones.
    """
    found = np.zeros((looks, len(bands)))
    at = np.arange(looks) * hop
    for begins, ends in pairwise([0, *strikes.tolist(), len(mono)]):
        here = np.flatnonzero((at > begins if begins else at >= 0) & (at <= ends if ends < len(mono) else at >= 0))
        if not len(here) or ends == begins:
            continue
        size = 1 << (ends - begins + 2 * hop).bit_length()
        spectrum = np.fft.rfft(mono[begins:ends], size)
        for n, (low, high) in enumerate(bands):
            first, last = (min(int(np.ceil(hertz * size / rate)), len(spectrum)) for hertz in (low, high))
            small = min(1 << (4 * last).bit_length(), size)
            inside = np.zeros(small // 2 + 1, np.complex128)
            inside[first:last] = spectrum[first:last]
            sums = np.concatenate([[0.0], np.cumsum(np.square(np.fft.irfft(inside, small) * (small / size)))])
            wide = 0.5 * max(hop, 2 * rate / low)
            most = small if ends == len(mono) else int((ends - begins) * small / size)
            first_, last_ = (
                np.clip(np.round((at[here] - begins + side) * small / size), 0, most).astype(int)
                for side in (-wide, wide)
            )
            found[here, n] = (sums[last_] - sums[first_]) / np.maximum(last_ - first_, 1)
    return found


def noise_share(
    mono: NDArray[np.float64], rate: float, looks: int, hop: int, watch: Callable[[float], object]
) -> NDArray[np.float64]:
    """How much of the power of every band is noise at every look, 0 to 1, (look, band); `watch` is told the part done.

    The powers of the bins of a noise are spread as an exponential law says, so that its mean follows from any quantile:
    R. Martin, “Noise power spectral density estimation based on optimal smoothing and minimum statistics”, IEEE TSAP 9(5),
    2001. Partials stand above their quantile, and raise it little.
    """
    window = np.blackman(LOOK)
    padded = np.concatenate([np.zeros(LOOK // 2), mono, np.zeros(LOOK)])
    views = np.lib.stride_tricks.sliding_window_view(padded, LOOK)[::hop][:looks]
    edges = np.searchsorted(np.fft.rfftfreq(LOOK, 1 / rate), band_edges())
    share = np.zeros((looks, RESIDUE_BANDS))
    for n in range(0, looks, TOGETHER):
        watch(n / looks)
        power = np.square(np.abs(np.fft.rfft(views[n : n + TOGETHER] * window, axis=1)))
        for band, (first, last) in enumerate(pairwise(edges)):
            piece = power[:, first:last]
            if piece.shape[1] < FEWEST:
                continue
            whole, heard = piece.sum(axis=1), slice(n, n + len(piece))
            valley = np.quantile(piece, VALLEY, axis=1) / -np.log(1 - VALLEY) * piece.shape[1]
            share[heard, band] = np.where(whole > NOTHING, valley / np.maximum(whole, NOTHING), 0.0)
    return np.minimum(share, 1.0)


def residue_of(
    mono: NDArray[np.float64],
    rate: float,
    looks: int,
    hop: int,
    strikes: NDArray[np.int64],
    watch: Callable[[float], object],
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """How loud the noise of a recording is, effective values, and which share of the power it is, both (look, band).

    `watch` is told the part done, and may stop it by raising.
    Sines and noise side by side: X. Serra, J. O. Smith, “Spectral modeling synthesis”, Computer Music Journal 14(4), 1990.
    """
    share = noise_share(mono, rate, looks, hop, watch)
    heard = bands_heard(mono, rate, list(pairwise(band_edges().tolist())), looks, hop, strikes)
    return np.sqrt(share * heard).astype(np.float32), share.astype(np.float32)
