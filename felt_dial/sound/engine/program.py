"""Program: a patch made ready to sound.

Building allocates everything and happens off the audio path; `block` then arranges kernels and
allocates nothing that grows.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from itertools import product
from time import perf_counter_ns
from typing import Any, cast

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Source
from felt_dial.patch.parts import Bus, Layer
from felt_dial.patch.patch import Patch, drawings, slots
from felt_dial.sound.compiling.kernel import State
from felt_dial.sound.control.core.layout import make_modulation
from felt_dial.sound.control.core.records import BEND_SLOT, GLOBAL, PEDAL_SLOT, SMOOTHING, WHEEL_SLOT, Performance
from felt_dial.sound.control.follow import BEFORE_RACK, FIRST_LAYER, OUT
from felt_dial.sound.control.kernels.core.run import enter_modulation
from felt_dial.sound.engine.building import Built
from felt_dial.sound.engine.bus_voice import BusVoice
from felt_dial.sound.engine.kernels.mix import (
    SILENCE,
    run_fade,
    run_frequency,
    run_line,
    run_mix,
    run_pitch,
    run_ring,
    run_send,
    run_swing,
    run_transpose,
    run_turn,
    voices_finite,
)
from felt_dial.sound.engine.layer_voice import NO_TURN, LayerVoice, Swing, in_order
from felt_dial.sound.engine.output_stage import FIRST_BUS, NOWHERE, RACK2
from felt_dial.sound.engine.running_module import RunningModule
from felt_dial.sound.engine.tone_chain import Notes
from felt_dial.sound.playing.allocator import VoiceAllocator
from felt_dial.sound.playing.events import BEND, ON, PEDAL, SUSTAIN, TEMPO, WHEEL, Event
from felt_dial.sound.playing.pattern_player import PatternPlayer
from felt_dial.sound.playing.voices import NOW, SENT, WAS, Voices
from felt_dial.sound.sizes import BLOCK, HIGHEST, ROWS, TICK
from felt_dial.sound.tone.kernels.core.voices import NO_SWING

LEVEL, PAN = Layer.rows_of("level", "pan")
BUS_LEVEL, BUS_PAN = Bus.rows_of("level", "pan")
PAN_TAKES, PAN_KEEPS = 1.0, math.sqrt(2.0)
"""A layer in the middle is 3 dB softer than on one side; a bus in the middle is as it came."""


def patch_values(patch: Patch) -> NDArray[np.float64]:
    """Every parameter's value as the engine keeps it, then every drawing; float64 (number,)."""
    found = [slot.param.encode(slot.value) for slot in slots(patch)]
    for drawing in drawings(patch):
        found += drawing.drawn.numbers(drawing.value)
    return np.array(found)


def all_begin(begin: NDArray[np.int32], rows: NDArray[np.int32]) -> NDArray[np.int32]:
    """`Voices.begin` with some rows beginning in this block, if not later then with its first frame."""
    found = begin.copy()
    found[0, rows] = np.maximum(found[0, rows], 0)
    return found


@dataclass
class Report:
    """What a block has to say besides its sound: peaks before the ceiling, and modules that gave no number."""

    left: float = 0.0
    right: float = 0.0
    broken: list[str] = field(default_factory=list)


class Program:
    """One patch, sounding.

    Parameters
    ----------
    patch : Patch
    rate : float
        Frames per second of the output.
    frames : int
        Frames of a block, a multiple of 16.
    quality : 1, 2, 4 or 8
        Voices run at `quality` times the rate and come down through half-band filters.
    values : float64 (number,), optional
        Where to read the values of every block; the patch's own, `Program.values`, where nothing is given.
    holds : function, optional
        Whether what was just read there are its values still. Where they are not, the last ones stay.
    """

    def __init__(
        self,
        patch: Patch,
        rate: float = 48000.0,
        frames: int = BLOCK,
        quality: int = 1,
        values: NDArray[np.float64] | None = None,
        holds: Callable[[], bool] = lambda: True,
    ) -> None:
        self.patch, self.rate, self.frames, self.quality = patch, float(rate), frames, quality
        self.values = patch_values(patch)
        self._given, self._holds = self.values if values is None else values[: len(self.values)], holds
        self.values[:] = self._given
        ticks = frames // TICK
        self.modulation, self.layout = make_modulation(patch, self.values, ticks, self.rate)
        self.at, self.movers = self.layout.at, self.layout.movers
        self.count = len(self.at)
        self.whole = self.count + len(self.modulation.drawn)
        self.clock = 0
        self.clock_tempo = 0.0
        self.heard = np.zeros(FIRST_LAYER + len(patch.layers))
        self.target = self.modulation.slots["target"]
        self.current, self.led = self.modulation.slots["current"], self.modulation.slots["led"]
        self.voices = Voices()
        self.seconds = TICK / self.rate
        self.allocator = VoiceAllocator(patch, self.values, self.at, self.voices, ticks, self.seconds)
        drawn = self.layout.drawn["pattern.steps"]
        self.pattern = PatternPlayer(
            patch,
            self.values,
            self.at,
            self.modulation.drawn[drawn : drawn + patch.pattern.drawings["steps"].room],
            self.allocator.chooses,
        )
        self.report = Report()
        built = self.built = Built(patch, self.modulation, self.layout, self.voices, self.rate, frames, quality)
        self.layers, self.buses, self.output, self.room = built.layers, built.buses, built.output, built.room
        self.grains, self.newest, self.racks = built.grains, built.newest, built.output.racks
        control = self.modulation.control
        self.order = in_order(self.layers)
        self.moves = self.modulation.moves
        self.bend = control[control.shape[0] + BEND_SLOT]
        self.transposed = control[self.at["transpose"]], control[self.at["fine"]]
        self.line = np.zeros((ROWS, ticks + 1), np.float32)
        self.played = np.zeros((ROWS, ticks + 1), np.float32)
        self.flat = np.full((ROWS, ticks + 1), 69.0, np.float32)
        self.bent = np.zeros(ROWS)
        self.shaped = np.zeros((len(self.modulation.contours), ROWS), np.bool_)
        self.frequency = np.zeros((ROWS, ticks + 1), np.float32)
        self.audio = np.zeros((ROWS, 2, frames * quality), np.float32)
        self.turn = np.zeros((ROWS, frames * quality if any(s.feeds for s in self.layers) else 0), np.float32)
        self.out = self.output.out
        self.loudness_gain = self._output_gain()
        for layer, (share, _) in zip(self.layers, self._shares(), strict=True):
            layer.share, layer.goes = share, int(self.target[layer.out])
        for bus in self.buses:
            bus.goes = bus.places[int(self.target[bus.out])]
        self._seen = b""
        self._jumps = np.zeros(self.count, np.bool_)
        self._jumps[list(built.jumping)] = True
        self._stepped: list[RunningModule | LayerVoice] = []
        self._first: list[Event] = []

    def _value(self, path: str) -> float:
        return float(self.current[self.at[path]])

    def _reach(self) -> float:
        """Semitones that a bend reaches: what the controller says, or the patch's own."""
        said = self.allocator.hands.reach
        return self._value("bend") if said is None else said

    @property
    def tempo(self) -> float:
        """Beats per minute: those of a clock from outside, or the patch's own."""
        return self.clock_tempo or float(self.target[self.at["tempo"]])

    def _output_gain(self) -> float:
        level = self._value("level")
        return float(10 ** (level / 20)) if level > SILENCE else 0.0

    def asked(self) -> bool:
        """Whether a value was set since the last block."""
        return self._given.tobytes() != self._seen and self._holds()

    def _read_values(self) -> None:
        """Takes over the values that were set since the last block."""
        seen = self._given.tobytes()
        if seen != self._seen and self._holds():
            self.values[:] = np.frombuffer(seen)
            for slot in np.flatnonzero((self.values[: self.count] != self.target[: self.count]) & self._jumps).tolist():
                part, row = self.built.jumping[slot]
                part.steps[row] = float(self.target[slot])
                self._stepped.append(part)
            self.target[: self.count] = self.values[: self.count]
            drawn = self.values[self.count : self.whole]
            self.built.redraw(self.target, drawn, self.modulation.drawn)
            self.modulation.drawn[:] = drawn
            self._seen = seen

    def _shares(self) -> list[tuple[float, bool]]:
        """For every layer 1 where it is heard after on, mute and solo, else 0; and whether it is on."""
        target = self.target
        switches = [[target[slot] > 0.5 for slot in layer.switches] for layer in self.layers]
        solo = any(on and soloed for on, soloed, _ in switches)
        return [(1.0 if on and not mute and (soloed or not solo) else 0.0, on) for on, soloed, mute in switches]

    def _apply(self, event: Event) -> None:
        tick = min(event.frame // TICK, self.frames // TICK - 1)
        if event.kind == WHEEL:
            self._wheel(WHEEL_SLOT, event.value, tick)
        elif event.kind == BEND and event.channel == 0:
            self._wheel(BEND_SLOT, event.value, tick)
        else:
            if event.kind in (SUSTAIN, PEDAL):
                self._wheel(PEDAL_SLOT, event.value, tick)
            if event.kind != PEDAL:
                self.allocator.obey(event, tick)

    def _wheel(self, slot: int, value: float, tick: int) -> None:
        self.target[slot], self.modulation.slots["since"][slot] = value, tick

    def block(self, events: Iterable[Event] = ()) -> NDArray[np.float32]:
        """The next `frames` frames, float32 (2, frame); valid until the next call."""
        voices = self.voices
        report = self.report
        if report.broken:
            report.broken = []
        self._read_values()
        played = []
        for event in events:
            if event.kind == TEMPO:
                limits = self.patch.param_of("tempo")
                self.clock_tempo = min(max(event.value, limits.low), limits.high)
            else:
                played.append(event)
        _, _, left, _, asked, before = self.grains
        self.grains[:] = left, self._value("grains"), 0.0, asked, 0.0, before + 1.0
        voices.begin_block()
        self.allocator.begin_block()
        if voices.once.any():
            self._end_once()
        for event in self.pattern.block((*self._first, *played), self.frames, self.tempo, self.rate):
            self._apply(event)
        self._first = []
        self.allocator.end_block()
        if voices.stirred:
            self.settle()
        active = voices.active
        run_line(
            self.line,
            voices.pitch,
            voices.before,
            voices.goal,
            voices.pace,
            voices.turn,
            self.bent,
            voices.bend,
            voices.begin,
            active,
            1.0 - math.exp(-self.seconds / SMOOTHING),
        )
        ended = enter_modulation(*self.modulation_arguments())
        run_transpose(self.line, self.flat, *self.transposed, active)
        self.clock += self.frames // TICK
        voices.stirred = ended > 0 or (voices.stirred and voices.started())
        self.output.begin_block()
        voices.peak.fill(0.0)
        shares = self._shares()
        for bus in self.buses:
            bus.begin_block()
        for layer in self.order:
            self._run_layer(layer, *shares[layer.place])
        for bus in self.buses:
            self._run_bus(bus)
        if voices.newest >= 0 and self.built.tuned:
            row = voices.newest
            self.newest[0, 0] = self.line[row]
            run_frequency(
                self.played, self.line, self.bend, self._reach(), self._value("reference"), np.array([row], np.int32)
            )
            self.newest[1, 0] = self.played[row]
        gain = self._output_gain()
        into_first = self.target[self.at["rack2"]] < 0.5
        report.left, report.right, broken = self.output.run(into_first, self.loudness_gain, gain)
        report.broken += broken
        self.heard[FIRST_LAYER:] = [layer.peak for layer in self.layers]
        self.heard[BEFORE_RACK], self.heard[OUT] = self.output.before, max(report.left, report.right)
        self.loudness_gain = gain
        while self._stepped:
            self._stepped.pop().steps.clear()
        return self.out

    def modulation_arguments(self) -> tuple[Any, ...]:
        """What the modulation kernel is given in this block."""
        voices = self.voices
        return (
            *self.modulation,
            *Performance(
                self.heard,
                voices.touches,
                voices.key,
                voices.begin,
                voices.after,
                voices.active,
                voices.held,
                voices.once,
                voices.release,
                voices.fade,
                voices.through,
                self.shaped,
                voices.finished,
                voices.newest,
                voices.fresh,
                voices.last_up,
                self.tempo,
                self.clock,
                self.rate,
            ),
        )

    def settle(self) -> None:
        """Lists the rows that sound, for the patch and for every layer, and which contours shape them."""
        self.voices.settle()
        self.shaped.fill(False)
        for layer in self.layers:
            layer.settle(self.voices)
            self.shaped[np.searchsorted(self.modulation.contours, layer.contour), layer.rows] = True

    def _end_once(self) -> None:
        """Lets go of notes that ignore the key once all their samples have ended."""
        voices = self.voices
        ended = voices.once & voices.sounding
        for layer in self.layers:
            if cast(Source, layer.source.module).tells_end and not layer.idle:
                ended &= (layer.source.state.over > 0) | (layer.weights[NOW] == 0.0)
        for row in np.flatnonzero(ended):
            voices.once[row] = False
            voices.let_go(int(row), 0)

    def _run_layer(self, layer: LayerVoice, share: float, on: bool) -> None:
        was, layer.share = layer.share, share
        went, layer.goes = layer.goes, int(self.target[layer.out])
        heard = was > 0.0 or share > 0.0
        layer.peak = 0.0
        layer.idle = not (heard or (on and layer.send is not None))
        if layer.idle or not len(layer.rows):
            layer.stale |= len(layer.rows) > 0
            layer.source.cost *= 0.95
            layer.tone.calm()
            if layer.send is not None:
                layer.send.fill(0.0)
            return
        starts = self.voices.begin
        if layer.stale:
            starts = all_begin(starts, layer.rows)
            layer.source.reset()
            layer.tone.reset()
            layer.stale = False
        begin = perf_counter_ns()
        self._make(layer, starts)
        if layer.send is not None:
            run_send(
                self.audio,
                layer.over_time,
                self.modulation.gain,
                layer.weights[SENT],
                layer.rows,
                TICK * self.quality,
                layer.send,
            )
        if heard:
            self._mix(layer, was if went == layer.goes else 0.0, share, layer.goes)
            if went != layer.goes:
                self._mix(layer, was, 0.0, went)
            for way in layer.also:
                self._mix(layer, was, share, way.goes, way.level)
        layer.source.spent(begin)

    def _tune(self, layer: LayerVoice, control: NDArray[np.float32], line: NDArray[np.float32]) -> None:
        """Frequencies of a layer's notes, given its control and their keys."""
        reach, reference = self._reach(), self._value("reference")
        run_pitch(self.frequency, control, line, self.bend, reach, reference, layer.rows)

    def _sound(
        self,
        layer: LayerVoice,
        starts: NDArray[np.int32],
        made: NDArray[np.float32],
        pitched: NDArray[np.float32],
        turn: NDArray[np.float32],
        state: State,
        audio: NDArray[np.float32],
    ) -> bool:
        """The raw sound of a layer into `audio`, by the control of its source and its own; False where it follows no key."""
        source = layer.source
        tracks = layer.track is None or bool(made[layer.track, GLOBAL, 0] > 0.5)
        self._tune(layer, pitched, self.line if tracks else self.flat)
        source.kernel(
            audio,
            self.frequency,
            turn,
            made,
            layer.rows,
            starts,
            TICK * self.quality,
            source.stage.rate,
            min(0.5 * self.rate, HIGHEST),
            layer.lot(self._value("seed")),
            *state,
        )
        return tracks

    def _make(self, layer: LayerVoice, starts: NDArray[np.int32]) -> None:
        """Source and filter of a layer, into `audio`; `starts` is `Voices.begin`, or that of a layer that sounds again."""
        rows, tick, source = layer.rows, TICK * self.quality, layer.source
        turn = NO_TURN
        if layer.turned():
            turn = self.turn
            for n, feed in enumerate(layer.feeds):
                run_turn(turn, feed.layer.send, feed.control, feed.layer.weights[SENT], rows, tick, n == 0)
        jumps = bool(source.steps or layer.steps)
        if jumps:
            self._sound(layer, starts, source.before(), layer.before(), turn, source.twin(), self.room.was)
            if source.begins_anew():
                starts = all_begin(starts, rows)
        tracks = self._sound(layer, starts, source.control, layer.control, turn, source.arrays, self.audio)
        if jumps:
            run_fade(self.room.was, self.audio, rows)
        for feed in layer.feeds:
            run_ring(self.audio, feed.layer.send, feed.control, feed.layer.weights[SENT], rows, tick)
        if not tracks:  # only the source plays every key alike
            self._tune(layer, layer.control, self.line)
        notes = Notes(rows, self.voices.start, self.line, self.frequency, self._swung(layer.swing, rows))
        layer.tone.run(self.audio, notes, bool(self.target[layer.order] > 0.5))
        if not voices_finite(self.audio, rows):
            self._mend(layer, rows)

    def _mix(
        self, layer: LayerVoice, was: float, now: float, goes: int, send: NDArray[np.float32] | None = None
    ) -> None:
        """Adds a layer to where it goes, or where it sends to at a level of its own as well."""
        if goes == NOWHERE:
            return
        sums = goes < FIRST_BUS
        onward = self.output.take(goes) if sums else self.buses[goes - FIRST_BUS].take(layer.rows)
        control = layer.control
        level = control[LEVEL] if send is None else self._sent(control[LEVEL], send)
        for passed in layer.tone.heard:
            peak = run_mix(
                passed.audio,
                layer.over_time,
                level,
                control[PAN],
                self.modulation.gain,
                layer.weights[WAS],
                layer.weights[NOW],
                layer.rows,
                TICK * self.quality,
                was * passed.first,
                now * passed.last,
                PAN_TAKES,
                onward,
                sums,
                self.built.latencies[goes] - passed.late,
                self.voices.peak,
            )
            layer.peak = max(layer.peak, peak)

    def _sent(self, own: NDArray[np.float32], send: NDArray[np.float32]) -> NDArray[np.float32]:
        """A level and that of a send, in dB, together; −∞ where either is."""
        found = np.add(own, send, out=self.room.level)
        found[(own < SILENCE) | (send < SILENCE)] = 2 * SILENCE
        return found

    def _swung(self, swing: Swing | None, rows: NDArray[np.int32]) -> NDArray[np.float32]:
        """By how many octaves a cutoff is swung at every frame, float32 (row, frame); (0, 0) where by nothing."""
        if swing is None or swing.layer.send is None or not swing.moves():
            return NO_SWING
        tick, found = TICK * self.quality, self.room.swing
        run_swing(found, swing.layer.send, swing.octaves, swing.layer.weights[SENT], rows, tick)
        return found

    def _run_bus(self, bus: BusVoice) -> None:
        """What layers have put into a bus, through its drives and filter, and on."""
        voices, latencies = self.voices, self.built.latencies
        went, bus.goes = bus.goes, bus.places[int(self.target[bus.out])]
        if bus.used or len(bus.rows):
            bus.settle(voices, self.frames / self.rate)
        rows = bus.rows
        if not len(rows):
            bus.tone.rest()
            return
        run_frequency(self.played, self.line, self.bend, self._reach(), self._value("reference"), rows)
        bus.tone.run(bus.audio, Notes(rows, voices.start, self.line, self.played, self._swung(bus.swing, rows)))
        if not voices_finite(bus.audio, rows):
            bus.audio[rows] = 0.0
            bus.tone.reset()
            self.report.broken.append(f"buses.{bus.key}")
        level = bus.control[BUS_LEVEL]
        ways = [(0.0 if went != bus.goes else 1.0, 1.0, bus.goes, level)] + [(1.0, 0.0, went, level)] * (
            went != bus.goes
        )
        ways += [(1.0, 1.0, way.goes, way.level) for way in bus.also]
        for (was, now, goes, send), passed in product(ways, bus.tone.heard):
            sums = goes < FIRST_BUS
            onward = self.output.take(goes) if sums else self.buses[goes - FIRST_BUS].take(rows)
            peak = run_mix(
                passed.audio,
                bus.over_time,
                level if send is level else self._sent(level, send),
                bus.control[BUS_PAN],
                self.modulation.gain,
                bus.rest[0],
                bus.rest[1],
                rows,
                TICK * self.quality,
                was * passed.first,
                now * passed.last,
                PAN_KEEPS,
                onward,
                sums,
                latencies[goes] - latencies[bus.place] - passed.late,
                bus.loud,
            )
            bus.peak = max(bus.peak, peak)
        bus.keep_ringing(voices)

    def _mend(self, layer: LayerVoice, rows: NDArray[np.int32]) -> None:
        """Silences and resets a layer that gave no number."""
        self.audio[rows] = 0.0
        layer.source.reset()
        layer.tone.reset()
        self.report.broken.append(f"layers.{layer.key}")

    def strike_again(self, old: Program) -> None:
        """Begins the notes that another patch was holding."""
        self.take_wheels(old)
        keys = [(k.key, k.velocity) for k in old.pattern.now.held] or old.allocator.held_notes()
        self._first = [Event(0, ON, key, velocity) for key, velocity in keys]

    def take_wheels(self, old: Program) -> None:
        """Stands the wheels where they were."""
        for slot in (BEND_SLOT, WHEEL_SLOT, PEDAL_SLOT):
            self.target[slot] = old.target[slot]
            self.current[slot], self.led[slot] = old.current[slot], old.led[slot]

    @property
    def late(self) -> int:
        """Frames by which the sound comes out later than its notes: what looks ahead, and the ways between rates."""
        goes = [layer.goes for layer in self.layers] + [bus.goes for bus in self.buses]
        goes += [way.goes for also in self.built.sendings for way in also]
        return self.output.late(bool(self.target[self.at["rack2"]] < 0.5), RACK2 in goes)

    def running(self) -> list[RunningModule]:
        """Every module that processes audio, in order."""
        return self.built.running

    def beads(self) -> NDArray[np.float32]:
        """The value of every parameter at this moment: of the newest note, or of the patch; (slot,)."""
        row = self.voices.newest if self.voices.newest >= 0 else GLOBAL
        found: NDArray[np.float32] = self.modulation.control[: self.count, row, -1]
        return found
