"""The demo, listened to with numbers: every sound is what its name says, and nothing clicks, hums at zero or stays behind."""

from __future__ import annotations

from functools import cache
from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray

from felt_dial.patch.documents.patch import read_patch
from felt_dial.patch.edits import remove_send
from felt_dial.patch.module import Source
from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.phrase import Note
from felt_dial.sound.matter import assets
from felt_dial.sound.render import render
from tests.sampled import some
from tests.sound.listening import RATE, decibels

BANKS = Path(__file__).parents[2] / "felt_dial" / "data" / "banks"
FILES = {path.stem: path for path in sorted(BANKS.glob("*/presets/*.json"))}
PITCHED = [
    "dew-pluck",
    "lantern-brass",
    "moss-pad",
    "root-sub",
    "canopy-strings",
    "reed-bed",
    "night-moth-line",
    "ebb-bell",
]


@cache
def patch_of(name: str) -> Patch:
    assets.look_in(BANKS)
    return read_patch(FILES[name].read_bytes(), name)


@cache
def heard(name: str, key: int = 57, held: float = 1.5, seconds: float = 8.0) -> NDArray[np.float64]:
    return render(patch_of(name), [Note(0.0, held, key, 92)], seconds).astype(np.float64)


def share_above(sound: NDArray[np.float64], hertz: float) -> float:
    """Part of the energy above a frequency."""
    power = np.abs(np.fft.rfft(sound.mean(axis=0))) ** 2
    return float(power[np.fft.rfftfreq(sound.shape[1], 1 / RATE) > hertz].sum() / power.sum())


@pytest.mark.parametrize("name", list(FILES))
def test_every_sound_starts_ends_and_has_no_direct_current(name: str) -> None:
    sound = heard(name)
    assert np.isfinite(sound).all() and 0.02 < np.abs(sound).max() <= 1.0
    assert np.abs(sound[:, -RATE // 4 :]).max() < 0.02, "what is let go dies away"
    loud = sound[:, : 2 * RATE]
    assert decibels(float(np.abs(loud.mean(axis=1)).max() / np.sqrt(np.square(loud).mean()))) < -30


@pytest.mark.parametrize("name", list(FILES))
def test_every_sound_carries_what_it_is_made_of(name: str) -> None:
    assert assets.missing(patch_of(name)) == {}
    for asset in assets.assets_of(patch_of(name)).values():
        sound = assets.load(asset)
        assert sound is not None and sound.shape == (asset.channels, asset.frames)


@pytest.mark.parametrize("name", PITCHED)
def test_pitched_sounds_are_in_tune(name: str) -> None:
    """The strongest partial near the key or its octaves, within 15 cents: detuned and bowed sounds sway by a few."""
    sound = heard(name).mean(axis=0)[4800:62144]
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)), 4 * len(sound)))
    at = np.fft.rfftfreq(4 * len(sound), 1 / RATE)
    best = []
    for octave in (-1, 0, 1):
        frequency = 220.0 * 2.0**octave
        near = np.abs(1200 * np.log2(np.maximum(at, 1.0) / frequency)) < 60
        k = int(np.argmax(np.where(near, spectrum, 0.0)))
        best.append((float(spectrum[k]), abs(1200 * np.log2(at[k] / frequency))))
    assert max(best)[1] < 15


def test_a_kick_falls_to_its_fundamental() -> None:
    """Common practice: a sine that falls fast to a low fundamental."""
    sound = heard("compost-kick", 48).mean(axis=0)

    def frequency(first: float, last: float) -> float:
        piece = sound[int(first * RATE) : int(last * RATE)]
        return float(np.count_nonzero(np.diff(np.signbit(piece))) / 2 / (last - first))

    assert frequency(0.004, 0.03) > 1.7 * frequency(0.12, 0.25) and 35 < frequency(0.12, 0.25) < 75


def test_drums_have_their_energy_where_drums_have_it() -> None:
    """Common practice: a snare between 150 and 300 Hz with noise above, a hat above 5 kHz, a sub below 200 Hz."""
    assert share_above(heard("seedpod-hat"), 5000) > 0.8
    snare = heard("potting-snare")
    assert share_above(snare, 1000) > 0.15 and share_above(snare, 150) - share_above(snare, 300) > 0.15
    assert share_above(heard("root-sub", 33), 200) < 0.12


def test_the_pane_stands_while_it_is_held_and_cracks_when_it_is_let_go() -> None:
    sound = np.abs(heard("pane-crack", 69, 5.0, 9.0)).max(axis=0)
    assert sound[int(4.5 * RATE) : int(4.9 * RATE)].max() > 0.1 * sound[: RATE // 2].max()
    without = with_value(patch_of("pane-crack"), "layers.b.on", False)
    silent = np.abs(render(without, [Note(0.0, 5.0, 69, 92)], 6.0)).max(axis=0)
    release = slice(int(5.0 * RATE), int(5.05 * RATE))
    assert sound[release].max() > silent[release].max()


def test_pollen_travels_there_and_back() -> None:
    """Along the curve the cloud is loud at the glass's strike, soft at its end, and loud again."""
    patch = with_value(patch_of("pollen-drift"), "layers.b.on", False)
    patch = with_value(patch, "racks.1.delay1.on", False)
    sound = np.abs(render(patch, [Note(0.0, 14.0, 69, 92)], 13.2)).max(axis=0)
    level = [float(np.square(sound[int(t * RATE) : int((t + 0.8) * RATE)]).mean()) for t in (1.0, 6.3, 12.2)]
    assert level[0] > 4 * level[1] and level[2] > 4 * level[1]


def test_the_answer_comes_a_dotted_eighth_later() -> None:
    patch = with_value(patch_of("dripping-strings"), "layers.a.mute", True)
    patch = with_value(patch, "racks.1.delay1.on", False)
    sound = np.abs(render(patch, [Note(0.0, 1.0, 57, 92)], 1.0)).max(axis=0)
    assert np.argmax(sound > 1e-4) / RATE == pytest.approx(0.75 * 60 / float(patch.tempo), abs=0.004)


def test_every_kind_of_source_carries_a_sound() -> None:
    used = {layer.source.kind for name in FILES for layer in patch_of(name).layers.values()}  # type: ignore[attr-defined]
    assert used == set(Source.kinds)
    patches = [patch_of(name) for name in FILES]
    assert any(layer.inlets for patch in patches for layer in patch.layers.values())
    assert any(layer.get("trigger") == "up" for patch in patches for layer in patch.layers.values())
    assert len({layer.source.kind for layer in patch_of("rain-roof").layers.values()}) == 4  # type: ignore[attr-defined]


@pytest.mark.parametrize("name", some(FILES, 3))
def test_every_sound_has_four_handles_that_do_something(name: str) -> None:
    """Each named macro at its two ends: another spectrum or another course of loudness, finite, at most 6 dB above full scale."""
    patch = patch_of(name)
    named = [key for key, macro in patch.macros.items() if macro.name]
    assert len(named) >= 4 and all(patch.macros[key].description for key in named)
    notes = [Note(0.0, 1.2, 57, 92), Note(0.0, 1.2, 64, 92)]
    for key in named:
        low, high = (
            render(with_value(patch, f"macros.{key}", end), notes, 2.0).astype(np.float64) for end in (0.0, 1.0)
        )
        assert np.isfinite(high).all() and np.abs(high).max() <= 2.0
        course = [np.sqrt(np.square(s).reshape(2, -1, 1200).mean(axis=(0, 2))) for s in (low, high)]
        spectra = [np.abs(np.fft.rfft(s.mean(axis=0)))[:20000].reshape(-1, 50).sum(axis=1) for s in (low, high)]
        sides = [np.square(s[0] - s[1]).sum() / np.square(s).sum() for s in (low, high)]
        louder = np.abs(course[1] - course[0]).max() / course[0].max()
        other = np.abs(spectra[1] / spectra[1].sum() - spectra[0] / spectra[0].sum()).sum()
        assert max(louder, other, abs(sides[1] - sides[0])) > 0.05, (
            f"{key} {patch.macros[key].name} does next to nothing"
        )


# --- sounds that live from tone -----------------------------------------------------------------


def centroid(sound: NDArray[np.float64]) -> float:
    power = np.abs(np.fft.rfft(sound.mean(axis=0) * np.hanning(sound.shape[1]))) ** 2
    return float((power * np.fft.rfftfreq(sound.shape[1], 1 / RATE)).sum() / power.sum())


def test_the_rubber_root_opens_and_closes_and_squeals_higher_with_its_handle() -> None:
    sound = heard("rubber-root", key=45, held=1.2, seconds=2.0)
    early, late = sound[:, 1200:6000], sound[:, 40000:52000]
    assert share_above(early, 250.0) > 1.5 * share_above(late, 250.0)
    patch = with_value(patch_of("rubber-root"), "macros.m2", 1.0)
    opened = render(patch, [Note(0.0, 1.2, 45, 92)], 1.5).astype(np.float64)
    assert share_above(opened, 1000.0) > 2 * share_above(sound, 1000.0)


def test_the_glass_wire_rings_in_tune_and_stops_with_its_key() -> None:
    """The comb is tuned by the key: within 6 cents two octaves apart; released it fades within half a second and the room."""
    for key in (45, 69):
        sound = heard("glass-wire", key=key, held=2.5, seconds=5.0)[:, RATE // 2 : 2 * RATE].mean(axis=0)
        pitch = 440.0 * 2 ** ((key - 69) / 12)
        power = np.abs(np.fft.rfft(sound * np.hanning(len(sound)), 8 * len(sound)))
        at = np.fft.rfftfreq(8 * len(sound), 1 / RATE)
        near = np.abs(1200 * np.log2(np.maximum(at, 1.0) / pitch)) < 80
        found = at[near][power[near].argmax()]
        assert abs(1200 * np.log2(found / pitch)) < 6
    sound = heard("glass-wire", held=1.5, seconds=8.0)
    assert (
        np.abs(sound[:, int(1.4 * RATE) : int(1.5 * RATE)]).max()
        > 8 * np.abs(sound[:, int(3.2 * RATE) : int(3.3 * RATE)]).max()
    )


def test_vowel_vines_have_the_formants_of_a_voice_that_move_with_the_wheel() -> None:
    low = heard("vowel-vines", key=45, held=3.0, seconds=3.0)[:, RATE:]
    patch = with_value(patch_of("vowel-vines"), "macros.m1", 1.0)
    high = render(patch, [Note(0.0, 3.0, 45, 92)], 3.0).astype(np.float64)[:, RATE:]

    def front(sound: NDArray[np.float64]) -> float:
        """How much there is around the second formant of heed against that of who'd."""
        return (share_above(sound, 1900.0) - share_above(sound, 3300.0)) / (
            share_above(sound, 700.0) - share_above(sound, 1500.0)
        )

    assert front(high) > 3 * front(low)


def test_the_gatehouse_opens_in_sixteenths() -> None:
    """112 bpm: a sixteenth lasts 134 ms (beats · 15 / bpm, common practice); the envelope repeats with the row of four."""
    patch = with_value(patch_of("gatehouse"), "racks.1.delay1.on", False)
    patch = with_value(with_value(patch, "racks.1.reverb1.on", False), "racks.1.rotary1.on", False)
    sound = render(patch, [Note(0.0, 6.0, 57, 92)], 6.0).astype(np.float64)[:, RATE:]
    envelope = np.abs(sound).max(axis=0)[: 4 * RATE].reshape(-1, 48).max(axis=1)
    envelope = envelope - envelope.mean()
    alike = np.correlate(envelope, envelope, "full")[len(envelope) :]
    step = 15.0 / 112.0 * 1000
    best = int(np.argmax(alike[int(1.5 * step) : int(2.5 * step)])) + int(1.5 * step) + 1
    assert best == pytest.approx(2 * step, rel=0.03), "every second step is closed"


def test_the_forked_path_goes_two_ways_and_its_stone_into_a_hall() -> None:
    patch = patch_of("forked-path")
    plain_ways = remove_send(remove_send(patch, "layers.a", "rack2"), "buses.2", "rack2")
    dry = with_value(plain_ways, "layers.c.mute", True)
    tail = [np.abs(render(p, [Note(0.0, 0.1, 57, 92)], 2.0)[:, RATE:]).max() for p in (plain_ways, patch, dry)]
    assert tail[0] > 4 * tail[2], "the stone falls in the hall, and what is sent there, and nothing else"
    unsent = with_value(patch, "layers.c.mute", True)
    assert np.abs(render(unsent, [Note(0.0, 0.1, 57, 92)], 2.0)[:, RATE:]).max() > 2 * tail[2]
    forked = render(with_value(patch, "macros.m1", 1.0), [Note(0.0, 1.0, 57, 92)], 1.0).astype(np.float64)[
        :, 2400:24000
    ]
    power = [np.abs(np.fft.rfft(side)) ** 2 for side in forked]
    f = np.fft.rfftfreq(forked.shape[1], 1 / RATE)
    tilt = [10 * np.log10(p[f > 1200].sum() / p[f < 600].sum()) for p in power]
    assert tilt[1] > tilt[0] + 3.0, "the bright way goes right"


def test_the_ember_is_folded_brighter_with_its_handle() -> None:
    plain_sound = heard("ember-fold", key=57, held=1.0, seconds=1.5)
    folded = render(with_value(patch_of("ember-fold"), "macros.m1", 1.0), [Note(0.0, 1.0, 57, 92)], 1.5).astype(
        np.float64
    )
    assert centroid(folded[:, 9600:48000]) > 1.2 * centroid(plain_sound[:, 9600:48000])
