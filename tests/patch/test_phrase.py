"""Phrases as values: quantised, trimmed, lengthened; what cannot be one is refused."""

from __future__ import annotations

import json
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from felt_dial.patch.documents.kind import BadDocument
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.parts import KINDS
from felt_dial.patch.phrase import (
    Beat,
    Phrase,
    lengthened,
    louder,
    moved,
    of_length,
    quantised,
    trimmed,
    whole_bars,
    with_notes,
)
from felt_dial.sound.modules import new_patch
from felt_dial.sound.playing.phrases import PHRASES, SHOWN_BY

NOTES = st.builds(Beat, st.floats(0, 7.99), st.floats(1 / 32, 8), st.integers(0, 127), st.integers(1, 127))


def phrase(*notes: Beat, beats: float = 8.0) -> Phrase:
    return Phrase("x", "X", beats, notes)


@given(st.lists(NOTES, max_size=20), st.sampled_from([1.0, 0.5, 1 / 3, 0.25, 0.125]))
def test_quantised_notes_begin_on_the_grid_and_twice_is_once(notes: list[Beat], step: float) -> None:
    made = quantised(phrase(*notes), step)
    for note in made.notes:
        assert abs(note.at / step - round(note.at / step)) < 1e-6 and 0 <= note.at < 8 and note.length >= step - 1e-9
    assert quantised(made, step) == made
    for note in notes:
        nearest = [abs(other.at - note.at) for other in made.notes if other.key == note.key]
        assert min([*nearest, 8 - note.at]) <= step / 2 + 1e-6, (
            "no note goes further than half a step, or round the end"
        )


def test_a_note_played_a_little_early_for_the_next_turn_is_its_first() -> None:
    assert quantised(phrase(Beat(7.95, 0.2, 60)), 0.25).notes[0].at == 0.0


def test_trimming_takes_silence_away_and_keeps_what_is_between() -> None:
    made = trimmed(phrase(Beat(3.1, 0.5, 60), Beat(5.0, 0.5, 64), beats=16.0))
    assert [note.at for note in made.notes] == pytest.approx([0.1, 2.0]) and made.beats == 4.0
    assert trimmed(phrase()) == phrase()


def test_notes_behind_the_end_make_it_longer_by_whole_bars_and_shorter_leaves_them_out() -> None:
    made = with_notes(phrase(), [Beat(9.0, 1.0, 60)])
    assert made.beats == 12.0 and of_length(made, 8.0).notes == ()
    assert [whole_bars(end) for end in (0.1, 4.0, 4.1, 8.0)] == [4.0, 4.0, 8.0, 8.0]


def test_of_two_on_one_place_the_longer_stays() -> None:
    made = with_notes(phrase(), [Beat(1.0, 0.25, 60, 80), Beat(1.0, 2.0, 60, 90), Beat(1.0, 0.5, 61, 70)])
    assert made.notes == (Beat(1.0, 0.5, 61, 70), Beat(1.0, 2.0, 60, 90))


@given(NOTES, st.floats(-20, 20), st.integers(-200, 200), st.floats(-5, 900), st.integers(-300, 300))
def test_whatever_a_hand_does_a_note_stays_one(note: Beat, by: float, keys: int, long: float, loud: int) -> None:
    made = louder(lengthened(moved(note, by, keys), long), loud)
    assert with_notes(phrase(), [made]).notes == (made,)


@pytest.mark.parametrize(
    "wrong",
    [
        Beat(-1.0, 1.0, 60),
        Beat(0.0, 0.0, 60),
        Beat(0.0, 1.0, 128),
        Beat(0.0, 1.0, 60, 0),
        Beat(float("nan"), 1.0, 60),
        Beat(1e9, 1.0, 60),
    ],
)
def test_what_is_no_note_is_refused(wrong: Beat) -> None:
    with pytest.raises(ValidationError):
        phrase(wrong)


def test_every_kind_has_a_phrase_and_they_are_music_not_exercises() -> None:
    """Sixteen and more, each of its own; common practice: several keys or several strokes, within what hands play."""
    assert set(SHOWN_BY) == set(KINDS) and len(PHRASES) >= 16
    assert len({made.notes for made in PHRASES.values()}) == len(PHRASES)
    for made in PHRASES.values():
        assert made.notes == tuple(made.notes) and max(note.at for note in made.notes) < made.beats
        together = [sum(n.at <= at < n.at + n.length for n in made.notes) for at in {note.at for note in made.notes}]
        assert max(together) <= 8


def test_a_preset_holds_its_phrase_and_one_without_is_written_as_before() -> None:
    plain = new_patch()
    assert '"phrase"' not in write_patch(plain) and '"mark"' not in write_patch(plain)
    given_ = plain.model_copy(update={"phrase": PHRASES["lead"], "mark": "woad", "made": date(2026, 11, 27)})
    assert read_patch(write_patch(given_), "A patch") == given_


@pytest.mark.parametrize("made", ["2026-99-99", "yesterday", 20261127.5, "0000-01-01"])
def test_a_day_that_there_is_not_is_refused_with_the_document(made: object) -> None:
    text = write_patch(new_patch()).replace('"format"', f'"made": {json.dumps(made)}, "format"', 1)
    with pytest.raises(BadDocument, match="made"):
        read_patch(text, "A patch")


@pytest.mark.parametrize("beats", [0.0, 1 / 64, 1e9, float("nan")])
def test_a_phrase_is_at_least_a_beat_long_and_as_long_as_may_be(beats: float) -> None:
    with pytest.raises(ValidationError):
        phrase(beats=beats)
