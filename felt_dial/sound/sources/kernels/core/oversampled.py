"""Finer inside: a source that would alias is made at four times the rate and brought down, note by note."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.kernel import Stage, inner, kernel
from felt_dial.sound.engine.rates import half_band
from felt_dial.sound.matter.kept import fixed

FINER = 4
CALM = 5.0
"""Hz at which the mean of a source is followed, and taken off."""


class FinerState(NamedTuple):
    """What a source at four times the rate needs to come down.

    Attributes
    ----------
    fine : float32 (2, 4 · tick)
        Room for a tick of both sides.
    history : float32 (row, 5, frame)
        Of both halvings on both sides, and the mean.
    wide, narrow : float32 (tap,)
        The half-band filters of the first and of the second halving.
    calm : float32 (1,)
        Part of the way that the mean goes in a frame.
    """

    fine: NDArray[np.float32]
    history: NDArray[np.float32]
    wide: NDArray[np.float32]
    narrow: NDArray[np.float32]
    calm: NDArray[np.float32]


def finer_state(stage: Stage) -> FinerState:
    """The state of silence. What folds back lies above 22 kHz at 48 kHz."""
    wide, narrow = half_band(100.0, 0.16).astype(np.float32), half_band(100.0, 0.04).astype(np.float32)
    size = FINER * stage.tick
    history = np.zeros((stage.rows, 5, len(narrow) - 1 + size), np.float32)
    calm = fixed(np.full(1, 1.0 - np.exp(-2.0 * np.pi * CALM / stage.rate), np.float32))
    return FinerState(np.zeros((2, size), np.float32), history, fixed(wide), fixed(narrow), calm)


@kernel
def _halve(line, fine, taps, frames):
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


@inner
def come_down(finer, row, out, at, tick):
    """Replaces a tick of `out[row]` by what is in `finer.fine`, four times as many frames, both sides, without its mean.

    A cycle that begins anew, is squeezed or folded has one; it is followed at a few hertz and taken off.
    """
    fine, history, calm = finer.fine, finer.history, finer.calm[0]
    for side in range(2):
        _halve(history[row, 2 * side], fine[side], finer.wide, 2 * tick)
        _halve(history[row, 2 * side + 1], fine[side], finer.narrow, tick)
        mean = history[row, 4, side]
        for n in range(tick):
            mean += (fine[side, n] - mean) * calm
            out[row, side, at + n] = fine[side, n] - mean
        history[row, 4, side] = mean


@kernel(inline=True)
def _smooth_step(x):
    """Integral of the cubic B-spline from −1 to 1."""
    return np.float32(0.5) + x * (np.float32(2.0 / 3.0) - x * x * (np.float32(1.0 / 3.0) - abs(x) * np.float32(0.125)))


@kernel(inline=True)
def _smooth_corner(x):
    """What a rounded corner has more than a sharp one, `x` from it (0 to 1): the integral once more."""
    square = x * x
    return (
        np.float32(7.0 / 30.0)
        - x * np.float32(0.5)
        + square * (np.float32(1.0 / 3.0) - square * (np.float32(1.0 / 12.0) - x * np.float32(1.0 / 40.0)))
    )


@kernel(inline=True)
def rounding(d, jump, rise):
    """What to add to the two frames before and after an edge `d` (0 to 1) frames ago, to keep it from aliasing.

    The jump is rounded by the integral of a cubic B-spline, the corner by its second integral: the
    residuals of a band-limited step and ramp, V. Välimäki, J. Nam, J. O. Smith, J. S. Abel, IEEE TASLP
    18(4), 2010. `rise` is how much steeper a frame becomes. The sound is two frames late for it.
    """
    e = np.float32(1.0) - d
    step, ramp = np.float32(1.0 / 24.0), np.float32(1.0 / 120.0)
    before = d * d * d * d * (jump * step + rise * d * ramp)
    after = e * e * e * e * (rise * e * ramp - jump * step)
    near = jump * _smooth_step(-e) + rise * _smooth_corner(e)
    here = jump * (_smooth_step(d) - np.float32(1.0)) + rise * _smooth_corner(d)
    return before, near, here, after
