"""Standard MIDI Files as events: notes, wheels, pedals, fingers."""

from __future__ import annotations

import contextlib
import io
import math
from pathlib import Path
from typing import Any

from felt_dial.errors import cut
from felt_dial.files import reason_of, regular, write_whole
from felt_dial.live.midi.controller import Reader
from felt_dial.patch.documents.kind import BadDocument
from felt_dial.patch.phrase import MOST_BEATS, MOST_NOTES, Beat, Phrase, whole_bars
from felt_dial.sound.playing.events import OFF, ON, PANIC, TEMPO, Event

LARGEST = 8 * 2**20
LARGEST_PHRASE = 2**18
"""Bytes that a file may have, and one that a phrase is taken from: the limit of notes is far below."""
LONGEST = 4 * 3600.0
"""Seconds that a file may last."""
TICKS = 960.0
"""Of a beat."""


def read_midi(path: Path, tempo: float, rate: float, fixed: bool = False) -> tuple[list[Event], float]:
    """Events, frames counted from the beginning, and the length in seconds.

    A file's own map of tempos rules where it has one, also what counts in beats; `tempo` where it has none, or where it is
    `fixed`. What is still held at its end is let go. Raises `BadDocument` for what is no whole Standard MIDI File.
    """
    import mido
    from mido.midifiles.meta import KeySignatureError

    where = f"“{cut(path.name)}”"
    try:
        regular(path)
        if (size := path.stat().st_size) > LARGEST:
            raise BadDocument(
                f"{where} has {size / 2**20:.1f} MB, more than a file of notes needs. Nothing was played."
            )
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
        said = reason_of(wrong) if isinstance(wrong, OSError) else cut(wrong)
        why = f" ({said})" if said else ""
        raise BadDocument(f"{where} is no whole Standard MIDI File{why}. Nothing was played.") from None
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


def phrase_of(path: Path) -> Phrase:
    """The notes of a file as a phrase, counted in beats, as long as whole bars of four; its tempo is left to the patch.

    Raises `BadDocument` for what is no Standard MIDI File, or holds no note, or more than a phrase may.
    """
    where = f"“{cut(path.name)}”"
    with contextlib.suppress(OSError):
        if (size := path.stat().st_size) > LARGEST_PHRASE:
            raise BadDocument(
                f"{where} has {size / 1024:.0f} kB; a phrase of {MOST_NOTES} notes has far less. Nothing was taken."
            )
    events, end = read_midi(path, 60.0, TICKS, fixed=True)
    if end >= MOST_BEATS:
        raise BadDocument(f"{where} is {end:.0f} beats long; a phrase may have {MOST_BEATS}. Nothing was taken.")
    down: dict[tuple[int, int], list[Event]] = {}
    notes: list[Beat] = []
    for event in events:
        place = event.channel, int(event.key)
        if event.kind == ON:
            down.setdefault(place, []).append(event)
        if event.kind in (OFF, PANIC):
            ended = (
                down.get(place, [])[:1] if event.kind == OFF else [held for those in down.values() for held in those]
            )
            for began in ended:
                down[began.channel, int(began.key)].remove(began)
                length = max((event.frame - began.frame) / TICKS, 1 / 32)
                notes.append(Beat(began.frame / TICKS, length, int(began.key), max(1, round(127 * began.value))))
    if not notes:
        raise BadDocument(f"{where} holds no notes. Nothing was taken.")
    if len(notes) > MOST_NOTES:
        raise BadDocument(f"{where} holds {len(notes)} notes; a phrase may have {MOST_NOTES}. Nothing was taken.")
    last = max(note.at + note.length for note in notes)
    return Phrase(f"file:{path.stem[:64]}", path.stem[:64], whole_bars(last), tuple(sorted(notes)))


def _at_one_tempo(merged: Any, file: Any, tempo: float) -> list[Any]:
    """The messages with their times in seconds, as if the file had one tempo from end to end."""
    beat = 60.0 / tempo / file.ticks_per_beat
    return [message.copy(time=message.time * beat) for message in merged]


def write_phrase_as_midi(phrase: Phrase, tempo: float, path: Path) -> None:
    """Writes a phrase as a Standard MIDI File of one track; raises `CannotWrite`."""
    import mido

    file = mido.MidiFile(ticks_per_beat=int(TICKS), type=0)
    track = mido.MidiTrack()
    file.tracks.append(track)
    track.append(mido.MetaMessage("track_name", name=phrase.name.encode("latin-1", "replace").decode("latin-1")))
    track.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(tempo)))
    ends = [(note.at + note.length, 0, note) for note in phrase.notes]
    begins = [(note.at, 1, note) for note in phrase.notes]
    ticks = 0
    for at, on, note in sorted([*ends, *begins]):
        now = round(at * TICKS)
        kind = "note_on" if on else "note_off"
        track.append(mido.Message(kind, note=note.key, velocity=note.velocity if on else 0, time=now - ticks))
        ticks = now
    track.append(mido.MetaMessage("end_of_track", time=max(round(phrase.beats * TICKS) - ticks, 0)))
    memory = io.BytesIO()
    file.save(file=memory)
    write_whole(path, memory.getvalue())
