"""Routing: where layers, buses and racks go and send to, and how that is said."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from felt_dial.patch.parts import WHERE, Bus, Send
from felt_dial.patch.patch import Patch
from felt_dial.patch.sends import goes_to


def effect_name(patch: Patch, rack: str, key: str) -> str:
    """What an effect is called: `Delay`, or `Delay 2` where both racks hold several of its kind, counted from rack 1 on."""
    effect = patch.racks[rack][key]
    alike = [(r, k) for r, effects in patch.racks.items() for k, e in effects.items() if type(e) is type(effect)]
    return effect.title if len(alike) == 1 else f"{effect.title} {alike.index((rack, key)) + 1}"


def bus_layers(patch: Patch, bus: str) -> list[str]:
    """Layers that go through a bus, straight or by way of another."""
    before = [other for other, module in patch.buses.items() if goes_to(module, f"bus{bus}")]
    found = [key for key, layer in patch.layers.items() if goes_to(layer, f"bus{bus}")]
    for other in before:
        found += [key for key in bus_layers(patch, other) if key not in found]
    return found


def inputs_of(patch: Patch, where: str) -> list[str]:
    """What goes to a bus, a rack or the output (`bus1`, `rack`, `direct` …): layers by letter, buses by name, in order."""
    found = [key.upper() for key, layer in patch.layers.items() if goes_to(layer, where)]
    return found + [f"Bus {key}" for key, bus in patch.buses.items() if goes_to(bus, where) and bus_layers(patch, key)]


def bus_words(bus: Bus) -> str:
    """What a bus does to the sound, in the order in which it does."""
    steps = [f"{part.gist()} drive" if name != "filter" else part.gist() for name, part in _steps(bus) if part.on]
    return ", ".join(steps) or "nothing yet"


def _steps(bus: Bus) -> Iterator[tuple[str, Any]]:
    yield "drive", bus.drive
    yield "filter", bus.filter
    yield "after", bus.after


def place_words(patch: Patch, where: str) -> str:
    """What is done to the sound at a place, in a few words."""
    if where.startswith("bus"):
        return bus_words(patch.buses[where[3:]])
    rack = {"rack": "1", "rack2": "2"}.get(where)
    return (", ".join(_rack_titles(patch, rack)).lower() or "empty") if rack else "to the output, through no rack"


def _rack_titles(patch: Patch, rack: str) -> list[str]:
    return [effect_name(patch, rack, key) for key, effect in patch.racks[rack].items() if effect.get("on")]


def _to(where: str) -> str:
    return WHERE[where].lower() if where != "direct" else "output"


def _loud(send: Send) -> str:
    return send.params["level"].write(send.get("level"))


def words(patch: Patch) -> str:
    """The way of the sound, read out."""
    titles = {rack: _rack_titles(patch, rack) for rack in patch.racks}
    said = []
    for where in WHERE:
        here = [key.upper() for key, layer in patch.layers.items() if layer.out == where]
        alone = [key for key in here if where == "none" and not patch.layers[key.lower()].sends]
        if where == "none" and alone:
            said.append(f"{' '.join(alone)} modulates only")
        elif where != "none" and here:
            said.append(f"{' '.join(here)} → {_to(where)}")
    for where in WHERE:
        if here := [
            f"{key.upper()} at {_loud(layer.sends[where])}"
            for key, layer in patch.layers.items()
            if where in layer.sends
        ]:
            said.append(f"{', '.join(here)} also → {_to(where)}")
    for key, bus in patch.buses.items():
        if bus_layers(patch, key):
            also = "".join(f", also → {_to(where)} at {_loud(send)}" for where, send in bus.sends.items())
            said.append(f"bus {key} ({bus_words(bus)}) → {_to(str(bus.out))}{also}")
    if inputs_of(patch, "rack2"):
        joins = "rack 1" if patch.rack2 == "rack" else "output"
        said.append(f"rack 2 ({', '.join(titles['2']) or 'empty'}) → {joins}")
    said.append(f"rack 1 ({', '.join(titles['1']) or 'empty'}) → output")
    return " · ".join(said)
