"""Building: every module of a patch at its place, with the rows of control that it reads and all that ties it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Filter, Module
from felt_dial.patch.parts import NO_LAYER, WHERE, Bus, Layer
from felt_dial.patch.patch import Patch, modules, sounding
from felt_dial.patch.shaping import Shaping
from felt_dial.sound.compiling.compiled import kernel_of
from felt_dial.sound.compiling.kernel import Stage
from felt_dial.sound.control.core.layout import Layout
from felt_dial.sound.control.core.records import BY_ITSELF, GLOBAL, Modulation
from felt_dial.sound.engine.bus_voice import BusVoice
from felt_dial.sound.engine.latency_compensation import latencies
from felt_dial.sound.engine.layer_voice import Feed, LayerVoice, Sending, Swing, sends
from felt_dial.sound.engine.output_stage import FIRST_BUS, RACK, OutputStage
from felt_dial.sound.engine.running_module import RunningModule
from felt_dial.sound.engine.tone_chain import Tone, Workspace
from felt_dial.sound.playing.voices import Voices
from felt_dial.sound.sizes import TICK
from felt_dial.sound.tone.kernels.drive import redraw

PITCHES = ("octave", "harmonic", "divisor", "fixed")
"""What of a layer makes its pitch jump."""


class Built:
    """The parts of a program.

    Attributes
    ----------
    jumping : {slot: (module or layer, row)}
        What cannot be smoothed: the module works twice, as it was and as it is, in the block in which it is set.
    layers, buses, output
        Its layers, its buses, and where they come together.
    arrivals : {sum or bus: frames}
        How late what comes into each is.
    sendings : list of list of Sending
        Where else each layer and each bus goes.
    room : Workspace
        Room that layers and buses share.
    tuned : bool
        Whether some effect asks for the newest note.
    running : list of RunningModule
        Every module that processes audio, in order.
    control : float32 (slot, row, tick + 1)
        The values that move.
    gain : float32 (row, tick + 1)
        1, falling to 0 where a note is stolen.
    target : float64 (slot,)
        The values that were set.
    joins : int
        The slot of whether rack 2 goes into rack 1.
    newest : float32 (2, 1, tick + 1)
        Pitch (semitones) and frequency (Hz) of the newest note, to be filled before the racks run.
    """

    def __init__(
        self,
        patch: Patch,
        modulation: Modulation,
        layout: Layout,
        voices: Voices,
        rate: float,
        frames: int,
        quality: int,
    ) -> None:
        self._patch, self._modulation, self._layout, self._weights = patch, modulation, layout, voices.weights
        self.newest = np.zeros((2, 1, frames // TICK + 1), np.float32)
        self.newest[0], self.newest[1] = 60.0, 261.6256
        self.control = modulation.control
        self.gain, self.target, self.joins = modulation.gain, modulation.slots["target"], layout.at["rack2"]
        self._fine = Stage(rate * quality, frames * quality, tick=TICK * quality, newest=self.newest)
        self._plain = Stage(rate, frames, newest=self.newest)
        self.grains = self._fine.grains
        self.room = Workspace(frames * quality, TICK * quality)
        self.latencies = latencies(self._fine.rate)
        self.output = OutputStage(frames, quality, self.latencies[RACK])
        self.layers: list[LayerVoice] = []
        self.buses: list[BusVoice] = []
        self._curves: list[tuple[RunningModule, slice, int]] = []
        self._found: dict[str, RunningModule] = {}
        for path, module in modules(patch):
            steps = path.split(".")
            if isinstance(module, Layer):
                self.layers.append(self._layer(path, module))
            elif isinstance(module, Bus):
                self.buses.append(self._bus(path, module))
            elif steps[0] == "racks":
                stage = self._fine if getattr(module, "bends", False) else self._plain
                self.output.racks[steps[1]].add(self._place(path, module, stage, GLOBAL))
        self.sendings = [part.also for part in self.layers] + [part.also for part in self.buses]
        self.tuned = any(isinstance(effect, Filter) for rack in patch.racks.values() for effect in rack.values())
        self._tie(frames * quality)
        self.running = [self._found[path] for path in sounding(patch)]
        self.jumping = self._jumping()
        self._odd = {at: 0.0 for _, _, at in self._curves}
        self.redraw(modulation.slots["target"], modulation.drawn, None)

    def _jumping(self) -> dict[int, tuple[RunningModule | LayerVoice, int]]:
        """Slots of choices, plain switches and whole numbers that the sound is made with: whose they are, and which row."""
        found: dict[int, tuple[RunningModule | LayerVoice, int]] = {}
        parts: list[tuple[str, Module, RunningModule | LayerVoice]] = [(r.path, r.module, r) for r in self.running]
        parts += [(f"layers.{layer.key}", self._patch.layers[layer.key], layer) for layer in self.layers]
        for path, module, part in parts:
            first = self._layout.at[f"{path}.{next(iter(module.params))}"]
            for row, (name, param) in enumerate(module.params.items()):
                if not param.smooth and (isinstance(part, RunningModule) or name in PITCHES):
                    found[first + row] = (part, row)
        return found

    def redraw(self, target: NDArray[np.float64], drawn: NDArray[np.float64], was: NDArray[np.float64] | None) -> None:
        """Lays the drawn curves out that are another than in the drawings `was`."""
        for running, where, odd in self._curves:
            if was is None or target[odd] != self._odd[odd] or not np.array_equal(was[where], drawn[where]):
                redraw(getattr(running.state, "voice", running.state), drawn[where], bool(target[odd]))
                self._odd[odd] = target[odd]

    def _layer(self, path: str, layer: Layer) -> LayerVoice:
        at = self._layout.at
        switches = tuple(at[f"{path}.{name}"] for name in ("on", "solo", "mute"))
        place = len(self.layers)
        parts = [self._place(f"{path}.{part}", getattr(layer, part), self._fine) for part in ("drive", "filter")]
        return LayerVoice(
            path.split(".")[1],
            place,
            self._place(f"{path}.source", layer.source, self._fine),
            Tone(parts, self.room),
            self._control(path, layer),
            self._layout.movers.index(layer.contour),
            self._over_time(layer.contour),
            switches,
            at[f"{path}.out"],
            at[f"{path}.order"],
            list(layer.source.params).index("track") if "track" in layer.source.params else None,
            self._weights[:, place],
        )

    def _over_time(self, contour: str) -> NDArray[np.float32]:
        """The level over time that a mover gives, 0 to 1, float32 (row, tick + 1)."""
        mover, modulation = self._layout.movers.index(contour), self._modulation
        at = int(np.flatnonzero(modulation.contours == mover)[0])
        found: NDArray[np.float32]
        found = modulation.moves[mover] if modulation.closes[at] == BY_ITSELF else modulation.levels[at]
        return found

    def _bus(self, path: str, bus: Bus) -> BusVoice:
        parts = [self._place(f"{path}.{part}", getattr(bus, part), self._fine) for part in ("drive", "filter", "after")]
        goes = tuple(list(WHERE).index(where) for where in bus.choice_of("out").ids)
        out = self._layout.at[f"{path}.out"]
        return BusVoice(
            path.split(".")[1],
            FIRST_BUS + len(self.buses),
            Tone(parts, self.room),
            self._control(path, bus),
            out,
            goes,
            self._fine.frames,
            self._over_time(bus.contour) if bus.contour else np.ones_like(self._modulation.gain),
        )

    def _tie(self, frames: int) -> None:
        """Ties the layers that modulate to those that are modulated."""
        known = {layer.key: layer for layer in self.layers}
        for layer in self.layers:
            declared = self._patch.layers[layer.key]
            for other, inlet in declared.inlets.items():
                layer.feeds.append(Feed(known[other], self._control(f"layers.{layer.key}.inlets.{other}", inlet)))
            layer.swing = self._swing(declared, layer.control, known, layer.key)
            layer.also.extend(self._sendings(f"layers.{layer.key}", declared))
        for bus in self.buses:
            bus.also.extend(self._sendings(f"buses.{bus.key}", self._patch.buses[bus.key]))
            bus.swing = self._swing(self._patch.buses[bus.key], bus.control, known)
        senders = {id(feed.layer): feed.layer for layer in self.layers for feed in layer.feeds}
        swings = [layer.swing for layer in self.layers] + [bus.swing for bus in self.buses]
        senders |= {id(swing.layer): swing.layer for swing in swings if swing is not None}
        for sender, room in zip(senders.values(), sends(len(senders), frames), strict=True):
            sender.send = room

    def _swing(
        self, module: Layer | Bus, control: NDArray[np.float32], known: dict[str, LayerVoice], own: str = NO_LAYER
    ) -> Swing | None:
        """What moves the cutoff of a layer's or bus's filter as fast as it sounds."""
        other = str(module.swung)
        return Swing(known[other], control[module.row_of("swing")]) if other in known and other != own else None

    def _sendings(self, path: str, part: Layer | Bus) -> list[Sending]:
        """Where else a layer or a bus goes."""
        ways = list(WHERE)
        return [
            Sending(ways.index(where), self._control(f"{path}.sends.{where}", send)[0])
            for where, send in part.sends.items()
        ]

    def _control(self, path: str, module: Module, row: int | slice = slice(None)) -> NDArray[np.float32]:
        """The control rows of a module's parameters, in the order of their declaration."""
        first = self._layout.at[f"{path}.{next(iter(module.params))}"]
        return self._modulation.control[first : first + len(module.params), row]

    def _place(self, path: str, module: Module, stage: Stage, row: int | slice = slice(None)) -> RunningModule:
        running = self._found[path] = RunningModule(
            path, module, stage, self._control(path, module, row), kernel_of(module)
        )
        if isinstance(module, Shaping):
            first = self._layout.drawn[f"{path}.curve"]
            where = slice(first, first + module.drawings["curve"].room)
            self._curves.append((running, where, self._layout.at[f"{path}.odd"]))
        return running
