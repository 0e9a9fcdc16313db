"""Recordings are cut, split and joined as closed forms say."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pytest
import soundfile

from felt_dial.errors import FeltDialError
from felt_dial.patch.module import Source
from felt_dial.patch.patch import put
from felt_dial.patch.phrase import Note
from felt_dial.sound.matter import assets, root
from felt_dial.sound.matter.audio_file import Audio, read_audio
from felt_dial.sound.matter.tables import shipped_recordings, shipped_tables
from felt_dial.sound.modules import new_patch
from felt_dial.sound.render import render
from felt_dial.workshop.recording import (
    choice,
    looks,
    loops,
    peaks,
    recipe,
    slices,
    spectrogram,
    splice,
    split,
    spread,
    steps,
)
from felt_dial.workshop.recording.recipe import RecordingRecipe, Step
from felt_dial.workshop.wav_file import recording_wav

RATE = 48000.0
SECONDS = np.arange(3 * 48000) / RATE


def mono(sound: np.ndarray) -> np.ndarray:
    return np.asarray(sound, np.float32)[None]


def level(sound: np.ndarray) -> float:
    """Root mean square in dB."""
    return 20 * float(np.log10(np.sqrt(np.square(np.asarray(sound, np.float64)).mean()) + 1e-12))


def tone(sound: np.ndarray, hertz: float) -> float:
    """Level of one sine in dB, by a Hann window."""
    n = np.arange(sound.shape[1])
    window = np.hanning(len(n))
    return 20 * float(
        np.log10(2 * np.abs((sound[0] * window * np.exp(-2j * np.pi * hertz / RATE * n)).sum()) / window.sum() + 1e-12)
    )


def source_of(kind: str) -> Source:
    """A source of a kind that sounds at its key: with a table or a recording that ships where it needs one."""
    source = Source.kinds[kind]()
    if kind == "table":
        about = shipped_tables()["Loft Choir"]
        return source.model_copy(update={"asset": about.asset, "cycle": about.cycle})
    if kind == "sample":
        asset, key = shipped_recordings()["Plucked String"]
        return source.model_copy(update={"asset": asset, "root": key})
    return source


# --- pictures ----------------------------------------------------------------------------------


def test_peaks_hold_the_lowest_and_highest_sample_of_each_column_at_any_zoom() -> None:
    sound = np.random.default_rng(1).normal(0, 0.2, (2, 300_000)).astype(np.float32)
    made = peaks.Peaks(sound)
    for first, last, count in ((0, 300_000, 100), (64 * 100, 64 * 1100, 50), (1000, 4000, 30)):
        found = made.columns(first, last, count)
        edges = np.linspace(first, last, count + 1).astype(int)
        for n in range(1, count - 1):
            piece = sound[:, edges[n] : edges[n + 1]]
            size = max((edges[n + 1] - edges[n]) // 4, 1)
            near = sound[:, max(edges[n] - 64 - size, 0) : edges[n + 1] + 64 + size]
            assert (found[:, 1, n] <= near.max(axis=1)).all() and (found[:, 0, n] >= near.min(axis=1)).all()
            if edges[n] % 64 == 0 and edges[n + 1] % 64 == 0:
                assert np.array_equal(found[:, 1, n], piece.max(axis=1))
    assert np.array_equal(made.columns(10, 20, 20)[0, 0], sound[0, np.rint(np.linspace(10, 20, 21)[:-1]).astype(int)])


def test_a_first_look_at_a_file_is_about_what_all_of_it_looks_like(tmp_path: Path) -> None:
    """A tone that swells and falls over ten minutes: each column within 2 % of what was read whole, with its peak."""
    frames = 600 * 8000
    swell = np.sin(np.pi * np.arange(frames) / frames) ** 2
    tone_ = np.sin(2 * np.pi * 200 / 8000 * np.arange(frames))
    sound = np.stack([0.8 * swell * tone_, 0.4 * swell * tone_]).astype(np.float32)
    soundfile.write(tmp_path / "long.wav", sound.T, 8000, subtype="FLOAT")
    look, whole = peaks.FirstLook(tmp_path / "long.wav"), peaks.Peaks(sound)
    assert look.frames == frames and look.top == pytest.approx(0.8, rel=0.01) == whole.top
    for first, last in ((0, frames), (frames // 4, frames // 2)):
        seen, there = look.columns(first, last, 300), whole.columns(first, last, 300)
        assert np.abs(seen - there).max() < 0.02
    with pytest.raises(FeltDialError, match="cannot be read"):
        (tmp_path / "broken.wav").write_bytes(b"RIFF nothing")
        peaks.FirstLook(tmp_path / "broken.wav")


def test_a_sine_stands_in_its_row_of_the_spectrum_at_its_level() -> None:
    found = spectrogram.spectrogram(mono(0.5 * np.sin(2 * np.pi * 1000 * SECONDS)), RATE, 0, len(SECONDS), 40, 120)
    row = int(np.argmax(found[:, 20]))
    assert abs(row / 120 - spectrogram.row_of(1000.0)) < 0.02
    assert found[row, 20] == pytest.approx(-6.0, abs=1.5)  # a Hann window loses up to 1.4 dB between two bins


# --- roots -------------------------------------------------------------------------------------


@pytest.mark.parametrize("kind", ["wave", "table", "sample", "partials"])
def test_roots_of_our_own_sources_are_named_within_ten_cents(kind: str) -> None:
    """Keys 28 to 96, ISO 16 pitch."""
    patch = new_patch()
    patch = put(patch, ["layers", "a"], patch.layers["a"].model_copy(update={"source": source_of(kind)}))
    for key in (28, 36, 45, 57, 64, 72, 84, 96):
        found = root.root_of(render(patch, [Note(0.0, 1.0, key)], 1.2), RATE)
        assert found.key == pytest.approx(key, abs=0.1), key
        assert found.begins is None


def test_noise_has_no_root() -> None:
    for seed in range(3):
        assert root.root_of(mono(np.random.default_rng(seed).normal(0, 0.2, 96000)), RATE).key is None


def test_a_glide_is_reported_with_where_it_goes() -> None:
    down = np.sin(2 * np.pi * np.cumsum(220 * 2 ** (-SECONDS / 3 * 4 / 12)) / RATE)
    assert root.root_of(mono(down), RATE).says() == "falls from A3 to F3"
    up = np.sin(2 * np.pi * np.cumsum(110 * 2 ** (SECONDS / 3)) / RATE)
    found = root.root_of(mono(up), RATE)
    assert found.begins == pytest.approx(45, abs=1) and found.ends == pytest.approx(57, abs=1)


# --- loops -------------------------------------------------------------------------------------


@pytest.mark.parametrize("hertz", [82.41, 221.3, 523.25])
def test_loops_of_a_decaying_tone_are_whole_turns(hertz: float) -> None:
    sound = mono(np.exp(-SECONDS / 2) * sum(np.sin(2 * np.pi * hertz * k * SECONDS) / k for k in range(1, 9)) * 0.3)
    found = loops.loops_of(sound, RATE)
    assert len(found) >= 3
    for loop in found:
        turns = (loop.last - loop.first) * hertz / RATE
        assert abs(turns - round(turns)) < 0.02 and round(turns) >= 1
    assert any(round(loop.turns) == 1 for loop in found)
    assert found == sorted(found, key=lambda loop: -loop.score)


def test_noise_has_no_loop_and_steady_tones_have_nearly_perfect_ones() -> None:
    assert loops.loops_of(mono(np.random.default_rng(3).normal(0, 0.2, 96000)), RATE) == []
    assert loops.loops_of(mono(0.5 * np.sin(2 * np.pi * 220 * SECONDS)), RATE)[0].score > 0.9


def test_the_seam_is_what_the_loop_plays() -> None:
    """A sample rendered with the loop, read where it has gone round, is the seam that is drawn."""
    sound = mono(0.5 * np.sin(2 * np.pi * 100 * SECONDS) * np.exp(-SECONDS))
    drawn = loops.seam(sound, (4800.0, 9600.0), 0.0, 200)
    assert np.abs(drawn[:200] - sound[0, 9400:9600]).max() < 1e-6
    assert np.abs(drawn[200:] - sound[0, 4800:5000]).max() < 1e-6
    faded = loops.seam(sound, (4800.0, 9600.0), 100.0, 200)
    assert abs(faded[199] - faded[200]) < abs(drawn[199] - drawn[200]) + 0.02


# --- parts -------------------------------------------------------------------------------------


def test_parts_add_up_to_the_whole_below_minus_90_decibels() -> None:
    """Fitzgerald 2010; Driedger 2014."""
    rng = np.random.default_rng(5)
    sound = np.stack([0.3 * np.sin(2 * np.pi * 440 * SECONDS) + rng.normal(0, 0.05, len(SECONDS)) for _ in range(2)])
    sound[:, ::24000] += 0.8
    sound = sound.astype(np.float32)
    for strength in (0.0, 0.5, 1.0):
        parts = split.split(sound, RATE, strength)
        assert level(parts.tones.astype(float) + parts.noise + parts.strikes - sound) < level(sound) - 90


def test_a_sine_goes_to_the_tones_noise_to_the_noise_and_clicks_to_the_strikes() -> None:
    sine = 0.3 * np.sin(2 * np.pi * 440 * SECONDS)
    noise = np.random.default_rng(6).normal(0, 0.01, len(SECONDS))
    clicks = np.zeros(len(SECONDS))
    clicks[12000::24000] = 0.9
    parts = split.split(mono(sine + noise + clicks), RATE)
    assert tone(parts.tones, 440) == pytest.approx(20 * np.log10(0.3), abs=0.5)
    assert tone(parts.noise, 440) < tone(parts.tones, 440) - 30
    assert level(parts.noise) > level(noise) - 6
    peaks_ = np.abs(parts.strikes[0, 12000::24000])
    assert peaks_.min() > 0.6 and np.abs(parts.tones[0, 12000::24000] - sine[12000::24000]).max() < 0.15


def test_pieces_are_split_as_the_whole_would_be(monkeypatch: pytest.MonkeyPatch) -> None:
    sound = (0.2 * np.random.default_rng(8).normal(size=(2, 70_001))).astype(np.float32)
    sound[:, ::9000] += 0.8
    monkeypatch.setattr(looks, "PIECE", 2**20)
    whole = split.split(sound, RATE)
    monkeypatch.setattr(looks, "PIECE", 2**14)
    told: list[float] = []
    for one, other in zip(whole, split.split(sound, RATE, watch=lambda part: not told.append(part)), strict=True):  # type: ignore[func-returns-value]
        assert np.abs(one - other).max() < 1e-5
    assert told == sorted(told) and len(told) > 8 and told[-1] == 1.0


def test_a_choice_in_pieces_is_what_it_would_be_of_the_whole(monkeypatch: pytest.MonkeyPatch) -> None:
    sound = (0.2 * np.random.default_rng(9).normal(size=(2, 90_001))).astype(np.float32)
    shapes = [
        {"kind": "box", "times": [0.3, 1.2], "hertz": [200.0, 3000.0]},
        {"kind": "brush", "points": [[0.1, 500.0], [1.6, 5000.0]], "octaves": 0.3, "seconds": 0.1},
        {"kind": "harmonics", "times": [0.5, 1.7], "track": [[0.5, 220.0], [1.7, 330.0]], "octaves": 0.1},
    ]
    made = []
    for piece in (2**20, 2**14):
        monkeypatch.setattr(looks, "PIECE", piece)
        made.append(choice.chosen_part(sound, RATE, shapes, 0.05, 0.1))
    assert np.abs(made[0] - made[1]).max() < 1e-5 and float(np.abs(made[0]).max()) > 0.01


def test_a_split_is_stopped_where_somebody_wishes() -> None:
    with pytest.raises(FeltDialError):
        split.split(mono(np.sin(SECONDS)), RATE, watch=lambda part: part < 0.2)


# --- choices -----------------------------------------------------------------------------------

THREE = sum(0.2 * np.sin(2 * np.pi * hertz * SECONDS) for hertz in (400, 600, 900))


@pytest.mark.parametrize(
    "shape",
    [
        {"kind": "box", "times": [-1, 4], "hertz": [540, 660]},
        {"kind": "lasso", "points": [[-1, 530], [4, 530], [4, 670], [-1, 670]]},
        {"kind": "brush", "points": [[-1, 600], [4, 600]], "octaves": 0.15, "seconds": 0.2},
        {"kind": "harmonics", "times": [-1, 4], "track": [[0, 600], [3, 600]], "octaves": 0.12},
    ],
    ids=lambda shape: shape["kind"],
)
def test_a_chosen_tone_is_taken_out_by_40_decibels_and_its_neighbours_stay(shape: dict) -> None:
    whole = mono(THREE)
    rest = whole - choice.chosen_part(whole, RATE, [shape], 0.02, 0.03)
    assert tone(rest, 600) < tone(whole, 600) - 40
    for hertz in (400, 900):
        assert tone(rest, hertz) == pytest.approx(tone(whole, hertz), abs=0.5)


def test_what_is_kept_and_what_is_taken_out_are_the_whole() -> None:
    whole = mono(THREE)
    part = choice.chosen_part(whole, RATE, [{"kind": "box", "times": [0.5, 1.5], "hertz": [300, 700]}], 0.1, 0.2)
    assert np.abs(part + (whole - part) - whole).max() < 1e-6
    everything = choice.chosen_part(whole, RATE, [{"kind": "box", "times": [-9, 9], "hertz": [1, 30000]}], 0.0, 0.0)
    assert np.abs(everything - whole).max() < 1e-5
    with pytest.raises(FeltDialError):
        choice.chosen_part(whole, RATE, [], 0.1, 0.1)


# --- splices -----------------------------------------------------------------------------------


def envelope(sound: np.ndarray, first: int, last: int) -> np.ndarray:
    return np.abs(sound[0, first:last]).reshape(-1, 480).max(axis=1)


def test_sines_in_phase_keep_their_level_through_a_splice() -> None:
    """Equal gain, closed form: both add up to one. The second begins anywhere in its turn and is moved until it fits."""
    one = np.sin(2 * np.pi * 100 * SECONDS[:48000])
    for turn in (0.0, 1.0, 2.5, 4.0):
        two = 0.5 * np.sin(2 * np.pi * 100 * SECONDS[:48000] + turn)
        made = splice.splice(mono(one), mono(two), RATE, 0.2, "gain")
        heard = 20 * np.log10(envelope(made.sound, made.begins - 4800, made.begins + 14400))
        assert np.abs(heard).max() < 0.2
        assert made.gain_db == pytest.approx(6.02, abs=0.1)


@pytest.mark.parametrize("rate", [44100, 48000, 96000])
def test_the_second_is_as_loud_as_the_first_whatever_lies_between(rate: int) -> None:
    """Two swells, the first with a dead tail: their loudest halves are as strong as each other, within 1 dB."""
    t = np.arange(2 * rate) / rate
    swell = np.sin(np.pi * np.minimum(t / 1.5, 1.0)) * np.sin(2 * np.pi * 330 * t)
    for level in (0.05, 0.3, 1.0):
        made = splice.splice(mono(0.5 * swell), mono(level * swell[: int(1.5 * rate)]), rate, 0.2)
        parts = made.sound[0, : int(1.5 * rate)], made.sound[0, made.begins :]
        loud = [np.sqrt(np.sort(np.square(part))[len(part) // 2 :].mean()) for part in parts]
        assert 20 * np.log10(loud[1] / loud[0]) == pytest.approx(0.0, abs=1.0)
        assert made.gain_db == pytest.approx(20 * np.log10(0.5 / level), abs=0.5)


def test_mono_and_stereo_of_one_sound_are_as_loud() -> None:
    one = mono(0.3 * np.sin(2 * np.pi * 220 * SECONDS[:48000]))
    for first, second in ((one[:1], np.repeat(one[:1], 2, axis=0)), (np.repeat(one[:1], 2, axis=0), one[:1])):
        assert splice.splice(first, second, RATE, 0.2).gain_db == pytest.approx(0.0, abs=0.05)


def test_noises_keep_their_power_through_a_splice_of_equal_power() -> None:
    """Uncorrelated: cos² + sin² = 1. Averaged over 40 splices, since one noise is uneven by itself."""
    rng = np.random.default_rng(8)
    total = np.zeros(20)
    for _ in range(40):
        made = splice.splice(
            mono(rng.normal(0, 0.2, 24000)), mono(rng.normal(0, 0.2, 24000)), RATE, 0.2, "power", align=False
        )
        total += np.square(made.sound[0, made.begins : made.begins + 9600]).reshape(20, -1).mean(axis=1)
    assert np.abs(10 * np.log10(total / total.mean())).max() < 0.7


def test_without_alignment_opposed_sines_thin_out_and_with_it_they_do_not() -> None:
    one = mono(np.sin(2 * np.pi * 100 * SECONDS[:48000]))
    plain = splice.splice(one, -one, RATE, 0.2, "gain", align=False)
    assert envelope(plain.sound, plain.begins, plain.begins + 9600).min() < 0.1
    good = splice.splice(one, -one, RATE, 0.2, "gain")
    assert envelope(good.sound, good.begins, good.begins + 9600).min() > 0.97


# --- slices ------------------------------------------------------------------------------------


def test_beginnings_are_found_within_two_milliseconds() -> None:
    sound = np.random.default_rng(9).normal(0, 1e-4, len(SECONDS))
    at = [4800, 28000, 52000, 76500, 110000]
    for k, begin in enumerate(at):
        n = np.arange(20000)
        sound[begin : begin + 20000] += 0.5 * np.sin(2 * np.pi * (200 + 150 * k) * n / RATE) * np.exp(-n / 2500)
    found = slices.onsets(mono(sound), RATE)
    assert len(found) == len(at) and np.abs(np.array(found) - at).max() < 96


def test_one_layer_plays_the_slice_of_the_key(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("FELT_DIAL_ASSETS", str(tmp_path))
    pieces = [0.5 * np.sin(2 * np.pi * (300 + 100 * k) * SECONDS[: 9600 + 2400 * k]) for k in range(7)]
    frames = list(np.cumsum([0, *(len(p) for p in pieces[:-1])]))
    slots = spread.in_slots(mono(np.concatenate(pieces)), RATE, frames)
    asset = assets.keep(tmp_path / ".assets", Audio(slots, RATE), "slots")
    patch = new_patch()
    patch = put(patch, ["layers", "a"], patch.layers["a"].model_copy(update={"source": Source.kinds["sample"]()}))
    patch = spread.by_key(patch, "a", asset, len(pieces), 48)
    for k, piece in enumerate(pieces):
        heard = render(patch, [Note(0.0, 1.0, 48 + k)], 1.1)
        body = heard[0, 1500:8500]
        hertz = np.argmax(np.abs(np.fft.rfft(body * np.hanning(len(body)), 1 << 17))) * RATE / (1 << 17)
        assert hertz == pytest.approx(300 + 100 * k, abs=3)
        assert np.flatnonzero(np.abs(heard[0]) > 1e-3)[-1] == pytest.approx(len(piece), abs=200)
    assert np.abs(render(patch, [Note(0.0, 1.0, 47)], 1.1)).max() == 0.0


def test_slices_become_layers_on_keys_of_their_own(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("FELT_DIAL_ASSETS", str(tmp_path))
    sound = mono(np.concatenate([0.5 * np.sin(2 * np.pi * h * SECONDS[:9600]) for h in (300, 500, 900)]))
    asset = assets.keep(tmp_path / ".assets", Audio(sound, RATE), "three")
    patch = new_patch()
    sample = Source.kinds["sample"]().model_copy(update={"asset": asset})
    patch = put(patch, ["layers", "a"], patch.layers["a"].model_copy(update={"source": sample}))
    patch = spread.as_layers(patch, "a", [0, 9600, 19200], 60)
    assert [(layer.key_low, layer.name) for layer in patch.layers.values()] == [
        (60, "Slice 1"),
        (61, "Slice 2"),
        (62, "Slice 3"),
    ]
    for k, hertz in enumerate((300, 500, 900)):
        body = render(patch, [Note(0.0, 1.0, 60 + k)], 0.5)[0, 1500:8500]
        assert np.argmax(np.abs(np.fft.rfft(body * np.hanning(7000), 1 << 17))) * RATE / (1 << 17) == pytest.approx(
            hertz, abs=3
        )


# --- steps -------------------------------------------------------------------------------------

RAMP = np.stack([np.linspace(0.0, 0.9, 48000), -np.linspace(0.0, 0.9, 48000)]).astype(np.float32)


def done(kind: str, sound: np.ndarray = RAMP, **figures: object) -> np.ndarray:
    made = steps.KINDS[kind].act(sound, RATE, figures, lambda part: True)
    return made[0] if isinstance(made, tuple) else made


def test_steps_do_what_they_say() -> None:
    region = {"first_s": 0.25, "last_s": 0.5}
    assert np.array_equal(done("trim", **region), RAMP[:, 12000:24000])
    assert done("cut", **region).shape[1] == 36000 and np.array_equal(done("cut", **region)[:, 12000:], RAMP[:, 24000:])
    assert np.abs(done("gain", db=-6.0206) - RAMP / 2).max() < 1e-5
    assert np.abs(done("normalise", db=0.0)).max() == pytest.approx(1.0)
    assert np.array_equal(done("reverse"), RAMP[:, ::-1])
    silent = done("silence", **region)
    assert np.abs(silent[:, 12200:23800]).max() == 0.0 and np.array_equal(silent[:, :12000], RAMP[:, :12000])
    assert done("mono").shape == (1, 48000) and np.abs(done("mono")).max() < 1e-6
    assert np.array_equal(done("stereo", RAMP[:1]), np.repeat(RAMP[:1], 2, axis=0))
    assert np.abs(done("dc").mean(axis=1)).max() < 1e-6
    faded = done("fade", np.ones((1, 48000), np.float32), way="in", bend=0.0)
    assert np.abs(faded[0] - np.linspace(0, 1, 48000)).max() < 1e-6
    assert done("fade", np.ones((1, 48000), np.float32), way="out", first_s=0.5, last_s=0.75)[0, 36000:].max() == 0.0


def test_edges_of_a_region_do_not_click() -> None:
    """A step in the middle of a steady tone: nothing above what a 2 ms fade makes (common practice)."""
    sine = mono(0.5 * np.sin(2 * np.pi * 200 * SECONDS))
    for kind, figures in (("silence", {}), ("gain", {"db": -12.0}), ("reverse", {}), ("cut", {})):
        made = done(kind, sine, first_s=0.5003, last_s=0.9007, **figures)
        assert np.abs(np.diff(made[0])).max() < 0.5 * 2 * np.pi * 200 / RATE + 0.5 / (0.002 * RATE) * 1.5


def test_length_and_pitch_are_stretched_apart() -> None:
    """Within 5 cents and a hundredth of the length."""
    sine = mono(0.5 * np.sin(2 * np.pi * 220 * SECONDS))
    for time, pitch in ((1.5, 0.0), (0.5, 0.0), (1.0, 7.0), (1.0, -12.0)):
        made = done("stretch", sine, time=time, pitch=pitch)
        assert made.shape[1] == pytest.approx(len(SECONDS) * time, rel=0.01)
        body = made[0, made.shape[1] // 4 : made.shape[1] * 3 // 4]
        hertz = np.argmax(np.abs(np.fft.rfft(body * np.hanning(len(body)), 1 << 20))) * RATE / (1 << 20)
        assert abs(1200 * np.log2(hertz / (220 * 2 ** (pitch / 12)))) < 5


def test_resampling_is_what_soxr_makes() -> None:
    import soxr

    made = steps.KINDS["resample"].act(RAMP, RATE, {"rate": 44100.0}, lambda part: True)
    assert isinstance(made, tuple) and made[1] == 44100.0
    assert np.array_equal(made[0], soxr.resample(RAMP.T, RATE, 44100.0, quality="VHQ").T)


@pytest.fixture
def store(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("FELT_DIAL_ASSETS", str(tmp_path))
    return tmp_path / ".assets"


def test_steps_are_kept_as_a_recipe_taken_back_and_followed_again(store: Path) -> None:
    first = assets.keep(store, Audio(RAMP, RATE), "ramp")
    other = assets.keep(store, Audio(mono(np.sin(2 * np.pi * 100 * SECONDS)), 44100.0), "sine")
    done_ = (
        Step("trim", {"first_s": 0.1, "last_s": 0.9}),
        Step("gain", {"db": -3.0}),
        Step("splice", {"other": other.model_dump(mode="json"), "overlap": 0.1, "match": True, "align": True}),
        Step("part", {"part": "tones", "strength": 0.5}),
        Step(
            "choose",
            {
                "way": "take",
                "shapes": [{"kind": "box", "times": [0, 1], "hertz": [90, 110]}],
                "soft_s": 0.1,
                "soft_octaves": 0.1,
            },
        ),
    )
    whole = RecordingRecipe(first, done_)
    text = recipe.write_steps(whole)
    assert recipe.read_steps(text, "it") == whole
    made = recipe.make(text, str(store), "made")
    again = recipe.make(text, str(store), "made")
    assert made == again and assets.recipe_of(made) == text
    assert {asset.digest for asset in assets.needed_for(made)} == {first.digest, other.digest}
    back = recipe.follow(RecordingRecipe(first, done_[:2]))
    assert np.abs(back.sound - RAMP[:, 4800:43200] * 10 ** (-3 / 20)).max() < 1e-6


@pytest.mark.parametrize(
    "step",
    [
        Step("trim", {"first_s": 0.5, "last_s": 0.50001}),
        Step("cut", {"first_s": 0.0, "last_s": 1.0}),
        Step("stretch", {"time": 1000.0}),
        Step("resample", {"rate": 5.0}),
        Step("silence", {}),
    ],
    ids=lambda step: step.kind,
)
def test_what_would_leave_nothing_is_refused_in_a_sentence(store: Path, step: Step) -> None:
    first = assets.keep(store, Audio(RAMP, RATE), "ramp")
    before = sorted(path.name for path in store.iterdir())
    with pytest.raises(FeltDialError):
        recipe.make(recipe.write_steps(RecordingRecipe(first, (step,))), str(store), "made")
    assert sorted(path.name for path in store.iterdir()) == before


def test_root_and_loop_go_out_and_come_back_in_a_file(tmp_path: Path) -> None:
    """`smpl`: Multimedia Programming Interface, 1991; the samples read back by `soundfile`."""
    path = tmp_path / "tone.wav"
    path.write_bytes(recording_wav(RAMP, 48000, 57.25, (1000, 9000)))
    sound, rate = soundfile.read(io.BytesIO(path.read_bytes()), dtype="float32")
    assert rate == 48000 and np.array_equal(sound.T, RAMP)
    audio = read_audio(path)
    assert audio.root == pytest.approx(57.25, abs=1e-6) and audio.loop == (1000, 9000)
    assert read_audio_plain(tmp_path).root is None


def read_audio_plain(folder: Path) -> Audio:
    (folder / "plain.wav").write_bytes(recording_wav(RAMP, 48000))
    return read_audio(folder / "plain.wav")
