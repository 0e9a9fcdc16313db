"""Many presets at once, and what grows: selected, renamed, moved, kept, found, each taken back in one step."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from PySide6.QtCore import QItemSelectionModel, QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from felt_dial.bank.finding.search import parse
from felt_dial.bank.library.renaming import BadPattern, Named, renamed
from felt_dial.bank.measuring.features import Features
from felt_dial.bank.measuring.measurement import Measurement
from felt_dial.patch.documents.patch import write_patch
from felt_dial.patch.edits import add_effect
from felt_dial.patch.module import Effect
from felt_dial.patch.patch import with_value
from felt_dial.session import shelf_steps
from felt_dial.session.topics import Measured
from felt_dial.sound.modules import new_patch
from felt_dial.ui.pages.shelf.many import worded
from felt_dial.ui.pages.shelf.page import ShelfPage
from tests.ui.conftest import Desk, wait


def shelf(desk: Desk, first: int = 0, last: int = -1) -> ShelfPage:
    """The Shelf with some rows of Glasshouse at Dusk selected."""
    desk.window.show_page("Shelf")
    page = desk.window.shelf
    page.choose_bank("glasshouse-at-dusk")
    select(page, *range(first, last + 1))
    return page


def select(page: ShelfPage, *rows: int) -> None:
    selection = page.view.selectionModel()
    selection.clearSelection()
    for row in rows:
        selection.select(page.model.index(row), QItemSelectionModel.SelectionFlag.Select)


def names(page: ShelfPage) -> list[str]:
    return [preset.name for preset in page.model.presets]


def test_twenty_are_renamed_by_a_pattern_as_one_step(desk: Desk) -> None:
    page = shelf(desk, 0, 19)
    before = names(page)
    assert page.many.isVisible() and page.many.count.text() == "20 selected"
    page.many.ask_rename()
    page.many.pattern.setText("{n:02} {name}")
    page.many.find_.setText("Moss")
    page.many.replace_.setText("Fern")
    assert "Moss Pad → 03 Fern Pad" in page.many.preview.text()
    page.many.rename()
    assert names(page)[:3] == ["01 Dew Pluck", "02 Lantern Brass", "03 Fern Pad"] and names(page)[20:] == before[20:]
    assert len(page.selected()) == 20
    desk.session.editor.undo()
    assert names(page) == before
    desk.session.editor.redo()
    assert names(page)[0] == "01 Dew Pluck"


def test_a_click_with_ctrl_or_shift_selects_and_opens_nothing(desk: Desk) -> None:
    page = shelf(desk)
    on_table = desk.session.editor.work.preset
    for row, key in ((2, Qt.KeyboardModifier.NoModifier), (4, Qt.KeyboardModifier.ControlModifier)):
        at = page.view.visualRect(page.model.index(row)).center() - QPoint(100, 0)
        if key is not Qt.KeyboardModifier.NoModifier:
            before = desk.session.editor.work.preset
            select(page, 2, row)
            assert desk.session.editor.work.preset == before
        else:
            QTest.mouseClick(page.view.viewport(), Qt.MouseButton.LeftButton, key, at)
            assert desk.session.editor.work.preset != on_table
    assert [row.name for row in page.selected()] == [names(page)[2], names(page)[4]]


@pytest.mark.parametrize("act", ["kind", "star", "words", "move", "copy", "delete"])
def test_each_of_many_at_once_is_one_step_and_taken_back(desk: Desk, act: str) -> None:
    page = shelf(desk, 1, 4)
    session = desk.session
    steps = len(session.editor.history._done)

    def library() -> dict[str, list[Any]]:
        rows = {bank.id: session.shelf.catalogue.presets(bank.id) for bank in session.shelf.banks}
        return {
            bank: [(r.name, r.kind, r.character, r.favourite, r.author, r.key) for r in found]
            for bank, found in rows.items()
        }

    before = library()
    many = page.many
    if act == "kind":
        many._change({"type": "Texture"}, "kind")
        assert [row.kind for row in page.model.presets[1:5]] == ["Texture"] * 4
    elif act == "star":
        many.star()
        assert all(row.favourite for row in page.model.presets[1:5])
    elif act == "words":
        many.how.setCurrentIndex(many.how.findData("instead"))
        many.words.setText("cold, wide")
        many.author.setText("A. Person")
        many.give_words()
        assert {(row.character, row.author) for row in page.model.presets[1:5]} == {("cold, wide", "A. Person")}
    elif act == "move":
        many.move_to("tide-tables")
        assert len(library()["tide-tables"]) == 20 and len(library()["glasshouse-at-dusk"]) == 32
    elif act == "copy":
        many.copy_to("tide-tables")
        assert len(library()["tide-tables"]) == 20 and len(library()["glasshouse-at-dusk"]) == 36
    else:
        page.delete()
        assert len(library()["glasshouse-at-dusk"]) == 32
    assert len(session.editor.history._done) == steps + 1
    session.editor.undo()
    assert library() == before
    session.editor.redo()
    assert library() != before


def test_a_bank_is_put_in_order_and_back(desk: Desk) -> None:
    page = shelf(desk)
    before = names(page)
    page.column.order_bank("glasshouse-at-dusk", "by name")
    assert names(page) == sorted(before, key=str.casefold)
    desk.session.editor.undo()
    assert names(page) == before


# --- searching ---------------------------------------------------------------------------------


@pytest.mark.parametrize(
    "asked",
    [
        "kind:pad",
        "kind:pad -wide",
        "uses:grains",
        "macro:bright",
        "layers>3",
        "threads<12 kind:drum",
        "starred",
        '"slow" uses:reverb',
        "-kind:pad by:felt",
        "-glass",
    ],
)
def test_filters_find_what_a_plain_scan_of_all_documents_finds(desk: Desk, asked: str) -> None:
    session, query = desk.session, parse(asked)
    session.shelf.library.bank("tide-tables").change(
        session.shelf.library.bank("tide-tables").ids()[0], {"favourite": False}, {"favourite": True}
    )
    session.shelf.refresh()
    found, count = session.shelf.catalogue.search(asked)

    def has(word: str, text: str) -> bool:
        return any(
            part.startswith(word.casefold())
            for part in text.casefold()
            .replace("-", " ")
            .replace(",", " ")
            .replace(".", " ")
            .replace(":", " ")
            .replace("·", " ")
            .replace(";", " ")
            .split()
        )

    wanted = set()
    for bank in session.shelf.library.banks():
        for key in bank.ids():
            patch = bank.load(key)
            uses = [layer.source.title for layer in patch.layers.values()]
            uses += [layer.filter.title for layer in patch.layers.values() if layer.filter.get("on")]
            uses += [effect.title for rack in patch.racks.values() for effect in rack.values()]
            macros = " ".join(macro.name for macro in patch.macros.values())
            text = " ".join([patch.name, patch.type, *patch.character, patch.description, patch.author, macros, *uses])
            columns = {"kind": patch.type, "uses": " ".join(uses), "macros": macros, "author": patch.author}
            fits = all(has(word, text) for word in query.words) and not any(has(word, text) for word in query.without)
            for condition, values in query.where:
                column, value = condition.split(".")[1].split()[0], values[0] if values else condition[-1]
                if column in columns:
                    fits &= (str(value).strip("%").casefold() in columns[column].casefold()) != ("NOT" in condition)
                elif column == "favourite":
                    fits &= patch.favourite == (value == "1")
                else:
                    number = len(patch.layers if column == "layers" else patch.threads)
                    fits &= number > float(str(value)) if ">" in condition else number < float(str(value))
            if fits:
                wanted.add((bank.id, key))
    assert wanted and {(row.bank, row.id) for row in found} == wanted and count == len(wanted)


def test_a_typo_finds_what_was_meant_and_says_so(desk: Desk) -> None:
    page = shelf(desk)
    page.search.setText("lantrn bras")
    assert names(page) == ["Lantern Brass"] and "for “lantern bras”" in page.count.text()
    page.search.setText("qqqqzz")
    assert names(page) == [] and "“" not in page.count.text()


def test_one_key_keeps_the_sound_of_this_moment_and_naming_it_unmarks_it(desk: Desk) -> None:
    session = desk.session
    patch, _ = add_effect(new_patch("Nothing yet").model_copy(update={"type": "Bass"}), "1", Effect.kinds["delay"]())
    session.editor.open_patch(patch)
    for _ in range(2):
        assert session.presets.quick_keep()
    found = [row.name for row in session.shelf.catalogue.search("unnamed")[0]]
    assert sorted(found) == ["Bass 1", "Bass 2"]
    page = shelf(desk)
    page.search.setText("unnamed")
    page.view.setCurrentIndex(page.model.index(0))
    page.details._rename("Gravel Path")
    assert [row.name for row in session.shelf.catalogue.search("unnamed")[0]] == [found[1]]


# --- names by a pattern ------------------------------------------------------------------------


def test_patterns_give_names() -> None:
    these = [Named("Dew Pluck", "Pluck", "A"), Named("moss pad", "Pad", "B")]
    assert renamed(these, "{n:02} {name}") == ["01 Dew Pluck", "02 moss pad"]
    assert renamed(these, "{kind} {n} by {author}", first=9) == ["Pluck 9 by A", "Pad 10 by B"]
    assert renamed(these, "{name}", "Pluck", "Drop", "title") == ["Dew Drop", "Moss Pad"]
    assert renamed(these, "{name}", case="upper") == ["DEW PLUCK", "MOSS PAD"]
    for wrong in ("{nme}", "{n.__class__}", "{", "   ", "{name!r}"):
        with pytest.raises(BadPattern):
            renamed(these, wrong)


# --- growing -----------------------------------------------------------------------------------


def test_offshoots_are_grown_kept_with_their_parent_and_taken_back(desk: Desk, kernels: None) -> None:
    page = shelf(desk)
    page.view.setCurrentIndex(page.model.index(names(page).index("Dew Pluck")))
    page.grow()
    grown, session = page.offshoots, desk.session
    assert page.stack.currentWidget() is grown and grown.name == "Dew Pluck"
    grown.card.count.setCurrentIndex(grown.card.count.findData(4))
    grown.grow()
    assert wait(lambda: not grown.growth.busy and len(grown.sounds) == 4, 120)
    before = names(page)
    for n in (0, 1, 2):
        grown.map.choose(n)
        grown.keep()
    kept = list(grown.kept.values())
    assert len(set(kept)) == 3 and not set(kept) & set(before)
    at = names(page).index("Dew Pluck")
    assert set(names(page)[at + 1 : at + 4]) == set(kept)
    stored = [session.presets.stored_at(row.bank, row.id) for row in page.model.presets if row.name in kept]
    assert all(patch is not None and patch.parent == "Dew Pluck" for patch in stored)
    assert [row.name for row in session.shelf.catalogue.search("from:dew")[0]] != []
    for _ in range(3):
        session.editor.undo()
    assert names(page) == before
    count = len(grown.sounds)
    grown.map.choose(3)
    grown.throw()
    assert len(grown.sounds) == count - 1
    grown.between(-1, 0)
    assert wait(lambda: not grown.growth.busy, 60)
    far = [one.far for one in grown.sounds]
    assert far[0] == 0.0 and len(far) == 9 and max(far) == pytest.approx(far[-1], abs=0.05)
    assert all(b > a - 0.05 for a, b in pairwise(far)), "steadily away from the first, but for what is hardly heard"
    grown.card.count.setCurrentIndex(grown.card.count.findData(24))
    grown.grow()
    assert wait(lambda: len(grown.sounds) >= 2, 120)
    there = len(grown.sounds)
    grown.growth.stop()
    assert not grown.growth.busy, "stopped at a word, and what is there stays"
    QTest.qWait(300)
    assert there <= len(grown.sounds) <= there + 2
    for check in grown.card.groups.values():
        check.setChecked(False)
    grown.grow()
    assert "may change" in desk.messages[-1] and not grown.growth.busy
    QTest.keyClick(grown.map, Qt.Key.Key_Escape)
    assert page.stack.currentIndex() == 0


def test_a_version_says_what_changed_and_gives_back_one_module(desk: Desk) -> None:
    session = desk.session
    session.presets.open("glasshouse-at-dusk", "dew-pluck")
    cutoff = session.editor.value("layers.a.filter.cutoff")
    session.editor.set("layers.a.filter.cutoff", 3100.0)
    session.editor.set("layers.a.pan", 0.4)
    assert session.presets.save()
    page = shelf(desk)
    page.view.setCurrentIndex(page.model.index(names(page).index("Dew Pluck")))
    menu = page.details.versions_menu()
    assert menu is not None
    (version,) = [action for action in menu.actions() if action.menu()]
    assert "A Cutoff 620" in version.text() and "3.10" in version.text()
    acts = {action.text(): action for action in version.menu().actions()}
    acts["Hear it"].trigger()
    assert "being rendered" in desk.messages[-1]
    acts["Only its filter of A"].trigger()
    assert session.editor.value("layers.a.filter.cutoff") == cutoff and session.editor.value("layers.a.pan") == 0.4
    session.editor.undo()
    assert session.editor.value("layers.a.filter.cutoff") == 3100.0
    acts["What is different…"].trigger()
    sheet = desk.window.compare_sheet
    assert sheet.isVisible() and "2 differences" in sheet.head.text()
    sheet.put_away()
    session.editor.flip()
    session.editor.set("layers.a.level", -30.0)
    desk.window.compare_sides()
    assert "A → B" in sheet.head.text()
    select(page, 0, 1)
    page.many.ask_compare()
    assert "Dew Pluck → Lantern Brass" in sheet.head.text()


def test_what_is_gone_before_it_was_measured_is_no_failure(desk: Desk) -> None:
    """Nothing is said of a preset that is not there any more; of one that fails, its name."""
    session = desk.session
    session.shelf.figures.measuring.cancel()
    session.shelf.figures.measuring._most = 0
    patch = with_value(session.patch, "layers.a.level", -7.7).model_copy(update={"name": "Here and Gone"})
    bank, key = session.shelf.library.bank("glasshouse-at-dusk"), session.shelf.figures.key(patch)
    preset = bank.add(write_patch(patch).encode(), "here-and-gone")
    session.shelf.refresh()
    desk.window.show_page("Shelf")
    desk.window.shelf.choose_bank(bank.id)
    assert wait(lambda: session.shelf.figures.measuring.asked(key))
    bank.path(preset).unlink()
    session.shelf.figures.measuring.prefer({key})
    session.shelf.figures.measuring._most = 1
    assert wait(lambda: not session.shelf.figures.measuring.asked(key), 30)
    wait(lambda: False, 0.5)
    assert (
        not any("could not be measured" in text for text in desk.messages) and key not in session.shelf.figures.failed
    )
    first = session.shelf.catalogue.presets("glasshouse-at-dusk")[0]
    session.shelf.figures.failed.add(first.key)
    session.shelf._measured(first.key, None)
    assert desk.messages[-1].startswith(f"“{first.name}” could not be measured")


def test_words_are_put_to_those_there_are_taken_away_or_stand_in_their_place(desk: Desk) -> None:
    assert worded(("bright", "short"), ("wet", "short"), "more") == ("bright", "short", "wet")
    assert worded(("bright", "Short"), ("short",), "without") == ("bright",)
    assert worded(("bright",), ("wet",), "instead") == ("wet",)
    page, many = shelf(desk, 1, 3), shelf(desk).many
    page = shelf(desk, 1, 3)
    before = [row.character for row in page.model.presets[1:4]]
    many.words.setText("zebra")
    many.licence.setText("CC0 1.0")
    many.description.setText("For the evening")
    many.give_words()
    rows = page.model.presets[1:4]
    assert [row.character for row in rows] == [f"{words}, zebra" for words in before]
    patches = [desk.session.presets.stored_at(row.bank, row.id) for row in rows]
    assert {(p.licence, p.description) for p in patches if p} == {("CC0 1.0", "For the evening")}
    for line in (many.licence, many.description):
        line.clear()
    many.how.setCurrentIndex(many.how.findData("without"))
    many.give_words()
    assert [row.character for row in page.model.presets[1:4]] == before
    desk.session.editor.undo()
    desk.session.editor.undo()
    assert [row.description for row in page.model.presets[1:4]] != ["For the evening"] * 3


def test_level_waits_for_what_is_not_measured_and_takes_the_loudness_of_the_bank(
    desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    session, page = desk.session, shelf(desk, 1, 2)
    rows = page.model.presets[1:3]
    shelf_steps.about_bank(session, rows[0].bank, {"loudness": -23.0}, "loudness")

    def measured(lufs: float) -> Measurement:
        features = Features(*np.full(6, 0.5), shape=np.zeros(24))
        return Measurement(lufs, -6.0, np.zeros((64, 160), np.uint8), features, 0.01)

    known = {rows[0].key: measured(-20.0)}
    monkeypatch.setattr(session.shelf.figures, "of_row", lambda row: known.get(row.key))
    monkeypatch.setattr(session.shelf.figures, "ask_rows", lambda rows, library: None)
    page = shelf(desk, 1, 2)
    page.many.level()
    assert desk.messages[-1] == "Level waits: 1 of 2 are still being measured."
    levels = [session.presets.stored_at(row.bank, row.id).get("level") for row in rows]  # type: ignore[union-attr]
    known[rows[1].key] = measured(-24.0)
    session.channel.tell(Measured(rows[1].key))
    after = [session.presets.stored_at(row.bank, row.id).get("level") for row in rows]  # type: ignore[union-attr]
    assert [round(b - a, 1) for a, b in zip(levels, after, strict=True)] == [-3.0, 1.0]
    session.editor.undo()
    assert [session.presets.stored_at(row.bank, row.id).get("level") for row in rows] == levels  # type: ignore[union-attr]


def test_a_search_is_gone_through_by_keys_and_says_the_banks(desk: Desk) -> None:
    page = shelf(desk)
    page.search.setFocus()
    QTest.keyClicks(page.search, "lamp")
    assert page.model.banks["tide-tables"] == "Tide Tables"
    best = page.model.presets[0]
    QTest.keyClick(page.search, Qt.Key.Key_Return)
    assert (desk.session.editor.work.bank, desk.session.editor.work.preset) == (best.bank, best.id)
    page.search.setFocus()
    QTest.keyClick(page.search, Qt.Key.Key_Down)
    assert page.view.hasFocus()
    page.search.setFocus()
    QTest.keyClick(page.search, Qt.Key.Key_Escape)
    assert page.search.text() == "" and page.model.banks == {}


def test_a_second_chosen_row_does_not_let_the_list_slide(desk: Desk) -> None:
    page = shelf(desk)
    select(page, 1, 1)
    QApplication.processEvents()
    before = page.view.mapTo(page, QPoint(0, 0))
    select(page, 1, 3)
    QApplication.processEvents()
    assert page.many.isVisible() and page.view.mapTo(page, QPoint(0, 0)) == before


def test_a_bank_is_merged_and_the_empty_one_goes(desk: Desk) -> None:
    page, session = shelf(desk), desk.session
    before = {bank.id: [row.id for row in session.shelf.catalogue.presets(bank.id)] for bank in session.shelf.banks}
    page.column.merge_bank("tide-tables", "glasshouse-at-dusk")
    assert [bank.id for bank in session.shelf.banks] == ["glasshouse-at-dusk"] and len(names(page)) == 52
    session.editor.undo()
    assert {
        bank.id: [row.id for row in session.shelf.catalogue.presets(bank.id)] for bank in session.shelf.banks
    } == before
