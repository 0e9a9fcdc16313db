"""A module at its place in a program, with its state and what it costs."""

from __future__ import annotations

from dataclasses import dataclass, field
from time import perf_counter_ns
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Module
from felt_dial.sound.compiled import prepared
from felt_dial.sound.kernel import Stage, State, flat


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
    cost: float = 0.0
    quiet: bool = True
    """Nothing has sounded in it since its state was laid out."""
    peaks: list[float] = field(default_factory=lambda: [0.0, 0.0])
    """Largest sample before it and after it, of the last block."""

    def __post_init__(self) -> None:
        self.reset()
        names = list(self.module.params)
        self.on = self.control[names.index("on")] if "on" in names else self.control[0]
        self.wet = self.control[names.index("wet")] if "wet" in names else self.control[0]

    def reset(self) -> None:
        """State as after building."""
        self.state = prepared(self.module, self.stage)
        self.arrays = flat(self.state)

    def rest(self) -> None:
        """Forgets its state once, while it is switched off."""
        if not self.quiet:
            self.reset()
            self.quiet = True
        self.cost = 0.0
        self.peaks = [0.0, 0.0]

    def spent(self, since: int) -> None:
        """Keeps a running mean of the nanoseconds one block takes."""
        self.cost += 0.05 * (perf_counter_ns() - since - self.cost)
