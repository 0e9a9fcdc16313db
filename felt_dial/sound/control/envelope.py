"""Envelope: delay, attack, hold, decay, sustain, release, with a bend for each slope."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Modulator
from felt_dial.patch.params import CUBIC, Param
from felt_dial.patch.units import BEND, PERCENT, SECONDS
from felt_dial.sound.kernel import kernel

STEEPNESS = 8.0
"""Exponent of a slope that is fully bent."""


def _time(label: str, default: float, longest: float, says: str) -> Param:
    return Param(label, default, (0.0, longest), SECONDS, taper=CUBIC, says=says)


class Envelope(Modulator, kind="envelope"):
    """A shape that begins with the note, stays while the key is held, and ends after it."""

    tag, dye = "E", "madder"

    delay = _time("Delay", 0.0, 10.0, "Time before anything begins.")
    attack = _time("Attack", 0.005, 20.0, "Time from nothing to full.")
    hold = _time("Hold", 0.0, 10.0, "Time at full before it decays.")
    decay = _time("Decay", 0.3, 30.0, "Time from full down to the sustain.")
    sustain = Param("Sustain", 0.7, (0.0, 1.0), PERCENT, says="Where it stays while the key is held.")
    release = _time("Release", 0.25, 30.0, "Time from there to nothing after the key is let go.")
    attack_bend = Param("Attack bend", 0.0, (-1.0, 1.0), BEND, says="Above 0 the attack starts fast, below 0 slowly.")
    decay_bend = Param("Decay bend", 0.5, (-1.0, 1.0), BEND, says="Above 0 the decay starts fast, below 0 slowly.")
    release_bend = Param(
        "Release bend", 0.5, (-1.0, 1.0), BEND, says="Above 0 the release starts fast, below 0 slowly."
    )


DELAY, ATTACK, HOLD, DECAY, SUSTAIN, RELEASE, ATTACK_BEND, DECAY_BEND, RELEASE_BEND = range(9)
assert tuple(Envelope.params) == (
    "delay", "attack", "hold", "decay", "sustain", "release", "attack_bend", "decay_bend", "release_bend",
)  # fmt: skip
STAGE, SINCE, LEVEL, FROM = 0, 1, 2, 3
IN_DELAY, IN_ATTACK, IN_HOLD, IN_DECAY, IN_SUSTAIN, IN_RELEASE, DONE = range(7)


def slope(part: ArrayLike, bend: float) -> NDArray[np.float64]:
    """A slope from 0 to 1 at `part` of its time, by its closed form.

    (1 − e^(−k·part)) / (1 − e^(−k)) with k = 8·bend; the straight line for bend 0.
    """
    x = np.clip(np.asarray(part, np.float64), 0.0, 1.0)
    k = STEEPNESS * bend
    return x if abs(k) < 1e-4 else -np.expm1(-k * x) / -np.expm1(-k)


@kernel
def _slope(part, bend):  # type: ignore[no-untyped-def]
    k = STEEPNESS * bend
    if abs(k) < 1e-4:
        return part
    return (1.0 - math.exp(-k * part)) / (1.0 - math.exp(-k))


@kernel(inline=True)
def envelope_start(state, m, row):  # type: ignore[no-untyped-def]
    """Begins a note: `state[m, row]` is float64 (stage, time in it, level, level it came from)."""
    state[m, row, STAGE] = IN_DELAY
    state[m, row, SINCE] = 0.0
    state[m, row, LEVEL] = 0.0
    state[m, row, FROM] = 0.0


@kernel(inline=True)
def envelope_release(state, m, row):  # type: ignore[no-untyped-def]
    """The key is let go: the release begins from the level of this moment."""
    if state[m, row, STAGE] < IN_RELEASE:
        state[m, row, STAGE] = IN_RELEASE
        state[m, row, SINCE] = 0.0
        state[m, row, FROM] = state[m, row, LEVEL]


@kernel(inline=True)
def envelope_tick(state, control, first, m, row, t, seconds):  # type: ignore[no-untyped-def]
    """Moves `seconds` on and returns the level, 0 to 1."""
    stage = int(state[m, row, STAGE])
    since = state[m, row, SINCE] + seconds
    while True:
        if stage == IN_DELAY:
            length = control[first + DELAY, row, t]
        elif stage == IN_ATTACK:
            length = control[first + ATTACK, row, t]
        elif stage == IN_HOLD:
            length = control[first + HOLD, row, t]
        elif stage == IN_DECAY:
            length = control[first + DECAY, row, t]
        elif stage == IN_RELEASE:
            length = control[first + RELEASE, row, t]
        else:
            break
        if since < length:
            break
        since -= length
        stage += 1
    sustain = control[first + SUSTAIN, row, t]
    if stage == IN_DELAY:
        level = 0.0
    elif stage == IN_ATTACK:
        level = _slope(since / control[first + ATTACK, row, t], control[first + ATTACK_BEND, row, t])
    elif stage == IN_HOLD:
        level = 1.0
    elif stage == IN_DECAY:
        part = since / control[first + DECAY, row, t]
        level = 1.0 - (1.0 - sustain) * _slope(part, control[first + DECAY_BEND, row, t])
    elif stage == IN_SUSTAIN:
        level = np.float64(sustain)
    elif stage == IN_RELEASE:
        part = since / control[first + RELEASE, row, t]
        level = state[m, row, FROM] * (1.0 - _slope(part, control[first + RELEASE_BEND, row, t]))
    else:
        level = 0.0
    state[m, row, STAGE] = stage
    state[m, row, SINCE] = since
    state[m, row, LEVEL] = level
    return level
