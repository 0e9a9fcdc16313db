"""Single cycles of 2048 samples: their harmonics, ready shapes, and lines drawn by hand."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import ArrayLike, NDArray

CYCLE, MOST_FRAMES = 2048, 256
HARMONICS = 128
"""How many harmonics are drawn by hand; those above stay as they are."""
Floats = NDArray[np.float64]

_at = np.arange(CYCLE) / CYCLE


def spectrum(cycles: ArrayLike) -> NDArray[np.complex128]:
    """Harmonics of cycles, complex (…, 1025): the amplitude and phase of sines, so that a sine is 1 at harmonic 1."""
    found: NDArray[np.complex128] = np.fft.rfft(np.asarray(cycles, np.float64)) * (2.0 / CYCLE) * 1j
    return found


def cycle_of(harmonics: NDArray[np.complex128]) -> Floats:
    """The cycles of harmonics as `spectrum` gives them, float (…, 2048)."""
    return np.asarray(np.fft.irfft(harmonics * (CYCLE / 2) / 1j, CYCLE))


def levels_and_phases(cycle: ArrayLike, count: int = HARMONICS) -> tuple[Floats, Floats]:
    """Amplitudes and phases, in turns from −½ to ½, of harmonics 1 to `count` of one cycle."""
    found = spectrum(cycle)[1 : count + 1]
    return np.abs(found), np.angle(found) / (2 * np.pi)


def with_harmonic(cycle: ArrayLike, number: int, level: float, phase: float) -> Floats:
    """The cycle with one harmonic at another amplitude and phase (turns), all others as they are."""
    found = spectrum(cycle)
    found[number] = level * np.exp(2j * np.pi * phase)
    return cycle_of(found)


def from_levels(levels: ArrayLike, phases: ArrayLike | None = None) -> Floats:
    """A cycle of harmonics 1, 2, … with these amplitudes and phases (turns)."""
    sizes = np.asarray(levels, np.float64)
    turns = np.zeros(len(sizes)) if phases is None else np.asarray(phases, np.float64)
    found = np.zeros(CYCLE // 2 + 1, np.complex128)
    found[1 : len(sizes) + 1] = sizes * np.exp(2j * np.pi * turns)
    return cycle_of(found)


def _numbers() -> Floats:
    return np.arange(1, HARMONICS + 1, dtype=np.float64)


def _scaled(cycle: Floats) -> Floats:
    return np.asarray(cycle / max(float(np.abs(cycle).max()), 1e-9) * 0.95)


def _tilted(cycle: Floats) -> Floats:
    """3 dB an octave darker."""
    found = spectrum(cycle)
    found[1:] *= np.arange(1, len(found)) ** -0.5
    return _scaled(cycle_of(found))


def _phases_by_chance(cycle: Floats) -> Floats:
    found = spectrum(cycle)
    turns = np.random.default_rng(int(np.abs(cycle[:64]).sum() * 1e6) % 2**32).random(len(found))
    return _scaled(cycle_of(np.abs(found) * np.exp(2j * np.pi * turns)))


MOVES: dict[str, tuple[str, Callable[[Floats], Floats]]] = {
    "first": ("Only the first", lambda cycle: from_levels([0.95])),
    "odd": ("Odd only", lambda cycle: _scaled(from_levels(levels_and_phases(cycle)[0] * (_numbers() % 2)))),
    "slope1": ("1/n", lambda cycle: _scaled(from_levels(1 / _numbers()))),
    "slope2": ("1/n²", lambda cycle: _scaled(from_levels(1 / _numbers() ** 2))),
    "tilt": ("Darker, 3 dB/oct", _tilted),
    "phases": ("Random phases", _phases_by_chance),
    "clear": ("Clear", lambda cycle: np.zeros(CYCLE)),
}
"""What is done to all harmonics at once, by a short name: the words for it, and what becomes of a cycle."""

SHAPES: dict[str, tuple[str, Floats]] = {
    "sine": ("Sine", np.sin(2 * np.pi * _at)),
    "triangle": ("Triangle", 1 - np.abs((4 * _at + 1) % 4 - 2)),
    "saw": ("Saw", 2 * ((_at + 0.5) % 1) - 1),
    "square": ("Square", np.where(_at < 0.5, 1.0, -1.0)),
    "pulse": ("Pulse, 10 %", np.where(_at < 0.1, 1.8, -0.2) / 1.8),
    "half": ("Half sine", (np.maximum(np.sin(2 * np.pi * _at), 0.0) - 1 / np.pi) / (1 - 1 / np.pi)),
    "drop": (
        "Drop",
        np.sin(2 * np.pi * np.sqrt(_at)) * (1 - _at) - np.mean(np.sin(2 * np.pi * np.sqrt(_at)) * (1 - _at)),
    ),
}
"""Shapes to begin from and to mix in: the words for each, and a cycle."""


def mixed(cycle: Floats, other: Floats, part: float) -> Floats:
    """So much of another shape, 0 to 1, and as much less of this one."""
    return np.asarray((1 - part) * cycle + part * other)


def drawn(cycle: Floats, begin: tuple[float, float], end: tuple[float, float]) -> Floats:
    """The cycle with a straight line over it, between two places across and up, 0 to 1 and −1 to 1."""
    (x0, y0), (x1, y1) = sorted((begin, end))
    first, last = (min(max(round(x * (CYCLE - 1)), 0), CYCLE - 1) for x in (x0, x1))
    made = cycle.copy()
    made[first : last + 1] = np.clip(np.linspace(y0, y1, last - first + 1) if last > first else end[1], -1.0, 1.0)
    return made


def smoothed(cycle: Floats, width: float = 12.0) -> Floats:
    """The cycle without its corners: a Gaussian of so many samples, all the way round."""
    found = np.fft.rfft(cycle)
    bins = np.arange(len(found)) * (2 * np.pi / CYCLE)
    return np.asarray(np.fft.irfft(found * np.exp(-0.5 * (width * bins) ** 2), CYCLE))
