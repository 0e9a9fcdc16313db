"""Slices over keys: as layers of their own, or as one layer whose key says which slice is played."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from felt_dial.errors import FeltDialError
from felt_dial.patch.asset import Asset
from felt_dial.patch.edits import duplicate_layer, set_thread, sew
from felt_dial.patch.patch import Patch, put

MOST_KEYS = 48
GAP = 0.004
"""Seconds of silence at the end of each slot, so that no slice is heard in the next."""


class NotSpread(FeltDialError):
    """Slices that do not fit; the patch stays as it is."""


def as_layers(patch: Patch, key: str, frames: list[int], first_key: int) -> Patch:
    """The patch with a layer for each slice, one key each from `first_key` on; the layer itself plays the first.

    Raises `FeltDialError` where there is no room.
    """
    asset: Asset = patch.layers[key].source.asset  # type: ignore[attr-defined]
    edges = [*frames, asset.frames]
    last = asset.frames - 1
    slices = list(enumerate(pairwise(edges)))
    for n, (begin, end) in [*slices[1:], slices[0]]:  # the layer itself last: the others are copies of what it was
        target = key
        if n:
            patch, target = duplicate_layer(patch, key)
        places = {"start": begin / last, "end": min(end / last, 1.0), "track": False, "loop": "off"}
        source = patch.layers[target].source.model_copy(update=places)
        change = {"source": source, "name": f"Slice {n + 1}", "key_low": first_key + n, "key_high": first_key + n}
        patch = put(patch, ["layers", target], patch.layers[target].model_copy(update=change))
    return patch


def in_slots(sound: NDArray[np.float32], rate: float, frames: list[int]) -> NDArray[np.float32]:
    """Slices one after the other in slots of the same length, float32 (channel, frame): each fades where it is cut."""
    edges = [*frames, sound.shape[1]]
    slot = max(b - a for a, b in pairwise(edges)) + int(GAP * rate)
    made = np.zeros((len(sound), slot * len(frames)), np.float32)
    fade = int(0.002 * rate)
    for n, (a, b) in enumerate(pairwise(edges)):
        part = sound[:, a:b].copy()
        size = min(fade, part.shape[1])
        if b < sound.shape[1] and size:
            part[:, -size:] *= np.linspace(1.0, 0.0, size, dtype=np.float32)
        made[:, n * slot : n * slot + part.shape[1]] = part
    return made


def by_key(patch: Patch, key: str, slots: Asset, count: int, first_key: int) -> Patch:
    """The patch whose layer plays the slot of the key that is struck; `slots` holds `count` of them of one length.

    Key moves start and end, along lines that rise by one slot a key.
    """
    if count > MOST_KEYS:
        raise NotSpread(f"{count} slices are more than the {MOST_KEYS} keys that one layer takes; find fewer.")
    places = {"asset": slots, "start": 0.0, "end": 0.0, "chance": 0.0, "track": False, "loop": "off", "one_shot": False}
    source = patch.layers[key].source.model_copy(update=places)
    change = {"source": source, "key_low": first_key, "key_high": first_key + count - 1}
    patch = put(patch, ["layers", key], patch.layers[key].model_copy(update=change))
    for name, ahead in (("start", 0.0), ("end", 1.0)):
        patch, thread = sew(patch, "k", f"layers.{key}.source.{name}", 1.0, reading="one way")
        patch = set_thread(patch, thread, shape=_line(float(patch.key_centre), first_key, count, ahead))
    return patch


def _line(centre: float, first_key: int, count: int, ahead: float) -> tuple[tuple[float, float, float], ...]:
    """What a thread makes of Key: the slot of a key, counted from the first one, as a part of all.

    Key goes from five octaves under its centre to five above, which is across from 0 to 1.
    """
    low, high = (min(max(0.5 + (key - centre) / 120.0, 0.0), 1.0) for key in (first_key, first_key + count - 1))
    top = (count - 1 + ahead) / count
    return ((0.0, ahead / count, 0.0), (low, ahead / count, 0.0), (high, top, 0.0), (1.0, top, 0.0))
