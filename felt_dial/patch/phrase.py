"""A phrase: notes in beats that play while one works, and with which a preset is best heard."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace
from typing import NamedTuple, Self

from pydantic import ConfigDict, Field, model_validator
from pydantic.dataclasses import dataclass

MOST_BEATS, MOST_NOTES, SHORTEST = 512, 4_000, 1 / 64
"""How long a phrase may be, how many notes it may have, and the shortest of them, in beats."""
LONGEST_ID = LONGEST_NAME = 80
"""Letters of what a phrase is called."""


class Beat(NamedTuple):
    """A note of a phrase: where and how long in beats, key, velocity 1–127."""

    at: float
    length: float
    key: int
    velocity: int = 96


class Note(NamedTuple):
    """A note in time: when and how long (seconds), key, velocity 1–127."""

    start: float
    length: float
    key: int
    velocity: int = 100


@dataclass(frozen=True, config=ConfigDict(extra="ignore"))
class Phrase:
    """A few bars with a name. Notes begin inside of it; what is held at its end may sound on."""

    id: str = Field(max_length=LONGEST_ID)
    name: str = Field(max_length=LONGEST_NAME)
    beats: float = Field(ge=1.0, le=MOST_BEATS)
    notes: tuple[Beat, ...] = Field(max_length=MOST_NOTES)

    @model_validator(mode="after")
    def _whole(self) -> Self:
        for note in self.notes:
            if not (0 <= note.at < MOST_BEATS and SHORTEST / 2 <= note.length <= MOST_BEATS):
                raise ValueError("a note of the phrase lies outside of it")
            if not (0 <= note.key <= 127 and 1 <= note.velocity <= 127):
                raise ValueError("a note of the phrase has no key or velocity that there is")
        return self

    def seconds(self, tempo: float) -> float:
        """Length at a tempo."""
        return self.beats * 60.0 / tempo

    def in_seconds(self, tempo: float) -> list[Note]:
        """The notes at a tempo, in seconds."""
        beat = 60.0 / tempo
        return [Note(n.at * beat, n.length * beat, n.key, n.velocity) for n in self.notes]


def whole_bars(end: float, bar: float = 4.0) -> float:
    """The beats of as many whole bars as it takes to reach `end`, at least one."""
    return max(bar * math.ceil(end / bar - 1e-6), bar)


def snapped(value: float, step: float) -> float:
    """The nearest whole number of steps; the value itself where the step is 0."""
    return round(value / step) * step if step else value


def quantised(phrase: Phrase, step: float) -> Phrase:
    """The phrase with its notes begun on steps of so many beats; how long they are held stays, but for whole steps."""
    notes = []
    for note in phrase.notes:
        at = snapped(note.at, step)
        length = max(snapped(note.length, step), step) if step else note.length
        # one behind the end was played a little early: it is the first of the next turn
        notes.append(note._replace(at=at if at < phrase.beats else 0.0, length=length))
    return replace(phrase, notes=tuple(sorted(set(notes))))


def trimmed(phrase: Phrase, bar: float = 4.0) -> Phrase:
    """The phrase without the silence before its first note, whole beats of it, and as long as whole bars."""
    if not phrase.notes:
        return phrase
    first = math.floor(min(note.at for note in phrase.notes) + 1e-6)
    notes = tuple(note._replace(at=max(note.at - first, 0.0)) for note in phrase.notes)
    return replace(phrase, beats=whole_bars(max(note.at + 1e-6 for note in notes), bar), notes=notes)


def with_notes(phrase: Phrase, notes: Iterable[Beat]) -> Phrase:
    """The phrase with other notes, in order; of two that begin at one place on one key the longer one stays.

    What begins behind the end of the phrase makes it longer by whole bars.
    """
    kept: dict[tuple[float, int], Beat] = {}
    for note in notes:
        place = round(note.at, 6), note.key
        if place not in kept or kept[place].length < note.length:
            kept[place] = note
    last = max((note.at for note in kept.values()), default=0.0)
    beats = phrase.beats if last < phrase.beats else min(whole_bars(last + 1e-3), MOST_BEATS)
    return replace(phrase, beats=beats, notes=tuple(sorted(kept.values())))


def moved(note: Beat, beats: float, keys: int) -> Beat:
    """A note later or earlier, higher or lower; it stays within what there is."""
    return note._replace(at=min(max(note.at + beats, 0.0), MOST_BEATS - 1.0), key=min(max(note.key + keys, 0), 127))


def lengthened(note: Beat, length: float) -> Beat:
    """A note that is held so many beats."""
    return note._replace(length=min(max(length, SHORTEST), MOST_BEATS))


def louder(note: Beat, velocity: int) -> Beat:
    """A note of another velocity."""
    return note._replace(velocity=min(max(velocity, 1), 127))


def of_length(phrase: Phrase, beats: float) -> Phrase:
    """The phrase as long as so many beats; notes that begin behind its end are left out."""
    beats = min(max(beats, 1.0), float(MOST_BEATS))
    return replace(phrase, beats=beats, notes=tuple(note for note in phrase.notes if note.at < beats))
