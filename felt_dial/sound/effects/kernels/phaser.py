"""Phaser: a row of all-passes, frame by frame."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, kernel, ramp, works_for
from felt_dial.sound.effects.phaser import MOST, Phaser

STAGES, FREQUENCY, DEPTH, RATE_AT, FEEDBACK, SIDES, WET = Phaser.rows_of(
    "stages", "frequency", "depth", "rate", "feedback", "sides", "wet"
)


def prepare_phaser(module: Phaser, stage: Stage) -> tuple[np.ndarray, ...]:
    """State of a phaser, as it begins."""
    return np.zeros((2, MOST + 1)), np.zeros(2)


@works_for(Phaser, prepare_phaser)
@kernel
def run_phaser(audio, control, tick, rate, state, turn):
    """Mixes the swaying all-passes into `audio` (float32, channel × frame) in place; their corner ramps over a tick."""
    for t in range(control.shape[1] - 1):
        count = np.int64(control[STAGES, t])
        middle, depth = np.float64(control[FREQUENCY, t]), np.float64(control[DEPTH, t])
        (feedback, firmer), (wet, wetter) = ramp(control[FEEDBACK], t, tick), ramp(control[WET], t, tick)
        before = turn[0]
        turn[0] += np.float64(control[RATE_AT, t]) * tick / rate
        for channel in range(2):
            apart = channel * np.float64(control[SIDES, t])
            f0 = middle * 2.0 ** (depth * math.sin(2.0 * math.pi * (before + apart)))
            f1 = middle * 2.0 ** (depth * math.sin(2.0 * math.pi * (turn[0] + apart)))
            k0 = math.tan(math.pi * min(max(f0, 5.0), 0.45 * rate) / rate)
            k1 = math.tan(math.pi * min(max(f1, 5.0), 0.45 * rate) / rate)
            a, b = (k0 - 1.0) / (k0 + 1.0), (k1 - 1.0) / (k1 + 1.0)
            grow = (b - a) / tick
            back, share = feedback, wet
            for n in range(t * tick, (t + 1) * tick):
                x = np.float64(audio[channel, n])
                y = x + back * state[channel, MOST]
                for k in range(count):
                    out = a * y + state[channel, k]
                    state[channel, k] = y - a * out
                    y = out
                state[channel, MOST] = y if abs(y) > 1e-15 else 0.0
                audio[channel, n] = np.float32((1.0 - share) * x + share * y)
                a += grow
                back += firmer
                share += wetter
        turn[0] -= math.floor(turn[0])
    for channel in range(2):
        for k in range(MOST):
            if abs(state[channel, k]) < 1e-15:
                state[channel, k] = 0.0
