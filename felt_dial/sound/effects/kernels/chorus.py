"""Chorus, frame by frame."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, kernel, works_for
from felt_dial.sound.effects.chorus import Chorus
from felt_dial.sound.effects.kernels.core.sway import (
    TURN,
    WRITE,
    _add_copy,
    _gain,
    _plain,
    _remember,
    _room,
    _sways,
    sway,
)

COPIES, TIME, DEPTH, RATE_AT, SPREAD, WET = Chorus.rows_of("copies", "time", "depth", "rate", "spread", "wet")


def prepare_chorus(module: Chorus, stage: Stage) -> tuple[np.ndarray, ...]:
    """State of a chorus, as it begins."""
    return _room(stage)


@works_for(Chorus, prepare_chorus)
@kernel
def run_chorus(audio, control, tick, rate, lines, state, waits):
    """Adds the copies to `audio` (float32, channel × frame) in place."""
    write = np.int64(state[WRITE])
    for t in range(control.shape[1] - 1):
        count = np.int64(control[COPIES, t])
        middle, reach = _sways(control[TIME], control[DEPTH], t, tick, rate)
        step = np.float64(control[RATE_AT, t]) / rate
        wet, wet_after = np.float64(control[WET, t]), np.float64(control[WET, t + 1])
        share, after = _plain(wet) * wet / math.sqrt(count), _plain(wet_after) * wet_after / math.sqrt(count)
        _remember(audio, t * tick, tick, lines, write, _plain(wet), _plain(wet_after))
        for k in range(count):
            sign = 1.0 if k % 2 == 0 else -1.0
            if k == count - 1 and count % 2 == 1:
                sign = 0.0  # what has no other on the other side stands in the middle
            pan, pan_after = sign * np.float64(control[SPREAD, t]), sign * np.float64(control[SPREAD, t + 1])
            sway(waits, state[TURN] + k / count, step, middle, reach)
            left, right = _gain(share, pan, after, pan_after, tick), _gain(share, -pan, after, -pan_after, tick)
            _add_copy(audio, t * tick, lines, write, waits, left, right)
        state[TURN] += step * tick
        state[TURN] -= math.floor(state[TURN])
        write += tick
    state[WRITE] = write
