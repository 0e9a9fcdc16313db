"""Tide Tables: eight sketches from a harbour, and eight offshoots of them with their parents written down."""

from __future__ import annotations

from collections.abc import Callable

from demo_handles import with_handles
from demo_rooms import with_rooms
from maker import Maker

from felt_dial.bank.variation.variations import VariationOptions, child, dials, directions
from felt_dial.patch.units import Beats


def pier_bass() -> Maker:
    return (
        Maker("Pier Bass", "Bass", "wooden round", "Steps on a pier at night: a round bass with a knock in front.", 108)
        .layer(
            "Pile",
            "a",
            source__shape="saw",
            octave=-1,
            level=-8.0,
            filter__on=True,
            filter__response="low 24",
            filter__cutoff=260.0,
            filter__resonance=0.18,
            filter__follow=0.4,
        )
        .layer("Knock", level=-22.0)
        .source("b", "sample", "Wood Knock")
        .set(
            modulators__e1__attack=0.003,
            modulators__e1__decay=0.9,
            modulators__e1__sustain=0.45,
            modulators__e1__release=0.14,
        )
        .modulator("envelope", "Step", attack=0.0, decay=0.22, sustain=0.0, release=0.1)
        .threads("e2", layers__a__filter__cutoff=20.0)
        .threads("v", layers__b__level=8.0)
        .effect("compressor", threshold=-20.0, ratio=4.0, attack=0.002, ahead=0.003, makeup=6.0)
        .macro(1, "Open", "How far the pile opens at each step.", 0.2, layers__a__filter__cutoff=24.0)
        .macro(2, "Knock", "More of the knock.", 0.3, layers__b__level=9.0)
        .macro(3, "Warm", "Drives it softly.", 0.0, layers__a__drive__amount=12.0)
        .macro(4, "Length", "How long a step is heard.", 0.2, modulators__e1__decay=0.8, modulators__e1__release=0.3)
        .set(layers__a__drive__on=True, layers__a__drive__amount=2.0)
    )


def fog_horn() -> Maker:
    return (
        Maker("Fog Horn", "Brass", "broad far", "A horn across the water, slow to speak and slow to stop.", 60)
        .layer("Horn", "a", level=-12.0, octave=-1)
        .source("a", "table", "Window Saw", position=0.3, unison=3, detune=0.14, spread=0.5)
        .filter("layers.a", "ladder", cutoff=420.0, resonance=0.12, follow=0.5)
        .layer("Breath", level=-34.0)
        .source("b", "noise", slope=-4.0, width=0.8)
        .set(
            modulators__e1__attack=0.28,
            modulators__e1__decay=1.0,
            modulators__e1__sustain=0.8,
            modulators__e1__release=0.7,
        )
        .modulator("envelope", "Lips", attack=0.4, decay=1.2, sustain=0.55, release=0.5)
        .threads("e2", layers__a__filter__cutoff=30.0)
        .threads("w", layers__a__filter__cutoff=14.0)
        .effect("reverb", way="hall", decay=3.4, wet=0.24)
        .macro(1, "Speak", "How far it opens as it is held.", 0.3, layers__a__filter__cutoff=20.0)
        .macro(2, "Breath", "More air through it.", 0.2, layers__b__level=16.0)
        .macro(3, "Shore", "How far away it stands.", 0.2, racks__1__reverb1__wet=0.4)
        .macro(4, "Fleet", "From one horn to several.", 0.2, layers__a__source__detune=0.4)
    )


def kelp_drift() -> Maker:
    return (
        Maker("Kelp Drift", "Texture", "slow blurred", "A reed's tone taken apart, swaying under the surface.", 60)
        .layer("Kelp", "a", level=-10.0)
        .source(
            "a",
            "grains",
            "Blown Reed",
            position=0.3,
            speed=0.0,
            size=0.3,
            dense="count",
            count=7.0,
            by_place=0.05,
            by_pan=0.8,
            by_pitch=0.05,
        )
        .layer("Floor", source__shape="sine", octave=-1, level=-16.0, out="direct")
        .set(modulators__e1__attack=1.2, modulators__e1__sustain=1.0, modulators__e1__release=2.5)
        .modulator("lfo", "Sway", shape="sine", rate=0.09, start="free")
        .threads("l1", layers__a__source__position=0.22, layers__b__pan=0.12)
        .effect("chorus", copies=3, depth=0.5, rate=0.2, wet=0.3)
        .effect("reverb", way="cloud", decay=5.0, wet=0.35, low_cut=240.0)
        .macro(1, "Depth", "Longer and fewer grains.", 0.2, layers__a__source__size=0.3)
        .macro(2, "Scatter", "Grains from farther around.", 0.1, layers__a__source__by_place=0.2)
        .macro(3, "Water", "How much room there is around it.", 0.2, racks__1__reverb1__wet=0.4)
        .macro(4, "Floor", "More of the low tone.", 0.3, layers__b__level=10.0)
    )


def rope_pluck() -> Maker:
    return (
        Maker("Rope Pluck", "Pluck", "taut dry", "A rope between two boats, plucked; it sags if it is struck hard.", 96)
        .layer("Rope", "a", level=-9.0)
        .source("a", "table", "Fiddle Body", position=0.45)
        .filter("layers.a", "comb", cutoff=440.0, resonance=0.6, follow=1.0, damping=5200.0)
        .set(
            modulators__e1__attack=0.001,
            modulators__e1__decay=0.7,
            modulators__e1__sustain=0.0,
            modulators__e1__release=0.25,
            modulators__e1__decay_bend=0.6,
        )
        .modulator("envelope", "Sag", attack=0.0, decay=0.12, sustain=0.0, release=0.1)
        .threads("e2", layers__a__pitch=0.5)
        .threads("v", layers__a__source__position=0.3)
        .effect("delay", left=Beats(0.75), right=Beats(0.5), feedback=0.25, tone=3200.0, wet=0.15)
        .macro(1, "Taut", "How long the rope rings.", 0.3, layers__a__filter__resonance=0.3)
        .macro(2, "Bright", "Where it is plucked.", 0.3, layers__a__source__position=0.4)
        .macro(3, "Echo", "More of the echoes.", 0.1, racks__1__delay1__wet=0.4)
        .macro(
            4, "Length", "How long the hand lets it ring.", 0.2, modulators__e1__decay=1.5, modulators__e1__release=0.6
        )
    )


def low_water_choir() -> Maker:
    return (
        Maker("Low Water Choir", "Voice", "open calm", "Voices from under the pier, vowels turning with the wheel.", 66)
        .layer("Voices", "a", level=6.0)
        .source("a", "table", "Loft Choir", position=0.35, unison=4, detune=0.12, spread=0.7, drift=0.3)
        .filter("layers.a", "formant", vowel=0.1, throat="men", resonance=0.6, wet=0.92)
        .set(modulators__e1__attack=0.35, modulators__e1__sustain=0.95, modulators__e1__release=0.9)
        .modulator("lfo", "Vibrato", shape="sine", rate=5.1, start="per note", delay=0.5, fade=0.8)
        .threads("l1", layers__a__pitch=0.14)
        .threads("w", layers__a__filter__vowel=0.6)
        .effect("reverb", way="hall", decay=3.0, wet=0.28)
        .macro(1, "Vowel", "From one vowel to another.", 0.0, layers__a__filter__vowel=0.9)
        .macro(2, "Crowd", "From a few to many.", 0.2, layers__a__source__detune=0.3)
        .macro(3, "Hall", "How large the room is.", 0.2, racks__1__reverb1__wet=0.4)
        .macro(4, "Swell", "How slowly they begin.", 0.1, modulators__e1__attack=1.5)
    )


def buoy_pattern() -> Maker:
    return (
        Maker("Buoy Pattern", "Pattern", "rocking steady", "Hold a chord: buoys rock one after another.", 88)
        .layer("Buoy", "a", source__shape="sine", level=-9.0)
        .layer("Chain", source__shape=0.5, octave=1, level=-24.0)
        .set(
            modulators__e1__attack=0.002,
            modulators__e1__decay=0.5,
            modulators__e1__sustain=0.0,
            modulators__e1__release=0.3,
        )
        .modulator("envelope", "Splash", attack=0.0, decay=0.08, sustain=0.0, release=0.1)
        .threads("e2", layers__b__level=10.0)
        .set(pattern__on=True, pattern__order="up", pattern__octaves=2, pattern__rate=Beats(0.5), pattern__swing=0.2)
        .effect("delay", left=Beats(0.75), right=Beats(1.0), feedback=0.4, tone=2400.0, wet=0.3)
        .effect("reverb", way="room", decay=1.6, wet=0.16)
        .macro(1, "Chain", "More of the chain above.", 0.3, layers__b__level=12.0)
        .macro(2, "Echo", "Longer echoes.", 0.2, racks__1__delay1__feedback=0.35)
        .macro(3, "Length", "How long each buoy rings.", 0.2, modulators__e1__decay=1.2)
        .macro(4, "Room", "How much room there is.", 0.2, racks__1__reverb1__wet=0.4)
    )


SKETCHES: list[Callable[[], Maker]] = [pier_bass, fog_horn, kelp_drift, rope_pluck, low_water_choir, buoy_pattern]
GROWN = (
    (
        "Ebb Bell",
        "Flood Bell",
        "Keys",
        "full hollow",
        "The same buoy with the water high: rounder and longer.",
        5,
        0.16,
    ),
    ("Ebb Bell", "Neap Chime", "Bell", "thin clear", "What is left of the bell when the water is out.", 2, 0.22),
    ("Harbour Lamp", "Storm Lamp", "Pad", "restless wide", "The lamp in a wind.", 47, 0.22),
    ("Pier Bass", "Hull Bass", "Bass", "long firm", "The same steps heard from inside a boat.", 6, 0.2),
    ("Fog Horn", "Far Horn", "Brass", "soft distant", "The horn from the other shore.", 1, 0.2),
    ("Kelp Drift", "Silt Drift", "Texture", "dark slow", "Deeper, where nothing grows.", 3, 0.22),
    ("Rope Pluck", "Wet Rope", "Pluck", "slack short", "The rope after rain.", 35, 0.22),
    ("Low Water Choir", "Spring Tide Choir", "Voice", "bright rising", "All of them, with the moon.", 4, 0.18),
)
"""Parent, name, kind, character, description, and the seed and how far it is grown."""


def grown(parent: Callable[[], Maker], about: tuple[str, str, str, str, str, int, float]) -> Callable[[], Maker]:
    """An offshoot, as the Shelf grows them: the dials of its parent, each moved along the direction of a seed."""

    def make() -> Maker:
        of, name, kind, character, description, seed, much = about
        made = with_handles(with_rooms(parent()))
        found = dials(made.patch, VariationOptions())
        made.patch = child(made.patch, found, directions(found, seed, 0), much).model_copy(
            update={
                "name": name,
                "type": kind,
                "character": tuple(character.split()),
                "description": description,
                "parent": of,
            }
        )
        return made

    return make


def tides(first: list[Callable[[], Maker]]) -> list[Callable[[], Maker]]:
    """The whole bank in a musical order: what is held first, what is struck, what runs by itself, each with its offshoots."""
    makers = {made().patch.name: made for made in [*first, *SKETCHES]}
    offshoots = {about[1]: grown(makers[about[0]], about) for about in GROWN}
    order = (
        *("Harbour Lamp", "Storm Lamp", "Fog Horn", "Far Horn", "Low Water Choir", "Spring Tide Choir", "Ebb Bell"),
        *("Flood Bell", "Neap Chime", "Rope Pluck", "Wet Rope", "Pier Bass", "Hull Bass", "Buoy Pattern", "Kelp Drift"),
        "Silt Drift",
    )
    return [(makers | offshoots)[name] for name in order]
