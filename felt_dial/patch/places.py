"""Places in a recording: as a part of it, in time, and in frames."""

from __future__ import annotations

import re

from felt_dial.patch.params import Param
from felt_dial.patch.patch import Patch, owner, param_at, value_at
from felt_dial.patch.units import SECONDS, THIN, Value

TYPED = re.compile(r"(?P<sign>[=+\u2212-]?)\s*(?P<number>\d+(?:[.,]\d+)?)\s*(?P<unit>ms|s|fr|frames?)", re.IGNORECASE)


def read_at(patch: Patch, path: str, text: str, by_face: bool = False) -> Value:
    """The value that a person typed for a parameter: `0.3 s`, `5 ms` or `12000 fr` for a place in a recording, with `+` or
    `−` from where it is; all else as the parameter reads it, `by_face` where it
    is typed over a dial. Raises `NotReadable` or `OutOfRange`."""
    param, now = param_at(patch, path), value_at(patch, path)
    module, name = owner(patch, path)
    whole, typed = module.lasts(name), TYPED.fullmatch(text.strip().replace(THIN, ""))
    if whole is None or typed is None or not isinstance(param, Param) or not isinstance(now, float | int):
        return param.read(text, now, by_face) if isinstance(param, Param) else param.read(text, now)
    seconds, frames = whole
    count = float(typed["number"].replace(",", "."))
    unit = typed["unit"].lower()
    part = count / frames if unit.startswith("fr") else count * (0.001 if unit == "ms" else 1.0) / seconds
    if typed["sign"] not in ("", "="):
        part = now + (part if typed["sign"] == "+" else -part)
    return param.check(part)


def in_time(patch: Patch, path: str) -> str:
    """What a place in a recording is in time and in frames: `312 ms, 14 976 fr`; nothing for other parameters."""
    module, name = owner(patch, path)
    whole, value = module.lasts(name), value_at(patch, path)
    if whole is None or not isinstance(value, float):
        return ""
    frames = f"{round(value * whole[1]):,}".replace(",", THIN)
    return f"{SECONDS.write(value * whole[0])}, {frames}{THIN}fr"
