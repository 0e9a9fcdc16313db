"""What is said of a sound that live is not what a render of it will be: how far, where, and by which module."""

from __future__ import annotations

from typing import NamedTuple

from felt_dial.patch.parts import Bus, Layer, NoSuchPath
from felt_dial.patch.patch import Patch, module_at
from felt_dial.patch.routing import effect_name
from felt_dial.patch.units import HERTZ, THIN, number


class Apart(NamedTuple):
    """Where live and rendered are furthest apart.

    Attributes
    ----------
    decibels : float
        How much louder it is live there, below 0 softer; 0 where nothing is a decibel apart.
    hertz : float
        The middle of that third of an octave.
    by : str
        Path of the module that makes it; empty where no single one does.
    """

    decibels: float = 0.0
    hertz: float = 0.0
    by: str = ""


NOT_APART = Apart()


def maker(patch: Patch, path: str) -> str:
    """What a module is called in a sentence: `what C does to B`, `the filter of A`; empty where the path leads nowhere."""
    steps = path.split(".")
    try:
        module = module_at(patch, path)
    except NoSuchPath:
        return ""
    if steps[0] == "racks":
        return effect_name(patch, steps[1], steps[2])
    where = module_at(patch, ".".join(steps[:2]))
    if isinstance(where, Layer) and steps[2] == "inlets":
        return f"what {steps[3].upper()} does to {steps[1].upper()}"
    of = f"bus {steps[1]}" if isinstance(where, Bus) else steps[1].upper()
    what = "drive after the filter" if steps[2] == "after" else steps[2]
    return f"the {module.title.lower() if what == 'source' else what} of {of}"


def apart_words(found: Apart, patch: Patch | None) -> str:
    """A line that says it; empty where live and rendered are the same."""
    if found.decibels == 0.0:
        return ""
    how = "louder" if found.decibels > 0 else "softer"
    by = maker(patch, found.by) if patch is not None and found.by else ""
    said = f"played at quality 1: {number(abs(found.decibels), 1)}{THIN}dB {how} near {HERTZ.write(found.hertz)} than a render"
    return f"{said}, by {by}" if by else said
