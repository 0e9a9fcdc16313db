"""Flanger, frame by frame."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.effects.flanger import Flanger
from felt_dial.sound.effects.kernels.core.sway import BACK_LEFT, TURN, WRITE, _room, _sways, sway
from felt_dial.sound.effects.kernels.delay import echo
from felt_dial.sound.kernel import Stage, flushed, kernel, ramp, works_for

F_TIME, F_DEPTH, F_RATE, F_FEEDBACK, F_SIDES, F_WET = Flanger.rows_of(
    "time", "depth", "rate", "feedback", "sides", "wet"
)


def prepare_flanger(module: Flanger, stage: Stage) -> tuple[np.ndarray, ...]:
    """State of a flanger, as it begins."""
    return _room(stage)


@works_for(Flanger, prepare_flanger)
@kernel
def run_flanger(audio, control, tick, rate, lines, state, waits):
    """Mixes the swaying sound into `audio` (float32, channel × frame) in place."""
    mask = lines.shape[1] - 1
    write = np.int64(state[WRITE])
    for t in range(control.shape[1] - 1):
        middle, reach = _sways(control[F_TIME], control[F_DEPTH], t, tick, rate)
        (feedback, firmer), (wet, wetter) = ramp(control[F_FEEDBACK], t, tick), ramp(control[F_WET], t, tick)
        step, sides = np.float64(control[F_RATE, t]) / rate, np.float64(control[F_SIDES, t])
        for channel in range(2):
            line, back = lines[channel], state[BACK_LEFT + channel]
            sway(waits, state[TURN] + channel * sides, step, middle, reach)
            for n in range(tick):
                x = np.float64(audio[channel, t * tick + n])
                line[(write + n) & mask] = np.float32(flushed(x + (feedback + firmer * n) * back))
                back = np.float64(echo(line, write + n, max(waits[n], 2.0), mask))
                audio[channel, t * tick + n] = np.float32(x + (wet + wetter * n) * (back - 0.5 * x))
            state[BACK_LEFT + channel] = back
        state[TURN] += step * tick
        state[TURN] -= math.floor(state[TURN])
        write += tick
    state[WRITE] = write
