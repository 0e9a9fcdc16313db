"""What lies between two key frames."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from felt_dial.workshop.table.cycles import Floats, cycle_of, spectrum

FLOOR = 10.0 ** (-96.0 / 20.0)


def crossfade(first: Floats, second: Floats, parts: Floats) -> Floats:
    """Sample by sample in straight lines; what is opposed cancels on the way. Float (part, 2048)."""
    return np.asarray((1 - parts[:, None]) * first + parts[:, None] * second)


def _turned(first: Floats, second: Floats, parts: Floats, decibels: bool) -> Floats:
    below, above = spectrum(first), spectrum(second)
    low, high = np.abs(below), np.abs(above)
    part = parts[:, None]
    if decibels:
        sizes = np.maximum(low, FLOOR) ** (1 - part) * np.maximum(high, FLOOR) ** part
        sizes = np.where(np.maximum(low, high) > FLOOR, sizes, 0.0)
    else:
        sizes = (1 - part) * low + part * high
    here, there = np.angle(below), np.angle(above)
    here = np.where(low > 1e-6, here, there)  # what is silent has the phase of the other
    turn = np.where(high > 1e-6, np.angle(np.exp(1j * (there - here))), 0.0)
    return cycle_of(sizes * np.exp(1j * (here + part * turn)))


def by_spectrum(first: Floats, second: Floats, parts: Floats) -> Floats:
    """Amplitudes in straight lines, phases the shorter way round: nothing cancels."""
    return _turned(first, second, parts, decibels=False)


def by_harmonics(first: Floats, second: Floats, parts: Floats) -> Floats:
    """Each harmonic's level in decibels, which is even by ear, phases the shorter way round; silence counts as −96 dB."""
    return _turned(first, second, parts, decibels=True)


BETWEEN: dict[str, tuple[str, str, Callable[[Floats, Floats, Floats], Floats]]] = {
    "crossfade": ("Crossfade", "sample by sample; opposed phases cancel on the way", crossfade),
    "spectrum": ("Spectrum", "amplitudes in straight lines, phases the shorter way round", by_spectrum),
    "harmonics": ("Harmonics", "each harmonic evenly in decibels", by_harmonics),
}
"""What lies between key frames: the word, what it does, and how frames are worked out at parts of the way."""
