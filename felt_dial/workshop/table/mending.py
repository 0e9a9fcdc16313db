"""Mending: what is done to frames so that they close, are as loud as each other, and stand in order."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from felt_dial.workshop.table.cycles import CYCLE, Floats, cycle_of, spectrum

EMPTY = 10.0 ** (-60.0 / 20.0)
"""A frame holds nothing where it is so much quieter than the loudest."""
TOP = 0.95


def edges_closed(frames: Floats, part: float = 0.03) -> Floats:
    """What is left between the end of a cycle and its beginning, spread over a part of the cycle at both sides."""
    wide = max(int(part * CYCLE), 2)
    # The step from the last sample to the first should be like the steps beside it.
    wanted = (frames[:, -1] - frames[:, -2] + frames[:, 1] - frames[:, 0]) / 2
    jump = frames[:, 0] - frames[:, -1] - wanted
    ramp = 0.5 + 0.5 * np.cos(np.pi * np.arange(wide) / wide)
    made = frames.copy()
    made[:, :wide] -= 0.5 * jump[:, None] * ramp
    made[:, -wide:] += 0.5 * jump[:, None] * ramp[::-1]
    return made


def each_level(frames: Floats) -> Floats:
    """Every frame as loud as the loudest, none over the top."""
    loud = np.sqrt(np.square(frames).mean(axis=1, keepdims=True))
    made = frames * np.where(loud > EMPTY * loud.max(), loud.max() / np.maximum(loud, 1e-12), 1.0)
    return all_level(made)


def all_level(frames: Floats) -> Floats:
    """All frames by the same gain, so that the highest sample is at the top."""
    return np.asarray(frames * (TOP / max(float(np.abs(frames).max()), 1e-9)))


def no_dc(frames: Floats) -> Floats:
    """Without what stands still."""
    return np.asarray(frames - frames.mean(axis=1, keepdims=True))


def phases_aligned(frames: Floats) -> Floats:
    """Every frame turned round so that its first harmonic begins as a sine does; the shape of a cycle stays."""
    found = spectrum(frames)
    turn = np.where(np.abs(found[:, 1]) > 1e-6, np.angle(found[:, 1]), 0.0)
    return cycle_of(found * np.exp(-1j * turn[:, None] * np.arange(found.shape[1])))


def no_empty(frames: Floats) -> Floats:
    """Without frames that hold nothing; one stays where all are empty."""
    loud = np.sqrt(np.square(frames).mean(axis=1))
    there = loud > EMPTY * max(float(loud.max()), 1e-9)
    return frames[there] if there.any() else frames[:1]


def brightness(frames: Floats) -> Floats:
    """The middle of the power among the harmonics, in octaves above the first; 0 for silence."""
    power = np.square(np.abs(spectrum(frames)[:, 1:]))
    octaves = np.log2(np.arange(1, power.shape[1] + 1))
    return np.asarray((power * octaves).sum(axis=1) / np.maximum(power.sum(axis=1), 1e-12))


def by_brightness(frames: Floats) -> Floats:
    """From the darkest frame to the brightest."""
    return np.asarray(frames[np.argsort(brightness(frames), kind="stable")])


class Mend(NamedTuple):
    """One thing to be done to frames: the words, what it does, and how."""

    name: str
    says: str
    act: Callable[[Floats], Floats]
    whole: bool = False
    """Whether it is done to all frames, not to the keyed ones alone: it leaves some out, or puts them in order."""


MENDS: dict[str, Mend] = {
    "edges": Mend("Close the edges", "Lets the end of each cycle meet its beginning", edges_closed),
    "each": Mend("Normalise each", "Makes every frame as loud as the loudest", each_level),
    "all": Mend("Normalise all", "Brings the highest sample of the table to the top", all_level),
    "dc": Mend("Remove DC", "Takes out what stands still in each frame", no_dc),
    "phases": Mend("Align phases", "Turns each frame so that its first harmonic begins as a sine does", phases_aligned),
    "empty": Mend("Remove empty", "Leaves out frames that hold nothing", no_empty, True),
    "sort": Mend("Sort by brightness", "From the darkest frame to the brightest", by_brightness, True),
}
