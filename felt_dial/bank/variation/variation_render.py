"""Growing: children are rendered until they are as far as wished, and those that are silent, wild or out of tune thrown away.

Renders, so it is for a helper, by name.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

import felt_dial.sound.modules  # noqa: F401  every kind that a patch may name
from felt_dial.bank.measuring.features import Features, distance, features_of
from felt_dial.bank.measuring.measurement import swatch_of
from felt_dial.bank.measuring.probe_note import RATE, heard, levelled
from felt_dial.bank.variation.variations import (
    TARGET,
    Variation,
    VariationOptions,
    called,
    changes,
    child,
    dials,
    directions,
    moved_by,
)
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.patch import Patch, put_value, slots
from felt_dial.sound.integrated import loudness
from felt_dial.sound.matter.root import SURE, root_of

TRIES, NEAR = 4, 0.22
"""Renders of a child at the most, and how near to the wished distance is near enough."""
SILENT_DB, WILD_DB = -60.0, 14.0
CENTS, COST = 5.0, 1.3
PROBES = 3
HEARD_ALONE = 24
"""So many of the dials that were moved, those that were moved most, are heard one by one."""
_known: dict[str, Parent] = {}
_reaches: dict[tuple[object, ...], float] = {}


class Parent(NamedTuple):
    """What is measured of a sound that others are grown from."""

    patch: Patch
    sound: NDArray[np.float32]
    features: Features
    key: float | None
    sure: float
    lufs: float
    glides: bool


def cost_of(patch: Patch) -> float:
    """About what a note costs, counted and not timed, so that the same comes out each time: voices of layers that are on."""
    total = 1.0
    for layer in patch.layers.values():
        if layer.get("on"):
            source = layer.source
            voices = float(source.number("unison")) if "unison" in source.params else 1.0
            dense = float(source.number("rate")) / 40.0 if "rate" in source.params and source.kind == "grains" else 1.0
            total += voices * max(dense, 1.0)
    return total


def parent_of(document: str) -> Parent:
    """What is measured of the parent, once in a process."""
    if document not in _known:
        _known.clear()
        patch = read_patch(document, "The sound")
        sound = heard(patch)
        root = root_of(sound, RATE)
        _known[document] = Parent(
            patch, sound, features_of(sound, RATE), root.key, root.sure, loudness(sound), root.begins is not None
        )
    return _known[document]


def parent_as_offshoot(document: str) -> Variation:
    """The parent, as it stands on the map among its offshoots."""
    parent = parent_of(document)
    return Variation(document, 0.0, parent.features, swatch_of(parent.sound, RATE), parent.sound)


def grow(document: str, wishes: VariationOptions, number: int) -> Variation:
    """One child, the same for the same parent, wishes and number."""
    parent = parent_of(document)
    found = dials(parent.patch, wishes)
    way = directions(found, wishes.seed, number)
    wanted = max(wishes.far, 0.02) * TARGET
    much, best = wanted / _reach(document, wishes), None
    low, high = 0.0, 4.0
    for _ in range(TRIES):
        patch = child(parent.patch, found, way, much, wishes.promises)
        sound = heard(patch)
        features = features_of(sound, RATE)
        far = distance(parent.features, features)
        made = (abs(far - wanted), patch, sound, features, far)
        if best is None or made[0] < best[0]:
            best = made
        if abs(far - wanted) < NEAR * wanted:
            break
        if far < wanted:
            low = much
        else:
            high = much
        guess = much * min(max(wanted / max(far, 1e-3), 0.35), 2.8)
        much = guess if low < guess < high else (low + min(high, 2 * low + 0.1)) / 2
    assert best is not None
    _, patch, sound, features, far = best
    wrong = _wrong(parent, patch, sound, wishes)
    if not wrong and wishes.as_loud:
        patch, sound, reached = levelled(patch, sound, parent.lufs)
        wrong = "" if reached else "cannot be as loud"
    return Variation(
        write_patch(patch), far, features, swatch_of(sound, RATE), sound, changes(parent.patch, patch), wrong
    )


def _reach(document: str, wishes: VariationOptions) -> float:
    """How far this sound goes for each step of its dials, by three trials: what makes the same wish mean the same for every
    sound."""
    known = (document, wishes.groups, wishes.locked, wishes.in_tune)
    if known not in _reaches:
        _reaches.clear()
        parent = parent_of(document)
        found, much = dials(parent.patch, wishes), 0.15
        ways = (directions(found, 0, 10_000 + n) for n in range(PROBES))
        trials = (child(parent.patch, found, way, much, wishes.promises) for way in ways)
        far = [distance(parent.features, features_of(heard(patch), RATE)) for patch in trials]
        _reaches[known] = max(float(np.median(far)) / much, 0.2)
    return _reaches[known]


def _wrong(parent: Parent, patch: Patch, sound: NDArray[np.float32], wishes: VariationOptions) -> str:
    peak = float(np.abs(sound).max(initial=0.0))
    if not np.isfinite(sound).all() or 20 * math.log10(max(peak, 1e-9)) > WILD_DB:
        return "too loud"
    if 20 * math.log10(max(peak, 1e-9)) < SILENT_DB:
        return "silent"
    if wishes.in_tune and parent.key is not None and parent.sure >= SURE and not parent.glides:
        root = root_of(sound, RATE)
        away = abs((root.key - parent.key + 6) % 12 - 6) if root.key is not None and root.is_sure else 0.0
        if away > CENTS / 100:
            return "out of tune"
    if wishes.cheap and cost_of(patch) > COST * cost_of(parent.patch):
        return "too costly"
    return ""


def step_between(document: str, parent: str) -> Variation:
    """A step between two sounds, as far as it is from the first."""
    first = parent_of(parent)
    patch = read_patch(document, "A step")
    sound = heard(patch)
    features = features_of(sound, RATE)
    far = distance(first.features, features)
    return Variation(document, far, features, swatch_of(sound, RATE), sound, changes(first.patch, patch))


def audible(document: str, offshoot: str) -> tuple[tuple[str, str, str], ...]:
    """What changed in an offshoot, most audible first: how far the parent goes when that dial alone is where the child has it."""
    parent, patch = parent_of(document), read_patch(offshoot, "An offshoot")
    were = {slot.path: slot.value for slot in slots(parent.patch)}
    moved = [
        (slot.path, slot.param, slot.value)
        for slot in slots(patch)
        if slot.path in were and slot.path != "level" and slot.value != were[slot.path]
    ]
    moved.sort(key=lambda row: -moved_by(row[1], were[row[0]], row[2]))
    found = []
    for n, (path, param, value) in enumerate(moved):
        far = 0.0
        if n < HEARD_ALONE:
            far = distance(parent.features, features_of(heard(put_value(parent.patch, path, value)), RATE))
        found.append((far, (called(patch, path, param), param.write(were[path]), param.write(value))))
    found.sort(key=lambda row: -row[0])
    return tuple(row for _, row in found)
