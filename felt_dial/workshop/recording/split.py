"""Split into parts: tones, noise and strikes, which add up to the whole."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.errors import FeltDialError
from felt_dial.workshop.recording.looks import in_pieces, looks_at, sound_of_looks

LONG, SHORT = 4096, 512
"""Frames of the windows for tones and for strikes, at 48 kHz."""
SPAN_TONES, SPAN_STRIKES = 0.20, 500.0
"""Seconds along which a tone stands, and Hz across which a strike does."""


class Parts(NamedTuple):
    """Three recordings, float32 (channel, frame), whose sum is the whole."""

    tones: NDArray[np.float32]
    noise: NDArray[np.float32]
    strikes: NDArray[np.float32]


class NotSplit(FeltDialError):
    """A split that was stopped."""


def split(
    sound: NDArray[np.float32], rate: float, strength: float = 0.5, watch: Callable[[float], bool] = lambda part: True
) -> Parts:
    """The parts of a recording, float32 (channel, frame).

    Medians along time and along frequency: D. Fitzgerald, DAFx 2010; three parts and two windows, long for tones and
    short for strikes: J. Driedger, M. Müller, S. Disch, ISMIR 2014. `strength` from 0 to 1 is how plainly something must
    be a tone or a strike: what is neither becomes noise.
    """
    scale = 2.0 ** np.round(np.log2(rate / 48000.0))
    margin = 10.0 ** (0.6 * strength - 0.1)

    def part(whole: NDArray[np.float32], size: int, along_time: bool, begins: float) -> NDArray[np.float32]:
        def tell(there: float) -> None:
            if not watch(begins + there / 2):
                raise NotSplit("Stopped; nothing of it was kept.")

        tell(0.0)
        hop = size // 4
        around = (int(SPAN_TONES * rate / hop) + 2) * hop + 2 * size
        return in_pieces(whole, around, hop, lambda piece, _: _part(piece, rate, size, margin, along_time), tell)

    tones = part(sound, int(LONG * scale), True, 0.0)
    rest = sound - tones
    strikes = part(rest, int(SHORT * scale), False, 0.5)
    return Parts(tones, rest - strikes, strikes)


def _part(sound: NDArray[np.float32], rate: float, size: int, margin: float, along_time: bool) -> NDArray[np.float64]:
    """What stands along time (or across frequency) at least `margin` times as plainly as the other way."""
    from scipy.ndimage import median_filter

    hop = size // 4
    spectra = looks_at(sound.astype(np.float64), size, hop)
    sizes = np.sqrt(np.square(np.abs(spectra)).sum(axis=0)).astype(np.float32)  # one mask for all channels
    looks = _odd(SPAN_TONES * rate / hop, sizes.shape[0])
    bins = _odd(SPAN_STRIKES * size / rate, sizes.shape[1])
    steady = median_filter(sizes, (looks, 1), mode="nearest")
    broad = median_filter(sizes, (1, bins), mode="nearest")
    mine, other = (steady, broad) if along_time else (broad, steady)
    mine, other = np.square(mine) ** 2, np.square(margin * other) ** 2
    mask = mine / np.maximum(mine + other, 1e-24)
    return sound_of_looks(spectra * mask, sound.shape[1], size, hop)


def _odd(count: float, most: int) -> int:
    """The nearest odd number of bins, at least 3, at most what there is."""
    return max(3, min(int(count) | 1, (most - 1) | 1))
