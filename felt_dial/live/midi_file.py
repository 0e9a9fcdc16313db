"""Standard MIDI Files as events: notes, wheels, pedals, fingers."""

from __future__ import annotations

import math
from pathlib import Path

from felt_dial.errors import cut
from felt_dial.live.controller import Reader
from felt_dial.patch.documents.kind import BadDocument
from felt_dial.sound.playing.events import PANIC, Event

LONGEST = 4 * 3600.0
"""Seconds that a file may last."""


def read_midi(path: Path, tempo: float, rate: float) -> tuple[list[Event], float]:
    """Events, frames counted from the beginning, and the length in seconds; a file's own tempo rules where it has one.

    What is still held at its end is let go. Raises `BadDocument` for what is no whole Standard MIDI File.
    """
    import mido
    from mido.midifiles.meta import KeySignatureError

    where = f"“{cut(path.name)}”"
    try:
        file = mido.MidiFile(path, clip=True)
        has_tempo = any(message.type == "set_tempo" for track in file.tracks for message in track)
        messages = list(file)
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
    if not math.isfinite(file.length) or file.length > LONGEST:
        raise BadDocument(f"{where} lasts more than {LONGEST / 3600:.0f} hours. Nothing was played.")
    stretch = 1.0 if has_tempo else 120.0 / tempo
    events: list[Event] = []
    reader = Reader()
    at = 0.0
    for message in messages:
        at += message.time * stretch
        events += reader.read(message, round(at * rate))
    return [*events, Event(round(at * rate), PANIC)], at
