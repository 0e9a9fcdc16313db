"""Thicken, frame by frame."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, kernel, works_for
from felt_dial.sound.effects.kernels.core.sway import DETUNED, TURN, WRITE, _add_copy, _gain, _plain, _remember, _room
from felt_dial.sound.effects.thicken import Thicken
from felt_dial.sound.playing.kernels.counted_chance import wander

T_COPIES, T_DETUNE, T_SPREAD, T_PACE, T_WET = Thicken.rows_of("copies", "detune", "spread", "tempo", "wet")


def prepare_thicken(module: Thicken, stage: Stage) -> tuple[np.ndarray, ...]:
    """State of a thicken, as it begins."""
    return _room(stage)


@works_for(Thicken, prepare_thicken)
@kernel
def run_thicken(audio, control, tick, rate, lines, state, waits):
    """Adds the crowd to `audio` (float32, channel × frame) in place; every copy wanders by counted chance."""
    write = np.int64(state[WRITE])
    for t in range(control.shape[1] - 1):
        count = np.int64(control[T_COPIES, t])
        pace = 1.2 if control[T_PACE, t] < 0.5 else 4.0
        before = state[TURN]
        state[TURN] += pace * tick / rate
        wet, wet_after = np.float64(control[T_WET, t]), np.float64(control[T_WET, t + 1])
        share, after = wet / math.sqrt(count), wet_after / math.sqrt(count)
        _remember(audio, t * tick, tick, lines, write, _plain(wet), _plain(wet_after))
        for k in range(count):
            middle = (0.008 + 0.0031 * k) * rate
            frames = middle + np.float64(control[T_DETUNE, t]) * DETUNED * rate * wander(1, k, before)
            goal = middle + np.float64(control[T_DETUNE, t + 1]) * DETUNED * rate * wander(1, k, state[TURN])
            for n in range(tick):
                waits[n] = frames + (goal - frames) / tick * n
            side = 2.0 * k / max(count - 1.0, 1.0) - 1.0
            pan, pan_after = side * np.float64(control[T_SPREAD, t]), side * np.float64(control[T_SPREAD, t + 1])
            left, right = _gain(share, -pan, after, -pan_after, tick), _gain(share, pan, after, pan_after, tick)
            _add_copy(audio, t * tick, lines, write, waits, left, right)
        write += tick
    state[WRITE] = write
    if state[TURN] > 1e6:
        state[TURN] = 0.0
