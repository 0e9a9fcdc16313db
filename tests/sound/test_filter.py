"""The state-variable filter against the analogue prototype under the bilinear transform."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal

from felt_dial.patch.edits import add_effect, duplicate_layer, replace_module, sew
from felt_dial.patch.module import Effect, Filter
from felt_dial.patch.patch import Patch, path_exists, with_value
from felt_dial.patch.phrase import Note
from felt_dial.sound.render import render
from felt_dial.sound.tone.state_variable import gain_at, quality_factors
from tests.sound.listening import RATE, amplitude_at, decibels, plain, steady


def gain_of(response: str, cutoff: float, resonance: float, frequency: float) -> float:
    """dB by which the running filter changes a sine of a frequency."""
    sine = {
        "layers__a__source__shape": "sine",
        "layers__a__fixed": True,
        "layers__a__frequency": frequency,
        "layers__a__level": -40.0,
    }
    dry = amplitude_at(steady(plain(**sine), 60, 32768), frequency)
    filtered = plain(
        **sine,
        layers__a__filter__on=True,
        layers__a__filter__response=response,
        layers__a__filter__cutoff=cutoff,
        layers__a__filter__resonance=resonance,
    )
    return decibels(amplitude_at(steady(filtered, 60, 32768), frequency)) - decibels(dry)


def prototype(response: str, cutoff: float, resonance: float, frequency: float) -> float:
    """dB of the same analogue filter built by scipy: coefficients, bilinear transform with prewarping, freqz."""
    total = 1.0 + 0j
    warped = 2 * RATE * np.tan(np.pi * cutoff / RATE)
    for q in quality_factors(response, resonance):
        bottom = [1, warped / q, warped**2]
        top = {"low": [warped**2], "high": [1, 0, 0], "band": [warped / q, 0]}[response.split()[0]]
        b, a = signal.bilinear(top, bottom, RATE)
        total *= signal.freqz(b, a, [frequency], fs=RATE)[1][0]
    return decibels(abs(total))


@pytest.mark.parametrize("response", ["low 12", "low 24", "high 12", "high 24", "band 12", "band 24"])
@pytest.mark.parametrize(("cutoff", "resonance"), [(60.0, 0.0), (1000.0, 0.0), (1000.0, 0.6), (12000.0, 0.3)])
def test_the_response_is_that_of_the_prototype(response: str, cutoff: float, resonance: float) -> None:
    """Within 0.1 dB (Zavalishin, The Art of VA Filter Design, ch. 4; scipy.signal.bilinear)."""
    for frequency in (30.0, 200.0, 0.5 * cutoff, cutoff, min(2 * cutoff, 19000.0), 7000.0):
        if not 8.0 <= frequency <= 12000.0:
            continue
        expected = prototype(response, cutoff, resonance, frequency)
        if expected > -70:
            assert gain_of(response, cutoff, resonance, frequency) == pytest.approx(expected, abs=0.1), frequency


@pytest.mark.parametrize("response", ["low 6", "low 12", "low 24", "high 6", "high 12", "high 24"])
def test_the_cutoff_is_three_decibels_down_and_the_slope_is_as_named(response: str) -> None:
    """Butterworth at no resonance: −3.01 dB at the cutoff; 6, 12 or 24 dB per octave far from it (textbook)."""
    assert gain_of(response, 1000.0, 0.0, 1000.0) == pytest.approx(-3.01, abs=0.1)
    far = (200.0, 100.0) if response.startswith("high") else (1200.0, 2400.0)
    cutoff = 1600.0 if response.startswith("high") else 150.0
    slope = gain_of(response, cutoff, 0.0, far[1]) - gain_of(response, cutoff, 0.0, far[0])
    expected = -float(response.split()[1])
    assert slope == pytest.approx(expected, abs=0.5), "far from the cutoff, and from Nyquist"


def test_a_band_pass_lets_its_centre_through_unchanged() -> None:
    assert gain_of("band 12", 1000.0, 0.5, 1000.0) == pytest.approx(0.0, abs=0.1)
    assert gain_of("band 24", 1000.0, 0.5, 1000.0) == pytest.approx(0.0, abs=0.1)


def test_the_drawn_curve_is_the_formula_of_the_checks() -> None:
    frequencies = np.geomspace(20, 20000, 50)
    for response in ("low 24", "band 12", "high 12"):
        drawn = 20 * np.log10(gain_at(response, 900.0, 0.4, frequencies, RATE))
        expected = [prototype(response, 900.0, 0.4, f) for f in frequencies]
        assert np.allclose(drawn, expected, atol=0.02)


def test_full_key_follow_moves_the_cutoff_with_the_key() -> None:
    patch = plain(
        layers__a__source__shape="saw",
        layers__a__filter__on=True,
        layers__a__filter__response="low 24",
        layers__a__filter__cutoff=523.25,
        layers__a__filter__follow=1.0,
    )
    ratios = []
    for key in (48, 60, 72):
        sound, pitch = steady(patch, key), 440 * 2 ** ((key - 69) / 12)
        ratios.append(decibels(amplitude_at(sound, 3 * pitch) / amplitude_at(sound, pitch)))
    assert np.ptp(ratios) < 0.2, "the same harmonics pass on every key"


def test_switched_off_the_filter_changes_nothing() -> None:
    plain_sound = render(plain(), [Note(0, 1, 57)], 0.5)
    patch = plain(layers__a__filter__cutoff=100.0, layers__a__filter__resonance=1.0)
    assert np.array_equal(plain_sound, render(patch, [Note(0, 1, 57)], 0.5))


@settings(max_examples=25)
@given(
    response=st.sampled_from(["low 12", "low 24", "high 12", "high 24", "band 12", "band 24"]),
    cutoff=st.floats(20, 20000),
    resonance=st.floats(0, 1),
    follow=st.floats(-1, 1.5),
    depth=st.floats(-120, 120),
    key=st.integers(0, 127),
    rate=st.floats(0.01, 50),
)
def test_the_filter_is_bounded_at_any_setting(
    response: str, cutoff: float, resonance: float, follow: float, depth: float, key: int, rate: float
) -> None:
    from felt_dial.patch.edits import add_modulator
    from felt_dial.patch.module import Modulator

    patch = plain(
        layers__a__filter__on=True,
        layers__a__filter__response=response,
        layers__a__filter__cutoff=cutoff,
        layers__a__filter__resonance=resonance,
        layers__a__filter__follow=follow,
        layers__a__level=-30.0,
    )
    patch, lfo = add_modulator(patch, Modulator.kinds["lfo"](rate=rate, shape="square"))
    patch, _ = sew(patch, lfo, "layers.a.filter.cutoff", depth)
    sound = render(patch, [Note(0, 0.3, key)], 0.4)
    assert np.isfinite(sound).all() and np.abs(sound).max() <= 1.0


LIVE, RENDERED = -60.0, -95.0
"""dB below its loudest that a driven filter may alias, live and at the quality of a render."""
BENDS = sorted(kind for kind, filter_ in Filter.kinds.items() if filter_.bends)


def strays(patch: Patch, path: str, rate: int, quality: int) -> float:
    """A sine near 5 kHz at full scale through a filter that is pushed by 18 dB: dB of the loudest that is no harmonic, below 20
    kHz or where the half-bands end, under the loudest of all."""
    size = 16384
    turns = int(5000 * size / rate) | 1
    patch = with_value(with_value(patch, "layers.a.fixed", True), "layers.a.frequency", turns * rate / size)
    patch = with_value(patch, f"{path}.drive", 18.0)
    if path_exists(patch, f"{path}.cutoff"):
        patch = with_value(patch, f"{path}.cutoff", 12000.0)
    bins = np.arange(size // 2 + 1)
    other = np.min([np.abs(bins - k * turns) for k in range(1, rate // 10000 + 1)], axis=0) > 12
    heard = (bins > 20) & (bins < min(20000, 0.4 * rate) * size / rate)
    sound = render(patch, [Note(0.0, 2.0, 69)], 1.5, rate=rate, quality=quality)[0, -size:].astype(np.float64)
    power = np.abs(np.fft.rfft(sound * np.kaiser(size, 20.0)))
    return decibels(power[other & heard].max() / power.max())


SINE = {"layers__a__source__shape": "sine", "layers__a__level": -12.0}


@pytest.mark.parametrize("kind", BENDS)
@pytest.mark.parametrize("place", ["layers.a.filter", "buses.1.filter"])
def test_a_driven_filter_hardly_aliases(kind: str, place: str) -> None:
    """In a layer at every rate and quality, and in a bus."""
    patch = replace_module(plain(**SINE), place, Filter.kinds[kind](on=True))
    if place.startswith("buses"):
        patch = with_value(patch, "layers.a.out", "bus1")
        assert strays(patch, place, RATE, 1) < LIVE and strays(patch, place, RATE, 4) < RENDERED
        return
    found = {
        (rate, quality): strays(patch, place, rate, quality) for rate in (44100, RATE, 96000) for quality in (1, 2, 4)
    }
    live = (
        LIVE + 5.0 if kind == "formant" else LIVE
    )  # at 44.1 kHz; a throat lets 5 kHz through far softer than what folds below
    assert all(away < (RENDERED if quality == 4 else live) for (_, quality), away in found.items()), found


@pytest.mark.parametrize(
    "effect", sorted(name for name, one in Effect.kinds.items() if issubclass(one, Filter) and one.bends)
)
def test_nor_does_a_driven_filter_in_a_rack(effect: str) -> None:
    patch, key = add_effect(plain(**SINE), "1", Effect.kinds[effect]())
    assert strays(patch, f"racks.1.{key}", RATE, 1) < LIVE and strays(patch, f"racks.1.{key}", RATE, 4) < RENDERED


@pytest.mark.parametrize("kind", BENDS)
def test_driven_voices_are_in_step_with_those_that_are_not(kind: str) -> None:
    """Two layers of one sine, one through a filter that lets all of it through: driven by next to nothing, they add up."""
    patch = plain(layers__a__source__shape="sine", layers__a__level=-12.0)
    patch, other = duplicate_layer(patch, "a")
    patch = replace_module(patch, f"layers.{other}.filter", Filter.kinds[kind](on=True))
    if "cutoff" in Filter.kinds[kind].params:
        patch = with_value(patch, f"layers.{other}.filter.cutoff", 20000.0)

    def level(drive: float) -> float:
        driven = with_value(patch, f"layers.{other}.filter.drive", drive)
        return decibels(float(np.sqrt(np.square(steady(driven, 100)).mean())))

    assert level(0.01) == pytest.approx(level(0.0), abs=0.5), "three frames apart would be 1.2 dB"
