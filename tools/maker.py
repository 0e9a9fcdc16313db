"""Maker: a patch of the demo being put together, step by step."""

from __future__ import annotations

import math
import sys
import tempfile
from pathlib import Path

from felt_dial.bank.library.bank import WANTED_LUFS
from felt_dial.bank.measuring.probe_note import loudness
from felt_dial.bank.measuring.worker import peak_of, played
from felt_dial.patch.edits import add_effect, add_inlet, add_layer, add_modulator, add_send, sew
from felt_dial.patch.module import Effect, Filter, Modulator, Source
from felt_dial.patch.patch import Patch, put, with_value
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import Audio
from felt_dial.sound.matter.tables import shipped_tables
from felt_dial.sound.modules import new_layer, new_patch

sys.path.insert(0, str(Path(__file__).parent))

from make_samples import RATE, SAMPLES, recording

STORE = Path(tempfile.mkdtemp()) / ".assets"
"""Where the recordings lie until a bank takes them along."""


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

    def source(self, layer: str, kind: str, made_of: str = "", **fields: object) -> Maker:
        """Gives a layer another source, made of a table or a recording by its name."""
        if kind == "table" and made_of:
            table = shipped_tables()[made_of]
            fields |= {"asset": table.asset, "cycle": table.cycle}
        elif made_of:
            fields["asset"] = assets.keep(STORE, Audio(recording(made_of), RATE), made_of)
            if "root" in Source.kinds[kind].params:
                fields["root"] = SAMPLES[made_of][1]
        self.patch = put(self.patch, ["layers", layer, "source"], Source.kinds[kind](**fields))
        return self

    def inlet(self, layer: str, other: str, index: float, ring: float = 0.0) -> Maker:
        self.patch = add_inlet(self.patch, layer, other, index)
        return self.set(**{f"layers__{layer}__inlets__{other}__ring": ring})

    def send(self, place: str, where: str, level: float) -> Maker:
        self.patch = add_send(self.patch, place, where, level)
        return self

    def contour(self, layer: str, envelope: str) -> Maker:
        self.patch = put(self.patch, ["layers", layer, "contour"], envelope)
        return self

    def modulator(self, kind: str, name: str, **values: object) -> Maker:
        self.patch, key = add_modulator(self.patch, Modulator.kinds[kind](name=name))
        return self.set(**{f"modulators__{key}__{path}": value for path, value in values.items()})

    def effect(self, kind: str, **values: object) -> Maker:
        self.patch, key = add_effect(self.patch, "1", Effect.kinds[kind]())
        return self.set(**{f"racks__1__{key}__{path}": value for path, value in values.items()})

    def second(self, kind: str, **values: object) -> Maker:
        """An effect in rack 2."""
        self.patch, key = add_effect(self.patch, "2", Effect.kinds[kind]())
        return self.set(**{f"racks__2__{key}__{path}": value for path, value in values.items()})

    def filter(self, place: str, kind: str, **values: object) -> Maker:
        """Another filter for a layer or a bus, switched on."""
        self.patch = put(self.patch, [*place.split("."), "filter"], Filter.kinds[kind](on=True))
        prefix = place.replace(".", "__")
        return self.set(**{f"{prefix}__filter__{path}": value for path, value in values.items()})

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


def trimmed(patch: Patch) -> Patch:
    """The patch at −18 LUFS with the phrase of its kind, or as loud as a peak of −1 dB lets it be."""
    for _ in range(2):
        sound = played(patch)
        lufs, peak = loudness(sound), peak_of(sound)
        change = min(WANTED_LUFS - lufs, -1.0 - peak)
        patch = with_value(patch, "level", math.floor(10 * (float(patch.level) + change)) / 10)
    print(f"{patch.name:18} {lufs + change:6.1f} LUFS  {peak + change:6.1f} dB", flush=True)
    return patch
