"""Looks: short spectra of a recording and the way back, exact where nothing is changed."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

LONG = 2**21
"""Samples of all channels together from which a recording is long: 20 s of stereo."""


def _window(size: int, plain: bool) -> NDArray[np.float64]:
    """Hann, or its root: applied on the way there and back, overlapping ones sum to a constant."""
    hann = 0.5 - 0.5 * np.cos(2 * np.pi * np.arange(size) / size)
    return np.asarray(hann if plain else np.sqrt(hann))


def looks_at(sound: NDArray[np.float64], size: int, hop: int, plain: bool = False) -> NDArray:
    """Short spectra, complex (channel, look, bin), with a window of silence before and two after; of what is long in single
    precision, which takes half the room.

    Look n is centred at frame n · hop − size / 2. With `plain` windows what is strong reaches less far into other bins;
    they need hops of an eighth, the others of a quarter.
    """
    padded = np.pad(sound, ((0, 0), (size, 2 * size)))
    views = np.lib.stride_tricks.sliding_window_view(padded, size, axis=1)[:, ::hop]
    spectra = np.fft.rfft(views * _window(size, plain), axis=2)
    return spectra if sound.size <= LONG else spectra.astype(np.complex64)


def sound_of_looks(spectra: NDArray, frames: int, size: int, hop: int, plain: bool = False) -> NDArray[np.float64]:
    """The sound of short spectra, float (channel, frame)."""
    window = _window(size, plain)
    over = float(np.square(window[::hop]).sum())
    pieces = np.fft.irfft(spectra, size, axis=2) * (window / over)
    channels, looks = pieces.shape[:2]
    out = np.zeros((channels, (looks + size // hop) * hop))
    for k in range(size // hop):
        part = pieces[:, :, k * hop : (k + 1) * hop].reshape(channels, -1)
        out[:, k * hop : k * hop + part.shape[1]] += part
    return out[:, size : size + frames]


PIECE = 2**17
"""Frames that are worked on at once, so that an hour takes no more memory than some seconds."""


def in_pieces(
    sound: NDArray[np.float32],
    around: int,
    hop: int,
    work: Callable[[NDArray[np.float32], int], NDArray[np.float64]],
    tell: Callable[[float], None] = lambda part: None,
) -> NDArray[np.float32]:
    """What `work` makes of a sound, float32 (channel, frame), a piece after the other.

    Each is given with `around` frames of what stands beside it, and with the frame at which it begins: a multiple of `hop`,
    where the looks at the whole begin. What reaches no further than `around` is made as if all had been there.
    """
    frames, around = sound.shape[1], -(-around // hop) * hop
    made = np.empty(sound.shape, np.float32)
    for first in range(0, frames, PIECE):
        last = min(first + PIECE, frames)
        begin = max(first - around, 0)
        piece = work(sound[:, begin : min(last + around, frames)], begin)
        made[:, first:last] = piece[:, first - begin : last - begin]
        tell(last / frames)
    return made
