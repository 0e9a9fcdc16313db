"""A module at its place in a program, with its state and what it costs."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect, Module
from felt_dial.patch.shaping import Shaping
from felt_dial.sound.compiling.compiled import prepared
from felt_dial.sound.compiling.kernel import Stage, State, flat
from felt_dial.sound.engine.finer_voices import FinerVoices, bends_finer, finer_latency
from felt_dial.sound.engine.kernels.mix import BROKEN, QUIET, SILENT
from felt_dial.sound.tone.core.halves import late


def latency_of(module: Module, rate: float) -> int:
    """Frames by which the sound comes out of a module late at a rate."""
    if isinstance(module, Shaping):
        return late(rate)
    if bends_finer(module, rate):
        return finer_latency(rate)
    return module.late(rate) if isinstance(module, Effect) else 0


@dataclass
class RunningModule:
    """A module at its place in the program.

    `on` and `wet` are its rows of control of those names, where it has them.
    """

    path: str
    module: Module
    stage: Stage
    control: NDArray[np.float32]
    kernel: Any
    state: Any = ()
    arrays: State = ()
    """All arrays of its state, as its kernel takes them."""
    spent: NDArray[np.float64] = field(default_factory=lambda: np.zeros(1))
    """A running mean of the nanoseconds that one block takes, (1,)."""
    flags: NDArray[np.int64] = field(default_factory=lambda: np.array([1, 0, 0]))
    """What kernels say of it: `QUIET`, `SILENT` and `BROKEN`."""
    peaks: NDArray[np.float32] = field(default_factory=lambda: np.zeros(2, np.float32))
    """Largest sample before it and after it, of the last block."""
    was_off: bool = False
    """It did not work in the block before, though something sounded there."""
    steps: dict[int, float] = field(default_factory=dict)
    """Rows of control that jump in this block, and the values before: choices, switches and whole numbers that were set."""
    lags: bool = False
    """It comes late now: once it has worked, until nothing sounds in it, so that switching it off leaves no gap."""
    version: int = 0
    """Goes up where its state is laid out anew: what was planned with the one before does not hold."""
    finer: FinerVoices | None = None
    """What it works with while it lags, where it is a filter that is driven."""
    line: NDArray[np.float32] = field(init=False)
    """Where every voice waits for as long as it is late, float32 (row, channel, 2 · frame)."""

    def __post_init__(self) -> None:
        if bends_finer(self.module, self.stage.rate):
            self.finer = FinerVoices(self.module, self.stage)
        self.reset()
        names = list(self.module.params)
        self.on = self.control[names.index("on")] if "on" in names else self.control[0]
        self.wet = self.control[names.index("wet")] if "wet" in names else self.control[0]
        self.push = self.control[names.index("drive")] if self.finer is not None else None
        self.line = np.zeros((self.stage.rows, 2, 2 * latency_of(self.module, self.stage.rate)), np.float32)

    @property
    def late(self) -> int:
        """Frames by which voices come out of it late in this block."""
        return self.line.shape[2] // 2 if self.lags else 0

    @property
    def cost(self) -> float:
        """Nanoseconds that one block takes."""
        return float(self.spent[0])

    @property
    def quiet(self) -> bool:
        """True while nothing has sounded in it since its state was laid out."""
        return bool(self.flags[QUIET])

    @quiet.setter
    def quiet(self, quiet: bool) -> None:
        self.flags[QUIET] = quiet

    def take_broken(self) -> bool:
        """Whether it gave no number since this was asked last."""
        broken = bool(self.flags[BROKEN])
        self.flags[BROKEN] = 0
        return broken

    def begins_late(self, works: bool, pushed: bool) -> bool:
        """True where it was not late, and is from this block on: a drive that works, a filter that is driven."""
        return works and not self.lags and self.line.size > 0 and (self.finer is None or pushed)

    @property
    def at_work(self) -> State:
        """The arrays that it works with now."""
        return self.arrays if self.finer is None or not self.lags else self.finer.arrays

    def before(self) -> NDArray[np.float32]:
        """Its control as if nothing had jumped in this block."""
        control = self.control.copy()
        for row, value in self.steps.items():
            control[row] = value
        return control

    def begins_anew(self) -> bool:
        """True where what jumps in this block makes it begin from nothing."""
        names = list(self.module.params)
        return any(names[row] in self.module.splices for row in self.steps)

    def twin(self) -> State:
        """A copy of its state, in which it can run once more as it was."""
        return tuple(
            part.copy() if isinstance(part, np.ndarray) and part.flags.writeable else part for part in self.at_work
        )

    def reset(self) -> None:
        """State as after building."""
        self.version += 1
        self.flags[SILENT] = 0
        self.state = prepared(self.module, self.stage)
        self.arrays = flat(self.state)
        if self.finer is not None:
            self.finer.reset()

    def rest(self) -> None:
        """Forgets its state once, while it is switched off."""
        if not self.quiet:
            self.reset()
            self.quiet = True
        self.spent[0] = 0.0
        self.peaks.fill(0.0)
