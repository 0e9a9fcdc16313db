"""Macros, and what the player does, at every tick of a note or of the whole patch.

`modulation.movers[m].first` is the slot of the parameter of the patch by which it goes. The last slots of `base` are the
wheels: bend, mod wheel, pedal.
"""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import inner, kernel
from felt_dial.sound.control.core.records import BEND_SLOT, GLOBAL, PEDAL_SLOT, SMOOTHING, WHEEL_SLOT
from felt_dial.sound.control.kernels.chance import drawn_lot
from felt_dial.sound.control.kernels.core.movers import moves_every_tick

PRESSURE, SLIDE, RELEASE_VELOCITY = 1, 2, 3


@moves_every_tick("macro")
@kernel
def run_macro(m, row, t, modulation, performance, span):
    """Its value, stretched to its range."""
    mover = modulation.movers[m]
    low, high = modulation.base[mover.a, t], modulation.base[mover.b, t]
    return low + (high - low) * np.float64(modulation.control[mover.first, row, t])


@moves_every_tick("w")
@kernel
def run_wheel(m, row, t, modulation, performance, span):
    """The mod wheel, 0 to 1."""
    return modulation.base[modulation.base.shape[0] + WHEEL_SLOT, t]


@moves_every_tick("bd")
@kernel
def run_bend(m, row, t, modulation, performance, span):
    """The bend wheel, −1 to 1."""
    return modulation.base[modulation.base.shape[0] + BEND_SLOT, t]


@moves_every_tick("pd")
@kernel
def run_pedal(m, row, t, modulation, performance, span):
    """The sustain pedal, 0 to 1."""
    return modulation.base[modulation.base.shape[0] + PEDAL_SLOT, t]


@moves_every_tick("k")
@kernel
def run_key(m, row, t, modulation, performance, span):
    """How far the key is from the centre: 1 at five octaves above."""
    if row == GLOBAL:
        return 0.0
    return min(max((modulation.info[row].key - modulation.base[modulation.movers[m].first, t]) / 60.0, -1.0), 1.0)


@moves_every_tick("v")
@kernel
def run_velocity(m, row, t, modulation, performance, span):
    """How hard the note was struck."""
    return 0.0 if row == GLOBAL else modulation.info[row].velocity


@moves_every_tick("rv")
@kernel
def run_release_velocity(m, row, t, modulation, performance, span):
    """How fast its key was let go."""
    return 0.0 if row == GLOBAL else np.float64(performance.touches[RELEASE_VELOCITY, row])


@moves_every_tick("ag")
@kernel
def run_age(m, row, t, modulation, performance, span):
    """How long it has sounded, as a part of the time set for it."""
    if row == GLOBAL:
        return 0.0
    state = modulation.state
    state[m, row, 0] = 0.0 if t == modulation.info[row].begin else state[m, row, 0] + span.seconds
    return min(state[m, row, 0] / modulation.base[modulation.movers[m].first, t], 1.0)


@moves_every_tick("nn")
@kernel
def run_note_number(m, row, t, modulation, performance, span):
    """Which note of a cycle it is: 0 for the first, 1 for the last."""
    if row == GLOBAL:
        return 0.0
    cycle = np.int64(max(modulation.base[modulation.movers[m].first, t], 2.0))
    return np.float64((modulation.info[row].number - 1) % cycle) / (cycle - 1)


@moves_every_tick("ch")
@kernel
def run_note_chance(m, row, t, modulation, performance, span):
    """A number drawn for the note."""
    if row == GLOBAL:
        return 0.0
    return drawn_lot(modulation.base[modulation.movers[m].first, t], modulation.info[row].number, -1)


@inner
def _touch(which, m, row, t, modulation, performance, span):
    """A finger on the note, smoothed."""
    if row == GLOBAL:
        return 0.0
    state, touch = modulation.state, np.float64(performance.touches[which, row])
    if t == modulation.info[row].begin:
        state[m, row, 0] = touch
    state[m, row, 0] += (touch - state[m, row, 0]) * (1.0 - math.exp(-span.seconds / SMOOTHING))
    return state[m, row, 0]


@moves_every_tick("p")
@kernel
def run_pressure(m, row, t, modulation, performance, span):
    """How hard the key is pressed."""
    return _touch(PRESSURE, m, row, t, modulation, performance, span)


@moves_every_tick("sl")
@kernel
def run_slide(m, row, t, modulation, performance, span):
    """Where along the key the finger is."""
    return _touch(SLIDE, m, row, t, modulation, performance, span)
