"""The key that a recording sounds at, how sure that is, and where it glides to."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.units import note_name
from felt_dial.sound.matter.analysis import pitch_of

LOWEST, HIGHEST = 24.0, 4400.0
HOP = 0.01
AGREES = 0.5
"""Semitones within which a look agrees with the whole."""
GLIDES = 0.8
"""Semitones between beginning and end from which a recording is said to glide."""
LEAST_SURE = 0.35
SURE = 0.6
"""From here on a root is taken without a word of doubt."""


@dataclass(frozen=True, eq=False)
class Root:
    """What was found out about the pitch of a recording; each finding is itself, and equal to no other.

    Attributes
    ----------
    key : float or None
        MIDI key with cents as its fraction; None where there is no pitch.
    sure : float
        The part of the loud looks that agree, 0 to 1.
    times, keys : float (look,)
        The pitch of each look in seconds and keys; NaN where it has none.
    begins, ends : float or None
        Keys at its beginning and its end where it glides.
    """

    key: float | None
    sure: float
    times: NDArray[np.float64]
    keys: NDArray[np.float64]
    begins: float | None = None
    ends: float | None = None

    def says(self) -> str:
        """What was found, in a few words."""
        if self.key is None:
            return "no root found"
        if self.begins is not None and self.ends is not None:
            verb = "falls" if self.ends < self.begins else "rises"
            return f"{verb} from {note_name(round(self.begins))} to {note_name(round(self.ends))}"
        cents = round(100 * (self.key - round(self.key)))
        fine = f" {'+' if cents > 0 else '−'}{abs(cents)} ct" if cents else ""
        return f"{note_name(round(self.key))}{fine}, {100 * self.sure:.0f} % sure"


def track(sound: NDArray[np.float32], rate: float, most: int = 400) -> tuple[NDArray, NDArray, NDArray]:
    """Pitch over time by YIN (A. de Cheveigné, H. Kawahara, JASA 111(4), 2002).

    Returns
    -------
    times, hertz, level : float (look,)
        Seconds, Hz (NaN where none is found) and the root mean square of each look.
    """
    mono = sound.mean(axis=0).astype(np.float64)
    slow = max(1, int(rate / 24000))
    if slow > 1:  # pitch needs no treble
        whole = len(mono) // slow
        mono, rate = mono[: whole * slow].reshape(whole, slow).mean(axis=1), rate / slow
    longest = int(rate / LOWEST)
    size = 2 * longest
    if len(mono) < size + longest:
        mono = np.pad(mono, (0, size + longest - len(mono)))
    looks = int(np.clip((len(mono) - size - longest) / (HOP * rate), 1, most))
    starts = np.linspace(0, len(mono) - size - longest, looks).astype(int)
    pieces = mono[starts[:, None] + np.arange(size + longest)]
    pieces = pieces - pieces.mean(axis=1, keepdims=True)
    full = 1 << (size + longest - 1).bit_length()
    cross = np.fft.irfft(np.fft.rfft(pieces, full) * np.conj(np.fft.rfft(pieces[:, :size], full)), full)[
        :, : longest + 1
    ]
    squares = np.concatenate([np.zeros((looks, 1)), np.cumsum(pieces**2, axis=1)], axis=1)
    power = squares[:, size : size + longest + 1] - squares[:, : longest + 1]
    apart = np.maximum(power[:, :1] + power - 2 * cross, 0.0)
    mean = np.cumsum(apart[:, 1:], axis=1) / np.arange(1, longest + 1)
    d = np.concatenate([np.ones((looks, 1)), apart[:, 1:] / np.maximum(mean, 1e-12)], axis=1)
    first = int(rate / HIGHEST)
    hertz = np.full(looks, np.nan)
    for n, row in enumerate(d):
        below = np.flatnonzero(row[first:] < 0.15)
        if not len(below):
            continue
        k = first + int(below[0])
        while k + 1 < len(row) and row[k + 1] < row[k]:
            k += 1
        bottom = row[k - 1] - 2 * row[k] + row[k + 1] if 0 < k < len(row) - 1 else 0.0
        part = 0.5 * (row[k - 1] - row[k + 1]) / bottom if bottom > 1e-12 else 0.0
        hertz[n] = rate / (k + part)
    level = np.sqrt((pieces[:, :size] ** 2).mean(axis=1))
    return starts / rate + size / (2 * rate), hertz, level


def root_of(sound: NDArray[np.float32], rate: float) -> Root:
    """The root of a recording, float32 (channel, frame)."""
    times, hertz, level = track(sound, rate)
    keys = 69.0 + 12.0 * np.log2(np.where(np.isnan(hertz), 440.0, hertz) / 440.0)
    keys = np.where(np.isnan(hertz), np.nan, keys)
    loud = level > 0.05 * max(float(level.max()), 1e-9)
    found = pitch_of(sound[:, : int(20 * rate)], rate)
    if found is None:
        return Root(None, 0.0, times, keys)
    key = 69.0 + 12.0 * math.log2(found / 440.0)
    pitched = loud & ~np.isnan(keys)
    away = np.abs((keys - key + 6.0) % 12.0 - 6.0)  # octaves apart agree on the name at least
    sure = float((pitched & (away < AGREES)).sum() / max(int(loud.sum()), 1))
    if sure < LEAST_SURE and pitched.sum() > 0.5 * loud.sum():  # another pitch is there for longer
        counts, edges = np.histogram(keys[pitched], bins=np.arange(0.0, 128.0, 0.5))
        middle = edges[int(np.argmax(counts))] + 0.25
        near = pitched & (np.abs(keys - middle) < AGREES)
        key, sure = float(np.median(keys[near])), float(near.sum() / loud.sum())
    if pitched.sum() >= 8:
        voiced = keys[pitched]
        part = max(len(voiced) // 4, 4)
        begins = float(np.polyval(np.polyfit(np.arange(part), voiced[:part], 1), 0))
        ends = float(np.polyval(np.polyfit(np.arange(part), voiced[-part:], 1), part - 1))
        middles = np.array([np.median(piece) for piece in np.array_split(voiced, 6)])
        steps = np.diff(middles) / (ends - begins) if abs(ends - begins) > GLIDES else np.array([-1.0])
        if steps.min() > 0.02 and abs(ends - begins) < 48 and pitched.sum() > 0.5 * loud.sum():
            return Root(
                float(np.median(voiced)), float(pitched.sum() / max(int(loud.sum()), 1)), times, keys, begins, ends
            )
    if sure < LEAST_SURE and len(sound[0]) > 0.25 * rate:
        return Root(None, sure, times, keys)
    return Root(key, max(sure, 0.01), times, keys)
