"""Drives and filters of single voices as effects: the same kernels, with the whole chord as their only voice."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect, Module
from felt_dial.sound.compiling.kernel import KERNELS, Stage, State, kernel, works_for
from felt_dial.sound.tone.kernels.core.voices import NO_SWING

ONE = np.zeros(1, np.int32)
"""The only row of a sound that is not split into voices."""


class ChordState(NamedTuple):
    """The dials of the one row, float32 (parameter, 1, tick + 1); where it begins; what the newest note plays; its voice."""

    dials: NDArray[np.float32]
    start: NDArray[np.int32]
    line: NDArray[np.float32]
    frequency: NDArray[np.float32]
    voice: State


@kernel
def take_dials(control, dials):
    """The dials of the sound, (parameter, tick + 1), as those of its only row."""
    for n in range(dials.shape[0]):
        for t in range(dials.shape[2]):
            dials[n, 0, t] = control[n, t]


@kernel
def has_begun(start):
    """The only voice goes on from here."""
    start[0] = -1


class Chord:
    """The kernel of an effect that computes as one of single voices does, in three calls."""

    def __init__(self, voice: type[Module]) -> None:
        self._voice = voice

    def plan(
        self,
        call: Callable[..., Any],
        audio: Any,
        control: Any,
        tick: int,
        rate: float,
        dials: Any,
        start: Any,
        line: Any,
        frequency: Any,
        *state: Any,
    ) -> None:
        """Gives what there is to `call`: each time a kernel and its arguments."""
        call(take_dials, control, dials)
        call(KERNELS[self._voice].run, audio[None], dials, line, frequency, ONE, start, tick, rate, NO_SWING, *state)
        call(has_begun, start)

    def __call__(self, *given: Any) -> None:
        """Calls them."""
        self.plan(lambda kernel, *own: kernel(*own), *given)


def for_chord(effect: type[Effect], voice: type[Module]) -> None:
    """Enters an effect that computes as `voice` does; a filter tuned by a key is tuned by the newest note."""

    def prepare(module: Effect, stage: Stage) -> ChordState:
        dials = np.zeros((len(module.params), 1, stage.frames // stage.tick + 1), np.float32)
        one = KERNELS[voice].prepare(module, replace(stage, rows=1))
        line, frequency = stage.newest
        return ChordState(dials, np.zeros(1, np.int32), line, frequency, one)

    works_for(effect, prepare)(Chord(voice))
