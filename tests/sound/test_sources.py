"""Noise and Chaos, and what must hold for every source."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy import signal

from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.edits import add_inlet, add_layer, replace_module
from felt_dial.patch.module import Source
from felt_dial.patch.params import Choice, Param, Switch
from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.phrase import Note
from felt_dial.sound.engine.carry_over import carry_on
from felt_dial.sound.engine.program import Program
from felt_dial.sound.integrated import loudness
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import Audio
from felt_dial.sound.matter.tables import shipped_tables
from felt_dial.sound.modules import new_layer
from felt_dial.sound.playing.events import ON, Event
from felt_dial.sound.render import OPEN, render
from tests.sound.listening import RATE, plain


def noise(seconds: float = 12.0, key: int = 60, **fields: object) -> np.ndarray:
    patch = replace_module(plain(layers__a__level=-18.0), "layers.a.source", Source.kinds["noise"](**fields))
    patch = with_value(patch, "layers.a.pan", 0.0)
    return render(patch, [Note(0, seconds + 1, key)], seconds)[:, 4800:].astype(float)


@pytest.mark.parametrize("slope", [-12.0, -6.0, -3.0, 0.0, 3.0, 6.0, 12.0])
def test_the_slope_of_noise_is_what_it_says(slope: float) -> None:
    """dB per octave from a Welch spectrum (`scipy.signal.welch`), 60 Hz to 12 kHz, within 0.5 dB."""
    at, power = signal.welch(noise(slope=slope)[0], RATE, nperseg=8192)
    edges = np.geomspace(60, 12000, 24)
    pairs = list(pairwise(edges))
    bands = [(np.sqrt(a * b), power[(at >= a) & (at < b)]) for a, b in pairs if ((at >= a) & (at < b)).any()]
    fit = np.polyfit(np.log2([f for f, _ in bands]), [10 * np.log10(p.mean()) for _, p in bands], 1)
    assert fit[0] == pytest.approx(slope, abs=0.5)


def test_every_slope_is_as_loud_and_width_makes_sides_differ() -> None:
    """From 20 Hz to 16 kHz, where hearing ends for many."""
    heard = signal.butter(6, (20.0, 16000.0), "bandpass", fs=RATE, output="sos")
    loud = [signal.sosfilt(heard, noise(4.0, slope=slope)).std() for slope in (-12.0, -3.0, 0.0, 6.0, 12.0)]
    assert max(loud) / min(loud) < 1.06
    for width, expected in ((0.0, 1.0), (0.5, np.cos(np.pi / 4)), (1.0, 0.0)):
        assert np.corrcoef(noise(4.0, width=width))[0, 1] == pytest.approx(expected, abs=0.03)


@pytest.mark.parametrize("follow", [False, True])
def test_held_noise_stands_for_as_long_as_its_rate_says(follow: bool) -> None:
    sound = noise(2.0, key=57, hold=True, rate=1000.0, follow=follow, ratio=4.0)[0]
    steps = np.count_nonzero(np.abs(np.diff(sound)) > 1e-7) / (len(sound) / RATE)
    assert steps == pytest.approx(880.0 if follow else 1000.0, rel=0.01)


def test_a_texture_goes_round_without_a_seam(tmp_path: Path) -> None:
    assets.look_in(tmp_path)
    t = np.arange(RATE) / RATE
    asset = assets.keep(
        tmp_path / ".assets", Audio((0.4 * np.sin(2 * np.pi * 300.4 * t))[None].astype(np.float32), RATE), "t"
    )
    sound = noise(4.0, asset=asset)[0]
    assert np.abs(np.diff(sound)).max() < 1.5 * np.percentile(np.abs(np.diff(sound)), 99)


@pytest.mark.parametrize("system", ["spring", "weather", "pendulum"])
@pytest.mark.parametrize("key", [33, 45, 57, 69, 81])
def test_chaos_at_rest_is_heard_at_the_pitch_of_its_key(system: str, key: int) -> None:
    """Over four octaves the autocorrelation peaks at the period; within a sample of it, which is 1.8 % at the top."""
    patch = replace_module(plain(), "layers.a.source", Source.kinds["chaos"](system=system))
    sound = render(patch, [Note(0, 3, key)], 2.0)[0, 24000:56768].astype(float)
    both = np.fft.irfft(np.abs(np.fft.rfft(sound, 131072)) ** 2)[:4000]
    period = RATE / (440 * 2 ** ((key - 69) / 12))
    low, high = int(period * 0.75), int(period * 1.35) + 1
    found = low + int(both[low:high].argmax())
    assert abs(found - period) <= 1.0 + 0.01 * period and both[found] > 0.5 * both[0]


# --- every source ------------------------------------------------------------------------------


def made_of(kind: str, folder: Path) -> Source:
    """A source with something to play."""
    cls = Source.kinds[kind]
    if kind == "table":
        table = shipped_tables()["Narrow Gate"]
        return cls(asset=table.asset, cycle=table.cycle)  # type: ignore[no-any-return]
    if "asset" in cls.model_fields and kind != "noise":
        assets.look_in(folder)
        t = np.arange(RATE // 2) / RATE
        sound = sum(0.3 / n * np.sin(2 * np.pi * 262 * n * t) * np.exp(-3 * t) for n in range(1, 9))
        return cls(asset=assets.keep(folder / ".assets", Audio(sound[None].astype(np.float32), RATE), "x"))  # type: ignore[no-any-return]
    return cls()  # type: ignore[no-any-return]


@st.composite
def any_source(draw: st.DrawFn) -> tuple[str, dict[str, object]]:
    kind = draw(st.sampled_from(sorted(Source.kinds)))
    values: dict[str, object] = {}
    for name, param in Source.kinds[kind].params.items():
        if not draw(st.booleans()):
            continue
        if isinstance(param, Param):
            values[name] = param.at(draw(st.sampled_from([0.0, 0.03, 0.3, 0.5, 0.97, 1.0])))
        elif isinstance(param, Choice):
            values[name] = draw(st.sampled_from(param.ids))
        else:
            assert isinstance(param, Switch)
            values[name] = draw(st.booleans())
    if "unison" in values:
        values["unison"] = min(int(values["unison"]), 8)  # type: ignore[call-overload]
    return kind, values


@settings(max_examples=200, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(any_source(), st.integers(0, 127), st.sampled_from([0.0, 3.0, 24.0]))
def test_any_source_anywhere_is_finite_below_the_ceiling_and_silent_after_release(
    tmp_path_factory: pytest.TempPathFactory, chosen: tuple[str, dict[str, object]], key: int, index: float
) -> None:
    kind, values = chosen
    source = made_of(kind, tmp_path_factory.getbasetemp())
    for name, value in values.items():
        source = source.with_value(name, value)
    patch = replace_module(plain(modulators__e1__release=0.02), "layers.a.source", source)
    if index:
        patch, other = add_layer(patch, new_layer())
        patch = add_inlet(with_value(patch, f"layers.{other}.out", "none"), "a", other, index)
    if values.get("one_shot"):
        patch = with_value(patch, "layers.a.source.one_shot", False)
    sound = render(patch, [Note(0, 0.15, key), Note(0.02, 0.1, min(key + 7, 127))], 0.4)
    assert np.isfinite(sound).all() and np.abs(sound).max() <= OPEN
    assert np.abs(sound[:, -2400:]).max() < 1e-4


@pytest.mark.parametrize("kind", sorted(Source.kinds))
def test_the_same_notes_give_the_same_bytes_in_blocks_of_any_length(kind: str, tmp_path: Path) -> None:
    patch = replace_module(plain(), "layers.a.source", made_of(kind, tmp_path))
    notes = [Note(0.01, 0.3, 57), Note(0.1, 0.3, 64)]
    first = render(patch, notes, 0.5)
    assert first.any() and first.tobytes() == render(patch, notes, 0.5).tobytes()
    assert np.abs(first - render(patch, notes, 0.5, block=512)).max() < 2e-5


@pytest.mark.parametrize("kind", sorted(Source.kinds))
def test_a_source_survives_writing_and_reading(kind: str, tmp_path: Path) -> None:
    patch = replace_module(plain(), "layers.a.source", made_of(kind, tmp_path))
    assert read_patch(write_patch(patch), "“it”") == patch


@pytest.mark.parametrize(
    "kind", [k for k in sorted(Source.kinds) if "asset" in Source.kinds[k].model_fields and k != "noise"]
)
def test_a_missing_recording_is_silence_and_keeps_its_name(
    kind: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv(assets.PLACES, "")
    patch: Patch = replace_module(plain(), "layers.a.source", made_of(kind, tmp_path))
    source = patch.layers["a"].source
    lost = source.asset.model_copy(update={"digest": "0" * 64})  # type: ignore[attr-defined]
    patch = replace_module(patch, "layers.a.source", source.model_copy(update={"asset": lost}))
    assert not render(patch, [Note(0, 0.2, 60)], 0.3).any()
    assert assets.missing(patch) == {"layers.a.source": lost}
    assert read_patch(write_patch(patch), "“it”").layers["a"].source.asset == lost  # type: ignore[attr-defined]


def test_another_source_carries_on_under_held_keys(tmp_path: Path) -> None:
    before = Program(plain())
    before.block([Event(0, ON, 60, 0.8)])
    for kind in sorted(Source.kinds):
        after = Program(replace_module(plain(), "layers.a.source", made_of(kind, tmp_path)))
        carry_on(after, before)
        for _ in range(4):
            sound = after.block()
        assert np.isfinite(sound).all() and len(after.voices.active) == 1


@pytest.mark.parametrize("coupling", [0.6, 1.0])
def test_systems_are_as_loud_as_each_other_however_wild(coupling: float) -> None:
    """By ITU-R BS.1770-4, within 3.2 LU of the middle of all, from calm to wild; half of that for nine in ten of them."""
    found = []
    for system in ("spring", "weather", "pendulum"):
        for energy in np.linspace(0.0, 1.0, 6):
            for damping in (0.1, 0.4, 0.8) if coupling == 0.6 else (0.4,):
                fields = {"system": system, "energy": float(energy), "coupling": coupling, "damping": damping}
                patch = replace_module(plain(), "layers.a.source", Source.kinds["chaos"](**fields))
                found.append(loudness(render(patch, [Note(0, 3, 52)], 1.6)[:, RATE // 10 :]))
    away = np.abs(np.array(found) - np.median(found))
    assert away.max() < 3.2 and np.quantile(away, 0.75) < 2.0


def test_voices_by_chance_lean_to_neither_side() -> None:
    """Three to seven voices of a saw, by other lots: both sides within half a decibel over two seconds."""
    for unison in (3, 4, 7):
        for seed in (1, 2, 5, 9):
            fields = {"shape": "saw", "unison": unison, "voicing": "random", "spread": 1.0, "detune": 40.0}
            patch = replace_module(plain(layers__a__pan=0.0), "layers.a.source", Source.kinds["wave"](**fields))
            left, right = render(with_value(patch, "seed", seed), [Note(0, 5, 57)], 4.0).astype(np.float64)
            assert 10 * np.log10(np.mean(left**2) / np.mean(right**2)) == pytest.approx(0.0, abs=0.5), (unison, seed)
