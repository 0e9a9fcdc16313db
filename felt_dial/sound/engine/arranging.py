"""Arranging: what is to be done in a block, in order, as plans that hold until something else is to be done.

A block begins with `begin`, which is the same in all blocks: pitch, modulation, and the questions. They are asked of what
moves and sounds: does this filter work, does that layer modulate another one, has a bus voices. As long as all answers are
as they were, and nothing was set that decides, the plan of the block before is walked once more. Where they are not,
it is planned anew; a part of it that was planned for the same before is found again.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.kernel import State
from felt_dial.sound.compiling.plan import At, Desk, Listed, Plan, Walk
from felt_dial.sound.control.core.records import GLOBAL, SMOOTHING
from felt_dial.sound.engine.building import Built
from felt_dial.sound.engine.bus_voice import RINGS, BusVoice
from felt_dial.sound.engine.kernels.arranging import (
    any_moves,
    is_on,
    run_bus_rows,
    run_grains,
    run_guard,
    run_keep_ringing,
    run_list_before,
    run_lots,
    run_newest,
    run_open_bus,
    run_sent,
    run_settle_bus,
    run_zero,
    same,
)
from felt_dial.sound.engine.kernels.mix import (
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
)
from felt_dial.sound.engine.layer_voice import NO_TURN, LayerVoice, Swing, in_order
from felt_dial.sound.engine.output_stage import FIRST_BUS, NOWHERE, SPILL
from felt_dial.sound.engine.tone_chain import Notes
from felt_dial.sound.playing.voices import Voices
from felt_dial.sound.sizes import HIGHEST, ROWS, TICK
from felt_dial.sound.tone.kernels.core.voices import NO_SWING

PAN_TAKES, PAN_KEEPS = 1.0, math.sqrt(2.0)
"""A layer in the middle is 3 dB softer than on one side; a bus in the middle is as it came."""
TRACKS, SWINGS, FEEDS = range(3)
"""Questions that are asked of a layer: whether its source follows the key, whether something swings its cutoff, and from
here on of each of its inlets whether it moves the phase. A bus is asked for its voices first."""
NOTHING, SOME_BEFORE, SOME = range(3)
"""What a bus answers."""


def all_begin(begin: NDArray[np.int32], rows: NDArray[np.int32]) -> NDArray[np.int32]:
    """`Voices.begin` with some rows beginning in this block, if not later then with its first frame."""
    found = begin.copy()
    found[0, rows] = np.maximum(found[0, rows], 0)
    return found


class Numbers:
    """Numbers of a block that are told by the program: where they lie."""

    def __init__(self) -> None:
        self._reals, self._counts = np.zeros(2), np.full(4, -1, np.int64)
        self.tempo, self.reach = At(self._reals, 0), At(self._reals, 1)
        self.newest, self.fresh, self.last_up, self.clock = (At(self._counts, n) for n in range(4))

    def tell(self, tempo: float, reach: float, newest: int, fresh: int, last_up: int, clock: int) -> None:
        """Beats a minute, semitones of a bend, the newest row, ticks of the first key and the last, ticks until now."""
        self._reals[:] = tempo, reach
        self._counts[:] = newest, fresh, last_up, clock


class Arranger:
    """Plans the blocks of a program.

    Parameters
    ----------
    modulation : tuple
        What the modulation kernel is given, see `Program.modulation_arguments`.
    slots : {path: At}
        Where the values stand of what the whole patch has once.
    bend : float32 (row, tick + 1)
        The wheel, from −1 to 1.
    transposed : two of float32 (row, tick + 1)
        Semitones and cents of the whole patch.
    """

    def __init__(
        self,
        built: Built,
        voices: Voices,
        numbers: Numbers,
        listed: Listed,
        modulation: tuple[Any, ...],
        run_modulation: Any,
        slots: dict[str, At],
        bend: NDArray[np.float32],
        transposed: tuple[NDArray[np.float32], NDArray[np.float32]],
        bent: NDArray[np.float64],
        heard: NDArray[np.float64],
        rate: float,
        quality: int,
    ) -> None:
        self._built, self._voices, self._numbers, self._slots, self._bend = built, voices, numbers, slots, bend
        self._layers, self._buses, self._output, self._room = built.layers, built.buses, built.output, built.room
        self._gain = built.gain
        ticks = self._gain.shape[1] - 1
        self._tick, self._rate, self._seconds = TICK * quality, rate, ticks * TICK / rate
        self._order = in_order(self._layers)
        self._tones = [*[layer.tone for layer in self._layers], *[bus.tone for bus in self._buses]]
        self._desk = Desk()
        self._start = voices.begin[0]
        frames = ticks * self._tick
        self.line = np.zeros((ROWS, ticks + 1), np.float32)
        self._flat = np.full((ROWS, ticks + 1), 69.0, np.float32)
        self._played, self._frequency = np.zeros_like(self.line), np.zeros_like(self.line)
        self._audio = np.zeros((ROWS, 2, frames), np.float32)
        self._turn = np.zeros((ROWS, frames if any(s.feeds for s in self._layers) else 0), np.float32)
        self._lots = np.zeros(len(self._layers), np.int64)
        self._keys = np.array([sum(map(ord, layer.key)) for layer in self._layers], np.int64)
        self._newest = Listed(1)
        self._voiced = np.zeros((len(self._layers) + len(self._buses), ROWS), np.bool_)
        self._feeds = np.zeros((len(self._buses), len(self._voiced)), np.bool_)
        self.attention = np.zeros(1, np.int64)
        self.ended = np.zeros(1, np.int64)
        self._alike = np.zeros(1, np.int64)
        self._answers = self._joined()
        self._expected = np.full_like(self._answers, -1)
        self._sounds: tuple[bool, ...] = ()
        self._passing = self.changed = True
        self._body = Walk([])
        listening = self._plan_questions()
        begin = self._plan_beginning(listed, modulation, run_modulation, transposed, bent, heard)
        compared = Plan(self._desk)
        compared.call(same, self._answers, self._expected, into=self._alike)
        self._ask, self._begin = Walk([listening]), Walk([begin, listening, compared.finish()])

    # --- what every block begins with ----------------------------------------------------------

    def _joined(self) -> NDArray[np.int64]:
        """The answers of all parts, one behind the other."""
        parts = [(layer.part, layer.tone, FEEDS + len(layer.feeds)) for layer in self._layers]
        parts += [(bus.part, bus.tone, FEEDS) for bus in self._buses]
        effects = [effect for rack in self._output.racks.values() for effect in rack.effects]
        answers = np.zeros(sum(own + len(tone.answers) for _, tone, own in parts) + len(effects), np.int64)
        at = 0
        for part, tone, own in parts:
            size = own + len(tone.answers)
            part.answers = answers[at : at + size]
            tone.answers = part.answers[own:]
            at += size
        for effect in effects:
            effect.answers = answers[at : at + 1]
            at += 1
        return answers

    def _plan_beginning(
        self,
        listed: Listed,
        modulation: tuple[Any, ...],
        run_modulation: Any,
        transposed: tuple[NDArray[np.float32], NDArray[np.float32]],
        bent: NDArray[np.float64],
        heard: NDArray[np.float64],
    ) -> Plan:
        plan, voices = Plan(self._desk), self._voices
        plan.call(run_grains, self._built.grains, self._slots["grains"])
        follow = 1.0 - math.exp(-TICK / self._rate / SMOOTHING)
        glide = voices.pitch, voices.before, voices.goal, voices.pace, voices.turn
        plan.call(run_line, self.line, *glide, bent, voices.bend, voices.begin, listed, follow)
        plan.call(run_modulation, *modulation, into=self.ended)
        plan.call(run_transpose, self.line, self._flat, *transposed, listed)
        plan.call(run_lots, self._lots, self._keys, self._slots["seed"])
        for line in (voices.peak, heard, *[bus.peaks for bus in self._buses]):
            plan.call(run_zero, line)
        for bus in self._buses:
            plan.call(run_list_before, bus.listed.room, bus.listed.words, bus.before.room, bus.before.words)
        return plan.finish()

    def _plan_questions(self) -> Plan:
        plan = Plan(self._desk)
        for layer in self._layers:
            found = layer.part.answers
            if layer.track is not None:
                plan.call(is_on, layer.source.control, layer.track, into=found[TRACKS:])
            if layer.swing is not None:
                plan.call(any_moves, layer.swing.octaves, layer.listed, into=found[SWINGS:])
            for n, feed in enumerate(layer.feeds):
                plan.call(any_moves, feed.index, layer.listed, into=found[FEEDS + n :])
            layer.tone.ask(plan, layer.listed)
        for n, bus in enumerate(self._buses):
            found, place = bus.part.answers, len(self._layers) + n
            rows = bus.listed.room, bus.listed.words, bus.before.words
            plan.call(
                run_bus_rows, self._feeds[n], self._voiced, bus.loud, self._voices.sounding, place, *rows, into=found
            )
            if bus.swing is not None:
                plan.call(any_moves, bus.swing.octaves, bus.listed, into=found[SWINGS:])
            bus.tone.ask(plan, bus.listed)
        for rack in self._output.racks.values():
            rack.ask(plan)
        return plan.finish()

    def settle(self) -> None:
        """Takes over which layers sound in which voices."""
        self._voiced[: len(self._layers)] = False
        for layer in self._layers:
            self._voiced[layer.place, layer.rows] = True
        newest = self._voices.newest
        self._newest.set(np.array([newest] if newest >= 0 else [], np.int32))
        sounds = tuple(len(layer.rows) > 0 for layer in self._layers)
        if sounds != self._sounds:
            self._sounds, self.changed = sounds, True

    # --- a block -------------------------------------------------------------------------------

    def begin(self) -> None:
        """Works out pitch and modulation of a block, and asks the questions."""
        self._begin()

    def run(self, shares: Any) -> None:
        """Does all else of the block; `shares` gives, where it has to be planned, how much each layer is heard."""
        if self._output.begin_block() or self.changed or self._passing or not self._alike[0]:
            self._arrange(shares())
        self._body()

    def _arrange(self, shares: list[tuple[float, bool]]) -> None:
        """Plans a block anew."""
        self.changed = False
        for layer in self._layers:
            layer.take(*shares[layer.place], int(self._built.target[layer.out]))
        for bus in self._buses:
            bus.went, bus.goes = bus.goes, bus.places[int(self._built.target[bus.out])]
        self._tie_buses()
        self._passing = False
        self._hear()
        plans = [self._plan_layer(layer) for layer in self._order]
        plans += [self._plan_bus(n, bus) for n, bus in enumerate(self._buses)]
        if self._built.tuned:
            plan = Plan(self._desk)
            plan.call(run_newest, self._built.newest, self._played, self.line, *self._tuning(), self._newest)
            plans.append(plan.finish())
        opening = Plan(self._desk)
        self._output.open(opening)
        for bus in self._buses:
            if bus.part.answers[0] != NOTHING:
                opening.call(run_open_bus, bus.inlet, bus.before, SPILL)
        self._passing |= self._output.passes
        joins = bool(self._built.target[self._built.joins] < 0.5)
        plans += self._output.plans(self._desk, joins, self.attention)
        self._output.planned()
        self._body = Walk([opening.finish(), *plans])
        self._expected[:] = self._answers

    def prepare(self, shares: list[tuple[float, bool]]) -> None:
        """Plans what will sound with the first note, as far as it can be foreseen, off the audio path.

        All dials are taken to stand where they are set, and a note to sound in the first row; then all is as it was.
        """
        control, target = self._built.control, self._built.target
        places, running = [0, GLOBAL], self._built.running
        kept = control[:, places].copy()
        states = [(one.was_off, one.lags, one.quiet) for one in running]
        control[: len(target), places] = target.astype(np.float32)[:, None, None]
        first = np.zeros(1, np.int32)
        for layer in self._layers:
            layer.take(*shares[layer.place], int(target[layer.out]))
            layer.rows = first
            layer.listed.set(first)
            self._voiced[layer.place, 0] = True
        for bus in self._buses:
            bus.went = bus.goes
        self._tie_buses()
        self._ask()
        self._hear()
        for layer in self._order:
            self._plan_layer(layer)
        for n, bus in enumerate(self._buses):
            self._plan_bus(n, bus)
        for rack, sound in self._output.ways():
            if not any(effect.passes for effect in rack.effects):
                rack.plans(self._desk, sound, self.attention)
        control[:, places] = kept
        for layer in self._layers:
            layer.rows, layer.sends, layer.stale = first[:0], False, False
            layer.listed.set(first[:0])
        self._voiced[:] = False
        for bus in self._buses:
            bus.listed.set(first[:0])
        for one, (was_off, lags, quiet) in zip(running, states, strict=True):
            one.was_off, one.lags, one.quiet = was_off, lags, quiet
        for tone in self._tones:
            tone.forget()
        self._passing = self.changed = True

    def _hear(self) -> None:
        """Hands the answers to those who were asked."""
        for tone in self._tones:
            tone.hear()
        for rack in self._output.racks.values():
            rack.hear()

    def _tie_buses(self) -> None:
        """What goes into each bus; where that is something else now, the questions are asked once more."""
        feeds = np.zeros_like(self._feeds)
        for layer in self._layers:
            if layer.heard and len(layer.rows):
                self._tie(feeds, layer.place, (layer.goes, layer.went, *[way.goes for way in layer.also]))
        for n, bus in enumerate(self._buses):
            self._tie(feeds, len(self._layers) + n, (bus.goes, bus.went, *[way.goes for way in bus.also]))
        if not np.array_equal(feeds, self._feeds):
            self._feeds[:] = feeds
            self._ask()

    def _tie(self, feeds: NDArray[np.bool_], place: int, ways: Iterable[int]) -> None:
        for goes in ways:
            if goes >= FIRST_BUS:
                feeds[goes - FIRST_BUS, place] = True

    def _tuning(self) -> tuple[Any, ...]:
        return self._bend, self._numbers.reach, self._slots["reference"]

    # --- layers --------------------------------------------------------------------------------

    def _plan_layer(self, layer: LayerVoice) -> Plan:
        tone, turned = layer.tone, bool(self._built.target[layer.order] > 0.5)
        layer.idle = not (layer.heard or (layer.on and layer.send is not None))
        if layer.idle or not len(layer.rows):
            layer.stale |= len(layer.rows) > 0
            layer.source.spent[0] = 0.0
            tone.calm()
            self._passing |= layer.sends
            return layer.part.plan_for("silent", layer.sends, self._desk, lambda plan: self._silence(plan, layer))
        if (self._start[layer.rows] >= 0).all():
            tone.begins()
        passes = layer.was != layer.share or layer.went != layer.goes or layer.stale
        passes = passes or bool(layer.source.steps or layer.steps) or tone.passes(turned)
        self._passing |= passes
        layer.sends = layer.send is not None
        if not passes:
            tone.goes_on(turned)
        key = tuple(layer.part.answers.tolist()), tone.key(turned), layer.share, layer.goes, layer.heard
        for goes in (layer.goes, layer.went, *[way.goes for way in layer.also]):
            if goes < FIRST_BUS and goes != NOWHERE and layer.heard:
                self._output.take(goes)

        def build(plan: Plan) -> None:
            with plan.timed(layer.source.spent):
                self._make(plan, layer, turned)
                if layer.send is not None:
                    ways = layer.over_time, self._gain, layer.sent, layer.listed, self._tick, layer.send
                    plan.call(run_send, self._audio, *ways)
                if layer.heard:
                    was, share, goes, went = layer.was, layer.share, layer.goes, layer.went
                    self._mix(plan, layer, was if went == goes else 0.0, share, goes)
                    if went != goes:
                        self._mix(plan, layer, was, 0.0, went)
                    for way in layer.also:
                        self._mix(plan, layer, was, share, way.goes, way.level)

        return layer.part.plan_for(key, passes, self._desk, build)

    @staticmethod
    def _silence(plan: Plan, layer: LayerVoice) -> None:
        """A layer that does not sound gives nothing to those that hear it."""
        if layer.sends:
            plan.call(run_zero, layer.send)
            layer.sends = False

    def _make(self, plan: Plan, layer: LayerVoice, turned: bool) -> None:
        """Source and tone of a layer, into `audio`."""
        rows, tick, source, starts = layer.listed, self._tick, layer.source, self._voices.begin
        if layer.stale:
            starts = all_begin(starts, layer.rows)
            source.reset()
            layer.tone.reset()
            layer.stale = False
        turn = NO_TURN
        if layer.part.answers[FEEDS : FEEDS + len(layer.feeds)].any():
            turn = self._turn
            for n, feed in enumerate(layer.feeds):
                plan.call(run_turn, turn, feed.layer.send, feed.control, feed.layer.sent, rows, tick, n == 0)
        jumps = bool(source.steps or layer.steps)
        tracks = layer.track is None or bool(layer.part.answers[TRACKS])
        if jumps:
            before = source.before()
            followed = layer.track is None or bool(before[layer.track, GLOBAL, 0] > 0.5)
            self._sound(plan, layer, starts, before, layer.before(), followed, turn, source.twin(), self._room.was)
            if source.begins_anew():
                starts = all_begin(starts, layer.rows)
        self._sound(plan, layer, starts, source.control, layer.control, tracks, turn, source.arrays, self._audio)
        if jumps:
            plan.call(run_fade, self._room.was, self._audio, rows)
        for feed in layer.feeds:
            plan.call(run_ring, self._audio, feed.layer.send, feed.control, feed.layer.sent, rows, tick)
        if not tracks:  # only the source plays every key alike
            plan.call(run_pitch, self._frequency, layer.control, self.line, *self._tuning(), rows)
        swing = self._swung(plan, layer.swing, bool(layer.part.answers[SWINGS]), rows)
        notes = Notes(rows, self._start, self.line, self._frequency, swing)
        layer.tone.plan(plan, self._audio, notes, turned)
        plan.call(run_guard, self._audio, rows, layer.broken, 0, self.attention)

    def _sound(
        self,
        plan: Plan,
        layer: LayerVoice,
        starts: NDArray[np.int32],
        made: NDArray[np.float32],
        pitched: NDArray[np.float32],
        tracks: bool,
        turn: NDArray[np.float32],
        state: State,
        audio: NDArray[np.float32],
    ) -> None:
        """The raw sound of a layer into `audio`, by the control of its source and its own."""
        source, rows = layer.source, layer.listed
        line = self.line if tracks else self._flat
        plan.call(run_pitch, self._frequency, pitched, line, *self._tuning(), rows)
        about = self._tick, source.stage.rate, min(0.5 * self._rate, HIGHEST), At(self._lots, layer.place)
        plan.call(source.kernel, audio, self._frequency, turn, made, rows, starts, *about, *state)

    def _swung(self, plan: Plan, swing: Swing | None, moves: bool, rows: Listed) -> NDArray[np.float32]:
        """By how many octaves a cutoff is swung at every frame, float32 (row, frame); (0, 0) where by nothing."""
        if swing is None or swing.layer.send is None or not moves:
            return NO_SWING
        found = self._room.swing
        plan.call(run_swing, found, swing.layer.send, swing.octaves, swing.layer.sent, rows, self._tick)
        return found

    def _mix(
        self, plan: Plan, layer: LayerVoice, was: float, now: float, goes: int, send: NDArray[np.float32] | None = None
    ) -> None:
        """Adds a layer to where it goes, or where it sends to at a level of its own as well."""
        if goes == NOWHERE:
            return
        level = layer.level if send is None else self._sent(plan, layer.level, send, layer.listed)
        own = layer.weight_was, layer.weight_now, layer.listed
        self._add(plan, layer, level, own, was, now, goes, PAN_TAKES, 0, self._voices.peak)

    def _sent(
        self, plan: Plan, own: NDArray[np.float32], send: NDArray[np.float32], rows: Listed
    ) -> NDArray[np.float32]:
        """A level and that of a send, in dB, together; −∞ where either is."""
        plan.call(run_sent, own, send, rows, self._room.level)
        return self._room.level

    def _add(
        self,
        plan: Plan,
        part: LayerVoice | BusVoice,
        level: NDArray[np.float32],
        own: tuple[NDArray[np.float32], NDArray[np.float32], Listed],
        was: float,
        now: float,
        goes: int,
        scale: float,
        late: int,
        peak: NDArray[np.float32],
    ) -> None:
        """Adds what comes out of the tone of a part to a sum or a bus; `late` is by how much the part is late already."""
        sums = goes < FIRST_BUS
        onward = self._output.take(goes) if sums else self._buses[goes - FIRST_BUS].inlet
        for passed in part.tone.heard:
            shares = was * passed.first, now * passed.last
            wait = self._built.latencies[goes] - late - passed.late
            shape = part.over_time, level, part.pan, self._gain, *own, self._tick
            plan.call(run_mix, passed.audio, *shape, *shares, scale, onward, sums, wait, peak, part.peaks)

    # --- buses ---------------------------------------------------------------------------------

    def _plan_bus(self, place: int, bus: BusVoice) -> Plan:
        """What layers have put into a bus, through its drives and filter, and on."""
        has, swings = (int(answer) for answer in bus.part.answers[: SWINGS + 1])
        if has != SOME:
            bus.tone.rest()
            return bus.part.plan_for(has, False, self._desk, lambda plan: self._settle(plan, place, bus, has))
        if (self._start[bus.rows] >= 0).all():
            bus.tone.begins()
        passes = bus.went != bus.goes or bus.tone.passes(False)
        self._passing |= passes
        if not passes:
            bus.tone.goes_on(False)
        key = tuple(bus.part.answers.tolist()), bus.tone.key(False), bus.goes
        for goes in (bus.goes, bus.went, *[way.goes for way in bus.also]):
            if goes < FIRST_BUS:
                self._output.take(goes)

        def build(plan: Plan) -> None:
            self._settle(plan, place, bus, has)
            rows = bus.listed
            plan.call(run_frequency, self._played, self.line, *self._tuning(), rows)
            swing = self._swung(plan, bus.swing, bool(swings), rows)
            bus.tone.plan(plan, bus.audio, Notes(rows, self._start, self.line, self._played, swing))
            plan.call(run_guard, bus.audio, rows, bus.broken, 0, self.attention)
            ways = [(0.0 if bus.went != bus.goes else 1.0, 1.0, bus.goes, bus.level)]
            ways += [(1.0, 0.0, bus.went, bus.level)] * (bus.went != bus.goes)
            ways += [(1.0, 1.0, way.goes, way.level) for way in bus.also]
            late, own = self._built.latencies[bus.place], (*bus.left, rows)
            for was, now, goes, send in ways:
                level = bus.level if send is bus.level else self._sent(plan, bus.level, send, rows)
                self._add(plan, bus, level, own, was, now, goes, PAN_KEEPS, late, bus.loud)
            plan.call(run_keep_ringing, bus.held, self._voices.finished, bus.loud, bus.rest)

        return bus.part.plan_for(key, passes, self._desk, build)

    def _settle(self, plan: Plan, place: int, bus: BusVoice, has: int) -> None:
        if has == NOTHING:
            return
        own, fall = self._voiced[len(self._layers) + place], self._seconds / RINGS
        rows = own, bus.before, bus.listed
        plan.call(run_settle_bus, bus.inlet, bus.audio, *rows, bus.rest, bus.held, self._start, bus.loud, fall)

    # --- what went wrong -----------------------------------------------------------------------

    def mend(self) -> list[str]:
        """Resets what gave no numbers in the block, and gives the paths of it."""
        if not self.attention[0]:
            return []
        self.attention[0] = 0
        self.changed = True
        found = []
        for kind, parts in (("layers", self._order), ("buses", self._buses)):
            for part in parts:
                if part.broken[0]:
                    part.broken[0] = 0
                    if isinstance(part, LayerVoice):
                        part.source.reset()
                    part.tone.reset()
                    found.append(f"{kind}.{part.key}")
        return [*found, *self._output.racks["2"].mend(), *self._output.racks["1"].mend()]
