"""Trim, frame by frame."""

from __future__ import annotations

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, kernel, works_for
from felt_dial.sound.effects.trim import Trim

LEVEL, INVERT = (Trim.row_of(name) for name in ("level", "invert"))


def prepare_trim(module: Trim, stage: Stage) -> tuple[()]:
    """A trim keeps nothing."""
    return ()


@works_for(Trim, prepare_trim)
@kernel
def run_trim(audio, control, tick, rate):
    """Scales `audio` (float32, channel × frame) in place; the level ramps over a tick."""
    for t in range(control.shape[1] - 1):
        was = 10.0 ** (np.float64(control[LEVEL, t]) / 20.0) * (1.0 - 2.0 * np.float64(control[INVERT, t]))
        now = 10.0 ** (np.float64(control[LEVEL, t + 1]) / 20.0) * (1.0 - 2.0 * np.float64(control[INVERT, t + 1]))
        for n in range(t * tick, (t + 1) * tick):
            gain = np.float32(was + (now - was) * (n - t * tick) / tick)
            audio[0, n] *= gain
            audio[1, n] *= gain
