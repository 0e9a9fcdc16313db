"""Edits of a patch: functions from a patch to a patch."""

from __future__ import annotations

import math
import random
from collections.abc import Container, Sequence
from typing import Any

from felt_dial.errors import FeltDialError
from felt_dial.patch.module import Effect, Modulator, Module
from felt_dial.patch.params import OutOfRange
from felt_dial.patch.parts import MOST_THREADS, RACK_MOST, WHERE, Send
from felt_dial.patch.patch import (
    BY_RATIO,
    LAYER_IDS,
    NO_LAYER,
    Inlet,
    Layer,
    Patch,
    Route,
    check_thread,
    contours,
    depth_of,
    depth_param,
    goes_both_ways,
    param_at,
    put,
    target_param,
    value_at,
)
from felt_dial.patch.routing import effect_name
from felt_dial.patch.sends import cannot_send, sends_to
from felt_dial.patch.units import Value


def _cut_loose(patch: Patch) -> Patch:
    """Without the threads whose start or end is gone; a thread may end on another that goes with it."""
    while True:
        kept = {}
        for key, thread in patch.threads.items():
            try:
                check_thread(patch, thread)
            except FeltDialError:
                continue
            kept[key] = thread
        if len(kept) == len(patch.threads):
            return patch
        patch = patch.model_copy(update={"threads": kept})


def _layers(patch: Patch, layers: dict[str, Layer]) -> Patch:
    """The patch with these layers, and no inlet from one that is gone."""
    kept = {}
    for key, layer in layers.items():
        inlets = {other: inlet for other, inlet in layer.inlets.items() if other in layers}
        kept[key] = layer if len(inlets) == len(layer.inlets) else layer.model_copy(update={"inlets": inlets})
    return put(patch, ["layers"], kept)


def _free(prefix: str, taken: Container[str]) -> str:
    n = 1
    while f"{prefix}{n}" in taken:
        n += 1
    return f"{prefix}{n}"


def _moved(items: dict[str, Any], key: str, to: int) -> dict[str, Any]:
    order = [k for k in items if k != key]
    order.insert(to, key)
    return {k: items[k] for k in order}


def add_layer(patch: Patch, layer: Layer) -> tuple[Patch, str]:
    """The patch with one more layer, and the new layer's id. Where layers stand in the order of their letters they still do."""
    if len(patch.layers) >= len(LAYER_IDS):
        raise OutOfRange(f"A patch holds {len(LAYER_IDS)} layers; remove one first.")
    key = next(k for k in LAYER_IDS if k not in patch.layers)
    if layer.contour not in patch.modulators:
        layer = layer.model_copy(update={"contour": next(k for k, m in patch.modulators.items() if m.shapes_levels)})
    layers = {**patch.layers, key: layer}
    if list(patch.layers) == sorted(patch.layers):
        layers = {k: layers[k] for k in sorted(layers)}
    return _layers(patch, layers), key


def add_layer_with_level(patch: Patch, layer: Layer, level: Modulator) -> tuple[Patch, str]:
    """As `add_layer`, with an envelope of its own over its level; where there is room for none, it shares one."""
    patch, key = add_layer(patch, layer)
    try:
        patch, own = add_modulator(patch, level)
    except OutOfRange:
        return patch, key
    return put(patch, ["layers", key, "contour"], own), key


def duplicate_layer(patch: Patch, key: str, own_movers: bool = False) -> tuple[Patch, str]:
    """The patch with a copy of a layer, its threads copied too, and the copy's id.

    With `own_movers` what shapes and moves the layer is copied as well, so that the copy is moved by itself. Raises
    `OutOfRange` where there is no room.
    """
    in_order = list(patch.layers) == sorted(patch.layers)
    patch, fresh = add_layer(patch, patch.layers[key])
    if not in_order:
        patch = move_layer(patch, fresh, list(patch.layers).index(key) + 1)
    start = f"layers.{key}."
    own = [thread for thread in patch.threads.values() if thread.target.startswith(start)]
    check_room(patch, len(own))
    for thread in own:
        copy = thread.model_copy(update={"target": f"layers.{fresh}." + thread.target.removeprefix(start)})
        patch = put(patch, ["threads"], {**patch.threads, _free("t", patch.threads): copy})
    return (_with_own_movers(patch, fresh), fresh) if own_movers else (patch, fresh)


def _with_own_movers(patch: Patch, layer: str) -> Patch:
    """The patch with copies of the modulators that shape or move a layer, which does not hang on the others any more."""
    at = f"layers.{layer}."
    own = {key: thread for key, thread in patch.threads.items() if thread.target.startswith(at)}
    asked = [patch.layers[layer].contour]
    for thread in own.values():
        asked += [mover for mover in (thread.source, thread.scaled) if mover in patch.modulators]
    copies: dict[str, str] = {}
    for mover in dict.fromkeys(asked):
        patch, copies[mover] = add_modulator(patch, patch.modulators[mover])
    patch = put(patch, ["layers", layer, "contour"], copies[asked[0]])
    threads = dict(patch.threads)
    for key, thread in own.items():
        ends = {"source": copies.get(thread.source, thread.source), "scaled": copies.get(thread.scaled, thread.scaled)}
        threads[key] = thread.model_copy(update=ends)
    for mover, copy in copies.items():  # what moves a mover moves its copy too
        for thread in patch.threads.values():
            if thread.target.startswith(f"modulators.{mover}."):
                target = f"modulators.{copy}." + thread.target.removeprefix(f"modulators.{mover}.")
                threads[_free("t", threads)] = thread.model_copy(update={"target": target})
    check_room(patch, len(threads) - len(patch.threads))
    return put(patch, ["threads"], threads)


def without_idle_modulators(patch: Patch) -> tuple[Patch, list[str]]:
    """The patch without the modulators that nothing hangs on, and their ids; those that a thread of no depth names stay."""
    gone: list[str] = []
    while True:
        used = set(contours(patch).values())
        used |= {mover for thread in patch.threads.values() for mover in (thread.source, thread.scaled)}
        used |= {getattr(modulator, field) for modulator in patch.modulators.values() for field in modulator.inputs}
        idle = [key for key in patch.modulators if key not in used]
        if not idle:
            return patch, gone
        for key in idle:
            patch = remove_modulator(patch, key)
        gone += idle


def remove_layer(patch: Patch, key: str) -> Patch:
    """The patch without a layer and its threads; the last layer stays."""
    if len(patch.layers) == 1:
        raise OutOfRange("A patch keeps at least one layer.")
    left = {k: _unswung(layer, key) for k, layer in patch.layers.items() if k != key}
    patch = put(patch, ["buses"], {k: _unswung(bus, key) for k, bus in patch.buses.items()})
    return _cut_loose(_layers(patch, left))


def _unswung(module: Any, key: str) -> Any:
    """A layer or bus whose cutoff is swung no more by a layer that is gone."""
    return module.model_copy(update={"swung": NO_LAYER}) if module.swung == key else module


def add_inlet(patch: Patch, key: str, other: str, index: float = 0.0) -> Patch:
    """The patch with layer `other` modulating layer `key`, by an index."""
    inlets = patch.layers[key].inlets
    if other not in patch.layers:
        raise OutOfRange(f"There is no layer {other.upper()}.")
    inlet = inlets.get(other, Inlet()).with_value("index", index)
    return put(patch, ["layers", key, "inlets"], {**inlets, other: inlet})


def remove_inlet(patch: Patch, key: str, other: str) -> Patch:
    """The patch without one layer modulating another."""
    inlets = {k: v for k, v in patch.layers[key].inlets.items() if k != other}
    return _cut_loose(put(patch, ["layers", key, "inlets"], inlets))


def add_send(patch: Patch, path: str, where: str, level: float | None = None) -> Patch:
    """The patch with a layer or a bus (`layers.a`, `buses.1`) sending to one more place, at a level in dB.

    Raises `OutOfRange` where it cannot go there.
    """
    family, key = path.split(".")
    part = getattr(patch, family)[key]
    if where not in sends_to(part):
        said = cannot_send(path, where)
        raise OutOfRange(f"{said[0].upper()}{said[1:]}.")
    send = part.sends.get(where, Send())
    return put(
        patch, [family, key, "sends"], {**part.sends, where: send if level is None else send.with_value("level", level)}
    )


def remove_send(patch: Patch, path: str, where: str) -> Patch:
    """The patch without one of the sends of a layer or a bus, and without the threads on it."""
    family, key = path.split(".")
    sends = {k: v for k, v in getattr(patch, family)[key].sends.items() if k != where}
    return _cut_loose(put(patch, [family, key, "sends"], sends))


def loops_back(patch: Patch, key: str, other: str) -> bool:
    """True where `other` modulating `key` closes a loop, so that it is heard a block late."""
    seen, ask = set(), [other]
    while ask:
        at = ask.pop()
        if at == key:
            return True
        if at not in seen:
            seen.add(at)
            ask += [near for near in patch.layers[at].inlets if near in patch.layers]
    return False


def move_layer(patch: Patch, key: str, to: int) -> Patch:
    """The patch with a layer at another place; its id stays."""
    return put(patch, ["layers"], _moved(patch.layers, key, to))


def _tray_order(pair: tuple[str, Modulator]) -> tuple[int, int]:
    """Modulators stand by kind, then by number."""
    return pair[1].order, int(pair[0][1:])


def add_modulator(patch: Patch, modulator: Modulator) -> tuple[Patch, str]:
    """The patch with one more modulator, and its id (`e3`, `l1` …)."""
    letter = modulator.tag.lower()
    key = _free(letter, patch.modulators)
    if int(key[1:]) > modulator.most:
        raise OutOfRange(f"A patch holds {modulator.most} of these; {letter.upper()}{modulator.most} is the last.")
    ordered = dict(sorted({**patch.modulators, key: modulator}.items(), key=_tray_order))
    return put(patch, ["modulators"], ordered), key


def remove_modulator(patch: Patch, key: str) -> Patch:
    """The patch without a modulator and its threads; one that shapes a layer's level stays."""
    for path, contour in contours(patch).items():
        if contour == key:
            what, name = path.split(".")
            whose = f"layer {name.upper()}" if what == "layers" else f"bus {name}"
            raise OutOfRange(f"{key.upper()} shapes the level of {whose}; give that another first.")
    for other, modulator in patch.modulators.items():
        if key in [getattr(modulator, field) for field in modulator.inputs]:
            raise OutOfRange(f"{other.upper()} is made of {key.upper()}; give it another first.")
    scaled = {k: t.model_copy(update={"scaled": ""}) for k, t in patch.threads.items() if t.scaled == key}
    patch = put(patch, ["threads"], {**patch.threads, **scaled}) if scaled else patch
    return _cut_loose(put(patch, ["modulators"], {k: v for k, v in patch.modulators.items() if k != key}))


def add_effect(patch: Patch, rack: str, effect: Effect) -> tuple[Patch, str]:
    """The patch with an effect at the end of a rack, and its id (`delay1` …)."""
    effects = patch.racks[rack]
    if len(effects) >= RACK_MOST:
        raise OutOfRange("A rack holds twelve effects; remove one first.")
    key = _free(str(effect.kind), effects)
    return put(patch, ["racks", rack], {**effects, key: effect}), key


def add_effects(patch: Patch, rack: str, effects: Sequence[Effect]) -> tuple[Patch, list[str]]:
    """The patch with effects at the end of a rack, all of them or (`OutOfRange`) none; and their ids."""
    room = RACK_MOST - len(patch.racks[rack])
    if len(effects) > max(room, 1):
        holds = f"{room} more" if room else "no more"
        raise OutOfRange(f"These are {len(effects)} effects, and rack {rack} takes {holds}. None was added.")
    keys = []
    for effect in effects:
        patch, key = add_effect(patch, rack, effect)
        keys.append(key)
    return patch, keys


def remove_effects(patch: Patch, rack: str, keys: Container[str]) -> Patch:
    """The patch without some effects of a rack and their threads."""
    return _cut_loose(put(patch, ["racks", rack], {k: v for k, v in patch.racks[rack].items() if k not in keys}))


def remove_effect(patch: Patch, rack: str, key: str) -> Patch:
    """The patch without an effect and its threads."""
    return remove_effects(patch, rack, [key])


def move_effect(patch: Patch, rack: str, key: str, to: int) -> Patch:
    """The patch with an effect at another place in its rack."""
    return put(patch, ["racks", rack], _moved(patch.racks[rack], key, to))


def move_to_rack(patch: Patch, rack: str, key: str, other: str, to: int) -> tuple[Patch, str]:
    """The patch with an effect at a place of another rack, its threads with it; and its id there."""
    effect = patch.racks[rack][key]
    if len(patch.racks[other]) >= RACK_MOST:
        raise OutOfRange("A rack holds twelve effects; remove one first.")
    fresh = key if key not in patch.racks[other] else _free(str(effect.kind), patch.racks[other])
    before, after = f"racks.{rack}.{key}.", f"racks.{other}.{fresh}."
    threads = {
        k: t.model_copy(update={"target": after + t.target.removeprefix(before)}) if t.target.startswith(before) else t
        for k, t in patch.threads.items()
    }
    left = {k: v for k, v in patch.racks[rack].items() if k != key}
    moved = _moved({**patch.racks[other], fresh: effect}, fresh, to)
    racks = {**patch.racks, rack: left, other: moved}
    return patch.model_copy(update={"racks": racks, "threads": threads}), fresh


def replace_module(patch: Patch, path: str, module: Module) -> Patch:
    """The patch with another module at a path, such as another source of a layer."""
    return _cut_loose(put(patch, path.split("."), module))


def sew(
    patch: Patch, source: str, target: str, depth: float | None = None, by: str = BY_RATIO, reading: str | None = None
) -> tuple[Patch, str]:
    """The patch with a thread from `source` to `target`, and the thread's id; it reads its mover as suits it.

    A thread that is already there is kept and only its depth changes. Without a depth the thread
    starts with none, so that nothing jumps. Raises `NoSuchPath` or `OutOfRange`.
    """
    for key, thread in patch.threads.items():
        if (thread.source, thread.target) == (source, target):
            return (patch if depth is None else set_thread(patch, key, depth=depth, by=by)), key
    limits = depth_param(target_param(patch, target), by)
    thread = Route(
        source=source,
        target=target,
        by=by,
        depth=float(limits.encode(limits.default)) if depth is None else depth,
        reading=reading or ("both ways" if _swings(patch, source) else "one way"),
    )
    check_thread(patch, thread)
    check_room(patch, 1)
    key = _free("t", patch.threads)
    return put(patch, ["threads"], {**patch.threads, key: thread}), key


def _swings(patch: Patch, source: str) -> bool:
    """Whether a mover goes to both sides of a middle, again and again."""
    return patch.modulators[source].swings() if source in patch.modulators else goes_both_ways(patch, source)


def check_room(patch: Patch, more: int) -> None:
    """Raises `OutOfRange` where a patch has no room for so many more threads."""
    if len(patch.threads) + more > MOST_THREADS:
        raise OutOfRange(f"A patch holds {MOST_THREADS} threads; cut one first.")


def set_thread(patch: Patch, key: str, **changes: object) -> Patch:
    """The patch with fields of a thread changed; a depth that means nothing on another dial starts anew.

    Raises `NoSuchPath` or `OutOfRange`.
    """
    before = patch.threads[key]
    thread = before.model_copy(update=changes)
    limits = depth_of(patch, thread)
    if "depth" not in changes and limits.schema() != depth_of(patch, before).schema():
        thread = thread.model_copy(update={"depth": float(limits.encode(limits.default))})
    fresh = put(patch, ["threads", key], thread)
    check_thread(fresh, thread)
    return _cut_loose(fresh)


def move_thread(patch: Patch, key: str, before: str) -> Patch:
    """The patch with a thread listed right before another."""
    return put(patch, ["threads"], _moved(patch.threads, key, [k for k in patch.threads if k != key].index(before)))


def cut(patch: Patch, key: str) -> Patch:
    """The patch without one thread."""
    return _cut_loose(put(patch, ["threads"], {k: v for k, v in patch.threads.items() if k != key}))


def threads_on(patch: Patch, path: str) -> dict[str, Route]:
    """The threads that move the parameter at `path`."""
    return {key: thread for key, thread in patch.threads.items() if thread.target == path}


def threads_from(patch: Patch, source: str) -> dict[str, Route]:
    """The threads that start at a modulator, macro or player source."""
    return {key: thread for key, thread in patch.threads.items() if thread.source == source}


def default_at(patch: Patch, path: str) -> Value:
    """Where a dial goes back to: the default of its parameter, or the one that a macro was given."""
    steps = path.split(".")
    if steps[0] == "macros" and len(steps) == 2:
        return patch.macros[steps[1]].number("default")
    return param_at(patch, path).default


def shake(patch: Patch, source: str, strength: float, seed: int) -> Patch:
    """The patch with other depths on all threads of a mover, by chance.

    Every dial is sent to a place within `strength` (0–1, of its whole way) around where it stands, so that no thread
    runs into an end.
    """
    lots = random.Random(seed)
    for key, thread in threads_from(patch, source).items():
        param = target_param(patch, thread.target)
        base = param.resolve(value_at(patch, thread.target), float(patch.tempo))
        place = min(max(param.position(base) + strength * lots.uniform(-1.0, 1.0), 0.0), 1.0)
        end = float(param.encode(param.at(place)))
        if param.unit.geometric and thread.by == BY_RATIO:
            octaves = math.log2(end / base)
            depth = 2.0**octaves if depth_of(patch, thread).unit.name == "a factor" else 12.0 * octaves
        else:
            depth = end - base
        limits = depth_of(patch, thread)
        patch = set_thread(patch, key, depth=min(max(depth, limits.low), limits.high))
    return patch


def beside(steps: list[str]) -> str:
    """What tells a dial of a layer or a bus from another of the same name, by the steps of its path."""
    if steps[2] == "inlets":
        return f" from {steps[3].upper()}"
    return f" to {WHERE[steps[3]].lower()}" if steps[2] == "sends" else ""


def place_name(patch: Patch, path: str) -> tuple[str, str]:
    """Where a parameter is and what it is called: `("A", "Cutoff")`, `("Delay", "Wet")`."""
    steps = path.split(".")
    label = (target_param if steps[0] == "threads" else param_at)(patch, path).label
    if steps[0] == "layers":
        return steps[1].upper(), f"{label}{beside(steps)}"
    if steps[0] == "buses":
        return f"Bus {steps[1]}", f"{label}, after" if steps[2] == "after" else f"{label}{beside(steps)}"
    if steps[0] == "modulators":
        return steps[1].upper(), label
    if steps[0] == "racks":
        return effect_name(patch, steps[1], steps[2]), label
    if steps[0] == "macros":
        return steps[1].upper(), patch.macros[steps[1]].name or f"Macro {steps[1][1:]}"
    if steps[0] == "threads":
        thread = patch.threads[steps[1]]
        where, label = place_name(patch, thread.target)
        return f"{thread.source.upper()} on {where}", label
    return "Patch", label
