"""Program: a patch made ready to sound.

Building allocates everything and happens off the audio path; `block` then arranges kernels and
allocates nothing that grows.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field
from time import perf_counter_ns
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Module
from felt_dial.patch.patch import Layer, Patch, drawings, modules, slots
from felt_dial.sound import modules as _all_modules  # noqa: F401  (enters every module in its family)
from felt_dial.sound.control.listener import BEFORE_RACK, FIRST_LAYER, OUT
from felt_dial.sound.control.movement import BEND_SLOT, GLOBAL, PEDAL_SLOT, SMOOTHING, WHEEL_SLOT, make_motion
from felt_dial.sound.control.moving import run_movement
from felt_dial.sound.kernel import ROWS, TICK, Stage, kernel_of
from felt_dial.sound.mix import (
    SILENCE,
    run_line,
    run_mix,
    run_output,
    run_pitch,
    run_ring,
    run_send,
    run_turn,
    voices_finite,
)
from felt_dial.sound.pattern import PatternPlayer
from felt_dial.sound.playing import Playing
from felt_dial.sound.racks import Rack
from felt_dial.sound.strands import NO_TURN, Bus, Feed, Placed, Strand, in_order, sends
from felt_dial.sound.voices import BEND, NOW, ON, SENT, SUSTAIN, WHEEL, Event, Voices

BLOCK = 256
CEILING = np.float32(1.0)
QUALITIES = (1, 2, 4, 8)
RACK, DIRECT, NOWHERE, RACK2 = range(4)


def patch_values(patch: Patch) -> NDArray[np.float64]:
    """Every parameter's value as the engine keeps it, then every drawing; float64 (number,)."""
    found = [slot.param.encode(slot.value) for slot in slots(patch)]
    for drawing in drawings(patch):
        found += drawing.drawn.numbers(drawing.value)
    return np.array(found)


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
        Where to read the values of this block; the patch's own where nothing is given.
    """

    def __init__(
        self,
        patch: Patch,
        rate: float = 48000.0,
        frames: int = BLOCK,
        quality: int = 1,
        values: NDArray[np.float64] | None = None,
    ) -> None:
        self.patch, self.rate, self.frames, self.quality = patch, float(rate), frames, quality
        self.values = patch_values(patch) if values is None else values
        ticks = frames // TICK
        self.motion, self.layout = make_motion(patch, self.values, ticks, self.rate)
        self.at, self.movers = self.layout.at, self.layout.movers
        self.count = len(self.at)
        self.whole = self.count + len(self.motion.drawn)
        self.clock = 0
        self.clock_tempo = 0.0
        self.heard = np.zeros(FIRST_LAYER + len(patch.layers))
        self.target = self.motion.slots["target"]
        self.current = self.motion.slots["current"]
        self.voices = Voices()
        self.seconds = TICK / self.rate
        self.playing = Playing(patch, self.values, self.at, self.voices, ticks, self.seconds)
        drawn = self.layout.drawn["pattern.steps"]
        self.pattern = PatternPlayer(
            patch, self.values, self.at, self.motion.drawn[drawn : drawn + patch.pattern.drawings["steps"].room],
            self.playing.chooses,
        )  # fmt: skip
        self.report = Report()
        fine = Stage(self.rate * quality, frames * quality, tick=TICK * quality)
        self.grains = fine.grains
        plain = Stage(self.rate, frames)
        control = self.motion.control
        self.strands: list[Strand] = []
        self.racks = {"1": Rack(frames), "2": Rack(frames)}
        for path, module in modules(patch):
            steps = path.split(".")
            if isinstance(module, Layer):
                self.strands.append(self._strand(path, module, fine))
            elif steps[0] == "racks":
                self.racks[steps[1]].effects.append(self._place(path, module, plain, GLOBAL))
        self._lay_feeds(frames * quality)
        self.order = in_order(self.strands)
        self.moves = self.motion.moves
        self.bend = control[control.shape[0] + BEND_SLOT]
        self.line = np.zeros((ROWS, ticks + 1), np.float32)
        self.flat = np.full((ROWS, ticks + 1), 69.0, np.float32)
        self.bent = np.zeros(ROWS)
        self.shaped = np.zeros((len(self.motion.contours), ROWS), np.bool_)
        self.frequency = np.zeros((ROWS, ticks + 1), np.float32)
        self.audio = np.zeros((ROWS, 2, frames * quality), np.float32)
        self.turn = np.zeros((ROWS, frames * quality if any(s.feeds for s in self.strands) else 0), np.float32)
        self.buses = {goes: Bus(frames, quality) for goes in (RACK, DIRECT, RACK2)}
        self.out = self.buses[RACK].out
        self.loudness_gain = self._output_gain()
        for strand, (share, _) in zip(self.strands, self._shares(), strict=True):
            strand.share, strand.goes = share, int(self.target[strand.out])
        self._seen = b""
        self._first: list[Event] = []

    def _strand(self, path: str, layer: Layer, fine: Stage) -> Strand:
        switches = tuple(self.at[f"{path}.{name}"] for name in ("on", "solo", "mute"))
        place = len(self.strands)
        return Strand(
            path.split(".")[1],
            place,
            self._place(f"{path}.source", layer.source, fine),
            self._place(f"{path}.filter", layer.filter, fine),
            self._control(path, layer),
            self.movers.index(layer.contour),
            switches,
            self.at[f"{path}.out"],
            self.at.get(f"{path}.source.track", -1),
            self.voices.weights[:, place],
        )

    def _lay_feeds(self, frames: int) -> None:
        """Ties the layers that modulate to those that are modulated."""
        known = {strand.key: strand for strand in self.strands}
        for strand in self.strands:
            for other, inlet in self.patch.layers[strand.key].inlets.items():
                control = self._control(f"layers.{strand.key}.inlets.{other}", inlet)
                strand.feeds.append(Feed(known[other], control))
        senders = {id(feed.strand): feed.strand for strand in self.strands for feed in strand.feeds}
        for sender, room in zip(senders.values(), sends(len(senders), frames), strict=True):
            sender.send = room

    def _control(self, path: str, module: Module, row: int | slice = slice(None)) -> NDArray[np.float32]:
        """The control rows of a module's parameters, in the order of their declaration."""
        first = self.at[f"{path}.{next(iter(module.params))}"]
        return self.motion.control[first : first + len(module.params), row]

    def _place(self, path: str, module: Module, stage: Stage, row: int | slice = slice(None)) -> Placed:
        return Placed(path, module, stage, self._control(path, module, row), kernel_of(module))

    def _value(self, path: str) -> float:
        return float(self.current[self.at[path]])

    @property
    def tempo(self) -> float:
        """Beats per minute: those of a clock from outside, or the patch's own."""
        return self.clock_tempo or float(self.target[self.at["tempo"]])

    def _output_gain(self) -> float:
        level = self._value("level")
        return float(10 ** (level / 20)) if level > SILENCE else 0.0

    def _read_values(self) -> None:
        """Takes over the values that were set since the last block."""
        seen = self.values[: self.whole].tobytes()
        if seen != self._seen:
            self.target[: self.count] = self.values[: self.count]
            self.motion.drawn[:] = self.values[self.count : self.whole]
            self._seen = seen

    def _shares(self) -> list[tuple[float, bool]]:
        """For every layer 1 where it is heard after on, mute and solo, else 0; and whether it is on."""
        target = self.target
        switches = [[target[slot] > 0.5 for slot in strand.switches] for strand in self.strands]
        solo = any(on and soloed for on, soloed, _ in switches)
        return [(1.0 if on and not mute and (soloed or not solo) else 0.0, on) for on, soloed, mute in switches]

    def _apply(self, event: Event) -> None:
        tick = min(event.frame // TICK, self.frames // TICK - 1)
        if event.kind == WHEEL:
            self._wheel(WHEEL_SLOT, event.value, tick)
        elif event.kind == BEND and event.channel == 0:
            self._wheel(BEND_SLOT, event.value, tick)
        else:
            if event.kind == SUSTAIN:
                self._wheel(PEDAL_SLOT, event.value, tick)
            self.playing.obey(event, tick)

    def _wheel(self, slot: int, value: float, tick: int) -> None:
        self.target[slot], self.motion.slots["since"][slot] = value, tick

    def block(self, events: Iterable[Event] = ()) -> NDArray[np.float32]:
        """The next `frames` frames, float32 (2, frame); valid until the next call."""
        voices = self.voices
        report = self.report
        if report.broken:
            report.broken = []
        self._read_values()
        self.grains[:] = self.grains[2], self._value("grains"), 0
        voices.begin_block()
        self.playing.begin_block()
        if voices.once.any():
            self._end_once()
        for event in self.pattern.block((*self._first, *events), self.frames, self.tempo, self.rate):
            self._apply(event)
        self._first = []
        self.playing.end_block()
        if voices.stirred:
            self._settle()
        active = voices.active
        run_line(
            self.line, voices.pitch, voices.before, voices.goal, voices.pace, voices.turn, self.bent, voices.bend,
            voices.begin, active, 1.0 - math.exp(-self.seconds / SMOOTHING),
        )  # fmt: skip
        ended = run_movement(*self.movement_arguments())
        self.clock += self.frames // TICK
        voices.stirred = ended > 0 or (voices.stirred and voices.started())
        for bus in self.buses.values():
            bus.fine.fill(0.0)
        voices.peak.fill(0.0)
        shares = self._shares()
        for strand in self.order:
            self._run_strand(strand, *shares[strand.place])
        self.buses[RACK].bring_down()
        second = self.buses[RACK2]
        if second.used:
            second.bring_down()
            report.broken += self.racks["2"].run(second.out)
            if self.target[self.at["rack2"]] < 0.5:
                self.out += second.out
        self.heard[FIRST_LAYER:] = [strand.peak for strand in self.strands]
        self.heard[BEFORE_RACK] = np.abs(self.out).max()
        report.broken += self.racks["1"].run(self.out)
        if second.used and self.target[self.at["rack2"]] > 0.5:
            self.out += second.out
        if self.buses[DIRECT].used:
            self.buses[DIRECT].bring_down()
            self.out += self.buses[DIRECT].out
        gain = self._output_gain()
        report.left, report.right = run_output(self.out, self.loudness_gain, gain, CEILING)
        self.heard[OUT] = max(report.left, report.right)
        self.loudness_gain = gain
        return self.out

    def movement_arguments(self) -> tuple[Any, ...]:
        """What the movement kernel is given in this block."""
        voices = self.voices
        return (
            *self.motion, self.heard, voices.touches, voices.key, voices.begin, voices.after, voices.active,
            voices.release, voices.fade, voices.through, self.shaped, voices.finished, voices.newest, voices.fresh,
            voices.last_up, self.tempo, self.clock, self.rate,
        )  # fmt: skip

    def _settle(self) -> None:
        """Lists the rows that sound, for the patch and for every layer, and which contours shape them."""
        self.voices.settle()
        self.shaped.fill(False)
        for strand in self.strands:
            strand.settle(self.voices)
            self.shaped[np.searchsorted(self.motion.contours, strand.contour), strand.rows] = True

    def _end_once(self) -> None:
        """Lets go of notes that ignore the key once all their samples have ended."""
        voices = self.voices
        ended = voices.once & voices.sounding
        for strand in self.strands:
            if strand.source.module.tells_end and not strand.idle:  # type: ignore[attr-defined]
                ended &= (strand.source.state[0] > 0) | (strand.weights[NOW] == 0.0)
        for row in np.flatnonzero(ended):
            voices.once[row] = False
            voices.let_go(int(row), 0)

    def _run_strand(self, strand: Strand, share: float, on: bool) -> None:
        was, strand.share = strand.share, share
        went, strand.goes = strand.goes, int(self.target[strand.out])
        heard = was > 0.0 or share > 0.0
        strand.peak = 0.0
        strand.idle = not (heard or (on and strand.send is not None))
        if strand.idle or not len(strand.rows):
            strand.stale |= len(strand.rows) > 0
            strand.source.cost *= 0.95
            if strand.send is not None:
                strand.send.fill(0.0)
            return
        if strand.stale:
            strand.source.reset()
            strand.filter.reset()
            strand.stale = False
        begin = perf_counter_ns()
        self._make(strand)
        if strand.send is not None:
            run_send(
                self.audio, self.moves[strand.contour], self.motion.gain, strand.weights[SENT], strand.rows,
                TICK * self.quality, strand.send,
            )  # fmt: skip
        if heard:
            self._mix(strand, was if went == strand.goes else 0.0, share, strand.goes)
            if went != strand.goes:
                self._mix(strand, was, 0.0, went)
        strand.source.spent(begin)

    def _make(self, strand: Strand) -> None:
        """Source and filter of a layer, into `audio`."""
        voices, tick, rows = self.voices, TICK * self.quality, strand.rows
        source, filter_ = strand.source, strand.filter
        line = self.line if strand.track < 0 or self.target[strand.track] > 0.5 else self.flat
        run_pitch(self.frequency, strand.control, line, self.bend, self._value("bend"), self._value("reference"), rows)
        turn = NO_TURN
        if strand.turned():
            turn = self.turn
            for n, feed in enumerate(strand.feeds):
                run_turn(turn, feed.strand.send, feed.control, feed.strand.weights[SENT], rows, tick, n == 0)
        source.kernel(
            self.audio, self.frequency, turn, source.control, rows, voices.begin, tick,
            source.stage.rate, 0.5 * self.rate, *source.state,
        )  # fmt: skip
        for feed in strand.feeds:
            run_ring(self.audio, feed.strand.send, feed.control, feed.strand.weights[SENT], rows, tick)
        filter_.kernel(
            self.audio, filter_.control, voices.pitch, rows, voices.start, tick, filter_.stage.rate, *filter_.state
        )
        if not voices_finite(self.audio, rows):
            self._mend(strand, rows)

    def _mix(self, strand: Strand, was: float, now: float, goes: int) -> None:
        if goes == NOWHERE:
            return
        bus = self.buses[goes]
        bus.used = True
        peak = run_mix(
            self.audio, self.moves[strand.contour], strand.control, self.motion.gain, strand.weights[: NOW + 1],
            strand.rows, TICK * self.quality, was, now, bus.fine, self.voices.peak,
        )  # fmt: skip
        strand.peak = max(strand.peak, peak)

    def _mend(self, strand: Strand, rows: NDArray[np.int32]) -> None:
        """Silences and resets a layer that gave no number."""
        self.audio[rows] = 0.0
        for part in (strand.source, strand.filter):
            part.reset()
        self.report.broken.append(f"layers.{strand.key}")

    def carry_on(self, old: Program) -> None:
        """Takes over what an edited version of the same patch was doing: notes, phases, echoes."""
        self.playing.carry_on(old.playing)
        self.pattern.carry_on(old.pattern)
        self._take_wheels(old)
        self.bent[:] = old.bent
        theirs_by_key = {strand.key: strand for strand in old.strands}
        for strand in self.strands:
            if strand.key in theirs_by_key:
                before = theirs_by_key[strand.key]
                strand.share, strand.goes, strand.stale = before.share, before.goes, before.stale
                if strand.send is not None and before.send is not None:
                    strand.send[:] = before.send
        self._settle()
        mine, theirs = self.motion, old.motion
        mine.fading[:] = theirs.fading
        self.clock, self.heard[: len(old.heard)] = old.clock, old.heard[: len(self.heard)]
        for path, n in self.at.items():
            if path in old.at:
                m = old.at[path]
                self.current[n] = old.current[m]
                mine.control[n, :, -1] = theirs.control[m, :, -1]
        for n, key in enumerate(self.movers):
            if key in old.movers:
                m = old.movers.index(key)
                if mine.movers["kind"][n] == theirs.movers["kind"][m]:
                    mine.state[n] = theirs.state[m]
                    mine.moves[n, :, -1] = theirs.moves[m, :, -1]
        for n, key in enumerate(self.layout.threads):
            if key in old.layout.threads:
                m = old.layout.threads.index(key)
                mine.traces[n] = theirs.traces[m]
                late, was_late = mine.threads["past"][n], theirs.threads["past"][m]
                if late >= 0 and was_late >= 0:
                    mine.past[late] = theirs.past[was_late]
        known = {placed.path: placed for placed in old.placed()}
        for placed in self.placed():
            kept = known.get(placed.path)
            if kept and type(kept.module) is type(placed.module) and kept.stage == placed.stage:
                placed.quiet = kept.quiet
                for a, b in zip(placed.state, kept.state, strict=True):
                    if a is not b and isinstance(a, np.ndarray) and a.flags.writeable and a.shape == b.shape:
                        np.copyto(a, b)

    def strike_again(self, old: Program) -> None:
        """Begins the notes that another patch was holding."""
        self._take_wheels(old)
        keys = [(k.key, k.velocity) for k in old.pattern.now.held] or old.playing.held_notes()
        self._first = [Event(0, ON, key, velocity) for key, velocity in keys]

    def _take_wheels(self, old: Program) -> None:
        for slot in (BEND_SLOT, WHEEL_SLOT, PEDAL_SLOT):
            self.target[slot], self.current[slot] = old.target[slot], old.current[slot]

    def placed(self) -> list[Placed]:
        """Every module that processes audio, in order."""
        found = [part for strand in self.strands for part in (strand.source, strand.filter)]
        return found + [effect for rack in self.racks.values() for effect in rack.effects]

    def beads(self) -> NDArray[np.float32]:
        """The value of every parameter at this moment: of the newest note, or of the patch; (slot,)."""
        row = self.voices.newest if self.voices.newest >= 0 else GLOBAL
        found: NDArray[np.float32] = self.motion.control[: self.count, row, -1]
        return found
