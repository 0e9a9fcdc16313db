"""Dials of effects that move: none of them makes a step where its value is found anew, every 16 frames."""

from __future__ import annotations

import numpy as np
import pytest

from felt_dial.patch.edits import add_effect, add_modulator, sew
from felt_dial.patch.module import Effect, Modulator
from felt_dial.patch.params import Param
from felt_dial.patch.phrase import Note
from felt_dial.sound.render import render
from felt_dial.sound.sizes import TICK
from tests.sound.listening import RATE, decibels, plain

PITCH = 83
BENDS = {"drive", "reduce", "ladder", "acid"}
"""What adds harmonics of its own, which stand where the shadows of a step would."""
INHERENT = {("reverb", "size"), ("reverb", "decay")}
"""What moves the walls of a room: its echoes come elsewhere, faded."""


def moving() -> list[tuple[str, str, float]]:
    """Every percentage and level of every effect that can be moved, and how far it is."""
    depths = {"a percentage": 0.25, "a level": 6.0}
    found = []
    for kind, cls in Effect.kinds.items():
        for name, param in cls.params.items():
            moves = isinstance(param, Param) and param.movable and param.unit.name in depths
            if moves and kind not in BENDS | {"gate", "equaliser"} and (kind, name) not in INHERENT:
                found.append((kind, name, depths[param.unit.name]))  # type: ignore[attr-defined]
    return found


@pytest.mark.parametrize(("kind", "name", "depth"), moving())
def test_a_dial_that_moves_makes_no_steps(kind: str, name: str, depth: float) -> None:
    """A sine while an LFO moves the dial twice a second: steps every 16 frames would put shadows of it beside 3 kHz.

    Below −78 dB of the sine; −42 to −70 dB were there for the depths of swaying effects when they did step.
    """
    patch = plain(layers__a__source__shape="sine", layers__a__level=-30.0)
    patch, key = add_effect(patch, "1", Effect.kinds[kind]())
    patch, lfo = add_modulator(patch, Modulator.kinds["lfo"](rate=2.0))
    sound = render(sew(patch, lfo, f"racks.1.{key}.{name}", depth)[0], [Note(0, 3, PITCH)], 1.3)[0, RATE // 2 :]
    power = np.abs(np.fft.rfft(sound * np.kaiser(len(sound), 18.0)))
    hertz = np.fft.rfftfreq(len(sound), 1 / RATE)
    sine, steps = 440.0 * 2 ** ((PITCH - 69) / 12), RATE / TICK
    beside = (np.abs(hertz - steps + sine) < 60) | (np.abs(hertz - steps - sine) < 60)
    assert decibels(float(power[beside].max() / power.max())) < -77
