"""The noise of a recording between its partials, told by how loud it is in bands of half an octave."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.matter.strikes import bands_heard

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
