"""One recording onto the end of another, so that the overlap is neither thin nor loud."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.integrated import loudness

MOST_DB = 40.0
"""Further than this nothing is brought."""


class Spliced(NamedTuple):
    """Attributes
    ----------
    sound : float32 (channel, frame)
    moved : int
        Frames of the beginning of the second that are left out, so that phases agree; never negative.
    gain_db : float
        What the second was made louder by.
    begins : int
        The frame at which the second is first heard.
    """

    sound: NDArray[np.float32]
    moved: int
    gain_db: float
    begins: int


def _stereo(sound: NDArray[np.float32], channels: int) -> NDArray[np.float64]:
    return np.repeat(sound, channels, axis=0).astype(np.float64) if len(sound) < channels else sound.astype(np.float64)


def matching_db(first: NDArray[np.float32], second: NDArray[np.float32], rate: float, other: float = 0.0) -> float:
    """Decibels that make the second, at `rate` or the `other` Hz, as loud as the first, at most 40.

    By ITU-R BS.1770, gated: a dead tail counts for nothing. What is mono counts as it is heard, on both sides.
    """
    channels = max(len(first), len(second))
    one, two = (_stereo(sound, channels).astype(np.float32) for sound in (first, second))
    loud = [loudness(one, rate, again=True), loudness(two, other or rate, again=True)]
    return float(np.clip(loud[0] - loud[1], -MOST_DB, MOST_DB)) if np.isfinite(loud).all() else 0.0


def splice(
    first: NDArray[np.float32],
    second: NDArray[np.float32],
    rate: float,
    overlap: float,
    shape: str = "power",
    match: bool = True,
    align: bool = True,
) -> Spliced:
    """`second` behind `first`, both float32 (channel, frame) at `rate`, over `overlap` seconds.

    `shape` is `gain` (both add up to one: for waves in phase) or `power` (their squares do: for what has nothing to do
    with each other). `match` makes the second as loud as the first, see `matching_db`;
    `align` moves it by up to a period of 25 Hz to where both are most alike.
    """
    channels = max(len(first), len(second))
    one, two = _stereo(first, channels), _stereo(second, channels)
    size = int(min(overlap * rate, one.shape[1], two.shape[1]))
    if size < 2:
        return Spliced(np.concatenate([one, two], axis=1).astype(np.float32), 0, 0.0, one.shape[1])
    moved = _aligned(one[:, -size:].mean(axis=0), two.mean(axis=0), rate) if align else 0
    two = two[:, moved:]
    size = min(size, two.shape[1])
    gain = 1.0
    if match:
        gain = 10.0 ** (matching_db(first, second, rate) / 20.0)
    part = (np.arange(size) + 0.5) / size
    down, up = (1 - part, part) if shape == "gain" else (np.cos(part * np.pi / 2), np.sin(part * np.pi / 2))
    two = two * gain
    both = one[:, -size:] * down + two[:, :size] * up
    made = np.concatenate([one[:, :-size], both, two[:, size:]], axis=1)
    return Spliced(made.astype(np.float32), moved, 20 * float(np.log10(gain)), one.shape[1] - size)


def _aligned(end: NDArray[np.float64], begin: NDArray[np.float64], rate: float) -> int:
    """How many frames of the beginning are left out so that it is most like the end; never negative."""
    reach = min(int(rate / 25), len(begin) - len(end) // 2 - 1, len(begin) // 4)
    size = min(len(end), len(begin) - max(reach, 0))
    if reach < 2 or size < 16:
        return 0
    full = 1 << (size + reach).bit_length()
    cross = np.fft.irfft(np.fft.rfft(begin[: size + reach], full) * np.conj(np.fft.rfft(end[:size], full)), full)[
        : reach + 1
    ]
    squares = np.concatenate([[0.0], np.cumsum(begin[: size + reach] ** 2)])
    power = squares[size : size + reach + 1] - squares[: reach + 1]
    return int(np.argmax(cross / np.sqrt(np.maximum(power, 1e-12))))
