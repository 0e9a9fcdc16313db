"""Makes the banks that come with the program: `python tools/make_demo.py`.

Every sound is built here from its parameters and trimmed to the loudness of its neighbours, so
that the files in `felt_dial/data/banks` can be made again, byte for byte.
"""

from __future__ import annotations

import shutil
import sys
from datetime import date
from pathlib import Path

from felt_dial.bank.library.library import Bank, Library
from felt_dial.patch.units import Beats
from felt_dial.sound.matter import assets
from felt_dial.sound.sources.core.travel import READY

sys.path.insert(0, str(Path(__file__).parent))

from demo_handles import breathing_glass, irrigation_clock, with_handles
from demo_rooms import NEW, with_rooms
from demo_tides import tides
from demo_tones import TONES
from demo_workshop import WORKSHOP
from maker import STORE, Maker, trimmed

MADE = date(2026, 11, 27)
BANKS = Path(__file__).parent.parent / "felt_dial" / "data" / "banks"


def dew_pluck() -> Maker:
    return (
        Maker("Dew Pluck", "Pluck", "bright short", "A drop on a leaf: a quick pluck that closes as it falls.", 104)
        .layer(
            "Leaf",
            "a",
            source__shape="saw",
            level=-11.0,
            filter__on=True,
            filter__response="low 24",
            filter__cutoff=620.0,
            filter__resonance=0.22,
            filter__follow=0.6,
        )
        .layer("Drop", source__shape="triangle", octave=1, level=-17.0, pan=0.2)
        .set(
            modulators__e1__attack=0.001,
            modulators__e1__decay=0.9,
            modulators__e1__sustain=0.0,
            modulators__e1__release=0.35,
            modulators__e1__decay_bend=0.6,
        )
        .modulator("envelope", "Close", attack=0.0, decay=0.28, sustain=0.0, release=0.2, decay_bend=0.7)
        .threads("e2", layers__a__filter__cutoff=38.0)
        .threads("v", layers__a__filter__cutoff=8.0)
        .effect("delay", left=Beats(0.75), right=Beats(0.5), feedback=0.34, tone=4200.0, wet=0.2)
        .macro(
            1,
            "Bright",
            "Opens the leaf and lengthens the echo.",
            0.3,
            layers__a__filter__cutoff=13.0,
            racks__1__delay1__feedback=0.15,
        )
        .macro(2, "Length", "From a tap to a ringing string.", 0.25, modulators__e1__decay=1.6)
        .macro(3, "Echo", "How much of the garden answers.", 0.2, racks__1__delay1__wet=0.5)
    )


def lantern_brass() -> Maker:
    return (
        Maker("Lantern Brass", "Brass", "warm slow", "A low brass that opens as it is held; the wheel leans in.", 96)
        .layer(
            "Breath",
            "a",
            source__shape="saw",
            level=-12.0,
            fine=-5.0,
            pan=-0.25,
            filter__on=True,
            filter__response="low 24",
            filter__cutoff=380.0,
            filter__resonance=0.12,
            filter__follow=0.5,
        )
        .layer(
            "Body",
            source__shape="saw",
            level=-12.0,
            fine=6.0,
            pan=0.25,
            filter__on=True,
            filter__response="low 12",
            filter__cutoff=460.0,
            filter__follow=0.5,
        )
        .layer(
            "Bell",
            source__shape="pulse",
            source__width=0.3,
            octave=-1,
            level=-19.0,
            filter__on=True,
            filter__response="low 24",
            filter__cutoff=700.0,
        )
        .set(
            modulators__e1__attack=0.12,
            modulators__e1__decay=0.8,
            modulators__e1__sustain=0.82,
            modulators__e1__release=0.4,
        )
        .modulator("envelope", "Bloom", attack=0.35, decay=1.1, sustain=0.55, release=0.5, attack_bend=-0.2)
        .modulator("lfo", "Breath", shape="sine", rate=5.2)
        .threads("e2", layers__a__filter__cutoff=30.0, layers__b__filter__cutoff=26.0, layers__c__filter__cutoff=18.0)
        .threads("l1", layers__a__fine=4.0, layers__b__fine=-4.0)
        .threads("w", layers__a__filter__cutoff=14.0, layers__b__filter__cutoff=14.0)
        .threads("v", layers__a__filter__cutoff=8.0, layers__b__filter__cutoff=8.0)
        .macro(
            1,
            "Timbre",
            "From felt to polished brass.",
            0.4,
            layers__a__filter__cutoff=12.0,
            layers__b__filter__cutoff=12.0,
        )
        .macro(2, "Attack", "How slowly it swells.", 0.15, modulators__e1__attack=0.9, modulators__e2__attack=1.2)
        .macro(
            3,
            "Mute",
            "A hand in the bell.",
            0.0,
            layers__a__filter__cutoff=-20.0,
            layers__b__filter__cutoff=-20.0,
            layers__c__level=-12.0,
        )
    )


def moss_pad() -> Maker:
    return (
        Maker("Moss Pad", "Pad", "soft wide", "Soft ground: two slow saws drifting left and right of a hum.", 72)
        .layer(
            "Left",
            "a",
            source__shape="saw",
            level=-14.0,
            pan=-0.7,
            fine=-7.0,
            filter__on=True,
            filter__response="low 12",
            filter__cutoff=900.0,
        )
        .layer(
            "Right",
            source__shape="saw",
            level=-14.0,
            pan=0.7,
            fine=8.0,
            filter__on=True,
            filter__response="low 12",
            filter__cutoff=900.0,
        )
        .layer("Hum", source__shape="sine", octave=-1, level=-15.0)
        .set(
            modulators__e1__attack=1.1,
            modulators__e1__decay=2.0,
            modulators__e1__sustain=0.8,
            modulators__e1__release=1.8,
            modulators__e1__attack_bend=-0.2,
        )
        .modulator("lfo", "Wind", shape="triangle", rate=Beats(8.0), start="free")
        .modulator("lfo", "Damp", shape="sine", rate=0.13, start="free", phase=90.0)
        .threads("l1", layers__a__filter__cutoff=9.0, layers__b__filter__cutoff=-9.0)
        .threads("l2", layers__a__pan=0.25, layers__b__pan=0.25)
        .effect("delay", left=Beats(1.5), right=Beats(1.0), feedback=0.45, tone=1800.0, wet=0.3)
        .macro(1, "Light", "Lets the sun in.", 0.3, layers__a__filter__cutoff=20.0, layers__b__filter__cutoff=20.0)
        .macro(2, "Depth", "More of the hum below.", 0.2, layers__c__level=5.0)
        .macro(3, "Wind", "How fast it sways.", 0.0, modulators__l1__rate=8.0, modulators__l2__rate=8.0)
    )


def root_sub() -> Maker:
    return (
        Maker("Root Sub", "Bass", "deep round", "A sine under the floor with a woody knuckle on top.", 96)
        .set(voices=4)
        .layer("Root", "a", source__shape="sine", level=-8.0)
        .layer(
            "Bark",
            source__shape="pulse",
            source__width=0.42,
            level=-20.0,
            filter__on=True,
            filter__response="low 24",
            filter__cutoff=240.0,
            filter__resonance=0.2,
            filter__follow=0.4,
        )
        .set(
            modulators__e1__attack=0.004,
            modulators__e1__decay=0.5,
            modulators__e1__sustain=0.85,
            modulators__e1__release=0.09,
        )
        .modulator("envelope", "Knuckle", attack=0.0, decay=0.12, sustain=0.0, release=0.1, decay_bend=0.6)
        .threads("e2", layers__b__filter__cutoff=30.0)
        .threads("v", layers__b__level=6.0)
        .macro(1, "Bark", "The knuckle, from none to plenty.", 0.4, layers__b__level=6.0)
        .macro(2, "Bright", "Opens the wood.", 0.2, layers__b__filter__cutoff=30.0)
    )


def compost_kick() -> Maker:
    return (
        Maker("Compost Kick", "Drum", "round dry", "A sine that falls fast to the ground, and a click to find it.", 112)
        .set(voices=2)
        .layer("Thud", "a", source__shape="sine", level=-4.0, fixed=True, frequency=48.0)
        .layer(
            "Click",
            source__shape="pulse",
            source__width=0.2,
            level=-22.0,
            fixed=True,
            frequency=900.0,
            filter__on=True,
            filter__response="high 12",
            filter__cutoff=1800.0,
        )
        .set(
            modulators__e1__attack=0.0,
            modulators__e1__decay=0.42,
            modulators__e1__sustain=0.0,
            modulators__e1__release=0.3,
            modulators__e1__decay_bend=0.3,
        )
        .modulator("envelope", "Fall", attack=0.0, decay=0.09, sustain=0.0, release=0.05, decay_bend=0.9)
        .modulator("envelope", "Tick", attack=0.0, decay=0.02, sustain=0.0, release=0.01, decay_bend=0.8)
        .contour("b", "e3")
        .threads("e2", layers__a__frequency=30.0)
        .threads("v", layers__b__level=8.0)
        .macro(1, "Drop", "From how high it falls.", 0.3, layers__a__frequency=5.0)
        .macro(2, "Length", "How long the ground rings.", 0.2, modulators__e1__decay=0.6)
        .macro(3, "Click", "The stick.", 0.3, layers__b__level=7.0)
    )


def night_moth_line() -> Maker:
    return (
        Maker(
            "Night-Moth Line",
            "Lead",
            "thin fluttering",
            "A thin pulse that beats its wings faster as it is pushed.",
            92,
        )
        .set(voices=6)
        .layer(
            "Wing",
            "a",
            source__shape="pulse",
            source__width=0.3,
            level=-13.0,
            filter__on=True,
            filter__response="band 12",
            filter__cutoff=1400.0,
            filter__resonance=0.1,
            filter__follow=0.8,
        )
        .layer("Dust", source__shape="triangle", octave=1, level=-24.0, pan=0.15)
        .set(
            modulators__e1__attack=0.02,
            modulators__e1__decay=0.6,
            modulators__e1__sustain=0.75,
            modulators__e1__release=0.3,
        )
        .modulator("lfo", "Flutter", shape="triangle", rate=Beats(1 / 3))
        .modulator("lfo", "Sway", shape="sine", rate=4.6)
        .threads("l1", layers__a__source__width=0.16)
        .threads("l2", layers__a__fine=9.0)
        .threads("w", modulators__l1__rate=3.0)
        .effect("delay", left=Beats(0.75), right=Beats(0.75), feedback=0.42, tone=3000.0, ping_pong=True, wet=0.28)
        .macro(1, "Flutter", "How far the wings open.", 0.3, layers__a__source__width=0.12)
        .macro(2, "Bright", "Towards the lantern.", 0.3, layers__a__filter__cutoff=18.0)
        .macro(3, "Night", "Echoes in the dark.", 0.25, racks__1__delay1__wet=0.4, racks__1__delay1__feedback=0.2)
    )


def pollen_drift() -> Maker:
    return (
        Maker("Pollen Drift", "Pad", "airy wide", "Glass ground to pollen: a cloud that wanders there and back.", 72)
        .layer("Pollen", "a", level=-10.0)
        .source(
            "a",
            "grains",
            "Struck Glass",
            size=0.19,
            rate=34.0,
            scan="travel",
            curve=READY["There and back"],
            length=Beats(16.0),
            by_pitch=0.06,
            by_pan=0.8,
            by_place=0.03,
            by_size=0.5,
            loop_end=0.8,
            begins="first",
        )
        .layer("Haze", level=-22.0, octave=-1)
        .source("b", "table", "Loft Choir", unison=5, detune=11.0, spread=0.9, position=0.2)
        .set(modulators__e1__attack=0.7, modulators__e1__sustain=0.9, modulators__e1__release=2.2)
        .modulator("lfo", "Breeze", shape="sine", rate=0.11, start="free")
        .threads("l1", layers__b__source__position=0.5, layers__a__source__size=0.05)
        .effect("delay", left=Beats(1.5), right=Beats(1.0), feedback=0.5, tone=3200.0, wet=0.35)
        .macro(
            1,
            "Dust",
            "Finer and further apart.",
            0.2,
            layers__a__source__by_pitch=0.4,
            layers__a__source__by_place=0.15,
        )
        .macro(2, "Haze", "A choir behind the glass.", 0.3, layers__b__level=10.0)
    )


def pane_crack() -> Maker:
    return (
        Maker(
            "Pane Crack",
            "Keys",
            "glassy still",
            "A pane is struck and stands for ever; it cracks as the key is let go.",
            84,
        )
        .layer("Pane", "a", level=-8.0)
        .source("a", "partials", "Struck Glass", slow=0.28, life=0.35, partials=90, tilt=-1.0)
        .layer("Crack", level=-13.0, trigger="up", velocity=18.0)
        .source("b", "sample", "Wood Knock", start=0.0, chance=0.0)
        .contour("b", "e1")
        .set(
            modulators__e1__attack=0.001,
            modulators__e1__decay=4.0,
            modulators__e1__sustain=0.55,
            modulators__e1__release=0.5,
        )
        .modulator("envelope", "Crack", attack=0.0, decay=0.35, sustain=0.0, release=0.1, decay_bend=0.6)
        .contour("b", "e2")
        .threads("v", layers__a__source__tilt=2.0)
        .macro(1, "Stretch", "From glass to bent metal.", 0.0, layers__a__source__stretch=0.18)
        .macro(2, "Life", "How much the stillness moves.", 0.3, layers__a__source__life=0.5)
    )


def canopy_strings() -> Maker:
    return (
        Maker("Canopy Strings", "Strings", "broad warm", "Many bows under the roof, leaning on the wheel.", 76)
        .set(seed=6)
        .layer(
            "Bows",
            "a",
            level=-13.0,
            filter__on=True,
            filter__response="low 12",
            filter__cutoff=2600.0,
            filter__follow=0.4,
        )
        .source("a", "table", "Bow Place", unison=9, detune=17.0, spread=0.9, position=0.35, drift=4.0, start="free")
        .layer("Bodies", octave=-1, level=-19.0)
        .source("b", "table", "Fiddle Body", unison=4, detune=9.0, spread=0.6, position=0.3, start="free")
        .set(modulators__e1__attack=0.32, modulators__e1__sustain=0.9, modulators__e1__release=0.7)
        .modulator("lfo", "Arm", shape="sine", rate=5.3)
        .threads("l1", layers__a__fine=5.0)
        .threads("w", layers__a__filter__cutoff=18.0, layers__a__source__position=0.4)
        .threads("v", layers__a__filter__cutoff=10.0)
        .macro(1, "Bridge", "The bows move towards the bridge.", 0.2, layers__a__source__position=0.5)
        .macro(2, "Players", "From a quartet to a wood.", 0.4, layers__a__source__detune=20.0)
    )


def boiler_hum() -> Maker:
    return (
        Maker("Boiler Hum", "Pad", "dark uneasy", "The heating under the palms: a swing that never quite repeats.", 60)
        .layer(
            "Boiler",
            "a",
            octave=-1,
            level=-14.0,
            filter__on=True,
            filter__response="low 24",
            filter__cutoff=520.0,
            filter__resonance=0.2,
            filter__follow=0.5,
        )
        .source("a", "chaos", system="pendulum", energy=0.42, coupling=0.5, damping=0.35)
        .layer("Pipes", level=-24.0)
        .source("b", "noise", slope=-7.0, width=0.8)
        .layer("Floor", octave=-2, level=-16.0, out="direct", source__shape="sine")
        .set(modulators__e1__attack=0.9, modulators__e1__sustain=0.9, modulators__e1__release=1.4)
        .modulator("lfo", "Pressure", shape="triangle", rate=0.09, start="free")
        .threads("l1", layers__a__source__energy=0.2, layers__a__filter__cutoff=9.0)
        .macro(1, "Steam", "More pressure: wilder.", 0.2, layers__a__source__energy=0.5, layers__b__level=9.0)
        .macro(2, "Lid", "Opens the boiler.", 0.2, layers__a__filter__cutoff=30.0)
    )


def seedpod_hat() -> Maker:
    return (
        Maker(
            "Seedpod Hat",
            "Drum",
            "dry bright",
            "Seeds in a pod: hiss in steps and two squares that ring each other.",
            112,
        )
        .set(voices=3)
        .layer("Seeds", "a", level=-6.0, filter__on=True, filter__response="high 12", filter__cutoff=6800.0)
        .source("a", "noise", slope=1.5, hold=True, rate=15500.0)
        .layer(
            "Pod",
            level=-22.0,
            fixed=True,
            frequency=2870.0,
            source__shape="pulse",
            filter__on=True,
            filter__response="high 12",
            filter__cutoff=5200.0,
        )
        .layer("Rattle", level=-16.0, fixed=True, frequency=3915.0, source__shape="pulse", out="none")
        .inlet("b", "c", 1.2, 0.8)
        .set(
            modulators__e1__attack=0.0,
            modulators__e1__decay=0.24,
            modulators__e1__sustain=0.0,
            modulators__e1__release=0.16,
            modulators__e1__decay_bend=0.35,
        )
        .threads("v", layers__a__level=2.0)
        .effect("limiter", gain=9.0, ceiling=-2.0)
        .macro(1, "Open", "How long the pod stays open.", 0.1, modulators__e1__decay=0.5, modulators__e1__release=0.3)
        .macro(2, "Shell", "More of the ringing shell.", 0.3, layers__b__level=9.0)
    )


def potting_snare() -> Maker:
    return (
        Maker("Potting Snare", "Drum", "crisp woody", "A pot turned over and struck, gravel on its head.", 112)
        .set(voices=3)
        .layer("Pot", "a", level=-10.0, fixed=True, frequency=186.0, source__shape="sine")
        .layer("Gravel", level=-9.0, filter__on=True, filter__response="high 12", filter__cutoff=1100.0)
        .source("b", "noise", slope=-1.5)
        .layer("Stick", level=-12.0, fixed=True, frequency=208.0)
        .source("c", "sample", "Wood Knock", one_shot=True)
        .set(
            modulators__e1__attack=0.0,
            modulators__e1__decay=0.16,
            modulators__e1__sustain=0.0,
            modulators__e1__release=0.12,
            modulators__e1__decay_bend=0.5,
        )
        .modulator("envelope", "Drop", attack=0.0, decay=0.05, sustain=0.0, release=0.05, decay_bend=0.8)
        .threads("e2", layers__a__frequency=9.0)
        .threads("v", layers__b__level=6.0)
        .effect("limiter", gain=9.0, ceiling=-2.0)
        .macro(1, "Gravel", "How much lies on the head.", 0.3, layers__b__level=8.0)
        .macro(2, "Length", "From a tap to a rattle.", 0.2, modulators__e1__decay=0.4)
    )


def beetle_zap() -> Maker:
    return (
        Maker("Beetle Zap", "Lead", "metallic quick", "A beetle's wings: one sine swings another, and lets go.", 118)
        .set(play="legato", glide=0.06, voices=4)
        .layer("Beetle", "a", level=-9.0, source__shape="sine")
        .layer("Wings", level=-12.0, harmonic=3, divisor=2, source__shape="sine", out="none")
        .layer("Legs", level=-12.0, harmonic=7, source__shape="sine", out="none")
        .inlet("a", "b", 2.2)
        .inlet("b", "c", 0.6)
        .set(
            modulators__e1__attack=0.002,
            modulators__e1__decay=0.5,
            modulators__e1__sustain=0.65,
            modulators__e1__release=0.15,
        )
        .modulator("envelope", "Zap", attack=0.0, decay=0.22, sustain=0.1, release=0.1, decay_bend=0.7)
        .threads("e2", layers__a__inlets__b__index=5.0)
        .threads("v", layers__a__inlets__b__index=2.0)
        .threads("w", layers__b__inlets__c__index=2.0)
        .effect("delay", left=Beats(0.5), right=Beats(0.75), feedback=0.3, tone=5000.0, wet=0.15)
        .macro(1, "Shell", "Harder wings.", 0.3, layers__a__inlets__b__index=4.0)
        .macro(2, "Legs", "More of them.", 0.2, layers__b__inlets__c__index=2.5)
    )


def bamboo_screech() -> Maker:
    return (
        Maker(
            "Bamboo Screech",
            "Lead",
            "sharp rubbing",
            "Two canes rub: a wave started anew by one that is not heard.",
            100,
        )
        .set(play="legato", glide=0.09, glide_by="rate", glide_when="legato", priority="last", voices=4)
        .layer(
            "Cane",
            "a",
            level=-12.0,
            source__shape="saw",
            source__sync=9.0,
            filter__on=True,
            filter__response="low 12",
            filter__cutoff=5200.0,
        )
        .layer("Split", level=-21.0, octave=1, source__shape=2.4, source__width=0.3, source__unison=3)
        .set(modulators__e1__attack=0.01, modulators__e1__sustain=0.85, modulators__e1__release=0.18)
        .modulator("envelope", "Rub", attack=0.03, decay=0.9, sustain=0.25, release=0.2)
        .modulator("lfo", "Grip", shape="triangle", rate=6.1)
        .threads("e2", layers__a__source__sync=19.0)
        .threads("l1", layers__a__fine=8.0)
        .threads("w", layers__a__source__sync=14.0)
        .effect("delay", left=Beats(0.75), right=Beats(0.5), feedback=0.28, tone=3800.0, wet=0.18)
        .macro(1, "Grip", "How hard the canes press.", 0.2, layers__a__source__sync=16.0)
        .macro(2, "Shade", "Closes the leaves over it.", 0.0, layers__a__filter__cutoff=-28.0)
    )


def sprinkler_sweep() -> Maker:
    return (
        Maker(
            "Sprinkler Sweep",
            "Moment",
            "turning wet",
            "Three jets start one after the other and turn across the lawn.",
            90,
        )
        .layer("First jet", "a", level=-13.0, pan=-0.6)
        .source("a", "noise", slope=2.0, hold=True, follow=True, ratio=9.0, width=0.4)
        .layer("Second jet", level=-14.0, pan=0.0, delay=Beats(0.5), octave=1)
        .source("b", "table", "Sweeping Peak", unison=3, detune=9.0, position=0.2)
        .layer("Third jet", level=-15.0, pan=0.6, delay=Beats(1.0), pitch=7.0)
        .source("c", "table", "Comb Sweep", unison=3, detune=12.0, position=0.1)
        .set(modulators__e1__attack=0.05, modulators__e1__sustain=0.8, modulators__e1__release=1.2)
        .modulator("lfo", "Turn", shape="triangle", rate=Beats(1 / 2))
        .modulator("envelope", "Rise", attack=2.4, decay=2.0, sustain=0.4, release=1.0)
        .threads("l1", layers__a__level=7.0)
        .threads("e2", layers__b__source__position=0.7, layers__c__source__position=0.8, layers__a__source__ratio=2.0)
        .effect("delay", left=Beats(0.75), right=Beats(0.5), feedback=0.4, tone=6000.0, ping_pong=True, wet=0.3)
        .macro(1, "Water", "Opens the tap.", 0.3, layers__a__level=6.0, layers__c__source__position=0.4)
    )


def reed_bed() -> Maker:
    return (
        Maker("Reed Bed", "Brass", "breathy plain", "A blown reed that goes round for as long as there is breath.", 88)
        .layer("Reed", "a", level=-9.0, filter__on=True, filter__response="low 12", filter__cutoff=5200.0)
        .source(
            "a",
            "sample",
            "Blown Reed",
            loop="forward",
            loop_start=0.35,
            loop_end=0.85,
            fade=0.35,
            chance=0.02,
            floor=0.0,
            unison=2,
            detune=6.0,
            spread=0.5,
        )
        .layer("Air", level=-27.0)
        .source("b", "noise", slope=-3.0, width=0.9)
        .set(modulators__e1__attack=0.05, modulators__e1__sustain=0.95, modulators__e1__release=0.25)
        .threads("v", layers__a__filter__cutoff=12.0)
        .threads("w", layers__b__level=14.0)
        .threads("p", layers__a__filter__cutoff=10.0)
        .macro(1, "Breath", "More air than note.", 0.2, layers__b__level=12.0)
        .macro(2, "Distance", "Further into the reeds.", 0.0, layers__a__filter__cutoff=-30.0)
    )


def dripping_strings() -> Maker:
    return (
        Maker(
            "Dripping Strings",
            "Pluck",
            "wet loose",
            "A string that answers itself a beat later, and drips when let go.",
            92,
        )
        .layer("String", "a", level=-9.0)
        .source("a", "sample", "Plucked String", chance=0.01)
        .layer("Answer", level=-16.0, octave=1, pan=0.4, delay=Beats(0.75), velocity=12.0)
        .source("b", "partials", "Plucked String", speed=1.0, shift=0.0, odd_even=-0.6, partials=40)
        .layer("Drip", level=-19.0, trigger="up", pan=-0.4, octave=1)
        .source("c", "table", "Drip Bell", position=0.35)
        .modulator("envelope", "Drip", attack=0.0, decay=0.5, sustain=0.0, release=0.2, decay_bend=0.6)
        .contour("c", "e2")
        .threads("e2", layers__c__source__position=0.5)
        .set(
            modulators__e1__attack=0.0,
            modulators__e1__decay=3.0,
            modulators__e1__sustain=0.0,
            modulators__e1__release=0.5,
        )
        .effect("delay", left=Beats(0.75), right=Beats(1.5), feedback=0.3, tone=3000.0, wet=0.18)
        .macro(1, "Drips", "How loud it drips.", 0.2, layers__c__level=10.0)
    )


def rain_roof() -> Maker:
    return (
        Maker("Rain Roof", "Moment", "still grey", "Rain on the panes above, and a chord that freezes under it.", 60)
        .layer("Rain", "a", level=-15.0, fixed=True)
        .source("a", "noise", "Rain on Panes", width=1.0)
        .layer("Chord", level=-13.0)
        .source(
            "b",
            "grains",
            "Plucked String",
            position=0.12,
            speed=0.0,
            size=0.25,
            dense="count",
            count=6.0,
            by_place=0.02,
            by_pan=0.7,
            by_pitch=0.04,
        )
        .set(modulators__e1__attack=0.6, modulators__e1__sustain=0.9, modulators__e1__release=2.0)
        .modulator("lfo", "Cloud", shape="sine", rate=0.07, start="free")
        .threads("l1", layers__b__source__position=0.1)
        .layer("Gutter", level=-25.0, octave=1, pan=0.5, delay=Beats(0.5))
        .source("c", "table", "Drip Bell", position=0.2, unison=2)
        .layer("Cellar", level=-20.0, octave=-2, out="direct", source__shape=0.4)
        .threads("l1", layers__c__source__position=0.4)
        .macro(1, "Thaw", "The chord begins to move.", 0.0, layers__b__source__speed=0.6)
        .macro(2, "Rain", "Harder rain.", 0.3, layers__a__level=8.0)
    )


def ebb_bell() -> Maker:
    return (
        Maker("Ebb Bell", "Keys", "clear hollow", "A buoy's bell, two sines a twelfth apart.", 80)
        .layer("Buoy", "a", source__shape="sine", level=-11.0)
        .layer("Iron", source__shape="sine", pitch=19.02, level=-19.0)
        .set(
            modulators__e1__attack=0.001,
            modulators__e1__decay=2.4,
            modulators__e1__sustain=0.0,
            modulators__e1__release=1.2,
            modulators__e1__decay_bend=0.55,
        )
        .effect("delay", left=0.21, right=0.34, feedback=0.3, tone=2600.0, wet=0.22)
        .macro(1, "Iron", "More of the upper tone.", 0.3, layers__b__level=10.0)
    )


def harbour_lamp() -> Maker:
    return (
        Maker("Harbour Lamp", "Pad", "round slow", "A lamp over water, turning every two bars.", 66)
        .layer(
            "Lamp",
            "a",
            source__shape="triangle",
            level=-9.0,
            filter__on=True,
            filter__response="low 24",
            filter__cutoff=800.0,
            filter__resonance=0.3,
        )
        .set(modulators__e1__attack=0.8, modulators__e1__sustain=0.9, modulators__e1__release=1.5)
        .modulator("lfo", "Turning", shape="sine", rate=Beats(8.0), start="free")
        .threads("l1", layers__a__filter__cutoff=14.0, layers__a__pan=0.6)
        .macro(1, "Glow", "How bright the lamp is.", 0.3, layers__a__filter__cutoff=20.0)
    )


DEMO = {
    "Glasshouse at Dusk": (
        "Sounds for an evening light walk through a botanical garden.",
        "madder",
        "dew lantern moss root compost pane pollen canopy beetle boiler moth fern orchid stem",
        [
            dew_pluck,
            lantern_brass,
            moss_pad,
            root_sub,
            compost_kick,
            potting_snare,
            seedpod_hat,
            bamboo_screech,
            pollen_drift,
            canopy_strings,
            beetle_zap,
            pane_crack,
            sprinkler_sweep,
            boiler_hum,
            night_moth_line,
            reed_bed,
            dripping_strings,
            rain_roof,
            irrigation_clock,
            breathing_glass,
            *NEW,
            *TONES,
            *WORKSHOP,
        ],
    ),
    "Tide Tables": (
        "Sketches from a harbour, and what grew from them.",
        "walnut",
        "tide ebb pier salt rope harbour buoy hull low far silt slack gull spray lamp horn bell choir drift quay",
        tides([ebb_bell, harbour_lamp]),
    ),
}
ABOUT = {"author": "Felt Dial", "version": "1.0", "licence": "Free to be used and passed on, in music and in banks"}


def make_bank(library: Library, name: str, every: int = 1) -> Bank:
    """One bank of the demo, or every so manieth of its sounds."""
    assets.look_in(STORE.parent)
    description, shade, words, makers = DEMO[name]
    bank = library.create(name)
    for maker in makers[::every]:
        bank.save_new(trimmed(with_handles(with_rooms(maker())).patch.model_copy(update={"made": MADE})))
    words = tuple(word.capitalize() for word in words.split())
    bank.about({}, {"description": description, "dye": shade, "words": words, **ABOUT})
    return bank


def make(root: Path) -> None:
    for name in DEMO:
        make_bank(Library(root), name)


if __name__ == "__main__":
    target = Path(sys.argv[1]) if len(sys.argv) > 1 else BANKS
    shutil.rmtree(target, ignore_errors=True)
    make(target)
