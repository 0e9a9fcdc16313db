"""The filters of the layers as effects: one for the whole chord, tuned, where it is tuned by a key, by the newest note."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from felt_dial.patch.module import Effect, Filter
from felt_dial.sound.effects.drive import ONE
from felt_dial.sound.kernel import KERNELS, Stage
from felt_dial.sound.tone.comb import Comb, run_comb
from felt_dial.sound.tone.formant import Formant, run_formant
from felt_dial.sound.tone.ladder import Acid, Ladder, run_acid, run_ladder
from felt_dial.sound.tone.state_variable import StateVariable, run_state_variable

NO_SWING = np.zeros((0, 0), np.float32)


def _room(of: type[Filter]) -> Any:
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        made: tuple[np.ndarray, ...] = of.prepare(replace(stage, rows=1))  # type: ignore[attr-defined]
        return np.zeros(1, np.int32), *stage.newest, *made

    return staticmethod(prepare)


class FilterEffect(Effect, StateVariable, kind="filter", title="Filter"):
    """Lets through what is below, above or around its cutoff, for the whole chord."""

    prepare = _room(StateVariable)


class LadderEffect(Effect, Ladder, kind="ladder", title="Ladder"):
    """Four poles in a loop that bends, for the whole chord."""

    bends = True
    prepare = _room(Ladder)


class AcidEffect(Effect, Acid, kind="acid", title="Acid"):
    """A filter that squeals, for the whole chord."""

    bends = True
    prepare = _room(Acid)


class Resonator(Effect, Comb, kind="comb", title="Resonator"):
    """Rings at the newest note and its harmonics, or at a pitch of its own, whatever is played into it."""

    prepare = _room(Comb)


class Throat(Effect, Formant, kind="throat", title="Throat"):
    """Three resonances of a throat, for the whole chord: vowels along a line."""

    prepare = _room(Formant)


def _in_rack(run: Callable[..., None]) -> Callable[..., None]:
    def run_it(
        audio: Any, control: Any, tick: int, rate: float, start: Any, line: Any, frequency: Any, *state: Any
    ) -> None:
        run(audio[None], control[:, None], line, frequency, ONE, start, tick, rate, NO_SWING, *state)
        start[0] = -1

    return run_it


for _effect, _run in (
    (FilterEffect, run_state_variable), (LadderEffect, run_ladder), (AcidEffect, run_acid), (Resonator, run_comb),
    (Throat, run_formant),
):  # fmt: skip
    KERNELS[_effect] = _in_rack(_run)
