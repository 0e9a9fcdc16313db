"""What the documents of the program say by themselves: defaults, limits, names, and what happens where nothing is there."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from pydantic import ValidationError

from felt_dial.bank.finding.matter import Found
from felt_dial.bank.library.bin import DAYS, Bin
from felt_dial.bank.library.library import Library
from felt_dial.bank.library.package import export_bank, import_bank
from felt_dial.bank.library.places import Settings
from felt_dial.bank.measuring.features import BANDS, FLOOR_DB, HOP, SIZE, features_of
from felt_dial.bank.variation.variations import between
from felt_dial.errors import FeltDialError
from felt_dial.patch.documents.patch import write_patch
from felt_dial.patch.edits import add_effect, add_layer, add_modulator
from felt_dial.patch.module import Effect, Modulator
from felt_dial.sound.modules import new_layer, new_patch

RATE = 48000

BOUNDS = {
    "rate": (8000, 384_000, 48000),
    "block": (16, 8192, 256),
    "versions": (1, 1000, 3),
    "bin_days": (1, 36500, 90),
    "bin_most": (1, 100_000, 500),
    "scale": (1.0, 2.0, 1.0),
}
"""Lowest, highest and first value of every setting that is a number."""


@pytest.mark.parametrize("name", list(BOUNDS))
def test_settings_hold_their_bounds_and_no_more(name: str) -> None:
    low, high, first = BOUNDS[name]
    assert getattr(Settings(), name) == first
    for value in (low, high):
        assert getattr(Settings(**{name: value}), name) == value
    step = 0.01 if name == "scale" else 1
    for value in (low - step, high + step):
        with pytest.raises(ValidationError):
            Settings(**{name: value})


def test_settings_begin_as_the_guide_says() -> None:
    first = Settings()
    assert (first.device, first.controller, first.quality, first.render_quality) == ("default", "none", 1, 4)
    assert (first.library, first.recent, first.keyboard, first.closing) == ("", (), None, "keep")
    assert first.letter_keys and first.hover and not first.night and not first.keep_solo
    for quality in (0, 3, 5, 7, 9, 16):
        for name in ("quality", "render_quality"):
            with pytest.raises(ValidationError):
                Settings(**{name: quality})


def test_what_is_found_is_nothing_more_than_its_file_until_it_is_looked_into() -> None:
    found = Found("/a/b.wav", 1, 2, "b", "a", "own")
    assert found[6:] == ("", 0, 0.0, 0, 0.0, 0, None, 0.0)


def test_a_bank_that_is_taken_in_keeps_its_name_unless_it_is_given_another(tmp_path: Path) -> None:
    library = Library(tmp_path / "one")
    bank = library.create("Fen Edge")
    other = Library(tmp_path / "two")
    assert other.take_in(bank.folder).name == "Fen Edge"
    assert other.take_in(bank.folder, "Marsh").name == "Marsh"
    assert [b.name for b in other.banks()] == ["Fen Edge", "Marsh"]


@pytest.mark.parametrize("harm", [b"", b"{", b"[]", b'{"days": 3}', b'{"days": "x", "last": 1}', None])
def test_a_bin_counts_its_days_whatever_its_notes_say(tmp_path: Path, harm: bytes | None) -> None:
    bin_ = Bin(tmp_path)
    bin_.folder.mkdir(parents=True, exist_ok=True)
    if harm is not None:
        (bin_.folder / DAYS).write_bytes(harm)
    known = 3 if harm == b'{"days": 3}' else 0
    assert bin_._count_day() == known + 1
    assert json.loads((bin_.folder / DAYS).read_text())["days"] == known + 1
    assert bin_._count_day() == known + 1, "a day counts once"


def test_features_of_next_to_nothing() -> None:
    for frames in (0, 1, SIZE - 1):
        nothing = features_of(np.zeros((2, frames), np.float32), RATE)
        assert nothing[:6] == (0.0,) * 6 and nothing.shape.tolist() == [FLOOR_DB] * BANDS
    short = features_of(np.full((2, SIZE - 1), 0.5, np.float32), RATE)
    assert short.shape.tolist() == [FLOOR_DB] * BANDS


def test_a_rise_and_a_length_are_what_they_are_to_a_look() -> None:
    """A tone that rises in a straight line for half a second, stands and stops: from 5 to 80 % of the rise is 0.375 s."""
    t = np.arange(RATE * 2) / RATE
    tone = np.sin(2 * np.pi * 440 * t) * np.clip(t / 0.5, 0.0, 1.0) * (t < 1.5)
    found = features_of(np.tile(tone, (2, 1)).astype(np.float32), RATE)
    look = HOP / RATE
    assert found.attack == pytest.approx(0.375, abs=0.6 * look)
    begins = 0.05 * 0.5
    assert found.length == pytest.approx(1.5 - begins + 0.4 * SIZE / RATE, abs=2.5 * look)


def test_between_two_sounds_names_what_only_one_of_them_has() -> None:
    first = new_patch()
    second, key = add_layer(first, new_layer())
    second, _ = add_effect(second, "1", Effect.kinds["delay"]())
    second, mover = add_modulator(second, Modulator.kinds["lfo"]())
    unmatched = between(first, second, 3).unmatched
    assert f"{key.upper()} Wave" in unmatched and "Delay" in unmatched and f"{mover.upper()} LFO" in unmatched
    assert unmatched == between(second, first, 3).unmatched
    assert between(first, first, 3).unmatched == ()


HEARD_AT = {"Bass": 36, "Drum": 48, "Lead": 64, "Bell": 69}
SHOWN_BY = {
    "Bass": "bass", "Bell": "bell", "Brass": "brass", "Drum": "drum", "Keys": "keys", "Lead": "lead", "Moment": "moment",
    "Organ": "organ", "Pad": "slow", "Pattern": "pattern", "Pluck": "arpeggio", "Strings": "strings", "Texture": "texture",
    "Voice": "voice", "Other": "arpeggio",
}  # fmt: skip
"""Which key and which phrase each kind is heard with."""


def test_every_kind_is_heard_with_its_key_and_its_phrase() -> None:
    from felt_dial.bank.measuring import probe_note
    from felt_dial.patch.parts import KINDS
    from felt_dial.sound.playing import phrases

    assert probe_note.KEYS == HEARD_AT and probe_note.KEY == 55
    assert phrases.SHOWN_BY == SHOWN_BY and sorted(SHOWN_BY) == sorted(KINDS)
    for kind, key in SHOWN_BY.items():
        assert phrases.phrase_for(kind) is phrases.PHRASES[key]
    assert phrases.phrase_for("nothing of the kind") is phrases.PHRASES["arpeggio"]


def test_an_import_tells_how_far_it_is(tmp_path: Path) -> None:
    """From 0 to 1, never back; and where it is stopped nothing is there."""
    library = Library(tmp_path / "one")
    bank = library.create("Fen Edge")
    for n in range(45):
        bank.add(write_patch(new_patch().model_copy(update={"name": f"Reed {n}"})), f"reed-{n}")
    package = tmp_path / "fen.zip"
    export_bank(bank, package)
    parts: list[float] = []
    other = Library(tmp_path / "two")

    def told(part: float) -> bool:
        parts.append(part)
        return True

    import_bank(other, package, watch=told)
    assert parts == sorted(parts) and parts[0] >= 0.0 and parts[-1] <= 1.0 and len(parts) >= 2
    with pytest.raises(FeltDialError):
        import_bank(other, package, watch=lambda part: part < 0.1)
    assert len(list(other.banks())) == 1
