"""Table: what the frames hold, how they morph, what reshaping costs in aliasing; unison and sync share its checks."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray

from felt_dial.patch.edits import add_modulator, replace_module, sew
from felt_dial.patch.module import Modulator, Source
from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.phrase import Note
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import Audio
from felt_dial.sound.matter.cycles import cycles_of
from felt_dial.sound.matter.tables import shipped_tables
from felt_dial.sound.render import render
from felt_dial.sound.sources.core.bandlimited import harmonic_amplitudes
from felt_dial.sound.sources.core.levels import cut_cycles, cycle_of_name, guess_cycle, is_table, spectra_of
from tests.sound.listening import RATE, amplitude_at, decibels, plain, steady, worst_alias


def shipped(name: str, **values: object) -> Patch:
    about = shipped_tables()[name]
    table = Source.kinds["table"](asset=about.asset, cycle=about.cycle)
    patch = replace_module(plain(), "layers.a.source", table)
    for key, value in values.items():
        patch = with_value(patch, f"layers.a.source.{key}", value)
    return patch


def made(frames: NDArray, folder: Path, **fields: object) -> Patch:
    """A table of given cycles, float (frame, sample)."""
    assets.look_in(folder)
    audio = Audio(np.asarray(frames, np.float32).reshape(1, -1), 48000)
    asset = assets.keep(folder / ".assets", audio, "made")
    return replace_module(
        plain(), "layers.a.source", Source.kinds["table"](asset=asset, cycle=frames.shape[1], **fields)
    )


def hertz(key: int) -> float:
    return float(440.0 * 2 ** ((key - 69) / 12))


def saw_cycle(size: int = 2048) -> NDArray[np.float64]:
    h = np.arange(1, size // 2)
    return np.asarray(
        (harmonic_amplitudes("saw", len(h))[:, None] * np.sin(2 * np.pi * h[:, None] * np.arange(size) / size)).sum(0)
    )


@pytest.mark.parametrize("key", [33, 60, 84])
def test_a_frame_keeps_the_spectrum_it_was_loaded_with(key: int, tmp_path: Path) -> None:
    """Harmonic by harmonic within 0.1 dB, up to the level half an octave below the limit. Textbook Fourier series."""
    sound = steady(made(0.4 * saw_cycle()[None], tmp_path), key)
    most = int(24000 / 2**0.5 / hertz(key))
    for h in {1, 2, 3, 7, most // 2, most} - {0}:
        assert decibels(amplitude_at(sound, h * hertz(key)) / (0.4 * 2 / np.pi / h)) == pytest.approx(0.0, abs=0.1)


@pytest.mark.parametrize("name", ["Damp Saw", "Narrow Gate", "Seeded Stairs", "Gardener", "Stair Lattice"])
@pytest.mark.parametrize("key", [33, 57, 81, 105])
def test_no_table_aliases_at_any_position(name: str, key: int) -> None:
    """−85 dB at quality 1, our own limit as for the classic shapes."""
    for position in (0.0, 0.37, 1.0):
        assert worst_alias(steady(shipped(name, position=position), key, 32768), hertz(key)) < -85


LIMITS = {"bend": -80, "squeeze": -74, "mirror": -80, "stretch": -78, "step": -85, "fold": -44}
"""Worst alias below 20 kHz in dB at quality 1, whatever the table, the key up to 96 and the amount; the fold has corners at
every turn and keeps 44 on high keys, 60 below. Steps keep 85 but for the brightest tables on high keys."""


def stray(sound: NDArray[np.float64], key: float) -> float:
    """dB of the loudest partial below 20 kHz that is no harmonic, below the loudest of all."""
    spectrum = np.abs(np.fft.rfft(sound * np.kaiser(len(sound), 20.0)))
    at = np.fft.rfftfreq(len(sound), 1 / 48000)
    apart = 9 * 48000 / len(sound)
    other = (np.abs(at - hertz(key) * np.round(at / hertz(key))) > apart) & (at > apart) & (at < 20000)
    return decibels(float(spectrum[other].max() / spectrum.max()))


@pytest.mark.parametrize("reshape", list(LIMITS))
def test_what_reshaping_aliases_is_kept_low(reshape: str) -> None:
    for key, amount in ((45, 0.7), (69, 0.5), (93, -0.6)):
        sound = steady(shipped("Damp Saw", position=0.4, reshape=reshape, amount=amount), key)
        assert stray(sound, key) < LIMITS[reshape]


@pytest.mark.parametrize("name", ["Phase Thorn", "Reed Throat", "Pane Bell", "Narrow Gate", "Window Saw"])
@pytest.mark.parametrize("reshape", list(LIMITS))
def test_nor_by_the_brightest_tables_on_high_keys(reshape: str, name: str) -> None:
    for key, amount in ((60, 1.0), (72, 0.15), (84, 0.3), (84, 1.0), (96, 0.7), (96, 1.0)):
        sound = steady(shipped(name, position=0.4, reshape=reshape, amount=amount), key, 32768)
        if sound.std() < 1e-3:  # two steps of a wave that passes through nothing at both
            assert reshape == "step" and amount == 1.0
            continue
        most = -50.0 if reshape == "step" and key > 60 else LIMITS[reshape]
        assert stray(sound, key) < most, (key, amount)


def test_crossfade_is_the_mean_and_the_spectral_morph_never_cancels(tmp_path: Path) -> None:
    """Half way between a sine and the same sine upside down there is silence, or a sine as loud as both."""
    sine = np.sin(2 * np.pi * np.arange(2048) / 2048)
    frames = 0.5 * np.stack([sine, -sine])
    faded = made(frames, tmp_path)
    assert np.abs(steady(with_value(faded, "layers.a.source.position", 0.5), 69)).max() < 1e-4
    turned = made(frames, tmp_path, morph="spectrum")
    assert amplitude_at(steady(with_value(turned, "layers.a.source.position", 0.5), 69), 440.0) == pytest.approx(
        0.5, 0.01
    )
    assert len(spectra_of(frames.astype(np.float32), "spectrum")) == 9


def test_a_position_that_moves_fast_does_not_click() -> None:
    patch, lfo = add_modulator(shipped("Harmonic Climb", position=0.5), Modulator.kinds["lfo"](shape="sine", rate=8.0))
    patch, _ = sew(patch, lfo, "layers.a.source.position", 0.5)
    still = np.abs(np.diff(render(shipped("Harmonic Climb", position=1.0), [Note(0, 1, 60)], 1.0)[0])).max()
    moving = np.abs(np.diff(render(patch, [Note(0, 1, 60)], 1.0)[0])).max()
    assert moving < 1.5 * still


@pytest.mark.parametrize("size", [256, 600, 1024, 2048])
def test_the_length_of_a_cycle_is_guessed(size: int) -> None:
    t = np.arange(size) / size
    frames = np.stack([np.sin(2 * np.pi * t) + (n / 16) * np.sin(2 * np.pi * 3 * t) for n in range(16)])
    if size == 600:
        assert guess_cycle(frames[0].astype(np.float32)) == 600
    else:
        assert guess_cycle(frames.ravel().astype(np.float32)) == size
    assert cut_cycles(np.ones(2048 * 300, np.float32), 2048).shape == (256, 2048)


@pytest.mark.parametrize("size", [512, 1024, 2048])
def test_frames_that_have_little_in_common_are_cut_where_each_closes(size: int) -> None:
    """64 frames of 30 harmonics whose phases are by chance: neighbours are unlike, and what of it goes round is one frame."""
    t, n = np.arange(size)[:, None] / size, np.arange(1, 31)
    for seed in range(6):
        random = np.random.default_rng(seed)
        sound = np.ravel([(np.sin(2 * np.pi * (t * n + random.uniform(0, 1, 30))) / n).sum(axis=1) for _ in range(64)])
        assert guess_cycle(sound.astype(np.float32)) == size


def test_the_name_of_a_file_says_how_it_is_cut() -> None:
    assert cycle_of_name("Panes 1024", 1024 * 64) == 1024 and cycle_of_name("Panes x64", 600 * 64) == 600
    assert cycle_of_name("Panes 2048", 2047 * 5) is None and cycle_of_name("Panes 1987", 1987 * 8) is None
    assert cycle_of_name("Loop 128", 128 * 1500) is None, "more than a table may have: a tempo"


def test_there_are_two_dozen_tables_each_as_it_was_made() -> None:
    tables = shipped_tables()
    assert len(tables) == 24 and len({table.family for table in tables.values()}) == 6
    for name, table in tables.items():
        sound = assets.load(table.asset)
        assert sound is not None, name
        frames = cut_cycles(sound[0], table.cycle)
        assert len(frames) == 32 and np.abs(frames.mean(axis=1)).max() < 2e-4
        assert (np.abs(frames[:, 0] - frames[:, -1]) < 12 * np.abs(np.diff(frames)).max(axis=1)).all()


# --- unison and sync ---------------------------------------------------------------------------


@pytest.mark.parametrize("kind", ["wave", "table"])
@pytest.mark.parametrize("voicing", ["even", "random", "weighted"])
def test_unison_keeps_the_power_of_one_voice(kind: str, voicing: str) -> None:
    """Incoherent voices add in power (textbook); within 1 dB over four seconds, in which beats do not quite even out."""
    base = shipped("Damp Saw", position=0.6) if kind == "table" else plain()
    base = with_value(base, "layers.a.pan", 0.0)
    power = {}
    for count in (1, 2, 7, 16, 32):
        patch = with_value(with_value(base, "layers.a.source.unison", count), "layers.a.source.detune", 31.0)
        patch = with_value(with_value(patch, "layers.a.source.voicing", voicing), "layers.a.source.side", -6.0)
        sound = render(patch, [Note(0, 5, 62)], 4.5)[:, 4800:]
        power[count] = 10 * np.log10(np.square(sound).mean())
    assert max(abs(power[n] - power[1]) for n in power) < 1.0


def test_unison_voices_lie_where_detune_says() -> None:
    patch = plain(layers__a__source__shape="sine", layers__a__source__unison=3, layers__a__source__detune=50.0)
    sound = render(with_value(patch, "layers.a.source.spread", 0.0), [Note(0, 4, 69)], 3.0)[0, 9600:].astype(float)
    spectrum = np.abs(np.fft.rfft(sound * np.blackman(len(sound))))
    at = np.fft.rfftfreq(len(sound), 1 / 48000)
    for cents in (-50, 0, 50):
        near = np.abs(at - 440 * 2 ** (cents / 1200)) < 3
        assert abs(at[near][spectrum[near].argmax()] - 440 * 2 ** (cents / 1200)) < 0.4


def test_drift_wanders_within_its_cents_and_is_the_same_every_time() -> None:
    patch = plain(layers__a__source__shape="sine", layers__a__source__drift=30.0)
    first, again = (render(patch, [Note(0, 8, 69)], 7.0)[0] for _ in range(2))
    assert np.array_equal(first, again)
    turns = np.unwrap(np.angle(np.fft.ifft(np.where(np.arange(len(first)) < len(first) // 2, np.fft.fft(first), 0))))
    cents = 1200 * np.log2(np.diff(turns[::2400])[2:-2] / (2 * np.pi) * 48000 / 2400 / 440)
    assert 5 < np.abs(cents).max() < 31


@pytest.mark.parametrize("sync", [3.0, 7.0, 16.0, 31.0])
def test_a_synchronised_wave_does_not_alias(sync: float) -> None:
    """−85 dB below 20 kHz: our limit. What lies above belongs to the half-band's edge."""
    for key, shape in ((57, "saw"), (81, "pulse"), (93, "sine")):
        sound = steady(plain(layers__a__source__shape=shape, layers__a__source__sync=sync), key)
        spectrum = np.abs(np.fft.rfft(sound * np.kaiser(len(sound), 20.0)))
        at = np.fft.rfftfreq(len(sound), 1 / 48000)
        other = (np.abs(at - hertz(key) * np.round(at / hertz(key))) > 8) & (at > 8) & (at < 20000)
        assert decibels(float(spectrum[other].max() / spectrum.max())) < -85


def test_the_shape_moves_from_one_to_the_next_without_a_step() -> None:
    patch, lfo = add_modulator(plain(layers__a__source__shape=1.5), Modulator.kinds["lfo"](shape="triangle", rate=3.0))
    patch, _ = sew(patch, lfo, "layers.a.source.shape", 1.5)
    sound = render(patch, [Note(0, 1, 33)], 1.0)[0]
    jumps = np.abs(np.diff(sound))
    naive = np.abs(np.diff(render(plain(), [Note(0, 1, 33)], 1.0)[0])).max()
    assert jumps.max() < 1.6 * naive


# --- cycles of a recording -------------------------------------------------------------------------


def recorded(hertz: float, harmonics: int, wobble: float = 0.0, seconds: float = 1.5) -> NDArray[np.float32]:
    """A saw of so many harmonics at a pitch that wobbles by a part of itself, float32 (1, frame)."""
    t = np.arange(round(seconds * RATE)) / RATE
    turns = hertz * (t - wobble * np.cos(2 * np.pi * 3.0 * t) / (2 * np.pi * 3.0))
    wave = sum(np.sin(2 * np.pi * n * turns + 0.3 * n) / n for n in range(1, harmonics + 1))
    return np.asarray(0.3 * wave, np.float32)[None]


@pytest.mark.parametrize("wobble", [0.0, 0.02])
@pytest.mark.parametrize("hertz", [110.3, 440.7, 61.9])
def test_cycles_are_found_in_a_pitched_recording(hertz: float, wobble: float) -> None:
    """Harmonics 1/n within half a decibel (by definition of the recording), ends that meet, a pitch within three cents."""
    found = cycles_of(recorded(hertz, 20, wobble), RATE)
    assert found is not None and found.sure > 0.99 and found.frames.shape[1] == 2048 and 60 < len(found.frames) <= 256
    assert abs(1200 * np.log2(found.hertz / hertz)) < (3.0 if wobble == 0.0 else 40.0)
    for frame in found.frames[5:-5:9].astype(np.float64):
        levels = np.abs(np.fft.rfft(frame))[1:13]
        assert np.abs(20 * np.log10(levels * np.arange(1, 13) / levels[0])).max() < 0.5
        step = np.abs(np.diff(frame)).max()
        assert abs(frame[0] - frame[-1]) < 1.5 * step


def test_a_sine_gives_one_harmonic_and_noise_no_cycles() -> None:
    found = cycles_of(recorded(330.0, 1), RATE)
    assert found is not None
    levels = np.abs(np.fft.rfft(found.frames[20].astype(np.float64)))
    assert 20 * np.log10(np.delete(levels, 1).max() / levels[1]) < -60.0
    noise_ = np.random.default_rng(4).normal(size=(1, RATE)).astype(np.float32) * 0.2
    assert cycles_of(noise_, RATE) is None
    table = np.tile(np.sin(2 * np.pi * np.arange(2048) / 2048), 16).astype(np.float32)
    assert is_table(table) and not is_table(recorded(221.3, 8)[0]) and not is_table(noise_[0])
