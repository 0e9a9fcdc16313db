"""Chaotic systems, stepped at four times the rate."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.kernel import Stage, formula, kernel
from felt_dial.sound.playing.kernels.counted_chance import chance
from felt_dial.sound.sources.chaos import DRIVE, DUFFING, LORENZ, Chaos, advance
from felt_dial.sound.sources.kernels.core.notes import lot_of, plays_each

FINEST = 8
"""Most steps of the integration in a frame."""


SYSTEM, ENERGY, COUPLING, DAMPING, WIDTH = (
    Chaos.row_of(name) for name in ("system", "energy", "coupling", "damping", "width")
)
MEAN_A, MEAN_B = 5, 6
_advance = formula(advance)


class ChaosState(NamedTuple):
    """What every note stands at.

    Attributes
    ----------
    numbers : float64 (row, 7)
        The four that move, the drive's phase, and the means that are taken off.
    room : float64 (3, 4)
        Room for a step of the integration.
    """

    numbers: NDArray[np.float64]
    room: NDArray[np.float64]


def prepare_chaos(module: Chaos, stage: Stage) -> ChaosState:
    """The state of no note."""
    return ChaosState(np.zeros((stage.rows, 7)), np.zeros((3, 4)))


@plays_each(Chaos, prepare_chaos, ChaosState)
@kernel
def play_chaos(notes, state, row, first):
    """Plays one note; a layer that modulates it bends its time.

    The steps of the integration are at most an eleventh of a turn, and at most 8 in a frame.
    """
    out, frequency, turn, control, tick, rate, begin = (
        notes.out,
        notes.frequency,
        notes.turn,
        notes.control,
        notes.tick,
        notes.rate,
        notes.begin,
    )
    ticks = frequency.shape[1] - 1
    keep = 1.0 - 2.0 * math.pi * 12.0 / rate
    if begin[0, row] >= 0:
        for i in range(7):
            state.numbers[row, i] = 0.0
        for i in range(4):
            state.numbers[row, i] = 0.3 + 0.2 * chance(lot_of(notes, row), 30_000_000 + i)
    for t in range(first, ticks):
        system = int(control[SYSTEM, row, t])
        energy, coupling = np.float64(control[ENERGY, row, t]), np.float64(control[COUPLING, row, t])
        damping, width = np.float64(control[DAMPING, row, t]), np.float32(control[WIDTH, row, t])
        f0, f1 = np.float64(frequency[row, t]), np.float64(frequency[row, t + 1])
        for k in range(tick):
            n = t * tick + k
            ahead = (f0 + (f1 - f0) * k / tick) / rate
            if turn.shape[0] > 0 and n > 0:
                ahead += np.float64(turn[row, n] - turn[row, n - 1])
            ahead = min(max(ahead, 0.0), FINEST / 11.0)
            count = min(1 + int(ahead * 11.0), FINEST)
            for _ in range(count):
                _advance(system, state.numbers, row, ahead / count, energy, coupling, damping, state.room)
            heard = 0.5 * coupling * math.sin(2.0 * math.pi * state.numbers[row, DRIVE])
            if system == DUFFING:
                a, b = heard + 0.8 * state.numbers[row, 0], 0.9 * (state.numbers[row, 0] - state.numbers[row, 2])
            elif system == LORENZ:
                a, b = heard + state.numbers[row, 0] / 20.0, (state.numbers[row, 2] - 30.0) / 36.0
            else:
                a, b = 1.2 * math.sin(state.numbers[row, 0]), 1.2 * math.sin(state.numbers[row, 1])
            state.numbers[row, MEAN_A] += (a - state.numbers[row, MEAN_A]) * (1.0 - keep)
            state.numbers[row, MEAN_B] += (b - state.numbers[row, MEAN_B]) * (1.0 - keep)
            a, b = a - state.numbers[row, MEAN_A], b - state.numbers[row, MEAN_B]
            a, b = a / (1.0 + 0.25 * abs(a)), b / (1.0 + 0.25 * abs(b))
            mid, apart = np.float32(a), np.float32(b)
            out[row, 0, n] = mid + np.float32(0.5) * width * apart
            out[row, 1, n] = mid - np.float32(0.5) * width * apart
