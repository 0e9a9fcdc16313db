"""The pattern player: which notes come when, as events and as sound."""

from __future__ import annotations

import numpy as np
import pytest

from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.pattern import LANES
from felt_dial.patch.phrase import Note
from felt_dial.sound.control.core.records import PEDAL_SLOT
from felt_dial.sound.engine.program import Program
from felt_dial.sound.playing.counted_chance import chance
from felt_dial.sound.playing.events import OFF, ON, PANIC, PEDAL, SUSTAIN, Event
from felt_dial.sound.render import render
from tests.sound.listening import RATE, plain

CHORD = [Event(0, ON, key, 0.8) for key in (64, 60, 67)]
STEP = RATE // 8
"""Frames of a sixteenth at 120 beats per minute: a quarter of half a second."""


def row(**lanes: float) -> tuple[float, ...]:
    return tuple(float(lanes.get(column.name, column.default)) for column in LANES)


def patterned(steps: int = 4, rows: tuple[tuple[float, ...], ...] = (), **values: object) -> Patch:
    patch = with_value(with_value(plain(), "tempo", 120.0), "pattern.on", True)
    patch = with_value(patch, "pattern.steps", rows or (row(),) * steps)
    for name, value in values.items():
        patch = with_value(patch, f"pattern.{name}", value)
    return patch


def played(patch: Patch, seconds: float, events: list[Event] = CHORD, frames: int = 256) -> list[Event]:
    """Notes that reach the voices, frames counted from the beginning; asked of the program's own pattern player."""
    program = Program(patch, RATE, frames)
    found = []
    for at in range(0, round(seconds * RATE), frames):
        now = [e._replace(frame=e.frame - at) for e in events if at <= e.frame < at + frames]
        made = program.pattern.block(now, frames, program.tempo, RATE)
        found += [e._replace(frame=e.frame + at) for e in made]
    return found


def onsets(found: list[Event]) -> list[tuple[int, float]]:
    return [(e.frame, e.key) for e in found if e.kind == ON]


@pytest.mark.parametrize(
    ("order", "keys"),
    [
        ("up", [60, 64, 67, 60, 64, 67]),
        ("down", [67, 64, 60, 67, 64, 60]),
        ("bounce", [60, 64, 67, 64, 60, 64]),
        ("played", [64, 60, 67, 64, 60, 67]),
    ],
)
def test_keys_come_in_order_and_every_sixteenth(order: str, keys: list[float]) -> None:
    found = onsets(played(patterned(order=order), 0.74))
    assert [key for _, key in found] == keys
    assert all(abs(frame - n * STEP) <= 1 for n, (frame, _) in enumerate(found)), found


def test_a_chord_comes_as_one_and_octaves_come_in_turn() -> None:
    found = onsets(played(patterned(order="chord", octaves=2), 0.24))
    assert sorted(key for _, key in found[:3]) == [60, 64, 67] and sorted(key for _, key in found[3:]) == [72, 76, 79]
    up = [key for _, key in onsets(played(patterned(octaves=2), 0.74))]
    assert up == [60, 64, 67, 72, 76, 79]


def test_lanes_shift_shorten_tie_skip_and_soften() -> None:
    rows = (
        row(octave=1, velocity=0.5),
        row(semitone=-5, length=0.5),
        row(skip=1),
        row(length=1.0),
        row(tie=1, length=0.5),
    )
    found = played(patterned(rows=rows), 0.49, [Event(0, ON, 60, 0.8)])
    assert [key for _, key in onsets(found)] == [72, 55, 60], "the skipped step takes no time"
    assert [e.value for e in found if e.kind == ON] == pytest.approx([0.4, 0.8, 0.8])
    ends = {e.key: e.frame for e in found if e.kind == OFF}
    assert ends[55] == pytest.approx(1.5 * STEP, abs=2)
    assert ends[60] == pytest.approx(3.5 * STEP, abs=2), "tied: a step and a half from the third on"


def test_swing_and_lengths_in_seconds() -> None:
    found = onsets(played(patterned(swing=0.5, rate=10.0), 0.59, [Event(0, ON, 60, 1.0)]))
    assert [frame / RATE for frame, _ in found] == pytest.approx([0.0, 0.15, 0.2, 0.35, 0.4, 0.55], abs=1e-3)


def test_chance_is_seeded_redrawn_and_bounded() -> None:
    values = {"rows": (row(probability=0.5),) * 4, "vary_velocity": 0.5, "vary_pitch": 3, "rate": 40.0}
    one = played(patterned(**values), 3.0)
    assert one == played(patterned(**values), 3.0)
    assert one != played(patterned(**values, seed=2), 3.0)
    notes = [e for e in one if e.kind == ON]
    assert 35 < len(notes) < 85, "about half of 120 steps"
    assert {abs(e.key - k) for e in notes for k in (60, 64, 67) if abs(e.key - k) <= 3} and all(
        57 <= e.key <= 70 for e in notes
    )
    assert all(0.4 - 1e-9 <= e.value <= 0.8 for e in notes)
    same = [e.value for e in played(patterned(vary_velocity=1.0), 1.99) if e.kind == ON]
    assert same[:4] == same[4:8], "never drawn anew: the same four again"
    fresh = [
        e.value for e in played(patterned(vary_velocity=1.0, redraw="steps", redraw_after=4), 1.99) if e.kind == ON
    ]
    assert fresh[:4] != fresh[4:8]


def test_the_key_begins_it_or_it_runs_with_the_beat() -> None:
    late = [Event(3000, ON, 60, 1.0)]
    assert onsets(played(patterned(), 0.3, late))[0][0] == 3000
    assert onsets(played(patterned(start="free"), 0.3, late))[0][0] == pytest.approx(STEP, abs=1)


def test_it_ends_with_the_keys_or_holds_until_others_come() -> None:
    let_go = [*CHORD, *(Event(STEP, OFF, key) for key in (60, 64, 67))]
    assert len(onsets(played(patterned(), 1.0, let_go))) == 1
    held = played(patterned(hold=True), 0.99, [*let_go, Event(4 * STEP, ON, 50, 1.0)])
    assert [key for _, key in onsets(held)][:4] == [60, 64, 67, 60]
    assert {key for frame, key in onsets(held) if frame > 4 * STEP + 2} == {50}
    panic = played(patterned(hold=True), 1.0, [*let_go, Event(3 * STEP, PANIC)])
    assert all(frame <= 3 * STEP + 1 for frame, _ in onsets(panic))


def test_every_note_that_begins_ends_and_blocks_are_not_heard() -> None:
    patch = patterned(rows=(row(probability=0.7), row(tie=1), row(length=1.0)), octaves=2, vary_pitch=4, rate=23.0)
    events = [*CHORD, *(Event(RATE - 700, OFF, key) for key in (60, 64, 67))]
    found = played(patch, 2.0, events)
    assert sorted(e.key for e in found if e.kind == ON) == sorted(e.key for e in found if e.kind == OFF)
    sounding: set[float] = set()
    for event in found:
        (sounding.add if event.kind == ON else sounding.discard)(event.key)
    assert not sounding
    for frames in (64, 512):
        other = onsets(played(patch, 2.0, events, frames))
        assert len(other) == len(onsets(found))
        assert max(abs(a - b) for (a, _), (b, _) in zip(other, onsets(found), strict=True)) <= 1


def test_a_pattern_sounds_offline_as_a_player_would() -> None:
    """The render of a pattern against the render of its notes written out; ticks of 16 frames apart at most."""
    patch = patterned(rows=(row(length=0.5),) * 4)
    by_pattern = render(patch, [Note(0.0, 0.49, 60)], 0.5)
    notes = [Note(n * 0.125, 0.0625, 60) for n in range(4)]
    by_hand = render(with_value(patch, "pattern.on", False), notes, 0.5)
    both = [np.abs(sound[0]).reshape(-1, 240).max(axis=1) > 1e-3 for sound in (by_pattern, by_hand)]
    assert (both[0] == both[1]).mean() > 0.97


def test_switching_it_off_lets_go_of_its_notes() -> None:
    program = Program(patterned(), RATE)
    program.block(CHORD)
    assert program.voices.held.any()
    program.values[program.at["pattern.on"]] = 0.0
    for _ in range(4):
        program.block()
    assert not program.voices.held.any()


def test_lengths_swing_with_their_steps() -> None:
    """Half of a step is half of a late one and half of a short one: 0.5 · (1 ± swing), and a full length closes the gap."""
    for length in (0.5, 1.0):
        found = played(patterned(rows=(row(length=length),) * 4, swing=0.4), 0.9)
        ons = [e.frame for e in found if e.kind == ON][:6]
        offs = [e.frame for e in found if e.kind == OFF][:6]
        for n, (on, off) in enumerate(zip(ons, offs, strict=True)):
            slot = 1.4 if n % 2 == 0 else 0.6
            assert off - on == pytest.approx(length * slot * STEP, abs=2), (length, n)


def test_a_pedal_under_a_pattern_holds_its_keys_and_not_its_notes() -> None:
    """Keys that come up go on until the pedal does; each note ends as it would; what moves by the pedal moves."""
    sustain = [Event(0, SUSTAIN, 0, 1.0), *CHORD, *(Event(2 * STEP, OFF, key) for key in (60, 64, 67))]
    events = sorted([*sustain, Event(6 * STEP, SUSTAIN, 0, 0.0)], key=lambda e: e.frame)
    found = played(patterned(), 1.2, events)
    assert len(onsets(found)) == 6, "a step is due as the pedal comes up: it is not begun"
    assert sum(e.kind == OFF for e in found) == 6
    assert [e.value for e in found if e.kind == PEDAL] == [1.0, 0.0]
    program = Program(patterned(), RATE)
    program.block(sustain[:1])
    assert program.target[PEDAL_SLOT] == 1.0


def test_a_tie_over_a_skipped_step_ties() -> None:
    rows = (row(), row(skip=1), row(tie=1, length=1.0), row())
    found = played(patterned(rows=rows), 0.5)
    ons, offs = ([e.frame for e in found if e.kind == kind] for kind in (ON, OFF))
    assert ons[:2] == pytest.approx([0, 2 * STEP], abs=2) and offs[0] == pytest.approx(2 * STEP, abs=2)


def test_chance_is_that_of_its_published_generator() -> None:
    """The first numbers of SplitMix64 from the seed 0; G. L. Steele, D. Lea, C. H. Flood, OOPSLA 2014; values from memory."""
    published = (0xE220A8397B1DCDAF, 0x6E789E6AA1B965F4, 0x06C45D188009454F)
    with np.errstate(over="ignore"):
        assert [chance(n, 0) for n in range(3)] == [(word >> 11) / 2**53 for word in published]
