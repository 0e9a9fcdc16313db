"""How a table is made: key frames, what lies between them, and what reshapes it; a value, kept beside the asset."""

from __future__ import annotations

import base64
import binascii
import zlib
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.errors import FeltDialError
from felt_dial.patch.documents.kind import DocumentKind
from felt_dial.workshop.table.between import BETWEEN
from felt_dial.workshop.table.cycles import CYCLE, MOST_FRAMES, SHAPES, Floats
from felt_dial.workshop.table.mending import Mend
from felt_dial.workshop.table.reshaping import RESHAPINGS, reshaped

TABLE_RECIPE = DocumentKind("table recipe", 1, kept="The table itself plays.", longest=4 * CYCLE * 2)


class BadRecipe(FeltDialError):
    """A recipe that cannot be followed; the table itself is what it was."""


@dataclass(frozen=True)
class KeyFrame:
    """A frame that a person made: where it stands, its 2048 samples (float32), and how far it is reshaped."""

    at: int
    samples: bytes
    amount: float = 0.0

    @property
    def cycle(self) -> Floats:
        """Its samples, float (2048,)."""
        return np.frombuffer(self.samples, "<f4").astype(np.float64)


def key_frame(at: int, cycle: ArrayLike, amount: float = 0.0) -> KeyFrame:
    """A key frame of a cycle, (2048,)."""
    return KeyFrame(at, np.ascontiguousarray(cycle, "<f4").tobytes(), amount)


@dataclass(frozen=True)
class TableRecipe:
    """A table of `count` frames. The first and the last are always keyed.

    `came` says where the frames came from, for the person and for the bench: the digest and name of the recording, the
    way, its first and last second.
    """

    count: int
    keys: tuple[KeyFrame, ...]
    between: str = "spectrum"
    reshape: str = "none"
    came: dict[str, Any] = field(default_factory=dict, hash=False)

    def places(self) -> list[int]:
        """Where key frames stand."""
        return [key.at for key in self.keys]


def of_cycles(cycles: Iterable[ArrayLike], between: str = "spectrum", **came: Any) -> TableRecipe:
    """The recipe of a table in which every frame is keyed; at most 256."""
    keys = tuple(key_frame(n, cycle) for n, cycle in enumerate(list(cycles)[:MOST_FRAMES]))
    return TableRecipe(len(keys), keys, between, came=came)


def swept(count: int = 64, shape: str = "sine") -> TableRecipe:
    """A new table: the same shape from end to end, keyed at both."""
    cycle = 0.95 * SHAPES[shape][1]
    return TableRecipe(count, (key_frame(0, cycle), key_frame(count - 1, cycle)))


def frames_before(recipe: TableRecipe) -> Floats:
    """Every frame before it is reshaped, float (frame, 2048)."""
    made = np.empty((recipe.count, CYCLE))
    cycles = [key.cycle for key in recipe.keys]
    made[recipe.places()] = cycles
    between = BETWEEN[recipe.between][2]
    for (one, two), (first, second) in zip(pairwise(recipe.keys), pairwise(cycles), strict=True):
        if two.at > one.at + 1:
            parts = np.arange(1, two.at - one.at) / (two.at - one.at)
            made[one.at + 1 : two.at] = between(first, second, parts)
    return made


def amounts_of(recipe: TableRecipe) -> Floats:
    """How far each frame is reshaped, in straight lines between key frames."""
    return np.interp(np.arange(recipe.count), recipe.places(), [key.amount for key in recipe.keys])


def frames_of(recipe: TableRecipe) -> NDArray[np.float32]:
    """Every frame of the table, float32 (frame, 2048)."""
    return reshaped(frames_before(recipe), recipe.reshape, amounts_of(recipe)).astype(np.float32)


# --- edits: each gives another recipe ----------------------------------------------------------


def with_cycle(recipe: TableRecipe, at: int, cycle: ArrayLike) -> TableRecipe:
    """One frame drawn anew; it is keyed from now on."""
    amount = float(amounts_of(recipe)[at])
    keys = [key for key in recipe.keys if key.at != at] + [key_frame(at, cycle, amount)]
    return replace(recipe, keys=tuple(sorted(keys, key=lambda key: key.at)))


def with_amount(recipe: TableRecipe, at: int, amount: float) -> TableRecipe:
    """The key frame at a place reshaped by another amount."""
    keys = (replace(key, amount=amount) if key.at == at else key for key in recipe.keys)
    return replace(recipe, keys=tuple(keys))


def keyed(recipe: TableRecipe, at: int, on: bool) -> TableRecipe:
    """A frame becomes a key frame as it is, or is worked out from its neighbours again; the ends stay keyed."""
    if on and at not in recipe.places():
        return with_cycle(recipe, at, frames_before(recipe)[at])
    if not on and 0 < at < recipe.count - 1:
        return replace(recipe, keys=tuple(key for key in recipe.keys if key.at != at))
    return recipe


def thinned(recipe: TableRecipe, every: int) -> TableRecipe:
    """Only every so-manieth key frame, and the last."""
    last = recipe.count - 1
    return replace(recipe, keys=tuple(key for key in recipe.keys if key.at % every == 0 or key.at == last))


def _again(recipe: TableRecipe, order: list[int]) -> TableRecipe:
    """Frames in another order, or fewer, or more: where a frame was keyed it stays so, and so are both ends."""
    if not order:
        raise BadRecipe("A table keeps at least one frame; nothing was deleted.")
    if len(order) > MOST_FRAMES:
        raise BadRecipe(f"A table holds {MOST_FRAMES} frames at the most; nothing was added.")
    plain, amounts, known = frames_before(recipe), amounts_of(recipe), {key.at: key for key in recipe.keys}
    steps = list(pairwise(order))
    keys = []
    for place, n in enumerate(order):
        broken = (place > 0 and steps[place - 1][1] - steps[place - 1][0] != 1) or (
            place < len(steps) and steps[place][1] - steps[place][0] != 1
        )
        if n in known or broken or place in (0, len(order) - 1):
            keys.append(key_frame(place, plain[n], float(amounts[n])))
    return replace(recipe, count=len(order), keys=tuple(keys))


def deleted(recipe: TableRecipe, frames: Iterable[int]) -> TableRecipe:
    """Without some frames; raises `BadRecipe` where none would be left."""
    gone = set(frames)
    return _again(recipe, [n for n in range(recipe.count) if n not in gone])


def duplicated(recipe: TableRecipe, frames: Iterable[int]) -> TableRecipe:
    """Some frames once more, each behind itself; raises `BadRecipe` over 256."""
    more = set(frames)
    return _again(recipe, [n for n in range(recipe.count) for _ in range(1 + (n in more))])


def inserted(recipe: TableRecipe, behind: int, cycles: Iterable[ArrayLike]) -> TableRecipe:
    """Keyed frames more, behind one (−1 puts them first); raises `BadRecipe` over 256."""
    rows = list(cycles)
    if recipe.count + len(rows) > MOST_FRAMES:
        raise BadRecipe(f"A table holds {MOST_FRAMES} frames at the most; nothing was added.")
    plain, amounts = frames_before(recipe), amounts_of(recipe)
    keep = {*recipe.places(), behind, behind + 1} & set(range(recipe.count))
    moved = [key_frame(n + len(rows) * (n > behind), plain[n], float(amounts[n])) for n in sorted(keep)]
    new = [key_frame(behind + 1 + k, cycle) for k, cycle in enumerate(rows)]
    keys = tuple(sorted([*moved, *new], key=lambda key: key.at))
    return replace(recipe, count=recipe.count + len(rows), keys=keys)


def reversed_frames(recipe: TableRecipe) -> TableRecipe:
    """The last frame first."""
    last = recipe.count - 1
    keys = (replace(key, at=last - key.at) for key in reversed(recipe.keys))
    return replace(recipe, keys=tuple(keys))


def moved(recipe: TableRecipe, frames: Iterable[int], before: int) -> TableRecipe:
    """Some frames, in their order, put before another place (of those that the table has now)."""
    chosen = sorted(set(frames))
    rest = [n for n in range(recipe.count) if n not in set(chosen)]
    at = sum(n < before for n in rest)
    return _again(recipe, [*rest[:at], *chosen, *rest[at:]])


def resized(recipe: TableRecipe, count: int) -> TableRecipe:
    """The same key frames over more frames or fewer, 1 to 256; those that would share a place lose all but the first."""
    count = min(max(count, 1), MOST_FRAMES)
    if count == 1:
        return replace(recipe, count=1, keys=(replace(recipe.keys[0], at=0),))
    if recipe.count == 1:
        return replace(recipe, count=count, keys=(recipe.keys[0], replace(recipe.keys[0], at=count - 1)))
    scale = (count - 1) / (recipe.count - 1)
    found: dict[int, KeyFrame] = {}
    for key in recipe.keys:
        found.setdefault(round(key.at * scale), key)
    found[count - 1] = recipe.keys[-1]
    return replace(recipe, count=count, keys=tuple(replace(found[at], at=at) for at in sorted(found)))


def mended(recipe: TableRecipe, mend: Mend) -> TableRecipe:
    """Something done to the frames as they are heard: to the key frames, or to all frames where it leaves some out or puts them
    in order, or where they are reshaped; then all are keyed, and hold what they were reshaped to."""
    if mend.whole or (recipe.reshape != "none" and amounts_of(recipe).any()):
        made = mend.act(frames_of(recipe).astype(np.float64))
        return replace(of_cycles(made, recipe.between), came=recipe.came)
    made = mend.act(np.stack([key.cycle for key in recipe.keys]))
    keys = (key_frame(key.at, cycle, key.amount) for key, cycle in zip(recipe.keys, made, strict=True))
    return replace(recipe, keys=tuple(keys))


# --- the document ------------------------------------------------------------------------------


def write_recipe(recipe: TableRecipe) -> str:
    """The document of a recipe: samples as float32, deflated, in base 64."""
    keys = [
        {"at": key.at, "amount": key.amount, "samples": base64.b64encode(zlib.compress(key.samples)).decode()}
        for key in recipe.keys
    ]
    about = {"count": recipe.count, "between": recipe.between, "reshape": recipe.reshape, "came": recipe.came}
    return TABLE_RECIPE.write(about | {"keys": keys})


def read_recipe(text: str, where: str) -> TableRecipe:
    """The recipe of a document; raises `FeltDialError` where it cannot be followed."""
    data = TABLE_RECIPE.read(text, where)
    try:
        keys = tuple(KeyFrame(int(key["at"]), _samples(key["samples"]), float(key["amount"])) for key in data["keys"])
        recipe = TableRecipe(int(data["count"]), keys, data["between"], data["reshape"], dict(data["came"]))
        places = recipe.places()
        fits = (
            1 <= recipe.count <= MOST_FRAMES
            and places == sorted(set(places))
            and (places[0], places[-1]) == (0, recipe.count - 1)
            and recipe.between in BETWEEN
            and recipe.reshape in RESHAPINGS
            and all(np.isfinite(key.cycle).all() and np.isfinite(key.amount) for key in keys)
        )
    except (KeyError, TypeError, ValueError, IndexError, zlib.error, binascii.Error) as wrong:
        raise BadRecipe(f"{where} is no recipe that can be followed ({wrong}). The table itself plays.") from None
    if not fits:
        raise BadRecipe(f"{where} does not fit together. The table itself plays.")
    return recipe


def _samples(text: str) -> bytes:
    found = zlib.decompressobj().decompress(base64.b64decode(text), 4 * CYCLE + 1)
    if len(found) != 4 * CYCLE:
        raise ValueError(f"a frame of {len(found) // 4} samples")
    return found
