"""Limiter: looks ahead, and turns down in time."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.effects.limiter import AHEAD, HELD, SUM, WRITE, Limiter
from felt_dial.sound.kernel import Stage, kernel, works_for

GAIN, CEILING, RELEASE = (Limiter.row_of(name) for name in ("gain", "ceiling", "release"))


def prepare_limiter(module: Limiter, stage: Stage) -> tuple[np.ndarray, ...]:
    """State of a limiter, as it begins."""
    wait = max(int(AHEAD * stage.rate), 1)
    return np.zeros((2, wait), np.float32), np.ones((2, wait)), np.array([0.0, 1.0, float(wait)])


@works_for(Limiter, prepare_limiter)
@kernel
def run_limiter(audio, control, tick, rate, line, gains, state):
    """Limits `audio` (float32, channel × frame) in place.

    The gain that each frame asks for is held at its lowest over the look-ahead (`gains[0]`, looked through again only
    when the lowest leaves it), let go exponentially, and averaged over the look-ahead (`gains[1]`), so that it has
    arrived when the peak comes out.
    """
    wait = line.shape[1]
    at, held, total = np.int64(state[WRITE]), state[HELD], state[SUM]
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
            loud = max(abs(x), abs(y))
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
            late_left, late_right = np.float64(line[0, at]), np.float64(line[1, at])
            line[0, at], line[1, at] = np.float32(x), np.float32(y)
            audio[0, n] = np.float32(min(max(gain * late_left, -ceiling), ceiling))
            audio[1, n] = np.float32(min(max(gain * late_right, -ceiling), ceiling))
            at = (at + 1) % wait
            push += harder
            ceiling += higher
    total = 0.0
    for k in range(wait):
        total += gains[1, k]
    state[WRITE], state[HELD], state[SUM] = at, held, total
