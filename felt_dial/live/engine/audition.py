"""Listening to a recording before it is taken: played beside the patch, at a steady loudness."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.matter.audio_file import read_part

LOUDNESS, CEILING = -20.0, 0.7
"""dB of the loudest 400 ms (mean square, both channels), and the highest sample that this may come to."""
LONGEST, LONGEST_PART, FADE = 12.0, 30.0, 0.03
"""Seconds that are heard at most, of a part with an end too, and those in which what is cut off fades."""


def for_hearing(
    path: Path, rate: float, first: float = 0.0, last: float = 0.0, loops: bool = False, levelled: bool = True
) -> NDArray[np.float32]:
    """A recording from a second on as it is heard, to `last` where that is not 0, float32 (2, frames) at `rate`.

    `levelled` brings all to one loudness; else it is as loud as it is, up to full scale. What goes round is heard as it
    is at its ends; else it fades where it is cut off. Raises `BadAudio` for what cannot be read.
    """
    seconds = min(last - first, LONGEST_PART) if last > first else LONGEST
    audio, whole = read_part(path, first, seconds)
    both = audio.in_stereo(rate)
    fade = min(int(FADE * rate), both.shape[1])
    if fade and not whole and not loops:
        both[:, -fade:] *= np.linspace(1.0, 0.0, fade, dtype=np.float32)
    if first > 0.0 and not loops:
        rise = min(int(0.004 * rate), both.shape[1])
        both[:, :rise] *= np.linspace(0.0, 1.0, rise, dtype=np.float32)
    peak = float(np.abs(both).max(initial=0.0))
    return both * (_gain(both, rate, peak) if levelled else np.float32(1.0 / max(peak, 1.0)))


def _gain(sound: NDArray[np.float32], rate: float, peak: float) -> np.float32:
    """What brings the loudest 400 ms to the loudness, without going over the ceiling."""
    if peak < 1e-6:
        return np.float32(0.0)
    power, window = np.mean(np.square(sound, dtype=np.float64), axis=0), max(int(0.4 * rate), 1)
    summed = np.concatenate([[0.0], np.cumsum(power)])
    window = min(window, len(power))
    loudest = float((summed[window:] - summed[:-window]).max()) / window
    wanted = 10.0 ** (LOUDNESS / 20.0) / np.sqrt(max(loudest, 1e-12))
    return np.float32(min(wanted, CEILING / peak))


class Audition:
    """What is listened to now; one that is replaced or stopped fades within a block."""

    def __init__(self) -> None:
        self.sound = np.zeros((2, 0), np.float32)
        self.at, self.loops = 0, False
        self._next: tuple[NDArray[np.float32], bool] | None = None

    @property
    def sounding(self) -> bool:
        """True while something of it is still to be heard."""
        return self._next is not None or self.loops or self.at < self.sound.shape[1]

    def begin(self, sound: NDArray[np.float32], loops: bool = False) -> None:
        """Another recording, float32 (2, frames), from the next block on; an empty one stops. From any thread."""
        self._next = sound, loops and sound.shape[1] > 0

    def add_to(self, out: NDArray[np.float32]) -> None:
        """Adds the next frames to a block."""
        left = self._take(out.shape[1])
        upcoming, self._next = self._next, None
        if upcoming is not None:
            left = left * np.linspace(1.0, 0.0, left.shape[1], dtype=np.float32)
        out[:, : left.shape[1]] += left
        if upcoming is not None:
            (self.sound, self.loops), self.at = upcoming, 0

    def _take(self, count: int) -> NDArray[np.float32]:
        """The next frames, fewer at its end; round and round where it loops."""
        size = self.sound.shape[1]
        if self.loops:
            found = self.sound[:, (self.at + np.arange(count)) % size]
            self.at = (self.at + count) % size
            return found
        left = self.sound[:, self.at : self.at + count]
        self.at += count
        return left
