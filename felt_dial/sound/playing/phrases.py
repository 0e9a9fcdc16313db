"""Phrases that come with the program: for every kind of preset one that shows it, and a few to try a sound out with."""

from __future__ import annotations

from felt_dial.patch.patch import Patch
from felt_dial.patch.phrase import Beat, Phrase


def _chords(*chords: tuple[float, float, tuple[int, ...], int]) -> tuple[Beat, ...]:
    """Chords, each (at, length, keys, velocity)."""
    return tuple(Beat(at, length, key, velocity) for at, length, keys, velocity in chords for key in keys)


def _line(*notes: tuple[float, float, int, int]) -> tuple[Beat, ...]:
    """One voice, each note (at, length, key, velocity)."""
    return tuple(Beat(*note) for note in notes)


def _arpeggio() -> tuple[Beat, ...]:
    keys = (57, 60, 64, 69, 72, 69, 64, 60, 53, 57, 60, 65, 69, 65, 60, 57)
    return tuple(Beat(n * 0.5, 0.45, key, 100 if n % 4 == 0 else 80) for n, key in enumerate(keys))


def _pulse() -> tuple[Beat, ...]:
    roots = (33, 33, 29, 31)
    return tuple(
        Beat(n * 0.5, 0.32, roots[n // 8] + (12 if n % 8 == 6 else 0), 110 if n % 4 == 0 else 84) for n in range(32)
    )


def _drum(strokes: tuple[tuple[float, int], ...]) -> tuple[Beat, ...]:
    return tuple(Beat(at, 0.25, 48, velocity) for at, velocity in strokes)


PHRASES: dict[str, Phrase] = {
    phrase.id: phrase
    for phrase in (
        Phrase(
            "bass",
            "Bass line",
            8,
            _line(
                *((0, 1.4, 33, 104), (1.5, 0.4, 33, 88), (2, 0.9, 36, 104), (3, 0.9, 40, 88), (4, 1.4, 29, 104)),
                *((5.5, 0.4, 41, 88), (6, 1.9, 31, 104)),
            ),
        ),
        Phrase("pulse", "Low pulse", 16, _pulse()),
        Phrase(
            "slow",
            "Slow chords",
            16,
            _chords(
                *((0, 3.75, (45, 57, 60, 64), 92), (4, 3.75, (41, 57, 60, 65), 92)),
                *((8, 3.75, (48, 55, 60, 64), 92), (12, 3.75, (43, 55, 59, 62), 92)),
            ),
        ),
        Phrase(
            "strings",
            "Three voices",
            16,
            _line(
                *((0, 4, 45, 80), (4, 4, 41, 84), (8, 4, 43, 90), (12, 4, 40, 84)),
                *(
                    (0, 2.05, 57, 76),
                    (2, 2.05, 59, 80),
                    (4, 4, 60, 84),
                    (8, 2.05, 62, 90),
                    (10, 2, 59, 84),
                    (12, 4, 56, 80),
                ),
                *((0, 4.05, 64, 84), (4, 2.05, 69, 92), (6, 2.05, 67, 88), (8, 4.05, 67, 96), (12, 4, 64, 84)),
            ),
        ),
        Phrase(
            "brass",
            "Stabs and a swell",
            8,
            _chords(
                *((0, 0.4, (53, 57, 60, 65), 116), (0.75, 0.4, (53, 57, 60, 65), 100), (2, 0.9, (55, 59, 62, 67), 112)),
                (3.5, 4.0, (57, 60, 64, 69), 84),
            ),
        ),
        Phrase("arpeggio", "Arpeggio", 8, _arpeggio()),
        Phrase(
            "keys",
            "Chords and an answer",
            8,
            _chords(
                *((0, 1.4, (45, 60, 64, 67), 92), (1.5, 0.4, (60, 64, 67), 74), (4, 1.4, (41, 57, 60, 64), 90)),
                (5.5, 0.4, (57, 60, 64), 74),
            )
            + _line((2.5, 0.45, 76, 84), (3, 0.45, 74, 80), (3.5, 0.45, 72, 88), (6.5, 0.45, 69, 84), (7, 0.9, 71, 92)),
        ),
        Phrase(
            "organ",
            "Four parts",
            16,
            _chords(
                *((0, 1.9, (48, 60, 64, 67), 96), (2, 1.9, (50, 59, 62, 67), 96), (4, 1.9, (52, 60, 64, 67), 96)),
                *((6, 1.9, (53, 60, 65, 69), 96), (8, 1.9, (55, 60, 64, 72), 96), (10, 1.9, (55, 59, 65, 74), 96)),
                (12, 3.8, (48, 60, 64, 72), 96),
            ),
        ),
        Phrase(
            "lead",
            "Melody",
            16,
            _line(
                *((0, 1.55, 69, 100), (1.5, 0.55, 71, 88), (2, 1.05, 72, 96), (3, 1.05, 76, 108), (4, 2.05, 74, 104)),
                *((6, 1.05, 72, 92), (7, 1, 67, 88), (8, 1.55, 69, 100), (9.5, 0.55, 71, 88), (10, 1.05, 72, 96)),
                *((11, 1.05, 79, 116), (12, 3.2, 76, 108)),
            ),
        ),
        Phrase(
            "voice",
            "Slow song",
            16,
            _line(
                (0, 2.9, 64, 84),
                (3, 1, 65, 80),
                (4, 3.8, 67, 96),
                (8, 1.9, 69, 100),
                (10, 1.9, 67, 92),
                (12, 3.8, 64, 84),
            )
            + _line((4, 3.8, 60, 80), (12, 3.8, 57, 76)),
        ),
        Phrase(
            "bell",
            "Falling bells",
            8,
            _line(
                *((0, 1.8, 84, 104), (0.5, 1.8, 79, 80), (1, 1.8, 76, 88), (1.5, 1.8, 72, 76), (2.5, 1.8, 74, 92)),
                *((3, 1.8, 79, 80), (4, 1.8, 81, 100), (4.5, 1.8, 76, 80), (5, 1.8, 72, 84), (5.5, 1.8, 69, 76)),
                *((6.5, 1.8, 71, 92), (7, 1.8, 76, 80)),
            ),
        ),
        Phrase("drum", "Drum bar", 4, _drum(((0, 112), (0.75, 84), (2, 112), (3.5, 92)))),
        Phrase(
            "fill",
            "Drum bar with ghosts",
            4,
            _drum(
                (
                    (0, 116),
                    (0.75, 40),
                    (1, 96),
                    (1.5, 34),
                    (1.75, 52),
                    (2, 112),
                    (2.5, 46),
                    (3, 100),
                    (3.25, 60),
                    (3.5, 76),
                )
            ),
        ),
        Phrase("texture", "Two long notes", 16, _line((0, 9, 45, 84), (6, 9, 64, 92))),
        Phrase("moment", "One note, four bars", 16, _line((0, 12, 57, 100))),
        Phrase(
            "pattern", "Chord to chord", 16, _chords((0, 7.9, (45, 52, 57, 60), 96), (8, 7.9, (41, 48, 57, 60), 96))
        ),
        Phrase("legato", "Two notes, legato", 4, (Beat(0, 2.1, 57, 96), Beat(2, 1.75, 64, 96))),
        Phrase("held", "Held chord", 8, _chords((0, 7, (48, 55, 60, 64), 92))),
        Phrase("rising", "One note, rising velocity", 8, tuple(Beat(n, 0.6, 60, 15 + 16 * n) for n in range(8))),
        Phrase(
            "scale",
            "Scale, six octaves",
            22,
            tuple(Beat(n * 0.5, 0.45, 24 + 12 * (n // 7) + (0, 2, 4, 5, 7, 9, 11)[n % 7], 92) for n in range(43)),
        ),
    )
}
SHOWN_BY = {
    "Bass": "bass",
    "Bell": "bell",
    "Brass": "brass",
    "Drum": "drum",
    "Keys": "keys",
    "Lead": "lead",
    "Moment": "moment",
    "Organ": "organ",
    "Pad": "slow",
    "Pattern": "pattern",
    "Pluck": "arpeggio",
    "Strings": "strings",
    "Texture": "texture",
    "Voice": "voice",
    "Other": "arpeggio",
}
"""Which phrase shows a kind of preset best."""


def phrase_for(kind: str) -> Phrase:
    """The phrase that shows a kind of preset best; an arpeggio for what has none."""
    return PHRASES[SHOWN_BY.get(kind, "arpeggio")]


def heard_with(patch: Patch) -> Phrase:
    """The phrase that a preset is best heard with: its own, or that of its kind."""
    return patch.phrase or phrase_for(patch.type)
