"""More handles for the demo's presets, and the presets that show what moves."""

from __future__ import annotations

from maker import Maker

from felt_dial.patch.edits import set_thread
from felt_dial.patch.patch import put, with_value
from felt_dial.patch.units import Beats
from felt_dial.sound.control.curve import READY

Handle = tuple[int, str, str, float, dict[str, float]]
ENDS = "modulators__e1__"

HANDLES: dict[str, list[Handle]] = {
    "Dew Pluck": [(4, "Spread", "Leaf and drop move apart.", 0.0, {"layers__a__pan": -0.5, "layers__b__pan": 0.5})],
    "Lantern Brass": [
        (4, "Players", "From one to a row of them.", 0.0, {"layers__a__fine": -9.0, "layers__b__fine": 9.0})
    ],
    "Moss Pad": [(4, "Dawn", "How long it takes to rise.", 0.0, {ENDS + "attack": 4.0, ENDS + "release": 3.0})],
    "Root Sub": [
        (3, "Bounce", "From a held floor to a short step.", 0.0, {ENDS + "sustain": -0.8}),
        (4, "Knock", "How long the knuckle knocks.", 0.0, {"modulators__e2__decay": 0.5}),
    ],
    "Compost Kick": [(4, "Snap", "How fast it falls.", 0.0, {"modulators__e2__decay": 0.25})],
    "Night-Moth Line": [(4, "Sway", "How far it drifts off the note.", 0.0, {"layers__a__fine": 25.0})],
    "Pollen Drift": [
        (3, "Bloom", "How slowly it opens.", 0.0, {ENDS + "attack": 4.0}),
        (4, "Grain", "From fog to single grains.", 0.0, {"layers__a__source__size": -0.15}),
    ],
    "Pane Crack": [
        (3, "Ring", "How long the pane rings.", 0.0, {ENDS + "decay": 8.0, ENDS + "release": 2.0}),
        (4, "Shards", "How loud it cracks.", 0.0, {"layers__b__level": 9.0}),
    ],
    "Canopy Strings": [
        (3, "Bow", "How slowly the bows begin.", 0.0, {ENDS + "attack": 1.5}),
        (4, "Bodies", "More wood below.", 0.0, {"layers__b__level": 9.0}),
    ],
    "Boiler Hum": [
        (3, "Floor", "The hum below everything.", 0.0, {"layers__c__level": 6.0}),
        (4, "Unrest", "How fast the pressure turns.", 0.0, {"modulators__l1__rate": 8.0}),
    ],
    "Seedpod Hat": [
        (3, "Dry", "Coarser seeds.", 0.0, {"layers__a__source__rate": -20.0}),
        (4, "Size", "From a small pod to a gourd.", 0.0, {"layers__b__frequency": -9.0, "layers__c__frequency": -9.0}),
    ],
    "Potting Snare": [
        (3, "Pot", "A deeper or a higher pot.", 0.0, {"layers__a__frequency": 7.0}),
        (4, "Stick", "The knock of the stick.", 0.0, {"layers__c__level": 8.0}),
    ],
    "Beetle Zap": [
        (3, "Zap", "How long it takes to let go.", 0.0, {"modulators__e2__decay": 1.2}),
        (4, "Echo", "Wings in the distance.", 0.0, {"racks__1__delay1__wet": 0.35}),
    ],
    "Bamboo Screech": [
        (3, "Split", "The second cane.", 0.0, {"layers__b__level": 10.0}),
        (4, "Echo", "How far away it is heard.", 0.0, {"racks__1__delay1__wet": 0.35}),
    ],
    "Sprinkler Sweep": [
        (2, "Turn", "How fast the jets turn.", 0.0, {"modulators__l1__rate": 4.0}),
        (3, "Rise", "How slowly the water rises.", 0.0, {"modulators__e2__attack": 5.0}),
        (4, "Lawn", "How far the echoes go.", 0.0, {"racks__1__delay1__wet": 0.4, "racks__1__delay1__feedback": 0.2}),
    ],
    "Reed Bed": [
        (3, "Reeds", "From one reed to a bed of them.", 0.0, {"layers__a__source__detune": 30.0}),
        (4, "Attack", "How gently it is blown.", 0.0, {ENDS + "attack": 0.6}),
    ],
    "Dripping Strings": [
        (2, "Answer", "How loud the string answers.", 0.0, {"layers__b__level": 9.0}),
        (3, "Length", "How long a string rings.", 0.0, {ENDS + "decay": 5.0}),
        (4, "Wet", "How deep the cistern is.", 0.0, {"racks__1__delay1__wet": 0.4}),
    ],
    "Rain Roof": [
        (3, "Gutter", "Drops in the gutter.", 0.0, {"layers__c__level": 10.0}),
        (4, "Cellar", "The ground below.", 0.0, {"layers__d__level": 8.0}),
    ],
    "Ebb Bell": [
        (2, "Length", "How long the bell rings.", 0.0, {ENDS + "decay": 5.0}),
        (3, "Fog", "Echoes over the water.", 0.0, {"racks__1__delay1__wet": 0.4}),
        (4, "Rust", "The upper tone goes sour.", 0.0, {"layers__b__pitch": 0.6}),
    ],
    "Harbour Lamp": [
        (2, "Turn", "How fast it turns.", 0.0, {"modulators__l1__rate": 6.0}),
        (3, "Glass", "A sharper lens.", 0.0, {"layers__a__filter__resonance": 0.4}),
        (4, "Dusk", "How slowly it is lit.", 0.0, {ENDS + "attack": 3.0}),
    ],
}


def with_handles(made: Maker) -> Maker:
    """The preset with the handles that this page gives it."""
    for number, name, description, value, depths in HANDLES.get(made.patch.name, []):
        made.macro(number, name, description, value, **depths)
    return made


def irrigation_clock() -> Maker:
    """A pattern: held keys drip in sixteenths, chance decides how hard, a row of steps opens the pipe."""
    made = (
        Maker(
            "Irrigation Clock",
            "Pluck",
            "ticking wet",
            "Hold a chord: valves open one after another, never quite alike.",
            104,
        )
        .layer(
            "Valve",
            "a",
            level=-10.0,
            filter__on=True,
            filter__response="low 24",
            filter__cutoff=520.0,
            filter__resonance=0.28,
            filter__follow=0.5,
        )
        .source("a", "table", "Drip Bell", position=0.15, unison=2, detune=7.0)
        .layer("Pipe", octave=-1, level=-17.0, source__shape="triangle")
        .set(
            modulators__e1__attack=0.001,
            modulators__e1__decay=0.34,
            modulators__e1__sustain=0.0,
            modulators__e1__release=0.25,
            modulators__e1__decay_bend=0.6,
            layers__a__pan=-0.2,
        )
        .modulator(
            "steps",
            "Taps",
            rate=Beats(0.25),
            smooth=0.004,
            row=(
                (1.0, 0, 1, 0),
                (0.2, 0, 1, 0.1),
                (0.55, 0, 1, 0),
                (0.1, 0, 1, 0),
                (0.8, 0, 1, 0.2),
                (0.3, 0, 0.7, 0),
                (0.6, 0, 1, 0),
                (0.15, 0, 1, 0.1),
            ),
        )
        .modulator("chance", "Valve", way="note", floor=0.2, span=0.8)
        .modulator(
            "curve",
            "Pressure",
            length=Beats(16.0),
            start="first note",
            loop="on",
            loop_from=0.0,
            loop_to=1.0,
            line=READY["Two hills"],
        )
        .threads("s1", layers__a__filter__cutoff=26.0)
        .threads("r1", layers__a__source__position=0.4, layers__a__pan=0.35)
        .threads("c1", layers__a__filter__resonance=0.3)
        .threads("v", layers__a__filter__cutoff=10.0)
        .effect("delay", left=Beats(0.75), right=Beats(1.0), feedback=0.38, tone=3600.0, ping_pong=True, wet=0.24)
        .macro(1, "Water", "Opens the valves.", 0.2, layers__a__filter__cutoff=20.0)
        .macro(2, "Drops", "From taps to ringing drops.", 0.1, modulators__e1__decay=1.2, modulators__e1__release=0.8)
        .macro(3, "Pipe", "The pipe below hums along.", 0.2, layers__b__level=9.0)
        .macro(4, "Garden", "How far it is heard.", 0.1, racks__1__delay1__wet=0.4, racks__1__delay1__feedback=0.2)
    )
    steps = tuple(
        (octave, 0.0, velocity, length, tie, probability, 0.0)
        for octave, velocity, length, tie, probability in (
            (0, 1.0, 0.6, 0, 1.0),
            (0, 0.6, 0.4, 0, 1.0),
            (1, 0.8, 0.5, 0, 0.8),
            (0, 0.5, 0.4, 0, 1.0),
            (0, 0.9, 0.9, 0, 1.0),
            (0, 0.7, 0.8, 1, 1.0),
            (1, 0.6, 0.4, 0, 0.7),
            (0, 0.75, 0.5, 0, 1.0),
        )
    )
    return made.set(
        pattern__on=True,
        pattern__order="bounce",
        pattern__octaves=2,
        pattern__rate=Beats(0.25),
        pattern__steps=steps,
        pattern__swing=0.12,
        pattern__vary_velocity=0.25,
    )


def breathing_glass() -> Maker:
    """Movers on movers: a curve scales an LFO, a blend of two gates the haze, the output's own level closes it."""
    made = (
        Maker(
            "Breathing Glass",
            "Pad",
            "alive slow",
            "Panes that fog and clear: the house breathes with whoever plays.",
            66,
        )
        .layer(
            "Pane",
            "a",
            level=-12.0,
            pan=-0.25,
            filter__on=True,
            filter__response="low 12",
            filter__cutoff=700.0,
            filter__follow=0.4,
        )
        .source("a", "table", "Loft Choir", unison=4, detune=9.0, spread=0.8, position=0.2)
        .layer("Fog", level=-22.0, pan=0.25)
        .source("b", "noise", slope=-4.0, width=1.0)
        .layer("Sill", octave=-1, level=-15.0, source__shape="sine")
        .set(
            modulators__e1__attack=1.4,
            modulators__e1__decay=2.0,
            modulators__e1__sustain=0.85,
            modulators__e1__release=2.4,
            modulators__e1__key_times=0.3,
        )
        .modulator(
            "curve",
            "Breath",
            length=Beats(8.0),
            start="first note",
            loop="held",
            loop_from=0.1,
            loop_to=0.95,
            line=READY["Two hills"],
            smooth=0.02,
        )
        .modulator(
            "lfo",
            "Shiver",
            shape="drawn",
            rate=3.1,
            fade=1.5,
            line=((0.0, 0.5, 0.3), (0.2, 1.0, -0.2), (0.55, 0.1, 0.2), (0.8, 0.65, 0.0), (1.0, 0.5, 0.0)),
        )
        .modulator("chance", "Draught", way="chaotic", rate=0.3, voices="all")
        .modulator("blend", "Condense", way="times")
        .modulator("follow", "Warmth", floor=-40.0, full=-10.0, attack=0.08, release=0.6)
        .threads("c1", layers__a__filter__cutoff=30.0)
        .threads("l1", layers__a__fine=14.0)
        .threads("r1", layers__a__source__position=0.5, layers__c__pan=0.3)
        .threads("b1", layers__b__level=14.0)
        .threads("f1", layers__b__filter__cutoff=-12.0)
        .threads("w", layers__a__filter__cutoff=14.0)
        .effect("delay", left=Beats(1.5), right=Beats(1.0), feedback=0.42, tone=2400.0, wet=0.28)
        .macro(1, "Clear", "Wipes the pane.", 0.25, layers__a__filter__cutoff=20.0)
        .macro(2, "Fog", "How thick it hangs.", 0.2, layers__b__level=10.0)
        .macro(3, "Shiver", "How cold it is.", 0.3)
        .macro(4, "Breath", "How fast the house breathes.", 0.0, modulators__c1__length=-6.0)
    )
    patch = put(
        made.patch, ["modulators", "b1"], made.patch.modulators["b1"].model_copy(update={"first": "c1", "second": "r1"})
    )
    shiver = next(key for key, thread in patch.threads.items() if thread.source == "l1")
    patch = set_thread(patch, shiver, scaled="m3")
    wheel = next(key for key, thread in patch.threads.items() if thread.source == "w")
    patch = set_thread(patch, wheel, shape=((0.0, 0.0, -0.3), (1.0, 1.0, 0.0)), smooth=0.08)
    made.patch = with_value(patch, "layers.b.filter.on", True)
    return made
