"""What a player does, as events at a frame."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

ON, OFF, BEND, WHEEL, PANIC, PRESSURE, SLIDE, SUSTAIN, SOSTENUTO, TEMPO, RANGE, PEDAL, HOLD = range(13)


class Event(NamedTuple):
    """Something the player did, at a frame of the block or of the render.

    `kind` is ON (key, velocity 0–1), OFF (key, release velocity 0–1), BEND (value −1…1), WHEEL, PRESSURE or SLIDE (value
    0…1), SUSTAIN or SOSTENUTO (down from 0.5), PEDAL (a sustain pedal that holds keys elsewhere: it moves what the pedal
    moves, and holds no note), PANIC, RANGE (semitones that BEND reaches), TEMPO (beats a minute, from the block of its
    frame on: all that counts in beats follows) or HOLD (from 0.5, OFF is kept back until it ends; it is for who hands events
    on, and nothing to who sounds them). Channel 0 speaks to the whole patch; bend, pressure and slide of any other
    channel move the notes of that channel alone, as in MPE. PRESSURE with a key moves the notes of that key.
    """

    frame: int
    kind: int
    key: float = 0.0
    value: float = 0.0
    channel: int = 0


def in_order(events: Iterable[Event]) -> list[Event]:
    """Events in the order in which they happen. At one frame keys go up before others go down, the lowest key first: notes are
    numbered as they are struck, chance is counted by those numbers, and no order of a file shall be heard."""
    return sorted(events, key=_moment)


def _moment(event: Event) -> tuple[int, bool, float, float]:
    notes = event.kind in (ON, OFF)
    return event.frame, event.kind == ON, event.key if notes else -1.0, event.value if notes else 0.0
