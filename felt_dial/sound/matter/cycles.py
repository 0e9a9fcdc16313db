"""Cycles of a pitched recording, one after the other, as the frames of a table."""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.matter.root import root_of

CYCLE, MOST_FRAMES = 2048, 256
SURE = 0.6
"""How alike neighbouring cycles are, at the least, where a recording is taken for a pitched one."""


class Cycles(NamedTuple):
    """What was found in a recording.

    Attributes
    ----------
    frames : float32 (frame, 2048)
        Its cycles, spread over all of it; their ends meet.
    hertz : float
        The pitch in its middle.
    sure : float
        How alike neighbouring cycles are, 0 to 1.
    """

    frames: NDArray[np.float32]
    hertz: float
    sure: float


def cycles_of(sound: NDArray[np.float32], rate: float, count: int = MOST_FRAMES) -> Cycles | None:
    """The cycles of a recording, float32 (channel, frame), as its pitch goes, at most `count`; None where it has none.

    A cycle begins wherever the phase of the fundamental has gone round, so that glides are followed; each is brought to
    2048 samples, and what is left between its end and its beginning is spread over it.
    """
    import soxr

    hertz = root_of(sound, rate).hertz
    if hertz is None:
        return None
    mono = sound.mean(axis=0).astype(np.float64)
    marks = _turns(mono, rate, hertz)
    if len(marks) < 3:
        return None
    finer = soxr.resample(mono, rate, 4.0 * rate, quality="VHQ")
    loud = np.array([np.square(mono[int(a) : int(b) + 1]).mean() for a, b in pairwise(marks.tolist())])
    there = np.flatnonzero(loud > 1e-5 * loud.max())
    chosen = there[np.unique(np.linspace(0, len(there) - 1, min(len(there), count)).astype(int))]
    made = np.stack([_one(finer, 4.0 * marks[k], 4.0 * marks[k + 1]) for k in chosen])
    sure = _alike(np.stack([_one(finer, 4.0 * marks[k], 4.0 * marks[k + 1]) for k in there[: 4 * MOST_FRAMES]]))
    made *= 0.9 / max(float(np.abs(made).max()), 1e-9)
    middle = there[len(there) // 2]
    return Cycles(made.astype(np.float32), float(rate / (marks[middle + 1] - marks[middle])), sure)


def _turns(mono: NDArray[np.float64], rate: float, hertz: float) -> NDArray[np.float64]:
    """Where the fundamental goes through the beginning of its cycle, in frames with a fraction."""
    size = 1 << (len(mono) - 1).bit_length()
    spectrum, at = np.fft.fft(mono, size), np.fft.fftfreq(size, 1 / rate)
    window = np.exp(-0.5 * ((at - hertz) / (0.22 * hertz)) ** 2) * (at > 0)
    phase = np.unwrap(np.angle(np.fft.ifft(2.0 * spectrum * window)[: len(mono)])) / (2 * np.pi) + 0.25
    rising = np.maximum.accumulate(phase)
    first, last = int(np.ceil(rising[0])), int(np.floor(rising[-1]))
    if last - first < 2:
        return np.zeros(0)
    marks = np.interp(np.arange(first, last + 1), rising, np.arange(len(mono)))
    length = np.diff(marks) * hertz / rate
    good = np.flatnonzero((length > 0.6) & (length < 1.7))
    if not len(good):
        return np.zeros(0)
    runs = np.split(good, np.flatnonzero(np.diff(good) > 1) + 1)
    longest = max(runs, key=len)
    return np.asarray(marks[longest[0] : longest[-1] + 2])


def _one(sound: NDArray[np.float64], begin: float, end: float) -> NDArray[np.float64]:
    """One cycle as 2048 samples whose end meets its beginning, without what stands still."""
    first, last = max(int(begin), 0), min(int(end) + 2, len(sound))
    at = np.linspace(begin - first, end - first, CYCLE + 1)
    found = np.interp(at, np.arange(last - first), sound[first:last])
    found -= np.linspace(0.0, found[-1] - found[0], CYCLE + 1)
    return np.asarray(found[:-1] - found[:-1].mean())


def _alike(cycles: NDArray[np.float64]) -> float:
    """The middle of how alike each cycle is with the next, 0 to 1."""
    one, next_ = cycles[:-1], cycles[1:]
    power = np.sqrt((one**2).sum(axis=1) * (next_**2).sum(axis=1))
    return float(np.clip(np.median((one * next_).sum(axis=1) / np.maximum(power, 1e-12)), 0.0, 1.0))
