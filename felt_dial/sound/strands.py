"""Strands and buses: modules at their places in a program, and where their sound comes together."""

from __future__ import annotations

from dataclasses import dataclass, field
from time import perf_counter_ns
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Module
from felt_dial.sound.kernel import ROWS, Stage
from felt_dial.sound.mix import half_band, run_halve
from felt_dial.sound.voices import NOW, SENT, WAS, Voices

NO_TURN = np.zeros((0, 0), np.float32)
"""Given to a source whose phase nothing modulates."""


@dataclass
class Placed:
    """A module at its place in the program."""

    path: str
    module: Module
    stage: Stage
    control: NDArray[np.float32]
    kernel: Any
    state: tuple[Any, ...] = ()
    cost: float = 0.0
    quiet: bool = False

    def __post_init__(self) -> None:
        self.reset()

    def reset(self) -> None:
        """State as after building."""
        self.state = self.module.prepare(self.stage)  # type: ignore[attr-defined]

    def spent(self, since: int) -> None:
        """Keeps a running mean of the nanoseconds one block takes."""
        self.cost += 0.05 * (perf_counter_ns() - since - self.cost)


@dataclass
class Feed:
    """An inlet of a strand: the strand that modulates it, and how far."""

    strand: Strand
    control: NDArray[np.float32]


@dataclass
class Strand:
    """A layer in the program: its source, its filter, what modulates it, and how it is mixed."""

    key: str
    place: int
    source: Placed
    filter: Placed
    control: NDArray[np.float32]
    contour: int
    switches: tuple[int, ...]
    out: int
    track: int
    weights: NDArray[np.float32]
    feeds: list[Feed] = field(default_factory=list)
    send: NDArray[np.float32] | None = None
    rows: NDArray[np.int32] = field(default_factory=lambda: np.zeros(0, np.int32))
    share: float = 0.0
    goes: int = 0
    stale: bool = False
    idle: bool = False
    peak: float = 0.0

    def settle(self, voices: Voices) -> None:
        """Lists the rows that have some of this layer, and follows the table of notes."""
        self.weights = voices.weights[:, self.place]
        part = (self.weights[WAS] > 0) | (self.weights[NOW] > 0) | (self.weights[SENT] > 0)
        self.rows = np.flatnonzero(part & voices.sounding).astype(np.int32)

    def newest_place(self, voices: Voices) -> float:
        """Where in its recording the newest note of this layer is, 0 to 1; −1 where it is nowhere."""
        if not len(self.rows):
            return -1.0
        row = int(self.rows[np.argmax(voices.number[self.rows])])
        return float(self.source.module.place(self.source.state, row))  # type: ignore[attr-defined]

    def turned(self) -> bool:
        """True where some other layer may move the phase of this one."""
        return any(feed.control[0].any() for feed in self.feeds)


def in_order(strands: list[Strand]) -> list[Strand]:
    """Strands so that each comes after those that modulate it; a loop keeps its given order."""
    done: list[Strand] = []
    visiting: list[Strand] = []

    def visit(strand: Strand) -> None:
        if any(strand is other for other in (*done, *visiting)):
            return
        visiting.append(strand)
        for feed in strand.feeds:
            visit(feed.strand)
        done.append(strand)

    for strand in strands:
        visit(strand)
    return done


class Bus:
    """Where voices are summed at `quality` times the rate, and the same sound brought down to the rate."""

    def __init__(self, frames: int, quality: int) -> None:
        self.fine = np.zeros((2, frames * quality), np.float32)
        self.out = self.fine if quality == 1 else np.zeros((2, frames), np.float32)
        self.used = False
        self._taps = half_band().astype(np.float32)
        self._halves: list[tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]] = []
        below, size = self.fine, frames * quality
        while size > frames:
            size //= 2
            target = self.out if size == frames else np.zeros((2, size), np.float32)
            history = np.zeros((2, len(self._taps) - 1 + 2 * size), np.float32)
            self._halves.append((below, target, history))
            below = target

    def bring_down(self) -> None:
        """Fills `out` from `fine`."""
        for below, above, history in self._halves:
            run_halve(below, above, history, self._taps)


def sends(count: int, frames: int) -> NDArray[np.float32]:
    """Room for what `count` modulating layers give, float32 (layer, row, frame)."""
    return np.zeros((count, ROWS, frames), np.float32)
