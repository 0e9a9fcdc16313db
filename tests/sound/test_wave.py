"""The Wave source against ISO 16, Fourier series, and our own limit for aliasing."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal

from felt_dial.patch.edits import sew
from felt_dial.patch.module import Modulator
from felt_dial.patch.patch import put, with_value
from felt_dial.patch.phrase import Note
from felt_dial.patch.units import note_frequency
from felt_dial.sound.render import render
from tests.sound.listening import RATE, amplitude_at, decibels, exact_frequency, plain, steady, worst_alias


@pytest.mark.parametrize("key", [21, 36, 57, 69, 84, 108])
def test_key_n_sounds_at_its_pitch(key: int) -> None:
    """ISO 16:1975 (A4 = 440 Hz) and the key numbers of MIDI 1.0; 0.05 cent is far below any ear."""
    expected = 440.0 * 2 ** ((key - 69) / 12)
    found = exact_frequency(steady(plain(layers__a__source__shape="sine"), key), expected)
    assert abs(1200 * np.log2(found / expected)) < 0.05


def test_octave_pitch_and_fine_add_up_and_fixed_ignores_the_key() -> None:
    moved = plain(layers__a__octave=-1, layers__a__pitch=7.0, layers__a__fine=-25.0, layers__a__source__shape="sine")
    expected = 440.0 * 2 ** ((-12 + 7 - 0.25) / 12)
    assert abs(1200 * np.log2(exact_frequency(steady(moved, 69), expected) / expected)) < 0.05
    fixed = plain(layers__a__fixed=True, layers__a__frequency=500.0, layers__a__source__shape="sine")
    for key in (40, 90):
        assert exact_frequency(steady(fixed, key), 500.0) == pytest.approx(500.0, abs=0.01)


def reference_harmonics(shape: str, width: float, count: int) -> np.ndarray:
    """Amplitudes of harmonics 1 … count from the textbook shapes of scipy.signal, by a long Fourier sum."""
    phase = 2 * np.pi * (np.arange(1 << 20) + 0.5) / (1 << 20)
    wave = {
        "saw": lambda: signal.sawtooth(phase),
        "triangle": lambda: signal.sawtooth(phase, 0.5),
        "pulse": lambda: signal.square(phase, width),
        "sine": lambda: np.sin(phase),
    }[shape]()
    return 2 * np.abs(np.fft.rfft(wave)[1 : count + 1]) / len(wave)


@pytest.mark.parametrize("key", [28, 60, 93])
@pytest.mark.parametrize(("shape", "width"), [("saw", 0.5), ("triangle", 0.5), ("pulse", 0.5), ("pulse", 0.23)])
def test_every_harmonic_has_its_textbook_level(shape: str, width: float, key: int) -> None:
    """Within 0.1 dB up to 0.45 of the rate, where the series itself is above −80 dB."""
    sound = steady(plain(layers__a__source__shape=shape, layers__a__source__width=width), key)
    fundamental = note_frequency(key)
    count = int(0.45 * RATE / fundamental)
    expected = reference_harmonics(shape, width, count)
    for n in range(1, count + 1):
        if expected[n - 1] > 1e-4 and (n <= 24 or n % 17 == 0 or n == count):
            found = amplitude_at(sound, n * fundamental)
            assert abs(decibels(found) - decibels(expected[n - 1])) < 0.1, f"harmonic {n}"


@pytest.mark.parametrize(("quality", "limit"), [(1, -85.0), (4, -100.0)])
@pytest.mark.parametrize("shape", ["saw", "pulse", "triangle", "sine"])
def test_nothing_sounds_beside_the_harmonics(shape: str, quality: int, limit: float) -> None:
    """Keys 21–108; the limits are our own. The pulse is narrow so that its harmonics stay strong."""
    patch = plain(layers__a__source__shape=shape, layers__a__source__width=0.31)
    for key in (21, 33, 45, 58, 71, 83, 96, 103, 108):
        frequency = note_frequency(key)
        sound = steady(patch, key, frames=131072 if key < 30 else 65536, quality=quality)
        assert worst_alias(sound, frequency) < limit, f"key {key}"


def test_width_moves_at_tick_rate_without_clicks() -> None:
    """A click is a jump larger than the pulse's own edges, which measure 2 from crest to crest."""
    patch = plain(layers__a__source__shape="pulse", layers__a__source__width=0.5)
    modulators = {**patch.modulators, "l1": Modulator.kinds["lfo"](rate=13.0)}
    patch, _ = sew(put(patch, ["modulators"], modulators), "l1", "layers.a.source.width", 0.4)
    sound = render(patch, [Note(0, 2, 45)], 1.0)[0]
    assert np.abs(np.diff(sound)).max() < 2.0
    assert abs(sound[4800:].mean()) < 0.02


def test_a_change_of_shape_crossfades() -> None:
    from felt_dial.patch.patch import slots
    from felt_dial.sound.engine.program import Program
    from felt_dial.sound.playing.events import ON, Event

    program = Program(plain(layers__a__source__shape="sine"))
    shape = next(n for n, slot in enumerate(slots(program.patch)) if slot.path == "layers.a.source.shape")
    blocks = [program.block([Event(0, ON, 57, 1.0)])[0].copy()]
    program.values[shape] = 1.0
    blocks += [program.block()[0].copy() for _ in range(3)]
    assert np.abs(np.diff(np.concatenate(blocks))).max() < 0.08


@pytest.mark.parametrize("key", [84, 96, 108])
@pytest.mark.parametrize("sync", [19.1, 31.7, 43.3])
def test_a_wave_synchronised_beyond_hearing_fades_and_does_not_alias(key: int, sync: float) -> None:
    """What is no harmonic of the note, below 20 kHz, stays 85 dB under a saw of that level; above 26 kHz nothing is left."""
    size = 65536
    turns = round(440.0 * 2 ** ((key - 69) / 12) * size / RATE)
    patch = plain(layers__a__source__shape="saw", layers__a__source__sync=sync, layers__a__fixed=True)
    patch = with_value(patch, "layers.a.frequency", turns * RATE / size)
    sound = render(patch, [Note(0, 3, key)], 2.0)[0, -size:].astype(np.float64)
    power = np.abs(np.fft.rfft(sound * np.kaiser(size, 20.0))) / np.kaiser(size, 20.0).sum()
    bins = np.arange(len(power))
    beside = np.abs((bins + turns / 2) % turns - turns / 2) > 12
    heard = (bins > 30) & (bins < 20000 * size / RATE)
    assert 20 * np.log10(power[heard & beside].max() + 1e-12) < -85.0
    if turns * RATE / size * 2 ** (sync / 12) > 26500.0:
        assert np.abs(sound).max() < 1e-6
