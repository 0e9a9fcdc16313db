"""The pattern player at work: keys go in, notes of a pattern come out, block by block, live and offline alike."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.patch import Patch
from felt_dial.patch.pattern import LANES, LENGTH, OCTAVE, PROBABILITY, SEMITONE, SKIP, TIE, VELOCITY, Pattern
from felt_dial.sound.playing.events import OFF, ON, PANIC, PEDAL, SUSTAIN, Event, in_order
from felt_dial.sound.playing.kernels.counted_chance import chance

UP, DOWN, BOUNCE, PLAYED, RANDOM, CHORD = range(6)
NEVER, STEPS, BARS = range(3)
PASSED_OVER = 64
"""Steps that are looked at for one that is not skipped."""


class Key(NamedTuple):
    """A key that is down: the key, its velocity, its channel."""

    key: float
    velocity: float
    channel: int


@dataclass
class Sounding:
    """A note of the pattern: until which place it sounds, in steps."""

    until: float
    key: float
    channel: int


@dataclass
class Turning:
    """Where a pattern is; everything that outlives a rebuilt program."""

    down: list[Key] = field(default_factory=list)
    held: list[Key] = field(default_factory=list)
    sounding: list[Sounding] = field(default_factory=list)
    place: float = 0.0
    step: int = 0
    row: int = 0
    turn: int = 0
    beats: float = 0.0
    was_on: bool = False
    pedal: bool = False


class PatternPlayer:
    """Turns the keys of a block into the notes of the patch's pattern.

    `values` (number,) are the values of the patch in the order of its parameters, `at` the place of each path,
    `steps` the pattern's drawing; `passes` says which keys are not for the pattern, such as switch keys.
    """

    def __init__(
        self,
        patch: Patch,
        values: NDArray[np.float64],
        at: dict[str, int],
        steps: NDArray[np.float64],
        passes: Callable[[int], bool],
    ) -> None:
        first = at["pattern.on"]
        self._values, self._steps, self._passes = values, steps, passes
        self._at = {name: first + n for n, name in enumerate(Pattern.params)}
        self.now = Turning()

    def _value(self, name: str) -> float:
        return float(self._values[self._at[name]])

    @property
    def rows(self) -> NDArray[np.float64]:
        """The steps as they are drawn, float64 (step, lane)."""
        count = int(self._steps[0])
        return self._steps[1 : 1 + count * len(LANES)].reshape(count, len(LANES))

    def restart(self) -> None:
        """The beat begins anew: what runs along with it begins at its first step."""
        if not self.now.held:
            self.now.place = self.now.beats = 0.0
            self.now.step = self.now.row = self.now.turn = 0

    def block(self, events: Iterable[Event], frames: int, tempo: float, rate: float) -> list[Event]:
        """The events of a block of `frames`, with the pattern's notes in place of the keys."""
        on = self._value("on") > 0.5
        now = self.now
        if not on and not now.was_on:
            return list(events)
        made = [] if on == now.was_on else self._switched(on)
        pace = self._pace(tempo) * frames / rate
        done = 0.0
        for event in sorted(events, key=lambda e: e.frame):
            part = event.frame / frames
            self._go_on(made, done, part, pace, frames)
            done = part
            made += self._take(event) if on else [event]
        self._go_on(made, done, 1.0, pace, frames)
        now.beats += frames / rate * tempo / 60.0
        return in_order(made)

    def _pace(self, tempo: float) -> float:
        """Steps in a second."""
        rate = self._value("rate")
        return rate if rate > 0 else tempo / 60.0 / -rate

    def _switched(self, on: bool) -> list[Event]:
        """The pattern was switched on or off: what it sounded ends, what is down waits for the next key."""
        ends = [Event(0, OFF, s.key, 0.0, s.channel) for s in self.now.sounding]
        self.now = Turning(was_on=on, beats=self.now.beats)
        return ends

    def _take(self, event: Event) -> list[Event]:
        now = self.now
        if event.kind == ON and not self._passes(round(event.key)):
            if not now.down and not now.pedal:
                fresh = not now.held
                now.held = []
                if fresh and self._value("start") < 0.5:
                    now.place, now.step, now.row, now.turn = 0.0, 0, 0, 0
            key = Key(event.key, event.value, event.channel)
            now.down = [*(k for k in now.down if k.key != event.key), key]
            now.held = [*(k for k in now.held if k.key != event.key), key]
            return []
        if event.kind == OFF and not self._passes(round(event.key)):
            now.down = [k for k in now.down if k.key != event.key]
            if self._value("hold") < 0.5 and not now.pedal:
                now.held = [k for k in now.held if k.key != event.key]
            return []
        if event.kind == SUSTAIN:
            now.pedal = event.value >= 0.5
            if not now.pedal and self._value("hold") < 0.5:
                now.held = [k for k in now.held if k in now.down]
            return [event._replace(kind=PEDAL)]
        if event.kind == PANIC:
            self.now = Turning(
                was_on=True, place=now.place, step=now.step, row=now.row, beats=now.beats, pedal=now.pedal
            )
        return [event]

    def _go_on(self, made: list[Event], start: float, end: float, pace: float, frames: int) -> None:
        """Moves through a part of the block: begins steps and ends notes that are due in it."""
        now = self.now
        if self._value("hold") < 0.5 and not now.down and not now.pedal:
            now.held = []
            made += [Event(round(start * (frames - 1)), OFF, s.key, 0.0, s.channel) for s in now.sounding]
            now.sounding = []
        last = now.place + (end - start) * pace
        free = self._value("start") > 0.5

        def frame(place: float) -> int:
            part = start + (place - now.place) / pace if pace > 0 else start
            return min(max(round(part * frames), 0), frames - 1)

        while now.held or free:
            due = now.step + (self._value("swing") if now.step % 2 else 0.0)
            if due >= last:
                break
            if due >= now.place - 1e-9:
                self._end_until(made, due, frame)
                if now.held:
                    self._begin(made, due, frame(due))
            now.step += 1
        self._end_until(made, last, frame)
        now.place = last

    def _end_until(self, made: list[Event], place: float, frame: Callable[[float], int]) -> None:
        now = self.now
        for note in [s for s in now.sounding if s.until <= place + 1e-9]:
            made.append(Event(frame(note.until), OFF, note.key, 0.0, note.channel))
            now.sounding.remove(note)

    def _begin(self, made: list[Event], place: float, frame: int) -> None:
        """A step begins: its notes, or a rest, or the tie that lets the notes before go on."""
        now, rows = self.now, self.rows
        for _ in range(PASSED_OVER):
            row = rows[now.row % len(rows)].tolist()
            at, now.row = now.row % len(rows), now.row + 1
            if row[SKIP] < 0.5:
                break
        else:
            return
        if row[TIE] > 0.5 and now.sounding:
            for note in now.sounding:
                note.until = self._swung(now.step + row[LENGTH])
            return
        turn, now.turn = now.turn, now.turn + 1
        if row[PROBABILITY] < 1.0 and self._lot(now.step, 0) >= row[PROBABILITY]:
            return
        drawn = self._epoch() * 32 + at
        octave = row[OCTAVE] + self._shift(drawn, 1, self._value("vary_octave"))
        shift = 12 * octave + row[SEMITONE] + self._shift(drawn, 2, self._value("vary_pitch"))
        velocity = row[VELOCITY] * (1.0 - self._value("vary_velocity") * self._lot(drawn, 3))
        length = row[LENGTH] * (1.0 - self._value("vary_length") * self._lot(drawn, 4))
        after = next((r for r in (rows[(now.row + n) % len(rows)] for n in range(len(rows))) if r[SKIP] < 0.5), rows[0])
        tied = after[TIE] > 0.5
        for key in self._chosen(turn):
            note = min(max(key.key + shift, 0.0), 127.0)
            made += [Event(frame, OFF, s.key, 0.0, s.channel) for s in now.sounding if s.key == note]
            now.sounding = [s for s in now.sounding if s.key != note]
            made.append(Event(frame, ON, note, min(max(key.velocity * velocity, 1 / 127), 1.0), key.channel))
            until = self._swung(now.step + (1.5 if tied else max(length, 0.02)))
            now.sounding.append(Sounding(until, note, key.channel))

    def _swung(self, place: float) -> float:
        """A place in even steps as it comes when every second step is late: lengths are as long as the steps they fill."""
        swing, pair = self._value("swing"), 2.0 * math.floor(place / 2.0)
        part = place - pair
        return pair + (part * (1.0 + swing) if part < 1.0 else 1.0 + swing + (part - 1.0) * (1.0 - swing))

    def _shift(self, drawn: int, lane: int, most: float) -> float:
        """A whole number from −most to most by chance."""
        return float(math.floor(self._lot(drawn, lane) * (2 * most + 1)) - most)

    def _lot(self, count: int, lane: int) -> float:
        return float(chance(int(self._value("seed")) * 8 + lane, count))

    def _epoch(self) -> int:
        """How often chance has drawn anew."""
        way, after = self._value("redraw"), max(int(self._value("redraw_after")), 1)
        if way == STEPS:
            return self.now.step // after
        return int(self.now.beats / (4 * after)) if way == BARS else 0

    def _chosen(self, turn: int) -> list[Key]:
        """Which of the held keys a turn plays, over the octaves."""
        order, octaves = int(self._value("order")), int(self._value("octaves"))
        if order == CHORD:
            return [k._replace(key=k.key + 12 * (turn % octaves)) for k in self.now.held]
        keys = list(self.now.held) if order == PLAYED else sorted(self.now.held, key=lambda k: k.key)
        line = [k._replace(key=k.key + 12 * n) for n in range(octaves) for k in keys]
        if order == DOWN:
            line.reverse()
        elif order == BOUNCE and len(line) > 2:
            line += line[-2:0:-1]
        at = int(self._lot(self.now.step, 5) * len(line)) if order == RANDOM else turn
        return [line[at % len(line)]]

    def carry_on(self, old: PatternPlayer) -> None:
        """Takes over where an edited version of the same patch was."""
        now = old.now
        notes = [replace(note) for note in now.sounding]
        self.now = replace(now, down=list(now.down), held=list(now.held), sounding=notes)
