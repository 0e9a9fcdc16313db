"""Delays that sway: the lines, the sway, and copies read from them."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, kernel

LONGEST = 0.08
DETUNED = 0.0045
"""Seconds by which a copy of a crowd wanders at most."""


def _room(stage: Stage) -> tuple[np.ndarray, ...]:
    """Two rings, what the sway stands at, and room for a tick."""
    size = 1 << math.ceil(math.log2(LONGEST * stage.rate + 8))
    return np.zeros((2, size), np.float32), np.zeros(2), np.zeros(stage.tick)


WRITE, TURN = range(2)


@kernel
def sway(waits, turn, step, middle, reach):
    """`middle` + `reach` · sin(2π · turn) for every frame of `waits`, `turn` growing by `step`: by turning a unit vector.

    `middle` and `reach` are each a value and what it moves by in a frame.
    """
    (middle, further), (reach, wider) = middle, reach
    s, c = math.sin(2.0 * math.pi * turn), math.cos(2.0 * math.pi * turn)
    by_s, by_c = math.sin(2.0 * math.pi * step), math.cos(2.0 * math.pi * step)
    for n in range(waits.shape[0]):
        waits[n] = middle + reach * s
        middle += further
        reach += wider
        s, c = s * by_c + c * by_s, c * by_c - s * by_s


@kernel
def _sways(time, depth, t, tick, rate):
    """Middle and reach of a swaying delay in frames in a tick, each with what it moves by in a frame."""
    here, there = np.float64(time[t]) * rate, np.float64(time[t + 1]) * rate
    near, far = 0.9 * np.float64(depth[t]) * here, 0.9 * np.float64(depth[t + 1]) * there
    return (here, (there - here) / tick), (near, (far - near) / tick)


@kernel
def _remember(audio, first, tick, lines, write, plain, after):
    """Writes a tick of the sound from frame `first` on into the lines, and turns it down, by `plain` up to `after`."""
    mask = lines.shape[1] - 1
    fade = (after - plain) / tick
    for channel in range(2):
        for n in range(tick):
            lines[channel, (write + n) & mask] = audio[channel, first + n]
            audio[channel, first + n] *= np.float32(plain + fade * n)


@kernel
def _plain(wet):
    """How far the sound is turned down beside its copies."""
    return 1.0 / math.sqrt(1.0 + wet * wet)


@kernel
def _add_copy(audio, first, lines, write, waits, left, right):
    """Adds the lines `waits` frames ago to a tick of the sound, at a gain for each side; the same cubic as `echo`.

    A gain is a value and what it moves by in a frame.
    """
    mask = lines.shape[1] - 1
    (left, more_left), (right, more_right) = left, right
    for n in range(waits.shape[0]):
        wait = max(waits[n], 2.0)
        whole = np.int64(wait)
        p = wait - whole
        at = write + n - whole
        a = (at - 2) & mask
        b, c, d = (at - 1) & mask, at & mask, (at + 1) & mask
        last, after = 0.5 * p * p * (p - 1.0), 0.5 * p * (1.0 + p * (4.0 - 3.0 * p))
        here, before = 1.0 + p * p * (1.5 * p - 2.5), 0.5 * p * (p * (2.0 - p) - 1.0)
        x = last * lines[0, a] + after * lines[0, b] + here * lines[0, c] + before * lines[0, d]
        y = last * lines[1, a] + after * lines[1, b] + here * lines[1, c] + before * lines[1, d]
        audio[0, first + n] += np.float32(left * x)
        audio[1, first + n] += np.float32(right * y)
        left += more_left
        right += more_right


@kernel
def _gain(share, pan, after, pan_after, tick):
    """Gain of one side of a copy as a tick begins, and what it moves by in a frame."""
    now = share * (1.0 + pan)
    return now, (after * (1.0 + pan_after) - now) / tick
