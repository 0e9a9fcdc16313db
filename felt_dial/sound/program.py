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

from felt_dial.patch.patch import Bus, Layer, Patch, drawings, slots
from felt_dial.sound import modules as _all_modules  # noqa: F401  (enters every module in its family)
from felt_dial.sound.building import Built
from felt_dial.sound.carrying import carry_on
from felt_dial.sound.control.listener import BEFORE_RACK, FIRST_LAYER, OUT
from felt_dial.sound.control.movement import BEND_SLOT, GLOBAL, PEDAL_SLOT, SMOOTHING, WHEEL_SLOT, make_motion
from felt_dial.sound.control.moving import run_movement
from felt_dial.sound.house import FIRST_BUS, NOWHERE, RACK2
from felt_dial.sound.joins import Join
from felt_dial.sound.kernel import ROWS, TICK
from felt_dial.sound.mix import (
    SILENCE,
    run_frequency,
    run_line,
    run_mix,
    run_pitch,
    run_ring,
    run_send,
    run_swing,
    run_turn,
    voices_finite,
)
from felt_dial.sound.pattern import PatternPlayer
from felt_dial.sound.placed import Placed
from felt_dial.sound.playing import Playing
from felt_dial.sound.strands import NO_TURN, Strand, Swing, in_order
from felt_dial.sound.tone.chain import NO_SWING
from felt_dial.sound.voices import BEND, NOW, ON, SENT, SUSTAIN, WAS, WHEEL, Event, Voices

LEVEL, PAN = Layer.rows_of("level", "pan")
BUS_LEVEL, BUS_PAN = Bus.rows_of("level", "pan")
BLOCK = 256
QUALITIES = (1, 2, 4, 8)
PAN_TAKES, PAN_KEEPS = 1.0, math.sqrt(2.0)
"""A layer in the middle is 3 dB softer than on one side; a bus in the middle is as it came."""


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
        built = self.built = Built(patch, self.motion, self.layout, self.voices, self.rate, frames, quality)
        self.strands, self.joins, self.house, self.room = built.strands, built.joins, built.house, built.room
        self.grains, self.newest, self.racks = built.grains, built.newest, built.house.racks
        control = self.motion.control
        self.order = in_order(self.strands)
        self.moves = self.motion.moves
        self.bend = control[control.shape[0] + BEND_SLOT]
        self.line = np.zeros((ROWS, ticks + 1), np.float32)
        self.played = np.zeros((ROWS, ticks + 1), np.float32)
        self.always = np.ones((ROWS, ticks + 1), np.float32)
        self.flat = np.full((ROWS, ticks + 1), 69.0, np.float32)
        self.bent = np.zeros(ROWS)
        self.shaped = np.zeros((len(self.motion.contours), ROWS), np.bool_)
        self.frequency = np.zeros((ROWS, ticks + 1), np.float32)
        self.audio = np.zeros((ROWS, 2, frames * quality), np.float32)
        self.turn = np.zeros((ROWS, frames * quality if any(s.feeds for s in self.strands) else 0), np.float32)
        self.out = self.house.out
        self.loudness_gain = self._output_gain()
        for strand, (share, _) in zip(self.strands, self._shares(), strict=True):
            strand.share, strand.goes = share, int(self.target[strand.out])
        for join in self.joins:
            join.goes = join.places[int(self.target[join.out])]
        self._seen = b""
        self._first: list[Event] = []

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
            drawn = self.values[self.count : self.whole]
            self.built.redraw(self.target, drawn, self.motion.drawn)
            self.motion.drawn[:] = drawn
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
            self.settle()
        active = voices.active
        run_line(
            self.line, voices.pitch, voices.before, voices.goal, voices.pace, voices.turn, self.bent, voices.bend,
            voices.begin, active, 1.0 - math.exp(-self.seconds / SMOOTHING),
        )  # fmt: skip
        ended = run_movement(*self.movement_arguments())
        self.clock += self.frames // TICK
        voices.stirred = ended > 0 or (voices.stirred and voices.started())
        self.house.begin_block()
        voices.peak.fill(0.0)
        shares = self._shares()
        for join in self.joins:
            join.begin_block()
        for strand in self.order:
            self._run_strand(strand, *shares[strand.place])
        for join in self.joins:
            self._run_join(join)
        if voices.newest >= 0 and self.built.tuned:
            row = voices.newest
            self.newest[0, 0] = self.line[row]
            run_frequency(
                self.played,
                self.line,
                self.bend,
                self._value("bend"),
                self._value("reference"),
                np.array([row], np.int32),
            )
            self.newest[1, 0] = self.played[row]
        gain = self._output_gain()
        joins = self.target[self.at["rack2"]] < 0.5
        report.left, report.right, broken = self.house.run(joins, self.loudness_gain, gain)
        report.broken += broken
        self.heard[FIRST_LAYER:] = [strand.peak for strand in self.strands]
        self.heard[BEFORE_RACK], self.heard[OUT] = self.house.before, max(report.left, report.right)
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

    def settle(self) -> None:
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
            strand.tone.reset()
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
        source = strand.source
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
        strand.tone.run(
            self.audio, rows, voices.start, line, self.frequency, self._swung(strand.swing, rows),
            self.target[strand.order] > 0.5,
        )  # fmt: skip
        if not voices_finite(self.audio, rows):
            self._mend(strand, rows)

    def _mix(self, strand: Strand, was: float, now: float, goes: int) -> None:
        if goes == NOWHERE:
            return
        sums = goes < FIRST_BUS
        onward = self.house.take(goes) if sums else self.joins[goes - FIRST_BUS].take(strand.rows)
        control = strand.control
        peak = run_mix(
            self.audio, self.moves[strand.contour], control[LEVEL], control[PAN], self.motion.gain,
            strand.weights[WAS], strand.weights[NOW], strand.rows, TICK * self.quality, was, now, PAN_TAKES, onward, sums,
            self.voices.peak,
        )  # fmt: skip
        strand.peak = max(strand.peak, peak)

    def _swung(self, swing: Swing | None, rows: NDArray[np.int32]) -> NDArray[np.float32]:
        """By how many octaves a cutoff is swung at every frame, float32 (row, frame); (0, 0) where by nothing."""
        if swing is None or swing.strand.send is None or not swing.moves():
            return NO_SWING
        tick, found = TICK * self.quality, self.room.swing
        run_swing(found, swing.strand.send, swing.octaves, swing.strand.weights[SENT], rows, tick)
        return found

    def _run_join(self, join: Join) -> None:
        """What layers have put into a bus, through its drives and filter, and on."""
        voices = self.voices
        went, join.goes = join.goes, join.places[int(self.target[join.out])]
        join.settle(voices, self.frames / self.rate)
        rows = join.rows
        if not len(rows):
            join.tone.rest()
            return
        run_frequency(self.played, self.line, self.bend, self._value("bend"), self._value("reference"), rows)
        join.tone.run(join.audio, rows, voices.start, self.line, self.played, self._swung(join.swing, rows))
        if not voices_finite(join.audio, rows):
            join.audio[rows] = 0.0
            join.tone.reset()
            self.report.broken.append(f"buses.{join.key}")
        ways = [(0.0 if went != join.goes else 1.0, 1.0, join.goes)] + [(1.0, 0.0, went)] * (went != join.goes)
        for was, now, goes in ways:
            sums = goes < FIRST_BUS
            onward = self.house.take(goes) if sums else self.joins[goes - FIRST_BUS].take(rows)
            peak = run_mix(
                join.audio, self.always, join.control[BUS_LEVEL], join.control[BUS_PAN], self.motion.gain, join.rest[0],
                join.rest[1], rows, TICK * self.quality, was, now, PAN_KEEPS, onward, sums, join.loud,
            )  # fmt: skip
            join.peak = max(join.peak, peak)
        join.keep_ringing(voices)

    def _mend(self, strand: Strand, rows: NDArray[np.int32]) -> None:
        """Silences and resets a layer that gave no number."""
        self.audio[rows] = 0.0
        strand.source.reset()
        strand.tone.reset()
        self.report.broken.append(f"layers.{strand.key}")

    def carry_on(self, old: Program) -> None:
        """Takes over what an edited version of the same patch was doing: notes, phases, echoes."""
        carry_on(self, old)

    def strike_again(self, old: Program) -> None:
        """Begins the notes that another patch was holding."""
        self.take_wheels(old)
        keys = [(k.key, k.velocity) for k in old.pattern.now.held] or old.playing.held_notes()
        self._first = [Event(0, ON, key, velocity) for key, velocity in keys]

    def take_wheels(self, old: Program) -> None:
        """Stands the wheels where they were."""
        for slot in (BEND_SLOT, WHEEL_SLOT, PEDAL_SLOT):
            self.target[slot], self.current[slot] = old.target[slot], old.current[slot]

    @property
    def late(self) -> int:
        """Frames by which the sound comes out later than its notes: what looks ahead, and the ways between rates."""
        goes = [strand.goes for strand in self.strands] + [join.goes for join in self.joins]
        return self.house.late(bool(self.target[self.at["rack2"]] < 0.5), RACK2 in goes)

    def placed(self) -> list[Placed]:
        """Every module that processes audio, in order."""
        return self.built.placed

    def beads(self) -> NDArray[np.float32]:
        """The value of every parameter at this moment: of the newest note, or of the patch; (slot,)."""
        row = self.voices.newest if self.voices.newest >= 0 else GLOBAL
        found: NDArray[np.float32] = self.motion.control[: self.count, row, -1]
        return found
