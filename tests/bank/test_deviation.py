"""Live against rendered: what is said of it, against sounds for which it is known."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from felt_dial.bank.measuring.deviation import Apart, apart_words
from felt_dial.bank.measuring.index import Index
from felt_dial.bank.measuring.live_against_render import MIDDLES, apart, furthest, thirds
from felt_dial.bank.measuring.worker import measure
from felt_dial.patch.edits import add_inlet, add_layer, replace_module
from felt_dial.patch.module import Source
from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.units import THIN
from felt_dial.sound.modules import new_layer
from tests.sound.listening import RATE, plain


def noise(seconds: float, seed: int = 1) -> NDArray[np.float32]:
    return (0.1 * np.random.default_rng(seed).standard_normal((2, round(seconds * RATE)))).astype(np.float32)


def folded() -> Patch:
    """A bright wave on a high key, swung by another so hard that much of it folds back at the rate of the output."""
    patch, key = add_layer(plain(layers__a__pan=0.0, layers__a__source__shape="saw"), new_layer())
    patch = with_value(with_value(patch, f"layers.{key}.out", "none"), f"layers.{key}.source.shape", "saw")
    return with_value(add_inlet(patch, "a", key, 5.0).model_copy(update={"type": "Bell"}), "layers.a.level", -18.0)


def test_thirds_hold_the_power_of_what_lies_in_them() -> None:
    t = np.arange(RATE) / RATE
    power = thirds(np.tile(np.sin(2 * np.pi * 1000 * t), (2, 1)).astype(np.float32))
    assert MIDDLES[power.argmax()] == pytest.approx(1000.0)
    assert power.max() > 0.999 * power.sum()
    white = thirds(noise(8.0))
    assert 10 * np.log10(white[1:] / white[:-1]) == pytest.approx(1.0, abs=0.5), (
        "a third more is a decibel more of noise"
    )


def test_what_is_louder_by_two_decibels_is_found_and_noise_is_not() -> None:
    one = noise(1.8)
    assert furthest(one, noise(1.8, seed=2)).decibels == 0.0
    spectrum = np.fft.rfft(one, axis=1)
    at = np.fft.rfftfreq(one.shape[1], 1 / RATE)
    spectrum[:, (at > 3600) & (at < 4400)] *= 10 ** (2.5 / 20)
    found = furthest(np.fft.irfft(spectrum, axis=1).astype(np.float32), one)
    assert found.decibels == pytest.approx(2.5, abs=0.4) and found.hertz == pytest.approx(4000, rel=0.01)
    assert furthest(np.zeros((2, RATE), np.float32), np.zeros((2, RATE), np.float32)) == Apart()


def test_a_pure_sound_says_nothing_and_a_bent_one_names_what_bends_it() -> None:
    assert apart(plain(layers__a__source__shape="saw", layers__a__pan=0.0)) == Apart()
    assert apart(replace_module(plain(layers__a__pan=0.0), "layers.a.source", Source.kinds["noise"]())).decibels == 0.0
    patch = folded()
    found = apart(patch)
    assert abs(found.decibels) > 1.0 and found.by == "layers.a.inlets.b"
    assert apart_words(found, patch).endswith("than a render, by what B does to A")
    assert apart(patch, quality=1) == Apart()


def test_it_is_measured_and_kept(tmp_path) -> None:  # type: ignore[no-untyped-def]
    patch = folded()
    measured = measure(patch, 4)
    assert measured.apart == apart(patch)
    index = Index(tmp_path / "index.sqlite")
    index.put("it", measured)
    kept = index.get("it")
    assert kept is not None and kept.apart == measured.apart
    index.close()


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (Apart(), ""),
        (Apart(2.04, 501.0), "played at quality 1: 2.0 dB louder near 501 Hz than a render"),
        (Apart(-3.1, 7943.0, "layers.a.filter"),
         "played at quality 1: 3.1 dB softer near 7.94 kHz than a render, by the filter of A"),
        (Apart(-3.1, 7943.0, "layers.q.filter"), "played at quality 1: 3.1 dB softer near 7.94 kHz than a render"),
        (Apart(1.2, 1259.0, "buses.1.after"),
         "played at quality 1: 1.2 dB louder near 1.26 kHz than a render, by the drive after the filter of bus 1"),
        (Apart(1.2, 1259.0, "layers.a.source"),
         "played at quality 1: 1.2 dB louder near 1.26 kHz than a render, by the wave of A"),
    ],
)  # fmt: skip
def test_words(found: Apart, said: str) -> None:
    assert apart_words(found, plain()).replace(THIN, " ") == said
