"""Building: every module of a patch at its place, with the rows of control that it reads and all that ties it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Filter, Module
from felt_dial.patch.parts import NO_LAYER, WHERE
from felt_dial.patch.patch import Bus, Layer, Patch, modules, sounding
from felt_dial.patch.shaping import Shaping
from felt_dial.sound.control.movement import GLOBAL, Layout, Motion
from felt_dial.sound.house import House
from felt_dial.sound.joins import Join
from felt_dial.sound.kernel import TICK, Stage, kernel_of
from felt_dial.sound.placed import Placed
from felt_dial.sound.strands import Feed, Strand, Swing, sends
from felt_dial.sound.tone.chain import Tone, Workroom
from felt_dial.sound.tone.shaper import redraw
from felt_dial.sound.voices import Voices


class Built:
    """The parts of a program.

    Attributes
    ----------
    strands, joins, house
        Its layers, its buses, and where they come together.
    room : Workroom
        Room that layers and buses share.
    tuned : bool
        Whether some effect asks for the newest note.
    placed : list of Placed
        Every module that processes audio, in order.
    newest : float32 (2, 1, tick + 1)
        Pitch (semitones) and frequency (Hz) of the newest note, to be filled before the racks run.
    """

    def __init__(
        self, patch: Patch, motion: Motion, layout: Layout, voices: Voices, rate: float, frames: int, quality: int
    ) -> None:
        self._patch, self._motion, self._layout, self._weights = patch, motion, layout, voices.weights
        self.newest = np.zeros((2, 1, frames // TICK + 1), np.float32)
        self.newest[0], self.newest[1] = 60.0, 261.6256
        self._fine = Stage(rate * quality, frames * quality, tick=TICK * quality, newest=self.newest)
        self._plain = Stage(rate, frames, newest=self.newest)
        self.grains = self._fine.grains
        self.room = Workroom(frames * quality)
        self.house = House(frames, quality)
        self.strands: list[Strand] = []
        self.joins: list[Join] = []
        self._curves: list[tuple[Placed, slice, int]] = []
        self._found: dict[str, Placed] = {}
        for path, module in modules(patch):
            steps = path.split(".")
            if isinstance(module, Layer):
                self.strands.append(self._strand(path, module))
            elif isinstance(module, Bus):
                self.joins.append(self._join(path, module))
            elif steps[0] == "racks":
                stage = self._fine if getattr(module, "bends", False) else self._plain
                self.house.racks[steps[1]].add(self._place(path, module, stage, GLOBAL))
        self.tuned = any(isinstance(effect, Filter) for rack in patch.racks.values() for effect in rack.values())
        self._tie(frames * quality)
        self.placed = [self._found[path] for path in sounding(patch)]
        self._odd = {at: 0.0 for _, _, at in self._curves}
        self.redraw(motion.slots["target"], motion.drawn, None)

    def redraw(self, target: NDArray[np.float64], drawn: NDArray[np.float64], was: NDArray[np.float64] | None) -> None:
        """Lays the drawn curves out that are another than in the drawings `was`."""
        for placed, where, odd in self._curves:
            if was is None or target[odd] != self._odd[odd] or not np.array_equal(was[where], drawn[where]):
                redraw(placed.state, drawn[where], bool(target[odd]))
                self._odd[odd] = target[odd]

    def _strand(self, path: str, layer: Layer) -> Strand:
        at = self._layout.at
        switches = tuple(at[f"{path}.{name}"] for name in ("on", "solo", "mute"))
        place = len(self.strands)
        parts = [self._place(f"{path}.{part}", getattr(layer, part), self._fine) for part in ("drive", "filter")]
        return Strand(
            path.split(".")[1],
            place,
            self._place(f"{path}.source", layer.source, self._fine),
            Tone(parts, self.room),
            self._control(path, layer),
            self._layout.movers.index(layer.contour),
            switches,
            at[f"{path}.out"],
            at[f"{path}.order"],
            at.get(f"{path}.source.track", -1),
            self._weights[:, place],
        )

    def _join(self, path: str, bus: Bus) -> Join:
        parts = [self._place(f"{path}.{part}", getattr(bus, part), self._fine) for part in ("drive", "filter", "after")]
        goes = tuple(list(WHERE).index(where) for where in type(bus).params["out"].ids)  # type: ignore[attr-defined]
        out = self._layout.at[f"{path}.out"]
        return Join(path.split(".")[1], Tone(parts, self.room), self._control(path, bus), out, goes, self._fine.frames)

    def _tie(self, frames: int) -> None:
        """Ties the layers that modulate to those that are modulated."""
        known = {strand.key: strand for strand in self.strands}
        for strand in self.strands:
            layer = self._patch.layers[strand.key]
            for other, inlet in layer.inlets.items():
                strand.feeds.append(Feed(known[other], self._control(f"layers.{strand.key}.inlets.{other}", inlet)))
            strand.swing = self._swing(layer, strand.control, known, strand.key)
        for join in self.joins:
            join.swing = self._swing(self._patch.buses[join.key], join.control, known)
        senders = {id(feed.strand): feed.strand for strand in self.strands for feed in strand.feeds}
        swings = [part.swing for part in (*self.strands, *self.joins) if part.swing is not None]  # type: ignore[attr-defined]
        senders |= {id(swing.strand): swing.strand for swing in swings}
        for sender, room in zip(senders.values(), sends(len(senders), frames), strict=True):
            sender.send = room

    def _swing(
        self, module: Layer | Bus, control: NDArray[np.float32], known: dict[str, Strand], own: str = NO_LAYER
    ) -> Swing | None:
        """What moves the cutoff of a layer's or bus's filter as fast as it sounds."""
        other = str(module.swung)
        return Swing(known[other], control[module.row_of("swing")]) if other in known and other != own else None

    def _control(self, path: str, module: Module, row: int | slice = slice(None)) -> NDArray[np.float32]:
        """The control rows of a module's parameters, in the order of their declaration."""
        first = self._layout.at[f"{path}.{next(iter(module.params))}"]
        return self._motion.control[first : first + len(module.params), row]

    def _place(self, path: str, module: Module, stage: Stage, row: int | slice = slice(None)) -> Placed:
        placed = self._found[path] = Placed(path, module, stage, self._control(path, module, row), kernel_of(module))
        if isinstance(module, Shaping):
            first = self._layout.drawn[f"{path}.curve"]
            where = slice(first, first + module.drawings["curve"].room)
            self._curves.append((placed, where, self._layout.at[f"{path}.odd"]))
        return placed
