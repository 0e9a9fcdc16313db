"""Modules of single voices as effects: the same kernels, with the whole chord as their only voice."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from felt_dial.patch.module import Effect
from felt_dial.sound.kernel import Stage
from felt_dial.sound.tone.chain import NO_SWING

ONE = np.zeros(1, np.int32)
"""The only row of a sound that is not split into voices."""


def as_one(lay: Callable[[Stage], tuple[Any, ...]]) -> Any:
    """`prepare` of an effect whose voice `lay` prepares: its dials for one row, where it begins, the newest note."""

    def prepare(effect: Effect, stage: Stage) -> tuple[Any, ...]:
        dials = np.zeros((len(effect.params), 1, stage.frames // stage.tick + 1), np.float32)
        return dials, np.zeros(1, np.int32), *stage.newest, *lay(replace(stage, rows=1))

    return prepare


def drives(run: Callable[..., None]) -> Callable[..., None]:
    """The kernel of an effect from that of a drive of voices."""

    def run_it(
        audio: Any, control: Any, tick: int, rate: float, dials: Any, start: Any, line: Any, frequency: Any, *state: Any
    ) -> None:
        dials[:, 0] = control
        run(audio[None], dials, ONE, start, tick, rate, *state)
        start[0] = -1

    return run_it


def filters(run: Callable[..., None]) -> Callable[..., None]:
    """The kernel of an effect from that of a filter of voices, tuned, where a key tunes it, by the newest note."""

    def run_it(
        audio: Any, control: Any, tick: int, rate: float, dials: Any, start: Any, line: Any, frequency: Any, *state: Any
    ) -> None:
        dials[:, 0] = control
        run(audio[None], dials, line, frequency, ONE, start, tick, rate, NO_SWING, *state)
        start[0] = -1

    return run_it
