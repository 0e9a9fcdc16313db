"""Partials against sounds whose colour and whose strikes are known: a voice by its formants, and strikes late in a file."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray

from felt_dial.patch.patch import with_value
from felt_dial.patch.phrase import Note
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.analysis import _peaks, _without_side_lobes, take_apart
from felt_dial.sound.matter.strikes import strikes_of
from felt_dial.sound.render import render
from tests.sound.listening import RATE, decibels
from tests.sound.test_recordings import playing, rung

VOWELS = {
    "a": ((700, 1220, 2600, 3300, 3850), (130, 70, 160, 250, 200)),
    "ae": ((620, 1660, 2430, 3300, 3850), (70, 150, 320, 250, 200)),
    "i": ((310, 2020, 2960, 3300, 3850), (45, 200, 400, 250, 200)),
    "u": ((350, 1250, 2200, 3300, 3850), (65, 110, 140, 250, 200)),
}
"""Formants and their bandwidths in Hz: D. H. Klatt, “Software for a cascade/parallel formant synthesizer”, JASA 67(3), 1980,
table II (from memory)."""


@pytest.fixture
def store(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("FELT_DIAL_HOME", str(tmp_path))
    assets.look_in(tmp_path)
    return tmp_path


def throat(hertz: NDArray[np.float64], vowel: str) -> NDArray[np.float64]:
    """Levels of a source that falls by 6 dB an octave through five resonators in a row (Fant's model)."""
    level = 100.0 / hertz
    for middle, wide in zip(*VOWELS[vowel], strict=True):
        level = level * middle**2 / np.hypot(middle**2 - hertz**2, wide * hertz)
    return np.asarray(level)


def sung(key: int, vowel: str) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """A second of a vowel; frequencies and amplitudes of its partials."""
    first = 440 * 2 ** ((key - 69) / 12)
    hertz = first * np.arange(1, int(10000 / first))
    level = throat(hertz, vowel)
    level *= 0.25 / np.sqrt(np.square(level).sum())
    t = np.arange(RATE) / RATE
    wave = sum(a * np.sin(2 * np.pi * f * t + 0.3 * n * n) for n, (a, f) in enumerate(zip(level, hertz, strict=True)))
    return np.asarray(wave), hertz, level


def levels_of(sound: NDArray[np.float64], hertz: NDArray[np.float64]) -> NDArray[np.float64]:
    """Amplitudes of partials that may stray a little, by the power around each."""
    window = np.hanning(len(sound))
    power = np.square(np.abs(np.fft.rfft(sound * window)))
    reach = hertz[0] / 3
    at = np.fft.rfftfreq(len(sound), 1 / RATE)
    found = [power[(at > f - reach) & (at < f + reach)].sum() for f in hertz]
    return np.asarray(np.sqrt(4 * np.array(found) / np.square(window).sum() / len(sound)))


@pytest.mark.parametrize(("key", "vowel", "most", "louder"), [
    (45, "a", 0.8, 0.6), (45, "ae", 0.8, 1.0), (45, "i", 0.8, 1.0), (45, "u", 1.0, 1.0),
    (52, "a", 1.8, 2.5), (52, "ae", 1.0, 1.6), (57, "a", 2.4, 1.0), (57, "ae", 1.5, 1.0),
])  # fmt: skip
def test_formants_move_as_those_of_a_throat(store: Path, key: int, vowel: str, most: float, louder: float) -> None:
    """Every partial as loud as the moved throat makes it: rms over 30 of them, and the whole, in dB; those that are known.

    A formant narrower than the partials are apart is known only as far as they show it: so more is allowed at 165 and 220 Hz.
    """
    wave, hertz, level = sung(key, vowel)
    patch = playing(store, "partials", np.tile(wave, (2, 1)), root=key, life=0.0, partials=256, speed=0.0, position=0.5)
    first = 30
    for semitones in (-12.0, -7.0, -3.0, 0.0, 3.0, 7.0, 12.0):
        sound = render(with_value(patch, "layers.a.source.formant", semitones), [Note(0, 4, key)], 1.5)[0, RATE // 10 :]
        heard = 2 * levels_of(sound.astype(np.float64), hertz[:first])
        exact = throat(np.clip(hertz[:first] * 2 ** (-semitones / 12), hertz[0], hertz[-1]), vowel)
        exact *= level[0] / throat(hertz[:1], vowel)[0]
        known = (exact > 1e-3 * exact.max()) & (level[:first] > 2.5e-4 * level.max())
        off = 20 * np.log10(heard[known] / exact[known])
        assert np.sqrt(np.mean(off**2)) < most, semitones
        assert abs(decibels(np.linalg.norm(heard) / np.linalg.norm(exact))) < louder, semitones


def test_peaks_of_a_voice_move_by_the_semitones(store: Path) -> None:
    wave, hertz, _ = sung(45, "ae")
    patch = playing(store, "partials", np.tile(wave, (2, 1)), root=45, life=0.0, partials=256, speed=0.0, position=0.5)
    for semitones in (3.0, 7.0, 12.0):
        sound = render(with_value(patch, "layers.a.source.formant", semitones), [Note(0, 4, 45)], 1.5)[0, RATE // 10 :]
        level = 20 * np.log10(levels_of(sound.astype(np.float64), hertz[:36]))
        inner = np.flatnonzero((level[1:-1] > level[:-2]) & (level[1:-1] >= level[2:])) + 1
        a, b, c = level[inner - 1], level[inner], level[inner + 1]
        peaks = hertz[inner] + hertz[0] * 0.5 * (a - c) / (a - 2 * b + c)
        for formant in (620.0, 1660.0):
            there = formant * 2 ** (semitones / 12)
            assert np.abs(peaks / there - 1).min() < 0.03, (semitones, formant)


def test_side_lobes_are_no_partials() -> None:
    """Of harmonics alone nothing is found between them; a soft one that is really there is found."""
    first = 164.81
    wave, _, _ = sung(52, "a")
    tracks = take_apart(np.tile(wave, (2, 1)).astype(np.float32), RATE, first)
    sounds = tracks.levels[50] > 0
    strays = np.abs(2.0 ** tracks.octaves[50, sounds] - np.round(2.0 ** tracks.octaves[50, sounds]))
    assert sounds.sum() > 15 and strays.max() < 0.1
    size = 8192
    t = np.arange(size)
    both = np.sin(0.05 * np.pi * t) + 0.003 * np.sin(0.0625 * np.pi * t)
    spectrum = np.abs(np.fft.rfft(both * np.hanning(size), 2 * size)) * 2 / np.hanning(size).sum()
    k, level = _without_side_lobes(*_peaks(spectrum, 1e-5))
    assert k == pytest.approx([0.05 * size, 0.0625 * size], abs=0.1)
    assert level == pytest.approx([1.0, 0.003], rel=0.05)


@pytest.mark.parametrize("lead", [0.05, 0.0735, 0.25, 0.5082])
@pytest.mark.parametrize("prime", [200.0, 440.0, 1200.0])
def test_a_strike_late_in_a_file_is_one(store: Path, lead: float, prime: float) -> None:
    """Nothing above −50 dB 2 ms before it, and within 5 ms as loud as it was."""
    sound = rung(prime, lead)
    begin = int(lead * RATE)
    patch = playing(store, "partials", sound, root=69, life=0.0, partials=256)
    again = render(patch, [Note(0, 4, 69)], lead + 0.5)[0].astype(np.float64) * 2
    loud = np.sqrt(np.mean(np.square(sound[0, begin + 96 : begin + 960])))
    assert decibels(np.abs(again[: begin - 96]).max() / loud) < -50
    assert decibels(np.std(again[begin + 96 : begin + 960]) / loud) == pytest.approx(0.0, abs=1.5)
    soon = np.abs(again[begin : begin + 240]).max()
    assert soon > 0.7 * np.abs(sound[0, begin : begin + 240]).max()


def test_strikes_are_found_and_cycles_are_none() -> None:
    t = np.arange(2 * RATE) / RATE
    for hertz in (20.0, 41.2, 110.0, 1000.0):
        assert (strikes_of(np.sin(2 * np.pi * hertz * t), RATE) < 0.01 * RATE).all(), hertz
        assert (strikes_of(np.where((hertz * t) % 1.0 < 0.1, 1.0, 0.0), RATE) < 0.01 * RATE).all(), hertz
    assert not len(strikes_of(np.random.default_rng(1).standard_normal(2 * RATE), RATE))
    hit = np.exp(-20 * t) * np.sin(2 * np.pi * 300 * t)
    twice = hit + np.concatenate([np.zeros(24111), hit])[: 2 * RATE]
    assert strikes_of(twice, RATE) == pytest.approx([24111], abs=48)
    assert not len(strikes_of(np.zeros(RATE), RATE)) and not len(strikes_of(np.zeros(0), RATE))
