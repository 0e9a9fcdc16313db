"""Phrases: what plays while one works, as notes in beats."""

from __future__ import annotations

from typing import NamedTuple


class Beat(NamedTuple):
    """A note of a phrase: where and how long in beats, key, velocity 1–127."""

    at: float
    length: float
    key: int
    velocity: int = 96


class Phrase(NamedTuple):
    """A few bars with a name, and the types of preset that it shows best."""

    id: str
    name: str
    beats: float
    notes: tuple[Beat, ...]
    shows: tuple[str, ...] = ()

    def seconds(self, tempo: float) -> float:
        """Length at a tempo."""
        return self.beats * 60.0 / tempo

    def in_seconds(self, tempo: float) -> list[Note]:
        """The notes at a tempo, in seconds."""
        beat = 60.0 / tempo
        return [Note(n.at * beat, n.length * beat, n.key, n.velocity) for n in self.notes]


def _chords() -> tuple[Beat, ...]:
    chords = ((0, (45, 57, 60, 64)), (4, (41, 57, 60, 65)), (8, (48, 55, 60, 64)), (12, (43, 55, 59, 62)))
    return tuple(Beat(at, 3.75, key, 92) for at, keys in chords for key in keys)


def _bass() -> tuple[Beat, ...]:
    line = ((0, 1.4, 33), (1.5, 0.4, 33), (2, 0.9, 36), (3, 0.9, 40), (4, 1.4, 29), (5.5, 0.4, 41), (6, 1.9, 31))
    return tuple(Beat(at, length, key, 104 if at % 2 == 0 else 88) for at, length, key in line)


def _arpeggio() -> tuple[Beat, ...]:
    keys = (57, 60, 64, 69, 72, 69, 64, 60, 53, 57, 60, 65, 69, 65, 60, 57)
    return tuple(Beat(n * 0.5, 0.45, key, 100 if n % 4 == 0 else 80) for n, key in enumerate(keys))


def _drums() -> tuple[Beat, ...]:
    kick = ((0, 112), (0.75, 84), (2, 112), (3.5, 92))
    return tuple(Beat(at, 0.25, 48, velocity) for at, velocity in kick)


PHRASES: dict[str, Phrase] = {
    phrase.id: phrase
    for phrase in (
        Phrase("held", "Held chord", 8, tuple(Beat(0, 7, key, 92) for key in (48, 55, 60, 64)), ("Moment",)),
        Phrase("slow", "Slow chords, 4 bars", 16, _chords(), ("Pad", "Strings", "Brass")),
        Phrase("bass", "Bass line, 2 bars", 8, _bass(), ("Bass",)),
        Phrase("arpeggio", "Arpeggio, 2 bars", 8, _arpeggio(), ("Keys", "Pluck")),
        Phrase("rising", "One note, rising velocity", 8, tuple(Beat(n, 0.6, 60, 15 + 16 * n) for n in range(8))),
        Phrase(
            "scale",
            "Scale, six octaves",
            22,
            tuple(Beat(n * 0.5, 0.45, 24 + 12 * (n // 7) + (0, 2, 4, 5, 7, 9, 11)[n % 7], 92) for n in range(43)),
        ),
        Phrase("drum", "Drum bar", 4, _drums(), ("Drum",)),
        Phrase("legato", "Two notes, legato", 4, (Beat(0, 2.1, 57, 96), Beat(2, 1.75, 64, 96)), ("Lead",)),
    )
}


def phrase_for(kind: str) -> Phrase:
    """The phrase that shows a type of preset best; an arpeggio for any other."""
    return next((phrase for phrase in PHRASES.values() if kind in phrase.shows), PHRASES["arpeggio"])


class Note(NamedTuple):
    """A note of a phrase: when and how long (seconds), key, velocity 1–127."""

    start: float
    length: float
    key: int
    velocity: int = 100
