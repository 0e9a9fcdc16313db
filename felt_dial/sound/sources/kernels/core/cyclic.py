"""Phases, tuning and drift of sources that read single cycles."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.kernel import Stage, kernel
from felt_dial.sound.playing.kernels.counted_chance import chance, wander
from felt_dial.sound.sources.core.cyclic import Cyclic
from felt_dial.sound.sources.core.unison import MOST
from felt_dial.sound.sources.kernels.core.cycle_reader import TURN
from felt_dial.sound.sources.kernels.core.unison import voice_phase

DRIFT, PHASE, START = (Cyclic.row_of(name) for name in ("drift", "phase", "start"))
CHANCE_START, CHANCE_DRIFT = 9_000_000, 10_000_000
DRIFT_RATE = 0.7
"""New goals of the drift in a second."""
CENT = np.log(2.0) / 1200.0


class ReadingRoom(NamedTuple):
    """Room in which a block of a cycle is read: phase offsets, places and their fractions, one voice, both sides."""

    bends: NDArray[np.uint32]
    places: NDArray[np.uint32]
    part: NDArray[np.float32]
    line: NDArray[np.float32]
    mix: NDArray[np.float32]


def reading_room(stage: Stage) -> ReadingRoom:
    """Room for the frames of a block."""
    frames = stage.frames
    whole, real = np.uint32, np.float32
    return ReadingRoom(
        np.zeros(frames, whole),
        np.zeros(frames, whole),
        np.zeros(frames, real),
        np.zeros(frames, real),
        np.zeros((2, frames), real),
    )


@kernel
def begin_phases(control, row, t, note, phase, last):
    """Lays the phases of a note that begins, and forgets which tables its voices read."""
    origin = np.float64(control[PHASE, row, t]) / 360.0
    if control[START, row, t] > 0.5:
        origin += chance(note, CHANCE_START)
    for u in range(MOST):
        phase[row, u] = np.uint32(np.int64((origin + voice_phase(control, row, t, note, u)) * TURN))
        last[row, u] = -1


@kernel
def turned_on(control, row, t, run, frames):
    """What a movement of the phase within `run` ticks adds to the step of each of their frames."""
    return np.float64(control[PHASE, row, t + run] - control[PHASE, row, t]) / 360.0 * TURN / frames


@kernel
def drifted(ratio, drift, note, u, seconds):
    """A voice's ratio to the pitch after it drifted, by as much as 2^`drift` at most (`drift` in octaves · ln 2)."""
    return ratio * (1.0 + drift * wander(note, CHANCE_DRIFT + u, seconds * DRIFT_RATE)) if drift > 0.0 else ratio
