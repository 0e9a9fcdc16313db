"""Layer voices: the layers of a program, note by note, and the sums they are added to."""

from __future__ import annotations

import weakref
from dataclasses import dataclass, field
from typing import NamedTuple, cast

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Source
from felt_dial.patch.parts import Inlet, Layer
from felt_dial.sound.compiling.plan import Listed
from felt_dial.sound.engine.parts import Part
from felt_dial.sound.engine.running_module import RunningModule
from felt_dial.sound.engine.tone_chain import Tone
from felt_dial.sound.playing.voices import NOW, SENT, WAS, Voices
from felt_dial.sound.sizes import ROWS

LEVEL, PAN = Layer.rows_of("level", "pan")
INDEX = Inlet.row_of("index")
NO_TURN = np.zeros((0, 0), np.float32)
"""Given to a source whose phase nothing modulates."""


class Heard:
    """A layer that another one hears. It belongs to the program; layers that hear one another hold no circle here, which
    would keep all of a program that is played no more."""

    def __init__(self, layer: LayerVoice) -> None:
        self._layer = weakref.ref(layer)

    @property
    def layer(self) -> LayerVoice:
        """The layer, which lives as long as its program."""
        found = self._layer()
        assert found is not None
        return found


class Feed(Heard):
    """An inlet of a layer: the layer that modulates it, and how far."""

    def __init__(self, layer: LayerVoice, control: NDArray[np.float32]) -> None:
        super().__init__(layer)
        self.control, self.index = control, control[INDEX]


class Swing(Heard):
    """What moves a cutoff at audio rate: a layer's sound, and by how many octaves, float32 (row, tick + 1)."""

    def __init__(self, layer: LayerVoice, octaves: NDArray[np.float32]) -> None:
        super().__init__(layer)
        self.octaves = octaves


class Sending(NamedTuple):
    """One more place that a layer or a bus goes to, and how loud: dB, float32 (row, tick + 1)."""

    goes: int
    level: NDArray[np.float32]


@dataclass
class LayerVoice:
    """A layer in the program: its source, its drive, its filter, what modulates it, and how it is mixed."""

    key: str
    place: int
    source: RunningModule
    tone: Tone
    control: NDArray[np.float32]
    contour: int
    over_time: NDArray[np.float32]
    switches: tuple[int, ...]
    out: int
    order: int
    track: int | None
    weights: NDArray[np.float32]
    feeds: list[Feed] = field(default_factory=list)
    swing: Swing | None = None
    steps: dict[int, float] = field(default_factory=dict)
    """Rows of control that jump in this block, and the values before."""
    also: list[Sending] = field(default_factory=list)
    send: NDArray[np.float32] | None = None
    rows: NDArray[np.int32] = field(default_factory=lambda: np.zeros(0, np.int32))
    listed: Listed = field(default_factory=lambda: Listed(ROWS))
    """The same, for kernels."""
    on: bool = True
    was: float = 0.0
    share: float = 0.0
    """How much of it is heard, before this block and after it."""
    went: int = 0
    goes: int = 0
    """Where it goes to, before this block and now."""
    sends: bool = False
    """Its `send` may hold something."""
    stale: bool = False
    idle: bool = False
    peaks: NDArray[np.float64] = field(default_factory=lambda: np.zeros(1))
    """Its largest sample in this block, (1,)."""
    broken: NDArray[np.int64] = field(default_factory=lambda: np.zeros(1, np.int64))
    """1 where it gave no numbers, (1,)."""
    part: Part = field(init=False)

    def __post_init__(self) -> None:
        self.level, self.pan = self.control[LEVEL], self.control[PAN]
        self.weight_was, self.weight_now, self.sent = self.weights[WAS], self.weights[NOW], self.weights[SENT]
        self.part = Part(self.source, *self.tone.steps, questions=2 + len(self.tone.answers))
        self.tone.answers = self.part.answers[2:]

    def before(self) -> NDArray[np.float32]:
        """Its control as if nothing had jumped in this block."""
        if not self.steps:
            return self.control
        control = self.control.copy()
        for row, value in self.steps.items():
            control[row] = value
        return control

    @property
    def peak(self) -> float:
        """Its largest sample in the last block."""
        return float(self.peaks[0])

    @property
    def heard(self) -> bool:
        """True where some of it is heard in this block."""
        return self.was > 0.0 or self.share > 0.0

    def take(self, share: float, on: bool, goes: int) -> None:
        """Takes over how much of it is heard from now on, whether it is on, and where it goes."""
        self.was, self.share, self.on = self.share, share, on
        self.went, self.goes = self.goes, goes

    def settle(self, voices: Voices) -> None:
        """Lists the rows that have some of this layer, and follows the table of notes."""
        part = (self.weights[WAS] > 0) | (self.weights[NOW] > 0) | (self.weights[SENT] > 0)
        self.rows = np.flatnonzero(part & voices.sounding).astype(np.int32)
        self.listed.set(self.rows)

    def newest_place(self, voices: Voices) -> float:
        """Where in its recording the newest note of this layer is, 0 to 1; −1 where it is nowhere."""
        if not len(self.rows):
            return -1.0
        row = int(self.rows[np.argmax(voices.number[self.rows])])
        return float(cast(Source, self.source.module).place(self.source.state, row))

    def falls_short(self) -> float:
        """By how many dB its source is softer than its dials say, where no room is left; else 0."""
        return float(cast(Source, self.source.module).falls_short(self.source.state)) if len(self.rows) else 0.0


def in_order(layers: list[LayerVoice]) -> list[LayerVoice]:
    """Layers so that each comes after those that modulate it; a loop keeps its given order."""
    done: list[LayerVoice] = []
    for layer in layers:
        _visit(layer, done, [])
    return done


def _visit(layer: LayerVoice, done: list[LayerVoice], visiting: list[LayerVoice]) -> None:
    """Enters a layer after what it hears. Not a function within another: one that calls itself there holds all of it
    until garbage is looked for, and the engine does not look while it sounds."""
    if any(layer is other for other in (*done, *visiting)):
        return
    visiting.append(layer)
    for feed in layer.feeds:
        _visit(feed.layer, done, visiting)
    if layer.swing is not None:
        _visit(layer.swing.layer, done, visiting)
    done.append(layer)


def sends(count: int, frames: int) -> NDArray[np.float32]:
    """Room for what `count` modulating layers give, float32 (layer, row, frame)."""
    return np.zeros((count, ROWS, frames), np.float32)
