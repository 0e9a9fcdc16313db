"""Features: what is measured of a sound so that one can be said to be like another, and how far two are apart.

Each axis is scaled so that 1 is plainly another sound. What they are is common practice in describing timbre; the
scales are ours.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

BANDS = 24
SIZE, HOP = 2048, 512
FLOOR_DB = -60.0
LENGTHS = (0.002, 6.0)


class Features(NamedTuple):
    """Attributes
    ----------
    bright : float
        Octaves above 100 Hz of the middle of its power by ear (mel bands).
    attack, length : float
        Seconds from 5 to 80 % of its highest level, and until it is 30 dB under it.
    noise : float
        0 for tones to 1 for noise: the flatness of the spectrum between its bands' peaks.
    movement : float
        How much its spectrum changes from look to look, in dB, while it is loud.
    width : float
        0 in the middle to 1 where the sides are as strong.
    shape : float (24,)
        Levels of mel bands over all of it in dB under the strongest, down to −60.
    """

    bright: float
    attack: float
    length: float
    noise: float
    movement: float
    width: float
    shape: NDArray[np.float64]


AXES = {
    "bright": ("brighter", "darker", 1.4),
    "attack": ("slower attack", "quicker attack", 0.7),
    "length": ("longer", "shorter", 0.6),
    "noise": ("noisier", "more tonal", 0.28),
    "movement": ("more movement", "stiller", 2.5),
    "width": ("wider", "narrower", 0.4),
}
"""Every axis but the shape: the words for more and for less, and how much is plainly another sound."""
SHAPE_DB = 11.0
SAME = 0.18
"""On an axis, as a part of what is plainly another, under which two count as the same."""


def _mel(hertz: float) -> float:
    return 2595.0 * math.log10(1 + hertz / 700.0)


def mel_edges(low: float, high: float, bands: int, rate: float, size: int) -> NDArray[np.int64]:
    """Where bands begin that are even by ear, in bins of a spectrum over `size` frames; (bands + 1,).

    S. S. Stevens, J. Volkmann, E. B. Newman, JASA 8 (1937), in the form that is common practice.
    """
    edges = np.linspace(_mel(low), _mel(high), bands + 1)
    bins = np.round(700.0 * (10 ** (edges / 2595.0) - 1) * size / rate).astype(np.int64)
    return np.maximum.accumulate(np.maximum(bins, np.arange(bands + 1) + 1))


def features_of(sound: NDArray[np.float32], rate: float) -> Features:
    """Features of a sound, float32 (2, frames); of silence all are 0, and the shape at its floor."""
    top = float(np.abs(sound).max(initial=0.0))
    if top < 1e-6 or sound.shape[1] < SIZE:
        return Features(0.0, 0.0, 0.0, 0.0, 0.0, 0.0, np.full(BANDS, FLOOR_DB))
    mono, side = sound.mean(axis=0), (sound[0] - sound[-1]) / 2
    padded = np.pad(mono, (SIZE // 2, SIZE // 2))
    views = np.lib.stride_tricks.sliding_window_view(padded, SIZE)[::HOP]
    power = np.square(np.abs(np.fft.rfft(views * np.hanning(SIZE).astype(np.float32), axis=1))).astype(np.float64)
    edges = mel_edges(40.0, min(14000.0, 0.48 * rate), BANDS, rate, SIZE)
    bands = np.add.reduceat(power[:, : edges[-1]], edges[:-1], axis=1)
    level = np.sqrt(power.sum(axis=1))
    loud = level > 0.03 * level.max()
    whole = bands[loud].sum(axis=0)
    shape = np.maximum(10 * np.log10(np.maximum(whole / max(float(whole.max()), 1e-18), 1e-12)), FLOOR_DB)
    middle = (edges[:-1] + edges[1:]) / 2 * rate / SIZE
    bright = float((whole * np.log2(middle / 100.0)).sum() / max(float(whole.sum()), 1e-18))
    peak = float(level.max())
    first, last = int(np.argmax(level > 0.05 * peak)), int(np.argmax(level > 0.8 * peak))
    heard = np.flatnonzero(level > peak * 10 ** (-30 / 20))
    seconds = [max((n + 0.0) * HOP / rate, LENGTHS[0]) for n in (last - first, heard[-1] - first)]
    logs = 10 * np.log10(np.maximum(bands[loud], 1e-12))
    low = logs.max(axis=1, keepdims=True) + FLOOR_DB
    moves = np.abs(np.diff(np.maximum(logs, low), axis=0)).mean() if loud.sum() > 1 else 0.0
    floor = power[loud][:, edges[0] : edges[-1]] + 1e-12 * float(power.max())
    flat = np.exp(np.log(floor).mean(axis=1)) / floor.mean(axis=1)
    noise = float(np.clip(np.median(flat) / 0.56, 0.0, 1.0)) ** 0.35  # 0.56 is white noise, e^−γ
    wide = float(np.sqrt(np.square(side).mean() / max(float(np.square(mono).mean() + np.square(side).mean()), 1e-18)))
    return Features(bright, seconds[0], min(seconds[1], LENGTHS[1]), noise, float(moves), wide, shape)


def _along(features: Features, axis: str) -> float:
    value = float(getattr(features, axis))
    return math.log10(max(value, LENGTHS[0])) if axis in ("attack", "length") else value


def steps(one: Features, other: Features) -> dict[str, float]:
    """How far the other is along each axis, in parts of what is plainly another sound."""
    return {axis: (_along(other, axis) - _along(one, axis)) / scale for axis, (_, _, scale) in AXES.items()}


def distance(one: Features, other: Features) -> float:
    """How far two sounds are apart: 0 for the same, about 1 for plainly another; never over 3."""
    along = np.array(list(steps(one, other).values()))
    shape = float(np.sqrt(np.square(one.shape - other.shape).mean())) / SHAPE_DB
    return float(min(np.sqrt(0.5 * np.square(along).mean() * 2 + 0.5 * shape**2), 3.0))


def vectors(figures: NDArray[np.float64], shapes: NDArray[np.float64]) -> NDArray[np.float64]:
    """Points whose Euclidean distances are how far sounds are apart, (sound, 30), of their figures along `AXES` and shapes."""
    along = figures.copy()
    for n, axis in enumerate(AXES):
        if axis in ("attack", "length"):
            along[:, n] = np.log10(np.maximum(along[:, n], LENGTHS[0]))
    along /= np.array([scale for _, _, scale in AXES.values()])
    return np.concatenate([along / math.sqrt(len(AXES)), shapes / SHAPE_DB * math.sqrt(0.5 / BANDS)], axis=1)


def vector(features: Features) -> NDArray[np.float64]:
    """One sound as such a point."""
    figures = np.array([[float(getattr(features, axis)) for axis in AXES]])
    return np.asarray(vectors(figures, features.shape[None])[0])


def reason(one: Features, other: Features) -> str:
    """In a few words, what is the same and what is different: `same attack, darker`."""
    moved = sorted(steps(one, other).items(), key=lambda step: -abs(step[1]))
    words = [str(AXES[axis][0 if much > 0 else 1]) for axis, much in moved if abs(much) > SAME][:2]
    same = [axis for axis, much in moved if abs(much) <= SAME]
    names = {"bright": "brightness", "noise": "grain"}
    kept = next(
        (f"same {names.get(axis, axis)}" for axis in ("attack", "length", "bright", "noise") if axis in same), ""
    )
    return ", ".join(filter(None, [kept, *words])) or "nearly the same"


def lacks(aimed: Features, reached: Features) -> str:
    """What a sound does not reach of a recording, in words; empty where it is the same on every axis."""
    away = sorted(steps(reached, aimed).items(), key=lambda step: -abs(step[1]))
    words = [str(AXES[axis][0 if much > 0 else 1]) for axis, much in away if abs(much) > 1.5 * SAME]
    return ", ".join(words[:3])
