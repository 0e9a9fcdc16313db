"""Compressor, frame by frame: detector, static curve, attack and release."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, kernel, ramp, works_for
from felt_dial.sound.effects.compressor import AHEAD, LOW_LEFT, LOW_RIGHT, PEAK, REDUCED, WRITE, Compressor

THRESHOLD, RATIO, KNEE, ATTACK, RELEASE, AHEAD_AT, SIDE_CUT, MAKEUP, WET = Compressor.rows_of(
    "threshold", "ratio", "knee", "attack", "release", "ahead", "side_cut", "makeup", "wet"
)


def prepare_compressor(module: Compressor, stage: Stage) -> tuple[np.ndarray, ...]:
    """State of a compressor, as it begins."""
    size = 1 << math.ceil(math.log2(AHEAD * stage.rate + 2))
    return np.zeros((2, size), np.float32), np.zeros(8)


@works_for(Compressor, prepare_compressor)
@kernel
def run_compressor(audio, control, tick, rate, line, state):
    """Compresses `audio` (float32, channel × frame) in place.

    Feed-forward, in dB, a decoupled smooth peak detector on the gain (Giannoulis, Massberg, Reiss 2012, eq. 17), whose
    release is shorter by the attack that follows it: so it arrives at its curve for any wave. Both channels are turned
    down alike. `state[REDUCED]` is the gain reduction of this moment in dB.
    """
    mask = line.shape[1] - 1
    write, reduced, peak = np.int64(state[WRITE]), state[REDUCED], state[PEAK]
    for t in range(control.shape[1] - 1):
        threshold, ratio = np.float64(control[THRESHOLD, t]), np.float64(control[RATIO, t])
        knee = np.float64(control[KNEE, t])
        makeup, louder = ramp(control[MAKEUP], t, tick)
        attack, release = np.float64(control[ATTACK, t]), np.float64(control[RELEASE, t])
        rise = math.exp(-1.0 / (attack * rate)) if attack > 0.0 else 0.0
        fall = math.exp(-1.0 / (max(release - attack, 0.1 * release) * rate))
        cut = np.float64(control[SIDE_CUT, t])
        low = 0.0 if cut <= 20.0 else 1.0 - math.exp(-2.0 * math.pi * cut / rate)
        wait = np.int64(np.float64(control[AHEAD_AT, t]) * rate)
        wet, wetter = ramp(control[WET], t, tick)
        for n in range(t * tick, (t + 1) * tick):
            x, y = np.float64(audio[0, n]), np.float64(audio[1, n])
            line[0, write & mask], line[1, write & mask] = audio[0, n], audio[1, n]
            state[LOW_LEFT] += low * (x - state[LOW_LEFT])
            state[LOW_RIGHT] += low * (y - state[LOW_RIGHT])
            loud = max(abs(x - state[LOW_LEFT]), abs(y - state[LOW_RIGHT]))
            over = 20.0 * math.log10(loud + 1e-9) - threshold
            if 2.0 * over < -knee:
                goal = 0.0
            elif 2.0 * over <= knee:
                goal = (1.0 - 1.0 / ratio) * (over + 0.5 * knee) ** 2 / (2.0 * knee + 1e-9)
            else:
                goal = (1.0 - 1.0 / ratio) * over
            peak = max(goal, fall * peak + (1.0 - fall) * goal)
            reduced = rise * reduced + (1.0 - rise) * peak
            gain = wet * 10.0 ** ((makeup - reduced) / 20.0) + 1.0 - wet
            audio[0, n] = np.float32(gain * line[0, (write - wait) & mask])
            audio[1, n] = np.float32(gain * line[1, (write - wait) & mask])
            write += 1
            makeup += louder
            wet += wetter
    state[WRITE], state[REDUCED] = write, reduced if reduced > 1e-12 else 0.0
    state[PEAK] = peak if peak > 1e-12 else 0.0
    for k in (LOW_LEFT, LOW_RIGHT):
        if abs(state[k]) < 1e-15:
            state[k] = 0.0
