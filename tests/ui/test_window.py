"""The window under the hand: dials, entries, undo, pages, shelf, settings, and what a stranger's reader hears."""

from __future__ import annotations

import errno
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QGuiApplication, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QCheckBox, QComboBox, QLineEdit, QWidget

from felt_dial import files
from felt_dial.bank.library.package import export_bank
from felt_dial.bank.measuring.features import features_of
from felt_dial.bank.measuring.measurement import Measurement, sound_key
from felt_dial.patch.edits import add_effect, sew
from felt_dial.patch.module import Effect
from felt_dial.patch.patch import sounding
from felt_dial.patch.units import Beats
from felt_dial.sound.matter import assets
from felt_dial.ui.dials.controls import Meter
from felt_dial.ui.dials.dial import Dial
from felt_dial.ui.dials.slider import Slider
from felt_dial.ui.dials.tag import Tag
from felt_dial.ui.frame.lasting import what_lasts
from felt_dial.ui.pages.effects.rack_row import EffectCard
from felt_dial.ui.pages.shelf.spine import Spine
from felt_dial.ui.pages.threads.thread_table import HOW_FAR
from felt_dial.ui.pictures.filters import FilterCurve
from felt_dial.ui.pictures.well import Well
from felt_dial.ui.theme.colours import NIGHT, OAT, cloth, colour
from tests.ui.conftest import Desk, wait

CUTOFF = "layers.a.filter.cutoff"
CONTROL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)


# --- dials -------------------------------------------------------------------------------------


def test_a_dial_turns_by_drag_wheel_and_arrows_and_goes_home(desk: Desk) -> None:
    dial, session = desk.dial(CUTOFF), desk.session
    start = dial.rect().center()
    desk.drag(dial, start, start - QPoint(0, 45))
    up = float(session.editor.value(CUTOFF))
    assert up == pytest.approx(620.0 * 1000 ** (45 / 180), rel=1e-6), (
        "a quarter of its way on a log dial of three decades"
    )
    assert session.editor.history.sentences() == [f"A Cutoff to {dial.param.write(up)}"]
    dial.setFocus()
    for key, factor in ((Qt.Key.Key_Up, 1), (Qt.Key.Key_Down, -1)):
        before = float(session.editor.value(CUTOFF))
        desk.keys(key)
        assert float(session.editor.value(CUTOFF)) == pytest.approx(before * 1000 ** (0.01 * factor))
    desk.keys(Qt.Key.Key_Up, SHIFT)
    assert float(session.editor.value(CUTOFF)) == pytest.approx(up * 1000**0.002)
    wheel = QWheelEvent(
        QPointF(start),
        QPointF(dial.mapToGlobal(start)),
        QPoint(),
        QPoint(0, 120),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(dial, wheel)
    assert float(session.editor.value(CUTOFF)) == pytest.approx(up * 1000**0.012)
    desk.keys(Qt.Key.Key_Delete)
    assert session.editor.value(CUTOFF) == 8000.0
    session.editor.undo()
    QTest.mouseDClick(dial, Qt.MouseButton.LeftButton, pos=start)
    assert session.editor.value(CUTOFF) == 8000.0


def test_what_cannot_be_read_is_refused_in_place(desk: Desk) -> None:
    dial = desk.dial(CUTOFF)
    dial.setFocus()
    QTest.keyClick(dial, Qt.Key.Key_9)
    QTest.keyClicks(desk.entry(), "9k")
    QTest.keyClick(desk.entry(), Qt.Key.Key_Return)
    assert "outside" in desk.entry().refusal and desk.session.editor.value(CUTOFF) == 620.0
    desk.type("moss")
    assert "2.4k" in desk.entry().refusal and desk.entry().isVisible()
    desk.type("C#3")
    assert desk.session.editor.value(CUTOFF) == pytest.approx(138.59, abs=0.01)
    dial.type_value()
    desk.type("5k", enter=False)
    QTest.keyClick(desk.entry(), Qt.Key.Key_Escape)
    assert desk.session.editor.value(CUTOFF) == pytest.approx(138.59, abs=0.01)


def test_a_value_is_copied_from_one_dial_and_pasted_on_another(desk: Desk) -> None:
    session = desk.session
    first, second = desk.dial(CUTOFF), desk.dial("layers.b.filter.cutoff")
    menu = {action.text().split("…")[0]: action for action in first.menu().actions()}
    menu["Copy value"].trigger()
    assert "620" in QGuiApplication.clipboard().text()
    next(a for a in second.menu().actions() if a.text() == "Paste value").trigger()
    assert session.editor.value("layers.b.filter.cutoff") == 620.0
    QGuiApplication.clipboard().setText("moss")
    next(a for a in second.menu().actions() if a.text() == "Paste value").trigger()
    assert session.editor.value("layers.b.filter.cutoff") == 620.0 and "Not pasted" in desk.messages[-1]


def test_a_time_is_counted_in_beats_and_back(desk: Desk) -> None:
    desk.window.show_page("Effects")
    dial = desk.dial("racks.1.delay1.left")
    assert desk.session.editor.value(dial.path) == Beats(0.75)
    dial.nudge(1)
    assert str(desk.session.editor.value(dial.path)) == "1/4"
    next(a for a in dial.menu().actions() if "seconds" in a.text()).trigger()
    assert desk.session.editor.value(dial.path) == pytest.approx(60 / 104)
    next(a for a in dial.menu().actions() if "beats" in a.text()).trigger()
    assert desk.session.editor.value(dial.path) == Beats(1.0)


def test_a_thread_typed_wrongly_is_refused_with_what_there_is(desk: Desk) -> None:
    dial = desk.dial("layers.a.fine")
    dial.setFocus()
    desk.window.sew()
    desk.type("q9 +3")
    assert "E1" in desk.entry().refusal
    desk.type("e2 +900")
    assert "outside" in desk.entry().refusal
    desk.type("e2 +12 ct")
    assert any(t.target == "layers.a.fine" and t.depth == 12.0 for t in desk.session.patch.threads.values())


def test_sewing_leaves_every_widget_where_it_is(desk: Desk) -> None:
    """A tag that is being carried must live until it is dropped: a thread comes without a new layout."""
    tag, dial = desk.find(Tag, lambda t: t.key == "e2" and t.carried), desk.dial("layers.a.pitch")
    row = desk.window.patch_page.rows["a"]
    desk.drop(tag.mime(), dial)
    desk.type("+7 st")
    QApplication.processEvents()
    assert desk.find(Tag, lambda t: t.key == "e2" and t.carried) is tag and desk.dial("layers.a.pitch") is dial
    assert desk.window.patch_page.rows["a"] is row and "Moved by E2" in dial.toolTip()


def test_dropping_a_tag_on_what_cannot_be_moved_does_nothing(desk: Desk) -> None:
    tag = desk.find(Tag, lambda t: t.key == "m4")
    count = len(desk.session.patch.threads)
    desk.session.editor.select("macro", "m1")
    desk.drop(tag.mime(), desk.find(Dial, lambda d: d.path == "macros.m1.low"))
    assert len(desk.session.patch.threads) == count


def test_a_hovered_tab_opens_its_page_while_a_tag_is_carried(desk: Desk) -> None:
    tag = desk.find(Tag, lambda t: t.key == "m4")
    desk.drop(tag.mime(), desk.window.header.tabs["Effects"])
    assert wait(lambda: desk.window.shown == "Effects")


# --- pictures ----------------------------------------------------------------------------------


def test_the_filter_is_dragged_where_it_is_drawn(desk: Desk) -> None:
    desk.select("filter", "a")
    curve = desk.find(FilterCurve, lambda c: c.large)
    at = curve.rect().center()
    before = float(desk.session.editor.value(CUTOFF))
    desk.drag(curve, at, at + QPoint(40, -30))
    assert (
        float(desk.session.editor.value(CUTOFF)) > before
        and float(desk.session.editor.value("layers.a.filter.resonance")) > 0.22
    )
    assert desk.session.editor.history.sentences() == ["filter of layer A"]


def test_every_picture_draws_again_when_its_patch_changes_and_not_otherwise(desk: Desk) -> None:
    wells = [w for w in desk.window.findChildren(Well) if w.isVisible()]
    assert len(wells) >= 8
    before = {w: w.grab().toImage() for w in wells}
    desk.session.editor.set("layers.b.pan", 0.3)
    assert all(w.grab().toImage() == before[w] for w in wells)
    desk.session.editor.set("layers.b.source.shape", "pulse")
    changed = [w for w in wells if w.grab().toImage() != before[w]]
    assert [type(w).__name__ for w in changed] == ["WavePicture"]


def test_a_meter_shows_decibels_and_turns_red_beyond_zero(desk: Desk) -> None:
    meter = Meter()
    meter.resize(120, 11)
    meter.show_peak(0.5)
    assert meter.level == pytest.approx(-6.02, abs=0.01)
    calm = meter.grab().toImage()
    meter.show_peak(1.4)
    alarmed = meter.grab().toImage()
    red = colour("problem").rgb()
    count = [sum(img.pixel(x, 5) == red for x in range(120)) for img in (calm, alarmed)]
    assert count[0] == 0 and count[1] > 2
    for _ in range(80):
        meter.show_peak(0.0)
    assert meter.level < -100


# --- undo, A and B -----------------------------------------------------------------------------


def test_undo_goes_all_the_way_back_and_says_what_it_undoes(desk: Desk) -> None:
    session = desk.session
    start = session.patch
    session.editor.set(CUTOFF, 900.0)
    desk.window.patch_page.add_layer()
    desk.window.patch_page.add_modulator("lfo")
    session.editor.edit(sew(session.patch, "l1", CUTOFF, 3.0)[0], "sew L1 to A Cutoff")
    session.editor.rename_patch("Fern")
    for says in ("rename to Fern", "sew L1 to A Cutoff", "add L1", "add a layer"):
        desk.keys(Qt.Key.Key_Z, CONTROL)
        assert desk.messages[-1] == f"Undone: {says}."
    session.editor.undo()
    assert session.patch == start and not session.editor.unsaved
    for _ in range(5):
        session.editor.redo()
    assert session.patch.name == "Fern" and "l1" in session.patch.modulators
    session.editor.redo()
    assert desk.messages[-1] == "There is nothing to do again."


def test_opening_another_preset_can_be_undone_with_its_unsaved_edits(desk: Desk) -> None:
    session = desk.session
    session.editor.set(CUTOFF, 900.0)
    session.presets.neighbour(1)
    assert session.patch.name == "Lantern Brass" and not session.editor.unsaved
    assert desk.messages[-1] == "The unsaved changes to Dew Pluck are one undo away (Ctrl+Z)."
    session.editor.undo()
    assert session.patch.name == "Dew Pluck" and session.editor.value(CUTOFF) == 900.0 and session.editor.unsaved


def test_a_and_b_are_two_patches(desk: Desk) -> None:
    session = desk.session
    session.editor.flip()
    session.editor.set(CUTOFF, 5000.0)
    session.editor.flip()
    assert session.editor.work.side == "a" and session.editor.value(CUTOFF) == 620.0
    desk.window.stack.setFocus()
    desk.keys(Qt.Key.Key_QuoteLeft)
    assert session.editor.work.side == "b" and session.editor.value(CUTOFF) == 5000.0
    session.editor.copy_side()
    session.editor.flip()
    assert session.editor.value(CUTOFF) == 5000.0
    session.editor.undo()
    assert session.editor.work.a != session.editor.work.b


def test_the_louder_of_a_and_b_is_turned_down_to_the_other(desk: Desk) -> None:
    session, trim = desk.session, lambda: float(desk.link.shared.data["trim"])
    session.editor.set("layers.a.level", -20.0)
    swatch = np.zeros((64, 160), np.uint8)
    for patch, lufs in ((session.editor.work.a, -24.0), (session.editor.work.b, -18.0)):
        session.shelf.figures.index.put(
            sound_key(patch), Measurement(lufs, -6.0, swatch, features_of(np.zeros((2, 4096), np.float32), 48000), 0.1)
        )
    session.editor.flip()
    assert trim() == pytest.approx(-6.0) and "6.0 dB down" in desk.messages[-1]
    session.editor.flip()
    assert trim() == 0.0 and desk.messages[-1] == "A sounds now."
    session.editor.flip()
    session.editor.copy_side()
    assert trim() == 0.0, "two equal sides need no match"


def test_mute_solo_and_duplicate_by_key(desk: Desk) -> None:
    session = desk.session
    session.editor.select("source", "b")
    QTest.keyClick(desk.window, Qt.Key.Key_M, ALT)
    QTest.keyClick(desk.window, Qt.Key.Key_S, ALT)
    assert session.editor.value("layers.b.mute") is True and session.editor.value("layers.b.solo") is True
    QTest.keyClick(desk.window, Qt.Key.Key_D, CONTROL)
    assert list(session.patch.layers) == ["a", "b", "c"]


# --- effects and threads -----------------------------------------------------------------------


def test_effects_are_added_reordered_bypassed_and_removed(desk: Desk) -> None:
    session, page = desk.session, desk.window.effects
    desk.window.show_page("Effects")
    page.rack.add("delay")
    assert list(session.patch.racks["1"]) == ["delay1", "reverb1", "delay2"] and session.editor.effect == "delay2"
    card = page.rack.cards["delay2"]
    card.setFocus()
    QTest.keyClick(card, Qt.Key.Key_Left, ALT)
    assert list(session.patch.racks["1"]) == ["delay1", "delay2", "reverb1"]
    session.editor.set("racks.1.delay2.on", False)
    card = desk.find(EffectCard, lambda c: c.key == "delay2")
    card.setFocus()
    desk.keys(Qt.Key.Key_Delete)
    assert list(session.patch.racks["1"]) == ["delay1", "reverb1"] and session.editor.effect == "delay1"
    session.editor.undo()
    assert list(session.patch.racks["1"]) == ["delay1", "delay2", "reverb1"]


def test_the_thread_table_is_searched_edited_and_cut(desk: Desk) -> None:
    page, session = desk.window.threads, desk.session
    desk.window.show_page("Threads")
    assert len(page.table.keys) == 8
    page.search.setText("bright feed")
    assert len(page.table.keys) == 1
    index = page.table.index(0, HOW_FAR)
    assert page.table.setData(index, "+20 %") and session.patch.threads[page.table.keys[0]].depth == 0.2
    assert not page.table.setData(index, "moss") and "stays as it was" in desk.messages[-1]
    page.view.setCurrentIndex(index)
    page.view.setFocus()
    desk.keys(Qt.Key.Key_Delete)
    page.search.clear()
    assert len(page.table.keys) == 7
    page.source.setCurrentIndex(page.source.findData("w"))
    page.target.setCurrentIndex(page.target.findData("layers.a.pan"))
    page.how_far.setText("+30 %")
    page.add()
    assert any((t.source, t.depth) == ("w", 0.3) for t in session.patch.threads.values())
    page.show_filtered("ends")
    assert page.table.keys == []


# --- the shelf ---------------------------------------------------------------------------------


def rows(desk: Desk) -> list[str]:
    model = desk.window.shelf.model
    return [str(model.index(n).data()) for n in range(model.rowCount())]


def choose(desk: Desk, name: str) -> None:
    desk.window.show_page("Shelf")
    desk.window.shelf.view.setCurrentIndex(desk.window.shelf.model.index(rows(desk).index(name)))


def test_presets_are_duplicated_deleted_moved_and_renamed_and_all_of_it_undone(desk: Desk) -> None:
    shelf, session = desk.window.shelf, desk.session
    before = rows(desk)
    choose(desk, "Moss Pad")
    QTest.keyClick(desk.window, Qt.Key.Key_D, CONTROL)
    assert rows(desk)[2:4] == ["Moss Pad", "Moss Pad copy"]
    choose(desk, "Moss Pad copy")
    desk.keys(Qt.Key.Key_Up, ALT)
    assert rows(desk)[2:4] == ["Moss Pad copy", "Moss Pad"]
    desk.rename(shelf.details.name, "Fern Pad")
    assert rows(desk)[2] == "Fern Pad"
    choose(desk, "Fern Pad")
    desk.keys(Qt.Key.Key_Delete)
    assert rows(desk) == before
    said = []
    for _ in range(4):
        session.editor.undo()
        said.append(desk.messages[-1])
    assert [s.split()[1] for s in said] == ["delete", "rename", "move", "duplicate"] and rows(desk) == before
    for _ in range(3):
        session.editor.redo()
    assert rows(desk)[2] == "Fern Pad"


def test_a_preset_moves_to_another_bank_and_back(desk: Desk) -> None:
    from felt_dial.session.shelf_steps import move_preset

    move_preset(desk.session, "glasshouse-at-dusk", "root-sub", "tide-tables")
    assert "Root Sub" not in rows(desk)
    desk.window.shelf.choose_bank("tide-tables")
    assert rows(desk)[-1] == "Root Sub" and len(rows(desk)) == 17
    desk.session.editor.undo()
    desk.window.shelf.choose_bank("glasshouse-at-dusk")
    assert rows(desk)[3] == "Root Sub"


def test_the_list_follows_the_table_with_one_row_whatever_keys_are_held(desk: Desk) -> None:
    """Ctrl is held for the next preset, and Shift for some; neither chooses more rows than the one."""
    desk.window.show_page("Shelf")
    shelf, session, handle = desk.window.shelf, desk.session, desk.window.windowHandle()
    for held in (Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier):
        QTest.keyPress(handle, Qt.Key.Key_F9, held)
        session.presets.neighbour(1)
        chosen = shelf.selected()
        QTest.keyRelease(handle, Qt.Key.Key_F9)  # no key is held any more
        assert [(row.bank, row.id) for row in chosen] == [(session.editor.work.bank, session.editor.work.preset)]


def test_search_goes_through_all_banks_and_kinds_narrow_it(desk: Desk) -> None:
    shelf = desk.window.shelf
    QTest.keyClick(desk.window, Qt.Key.Key_F, CONTROL)
    QTest.keyClicks(shelf.search, "slow")
    assert set(rows(desk)) == {
        *(
            "Breathing Glass",
            "Lantern Brass",
            "Moss Pad",
            "Harbour Lamp",
            "Thaw Choir",
            "Kelp Drift",
            "Fog Horn",
            "Silt Drift",
        )
    }
    shelf.search.setText("kazoo")
    assert rows(desk) == [] and shelf.start.isVisible() and "No preset" in shelf.start.text()
    shelf.search.clear()
    shelf.column.choose_kind("Drum")
    assert rows(desk) == ["Compost Kick", "Potting Snare", "Seedpod Hat", "Wet Tiles", "Stair Kit"]


def test_a_new_bank_is_empty_and_says_what_goes_there(desk: Desk) -> None:
    desk.window.show_page("Shelf")
    desk.window.shelf.column.ask_bank()
    desk.type("First Sketches")
    assert rows(desk) == [] and "Ctrl+Shift+S" in desk.window.shelf.start.text()
    assert desk.session.shelf.library.named("First Sketches").id == "first-sketches"
    desk.session.editor.undo()
    assert len(desk.session.shelf.library.banks()) == 2


def test_a_bank_is_renamed_where_it_stands(desk: Desk) -> None:
    desk.window.show_page("Shelf")
    spine = desk.find(Spine, lambda s: s.name == "Tide Tables")
    QTest.mouseDClick(spine, Qt.MouseButton.LeftButton, pos=QPoint(60, 20))
    spine = desk.find(Spine, lambda s: s.name == "Tide Tables")
    desk.window.shelf.column.ask_bank_name(spine)
    desk.type("Harbour")
    assert desk.session.shelf.library.bank("tide-tables").name == "Harbour" and desk.find(
        Spine, lambda s: s.name == "Harbour"
    )
    desk.session.editor.undo()
    assert desk.session.shelf.library.bank("tide-tables").name == "Tide Tables"


def test_a_star_and_a_description_are_kept_without_touching_the_sound(desk: Desk) -> None:
    choose(desk, "Dew Pluck")
    shelf = desk.window.shelf
    desk.session.editor.set(CUTOFF, 900.0)
    assert shelf.details.preset is not None
    shelf.change_preset(*shelf.details.preset[:2], {"favourite": True}, "star")
    kept = desk.session.shelf.library.bank("glasshouse-at-dusk").load("dew-pluck")
    assert kept.favourite and kept.layers["a"].filter.get("cutoff") == 620.0
    assert desk.session.editor.value(CUTOFF) == 900.0 and desk.session.editor.unsaved and desk.session.patch.favourite


def test_solo_is_not_kept_in_a_preset_unless_wished(desk: Desk) -> None:
    """Listening to one layer makes nothing unsaved; a save leaves it out, and leaves what sounds alone."""
    session = desk.session
    session.presets.open("glasshouse-at-dusk", "lantern-brass")
    session.editor.set("layers.a.solo", True)
    assert not session.editor.work.unsaved and not session.editor.work.worth_keeping
    session.editor.set("layers.a.pitch", 3.0)
    assert session.editor.work.unsaved and session.presets.save()
    assert session.editor.value("layers.a.solo") is True and not session.editor.work.unsaved
    stored = session.shelf.library.bank("glasshouse-at-dusk").load("lantern-brass")
    assert not stored.layers["a"].get("solo") and stored.layers["a"].get("pitch") == 3.0
    session.settings.keep(session.settings.now.model_copy(update={"keep_solo": True}))
    session.editor.set("layers.a.pitch", 4.0)
    assert session.presets.save() and session.shelf.library.bank("glasshouse-at-dusk").load("lantern-brass").layers[
        "a"
    ].get("solo")


def test_a_missing_recording_is_said_at_opening_and_on_the_shelf(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    real = assets.find
    monkeypatch.setattr(assets, "find", lambda asset: None if asset.name == "Blown Reed" else real(asset))
    desk.session.presets.open("glasshouse-at-dusk", "reed-bed")
    assert "“Blown Reed” is missing, so that layer A is silent" in desk.messages[-1]
    choose(desk, "Reed Bed")
    assert "“Blown Reed” is missing" in desk.window.shelf.details.notes.text()


def test_a_bank_file_is_taken_in_and_a_bad_one_refused(desk: Desk, tmp_path: Path) -> None:
    shelf = desk.window.shelf
    target = tmp_path / "tide.feltbank"
    export_bank(desk.session.shelf.library.bank("tide-tables"), target)
    shelf.import_file(target)
    desk.finish_job()
    assert "“Tide Tables” is here already: 0 new, 16 the same, 0 different" in desk.window.said.text.text()
    assert len(desk.session.shelf.banks) == 2, "nothing is imported before that is answered"
    desk.answer("Import it as “Tide Tables 2”")
    desk.finish_job()
    assert desk.session.shelf.shown == "tide-tables-2" and rows(desk)[:2] == ["Harbour Lamp", "Storm Lamp"]
    target.write_bytes(b"moss")
    shelf.import_file(target)
    desk.finish_job()
    assert "Nothing was imported" in desk.messages[-1] and desk.window.said.problem
    shelf.export_file(tmp_path / "out.feltbank")
    assert "would miss: " in desk.window.said.text.text() and "not measured" in desk.window.said.text.text()
    desk.answer("Export it all the same")
    desk.finish_job()
    assert (tmp_path / "out.feltbank").exists()


def test_a_full_disk_while_saving_keeps_the_old_version_and_the_work(
    desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk.session.editor.set(CUTOFF, 900.0)

    def full(*_: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(files.os, "fsync", full)
    assert not desk.session.presets.save()
    assert "No space left" in desk.messages[-1] and desk.window.said.problem and desk.session.editor.unsaved
    monkeypatch.undo()
    assert (
        desk.session.shelf.library.bank("glasshouse-at-dusk").load("dew-pluck").layers["a"].filter.get("cutoff")
        == 620.0
    )
    assert desk.session.presets.save() and not desk.session.editor.unsaved


def test_an_earlier_version_is_opened_and_saved_again(desk: Desk) -> None:
    session, details = desk.session, desk.window.shelf.details
    session.editor.set(CUTOFF, 900.0)
    session.presets.save()
    choose(desk, "Dew Pluck")
    assert details.versions.isVisible()
    versions = session.shelf.library.bank("glasshouse-at-dusk").versions("dew-pluck")
    details.open_version(versions[0])
    assert (
        session.editor.value(CUTOFF) == 620.0 and session.editor.unsaved and session.editor.work.preset == "dew-pluck"
    )
    assert session.presets.save() and len(session.shelf.library.bank("glasshouse-at-dusk").versions("dew-pluck")) == 2


def test_space_still_plays_after_a_name_was_typed(desk: Desk) -> None:
    name = desk.window.header.preset.name
    desk.rename(name, "Fern pluck")
    assert desk.session.patch.name == "Fern pluck" and not desk.session.transport.playing
    desk.keys(Qt.Key.Key_Space)
    assert desk.session.transport.playing


def test_a_broken_preset_stands_on_the_shelf_with_its_problem(desk: Desk) -> None:
    path = desk.session.shelf.library.bank("glasshouse-at-dusk").path("moss-pad")
    path.write_text('{"format": 5}')
    desk.session.shelf.refresh()
    choose(desk, "moss-pad")
    assert "format 5" in desk.window.shelf.details.notes.text()
    desk.window.shelf.open_chosen()
    assert desk.session.patch.name == "Dew Pluck" and "format 5" in desk.messages[-1]


# --- work left behind, settings, sheets --------------------------------------------------------


def test_unsaved_work_is_offered_after_a_crash(open_desk: Callable[[], Desk]) -> None:
    desk = open_desk()
    desk.session.editor.set(CUTOFF, 901.0)
    desk.session.autosave.write()
    desk.session.journal.close()
    desk.link.close()
    again = open_desk()
    assert len(again.left_behind) == 1 and again.session.editor.value(CUTOFF) == 620.0
    again.window.left.offer(again.left_behind)
    take = next(b for b in again.window.said.findChildren(QAbstractButton) if b.text().startswith("Open it"))
    take.setFocus()
    take.click()
    assert not isinstance(QApplication.focusWidget(), QAbstractButton), "Return presses nothing that nobody chose"
    assert (
        again.session.editor.value(CUTOFF) == 901.0
        and again.session.editor.unsaved
        and again.session.editor.work.preset == "dew-pluck"
    )
    assert again.session.presets.save()
    assert again.session.journal.left_behind() == again.session.journal.pages() == []


def test_the_settings_sheet_changes_the_cloth_and_keeps_it(desk: Desk) -> None:
    sheet = desk.window.settings_sheet
    QTest.keyClick(desk.window, Qt.Key.Key_Comma, CONTROL)
    assert sheet.isVisible() and sheet.device.count() >= 2
    sheet.theme.setCurrentIndex(1)
    sheet.theme.activated.emit(1)
    assert cloth.theme is NIGHT
    sheet.theme.setCurrentIndex(0)
    sheet.theme.activated.emit(0)
    assert cloth.theme is OAT
    letters = desk.find(QCheckBox, lambda box: "letter rows" in box.text())
    letters.setFocus()
    QTest.keyClick(letters, Qt.Key.Key_Space)
    assert not desk.session.settings.now.letter_keys and not desk.session.transport.playing, (
        "Space is for the box in focus"
    )
    QTest.keyClick(sheet.closer, Qt.Key.Key_Escape)
    assert not sheet.isVisible()
    QTest.keyClick(desk.window, Qt.Key.Key_F1)
    assert desk.window.key_sheet.isVisible()


@pytest.mark.parametrize("page", ["Shelf", "Patch", "Effects", "Threads"])
def test_every_control_has_a_name_and_a_tooltip_and_is_reached_by_key(desk: Desk, page: int) -> None:
    desk.window.show_page(page)
    kinds = (Dial, Tag, Slider, QAbstractButton, QComboBox, QLineEdit)
    controls = [w for w in desk.window.findChildren(QWidget) if isinstance(w, kinds) and w.isVisible()]
    assert len(controls) > 25
    for control in controls:
        about = f"{type(control).__name__} {control.objectName()} at {control.pos()}"
        assert control.accessibleName() or (isinstance(control, QAbstractButton) and control.text()), about
        assert control.focusPolicy() != Qt.FocusPolicy.NoFocus, about
        if not isinstance(control, QLineEdit):
            assert control.toolTip() or (isinstance(control, QComboBox) and control.accessibleName()), about


@pytest.mark.parametrize("theme", [OAT, NIGHT])
def test_text_keeps_its_contrast_on_its_ground(theme: object) -> None:
    """4.5 : 1 after WCAG 2.1, relative luminance of sRGB; faint is for what is disabled."""
    from PySide6.QtGui import QColor

    def luminance(name: str) -> float:
        c = QColor(getattr(theme, name))
        parts = [x / 12.92 if x <= 0.03928 else ((x + 0.055) / 1.055) ** 2.4 for x in (c.redF(), c.greenF(), c.blueF())]
        return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]

    pairs = [(t, g) for t in ("ink", "soft", "link", "problem") for g in ("wool", "cloth", "raised")]
    pairs += [("ink", "strip"), ("soft", "strip"), ("chalk", "well"), ("chalk_soft", "well")]
    for text, ground in pairs:
        light, dark = sorted((luminance(text), luminance(ground)), reverse=True)
        assert (light + 0.05) / (dark + 0.05) >= 4.5, (text, ground)


def test_what_sounds_on_without_a_key_is_named_at_the_meter(desk: Desk) -> None:
    """Every layer and effect that the engine reports as sounding, with the setting that lets it."""
    session = desk.session
    session.presets.open("tide-tables", "harbour-lamp")
    session.editor.edit(add_effect(session.patch, "1", Effect.kinds["delay"]())[0], "add a delay")
    session.editor.set(f"modulators.{session.patch.layers['a'].contour}.release", 12.0)
    data = session.link.shared.data
    assert what_lasts(session) == []
    data["peaks"], data["voices"], data["layer_peaks"] = 0.1, 1, [0.2, *[0.0] * 7]
    assert len(what_lasts(session)) == 1 and "release of 12" in what_lasts(session)[0]
    session.editor.set("layers.a.trigger", "up")
    assert "begins at key up" in what_lasts(session)[0]
    delay = [n for n, path in enumerate(sounding(session.patch)) if path.startswith("racks.1")][-1]
    data["steps"][delay] = 0.0, 0.01
    assert what_lasts(session)[-1].startswith("Delay in rack 1 rings on") and "40" in what_lasts(session)[-1]
    data["keys"][60] = 1
    assert what_lasts(session) == []
