"""Flanger, frame by frame."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, flushed, kernel, ramp, works_for
from felt_dial.sound.effects.flanger import Flanger
from felt_dial.sound.effects.kernels.core.sway import TURN, WRITE, _room, _sways, sway
from felt_dial.sound.effects.kernels.delay import echo

F_TIME, F_DEPTH, F_RATE, F_FEEDBACK, F_SIDES, F_WET = Flanger.rows_of(
    "time", "depth", "rate", "feedback", "sides", "wet"
)


def prepare_flanger(module: Flanger, stage: Stage) -> tuple[np.ndarray, ...]:
    """State of a flanger, as it begins."""
    return _room(stage)


@kernel
def _shares(control, t):
    """How much of the plain sound and of the copy is heard at a tick.

    The copy is weighed so that at half of it the notches are complete whatever comes back, and both so that noise is as
    loud as before.
    """
    wet, back = np.float64(control[F_WET, t]), np.float64(control[F_FEEDBACK, t])
    plain, copy = 1.0 - wet, wet * (1.0 + back)
    same = 1.0 / math.sqrt(plain * plain + copy * copy / (1.0 - back * back))
    return plain * same, copy * same


@works_for(Flanger, prepare_flanger)
@kernel
def run_flanger(audio, control, tick, rate, lines, state, waits):
    """Mixes the swaying sound into `audio` (float32, channel × frame) in place."""
    mask = lines.shape[1] - 1
    write = np.int64(state[WRITE])
    for t in range(control.shape[1] - 1):
        middle, reach = _sways(control[F_TIME], control[F_DEPTH], t, tick, rate)
        feedback, firmer = ramp(control[F_FEEDBACK], t, tick)
        plain, copy = _shares(control, t)
        goal_plain, goal_copy = _shares(control, t + 1)
        more_plain, more_copy = (goal_plain - plain) / tick, (goal_copy - copy) / tick
        step, sides = np.float64(control[F_RATE, t]) / rate, np.float64(control[F_SIDES, t])
        apart = (np.float64(control[F_SIDES, t + 1]) - sides) / tick
        for channel in range(2):
            line = lines[channel]
            sway(waits, state[TURN] + channel * sides, step + channel * apart, middle, reach)
            for n in range(tick):
                x = np.float64(audio[channel, t * tick + n])
                back = np.float64(echo(line, write + n, max(waits[n], 2.0), mask))
                line[(write + n) & mask] = np.float32(flushed(x + (feedback + firmer * n) * back))
                audio[channel, t * tick + n] = np.float32((plain + more_plain * n) * x + (copy + more_copy * n) * back)
        state[TURN] += step * tick
        state[TURN] -= math.floor(state[TURN])
        write += tick
    state[WRITE] = write
