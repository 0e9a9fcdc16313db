"""Six presets that live from drives, filters and buses."""

from __future__ import annotations

from maker import Maker

from felt_dial.patch.units import Beats


def rubber_root() -> Maker:
    return (
        Maker("Rubber Root", "Bass", "squealing driven", "A root that squeals when it is pulled; play it legato.", 126)
        .layer(
            "Root",
            "a",
            source__shape="saw",
            octave=-1,
            level=-1.0,
            drive__on=True,
            drive__way="soft",
            drive__amount=9.0,
            drive__wet=0.5,
        )
        .filter("layers.a", "acid", cutoff=300.0, resonance=0.82, follow=0.35, drive=10.0)
        .layer("Soil", source__shape="sine", octave=-1, level=-20.0)
        .set(
            play="legato",
            glide=0.06,
            glide_when="legato",
            modulators__e1__attack=0.002,
            modulators__e1__decay=0.5,
            modulators__e1__sustain=0.55,
            modulators__e1__release=0.06,
        )
        .modulator("envelope", "Pull", attack=0.002, decay=0.35, sustain=0.15, release=0.1)
        .threads("e2", layers__a__filter__cutoff=38.0)
        .threads("v", layers__a__filter__cutoff=10.0)
        .effect("drive", way="soft", amount=6.0, wet=0.4)
        .effect("compressor", threshold=-20.0, ratio=3.0)
        .macro(1, "Squeal", "How sharp the filter rings.", 0.0, layers__a__filter__resonance=0.16)
        .macro(2, "Open", "How far it opens.", 0.2, layers__a__filter__cutoff=24.0)
        .macro(3, "Bite", "How hard it is driven.", 0.0, layers__a__filter__drive=16.0, layers__a__drive__amount=14.0)
        .macro(4, "Pull", "How long it takes to close.", 0.0, modulators__e2__decay=0.7)
    )


def glass_wire() -> Maker:
    return (
        Maker(
            "Glass Wire",
            "Strings",
            "struck ringing",
            "A wire between two panes, struck with rain: it rings by itself.",
            92,
        )
        .layer("Rain", "a", level=6.0, out="bus1")
        .source("a", "noise", slope=-3.0)
        .layer("Hollow", level=2.0, out="bus2")
        .source("b", "noise", slope=-6.0)
        .filter("buses.1", "comb", resonance=0.955, damping=7000.0)
        .filter("buses.2", "comb", resonance=0.93, damping=3600.0, teeth="odd", distance=-12.0)
        .modulator("envelope", "Strike", attack=0.001, decay=0.06, sustain=0.0, release=0.05)
        .contour("a", "e2")
        .contour("b", "e2")
        .set(buses__2__pan=0.3, buses__1__pan=-0.1, buses__1__level=6.0, buses__2__level=2.0)
        .modulator("lfo", "Sway", shape="sine", rate=0.3)
        .threads("l1", buses__2__pan=0.3)
        .threads("v", layers__a__level=6.0)
        .effect("equaliser", form1="low cut", frequency1=60.0)
        .effect("width", width=0.75, mono=160.0)
        .effect("reverb", way="plate", decay=2.4, wet=0.2)
        .effect("limiter", ceiling=-2.0, release=0.06)
        .macro(
            1,
            "Ring",
            "How long the wire rings.",
            0.2,
            buses__1__filter__resonance=0.04,
            buses__2__filter__resonance=0.06,
        )
        .macro(
            2,
            "Felt",
            "How much felt lies on it.",
            0.0,
            buses__1__filter__damping=-36.0,
            buses__2__filter__damping=-30.0,
        )
        .macro(3, "Hollow", "More of the pipe below.", 0.0, buses__2__level=10.0)
        .macro(4, "Plate", "How much room there is.", 0.1, racks__1__reverb1__wet=0.4)
    )


def vowel_vines() -> Maker:
    return (
        Maker("Vowel Vines", "Pad", "voiced wide", "Vines that say who'd and heed; the wheel turns the mouth.", 76)
        .layer("Vine", "a", source__shape="saw", source__unison=5, source__detune=12.0, source__spread=0.8, level=-11.0)
        .filter("layers.a", "formant", vowel=5.0, throat="women", resonance=0.55)
        .layer("Leaf", source__shape="pulse", octave=1, level=-19.0, out="bus1", pan=-0.2)
        .filter("buses.1", "formant", vowel=2.0, throat="children", resonance=0.6)
        .set(modulators__e1__attack=0.5, modulators__e1__sustain=0.9, modulators__e1__release=1.4)
        .modulator("lfo", "Mouth", shape="sine", rate=Beats(4.0))
        .threads("l1", layers__a__filter__vowel=1.4, buses__1__filter__vowel=-1.2)
        .threads("w", layers__a__filter__vowel=-4.0)
        .effect("chorus", wet=0.3, rate=0.4)
        .effect("reverb", way="cloud", decay=3.2, wet=0.26)
        .macro(1, "Vowel", "From who'd to heed.", 0.0, layers__a__filter__vowel=-4.0)
        .macro(2, "Throat", "A smaller throat.", 0.0, layers__a__filter__shift=9.0, buses__1__filter__shift=7.0)
        .macro(3, "Whisper", "More of the leaf.", 0.0, buses__1__level=9.0)
        .macro(4, "Vault", "How high the roof is.", 0.2, racks__1__reverb1__wet=0.45)
    )


def forked_path() -> Maker:
    return (
        Maker(
            "Forked Path",
            "Keys",
            "bright woody",
            "Two ways through the ferns meet in a third; a stone falls in a hall that hears them.",
            108,
        )
        .layer("Left way", "a", source__shape="saw", level=-10.0, out="bus1")
        .layer("Right way", source__shape="pulse", source__width=0.3, level=-12.0, out="bus2", fine=4.0)
        .layer("Stone", source__shape="sine", harmonic=3, level=-22.0, out="rack2")
        .filter("buses.1", "state_variable", response="band 12", cutoff=420.0, resonance=0.25, follow=0.6)
        .filter("buses.2", "state_variable", response="band 12", cutoff=2300.0, resonance=0.35, follow=0.4)
        .filter("buses.3", "state_variable", response="high 12", cutoff=110.0)
        .send("layers.a", "rack2", -16.0)
        .send("buses.2", "rack2", -12.0)
        .set(
            buses__1__out="bus3",
            buses__2__out="bus3",
            buses__3__after__on=True,
            buses__3__after__way="soft",
            buses__3__after__amount=8.0,
            buses__3__after__wet=0.6,
            rack2="out",
            modulators__e1__attack=0.002,
            modulators__e1__decay=1.6,
            modulators__e1__sustain=0.0,
            modulators__e1__release=0.25,
            modulators__e1__decay_bend=0.5,
        )
        .modulator("envelope", "Step", attack=0.0, decay=0.3, sustain=0.0, release=0.2)
        .threads("e2", buses__2__filter__cutoff=14.0, buses__1__filter__cutoff=8.0)
        .threads("v", buses__2__level=6.0)
        .effect("rotary", wet=0.35, pace="slow")
        .second("reverb", way="hall", decay=2.2, wet=0.8)
        .macro(1, "Fork", "How far the two ways are apart.", 0.0, buses__1__pan=-0.7, buses__2__pan=0.7)
        .macro(2, "Bright", "How high the right way lies.", 0.2, buses__2__filter__cutoff=16.0)
        .macro(3, "Grit", "How hard they meet.", 0.0, buses__3__after__amount=18.0)
        .macro(
            4,
            "Hall",
            "How far the stone falls.",
            0.1,
            racks__2__reverb1__decay=4.0,
            layers__c__level=8.0,
            buses__2__sends__rack2__level=10.0,
        )
    )


def gatehouse() -> Maker:
    return (
        Maker(
            "Gatehouse",
            "Moment",
            "ticking wide",
            "Light through the slats of the gatehouse, in sixteenths, turning.",
            112,
        )
        .layer(
            "Slats", "a", source__shape="saw", source__unison=7, source__detune=16.0, source__spread=0.9, level=-12.0
        )
        .filter("layers.a", "ladder", cutoff=1500.0, resonance=0.35, drive=6.0)
        .layer("Hinge", source__shape="pulse", source__width=0.2, octave=-1, level=-16.0)
        .filter("layers.b", "ladder", response="band 12", cutoff=700.0, resonance=0.4)
        .set(modulators__e1__attack=0.3, modulators__e1__sustain=1.0, modulators__e1__release=0.8)
        .modulator("lfo", "Sun", shape="sine", rate=Beats(16.0))
        .threads("l1", layers__a__filter__cutoff=14.0)
        .effect("gate", pace=Beats(0.25), length=0.8, soft=0.008)
        .effect("rotary", wet=0.4, pace="slow", depth=0.6)
        .effect("multiband", depth=0.3)
        .effect("delay", left=Beats(0.75), right=Beats(0.5), wet=0.2, diffusion=0.6, duck=0.4)
        .effect("reverb", way="hall", decay=2.4, wet=0.2)
        .macro(1, "Light", "How much light there is.", 0.2, layers__a__filter__cutoff=30.0)
        .macro(2, "Slats", "How far the slats are open.", 0.0, racks__1__gate1__least=0.9)
        .macro(3, "Glare", "How sharp it rings.", 0.0, layers__a__filter__resonance=0.4, layers__b__filter__drive=12.0)
        .macro(4, "Yard", "How far it echoes.", 0.1, racks__1__delay1__wet=0.4, racks__1__reverb1__wet=0.3)
    )


def ember_fold() -> Maker:
    return (
        Maker(
            "Ember Fold",
            "Lead",
            "driven bright",
            "A coal that is folded over and over; the wheel folds it once more.",
            118,
        )
        .layer(
            "Ember",
            "a",
            source__shape="sine",
            level=-9.0,
            drive__on=True,
            drive__way="sine",
            drive__amount=4.0,
            drive__tone=9000.0,
        )
        .filter("layers.a", "ladder", cutoff=2600.0, resonance=0.2, follow=0.5)
        .layer(
            "Spark",
            source__shape="triangle",
            octave=1,
            level=-18.0,
            drive__on=True,
            drive__way="fold",
            drive__amount=8.0,
        )
        .set(
            play="legato",
            glide=0.04,
            modulators__e1__attack=0.01,
            modulators__e1__sustain=0.85,
            modulators__e1__release=0.2,
            layers__b__swung="a",
            layers__b__swing=0.3,
            layers__b__filter__on=True,
            layers__b__filter__cutoff=3200.0,
        )
        .modulator("envelope", "Fold", attack=0.01, decay=0.4, sustain=0.25, release=0.2)
        .modulator("lfo", "Flicker", shape="sine", rate=5.2)
        .threads("e2", layers__a__drive__amount=10.0)
        .threads("w", layers__a__drive__amount=12.0)
        .threads("l1", layers__a__fine=7.0, layers__b__fine=7.0)
        .effect("delay", left=Beats(0.75), right=Beats(0.75), wet=0.18, wow=0.3, duck=0.5)
        .effect("reverb", way="plate", decay=1.5, wet=0.14)
        .macro(1, "Fold", "How often it is folded.", 0.0, layers__a__drive__amount=14.0)
        .macro(2, "Heat", "Pushes it off its middle.", 0.0, layers__a__drive__bias=0.7)
        .macro(3, "Spark", "More of the octave.", 0.1, layers__b__level=10.0, layers__b__swing=1.5)
        .macro(4, "Smoke", "How dark the room is.", 0.0, layers__a__filter__cutoff=-20.0, racks__1__reverb1__wet=0.3)
    )


TONES = (rubber_root, glass_wire, vowel_vines, forked_path, gatehouse, ember_fold)
