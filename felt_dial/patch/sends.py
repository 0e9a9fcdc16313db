"""Where a layer or a bus may go and send to."""

from __future__ import annotations

from felt_dial.errors import cut
from felt_dial.patch.parts import WHERE, Bus, Layer


def goes_to(part: Layer | Bus, where: str) -> bool:
    """True where a layer or a bus goes to a place, or sends to it."""
    return part.out == where or where in part.sends


def sends_to(part: Layer | Bus) -> list[str]:
    """Where a layer or a bus may send to: everywhere it may go."""
    return [where for where in part.choice_of("out").ids if where != "none"]


def check_sends(path: str, part: Layer | Bus) -> None:
    """Raises `ValueError` where a layer or a bus sends to a place that it cannot go to."""
    for where in part.sends:
        if where not in sends_to(part):
            raise ValueError(f"{path}.sends: {cannot_send(path, where)}")


def cannot_send(path: str, where: str) -> str:
    """Why a layer or a bus cannot send to a place, in a sentence."""
    name = f"layer {path.split('.')[1].upper()}" if path.startswith("layers") else f"bus {path.split('.')[1]}"
    if where not in WHERE or where == "none":
        return f"there is no place “{cut(where, 20)}” that {name} could send to"
    return f"{name} cannot send to {WHERE[where].lower()}, which may come to it: the sound would go round and round"
