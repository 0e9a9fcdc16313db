"""Reduce, frame by frame."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, kernel, works_for
from felt_dial.sound.effects.reduce import Reduce

BITS, RATE_AT, R_WET = (Reduce.row_of(name) for name in ("bits", "rate", "wet"))


def prepare_reduce(module: Reduce, stage: Stage) -> tuple[np.ndarray, ...]:
    """State of a reduce, as it begins."""
    return (np.array([1.0, 0.0, 0.0]),)


@works_for(Reduce, prepare_reduce)
@kernel
def run_reduce(audio, control, tick, rate, held):
    """Holds and rounds `audio` (float32, channel × frame) in place: mid-tread steps of 2^(1 − bits) of full scale."""
    for t in range(control.shape[1] - 1):
        size = 2.0 ** (1.0 - np.float64(control[BITS, t]))
        step, wet = np.float64(control[RATE_AT, t]) / rate, np.float64(control[R_WET, t])
        for n in range(t * tick, (t + 1) * tick):
            held[0] += step
            if held[0] >= 1.0:
                held[0] -= math.floor(held[0])
                for channel in range(2):
                    held[1 + channel] = size * math.floor(np.float64(audio[channel, n]) / size + 0.5)
            for channel in range(2):
                audio[channel, n] = np.float32(audio[channel, n] + wet * (held[1 + channel] - audio[channel, n]))
