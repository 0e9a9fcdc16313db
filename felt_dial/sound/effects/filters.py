"""The filters of the layers as effects: one for the whole chord, tuned, where it is tuned by a key, by the newest note."""

from __future__ import annotations

from felt_dial.patch.module import Effect
from felt_dial.sound.effects.as_one import as_one, filters
from felt_dial.sound.kernel import KERNELS
from felt_dial.sound.tone.comb import Comb, run_comb
from felt_dial.sound.tone.formant import Formant, run_formant
from felt_dial.sound.tone.ladder import Acid, Ladder, run_acid, run_ladder
from felt_dial.sound.tone.state_variable import StateVariable, run_state_variable


class FilterEffect(Effect, StateVariable, kind="filter", title="Filter"):
    """Lets through what is below, above or around its cutoff, for the whole chord."""

    prepare = as_one(StateVariable.prepare)


class LadderEffect(Effect, Ladder, kind="ladder", title="Ladder"):
    """Four poles in a loop that bends, for the whole chord."""

    bends = True
    prepare = as_one(Ladder.prepare)


class AcidEffect(Effect, Acid, kind="acid", title="Acid"):
    """A filter that squeals, for the whole chord."""

    bends = True
    prepare = as_one(Acid.prepare)


class Resonator(Effect, Comb, kind="comb", title="Resonator"):
    """Rings at the newest note and its harmonics, or at a pitch of its own, whatever is played into it."""

    prepare = as_one(Comb.prepare)


class Throat(Effect, Formant, kind="throat", title="Throat"):
    """Three resonances of a throat, for the whole chord: vowels along a line."""

    prepare = as_one(Formant.prepare)


for _effect, _run in (
    (FilterEffect, run_state_variable), (LadderEffect, run_ladder), (AcidEffect, run_acid), (Resonator, run_comb),
    (Throat, run_formant),
):  # fmt: skip
    KERNELS[_effect] = filters(_run)
