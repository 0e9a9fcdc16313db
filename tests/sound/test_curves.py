"""The curves of drives against the Fourier series of driven sines, and how much the antiderivatives help."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy import special

from felt_dial.patch.patch import with_value
from felt_dial.patch.phrase import Note
from felt_dial.patch.shaping import DRAWN_AT_FIRST, WAYS, Shaper
from felt_dial.sound.render import render
from felt_dial.sound.tone.core.halves import FIRST, LATER, stages
from felt_dial.sound.tone.core.transfer import curve, drawn_curve
from felt_dial.sound.tone.kernels.core.transfer import bend, drawn_table
from tests.sound.listening import RATE, amplitude_at, areas_of, decibels, noise, plain, sine, through

Sound = NDArray[np.float64]
TABLE = drawn_table(np.array([4.0, *(x for row in DRAWN_AT_FIRST for x in row)]), True)


def harmonics(way: str, amount: float, **values: object) -> list[float]:
    """Amplitudes of the first nine harmonics of a full-scale sine at 93.75 Hz through a running drive, level not kept."""
    shaper = Shaper(on=True, way=way, amount=amount, kept=False)
    for name, value in values.items():
        shaper = shaper.with_value(name, value)
    sound = through(shaper, sine(93.75, 0.0, 2.0))[0, RATE:]
    return [amplitude_at(sound, 93.75 * n) for n in range(1, 10)]


def test_a_sine_fold_makes_bessel_functions() -> None:
    """sin(β sin x) = 2 Σ J_(2k+1)(β) sin((2k+1) x): Abramowitz and Stegun, 9.1.43; scipy.special.jv. Within 0.2 dB."""
    push = 10 ** (9.0 / 20)
    found = harmonics("sine", 9.0)
    for n in (1, 3, 5, 7):
        expected = 2 * abs(special.jv(n, 0.5 * np.pi * push))
        if expected > 0.003:
            assert decibels(found[n - 1]) == pytest.approx(decibels(expected), abs=0.2), n
    assert all(decibels(found[n - 1] / found[0]) < -60 for n in (2, 4, 6)), "an odd curve makes odd harmonics"


def test_a_hard_clip_makes_the_series_of_a_clipped_sine() -> None:
    """b1 = 2/π (g φ + cos φ) with φ = asin(1/g), and b_n by integration of the trapezium-like wave (textbook)."""
    push = 10 ** (12.0 / 20)
    phi = np.arcsin(1 / push)
    first = 2 / np.pi * (push * phi + np.cos(phi))
    x = np.linspace(0, np.pi, 200001)
    wave = np.minimum(push * np.sin(x), 1.0)
    found = harmonics("hard", 12.0)
    assert decibels(found[0]) == pytest.approx(decibels(float(first)), abs=0.05)
    for n in (3, 5, 7):
        exact = abs(2 / np.pi * np.trapezoid(wave * np.sin(n * x), x))
        assert decibels(found[n - 1]) == pytest.approx(decibels(float(exact)), abs=0.3), n


def test_a_drawn_polynomial_makes_a_chebyshev_harmonic() -> None:
    """A curve drawn through T3 = 4x³ − 3x at sixteen points makes a third harmonic of a full sine (Chebyshev).

    Within 0.1 dB of the series of its straight pieces; the first harmonic is what sixteen points leave of it.
    """
    x = np.linspace(0.0, 1.0, 16)
    level = 0.5 + 0.5 * (4 * (2 * x - 1) ** 3 - 3 * (2 * x - 1))
    rows = tuple((float(a), float(b), 0.0) for a, b in zip(x, level, strict=True))
    drawn = drawn_curve(np.array([-1.0, -0.5, 0.0, 0.5, 1.0]), rows, False)
    assert drawn == pytest.approx([-1.0, 1.0, 0.0, -1.0, 1.0], abs=0.06)
    table = drawn_table(np.array([16.0, *(v for row in rows for v in row)]), False)
    pushed = np.sin(2 * np.pi * (np.arange(65537) + 0.5) / 4096)
    area = areas_of("drawn", pushed, table)
    step = np.diff(pushed)
    found = np.abs(np.fft.rfft(np.diff(area) / np.where(np.abs(step) > 1e-9, step, 1.0)))[::16] * 2 / 65536
    exact = 2 * np.abs(np.fft.rfft(2.0 * np.interp(0.5 + 0.5 * pushed[:4096], x, level) - 1.0)) / 4096
    assert found[3] == pytest.approx(exact[3], rel=0.012) and found[3] > 0.9 and found[1] < 0.08


@pytest.mark.parametrize("way", [w for w in WAYS if w != "reduce"])
def test_the_compiled_curve_is_the_drawn_one(way: str) -> None:
    """What the engine bends by and what the picture shows are one curve, within 2e-3."""
    code = list(WAYS).index(way)
    x = np.linspace(-5.0, 5.0, 2001) + 3e-4
    made = np.array([bend(code, v, TABLE) for v in x])
    assert np.mean(np.abs(made - curve(way, x, DRAWN_AT_FIRST)) < 2e-3) > 0.995


@pytest.mark.parametrize("way", ["soft", "hard", "tube", "diode", "drawn"])
def test_curves_that_end_flat_never_leave_their_ends(way: str) -> None:
    x = np.linspace(-100, 100, 5001)
    area = areas_of(way, x, TABLE)
    means = np.diff(area) / np.diff(x)
    assert means.max() <= 1.0 + 1e-9 and means.min() >= -1.0 - 1e-9
    assert (np.diff(curve(way, x, DRAWN_AT_FIRST)) > -0.2).all()


def test_a_bias_makes_even_harmonics_and_tube_and_diode_have_them_without() -> None:
    assert decibels(harmonics("soft", 12.0)[1] / harmonics("soft", 12.0)[0]) < -60.0
    assert decibels(harmonics("soft", 12.0, bias=0.5)[1] / harmonics("soft", 12.0, bias=0.5)[0]) > -30.0
    for way in ("tube", "diode"):
        found = harmonics(way, 12.0)
        assert decibels(found[1] / found[0]) > -30.0


def test_low_cut_and_tone_stand_before_and_after_the_curve() -> None:
    """One-pole filters: −3 dB at their frequency (textbook); a low cut also keeps the bass from bending."""
    soft = Shaper(on=True, way="hard", amount=0.0, kept=False)
    low = through(soft.with_value("before", 500.0), sine(500.0, -20.0))[0, RATE // 2 :]
    high = through(soft.with_value("tone", 2000.0), sine(2000.0, -20.0))[0, RATE // 2 :]
    assert decibels(amplitude_at(low, 500.0)) + 20.0 == pytest.approx(-3.01, abs=0.35)
    assert decibels(amplitude_at(high, 2000.0)) + 20.0 == pytest.approx(-3.01, abs=0.6)
    loud = soft.with_value("amount", 24.0)
    third = [
        amplitude_at(through(s, sine(60.0, -10.0, 2.0))[0, RATE:], 180.0)
        for s in (loud, loud.with_value("before", 1500.0))
    ]
    assert third[1] < 0.05 * third[0]


def test_bits_and_rate_keep_so_many_levels_and_look_so_often() -> None:
    """Three bits are steps of a quarter; a hold of 1 kHz changes every 48th frame, and stands still in between.

    Held to its rate it stays one: what lies above half of 48 kHz does not fold back, so every edge rings for a few frames.
    """
    shaper = Shaper(on=True, way="reduce", amount=0.0, kept=False, bits=3.0, hold=1000.0)
    held = through(shaper, noise(0.5, 0.0))[0, RATE // 4 :]
    edges = np.flatnonzero(np.abs(np.diff(held)) > 0.1)
    phase = np.bincount(edges % 48, minlength=48).argmax()
    stands = held[(phase + 30) % 48 :: 48]
    assert (
        np.abs(np.diff(stands) / 0.25 - np.round(np.diff(stands) / 0.25)).max() < 0.2
        and len(np.unique(stands.round(1))) > 3
    )
    fine = through(shaper.with_value("bits", 16.0), noise(0.5))[0, RATE // 4 :]
    jumps = np.flatnonzero(np.abs(np.diff(fine)) > 0.5 * np.abs(np.diff(fine)).max())
    assert np.all((np.diff(jumps) + 4) % 48 <= 8)


@pytest.mark.parametrize("way", ["soft", "hard", "tube", "diode", "sine", "fold", "drawn"])
@pytest.mark.parametrize("quality", [1, 8])
def test_a_drive_hardly_aliases(way: str, quality: int) -> None:
    """A sine near 5 kHz at full scale, pushed by 24 dB: the loudest below 20 kHz that is no harmonic, from its loudest.

    Live no louder than −60 dB (−45 where the wave is folded), at the best quality −95.
    """
    size, turns = 16384, 1708
    patch = plain(
        layers__a__source__shape="sine",
        layers__a__fixed=True,
        layers__a__frequency=turns * RATE / size,
        layers__a__level=-12.0,
        layers__a__pan=-1.0,
        layers__a__drive__on=True,
        layers__a__drive__way=way,
        layers__a__drive__amount=24.0,
    )
    sound = render(patch, [Note(0.0, 2.0, 69)], 1.5, quality=quality)[0, -size:].astype(np.float64)
    power = np.abs(np.fft.rfft(sound * np.kaiser(size, 20.0)))
    bins = np.arange(len(power))
    other = np.min([np.abs(bins - k * turns) for k in range(1, 5)], axis=0) > 12
    heard = (bins > 20) & (bins < 20000 * size / RATE)
    most = -95.0 if quality == 8 else {"sine": -45.0, "fold": -45.0}.get(way, -60.0)
    assert decibels(power[other & heard].max() / power.max()) < most


@pytest.mark.parametrize("base,quality", [(44100, 1), (48000, 1), (48000, 2), (96000, 2), (48000, 8)])
def test_half_bands_of_a_drive_let_through_what_is_heard_and_nothing_twice(base: int, quality: int) -> None:
    """Closed form of the all-passes: nothing lost to 16.5 kHz, images of it 58 dB down or more; as late as they say."""
    rate = base * quality
    rows, f = stages(rate), np.linspace(10.0, 16500.0, 400)
    for n, row in enumerate(rows):
        finer = rate * 2 ** (n + 1)
        for here, low, high in ((f, -0.01, 0.01), (rate * 2**n - f, -300.0, -58.0)):
            z = np.exp(-2j * np.pi * here / finer)
            chains = [np.ones_like(z), z]
            for k, c in enumerate(row[: FIRST if n == 0 else LATER]):
                chains[k % 2] = chains[k % 2] * (c + z * z) / (1 + c * z * z)
            gain = 20 * np.log10(np.abs(chains[0] + chains[1]) / 2 + 1e-15)
            assert gain.min() > low and gain.max() < high
    patch = plain(layers__a__source__shape="sine", layers__a__drive__amount=-12.0, layers__a__drive__kept=False)
    for name, value in (("fixed", True), ("frequency", 500.0), ("drive.way", "hard"), ("drive.level", 12.0)):
        patch = with_value(patch, f"layers.a.{name}", value)
    out = [
        render(with_value(patch, "layers.a.drive.on", on), [Note(0, 1, 60)], 0.5, rate=base, quality=quality)[
            1, -base // 4 :
        ]
        for on in (False, True)
    ]
    assert np.abs(out[0] - out[1]).max() < 0.01, (
        "a drive that bends nothing is neither early nor late, beside one that is off"
    )
