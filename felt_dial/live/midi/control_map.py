"""The control map: which controller of a person's keyboard turns which dial. It is theirs, not the preset's."""

from __future__ import annotations

from pathlib import Path

from felt_dial.errors import FeltDialError
from felt_dial.files import bytes_of
from felt_dial.patch.documents.changes import of_modules
from felt_dial.patch.documents.kind import BadDocument
from felt_dial.patch.params import Choice, Param, Parameter, Switch
from felt_dial.patch.units import Beats, Value

CONTROL_MAP = of_modules("control map", kept="The one in use stays.")
TAKEN = {
    0: "bank select",
    1: "the mod wheel",
    6: "data entry",
    32: "bank select",
    38: "data entry",
    64: "the pedal",
    66: "sostenuto",
    74: "slide",
    98: "data entry",
    99: "data entry",
    100: "data entry",
    101: "data entry",
}
"""Controllers that mean something already."""


class BadControlMap(FeltDialError):
    """A file that is no control map, or a controller that cannot be learned."""


class ControlMap:
    """Paths by the number of a controller; one controller turns one dial, a dial may have several."""

    def __init__(self, entries: dict[int, str] | None = None) -> None:
        self.entries = dict(entries or {})

    def learn(self, control: int, path: str) -> None:
        """Lets a controller turn a dial; raises `BadControlMap` for one that means something already."""
        if control in TAKEN or control >= 120:
            what = TAKEN.get(control, "a message to all notes")
            raise BadControlMap(f"Controller {control} is {what} and cannot be learned; turn another one.")
        self.entries[control] = path

    def forget(self, control: int) -> None:
        """Lets go of a controller."""
        self.entries.pop(control, None)

    def controls_of(self, path: str) -> list[int]:
        """The controllers that turn a dial."""
        return [control for control, at in self.entries.items() if at == path]

    def write(self) -> str:
        """The map as JSON."""
        return CONTROL_MAP.write({"controllers": {str(k): v for k, v in sorted(self.entries.items())}})


def read_map(text: str | bytes, where: str) -> ControlMap:
    """The map in a JSON text; raises `BadControlMap` naming `where`."""
    try:
        data = CONTROL_MAP.read(text, where)
        entries = {int(control): path for control, path in data["controllers"].items()}
        if not all(isinstance(path, str) for path in entries.values()):
            raise TypeError
    except BadDocument as wrong:
        raise BadControlMap(str(wrong)) from None
    except (ValueError, KeyError, TypeError, AttributeError):
        raise BadControlMap(f"{where} is no control map. The one in use stays.") from None
    if any(not 0 <= control < 120 for control in entries):
        raise BadControlMap(f"{where} names a controller outside 0 … 119. The one in use stays.")
    return ControlMap(entries)


def load_map(path: Path) -> ControlMap:
    """The map of a file; empty where there is none or it cannot be read."""
    try:
        return read_map(bytes_of(path), path.name)
    except (OSError, BadControlMap):
        return ControlMap()


def turned(param: Parameter, part: float, now: Value) -> Value:
    """The value of a parameter when its controller stands at a part from 0 to 1."""
    if isinstance(param, Param):
        return param.at(part, isinstance(now, Beats))
    if isinstance(param, Choice):
        return param.ids[min(int(part * len(param.ids)), len(param.ids) - 1)]
    return part >= 0.5 if isinstance(param, Switch) else now
