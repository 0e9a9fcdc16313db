"""The patch: one sound as a value, with every parameter reachable by its path."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any, NamedTuple, Self

from pydantic import Field, model_validator

from felt_dial.errors import FeltDialError
from felt_dial.patch.module import AnyEffect, AnyFilter, AnyModulator, AnySource, Module
from felt_dial.patch.params import CUBIC, LOG, Choice, Param, Parameter, Switch
from felt_dial.patch.tuning import Tuning
from felt_dial.patch.units import (
    CENTS,
    COUNT,
    DECIBELS,
    HERTZ,
    KEY,
    OCTAVES,
    PERCENT,
    RADIANS,
    SECONDS,
    SEMITONES,
    TEMPO,
    Unit,
    Value,
)

LAYER_IDS = "abcdefgh"
MACRO_IDS = tuple(f"m{n}" for n in range(1, 9))
PLAYER_SOURCES = {"k": "Key", "v": "Velocity", "w": "Mod wheel", "p": "Pressure", "sl": "Slide"}
KINDS = ("Bass", "Brass", "Drum", "Keys", "Lead", "Moment", "Pad", "Pluck", "Strings")


class NoSuchPath(FeltDialError):
    """A path that leads to no parameter of this patch."""


class Inlet(Module):
    """What one layer does to another at audio rate."""

    index = Param(
        "Index", 0.0, (0.0, 24.0), RADIANS, taper=CUBIC,
        says="Phase modulation: how far the other layer swings this one's phase, as the modulation index.",
    )  # fmt: skip
    ring = Param(
        "Ring", 0.0, (0.0, 1.0), PERCENT, says="Ring modulation: the layer multiplied by the other, from none to all."
    )


def _still(label: str, default: float, span: tuple[float, float], unit: Unit, says: str, **words: Any) -> Param:
    """A number that holds for a whole note: read when the note begins, moved by no thread."""
    return Param(label, default, span, unit, movable=False, says=says, **words)


class Layer(Module):
    """One sound inside the patch: source, filter, level over time, out."""

    on = Switch("On", True, says="The layer sounds at all.")
    solo = Switch("Solo", False, says="Only soloed layers are heard.")
    mute = Switch("Mute", False, says="The layer is silent for now; what it modulates is still modulated.")
    octave = Param("Octave", 0, (-4, 4), OCTAVES, whole=True, says="Moves the layer by whole octaves.")
    pitch = Param("Pitch", 0.0, (-36.0, 36.0), SEMITONES, says="Moves the layer's pitch in semitones.")
    fine = Param("Fine", 0.0, (-100.0, 100.0), CENTS, says="Tunes the layer finely, in cents.")
    harmonic = Param("Harmonic", 1, (1, 32), COUNT, whole=True, says="Multiplies the pitch: side bands stay harmonic.")
    divisor = Param("Divisor", 1, (1, 16), COUNT, whole=True, says="Divides the pitch: 3 over 2 is a pure fifth.")
    fixed = Switch("Fixed", False, says="Every key plays the same frequency.")
    frequency = Param(
        "Frequency", 220.0, (0.01, 12000.0), HERTZ, taper=LOG, says="The pitch of every key while Fixed is on."
    )
    trigger = Choice(
        "Begins",
        "down",
        {"down": "Key down", "up": "Key up"},
        says="When the layer begins: as a key goes down, or comes up.",
    )
    delay = _still(
        "Note delay", 0.0, (0.0, 8.0), SECONDS, "How long after the key the layer begins.", taper=CUBIC, beats=True
    )
    key_low = _still("Lowest key", 0, (0, 127), KEY, "Keys below play the layer no more.", whole=True)
    key_high = _still("Highest key", 127, (0, 127), KEY, "Keys above play the layer no more.", whole=True)
    key_fade = _still("Key fade", 0, (0, 60), COUNT, "Over how many keys beyond its range it fades.", whole=True)
    velocity_low = _still("Softest", 1, (1, 127), COUNT, "Softer notes play the layer no more.", whole=True)
    velocity_high = _still("Hardest", 127, (1, 127), COUNT, "Harder notes play the layer no more.", whole=True)
    velocity_fade = _still(
        "Velocity fade", 0, (0, 126), COUNT, "Over how many steps beyond its range it fades.", whole=True
    )
    switched = Switch("Switched", False, says="The layer sounds only after its switch key was the last of them played.")
    switch_key = _still("Switch key", 24, (0, 127), KEY, "The silent key that chooses this layer.", whole=True)
    velocity = _still(
        "Velocity", 0.0, (0.0, 60.0), DECIBELS, "How many dB softer the softest note is than the hardest."
    )
    level = Param("Level", -12.0, (-60.0, 6.0), DECIBELS, says="How loud the layer is.")
    pan = Param("Pan", 0.0, (-1.0, 1.0), PERCENT, says="Left or right, at equal power.")
    out = Choice(
        "Goes to", "rack", {"rack": "Rack 1", "direct": "Direct", "none": "Nowhere"},
        says="Through rack 1, straight to the output, or nowhere: a layer that only modulates others.",
    )  # fmt: skip
    name: str = ""
    contour: str = "e1"
    source: AnySource
    filter: AnyFilter
    inlets: dict[str, Inlet] = {}


class Macro(Module):
    """One handle for the musician."""

    value = Param("Macro", 0.0, (0.0, 1.0), PERCENT, movable=False, says="Moves everything that is sewn to it.")
    name: str = ""
    description: str = ""


class Thread(Module):
    """A connection from something that moves to something that is moved."""

    on = Switch("On", True, says="The thread moves its dial.")
    reading = Choice(
        "Reading", "one way", {"one way": "One way", "both ways": "Both ways"},
        says="One way reads the mover from 0 to 1, both ways from −1 to 1.",
    )  # fmt: skip
    source: str
    target: str
    depth: float = Field(allow_inf_nan=False)


class Slot(NamedTuple):
    """One parameter of a patch: its path, its declaration, and the value it has now."""

    path: str
    param: Parameter
    value: Value


def depth_param(target: Param) -> Param:
    """How a thread's depth on `target` is read, written and limited."""
    unit: Unit = target.unit.depth
    if target.unit.geometric:
        span = (1 / 64, 64.0) if unit.name == "a factor" else (-120.0, 120.0)
        start = 1.0 if unit.name == "a factor" else 0.0
        taper = LOG if unit.name == "a factor" else "linear"
    else:
        reach = target.high - target.low
        span, start, taper = (-reach, reach), 0.0, "linear"
    made = Param("How far", start, span, unit, taper=taper, movable=False, says="How far the thread moves its dial.")
    made.name = "depth"
    return made


class Patch(Module):
    """A whole sound."""

    tempo = Param("Tempo", 120.0, (20.0, 999.0), TEMPO, movable=False, says="Beats per minute.")
    level = Param("Output", 0.0, (-60.0, 12.0), DECIBELS, movable=False, says="How loud the whole patch is.")
    voices = Param("Voices", 16, (1, 32), COUNT, whole=True, movable=False, says="How many notes may sound at once.")
    bend = Param("Bend range", 2.0, (0.0, 24.0), SEMITONES, movable=False, says="How far the bend wheel reaches.")
    note_bend = _still("Note bend", 48.0, (0.0, 96.0), SEMITONES, "How far the bend of a single note reaches.")
    grains = _still("Grains", 128, (8, 512), COUNT, "How many grains may sound at once in the whole patch.", whole=True)
    play = Choice(
        "Play", "poly", {"poly": "Poly", "mono": "Mono", "legato": "Mono legato"},
        says="Many notes; one that begins anew with each key; or one that goes on while keys overlap.",
    )  # fmt: skip
    priority = Choice(
        "Priority", "last", {"last": "Last", "low": "Lowest", "high": "Highest"},
        says="Which of several held keys sounds in the mono modes.",
    )  # fmt: skip
    glide = _still("Glide", 0.0, (0.0, 10.0), SECONDS, "Time from the pitch of the note before.", taper=CUBIC)
    glide_when = Choice(
        "Glides", "always", {"always": "Always", "legato": "Legato"},
        says="At every note, or only while another key is held.",
    )  # fmt: skip
    glide_by = Choice(
        "Glide is", "time", {"time": "a time", "rate": "per octave"},
        says="The same time for every interval, or that time for each octave.",
    )  # fmt: skip
    reference = _still("Reference", 440.0, (220.0, 880.0), HERTZ, "Frequency of the key A4.", taper=LOG)

    name: str = "Untitled"
    type: str = ""
    character: tuple[str, ...] = ()
    description: str = ""
    author: str = ""
    favourite: bool = False
    tuning: Tuning | None = None
    layers: dict[str, Layer] = {}
    modulators: dict[str, AnyModulator] = {}
    macros: dict[str, Macro] = Field(default_factory=lambda: {m: Macro() for m in MACRO_IDS})
    racks: dict[str, dict[str, AnyEffect]] = {"1": {}}
    threads: dict[str, Thread] = {}

    def __eq__(self, other: object) -> bool:
        """Equal in everything, the order of layers and effects included."""
        if not isinstance(other, Patch) or not super().__eq__(other):
            return False
        orders = [(list(p.layers), [list(rack) for rack in p.racks.values()]) for p in (self, other)]
        return orders[0] == orders[1]

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if not 1 <= len(self.layers) <= len(LAYER_IDS):
            raise ValueError(f"a patch has 1 to {len(LAYER_IDS)} layers, not {len(self.layers)}")
        if set(self.macros) != set(MACRO_IDS):
            raise ValueError("a patch has the macros m1 to m8")
        for key, layer in self.layers.items():
            if layer.contour not in self.modulators or not layer.contour.startswith("e"):
                raise ValueError(f"layers.{key}.contour: no envelope is called {layer.contour!r}")
            for other in layer.inlets:
                if other not in self.layers:
                    raise ValueError(f"layers.{key}.inlets: there is no layer {other!r}")
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
        yield f"layers.{key}.filter", layer.filter
        for other, inlet in layer.inlets.items():
            yield f"layers.{key}.inlets.{other}", inlet
    for key, modulator in patch.modulators.items():
        yield f"modulators.{key}", modulator
    for key, macro in patch.macros.items():
        yield f"macros.{key}", macro
    for rack, effects in patch.racks.items():
        for key, effect in effects.items():
            yield f"racks.{rack}.{key}", effect
    for key, thread in patch.threads.items():
        yield f"threads.{key}", thread


def path_of(prefix: str, module: Module, name: str) -> str:
    """Path of a parameter; a macro's one value goes by the macro's own path."""
    if isinstance(module, Macro):
        return prefix
    return f"{prefix}.{name}" if prefix else name


def slots(patch: Patch) -> Iterator[Slot]:
    """Every parameter of the patch, in the order in which the engine keeps their values."""
    for prefix, module in modules(patch):
        for name, param in module.params.items():
            yield Slot(path_of(prefix, module, name), param, module.get(name))
        if isinstance(module, Thread):
            yield Slot(f"{prefix}.depth", depth_param(target_param(patch, module.target)), module.depth)


def outline(patch: Patch) -> tuple[Any, ...]:
    """Which modules a patch has, and in what order: what a page is laid out for. Threads come and go without it."""
    return tuple(row for row in structure(patch) if not row[0].startswith("threads."))


def structure(patch: Patch) -> tuple[Any, ...]:
    """What the engine must rebuild for: two patches with equal structure differ in values only."""
    shape: list[Any] = []
    for prefix, module in modules(patch):
        more: tuple[Any, ...] = tuple(module.get(name) for name, param in module.params.items() if param.rebuilds)
        if isinstance(module, Layer):
            more += (module.contour,)
        elif isinstance(module, Thread):
            more += (module.source, module.target)
        elif isinstance(module, Patch):
            more += (module.tuning,)
        shape.append((prefix, type(module).__name__, more + module.substance()))
    return tuple(shape)


def _step(node: Any, key: str, path: str) -> Any:
    try:
        return node[key] if isinstance(node, dict) else getattr(node, key)
    except (KeyError, AttributeError):
        raise NoSuchPath(f"The patch has no “{path}”.") from None


def owner(patch: Patch, path: str) -> tuple[Module, str]:
    """The module that owns the parameter at `path`, and the parameter's name in it."""
    steps = path.split(".")
    if steps[0] == "macros" and len(steps) == 2:
        steps.append("value")
    node: Any = patch
    for key in steps[:-1]:
        node = _step(node, key, path)
    name = steps[-1]
    if not isinstance(node, Module) or (name not in node.params and not (isinstance(node, Thread) and name == "depth")):
        raise NoSuchPath(f"The patch has no parameter “{path}”.")
    return node, name


def param_at(patch: Patch, path: str) -> Parameter:
    """Declaration of the parameter at `path`; raises `NoSuchPath`."""
    module, name = owner(patch, path)
    if isinstance(module, Thread) and name == "depth":
        return depth_param(target_param(patch, module.target))
    return module.params[name]


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


def value_at(patch: Patch, path: str) -> Value:
    """Value of the parameter at `path`; raises `NoSuchPath`."""
    module, name = owner(patch, path)
    return module.get(name)


def target_param(patch: Patch, path: str) -> Param:
    """Declaration of a parameter that a thread may move; raises `NoSuchPath`."""
    module, name = owner(patch, path)
    param = module.params.get(name)
    if not isinstance(param, Param) or not param.movable:
        raise NoSuchPath(f"“{path}” cannot be moved by a thread.")
    return param


def movers(patch: Patch) -> dict[str, str]:
    """Id and name of everything in the patch that a thread can start from."""
    named = {key: mod.name or f"{mod.title} {key[1:]}" for key, mod in patch.modulators.items()}
    named |= {key: macro.name or f"Macro {key[1:]}" for key, macro in patch.macros.items()}
    return named | PLAYER_SOURCES


def check_thread(patch: Patch, thread: Thread) -> None:
    """Raises a sentence where a thread starts or ends nowhere, or reaches too far."""
    if thread.source not in movers(patch):
        raise NoSuchPath(f"nothing that moves is called {thread.source!r}.")
    depth_param(target_param(patch, thread.target)).check(thread.depth)


def put(node: Any, steps: list[str], value: object) -> Any:
    """A copy of `node` with `value` at the path `steps`, sharing everything else."""
    key, rest = steps[0], steps[1:]
    fresh = put(_step(node, key, ".".join(steps)), rest, value) if rest else value
    if isinstance(node, dict):
        return {**node, key: fresh}
    return node.model_copy(update={key: fresh})


def with_value(patch: Patch, path: str, value: object) -> Patch:
    """A patch with one parameter changed; raises `NoSuchPath` or `OutOfRange`."""
    kept = param_at(patch, path).check(value)
    module, name = owner(patch, path)
    steps = path.split(".")
    if isinstance(module, Macro):
        steps = [*steps[:2], "value"]
    if isinstance(kept, float) and not math.isfinite(kept):
        raise NoSuchPath(f"“{path}” takes finite numbers only.")
    return put(patch, [*steps[:-1], name], kept)  # type: ignore[no-any-return]
