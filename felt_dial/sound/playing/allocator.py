"""The voice allocator: keys, pedals and fingers become rows of voices, as the patch says that notes are played."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.patch import Patch, audio_rate_modulators
from felt_dial.sound.playing.events import BEND, OFF, ON, PANIC, PRESSURE, RANGE, SLIDE, SOSTENUTO, SUSTAIN, Event
from felt_dial.sound.playing.voices import NOW, SENT, WAS, Voices

POLY, MONO, LEGATO = range(3)
LAST, LOWEST, HIGHEST = range(3)
JUMP = 1e9


class VoiceStart(NamedTuple):
    """Layers of a note that begin together: at key-down or key-up, some ticks later.

    `weights` and `sent` hold for every layer how loud it is and how strongly it modulates.
    """

    up: bool
    once: bool
    wait: int
    weights: tuple[float, ...]
    sent: tuple[float, ...]


@dataclass
class HeldNote:
    """A note that was begun and not yet let go."""

    number: int
    key: float
    velocity: float
    channel: int
    strikes: list[VoiceStart]
    down: bool = True
    caught: bool = False
    lift: float = 0.0


@dataclass
class Expression:
    """What a channel's finger does besides playing: kept for the next note of the channel."""

    bend: float = 0.0
    pressure: float = 0.0
    slide: float = 0.0


@dataclass
class Wait:
    """Something that a note delay puts off: a strike, or letting it go."""

    tick: int
    finger: HeldNote
    part: int
    begins: bool


@dataclass
class PlayerState:
    """Everything about the player that outlives a block and a rebuilt program."""

    fingers: list[HeldNote] = field(default_factory=list)
    touches: dict[int, Expression] = field(default_factory=dict)
    waiting: list[Wait] = field(default_factory=list)
    sustain: bool = False
    sostenuto: bool = False
    sounding: HeldNote | None = None
    switched: int = -1
    pitch: float | None = None
    count: int = 0
    tick: int = 0
    reach: float | None = None
    note_reach: float | None = None
    """How far a bend reaches, and that of a single note, in semitones, where the controller says so."""

    def twin(self) -> PlayerState:
        """The same hands once more; what the one does, the other does not. (A deep copy takes a third of a block.)"""
        twins: dict[int, HeldNote] = {}

        def twin_of(finger: HeldNote) -> HeldNote:
            return twins.setdefault(id(finger), replace(finger, strikes=list(finger.strikes)))

        return replace(
            self,
            fingers=[twin_of(finger) for finger in self.fingers],
            touches={channel: replace(touch) for channel, touch in self.touches.items()},
            waiting=[replace(wait, finger=twin_of(wait.finger)) for wait in self.waiting],
            sounding=None if self.sounding is None else twin_of(self.sounding),
        )


class VoiceAllocator:
    """Turns events into rows of `voices`, reading the values of a patch where they stand at that moment."""

    def __init__(
        self, patch: Patch, values: NDArray[np.float64], at: dict[str, int], voices: Voices, ticks: int, seconds: float
    ) -> None:
        self._at = at
        self.values, self.voices, self.ticks, self.seconds = values, voices, ticks, seconds
        self.hands = PlayerState()
        self._following = -1
        self._layers = list(patch.layers)
        self._feeds = [
            [self._layers.index(other) for other in audio_rate_modulators(patch, key)] for key in self._layers
        ]
        self._once = [
            self._at.get(f"layers.{key}.source.one_shot", -1) if "one_shot" in layer.source.params else -1
            for key, layer in patch.layers.items()
        ]
        tuning = patch.tuning
        self._pitches: list[float | None] = [tuning.pitch(key) if tuning else float(key) for key in range(128)]

    def _value(self, path: str) -> float:
        return float(self.values[self._at[path]])

    def _seconds_of(self, path: str) -> float:
        value = self._value(path)
        return value if value >= 0 else -value * 60.0 / self._value("tempo")

    # --- what a block brings -------------------------------------------------------------------

    def begin_block(self) -> None:
        """Does what was put off until this block; to be called before its events."""
        hands = self.hands
        due = sorted((w for w in hands.waiting if w.tick < hands.tick + self.ticks), key=lambda wait: wait.tick)
        for wait in due:
            hands.waiting.remove(wait)
            tick = max(wait.tick - hands.tick, 0)
            (self._strike if wait.begins else self._end)(wait.finger, wait.part, tick)

    def end_block(self) -> None:
        """Counts the ticks of a block."""
        self.hands.tick += self.ticks

    def obey(self, event: Event, tick: int) -> None:
        """Acts on one event; wheels that move the whole patch are not for this class."""
        hands = self.hands
        if event.kind == ON:
            self._on(event, tick)
        elif event.kind == OFF:
            for finger in [f for f in hands.fingers if f.down and (f.key, f.channel) == (event.key, event.channel)]:
                finger.down, finger.lift = False, event.value
                if not any(f.down for f in hands.fingers):
                    self.voices.last_up = min(tick, self.ticks - 1)
                if not (hands.sustain or finger.caught):
                    self._lift(finger, tick)
        elif event.kind == SUSTAIN:
            hands.sustain = event.value >= 0.5
            self._lift_all(tick)
        elif event.kind == SOSTENUTO:
            pressed = event.value >= 0.5
            for finger in hands.fingers:
                finger.caught = pressed and (finger.caught or (finger.down and not hands.sostenuto))
            hands.sostenuto = pressed
            self._lift_all(tick)
        elif event.kind == PANIC:
            self.hands = PlayerState(switched=hands.switched, count=hands.count, tick=hands.tick)
            self.hands.reach, self.hands.note_reach = hands.reach, hands.note_reach
            for row in np.flatnonzero(self.voices.sounding & ~self.voices.stolen):
                self.voices.once[row] = False
                self.voices.let_go(int(row), tick)
        elif event.kind == RANGE:
            if event.channel:
                hands.note_reach = event.value
            else:
                hands.reach = event.value
        elif event.kind in (BEND, PRESSURE, SLIDE):
            self._touch(event)

    def _touch(self, event: Event) -> None:
        voices = self.voices
        touch = self.hands.touches.setdefault(event.channel, Expression())
        rows = voices.sounding & (voices.channel == event.channel)
        if event.kind == BEND:
            reach = self.hands.note_reach
            touch.bend = event.value * (self._value("note_bend") if reach is None else reach)
            voices.bend[rows] = touch.bend
        elif event.kind == SLIDE:
            touch.slide = event.value
            voices.slide[rows] = event.value
        elif event.key > 0:
            voices.pressure[rows & (voices.key == np.float32(event.key))] = event.value
        else:
            touch.pressure = event.value
            voices.pressure[rows] = event.value

    # --- notes ---------------------------------------------------------------------------------

    def _on(self, event: Event, tick: int) -> None:
        hands = self.hands
        if self._switches(round(event.key)):
            return
        pitch = self._pitches[min(max(round(event.key), 0), 127)]
        if pitch is None:
            return
        overlaps = any(finger.down for finger in hands.fingers)
        if not overlaps:
            self.voices.fresh = min(tick, self.ticks - 1)
        strikes = self._strikes(event.key, event.value)
        hands.count += 1
        finger = HeldNote(hands.count, event.key, event.value, event.channel, strikes)
        if self._value("play") == POLY:
            if rows := sum(not strike.up for strike in strikes):
                self.voices.make_room(tick, int(self._value("voices")), rows)
            self._begin(finger, tick, self._glides_from(overlaps))
            hands.fingers.append(finger)
        else:
            hands.fingers.append(finger)
            if self._chosen() is finger:
                self._change(finger, tick, overlaps)
        hands.pitch = pitch

    def _glides_from(self, overlaps: bool) -> float | None:
        """Pitch at which the next note begins to glide; None where it does not."""
        if self._value("glide") <= 0 or (self._value("glide_when") == 1 and not overlaps):
            return None
        row = self.voices.newest
        if self._value("play") != POLY and row >= 0 and self.voices.sounding[row]:
            return float(self.voices.pitch[row])
        return self.hands.pitch

    def _begin(self, finger: HeldNote, tick: int, origin: float | None) -> None:
        for part, strike in enumerate(finger.strikes):
            if strike.up:
                continue
            if strike.wait:
                self.hands.waiting.append(Wait(self.hands.tick + tick + strike.wait, finger, part, True))
            else:
                self._strike(finger, part, tick, origin)

    def _strike(self, finger: HeldNote, part: int, tick: int, origin: float | None = None) -> None:
        voices, strike = self.voices, finger.strikes[part]
        row = voices.strike(finger.number, finger.key, finger.velocity, min(tick, self.ticks - 1))
        voices.weights[WAS, : len(strike.weights), row] = strike.weights
        voices.weights[NOW, : len(strike.weights), row] = strike.weights
        voices.weights[SENT, : len(strike.sent), row] = strike.sent
        voices.once[row], voices.through[row] = strike.once, strike.up and not strike.once
        voices.part[row], voices.after[row] = part, self._following
        voices.held[row] = not strike.up
        goal = self._pitches[min(max(round(finger.key), 0), 127)] or 0.0
        goal += finger.key - round(finger.key)
        voices.goal[row] = voices.before[row] = goal
        voices.pitch[row] = goal if origin is None else origin
        voices.pace[row] = self._pace(abs(goal - voices.pitch[row]))
        touch = self.hands.touches.get(finger.channel, Expression())
        voices.channel[row] = finger.channel
        voices.bend[row] = touch.bend if finger.channel else 0.0
        voices.pressure[row], voices.slide[row] = touch.pressure, touch.slide

    def _pace(self, distance: float) -> float:
        """Semitones in a tick of a glide over a distance."""
        seconds = self._value("glide")
        if self._value("glide_by") == 1:
            return 12.0 * self.seconds / max(seconds, 1e-6)
        return distance * self.seconds / max(seconds, 1e-6)

    def _lift_all(self, tick: int) -> None:
        """Lets go of what neither a key nor a pedal holds any more."""
        if not self.hands.sustain:
            for finger in [f for f in self.hands.fingers if not f.down and not f.caught]:
                self._lift(finger, tick)

    def _lift(self, finger: HeldNote, tick: int) -> None:
        hands = self.hands
        hands.fingers.remove(finger)
        if self._value("play") == POLY:
            self._end_all(finger, tick)
        elif finger is hands.sounding:
            hands.sounding = None
            after = self._chosen()
            if after is None:
                self._end_all(finger, tick)
            else:
                hands.sounding = finger
                self._change(after, tick, True)

    def _end_all(self, finger: HeldNote, tick: int) -> None:
        for part, strike in enumerate(finger.strikes):
            if strike.wait:
                self.hands.waiting.append(Wait(self.hands.tick + tick + strike.wait, finger, part, strike.up))
            elif strike.up:
                self._strike(finger, part, tick)
            else:
                self._end(finger, part, tick)

    def _end(self, finger: HeldNote, part: int, tick: int) -> None:
        for row in self.voices.rows_of(finger.number):
            if self.voices.part[row] == part and self.voices.held[row]:
                self.voices.let_go(int(row), tick, finger.lift)

    # --- mono ----------------------------------------------------------------------------------

    def _chosen(self) -> HeldNote | None:
        """Which of the held keys sounds in the mono modes."""
        fingers = [f for f in self.hands.fingers if f.down] or self.hands.fingers
        if not fingers:
            return None
        rule = self._value("priority")
        if rule == LAST:
            return fingers[-1]
        return min(fingers, key=lambda f: f.key) if rule == LOWEST else max(fingers, key=lambda f: f.key)

    def _change(self, finger: HeldNote, tick: int, overlaps: bool) -> None:
        """Another key takes the one voice over: in legato the note goes on, else it begins anew."""
        hands, voices = self.hands, self.voices
        before, hands.sounding = hands.sounding, finger
        origin = self._glides_from(overlaps)
        rows = voices.rows_of(before.number) if before else np.zeros(0, np.int64)
        same = before is not None and _pattern(before.strikes) == _pattern(finger.strikes)
        if before is not None and self._value("play") == LEGATO and overlaps and len(rows) and same:
            before.number, finger.number = finger.number, before.number
            for wait in hands.waiting:
                if wait.finger is before:
                    wait.finger = finger
            for row in rows:
                self._carry_over(int(row), finger, tick, origin)
            return
        for number in {int(n) for n in voices.number[voices.sounding & ~voices.stolen]}:
            voices.take_away(number, tick)
        hands.waiting = [wait for wait in hands.waiting if wait.finger is finger]
        hands.count += 1
        finger.number = hands.count
        self._following = int(rows[0]) if len(rows) else -1
        self._begin(finger, tick, origin)
        self._following = -1

    def _carry_over(self, row: int, finger: HeldNote, tick: int, origin: float | None) -> None:
        voices = self.voices
        strike = finger.strikes[voices.part[row]]
        voices.weights[NOW, : len(strike.weights), row] = strike.weights
        voices.weights[SENT, : len(strike.sent), row] = strike.sent
        goal = (self._pitches[min(max(round(finger.key), 0), 127)] or 0.0) + finger.key - round(finger.key)
        voices.stirred = True
        voices.key[row], voices.channel[row] = finger.key, finger.channel
        voices.goal[row], voices.turn[row] = goal, min(tick, self.ticks - 1)
        voices.pace[row] = JUMP if origin is None else self._pace(abs(goal - voices.pitch[row]))

    # --- which layers --------------------------------------------------------------------------

    def chooses(self, key: int) -> bool:
        """True for a key that chooses layers."""
        return key in self._switch_keys()

    def _switches(self, key: int) -> bool:
        """True for a key that chooses layers and makes no sound of its own."""
        keys = self._switch_keys()
        if key in keys:
            self.hands.switched = key
        return key in keys

    def _switch_keys(self) -> set[int]:
        return {
            int(self._value(f"layers.{k}.switch_key"))
            for k in self._layers
            if self._value(f"layers.{k}.switched") > 0.5
        }

    def _weight(self, layer: str, key: float, velocity: float) -> float:
        def of(name: str) -> float:
            return self._value(f"layers.{layer}.{name}")

        if of("switched") > 0.5:
            keys = self._switch_keys()
            chosen = self.hands.switched if self.hands.switched in keys else min(keys)
            if int(of("switch_key")) != chosen:
                return 0.0
        share = _within(key, of("key_low"), of("key_high"), of("key_fade"))
        share *= _within(velocity * 127.0, of("velocity_low"), of("velocity_high"), of("velocity_fade"))
        return share * float(10.0 ** (-of("velocity") * (1.0 - velocity) / 20.0))

    def _strikes(self, key: float, velocity: float) -> list[VoiceStart]:
        """What a note of this key and velocity sets off, layer by layer."""
        own = [self._weight(layer, key, velocity) for layer in self._layers]
        found: dict[tuple[bool, bool, int], list[int]] = {}
        for n, layer in enumerate(self._layers):
            if own[n] > 0.0:
                wait = round(self._seconds_of(f"layers.{layer}.delay") / self.seconds)
                once = self._once[n] >= 0 and self.values[self._once[n]] > 0.5
                up = self._value(f"layers.{layer}.trigger") > 0.5
                found.setdefault((up, once, wait), []).append(n)
        strikes = []
        for (up, once, wait), members in sorted(found.items()):
            sending, ask = set(members), list(members)
            while ask:
                fresh = [n for n in self._feeds[ask.pop()] if n not in sending]
                sending.update(fresh)
                ask += fresh
            weights = tuple(own[n] if n in members else 0.0 for n in range(len(own)))
            sent = tuple(own[n] if n in sending else 0.0 for n in range(len(own)))
            strikes.append(VoiceStart(up, once, wait, weights, sent))
        return strikes

    def held_notes(self) -> list[tuple[float, float]]:
        """Key and velocity of every note that a key or a pedal holds, oldest first."""
        return [(finger.key, finger.velocity) for finger in self.hands.fingers]

    def carry_on(self, old: VoiceAllocator) -> None:
        """Takes over what the hands were doing on an edited version of the same patch."""
        self.hands = old.hands.twin()
        self.voices.copy_from(old.voices)
        if self._layers == old._layers:
            return
        voices, before = self.voices, self.voices.weights.copy()
        places = [old._layers.index(layer) if layer in old._layers else -1 for layer in self._layers]
        voices.weights[:] = 0.0
        for n, (layer, place) in enumerate(zip(self._layers, places, strict=True)):
            if place >= 0:
                voices.weights[:, n] = before[:, place]
                continue
            for row in np.flatnonzero(voices.held & ~voices.once):
                voices.weights[:, n, row] = self._weight(layer, float(voices.key[row]), float(voices.velocity[row]))
        waiting = [wait.finger for wait in self.hands.waiting]
        for finger in {id(f): f for f in [*self.hands.fingers, *waiting]}.values():
            finger.strikes = [
                strike._replace(
                    weights=tuple(strike.weights[p] if p >= 0 else 0.0 for p in places),
                    sent=tuple(strike.sent[p] if p >= 0 else 0.0 for p in places),
                )
                for strike in finger.strikes
            ]
        voices.stirred = True


def _pattern(strikes: list[VoiceStart]) -> list[tuple[bool, bool, int, list[bool]]]:
    """Which layers begin when: what two notes must share for one to go on as the other."""
    return [(s.up, s.once, s.wait, [w > 0 for w in s.weights]) for s in strikes]


def _within(value: float, low: float, high: float, fade: float) -> float:
    """1 inside a range, falling at equal power over `fade` steps beyond it."""
    beyond = max(low - value, value - high, 0.0)
    if beyond < 1e-6:
        return 1.0
    return 0.0 if beyond > fade + 1e-6 else math.cos(math.pi / 2 * beyond / (fade + 1.0))
