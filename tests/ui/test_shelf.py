"""The Shelf in full: what a bank and a preset say of themselves, lists that are narrowed, sounds like another, phrases."""

from __future__ import annotations

import errno
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from felt_dial import files
from felt_dial.bank.library.phrases import Phrases
from felt_dial.bank.library.places import previews_folder
from felt_dial.bank.library.previews import preview_path, write_preview
from felt_dial.bank.measuring.features import Features
from felt_dial.bank.measuring.measurement import Measurement
from felt_dial.live.link.messages import Listen, NotesTaken
from felt_dial.live.midi.midi_file import write_phrase_as_midi
from felt_dial.patch.phrase import Beat, Phrase, of_length
from felt_dial.session.phrasing import put_phrase
from felt_dial.session.topics import Rebuilt
from felt_dial.sound.playing.phrases import PHRASES
from felt_dial.ui.dials.controls import Pill
from felt_dial.ui.pages.shelf.preset_list import PresetPainter
from felt_dial.ui.pages.shelf.spine import Spine
from tests.ui.conftest import Desk, wait
from tests.ui.test_many import names, select, shelf

HOME = "glasshouse-at-dusk"
LEFT = Qt.MouseButton.LeftButton


def measured(bright: float, length: float) -> Measurement:
    of = Features(bright, 0.01, length, 0.1, 0.5, 0.2, np.full(24, -20.0))
    return Measurement(-18.0, -6.0, np.zeros((64, 160), np.uint8), of, 0.05)


def test_a_bank_says_what_it_is_each_change_a_step(desk: Desk, tmp_path: Path) -> None:
    page, session = shelf(desk), desk.session
    sheet = page.bank_sheet
    sheet.open_for(HOME)
    bank = session.shelf.library.bank(HOME)
    steps = len(session.editor.history._done)
    for field, text in {"author": "A. Person", "version": "2.0", "licence": "Free for all"}.items():
        sheet.lines[field].setText(text)
        sheet.lines[field].editingFinished.emit()
        assert getattr(bank.file, field) == text
    sheet.dyes.buttons["lichen"].click()
    assert desk.find(Spine, lambda s: s.name == "Glasshouse at Dusk").shade == "lichen"
    sheet.words.setFocus()
    sheet.words.setPlainText("petal, stamen, petal")
    sheet.lines["name"].setFocus()
    assert bank.file.words == ("petal", "stamen")
    assert any(word in sheet.learned.text().partition("On offer")[2] for word in ("Petal", "Stamen"))
    assert len(session.editor.history._done) == steps + 5
    for _ in range(5):
        session.editor.undo()
    assert bank.file.version == "1.0" and bank.file.author == "Felt Dial" and bank.file.dye == "madder"
    sheet.write_picture(tmp_path / "cover.png")
    assert (tmp_path / "cover.png").stat().st_size > 10_000
    sheet.write_picture(tmp_path / "no" / "cover.png")
    assert "could not be written" in desk.messages[-1]


def test_a_preset_is_marked_noted_and_given_a_phrase_without_touching_its_sound(desk: Desk) -> None:
    page, session = shelf(desk), desk.session
    page.view.setCurrentIndex(page.model.index(1))
    details, bank = page.details, session.shelf.library.bank(HOME)
    key = page.model.presets[1].key
    details.mark.buttons["woad"].click()
    details.private.setFocus()
    details.private.setPlainText("too long a tail")
    details.author.setFocus()
    details.author.setText("A. Person")
    details.author.editingFinished.emit()
    kept = bank.load("lantern-brass")
    assert (kept.mark, kept.notes, kept.author) == ("woad", "too long a tail", "A. Person")
    assert bank.versions("lantern-brass") == [] and page.model.presets[1].key == key, "the same sound"
    details.phrase.setCurrentIndex(details.phrase.findText(PHRASES["lead"].name))
    details.phrase.activated.emit(details.phrase.currentIndex())
    assert bank.load("lantern-brass").phrase == PHRASES["lead"] and page.model.presets[1].key != key, "measured anew"
    session.presets.open(HOME, "lantern-brass")
    assert session.transport.phrase == "lead"
    assert "made 27 Nov 2026" in details.notes.text() and "changed" in details.notes.text()
    assert "M1 Timbre" in details.macros.text()
    page.search.setText("colour:woad")
    assert names(page) == ["Lantern Brass"]
    page.search.clear()
    for _ in range(5):  # the phrase, the opening, the author, the notes, the mark
        session.editor.undo()
    kept = bank.load("lantern-brass")
    assert (kept.mark, kept.notes, kept.author, kept.phrase) == ("", "", "Felt Dial", None)


def test_the_list_is_narrowed_to_what_is_starred_unnamed_never_opened_or_recent(desk: Desk) -> None:
    page, session = shelf(desk), desk.session
    column = page.column
    before = session.shelf.catalogue.counts(HOME)["unopened"]
    session.presets.open(HOME, "moss-pad")
    session.presets.open("tide-tables", "ebb-bell")
    column.choose_only("recent")
    assert names(page)[:2] == ["Ebb Bell", "Moss Pad"]
    column.choose_only("unopened")
    assert len(names(page)) == before - 1 and "Moss Pad" not in names(page)
    column.choose_only("starred")
    assert names(page) == [] and "No preset of this bank is so" in page.start.text()
    column.choose_only("starred")
    assert len(names(page)) == 36


def test_sounds_like_another_come_nearest_first_with_a_reason(desk: Desk) -> None:
    page, session = shelf(desk), desk.session
    rows = page.model.presets
    page.list_like()
    assert "not measured yet" in desk.messages[-1] and len(names(page)) == 36
    for n in (0, 3, 5, 9):
        session.shelf.figures.index.put(rows[n].key, measured(1.0 + 0.5 * n, 0.5))
    page.view.setCurrentIndex(page.model.index(3))
    page.list_like()
    assert names(page) == [rows[n].name for n in (5, 0, 9)] and "like Root Sub, of 4 sounds" in page.count.text()
    assert "brighter" in page.model.why[rows[5].key] and "darker" in page.model.why[rows[0].key]
    assert not page.model.ordered
    page.list_like()
    assert len(names(page)) == 36


def test_banks_are_put_in_order_by_what_was_measured(desk: Desk) -> None:
    page, session = shelf(desk), desk.session
    rows = page.model.presets
    for n, bright in ((0, 3.0), (3, 1.0), (5, 2.0)):
        session.shelf.figures.index.put(rows[n].key, measured(bright, bright))
    page.column.order_bank(HOME, "dark to bright")
    assert names(page)[:3] == [rows[3].name, rows[5].name, rows[0].name]
    assert "33 that are not measured yet stand at the end" in desk.messages[-1]
    session.editor.undo()
    assert names(page)[0] == rows[0].name


def test_several_are_dragged_to_another_place_and_to_another_bank_as_one_step(desk: Desk) -> None:
    page, session = shelf(desk), desk.session
    before = names(page)
    data = page.model.mimeData([page.model.index(n) for n in (5, 1, 3)])
    page.model.dropMimeData(data, Qt.DropAction.MoveAction, 8, 0, page.model.index(-1))
    moved = [before[n] for n in (1, 3, 5)]
    assert names(page)[5:8] == moved and [name for name in names(page) if name not in moved] == [
        name for name in before if name not in moved
    ]
    session.editor.undo()
    assert names(page) == before
    spine = desk.find(Spine, lambda s: s.name == "Tide Tables")
    desk.drop(page.model.mimeData([page.model.index(n) for n in (1, 3, 5)]), spine)
    assert len(session.shelf.library.bank("tide-tables").ids()) == 19
    session.editor.undo()
    assert names(page) == before
    select(page, 0, 1)
    page.many.split()
    assert (
        len(session.shelf.library.banks()) == 3
        and len(session.shelf.library.bank("glasshouse-at-dusk-a-part").ids()) == 2
    )
    session.editor.undo()
    assert len(session.shelf.library.banks()) == 2 and names(page) == before
    page.column.merge_bank("tide-tables", HOME)
    assert len(session.shelf.library.bank(HOME).ids()) == 52
    session.editor.undo()
    page.choose_bank(HOME)
    assert names(page) == before and len(session.shelf.library.bank("tide-tables").ids()) == 16


def test_an_empty_library_and_an_empty_bank_say_what_to_do(desk: Desk) -> None:
    page, session = shelf(desk), desk.session

    def offers() -> dict[str, Pill]:
        QApplication.processEvents()
        return {pill.text(): pill for pill in page.start.findChildren(Pill) if pill.isVisible()}

    page.column.make_bank("Aviary")
    assert page.start.isVisible() and "empty" in page.start.text()
    offers()["Keep the sound on the table here"].click()
    assert names(page) == [session.patch.name] and session.shelf.library.bank("aviary").load("dew-pluck").made
    session.editor.undo()
    session.editor.undo()
    for bank in ("tide-tables", HOME):
        session.shelf.library.delete_bank(bank)
    session.shelf.refresh()
    assert "library is empty" in page.start.text()
    offers()["Bring the shipped banks"].click()
    assert [bank.name for bank in session.shelf.banks] == ["Glasshouse at Dusk", "Tide Tables"] and len(
        names(page)
    ) == 36
    session.editor.undo()
    assert session.shelf.banks == [] and "Make a first bank" in offers()


def test_a_preset_is_heard_while_the_pointer_rests_on_its_swatch(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    page, session, heard = shelf(desk), desk.session, list[str]()
    monkeypatch.setattr(
        session.link, "tell", lambda said: heard.append(Path(said.path).name) if isinstance(said, Listen) else None
    )
    key = page.model.presets[2].key
    write_preview(preview_path(previews_folder(), key), np.zeros((2, 9600), np.float32), 48000)
    row = page.view.visualRect(page.model.index(2))
    left, wide = PresetPainter.columns(row.width() - 2)["swatch"]
    QTest.mouseMove(page.view.viewport(), QPoint(left + wide // 2, row.center().y()))
    assert wait(lambda: heard == [f"{key}.ogg"], 3.0)
    QTest.mouseMove(page.view.viewport(), QPoint(left + wide + 80, row.center().y()))
    assert wait(lambda: heard[-1] == "", 3.0)
    session.settings.keep(session.settings.now.model_copy(update={"hover": False}))
    QTest.mouseMove(page.view.viewport(), QPoint(left + wide // 2, row.center().y()))
    QTest.qWait(500)
    assert len(heard) == 2


# --- phrases -------------------------------------------------------------------------------------


def test_an_edit_of_a_shipped_phrase_makes_one_of_your_own_and_undo_takes_it_away(desk: Desk) -> None:
    session = desk.session
    session.transport.choose_phrase("arpeggio")
    sheet = desk.window.phrase_sheet
    sheet.open()
    roll = sheet.roll
    at = QPoint(round(roll.x_of(2.1)), round(roll.box_of(Beat(2.0, 0.25, 58)).center().y()))
    QTest.mouseDClick(roll, LEFT, pos=at)
    assert (
        session.transport.phrase == "own:arpeggio-mine"
        and Beat(2.0, 0.25, 58, 96) in session.transport.phrase_now.notes
    )
    assert (session.shelf.phrases.folder / "arpeggio-mine.json").exists() and PHRASES[
        "arpeggio"
    ].notes != session.transport.phrase_now.notes
    session.editor.undo()
    assert session.transport.phrase == "arpeggio" and not list(session.shelf.phrases.folder.glob("*.json"))
    session.editor.redo()
    assert (
        session.transport.phrase == "own:arpeggio-mine"
        and Beat(2.0, 0.25, 58, 96) in session.transport.phrase_now.notes
    )


def test_notes_are_dragged_lengthened_made_louder_and_taken_away_each_as_one_step(desk: Desk) -> None:
    session = desk.session
    first = Phrase("own:x", "X", 4.0, (Beat(0.0, 0.5, 60, 90), Beat(1.0, 0.5, 64, 90)))
    put_phrase(session, None, first, "make it")
    sheet = desk.window.phrase_sheet
    sheet.open()
    roll = sheet.roll
    steps = len(session.editor.history._done)

    def centre(n: int) -> QPoint:
        return roll.box_of(roll.notes[n]).center().toPoint()

    high = roll.field.height() / roll.keys
    beat = roll.x_of(1.0) - roll.x_of(0.0)
    desk.drag(roll, centre(0), centre(0) + QPoint(round(2 * beat), round(-3 * high)))
    assert session.transport.phrase_now.notes == (Beat(1.0, 0.5, 64, 90), Beat(2.0, 0.5, 63, 90))
    end = QPointF(roll.box_of(roll.notes[1]).right() - 2, centre(1).y()).toPoint()
    desk.drag(roll, end, end + QPoint(round(beat), 0))
    assert session.transport.phrase_now.notes[1] == Beat(2.0, 1.5, 63, 90)
    desk.drag(
        roll,
        QPoint(round(roll.x_of(1.0)) + 1, roll.height() - 8),
        QPoint(round(roll.x_of(1.0)) + 1, roll.height() - 40),
    )
    assert session.transport.phrase_now.notes[0].velocity > 90 and session.transport.phrase_now.notes[1].velocity == 90
    QTest.keyClick(roll, Qt.Key.Key_BracketRight)
    QTest.keyClick(roll, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert 76 in {note.key for note in session.transport.phrase_now.notes} or 75 in {
        note.key for note in session.transport.phrase_now.notes
    }
    QTest.keyClick(roll, Qt.Key.Key_Delete)
    assert len(session.transport.phrase_now.notes) == 1 and len(session.editor.history._done) == steps + 5
    for _ in range(5):
        session.editor.undo()
    assert session.transport.phrase_now == first and roll.phrase == first


def test_a_phrase_is_quantised_trimmed_and_given_to_the_preset(desk: Desk) -> None:
    session = desk.session
    loose = Phrase("own:x", "Loose", 8.0, (Beat(2.03, 0.4, 60, 90), Beat(2.97, 0.4, 64, 90)))
    put_phrase(session, None, loose, "make it")
    sheet = desk.window.phrase_sheet
    sheet.open()
    sheet.quantise()
    assert [note.at for note in session.transport.phrase_now.notes] == [2.0, 3.0]
    sheet.trim()
    assert [note.at for note in session.transport.phrase_now.notes] == [
        0.0,
        1.0,
    ] and session.transport.phrase_now.beats == 4.0
    sheet.longer(4)
    assert session.transport.phrase_now.beats == 8.0
    sheet.give_to_patch()
    assert (
        session.editor.unsaved and session.patch.phrase == session.transport.phrase_now and "Kept" in sheet.give.text()
    )
    session.presets.save()
    session.presets.open(HOME, "moss-pad")
    assert session.transport.phrase == "slow"
    session.presets.open(HOME, "dew-pluck")
    assert session.transport.phrase_now.notes == ((0.0, 0.5, 60, 90), (1.0, 0.5, 64, 90))
    sheet.give_to_patch()
    assert session.patch.phrase is None
    sheet.delete()
    assert not session.shelf.phrases.is_own("own:x")
    session.editor.undo()
    assert session.shelf.phrases.is_own("own:x")


def test_a_midi_file_becomes_a_phrase_that_stays(desk: Desk, tmp_path: Path) -> None:
    write_phrase_as_midi(PHRASES["keys"], 100.0, tmp_path / "answer.mid")
    desk.window.phrase_sheet.take_file(tmp_path / "answer.mid")
    desk.finish_job()
    assert desk.session.transport.phrase == "own:answer" and len(desk.session.transport.phrase_now.notes) == len(
        PHRASES["keys"].notes
    )
    (tmp_path / "bad.mid").write_bytes(b"moss")
    desk.window.phrase_sheet.take_file(tmp_path / "bad.mid")
    desk.finish_job()
    assert "no whole Standard MIDI File" in desk.messages[-1] and desk.session.transport.phrase == "own:answer"


def test_what_is_played_is_taken_down_through_the_engine(open_desk) -> None:  # type: ignore[no-untyped-def]
    desk = open_desk()
    session, sheet = desk.session, desk.window.phrase_sheet
    session.editor.set("tempo", 240.0)
    sheet.open()
    sheet.toggle_recording()
    assert wait(lambda: float(session.link.shared.data["position"]) > 0.0)
    assert wait(lambda: "Taking down" in sheet.said.text(), 2.0)
    for key in (60, 64):
        session.transport.note_on(key, 0.5)
        QTest.qWait(120)
        session.link.note_off(key)
    sheet.toggle_recording()
    assert wait(lambda: session.transport.phrase.startswith("own:played"))
    assert [note.key for note in session.transport.phrase_now.notes] == [60, 64]
    assert all(0.2 < note.length < 2.0 for note in session.transport.phrase_now.notes), (
        "at 240 a beat lasts a quarter of a second"
    )
    session.editor.undo()
    assert not session.transport.phrase.startswith("own:")


def test_a_dial_is_locked_from_its_menu_and_offshoots_say_so(desk: Desk) -> None:
    session = desk.session
    dial = desk.dial("layers.a.filter.cutoff")
    next(act for act in dial.menu().actions() if act.text() == "Never moved by offshoots").trigger()
    assert session.editor.locked == {"layers.a.filter.cutoff"} and "never moved" in desk.messages[-1]
    page = shelf(desk)
    page.view.setCurrentIndex(page.model.index(0))
    page.grow()
    grown = page.offshoots
    assert grown.card.wishes().locked == frozenset(session.editor.locked)
    pill = next(pill for pill in grown.findChildren(Pill) if pill.text().endswith("×"))
    assert "Cutoff" in pill.text()
    pill.click()
    assert session.editor.locked == set()
    grown.close_it()


def test_towards_a_recording_comes_nearer_while_one_listens_and_stops_at_a_word(desk: Desk) -> None:
    page = shelf(desk)
    page.view.setCurrentIndex(page.model.index(names(page).index("Compost Kick")))
    page.grow()
    grown = page.offshoots
    menu = grown.card._aims()
    next(act for act in menu.actions() if act.text() == "Wood Knock").trigger()
    assert wait(lambda: len(grown.sounds) >= 3 or not grown.growth.busy, 60.0)
    assert grown.growth.busy and "tried" in grown.told.text() and "Wood Knock" in grown.told.text()
    fars = [one.far for one in grown.sounds]
    assert fars == sorted(fars, reverse=True) and fars[-1] < fars[0]
    assert all(one.changed for one in grown.sounds), "the sound itself, played at another key, is no find"
    grown.growth.stop()
    assert not grown.growth.busy and len(grown.sounds) >= 3
    grown.map.choose(len(grown.sounds) - 1)
    assert grown.keep_pill.isEnabled() and ", played at " in grown.how_far.text()
    grown.keep()
    assert desk.session.shelf.catalogue.presets(HOME)[5].parent == "Compost Kick"
    grown.close_it()


# --- what a hand does that nobody expects --------------------------------------------------------


def test_what_is_being_written_about_one_preset_never_lands_in_another(desk: Desk) -> None:
    page, session = shelf(desk), desk.session
    details, bank = page.details, session.shelf.library.bank(HOME)
    session.presets.open(HOME, "moss-pad")
    before = bank.load("root-sub")
    for widget in (details.description, details.private, details.author, details.character, details.name):
        page.view.setCurrentIndex(page.model.index(2))
        widget.setFocus()
        QTest.keyClicks(widget, "xyz")
        session.presets.neighbour(1)  # as Ctrl+Right does, which leaves the focus where it is
        QApplication.processEvents()
        assert details.preset is not None and details.preset.id == "root-sub"
        page.view.setFocus()
        assert bank.load("root-sub") == before, widget.accessibleName()
        session.presets.open(HOME, "moss-pad")
    kept = bank.load("moss-pad")
    assert "xyz" in kept.description and "xyz" in kept.notes and "xyz" in kept.author and "xyz" in kept.name
    assert any("xyz" in word for word in kept.character)


def test_a_phrase_that_another_window_changed_is_not_written_over(desk: Desk) -> None:
    session = desk.session
    first = Phrase("own:x", "X", 4.0, (Beat(0.0, 0.5, 60, 90),))
    put_phrase(session, None, first, "make it")
    theirs = Phrase("own:x", "X", 4.0, (Beat(1.0, 0.5, 67, 90),))
    Phrases(session.shelf.library.root).put(first, theirs)
    sheet = desk.window.phrase_sheet
    steps = len(session.editor.history._done)
    put_phrase(session, first, of_length(first, 8.0), "lengthen it")
    assert "changed in another window" in desk.messages[-1] and len(session.editor.history._done) == steps
    assert session.transport.phrase_now == theirs
    sheet.open()
    sheet.delete()
    session.editor.undo()
    assert Phrases(session.shelf.library.root).all()["own:x"] == theirs


def test_what_was_played_is_there_even_where_the_disk_does_not_take_it(
    desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    session = desk.session

    def full(*_: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(files.os, "fsync", full)
    desk.window.phrase_sheet.open()
    session.channel.tell(NotesTaken((Beat(0.0, 0.5, 60, 90), Beat(1.0, 0.5, 64, 90))))
    assert "No space left" in desk.messages[-1] and len(session.transport.phrase_now.notes) == 2
    monkeypatch.undo()
    desk.window.phrase_sheet.duplicate()
    assert session.shelf.phrases.is_own(session.transport.phrase) and len(session.transport.phrase_now.notes) == 2


def test_names_of_any_length_are_taken_and_cut(desk: Desk) -> None:
    session, long = desk.session, "M" * 80
    patch = session.patch.model_copy(update={"phrase": Phrase("i" * 80, long, 4.0, (Beat(0.0, 1.0, 60),))})
    session.editor.open_patch(patch)
    assert session.transport.phrase_now.notes == ((0.0, 1.0, 60, 96),)
    sheet = desk.window.phrase_sheet
    sheet.open()
    sheet.duplicate()
    assert len(session.transport.phrase_now.name) == 80 and session.transport.phrase_now.name.endswith(" copy")
    session.editor.open_patch(patch)
    sheet.longer(4)
    assert session.transport.phrase_now.name.endswith(", mine") and session.transport.phrase_now.beats == 8.0


def test_a_name_half_typed_is_that_of_the_phrase_it_was_typed_for(desk: Desk) -> None:
    session = desk.session
    for name in ("X", "Y"):
        put_phrase(session, None, Phrase(f"own:{name.lower()}", name, 4.0, (Beat(0.0, 1.0, 60),)), "make it")
    sheet = desk.window.phrase_sheet
    sheet.open()
    sheet.name.setFocus()
    QTest.keyClicks(sheet.name, " two")
    session.transport.choose_phrase("own:x")
    names_now = {key: one.name for key, one in session.shelf.phrases.all().items() if session.shelf.phrases.is_own(key)}
    assert (
        names_now == {"own:x": "X", "own:y": "Y two"}
        and session.transport.phrase == "own:x"
        and sheet.name.text() == "X"
    )


def test_steps_from_a_recording_are_refused_and_so_is_growing_what_may_not_change(desk: Desk) -> None:
    page = shelf(desk)
    page.grow()
    grown = page.offshoots
    for check in grown.card.groups.values():
        check.setChecked(False)
    grown.grow()
    assert "Nothing of this sound may change" in desk.messages[-1] and not grown.growth.busy
    grown.aim_at(Path("nothing.wav"), "Nothing")
    assert "Nothing of this sound may change" in desk.messages[-1] and not grown.growth.busy
    grown.card.groups["tone"].setChecked(True)
    grown.aim_at(Path("/no/such.wav"), "Nothing")
    assert wait(lambda: not grown.growth.busy, 60.0) and "such.wav" in desk.messages[-1]
    grown.close_it()


def test_the_cover_and_the_spine_of_a_bank_have_one_dye(desk: Desk) -> None:
    page = shelf(desk)
    for key in ("tide-tables", HOME, page.session.shelf.library.create("Aviary").id):
        page.session.shelf.library.bank(key).about({}, {"dye": ""})
    page.session.shelf.refresh()
    for spine in [page.column.spine(n) for n in range(3)]:
        page.bank_sheet.open_for(spine.bank.id)
        assert page.bank_sheet.cover.shade == spine.shade


def test_a_key_that_repeats_faster_than_sounds_are_shown_adds_up(desk: Desk) -> None:
    """It goes as far as it was pressed, and not through everything that waited."""
    session = desk.session
    ids = [listed.id for listed in session.shelf.catalogue.presets("glasshouse-at-dusk")]
    session.presets.open("glasshouse-at-dusk", ids[0])
    opened: list[str] = []
    session.channel.hear(Rebuilt, lambda _: opened.append(session.editor.work.preset))
    for _ in range(7):
        QTest.keyPress(desk.window.windowHandle(), Qt.Key.Key_Right, Qt.KeyboardModifier.ControlModifier)
    assert wait(lambda: session.editor.work.preset == ids[7])
    opened.clear()
    for step in (1, 1, 1, -1, 1, 1):
        desk.window.header.preset.step_on(step)
    assert wait(lambda: session.editor.work.preset == ids[11])
    assert set(opened) == {ids[11]}, "what lies between is not shown"
    opened.clear()
    desk.window.header.preset.step_on(1)
    desk.window.header.preset.step_on(-1)
    wait(lambda: False, 0.1)
    assert not opened
