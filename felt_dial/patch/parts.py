"""The parts of a patch: layers, what goes between them, macros, threads."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from felt_dial.errors import FeltDialError
from felt_dial.patch.drawn import LINE, Drawn
from felt_dial.patch.module import AnyFilter, AnySource, Module
from felt_dial.patch.params import CUBIC, LOG, Choice, Param, Switch
from felt_dial.patch.shaping import Shaper
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
    NotReadable,
    Unit,
)

LAYER_IDS = "abcdefgh"
MOST_THREADS = 256
"""Threads of a patch: the memory that the window and the engine share has room for so many."""
RACK_MOST = 12
MACRO_IDS = tuple(f"m{n}" for n in range(1, 9))
BY_RATIO, BY_AMOUNT = "ratio", "amount"
KINDS = (
    *(
        "Bass",
        "Bell",
        "Brass",
        "Drum",
        "Keys",
        "Lead",
        "Moment",
        "Organ",
        "Pad",
        "Pattern",
        "Pluck",
        "Strings",
        "Texture",
    ),
    *("Voice", "Other"),
)


class NoSuchPath(FeltDialError):
    """A path that leads to no parameter of this patch."""


def fixed_param(label: str, default: float, span: tuple[float, float], unit: Unit, says: str, **words: Any) -> Param:
    """A number that holds for a whole note: read when the note begins, moved by no thread."""
    return Param(label, default, span, unit, movable=False, says=says, **words)


class Inlet(Module):
    """What one layer does to another at audio rate."""

    index = Param(
        "Index",
        0.0,
        (0.0, 24.0),
        RADIANS,
        taper=CUBIC,
        says="Phase modulation: how far the other layer swings this one's phase, as the modulation index.",
    )
    ring = Param(
        "Ring", 0.0, (0.0, 1.0), PERCENT, says="Ring modulation: the layer multiplied by the other, from none to all."
    )


class Send(Module):
    """What a layer or a bus gives to one more place, beside the one where it goes."""

    level = Param(
        "Send",
        -6.0,
        (-60.0, 12.0),
        DECIBELS,
        says="How loud it goes there too, after its own level and pan, which are counted in.",
    )


NO_LAYER = "none"
WHERE = {
    "rack": "Rack 1",
    "direct": "Direct",
    "none": "Nowhere (silent)",
    "rack2": "Rack 2",
    "bus1": "Bus 1",
    "bus2": "Bus 2",
    "bus3": "Bus 3",
}
"""Where a layer may go."""


def _swing() -> Param:
    return Param(
        "Cutoff swing",
        0.0,
        (0.0, 4.0),
        OCTAVES,
        says="How many octaves another layer's sound swings the cutoff, as fast as it sounds.",
    )


def _swung() -> Choice:
    names = {NO_LAYER: "No layer"} | {key: f"Layer {key.upper()}" for key in LAYER_IDS}
    return Choice("Swung by", NO_LAYER, names, rebuilds=True, says="Which layer's sound swings the cutoff.")


def _onward(*ways: str) -> Choice:
    return Choice("Goes to", ways[0], {way: WHERE[way] for way in ways}, says="Where the bus goes.")


class Bus(Module, title="Bus 3"):
    """Where layers meet, note by note: drive, filter, drive, level, pan, and on."""

    level = Param("Level", 0.0, (-60.0, 12.0), DECIBELS, says="How loud the bus is.")
    pan = Param("Pan", 0.0, (-1.0, 1.0), PERCENT, says="Left or right, at equal power.")
    swing = _swing()
    swung = _swung()
    out = Choice(
        "Goes to",
        "rack",
        {k: v for k, v in WHERE.items() if k in ("rack", "direct", "rack2")},
        says="Where the bus goes.",
    )
    name: str = ""
    contour: str = Field(default="", exclude_if=lambda contour: not contour)
    """What shapes its level over time; nothing where it is empty."""
    drive: Shaper = Shaper()
    filter: AnyFilter
    after: Shaper = Shaper()
    sends: dict[str, Send] = {}


class FirstBus(Bus, title="Bus 1"):
    """Bus 1: it may go on to 2 or 3."""

    out = Choice(
        "Goes to", "rack", {k: v for k, v in WHERE.items() if k not in ("none", "bus1")}, says="Where the bus goes."
    )


class SecondBus(Bus, title="Bus 2"):
    """Bus 2: it may go on to 3."""

    out = _onward("rack", "direct", "rack2", "bus3")


BUSES: dict[str, type[Bus]] = {"1": FirstBus, "2": SecondBus, "3": Bus}


class Layer(Module):
    """One sound inside the patch: source, drive, filter, level over time, out."""

    on = Switch("On", True, says="The layer sounds at all.")
    solo = Switch("Solo", False, says="Only soloed layers are heard.")
    mute = Switch("Mute", False, says="The layer is silent for now; what it modulates is still modulated.")
    octave = Param("Octave", 0, (-4, 4), OCTAVES, whole=True, says="Moves the layer by whole octaves.")
    pitch = Param("Pitch", 0.0, (-60.0, 60.0), SEMITONES, says="Moves the layer's pitch in semitones.")
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
    delay = fixed_param(
        "Note delay", 0.0, (0.0, 8.0), SECONDS, "How long after the key the layer begins.", taper=CUBIC, beats=True
    )
    key_low = fixed_param("Lowest key", 0, (0, 127), KEY, "Keys below play the layer no more.", whole=True)
    key_high = fixed_param("Highest key", 127, (0, 127), KEY, "Keys above play the layer no more.", whole=True)
    key_fade = fixed_param("Key fade", 0, (0, 60), COUNT, "Over how many keys beyond its range it fades.", whole=True)
    velocity_low = fixed_param("Softest", 1, (1, 127), COUNT, "Softer notes play the layer no more.", whole=True)
    velocity_high = fixed_param("Hardest", 127, (1, 127), COUNT, "Harder notes play the layer no more.", whole=True)
    velocity_fade = fixed_param(
        "Velocity fade", 0, (0, 126), COUNT, "Over how many steps beyond its range it fades.", whole=True
    )
    switched = Switch("Switched", False, says="The layer sounds only after its switch key was the last of them played.")
    switch_key = fixed_param("Switch key", 24, (0, 127), KEY, "The silent key that chooses this layer.", whole=True)
    velocity = fixed_param(
        "Velocity", 0.0, (0.0, 60.0), DECIBELS, "How many dB softer the softest note is than the hardest."
    )
    level = Param("Level", -12.0, (-60.0, 6.0), DECIBELS, says="How loud the layer is.")
    pan = Param("Pan", 0.0, (-1.0, 1.0), PERCENT, says="Left or right, at equal power.")
    out = Choice(
        "Goes to",
        "rack",
        WHERE,
        says="Through a bus, rack 1 or rack 2, straight to the output, or nowhere: a layer that only modulates others.",
    )
    order = Choice(
        "Order",
        "drive",
        {"drive": "Drive, then filter", "filter": "Filter, then drive"},
        says="Driving before a filter and after it are two different sounds.",
    )
    swing = _swing()
    swung = _swung()
    name: str = ""
    contour: str = "e1"
    source: AnySource
    drive: Shaper = Shaper()
    filter: AnyFilter
    inlets: dict[str, Inlet] = {}
    sends: dict[str, Send] = {}


class Macro(Module):
    """One handle for the musician."""

    value = Param("Macro", 0.0, (0.0, 1.0), PERCENT, says="Moves everything that is sewn to it.")
    low = fixed_param("Low end", 0.0, (0.0, 1.0), PERCENT, "What its threads read while the macro is at its low end.")
    high = fixed_param(
        "High end", 1.0, (0.0, 1.0), PERCENT, "What its threads read while the macro is at its high end."
    )
    default = fixed_param("Default", 0.0, (0.0, 1.0), PERCENT, "Where the macro goes back to.")
    name: str = ""
    description: str = ""


class Route(Module, title="Thread"):
    """A connection from something that moves to something that is moved."""

    on = Switch("On", True, says="The thread moves its dial.")
    reading = Choice(
        "Polarity",
        "one way",
        {"one way": "Unipolar", "both ways": "Bipolar", "flipped": "Inverted"},
        says="Unipolar reads the mover from 0 to 1, bipolar from −1 to 1, inverted from 1 to 0.",
    )
    smooth = fixed_param(
        "Smooth", 0.0, (0.0, 5.0), SECONDS, "Time in which the thread follows its mover.", taper=CUBIC, beats=True
    )
    delay = fixed_param(
        "Delay", 0.0, (0.0, 2.0), SECONDS, "How long after its mover the thread moves.", taper=CUBIC, beats=True
    )
    by = Choice(
        "Counted",
        BY_RATIO,
        {BY_RATIO: "By ratio", BY_AMOUNT: "In its unit"},
        rebuilds=True,
        says="Frequencies and rates move by a ratio (semitones, a factor) or by an amount (hertz).",
    )
    shape = Drawn(
        "Shape",
        (),
        LINE,
        least=0,
        most=8,
        says="What the thread makes of its mover: where the mover goes across, what the thread does goes up.",
    )
    source: str
    target: str
    scaled: str = ""
    depth: float = Field(allow_inf_nan=False)


def depth_param(target: Param, by: str = BY_RATIO) -> Param:
    """How a thread's depth on `target` is read, written and limited."""
    unit: Unit = target.unit.depth
    reach = target.high - target.low
    span, start, taper = (-reach, reach), 0.0, "linear"
    if target.unit.geometric and by == BY_AMOUNT:
        unit = target.unit.amounts or unit
    elif target.unit.geometric:
        factor = unit.name == "a factor"
        span, start, taper = ((1 / 64, 64.0), 1.0, LOG) if factor else ((-120.0, 120.0), 0.0, "linear")
    made = Param("How far", start, span, unit, taper=taper, says="How far the thread moves its dial.")
    made.name = "depth"
    return made


def read_reading(text: str) -> tuple[str, str | None]:
    """What a person typed for a thread, and the reading that it ends with, if any: `+12 st bipolar`."""
    words = text.split()
    if words and len(words[-1]) >= 3:
        for key, label in Route.choice_of("reading").options.items():
            if label.lower().startswith(words[-1].lower()):
                return " ".join(words[:-1]), key
    return text, None


def read_depth(target: Param, text: str) -> tuple[str, float]:
    """What a person typed as a depth: by ratio or by amount, and how far; raises `NotReadable` or `OutOfRange`."""
    plain = depth_param(target)
    try:
        return BY_RATIO, float(plain.encode(plain.check(plain.unit.read(text))))
    except NotReadable as wrong:
        if not target.unit.geometric:
            raise
        amount = depth_param(target, BY_AMOUNT)
        try:
            found = amount.unit.read(text)
        except NotReadable:
            raise wrong from None
        return BY_AMOUNT, float(amount.encode(amount.check(found)))
