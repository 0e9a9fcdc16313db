"""Effects against closed forms and published ones: what goes in is made here, what comes out is measured here."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy import signal

from felt_dial.patch.edits import add_effect, add_modulator, sew
from felt_dial.patch.module import Effect, Modulator
from felt_dial.patch.patch import with_value
from felt_dial.patch.phrase import Note
from felt_dial.patch.shaping import DRAWN_AT_FIRST, WAYS
from felt_dial.sound.effects.compressor import static_curve
from felt_dial.sound.effects.equaliser import response
from felt_dial.sound.engine.program import Program
from felt_dial.sound.engine.running_module import latency_of
from felt_dial.sound.render import render
from felt_dial.sound.sizes import BLOCK
from felt_dial.sound.tone.core.transfer import curve
from felt_dial.sound.tone.kernels.core.transfer import drawn_table
from tests.sound.listening import RATE, amplitude_at, areas_of, decibels, noise, plain, sine, weighted_level
from tests.sound.walking import through_rack

Sound = NDArray[np.float64]


def through(kind: str, sound: Sound, **values: object) -> Sound:
    """A sound (channel, frame) through one effect of a running program, block by block."""
    effect = Effect.kinds[kind]()
    for name, value in values.items():
        effect = effect.with_value(name, value)
    program = Program(add_effect(plain(), "1", effect)[0], RATE)
    program.block()
    rack, out = program.racks["1"], []
    padded = np.pad(sound, ((0, 0), (0, -sound.shape[1] % BLOCK)))
    for at in range(0, padded.shape[1], BLOCK):
        block = padded[:, at : at + BLOCK].astype(np.float32).copy()
        assert through_rack(rack, block) == []
        out.append(block.astype(np.float64))
    return np.concatenate(out, axis=1)[:, : sound.shape[1]]


def impulse(seconds: float = 1.0) -> Sound:
    sound = np.zeros((2, round(seconds * RATE)))
    sound[:, 0] = 1.0
    return sound


# --- every effect ------------------------------------------------------------------------------


@pytest.mark.parametrize("kind", sorted(Effect.kinds))
def test_off_is_the_same_bytes_and_extremes_are_finite_and_recover(kind: str) -> None:
    """Every dial at both ends, ten times full scale in; a second after the dials are back the noise floor is back too."""
    sound = noise(0.3)
    assert (through(kind, sound, on=False) == sound.astype(np.float32)).all()
    for place in (0.0, 1.0):
        values: dict[str, object] = {
            name: param.at(place) for name, param in Effect.kinds[kind].params.items() if hasattr(param, "at")
        }
        out = through(kind, np.concatenate([10 * sound, np.zeros((2, RATE))], axis=1), **values)
        assert np.isfinite(out).all() and np.abs(out).max() < 1e5


@pytest.mark.parametrize("kind", [k for k in sorted(Effect.kinds) if "wet" in Effect.kinds[k].params])
def test_a_wet_of_nothing_leaves_the_sound(kind: str) -> None:
    sound = noise(0.2)
    out = through(kind, sound, wet=0.0)
    late = latency_of(Effect.kinds[kind](), RATE)
    assert np.abs(out[:, late:] - sound[:, : sound.shape[1] - late]).max() < 2e-7


@pytest.mark.parametrize("kind", sorted(Effect.kinds))
def test_silence_stays_silent_and_tails_end(kind: str) -> None:
    assert not through(kind, np.zeros((2, RATE // 4))).any()
    out = through(kind, np.concatenate([noise(0.1), np.zeros((2, 6 * RATE))], axis=1))
    assert np.abs(out[:, -2000:]).max() < 1e-3


# --- equaliser ---------------------------------------------------------------------------------

BANDS = [
    {"form2": "bell", "frequency2": 1000.0, "gain2": 9.0, "width2": 2.0},
    {"form1": "low", "frequency1": 200.0, "gain1": -8.0, "width1": 0.707},
    {"form8": "high", "frequency8": 5000.0, "gain8": 6.0, "width8": 0.707},
    {"form1": "low cut", "frequency1": 300.0, "slope1": 4},
    {"form8": "high cut", "frequency8": 4000.0, "slope8": 2},
    {"form3": "notch", "frequency3": 1500.0, "width3": 4.0},
]


def analogue(values: dict[str, Any], frequencies: NDArray[np.float64]) -> NDArray[np.float64]:
    """dB of the analogue prototypes of the Audio EQ Cookbook under the bilinear transform, by scipy; W3C Note."""
    name = next(iter(values))
    band, form = name[-1], values[name]
    f0, gain = values[f"frequency{band}"], values.get(f"gain{band}", 0.0)
    q, slope = values.get(f"width{band}", 1.0), values.get(f"slope{band}", 1)
    w = np.tan(np.pi * frequencies / RATE) / np.tan(np.pi * f0 / RATE)
    s, a = 1j * w, 10 ** (gain / 40)
    forms = {
        "bell": lambda: (s**2 + s * a / q + 1) / (s**2 + s / (a * q) + 1),
        "low": lambda: a * (s**2 + np.sqrt(a) / q * s + a) / (a * s**2 + np.sqrt(a) / q * s + 1),
        "high": lambda: a * (a * s**2 + np.sqrt(a) / q * s + 1) / (s**2 + np.sqrt(a) / q * s + a),
        "notch": lambda: (s**2 + 1) / (s**2 + s / q + 1),
    }
    if form in forms:
        return 20 * np.log10(np.abs(forms[form]()) + 1e-12)
    b, at = signal.butter(2 * slope, 1.0, "high" if form == "low cut" else "low", analog=True)
    return 20 * np.log10(np.abs(signal.freqs(b, at, w)[1]) + 1e-12)


@pytest.mark.parametrize("values", BANDS)
def test_a_band_is_that_of_the_cookbook(values: dict[str, Any]) -> None:
    """Within 0.05 dB of the prototype down to −60 dB; the drawn curve likewise."""
    still = {"form2": "off", "form5": "off"} | values
    out = through("equaliser", impulse(0.5), **still)[0]
    frequencies = np.fft.rfftfreq(len(out), 1 / RATE)[10:-200]
    found = 20 * np.log10(np.abs(np.fft.rfft(out))[10:-200] + 1e-12)
    exact = analogue(values, frequencies)
    clear = exact > -60
    assert np.abs(found - exact)[clear].max() < 0.05
    effect = Effect.kinds["equaliser"]()
    for name, value in still.items():
        effect = effect.with_value(name, value)
    assert np.abs(response(effect, frequencies) - exact)[clear].max() < 0.05


@pytest.mark.parametrize(
    ("dial", "words"),
    [
        ("frequency1", {"form1": "bell", "frequency1": 1000.0, "gain1": 12.0, "width1": 2.0}),
        ("gain1", {"form1": "low", "frequency1": 1000.0, "gain1": 6.0}),
        ("frequency1", {"form1": "low cut", "frequency1": 900.0, "slope1": 2}),
        ("frequency1", {"form1": "notch", "frequency1": 1000.0, "width1": 8.0}),
    ],
)
def test_a_band_that_moves_makes_no_steps(dial: str, words: dict[str, object]) -> None:
    """A sine while an LFO moves a band three times a second: nothing beside it, where a step every tick would stand.

    Steps at 3 kHz would put the sine's shadows at 2 and at 4 kHz; −69 dB of them were there when it did step.
    """
    patch = plain(layers__a__source__shape="sine", layers__a__level=-30.0)
    patch, key = add_effect(patch, "1", Effect.kinds["equaliser"](form2="off", **words))
    patch, lfo = add_modulator(patch, Modulator.kinds["lfo"](rate=3.0))
    sound = render(sew(patch, lfo, f"racks.1.{key}.{dial}", 12.0)[0], [Note(0, 3, 83)], 2.0)[0, RATE // 2 :]
    power = np.abs(np.fft.rfft(sound * np.kaiser(len(sound), 18.0)))
    hertz = np.fft.rfftfreq(len(sound), 1 / RATE)
    assert decibels(float(power[(hertz > 1500) & (hertz < 5000)].max() / power.max())) < -115


def test_a_band_is_left_out_only_when_it_has_rung_out() -> None:
    """A narrow bell whose gain goes back to nothing within a tick: its ring dies away, it is not cut off."""
    patch = add_effect(plain(), "1", Effect.kinds["equaliser"](form2="off", gain1=24.0, form1="bell", width1=18.0))[0]
    program = Program(with_value(patch, "racks.1.equaliser1.frequency1", 500.0), RATE)
    program.block()
    rack, placed = program.racks["1"], program.racks["1"].effects[0].running
    through_rack(rack, np.full((2, BLOCK), 0.5, np.float32))
    placed.control[placed.module.row_of("gain1")] = 0.0
    out = np.zeros((2, 40 * BLOCK), np.float32)
    for at in range(0, out.shape[1], BLOCK):
        through_rack(rack, out[:, at : at + BLOCK])
    assert np.abs(out[0, :2000]).max() > 1e-4
    assert np.abs(np.diff(out[0], 2)).max() < 0.01 and np.abs(out[0, -BLOCK:]).max() == 0.0


# --- compressor and limiter --------------------------------------------------------------------


@pytest.mark.parametrize(("level", "out"), [(-14.0, -17.0), (-18.0 - 6.0, -24.0), (-6.0, -15.0)])
def test_at_4_to_1_four_decibels_over_come_out_as_one(level: float, out: float) -> None:
    """Giannoulis, Massberg, Reiss, JAES 60(6), 2012; a square wave, whose peak stands still."""
    square = np.tile(10 ** (level / 20) * np.sign(np.sin(2 * np.pi * 200 * np.arange(RATE) / RATE + 0.01)), (2, 1))
    found = through("compressor", square, threshold=-18.0, ratio=4.0, knee=0.0, attack=0.001, release=0.5)
    assert decibels(float(np.abs(found[0, -4800:]).max())) == pytest.approx(out, abs=0.1)
    assert static_curve(level, -18.0, 4.0, 0.0) == pytest.approx(out)


@pytest.mark.parametrize("seconds", [0.005, 0.02])
def test_attack_and_release_reach_63_per_cent_in_their_time(seconds: float) -> None:
    level = np.where(np.arange(2 * RATE) < RATE // 2, 0.01, np.where(np.arange(2 * RATE) < RATE, 0.5, 0.01))
    sound = np.tile(level, (2, 1))
    out = through("compressor", sound, threshold=-26.0, ratio=4.0, knee=0.0, attack=seconds, release=8 * seconds)[0]
    reduced = 20 * np.log10(out / level)
    goal = reduced[RATE - 10]
    rise = np.argmax(reduced[RATE // 2 :] < goal * (1 - np.exp(-1))) / RATE
    fall = np.argmax(reduced[RATE:] > goal * np.exp(-1)) / RATE
    assert rise == pytest.approx(seconds, rel=0.03) and fall == pytest.approx(8 * seconds, rel=0.03)


def test_a_limiter_holds_its_ceiling_and_leaves_what_is_below() -> None:
    loud = sine(97.0, 9.0) * (1 + 0.5 * sine(3.0)) + noise(1.0, -20.0)
    out = through("limiter", loud, ceiling=-3.0)
    assert np.abs(out).max() <= 10 ** (-3 / 20) + 1e-6
    soft = noise(0.5, -20.0)
    late = Effect.kinds["limiter"]().late(RATE)
    assert np.abs(through("limiter", soft)[:, late:] - soft[:, :-late]).max() < 1e-6


@pytest.mark.parametrize("hertz", [997.0, 5500.0, 11025.0, 12000.0, 15000.0])
def test_a_limiter_holds_the_true_peak(hertz: float) -> None:
    """ITU-R BS.1770-4, annex 2: the peak at sixteen times the rate, where a sine of a quarter of the rate between frames
    passes 3 dB above them."""
    t = np.arange(RATE) / RATE
    loud = np.tile(4.0 * np.sin(2 * np.pi * hertz * t + np.pi / 4) * np.minimum(1.0, 8.0 * t), (2, 1))
    out = through("limiter", loud, ceiling=-1.0, release=0.2)[0]
    assert decibels(float(np.abs(signal.resample_poly(out[2000:], 16, 1)[200:-200]).max())) <= -1.0 + 0.1


@pytest.mark.parametrize("hertz", [60.0, 440.0, 3000.0])
@pytest.mark.parametrize("level", [-12.0, -3.0])
def test_a_compressor_comes_to_its_curve_with_a_sine(hertz: float, level: float) -> None:
    """Giannoulis, Massberg, Reiss, JAES 60(6), 2012, eq. 4: the static curve counts peaks."""
    sound = sine(hertz, level, 2.0)
    out = through("compressor", sound, threshold=-24.0, ratio=4.0, knee=0.0, attack=0.01, release=0.3)[0, -RATE // 2 :]
    assert decibels(float(np.abs(out).max())) == pytest.approx(float(static_curve(level, -24.0, 4.0, 0.0)), abs=0.4)


def test_attack_of_a_sine_lasts_as_long_as_the_label_says() -> None:
    """A tone of 2 kHz that rises by 30 dB: the gain has made 63 % of its way after the attack."""
    level = np.where(np.arange(RATE) < RATE // 2, 0.01, 0.5)
    sound = np.tile(level * np.sin(2 * np.pi * 2000 * np.arange(RATE) / RATE), (2, 1))
    out = through("compressor", sound, threshold=-26.0, ratio=4.0, knee=0.0, attack=0.03, release=0.4)[0]
    peaks = np.abs(out).reshape(-1, 24).max(axis=1)
    reduced = 20 * np.log10(peaks / np.abs(sound[0]).reshape(-1, 24).max(axis=1))
    rise = np.argmax(reduced[1000:] < reduced[-1] * (1 - np.exp(-1))) * 24 / RATE
    assert rise == pytest.approx(0.03, rel=0.06)


# --- drive and reduce --------------------------------------------------------------------------


CURVED = [way for way in WAYS if way != "reduce"]
DRAWN = drawn_table(np.array([4.0, *(x for row in DRAWN_AT_FIRST for x in row)]), True)


@pytest.mark.parametrize("way", CURVED)
def test_the_area_under_a_curve_is_its_antiderivative(way: str) -> None:
    x = np.linspace(-6, 6, 4001) + 1e-4
    area = areas_of(way, x, DRAWN)
    near = np.abs(np.gradient(area, x) - curve(way, x, DRAWN_AT_FIRST)) < 4e-3
    assert near.mean() > 0.99
    assert np.abs(np.diff(area)).max() < 0.01, "it has no jumps"


@pytest.mark.parametrize("way", CURVED)
def test_a_driven_sine_has_the_harmonics_of_its_curve(way: str) -> None:
    """The Fourier series of curve(g sin) by an FFT of one exact turn, to −50 dB, within 0.5 dB up to the fifth at 93.75 Hz."""
    push = 10 ** (12 / 20)
    turn = curve(way, push * np.sin(2 * np.pi * np.arange(8192) / 8192), DRAWN_AT_FIRST)
    exact = 2 * np.abs(np.fft.rfft(turn)) / 8192
    out = through("drive", sine(93.75, 0.0, 2.0), way=way, amount=12.0, kept=False)[0, RATE:]
    for n in range(1, 6):
        if exact[n] > 0.003:
            assert decibels(amplitude_at(out, 93.75 * n)) == pytest.approx(decibels(float(exact[n])), abs=0.5), n


@pytest.mark.parametrize("way", [way for way in CURVED if way != "wrap"])
def test_antiderivatives_alias_less_than_the_plain_curve(way: str) -> None:
    """A sine near 5 kHz at +24 dB (Parker, Zavalishin, Le Bivic, DAFx 2016): all that is no harmonic, against the naive.

    A wrap is left out: its jumps alias as they are.
    """
    frequency = 427 * RATE / 4096
    driven = sine(frequency, 0.0, 1.0)
    naive = curve(way, 10 ** (24 / 20) * driven[0], DRAWN_AT_FIRST)
    out = through("drive", driven, way=way, amount=24.0, kept=False)[0]

    def aliases(sound: Sound) -> float:
        spectrum = np.abs(np.fft.rfft(sound[-4096 * 8 :] * signal.windows.kaiser(4096 * 8, 20.0)))
        bins = np.arange(len(spectrum))
        other = np.min([np.abs(bins - 427 * 8 * k) for k in range(1, 5)], axis=0) > 40
        return decibels(float(np.sqrt((spectrum[other & (bins > 40)] ** 2).sum() / (spectrum**2).sum())))

    assert aliases(out) < aliases(naive) - 3.0


def test_level_kept_is_as_loud_as_before_and_bias_leaves_no_direct_current() -> None:
    sound = sine(220.0, -9.0, 4.0)
    for way in CURVED:
        out = through("drive", sound, way=way, amount=20.0, bias=0.3)[0, -RATE:]
        assert weighted_level(out) == pytest.approx(weighted_level(sound[0, -RATE:]), abs=0.6), way
        assert abs(out.mean()) < 1e-3


KEPT = [kind for kind in sorted(Effect.kinds) if "kept" in Effect.kinds[kind].params]


@pytest.mark.parametrize("kind", ["voice", *KEPT])
def test_the_first_hit_is_kept_as_loud_as_the_fourth(kind: str) -> None:
    """Four hits of a saw of a fifth of a second: each as loud as the first (ITU-R BS.1770-4), and a render of one alone."""
    patch = plain(layers__a__source__shape="saw", layers__a__level=-18.0)
    if kind == "voice":
        for name, value in {"on": True, "way": "soft", "amount": 24.0, "kept": True}.items():
            patch = with_value(patch, f"layers.a.drive.{name}", value)
    else:
        patch, key = add_effect(patch, "1", Effect.kinds[kind](kept=True))
        if kind == "drive":
            patch = with_value(patch, f"racks.1.{key}.amount", 24.0)
    hits = [Note(0.7 * n, 0.2, 45) for n in range(4)]
    sound = render(patch, hits, 2.8)[0].astype(np.float64)
    alone = render(patch, hits[:1], 0.7)[0].astype(np.float64)
    levels = [weighted_level(sound[round(0.7 * n * RATE) :][: round(0.3 * RATE)]) for n in range(4)]
    assert weighted_level(alone[: round(0.3 * RATE)]) == pytest.approx(levels[0], abs=1e-3)
    sways = kind in ("chorus", "flanger", "phaser", "rotary", "thicken")  # the hits differ by themselves
    assert max(levels) - min(levels) < (2.0 if sways else 0.6), levels


def test_reducing_rounds_to_so_many_bits_and_holds() -> None:
    out = through("reduce", sine(100.0, -1.0, 0.2), bits=4.0, rate=48000.0)[0]
    assert set(np.round(out * 8, 6)) <= set(range(-8, 9))
    held = through("reduce", noise(0.2), bits=24.0, rate=6000.0)[0]
    changes = np.flatnonzero(np.diff(held))
    assert np.diff(changes).min() >= 7 and len(changes) == pytest.approx(0.2 * 6000, abs=3)


# --- rooms -------------------------------------------------------------------------------------


def decay_time(sound: Sound) -> float:
    """T30 by backward integration, doubled (ISO 3382-1; M. R. Schroeder, JASA 37 (1965))."""
    power = np.cumsum((sound**2).sum(axis=0)[::-1])[::-1]
    level = 10 * np.log10(power / power[0] + 1e-15)
    a, b = np.argmax(level < -5), np.argmax(level < -35)
    assert b > a > 0
    t = np.arange(a, b) / RATE
    return float(-60 / np.polyfit(t, level[a:b], 1)[0])


@pytest.mark.parametrize("way", ["room", "hall", "plate", "cloud"])
@pytest.mark.parametrize("seconds", [0.6, 2.5])
@pytest.mark.parametrize("size", [0.5, 1.5])
def test_a_room_dies_away_in_its_decay(way: str, seconds: float, size: float) -> None:
    """Within 10 % of the dial, without damping and cuts (which make it shorter, as they say)."""
    out = through(
        "reverb",
        impulse(seconds * 1.4),
        way=way,
        decay=seconds,
        size=size,
        damping=0.0,
        wet=1.0,
        low_cut=20.0,
        high_cut=20000.0,
        movement=0.0,
    )
    out[:, 0] = 0.0
    assert decay_time(out) == pytest.approx(seconds, rel=0.1)


def test_a_room_does_not_flutter_and_freezes() -> None:
    """No echo of its tail stands out: the autocorrelation of the hall's tail from 0.3 s on is below 0.35 beyond 1 ms."""
    out = through("reverb", impulse(2.0), way="hall", decay=2.0, wet=1.0)[0]
    tail = out[round(0.3 * RATE) : round(1.3 * RATE)] * 10 ** (3 * np.arange(RATE) / RATE / 2.0)
    spectrum = np.abs(np.fft.rfft(tail, 4 * RATE)) ** 2
    correlation = np.fft.irfft(spectrum)
    assert np.abs(correlation[48 : RATE // 2]).max() / correlation[0] < 0.35
    held = through(
        "reverb", np.concatenate([noise(0.5), np.zeros((2, 3 * RATE))], axis=1), freeze=False, decay=30.0, wet=1.0
    )
    assert np.abs(held[:, -1000:]).max() > 0.001


# --- swaying -----------------------------------------------------------------------------------


def test_a_phaser_standing_still_is_its_closed_form() -> None:
    effect = Effect.kinds["phaser"](depth=0.0, frequency=700.0, feedback=0.4, stages=4)
    out = through("phaser", impulse(0.5), depth=0.0, frequency=700.0, feedback=0.4, stages=4)[0]
    frequencies = np.fft.rfftfreq(len(out), 1 / RATE)[20:-100]
    found = 20 * np.log10(np.abs(np.fft.rfft(out))[20:-100] + 1e-9)
    exact = effect.response(frequencies)
    assert np.abs(found - exact)[exact > -40].max() < 0.1


def test_a_flanger_standing_still_has_teeth_at_its_delay() -> None:
    """(1 − wet) x + wet (1 + f) late, as loud for noise as x: with half of it the notches are complete, to the closed form."""
    for feedback, wet in ((0.0, 0.5), (0.4, 0.5), (-0.6, 0.5), (0.4, 0.2), (0.7, 1.0)):
        out = through("flanger", impulse(0.5), depth=0.0, time=0.002, feedback=feedback, wet=wet)[0]
        frequencies = np.fft.rfftfreq(len(out), 1 / RATE)[1:8000]
        z = np.exp(-2j * np.pi * frequencies * 0.002)
        found, exact = np.abs(np.fft.rfft(out))[1:8000], np.abs(1 - wet + wet * (1 + feedback) * z / (1 - feedback * z))
        exact /= np.sqrt((1 - wet) ** 2 + wet**2 * (1 + feedback) / (1 - feedback))
        assert np.abs(found - exact).max() < 0.02
        assert wet != 0.5 or found.min() < 0.01, "as deep as those of a phaser"
        assert (found**2).mean() == pytest.approx(1.0, abs=0.05)


@pytest.mark.parametrize("kind", ["chorus", "thicken"])
def test_copies_widen_and_keep_the_level(kind: str) -> None:
    mono = np.tile(noise(2.0)[0], (2, 1))
    out = through(kind, mono)
    side, middle = out[0] - out[1], out[0] + out[1]
    assert 0.03 < (side**2).sum() / (middle**2).sum() < 1.0
    assert decibels(float(np.sqrt((out**2).mean() / (mono**2).mean()))) == pytest.approx(0.0, abs=2.0)


def test_width_and_trim_are_what_they_say() -> None:
    sound = noise(0.5)
    assert np.allclose(through("width", sound, width=0.0)[0], sound.mean(axis=0), atol=1e-6)
    wide = through("width", sound, width=2.0)
    assert np.allclose(wide[0] - wide[1], 2 * (sound[0] - sound[1]), atol=1e-6)
    turned = Effect.kinds["width"](width=1.6, balance=-0.3).turned(*sound)
    assert np.allclose(through("width", sound, width=1.6, balance=-0.3), np.stack(turned), atol=1e-6), "as it is drawn"
    low = np.stack([sine(40.0)[0], -sine(40.0)[0]])
    assert decibels(float(np.abs(through("width", low, mono=200.0)[:, RATE // 2 :]).max())) < -25
    assert np.allclose(through("trim", sound, level=-6.0), sound * 10 ** (-6 / 20), atol=1e-6)
    assert np.allclose(through("trim", sound, invert=True), -sound, atol=1e-6)


# --- racks -------------------------------------------------------------------------------------


def test_rack_two_joins_rack_one_or_the_output() -> None:
    """A layer into rack 2, which turns it down by 6 dB; rack 1 turns all down by 12: −18 joined, −6 at the output."""
    patch = with_value(plain(layers__a__source__shape="sine"), "layers.a.out", "rack2")
    patch, _ = add_effect(patch, "2", Effect.kinds["trim"](level=-6.0))
    patch, _ = add_effect(patch, "1", Effect.kinds["trim"](level=-12.0))
    notes = [Note(0.0, 1.0, 69)]
    levels = {}
    for goes in ("rack", "out"):
        sound = render(with_value(patch, "rack2", goes), notes, 0.5)[0, 12000:].astype(np.float64)
        levels[goes] = decibels(amplitude_at(sound, 440.0))
    assert levels["out"] - levels["rack"] == pytest.approx(12.0, abs=0.01)
    plainly = render(with_value(patch, "layers.a.out", "direct"), notes, 0.5)[0, 12000:].astype(np.float64)
    assert levels["out"] - decibels(amplitude_at(plainly, 440.0)) == pytest.approx(-6.0, abs=0.01)


@pytest.mark.parametrize("copies", [1, 2, 3, 4])
def test_a_chorus_leans_to_neither_side(copies: int) -> None:
    """Noise, the same on both sides: both come out as loud within 0.3 dB, whatever the number of copies."""
    same = np.tile(noise(4.0)[0], (2, 1))
    out = through("chorus", same, copies=copies, spread=1.0, wet=1.0)
    levels = [decibels(float(np.sqrt(np.square(side).mean()))) for side in out]
    assert levels[0] == pytest.approx(levels[1], abs=0.3)


def test_a_rotary_turns_at_its_pace_from_the_first_moment() -> None:
    """The sway of the first second is as fast as that of the tenth (within 5 %)."""
    out = through("rotary", sine(4000.0, seconds=11.0), pace="fast", weight=3.0)[0]
    turns = []
    for second in (0, 10):
        level = np.abs(out[second * RATE + 9600 : second * RATE + 48000]).reshape(-1, 60).max(axis=1)
        spectrum = np.abs(np.fft.rfft((level - level.mean()) * np.hanning(len(level)), 16384))
        turns.append(np.argmax(spectrum[50:250]) + 50)
    assert turns[0] == pytest.approx(turns[1], rel=0.05)
