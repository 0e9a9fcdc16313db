"""Which voices sound when: keys, pedals, fingers and patterns played at random by seeds, through every way of playing."""

from __future__ import annotations

from typing import Any

import numpy as np

from felt_dial.patch.params import Choice, Param, Switch
from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.pattern import LANES
from felt_dial.patch.units import Beats
from felt_dial.sound.engine.carry_over import carry_on
from felt_dial.sound.engine.program import Program
from felt_dial.sound.playing.counted_chance import chance, wander
from felt_dial.sound.playing.events import (
    BEND,
    OFF,
    ON,
    PANIC,
    PEDAL,
    PRESSURE,
    RANGE,
    SLIDE,
    SOSTENUTO,
    SUSTAIN,
    Event,
    in_order,
)
from tests.unchanged import digest, plain, told, unchanged
from tests.unchanged.test_patch import demo

RATE, FRAMES = 48000, 256
PLAYED = ("voices", "play", "priority", "glide", "glide_when", "glide_by", "note_bend", "bend", "age", "note_cycle")
LAYERED = (
    "low",
    "high",
    "fade",
    "softest",
    "loudest",
    "delay",
    "choke",
    "at",
    "chance",
    "round",
    "switch",
    "key_low",
    "key_high",
)


def at_random(patch: Patch, seed: int) -> Patch:
    """The patch with its ways of playing set by chance."""
    dice = np.random.default_rng(seed)
    chosen = [(name, param) for name, param in type(patch).params.items() if name in PLAYED]
    paths = {name: param for name, param in chosen}
    for key, layer in patch.layers.items():
        own = {
            name: param
            for name, param in type(layer).params.items()
            if name not in ("level", "pan", "out", "on", "solo")
        }
        paths |= {f"layers.{key}.{name}": param for name, param in own.items() if dice.random() < 0.35}
    for path, param in paths.items():
        value: Any = None
        if isinstance(param, Param):
            value = param.at(float(dice.random()))
        elif isinstance(param, Choice):
            value = param.ids[int(dice.integers(len(param.ids)))]
        elif isinstance(param, Switch):
            value = bool(dice.integers(2))
        made = told(with_value, patch, path, value)
        patch = patch if isinstance(made, str) else made
    return patch


def stream(seed: int, blocks: int) -> list[list[Event]]:
    """Events of so many blocks: chords, lines, pedals and fingers."""
    dice = np.random.default_rng(seed)
    down: list[tuple[int, int]] = []
    found = []
    for _ in range(blocks):
        now: list[Event] = []
        for _ in range(int(dice.integers(0, 4)) if dice.random() < 0.4 else 0):
            frame, roll = int(dice.integers(FRAMES)), dice.random()
            key, channel = int(dice.integers(24, 100)), int(dice.choice([0, 0, 0, 2, 3]))
            if roll < 0.45:
                now.append(Event(frame, ON, key, float(dice.uniform(0.01, 1.0)), channel))
                down.append((key, channel))
            elif roll < 0.8 and down:
                key, channel = down.pop(int(dice.integers(len(down))))
                now.append(Event(frame, OFF, key, float(dice.random()), channel))
            elif roll < 0.97:
                kind = int(dice.choice([BEND, PRESSURE, SLIDE, SUSTAIN, SOSTENUTO, PEDAL, RANGE]))
                of_key = float(down[0][0]) if kind == PRESSURE and down and dice.random() < 0.5 else 0.0
                now.append(Event(frame, kind, of_key, float(dice.uniform(0, 24 if kind == RANGE else 1)), channel))
            elif roll > 0.99:
                now.append(Event(frame, PANIC))
                down.clear()
        found.append(now)
    return found


def state(program: Program) -> list[Any]:
    """What sounds: for every number that is kept of a voice, its sum over them, counted by how they lie."""
    voices = program.voices
    rows = np.flatnonzero(voices.sounding)
    found: list[Any] = [len(rows)]
    for name, values in sorted(vars(voices).items()):
        if name == "peak":  # that is of the sound
            continue
        if isinstance(values, np.ndarray) and values.shape[-1] == len(voices.sounding):
            found.append(float((values[..., rows].astype(np.float64) * (1 + rows)).sum()))
        elif isinstance(values, int | float):
            found.append(values)
    return found


def test_voices() -> None:
    found: dict[str, Any] = {}
    presets = list(demo().values())
    for seed in range(16):
        patch = at_random(presets[seed * 3], seed)
        program = Program(patch, RATE, FRAMES)
        row = []
        for n, events in enumerate(stream(100 + seed, 160)):
            if n == 90:
                fresh = Program(at_random(presets[seed * 3], seed + 1000), RATE, FRAMES)
                carry_on(program, fresh)
                program = fresh
            program.block(events)
            if n % 16 == 15:
                keys = sorted(float(k) for k in program.voices.key[program.voices.sounding & program.voices.held])
                row.append([keys[:8], state(program), digest(plain(vars(program.allocator.hands)))])
        found[f"{seed}"] = row
    unchanged("voices", found)


def test_patterns() -> None:
    found: dict[str, Any] = {}
    presets = list(demo().values())
    for seed in range(24):
        dice = np.random.default_rng(seed)
        rows = []
        for _ in range(int(dice.integers(1, 17))):
            drawn = [
                dice.uniform(column.low, column.high) if dice.random() < 0.5 else column.default for column in LANES
            ]
            rows.append(
                tuple(float(round(x)) if column.whole else float(x) for x, column in zip(drawn, LANES, strict=True))
            )
        patch = with_value(with_value(presets[seed * 2], "pattern.on", True), "pattern.steps", tuple(rows))
        for name, param in type(patch.pattern).params.items():
            if name == "on" or dice.random() < 0.4:
                continue
            if isinstance(param, Param):
                value: Any = Beats(0.25) if param.beats and dice.random() < 0.7 else param.at(float(dice.random()))
            elif isinstance(param, Choice):
                value = param.ids[int(dice.integers(len(param.ids)))]
            else:
                value = bool(dice.integers(2))
            made = told(with_value, patch, f"pattern.{name}", value)
            patch = patch if isinstance(made, str) else made
        program = Program(patch, RATE, FRAMES)
        made_notes = []
        for n, events in enumerate(stream(500 + seed, 500)):
            if n == 300:
                program.pattern.restart()
            out = program.pattern.block(in_order(events), FRAMES, 30.0 + 9.0 * seed, RATE)
            made_notes += [(n * FRAMES + e.frame, e.kind, e.key, e.value, e.channel) for e in out]
        where = plain(vars(program.pattern.now))
        found[f"{seed}"] = [len(made_notes), plain(made_notes[:6]), digest(plain(made_notes)), digest(where)]
    unchanged("patterns", found)


def test_counted_chance() -> None:
    """Chance by number, after the generator of G. L. Steele, D. Lea, C. H. Flood, OOPSLA 2014."""
    with np.errstate(over="ignore"):  # whole numbers go round, as they shall
        unchanged("chance", [chances(), wanders()])


def chances() -> list[Any]:
    return [[chance(note, counter) for note in (0, 1, 2, 77, 2**40)] for counter in (0, 1, 5, 1000)]


def wanders() -> list[Any]:
    return [wander(note, voice, turns) for note in (1, 9) for voice in (0, 3) for turns in (0.0, 0.4, 7.9)]


def test_events_in_order() -> None:
    dice = np.random.default_rng(3)
    kinds = (ON, OFF, BEND, SUSTAIN)
    events = [
        Event(int(dice.integers(4)), int(dice.choice(kinds)), int(dice.integers(50, 53)), float(dice.integers(3)))
        for _ in range(60)
    ]
    unchanged("order", [tuple(event) for event in in_order(events)])
