"""Listening to recordings: which partials they are made of."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple
from zipfile import BadZipFile

import numpy as np
from numpy.typing import NDArray

from felt_dial.errors import Stopped
from felt_dial.home import home_of
from felt_dial.patch.asset import Asset
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.kept import kept
from felt_dial.sound.matter.residue import RESIDUE_BANDS, residue_of
from felt_dial.sound.matter.strikes import bands_heard, strikes_of

MOST_PARTIALS = 256
RATE = 48000
HOP = 480
"""Frames between two looks: a hundredth of a second."""
LONGEST = 60.0
"""Seconds of a recording that are taken apart."""
FIRST_PART = 0.6
"""About as much of the time of an analysis is over when its partials are found."""
FLOOR_DB = -84.0
FAINT, DEEPER = -75.0, 12.0
"""Decibels below the loudest partial, and below its two neighbours, from which on one does not tell the colour."""
CLOSEST = 0.01
"""Octaves within which the louder of two partials tells the colour."""
KEPT, MOST_BYTES = "-4.npz", 1024**3
"""How names of analyses that are kept end, with the number of what they hold, and what all of them may take together."""


# --- partials ----------------------------------------------------------------------------------


class Tracks(NamedTuple):
    """A recording as partials over time.

    Attributes
    ----------
    octaves : float32 (look, partial)
        Frequency above the fundamental, in octaves.
    levels : float32 (look, partial)
        Amplitudes; 0 where the partial is silent.
    order : int16 (look, partial)
        The partials that tell the colour of a look, from the lowest to the highest; −1 after the last.
    slopes : float32 (look, partial)
        How steep the colour is at each of them, dB an octave.
    residue : float32 (look, band)
        Effective values of the noise, in bands of half an octave from 80 Hz.
    share : float32 (look, band)
        Which part of the power of a band is noise, 0 to 1: what lies there of the partials is not theirs.
    strikes : float32 (look,)
        Where between a look and the next something is struck, 0 to 1: till then all is as at the look, and from then on as at
        the next; −1 where nothing is.
    """

    octaves: NDArray[np.float32]
    levels: NDArray[np.float32]
    order: NDArray[np.int16]
    slopes: NDArray[np.float32]
    residue: NDArray[np.float32]
    share: NDArray[np.float32]
    strikes: NDArray[np.float32]


def take_apart(
    sound: NDArray[np.float32], rate: float, fundamental: float, watch: Callable[[float], bool] | None = None
) -> Tracks:
    """The partials of a recording, float32 (channel, frame); at most the first minute.

    Peaks of short spectra, tied from look to look: R. J. McAulay, T. F. Quatieri, IEEE TASSP 34(4), 1986. The spectra are as
    long as it takes to tell the closest of the strong partials apart, and no longer; how loud partials are at a look is
    then set right by how loud the recording is there, octave by octave, so that a strike stays one. `watch` is told the
    part done and raises `Stopped` by returning False.
    """
    import soxr

    def tell(part: float) -> None:
        if watch is not None and not watch(part):
            raise Stopped("The analysis was stopped.")

    mono = sound.mean(axis=0)[: int(LONGEST * rate)]
    if rate != RATE:
        mono = soxr.resample(mono, rate, RATE)
    mono = np.asarray(mono, np.float64)
    size = window_for(mono)
    window = np.hanning(size)
    padded = np.concatenate([np.zeros(size // 2), mono, np.zeros(size)])
    looks = max(2, len(mono) // HOP + 1)
    spectra = []
    for n in range(looks):
        spectrum = np.abs(np.fft.rfft(padded[n * HOP : n * HOP + size] * window, 2 * size)) * (2 / window.sum())
        spectra.append(spectrum)
    top = max(float(s.max()) for s in spectra)
    floor = max(top * 10 ** (FLOOR_DB / 20), 1e-7)
    loose: list[list[tuple[int, float, float]]] = []
    alive: list[int] = []
    for n, spectrum in enumerate(spectra):
        if n % 20 == 0:
            tell(FIRST_PART * n / looks)
        at, level = _without_side_lobes(*_peaks(spectrum, floor))
        alive = _tie(loose, alive, n, at * RATE / (2 * size), level)
    octaves, levels = _packed(loose, looks, fundamental)
    strikes = strikes_of(mono, RATE)
    residue = residue_of(mono, RATE, looks, HOP, strikes, lambda part: tell(FIRST_PART + (1 - FIRST_PART) * part))
    places = octaves + np.float32(np.log2(fundamental))
    levels = as_loud_as(mono, places, levels, strikes)
    between = np.full(looks, -1.0, np.float32)
    between[np.minimum(strikes // HOP, looks - 1)] = strikes % HOP / HOP
    return Tracks(octaves, levels, *colours(octaves, levels), *residue, between)


def window_for(mono: NDArray[np.float64]) -> int:
    """Frames of a spectrum, a power of two from 1024 to 8192, that tells neighbouring strong partials of a sound apart."""
    size = 8192
    window = np.blackman(size)
    padded = np.concatenate([mono, np.zeros(size)])
    starts = np.linspace(0, max(len(mono) - size, 0), 24).astype(int)
    loud = np.array([np.square(padded[at : at + size]).sum() for at in starts])
    gaps: list[float] = []
    for at in starts[np.argsort(-loud)[:8]]:
        spectrum = np.abs(np.fft.rfft(padded[at : at + size] * window, 2 * size))
        k, _ = _peaks(spectrum, float(spectrum.max()) * 10 ** (-45 / 20))
        if len(k) > 1:
            gaps += (np.diff(k) * RATE / (2 * size)).tolist()
    apart = float(np.quantile(gaps, 0.2)) if gaps else 400.0
    return 1 << int(np.clip(np.ceil(np.log2(4.5 * RATE / max(apart, 30.0))), 10, 13))


def as_loud_as(
    mono: NDArray[np.float64], octaves: NDArray[np.float32], levels: NDArray[np.float32], strikes: NDArray[np.int64]
) -> NDArray[np.float32]:
    """Levels of partials (look, partial) at log2 of Hz `octaves`, so that every octave is as loud as in the sound at each look.

    What the spectra smear over their length, a strike above all, comes back to its time; noise between the partials is
    not theirs, so that nothing becomes more than twice as loud as it was found but in the first 50 ms after a strike.
    """
    looks = len(levels)
    found = levels.copy()
    lows = 20.0 * 2.0 ** np.arange(0, 10)
    powers = bands_heard(mono, RATE, [(low, 2 * low) for low in lows.tolist()], looks, HOP, strikes)
    struck = np.zeros(looks, np.bool_)
    struck[np.minimum(strikes // HOP + 1, looks - 1)] = True
    for n, low in enumerate(lows):
        here = (octaves >= np.log2(low)) & (octaves < np.log2(2 * low)) & (levels > 0)
        if not here.any():
            continue
        heard = np.sqrt(2 * powers[:, n])
        made = np.sqrt(np.where(here, np.square(levels.astype(np.float64)), 0.0).sum(axis=1))
        gain = np.where(made > 1e-7, heard / np.maximum(made, 1e-7), 1.0)
        rises = np.maximum.accumulate(np.where(struck | (heard > 2.0 * np.roll(heard, 1)), np.arange(looks), -100))
        gain = np.where(np.arange(looks) - rises <= 5, np.minimum(gain, 16.0), np.minimum(gain, 1.0))
        found = np.where(here, found * gain[:, None].astype(np.float32), found)
    return np.asarray(found, np.float32)


def colours(octaves: NDArray[np.float32], levels: NDArray[np.float32]) -> tuple[NDArray[np.int16], NDArray[np.float32]]:
    """The colour of each look, an envelope through its partials: which they are, and how steep it is at each; (look, partial).

    What is `FAINT` dB below the loudest does not tell it, nor what lies much softer between two harmonics, nor the softer of
    two that are almost at one place. Between them goes a cubic with the slopes of parabolas through three of them (dB over
    octaves), flat beyond the outermost.
    """
    order, slopes = np.full(octaves.shape, -1, np.int16), np.zeros(octaves.shape, np.float32)
    for n, (place, level) in enumerate(zip(octaves.astype(np.float64), levels, strict=True)):
        sounds = np.flatnonzero(level > 10 ** (FAINT / 20) * max(float(level.max()), 1e-6))
        if not len(sounds):
            continue
        chosen = sounds[np.argsort(place[sounds], kind="stable")]
        chosen = chosen[~_between(2.0 ** place[chosen], 20 * np.log10(level[chosen]))]
        while len(chosen) > 1 and (near := np.flatnonzero(np.diff(place[chosen]) < CLOSEST)).size:
            first = near[np.concatenate([[True], np.diff(near) > 1])]
            softer = np.where(level[chosen[first]] < level[chosen[first + 1]], first, first + 1)
            chosen = np.delete(chosen, softer)
        order[n, : len(chosen)] = chosen
        if len(chosen) > 1:
            x, y = place[chosen], 20 * np.log10(level[chosen].astype(np.float64))
            wide, secant = np.diff(x), np.diff(y) / np.diff(x)
            inner = (secant[:-1] * wide[1:] + secant[1:] * wide[:-1]) / (wide[1:] + wide[:-1])
            slopes[n, : len(chosen)] = np.concatenate([secant[:1], inner, secant[-1:]])
    return order, slopes


def _between(ratio: NDArray[np.float64], level: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which partials, by frequency over the fundamental, stand `DEEPER` dB below both of the harmonics that they lie between."""
    apart = np.zeros(len(ratio))
    for side in (1, -1):
        nearest = np.full(len(ratio), np.inf)
        for n in range(1, min(8, len(ratio))):
            other, there = np.roll(ratio, n * side), np.roll(level, n * side)
            away = side * (ratio - other)
            nearest = np.where((away > 0) & (there > level + DEEPER), np.minimum(nearest, away), nearest)
        apart += nearest
    return apart < 1.3


def _peaks(spectrum: NDArray[np.float64], floor: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Bins (with fractions) and amplitudes of a spectrum's strongest peaks, by a parabola through decibels."""
    inner = spectrum[1:-1]
    k = np.flatnonzero((inner > spectrum[:-2]) & (inner >= spectrum[2:]) & (inner > floor)) + 1
    k = k[np.argsort(-spectrum[k])[:MOST_PARTIALS]]
    a, b, c = (np.log(np.maximum(spectrum[k + d], 1e-12)) for d in (-1, 0, 1))
    shift = 0.5 * (a - c) / np.minimum(a - 2 * b + c, -1e-9)
    order = np.argsort(k)
    return (k + shift)[order], np.exp(b - 0.25 * (a - c) * shift)[order]


def _without_side_lobes(
    k: NDArray[np.float64], level: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Those of the peaks that louder ones do not account for by the side lobes of their Hann window (F. J. Harris, “On the use
    of windows for harmonic analysis with the discrete Fourier transform”, Proc. IEEE 66(1), 1978); bins as of `_peaks`."""
    away = 0.5 * np.abs(k[:, None] - k[None, :])
    lobes = np.where(away > 2.0, 1.0 / (np.pi * np.maximum(away, 2.0) * (np.maximum(away, 2.0) ** 2 - 1.0)), 0.0)
    louder = np.where(level[None, :] > level[:, None], level[None, :], 0.0)
    own = level > 2.0 * (lobes * louder).sum(axis=1)
    return k[own], level[own]


def _tie(
    loose: list[list[tuple[int, float, float]]], alive: list[int], n: int, hertz: NDArray, level: NDArray
) -> list[int]:
    """Goes on with the tracks that find a peak near them, loudest peaks first; returns those that live."""
    ends = np.array([loose[track][-1][1] for track in alive])
    order = np.argsort(ends)
    ends = ends[order]
    taken: set[int] = set()
    fresh = []
    for peak in np.argsort(-level):
        f = float(hertz[peak])
        if f < 20.0:
            continue
        near = int(np.searchsorted(ends, f))
        best, reach = -1, max(0.025 * f, 12.0)
        for candidate in (near - 2, near - 1, near, near + 1):
            if 0 <= candidate < len(ends) and candidate not in taken and abs(ends[candidate] - f) < reach:
                best, reach = candidate, abs(ends[candidate] - f)
        if best >= 0:
            taken.add(best)
            track = alive[int(order[best])]
            loose[track].append((n, f, float(level[peak])))
        else:
            loose.append([(n, f, float(level[peak]))])
            track = len(loose) - 1
        fresh.append(track)
    return fresh


def _packed(
    loose: list[list[tuple[int, float, float]]], looks: int, fundamental: float
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The loudest tracks in at most 256 lanes, the strongest first; tracks that never sound together may share one."""
    loud = sorted((t for t in loose if len(t) >= 3), key=lambda t: -sum(level * level for _, _, level in t))[
        : 4 * MOST_PARTIALS
    ]
    lanes: list[list[tuple[int, int]]] = []
    octaves = np.zeros((looks, MOST_PARTIALS), np.float32)
    levels = np.zeros((looks, MOST_PARTIALS), np.float32)
    for track in loud:
        first, last = track[0][0], track[-1][0]
        lane = next(
            (i for i, busy in enumerate(lanes) if all(last + 2 < a or first - 2 > b for a, b in busy)), len(lanes)
        )
        if lane >= MOST_PARTIALS:
            continue
        if lane == len(lanes):
            lanes.append([])
            octaves[:, lane] = np.log2(track[0][1] / fundamental)
        lanes[lane].append((first, last))
        place = np.log2(np.array([f for _, f, _ in track]) / fundamental)
        octaves[first : last + 1, lane] = place
        octaves[max(first - 1, 0), lane] = place[0]
        octaves[last + 1 :, lane] = place[-1]
        levels[first : last + 1, lane] = [level for _, _, level in track]
    used = max(len(lanes), 1)
    order = np.argsort(-np.square(levels[:, :used]).sum(axis=0), kind="stable")
    return np.ascontiguousarray(octaves[:, order]), np.ascontiguousarray(levels[:, order])


def drawn_tracks(harmonics: tuple[float, ...]) -> Tracks:
    """Harmonics drawn by hand, amplitudes from 0 to 1, as partials that never change."""
    count = len(harmonics)
    octaves = np.tile(np.log2(np.arange(1, count + 1)).astype(np.float32), (2, 1))
    levels = np.tile(np.asarray(harmonics, np.float32) / max(1e-6, float(np.sqrt(np.square(harmonics).sum()))), (2, 1))
    none = np.zeros((2, RESIDUE_BANDS), np.float32)
    return Tracks(
        octaves, np.float32(0.7) * levels, *colours(octaves, levels), none, none, np.full(2, -1.0, np.float32)
    )


def cache_folder() -> Path:
    """Where analyses are kept."""
    return home_of("cache") / "partials"


@kept
def _tracks(digest: str, fundamental: float, asset: Asset) -> Tracks:
    return analyse(asset, fundamental)


def known_tracks(asset: Asset, fundamental: float) -> Tracks | None:
    """The partials of an asset if they were worked out before; a damaged file is put away, and they are worked out again."""
    place = _place(asset, fundamental)
    try:
        with np.load(place) as kept:
            found = Tracks(**{name: kept[name] for name in Tracks._fields})
        looks, lanes = found.octaves.shape
        shapes = [*[(looks, lanes)] * 4, *[(looks, RESIDUE_BANDS)] * 2, (looks,)]
        types = [np.int16 if name == "order" else np.float32 for name in Tracks._fields]
        if [array.shape for array in found] != shapes or looks < 2 or [array.dtype for array in found] != types:
            raise ValueError("tracks of another shape")
    except FileNotFoundError:
        return None
    except (OSError, ValueError, KeyError, TypeError, EOFError, BadZipFile):
        with contextlib.suppress(OSError):
            place.unlink()
        return None
    return found


def is_known(asset: Asset, fundamental: float) -> bool:
    """True once the partials of an asset were worked out."""
    return _place(asset, fundamental).exists()


def _place(asset: Asset, fundamental: float) -> Path:
    return cache_folder() / f"{asset.digest[:32]}-{fundamental:.3f}{KEPT}"


def analyse(asset: Asset, fundamental: float, watch: Callable[[float], bool] | None = None) -> Tracks:
    """The partials of an asset, from the disk where they were worked out before."""
    place = _place(asset, fundamental)
    known = known_tracks(asset, fundamental)
    if known is not None:
        return known
    sound = assets.load(asset)
    if sound is None:
        return drawn_tracks((0.0,))
    found = take_apart(sound, asset.rate, fundamental, watch)
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        handle, draft = tempfile.mkstemp(suffix=".npz", dir=place.parent)
        with os.fdopen(handle, "wb") as file:
            np.savez(file, **found._asdict())
        Path(draft).replace(place)
    except OSError:
        pass
    return found


def tracks_of(asset: Asset, fundamental: float) -> Tracks:
    """The partials of an asset, worked out once; silence where it is missing."""
    if assets.find(asset) is None:
        return drawn_tracks((0.0,))
    return _tracks(asset.digest, fundamental, asset)
