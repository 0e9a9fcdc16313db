"""Edits of a patch: functions from a patch to a patch."""

from __future__ import annotations

from typing import Any

from felt_dial.errors import FeltDialError
from felt_dial.patch.module import Effect, Modulator, Module
from felt_dial.patch.params import OutOfRange, Param
from felt_dial.patch.patch import (
    LAYER_IDS,
    Inlet,
    Layer,
    Patch,
    Thread,
    check_thread,
    depth_param,
    put,
    target_param,
    value_at,
)


def _cut_loose(patch: Patch) -> Patch:
    """Without the threads whose start or end is gone."""
    kept = {}
    for key, thread in patch.threads.items():
        try:
            check_thread(patch, thread)
        except FeltDialError:
            continue
        kept[key] = thread
    return patch if len(kept) == len(patch.threads) else patch.model_copy(update={"threads": kept})


def _layers(patch: Patch, layers: dict[str, Layer]) -> Patch:
    """The patch with these layers, and no inlet from one that is gone."""
    kept = {}
    for key, layer in layers.items():
        inlets = {other: inlet for other, inlet in layer.inlets.items() if other in layers}
        kept[key] = layer if len(inlets) == len(layer.inlets) else layer.model_copy(update={"inlets": inlets})
    return put(patch, ["layers"], kept)  # type: ignore[no-any-return]


def _free(prefix: str, taken: object) -> str:
    n = 1
    while f"{prefix}{n}" in taken:  # type: ignore[operator]
        n += 1
    return f"{prefix}{n}"


def _moved(items: dict[str, Any], key: str, to: int) -> dict[str, Any]:
    order = [k for k in items if k != key]
    order.insert(to, key)
    return {k: items[k] for k in order}


def add_layer(patch: Patch, layer: Layer) -> tuple[Patch, str]:
    """The patch with one more layer, and the new layer's id."""
    if len(patch.layers) >= len(LAYER_IDS):
        raise OutOfRange(f"A patch holds {len(LAYER_IDS)} layers; remove one first.")
    key = next(k for k in LAYER_IDS if k not in patch.layers)
    if layer.contour not in patch.modulators:
        layer = layer.model_copy(update={"contour": next(k for k in patch.modulators if k.startswith("e"))})
    return _layers(patch, {**patch.layers, key: layer}), key


def duplicate_layer(patch: Patch, key: str) -> tuple[Patch, str]:
    """The patch with a copy of a layer after it, its threads copied too, and the copy's id."""
    patch, fresh = add_layer(patch, patch.layers[key])
    at = list(patch.layers).index(key) + 1
    patch = move_layer(patch, fresh, at)
    for thread in list(patch.threads.values()):
        start = f"layers.{key}."
        if thread.target.startswith(start):
            copy = thread.model_copy(update={"target": f"layers.{fresh}." + thread.target.removeprefix(start)})
            patch = put(patch, ["threads"], {**patch.threads, _free("t", patch.threads): copy})
    return patch, fresh


def remove_layer(patch: Patch, key: str) -> Patch:
    """The patch without a layer and its threads; the last layer stays."""
    if len(patch.layers) == 1:
        raise OutOfRange("A patch keeps at least one layer.")
    return _cut_loose(_layers(patch, {k: v for k, v in patch.layers.items() if k != key}))


def add_inlet(patch: Patch, key: str, other: str, index: float = 0.0) -> Patch:
    """The patch with layer `other` modulating layer `key`, by an index."""
    inlets = patch.layers[key].inlets
    if other not in patch.layers:
        raise OutOfRange(f"There is no layer {other.upper()}.")
    inlet = inlets.get(other, Inlet()).with_value("index", index)
    return put(patch, ["layers", key, "inlets"], {**inlets, other: inlet})  # type: ignore[no-any-return]


def remove_inlet(patch: Patch, key: str, other: str) -> Patch:
    """The patch without one layer modulating another."""
    inlets = {k: v for k, v in patch.layers[key].inlets.items() if k != other}
    return _cut_loose(put(patch, ["layers", key, "inlets"], inlets))


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
    return put(patch, ["layers"], _moved(patch.layers, key, to))  # type: ignore[no-any-return]


def add_modulator(patch: Patch, modulator: Modulator) -> tuple[Patch, str]:
    """The patch with one more modulator, and its id (`e3`, `l1` …)."""
    letter = modulator.tag.lower()
    key = _free(letter, patch.modulators)
    if int(key[1:]) > 8:
        raise OutOfRange(f"A patch holds eight of these; {letter.upper()}8 is the last.")
    ordered = dict(sorted({**patch.modulators, key: modulator}.items(), key=lambda kv: (kv[0][0], int(kv[0][1:]))))
    return put(patch, ["modulators"], ordered), key


def remove_modulator(patch: Patch, key: str) -> Patch:
    """The patch without a modulator and its threads; one that shapes a layer's level stays."""
    for name, layer in patch.layers.items():
        if layer.contour == key:
            raise OutOfRange(f"{key.upper()} shapes the level of layer {name.upper()}; give that another first.")
    return _cut_loose(put(patch, ["modulators"], {k: v for k, v in patch.modulators.items() if k != key}))


def add_effect(patch: Patch, rack: str, effect: Effect) -> tuple[Patch, str]:
    """The patch with an effect at the end of a rack, and its id (`delay1` …)."""
    effects = patch.racks[rack]
    if len(effects) >= 12:
        raise OutOfRange("A rack holds twelve effects; remove one first.")
    key = _free(str(effect.kind), effects)  # type: ignore[attr-defined]
    return put(patch, ["racks", rack], {**effects, key: effect}), key


def remove_effect(patch: Patch, rack: str, key: str) -> Patch:
    """The patch without an effect and its threads."""
    return _cut_loose(put(patch, ["racks", rack], {k: v for k, v in patch.racks[rack].items() if k != key}))


def move_effect(patch: Patch, rack: str, key: str, to: int) -> Patch:
    """The patch with an effect at another place in its rack."""
    return put(patch, ["racks", rack], _moved(patch.racks[rack], key, to))  # type: ignore[no-any-return]


def replace_module(patch: Patch, path: str, module: Module) -> Patch:
    """The patch with another module at a path, such as another source of a layer."""
    return _cut_loose(put(patch, path.split("."), module))


def sew(patch: Patch, source: str, target: str, depth: float | None = None) -> tuple[Patch, str]:
    """The patch with a thread from `source` to `target`, and the thread's id.

    A thread that is already there is kept and only its depth changes. Without a depth the thread
    starts with none, so that nothing jumps. Raises `NoSuchPath` or `OutOfRange`.
    """
    for key, thread in patch.threads.items():
        if (thread.source, thread.target) == (source, target):
            return (patch if depth is None else put(patch, ["threads", key, "depth"], depth)), key
    limits = depth_param(target_param(patch, target))
    both = source in patch.modulators and patch.modulators[source].both_ways
    thread = Thread(
        source=source,
        target=target,
        depth=float(limits.encode(limits.default)) if depth is None else depth,
        reading="both ways" if both else "one way",
    )
    check_thread(patch, thread)
    key = _free("t", patch.threads)
    return put(patch, ["threads"], {**patch.threads, key: thread}), key


def cut(patch: Patch, key: str) -> Patch:
    """The patch without one thread."""
    return put(patch, ["threads"], {k: v for k, v in patch.threads.items() if k != key})  # type: ignore[no-any-return]


def threads_on(patch: Patch, path: str) -> dict[str, Thread]:
    """The threads that move the parameter at `path`."""
    return {key: thread for key, thread in patch.threads.items() if thread.target == path}


def threads_from(patch: Patch, source: str) -> dict[str, Thread]:
    """The threads that start at a modulator, macro or player source."""
    return {key: thread for key, thread in patch.threads.items() if thread.source == source}


def moves_something(patch: Patch, source: str) -> bool:
    """True where a mover has an effect: a thread with a depth, or a layer's level."""
    if any(layer.contour == source for layer in patch.layers.values()):
        return True
    for thread in threads_from(patch, source).values():
        param = target_param(patch, thread.target)
        if thread.on and param.unit.depth and param_amount(param, thread.depth) != 0.0:
            return True
    return False


def param_amount(param: Param, depth: float) -> float:
    """A depth as the engine adds it: octaves on geometric units, the unit itself elsewhere."""
    return param.unit.amount(depth) if param.unit.geometric else depth


def reach(patch: Patch, thread: Thread) -> tuple[float, float, bool]:
    """Where a thread alone takes its dial: from, to, and whether an end of the range stops it."""
    param = target_param(patch, thread.target)
    base = param.resolve(value_at(patch, thread.target), float(patch.tempo))
    amount = param_amount(param, thread.depth)
    return _reach(param, base, *((-amount, amount) if thread.reading == "both ways" else (0.0, amount)))


def reach_of_all(patch: Patch, path: str) -> tuple[float, float, bool]:
    """Where all threads on a dial take it together: lowest, highest, and whether an end stops it."""
    param = target_param(patch, path)
    base = param.resolve(value_at(patch, path), float(patch.tempo))
    low = high = 0.0
    for thread in threads_on(patch, path).values():
        if not thread.on:
            continue
        amount = param_amount(param, thread.depth)
        low += min(amount, 0.0) if thread.reading == "one way" else -abs(amount)
        high += max(amount, 0.0) if thread.reading == "one way" else abs(amount)
    return _reach(param, base, low, high)


def _reach(param: Param, base: float, first: float, last: float) -> tuple[float, float, bool]:
    ends = []
    stopped = False
    for amount in (first, last):
        free = base * 2.0**amount if param.unit.geometric else base + amount
        stopped |= free < param.low * (1 - 1e-9) - 1e-9 or free > param.high * (1 + 1e-9) + 1e-9
        ends.append(param.moved(base, amount))
    return ends[0], ends[1], stopped


def place_name(patch: Patch, path: str) -> tuple[str, str]:
    """Where a parameter is and what it is called: `("A", "Cutoff")`, `("Delay", "Wet")`."""
    steps = path.split(".")
    label = target_param(patch, path).label
    if steps[0] == "layers":
        return steps[1].upper(), f"{label} from {steps[3].upper()}" if steps[2] == "inlets" else label
    if steps[0] == "modulators":
        return steps[1].upper(), label
    if steps[0] == "racks":
        return patch.racks[steps[1]][steps[2]].title, label
    return "Patch", label
