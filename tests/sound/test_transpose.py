"""Transposing the whole patch: one dial for an octave lower, one thread for a scoop of everything."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from felt_dial.patch.edits import add_layer, add_modulator, replace_module, sew
from felt_dial.patch.module import Filter, Modulator, Source
from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.phrase import Note
from felt_dial.sound.matter.tables import shipped_recordings
from felt_dial.sound.modules import new_layer
from felt_dial.sound.render import render
from tests.sound.listening import RATE, amplitude_at, plain

SINE = plain(layers__a__source__shape="sine")


def pitch(sound: NDArray[np.float32], begin: float = 0.1, end: float = 0.9) -> float:
    """Frequency of the loudest partial, by a long transform of a Hann window."""
    part = sound[0, int(begin * RATE) : int(end * RATE)].astype(float)
    spectrum = np.abs(np.fft.rfft(part * np.hanning(len(part)), 1 << 20))
    return float(np.argmax(spectrum)) * RATE / (1 << 20)


def played(patch: Patch, key: int = 69, seconds: float = 1.0) -> NDArray[np.float32]:
    return render(patch, [Note(0, 2 * seconds, key)], seconds)


@pytest.mark.parametrize(("transpose", "fine"), [(-12.0, 0.0), (7.0, 0.0), (0.0, 50.0), (-0.5, -33.0), (24.0, 100.0)])
def test_it_is_semitones_and_cents_of_equal_temperament(transpose: float, fine: float) -> None:
    """2^(1/12) a semitone (ISO 16 tuning of 440 Hz; equal temperament is common practice)."""
    patch = with_value(with_value(SINE, "transpose", transpose), "fine", fine)
    assert pitch(played(patch)) == pytest.approx(440.0 * 2.0 ** ((transpose + 0.01 * fine) / 12), rel=2e-4)


def test_an_octave_lower_is_the_key_an_octave_lower() -> None:
    """All of it: two layers, their unison, a filter that follows the key."""
    patch, key = add_layer(SINE, new_layer("wave"))
    patch = replace_module(patch, f"layers.{key}.filter", Filter.kinds["ladder"](on=True, cutoff=900.0, follow=1.0))
    lower = played(with_value(patch, "transpose", -12.0), 69)
    assert np.allclose(lower, played(patch, 57), atol=2e-4)


def test_layers_that_follow_no_key_are_moved_as_well() -> None:
    asset, root = shipped_recordings()["Plucked String"]
    patch = replace_module(SINE, "layers.a.source", Source.kinds["sample"](asset=asset, root=root, track=False))
    for key in (48, 72):
        assert pitch(played(patch, key)) == pytest.approx(pitch(played(patch, 60)), rel=2e-3), "it follows no key"
    lower = pitch(played(with_value(patch, "transpose", -12.0)), 0.1, 0.6)
    assert lower == pytest.approx(0.5 * pitch(played(patch), 0.1, 0.6), rel=5e-3)


def test_fixed_layers_stay_and_nothing_changes_at_nought() -> None:
    fixed = with_value(with_value(SINE, "layers.a.fixed", True), "layers.a.frequency", 300.0)
    assert pitch(played(with_value(fixed, "transpose", -12.0))) == pytest.approx(300.0, rel=2e-4)
    assert np.array_equal(played(SINE), played(with_value(SINE, "transpose", 0.0)))


def test_one_thread_scoops_the_whole_sound() -> None:
    patch, _ = add_layer(SINE, new_layer("wave"))
    patch = with_value(with_value(patch, "layers.b.source.shape", "sine"), "layers.b.octave", 2)
    patch, scoop = add_modulator(patch, Modulator.kinds["envelope"](attack=0.0, decay=0.2, sustain=0.0))
    sound = played(sew(patch, scoop, "transpose", -12.0)[0])
    late = sound[0, int(0.5 * RATE) :].astype(float)
    for hertz in (440.0, 1760.0):
        assert amplitude_at(late, hertz) > 0.05, "it has come up to the key"
    begin = pitch(sound, 0.0, 0.03)
    assert begin < 300.0, "and begins below"
