"""Rates: going up to a multiple of the rate and down again, and delays that keep sounds in step."""

from __future__ import annotations

import math
from functools import cache

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.plan import Plan
from felt_dial.sound.engine.kernels.arranging import run_copy
from felt_dial.sound.engine.kernels.rates import run_double, run_halve, run_pad

Sound = NDArray[np.float32]


@cache
def half_band(attenuation: float = 110.0, width: float = 0.05) -> NDArray[np.float64]:
    """Taps of a half-band low-pass, Kaiser window (J. F. Kaiser, 1974), `width` of the rate between bands."""
    count = math.ceil((attenuation - 7.95) / (14.36 * width))
    half = (count // 4) * 2 + 1
    n = np.arange(-half, half + 1)
    taps = 0.5 * np.sinc(n / 2) * np.kaiser(2 * half + 1, 0.1102 * (attenuation - 8.7))
    scaled: NDArray[np.float64] = taps / taps.sum()
    return scaled


def _apart() -> tuple[NDArray[np.float32], np.float32]:
    """The taps of a half-band that are not in its middle, and the middle; the others are nothing."""
    taps = half_band().astype(np.float32)
    centre = len(taps) // 2
    return np.ascontiguousarray(taps[1 - centre % 2 :: 2]), taps[centre]


class Pad:
    """A delay of whole frames that keeps one sound in step with another; `always` remembers also what need not wait yet."""

    def __init__(self, most: int, frames: int, always: bool = False) -> None:
        self._line = np.zeros((2, 1 << math.ceil(math.log2(most + frames + 2))), np.float32)
        self._state = np.array([0, -1])
        self._used = always

    def plan(self, plan: Plan, sound: Sound, wait: int) -> None:
        """Delays `sound`, float32 (2, frame), in place."""
        if self._state[1] < 0:
            self._state[1] = wait
        if wait or self._used:
            self._used = True
            plan.call(run_pad, sound, self._line, self._state, wait)


def down_latency(quality: int) -> float:
    """Frames by which the way down from `quality` times the rate is late, before it is made whole."""
    centre = len(half_band()) // 2
    return float(sum(centre / 2.0**step for step in range(1, int(math.log2(quality)) + 1)))


class Down:
    """From `quality` times the rate to the rate, late by a whole number of frames.

    `late` is by how many frames it is late in all, where something before it is late too.
    """

    def __init__(self, frames: int, quality: int, late: float | None = None) -> None:
        self.fine = np.zeros((2, frames * quality), np.float32)
        self.out = self.fine if quality == 1 else np.zeros((2, frames), np.float32)
        exact = down_latency(quality) if late is None else late
        self.late = math.ceil(exact)
        self._rest = round((self.late - exact) * quality)
        self._pad = Pad(quality, frames * quality)
        self._taps, self._middle = _apart()
        self._halves: list[tuple[Sound, Sound, Sound]] = []
        below, size = self.fine, frames * quality
        while size > frames:
            size //= 2
            target = self.out if size == frames else np.zeros((2, size), np.float32)
            history = np.zeros((2, 2, len(self._taps) - 1 + size), np.float32)
            self._halves.append((below, target, history))
            below = target

    def plan(self, plan: Plan) -> None:
        """Fills `out` from `fine`."""
        if self._rest:
            self._pad.plan(plan, self.fine, self._rest)
        for below, above, history in self._halves:
            plan.call(run_halve, below, above, history, self._taps, self._middle)


class Up:
    """From the rate to `quality` times the rate."""

    def __init__(self, frames: int, quality: int) -> None:
        self._taps, self._middle = _apart()
        self._steps: list[tuple[Sound, Sound, Sound]] = []
        even = np.zeros(frames * quality // 2, np.float32)
        size = frames
        while size < frames * quality:
            history = np.zeros((2, len(self._taps) - 1 + size), np.float32)
            self._steps.append((history, np.zeros((2, 2 * size), np.float32), even[:size]))
            size *= 2

    def plan(self, plan: Plan, sound: Sound) -> Sound:
        """`sound` (2, frame) at the finer rate; valid until what comes next."""
        for history, out, even in self._steps:
            plan.call(run_double, sound, out, history, even, self._taps, self._middle)
            sound = out
        return sound


class Finer:
    """Runs something at `quality` times the rate, itself `late` by frames of that, late in all by a whole number of frames."""

    def __init__(self, frames: int, quality: int, late: int = 0) -> None:
        self._up, self._down = Up(frames, quality), Down(frames, quality, 2 * down_latency(quality) + late / quality)
        self.late = self._down.late

    def lift(self, plan: Plan, sound: Sound) -> Sound:
        """The sound at the finer rate, to be worked on in place."""
        fine = self._down.fine
        plan.call(run_copy, self._up.plan(plan, sound), fine)
        return fine

    def drop(self, plan: Plan, sound: Sound) -> None:
        """What became of it, brought down into `sound`."""
        self._down.plan(plan)
        plan.call(run_copy, self._down.out, sound)
