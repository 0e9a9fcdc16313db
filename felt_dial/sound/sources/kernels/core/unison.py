"""Unison: tuning, place and level of every voice."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.kernel import inner, kernel
from felt_dial.sound.playing.kernels.counted_chance import chance
from felt_dial.sound.sources.core.unison import MOST, Unison

EVEN, RANDOM, WEIGHTED = range(3)


UNISON, DETUNE, SPREAD, SIDE, SCATTER, VOICING = range(6)
assert tuple(Unison.params) == ("unison", "detune", "spread", "side", "scatter", "voicing")
RATIO, LEFT, RIGHT, AIM_LEFT, AIM_RIGHT, WAS_LEFT, WAS_RIGHT = range(7)
ALIVE, COUNTED, STILL, SEEN = 0, 1, 2, 3
FOLLOW = np.float32(0.2)
"""Part of the way to its level that a voice goes in a tick: voices come and go within milliseconds."""
CHANCE_PLACES, CHANCE_PHASES = 7_000_000, 8_000_000


class UnisonState(NamedTuple):
    """What `unison_tick` keeps of every note.

    Attributes
    ----------
    voice : float32 (row, voice, 7)
        Ratio to the pitch, level left and right as the tick ends, where both levels go, and what they were as it began.
    seen : float32 (row, 3 + parameters)
        How many sound, how many are asked for, whether they stand still, and for which dials they were laid out.
    """

    voice: NDArray[np.float32]
    seen: NDArray[np.float32]


def unison_state(rows: int) -> UnisonState:
    """The state of no note."""
    return UnisonState(np.zeros((rows, MOST, 7), np.float32), np.full((rows, SEEN + 6), -1e9, np.float32))


@kernel
def _place(u, count, voicing, note):
    """Where a voice lies between the outermost two, −1 to 1."""
    if count == 1:
        return 0.0
    even = 2.0 * u / (count - 1.0) - 1.0
    if voicing == RANDOM and 0 < u < count - 1:
        return 2.0 * chance(note, CHANCE_PLACES + u) - 1.0
    return even * abs(even) if voicing == WEIGHTED else even


@kernel
def _lay_out(control, row, t, note, voice, seen):
    """Where the voices stand. Voices by chance lean to neither side: both have the same power, whatever the lots are."""
    count = int(control[UNISON, row, t])
    voicing = int(control[VOICING, row, t])
    power = 0.0
    for u in range(MOST):
        if u < count:
            place = _place(u, count, voicing, note)
            level = 10.0 ** (np.float64(control[SIDE, row, t]) * abs(place) / 20.0)
            mirror = min(u, count - 1 - u)
            side = place * np.float64(control[SPREAD, row, t]) * (1.0 if mirror % 2 == 0 else -1.0)
            voice[row, u, RATIO] = np.float32(2.0 ** (place * np.float64(control[DETUNE, row, t]) / 1200.0))
            voice[row, u, AIM_LEFT] = np.float32(level * math.cos((side + 1.0) * math.pi / 4))
            voice[row, u, AIM_RIGHT] = np.float32(level * math.sin((side + 1.0) * math.pi / 4))
            power += level * level
        else:
            voice[row, u, AIM_LEFT] = voice[row, u, AIM_RIGHT] = np.float32(0.0)
    to_left = to_right = np.float32(math.sqrt(2.0 / power))
    if voicing == RANDOM:
        left = right = 0.0
        for u in range(count):
            left += np.float64(voice[row, u, AIM_LEFT]) ** 2
            right += np.float64(voice[row, u, AIM_RIGHT]) ** 2
        to_left, to_right = np.float32(1.0 / math.sqrt(left)), np.float32(1.0 / math.sqrt(right))
    for u in range(count):
        voice[row, u, AIM_LEFT] *= to_left
        voice[row, u, AIM_RIGHT] *= to_right
    seen[row, COUNTED] = count
    for k in range(6):
        seen[row, SEEN + k] = control[k, row, t]


@inner
def unison_tick(control, row, t, note, begins, unison):
    """Follows the unison of a row at a tick; returns how many of `voice[row]` sound.

    The levels of all voices together keep the power of one: their squares sum to 2 over both sides.
    """
    voice, seen = unison.voice, unison.seen
    changed = begins
    for k in range(6):
        if seen[row, SEEN + k] != control[k, row, t]:
            changed = True
    if changed:
        _lay_out(control, row, t, note, voice, seen)
    count = int(seen[row, COUNTED])
    alive = count
    still = not changed
    if begins:
        for u in range(count):
            voice[row, u, LEFT], voice[row, u, RIGHT] = voice[row, u, AIM_LEFT], voice[row, u, AIM_RIGHT]
        for u in range(count, MOST):
            voice[row, u, LEFT] = voice[row, u, RIGHT] = np.float32(0.0)
        for u in range(MOST):
            voice[row, u, WAS_LEFT], voice[row, u, WAS_RIGHT] = voice[row, u, LEFT], voice[row, u, RIGHT]
    else:
        for u in range(max(count, int(seen[row, ALIVE]))):
            left, right = voice[row, u, LEFT], voice[row, u, RIGHT]
            voice[row, u, WAS_LEFT], voice[row, u, WAS_RIGHT] = left, right
            to_left, to_right = voice[row, u, AIM_LEFT] - left, voice[row, u, AIM_RIGHT] - right
            if abs(to_left) + abs(to_right) > np.float32(1e-6):
                still = False
                left, right = left + to_left * FOLLOW, right + to_right * FOLLOW
            else:
                left, right = left + to_left, right + to_right
            if left + right > np.float32(1e-5):
                alive = max(alive, u + 1)
            voice[row, u, LEFT], voice[row, u, RIGHT] = left, right
    seen[row, ALIVE] = alive
    seen[row, STILL] = np.float32(1.0) if still and alive == count else np.float32(0.0)
    return alive


@kernel
def add_line(mix, n, line, voice):
    """Adds `line` to both sides of `mix` (2, frame), at the levels of a voice, its row of `UnisonState.voice`."""
    left, right = voice[WAS_LEFT], voice[WAS_RIGHT]
    more_left, more_right = (voice[LEFT] - left) / np.float32(n), (voice[RIGHT] - right) / np.float32(n)
    for k in range(n):
        mix[0, k] += line[k] * (left + more_left * np.float32(k))
        mix[1, k] += line[k] * (right + more_right * np.float32(k))


@kernel
def voice_phase(control, row, t, note, u):
    """Part of a turn by which a voice begins after the first."""
    return 0.0 if u == 0 else np.float64(control[SCATTER, row, t]) * chance(note, CHANCE_PHASES + u)


@kernel
def steady_ticks(frequency, turn, control, row, t, seen):
    """How many ticks from `t` on neither pitch nor unison of a row change, so that they can be made in one go."""
    if turn.shape[0] != 0 or seen[row, STILL] == np.float32(0.0):
        return 1
    ticks = frequency.shape[1] - 1
    run = 0
    while t + run < ticks and frequency[row, t + run + 1] == frequency[row, t]:
        for k in range(6):
            if control[k, row, t + run] != seen[row, SEEN + k]:
                return max(run, 1)
        run += 1
    return max(run, 1)
