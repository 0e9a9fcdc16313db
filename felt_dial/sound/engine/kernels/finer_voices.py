"""Voices up to four times the rate and down again, four of them at once."""

from __future__ import annotations

import numpy as np

from felt_dial.sound.compiling.kernel import kernel
from felt_dial.sound.simd.lanes import VOICES, both, state_in, state_out, take_voices, voices_in, voices_out
from felt_dial.sound.tone.kernels.core.halves import (
    DOWN_FIRST,
    DOWN_LATER,
    UP_FIRST,
    UP_LATER,
    down_first,
    down_later,
    up_first,
    up_later,
)

FINER = 4
UP, DOWN = UP_FIRST + UP_LATER, DOWN_FIRST + DOWN_LATER
"""Numbers that the way up and the way down keep of every channel."""


@kernel
def run_up(audio, fine, rows, start, tick, kept, halves, who, alive, here, tile, wide):
    """Voices of `audio` (row, channel, frame) into `fine` (row, channel, 4 · frame); nothing before a voice begins.

    `kept` float64 (row, number, channel) is what the way up keeps; `who`, `alive`, `here`, `tile` and `wide` (2, frame, 8)
    are room.
    """
    ticks, frames = audio.shape[2] // tick, audio.shape[2]
    for group in range(0, rows.shape[0], VOICES):
        take_voices(audio, rows, start, group, who, alive)
        state_in(kept, who, here)
        voices_in(audio, who, 0, ticks, tick, tile)
        for v in range(VOICES):
            for n in range(who[1, v] * tick):
                both(tile, n, v, 0.0)
        up_first(tile, wide[0], frames, halves[0], here)
        up_later(wide[0], wide[1], 2 * frames, halves[1], here[UP_FIRST:])
        state_out(here, who, kept)
        take_voices(fine, rows, start, group, who, alive)
        voices_out(wide[1], who, 0, ticks, FINER * tick, fine)


@kernel
def run_down(fine, audio, rows, start, tick, kept, halves, who, alive, here, wide):
    """The way back of `run_up`; a voice that has not begun is left as it is."""
    ticks, frames = audio.shape[2] // tick, audio.shape[2]
    for group in range(0, rows.shape[0], VOICES):
        take_voices(fine, rows, start, group, who, alive)
        state_in(kept, who, here)
        voices_in(fine, who, 0, ticks, FINER * tick, wide)
        for v in range(VOICES):
            for n in range(who[1, v] * FINER * tick):
                both(wide, n, v, 0.0)
        down_later(wide, 2 * frames, halves[1], here[DOWN_FIRST:])
        down_first(wide, frames, halves[0], here)
        state_out(here, who, kept)
        take_voices(audio, rows, start, group, who, alive)
        voices_out(wide, who, 0, ticks, tick, audio)


@kernel
def run_line_up(line, finer, rows, start, tick, last):
    """Values of every frame, float32 (row, frame), in straight lines into four times as many; `last` (row,) are before them.

    A voice that begins at tick `start` (row,) of this block, −1 for earlier, has none before it.
    """
    each = np.float32(1.0 / FINER)
    for row in rows:
        begin = max(start[row], 0) * tick
        was = last[row] if start[row] < 0 else line[row, begin]
        for n in range(begin, line.shape[1]):
            rise = (line[row, n] - was) * each
            for k in range(FINER):
                was += rise
                finer[row, FINER * n + k] = was
            was = line[row, n]
        last[row] = was


@kernel
def any_pushed(push, rows):
    """True where a value, float32 (row, tick + 1), is above 0 in one of the voices."""
    for row in rows:
        for t in range(push.shape[1]):
            if push[row, t] > np.float32(0.0):
                return True
    return False
