"""Voices, swaps, guards, quality and loudness: what must hold whatever the patch is."""

from __future__ import annotations

import warnings

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from felt_dial.patch.edits import add_effect, add_layer, add_modulator, sew
from felt_dial.patch.module import Effect, Modulator
from felt_dial.patch.params import Choice, Param, Switch
from felt_dial.patch.parts import KINDS
from felt_dial.patch.patch import Patch, slots, with_value
from felt_dial.patch.phrase import Note
from felt_dial.sound.engine.carry_over import carry_on
from felt_dial.sound.engine.output_stage import CEILING
from felt_dial.sound.engine.program import Program
from felt_dial.sound.engine.rates import half_band
from felt_dial.sound.loudness import LoudnessMeter
from felt_dial.sound.modules import new_layer, new_patch
from felt_dial.sound.playing.events import BEND, OFF, ON, PANIC, Event
from felt_dial.sound.playing.phrases import PHRASES, SHOWN_BY, phrase_for
from felt_dial.sound.render import OPEN, CannotRender, render
from tests.sound.listening import RATE, amplitude_at, exact_frequency, plain


def rich() -> Patch:
    patch = plain(layers__a__filter__on=True, layers__a__filter__resonance=0.5, modulators__e1__release=0.1)
    patch, key = add_layer(patch, new_layer())
    patch = with_value(patch, f"layers.{key}.source.shape", "pulse")
    patch, lfo = add_modulator(patch, Modulator.kinds["lfo"]())
    patch, _ = sew(patch, lfo, "layers.a.filter.cutoff", 24.0)
    patch, _ = sew(patch, lfo, f"layers.{key}.source.width", 0.3)
    patch, _ = add_effect(patch, "1", Effect.kinds["delay"](left=0.05))
    return patch


CHORD = [Note(0.013 * n, 0.5, key, 90) for n, key in enumerate((45, 57, 60, 64, 69))]


def test_the_same_patch_and_notes_give_the_same_bytes() -> None:
    first, again = (render(rich(), CHORD, 1.0) for _ in range(2))
    assert first.tobytes() == again.tobytes()


@pytest.mark.parametrize("block", [64, 128, 512, 1024])
def test_the_length_of_a_block_is_not_heard(block: int) -> None:
    """Events land on ticks, not on blocks. A millionth is room for another order of float32 sums."""
    assert np.abs(render(rich(), CHORD, 1.0, block=block) - render(rich(), CHORD, 1.0)).max() < 2e-6


def test_a_note_begins_on_its_tick() -> None:
    sound = render(plain(layers__a__source__shape="pulse"), [Note(1000 / RATE, 0.5, 60)], 0.1)[0]
    assert np.argmax(sound != 0) == 1000 // 16 * 16


def test_bend_reaches_as_far_as_it_says() -> None:
    patch = plain(layers__a__source__shape="sine", bend=3.0)
    sound = render(patch, [Note(0, 2, 69)], 1.2, events=[Event(0, BEND, 0, 1.0)])[0, 9600:].astype(float)
    assert exact_frequency(sound, 440 * 2 ** (3 / 12)) == pytest.approx(440 * 2 ** (3 / 12), abs=0.02)


# --- voices ------------------------------------------------------------------------------------


def test_the_quietest_released_note_is_stolen_first_then_the_oldest() -> None:
    program = Program(with_value(plain(), "voices", 4))
    voices, playing = program.voices, program.allocator
    for n in range(4):
        playing.obey(Event(0, ON, 60 + n, 1.0), 0)
    voices.peak[:4] = (0.9, 0.2, 0.5, 0.7)
    for key in (60, 62):
        playing.obey(Event(0, OFF, key), 0)
    playing.obey(Event(0, ON, 70, 1.0), 0)
    assert voices.stolen[2], "of the released ones 62 was quieter"
    playing.obey(Event(0, ON, 71, 1.0), 0)
    assert voices.stolen[0]
    playing.obey(Event(0, ON, 72, 1.0), 0)
    assert voices.stolen[1], "none is released: the oldest held one goes"


@pytest.mark.parametrize("limit", [1, 3, 32])
def test_never_more_notes_than_the_limit_and_no_click_when_one_is_stolen(limit: int) -> None:
    """A click is a jump larger than the steepest slope of the sines that sound, plus a fade over 5 ms."""
    patch = with_value(
        plain(layers__a__source__shape="sine", layers__a__level=-36.0, modulators__e1__attack=0.01), "voices", limit
    )
    program = Program(patch)
    out = []
    for n in range(120):
        events = [Event(16 * (n % 15), ON, 40 + n % 30, 1.0)] if n < 80 else []
        out.append(program.block(events)[0].copy())
        assert np.count_nonzero(program.voices.sounding & ~program.voices.stolen) <= limit
    steepest = 10 ** (-36 / 20) * (2 * np.pi * 440 * 2 ** (0 / 12) / RATE + 1 / 240) * (limit + 4)
    assert np.abs(np.diff(np.concatenate(out))).max() < steepest


def test_thirty_two_notes_struck_again_at_once_all_find_a_row() -> None:
    program = Program(with_value(plain(layers__a__level=-40.0), "voices", 32))
    program.block([Event(0, ON, 40 + n, 1.0) for n in range(32)])
    program.block([Event(0, ON, 40 + n, 1.0) for n in range(32)])
    assert len(program.voices.active) == 64 and program.voices.held.sum() == 32
    program.block()
    program.block()
    assert len(program.voices.active) == 32, "the stolen ones have faded"


def test_everything_falls_silent_after_the_keys_are_let_go() -> None:
    program = Program(plain(modulators__e1__release=0.2))
    program.block([Event(0, ON, key, 1.0) for key in (50, 60, 70)])
    program.block([Event(0, PANIC)])
    for _ in range(60):
        sound = program.block()
    assert len(program.voices.active) == 0 and not sound.any()


@settings(max_examples=30)
@given(
    st.lists(st.tuples(st.integers(0, 255), st.sampled_from([ON, OFF]), st.integers(40, 60)), max_size=40),
    st.integers(1, 32),
)
def test_any_storm_of_keys_leaves_the_table_of_notes_whole(storm: list[tuple[int, int, int]], limit: int) -> None:
    program = Program(with_value(plain(modulators__e1__release=0.01), "voices", limit))
    for at in range(0, len(storm), 8):
        program.block([Event(frame, kind, key, 0.7) for frame, kind, key in sorted(storm[at : at + 8])])
        voices = program.voices
        assert not (voices.held & ~voices.sounding).any() and not (voices.held & voices.stolen).any()
    program.block([Event(0, PANIC)])
    for _ in range(8):
        program.block()
    assert len(program.voices.active) == 0


# --- swaps -------------------------------------------------------------------------------------


def test_an_edited_patch_carries_on_where_the_old_one_was() -> None:
    """The same patch built again in the middle of a chord sounds as if nothing had happened."""
    straight, first = Program(rich()), Program(rich())
    events = [Event(0, ON, key, 0.8) for key in (45, 57, 64)]
    straight.block(events)
    first.block(events)
    for _ in range(20):
        straight.block()
        first.block()
    second = Program(rich())
    carry_on(second, first)
    for _ in range(20):
        assert np.abs(straight.block() - second.block()).max() < 1e-6


def test_another_patch_strikes_the_held_notes_again() -> None:
    old = Program(rich())
    old.block([Event(0, ON, 57, 0.8), Event(0, ON, 60, 0.4)])
    fresh = Program(plain())
    fresh.strike_again(old)
    sound = fresh.block()
    assert fresh.allocator.held_notes() == [(57.0, pytest.approx(0.8)), (60.0, pytest.approx(0.4))]
    assert np.abs(sound).max() > 0.05
    fresh.block()
    assert len(fresh.voices.active) == 2
    assert np.abs(sound).max() > 0.05


def test_mute_and_solo_fade_rather_than_click() -> None:
    program = Program(plain(layers__a__source__shape="sine"))
    mute = program.at["layers.a.mute"]
    out = [program.block([Event(0, ON, 45, 1.0)])[0].copy()]
    for n in range(8):
        program.values[mute] = float(n >= 3)
        out.append(program.block()[0].copy())
    assert np.abs(np.diff(np.concatenate(out))).max() < 0.02 and not out[-1].any()


# --- guards ------------------------------------------------------------------------------------


def test_a_layer_that_gives_no_number_is_reset_and_named() -> None:
    program = Program(plain(layers__a__filter__on=True))
    program.block([Event(0, ON, 57, 1.0)])
    program.layers[0].tone.steps[1].arrays[0][:] = np.nan
    sound = program.block()
    assert program.report.broken == ["layers.a"] and np.isfinite(sound).all()
    program.block()
    assert program.report.broken == [] and np.abs(program.block()).max() > 0.1, "the sound goes on"


def test_an_effect_that_gives_no_number_is_reset_and_named() -> None:
    program = Program(rich())
    program.block([Event(0, ON, 57, 1.0)])
    program.racks["1"].effects[0].running.arrays[0][:] = np.inf
    sound = program.block()
    assert program.report.broken == ["racks.1.delay1"] and np.isfinite(sound).all()


def test_the_output_is_never_above_the_ceiling_and_a_render_holds_what_is() -> None:
    patch = with_value(plain(layers__a__level=6.0), "level", 12.0)
    chord = [Note(0, 1, 40 + n) for n in range(12)]
    sound, soft = render(patch, chord, 0.5), render(with_value(patch, "level", -40.0), chord, 0.5)
    assert np.abs(sound).max() > 4 * CEILING
    assert np.allclose(sound, soft * 10 ** (52 / 20), rtol=1e-3, atol=1e-3), (
        "the same sound, louder: nothing is cut off"
    )
    program = Program(patch)
    program.block([Event(0, ON, 40 + n, 1.0) for n in range(12)])
    assert np.abs(program.block()).max() == CEILING
    assert program.report.left > CEILING, "the meter shows how far above it the sound would have gone"


def any_value(draw: st.DrawFn, patch: Patch) -> Patch:
    for slot in slots(patch):
        param = slot.param
        if slot.path == "tempo" or not draw(st.booleans()):
            continue
        if isinstance(param, Param):
            value: object = param.at(draw(st.sampled_from([0.0, 0.03, 0.3, 0.5, 0.97, 1.0])))
        elif isinstance(param, Choice):
            value = draw(st.sampled_from(param.ids))
        else:
            assert isinstance(param, Switch)
            value = draw(st.booleans())
        patch = with_value(patch, slot.path, value)
    return patch


@st.composite
def patches(draw: st.DrawFn) -> Patch:
    patch = any_value(draw, rich())
    for key in patch.modulators:
        if key.startswith("e"):
            for stage in ("delay", "attack", "hold", "decay", "release"):
                least = min(float(patch.modulators[key].get(stage)), 0.05)  # type: ignore[arg-type]
                patch = with_value(patch, f"modulators.{key}.{stage}", least)
            for scaled in ("key_times", "velocity_times"):
                patch = with_value(patch, f"modulators.{key}.{scaled}", 0.0)
    patch = with_value(patch, "pattern.hold", False)
    for key in patch.layers:
        patch = with_value(patch, f"layers.{key}.delay", 0.05 if float(patch.layers[key].delay) > 0 else 0.0)  # type: ignore[arg-type]
    return with_value(patch, "racks.1.delay1.feedback", min(float(patch.racks["1"]["delay1"].get("feedback")), 0.5))  # type: ignore[arg-type]


@settings(max_examples=60)
@given(patches())
def test_any_patch_is_finite_below_the_ceiling_and_silent_after_release(patch: Patch) -> None:
    for left in ("left", "right"):
        patch = with_value(patch, f"racks.1.delay1.{left}", 0.02)
    sound = render(patch, CHORD, 2.0)
    assert np.isfinite(sound).all() and np.abs(sound).max() <= OPEN
    assert np.abs(sound[:, -2400:]).max() < 1e-3


# --- quality -----------------------------------------------------------------------------------


def test_the_half_band_filter_halves_cleanly() -> None:
    """Flat to 0.45 of the lower rate and down by 100 dB from 0.55 (ours); scipy.signal.freqz as the judge."""
    from scipy import signal

    f, response = signal.freqz(half_band(), worN=8192, fs=2.0)
    gain = 20 * np.log10(np.maximum(np.abs(response), 1e-12))
    assert np.abs(gain[f <= 0.45]).max() < 0.01 and gain[f >= 0.55].max() < -100


@pytest.mark.parametrize("quality", [2, 4, 8])
def test_quality_changes_neither_pitch_nor_level(quality: int) -> None:
    patch = plain(layers__a__source__shape="saw")
    plain_sound = render(patch, [Note(0, 2, 69)], 1.0)[0, 9600:].astype(float)
    fine = render(patch, [Note(0, 2, 69)], 1.0, quality=quality)[0, 9600:].astype(float)
    for n in (1, 5, 20):
        assert amplitude_at(fine, 440.0 * n) == pytest.approx(amplitude_at(plain_sound, 440.0 * n), rel=0.003)


@pytest.mark.parametrize("words", [{"rate": 1000}, {"quality": 3}, {"seconds": 0.0}, {"watch": lambda part: False}])
def test_a_render_that_makes_no_sense_is_refused(words: dict[str, object]) -> None:
    with pytest.raises(CannotRender):
        render(plain(), [], **({"seconds": 0.1} | words))  # type: ignore[arg-type]


@pytest.mark.parametrize("rate", [44100, 88200, 96000, 192000])
def test_every_rate_is_in_tune(rate: int) -> None:
    sound = render(plain(layers__a__source__shape="sine"), [Note(0, 2, 69)], 1.0, rate=rate)[0, rate // 5 :].astype(
        float
    )
    assert exact_frequency(sound, 440.0, rate) == pytest.approx(440.0, abs=0.01)


# --- loudness ----------------------------------------------------------------------------------


def feed(meter: LoudnessMeter, sound: np.ndarray) -> None:
    for at in range(0, sound.shape[1] - 255, 256):
        meter.add(np.ascontiguousarray(sound[:, at : at + 256]))


@pytest.mark.parametrize("rate", [44100, 48000, 96000])
def test_a_997_hz_stereo_sine_at_minus_23_reads_minus_23(rate: int) -> None:
    """ITU-R BS.1770-4 and EBU Tech 3341, case 1: −23 dBFS per channel reads −23 LUFS within 0.1."""
    t = np.arange(rate * 4) / rate
    sine = (10 ** (-23 / 20) * np.sin(2 * np.pi * 997 * t)).astype(np.float32)
    meter = LoudnessMeter(rate, 256)
    feed(meter, np.stack([sine, sine]))
    assert meter.short_term() == pytest.approx(-23.0, abs=0.1) and meter.momentary() == pytest.approx(-23.0, abs=0.1)


def test_the_live_meter_agrees_with_pyloudnorm_on_a_steady_sound() -> None:
    import pyloudnorm

    sound = render(rich(), [Note(0, 5, key) for key in (45, 57, 64)], 4.0)
    meter = LoudnessMeter(RATE, 256)
    feed(meter, sound)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        expected = pyloudnorm.Meter(RATE).integrated_loudness(sound[:, RATE:].T.astype(float))
    assert meter.short_term() == pytest.approx(expected, abs=0.3), "the window and the gate differ a little"


# --- phrases -----------------------------------------------------------------------------------


def test_there_is_a_phrase_for_every_kind() -> None:
    for phrase in PHRASES.values():
        assert all(0 <= n.at < phrase.beats and n.at + n.length <= phrase.beats + 2.0 for n in phrase.notes)
    keys = [n.key for n in PHRASES["scale"].notes]
    assert keys == sorted(keys) and max(keys) - min(keys) == 72, "six octaves"
    velocities = [n.velocity for n in PHRASES["rising"].notes]
    assert velocities == sorted(set(velocities)) and len({n.key for n in PHRASES["rising"].notes}) == 1
    first, second = PHRASES["legato"].notes
    assert second.at < first.at + first.length
    assert set(SHOWN_BY) == set(KINDS), "every kind is shown by a phrase"
    assert phrase_for("no such type") in PHRASES.values()


@pytest.mark.parametrize("rate", [8000, 16000, 24000, 37999, 384000])
def test_the_lowest_and_the_highest_rates_are_rendered(rate: int) -> None:
    """A held tone keeps its loudness at any rate that a render takes, drives and filters on."""
    patch = new_patch()
    for path, value in {
        "layers.a.drive.on": True,
        "layers.a.filter.on": True,
        "layers.a.filter.cutoff": 1500.0,
    }.items():
        patch = with_value(patch, path, value)
    sound = render(patch, [Note(0.0, 0.5, 45)], 0.4, rate=rate)
    usual = render(patch, [Note(0.0, 0.5, 45)], 0.4)
    rms = [float(np.sqrt(np.square(s[:, s.shape[1] // 4 :]).mean())) for s in (sound, usual)]
    assert np.isfinite(sound).all() and abs(20 * np.log10(rms[0] / rms[1])) < 1.0
