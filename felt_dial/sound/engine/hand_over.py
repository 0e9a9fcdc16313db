"""Handing over: an earlier program fades into the one that takes its place."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.engine.program import Program
from felt_dial.sound.playing.events import Event

SECONDS = 0.010


class HandOver:
    """Two programs that sound together for a moment.

    The fresh one is heard once the sound has come through what looks ahead in it. Where it `carries` the sound of the other
    on, what goes into its racks fades from what went into those of the other, so that nothing that waits in an echo begins
    with a step.
    """

    def __init__(self, old: Program, fresh: Program, carries: bool) -> None:
        self.old, self.fresh, self._carries = old, fresh, carries
        u = np.linspace(0.0, 1.0, round(SECONDS * fresh.rate), dtype=np.float32)
        self._ramp, self._at = u * u * (3.0 - 2.0 * u), -fresh.late
        if carries:
            old.output.shows_sums()

    @property
    def done(self) -> bool:
        """True when only the fresh one is heard."""
        return self._at >= len(self._ramp)

    def _part(self, begin: int) -> NDArray[np.float32]:
        found: NDArray[np.float32] = self._ramp[
            np.clip(np.arange(begin, begin + self.fresh.frames), 0, len(self._ramp) - 1)
        ]
        return found

    def block(self, events: Iterable[Event]) -> NDArray[np.float32]:
        """The next block, float32 (2, frame), of both; `events` go to the fresh one."""
        before = self.old.block()
        if self._carries:
            self.fresh.output.goes_on_from(self.old.output, self._part(self._at + self.fresh.late))
        out = self.fresh.block(events)
        ramp = self._part(self._at)
        out *= ramp
        out += before * (1.0 - ramp)
        self._at += self.fresh.frames
        return out
