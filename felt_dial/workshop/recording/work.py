"""What a helper does for the sample bench: with the recordings of a store, by their names."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.asset import Asset
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import Audio, BadAudio
from felt_dial.sound.matter.root import Root, root_of
from felt_dial.workshop.recording.loops import Loop, loops_of
from felt_dial.workshop.recording.split import Parts, split

Watch = Callable[[float], bool]


def _sound(asset: Asset) -> NDArray[np.float32]:
    sound = assets.load(asset)
    if sound is None:
        raise BadAudio(f"{asset.about()} is missing, or damaged.")
    return sound


def look_into(asset: Asset) -> tuple[Root, list[Loop]]:
    """The root of a recording and its loops, best first."""
    sound = _sound(asset)
    return root_of(sound, asset.rate), loops_of(sound, asset.rate)


def parts_of(asset: Asset, strength: float, watch: Watch = lambda part: True) -> Parts:
    """The parts of a recording."""
    return split(_sound(asset), asset.rate, strength, watch)


def keep_parts(sounds: list[tuple[str, NDArray[np.float32], str]], rate: float, folder: str) -> list[Asset]:
    """Keeps sounds in a store, each with a name and the document that says how it was made."""
    found = []
    for name, sound, document in sounds:
        asset = assets.keep(Path(folder), Audio(sound, rate), name)
        found.append(asset.model_copy(update={"recipe": assets.keep_recipe(Path(folder), document)}))
    return found
