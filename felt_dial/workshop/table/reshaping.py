"""Reshaping along a table: one thing done to every frame, by an amount of its own."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.workshop.table.cycles import CYCLE, Floats, cycle_of, spectrum

FINER = 4
"""A cycle is read from one so many times as fine, so that straight lines between its samples are near enough."""


class Reshaping(NamedTuple):
    """What can be done to frames: the word, what it does, whether it goes both ways, and how."""

    name: str
    says: str
    both: bool
    act: Callable[[Floats, Floats], Floats]


def _read(cycles: Floats, at: Floats) -> Floats:
    """Cycles, (frame, 2048), each at places from 0 to 1, going round."""
    fine = np.fft.irfft(np.fft.rfft(cycles), CYCLE * FINER) * FINER
    places = np.broadcast_to(at, cycles.shape) * (CYCLE * FINER)
    low = places.astype(np.int64)
    part = places - low
    below, above = (np.take_along_axis(fine, k % (CYCLE * FINER), axis=1) for k in (low, low + 1))
    return np.asarray(below + part * (above - below))


_x = np.arange(CYCLE) / CYCLE


def _bend(cycle: Floats, amount: Floats) -> Floats:
    middle = 0.5 + 0.49 * amount
    return _read(cycle, np.where(_x < middle, 0.5 * _x / middle, 0.5 + 0.5 * (_x - middle) / (1 - middle)))


def _squeeze(cycle: Floats, amount: Floats) -> Floats:
    return _read(cycle, np.minimum(_x / (1 - 0.96 * amount), 1.0))


def _fold(cycle: Floats, amount: Floats) -> Floats:
    return np.asarray(1 - np.abs((cycle * (1 + 7 * amount) + 1) % 4 - 2))


def _stretch(cycle: Floats, amount: Floats) -> Floats:
    return _read(cycle, _x * 8.0**amount % 1.0)


def _mirror(cycle: Floats, amount: Floats) -> Floats:
    return np.asarray((1 - amount) * cycle + amount * _read(cycle, 1 - np.abs(2 * _x - 1)))


def _shaped(cycle: Floats, gains: Floats) -> Floats:
    """Harmonics times gains, at the level that the cycle had."""
    before = spectrum(cycle)
    after = before * gains
    after[:, 0] = 0.0
    return cycle_of(after * _level(before, after))


def _level(before: NDArray[np.complex128], after: NDArray[np.complex128]) -> Floats:
    """What brings harmonics back to the power that they had."""
    power, now = (np.square(np.abs(part[:, 1:])).sum(axis=1, keepdims=True) for part in (before, after))
    return np.asarray(np.where(now > 1e-12, np.sqrt(power / np.maximum(now, 1e-12)), 1.0))


_h = np.maximum(np.arange(CYCLE // 2 + 1), 1).astype(np.float64)


def _low_pass(cycle: Floats, amount: Floats) -> Floats:
    cutoff = 1024.0 ** (1 - amount)
    return _shaped(cycle, 1 / np.sqrt(1 + (_h / cutoff) ** 8))


def _tilt(cycle: Floats, amount: Floats) -> Floats:
    return _shaped(cycle, _h ** (2.0 * amount))


def _formants(cycle: Floats, amount: Floats) -> Floats:
    found = spectrum(cycle)
    sizes = np.abs(found)
    at = np.arange(sizes.shape[1])
    moved = np.stack(
        [np.interp(_h / 4.0 ** float(much), at, row, right=0.0) for row, much in zip(sizes, amount[:, 0], strict=True)]
    )
    made = np.asarray(moved * np.exp(1j * np.where(sizes > 1e-7, np.angle(found), 0.0)), np.complex128)
    made[:, 0] = 0.0
    return cycle_of(made * _level(found, made))


RESHAPINGS: dict[str, Reshaping] = {
    "none": Reshaping("Plain", "nothing is reshaped", False, lambda cycle, amount: cycle),
    "bend": Reshaping("Bend", "the middle of the cycle comes sooner or later", True, _bend),
    "squeeze": Reshaping("Squeeze", "the cycle takes less of its time, the rest stands", False, _squeeze),
    "fold": Reshaping("Fold", "louder, and folded back where it leaves the frame", False, _fold),
    "stretch": Reshaping("Stretch", "more and more cycles in one, cut where it ends", False, _stretch),
    "mirror": Reshaping("Mirror", "there and back again", False, _mirror),
    "lowpass": Reshaping("Low-pass", "24 dB an octave, down to the first harmonic", False, _low_pass),
    "tilt": Reshaping("Tilt", "brighter or darker, up to 12 dB an octave", True, _tilt),
    "formants": Reshaping("Formant shift", "the colour moves two octaves up or down, the pitch stays", True, _formants),
}


def reshaped(frames: Floats, kind: str, amounts: Floats) -> Floats:
    """Frames, float (frame, 2048), each reshaped by its own amount: 0 to 1, or −1 to 1 where it goes both ways.

    What stands still is taken out, and a frame that would come out over 1 is brought down to it.
    """
    how = RESHAPINGS[kind]
    if kind == "none":
        return frames
    touched = np.abs(amounts) > 1e-9
    if not touched.any():
        return frames
    made = how.act(frames[touched], np.clip(amounts[touched], -1.0 if how.both else 0.0, 1.0)[:, None])
    made = made - made.mean(axis=1, keepdims=True)
    found = frames.copy()
    found[touched] = made / np.maximum(np.abs(made).max(axis=1, keepdims=True), 1.0)
    return found
