"""The noise between partials: what a recording has of it, and what is put back."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray

from felt_dial.errors import Stopped
from felt_dial.patch.edits import replace_module
from felt_dial.patch.module import Source
from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.phrase import Note
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.analysis import take_apart
from felt_dial.sound.matter.audio_file import Audio
from felt_dial.sound.render import render
from tests.sound.listening import RATE, decibels, plain

SECONDS = 4
T = np.arange(SECONDS * RATE) / RATE
F0 = 220.0


def tones() -> NDArray[np.float64]:
    """Ten harmonics, the n-th at 1/n, 1.5 ms of fade at the beginning."""
    return np.asarray(
        sum(0.25 / n * np.sin(2 * np.pi * F0 * n * T + n) for n in range(1, 11)) * np.minimum(T / 0.0015, 1)
    )


def breath(level: float = 0.02) -> NDArray[np.float64]:
    """White noise of an effective value."""
    return np.random.default_rng(7).standard_normal(len(T)) * level


@pytest.fixture
def store(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("FELT_DIAL_HOME", str(tmp_path))
    assets.look_in(tmp_path)
    return tmp_path


def playing(store: Path, sound: NDArray[np.float64], **fields: object) -> Patch:
    asset = assets.keep(store / ".assets", Audio(np.atleast_2d(sound).astype(np.float32), RATE), "made")
    fields = {"life": 0.0, "root": 57, "cents": 0.0, **fields}
    return replace_module(plain(), "layers.a.source", Source.kinds["partials"](asset=asset, **fields))


def heard(patch: Patch, key: int = 57, seconds: float = 3.0, rate: int = RATE, quality: int = 1) -> NDArray[np.float64]:
    """What a key sounds like, brought to the level of the recording."""
    return np.asarray(render(patch, [Note(0, 30, key)], seconds, rate=rate, quality=quality)[0], np.float64) * 2


def band_level(sound: NDArray[np.float64], low: float, high: float, rate: int = RATE) -> float:
    """dB of the effective value between two frequencies, from half a second on."""
    part = sound[rate // 2 :]
    power = np.square(np.abs(np.fft.rfft(part))) * 2 / len(part) ** 2
    hertz = np.fft.rfftfreq(len(part), 1 / rate)
    return decibels(float(np.sqrt(power[(hertz >= low) & (hertz < high)].sum())))


def test_residue_puts_back_the_noise_of_the_recording(store: Path) -> None:
    """Sines and white noise: with it every octave that has noise alone is within 1 dB of the recording."""
    sound = tones() + breath()
    patch = playing(store, sound, partials=10)
    back = heard(with_value(patch, "layers.a.source.residue", 1.0))
    for low in (2500.0, 5000.0, 10000.0):
        wanted = band_level(sound[: len(back)], low, 1.9 * low)
        assert band_level(heard(patch), low, 1.9 * low) < wanted - 12
        assert band_level(back, low, 1.9 * low) == pytest.approx(wanted, abs=1.0)


def test_an_analysis_tells_how_far_it_is_to_its_end_and_can_be_stopped_there() -> None:
    parts: list[float] = []
    sound = (tones() + breath())[None].astype(np.float32)

    def watch(part: float) -> bool:
        parts.append(part)
        return part < 0.8

    with pytest.raises(Stopped):
        take_apart(sound, RATE, F0, watch)
    assert parts == sorted(parts) and parts[-1] >= 0.8 and np.diff(parts).max() < 0.25


def test_sines_have_no_residue(store: Path) -> None:
    """Ten harmonics: what is added is 80 dB below them above the last of them, and 45 dB below all in all."""
    patch = playing(store, tones())
    sound = heard(patch)
    added = heard(with_value(patch, "layers.a.source.residue", 1.0)) - sound
    whole = band_level(sound, 20.0, 20000.0)
    assert band_level(added, 2500.0, 20000.0) < whole - 80
    assert band_level(added, 20.0, 20000.0) < whole - 45


def test_residue_at_twice_is_six_decibels_more(store: Path) -> None:
    patch = playing(store, breath(), partials=1, residue=1.0)
    once, twice = (heard(with_value(patch, "layers.a.source.residue", r)) for r in (1.0, 2.0))
    assert band_level(twice, 3000, 12000) - band_level(once, 3000, 12000) == pytest.approx(6.02, abs=0.1)


@pytest.mark.parametrize(("rate", "quality"), [(RATE, 2), (RATE, 4), (RATE, 8), (44100, 1), (96000, 1), (192000, 1)])
def test_residue_is_as_loud_at_every_rate_and_quality(store: Path, rate: int, quality: int) -> None:
    """Thirds of an octave from 200 Hz to 12 kHz within 0.3 dB, and what 2.5 s of noise let one see."""
    patch = playing(store, breath(), partials=1, residue=1.0)
    plainly, there = heard(patch), heard(patch, rate=rate, quality=quality)
    for low in 200.0 * 2.0 ** (np.arange(0, 18) / 3):
        sure = 0.3 + 3 * 4.34 * np.sqrt(2 / (2.5 * 0.26 * low))  # three deviations of two noises seen for 2.5 s
        one, other = band_level(plainly, low, low * 2 ** (1 / 3)), band_level(there, low, low * 2 ** (1 / 3), rate)
        assert other == pytest.approx(one, abs=sure)


def test_the_key_moves_the_tones_and_leaves_the_noise(store: Path) -> None:
    """An octave up the noise stands where it stood; Formants move it as they move the colour of the tones."""
    falling = np.fft.irfft(np.fft.rfft(breath()) * (np.fft.rfftfreq(len(T), 1 / RATE) < 3000), len(T))
    patch = playing(store, tones() + falling, partials=1, residue=1.0)
    low, high = heard(patch), heard(patch, 69)
    assert band_level(high, 1500, 2800) == pytest.approx(band_level(low, 1500, 2800), abs=1.0)
    assert band_level(high, 4500, 5500) < band_level(low, 1500, 2500) - 15
    moved = heard(with_value(patch, "layers.a.source.formant", 12.0))
    assert band_level(moved, 4000, 5500) > band_level(low, 4000, 5500) + 12


def test_a_sound_that_stands_keeps_its_noise(store: Path) -> None:
    """Slowed to a standstill, the noise of that moment goes on."""
    patch = playing(store, tones() + breath(), partials=1, residue=1.0, slow=0.2)
    sound = heard(patch, seconds=12.0)
    early, late = sound[RATE : 3 * RATE], sound[10 * RATE :]
    assert band_level(late, 3000, 12000) == pytest.approx(band_level(early, 3000, 12000), abs=1.0)


def test_every_note_has_noise_of_its_own(store: Path) -> None:
    """Two notes of a breath, a second apart: what lies above 3 kHz in both has nothing in common."""
    patch = playing(store, breath(), partials=1, residue=1.0)
    sound = render(patch, [Note(0, 0.9, 57), Note(1, 1, 57)], 2.0)[0].astype(np.float64)
    spectrum = np.fft.rfft(sound)
    spectrum[np.fft.rfftfreq(len(sound), 1 / RATE) < 3000] = 0
    high = np.fft.irfft(spectrum, len(sound))
    first, second = high[4800:19200], high[RATE + 4800 : RATE + 19200]
    assert first.std() == pytest.approx(second.std(), rel=0.2)
    assert abs(np.corrcoef(first, second)[0, 1]) < 0.1
