"""What it says is what it does: neither quality nor rate change a sound, and no two layers draw the same lots."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy import signal

from felt_dial.bank.library.places import SHIPPED
from felt_dial.patch.edits import add_effect, add_layer, add_modulator, replace_module, sew
from felt_dial.patch.module import Effect, Filter, Modulator, Source
from felt_dial.patch.params import Param
from felt_dial.patch.parts import depth_param
from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.phrase import Note
from felt_dial.patch.shaping import WAYS as CURVES
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.assets import PLACES
from felt_dial.sound.matter.audio_file import Audio
from felt_dial.sound.matter.tables import shipped_tables
from felt_dial.sound.render import render
from tests.sampled import some
from tests.sound.listening import amplitude_at, decibels, plain, steady

RATE = 48000
THIRDS = 1000.0 * 2.0 ** (np.arange(-15, 11) / 3)
"""Middles of the third-octave bands from 31 Hz to 10 kHz (IEC 61260-1, base two)."""
WAYS = [(48000, 2), (48000, 4), (48000, 8), (44100, 1), (96000, 1), (192000, 1)]


def thirds(sound: NDArray[np.float32], rate: int) -> NDArray[np.float64]:
    """dB of every third-octave band, both sides together (Welch, 1967)."""
    hertz, density = signal.welch(sound.astype(np.float64), rate, nperseg=rate // 4)
    power = density.mean(axis=0)
    edges = [(middle * 2 ** (-1 / 6), middle * 2 ** (1 / 6)) for middle in THIRDS]
    found = [power[(hertz >= low) & (hertz < high)].sum() * (hertz[1] - hertz[0]) for low, high in edges]
    return 10 * np.log10(np.array(found) + 1e-20)


@pytest.fixture(autouse=True)
def recordings(monkeypatch: pytest.MonkeyPatch) -> None:
    """Those of the demo are found."""
    monkeypatch.setenv(PLACES, str(SHIPPED))


def source_of(kind: str, **values: object) -> Source:
    """A source with something to sound from."""
    source = Source.kinds[kind]()
    if kind == "table":
        table = shipped_tables()["Loft Choir"]
        source = Source.kinds[kind](asset=table.asset, cycle=table.cycle)
    elif kind in ("sample", "grains"):
        reed = json.loads((SHIPPED / "glasshouse-at-dusk" / "presets" / "reed-bed.json").read_text())
        asset = next(la["source"]["asset"] for la in reed["layers"].values() if la["source"].get("asset"))
        source = Source.kinds[kind].model_validate({"kind": kind, "asset": asset})
    for name, value in values.items():
        source = source.with_value(name, value)
    return source


def sounding(source: Source) -> Patch:
    return replace_module(plain(), "layers.a.source", source)


# --- neither quality nor rate change a sound -----------------------------------------------------


@pytest.mark.parametrize("slope", some([-12.0, -3.0, 12.0, 0.0, 6.0], 2))
def test_noise_is_as_loud_in_every_band_at_every_rate(slope: float) -> None:
    """Bands of more than 100 Hz, in which 12 s of noise are known to 0.1 dB."""
    patch, wide = with_value(sounding(source_of("noise", slope=slope)), "layers.a.level", -20.0), THIRDS > 450
    found = {}
    for rate, quality in [(48000, 1), *WAYS]:
        sound = render(patch, [Note(0.0, 20.0, 60)], 12.0, rate=rate, quality=quality)
        found[rate, quality] = thirds(sound, rate)[wide]
    want = 20 * slope / 20 * np.log2(THIRDS[wide] / 1000.0)
    for bands in found.values():
        octave = bands - 10 * np.log10(THIRDS[wide] / 1000.0)  # a band grows with its width
        assert np.abs(octave - octave.mean() - want + want.mean()).max() < 0.5
        assert np.abs(bands - found[48000, 1]).max() < 0.5


RESHAPED = ("bend", "squeeze", "mirror", "stretch", "fold", "step")


@pytest.mark.parametrize(
    ("kind", "values"),
    [("wave", {"sync": 0.7}), ("wave", {"sync": 9.3})]
    + [("table", {"reshape": way, "amount": 0.6}) for way in RESHAPED],
)
def test_what_is_made_finer_inside_keeps_its_bass(kind: str, values: dict[str, object]) -> None:
    """A low tone (key 33, 55 Hz), all bands that are within 50 dB of the loudest."""
    patch = sounding(source_of(kind, **values))
    found = {}
    for rate, quality in [(48000, 1), *WAYS]:
        sound = render(patch, [Note(0.0, 9.0, 33)], 2.5, rate=rate, quality=quality)[:, int(0.4 * rate) :]
        found[rate, quality] = thirds(sound, rate)
    loud = found[48000, 1] > found[48000, 1].max() - 50
    for bands in found.values():
        assert np.abs(bands - found[48000, 1])[loud].max() < 0.3


@pytest.mark.parametrize("width", [0.03, 0.2, 0.5, 0.71, 0.97])
def test_a_wave_goes_from_shape_to_shape_with_its_fundamental_and_a_steady_level(width: float) -> None:
    """At 61 places: the fundamental is never more than 8 dB below both neighbours, the level rises or falls from shape to
    shape without turning."""
    levels, fundamentals = [], []
    for shape in np.linspace(0.0, 3.0, 61):
        sound = steady(sounding(source_of("wave", shape=float(shape), width=width)), 45, 24000)
        levels.append(decibels(float(np.sqrt(np.square(sound).mean()))))
        fundamentals.append(decibels(amplitude_at(sound, 110.0)))
    for first in (0, 20, 40):
        steps = np.diff(levels[first : first + 21])
        assert (steps > -0.01).all() or (steps < 0.01).all()
        ends = fundamentals[first], fundamentals[first + 20]
        assert min(fundamentals[first : first + 21]) > min(ends) - 0.5


# --- every layer, every note and every seed draws its own lots -----------------------------------


def drawing() -> Iterator[tuple[str, Source]]:
    """Sources in which something is left to chance, and what."""
    yield "noise", source_of("noise")
    yield "grains", source_of("grains", by_place=0.5, by_pitch=5.0, by_pan=1.0)
    yield "drift", source_of("wave", drift=30.0)
    yield "free start", source_of("wave", start="free")
    yield "phases of voices", source_of("wave", unison=5, detune=20.0)
    yield "places of voices", source_of("wave", unison=5, detune=20.0, voicing="random", scatter=0.0)
    yield "table", source_of("table", drift=30.0)
    yield "life", source_of("partials", life=1.0)
    yield "chaos", source_of("chaos", energy=0.9)
    yield "start of a sample", source_of("sample", chance=0.4)


def alike(one: NDArray[np.float32], other: NDArray[np.float32]) -> float:
    """The correlation of two sounds, −1 to 1."""
    a, b = (sound.astype(np.float64).ravel() for sound in (one, other))
    return float(np.corrcoef(a, b)[0, 1])


@pytest.mark.parametrize(("name", "source"), list(drawing()), ids=[name for name, _ in drawing()])
def test_no_two_layers_draw_the_same_lots(name: str, source: Source) -> None:
    """The same source in two layers, each heard alone; and once more, where it must be the same again."""
    patch, other = add_layer(sounding(source), sounding(source).layers["a"])
    notes = [Note(0.0, 3.0, 45)]

    def heard(key: str, seed: int = 1) -> NDArray[np.float32]:
        alone = with_value(with_value(patch, f"layers.{key}.solo", True), "seed", seed)
        return render(alone, notes, 2.0)

    first = heard("a")
    assert np.array_equal(first, heard("a"))
    assert abs(alike(first, heard(other))) < 0.97
    assert abs(alike(first, heard("a", 2))) < 0.97


# --- what belongs to one thing leaves another alone ----------------------------------------------


def test_a_sample_that_follows_no_key_leaves_its_filter_with_the_key(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """White noise, looped, and a filter that follows the key wholly: an octave higher it opens an octave."""
    rng = np.random.default_rng(3)
    monkeypatch.setenv(PLACES, str(tmp_path))
    hiss = assets.keep(
        tmp_path / ".assets", Audio((0.2 * rng.standard_normal((1, 96000))).astype(np.float32), 48000.0), "hiss"
    )
    source = Source.kinds["sample"].model_validate(
        {"kind": "sample", "asset": hiss.model_dump(), "loop": "forward", "track": False}
    )
    patch = sounding(source)
    for name, value in {"on": True, "response": "low 24", "cutoff": 500.0, "follow": 1.0}.items():
        patch = with_value(patch, f"layers.a.filter.{name}", value)

    def half_power(key: int) -> float:
        sound = render(patch, [Note(0.0, 9.0, key)], 6.0)[0, 4800:].astype(np.float64)
        hertz, power = signal.welch(sound, RATE, nperseg=4096)
        return float(hertz[20 + np.argmax(power[20:] < 0.25 * power[5:20].mean())])

    assert half_power(72) / half_power(60) == pytest.approx(2.0, rel=0.08)


def test_the_whistle_of_the_wire_is_as_loud_at_every_rate() -> None:
    """A saw through the wire near its whistle: every third of an octave within 0.7 dB."""
    patch = with_value(plain(layers__a__level=-12.0), "layers.a.source.shape", "saw")
    wire = Filter.kinds["acid"](on=True, character="wire", cutoff=1200.0, resonance=0.7)
    patch, found = replace_module(patch, "layers.a.filter", wire), {}
    for rate, quality in [(48000, 1), *WAYS]:
        found[rate, quality] = thirds(
            render(patch, [Note(0.0, 4.0, 33)], 2.5, rate=rate, quality=quality)[:, rate // 2 :], rate
        )
    loud = found[48000, 4] > found[48000, 4].max() - 45
    for bands in found.values():
        assert np.abs(bands - found[48000, 4])[loud].max() < 0.7


# --- no dial takes a thread that cannot work -----------------------------------------------------

SETTINGS: dict[str, list[dict[str, object]]] = {
    "wave": [{"unison": 5, "detune": 20.0, "shape": 2.6}, {"sync": 5.0}],
    "table": [{"unison": 5, "detune": 20.0}, {"reshape": "bend", "amount": 0.3}],
    "sample": [{"unison": 5, "detune": 20.0, "loop": "forward", "loop_start": 0.05, "loop_end": 0.15}],
    "grains": [
        {"by_pitch": 3.0, "loop_start": 0.2, "loop_end": 0.4},
        {"scan": "passes", "dense": "count"},
        {"scan": "travel", "by_place": 0.2},
    ],
    "partials": [{"unison": 5, "detune": 20.0, "speed": 0.5, "slow": 5.0}],
    "noise": [{"slope": -3.0}, {"hold": True}, {"hold": True, "follow": True}],
    "chaos": [{}],
}
"""In which every dial of a source has something to do."""


def recorded_partials() -> Source:
    """Partials of a recording of the demo."""
    return Source.kinds["partials"](asset=source_of("sample").asset)  # type: ignore[attr-defined]


@pytest.mark.parametrize("kind", sorted(Source.kinds))
def test_a_thread_on_any_dial_of_a_source_moves_a_held_note_or_the_dial_says_that_it_does_not(kind: str) -> None:
    """An LFO of 3 Hz that is at nothing as the note begins: after half a second the sound is another."""
    moved = set()
    for settings in SETTINGS[kind]:
        source = recorded_partials() if kind == "partials" else source_of(kind)
        for name, value in settings.items():
            source = source.with_value(name, value)
        patch = sounding(source)
        plain_sound = render(patch, [Note(0.0, 3.0, 45)], 1.4)[:, RATE // 2 :].astype(np.float64)
        for name, param in source.params.items():
            if isinstance(param, Param) and param.movable and name not in moved:
                swayed, lfo = add_modulator(patch, Modulator.kinds["lfo"](rate=3.0, start="per note"))
                depth = float(depth_param(param).at(0.72))
                swayed, _ = sew(swayed, lfo, f"layers.a.source.{name}", depth, reading="both ways")
                sound = render(swayed, [Note(0.0, 3.0, 45)], 1.4)[:, RATE // 2 :].astype(np.float64)
                if np.square(sound - plain_sound).mean() > 1e-6 * np.square(plain_sound).mean():
                    moved.add(name)
    dials = {name for name, param in Source.kinds[kind].params.items() if isinstance(param, Param) and param.movable}
    stay = {name for name in dials if Source.kinds[kind].params[name].at_start}  # type: ignore[attr-defined]
    assert moved == dials - stay


# --- nor do drives, filters and effects ------------------------------------------------------------

LEFT_OUT = {
    "reduce": "it aliases, which is what it is for",
    "gate": "its steps begin at another frame of the wave",
    "phaser": "its notches move through the bands by the place of its sway",
    "reverb": "its lines are whole frames long: other lines at another rate, and so other echoes in a band",
}


def worked_on() -> Iterator[tuple[str, Patch]]:
    saw = plain(layers__a__source__shape="saw", layers__a__level=-12.0, layers__a__pan=0.0)
    for way in CURVES:
        if way not in LEFT_OUT:
            folds = way in (
                "sine",
                "fold",
                "wrap",
            )  # of a saw these would hear how steep its edge is, which is its band
            driven = with_value(saw, "layers.a.source.shape", "triangle") if folds else saw
            driven = with_value(with_value(driven, "layers.a.drive.on", True), "layers.a.drive.way", way)
            yield (
                f"drive {way}",
                with_value(with_value(driven, "layers.a.drive.kept", False), "layers.a.drive.amount", 9.3),
            )
    for kind, filter_ in Filter.kinds.items():
        tuned = filter_(on=True)
        if "cutoff" in tuned.params and kind != "comb":
            tuned = tuned.with_value("cutoff", 1000.0)
        yield f"filter {kind}", replace_module(saw, "layers.a.filter", tuned)
    for kind, effect in Effect.kinds.items():
        if kind not in LEFT_OUT:
            made = effect()
            made = made.with_value("cutoff", 1000.0) if "cutoff" in made.params else made
            yield f"effect {kind}", add_effect(saw, "1", made)[0]


WORKED_ON = dict(worked_on())


@pytest.mark.parametrize("name", WORKED_ON)
def test_neither_quality_nor_rate_change_what_works_on_a_sound(name: str) -> None:
    """Third octaves of a saw in which there is something, within 0.35 dB; to 4 kHz for what is tuned, to 10 kHz for the rest.

    What is tuned is the bilinear transform of its prototype (Zavalishin; the Audio EQ Cookbook), which closes towards half of
    the rate: at 48 kHz a low-pass at 1 kHz is 0.6 dB too soft at 5 kHz, and 0.1 at twice the rate.
    """
    tuned = name.startswith("filter") or name.split()[1] in ("filter", "ladder", "acid", "comb", "throat", "equaliser")
    kept = (4100.0 if tuned else 11000.0) > THIRDS
    found = {}
    for rate, quality in [(48000, 1), (48000, 2), (48000, 8), (44100, 1), (96000, 1)]:
        sound = render(WORKED_ON[name], [Note(0.0, 9.0, 33)], 5.0, rate=rate, quality=quality)[:, rate:]
        found[rate, quality] = thirds(sound, rate)
    live = found[48000, 1]
    filled = np.array([np.any(np.abs(np.log2(55.0 * np.arange(1, 200) / middle)) < 1 / 6) for middle in THIRDS])
    heard = kept & filled & (live > live.max() - 45.0)
    assert heard.sum() > 6 or name.startswith("drive")
    for way, bands in found.items():
        assert np.abs(bands - live)[heard].max() < 0.35, (way, np.round((bands - live)[heard], 2))
