"""Monitor: what is done to the sound only for the one who listens, and never to what is rendered.

A safety limiter, a mono check, a sweep (a narrow lift at one frequency that finds a ringing tone), and the sound without
its effects.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.compiled import arrays_of, kernel_of
from felt_dial.sound.compiling.kernel import Stage
from felt_dial.sound.effects.filters import FilterEffect
from felt_dial.sound.effects.kernels.limiter import run_limiter
from felt_dial.sound.effects.limiter import HELD, Limiter
from felt_dial.sound.engine.output_stage import CEILING
from felt_dial.sound.sizes import TICK

CEILING_DB = -0.3
RELEASE = 0.12
OPEN = np.float32(16.0)
"""Where the program clips while the limiter watches: 24 dB above full scale."""
SWEEP_RESONANCE = 0.75


class Monitor:
    """The last step before the device.

    Attributes
    ----------
    limits, mono : bool
        Whether the safety limiter works, and whether both sides are summed.
    dry : bool
        Whether what goes into the racks is heard instead of what comes out of them.
    sweep : float
        Frequency in Hz that is lifted, 0 for none.
    held : float
        dB by which the limiter holds the sound down now, 0 or less.
    """

    def __init__(self, rate: float, frames: int) -> None:
        stage = Stage(rate, frames)
        self.limits, self.mono, self.sweep, self.held = True, False, 0.0, 0.0
        self.dry = False
        self._rate = rate
        self._limiter = Limiter(gain=0.0, ceiling=CEILING_DB, release=RELEASE)
        self._control = self._still(self._limiter, frames)
        self._state = arrays_of(self._limiter, stage)
        self._filter = FilterEffect(response="peak 12", resonance=SWEEP_RESONANCE)
        self._swept = self._still(self._filter, frames)
        self._cutoff = self._filter.row_of("cutoff")
        self._filter_state = arrays_of(self._filter, stage)
        self._limited = np.zeros((2, frames), np.float32)
        self._ramp = np.arange(1, frames + 1, dtype=np.float32) / frames
        self._whole: NDArray[np.float32] = np.ones(frames, np.float32)
        self._share = {"limits": 1.0, "mono": 0.0, "sweep": 0.0, "dry": 0.0}

    @staticmethod
    def _still(module: Limiter | FilterEffect, frames: int) -> NDArray[np.float32]:
        """The control rows of a module whose dials stand still."""
        values = [param.encode(module.get(name)) for name, param in module.params.items()]
        return np.repeat(np.array(values, np.float32)[:, None], frames // TICK + 1, axis=1)

    @property
    def ceiling(self) -> np.float32:
        """Where the program itself shall clip."""
        return OPEN if self.limits or self._share["limits"] else CEILING

    def _toward(self, what: str, on: bool) -> NDArray[np.float32] | None:
        """How much of a step there is over this block, or None for none of it."""
        was, now = self._share[what], 1.0 if on else 0.0
        self._share[what] = now
        if was == now:
            return self._whole if on else None
        return np.asarray(was + (now - was) * self._ramp, np.float32)

    def dry_share(self) -> NDArray[np.float32] | None:
        """How much of the dry sound is heard in the next block, (frame,); None for nothing of it."""
        return self._toward("dry", self.dry)

    def run(self, sound: NDArray[np.float32]) -> None:
        """Works on `sound`, float32 (2, frame), in place; what is switched fades over a block."""
        if (share := self._toward("sweep", self.sweep > 0.0)) is not None:
            if self.sweep > 0.0:
                self._swept[self._cutoff, 0] = self._swept[self._cutoff, -1]
                self._swept[self._cutoff, 1:] = min(max(self.sweep, 20.0), 20000.0)
            lifted = sound.copy()
            kernel_of(self._filter)(lifted, self._swept, TICK, self._rate, *self._filter_state)
            sound += share * (0.25 * lifted - sound)
        if (share := self._toward("mono", self.mono)) is not None:
            middle = sound.mean(axis=0)
            sound[:] = middle if share[0] == 1.0 else sound + share * (middle - sound)
        share = self._toward("limits", self.limits)
        limited = sound if share is self._whole else self._limited
        limited[:] = sound
        run_limiter(limited, self._control, TICK, self._rate, *self._state)
        if share is not None and limited is not sound:
            sound += share * (limited - sound)
        gain = float(self._state[5][HELD]) * float(self._state[10][HELD])
        self.held = 20.0 * math.log10(max(gain, 1e-6)) if self.limits and gain < 0.9999 else 0.0
        np.minimum(sound, CEILING, out=sound)
        np.maximum(sound, -CEILING, out=sound)
