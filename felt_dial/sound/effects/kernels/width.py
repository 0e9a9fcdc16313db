"""Width, frame by frame."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, kernel, works_for
from felt_dial.sound.effects.width import Width

WIDTH, MONO, BALANCE = (Width.row_of(name) for name in ("width", "mono", "balance"))


def prepare_width(module: Width, stage: Stage) -> tuple[np.ndarray, ...]:
    """State of a width, as it begins."""
    return (np.zeros(2),)


@works_for(Width, prepare_width)
@kernel
def run_width(audio, control, tick, rate, state):
    """Turns the sides of `audio` (float32, channel × frame) in place; two poles take the lows out of them."""
    for t in range(control.shape[1] - 1):
        wide, wider = np.float64(control[WIDTH, t]), np.float64(control[WIDTH, t + 1])
        mono = np.float64(control[MONO, t])
        balance, shift = (
            np.float64(control[BALANCE, t]),
            np.float64(control[BALANCE, t + 1] - control[BALANCE, t]) / tick,
        )
        low = 0.0 if mono <= 20.0 else 1.0 - math.exp(-2.0 * math.pi * mono / rate)
        for n in range(t * tick, (t + 1) * tick):
            left, right = min(1.0 - balance, 1.0), min(1.0 + balance, 1.0)
            balance += shift
            x, y = np.float64(audio[0, n]), np.float64(audio[1, n])
            middle, side = 0.5 * (x + y), 0.5 * (x - y)
            state[0] += low * (side - state[0])
            side -= state[0]
            state[1] += low * (side - state[1])
            side = (side - state[1]) * (wide + (wider - wide) * (n - t * tick) / tick)
            audio[0, n], audio[1, n] = np.float32(left * (middle + side)), np.float32(right * (middle - side))
    for k in range(2):
        if abs(state[k]) < 1e-15:
            state[k] = 0.0
