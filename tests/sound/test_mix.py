"""Level and pan, layers together, and what the player's hands do to them."""

from __future__ import annotations

import numpy as np
import pytest

from felt_dial.patch.edits import add_layer, sew
from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.phrase import Note
from felt_dial.sound.engine.program import Program
from felt_dial.sound.modules import new_layer
from felt_dial.sound.playing.events import ON, WHEEL, Event
from felt_dial.sound.render import render
from tests.sound.listening import HALF, RATE, amplitude_at, decibels, plain


def power(patch: Patch) -> tuple[float, float]:
    """Mean square of a held note, left and right."""
    sound = render(patch, [Note(0, 1, 69)], 0.5)[:, 4800:].astype(float)
    return float((sound[0] ** 2).mean()), float((sound[1] ** 2).mean())


@pytest.mark.parametrize("pan", [-1.0, -0.6, -0.2, 0.0, 0.35, 0.8, 1.0])
def test_panning_keeps_the_power(pan: float) -> None:
    """Sine and cosine law, −3 dB a side in the middle (common practice)."""
    whole = sum(power(plain(layers__a__source__shape="sine")))
    left, right = power(plain(layers__a__source__shape="sine", layers__a__pan=pan))
    assert left + right == pytest.approx(whole, rel=1e-4)
    assert right / whole == pytest.approx(np.sin((pan + 1) * np.pi / 4) ** 2, abs=1e-4)


@pytest.mark.parametrize(("path", "low"), [("layers.a.level", HALF), ("level", 0.0)])
def test_a_level_is_in_decibels_and_its_bottom_is_silence(path: str, low: float) -> None:
    patch = plain(layers__a__source__shape="sine")
    loud = power(with_value(patch, path, low))[0]
    assert decibels(np.sqrt(power(with_value(patch, path, low - 6.0))[0] / loud)) == pytest.approx(-6.0, abs=0.01)
    assert power(with_value(patch, path, -60.0))[0] == 0.0


def test_two_layers_sound_as_the_sum_of_both() -> None:
    one = plain(layers__a__source__shape="sine", layers__a__level=-20.0)
    both, key = add_layer(one, one.layers["a"])
    both = with_value(both, f"layers.{key}.octave", 1)
    other = with_value(one, "layers.a.octave", 1)
    notes = [Note(0, 1, 57)]
    assert np.allclose(render(both, notes, 0.5), render(one, notes, 0.5) + render(other, notes, 0.5), atol=1e-6)


def test_solo_mute_and_on_decide_who_is_heard() -> None:
    patch = plain(layers__a__source__shape="sine", layers__a__level=-20.0)
    patch, _ = add_layer(patch, new_layer().model_copy(update={"source": patch.layers["a"].source}))
    patch = with_value(patch, "layers.b.octave", 1)

    def heard(**switches: bool) -> tuple[bool, bool]:
        changed = patch
        for path, value in switches.items():
            changed = with_value(changed, "layers." + path.replace("_", "."), value)
        sound = render(changed, [Note(0, 1, 69)], 0.4)[0, 4800:].astype(float)
        return amplitude_at(sound, 440.0) > 0.01, amplitude_at(sound, 880.0) > 0.01

    assert heard() == (True, True)
    assert heard(a_mute=True) == (False, True) and heard(b_on=False) == (True, False)
    assert heard(a_solo=True) == (True, False) and heard(a_solo=True, b_solo=True) == (True, True)
    assert heard(a_solo=True, a_mute=True) == (False, False), "a muted layer stays muted"
    assert heard(a_solo=True, a_on=False) == (False, True), "a layer that is off is not soloed"


def test_velocity_sewn_to_the_level_is_as_loud_as_it_says() -> None:
    patch, _ = sew(plain(layers__a__source__shape="sine", layers__a__level=-30.0), "v", "layers.a.level", 24.0)
    quiet, loud = (render(patch, [Note(0, 1, 69, v)], 0.4)[0, 4800:].astype(float) for v in (32, 127))
    difference = decibels(amplitude_at(loud, 440.0)) - decibels(amplitude_at(quiet, 440.0))
    assert difference == pytest.approx(24.0 * (127 - 32) / 127, abs=0.02)


def test_a_macro_moves_several_things_by_their_own_amounts() -> None:
    patch = plain(layers__a__filter__on=True, layers__a__filter__cutoff=500.0, layers__a__pan=0.0)
    patch, _ = sew(patch, "m1", "layers.a.filter.cutoff", 24.0)
    patch, _ = sew(patch, "m1", "layers.a.pan", -0.5)
    for value, cutoff, pan in ((0.0, 500.0, 0.0), (0.5, 1000.0, -0.25), (1.0, 2000.0, -0.5)):
        program = Program(with_value(patch, "macros.m1", value))
        program.block([Event(0, ON, 60, 1.0)])
        beads = program.beads()
        assert beads[program.at["layers.a.filter.cutoff"]] == pytest.approx(cutoff, rel=1e-4)
        assert beads[program.at["layers.a.pan"]] == pytest.approx(pan, abs=1e-4)


def test_an_effect_follows_the_newest_note() -> None:
    """Row of the patch: per-note movers are those of the note that was struck last."""
    from felt_dial.patch.edits import add_effect
    from felt_dial.patch.module import Effect

    patch, _ = add_effect(plain(), "1", Effect.kinds["delay"](wet=0.0))
    patch, _ = sew(patch, "v", "racks.1.delay1.wet", 1.0)
    program = Program(patch)
    program.block([Event(0, ON, 60, 0.25)])
    program.block()
    wet = program.racks["1"].effects[0].running.wet
    assert wet[-1] == pytest.approx(0.25, abs=1e-3)
    program.block([Event(0, ON, 64, 0.75)])
    program.block()
    assert wet[-1] == pytest.approx(0.75, abs=1e-3)


def test_the_wheel_reaches_every_sounding_note() -> None:
    patch, _ = sew(plain(layers__a__pan=0.0), "w", "layers.a.pan", 1.0)
    program = Program(patch)
    program.block([Event(0, ON, key, 1.0) for key in (50, 60, 70)])
    program.block([Event(0, WHEEL, 0, 0.5)])
    for _ in range(20):
        program.block()
    pans = program.modulation.control[program.at["layers.a.pan"], program.voices.active, -1]
    assert np.allclose(pans, 0.5, atol=1e-3)


def test_a_stolen_note_is_gone_after_five_milliseconds() -> None:
    patch = with_value(plain(layers__a__source__shape="sine"), "voices", 1)
    program = Program(patch)
    program.block([Event(0, ON, 45, 1.0)])
    program.block([Event(0, ON, 81, 1.0)])
    gain = program.modulation.gain[0]
    ticks = int(np.argmax(gain <= 0.0))
    assert ticks * 16 / RATE == pytest.approx(0.005, abs=16 / RATE) and (np.diff(gain[:ticks]) < 0).all()
    program.block()
    assert list(program.voices.key[program.voices.active]) == [81.0]


def test_silence_costs_no_voices_and_gives_zeros() -> None:
    program = Program(plain())
    for _ in range(4):
        assert not program.block().any()
    assert len(program.voices.active) == 0
