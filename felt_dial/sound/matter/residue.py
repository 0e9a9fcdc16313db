"""The noise of a recording between its partials, told by how loud it is in bands of half an octave."""

from __future__ import annotations

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


def band_edges() -> NDArray[np.float64]:
    """Hz between which the bands lie, (band + 1,)."""
    return np.asarray(LOWEST * 2.0 ** (0.5 * np.arange(RESIDUE_BANDS + 1)))


def band_power(spectrum: NDArray[np.complex128], rate: float, low: float, high: float, looks: int, hop: int) -> NDArray:
    """Mean square of what lies between two frequencies around every look, (look,).

    Parameters
    ----------
    spectrum : complex128 (bin,)
        Of the whole sound, with at least two hops of silence behind it.
    """
    size = 2 * (len(spectrum) - 1)
    hertz = np.fft.rfftfreq(size, 1 / rate)
    power = np.square(np.fft.irfft(np.where((hertz >= low) & (hertz < high), spectrum, 0.0), size)[: looks * hop])
    wide = int(max(hop, 2 * rate / low)) // 2
    sums = np.concatenate([[0.0], np.cumsum(power)])
    at = np.arange(looks) * hop
    first, last = np.clip(at - wide, 0, len(power)), np.clip(at + wide, 1, len(power))
    return np.asarray((sums[last] - sums[first]) / np.maximum(last - first, 1))


def noise_share(mono: NDArray[np.float64], rate: float, looks: int, hop: int) -> NDArray[np.float64]:
    """How much of the power of every band is noise at every look, 0 to 1, (look, band).

    The powers of the bins of a noise are spread as an exponential law says, so that its mean follows from any quantile:
    R. Martin, “Noise power spectral density estimation based on optimal smoothing and minimum statistics”, IEEE TSAP 9(5),
    2001. Partials stand above their quantile, and raise it little.
    """
    window = np.blackman(LOOK)
    padded = np.concatenate([np.zeros(LOOK // 2), mono, np.zeros(LOOK)])
    edges = np.searchsorted(np.fft.rfftfreq(LOOK, 1 / rate), band_edges())
    share = np.zeros((looks, RESIDUE_BANDS))
    for n in range(looks):
        power = np.square(np.abs(np.fft.rfft(padded[n * hop : n * hop + LOOK] * window)))
        for band, (first, last) in enumerate(pairwise(edges)):
            piece = power[first:last]
            total = float(piece.sum())
            if len(piece) > 3 and total > 1e-12:
                share[n, band] = float(np.quantile(piece, VALLEY)) / -np.log(1 - VALLEY) * len(piece) / total
    return np.minimum(share, 1.0)


def residue_of(
    mono: NDArray[np.float64], rate: float, looks: int, hop: int
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """How loud the noise of a recording is, effective values, and which share of the power it is, both (look, band).

    Sines and noise side by side: X. Serra, J. O. Smith, “Spectral modeling synthesis”, Computer Music Journal 14(4), 1990.
    """
    spectrum = np.fft.rfft(mono, 1 << (len(mono) + 2 * hop).bit_length())
    share = noise_share(mono, rate, looks, hop)
    heard = [band_power(spectrum, rate, low, high, looks, hop) for low, high in pairwise(band_edges().tolist())]
    return np.sqrt(share * np.stack(heard, axis=1)).astype(np.float32), share.astype(np.float32)
