"""Limiter: looks ahead, and turns down in time."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.effects.limiter import AHEAD, BETWEEN, HELD, OLDEST, SUM, WRITE, Limiter
from felt_dial.sound.kernel import Stage, kernel, works_for
from felt_dial.sound.spectra import between_frames

TAPS = 12
GAIN, CEILING, RELEASE = (Limiter.row_of(name) for name in ("gain", "ceiling", "release"))


def prepare_limiter(module: Limiter, stage: Stage) -> tuple[np.ndarray, ...]:
    """State of a limiter, as it begins."""
    wait = max(int(AHEAD * stage.rate), 1)
    line, past = np.zeros((2, wait + BETWEEN), np.float32), np.zeros((2, 2 * TAPS))
    return line, np.ones((2, wait)), past, between_frames(), np.array([0.0, 1.0, float(wait), 0.0])


@works_for(Limiter, prepare_limiter)
@kernel
def run_limiter(audio, control, tick, rate, line, gains, past, between, state):
    """Limits `audio` (float32, channel × frame) in place.

    The gain that each frame asks for is held at its lowest over the look-ahead (`gains[0]`, looked through again only
    when the lowest leaves it), let go exponentially, and averaged over the look-ahead (`gains[1]`), so that it has
    arrived when the peak comes out. Peaks are those between the frames too, from four times the rate (ITU-R BS.1770-4,
    annex 2); `past` holds the last twelve frames twice, so that they stand in a row.
    """
    wait, whole = gains.shape[1], line.shape[1]
    now, held, total, oldest = np.int64(state[WRITE]), state[HELD], state[SUM], np.int64(state[OLDEST])
    lowest = 1.0
    for k in range(wait):
        lowest = min(lowest, gains[0, k])
    for t in range(control.shape[1] - 1):
        push = 10.0 ** (np.float64(control[GAIN, t]) / 20.0)
        harder = (10.0 ** (np.float64(control[GAIN, t + 1]) / 20.0) - push) / tick
        ceiling = 10.0 ** (np.float64(control[CEILING, t]) / 20.0)
        higher = (10.0 ** (np.float64(control[CEILING, t + 1]) / 20.0) - ceiling) / tick
        free = 1.0 - math.exp(-1.0 / (np.float64(control[RELEASE, t]) * rate))
        for n in range(t * tick, (t + 1) * tick):
            x, y = push * np.float64(audio[0, n]), push * np.float64(audio[1, n])
            past[0, oldest] = past[0, oldest + TAPS] = x
            past[1, oldest] = past[1, oldest + TAPS] = y
            oldest = (oldest + 1) % TAPS
            loud = 0.0
            for side in range(2):
                loud = max(loud, abs(past[side, oldest + 5]))
                for row in range(3):
                    found = 0.0
                    for k in range(TAPS):
                        found += between[row, k] * past[side, oldest + k]
                    loud = max(loud, abs(found))
            at = now % wait
            far = now % whole
            now += 1
            gone = gains[0, at]
            asked = ceiling / loud if loud > ceiling else 1.0
            gains[0, at] = asked
            if asked <= lowest:
                lowest = asked
            elif gone <= lowest < 1.0:
                lowest = 1.0
                for k in range(wait):
                    lowest = min(lowest, gains[0, k])
            held = min(lowest, held + free * (1.0 - held))
            total += held - gains[1, at]
            gains[1, at] = held
            gain = min(total / wait, 1.0)
            late_left, late_right = np.float64(line[0, far]), np.float64(line[1, far])
            line[0, far], line[1, far] = np.float32(x), np.float32(y)
            audio[0, n] = np.float32(min(max(gain * late_left, -ceiling), ceiling))
            audio[1, n] = np.float32(min(max(gain * late_right, -ceiling), ceiling))
            push += harder
            ceiling += higher
    total = 0.0
    for k in range(wait):
        total += gains[1, k]
    state[WRITE], state[HELD], state[SUM], state[OLDEST] = now % (wait * whole), held, total, oldest
