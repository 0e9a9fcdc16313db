"""Gate, tick by tick: the step it stands at, its slope."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, kernel, works_for
from felt_dial.sound.effects.gate import Gate

QUIET, PAUSE = 1e-4, 0.05
"""What counts as silence, and after how many seconds of it the row begins anew."""


STEPS, PACE, LENGTH, SWING, SOFT, LEAST, ANEW, FIRST = Gate.rows_of(
    "steps", "pace", "length", "swing", "soft", "least", "anew", "s1"
)
PLACE, SILENT, OPEN = range(3)


def prepare_gate(module: Gate, stage: Stage) -> tuple[np.ndarray, ...]:
    """State of a gate, as it begins."""
    return (np.array([0.0, 1.0, 0.0]),)


@works_for(Gate, prepare_gate)
@kernel
def run_gate(audio, control, tick, rate, state):
    """Opens and closes `audio` (float32, channel × frame) in place; `state` is (step, silence in seconds, gain)."""
    for t in range(control.shape[1] - 1):
        peak = np.float32(0.0)
        for channel in range(2):
            for n in range(t * tick, (t + 1) * tick):
                peak = max(peak, abs(audio[channel, n]))
        if peak > QUIET:
            if control[ANEW, t] > 0.5 and state[SILENT] > PAUSE:
                state[PLACE] = 0.0
            state[SILENT] = 0.0
        else:
            state[SILENT] = min(state[SILENT] + tick / rate, 1.0)
        count = np.float64(control[STEPS, t])
        length, swing = np.float64(control[LENGTH, t]), np.float64(control[SWING, t])
        least = np.float64(control[LEAST, t])
        follow = 1.0 - math.exp(-1.0 / (np.float64(control[SOFT, t]) / 3.0 * rate))
        beat = np.float64(control[PACE, t]) / rate
        for n in range(t * tick, (t + 1) * tick):
            pair = 2.0 * math.floor(0.5 * state[PLACE])
            within = state[PLACE] - pair
            first = 1.0 + swing
            step = pair if within < first else pair + 1.0
            part = within / first if within < first else (within - first) / (2.0 - first)
            goal = least
            if part < length:
                goal = max(least, np.float64(control[FIRST + np.int64(min(step, count - 1.0)), t]))
            state[OPEN] += (goal - state[OPEN]) * follow
            gain = np.float32(state[OPEN])
            audio[0, n] *= gain
            audio[1, n] *= gain
            state[PLACE] += beat
            if state[PLACE] >= count:
                state[PLACE] -= count * math.floor(state[PLACE] / count)
