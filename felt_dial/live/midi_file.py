"""Standard MIDI Files as events: notes, wheels, pedals, fingers."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

from felt_dial.errors import cut
from felt_dial.live.controller import Reader
from felt_dial.patch.documents.kind import BadDocument
from felt_dial.sound.playing.events import PANIC, TEMPO, Event

LONGEST = 4 * 3600.0
"""Seconds that a file may last."""


def read_midi(path: Path, tempo: float, rate: float, fixed: bool = False) -> tuple[list[Event], float]:
    """Events, frames counted from the beginning, and the length in seconds.

    A file's own map of tempos rules where it has one, also what counts in beats; `tempo` where it has none, or where it is
    `fixed`. What is still held at its end is let go. Raises `BadDocument` for what is no whole Standard MIDI File.
    """
    import mido
    from mido.midifiles.meta import KeySignatureError

    where = f"“{cut(path.name)}”"
    try:
        file = mido.MidiFile(path, clip=True)
        merged = mido.merge_tracks(file.tracks)
        has_tempo = any(message.type == "set_tempo" for message in merged)
        messages = list(file) if has_tempo and not fixed else _at_one_tempo(merged, file, tempo)
    except (
        OSError,
        EOFError,
        ValueError,
        LookupError,
        TypeError,
        ArithmeticError,
        AttributeError,
        KeySignatureError,
    ) as wrong:
        raise BadDocument(f"{where} is no whole Standard MIDI File ({cut(wrong)}). Nothing was played.") from None
    length = sum(message.time for message in messages)
    if not math.isfinite(length) or length > LONGEST:
        raise BadDocument(f"{where} lasts more than {LONGEST / 3600:.0f} hours. Nothing was played.")
    events: list[Event] = []
    reader = Reader()
    at = 0.0
    for message in messages:
        at += message.time
        if message.type == "set_tempo" and message.tempo > 0 and not fixed:
            events.append(Event(round(at * rate), TEMPO, value=60e6 / message.tempo))
        events += reader.read(message, round(at * rate))
    return [*events, Event(round(at * rate), PANIC)], at


def _at_one_tempo(merged: Any, file: Any, tempo: float) -> list[Any]:
    """The messages with their times in seconds, as if the file had one tempo from end to end."""
    beat = 60.0 / tempo / file.ticks_per_beat
    return [message.copy(time=message.time * beat) for message in merged]
