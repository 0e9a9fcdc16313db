"""What the pictures of sound are drawn from: spectra, turns, true peaks, correlation."""

from __future__ import annotations

import numpy as np
import pytest

from felt_dial.sound.spectra import correlation, frequency_at, locked, note_name, period, spectrum, true_peak
from tests.sound.listening import RATE, decibels, tone


def test_a_full_scale_sine_reads_nothing_below_full_scale() -> None:
    for frequency in (60.0, 997.0, 15000.0):
        line = spectrum(tone(frequency, 0.0)[:, :8192].astype(np.float32), RATE)
        place = int(np.argmax(line))
        assert line.max() == pytest.approx(0.0, abs=1.6), "a Hann window scallops by 1.42 dB (Harris 1978)"
        assert frequency_at((place + 0.5) / len(line)) == pytest.approx(frequency, rel=0.03)


def test_notes_are_named() -> None:
    assert note_name(440.0) == "A4 ±0 ct" and note_name(261.63).startswith("C4") and note_name(445.0) == "A4 +20 ct"
    assert note_name(432.0, 432.0) == "A4 ±0 ct" and note_name(27.5) == "A0 ±0 ct"


def test_the_scope_finds_the_turn_of_a_wave_and_none_in_noise() -> None:
    for frequency in (55.0, 220.0, 1000.0):
        saw = (np.arange(8192) * frequency / RATE) % 1.0 - 0.5
        assert period(saw, RATE) == pytest.approx(RATE / frequency, abs=1.5)
        piece = locked(saw, RATE)
        assert len(piece) == pytest.approx(2 * RATE / frequency, abs=3)
    assert period(np.random.default_rng(1).uniform(-1, 1, 4096), RATE) == 0 and period(np.zeros(4096), RATE) == 0


def test_a_true_peak_between_frames_is_found() -> None:
    """A sine at a quarter of the rate, an eighth of a turn off: samples at −3.01 dB, true peak 0 (EBU Tech 3341, test 15)."""
    sound = np.tile(np.sin(0.5 * np.pi * np.arange(2000) + np.pi / 4), (2, 1)).astype(np.float32)
    assert decibels(float(np.abs(sound).max())) == pytest.approx(-3.01, abs=0.01)
    assert decibels(true_peak(sound)) == pytest.approx(0.0, abs=0.3)


def test_correlation_is_one_nothing_and_minus_one() -> None:
    a, b = np.random.default_rng(3).uniform(-1, 1, (2, 20000)).astype(np.float32)
    assert correlation(np.array([a, a])) == pytest.approx(1.0) and correlation(np.array([a, -a])) == pytest.approx(-1.0)
    assert abs(correlation(np.array([a, b]))) < 0.05 and correlation(np.zeros((2, 10), np.float32)) == 1.0


def test_the_low_end_of_a_spectrum_is_a_line_and_not_steps() -> None:
    """Where points lie closer than bins they follow the lobe of the window: Hann's, whose transform is known.

    sin(πx)/(πx) · 1/(1 − x²) of the distance x in bins (F. J. Harris, Proc. IEEE 66(1), 1978).
    """
    frequency = 9.5 * RATE / 8192
    line = spectrum(tone(frequency, 0.0)[:, :8192].astype(np.float32), RATE)
    hertz = np.array([frequency_at((n + 0.5) / len(line)) for n in range(len(line))])
    x = np.abs(hertz - frequency) * 8192 / RATE
    near = x < 0.75
    exact = 20 * np.log10(np.abs(np.sinc(x[near]) / (1 - x[near] ** 2)))
    assert near.sum() > 8
    assert np.abs(line[near] - exact).max() < 0.7
    steps = np.diff(line[near])
    assert (np.abs(steps) > 1e-6).all(), "no two points beside each other are the same"
