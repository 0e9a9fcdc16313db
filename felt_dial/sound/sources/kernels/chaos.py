"""Chaotic systems, stepped at four times the rate."""

from __future__ import annotations

import math
from functools import cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.kernel import Stage, formula, kernel
from felt_dial.sound.matter.kept import fixed
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
ENERGIES, COUPLINGS, DAMPINGS = 9, 5, 3
"""Points of each dial at which it is measured how loud a system is; between them gains go in straight lines."""
SETTLES, MEASURED, STEPS = 30, 60, 24
"""Turns of the drive that a system is left to itself and that it is measured for, and steps of a turn."""
SLOW, MIDDLE_C = 12.0, 261.63
"""Hz below which a mean is taken off, and those of the drive for which it is measured."""
AS_LOUD_AS, MOST_GAIN = 0.337, 8.0
"""Effective value that every system is brought to, that of a spring as its dials stand at first; and how far it is turned up."""


@kernel
def _sides(system, numbers, row, coupling):
    """What is heard of a system before its means are taken off: the middle, and how the sides differ."""
    heard = 0.5 * coupling * math.sin(2.0 * math.pi * numbers[row, DRIVE])
    if system == DUFFING:
        return heard + 0.8 * numbers[row, 0], 0.9 * (numbers[row, 0] - numbers[row, 2])
    if system == LORENZ:
        return heard + numbers[row, 0] / 20.0, (numbers[row, 2] - 30.0) / 36.0
    return 1.2 * math.sin(numbers[row, 0]), 1.2 * math.sin(numbers[row, 1])


@kernel
def _measure(levels, numbers, room):
    """Effective values of every system at every point of its dials, (system, energy, coupling, damping)."""
    for system in range(levels.shape[0]):
        for i in range(ENERGIES):
            for j in range(COUPLINGS):
                for k in range(DAMPINGS):
                    energy, coupling, damping = i / (ENERGIES - 1.0), j / (COUPLINGS - 1.0), k / (DAMPINGS - 1.0)
                    numbers[:] = 0.0
                    numbers[0, :4] = 0.4
                    mean = power = 0.0
                    for n in range((SETTLES + MEASURED) * STEPS):
                        _advance(system, numbers, 0, 1.0 / STEPS, energy, coupling, damping, room)
                        x = _sides(system, numbers, 0, coupling)[0]
                        mean += (x - mean) * 2.0 * math.pi * SLOW / (MIDDLE_C * STEPS)
                        x -= mean
                        x /= 1.0 + 0.25 * abs(x)
                        power += x * x if n >= SETTLES * STEPS else 0.0
                    levels[system, i, j, k] = math.sqrt(power / (MEASURED * STEPS))


@cache
def levels_of_systems() -> NDArray[np.float64]:
    """How loud all systems are, float64 (system, energy, coupling, damping); worked out once."""
    levels = np.zeros((3, ENERGIES, COUPLINGS, DAMPINGS))
    _measure(levels, np.zeros((1, 7)), np.zeros((3, 4)))
    return fixed(levels)


@kernel
def _even(levels, system, energy, coupling, damping):
    """How much a system is turned up to be as loud as the others, from the points where it was measured."""
    x, y, z = energy * (ENERGIES - 1), coupling * (COUPLINGS - 1), damping * (DAMPINGS - 1)
    i, j, k = min(int(x), ENERGIES - 2), min(int(y), COUPLINGS - 2), min(int(z), DAMPINGS - 2)
    found = 0.0
    for a in range(2):
        for b in range(2):
            for c in range(2):
                share = abs(1 - a - (x - i)) * abs(1 - b - (y - j)) * abs(1 - c - (z - k))
                found += share * levels[system, i + a, j + b, k + c]
    return min(AS_LOUD_AS / max(found, 1e-6), MOST_GAIN)


@kernel
def _even_at(levels, control, row, t):
    """The same at a tick of a note."""
    system = int(control[SYSTEM, row, t])
    energy, coupling = np.float64(control[ENERGY, row, t]), np.float64(control[COUPLING, row, t])
    return _even(levels, system, energy, coupling, np.float64(control[DAMPING, row, t]))


class ChaosState(NamedTuple):
    """What every note stands at.

    Attributes
    ----------
    numbers : float64 (row, 7)
        The four that move, the drive's phase, and the means that are taken off.
    room : float64 (3, 4)
        Room for a step of the integration.
    levels : float64 (system, energy, coupling, damping)
        How loud each is by itself, so that all can be as loud as each other.
    """

    numbers: NDArray[np.float64]
    room: NDArray[np.float64]
    levels: NDArray[np.float64]


def prepare_chaos(module: Chaos, stage: Stage) -> ChaosState:
    """The state of no note."""
    return ChaosState(np.zeros((stage.rows, 7)), np.zeros((3, 4)), levels_of_systems())


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
    keep = 1.0 - 2.0 * math.pi * SLOW / rate
    if begin[0, row] >= 0:
        for i in range(7):
            state.numbers[row, i] = 0.0
        for i in range(4):
            state.numbers[row, i] = 0.3 + 0.2 * chance(lot_of(notes, row), 30_000_000 + i)
    for t in range(first, ticks):
        system = int(control[SYSTEM, row, t])
        energy, coupling = np.float64(control[ENERGY, row, t]), np.float64(control[COUPLING, row, t])
        damping, width = np.float64(control[DAMPING, row, t]), np.float32(control[WIDTH, row, t])
        even = _even_at(state.levels, control, row, t)
        more = (_even_at(state.levels, control, row, t + 1) - even) / tick
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
            a, b = _sides(system, state.numbers, row, coupling)
            state.numbers[row, MEAN_A] += (a - state.numbers[row, MEAN_A]) * (1.0 - keep)
            state.numbers[row, MEAN_B] += (b - state.numbers[row, MEAN_B]) * (1.0 - keep)
            a, b = a - state.numbers[row, MEAN_A], b - state.numbers[row, MEAN_B]
            a, b = a / (1.0 + 0.25 * abs(a)), b / (1.0 + 0.25 * abs(b))
            mid, apart = np.float32(even * a), np.float32(even * b)
            even += more
            out[row, 0, n] = mid + np.float32(0.5) * width * apart
            out[row, 1, n] = mid - np.float32(0.5) * width * apart
