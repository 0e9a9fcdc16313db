"""Levels: single cycles cut from a recording and made band-limited, at every number of harmonics that may fit."""

from __future__ import annotations

import math
import re
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.asset import Asset
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.kept import fixed, kept

CYCLE = 2048
MOST_FRAMES = 256
MOST_HARMONICS = 1024


class Levels(NamedTuple):
    """A table ready to be read.

    Attributes
    ----------
    samples : float32 (total,)
        Each cycle is followed by a copy of its first sample.
    offsets : int32 (frame, level)
    shifts : uint32 (level,)
        `phase >> shift` is the index for a uint32 phase.
    level_of : int32 (MOST_HARMONICS + 1,)
        The fullest level with no more than the given number of harmonics.
    """

    samples: NDArray[np.float32]
    offsets: NDArray[np.int32]
    shifts: NDArray[np.uint32]
    level_of: NDArray[np.int32]


def cut_cycles(sound: NDArray[np.float32], cycle: int) -> NDArray[np.float32]:
    """The recording's first channel as cycles, float32 (frame, cycle): at most 256, the last one filled up."""
    count = min(max(1, math.ceil(len(sound) / cycle)), MOST_FRAMES)
    held = np.zeros(count * cycle, np.float32)
    held[: min(len(sound), count * cycle)] = sound[: count * cycle]
    return held.reshape(count, cycle)


POWERS = (4096, 2048, 1024, 512, 256, 128, 64)
UNLIKE = 1.2
"""From here on neighbours have nothing in common but that they close."""
LIKE_A_TABLE = 0.5
"""How much a cycle may change to the next, as a part of its power, in what is taken for a table."""


def is_table(sound: NDArray[np.float32]) -> bool:
    """True where a recording looks like single cycles in a row: a length that they divide, each much like the next."""
    cycle = guess_cycle(sound)
    if len(sound) <= CYCLE or len(sound) % cycle:
        return len(sound) <= CYCLE
    frames = cut_cycles(sound, cycle).astype(np.float64)
    return float(np.square(np.diff(frames, axis=0)).mean() / (np.square(frames).mean() + 1e-12)) < LIKE_A_TABLE


def guess_cycle(sound: NDArray[np.float32]) -> int:
    """Length of the single cycles in a recording, as likely as it gets: the first of `likely_cycles`."""
    return likely_cycles(sound)[0]


def cycle_of_name(name: str, size: int) -> int | None:
    """The length of a cycle by a name such as `Pads 2048` or `Pads x64`.

    None where it does not divide `size` frames into as many as a table may have.
    """
    for number in re.findall(r"(?<![\d.])x(\d{1,3})(?!\d)", name, re.IGNORECASE):
        count = int(number)
        if 1 < count <= MOST_FRAMES and size % count == 0 and size // count >= 16:
            return size // count
    lengths = (int(number) for number in re.findall(r"(?<!\d)(\d{2,4})(?!\d)", name))
    return next((n for n in lengths if n in POWERS and size % n == 0 and size // n <= MOST_FRAMES), None)


def table_cycles(sound: NDArray[np.float32], name: str = "", noted: int | None = None) -> list[int]:
    """Lengths of the cycles of a table, best first: the one that its file notes, the one that it is called by, or those that are
    likely; none for what does not look like single cycles in a row."""
    if told := noted or cycle_of_name(name, len(sound)):
        return [told]
    return likely_cycles(sound) if is_table(sound) else []


def likely_cycles(sound: NDArray[np.float32]) -> list[int]:
    """Lengths of the single cycles in a recording, best first, and the runner-up where it is nearly as likely.

    A short one is a single cycle; else the powers of two, from 4096 down to 64, that divide it into cycles that close and are
    most like their neighbours: of those that are as good the shortest, or, where none is like its neighbours, the one nearest
    to 2048. What none of them divides is cut at 2048.
    """
    size = len(sound)
    if size < 2 * 64 or (size & (size - 1) and size < CYCLE):
        return [size]
    fits = [c for c in POWERS if size % c == 0 and size // c <= MOST_FRAMES]
    if not fits:
        return [CYCLE if size > CYCLE else size]
    if size in fits and size <= CYCLE:
        return [size]

    scores = {cycle: _apart(cut_cycles(sound, cycle).astype(np.float64)) for cycle in fits}
    best = min(scores.values())
    near = [cycle for cycle in fits if scores[cycle] <= 1.2 * best + 0.002]
    if best < UNLIKE:  # what has gone round once goes round twice as well
        return sorted(near)[:2]
    return sorted(near, key=lambda cycle: abs(math.log2(cycle / CYCLE)))[:2]


def _apart(frames: NDArray[np.float64]) -> float:
    """How little cycles close, and how little each is like the next."""
    if len(frames) < 2:
        return UNLIKE
    seams = np.abs(frames[:, 0] - frames[:, -1]).mean() / (np.abs(np.diff(frames)).mean() + 1e-9)
    change = np.square(np.diff(frames, axis=0)).mean() / (np.square(frames).mean() + 1e-12)
    return float(change + 0.1 * seams)


def spectra_of(frames: NDArray[np.float32], morph: str) -> NDArray[np.complex128]:
    """Harmonics of every frame, complex (frame, harmonic); more frames between them for the spectral morph.

    Between two frames the magnitudes move in straight lines and the phases the shorter way round.
    """
    size = frames.shape[1]
    count = min(MOST_HARMONICS, (size - 1) // 2)
    spectra: NDArray[np.complex128] = np.fft.rfft(frames.astype(np.float64), axis=1)[:, : count + 1] * (2.0 / size)
    spectra[:, 0] = 0.0
    if morph != "spectrum" or len(frames) == 1:
        return spectra
    steps = max(1, min(8, (MOST_FRAMES - 1) // (len(frames) - 1)))
    below, above = spectra[:-1], spectra[1:]
    turn = np.angle(above * np.conj(below))
    made = []
    for part in np.arange(steps) / steps:
        size_ = (1 - part) * np.abs(below) + part * np.abs(above)
        made.append(size_ * np.exp(1j * (np.angle(below) + part * turn)))
    between = np.stack(made, axis=1).reshape(-1, spectra.shape[1])
    return np.concatenate([between, spectra[-1:]])


def _counts(quickly: bool = False) -> list[int]:
    """Numbers of harmonics of the levels, half an octave apart; no more than 512 where they are made `quickly`."""
    counts = sorted({round(MOST_HARMONICS / 2 ** (n / 2)) for n in range(21)} | {1})
    return [count for count in counts if count <= MOST_HARMONICS // 2] if quickly else counts


def make_levels(spectra: NDArray[np.complex128], quickly: bool = False) -> Levels:
    """Band-limited cycles of every frame, at every level.

    A level of h harmonics has at least 64·h samples (32·h in a long table), up to 16384, for linear
    interpolation, whose droop sinc²(h / L) is divided out and whose images lie (h / L)² below. What is made `quickly` has 12·h,
    at least 256, and half as many harmonics, which the ear misses below 47 Hz only.
    """
    counts = _counts(quickly)
    finer = 12 if quickly else 64 if len(spectra) <= 96 else 32
    frames, total = len(spectra), 0
    bits = [min(max(math.ceil(math.log2(finer * harmonics)), 8 if quickly else 11), 14) for harmonics in counts]
    samples = np.empty(frames * sum((1 << size) + 1 for size in bits), np.float32)
    offsets = np.zeros((frames, len(counts)), np.int32)
    for level, harmonics in enumerate(counts):
        size = 1 << bits[level]
        h = np.arange(min(harmonics, spectra.shape[1] - 1) + 1)
        full = np.zeros((frames, size // 2 + 1), np.complex64)  # in single precision, which rounds 140 dB down
        full[:, : len(h)] = spectra[:, : len(h)] * ((size / 2) / np.sinc(h / size) ** 2)
        rows = samples[total : total + frames * (size + 1)].reshape(frames, size + 1)
        rows[:, :-1] = np.fft.irfft(full, size, axis=1)
        rows[:, -1] = rows[:, 0]
        offsets[:, level] = total + np.arange(frames) * (size + 1)
        total += frames * (size + 1)
    shifts = np.array([32 - size for size in bits], np.uint32)
    level_of = np.maximum(np.searchsorted(counts, np.arange(MOST_HARMONICS + 1), side="right") - 1, 0)
    made = Levels(samples, offsets, shifts, level_of.astype(np.int32))
    for array in made:
        fixed(array)
    return made


@kept
def _levels(digest: str, cycle: int, morph: str, asset: Asset) -> Levels:
    sound = assets.load(asset)
    frames = np.zeros((1, CYCLE), np.float32) if sound is None else cut_cycles(sound[0], cycle)
    return make_levels(spectra_of(frames, "crossfade" if asset.draft else morph), asset.draft)


def table_of(asset: Asset | None, cycle: int, morph: str) -> Levels:
    """The levels of a table, made once per process; silence where there is none."""
    if asset is None or assets.find(asset) is None:
        return _silence()
    return _levels(asset.digest, cycle, morph, asset)


@lru_cache(maxsize=1)
def _silence() -> Levels:
    return make_levels(np.zeros((1, 2), np.complex128))


def table_picture(frames: NDArray[np.float32], position: float, reshape: str, amount: float, points: int) -> NDArray:
    """One cycle of a table, float32 (frame, sample), as it is read at a position, for drawing; shape (points,)."""
    place = position * (len(frames) - 1)
    below = min(int(place), max(len(frames) - 2, 0))
    above = min(below + 1, len(frames) - 1)
    x = np.linspace(0.0, 1.0, points)
    much = abs(amount)

    def read(at: NDArray) -> NDArray[np.float64]:
        cycle = (1 - place + below) * frames[below] + (place - below) * frames[above]
        found: NDArray[np.float64] = np.interp(at * len(cycle), np.arange(len(cycle) + 1), np.append(cycle, cycle[0]))
        return found

    if reshape == "bend":
        middle = 0.5 + 0.49 * amount
        return read(np.where(x < middle, 0.5 * x / middle, 0.5 + 0.5 * (x - middle) / (1 - middle)))
    if reshape == "squeeze":
        return read(np.minimum(x / (1 - 0.96 * much), 1.0))
    if reshape == "mirror":
        return np.asarray((1 - much) * read(x) + much * read(1 - np.abs(2 * x - 1)))
    if reshape == "stretch":
        return read(x * 8.0**much % 1.0)
    if reshape == "fold":
        return np.asarray(1 - np.abs((read(x) * (1 + 7 * much) + 3) % 4 - 2))
    if reshape == "step":
        steps = 64.0 / 32.0**much
        return np.asarray(read(x) + min(16 * much, 1.0) * (read(np.floor(x * steps) / steps) - read(x)))
    return read(x)
