"""The filters of the whole chord: every effect that is declared as a kind of filter has the kernel of its voices."""

from __future__ import annotations

from felt_dial.patch.module import Effect, Filter
from felt_dial.sound.effects import filters as _declared  # noqa: F401
from felt_dial.sound.effects.kernels.core.single_voice import for_chord

for _effect in Effect.kinds.values():
    for _voice in [base for base in _effect.__mro__ if base in Filter.kinds.values()]:
        for_chord(_effect, _voice)
