"""The rooms and colours of the demo's presets, and six presets that live from them."""

from __future__ import annotations

from maker import Maker

from felt_dial.patch.units import Beats

ROOMS: dict[str, list[tuple[str, dict[str, object]]]] = {
    "Dew Pluck": [("reverb", {"way": "room", "decay": 0.9, "wet": 0.16})],
    "Lantern Brass": [("reverb", {"way": "hall", "decay": 1.9, "wet": 0.18, "damping": 0.5})],
    "Moss Pad": [("chorus", {"wet": 0.3, "rate": 0.35}), ("reverb", {"way": "cloud", "decay": 3.2, "wet": 0.28})],
    "Root Sub": [("drive", {"way": "tube", "amount": 7.0, "wet": 0.35})],
    "Compost Kick": [("drive", {"way": "soft", "amount": 5.0, "wet": 0.5}), ("limiter", {"ceiling": -1.5})],
    "Night-Moth Line": [("reverb", {"way": "plate", "decay": 1.6, "wet": 0.16})],
    "Pollen Drift": [("reverb", {"way": "cloud", "decay": 3.5, "wet": 0.3})],
    "Pane Crack": [("reverb", {"way": "hall", "decay": 2.4, "wet": 0.22})],
    "Canopy Strings": [
        ("equaliser", {"form1": "low cut", "frequency1": 70.0, "gain5": 1.5, "frequency5": 2600.0}),
        ("reverb", {"way": "hall", "decay": 2.6, "wet": 0.26}),
    ],
    "Boiler Hum": [("reverb", {"way": "cloud", "decay": 3.0, "wet": 0.2, "low_cut": 180.0})],
    "Seedpod Hat": [("reverb", {"way": "room", "decay": 0.4, "wet": 0.07})],
    "Potting Snare": [
        ("compressor", {"threshold": -20.0, "ratio": 3.0, "attack": 0.002, "release": 0.09, "makeup": 4.0}),
        ("reverb", {"way": "room", "decay": 0.5, "wet": 0.12}),
        ("limiter", {"ceiling": -1.5, "gain": 9.0, "release": 0.06}),
    ],
    "Beetle Zap": [("phaser", {"wet": 0.3, "rate": 0.17}), ("reverb", {"way": "plate", "decay": 1.1, "wet": 0.12})],
    "Bamboo Screech": [("drive", {"way": "diode", "amount": 9.0, "wet": 0.3})],
    "Sprinkler Sweep": [("flanger", {"wet": 0.3, "rate": 0.11}), ("reverb", {"way": "hall", "decay": 2.2, "wet": 0.2})],
    "Reed Bed": [("reverb", {"way": "hall", "decay": 1.7, "wet": 0.2})],
    "Dripping Strings": [("reverb", {"way": "plate", "decay": 2.0, "wet": 0.2})],
    "Rain Roof": [("reverb", {"way": "hall", "decay": 2.8, "wet": 0.22})],
    "Irrigation Clock": [("reverb", {"way": "room", "decay": 1.1, "wet": 0.14})],
    "Breathing Glass": [("reverb", {"way": "cloud", "decay": 3.4, "wet": 0.26})],
    "Ebb Bell": [("reverb", {"way": "plate", "decay": 2.6, "wet": 0.22})],
    "Harbour Lamp": [("chorus", {"wet": 0.35}), ("reverb", {"way": "hall", "decay": 2.4, "wet": 0.2})],
}


def with_rooms(made: Maker) -> Maker:
    """The preset with the effects that this page gives it, behind its own."""
    for kind, values in ROOMS.get(made.patch.name, []):
        made.effect(kind, **values)
    return made


def orchid_keys() -> Maker:
    return (
        Maker("Orchid Keys", "Keys", "round warm", "A small electric piano of two sines, in a glass hall.", 88)
        .layer("Petal", "a", source__shape="sine", level=-9.0)
        .layer("Hammer", source__shape="sine", harmonic=14, level=-12.0, out="none")
        .layer("Leaf", source__shape="sine", level=-20.0, octave=1, pan=0.2)
        .inlet("a", "b", 0.08)
        .set(
            modulators__e1__attack=0.002,
            modulators__e1__decay=2.8,
            modulators__e1__sustain=0.0,
            modulators__e1__release=0.35,
            modulators__e1__decay_bend=0.5,
            modulators__e1__key_times=0.3,
        )
        .modulator("envelope", "Strike", attack=0.0, decay=0.25, sustain=0.12, release=0.2, decay_bend=0.7)
        .modulator("lfo", "Tremble", shape="sine", rate=4.2)
        .threads("e2", layers__a__inlets__b__index=0.4)
        .threads("v", layers__a__inlets__b__index=0.2)
        .threads("l1", layers__a__pan=0.5, layers__c__pan=-0.5)
        .effect("chorus", wet=0.3, rate=0.5, depth=0.3)
        .effect("reverb", way="hall", decay=1.8, wet=0.18)
        .macro(1, "Bell", "More of the hammer.", 0.2, layers__a__inlets__b__index=0.8)
        .macro(2, "Length", "How long a key rings.", 0.1, modulators__e1__decay=4.0)
        .macro(3, "Tremble", "How fast it sways.", 0.0, modulators__l1__rate=4.0, layers__c__level=8.0)
        .macro(4, "Hall", "How large the house is.", 0.1, racks__1__reverb1__wet=0.4, racks__1__reverb1__decay=2.5)
    )


def fern_choir() -> Maker:
    return (
        Maker("Fern Choir", "Pad", "voiced wide", "Voices between the fronds; the wheel opens their mouths.", 70)
        .layer("Voices", "a", level=-12.0)
        .source("a", "table", "Loft Choir", unison=7, detune=13.0, spread=0.9, position=0.25, drift=5.0, start="free")
        .layer("Breath", level=-30.0, filter__on=True, filter__response="band 12", filter__cutoff=2400.0)
        .source("b", "noise", slope=-3.0)
        .set(
            modulators__e1__attack=0.6,
            modulators__e1__decay=1.0,
            modulators__e1__sustain=0.85,
            modulators__e1__release=1.5,
            modulators__e1__attack_bend=-0.2,
        )
        .modulator("chance", "Singer", way="smooth", rate=0.7)
        .modulator("lfo", "Vibrato", shape="sine", rate=5.1, delay=0.4, fade=1.2)
        .threads("r1", layers__a__source__position=0.3)
        .threads("l1", layers__a__fine=9.0)
        .threads("w", layers__a__source__position=0.45)
        .effect("thicken", copies=8, detune=0.4, wet=0.35)
        .effect("equaliser", form1="low cut", frequency1=110.0, gain5=2.5, frequency5=2900.0)
        .effect("reverb", way="cloud", decay=3.6, wet=0.3)
        .macro(1, "Vowel", "From a hum to an open mouth.", 0.2, layers__a__source__position=0.5)
        .macro(2, "Breath", "Air between the voices.", 0.2, layers__b__level=14.0)
        .macro(3, "Crowd", "From a few to a choir.", 0.3, layers__a__source__detune=18.0, racks__1__thicken1__wet=0.4)
        .macro(4, "Vault", "How high the roof is.", 0.2, racks__1__reverb1__wet=0.4)
    )


def stone_steps() -> Maker:
    return (
        Maker("Stone Steps", "Bass", "gritty short", "Heels on wet stone: a saw that bites and is gone.", 100)
        .set(play="legato", glide=0.05, glide_when="legato", voices=3)
        .layer(
            "Heel",
            "a",
            source__shape="saw",
            level=-11.0,
            filter__on=True,
            filter__response="low 24",
            filter__cutoff=210.0,
            filter__resonance=0.3,
            filter__follow=0.4,
        )
        .layer("Stone", source__shape="sine", octave=-1, level=-18.0, out="direct")
        .set(
            modulators__e1__attack=0.002,
            modulators__e1__decay=0.6,
            modulators__e1__sustain=0.55,
            modulators__e1__release=0.1,
            modulators__e1__begins="here",
        )
        .modulator("envelope", "Bite", attack=0.0, decay=0.16, sustain=0.15, release=0.1, decay_bend=0.6)
        .threads("e2", layers__a__filter__cutoff=34.0)
        .threads("v", layers__a__filter__cutoff=10.0)
        .effect("drive", way="diode", amount=16.0, wet=0.8, tone=6500.0)
        .effect("compressor", threshold=-18.0, ratio=3.0)
        .macro(1, "Grit", "How rough the stone is.", 0.2, racks__1__drive1__amount=18.0)
        .macro(2, "Bite", "How far it opens.", 0.2, layers__a__filter__cutoff=20.0)
        .macro(3, "Step", "From a held line to a short step.", 0.0, modulators__e1__sustain=-0.5)
        .macro(4, "Weight", "The ground below.", 0.2, layers__b__level=5.0)
    )


def lamp_flicker() -> Maker:
    return (
        Maker(
            "Lamp Flicker",
            "Lead",
            "nervous bright",
            "A lamp about to fail: steps cut the light, chance decides when.",
            110,
        )
        .set(voices=6)
        .layer(
            "Filament",
            "a",
            source__shape="pulse",
            source__width=0.35,
            source__unison=3,
            source__detune=11.0,
            level=-12.0,
            filter__on=True,
            filter__response="low 12",
            filter__cutoff=1500.0,
            filter__follow=0.5,
        )
        .layer("Spark", level=-22.0, octave=1, source__shape="saw", source__sync=7.0)
        .set(modulators__e1__attack=0.006, modulators__e1__sustain=0.85, modulators__e1__release=0.22)
        .modulator(
            "steps",
            "Current",
            rate=Beats(0.25),
            smooth=0.006,
            row=tuple(
                (level, 0, chance, 0.15)
                for level, chance in (
                    (1, 1),
                    (0.35, 0.8),
                    (0.8, 1),
                    (0.15, 0.6),
                    (0.9, 1),
                    (0.5, 0.7),
                    (0.25, 0.9),
                    (0.7, 1),
                )
            ),
        )
        .modulator("chance", "Fault", way="stepped", rate=Beats(0.5))
        .threads("s1", layers__a__filter__cutoff=24.0, layers__a__level=4.0)
        .threads("r1", layers__b__source__sync=9.0)
        .threads("w", layers__b__level=10.0)
        .effect("flanger", wet=0.25, rate=0.13)
        .effect("delay", left=Beats(0.75), right=Beats(0.5), feedback=0.35, ping_pong=True, tone=4200.0, wet=0.22)
        .effect("reverb", way="plate", decay=1.3, wet=0.14)
        .macro(1, "Current", "How bright it burns.", 0.2, layers__a__filter__cutoff=22.0)
        .macro(2, "Fault", "How often it sparks.", 0.1, layers__b__level=12.0)
        .macro(3, "Nerves", "How fast it flickers.", 0.0, modulators__s1__rate=2.0, modulators__r1__rate=3.0)
        .macro(
            4, "Street", "How far down the street it is.", 0.1, racks__1__delay1__wet=0.35, racks__1__reverb1__wet=0.3
        )
    )


def frost_bells() -> Maker:
    return (
        Maker("Frost Bells", "Keys", "cold clear", "Frost on the panes, struck with a fingernail.", 78)
        .layer("Frost", "a", level=-10.0)
        .source("a", "partials", "Struck Glass", slow=0.6, partials=60, stretch=0.03, tilt=-2.0)
        .layer("Glint", level=-21.0, octave=2, pan=0.3, source__shape="sine")
        .set(
            modulators__e1__attack=0.001,
            modulators__e1__decay=3.4,
            modulators__e1__sustain=0.0,
            modulators__e1__release=1.2,
            modulators__e1__decay_bend=0.5,
        )
        .modulator("chance", "Nail", way="note", span=1.0)
        .threads("r1", layers__a__source__tilt=3.0, layers__b__pan=-0.6)
        .threads("v", layers__b__level=8.0)
        .effect("chorus", copies=3, wet=0.25, rate=0.22)
        .effect("reverb", way="plate", decay=3.2, wet=0.3, low_cut=260.0)
        .macro(1, "Ice", "From glass to ice: the partials part.", 0.0, layers__a__source__stretch=0.12)
        .macro(2, "Glint", "The sun on it.", 0.2, layers__b__level=10.0)
        .macro(3, "Length", "How long it rings.", 0.0, modulators__e1__decay=6.0)
        .macro(4, "Cold", "How wide the winter is.", 0.1, racks__1__reverb1__wet=0.4, racks__1__reverb1__decay=3.0)
    )


def wet_tiles() -> Maker:
    return (
        Maker("Wet Tiles", "Drum", "snappy wet", "Four palms on a wet wall, and the passage behind it.", 112)
        .set(voices=3)
        .layer(
            "Palms",
            "a",
            level=-6.0,
            filter__on=True,
            filter__response="band 12",
            filter__cutoff=1300.0,
            filter__resonance=0.25,
        )
        .source("a", "noise", slope=-0.5)
        .layer("Wall", level=-16.0, fixed=True, frequency=210.0)
        .source("b", "sample", "Wood Knock", one_shot=True)
        .set(
            modulators__e1__attack=0.0005,
            modulators__e1__decay=0.011,
            modulators__e1__sustain=0.5,
            modulators__e1__release=0.3,
            modulators__e1__decay_bend=0.4,
            modulators__e1__loop_from="attack",
            modulators__e1__loop_count=3,
            modulators__e1__release_bend=0.7,
        )
        .modulator("envelope", "Wall", attack=0.0, decay=0.14, sustain=0.0, release=0.1, decay_bend=0.7)
        .contour("b", "e2")
        .threads("v", layers__a__level=4.0, layers__a__filter__cutoff=6.0)
        .effect("drive", way="hard", amount=12.0, wet=0.6)
        .effect("reverb", way="room", decay=0.7, wet=0.2, predelay=0.006)
        .effect("limiter", ceiling=-1.5, gain=20.0, release=0.04)
        .macro(1, "Hands", "How far apart the palms land.", 0.0, modulators__e1__decay=0.02)
        .macro(2, "Tail", "How wet the wall is.", 0.1, modulators__e1__release=0.4)
        .macro(3, "Pitch", "From a cupped to a flat hand.", 0.0, layers__a__filter__cutoff=14.0)
        .macro(4, "Passage", "How long the passage is.", 0.1, racks__1__reverb1__wet=0.4, racks__1__reverb1__decay=1.5)
    )


NEW = (orchid_keys, fern_choir, stone_steps, lamp_flicker, frost_bells, wet_tiles)
