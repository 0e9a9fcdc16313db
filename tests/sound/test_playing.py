"""How notes are played: modes, glide, pedals, fingers, ranges, delays, tunings."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from felt_dial.patch.edits import add_layer, sew
from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.phrase import Note
from felt_dial.patch.tuning import BadTuning, Tuning, load_tuning, read_kbm, read_scl
from felt_dial.patch.units import Beats
from felt_dial.sound.engine.carry_over import carry_on
from felt_dial.sound.engine.program import Program
from felt_dial.sound.modules import new_layer
from felt_dial.sound.playing.events import BEND, OFF, ON, PRESSURE, SLIDE, SOSTENUTO, SUSTAIN, Event
from felt_dial.sound.render import render
from tests.sound.listening import RATE, exact_frequency, plain

SINE = {"layers__a__source__shape": "sine"}


def keys_of(program: Program) -> list[float]:
    voices = program.voices
    return sorted(float(k) for k in voices.key[voices.sounding & voices.held & ~voices.stolen])


def play(program: Program, *events: Event, blocks: int = 1) -> list[float]:
    program.block(events)
    for _ in range(blocks - 1):
        program.block()
    return keys_of(program)


def line_of(patch: Patch, events: dict[int, list[Event]], blocks: int) -> np.ndarray:
    """Pitch of the newest note in semitones, tick by tick."""
    program = Program(patch)
    found = []
    for n in range(blocks):
        program.block(events.get(n, []))
        found.append(program.line[program.voices.newest, :-1].copy())
    return np.concatenate(found)


# --- modes and glide ---------------------------------------------------------------------------


@pytest.mark.parametrize(("rule", "sounds"), [("last", [50, 40, 60]), ("low", [50, 40, 40]), ("high", [50, 50, 60])])
@pytest.mark.parametrize("mode", ["mono", "legato"])
def test_one_voice_goes_to_the_key_that_has_priority(mode: str, rule: str, sounds: list[float]) -> None:
    program = Program(plain(play=mode, priority=rule))
    for key, expected in zip((50, 40, 60), sounds, strict=True):
        assert play(program, Event(0, ON, key, 0.8), blocks=3) == [expected]
    left = {"last": 50, "low": 40, "high": 50}[rule]
    gone = {"last": [60, 40], "low": [50, 60], "high": [60, 40]}[rule]
    for key in gone:
        found = play(program, Event(0, OFF, key), blocks=3)
    assert found == [left]
    assert play(program, Event(0, OFF, left), blocks=3) == []


def test_legato_does_not_begin_the_envelope_anew_and_mono_does() -> None:
    levels = {}
    for mode in ("mono", "legato"):
        patch = plain(play=mode, modulators__e1__attack=0.2)
        program = Program(patch)
        program.block([Event(0, ON, 50, 1.0)])
        for _ in range(60):
            program.block()
        program.block([Event(0, ON, 57, 1.0)])
        levels[mode] = float(program.moves[0, program.voices.newest, -1])
    assert levels["legato"] == 1.0 and levels["mono"] < 0.1


@pytest.mark.parametrize("interval", [2, 12, -24])
@pytest.mark.parametrize("by", ["time", "rate"])
def test_a_glide_takes_the_time_it_says(interval: int, by: str) -> None:
    """Within one tick: a third of a millisecond. By rate the time is that of an octave."""
    patch = plain(play="legato", glide=0.2, glide_by=by)
    line = line_of(patch, {0: [Event(0, ON, 60, 1.0)], 10: [Event(0, ON, 60 + interval, 1.0)]}, 150)
    there = int(np.argmax(np.abs(line - (60 + interval)) < 1e-3))
    ticks = there - 160
    expected = 0.2 * (abs(interval) / 12 if by == "rate" else 1)
    assert ticks * 16 / RATE == pytest.approx(expected, abs=17 / RATE)
    middle = line[160 + ticks // 2]
    assert middle == pytest.approx(60 + interval / 2, abs=abs(interval) / ticks + 0.01), "a straight line in pitch"


def test_glide_only_in_legato_leaves_separate_notes_alone() -> None:
    patch = plain(glide=0.5, glide_when="legato")
    apart = {0: [Event(0, ON, 60, 1.0)], 4: [Event(0, OFF, 60)], 8: [Event(0, ON, 72, 1.0)]}
    assert line_of(patch, apart, 10)[-1] == 72.0
    bound = {0: [Event(0, ON, 60, 1.0)], 8: [Event(0, ON, 72, 1.0)]}
    assert 60.0 < line_of(patch, bound, 10)[-1] < 62.0
    always = line_of(with_value(patch, "glide_when", "always"), apart, 10)
    assert 60.0 < always[-1] < 62.0


# --- pedals and fingers ------------------------------------------------------------------------


def test_the_sustain_pedal_holds_what_is_let_go_and_no_longer() -> None:
    program = Program(plain())
    assert play(program, Event(0, ON, 50, 1.0), Event(0, SUSTAIN, 0, 1.0), Event(0, OFF, 50)) == [50]
    assert play(program, Event(0, ON, 55, 1.0)) == [50, 55]
    assert play(program, Event(0, SUSTAIN, 0, 0.0)) == [55]
    assert play(program, Event(0, OFF, 55)) == []


def test_sostenuto_holds_only_what_was_down_when_it_was_pressed() -> None:
    program = Program(plain())
    play(program, Event(0, ON, 50, 1.0), Event(0, SOSTENUTO, 0, 1.0), Event(0, ON, 55, 1.0))
    assert play(program, Event(0, OFF, 50), Event(0, OFF, 55)) == [50]
    assert play(program, Event(0, SOSTENUTO, 0, 0.0)) == []


def test_each_finger_bends_presses_and_slides_its_own_note() -> None:
    """MPE (MIDI Association, M1-100-UM): notes on channels of their own, bend of 48 semitones by default."""
    patch, _ = sew(plain(**SINE), "p", "layers.a.pan", 1.0)
    patch, _ = sew(patch, "sl", "layers.a.fine", 50.0)
    program = Program(patch)
    program.block([Event(0, ON, 60, 1.0, 1), Event(0, ON, 60, 1.0, 2)])
    program.block(
        [
            Event(0, BEND, 0, 0.25, 1),
            Event(0, PRESSURE, 0, 0.8, 2),
            Event(0, SLIDE, 0, 0.5, 2),
            Event(0, ON, 64, 1.0, 3),
        ]
    )
    for _ in range(20):
        program.block()
    rows = program.voices.active
    assert program.line[rows, -1] == pytest.approx([72.0, 60.0, 64.0], abs=1e-3)
    assert program.modulation.control[program.at["layers.a.pan"], rows, -1] == pytest.approx(
        [-1.0, -0.2, -1.0], abs=1e-3
    )
    assert program.modulation.control[program.at["layers.a.fine"], rows, -1] == pytest.approx([0.0, 25.0, 0.0], abs=0.1)
    program.block([Event(0, OFF, 60, 0.0, 2)])
    assert [float(k) for k in program.voices.key[program.voices.held]] == [60.0, 64.0]


# --- layers and notes --------------------------------------------------------------------------


def two(**values: object) -> Patch:
    """Layer a to the left, layer b to the right; values of b by name."""
    patch, key = add_layer(plain(**SINE), new_layer())
    level = float(patch.layers["a"].level)  # type: ignore[arg-type]
    for name, value in {"source.shape": "sine", "pan": 1.0, "level": level, **values}.items():
        patch = with_value(patch, f"layers.{key}.{name}", value)
    return patch


def first_sound(side: np.ndarray) -> int:
    return int(np.argmax(np.abs(side) > 1e-6)) if (np.abs(side) > 1e-6).any() else -1


@pytest.mark.parametrize(("delay", "seconds"), [(0.1, 0.1), (Beats(0.25), 0.125)])
def test_a_delayed_layer_begins_late_and_ends_as_late(delay: object, seconds: float) -> None:
    sound = render(two(delay=delay), [Note(0.0, 0.2, 60)], 0.6)
    assert abs(first_sound(sound[1]) - first_sound(sound[0]) - seconds * RATE) <= 16
    last = [len(side) - first_sound(side[::-1]) for side in sound]
    assert abs(last[1] - last[0] - seconds * RATE) <= 32


def test_a_key_up_layer_begins_when_the_key_comes_up_and_ends_by_itself() -> None:
    patch = two(trigger="up")
    patch = with_value(patch, "modulators.e1.hold", 0.1)
    sound = render(patch, [Note(0.0, 0.25, 60)], 0.6)
    assert abs(first_sound(sound[1]) - 0.25 * RATE) <= 16
    assert not sound[1, round(0.36 * RATE) :].any() and sound[1, round(0.3 * RATE)] != 0
    held = Program(patch)
    held.block([Event(0, ON, 60, 1.0), Event(0, SUSTAIN, 0, 1.0), Event(0, OFF, 60)])
    assert not held.block()[1].any(), "the pedal holds the key"


def test_key_and_velocity_ranges_choose_layers_and_fade_at_equal_power() -> None:
    patch = two(key_low=60, key_fade=3)
    patch = with_value(patch, "layers.a.key_high", 59)
    patch = with_value(patch, "layers.a.key_fade", 3)
    weights = {}
    for key in (50, 58, 60, 70):
        program = Program(patch)
        program.block([Event(0, ON, key, 1.0)])
        weights[key] = program.voices.weights[1, :2, 0].tolist()
    assert weights[50] == [1.0, 0.0] and weights[70] == [0.0, 1.0]
    assert weights[58][0] == 1.0 and 0 < weights[58][1] < 1 and weights[60][1] == 1.0 and 0 < weights[60][0] < 1
    soft = Program(two(velocity_low=64))
    soft.block([Event(0, ON, 60, 50 / 127)])
    assert soft.voices.weights[1, :2, 0].tolist() == [1.0, 0.0]
    loud = Program(plain(layers__a__velocity=40.0))
    loud.block([Event(0, ON, 60, 0.5)])
    assert 20 * np.log10(loud.voices.weights[1, 0, 0]) == pytest.approx(-20.0, abs=1e-4)


def test_a_note_outside_every_range_takes_no_voice() -> None:
    program = Program(plain(layers__a__key_low=60))
    assert play(program, Event(0, ON, 40, 1.0)) == [] and not program.block().any()


def test_switch_keys_are_silent_latch_and_choose_the_layer() -> None:
    patch = two(switched=True, switch_key=25)
    patch = with_value(with_value(patch, "layers.a.switched", True), "layers.a.switch_key", 24)
    program = Program(patch)

    def sides() -> tuple[bool, bool]:
        program.block([Event(0, ON, 60, 1.0)])
        sound = program.block().copy()
        program.block([Event(0, OFF, 60)])
        program.block()
        left, right = np.abs(sound).max(axis=1) > 1e-6
        return bool(left), bool(right)

    assert sides() == (True, False), "the lowest switch is on at first"
    assert play(program, Event(0, ON, 25, 1.0), Event(0, OFF, 25)) == []
    assert sides() == (False, True) and sides() == (False, True)


def test_a_layer_added_under_a_held_note_joins_it() -> None:
    before = Program(plain(**SINE))
    before.block([Event(0, ON, 60, 1.0)])
    after = Program(two())
    carry_on(after, before)
    sound = after.block()
    assert sound[0].any() and sound[1].any()


# --- tuning ------------------------------------------------------------------------------------

SCL = """! meantone.scl
!
Quarter-comma meantone
 12
!
 76.04900
 193.15686
 310.26471
 5/4
 503.42157
 579.47057
 696.57843
 25/16
 889.73529
 1006.84314
 1082.89214
 2/1
"""


def test_a_scale_gives_the_pitches_of_its_ratios() -> None:
    """Scala's format (Scala archive): 5/4 is 1200·log2(1.25) cents above C4, and 2/1 an octave."""
    tuning = read_scl(SCL, "“m”")
    assert tuning.pitch(60) == 60.0 and tuning.pitch(72) == 72.0 and tuning.pitch(48) == 48.0
    assert tuning.pitch(64) == pytest.approx(60 + 12 * np.log2(1.25), abs=1e-9)
    assert tuning.pitch(55) == pytest.approx(60 - 12 + 6.9657843, abs=1e-9)
    patch = plain(**SINE).model_copy(update={"tuning": tuning})
    sound = render(patch, [Note(0, 2, 64)], 1.2)[0, 9600:].astype(float)
    middle = 440 * 2 ** (-9 / 12)
    assert 1200 * np.log2(exact_frequency(sound, middle * 1.25) / (middle * 1.25)) == pytest.approx(0, abs=0.05)


def test_equal_temperament_as_a_scale_changes_nothing_and_reference_moves_all() -> None:
    tuning = Tuning(cents=tuple(100.0 * n for n in range(1, 13)))
    assert [tuning.pitch(key) for key in range(128)] == pytest.approx(list(range(128)), abs=1e-9)
    sound = render(plain(**SINE, reference=432.0), [Note(0, 2, 69)], 1.2)[0, 9600:].astype(float)
    assert exact_frequency(sound, 432.0) == pytest.approx(432.0, abs=0.01)


def test_a_keyboard_map_places_the_scale_and_leaves_keys_out() -> None:
    """A map of seven keys: middle 60, reference key 60 at 261 Hz, key 61 unmapped, octave at degree 12."""
    keys = read_kbm("! map\n7\n0\n127\n60\n60\n261.0\n12\n0\nx\n2\n4\n5\n7\n9\n", "“k”")
    tuning = read_scl(SCL, "“m”").model_copy(update={"keys": keys})
    start = 69 + 12 * np.log2(261.0 / 440.0)
    assert tuning.pitch(60) == pytest.approx(start) and tuning.pitch(61) is None
    assert tuning.pitch(63) == pytest.approx(start + 12 * np.log2(1.25)) and tuning.pitch(67) == pytest.approx(
        start + 12
    )
    program = Program(plain().model_copy(update={"tuning": tuning}))
    assert play(program, Event(0, ON, 61, 1.0)) == []


@pytest.mark.parametrize(
    "text",
    ["", "name\n", "name\nmany\n", "name\n3\n100.0\n", "n\n1\nhello\n", "n\n1\n1/0\n", "n\n1\n-1/2\n", "n\n1\n1e9.0\n"],
)
def test_a_scale_of_nonsense_is_refused_in_one_sentence(text: str, tmp_path: Path) -> None:
    path = tmp_path / "odd.scl"
    path.write_text(text)
    with pytest.raises(BadTuning) as wrong:
        load_tuning(path)
    assert "odd.scl" in str(wrong.value) and "\n" not in str(wrong.value)


@pytest.mark.parametrize("head", ["", "12 0", "a 0 127 60 69 440 12", "12 0 127 60 69 -4 12", "1 0 300 1 1 9 1"])
def test_a_keyboard_map_of_nonsense_is_refused(head: str) -> None:
    with pytest.raises(BadTuning):
        read_kbm("\n".join(head.split()), "“k”")


# --- hands through edits -----------------------------------------------------------------------


def test_a_delayed_strike_survives_an_edit_in_between() -> None:
    before = Program(two(delay=0.05))
    before.block([Event(0, ON, 60, 1.0)])
    after = Program(two(delay=0.05))
    carry_on(after, before)
    sound = np.concatenate([after.block()[1].copy() for _ in range(12)])
    assert abs(first_sound(sound) - after.late - (0.05 * RATE - 256)) <= 16


def test_a_removed_layer_falls_silent_and_the_others_go_on() -> None:
    before = Program(two())
    before.block([Event(0, ON, 60, 1.0)])
    after = Program(plain(**SINE))
    carry_on(after, before)
    for _ in range(3):
        sound = after.block()
    assert sound[0].any() and np.abs(sound[1]).max() < 1e-6
    after.block([Event(0, OFF, 60)])
    after.block()
    assert len(after.voices.active) == 0


def test_a_pedal_is_still_down_after_an_edit() -> None:
    before = Program(plain())
    play(before, Event(0, ON, 50, 1.0), Event(0, SUSTAIN, 0, 1.0), Event(0, OFF, 50))
    after = Program(plain(layers__a__pan=0.5))
    carry_on(after, before)
    assert play(after) == [50] and play(after, Event(0, SUSTAIN, 0, 0.0)) == []


def test_a_finger_that_comes_back_brings_its_bend_along() -> None:
    """MPE sends the bend of a channel before its note-on; the note begins bent."""
    program = Program(plain(**SINE))
    program.block([Event(0, BEND, 0, 0.5, 4), Event(0, ON, 60, 1.0, 4)])
    assert program.line[program.voices.newest, 0] == pytest.approx(84.0)


def test_pressure_of_one_key_leaves_the_others_alone() -> None:
    patch, _ = sew(plain(), "p", "layers.a.pan", 1.0)
    program = Program(patch)
    program.block([Event(0, ON, 60, 1.0), Event(0, ON, 64, 1.0)])
    program.block([Event(0, PRESSURE, 64, 1.0)])
    for _ in range(20):
        program.block()
    pans = program.modulation.control[program.at["layers.a.pan"], program.voices.active, -1]
    assert pans == pytest.approx([-1.0, 0.0], abs=1e-3)


@pytest.mark.parametrize("by", ["time", "rate"])
def test_a_glide_in_the_middle_of_a_glide_begins_where_it_is(by: str) -> None:
    patch = plain(play="legato", glide=0.4, glide_by=by)
    line = line_of(patch, {0: [Event(0, ON, 48, 1.0)], 4: [Event(0, ON, 72, 1.0)], 20: [Event(0, ON, 48, 1.0)]}, 120)
    assert np.abs(np.diff(line)).max() < 0.2, "never a jump"
    assert 48 < line.max() < 72 and line[-1] == pytest.approx(48.0, abs=1e-3)


def test_the_ratio_of_a_layer_multiplies_its_pitch() -> None:
    patch = plain(**SINE, layers__a__harmonic=3, layers__a__divisor=2)
    sound = render(patch, [Note(0, 2, 57)], 1.2)[0, 9600:].astype(float)
    assert exact_frequency(sound, 330.0) == pytest.approx(330.0, abs=0.01)


def test_a_fixed_layer_goes_down_to_the_speed_of_an_lfo() -> None:
    patch = plain(**SINE, layers__a__fixed=True, layers__a__frequency=0.5)
    sound = render(patch, [Note(0, 5, 90)], 4.0)[0]
    crossings = np.flatnonzero(np.diff(np.signbit(sound[16:])))
    assert np.diff(crossings) == pytest.approx([RATE] * (len(crossings) - 1), abs=40)


def test_a_layer_that_comes_late_in_legato_follows_the_keys_and_ends_with_the_last() -> None:
    """Five keys within the delay of a layer: it begins once, at the last key, and nothing is left when all are up."""
    patch = plain(**SINE, play="legato", layers__a__delay=0.05)
    program = Program(patch)
    for n, key in enumerate((45, 57, 60, 64, 69)):
        play(program, Event(0, ON, key, 0.8), blocks=2)
        assert not keys_of(program), n
    assert play(program, blocks=12) == [69.0]
    for key in (45, 57, 60, 64, 69):
        play(program, Event(0, OFF, key))
    assert play(program, blocks=20) == [] and not len(program.voices.active)
