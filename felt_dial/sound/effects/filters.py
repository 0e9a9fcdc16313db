"""The filters of the layers as effects: one for the whole chord, tuned, where it is tuned by a key, by the newest note."""

from __future__ import annotations

from felt_dial.patch.module import Effect
from felt_dial.sound.tone.comb import Comb
from felt_dial.sound.tone.formant import Formant
from felt_dial.sound.tone.ladder import Acid, Ladder
from felt_dial.sound.tone.state_variable import StateVariable


class FilterEffect(Effect, StateVariable, kind="filter", title="Filter"):
    """Lets through what is below, above or around its cutoff, for the whole chord."""

    group = "Tone"

    bends = True


class LadderEffect(Effect, Ladder, kind="ladder", title="Ladder"):
    """Four poles in a loop that bends, for the whole chord."""

    group = "Tone"

    bends = True


class AcidEffect(Effect, Acid, kind="acid", title="Acid"):
    """A filter that squeals, for the whole chord."""

    group = "Tone"

    bends = True


class Resonator(Effect, Comb, kind="comb", title="Comb"):
    """Rings at the newest note and its harmonics, or at a pitch of its own, whatever is played into it."""

    group = "Tone"


class Throat(Effect, Formant, kind="throat", title="Formant"):
    """Three resonances of a throat, for the whole chord: vowels along a line."""

    group = "Tone"

    bends = True
