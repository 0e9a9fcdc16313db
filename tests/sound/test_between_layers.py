"""Layers that modulate each other, and where a layer goes."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal, special

from felt_dial.bank.library.places import SHIPPED
from felt_dial.patch.edits import add_effect, add_inlet, add_layer, loops_back, remove_layer, replace_module
from felt_dial.patch.module import Effect, Source
from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.phrase import Note
from felt_dial.sound.engine.program import Program
from felt_dial.sound.matter.assets import PLACES
from felt_dial.sound.matter.tables import shipped_tables
from felt_dial.sound.modules import new_layer
from felt_dial.sound.playing.events import ON, Event
from felt_dial.sound.render import render
from tests.sound.listening import RATE, amplitude_at, decibels, plain, steady


def pair(index: float = 0.0, **values: object) -> Patch:
    """A sine that a second, unheard sine modulates; values of the second by name, of the inlet as `ring`."""
    patch, key = add_layer(plain(layers__a__source__shape="sine"), new_layer())
    patch = add_inlet(patch, "a", key, index)
    ring = values.pop("ring", 0.0)
    for name, value in {"source.shape": "sine", "out": "none", **values}.items():
        patch = with_value(patch, f"layers.{key}.{name}", value)
    return with_value(patch, f"layers.a.inlets.{key}.ring", ring)


@pytest.mark.parametrize("index", [0.3, 1.0, 2.4048, 5.0])
def test_side_bands_are_bessel_functions_of_the_index(index: float) -> None:
    """J_k(β) within 0.2 dB down to −60 dB. Chowning, JAES 21(7), 1973; values by `scipy.special.jv`.

    A modulator at a fixed frequency far from any ratio keeps the side bands apart.
    """
    sound = steady(pair(index, fixed=True, frequency=331.0), 93, 131072)
    carrier = 440.0 * 2 ** (24 / 12)
    for k in range(-5, 6):
        expected = abs(float(special.jv(k, index)))
        if decibels(expected) > -60:
            assert decibels(amplitude_at(sound, carrier + 331.0 * k)) == pytest.approx(decibels(expected), abs=0.2)


def test_a_whole_ratio_keeps_side_bands_harmonic() -> None:
    patch = with_value(with_value(pair(3.0), "layers.b.harmonic", 3), "layers.b.divisor", 2)
    sound = steady(patch, 57, 65536)
    spectrum = np.abs(np.fft.rfft(sound * signal.windows.blackmanharris(len(sound))))
    at = np.fft.rfftfreq(len(sound), 1 / RATE)
    off = np.abs(at / 110.0 - np.round(at / 110.0)) * 110.0 > 4
    assert decibels(spectrum[off & (at > 20)].max() / spectrum.max()) < -90


def test_ring_modulation_gives_sum_and_difference() -> None:
    """cos a · cos b = ½ cos(a − b) + ½ cos(a + b): two partials at half, nothing of the carrier."""
    sound = steady(pair(ring=1.0, fixed=True, frequency=300.0), 69, 65536)
    for frequency, expected in ((140.0, 0.5), (740.0, 0.5)):
        assert amplitude_at(sound, frequency) == pytest.approx(expected, abs=0.002)
    assert amplitude_at(sound, 440.0) < 1e-3


def test_a_modulator_works_at_its_level_over_time_and_stops_when_it_is_off() -> None:
    patch = pair(2.0)
    assert amplitude_at(steady(with_value(patch, "layers.b.on", False), 69), 440.0) == pytest.approx(1.0, abs=0.01)
    muted = steady(with_value(patch, "layers.b.mute", True), 69)
    assert np.abs(muted - steady(patch, 69)).max() < 1e-6, "mute is for the ear"


def test_a_loop_is_a_block_late_and_stays_finite() -> None:
    patch = add_inlet(pair(6.0), "b", "a", 6.0)
    patch = add_inlet(patch, "a", "a", 4.0)
    assert loops_back(patch, "a", "b") and loops_back(patch, "a", "a") and not loops_back(pair(), "a", "b")
    sound = render(patch, [Note(0, 0.5, 60)], 1.0)
    assert np.isfinite(sound).all() and np.abs(sound[:, -4800:]).max() == 0.0


def test_removing_a_layer_takes_its_inlets_along() -> None:
    assert not remove_layer(pair(1.0), "b").layers["a"].inlets


def test_a_direct_layer_passes_by_the_rack() -> None:
    patch, _ = add_effect(
        plain(layers__a__source__shape="sine"), "1", Effect.kinds["delay"](left=0.5, right=0.5, wet=1.0)
    )
    through = render(patch, [Note(0, 0.2, 60)], 0.8)
    direct = render(with_value(patch, "layers.a.out", "direct"), [Note(0, 0.2, 60)], 0.8)
    alone = render(plain(layers__a__source__shape="sine"), [Note(0, 0.2, 60)], 0.8)
    assert np.array_equal(direct, alone) and np.abs(through - alone)[:, 24000:].max() > 0.1


@pytest.mark.parametrize("quality", [1, 4])
def test_a_way_out_that_changes_while_it_sounds_does_not_click(quality: int) -> None:
    program = Program(plain(layers__a__source__shape="sine"), quality=quality)
    slot = program.at["layers.a.out"]
    out = [program.block([Event(0, ON, 57, 1.0)])[0].copy()]
    for n in range(40):
        program.values[slot] = (n // 10) % 3
        out.append(program.block()[0].copy())
    assert np.abs(np.diff(np.concatenate(out)[2000:])).max() < 0.03


@pytest.mark.parametrize(("quality", "most"), [(1, -60.0), (4, -100.0)])
@pytest.mark.parametrize("source", ["saw", "pulse", "table"])
@pytest.mark.parametrize(("index", "key"), [(0.5, 72), (2.0, 60), (1.0, 84)])
def test_waves_with_harmonics_are_modulated_without_grit(
    source: str, index: float, key: int, quality: int, most: float, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A sine modulates a wave of its own pitch: all that is no harmonic below 20 kHz, against the loudest that is one."""
    monkeypatch.setenv(PLACES, str(SHIPPED))
    size, pitch = 65536, 440.0 * 2 ** ((key - 69) / 12)
    turns = round(pitch * size / RATE)
    patch = plain(layers__a__source__shape="saw" if source == "table" else source)
    patch, other = add_layer(patch, patch.layers["a"])
    if source == "table":
        table = shipped_tables()["Loft Choir"]
        patch = replace_module(patch, "layers.a.source", Source.kinds["table"](asset=table.asset, cycle=table.cycle))
    for path, value in (
        (f"layers.{other}.source.shape", "sine"),
        (f"layers.{other}.out", "none"),
        (f"layers.{other}.level", 0.0),
    ):
        patch = with_value(patch, path, value)
    for layer in ("a", other):
        patch = with_value(patch, f"layers.{layer}.fixed", True)
        patch = with_value(patch, f"layers.{layer}.frequency", turns * RATE / size)
    sound = render(add_inlet(patch, "a", other, index), [Note(0, 3, key)], 2.0, quality=quality)[0, -size:]
    power = np.abs(np.fft.rfft(sound.astype(np.float64) * np.kaiser(size, 20.0)))
    bins = np.arange(len(power))
    beside = np.abs((bins + turns / 2) % turns - turns / 2) > 12
    heard = (bins > 30) & (bins < 20000 * size / RATE)
    assert decibels(power[heard & beside].max() / power.max()) < most
