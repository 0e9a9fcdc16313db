"""Measuring a preset: its loudness, its peak and its swatch, from a render with the phrase of its kind."""

from __future__ import annotations

import hashlib
import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from felt_dial.bank.measuring.deviation import NOT_APART, Apart
from felt_dial.bank.measuring.features import Features
from felt_dial.patch.patch import NOT_SOUND, Patch

RATE = 48000
SWATCH_SECONDS = 4.0
SWATCH_SHAPE = (64, 160)


@dataclass(frozen=True)
class Measurement:
    """What was measured.

    Attributes
    ----------
    lufs : float
        Integrated loudness of the phrase, −inf for silence.
    peak : float
        dBFS of the largest sample.
    swatch : uint8, shape (64, 160)
        Spectrogram from 20 Hz (last row) to 20 kHz (first), 0 = −84 dB, 255 = loudest.
    features : Features
        Of one note, so that sounds are compared and not phrases.
    cost : float
        The part of a core that its phrase takes at quality 1, as it was on this machine.
    apart : Apart
        How far a note of it, played live, lies from a render.
    """

    lufs: float
    peak: float
    swatch: NDArray[np.uint8]
    features: Features
    cost: float
    apart: Apart = NOT_APART


def sound_key(patch: Patch) -> str:
    """SHA-256 of all that bears on the sound: equal keys sound equal."""
    plain = patch.model_copy(update={key: Patch.model_fields[key].get_default() for key in NOT_SOUND})
    return hashlib.sha256(plain.model_dump_json().encode()).hexdigest()


def swatch_of(sound: NDArray[np.float32], rate: int) -> NDArray[np.uint8]:
    """Spectrogram of a sound (2, frame) as rows of log frequency and columns of time; uint8 (64, 160)."""
    rows, columns = SWATCH_SHAPE
    size = 4096
    mono = np.pad(sound.mean(axis=0), (size // 2, size))
    window = np.hanning(size)
    hop = (sound.shape[1] - 1) / max(columns - 1, 1)
    frames = np.stack([mono[int(c * hop) : int(c * hop) + size] * window for c in range(columns)])
    power = np.abs(np.fft.rfft(frames, axis=1)) ** 2
    edges = np.geomspace(20.0, 20000.0, rows + 1) * size / rate
    picture = np.zeros((rows, columns))
    for row in range(rows):
        low, high = edges[row], edges[row + 1]
        bins = np.arange(math.ceil(low), math.ceil(high))
        if len(bins):
            picture[row] = power[:, bins].max(axis=1)
        else:
            part = (low + high) / 2
            at = int(part)
            picture[row] = power[:, at] + (part - at) * (power[:, at + 1] - power[:, at])
    decibels = 10 * np.log10(np.maximum(picture / max(float(picture.max()), 1e-12), 1e-12))
    return np.clip((decibels[::-1] + 84) / 84 * 255, 0, 255).astype(np.uint8)
