"""What is found out by listening: roots, partials, noise, blows, cycles; features, swatches and what is said of them."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from felt_dial.bank.finding.matter import look_at
from felt_dial.bank.finding.names import words_of_swatch
from felt_dial.bank.measuring import features
from felt_dial.bank.measuring.live_against_render import furthest, thirds
from felt_dial.bank.measuring.measurement import swatch_of
from felt_dial.bank.variation.match_render import aim_at
from felt_dial.bank.variation.match_search import Search, apart, away, blurred, joint_steps, picture_of
from felt_dial.bank.variation.variations import VariationOptions
from felt_dial.sound.integrated import loudness
from felt_dial.sound.matter import audio_file
from felt_dial.sound.matter.analysis import drawn_tracks, take_apart
from felt_dial.sound.matter.cycles import cycles_of
from felt_dial.sound.matter.residue import band_edges
from felt_dial.sound.matter.root import root_of
from felt_dial.sound.matter.strikes import strikes_of
from felt_dial.sound.matter.wav import wav_bytes
from tests.sound.rooted import cases, recording
from tests.unchanged import plain, told, unchanged
from tests.unchanged.sounds import RATE, Sound, sounds
from tests.unchanged.test_patch import demo


@pytest.fixture(scope="module")
def heard() -> dict[str, Sound]:
    return sounds()


def few(values: Any) -> Any:
    """A long row by what is seen of it: how many, their mean and spread, and some of them."""
    flat = np.asarray(values, np.float64).ravel()
    kept = flat[np.isfinite(flat)]
    if not len(kept):
        return [len(flat), 0]
    return [len(flat), len(kept), kept.mean(), kept.std(), kept.min(), kept.max(), kept[:: max(len(kept) // 7, 1)][:8]]


def test_roots(heard: dict[str, Sound]) -> None:
    found: dict[str, Any] = {}
    for n, (name, sound) in enumerate(heard.items()):
        rate = RATE if n % 4 else 32000
        root = root_of(sound, rate)
        found[name] = [root.key, root.sure, root.says(), root.begins, root.ends, few(root.times), few(root.keys)]
    for n, case in enumerate(list(cases(23))[::6]):
        root = root_of(recording(case), RATE)
        found[f"case {n}"] = [root.key, root.sure, root.says(), root.begins, root.ends]
    unchanged("roots", found)


def test_partials(heard: dict[str, Sound]) -> None:
    found: dict[str, Any] = {"edges": band_edges()}
    for n, (name, sound) in enumerate(heard.items()):
        tracks = take_apart(sound[:, : RATE // 2 if n % 2 else RATE], RATE if n % 3 else 44100, 110.0)
        found[name] = {field: [np.shape(values), few(values)] for field, values in tracks._asdict().items()}
        found[f"{name}, blows"] = strikes_of(sound.mean(axis=0).astype(np.float64), RATE)
    for harmonics in ((1.0,), (1.0, 0.5, 0.0, 0.25), (0.0, 0.0, 1.0), ()):
        tracks = told(drawn_tracks, harmonics)
        found[f"drawn {harmonics}"] = tracks if isinstance(tracks, str) else [few(values) for values in tracks]
    unchanged("partials", found)


def test_cycles(heard: dict[str, Sound]) -> None:
    found: dict[str, Any] = {}
    for name, sound in heard.items():
        for count in (256, 5):
            made = cycles_of(sound, RATE, count)
            found[f"{name} {count}"] = made and [np.shape(made.frames), made.hertz, made.sure, few(made.frames)]
    unchanged("cycles", found)


def test_features(heard: dict[str, Sound]) -> None:
    known = {name: features.features_of(sound, RATE) for name, sound in heard.items()}
    known["short"] = features.features_of(heard["sine"][:, :500], RATE)
    known["at another rate"] = features.features_of(heard["plucked"], 32000)
    found: dict[str, Any] = {name: list(one) for name, one in known.items()}
    names = list(known)
    for n, name in enumerate(names):
        for step in (1, 4, 7):
            one, other = known[name], known[names[(n + step) % len(names)]]
            said = [features.reason(one, other), features.lacks(one, other), features.distance(one, other)]
            found[f"{name} to {names[(n + step) % len(names)]}"] = [*said, features.steps(one, other)]
        found[f"{name} as a point"] = few(features.vector(known[name]))
    found["edges"] = [features.mel_edges(40.0, 14000.0, 24, rate, 2048) for rate in (22050.0, 48000.0)]
    unchanged("features", found)


def test_swatches(heard: dict[str, Sound]) -> None:
    found: dict[str, Any] = {}
    for name, sound in heard.items():
        swatch = swatch_of(sound, RATE)
        found[name] = [np.shape(swatch), few(swatch), words_of_swatch(swatch), loudness(sound)]
        found[f"{name} in thirds"] = few(thirds(sound))
    names = list(heard)
    for one, other in pairwise(names):
        found[f"{one} against {other}"] = furthest(heard[one], heard[other])
        found[f"{one} against {other} and again"] = furthest(heard[one], heard[other], heard["noise"])
    unchanged("swatches", found)


def test_aims_and_how_far_sounds_are_from_them(heard: dict[str, Sound]) -> None:
    found: dict[str, Any] = {}
    pictures = {name: picture_of(sound, RATE, 60) for name, sound in heard.items()}
    names = list(pictures)
    for n, name in enumerate(names):
        other = names[(n + 3) % len(names)]
        found[name] = [few(pictures[name]), few(blurred(pictures[name])), apart(pictures[name], pictures[other])]
        found[name].append(few(away(pictures[name], pictures[other])))
        aim = told(aim_at, heard[name], name)
        found[f"aim {name}"] = (
            aim
            if isinstance(aim, str)
            else {
                k: few(v) if isinstance(v, np.ndarray) else v
                for k, v in aim._asdict().items()
                if k not in ("picture", "features", "swatch")
            }
        )
    chance = np.random.default_rng(5)
    base = away(pictures["sine"], pictures["bell"])
    changes = chance.normal(0.0, 0.2, (len(base), 4))
    found["joint"] = joint_steps(base, changes, -np.full(4, 0.4), np.full(4, 0.6))
    unchanged("aims", found)


def test_where_a_search_looks() -> None:
    """A search that is told how far each row is by a rule; its first two hundred rows."""
    found: dict[str, Any] = {}
    presets = demo()
    for n, name in enumerate(("pane-crack", "dew-harp", "compost-kick")):
        patch = presets.get(name) or list(presets.values())[n * 7]
        search = Search(patch, VariationOptions(seed=n + 1))
        centre = np.random.default_rng(n).uniform(0.2, 0.8, len(search.best))
        rows: list[Any] = []
        while len(rows) < 200 and (asked := search.ask(6)):
            fars = [float(np.sqrt(np.square(row - centre).mean())) + 0.02 * float(row[-1]) for row in asked]
            aways = [(row - centre)[:6].astype(np.float32) for row in asked]
            rows += [few(row)[2:4] for row in asked]
            search.tell(asked, fars, aways)
        found[name] = {"rows": rows[:120], "far": search.far, "tried": search.tried, "dials": len(search.dials)}
    unchanged("searches", found)


def test_files(tmp_path: Path, heard: dict[str, Sound]) -> None:
    found: dict[str, Any] = {}
    chosen = {name: heard[name] for name in ("string", "blows", "low")}
    for name, sound in chosen.items():
        for ending, subtype in (
            ("wav", "PCM_16"),
            ("wav", "FLOAT"),
            ("flac", "PCM_24"),
            ("aiff", "PCM_16"),
            ("ogg", "VORBIS"),
        ):
            path = tmp_path / f"{name} {subtype} c3.{ending}"
            soundfile.write(path, sound.T[: RATE // 2], 44100, subtype=subtype)
            audio = audio_file.read_audio(path)
            part, whole = audio_file.read_part(path, 0.1, 0.2)
            total, looks = audio_file.heard_here_and_there(path, 7, 300)
            row = [
                audio.rate,
                audio.root,
                audio.loop,
                audio.cycle,
                audio.notes,
                few(audio.sound),
                few(audio.in_stereo(48000.0)),
            ]
            row += [whole, few(part.sound), total, few(looks), len(wav_bytes(audio.sound, 44100))]
            looked = look_at([str(path)])[0]
            row += [looked.frames, looked.rate, looked.channels, looked.cycle, looked.root, looked.sure, looked.bright]
            found[f"{name} {subtype}.{ending}"] = [*row, few(np.frombuffer(looked.peaks, np.int8)), looked.problem]
    for name, data in {
        "empty": b"",
        "text": b"hello",
        "cut": (tmp_path / "low PCM_16 c3.wav").read_bytes()[:60],
    }.items():
        path = tmp_path / f"{name}.wav"
        path.write_bytes(data)
        found[name] = [told(f, path) for f in (audio_file.read_audio, audio_file.check_audio)]
        found[name].append(look_at([str(path)])[0].problem)
    found["nowhere"] = told(audio_file.read_audio, tmp_path / "nowhere.wav")
    found["odd"] = plain(audio_file.checked(np.array([[0.5, np.nan, 2.0, -np.inf] * 20], np.float32), 44100.0, "“odd”"))
    for loop in ((0, 80), (3, 3), (5, 2), (-1, 9), (0, 81), None):
        found[f"loop {loop}"] = plain(audio_file.checked(np.ones((1, 80), np.float32), 44100.0, "“l”", 60.0, loop).loop)
    unchanged("files", found)
