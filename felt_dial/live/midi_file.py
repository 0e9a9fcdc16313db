"""Standard MIDI Files as notes and wheel moves."""

from __future__ import annotations

from pathlib import Path

from felt_dial.patch.document import BadDocument
from felt_dial.sound.render import Note
from felt_dial.sound.voices import BEND, WHEEL, Event

MOD_WHEEL = 1


def read_midi(path: Path, tempo: float, rate: float) -> tuple[list[Note], list[Event], float]:
    """Notes, wheel events and the length in seconds of a file; its own tempo rules where it has one.

    Raises `BadDocument` for what is no whole Standard MIDI File.
    """
    import mido

    where = f"“{path.name}”"
    try:
        file = mido.MidiFile(path, clip=True)
        has_tempo = any(message.type == "set_tempo" for track in file.tracks for message in track)
        messages = list(file)
    except (OSError, EOFError, ValueError, KeyError, IndexError, TypeError) as wrong:
        raise BadDocument(f"{where} is no whole Standard MIDI File ({wrong}). Nothing was played.") from None
    stretch = 1.0 if has_tempo else 120.0 / tempo
    notes: list[Note] = []
    events: list[Event] = []
    sounding: dict[tuple[int, int], list[tuple[float, int]]] = {}
    at = 0.0
    for message in messages:
        at += message.time * stretch
        if message.type in ("note_on", "note_off"):
            key = (message.channel, message.note)
            if message.type == "note_on" and message.velocity > 0:
                sounding.setdefault(key, []).append((at, message.velocity))
            elif sounding.get(key):
                start, velocity = sounding[key].pop(0)
                notes.append(Note(start, at - start, message.note, velocity))
        elif message.type == "pitchwheel":
            events.append(Event(round(at * rate), BEND, 0, max(-1.0, message.pitch / 8191)))
        elif message.type == "control_change" and message.control == MOD_WHEEL:
            events.append(Event(round(at * rate), WHEEL, 0, message.value / 127))
    for (_, note), held in sounding.items():
        notes += [Note(start, at - start, note, velocity) for start, velocity in held]
    return sorted(notes), events, at
