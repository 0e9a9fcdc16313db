"""Phrases of one's own, what a bank says about itself, what was opened, and sounds that are like each other."""

from __future__ import annotations

import os
import time
from pathlib import Path

import numpy as np
import pytest

from felt_dial.bank.finding.catalogue import Catalogue
from felt_dial.bank.finding.names import on_offer
from felt_dial.bank.library.library import Library, MovedOn
from felt_dial.bank.library.opened import Opened
from felt_dial.bank.library.package import export_bank, import_bank
from felt_dial.bank.library.phrases import Phrases, read_phrase, write_phrase
from felt_dial.bank.library.previews import KEPT, preview_path, write_preview
from felt_dial.bank.measuring.features import Features, distance
from felt_dial.bank.measuring.figures import Figures
from felt_dial.bank.measuring.index import Index
from felt_dial.bank.measuring.measurement import Measurement, sound_key
from felt_dial.bank.measuring.measuring import Measuring
from felt_dial.files import tidy_cache
from felt_dial.patch.documents.kind import BadDocument
from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.phrase import Beat, Phrase
from felt_dial.sound.matter.audio_file import read_part
from felt_dial.sound.modules import new_patch
from felt_dial.sound.playing.phrases import PHRASES

MINE = Phrase("own:mine", "Mine", 8.0, (Beat(0.0, 1.0, 60, 90), Beat(2.5, 0.5, 64, 100)))


def test_a_phrase_is_kept_read_again_and_thrown_away(tmp_path: Path) -> None:
    phrases = Phrases(tmp_path)
    assert phrases.all() == PHRASES and phrases.new_id("Mine") == "own:mine"
    phrases.put(None, MINE)
    again = Phrases(tmp_path)
    assert again.all()["own:mine"] == MINE and again.is_own("own:mine") and not again.is_own("arpeggio")
    assert again.new_id("Mine") == "own:mine-2"
    again.put(MINE, None)
    assert Phrases(tmp_path).all() == PHRASES


def test_a_phrase_that_a_preset_brings_along_stands_beside_one_of_the_same_name(tmp_path: Path) -> None:
    phrases = Phrases(tmp_path)
    phrases.put(None, MINE)
    assert phrases.welcome(MINE) == "own:mine"
    other = Phrase("own:mine", "Mine", 4.0, (Beat(0.0, 1.0, 48),))
    key = phrases.welcome(other)
    assert key != "own:mine" and phrases.all()[key].notes == other.notes and phrases.all()["own:mine"] == MINE
    assert phrases.welcome(phrases.all()[key]) == key


@pytest.mark.parametrize(
    "text",
    [
        "moss",
        '{"format": 1}',
        '{"format": 1, "name": "x", "beats": 4, "notes": [[0, 1, 200, 90]]}',
        '{"format": 1, "name": "x", "beats": 1e9, "notes": []}',
        '{"format": 9, "name": "x", "beats": 4, "notes": []}',
    ],
)
def test_a_bad_phrase_is_one_sentence_and_the_others_are_read(text: str, tmp_path: Path) -> None:
    phrases = Phrases(tmp_path)
    phrases.put(None, MINE)
    (phrases.folder / "bad.json").write_text(text)
    phrases.read()
    assert phrases.is_own("own:mine") and len(phrases.problems) == 1 and "\n" not in phrases.problems[0]
    with pytest.raises(BadDocument):
        read_phrase(text, "“bad.json”", "own:bad")
    assert read_phrase(write_phrase(MINE), "“mine.json”", "own:mine") == MINE


def test_what_a_bank_says_about_itself_goes_along_and_private_notes_do_not(tmp_path: Path) -> None:
    library = Library(tmp_path / "library")
    bank = library.create("Aviary")
    about = {"dye": "woad", "author": "A. Person", "version": "1.1", "licence": "Free", "words": ("Wren", "Lark")}
    bank.about({}, about)
    given = new_patch("Dew").model_copy(update={"notes": "sell this one", "phrase": MINE, "mark": "weld"})
    bank.save_new(given)
    export_bank(bank, tmp_path / "a.feltbank")
    assert b"sell this one" not in (tmp_path / "a.feltbank").read_bytes()
    there = import_bank(Library(tmp_path / "other"), tmp_path / "a.feltbank")
    assert {key: getattr(there.file, key) for key in about} == about
    assert there.load("dew") == given.model_copy(update={"notes": ""})
    assert bank.load("dew").notes == "sell this one"
    with pytest.raises(MovedOn):
        bank.about({"version": "1.0"}, {"version": "1.2"})
    with pytest.raises(BadDocument):
        bank.about({}, {"dye": "puce"})
    assert bank.file.version == "1.1" and bank.file.dye == "woad"


def test_names_on_offer_hold_a_word_of_the_banks_own_list() -> None:
    names = on_offer(["Dew Pluck", "Moss Pad"], ["Wren Pad"], 6, 3, words=("wren", "lark"))
    assert len(names) == 6 and all({"Wren", "Lark"} & set(name.split()) for name in names) and "Wren Pad" not in names


def figure(bright: float, length: float, lufs: float, cost: float) -> Measurement:
    of = Features(bright, 0.01, length, 0.1, 0.5, 0.2, np.full(24, -20.0))
    return Measurement(lufs, -6.0, np.zeros((64, 160), np.uint8), of, cost)


def library_with(tmp_path: Path, count: int) -> tuple[Library, dict[str, Patch], dict[str, Measurement]]:
    library, chance = Library(tmp_path / "library"), np.random.default_rng(4)
    bank, patches, figures = library.create("Aviary"), {}, {}
    for n in range(count):
        patch = with_value(new_patch(f"Bird {n}"), "level", -float(n) - 1.0)
        patches[bank.save_new(patch)] = patch
        if n % 5:
            figures[sound_key(patch)] = figure(
                *(chance.uniform(low, high) for low, high in ((0, 7), (0.01, 6), (-30, -8), (0, 0.3)))
            )
    return library, patches, figures


def test_filters_of_what_was_measured_find_what_a_plain_scan_finds(tmp_path: Path) -> None:
    library, patches, figures = library_with(tmp_path, 40)
    index = Index(tmp_path / "index.sqlite")
    for key, measured in figures.items():
        index.put(key, measured)
    catalogue = Catalogue(tmp_path / "c.sqlite", tmp_path / "index.sqlite")
    catalogue.refresh(library)
    asked = {
        "cost<0.1": lambda f: f.cost < 0.1,
        "length>1,5": lambda f: f.features.length > 1.5,
        "loudness>=-18 cost>0.05": lambda f: f.lufs >= -18 and f.cost > 0.05,
        "loudness<−20": lambda f: f.lufs < -20,
    }
    for text, true in asked.items():
        wanted = {key for key, patch in patches.items() if (f := figures.get(sound_key(patch))) and true(f)}
        found, count = catalogue.search(text)
        assert {row.id for row in found} == wanted and count == len(wanted) > 0, text
    known = catalogue.measured("aviary")
    assert set(known) == {key for key, patch in patches.items() if sound_key(patch) in figures}
    catalogue.close()


def test_recent_and_never_opened_follow_what_is_opened_and_moved(tmp_path: Path) -> None:
    library, _, _ = library_with(tmp_path, 4)
    opened = Opened(tmp_path / "opened.sqlite")
    catalogue = Catalogue(tmp_path / "c.sqlite", None, tmp_path / "opened.sqlite")
    catalogue.refresh(library)
    assert len(catalogue.presets("aviary", only="unopened")) == 4 and catalogue.presets("aviary", only="recent") == []
    for preset in ("bird-2", "bird-0"):
        opened.note("aviary", preset)
    assert [row.id for row in catalogue.presets("aviary", only="recent")] == ["bird-0", "bird-2"]
    assert {row.id for row in catalogue.search("unopened")[0]} == {"bird-1", "bird-3"}
    assert catalogue.counts("aviary")["unopened"] == 2
    other = library.create("Loft")
    key = library.move("aviary", "bird-2", other.id)
    opened.moved("aviary", "bird-2", other.id, key)
    catalogue.refresh(library)
    assert [row.bank for row in catalogue.presets("aviary", only="recent")] == ["aviary", "loft"]


def test_a_damaged_file_of_figures_hides_nothing_but_the_figures(tmp_path: Path) -> None:
    library, _, _ = library_with(tmp_path, 3)
    (tmp_path / "index.sqlite").write_bytes(b"moss" * 400)
    (tmp_path / "opened.sqlite").write_bytes(b"moss" * 400)
    catalogue = Catalogue(tmp_path / "c.sqlite", tmp_path / "index.sqlite", tmp_path / "opened.sqlite")
    catalogue.refresh(library)
    assert len(catalogue.presets("aviary")) == 3 and catalogue.search("cost<1") == ([], 0)
    assert len(catalogue.presets("aviary", only="unopened")) == 3


def test_what_is_like_a_sound_is_what_is_nearest_by_its_features(tmp_path: Path) -> None:
    figures = Figures(Index(), Measuring())
    made = {f"k{n}": figure(0.3 * n, 0.5, -18.0, 0.1) for n in range(12)}
    for key, measured in made.items():
        figures.index.put(key, measured)
    near = figures.like("k5", 4)
    assert {key for _, key in near[:2]} == {"k4", "k6"} and [far for far, _ in near] == sorted(far for far, _ in near)
    for far, key in near:
        assert far == pytest.approx(distance(made["k5"].features, made[key].features), abs=1e-6)
    assert figures.like("not measured") == []


def test_previews_are_what_was_rendered_and_the_oldest_go(tmp_path: Path) -> None:
    t = np.arange(96000) / 48000
    sound = np.repeat((0.3 * np.sin(2 * np.pi * 440 * t))[None], 2, axis=0).astype(np.float32)
    for n in range(4):
        write_preview(preview_path(tmp_path, f"k{n}"), sound, 48000)
    audio, _ = read_part(preview_path(tmp_path, "k0"), 0.0, 8.0)
    assert audio.sound.shape == (2, 96000) and np.abs(audio.sound[:, 4800:-4800] - sound[:, 4800:-4800]).max() < 0.03
    size = preview_path(tmp_path, "k0").stat().st_size
    for name, old in (("k9.7.part", 4000.0), ("k8.7.part", 10.0)):
        (tmp_path / name).write_bytes(b"half")
        os.utime(tmp_path / name, times=(time.time() - old,) * 2)
    for n in range(4):
        os.utime(preview_path(tmp_path, f"k{n}"), times=(1e9 + n,) * 2)
    tidy_cache(tmp_path, KEPT, 2 * size + 10)
    assert sorted(path.name for path in tmp_path.iterdir()) == ["k2.ogg", "k3.ogg", "k8.7.part"]
    tidy_cache(tmp_path / "nowhere", KEPT, 0)


def test_what_is_asked_for_first_stays_before_what_is_looked_at() -> None:
    work = Measuring(workers=0)
    for n in range(4):
        work.ask(f"k{n}", lambda: "")
    work.ask("now", lambda: "", first=True)
    work.prefer({"k2", "k3"})
    assert [key for _, key, _ in work.waiting] == ["now", "k2", "k3", "k0", "k1"]


def test_a_preview_that_was_taken_away_is_rendered_again_when_it_is_asked_for(tmp_path: Path) -> None:
    figures, patch = Figures(Index(), Measuring(previews=tmp_path, workers=0)), new_patch()
    figures.index.put(figures.key(patch), figure(1.0, 1.0, -18.0, 0.1))
    figures.ask((patch,))
    assert figures.measuring.left == 0, "it is measured"
    assert figures.preview(patch) is None and figures.measuring.asked(figures.key(patch))
    write_preview(preview_path(tmp_path, figures.key(patch)), np.zeros((2, 4800), np.float32), 48000)
    assert figures.preview(patch) == preview_path(tmp_path, figures.key(patch))


def test_another_phrase_or_kind_makes_no_version_another_sound_does(tmp_path: Path) -> None:
    bank = Library(tmp_path / "library").create("Aviary")
    patch = new_patch("Dew")
    key = bank.save_new(patch)
    given = patch.model_copy(update={"phrase": MINE, "type": "Bass", "mark": "woad"})
    assert not bank.save(key, given).version and bank.versions(key) == [] and bank.load(key) == given
    assert bank.save(key, with_value(given, "level", -3.0)).version and len(bank.versions(key)) == 1
