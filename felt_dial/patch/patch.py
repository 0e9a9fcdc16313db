"""The patch: one sound as a value, with every parameter reachable by its path."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from datetime import date
from typing import Any, NamedTuple, Self, TypeVar, cast

from pydantic import Field, SerializeAsAny, field_validator, model_validator

from felt_dial.errors import FeltDialError, cut
from felt_dial.patch.drawn import Drawn, Rows
from felt_dial.patch.module import AnyEffect, AnyModulator, Filter, Modulator, Module
from felt_dial.patch.params import CUBIC, LOG, Choice, Param, Parameter
from felt_dial.patch.parts import (
    BUSES,
    BY_AMOUNT,
    BY_RATIO,
    KINDS,
    LAYER_IDS,
    MACRO_IDS,
    MOST_THREADS,
    NO_LAYER,
    RACK_MOST,
    Bus,
    Inlet,
    Layer,
    Macro,
    NoSuchPath,
    Route,
    depth_param,
    fixed_param,
    read_depth,
)
from felt_dial.patch.pattern import Pattern
from felt_dial.patch.phrase import Phrase
from felt_dial.patch.player import PLAYER_SOURCES
from felt_dial.patch.sends import check_sends
from felt_dial.patch.tuning import Tuning
from felt_dial.patch.units import CENTS, COUNT, DECIBELS, HERTZ, KEY, SECONDS, SEMITONES, TEMPO, Value


class Slot(NamedTuple):
    """One parameter of a patch: its path, its declaration, and the value it has now."""

    path: str
    param: Parameter
    value: Value


def depth_of(patch: Patch, thread: Route) -> Param:
    """The declaration of a thread's depth; raises `NoSuchPath`."""
    return depth_param(target_param(patch, thread.target), str(thread.by))


def three_buses(given: dict[str, Any]) -> dict[str, Bus]:
    """Every bus, those that are given among them."""
    found = {}
    for key, kind in BUSES.items():
        bus = given.get(key, {})
        if isinstance(bus, dict):
            bus = kind.model_validate({"filter": Filter.kinds["state_variable"]()} | bus)
        found[key] = bus
    return found


ID = re.compile(r"[a-z][a-z0-9_]{0,31}", re.ASCII)
"""What layers, modulators, effects and threads may be called in a document."""
NOT_SOUND = (
    "name", "character", "description", "author", "licence", "favourite", "parent", "notes", "unnamed", "mark", "made",
)  # fmt: skip
"""Fields of a patch that nobody hears."""
MARKS = ("madder", "weld", "woad", "lichen", "mallow", "walnut")
"""Colours that a preset can be marked with."""
ABOUT = (*NOT_SOUND, "type", "phrase")
"""Fields that say what a patch is, which are changed on the shelf as well."""


class Patch(Module):
    """A whole sound."""

    tempo = Param("Tempo", 120.0, (20.0, 999.0), TEMPO, movable=False, says="Beats per minute.")
    level = Param("Output", 0.0, (-60.0, 12.0), DECIBELS, movable=False, says="How loud the whole patch is.")
    transpose = Param(
        "Transpose", 0.0, (-48.0, 48.0), SEMITONES, says="Pitch of everything that is played, in semitones."
    )
    fine = Param("Fine", 0.0, (-100.0, 100.0), CENTS, says="Pitch of everything that is played, in cents.")
    voices = Param("Voices", 16, (1, 32), COUNT, whole=True, movable=False, says="How many notes may sound at once.")
    bend = Param("Bend range", 2.0, (0.0, 24.0), SEMITONES, movable=False, says="How far the bend wheel reaches.")
    note_bend = fixed_param("Note bend", 48.0, (0.0, 96.0), SEMITONES, "How far the bend of a single note reaches.")
    grains = fixed_param(
        "Grains", 512, (8, 2048), COUNT, "How many grains may sound at once in the whole patch.", whole=True
    )
    play = Choice(
        "Play",
        "poly",
        {"poly": "Poly", "mono": "Mono", "legato": "Mono legato"},
        says="Many notes; one that begins anew with each key; or one that goes on while keys overlap.",
    )
    priority = Choice(
        "Priority",
        "last",
        {"last": "Last", "low": "Lowest", "high": "Highest"},
        says="Which of several held keys sounds in the mono modes.",
    )
    glide = fixed_param("Glide", 0.0, (0.0, 10.0), SECONDS, "Time from the pitch of the note before.", taper=CUBIC)
    glide_when = Choice(
        "Glides",
        "always",
        {"always": "Always", "legato": "Legato"},
        says="At every note, or only while another key is held.",
    )
    glide_by = Choice(
        "Glide is",
        "time",
        {"time": "a time", "rate": "per octave"},
        says="The same time for every interval, or that time for each octave.",
    )
    rack2 = Choice(
        "Rack 2 goes to",
        "rack",
        {"rack": "Rack 1", "out": "Output"},
        says="Rack 2 joins rack 1 at its beginning, or goes to the output.",
    )
    key_centre = fixed_param("Key centre", 60, (0, 127), KEY, "The key at which Key moves nothing.", whole=True)
    age = fixed_param("Age", 10.0, (0.1, 120.0), SECONDS, "How long a note sounds until Age is full.", taper=CUBIC)
    note_cycle = fixed_param(
        "Note cycle", 8, (2, 64), COUNT, "After how many notes Note number begins again.", whole=True
    )
    seed = fixed_param(
        "Chance seed", 1, (1, 999), COUNT, "Another number, other chances: the same every time.", whole=True
    )
    reference = fixed_param("Reference", 440.0, (220.0, 880.0), HERTZ, "Frequency of the key A4.", taper=LOG)

    name: str = "Untitled"
    type: str = ""
    character: tuple[str, ...] = ()
    description: str = ""
    author: str = ""
    licence: str = Field(default="", max_length=400, exclude_if=lambda licence: not licence)
    """Under what terms it may be used and passed on; empty where its bank says that."""
    favourite: bool = False
    parent: str = Field(default="", max_length=200, exclude_if=lambda parent: not parent)
    """The name of the sound that it was grown from."""
    notes: str = Field(default="", max_length=4000, exclude_if=lambda notes: not notes)
    """What its maker notes for themselves."""
    unnamed: bool = Field(default=False, exclude_if=lambda unnamed: not unnamed)
    """True while its name is one that was made up for it."""
    mark: str = Field(default="", pattern=f"^({'|'.join(MARKS)})?$", exclude_if=lambda mark: not mark)
    """A colour that its maker marks it with."""
    made: date | None = Field(default=None, exclude_if=lambda made: made is None)
    """The day on which it was first kept."""
    phrase: Phrase | None = Field(default=None, exclude_if=lambda phrase: phrase is None)
    """The phrase that it is best heard with; None is that of its kind."""
    tuning: Tuning | None = None
    layers: dict[str, Layer] = {}
    buses: dict[str, SerializeAsAny[Bus]] = Field(default_factory=lambda: three_buses({}))
    modulators: dict[str, AnyModulator] = {}
    macros: dict[str, Macro] = Field(default_factory=lambda: {m: Macro() for m in MACRO_IDS})
    racks: dict[str, dict[str, AnyEffect]] = {"1": {}, "2": {}}
    threads: dict[str, Route] = {}
    pattern: Pattern = Pattern()

    def __eq__(self, other: object) -> bool:
        """Equal in everything, the order of layers, effects and threads included."""
        if not isinstance(other, Patch) or not super().__eq__(other):
            return False
        orders = [(list(p.layers), list(p.threads), [list(rack) for rack in p.racks.values()]) for p in (self, other)]
        return orders[0] == orders[1]

    @field_validator("buses", mode="before")
    @classmethod
    def _three_buses(cls, given: Any) -> Any:
        """A document of before the buses, or with some of them, has all three."""
        if not isinstance(given, dict):
            return given
        unknown = sorted(set(given) - set(BUSES))
        if unknown:
            raise ValueError(f"there are buses 1, 2 and 3, and no {unknown[0]!r}")
        return three_buses(given)

    @model_validator(mode="before")
    @classmethod
    def _both_racks(cls, data: Any) -> Any:
        """A document of before rack 2 has an empty one."""
        if isinstance(data, dict) and isinstance(data.get("racks"), dict):
            unknown = sorted(set(data["racks"]) - {"1", "2"})
            if unknown:
                raise ValueError(f"racks: there are racks 1 and 2, and no {unknown[0]!r}")
            return {**data, "racks": {"1": {}, "2": {}} | data["racks"]}
        return data

    @model_validator(mode="after")
    def _whole(self) -> Self:
        ids: dict[str, Iterable[str]] = {f"racks.{rack}": effects for rack, effects in self.racks.items()}
        ids |= {"layers": self.layers, "modulators": self.modulators, "threads": self.threads}
        for where, named in ids.items():
            for key in named:
                if not ID.fullmatch(key):
                    raise ValueError(
                        f"{where}: “{cut(key, 20)}” is no id: a small letter, then up to 31 letters or digits"
                    )
        if not 1 <= len(self.layers) <= len(LAYER_IDS):
            raise ValueError(f"a patch has 1 to {len(LAYER_IDS)} layers, not {len(self.layers)}")
        if set(self.macros) != set(MACRO_IDS):
            raise ValueError("a patch has the macros m1 to m8")
        for key, layer in self.layers.items():
            check_contour(f"layers.{key}", layer.contour, self.modulators)
            for other in layer.inlets:
                if other not in self.layers:
                    raise ValueError(f"layers.{key}.inlets: there is no layer {other!r}")
            check_sends(f"layers.{key}", layer)
        for key, bus in self.buses.items():
            check_sends(f"buses.{key}", bus)
            if bus.contour:
                check_contour(f"buses.{key}", bus.contour, self.modulators)
        for key, modulator in self.modulators.items():
            for name in modulator.inputs:
                wanted = getattr(modulator, name)
                if wanted and wanted not in movers(self) and wanted not in modulator.places(self.layers):
                    raise ValueError(f"modulators.{key}.{name}: nothing is called {wanted!r}")
        if len(self.threads) > MOST_THREADS:
            raise ValueError(f"threads: a patch has at most {MOST_THREADS} threads, not {len(self.threads)}")
        for rack, effects in self.racks.items():
            if len(effects) > RACK_MOST:
                raise ValueError(f"racks.{rack}: a rack holds at most {RACK_MOST} effects, not {len(effects)}")
        for kind in {type(modulator) for modulator in self.modulators.values()}:
            count = sum(type(modulator) is kind for modulator in self.modulators.values())
            if count > kind.most:
                raise ValueError(f"modulators: a patch has at most {kind.most} of {kind.title}, not {count}")
        for key, thread in self.threads.items():
            try:
                check_thread(self, thread)
            except FeltDialError as wrong:
                raise ValueError(f"threads.{key}: {wrong}") from None
        return self


def modules(patch: Patch) -> Iterator[tuple[str, Module]]:
    """Every module of the patch with the path that leads to it, in the engine's order."""
    yield "", patch
    for key, layer in patch.layers.items():
        yield f"layers.{key}", layer
        yield f"layers.{key}.source", layer.source
        yield f"layers.{key}.drive", layer.drive
        yield f"layers.{key}.filter", layer.filter
        for other, inlet in layer.inlets.items():
            yield f"layers.{key}.inlets.{other}", inlet
        for where, send in layer.sends.items():
            yield f"layers.{key}.sends.{where}", send
    for key, bus in patch.buses.items():
        yield f"buses.{key}", bus
        yield f"buses.{key}.drive", bus.drive
        yield f"buses.{key}.filter", bus.filter
        yield f"buses.{key}.after", bus.after
        for where, send in bus.sends.items():
            yield f"buses.{key}.sends.{where}", send
    for key, modulator in patch.modulators.items():
        yield f"modulators.{key}", modulator
    for key, macro in patch.macros.items():
        yield f"macros.{key}", macro
    for rack, effects in patch.racks.items():
        for key, effect in effects.items():
            yield f"racks.{rack}.{key}", effect
    for key, thread in patch.threads.items():
        yield f"threads.{key}", thread
    yield "pattern", patch.pattern


def sounding(patch: Patch) -> list[str]:
    """Paths of everything that works on the sound, in the engine's order: layers, buses, racks."""
    found = [f"layers.{key}.{part}" for key in patch.layers for part in ("source", "drive", "filter")]
    found += [f"buses.{key}.{part}" for key in patch.buses for part in ("drive", "filter", "after")]
    return found + [f"racks.{rack}.{key}" for rack, effects in patch.racks.items() for key in effects]


def audio_rate_modulators(patch: Patch, key: str) -> list[str]:
    """Layers whose sound moves another at audio rate: its phase, its cutoff, or that of a bus it may go through."""
    layer = patch.layers[key]
    swinging = [str(layer.swung), *(str(bus.swung) for bus in patch.buses.values())]
    return [other for other in (*layer.inlets, *swinging) if other in patch.layers and other != key]


def path_of(prefix: str, module: Module, name: str) -> str:
    """Path of a parameter; the value of a macro goes by the macro's own path."""
    if isinstance(module, Macro) and name == "value":
        return prefix
    return f"{prefix}.{name}" if prefix else name


def slots(patch: Patch) -> Iterator[Slot]:
    """Every parameter of the patch, in the order in which the engine keeps their values."""
    for prefix, module in modules(patch):
        for name, param in module.params.items():
            yield Slot(path_of(prefix, module, name), param, module.get(name))
        if isinstance(module, Route):
            yield Slot(f"{prefix}.depth", depth_of(patch, module), module.depth)


class Drawing(NamedTuple):
    """One drawing of a patch: its path, its declaration, and what is drawn now."""

    path: str
    drawn: Drawn
    value: tuple[tuple[float, ...], ...]


def drawings(patch: Patch) -> Iterator[Drawing]:
    """Every drawing of the patch, in the order in which the engine keeps them behind the values."""
    for prefix, module in modules(patch):
        for name, drawn in module.drawings.items():
            yield Drawing(path_of(prefix, module, name), drawn, getattr(module, name))


def outline(patch: Patch) -> tuple[Any, ...]:
    """Which modules a patch has, and in what order: what a page is laid out for.

    Threads come and go without it, and what is turned or drawn by hand stays under the hand.
    """
    return tuple(
        (prefix, type(module).__name__, own_outline(module))
        for prefix, module in modules(patch)
        if not prefix.startswith("threads.")
    )


def check_contour(path: str, contour: str, modulators: Mapping[str, Modulator]) -> None:
    """Raises `ValueError` where nothing that can shape a level has this id."""
    if contour not in modulators or not modulators[contour].shapes_levels:
        raise ValueError(f"{path}.contour: nothing that shapes a level is called “{cut(contour, 20)}”")


def contours(patch: Patch) -> dict[str, str]:
    """What shapes the level over time of layers and buses, by their paths; a bus that nothing shapes is not among them."""
    found = {f"layers.{key}": layer.contour for key, layer in patch.layers.items()}
    return found | {f"buses.{key}": bus.contour for key, bus in patch.buses.items() if bus.contour}


def own_outline(module: Module) -> tuple[Any, ...]:
    """What of a module a page is laid out for."""
    more: tuple[Any, ...] = tuple(
        module.get(name) for name, param in module.params.items() if param.rebuilds and isinstance(param, Choice)
    )
    if isinstance(module, Layer | Bus):
        more += (module.contour,)
    elif isinstance(module, Route):
        more += (module.source, module.target, module.scaled, module.delay != 0.0)
    elif isinstance(module, Modulator):
        more += tuple(getattr(module, name) for name in module.inputs)
    elif isinstance(module, Patch):
        more += (module.tuning,)
    return more + module.substance()


def own_structure(module: Module) -> tuple[Any, ...]:
    """What of a module the engine must rebuild for."""
    turned = tuple(
        module.get(name) for name, param in module.params.items() if param.rebuilds and not isinstance(param, Choice)
    )
    return own_outline(module) + turned + module.shaped()


def structure(patch: Patch) -> tuple[Any, ...]:
    """What the engine must rebuild for: two patches with equal structure differ in values only."""
    return tuple((prefix, type(module).__name__, own_structure(module)) for prefix, module in modules(patch))


def _step(node: Any, key: str, path: str) -> Any:
    try:
        return node[key] if isinstance(node, dict) else getattr(node, key)
    except (KeyError, AttributeError):
        raise NoSuchPath(f"The patch has no “{path}”.") from None


def module_at(patch: Patch, path: str) -> Any:
    """The module at a path, such as `layers.a.source`; raises `NoSuchPath`."""
    node: Any = patch
    for key in path.split("."):
        node = _step(node, key, path)
    return node


def owner(patch: Patch, path: str) -> tuple[Module, str]:
    """The module that owns the parameter at `path`, and the parameter's name in it."""
    steps = path.split(".")
    if steps[0] == "macros":
        if len(steps) == 2:
            steps.append("value")
        elif steps[2:] == ["value"]:  # a parameter has one path
            raise NoSuchPath(f"The patch has no parameter “{path}”: it is “{path.removesuffix('.value')}”.")
    node: Any = patch
    for key in steps[:-1]:
        node = _step(node, key, path)
    name = steps[-1]
    known = isinstance(node, Module) and (
        name in node.params or name in node.drawings or (isinstance(node, Route) and name == "depth")
    )
    if not known:
        raise NoSuchPath(f"The patch has no parameter “{path}”.")
    return node, name


def param_at(patch: Patch, path: str) -> Parameter:
    """Declaration of the parameter at `path`; raises `NoSuchPath`."""
    module, name = owner(patch, path)
    if isinstance(module, Route) and name == "depth":
        return depth_of(patch, module)
    return module.params.get(name) or module.drawings[name]


def path_exists(patch: Patch, path: str) -> bool:
    """True where a patch has the parameter."""
    try:
        param_at(patch, path)
    except NoSuchPath:
        return False
    return True


def path_holds(patch: Patch, path: str, param: Parameter) -> bool:
    """True where a patch still has this very parameter at a path: another source may call another thing the same."""
    try:
        found = param_at(patch, path)
    except NoSuchPath:
        return False
    same = type(found) is type(param) and found.label == param.label
    return found is param or (same and found.schema() == param.schema())


def with_about_of(patch: Patch, other: Patch) -> Patch:
    """The sound of a patch, under the name and the words of another."""
    changed = {key: getattr(other, key) for key in ABOUT if getattr(other, key) != getattr(patch, key)}
    return patch.model_copy(update=changed) if changed else patch


def without_solo(patch: Patch) -> Patch:
    """The patch with all of its layers heard: solo is for listening, and does not make another sound of it."""
    if not any(layer.get("solo") for layer in patch.layers.values()):
        return patch
    layers = {key: layer.model_copy(update={"solo": False}) for key, layer in patch.layers.items()}
    return patch.model_copy(update={"layers": layers})


def value_at(patch: Patch, path: str) -> Value:
    """Value of the parameter at `path`; raises `NoSuchPath`."""
    module, name = owner(patch, path)
    return module.get(name)


def drawn_at(patch: Patch, path: str) -> tuple[Drawn, Rows]:
    """Declaration and rows of the drawing at `path`; raises `NoSuchPath`."""
    module, name = owner(patch, path)
    if name not in module.drawings:
        raise NoSuchPath(f"“{path}” is not drawn.")
    return module.drawings[name], getattr(module, name)


def target_param(patch: Patch, path: str) -> Param:
    """Declaration of a parameter that a thread may move; raises `NoSuchPath`."""
    seen = []
    at = path
    while True:
        module, name = owner(patch, at)
        if not (isinstance(module, Route) and name == "depth"):
            break
        if at in seen:
            raise NoSuchPath("A thread cannot move its own depth.")
        seen.append(at)
        at = module.target
    param: Parameter | None = module.params.get(name)
    if not isinstance(param, Param) or not param.movable:
        raise NoSuchPath(f"“{path}” cannot be moved by a thread.")
    for depth in reversed(seen):
        param = depth_param(param, str(owner(patch, depth)[0].get("by")))
    return param


def goes_both_ways(patch: Patch, source: str) -> bool:
    """True for a mover that goes from −1 to 1."""
    if source in PLAYER_SOURCES:
        return PLAYER_SOURCES[source].both_ways
    return source in patch.modulators and patch.modulators[source].both_ways


def movers(patch: Patch) -> dict[str, str]:
    """Id and name of everything in the patch that a thread can start from."""
    named = {key: mod.name or f"{mod.title} {key[1:]}" for key, mod in patch.modulators.items()}
    named |= {key: macro.name or f"Macro {key[1:]}" for key, macro in patch.macros.items()}
    return named | {key: source.name for key, source in PLAYER_SOURCES.items()}


def check_thread(patch: Patch, thread: Route) -> None:
    """Raises a sentence where a thread starts or ends nowhere, or reaches too far."""
    if thread.source not in movers(patch):
        raise NoSuchPath(f"nothing that moves is called {thread.source!r}.")
    if thread.scaled and thread.scaled not in movers(patch):
        raise NoSuchPath(f"nothing that scales is called {thread.scaled!r}.")
    depth_of(patch, thread).check(thread.depth)


N = TypeVar("N")


def put(node: N, steps: list[str], value: object) -> N:
    """A copy of `node` with `value` at the path `steps`, sharing everything else."""
    made: Any = node
    key, rest = steps[0], steps[1:]
    fresh = put(_step(node, key, ".".join(steps)), rest, value) if rest else value
    made = {**made, key: fresh} if isinstance(made, dict) else made.model_copy(update={key: fresh})
    return cast(N, made)


def put_value(patch: Patch, path: str, kept: Value) -> Patch:
    """A patch with a value that was checked at the path of a parameter."""
    steps = path.split(".")
    if steps[0] == "macros":
        if len(steps) == 2:
            steps.append("value")
        elif steps[2:] == ["value"]:  # a parameter has one path
            raise NoSuchPath(f"The patch has no parameter “{path}”: it is “{path.removesuffix('.value')}”.")
    fresh: Patch = put(patch, steps, kept)
    return fresh


def with_value(patch: Patch, path: str, value: object) -> Patch:
    """A patch with one parameter changed; raises `NoSuchPath` or `OutOfRange`."""
    return put_value(patch, path, param_at(patch, path).check(value))


__all__ = [
    "BY_AMOUNT",
    "BY_RATIO",
    "KINDS",
    "LAYER_IDS",
    "MACRO_IDS",
    "NO_LAYER",
    "PLAYER_SOURCES",
    "Bus",
    "Inlet",
    "Layer",
    "Macro",
    "NoSuchPath",
    "Patch",
    "Route",
    "Slot",
    "audio_rate_modulators",
    "check_thread",
    "depth_of",
    "depth_param",
    "drawings",
    "goes_both_ways",
    "module_at",
    "modules",
    "movers",
    "outline",
    "own_structure",
    "owner",
    "param_at",
    "path_exists",
    "path_holds",
    "path_of",
    "put",
    "put_value",
    "read_depth",
    "slots",
    "sounding",
    "structure",
    "target_param",
    "three_buses",
    "value_at",
    "with_value",
    "without_solo",
]
