"""Listening to a recording before it is taken: played beside the patch, at a steady loudness."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import soxr
from numpy.typing import NDArray

from felt_dial.sound.matter.audio_file import read_audio

LOUDNESS, CEILING = -20.0, 0.7
"""dB of the loudest 400 ms (mean square, both channels), and the highest sample that this may come to."""
LONGEST, FADE = 12.0, 0.03
"""Seconds that are heard at most, and those in which what is cut off fades."""


def for_hearing(path: Path, rate: float) -> NDArray[np.float32]:
    """The beginning of a recording as it is heard, float32 (2, frames) at `rate`.

    Raises `BadAudio` for what cannot be read.
    """
    audio = read_audio(path)
    cut = audio.sound[:, : int(LONGEST * audio.rate)]
    both = np.ascontiguousarray(np.repeat(cut, 2, axis=0) if len(cut) == 1 else cut[:2], np.float32)
    if audio.rate != rate:
        both = np.ascontiguousarray(soxr.resample(both.T, audio.rate, rate).T, np.float32)
    fade = min(int(FADE * rate), both.shape[1])
    if fade and cut.shape[1] < audio.sound.shape[1]:
        both[:, -fade:] *= np.linspace(1.0, 0.0, fade, dtype=np.float32)
    return both * _gain(both, rate)


def _gain(sound: NDArray[np.float32], rate: float) -> np.float32:
    """What brings the loudest 400 ms to the loudness, without going over the ceiling."""
    peak = float(np.abs(sound).max(initial=0.0))
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
        self.at = 0
        self._next: NDArray[np.float32] | None = None

    @property
    def sounding(self) -> bool:
        """True while something of it is still to be heard."""
        return self._next is not None or self.at < self.sound.shape[1]

    def begin(self, sound: NDArray[np.float32]) -> None:
        """Another recording, float32 (2, frames), from the next block on; an empty one stops. From any thread."""
        self._next = sound

    def add_to(self, out: NDArray[np.float32]) -> None:
        """Adds the next frames to a block."""
        left = self.sound[:, self.at : self.at + out.shape[1]]
        upcoming, self._next = self._next, None
        if upcoming is not None:
            left = left * np.linspace(1.0, 0.0, left.shape[1], dtype=np.float32)
        out[:, : left.shape[1]] += left
        self.at += out.shape[1]
        if upcoming is not None:
            self.sound, self.at = upcoming, 0
