"""Shift: by hertz with a Hilbert pair, by semitones with two moving heads."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, flush, flushed, kernel, works_for
from felt_dial.sound.effects.kernels.delay import echo
from felt_dial.sound.effects.shift import LONGEST, Shift
from felt_dial.sound.tone.core.halves import sections

SECTIONS, LOWEST = 8, 20.0
"""Sections of each of two chains of all-passes whose outputs stand a quarter turn apart, from so many Hz to as far below half
of the rate: a half-band turned by a quarter of the rate."""


HERTZ_AT, APART, PITCH, WINDOW, FEEDBACK, WAIT = Shift.rows_of("hertz", "apart", "pitch", "window", "feedback", "wait")
WRITE, TURN, OTHER, SAW = range(4)


@kernel
def _chain(x, squares, here):
    """One chain: y[n] = a² (x[n] + y[n − 2]) − x[n − 2], in every section; `here` (section, 4) holds x and y twice back."""
    for k in range(SECTIONS):
        y = squares[k] * (x + here[k, 3]) - here[k, 1]
        here[k, 1], here[k, 0] = here[k, 0], x
        here[k, 3], here[k, 2] = here[k, 2], y
        x = y
    return x


def prepare_shift(module: Shift, stage: Stage) -> tuple[np.ndarray, ...]:
    """State of a shift, as it begins."""
    size = 1 << math.ceil(math.log2(LONGEST * stage.rate + 16))
    pairs = sections(2 * SECTIONS, 4.0 * LOWEST / stage.rate)
    back = 1 << math.ceil(math.log2(1.0 * stage.rate + 16))
    return (
        np.zeros((2, size), np.float32),
        np.zeros((2, back), np.float32),
        np.zeros((2, 2, SECTIONS, 4)),
        np.zeros((2, 1)),
        np.zeros(4),
        np.stack([pairs[1::2], pairs[::2]]),
    )


@works_for(Shift, prepare_shift)
@kernel
def run_shift(audio, control, tick, rate, lines, backs, quarter, late, state, squares):
    """Shifts `audio` (float32, channel × frame) in place.

    Frequency: the sound and its quarter turn, multiplied by a turning pair, so that one side band is left (single side
    band modulation). Pitch: two readers that run through a line faster or slower, each faded in and out.
    """
    mask, around = lines.shape[1] - 1, backs.shape[1] - 1
    at = np.int64(state[WRITE])
    for t in range(control.shape[1] - 1):
        hertz, apart = np.float64(control[HERTZ_AT, t]), np.float64(control[APART, t])
        step, step_right = hertz / rate, hertz * (1.0 - 2.0 * apart) / rate
        ratio = 2.0 ** (np.float64(control[PITCH, t]) / 12.0)
        window = np.float64(control[WINDOW, t]) * rate
        feedback = np.float64(control[FEEDBACK, t])
        wait = np.int64(np.float64(control[WAIT, t]) * rate) + 1
        moves = ratio != 1.0
        shifts = hertz != 0.0
        for n in range(t * tick, (t + 1) * tick):
            state[TURN] += step
            state[OTHER] += step_right
            state[SAW] += (1.0 - ratio) / window
            state[SAW] -= math.floor(state[SAW])
            for channel in range(2):
                x = np.float64(audio[channel, n]) + feedback * np.float64(backs[channel, (at - wait) & around])
                lines[channel, at & mask] = np.float32(x)
                y = x
                if moves:
                    first = state[SAW]
                    second = first + 0.5 - math.floor(first + 0.5)
                    fade = 0.5 - 0.5 * math.cos(2.0 * math.pi * first)
                    y = fade * echo(lines[channel], at, 3.0 + first * window, mask)
                    y += (1.0 - fade) * echo(lines[channel], at, 3.0 + second * window, mask)
                if shifts:
                    real = _chain(y, squares[0], quarter[channel, 0])
                    turned = _chain(y, squares[1], quarter[channel, 1])
                    real, late[channel, 0] = late[channel, 0], real
                    angle = 2.0 * math.pi * (state[TURN] if channel == 0 else state[OTHER])
                    y = real * math.cos(angle) + turned * math.sin(angle)
                y = flushed(y)
                kept = min(max(y, -4.0), 4.0)
                backs[channel, at & around] = np.float32(kept)
                audio[channel, n] = np.float32(y)
            at += 1
    state[WRITE] = np.float64(at & ((np.int64(1) << 40) - 1))
    state[TURN] -= math.floor(state[TURN])
    state[OTHER] -= math.floor(state[OTHER])
    flush(quarter)
