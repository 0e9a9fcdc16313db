"""Recordings by rule, each with the key that it is to be told to have; what has none that could be right has None.

Keys are those of ISO 16 in equal temperament. Strings are stiff: f(n) = n f0 √(1 + B n²), H. Fletcher, JASA 36(1), 1964. Bells
have the partials of T. D. Rossing, Science of Percussion Instruments, 2000, and vowels the formants of G. E. Peterson and
H. L. Barney, JASA 24(2), 1952; both from memory.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

RATE = 48000
Floats = NDArray[np.float64]
SPECTRA: dict[str, Callable[[NDArray[np.int64], float], Floats]] = {
    "sine": lambda n, f: np.where(n == 1, 1.0, 0.0),
    "saw": lambda n, f: 1.0 / n,
    "square": lambda n, f: np.where(n % 2, 1.0 / n, 0.0),
    "triangle": lambda n, f: np.where(n % 2, 1.0 / n**2, 0.0),
    "reed": lambda n, f: 1.0 / (1.0 + ((n * f - 1200.0) / 500.0) ** 2) + 0.15 / n,
}
INTERVALS = (3, 4, 5, 7, 9, 12, 16)
CHORDS = ((4, 7), (3, 7), (5, 9), (4, 7, 11))
NOISES, STARTS = (-40.0, -20.0, -10.0, 0.0), (0.0, 0.15, 0.6)
BELL = ((0.5, 0.6, 0.5), (1.0, 1.0, 0.8), (1.2, 0.8, 1.1), (1.5, 0.35, 1.5), (2.0, 0.9, 1.6), (2.5, 0.25, 2.5))
BELL += ((2.667, 0.2, 2.6), (3.0, 0.3, 3.0), (4.0, 0.25, 4.0))
"""Ratio to the strike note, amplitude, and how fast it dies, a second."""
VOWELS = {
    "a": ((730, 90, 1.0), (1090, 110, 0.5), (2440, 170, 0.2)),
    "i": ((270, 60, 1.0), (2290, 150, 0.25), (3010, 200, 0.2)),
    "u": ((300, 60, 1.0), (870, 90, 0.3), (2240, 170, 0.05)),
}


class Case(NamedTuple):
    """A recording to be made: what it is, its keys from its root, its noise in dB, when it begins, a figure, a seed."""

    what: str
    keys: tuple[int, ...]
    noise: float
    start: float
    figure: float
    seed: int

    @property
    def root(self) -> int | None:
        """The key that it is to be told to have."""
        return None if self.what in ("glide", "noise") else self.keys[0]


def cases(step: int) -> Iterator[Case]:
    """Every case at each `step`th key of 28 to 96."""
    seed = 0

    def case(what: str, *keys: int, noise: float = -40.0, start: float = 0.1, figure: float = 0.0) -> Case:
        nonlocal seed
        seed += 1
        return Case(what, keys, noise, start, figure, seed)

    for key in range(28, 97, step):
        for what in SPECTRA:
            yield from (case(what, key, noise=noise, start=start) for noise in NOISES for start in STARTS)
            yield from (case(what, key, key + up) for up in INTERVALS)
            yield from (case(what, key, *(key + up for up in chord)) for chord in CHORDS)
        for noise in NOISES[:2]:
            if key < 94:
                yield case("bell", key, noise=noise)
            yield from (case("string", key, noise=noise, figure=stiff) for stiff in (1e-5, 1e-4, 4e-4))
            if key < 76:
                yield from (case(vowel, key, noise=noise) for vowel in VOWELS)
        yield from (case("glide", key, figure=to) for to in (-7.0, 5.0, 12.0))
    yield from (case("noise", 60, noise=-60.0, figure=n) for n in range(60 // step))


def recording(case: Case) -> NDArray[np.float32]:
    """The recording of a case, float32 (1, frame) at 48 kHz."""
    random = np.random.default_rng(case.seed)
    made = np.zeros(int(1.6 * RATE))
    for n, key in enumerate(case.keys):
        made += (1.0 if n == 0 else random.uniform(0.6, 1.2)) * _one(case, key, random)
    made /= np.sqrt(np.square(made).mean())
    made = np.concatenate([np.zeros(int(case.start * RATE)), made])
    made += random.normal(0.0, 10.0 ** (case.noise / 20.0), len(made))
    return (0.1 * made).astype(np.float32)[None]


def _one(case: Case, key: int, random: Generator) -> Floats:
    t = np.arange(int(1.6 * RATE)) / RATE
    f = 440.0 * 2.0 ** ((key - 69) / 12)
    n = np.arange(1, int(min(12000.0 / f, 60)) + 1)
    if case.what == "noise":
        white = random.normal(0.0, 1.0, len(t))
        return white if case.figure % 2 == 0 else np.convolve(white, np.ones(40) / 40, "same")
    if case.what == "glide":
        phase = 2 * np.pi * np.cumsum(f * 2.0 ** (case.figure * t / t[-1] / 12)) / RATE
        return np.asarray(np.sin(phase) + 0.4 * np.sin(2 * phase) + 0.2 * np.sin(3 * phase))
    if case.what == "bell":
        parts = [(f * ratio, level * random.uniform(0.6, 1.4), dies) for ratio, level, dies in BELL]
    elif case.what == "string":
        stiff = n * f * np.sqrt(1.0 + case.figure * n**2)
        parts = list(zip(stiff, np.sin(np.pi * n * 0.21) / n, 1.2 + 0.35 * n, strict=True))
    elif case.what in VOWELS:
        levels = sum(a / (1.0 + ((n * f - middle) / wide) ** 2) for middle, wide, a in VOWELS[case.what]) / np.sqrt(n)
        parts = [(k * f, level, 0.0) for k, level in zip(n, np.asarray(levels), strict=True)]
    else:
        parts = [(k * f, level, 0.0) for k, level in zip(n, SPECTRA[case.what](n, f), strict=True) if level]
    made = np.zeros(len(t))
    for hertz, level, dies in parts:
        if hertz < 0.45 * RATE:
            made += level * np.sin(2 * np.pi * hertz * t + random.uniform(0.0, 2 * np.pi)) * np.exp(-dies * t)
    return made / np.sqrt(np.square(made).mean())
