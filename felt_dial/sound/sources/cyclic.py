"""What sources share that read single cycles: where a note begins in them, and how its tuning drifts."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.params import CUBIC, Choice, Param
from felt_dial.patch.units import CENTS, DEGREES
from felt_dial.sound.chance import chance, wander
from felt_dial.sound.kernel import Stage, kernel
from felt_dial.sound.sources.reading import TURN
from felt_dial.sound.sources.unison import MOST, Unison, voice_phase


class Cyclic(Unison):
    """A source that goes round a cycle, in as many voices as wished."""

    drift = Param(
        "Drift", 0.0, (0.0, 50.0), CENTS, taper=CUBIC, says="How far each voice's tuning wanders, slowly, by chance."
    )
    phase = Param("Phase", 0.0, (0.0, 360.0), DEGREES, says="Where in its cycle a note begins.")
    start = Choice(
        "Starts", "fixed", {"fixed": "At its phase", "free": "Anywhere"}, says="Every note at the same phase, or by chance."
    )  # fmt: skip


DRIFT, PHASE, START = (Cyclic.row_of(name) for name in ("drift", "phase", "start"))
CHANCE_START, CHANCE_DRIFT = 9_000_000, 10_000_000
DRIFT_RATE = 0.7
"""New goals of the drift in a second."""
CENT = np.log(2.0) / 1200.0


def reading_room(stage: Stage) -> tuple[NDArray, ...]:
    """Room for a block: phase offsets, places and their fractions, one voice, and both sides."""
    frames = stage.frames
    return (
        np.zeros(frames, np.uint32),
        np.zeros(frames, np.uint32),
        np.zeros(frames, np.float32),
        np.zeros(frames, np.float32),
        np.zeros((2, frames), np.float32),
    )


@kernel
def begin_phases(control, row, t, note, phase, last):  # type: ignore[no-untyped-def]
    """Lays the phases of a note that begins, and forgets which tables its voices read."""
    origin = np.float64(control[PHASE, row, t]) / 360.0
    if control[START, row, t] > 0.5:
        origin += chance(note, CHANCE_START)
    for u in range(MOST):
        phase[row, u] = np.uint32(np.int64((origin + voice_phase(control, row, t, note, u)) * TURN))
        last[row, u] = -1


@kernel
def drifted(ratio, drift, note, u, seconds):  # type: ignore[no-untyped-def]
    """A voice's ratio to the pitch after it drifted, by as much as 2^`drift` at most (`drift` in octaves · ln 2)."""
    return ratio * (1.0 + drift * wander(note, CHANCE_DRIFT + u, seconds * DRIFT_RATE)) if drift > 0.0 else ratio
