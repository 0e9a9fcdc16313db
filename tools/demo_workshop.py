"""Four presets of the demo whose matter is made in the Workshop, as docs/guide/workshop.md tells it step by step."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from make_samples import RATE, recording
from maker import STORE, Maker
from numpy.typing import NDArray

from felt_dial.patch.asset import Asset
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import Audio
from felt_dial.workshop.recording.loops import loops_of
from felt_dial.workshop.recording.recipe import RecordingRecipe, Step, follow, write_steps
from felt_dial.workshop.recording.slices import onsets
from felt_dial.workshop.recording.spread import by_key, in_slots
from felt_dial.workshop.table import recipe as tables
from felt_dial.workshop.table.from_recording import NoteRecorder, by_spectrum


def _in_steps(sound: NDArray) -> NDArray[np.float32]:
    """In steps of 16 bits, so that every machine makes the same bytes."""
    return np.asarray(np.rint(np.asarray(sound, np.float64) * 32767) / 32768, np.float32)


def origin(name: str) -> Asset:
    """A recording that ships, as it lies in the store."""
    return assets.keep(STORE, Audio(recording(name), RATE), name).model_copy(update={"rights": "own"})


def made(name: str, first: str, *steps: Step) -> Asset:
    """A recording that steps make of one that ships, with its recipe."""
    recipe = RecordingRecipe(origin(first), steps)
    audio = follow(recipe)
    asset = assets.keep(STORE, Audio(_in_steps(audio.sound), audio.rate), name)
    kept = assets.keep_recipe(STORE, write_steps(recipe))
    return asset.model_copy(update={"recipe": kept, "rights": "own"})


def table(name: str, recipe: tables.TableRecipe) -> Asset:
    """A table as a recipe makes it."""
    frames = _in_steps(tables.frames_of(recipe))
    asset = assets.keep(STORE, Audio(frames.reshape(1, -1), RATE), name)
    return asset.model_copy(update={"recipe": assets.keep_recipe(STORE, tables.write_recipe(recipe)), "rights": "own"})


def trim(last: float) -> Step:
    return Step("trim", {"first_s": 0.0, "last_s": last})


def fade(first: float, last: float) -> Step:
    return Step("fade", {"way": "out", "first_s": first, "last_s": last})


def behind(other: Asset) -> Step:
    return Step("splice", {"other": other.model_dump(mode="json"), "overlap": 0.02, "shape": "power"})


def thaw_choir() -> Maker:
    """A reed by its spectrum, every sixth frame keyed, its formants sliding up along the table."""
    sound = recording("Blown Reed")[:, int(0.2 * RATE) : int(2.2 * RATE)]
    frames = _in_steps(by_spectrum(sound, RATE, NoteRecorder(48, level="each")).frames)
    keyed = tables.thinned(tables.of_cycles(frames, "spectrum", name="Blown Reed", way="spectrum"), 6)
    keys = tuple(replace(key, amount=round(0.5 * key.at / 47, 3)) for key in keyed.keys)
    asset = table("Thaw Choir", replace(keyed, reshape="formants", keys=keys))
    return (
        Maker(
            "Thaw Choir",
            "Pad",
            "vocal slow",
            "A reed becomes a choir as the ice goes: one table, its colour sliding up.",
            72,
        )
        .source("a", "table", asset=asset, cycle=2048, unison=3, detune=9.0, morph="spectrum")
        .layer("Choir", "a", level=-12.0, filter__on=True, filter__response="low 12", filter__cutoff=3800.0)
        .layer("Ground", source__shape="triangle", octave=-1, level=-20.0)
        .set(modulators__e1__attack=0.7, modulators__e1__sustain=0.85, modulators__e1__release=1.6)
        .modulator("lfo", "Thaw", rate=0.07)
        .threads("l1", layers__a__source__position=0.35)
        .threads("w", layers__a__source__position=0.5)
        .effect("chorus", wet=0.3, rate=0.3)
        .effect("reverb", way="cloud", decay=3.0, wet=0.28)
        .macro(1, "Vowel", "Slides through the table.", 0.3, layers__a__source__position=0.6)
        .macro(2, "Veil", "Closes the choir.", 0.2, layers__a__filter__cutoff=-22.0)
        .macro(3, "Ground", "More of the note below.", 0.3, layers__b__level=9.0)
        .macro(4, "Vault", "A larger vault.", 0.2, racks__1__reverb1__wet=0.4)
    )


def reed_stop() -> Maker:
    """A reed that goes round in whole turns: an organ stop of one breath."""
    sound = recording("Blown Reed")
    loop = max(loops_of(sound, RATE), key=lambda found: (found.last - found.first > 0.3 * RATE) + found.score)
    last = sound.shape[1] - 1
    marks = {
        "loop": "forward",
        "loop_start": round(loop.first / last, 6),
        "loop_end": round(loop.last / last, 6),
        "fade": 0.2,
    }
    plain = {"asset": origin("Blown Reed"), "root": 57, **marks}
    return (
        Maker(
            "Reed Stop",
            "Organ",
            "steady reedy",
            "One breath of a reed, going round in whole turns, at three pitches.",
            92,
        )
        .source("a", "sample", **plain)
        .layer("Eight foot", "a", level=-12.0)
        .layer("Four foot", octave=1, level=-19.0, pan=0.25)
        .source("b", "sample", **plain)
        .layer("Quint", pitch=19.0, level=-26.0, pan=-0.25)
        .source("c", "sample", **plain)
        .set(modulators__e1__attack=0.02, modulators__e1__sustain=1.0, modulators__e1__release=0.12)
        .effect("rotary", wet=0.35)
        .effect("reverb", way="hall", decay=1.9, wet=0.2)
        .macro(1, "Four foot", "Draws the stop an octave up.", 0.5, layers__b__level=10.0)
        .macro(2, "Quint", "Draws the twelfth.", 0.3, layers__c__level=12.0)
        .macro(3, "Hall", "A longer room.", 0.3, racks__1__reverb1__wet=0.3)
        .macro(4, "Turn", "More of the turning horn.", 0.2, racks__1__rotary1__wet=0.5)
    )


def split_pane() -> Maker:
    """A struck pane in its parts: the strike stays dry and quick, the tones ring slower, a breath of their air between."""
    tones = made("Struck Glass, tones", "Struck Glass", Step("part", {"part": "tones", "strength": 0.5}))
    strike = made(
        "Struck Glass, strike",
        "Struck Glass",
        Step("part", {"part": "strikes", "strength": 0.5}),
        Step("trim", {"first_s": 0.0, "last_s": 0.4}),
    )
    rain = made(
        "Rain, its air",
        "Rain on Panes",
        Step("part", {"part": "noise", "strength": 0.6}),
        Step("fade", {"way": "out", "first_s": 1.0, "last_s": 3.9, "bend": 0.3}),
    )
    return (
        Maker(
            "Split Pane",
            "Bell",
            "glassy wide",
            "A pane taken apart: strike, tones and air, each with a time of its own.",
            84,
        )
        .source("a", "sample", asset=tones, root=72, unison=2, detune=7.0)
        .layer("Tones", "a", level=-12.0)
        .layer("Strike", level=-15.0)
        .source("b", "sample", asset=strike, root=72)
        .layer("Air", level=-24.0)
        .source("c", "sample", asset=rain, root=60, track=False)
        .set(
            modulators__e1__attack=0.001,
            modulators__e1__decay=1.4,
            modulators__e1__sustain=0.0,
            modulators__e1__release=0.9,
        )
        .effect("delay", left=0.31, right=0.47, feedback=0.3, wet=0.14, tone=5200.0)
        .effect("reverb", way="plate", decay=2.6, wet=0.24)
        .effect("limiter", ceiling=-2.0, release=0.08)
        .macro(1, "Strike", "Harder, or only the ringing.", 0.4, layers__b__level=12.0)
        .macro(2, "Air", "Rain between the tones.", 0.25, layers__c__level=16.0)
        .macro(3, "Ring", "How long it rings.", 0.2, modulators__e1__decay=6.0)
        .macro(4, "Echo", "Panes further off.", 0.2, racks__1__delay1__wet=0.4)
        .threads("v", layers__b__level=9.0)
    )


def stair_kit() -> Maker:
    """Knock, glass and string joined into one recording, cut at its beginnings, a slice on each key."""
    glass = made("Glass, short", "Struck Glass", trim(0.7), fade(0.2, 0.7))
    string = made("String, short", "Plucked String", trim(0.6), fade(0.2, 0.6))
    back = made("Knock, backward", "Wood Knock", Step("reverse"), Step("gain", {"db": -3.0}))
    joined = made("Stairs", "Wood Knock", trim(0.45), *(behind(other) for other in (glass, string, back)))
    sound = assets.load(joined)
    assert sound is not None
    frames = onsets(sound, RATE, 0.5)
    slots = assets.keep(STORE, Audio(_in_steps(in_slots(sound, RATE, frames)), RATE), "Stairs, slices").model_copy(
        update={"rights": "own"}
    )
    maker = Maker(
        "Stair Kit",
        "Drum",
        "wooden dry",
        "Knock, pane and string, cut where each begins: a slice on every key from C3.",
        100,
    )
    maker.source("a", "sample", asset=slots).layer("Slices", "a", level=-8.0)
    maker.patch = by_key(maker.patch, "a", slots, len(frames), 48)
    maker.patch = maker.patch.model_copy(
        update={"layers": {"a": maker.patch.layers["a"].model_copy(update={"key_low": 0, "key_high": 127})}}
    )
    return (
        maker.set(
            modulators__e1__attack=0.0,
            modulators__e1__decay=1.2,
            modulators__e1__sustain=0.0,
            modulators__e1__release=0.3,
        )
        .effect("compressor", threshold=-18.0, ratio=2.5, attack=0.004, release=0.12)
        .effect("reverb", way="room", decay=0.5, wet=0.1)
        .macro(1, "Short", "Cuts the tails.", 0.0, modulators__e1__decay=-1.0)
        .macro(2, "Room", "More of the stair well.", 0.2, racks__1__reverb1__wet=0.4)
        .macro(3, "Dark", "Closes the slices.", 0.0, layers__a__filter__cutoff=-40.0)
        .macro(4, "Press", "Presses the kit together.", 0.2, racks__1__compressor1__threshold=-16.0)
        .set(layers__a__filter__on=True, layers__a__filter__cutoff=14000.0)
    )


WORKSHOP = [thaw_choir, reed_stop, split_pane, stair_kit]
