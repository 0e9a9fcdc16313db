"""Edits at random: what a person might do to a patch, one thing after another, drawn by a seed."""

from __future__ import annotations

from random import Random

from felt_dial.errors import FeltDialError
from felt_dial.patch.edits import (
    add_effect,
    add_inlet,
    add_layer,
    add_modulator,
    add_send,
    remove_effect,
    remove_layer,
    remove_modulator,
    replace_module,
    sew,
)
from felt_dial.patch.module import Effect, Filter, Modulator, Source
from felt_dial.patch.params import Choice, Param, Switch
from felt_dial.patch.parts import WHERE
from felt_dial.patch.patch import Patch, slots, with_value
from felt_dial.sound.modules import new_layer


def random_value(patch: Patch, rng: Random) -> Patch:
    """One parameter anywhere gets another value."""
    slot = rng.choice(list(slots(patch)))
    param = slot.param
    if isinstance(param, Switch):
        return with_value(patch, slot.path, not slot.value)
    if isinstance(param, Choice):
        return with_value(patch, slot.path, rng.choice(list(param.ids)))
    assert isinstance(param, Param)
    return with_value(patch, slot.path, param.at(rng.choice((0.0, 1.0, rng.random()))))


def random_structure(patch: Patch, rng: Random) -> Patch:
    """A layer, a modulator, an effect, a thread, an inlet or a send comes, goes, or becomes another."""
    layers, place = list(patch.layers), f"layers.{rng.choice(list(patch.layers))}"
    what = rng.randrange(14)
    if what == 0:
        return add_layer(patch, new_layer())[0]
    if what == 1 and len(layers) > 1:
        return remove_layer(patch, rng.choice(layers))
    if what in (2, 3, 4):
        return add_inlet(patch, rng.choice(layers), rng.choice(layers), rng.random())
    if what == 5:
        return with_value(with_value(patch, f"{place}.swung", rng.choice(layers)), f"{place}.swing", rng.random())
    if what == 6:
        return replace_module(patch, f"{place}.source", Source.kinds[rng.choice(sorted(Source.kinds))]())
    if what == 7:
        where = rng.choice([place, f"buses.{rng.choice(list(patch.buses))}"])
        return replace_module(patch, f"{where}.filter", Filter.kinds[rng.choice(sorted(Filter.kinds))](on=True))
    rack = rng.choice(("1", "2"))
    if what in (8, 9):
        return add_effect(patch, rack, Effect.kinds[rng.choice(sorted(Effect.kinds))]())[0]
    if what == 10 and patch.racks[rack]:
        return remove_effect(patch, rack, rng.choice(list(patch.racks[rack])))
    if what == 11:
        patch, key = add_modulator(patch, Modulator.kinds[rng.choice(sorted(Modulator.kinds))]())
        movable = [slot for slot in slots(patch) if slot.param.movable]
        return sew(patch, key, rng.choice(movable).path, rng.uniform(-1.0, 1.0))[0]
    if what == 12 and len(patch.modulators) > 1:
        return remove_modulator(patch, rng.choice(list(patch.modulators)[1:]))
    if what == 13:
        part = rng.choice([place, f"buses.{rng.choice(list(patch.buses))}"])
        return add_send(patch, part, rng.choice(list(WHERE)), rng.uniform(-60.0, 12.0))
    return patch


def edited(patch: Patch, rng: Random, count: int = 1) -> Patch:
    """A patch after so many edits; one that is refused is left out."""
    for _ in range(count):
        try:
            patch = rng.choice((random_value, random_structure))(patch, rng)
        except FeltDialError:
            continue
    return patch
