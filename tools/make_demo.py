"""Makes the banks that come with the program: `python tools/make_demo.py`.

Every sound is built here from its parameters and trimmed to the loudness of its neighbours, so
that the files in `felt_dial/data/banks` can be made again, byte for byte.
"""

from __future__ import annotations

import shutil
import sys
from pathlib import Path

from felt_dial.bank.library import Library
from felt_dial.bank.measure import measure
from felt_dial.patch.edits import add_effect, add_layer, add_modulator, sew
from felt_dial.patch.patch import Patch, put, with_value
from felt_dial.patch.units import Beats
from felt_dial.sound.modules import Effect, Modulator, new_layer, new_patch

BANKS = Path(__file__).parent.parent / "felt_dial" / "data" / "banks"
LOUDNESS = -18.0


class Maker:
    """A patch being put together, step by step."""

    def __init__(self, name: str, kind: str, character: str, description: str, tempo: float) -> None:
        about = {"type": kind, "character": tuple(character.split()), "description": description, "author": "Felt Dial"}
        self.patch = with_value(new_patch(name).model_copy(update=about), "tempo", tempo)

    def set(self, **values: object) -> Maker:
        for path, value in values.items():
            self.patch = with_value(self.patch, path.replace("__", "."), value)
        return self

    def layer(self, name: str, key: str = "", **values: object) -> Maker:
        if not key:
            self.patch, key = add_layer(self.patch, new_layer())
        self.patch = put(self.patch, ["layers", key, "name"], name)
        return self.set(**{f"layers__{key}__{path}": value for path, value in values.items()})

    def contour(self, layer: str, envelope: str) -> Maker:
        self.patch = put(self.patch, ["layers", layer, "contour"], envelope)
        return self

    def modulator(self, kind: str, name: str, **values: object) -> Maker:
        self.patch, key = add_modulator(self.patch, Modulator.kinds[kind](name=name))
        return self.set(**{f"modulators__{key}__{path}": value for path, value in values.items()})

    def effect(self, kind: str, **values: object) -> Maker:
        self.patch, key = add_effect(self.patch, "1", Effect.kinds[kind]())
        return self.set(**{f"racks__1__{key}__{path}": value for path, value in values.items()})

    def macro(self, number: int, name: str, description: str, value: float, **depths: float) -> Maker:
        key = f"m{number}"
        macro = self.patch.macros[key].model_copy(update={"name": name, "description": description})
        self.patch = put(self.patch, ["macros", key], macro)
        self.set(**{f"macros__{key}": value})
        return self.threads(key, **depths)

    def threads(self, source: str, **depths: float) -> Maker:
        for path, depth in depths.items():
            self.patch, _ = sew(self.patch, source, path.replace("__", "."), depth)
        return self


def dew_pluck() -> Maker:
    return (
        Maker("Dew Pluck", "Pluck", "bright short", "A drop on a leaf: a quick pluck that closes as it falls.", 104)
        .layer("Leaf", "a", source__shape="saw", level=-11.0, filter__on=True, filter__response="low 24",
               filter__cutoff=620.0, filter__resonance=0.22, filter__follow=0.6)
        .layer("Drop", source__shape="triangle", octave=1, level=-17.0, pan=0.2)
        .set(modulators__e1__attack=0.001, modulators__e1__decay=0.9, modulators__e1__sustain=0.0,
             modulators__e1__release=0.35, modulators__e1__decay_bend=0.6)
        .modulator("envelope", "Close", attack=0.0, decay=0.28, sustain=0.0, release=0.2, decay_bend=0.7)
        .threads("e2", layers__a__filter__cutoff=38.0)
        .threads("v", layers__a__filter__cutoff=8.0)
        .effect("delay", left=Beats(0.75), right=Beats(0.5), feedback=0.34, tone=4200.0, wet=0.2)
        .macro(1, "Bright", "Opens the leaf and lengthens the echo.", 0.3, layers__a__filter__cutoff=13.0,
               racks__1__delay1__feedback=0.15)
        .macro(2, "Length", "From a tap to a ringing string.", 0.25, modulators__e1__decay=1.6)
        .macro(3, "Echo", "How much of the garden answers.", 0.2, racks__1__delay1__wet=0.5)
    )  # fmt: skip


def lantern_brass() -> Maker:
    return (
        Maker("Lantern Brass", "Brass", "warm slow", "A low brass that opens as it is held; the wheel leans in.", 96)
        .layer("Breath", "a", source__shape="saw", level=-12.0, fine=-5.0, pan=-0.25, filter__on=True,
               filter__response="low 24", filter__cutoff=380.0, filter__resonance=0.12, filter__follow=0.5)
        .layer("Body", source__shape="saw", level=-12.0, fine=6.0, pan=0.25, filter__on=True,
               filter__response="low 12", filter__cutoff=460.0, filter__follow=0.5)
        .layer("Bell", source__shape="pulse", source__width=0.3, octave=-1, level=-19.0, filter__on=True,
               filter__response="low 24", filter__cutoff=700.0)
        .set(modulators__e1__attack=0.12, modulators__e1__decay=0.8, modulators__e1__sustain=0.82,
             modulators__e1__release=0.4)
        .modulator("envelope", "Bloom", attack=0.35, decay=1.1, sustain=0.55, release=0.5, attack_bend=-0.2)
        .modulator("lfo", "Breath", shape="sine", rate=5.2)
        .threads("e2", layers__a__filter__cutoff=30.0, layers__b__filter__cutoff=26.0, layers__c__filter__cutoff=18.0)
        .threads("l1", layers__a__fine=4.0, layers__b__fine=-4.0)
        .threads("w", layers__a__filter__cutoff=14.0, layers__b__filter__cutoff=14.0)
        .threads("v", layers__a__filter__cutoff=8.0, layers__b__filter__cutoff=8.0)
        .macro(1, "Timbre", "From felt to polished brass.", 0.4, layers__a__filter__cutoff=12.0,
               layers__b__filter__cutoff=12.0)
        .macro(2, "Attack", "How slowly it swells.", 0.15, modulators__e1__attack=0.9, modulators__e2__attack=1.2)
        .macro(3, "Mute", "A hand in the bell.", 0.0, layers__a__filter__cutoff=-20.0, layers__b__filter__cutoff=-20.0,
               layers__c__level=-12.0)
    )  # fmt: skip


def moss_pad() -> Maker:
    return (
        Maker("Moss Pad", "Pad", "soft wide", "Soft ground: two slow saws drifting left and right of a hum.", 72)
        .layer("Left", "a", source__shape="saw", level=-14.0, pan=-0.7, fine=-7.0, filter__on=True,
               filter__response="low 12", filter__cutoff=900.0)
        .layer("Right", source__shape="saw", level=-14.0, pan=0.7, fine=8.0, filter__on=True,
               filter__response="low 12", filter__cutoff=900.0)
        .layer("Hum", source__shape="sine", octave=-1, level=-15.0)
        .set(modulators__e1__attack=1.1, modulators__e1__decay=2.0, modulators__e1__sustain=0.8,
             modulators__e1__release=1.8, modulators__e1__attack_bend=-0.2)
        .modulator("lfo", "Wind", shape="triangle", rate=Beats(8.0), start="free")
        .modulator("lfo", "Damp", shape="sine", rate=0.13, start="free", phase=90.0)
        .threads("l1", layers__a__filter__cutoff=9.0, layers__b__filter__cutoff=-9.0)
        .threads("l2", layers__a__pan=0.25, layers__b__pan=0.25)
        .effect("delay", left=Beats(1.5), right=Beats(1.0), feedback=0.45, tone=1800.0, wet=0.3)
        .macro(1, "Light", "Lets the sun in.", 0.3, layers__a__filter__cutoff=20.0, layers__b__filter__cutoff=20.0)
        .macro(2, "Depth", "More of the hum below.", 0.2, layers__c__level=5.0)
        .macro(3, "Wind", "How far it sways.", 0.0, modulators__l2__rate=4.0)
    )  # fmt: skip


def root_sub() -> Maker:
    return (
        Maker("Root Sub", "Bass", "deep round", "A sine under the floor with a woody knuckle on top.", 96)
        .set(voices=4)
        .layer("Root", "a", source__shape="sine", level=-8.0)
        .layer("Bark", source__shape="pulse", source__width=0.42, level=-20.0, filter__on=True,
               filter__response="low 24", filter__cutoff=240.0, filter__resonance=0.2, filter__follow=0.4)
        .set(modulators__e1__attack=0.004, modulators__e1__decay=0.5, modulators__e1__sustain=0.85,
             modulators__e1__release=0.09)
        .modulator("envelope", "Knuckle", attack=0.0, decay=0.12, sustain=0.0, release=0.1, decay_bend=0.6)
        .threads("e2", layers__b__filter__cutoff=30.0)
        .threads("v", layers__b__level=6.0)
        .macro(1, "Bark", "The knuckle, from none to plenty.", 0.4, layers__b__level=6.0)
        .macro(2, "Bright", "Opens the wood.", 0.2, layers__b__filter__cutoff=30.0)
    )  # fmt: skip


def compost_kick() -> Maker:
    return (
        Maker("Compost Kick", "Drum", "round dry", "A sine that falls fast to the ground, and a click to find it.", 112)
        .set(voices=2)
        .layer("Thud", "a", source__shape="sine", level=-4.0, fixed=True, frequency=48.0)
        .layer("Click", source__shape="pulse", source__width=0.2, level=-22.0, fixed=True, frequency=900.0,
               filter__on=True, filter__response="high 12", filter__cutoff=1800.0)
        .set(modulators__e1__attack=0.0, modulators__e1__decay=0.42, modulators__e1__sustain=0.0,
             modulators__e1__release=0.3, modulators__e1__decay_bend=0.3)
        .modulator("envelope", "Fall", attack=0.0, decay=0.09, sustain=0.0, release=0.05, decay_bend=0.9)
        .modulator("envelope", "Tick", attack=0.0, decay=0.02, sustain=0.0, release=0.01, decay_bend=0.8)
        .contour("b", "e3")
        .threads("e2", layers__a__frequency=30.0)
        .threads("v", layers__b__level=8.0)
        .macro(1, "Drop", "From how high it falls.", 0.3, layers__a__frequency=5.0)
        .macro(2, "Length", "How long the ground rings.", 0.2, modulators__e1__decay=0.6)
        .macro(3, "Click", "The stick.", 0.3, layers__b__level=7.0)
    )  # fmt: skip


def night_moth_line() -> Maker:
    return (
        Maker("Night-Moth Line", "Lead", "thin fluttering", "A thin pulse that beats its wings faster as it is pushed.", 92)
        .set(voices=6)
        .layer("Wing", "a", source__shape="pulse", source__width=0.3, level=-13.0, filter__on=True,
               filter__response="band 12", filter__cutoff=1400.0, filter__resonance=0.1, filter__follow=0.8)
        .layer("Dust", source__shape="triangle", octave=1, level=-24.0, pan=0.15)
        .set(modulators__e1__attack=0.02, modulators__e1__decay=0.6, modulators__e1__sustain=0.75,
             modulators__e1__release=0.3)
        .modulator("lfo", "Flutter", shape="triangle", rate=Beats(1 / 3))
        .modulator("lfo", "Sway", shape="sine", rate=4.6)
        .threads("l1", layers__a__source__width=0.16)
        .threads("l2", layers__a__fine=9.0)
        .threads("w", modulators__l1__rate=3.0)
        .effect("delay", left=Beats(0.75), right=Beats(0.75), feedback=0.42, tone=3000.0, ping_pong=True, wet=0.28)
        .macro(1, "Flutter", "How far the wings open.", 0.3, layers__a__source__width=0.12)
        .macro(2, "Bright", "Towards the lantern.", 0.3, layers__a__filter__cutoff=18.0)
        .macro(3, "Night", "Echoes in the dark.", 0.25, racks__1__delay1__wet=0.4, racks__1__delay1__feedback=0.2)
    )  # fmt: skip


def ebb_bell() -> Maker:
    return (
        Maker("Ebb Bell", "Keys", "clear hollow", "A buoy's bell, two sines a twelfth apart.", 80)
        .layer("Buoy", "a", source__shape="sine", level=-11.0)
        .layer("Iron", source__shape="sine", pitch=19.02, level=-19.0)
        .set(modulators__e1__attack=0.001, modulators__e1__decay=2.4, modulators__e1__sustain=0.0,
             modulators__e1__release=1.2, modulators__e1__decay_bend=0.55)
        .effect("delay", left=0.21, right=0.34, feedback=0.3, tone=2600.0, wet=0.22)
        .macro(1, "Iron", "More of the upper tone.", 0.3, layers__b__level=10.0)
    )  # fmt: skip


def harbour_lamp() -> Maker:
    return (
        Maker("Harbour Lamp", "Pad", "round slow", "A lamp over water, turning every two bars.", 66)
        .layer("Lamp", "a", source__shape="triangle", level=-9.0, filter__on=True, filter__response="low 24",
               filter__cutoff=800.0, filter__resonance=0.3)
        .set(modulators__e1__attack=0.8, modulators__e1__sustain=0.9, modulators__e1__release=1.5)
        .modulator("lfo", "Turning", shape="sine", rate=Beats(8.0), start="free")
        .threads("l1", layers__a__filter__cutoff=14.0, layers__a__pan=0.6)
        .macro(1, "Glow", "How bright the lamp is.", 0.3, layers__a__filter__cutoff=20.0)
    )  # fmt: skip


DEMO = {
    "Glasshouse at Dusk": (
        "Sounds for an evening light walk through a botanical garden.",
        [dew_pluck, lantern_brass, moss_pad, root_sub, compost_kick, night_moth_line],
    ),
    "Tide Tables": ("Sketches from a harbour.", [ebb_bell, harbour_lamp]),
}


def trimmed(patch: Patch) -> Patch:
    """The patch at −18 LUFS with the phrase of its kind, or as loud as a peak of −1 dB lets it be."""
    for _ in range(2):
        found = measure(patch)
        change = min(LOUDNESS - found.lufs, -1.0 - found.peak)
        patch = with_value(patch, "level", round(float(patch.level) + change, 1))
    return patch


def make(root: Path) -> None:
    library = Library(root)
    for name, (description, makers) in DEMO.items():
        bank = library.create(name)
        bank._write(bank.file.model_copy(update={"description": description}))
        for maker in makers:
            patch = trimmed(maker().patch)
            bank.save_new(patch)
            found = measure(patch)
            print(f"{name}: {patch.name:18} {found.lufs:6.1f} LUFS  {found.peak:6.1f} dB", flush=True)


if __name__ == "__main__":
    target = Path(sys.argv[1]) if len(sys.argv) > 1 else BANKS
    shutil.rmtree(target, ignore_errors=True)
    make(target)
