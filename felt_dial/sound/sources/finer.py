"""Finer inside: a source that would alias is made at four times the rate and brought down, note by note."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.kernel import Stage, kernel
from felt_dial.sound.mix import half_band

FINER = 4


def finer_state(stage: Stage) -> tuple[NDArray[np.float32], ...]:
    """Room for a tick at the finer rate (2, 4·tick), the history of both halvings for each row, and their taps.

    What folds back lies above 22 kHz at 48 kHz.
    """
    wide, narrow = half_band(100.0, 0.16).astype(np.float32), half_band(100.0, 0.04).astype(np.float32)
    size = FINER * stage.tick
    return np.zeros((2, size), np.float32), np.zeros((stage.rows, 4, len(narrow) - 1 + size), np.float32), wide, narrow


@kernel
def _halve(line, fine, taps, frames):  # type: ignore[no-untyped-def]
    """Halves `2 · frames` of `fine` in place, behind the history in `line`."""
    count = taps.shape[0]
    centre = count // 2
    for n in range(2 * frames):
        line[count - 1 + n] = fine[n]
    for n in range(frames):
        total = np.float32(0.0)
        for k in range(centre % 2 ^ 1, count, 2):
            total += line[2 * n + k] * taps[k]
        fine[n] = total + line[2 * n + centre] * taps[centre]
    for n in range(count - 1):
        line[n] = line[2 * frames + n]


@kernel
def come_down(fine, history, wide, narrow, row, out, at, tick):  # type: ignore[no-untyped-def]
    """Replaces a tick of `out[row]` by `fine`, four times as many frames, both sides."""
    for side in range(2):
        _halve(history[row, 2 * side], fine[side], wide, 2 * tick)
        _halve(history[row, 2 * side + 1], fine[side], narrow, tick)
        for n in range(tick):
            out[row, side, at + n] = fine[side, n]
