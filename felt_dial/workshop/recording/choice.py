"""Parts of a recording chosen in its picture, in time and frequency, with soft edges: kept, or taken out."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.errors import FeltDialError
from felt_dial.workshop.recording.looks import in_pieces, looks_at, sound_of_looks

SIZE = 8192
"""Frames of a look, at 48 kHz: a tone is no wider than 12 Hz either way."""
PER_OCTAVE = 48
LOWEST, OCTAVES = 20.0, 10


SOFT_REACH = 2.5
"""Times its softness that an edge reaches: four standard deviations, each of which is half of it, and a little more."""


class NothingChosen(FeltDialError):
    """A choice that holds nothing."""


def mask_of(
    shapes: Sequence[dict[str, Any]], times: NDArray[np.floating], soft_time: float, soft_octaves: float
) -> NDArray[np.float32]:
    """How much of each moment and frequency is chosen, float32 (time, row): rows 48 to the octave from 20 Hz.

    A shape is `{"kind": "box", "times": [a, b], "hertz": [low, high]}`, `{"kind": "lasso", "points": [[t, hz], …]}`,
    `{"kind": "brush", "points": …, "octaves": r, "seconds": s}`, or `{"kind": "harmonics", "times": [a, b], "track":
    [[t, hz], …], "octaves": r}`.
    """
    from scipy.ndimage import gaussian_filter

    rows = np.arange(OCTAVES * PER_OCTAVE) / PER_OCTAVE  # octaves above the lowest
    made = np.zeros((len(times), len(rows)), np.float32)
    for shape in shapes:
        kind = shape["kind"]
        if kind == "box":
            (a, b), (low, high) = sorted(shape["times"]), (_octave(f) for f in sorted(shape["hertz"]))
            made[np.ix_((times >= a) & (times <= b), (rows >= low) & (rows <= high))] = 1.0
        elif kind == "lasso":
            made = np.maximum(made, _inside(shape["points"], times, rows))
        elif kind == "brush":
            made = np.maximum(made, _brushed(shape, times, rows))
        elif kind == "harmonics":
            made = np.maximum(made, _harmonics(shape, times, rows))
    step = float(times[1] - times[0]) if len(times) > 1 else 1.0
    blur = (soft_time / step / 2.0, soft_octaves * PER_OCTAVE / 2.0)
    return np.asarray(gaussian_filter(made, blur, mode="nearest"), np.float32) if max(blur) > 0.05 else made


def _octave(hertz: float) -> float:
    return float(np.log2(max(hertz, 1e-3) / LOWEST))


def _inside(
    points: Sequence[Sequence[float]], times: NDArray[np.floating], rows: NDArray[np.floating]
) -> NDArray[np.float32]:
    """What lies inside a closed line, by how often a ray crosses it."""
    line = [(t, _octave(f)) for t, f in points]
    inside = np.zeros((len(times), len(rows)), bool)
    for (t0, o0), (t1, o1) in zip(line, [*line[1:], line[0]], strict=True):
        if t0 == t1:
            continue
        between = (times > min(t0, t1)) & (times <= max(t0, t1))
        height = o0 + (times[between] - t0) / (t1 - t0) * (o1 - o0)
        inside[between] ^= rows[None, :] < height[:, None]
    return inside.astype(np.float32)


def _brushed(shape: dict[str, Any], times: NDArray[np.floating], rows: NDArray[np.floating]) -> NDArray[np.float32]:
    """What lies within a distance of a line."""
    line = [(t, _octave(f)) for t, f in shape["points"]]
    line = line if len(line) > 1 else [*line, *line]
    near = np.full((len(times), len(rows)), np.inf)
    t_, o_ = times[:, None] / shape["seconds"], rows[None, :] / shape["octaves"]
    for (t0, o0), (t1, o1) in pairwise(line):
        ta, oa, tb, ob = t0 / shape["seconds"], o0 / shape["octaves"], t1 / shape["seconds"], o1 / shape["octaves"]
        long = (tb - ta) ** 2 + (ob - oa) ** 2
        part = np.clip(((t_ - ta) * (tb - ta) + (o_ - oa) * (ob - oa)) / max(long, 1e-12), 0.0, 1.0)
        near = np.minimum(near, (t_ - ta - part * (tb - ta)) ** 2 + (o_ - oa - part * (ob - oa)) ** 2)
    return (near <= 1.0).astype(np.float32)


def _harmonics(shape: dict[str, Any], times: NDArray[np.floating], rows: NDArray[np.floating]) -> NDArray[np.float32]:
    """All harmonics of a tone that may glide, each within so many octaves, never wider than halfway to the next."""
    at, hertz = (np.array(column, np.float64) for column in zip(*shape["track"], strict=True))
    first = np.interp(times, at, np.log2(hertz))[:, None]
    a, b = sorted(shape["times"])
    place = 2.0 ** (rows[None, :] + np.log2(LOWEST) - first)
    number = np.maximum(np.rint(place), 1.0)
    away = np.abs(np.log2(place / number))
    widest = np.minimum(shape["octaves"], 0.45 * np.log2(1.0 + 1.0 / number))
    chosen = (away <= widest) & ((times >= a) & (times <= b))[:, None]
    return np.asarray(chosen, np.float32)


def chosen_part(
    sound: NDArray[np.float32], rate: float, shapes: Sequence[dict[str, Any]], soft_time: float, soft_octaves: float
) -> NDArray[np.float32]:
    """What is chosen of a recording, float32 (channel, frame); the rest is the whole without it. Raises `NothingChosen`."""
    if not shapes:
        raise NothingChosen("Nothing is chosen in the picture yet: brush over it, or draw a box.")
    size = int(SIZE * 2.0 ** np.round(np.log2(rate / 48000.0)))
    while size > 512 and size > sound.shape[1]:
        size //= 2
    hop = size // 8

    def work(piece: NDArray[np.float32], begin: int) -> NDArray[np.float64]:
        spectra = looks_at(piece.astype(np.float64), size, hop, plain=True)
        times = (begin + np.arange(spectra.shape[1]) * hop - size / 2) / rate
        gains = _gains(mask_of(shapes, times, soft_time, soft_octaves), spectra.shape[2], rate / size)
        return sound_of_looks(spectra * gains, piece.shape[1], size, hop, plain=True)

    return in_pieces(sound, int(SOFT_REACH * soft_time * rate) + 3 * size, hop, work)


def _gains(mask: NDArray[np.float32], bins: int, apart: float) -> NDArray[np.float32]:
    """A mask, (look, row), read at bins that are so many Hz apart, (look, bin)."""
    place = np.clip(np.log2(np.arange(1, bins) * apart / LOWEST) * PER_OCTAVE, 0, mask.shape[1] - 1)
    low = place.astype(int)
    part = (place - low).astype(np.float32)
    above = np.minimum(low + 1, mask.shape[1] - 1)
    gains = np.zeros((len(mask), bins), np.float32)
    gains[:, 1:] = mask[:, low] * (1 - part) + mask[:, above] * part
    gains[:, 0] = gains[:, 1]
    return gains
