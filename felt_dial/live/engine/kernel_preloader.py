"""Warming: kernels are loaded from the cache before a block needs them, which would come late by what that takes."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

from felt_dial.patch.module import Module, Source
from felt_dial.patch.patch import Patch, modules, slots
from felt_dial.sound.engine.carry_over import carry_on
from felt_dial.sound.engine.hand_over import HandOver
from felt_dial.sound.engine.program import Program, patch_values
from felt_dial.sound.playing.events import OFF, ON, Event

COMMON = "wave"
"""The source with which the kernels that all patches may need are loaded."""
SOON, QUIET = 10, 100
"""Blocks of silence after which kernels are loaded that nobody asked for yet: those that are common, and others."""
LOOKS = 0.1
"""Seconds between two looks whether it is still."""


class KernelPreloader:
    """What was loaded, and what still is cold. At the start only what a patch needs is loaded, so that it is heard soon."""

    def __init__(self, rate: float, frames: int) -> None:
        self._rate, self._frames = rate, frames
        self.cold = [COMMON, *(kind for kind in Source.kinds if kind != COMMON)]
        """Sources whose kernels were not all loaded yet; with those of the first come all that are common."""
        self._known: set[type[Module]] = set()
        """Kinds that were loaded for a patch before all that are common were."""
        self.lock = threading.Lock()

    def load(self, patch: Patch, off_too: bool = True) -> None:
        """Loads what a patch plays with, and what of it is switched off: to switch on is only another value.

        With that comes what is done only as a choice is set, and as one program takes the place of another.
        """
        values = patch_values(patch)
        for n, slot in enumerate(slots(patch)):
            if off_too and slot.path.endswith(".on"):
                values[n] = 1.0
        program = Program(patch, self._rate, self._frames, values=values)
        program.block([Event(0, ON, 60, 0.5)])
        if off_too:
            program.set_anew()
        program.block([Event(0, OFF, 60)])
        if off_too:
            fresh = Program(patch, self._rate, self._frames, values=values)
            carry_on(fresh, program)
            HandOver(program, fresh, True).block(())

    def load_for(self, patch: Patch) -> None:
        """Loads what a patch needs and was not loaded yet; from any thread but that of the sound."""
        if COMMON in self.cold:
            needed = {type(module) for _, module in modules(patch)}
            if not needed <= self._known:
                self.load(patch)
                self._known |= needed
            return
        for kind in {layer.source.kind for layer in patch.layers.values()}:
            self._load_all_with(kind)

    def load_the_rest(self, quiet: Callable[[], int]) -> None:
        """Loads all that nobody asked for yet, once it was `quiet` for so many blocks; for a thread of its own, so that the
        window is heard meanwhile."""
        while self.cold:
            time.sleep(LOOKS)
            kind = next(iter(self.cold), COMMON)
            if quiet() > (SOON if kind == COMMON else QUIET):
                self._load_all_with(kind)

    def _load_all_with(self, kind: str) -> None:
        from felt_dial.sound.compiling.compile import patch_of_everything

        with self.lock:
            if kind in self.cold:
                self.load(patch_of_everything(kind))
                self.cold.remove(kind)
