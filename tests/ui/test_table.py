"""What lies on the table and what disk holds are two things: stories of saving, undoing, moving, deleting, crashing."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu

from felt_dial import files
from felt_dial.bank.library.library import Library
from felt_dial.patch.patch import value_at, with_value
from felt_dial.session import shelf_steps
from felt_dial.ui.pages.shelf.spine import BANK_MIME, Spine
from tests.ui.conftest import Desk

CUTOFF = "layers.a.filter.cutoff"
HOME, OTHER = "glasshouse-at-dusk", "tide-tables"


def on_disk(desk: Desk, preset: str, bank: str = HOME) -> object:
    return value_at(Library(desk.session.shelf.library.root).bank(bank).load(preset), CUTOFF)


def presets(desk: Desk, bank: str = HOME) -> list[str]:
    return [preset.name for preset in Library(desk.session.shelf.library.root).bank(bank).presets()]


def dotted(desk: Desk) -> bool:
    """What the header and the title say of it; they must agree."""
    box = desk.window.header.preset
    seen = box.dot.isVisibleTo(box)
    assert seen == box.save.isEnabled() == (" •" in desk.window.windowTitle()) == desk.session.editor.unsaved
    return seen


def pages(desk: Desk) -> int:
    desk.session.autosave.write()
    return len(desk.session.journal.pages())


# --- saved is a comparison with disk --------------------------------------------------------------


def test_after_change_save_undo_the_old_sound_is_not_called_saved(desk: Desk) -> None:
    session = desk.session
    session.editor.set(CUTOFF, 900.0)
    assert dotted(desk) and pages(desk) == 1
    assert session.presets.save() and not dotted(desk) and pages(desk) == 0
    session.editor.undo()
    assert session.editor.value(CUTOFF) == 620.0 and on_disk(desk, "dew-pluck") == 900.0
    assert dotted(desk) and pages(desk) == 1
    session.editor.redo()
    assert not dotted(desk) and pages(desk) == 0
    session.editor.undo()
    assert session.presets.save() and on_disk(desk, "dew-pluck") == 620.0 and not dotted(desk)


def test_save_as_new_undo_save_leaves_the_original(desk: Desk) -> None:
    session = desk.session
    session.editor.set(CUTOFF, 900.0)
    assert session.presets.save_new("Dew Second", bank=HOME) and session.editor.work.preset == "dew-second"
    session.editor.undo()
    assert dotted(desk) and session.patch.name == "Dew Second", "an undo of sound is no renaming"
    session.editor.set(CUTOFF, 700.0)
    assert session.presets.save()
    assert on_disk(desk, "dew-pluck") == 620.0 and on_disk(desk, "dew-second") == 700.0
    assert presets(desk).count("Dew Pluck") == presets(desk).count("Dew Second") == 1


def test_taking_back_a_star_leaves_what_was_saved_since(desk: Desk) -> None:
    session = desk.session
    shelf_steps.change_preset(session, HOME, "dew-pluck", {"favourite": True}, "star")
    assert not dotted(desk) and session.patch.favourite
    session.editor.set(CUTOFF, 900.0)
    assert session.presets.save()
    session.editor.undo()
    session.editor.undo()
    assert desk.messages[-1] == "Undone: change the star of Dew Pluck."
    kept = session.shelf.library.bank(HOME).load("dew-pluck")
    assert not kept.favourite and value_at(kept, CUTOFF) == 900.0
    assert not session.patch.favourite and session.editor.value(CUTOFF) == 620.0 and dotted(desk)


def test_a_new_name_stays_when_older_edits_are_taken_back(desk: Desk) -> None:
    """The name was changed by another window in between: the step of it is refused, older steps leave it alone."""
    session = desk.session
    session.editor.set(CUTOFF, 900.0)
    shelf_steps.change_preset(session, HOME, "dew-pluck", {"name": "Dew II"}, "name")
    Library(session.shelf.library.root).bank(HOME).change("dew-pluck", {}, {"name": "Dew III"})
    session.editor.undo()
    assert desk.messages[-1].startswith("Not undone: rename Dew Pluck to Dew II. “Dew III” was changed in the meantime")
    session.editor.undo()
    assert desk.messages[-1].startswith("Undone: A Cutoff") and session.editor.value(CUTOFF) == 620.0
    assert session.patch.name == "Dew III", "the table has the name that it has there now"


def test_a_new_sound_is_nothing_to_lose_until_it_is_changed(desk: Desk) -> None:
    desk.session.editor.new()
    assert pages(desk) == 0 and desk.session.editor.unsaved
    desk.session.editor.set(CUTOFF, 900.0)
    assert pages(desk) == 1


def test_both_sides_are_kept_and_saving_one_leaves_the_other(desk: Desk) -> None:
    session = desk.session
    session.editor.flip()
    session.editor.set(CUTOFF, 900.0)
    session.editor.flip()
    assert not dotted(desk) and pages(desk) == 1, "the side that is not heard is unsaved"
    session.editor.set(CUTOFF, 700.0)
    assert session.presets.save() and pages(desk) == 1
    session.journal.close()
    (left,) = desk.session.journal.__class__(session.journal.folder).left_behind()
    assert (value_at(left.work.a, CUTOFF), value_at(left.work.b, CUTOFF)) == (700.0, 900.0)


# --- the table follows its document ---------------------------------------------------------------


def test_after_a_move_saving_goes_where_the_preset_is(desk: Desk) -> None:
    session = desk.session
    shelf_steps.move_preset(session, HOME, "dew-pluck", "tide-tables")
    session.editor.set(CUTOFF, 900.0)
    assert session.presets.save()
    assert "Dew Pluck" not in presets(desk) and presets(desk, "tide-tables").count("Dew Pluck") == 1
    assert on_disk(desk, "dew-pluck", "tide-tables") == 900.0
    session.editor.undo()
    session.editor.undo()
    assert presets(desk)[0] == "Dew Pluck" and on_disk(desk, "dew-pluck") == 900.0 and session.editor.work.bank == HOME


def test_a_deleted_preset_leaves_its_sound_on_the_table_and_comes_back_with_undo(desk: Desk) -> None:
    session = desk.session
    shelf_steps.delete_preset(session, HOME, "dew-pluck")
    assert dotted(desk) and session.editor.work.preset == "" and pages(desk) == 0, "it lies in the bin"
    session.editor.undo()
    assert not dotted(desk) and (session.editor.work.bank, session.editor.work.preset) == (HOME, "dew-pluck")
    session.editor.redo()
    assert session.presets.save() and session.shelf.bank_name(session.editor.work.bank) == "First Sketches"
    assert session.shelf.library.bank(session.editor.work.bank).versions(session.editor.work.preset) == []


def test_what_another_window_does_to_the_preset_is_seen(desk: Desk) -> None:
    session, other = desk.session, Library(desk.session.shelf.library.root)
    other.bank(HOME).save("dew-pluck", with_value(session.patch, CUTOFF, 500.0))
    session.shelf.refresh()
    assert not dotted(desk) and session.editor.value(CUTOFF) == 500.0, "nothing was unsaved here: theirs is shown"
    session.editor.set(CUTOFF, 700.0)
    other.bank(HOME).save("dew-pluck", with_value(session.patch, CUTOFF, 800.0))
    session.shelf.refresh()
    assert dotted(desk) and session.editor.value(CUTOFF) == 700.0, "the table keeps its sound; disk has another"
    other.delete(HOME, "dew-pluck")
    session.shelf.refresh()
    assert desk.messages[-1] == "“Dew Pluck” is not in its bank any more; saving it makes a new preset."
    assert session.presets.save() and on_disk(desk, session.editor.work.preset, session.editor.work.bank) == 700.0


def test_a_preset_opened_again_later_is_the_same_document(desk: Desk) -> None:
    """Opened, left for another, moved, and undone back to: it is where it was moved to."""
    session = desk.session
    session.editor.set(CUTOFF, 900.0)
    session.presets.open(HOME, "moss-pad")
    Library(session.shelf.library.root).move(HOME, "dew-pluck", "tide-tables")
    session.shelf.documents.moved(HOME, "dew-pluck", "tide-tables", "dew-pluck")
    session.editor.undo()
    assert session.editor.work.bank == "tide-tables" and session.presets.save()
    assert on_disk(desk, "dew-pluck", "tide-tables") == 900.0 and "Dew Pluck" not in presets(desk)


# --- steps on the shelf restore what they changed -------------------------------------------------


def test_a_copy_that_was_changed_is_not_thrown_away_by_undo(desk: Desk) -> None:
    session = desk.session
    shelf_steps.duplicate_preset(session, HOME, "moss-pad")
    bank = Library(session.shelf.library.root).bank(HOME)
    bank.save("moss-pad-copy", with_value(bank.load("moss-pad-copy"), "level", -20.0))
    session.editor.undo()
    assert desk.messages[-1].startswith("Not undone: duplicate Moss Pad. The copy of “Moss Pad” is not as it was made")
    assert "Moss Pad copy" in presets(desk)
    session.editor.undo()
    assert desk.messages[-1] == "There is nothing to undo."


def test_an_order_that_another_changed_stays(desk: Desk) -> None:
    session = desk.session
    shelf_steps.reorder_preset(session, HOME, "moss-pad", 0)
    assert presets(desk)[0] == "Moss Pad"
    Library(session.shelf.library.root).bank(HOME).place("moss-pad", 5)
    session.editor.undo()
    assert "“Moss Pad” stands elsewhere by now" in desk.messages[-1] and presets(desk)[5] == "Moss Pad"


def test_moving_one_back_leaves_the_places_of_the_others(desk: Desk) -> None:
    session = desk.session
    before = presets(desk)
    shelf_steps.reorder_preset(session, HOME, "moss-pad", 0)
    Library(session.shelf.library.root).bank(HOME).place("root-sub", 20)
    session.editor.undo()
    assert presets(desk).index("Root Sub") == 20 and presets(desk).index("Moss Pad") == before.index("Moss Pad")


def test_a_bank_that_holds_presets_is_not_taken_away_by_undo(desk: Desk) -> None:
    session = desk.session
    key = shelf_steps.make_bank(session, "Aviary")
    Library(session.shelf.library.root).bank(key).save_new(session.patch)
    session.editor.undo()
    assert "“Aviary” holds presets by now; it stays." in desk.messages[-1]
    assert presets(desk, key) == ["Dew Pluck"]


def test_a_bank_is_deleted_with_all_in_it_and_comes_back(desk: Desk) -> None:
    session, shelf = desk.session, desk.window.shelf
    desk.window.show_page("Shelf")
    spine = desk.find(Spine, lambda s: s.name == "Glasshouse at Dusk")
    menu = shelf.column.bank_menu(spine)
    expected = [
        "About it…",
        "Rename…",
        "Duplicate",
        "Export…",
        "Move up",
        "Move down",
        "Measure all",
        "Order its presets",
        "Merge into",
    ]
    expected.append("Delete")
    assert [action.text() for action in menu.actions()] == expected
    menu.actions()[-1].trigger()
    assert [bank.id for bank in session.shelf.library.banks()] == ["tide-tables"]
    assert dotted(desk) and session.editor.work.preset == "" and session.shelf.shown == "tide-tables"
    session.editor.undo()
    assert len(presets(desk)) == 36 and not dotted(desk) and session.editor.work.preset == "dew-pluck"
    session.editor.redo()
    shelf_steps.restore_thrown(session, session.shelf.library.bin.all()[0].ticket, "Glasshouse at Dusk")
    assert len(presets(desk)) == 36 and not dotted(desk)
    session.editor.undo()
    assert [bank.id for bank in session.shelf.library.banks()] == ["tide-tables"]


def test_a_bank_is_duplicated_and_described_and_both_are_undone(desk: Desk) -> None:
    session, shelf = desk.session, desk.window.shelf
    desk.window.show_page("Shelf")
    shelf.column.duplicate_bank("tide-tables")
    assert session.shelf.shown == "tide-tables-copy" and presets(desk, "tide-tables-copy") == presets(
        desk, "tide-tables"
    )
    sheet = shelf.bank_sheet
    sheet.open_for("tide-tables-copy")
    sheet.description.setFocus()
    sheet.description.setPlainText("For the pier")
    sheet.lines["version"].setFocus()
    assert session.shelf.library.bank("tide-tables-copy").file.description == "For the pier"
    session.editor.undo()
    assert session.shelf.library.bank("tide-tables-copy").file.description != "For the pier"
    sheet.put_away()
    session.editor.undo()
    assert len(session.shelf.library.banks()) == 2
    session.editor.redo()
    assert session.shelf.library.bank("tide-tables-copy").name == "Tide Tables copy"


def test_banks_are_put_in_order_by_hand_and_the_order_stays(desk: Desk) -> None:
    session = desk.session
    third = shelf_steps.make_bank(session, "A Third")
    desk.window.show_page("Shelf")
    shelf = desk.window.shelf

    def shown() -> list[str]:
        return [bank.id for bank in shelf.banks]

    assert shown() == [third, HOME, OTHER]
    spine = desk.find(Spine, lambda spine: spine.bank.id == OTHER)
    spine.setFocus()
    for _ in range(3):
        desk.keys(Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert shown() == [OTHER, third, HOME]
    data = QMimeData()
    data.setData(BANK_MIME, HOME.encode())
    desk.drop(data, desk.find(Spine, lambda spine: spine.bank.id == OTHER))
    assert shown() == [HOME, OTHER, third] == [bank.id for bank in Library(session.shelf.library.root).banks()]
    session.editor.undo()
    assert shown() == [OTHER, third, HOME]
    Library(session.shelf.library.root).place_bank(OTHER, 2)
    session.editor.undo()
    assert shown() == [third, HOME, OTHER] and "stands elsewhere by now" in desk.messages[-1]


def test_a_bank_that_lacks_a_recording_is_handed_over_only_if_wished(desk: Desk, tmp_path: Path) -> None:
    bank, target = desk.session.shelf.library.bank(HOME), tmp_path / "out.feltbank"
    path = next(bank.path(key) for key in bank.ids() if '"digest"' in bank.path(key).read_text())
    path.write_text(re.sub(r'"digest": "[0-9a-f]{64}"', f'"digest": "{"0" * 64}"', path.read_text()))
    desk.window.show_page("Shelf")
    desk.window.shelf.export_file(target)
    assert "recording is not here" in desk.window.said.text.text() and not target.exists()
    desk.answer("Export it all the same")
    desk.finish_job()
    assert target.exists() and desk.messages[-1] == "Exported 36 presets to out.feltbank."


def test_delete_twice_leaves_the_neighbour_which_is_chosen_and_named(desk: Desk) -> None:
    desk.window.show_page("Shelf")
    shelf = desk.window.shelf
    before = presets(desk)
    shelf.view.setCurrentIndex(shelf.model.index(2))
    shelf.view.setFocus()
    for _ in range(3):
        QTest.keyClick(shelf.view, Qt.Key.Key_Delete)
    assert presets(desk) == before[:2] + before[3:]
    assert f"Deleted {before[2]}; undo brings it back. “{before[3]}” is chosen now." in desk.messages
    assert desk.messages[-1] == f"“{before[3]}” is still there." and shelf.chosen() is not None
    QTest.qWait(750)
    QTest.keyClick(shelf.view, Qt.Key.Key_Delete)
    assert presets(desk) == before[:2] + before[4:]


# --- closing and coming back ----------------------------------------------------------------------


@pytest.fixture
def windows(qapp: object, home: Path) -> Callable[[], Desk]:
    """Windows one after another, or side by side, on one home."""
    return lambda: Desk(engine=False)


def test_work_left_for_another_preset_is_offered_after_a_quiet_close(windows: Callable[[], Desk]) -> None:
    first = windows()
    first.session.editor.set(CUTOFF, 900.0)
    first.session.presets.open(HOME, "moss-pad")
    first.session.editor.set("layers.a.pan", 0.4)
    first.session.close()
    first.close()
    second = windows()
    assert sorted(left.work.patch.name for left in second.left_behind) == ["Dew Pluck", "Moss Pad"]
    second.window.left.offer(second.left_behind)
    assert second.window.said.text.text().startswith("2 sounds were not saved when their windows closed: ")
    menu = second.window.left.show_left(second.left_behind)
    parts = menu.findChildren(QMenu)
    assert [[act.text() for act in part.actions()] for part in parts] == 2 * [["Open it", "Discard"]]
    dew = next(left for left in second.left_behind if left.work.patch.name == "Dew Pluck")
    second.window.left.take_up(dew)
    assert (
        second.session.editor.value(CUTOFF) == 900.0
        and second.session.editor.unsaved
        and second.session.editor.work.preset == "dew-pluck"
    )
    assert pages(second) == 1 and second.window.said.text.text().startswith("“Moss Pad” was not saved")
    second.answer("Discard")
    assert second.session.journal.left_behind() == [] and pages(second) == 1
    assert second.session.presets.save() and pages(second) == 0
    second.session.close()
    second.close()
    third = windows()
    assert third.left_behind == []
    third.close()


def test_two_windows_do_not_touch_each_other_s_journal(windows: Callable[[], Desk]) -> None:
    first, second = windows(), windows()
    first.session.editor.set(CUTOFF, 900.0)
    second.session.editor.set(CUTOFF, 800.0)
    assert pages(first) == pages(second) == 1
    assert second.session.presets.save() and pages(second) == 0 and pages(first) == 1
    assert second.session.journal.left_behind() == []
    first.session.journal.close()
    assert [value_at(left.work.patch, CUTOFF) for left in second.session.journal.left_behind()] == [900.0]
    for desk in (first, second):
        desk.close()


@pytest.mark.parametrize("choice", ["Save it", "Keep it for next time", "Discard"])
def test_closing_asks_where_it_shall(desk: Desk, choice: str) -> None:
    session = desk.session
    session.settings.keep(session.settings.now.model_copy(update={"closing": "ask"}))
    session.editor.set(CUTOFF, 900.0)
    assert not desk.window.close() and desk.window.isVisible()
    assert desk.window.said.text.text() == "“Dew Pluck” is not saved."
    desk.answer(choice)
    assert not desk.window.isVisible()
    session.journal.close()
    left = session.journal.left_behind()
    assert on_disk(desk, "dew-pluck") == (900.0 if choice == "Save it" else 620.0)
    assert len(left) == (1 if choice.startswith("Keep") else 0)


def test_closing_without_a_question_keeps_the_work(desk: Desk) -> None:
    desk.session.editor.set(CUTOFF, 900.0)
    assert desk.window.close()
    desk.session.close()
    assert len(desk.session.journal.left_behind()) == 1


# --- a disk that is full --------------------------------------------------------------------------

REFUSED: dict[str, tuple[Callable[[Desk], object], str]] = {
    "save": (lambda d: d.session.presets.save(), "“Dew Pluck” was not saved"),
    "save as new": (lambda d: d.session.presets.save_new("Leaf"), "“Leaf” was not saved"),
    "star": (
        lambda d: shelf_steps.change_preset(d.session, HOME, "moss-pad", {"favourite": True}, "star"),
        "“Moss Pad” was not changed",
    ),
    "delete": (lambda d: shelf_steps.delete_preset(d.session, HOME, "moss-pad"), "“Moss Pad” was not deleted"),
    "move": (lambda d: shelf_steps.move_preset(d.session, HOME, "root-sub", "tide-tables"), "“Root Sub” was not moved"),
    "order": (
        lambda d: shelf_steps.reorder_preset(d.session, HOME, "moss-pad", 0),
        "“Glasshouse at Dusk” was not changed",
    ),
    "copy": (lambda d: shelf_steps.duplicate_preset(d.session, HOME, "moss-pad"), "“Moss Pad copy” was not saved"),
    "new bank": (lambda d: shelf_steps.make_bank(d.session, "Aviary"), "“Aviary” could not be put into the library"),
    "rename bank": (
        lambda d: shelf_steps.about_bank(d.session, HOME, {"name": "X"}, "name"),
        "“Glasshouse at Dusk” was not changed",
    ),
    "copy bank": (
        lambda d: shelf_steps.duplicate_bank(d.session, "tide-tables"),
        "“Tide Tables copy” could not be put",
    ),
    "delete bank": (lambda d: shelf_steps.delete_bank(d.session, "tide-tables"), "“Tide Tables” was not deleted"),
    "journal": (lambda d: d.session.autosave.write(), "Unsaved work could not be put into the journal"),
}


@pytest.mark.parametrize("what", list(REFUSED))
def test_a_full_disk_is_one_sentence_by_name_and_changes_nothing(
    desk: Desk, monkeypatch: pytest.MonkeyPatch, what: str
) -> None:
    session, root = desk.session, desk.session.shelf.library.root
    session.editor.set(CUTOFF, 900.0)

    def whole() -> dict[Path, bytes]:
        return {path: path.read_bytes() for path in sorted(root.glob("[a-z]*/**/*.json"))}

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    before, said = whole(), len(desk.messages)
    monkeypatch.setattr(files.os, "fsync", full)
    act, says = REFUSED[what]
    act(desk)
    monkeypatch.undo()
    (message,) = [m for m in desk.messages[said:] if "No space left" in m]
    assert says in message and message.count("No space left") == 1 and desk.window.said.problem
    session.shelf.library.tidy(90, 500)
    assert whole() == before and session.shelf.library.bin.all() == []
    assert session.editor.value(CUTOFF) == 900.0 and len(session.editor.history.sentences()) == 1
