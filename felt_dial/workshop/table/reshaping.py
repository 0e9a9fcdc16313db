"""Reshaping along a table: one thing done to every frame, by an amount of its own."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from felt_dial.workshop.table.cycles import CYCLE, Floats, cycle_of, spectrum

FINER = 8
"""A cycle is read from one so many times as fine, so that straight lines between its samples are near enough."""


class Reshaping(NamedTuple):
    """What can be done to frames: the word, what it does, whether it goes both ways, and how."""

    name: str
    says: str
    both: bool
    act: Callable[[Floats, float], Floats]


def _read(cycle: Floats, at: Floats) -> Floats:
    """A cycle at places from 0 to 1, going round."""
    fine = np.fft.irfft(np.fft.rfft(cycle), CYCLE * FINER) * FINER
    places = np.asarray(at, np.float64) * len(fine)
    return np.asarray(np.interp(places, np.arange(len(fine) + 1), np.append(fine, fine[0])))


_x = np.arange(CYCLE) / CYCLE


def _bend(cycle: Floats, amount: float) -> Floats:
    middle = 0.5 + 0.49 * amount
    return _read(cycle, np.where(_x < middle, 0.5 * _x / middle, 0.5 + 0.5 * (_x - middle) / (1 - middle)))


def _squeeze(cycle: Floats, amount: float) -> Floats:
    return _read(cycle, np.minimum(_x / (1 - 0.96 * amount), 1.0))


def _fold(cycle: Floats, amount: float) -> Floats:
    return np.asarray(1 - np.abs((cycle * (1 + 7 * amount) + 3) % 4 - 2))


def _stretch(cycle: Floats, amount: float) -> Floats:
    return _read(cycle, _x * 8.0**amount % 1.0)


def _mirror(cycle: Floats, amount: float) -> Floats:
    return np.asarray((1 - amount) * cycle + amount * _read(cycle, 1 - np.abs(2 * _x - 1)))


def _shaped(cycle: Floats, gains: Floats) -> Floats:
    """Harmonics times gains, at the level that the cycle had."""
    before = spectrum(cycle)
    after = before * gains
    after[0] = 0.0
    power, now = (float(np.square(np.abs(part[1:])).sum()) for part in (before, after))
    return cycle_of(after * np.sqrt(power / now) if now > 1e-12 else after)


_h = np.maximum(np.arange(CYCLE // 2 + 1), 1).astype(np.float64)


def _low_pass(cycle: Floats, amount: float) -> Floats:
    cutoff = 1024.0 ** (1 - amount)
    return _shaped(cycle, 1 / np.sqrt(1 + (_h / cutoff) ** 8))


def _tilt(cycle: Floats, amount: float) -> Floats:
    return _shaped(cycle, _h ** (2.0 * amount))


def _formants(cycle: Floats, amount: float) -> Floats:
    found = spectrum(cycle)
    sizes = np.abs(found)
    moved = np.interp(_h / 4.0**amount, np.arange(len(sizes)), sizes, right=0.0)
    phases = np.where(sizes > 1e-7, np.angle(found), 0.0)
    made = moved * np.exp(1j * phases)
    made[0] = 0.0
    power, now = np.square(sizes[1:]).sum(), np.square(moved[1:]).sum()
    return cycle_of(made * np.sqrt(power / now) if now > 1e-12 else made)


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
    low = -1.0 if how.both else 0.0
    made = np.stack(
        [
            how.act(frame, float(min(max(amount, low), 1.0))) if abs(amount) > 1e-9 else frame
            for frame, amount in zip(frames, amounts, strict=True)
        ]
    )
    touched = np.abs(amounts) > 1e-9
    made[touched] -= made[touched].mean(axis=1, keepdims=True)
    top = np.abs(made).max(axis=1, keepdims=True)
    return np.asarray(np.where(touched[:, None] & (top > 1.0), made / np.maximum(top, 1e-9), made))
