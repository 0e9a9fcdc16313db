"""Recordings ready to be played at any speed: octaves of the sound, and a windowed sinc to read between frames.

A recording played faster than it was made is read from a copy brought down by whole octaves; what
remains, a speed between 1 and 2, is taken care of by a lower cutoff of the sinc. J. O. Smith, P.
Gossett, “A flexible sampling-rate conversion method”, ICASSP 1984.
"""

from __future__ import annotations

from functools import cache, lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.asset import Asset
from felt_dial.sound.compiling.kernel import inner, kernel
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.kept import fixed, kept
from felt_dial.sound.simd.memory import tap_sum

TAPS = 32
PHASES = 128
"""Places between two frames; the reading loop counts on seven bits."""
CUTS = 8
"""Cutoffs in an octave."""
STEPS = tuple(2.0 ** (cut / CUTS) * (1.0 + 1e-7) for cut in range(CUTS))
PAD = 32
SHORTEST = 64


class Recording(NamedTuple):
    """A recording at the engine's rate, in octaves.

    Attributes
    ----------
    left, right : float32 (total,)
        Every octave behind the other, with silence between.
    starts, sizes : int64 (octave,)
        Where each begins, and its frames.
    sides : int64 (1,)
        1 where both sides are the same.
    taps : float32 (cut · (phase + 1) · tap,)
        Flat, and both sides apart: the reading loop is four times as fast for it.
    """

    left: NDArray[np.float32]
    right: NDArray[np.float32]
    starts: NDArray[np.int64]
    sizes: NDArray[np.int64]
    sides: NDArray[np.int64]
    taps: NDArray[np.float32]


@cache
def sinc_taps() -> NDArray[np.float32]:
    """Windowed sincs for every cutoff and phase behind one another, each with a sum of 1; Kaiser window, β = 8."""
    k = np.arange(TAPS) - (TAPS // 2 - 1)
    made = np.zeros((CUTS + 1, PHASES + 1, TAPS))
    for cut in range(CUTS + 1):
        edge = 0.94 * 2.0 ** (-cut / CUTS)
        for phase in range(PHASES + 1):
            x = k - phase / PHASES
            window = np.i0(8.0 * np.sqrt(np.maximum(0.0, 1 - (x / (TAPS / 2)) ** 2))) / np.i0(8.0)
            taps = np.sinc(edge * x) * window
            made[cut, phase] = taps / taps.sum()
    found = made.astype(np.float32).ravel()
    return fixed(found)


def make_recording(sound: NDArray[np.float32], rate: float, wanted: float) -> Recording:
    """A recording, float32 (channel, frame) at `rate`, at the rate that is wanted."""
    import soxr

    both = np.repeat(sound, 2, axis=0) if sound.shape[0] == 1 else sound
    if rate != wanted:
        both = soxr.resample(both.T, rate, wanted, quality="VHQ").T
    octaves = [np.ascontiguousarray(both, np.float32)]
    while octaves[-1].shape[1] > SHORTEST and len(octaves) < 9:
        octaves.append(np.ascontiguousarray(soxr.resample(octaves[-1].T, 2.0, 1.0, quality="VHQ").T, np.float32))
    gap = np.zeros((2, PAD), np.float32)
    parts, starts, total = [], [], 0
    for octave in octaves:
        starts.append(total + PAD)
        parts += [gap, octave, gap]
        total += octave.shape[1] + 2 * PAD
    sizes = np.array([octave.shape[1] for octave in octaves], np.int64)
    left, right = (np.concatenate([part[side] for part in parts]) for side in range(2))
    made = Recording(left, right, np.array(starts, np.int64), sizes, np.array([len(sound)]), sinc_taps())
    for array in made:
        fixed(array)
    return made


@kept
def _recording(digest: str, rate: float, asset: Asset) -> Recording:
    sound = assets.load(asset)
    return make_recording(np.zeros((1, SHORTEST), np.float32) if sound is None else sound, asset.rate, rate)


@lru_cache(maxsize=4)
def _silence(rate: float) -> Recording:
    return make_recording(np.zeros((1, SHORTEST), np.float32), rate, rate)


def recording_of(asset: Asset | None, rate: float) -> Recording:
    """The recording that an asset names, made ready once per process; silence where it is missing."""
    if asset is None or assets.find(asset) is None:
        return _silence(rate)
    return _recording(asset.digest, rate, asset)


@kernel
def octave_of(speed, octaves):
    """Octave and cutoff for a speed of reading."""
    octave, left = 0, max(speed, 1e-9)
    while left >= 2.0 and octave < octaves - 1:
        left *= 0.5
        octave += 1
    cut = 0
    while cut < CUTS and left > STEPS[cut]:
        cut += 1
    return octave, cut


@inner
def read_run(recording, cut, octave, where, count, left, right):
    """Both sides at `count` places (frames of the first octave) into `left` and `right`; silence outside.

    Places are counted in 2⁻²⁴ of a frame: seven bits choose the phase, the other seventeen lie between two.
    """
    start, size, taps = recording.starts[octave], recording.sizes[octave], recording.taps
    scale = 16777216.0 / (1 << octave)
    low, high = np.int64(-8 * 16777216), np.int64((np.int64(size) + 8) * 16777216)
    first = cut * (PHASES + 1) * TAPS
    begin = np.int64(start) - (TAPS // 2 - 1)
    mono = recording.sides[0] == 1
    for k in range(count):
        place = np.int64(where[k] * scale)
        if place < low or place > high:
            left[k] = right[k] = np.float32(0.0)
            continue
        part = np.float32(np.int32(place & 131071)) * np.float32(1.0 / 131072.0)
        at = (place >> 24) + begin
        here = first + ((place >> 17) & 127) * TAPS
        left[k] = tap_sum(taps, here, here + TAPS, part, recording.left, at)
        right[k] = left[k] if mono else tap_sum(taps, here, here + TAPS, part, recording.right, at)
