"""Rotary: two turning things before two ears, frame by frame."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, flushed, kernel, ramp, works_for
from felt_dial.sound.effects.kernels.core.sway import sway
from felt_dial.sound.effects.kernels.delay import echo
from felt_dial.sound.effects.rotary import DRAG, Rotary

SPEED_OF_SOUND = 343.0
HORN, DRUM = 0.18, 0.2
"""Radius in metres of what turns above the split, and below it."""
LONGEST = 0.02


PACE, SLOW, FAST, WEIGHT, SPLIT, DEPTH, SPREAD = Rotary.rows_of(
    "pace", "slow", "fast", "weight", "split", "depth", "spread"
)
WRITE, HORN_AT, DRUM_AT, HORN_PACE, DRUM_PACE, LOW, LOW_TWICE, TURNS = range(8)
HORN_OF, DRUM_OF = range(2)


def prepare_rotary(module: Rotary, stage: Stage) -> tuple[np.ndarray, ...]:
    """State of a rotary, as it begins."""
    size = 1 << math.ceil(math.log2(LONGEST * stage.rate + 8))
    return np.zeros((2, size), np.float32), np.zeros(8), np.zeros((2, 2, stage.tick))


@works_for(Rotary, prepare_rotary)
@kernel
def run_rotary(audio, control, tick, rate, lines, state, near):
    """Turns `audio` (float32, channel × frame) in place: both sides are summed and sent round.

    The way to an ear changes by the radius times the cosine of the angle, and with it the delay (Doppler) and the
    loudness, as in J. Smith, S. Serafin, J. Abel and D. Berners, Doppler simulation and the Leslie, DAFx 2002.
    """
    mask = lines.shape[1] - 1
    at, first, second = np.int64(state[WRITE]), state[LOW], state[LOW_TWICE]
    for t in range(control.shape[1] - 1):
        pace = np.int64(control[PACE, t])
        goal = 0.0 if pace == 0 else np.float64(control[SLOW, t] if pace == 1 else control[FAST, t])
        heavy = np.float64(control[WEIGHT, t])
        if state[TURNS] == 0.0:  # it is there already when it begins to be heard
            state[HORN_PACE], state[DRUM_PACE], state[TURNS] = goal, DRAG * goal, 1.0
        state[HORN_PACE] += (goal - state[HORN_PACE]) * (1.0 - math.exp(-tick / (heavy * rate)))
        state[DRUM_PACE] += (DRAG * goal - state[DRUM_PACE]) * (1.0 - math.exp(-tick / (4.0 * heavy * rate)))
        low = 1.0 - math.exp(-2.0 * math.pi * np.float64(control[SPLIT, t]) / rate)
        (depth, deeper), (spread, wider) = ramp(control[DEPTH], t, tick), ramp(control[SPREAD], t, tick)
        for ear, side in enumerate((0.25, -0.25)):
            for of, at_turn, turns, part in (
                (HORN_OF, HORN_AT, HORN_PACE, side),
                (DRUM_OF, DRUM_AT, DRUM_PACE, 0.5 * side),
            ):
                begin, step = state[at_turn] + 0.25 + part * spread, state[turns] / rate + part * wider
                sway(near[of, ear], begin, step, (0.0, 0.0), (1.0, 0.0))
        for n in range(tick):
            x = 0.5 * (np.float64(audio[0, t * tick + n]) + np.float64(audio[1, t * tick + n]))
            first += low * (x - first)
            second += low * (first - second)
            lines[0, at], lines[1, at] = np.float32(x - second), np.float32(second)
            for ear in range(2):
                horn_near, drum_near = near[HORN_OF, ear, n], near[DRUM_OF, ear, n]
                horn = echo(lines[0], at, 3.0 + depth * HORN * (1.0 - horn_near) / SPEED_OF_SOUND * rate, mask)
                drum = echo(lines[1], at, 3.0 + depth * DRUM * (1.0 - drum_near) / SPEED_OF_SOUND * rate, mask)
                horn *= 1.0 + 0.45 * depth * horn_near
                drum *= 1.0 + 0.25 * depth * drum_near
                audio[ear, t * tick + n] = np.float32(horn + drum)
            at = (at + 1) & mask
            depth += deeper
        state[HORN_AT] += state[HORN_PACE] * tick / rate
        state[DRUM_AT] += state[DRUM_PACE] * tick / rate
    state[HORN_AT] -= math.floor(state[HORN_AT])
    state[DRUM_AT] -= math.floor(state[DRUM_AT])
    state[LOW], state[LOW_TWICE] = flushed(first), flushed(second)
    state[WRITE] = at
