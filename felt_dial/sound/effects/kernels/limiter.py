"""Limiter: looks ahead, and turns down in time; then once more, what the turning itself has raised between the frames."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, inner, kernel, works_for
from felt_dial.sound.effects.limiter import ASKED, AVERAGED, BETWEEN, HELD, LOWEST, OLDEST, SUM, WRITE, Limiter, waits
from felt_dial.sound.spectra import between_frames

TAPS = 12
REACH = TAPS - 2
"""Frames on both sides of a peak over which the gain is as low as the peak asks: what lies between frames is made of those."""
SPARE = 0.9985
"""Part of the ceiling that is aimed at: what the second turn still raises is less than the rest, 0.013 dB."""
GAIN, CEILING, RELEASE = (Limiter.row_of(name) for name in ("gain", "ceiling", "release"))


def prepare_limiter(module: Limiter, stage: Stage) -> tuple[np.ndarray, ...]:
    """State of both turns, one behind the other, as they begin."""
    made: list[np.ndarray] = [between_frames()]
    for wait in waits(stage.rate):
        line, past = np.zeros((2, wait + BETWEEN)), np.zeros((2, 2 * TAPS))
        asked, held = np.ones(wait + BETWEEN + 1), np.ones(wait + BETWEEN - REACH)
        made += [line, asked, held, past, np.array([0.0, 1.0, float(len(held)), 0.0, 1.0, 0.0, 0.0])]
    return tuple(made)


@kernel(inline=True)
def _after(place, count):
    """The place behind one in a ring. (A remainder takes longer than all else of a frame.)"""
    return place + 1 if place + 1 < count else 0


@inner
def _turn(x, y, ceiling, free, between, line, asked, held, past, state):
    """One frame through one turn: what comes out, late by the length of `line`.

    The gain that each frame asks for is held at its lowest over all the time that the frame and those around it need to come
    out (`asked`), let go exponentially, and averaged (`held`), so that it has arrived before the peak comes out. Peaks are
    those between the frames too, from four times the rate (ITU-R BS.1770-4, annex 2); `past` holds the last twelve frames
    twice, so that they stand in a row.
    """
    now, oldest = np.int64(state[WRITE]), np.int64(state[OLDEST])
    asks, holds = np.int64(state[ASKED]), np.int64(state[AVERAGED])
    past[0, oldest] = past[0, oldest + TAPS] = x
    past[1, oldest] = past[1, oldest + TAPS] = y
    oldest = _after(oldest, TAPS)
    loud = 0.0
    for side in range(2):
        loud = max(loud, abs(past[side, oldest + 5]))
        for row in range(between.shape[0]):
            found = 0.0
            for k in range(TAPS):
                found += between[row, k] * past[side, oldest + k]
            loud = max(loud, abs(found))
    gone = asked[asks]
    asked[asks] = ceiling / loud if loud > ceiling else 1.0
    lowest = state[LOWEST]
    if asked[asks] <= lowest:
        lowest = asked[asks]
    elif gone <= lowest < 1.0:
        lowest = 1.0
        for k in range(asked.shape[0]):
            lowest = min(lowest, asked[k])
    state[LOWEST] = lowest
    state[HELD] = min(lowest, state[HELD] + free * (1.0 - state[HELD]))
    state[SUM] += state[HELD] - held[holds]
    held[holds] = state[HELD]
    if holds == 0:  # and nothing gathers in the sum
        state[SUM] = 0.0
        for k in range(held.shape[0]):
            state[SUM] += held[k]
    gain = min(state[SUM] / held.shape[0], 1.0)
    left, right = line[0, now], line[1, now]
    line[0, now], line[1, now] = x, y
    state[WRITE], state[OLDEST] = _after(now, line.shape[1]), oldest
    state[ASKED], state[AVERAGED] = _after(asks, asked.shape[0]), _after(holds, held.shape[0])
    return gain * left, gain * right


@works_for(Limiter, prepare_limiter)
@kernel
def run_limiter(
    audio, control, tick, rate, between, line, asked, held, past, state, line2, asked2, held2, past2, state2
):
    """Limits `audio` (float32, channel × frame) in place."""
    for t in range(control.shape[1] - 1):
        push = 10.0 ** (np.float64(control[GAIN, t]) / 20.0)
        harder = (10.0 ** (np.float64(control[GAIN, t + 1]) / 20.0) - push) / tick
        ceiling = SPARE * 10.0 ** (np.float64(control[CEILING, t]) / 20.0)
        higher = (SPARE * 10.0 ** (np.float64(control[CEILING, t + 1]) / 20.0) - ceiling) / tick
        free = 1.0 - math.exp(-1.0 / (np.float64(control[RELEASE, t]) * rate))
        for n in range(t * tick, (t + 1) * tick):
            x, y = push * np.float64(audio[0, n]), push * np.float64(audio[1, n])
            x, y = _turn(x, y, ceiling, free, between, line, asked, held, past, state)
            x, y = _turn(x, y, ceiling, free, between, line2, asked2, held2, past2, state2)
            audio[0, n], audio[1, n] = np.float32(x), np.float32(y)
            push += harder
            ceiling += higher
