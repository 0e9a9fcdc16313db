"""What is the same from one day to the next, beside the checks of what is right.

Measures are kept on disk by the sound that they were taken of, offshoots are grown again from a seed, and patches are saved
with what an edit wrote. So what is computed for them must not change by itself. Each of these tests holds it against a file
of figures that lies here; they say nothing about whether the figures are right, which other tests do. Where a figure is to
change, what is kept on disk needs a new number of its form (`VERSION`, `KEPT`), and the figures are written anew by

    FELT_DIAL_UNCHANGED=write python -m pytest tests/unchanged
"""

from __future__ import annotations

import json
import math
import os
from dataclasses import fields, is_dataclass
from enum import Enum
from hashlib import blake2b
from pathlib import Path
from typing import Any

import numpy as np

from felt_dial.errors import FeltDialError

HERE = Path(__file__).parent
RELATIVE, ABSOLUTE = 1e-4, 2e-6
"""How far a figure may be off: the last bits differ from one processor to another."""


def digest(what: object) -> str:
    """A few letters for something long, such as a document."""
    return blake2b(repr(what).encode(), digest_size=6).hexdigest()


def plain(found: Any) -> Any:
    """What can stand in a file of JSON."""
    if isinstance(found, np.ndarray):
        return [plain(one) for one in found.tolist()]
    if isinstance(found, Enum):
        return found.name
    if isinstance(found, bool | str | type(None)):
        return found
    if isinstance(found, int | np.integer):
        return int(found)
    if isinstance(found, float | np.floating):
        return float(f"{found:.6g}") if math.isfinite(found) else str(found)
    if isinstance(found, dict):
        return {str(key): plain(value) for key, value in found.items()}
    if is_dataclass(found) and not isinstance(found, type):
        return {field.name: plain(getattr(found, field.name)) for field in fields(found)}
    if isinstance(found, list | tuple):
        return [plain(one) for one in found]
    if isinstance(found, set | frozenset):
        return sorted(plain(one) for one in found)
    return str(found)


def differences(was: Any, now: Any, where: str, relative: float) -> list[str]:
    """Where two of them differ, in words."""
    if isinstance(was, float | int) and isinstance(now, float | int) and not isinstance(was, bool):
        near = math.isclose(was, now, rel_tol=relative, abs_tol=ABSOLUTE)
        return [] if near else [f"{where}: was {was}, is {now}"]
    if isinstance(was, dict) and isinstance(now, dict):
        apart = [f"{where}.{key}: {'gone' if key in was else 'new'}" for key in was.keys() ^ now.keys()]
        return apart + [
            text
            for key in was.keys() & now.keys()
            for text in differences(was[key], now[key], f"{where}.{key}", relative)
        ]
    if isinstance(was, list) and isinstance(now, list):
        if len(was) != len(now):
            return [f"{where}: were {len(was)}, are {len(now)}"]
        return [
            text
            for n, (a, b) in enumerate(zip(was, now, strict=True))
            for text in differences(a, b, f"{where}[{n}]", relative)
        ]
    return [] if was == now else [f"{where}: was {was!r}, is {now!r}"]


def unchanged(name: str, found: Any, relative: float = RELATIVE) -> None:
    """Holds what was found against the file of that name."""
    file, now = HERE / f"{name}.json", plain(found)
    if os.environ.get("FELT_DIAL_UNCHANGED") == "write":
        rows = now.items() if isinstance(now, dict) else enumerate(now)
        lines = [f"{json.dumps(str(key))}: {json.dumps(value, ensure_ascii=False)}" for key, value in rows]
        file.write_text("{\n" + ",\n".join(lines) + "\n}\n", encoding="utf-8")
        return
    was = json.loads(file.read_text(encoding="utf-8"))
    now = {str(key): value for key, value in (now.items() if isinstance(now, dict) else enumerate(now))}
    apart = differences(was, now, name, relative)
    more = "\nWhere that is meant: FELT_DIAL_UNCHANGED=write python -m pytest tests/unchanged"
    assert not apart, f"{len(apart)} changed:\n" + "\n".join(apart[:12]) + more


def told(act: Any, *given: Any, **named: Any) -> Any:
    """What an act gives, or the sentence in which it refuses."""
    try:
        return act(*given, **named)
    except (FeltDialError, ValueError, KeyError) as wrong:
        return f"{type(wrong).__name__}: {wrong}"
