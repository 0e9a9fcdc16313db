"""The picture of a recording: lowest and highest samples at any zoom, from a pyramid."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.matter.audio_file import heard_here_and_there

FIRST, STEP, FINER = 64, 4, 4
"""Frames of a column of the finest level, how many columns become one of the next, and how many times finer than what is
drawn a level is at least."""


class Peaks:
    """A pyramid of lowest and highest samples, made once for a recording, float32 (channel, frame)."""

    def __init__(self, sound: NDArray[np.float32]) -> None:
        self.sound = sound
        self.levels: list[tuple[int, NDArray[np.float32], NDArray[np.float32]]] = []
        whole = sound.shape[1] // FIRST
        if not whole:
            return
        cut = sound[:, : whole * FIRST].reshape(len(sound), whole, FIRST)
        low, high, size = cut.min(axis=2), cut.max(axis=2), FIRST
        while True:
            self.levels.append((size, low, high))
            count = low.shape[1] // STEP
            if count < 256:
                return
            low = low[:, : count * STEP].reshape(len(sound), count, STEP).min(axis=2)
            high = high[:, : count * STEP].reshape(len(sound), count, STEP).max(axis=2)
            size *= STEP

    @property
    def top(self) -> float:
        """The farthest from zero that it goes."""
        low, high = self.levels[-1][1:] if self.levels else (self.sound, self.sound)
        return max(-float(low.min()), float(high.max()), 1e-6)

    def columns(self, first: float, last: float, count: int) -> NDArray[np.float32]:
        """Lowest and highest samples of so many columns between two frames, float32 (channel, 2, column).

        Of a column narrower than a frame both are the sample there.
        """
        edges = np.linspace(first, last, count + 1)
        wide = (last - first) / max(count, 1)
        fits = [level for level in self.levels if FINER * level[0] <= wide]
        frames = self.sound.shape[1]
        if not fits:
            low = high = self.sound
            size = 1
        else:
            size, low, high = fits[-1]
        begin = np.clip((edges[:-1] / size).astype(np.int64), 0, low.shape[1] - 1)
        end = np.maximum(np.clip((edges[1:] / size).astype(np.int64), 0, low.shape[1]), begin + 1)
        if wide < 1.0:
            at = np.clip(np.rint(edges[:-1]).astype(np.int64), 0, frames - 1)
            return np.stack([self.sound[:, at], self.sound[:, at]], axis=1)
        bounds = np.empty(2 * count, np.int64)
        bounds[::2], bounds[1::2] = begin, np.minimum(end, low.shape[1] - 1)
        bounds[1::2] = np.maximum(bounds[1::2], begin)
        last_block = int(bounds[-1]) + 1  # the last one would reach to the end of everything
        found_low = np.minimum.reduceat(low[:, bounds[0] : last_block], bounds - bounds[0], axis=1)[:, ::2]
        found_high = np.maximum.reduceat(high[:, bounds[0] : last_block], bounds - bounds[0], axis=1)[:, ::2]
        return np.stack([found_low, found_high], axis=1)


LOOKS, LOOK = 900, 512
"""In how many places a long file is looked at before all of it is read, and frames of each look."""


class FirstLook:
    """About what a long recording looks like, from so many short looks into its file; raises `BadAudio`."""

    def __init__(self, path: Path) -> None:
        self.frames, heard = heard_here_and_there(path, LOOKS, LOOK)
        self._found = np.stack([heard.min(axis=2), heard.max(axis=2)], axis=1)

    @property
    def top(self) -> float:
        """The farthest from zero that was seen."""
        return max(float(np.abs(self._found).max()), 1e-6)

    def columns(self, first: float, last: float, count: int) -> NDArray[np.float32]:
        """Lowest and highest samples of so many columns between two frames, float32 (channel, 2, column), as far as was seen."""
        middles = (np.arange(count) + 0.5) / count * (last - first) + first
        nearest = np.clip((middles / self.frames * self._found.shape[2]).astype(int), 0, self._found.shape[2] - 1)
        return np.asarray(self._found[:, :, nearest], np.float32)
