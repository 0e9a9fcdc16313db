"""Filters of every kind, drives and buses, against closed forms, published filters and each other."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray
from scipy import signal

from felt_dial.patch.edits import add_effect
from felt_dial.patch.module import Effect, Filter
from felt_dial.patch.patch import with_value
from felt_dial.patch.phrase import Note
from felt_dial.patch.shaping import WAYS, Shaper
from felt_dial.sound.engine.program import Program
from felt_dial.sound.modules import new_patch
from felt_dial.sound.playing.events import ON, Event
from felt_dial.sound.render import render
from felt_dial.sound.sizes import BLOCK
from felt_dial.sound.tone.comb import feedback
from felt_dial.sound.tone.formant import MEANS, VOWELS
from tests.sound.listening import (
    RATE,
    amplitude_at,
    decibels,
    noise,
    plain,
    response,
    sine,
    steady,
    through,
    weighted_level,
)

Sound = NDArray[np.float64]
TICKS = BLOCK // 16


def made(kind: str, **values: object) -> Any:
    filter_ = Filter.kinds[kind](on=True)
    for name, value in values.items():
        filter_ = filter_.with_value(name, value)
    return filter_


# --- responses ---------------------------------------------------------------------------------

EVERY = [
    made("state_variable", response="notch 12", cutoff=1000.0, resonance=0.4),
    made("state_variable", response="notch 24", cutoff=3000.0),
    made("state_variable", response="peak 12", cutoff=700.0, resonance=0.5),
    made("state_variable", response="peak 24", cutoff=5000.0, resonance=0.8),
    made("state_variable", response="low 6", cutoff=1500.0),
    made("state_variable", response="high 6", cutoff=300.0, resonance=0.9),
    made("shelf", cutoff=400.0, lift=9.0),
    made("shelf", side="high", cutoff=3000.0, lift=-15.0, resonance=0.5),
    *(made("ladder", response=r, cutoff=900.0, resonance=0.7) for r in ("low 24", "low 12", "band 12", "high 24")),
    made("acid", cutoff=800.0, resonance=0.8),
    made("acid", cutoff=800.0, resonance=0.0),
    made("acid", cutoff=3000.0, resonance=0.1),
    made("acid", character="wire", cutoff=2000.0, resonance=0.9),
    made("formant", vowel=2.5, throat="women"),
    made("formant", vowel=0.0, shift=5.0, resonance=0.8),
]


@pytest.mark.parametrize("resonance", [0.0, 0.05, 0.2, 0.3])
def test_rubber_is_open_up_to_its_cutoff(resonance: float) -> None:
    """Poles that lean on each other fall early by themselves: set wider, they are 3 dB down where the dial says, no sooner."""
    f, heard = response(made("acid", cutoff=700.0, resonance=resonance))
    heard = heard - heard[(f > 20) & (f < 40)].mean()
    assert np.interp(700.0, f, heard) == pytest.approx(-3.01, abs=0.4)
    assert heard[(f > 40) & (f < 600)].min() > -3.0


@pytest.mark.parametrize("filter_", EVERY, ids=lambda f: f"{f.kind} {f.gist()}")
def test_what_is_drawn_is_what_is_heard(filter_: Any) -> None:
    """The formula of the picture against the running filter, within 0.1 dB wherever it is above −60 dB."""
    f, heard = response(filter_)
    drawn = 20 * np.log10(filter_.gain(f, float(RATE), pitch=57.0) + 1e-12)
    inside = (f > 30) & (f < 16000) & (drawn > -60)
    assert np.abs(heard - drawn)[inside].max() < 0.1


def analogue(top: list[float], bottom: list[float], cutoff: float, f: Sound) -> Sound:
    """dB of a prototype with its cutoff at 1 rad/s under the bilinear transform, by scipy."""
    warped = 2 * RATE * np.tan(np.pi * cutoff / RATE)
    b, a = signal.bilinear(*signal.lp2lp(top, bottom, warped), RATE)
    return np.asarray(20 * np.log10(np.abs(signal.freqz(b, a, f, fs=RATE)[1]) + 1e-12))


def test_a_ladder_is_four_equal_poles_with_feedback() -> None:
    """1 / ((1 + s)⁴ + k) (Zavalishin, The Art of VA Filter Design, ch. 5), half of the lost bass given back; scipy."""
    k = 4.2 * 0.6
    poles = np.polymul(np.polymul([1, 1], [1, 1]), np.polymul([1, 1], [1, 1])).astype(float)
    poles[-1] += k
    f = np.array([50.0, 200.0, 700.0, 1000.0, 1500.0, 4000.0])
    expected = analogue([1 + 0.5 * k], list(poles), 1000.0, f)
    grid, heard = response(made("ladder", cutoff=1000.0, resonance=0.6))
    assert np.interp(f, grid, heard) == pytest.approx(expected, abs=0.1)


@pytest.mark.parametrize(("kind", "character"), [("ladder", None), ("acid", "rubber"), ("acid", "wire")])
def test_at_full_resonance_it_sings_at_its_cutoff_and_stays_bounded(kind: str, character: str | None) -> None:
    """The pole pair leaves the stable half plane: a click starts a tone within 3 % of the cutoff, below full scale + 6 dB."""
    words = {"character": character} if character else {}
    click = np.zeros((2, 2 * RATE))
    click[:, 10] = 0.5
    out = through(made(kind, cutoff=1000.0, resonance=1.0, **words), click)[0, RATE:]
    spectrum = np.abs(np.fft.rfft(out * np.hanning(len(out))))
    loudest = np.fft.rfftfreq(len(out), 1 / RATE)[spectrum.argmax()]
    assert loudest == pytest.approx(1000.0, rel=0.03)
    assert 0.05 < np.abs(out).max() < 2.0


def test_a_shelf_is_that_of_the_cookbook() -> None:
    """Audio EQ Cookbook (R. Bristow-Johnson, W3C Note), low shelf by Q, within 0.05 dB."""
    gain, q, f0 = 9.0, np.sqrt(0.5), 400.0
    a, w = 10 ** (gain / 40), 2 * np.pi * f0 / RATE
    alpha, c = np.sin(w) / (2 * q), np.cos(w)
    root = 2 * np.sqrt(a) * alpha
    b = [a * ((a + 1) - (a - 1) * c + root), 2 * a * ((a - 1) - (a + 1) * c), a * ((a + 1) - (a - 1) * c - root)]
    d = [(a + 1) + (a - 1) * c + root, -2 * ((a - 1) + (a + 1) * c), (a + 1) + (a - 1) * c - root]
    f = np.array([40.0, 200.0, 400.0, 800.0, 3000.0])
    expected = 20 * np.log10(np.abs(signal.freqz(b, d, f, fs=RATE)[1]))
    grid, heard = response(made("shelf", cutoff=f0, lift=gain))
    assert np.interp(f, grid, heard) == pytest.approx(expected, abs=0.05)


@pytest.mark.parametrize("key", [40, 57, 69, 81])
@pytest.mark.parametrize("teeth", ["all", "odd"])
def test_a_comb_rings_at_its_key_and_its_harmonics(key: int, teeth: str) -> None:
    """Peaks at k·f0 or (2k − 1)·f0 (closed form), their height over the valleys (1 + g) / (1 − g)."""
    f0 = 440 * 2 ** ((key - 69) / 12)
    f, heard = response(made("comb", teeth=teeth, resonance=0.7), key)
    for k in (1, 2, 3) if teeth == "all" else (1, 3, 5):
        near = (f > (k - 0.3) * f0) & (f < (k + 0.3) * f0)
        assert f[near][heard[near].argmax()] == pytest.approx(k * f0, abs=0.4 + 0.002 * k * f0), "half a bin"
    g = feedback(0.7)
    inside = (f > 0.9 * f0) & (f < (3.2 if teeth == "odd" else 2.2) * f0)
    assert np.ptp(heard[inside]) == pytest.approx(decibels((1 + g) / (1 - g)), abs=0.6)


def test_a_comb_at_full_feedback_goes_on_by_itself_in_tune() -> None:
    """A burst into the loop still sounds after four seconds, at the key within 3 cents, and the loop stays bounded."""
    burst = noise(5.0)
    burst[:, 480:] = 0.0
    out = through(made("comb", resonance=1.0), burst, key=57)[0]
    late = out[-2 * RATE :]
    assert np.abs(late).max() > 0.1 * np.abs(out[:RATE]).max()
    spectrum = np.abs(np.fft.rfft(late * np.hanning(len(late)), 8 * len(late)))
    near = slice(180 * 16, 260 * 16)
    assert 1200 * np.log2((spectrum[near].argmax() + 180 * 16) / 16 / 220.0) == pytest.approx(0.0, abs=3.0)
    assert np.abs(through(made("comb", resonance=1.0), noise(3.0, 0.0), key=57)).max() < 8.0


def test_the_formants_are_those_of_the_published_table() -> None:
    """Peterson and Barney 1952, table II (from memory): the loudest place near every formant is within 6 % of it."""
    for n, word in enumerate(VOWELS):
        f, heard = response(made("formant", vowel=word, resonance=0.9))
        for formant in MEANS[0, n][:2]:
            near = (f > 0.85 * formant) & (f < 1.15 * formant)
            assert f[near][heard[near].argmax()] == pytest.approx(formant, rel=0.06), word


# --- what filters share ------------------------------------------------------------------------


@pytest.mark.parametrize("kind", sorted(Filter.kinds))
def test_every_filter_is_bounded_recovers_and_falls_silent(kind: str) -> None:
    """All dials at both ends, 20 dB over full scale in; a second after they are back it is as if nothing had been."""
    cls = Filter.kinds[kind]
    for place in (0.0, 1.0):
        wild = cls(on=True)
        for name, param in cls.params.items():
            if hasattr(param, "at") and name not in ("wet",):
                wild = wild.with_value(name, param.at(place))
        out = through(wild, np.concatenate([10 * noise(0.3, 0.0), np.zeros((2, RATE // 2))], axis=1))
        assert np.isfinite(out).all() and np.abs(out).max() < 400.0, (kind, place)
    tame = cls(on=True).with_value("resonance", 0.2)
    out = through(tame, np.concatenate([noise(0.2), np.zeros((2, 2 * RATE))], axis=1))
    assert np.abs(out[:, -RATE // 2 :]).max() < 1e-4


@pytest.mark.parametrize("kind", sorted(Filter.kinds))
def test_a_moving_filter_does_not_click(kind: str) -> None:
    """Everything that moves goes from end to end in half a second under a sine: no step larger than the sine's own, twice."""
    filter_ = Filter.kinds[kind](on=True)
    ticks = RATE // 16 + 64
    names = [n for n in ("cutoff", "vowel", "resonance", "shift", "lift") if n in filter_.params and n != "wet"]
    for name in names:
        param = filter_.params[name]
        low, high = param.encode(param.at(0.1)), param.encode(param.at(0.9 if name != "resonance" else 0.6))
        ramp = np.interp(np.arange(ticks), [0, ticks / 2], [low, high])
        out = through(filter_, sine(110.0, -30.0), moved={name: ramp})[0]
        jump = np.abs(np.diff(out, 2)).max()
        assert jump < 0.25 * np.abs(out).max() + 1e-5, name


def test_a_cutoff_from_the_key_stands_where_the_played_pitch_is() -> None:
    """An octave above the key: the −3 dB point (Butterworth, textbook) is at twice the pitch."""
    for key in (45, 57, 69):
        filter_ = made("state_variable", counted="key", distance=12.0)
        f, heard = response(filter_, key)
        assert np.interp(2 * 440 * 2 ** ((key - 69) / 12), f, heard) == pytest.approx(-3.01, abs=0.05)


def test_a_driven_filter_bends_loud_sounds_and_leaves_soft_ones() -> None:
    for kind in ("state_variable", "ladder", "acid", "shelf"):
        clean, driven = (made(kind, cutoff=8000.0, drive=d) for d in (0.0, 24.0))
        soft = [decibels(amplitude_at(through(f, sine(200.0, -70.0))[0, RATE // 2 :], 200.0)) for f in (clean, driven)]
        loud = through(driven, sine(200.0, -6.0))[0, RATE // 2 :]
        third = decibels(amplitude_at(loud, 600.0) / amplitude_at(loud, 200.0))
        assert third > -25.0, kind
        assert soft[1] - soft[0] == pytest.approx(12.0, abs=1.0), "half of the drive is given back"


def test_a_cutoff_swung_by_a_sine_makes_side_bands_at_its_rate() -> None:
    """A band-pass whose centre swings at 150 Hz modulates what passes: side bands at ±150 Hz, none without."""
    t = np.arange(RATE) / RATE
    swing = 0.5 * np.sin(2 * np.pi * 150 * t)
    filter_ = made("state_variable", response="band 12", cutoff=1500.0, resonance=0.6)
    still = through(filter_, sine(1000.0, -20.0))[0, RATE // 2 :]
    moved = through(filter_, sine(1000.0, -20.0), swing=swing)[0, RATE // 2 :]
    assert decibels(amplitude_at(moved, 1150.0) / amplitude_at(moved, 1000.0)) > -25.0
    assert decibels(amplitude_at(still, 1150.0) / amplitude_at(still, 1000.0) + 1e-9) < -80.0


@settings(max_examples=20)
@given(
    kind=st.sampled_from(sorted(Filter.kinds)),
    place=st.floats(0, 1),
    resonance=st.floats(0, 1),
    drive=st.floats(0, 36),
    key=st.integers(0, 127),
    depth=st.floats(-4, 4),
)
def test_any_filter_swung_at_audio_rate_is_bounded(
    kind: str, place: float, resonance: float, drive: float, key: int, depth: float
) -> None:
    filter_ = made(kind, resonance=resonance, drive=drive)
    if "cutoff" in filter_.params:
        filter_ = filter_.with_value("cutoff", filter_.params["cutoff"].at(place))
    swing = depth * np.sin(2 * np.pi * 700 * np.arange(RATE // 4) / RATE)
    out = through(filter_, noise(0.25), key, swing=swing)
    assert np.isfinite(out).all() and np.abs(out).max() < 200.0


# --- drive, note by note -----------------------------------------------------------------------


def test_drive_in_a_layer_bends_each_note_and_in_a_rack_the_chord() -> None:
    """Two sines through a curve: difference tones appear only where both go through it together (trigonometry)."""
    base = with_value(with_value(new_patch(), "layers.a.source.shape", "sine"), "layers.a.level", -6.0)
    alone = with_value(with_value(base, "layers.a.drive.on", True), "layers.a.drive.amount", 18.0)
    together = add_effect(base, "1", Effect.kinds["drive"](amount=18.0))[0]
    notes = [Note(0, 2, 69), Note(0, 2, 76)]
    first, second = 440.0, 440.0 * 2 ** (7 / 12)
    levels = {}
    for name, patch in (("note", alone), ("chord", together)):
        sound = render(patch, notes, 1.8)[0].astype(np.float64)[RATE // 2 :]
        levels[name] = decibels(amplitude_at(sound, 2 * first - second) / amplitude_at(sound, first) + 1e-9)
    assert levels["chord"] > -30.0 and levels["note"] < -70.0


@pytest.mark.parametrize("way", [way for way in WAYS if way not in ("wrap", "reduce")])
def test_level_kept_begins_about_right_and_gets_there(way: str) -> None:
    """As loud after as before by ITU-R BS.1770-4, from the first tenth of a second on."""
    shaper = Shaper(on=True, way=way, amount=24.0)
    out = through(shaper, sine(220.0, -9.0, 3.0))[0]
    before = weighted_level(sine(220.0, -9.0, 3.0)[0][-RATE:])
    early, late = weighted_level(out[2000:6000]), weighted_level(out[-RATE:])
    assert early == pytest.approx(before, abs=1.5) and late == pytest.approx(before, abs=0.6)


def test_a_drawn_curve_is_heard_as_it_is_drawn_and_while_it_is_dragged() -> None:
    """A curve drawn flat at a third gives a square of a third; another drawing is heard in the next block."""
    flat = ((0.0, 0.33, 0.0), (1.0, 0.33, 0.0))
    patch = plain(layers__a__source__shape="sine", layers__a__drive__on=True, layers__a__drive__way="drawn")
    patch = with_value(with_value(patch, "layers.a.drive.kept", False), "layers.a.drive.curve", flat)
    sound = steady(patch, 45)
    program = Program(patch, RATE)
    program.block([Event(0, ON, 45, 1.0)])
    for _ in range(40):
        program.block()
    before = np.std(program.block()[0])
    at = program.layout.drawn["layers.a.drive.curve"] + program.count
    program.values[at : at + 7] = [2, 0.0, 0.66, 0.0, 1.0, 0.66, 0.0]
    for _ in range(40):
        after = np.std(program.block()[0])
    assert after / before == pytest.approx(2.0, rel=0.05)
    third, first = amplitude_at(sound, 330.0), amplitude_at(sound, 110.0)
    assert decibels(third / first) == pytest.approx(decibels(1 / 3), abs=0.5), "a square's third harmonic (textbook)"


def test_order_of_drive_and_filter_are_two_different_sounds() -> None:
    patch = plain(
        layers__a__source__shape="saw",
        layers__a__drive__on=True,
        layers__a__drive__amount=30.0,
        layers__a__filter__on=True,
        layers__a__filter__cutoff=500.0,
        layers__a__filter__response="low 24",
    )
    drive_first = steady(patch, 45)
    filter_first = steady(with_value(patch, "layers.a.order", "filter"), 45)
    tops = [decibels(amplitude_at(s, 110.0 * 31) / amplitude_at(s, 110.0)) for s in (drive_first, filter_first)]
    assert tops[1] > tops[0] + 15.0, "driven last, what the filter took away comes back as harmonics"
