"""Rows, pages and sheets on small windows and on large ones, and what the wheel does where a panel scrolls."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from PySide6.QtCore import QPoint, QPointF, QRect, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QWidget

from felt_dial.bank.library.places import load_settings, save_settings
from felt_dial.patch.edits import threads_on
from felt_dial.ui.dials.controls import Meter, SwitchPill
from felt_dial.ui.dials.focus import in_turn
from felt_dial.ui.dials.param_control import ParamControl
from felt_dial.ui.dials.scrolling import Scroller
from felt_dial.ui.dials.slider import Slider
from felt_dial.ui.pages.patch.layer_row import ROOM_FOR_FINE, LayerRow, columns
from felt_dial.ui.theme.colours import LAYER_DYES, layer_dye
from tests.ui.conftest import Desk

SIZES = ((1280, 690), (1280, 720), (1280, 800), (1366, 768), (1920, 1080), (2560, 1440))
"""Small screens, less a title bar; the size of the design; large ones. Twice as sharp, 2560 × 1440 is 1280 × 720."""


def fill(desk: Desk) -> None:
    """Eight layers, the second chosen."""
    while len(desk.session.patch.layers) < 8:
        desk.window.patch_page.add_layer()
    desk.session.editor.select("source", "b")
    QApplication.processEvents()


def resize(desk: Desk, size: tuple[int, int]) -> None:
    desk.window.resize(*size)
    for _ in range(5):
        QTest.qWait(10)


@pytest.mark.parametrize("size", SIZES)
def test_nothing_is_cut_off_on_any_page_at_any_size(desk: Desk, size: tuple[int, int]) -> None:
    fill(desk)
    resize(desk, size)
    window = desk.window
    assert (window.width(), window.height()) == size
    for page in ("Shelf", "Patch", "Effects", "Threads"):
        window.show_page(page)
        QTest.qWait(30)
        assert (window.width(), window.height()) == size, f"{page} asks for more"
        for button in window.findChildren(QAbstractButton):
            if button.isVisible() and button.text():
                need = button.fontMetrics().horizontalAdvance(button.text())
                assert button.width() >= need, (page, button.text(), button.width(), need)
        for widget in window.findChildren(QWidget):
            if isinstance(widget, QAbstractButton | ParamControl) and widget.isVisible():
                over = QRect(QPoint(0, 0), window.size()).united(
                    QRect(widget.mapTo(window, QPoint(0, 0)), widget.size())
                )
                scrolled = _scrolls(widget)
                assert scrolled or over.size() == window.size(), (page, widget.accessibleName())
        header = window.header
        for reading in (header.tempo, header.voices, header.engine, header.loudness):
            assert reading.width() >= header.fontMetrics().horizontalAdvance(reading.value) - 2, reading.label


def _scrolls(widget: QWidget) -> bool:
    at = widget.parentWidget()
    while at is not None:
        if at.objectName() == "qt_scrollarea_viewport":
            return True
        at = at.parentWidget()
    return False


@pytest.mark.parametrize("size", SIZES)
def test_every_row_can_be_used_folded_or_open(desk: Desk, size: tuple[int, int]) -> None:
    """Nothing in a row covers another part of it, and each row has all that is worked with."""
    fill(desk)
    resize(desk, size)
    for key, row in desk.window.patch_page.rows.items():
        parts = [w for w in row.children() if isinstance(w, QWidget) and w.isVisible()]
        for n, one in enumerate(parts):
            assert row.rect().contains(one.geometry()), (key, one.accessibleName())
            for other in parts[n + 1 :]:
                both = one.geometry().intersected(other.geometry())
                slack = 4 if isinstance(one, Slider | Meter) or isinstance(other, Slider | Meter) else 2
                assert both.width() <= slack or both.height() <= slack, (key, row.folded, one, other, both)
        assert sum(isinstance(w, SwitchPill) for w in parts) == 3
        assert {w.path.split(".")[-1] for w in parts if isinstance(w, ParamControl)} >= {"level", "pan", "cutoff"}
        assert all(row.pictures[part].isVisible() for part in ("source", "drive", "filter", "level"))
        assert row.meter.isVisible() and row.name.text() and row.about.text()
        assert not row.name.text().endswith("…"), "Wave has room"


def test_rows_fold_where_there_is_no_room_and_the_one_at_work_stays_open(desk: Desk) -> None:
    session = desk.session
    fill(desk)
    resize(desk, (1280, 800))
    rows = desk.window.patch_page.rows

    def opened() -> list[str]:
        QApplication.processEvents()
        return [key for key, row in rows.items() if not row.folded]

    assert opened() == ["b"] and desk.window.patch_page.scroller.bar.maximum() == 0, "all eight fit"
    session.editor.select("modulator", "e1")
    assert opened() == ["b"], "a modulator is chosen while one works on B"
    session.editor.select("filter", "e")
    assert opened() == ["e"] and desk.window.patch_page.rows is rows, "rows are folded, not made anew"
    resize(desk, (1920, 1080))
    assert opened() == list("abcdefgh")
    resize(desk, (1280, 720))
    assert opened() == ["e"]
    desk.window.patch_page.add_layer()
    assert "8 layers" in desk.messages[-1] and len(session.patch.layers) == 8


def test_a_folded_row_is_played_with(desk: Desk) -> None:
    session = desk.session
    fill(desk)
    row = desk.window.patch_page.rows["g"]
    assert row.folded
    for switch in ("on", "solo", "mute"):
        before = session.editor.value(f"layers.g.{switch}")
        pill = next(p for p in row.switches if p.path.endswith(switch))
        QTest.mouseClick(pill, Qt.MouseButton.LeftButton)
        assert session.editor.value(f"layers.g.{switch}") is not before and row.folded
    for slider in (row.level_slider, row.pan_slider):
        before = session.editor.value(slider.path)
        desk.drag(slider, QPoint(round(8 + slider.place * (slider.width() - 16)), 10), QPoint(9, 10))
        assert float(session.editor.value(slider.path)) < float(before)  # type: ignore[arg-type]
    cutoff = session.editor.value("layers.g.filter.cutoff")
    desk.drag(row.figure, QPoint(30, 12), QPoint(30, 40))
    assert float(session.editor.value("layers.g.filter.cutoff")) < float(cutoff)  # type: ignore[arg-type]
    row.figure.setFocus()
    desk.keys(Qt.Key.Key_Return)
    desk.type("440")
    assert session.editor.value("layers.g.filter.cutoff") == 440.0 and row.folded
    QTest.mouseClick(row.pictures["level"], Qt.MouseButton.LeftButton)
    assert session.editor.selection == ("level", "g") and not row.folded


@pytest.mark.parametrize("path", ["layers.b.level", "layers.b.pan"])
def test_level_and_pan_take_threads_as_dials_do(desk: Desk, path: str) -> None:
    session = desk.session
    slider = desk.find(Slider, lambda s: s.path == path)
    had, before = threads_on(session.patch, path), slider.grab().toImage()
    slider.drop_tag("e2")
    desk.type("+6 dB" if path.endswith("level") else "30%")
    (thread,) = (t for key, t in threads_on(session.patch, path).items() if key not in had)
    assert thread.source == "e2" and thread.depth == (6.0 if path.endswith("level") else 0.3)
    slider.window().setFocus()
    assert slider.grab().toImage() != before, "the thread is drawn"
    slider.setFocus()
    desk.keys(Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
    desk.type("w +1")
    assert len(threads_on(session.patch, path)) == len(had) + 2


def test_the_parts_of_a_row_stand_under_their_names(desk: Desk) -> None:
    fill(desk)
    resize(desk, (1280, 800))
    wide = desk.window.patch_page.rows["a"].width()
    assert desk.window.patch_page.columns.wide == wide
    spots = columns(wide)
    for row in desk.window.patch_page.rows.values():
        for part, picture in row.pictures.items():
            assert picture.x() == spots[part][0], (row.key, part)
    assert "fine" not in columns(ROOM_FOR_FINE - 1) and "fine" in columns(ROOM_FOR_FINE)


def test_every_layer_has_a_dye_of_its_own() -> None:
    assert len(set(LAYER_DYES)) == 8 and len({layer_dye(key) for key in "abcdefgh"}) == 8


def test_the_keyboard_goes_where_there_is_no_room_and_by_key(desk: Desk) -> None:
    window, strip = desk.window, desk.window.strip
    resize(desk, (1280, 720))
    assert strip.folded and not strip.keyboard.isVisible()
    assert len({dial.y() for dial in strip.macros}) == 1, "the macros stand in one row"
    resize(desk, (1280, 800))
    assert not strip.folded and strip.keyboard.isVisible() and len({dial.y() for dial in strip.macros}) == 2
    desk.keys(Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    assert strip.folded and load_settings().keyboard is False
    resize(desk, (1280, 900))
    assert strip.folded, "it stays away until it is asked for"
    QTest.mouseClick(strip.folding, Qt.MouseButton.LeftButton)
    assert not strip.folded and load_settings().keyboard is True
    resize(desk, (1280, 690))
    assert not strip.folded
    assert window.said.y() + window.said.height() <= strip.y()


def test_size_and_place_are_kept_and_nothing_of_another_window_is_lost(open_desk: Callable[[], Desk]) -> None:
    desk = open_desk()
    resize(desk, (1500, 900))
    save_settings(load_settings().model_copy(update={"versions": 30}))  # as another window would
    desk.close()
    assert load_settings().versions == 30
    again = open_desk()
    assert (again.window.width(), again.window.height()) == (1500, 900)


# --- the wheel ---------------------------------------------------------------------------------


def wheel(desk: Desk, widget: QWidget, at: QPoint, turn: int) -> None:
    """A notch of the wheel over a place of a widget, as the window system gives it to the window."""
    place = QPointF(widget.mapTo(desk.window, at))
    QTest.wheelEvent(desk.window.windowHandle(), place, QPoint(0, turn))
    QApplication.processEvents()


def test_a_scroll_stays_a_scroll_until_the_pointer_moves(desk: Desk) -> None:
    """Scrolled over a gap of the inspector, the dials that slide under the pointer are not turned."""
    session = desk.session
    resize(desk, (1280, 690))
    session.editor.select("source", "a")
    QTest.qWait(50)
    inspector = desk.window.patch_page.inspector
    (scroller,) = inspector.findChildren(Scroller)
    view = scroller.viewport()
    assert scroller.bar.maximum() > 100
    dials = [_in(d, view) for d in inspector.findChildren(ParamControl) if d.isVisible()]
    at = dials[0].center() - QPoint(0, dials[0].height() // 2 + 30)
    assert view.rect().contains(at) and not isinstance(view.childAt(at), ParamControl)
    before, met = session.patch, 0
    for _ in range(12):
        wheel(desk, view, at, -30)
        met += isinstance(view.childAt(at), ParamControl)
    assert scroller.bar.value() > 50 and met > 2 and session.patch is before
    seen = [d for d in inspector.findChildren(ParamControl) if d.isVisible() and view.rect().contains(_in(d, view))]
    dial = next(d for d in seen if 0.1 < d.place_of(session.editor.value(d.path)) < 0.9 and not d.param.whole)
    wheel(desk, dial, dial.rect().center() + QPoint(7, 0), -120)
    assert session.patch is not before, "the pointer moved onto a dial: the wheel turns it"


def _in(dial: ParamControl, view: QWidget) -> QRect:
    return QRect(dial.mapTo(view, QPoint(0, 0)), dial.size())


# --- sheets ------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ["settings_sheet", "key_sheet", "guide_sheet", "about_sheet"])
def test_tab_stays_in_an_open_sheet_and_small_windows_hold_it(desk: Desk, name: str) -> None:
    resize(desk, (1280, 690))
    sheet = getattr(desk.window, name)
    sheet.open()
    QApplication.processEvents()
    assert desk.window.stack.rect().contains(sheet.geometry())
    seen = set()
    for _ in range(2 * len(in_turn(sheet))):
        desk.keys(Qt.Key.Key_Tab)
        focus = QApplication.focusWidget()
        assert focus is not None and sheet.isAncestorOf(focus)
        seen.add(focus)
    assert len(seen) == len(in_turn(sheet))
    desk.keys(Qt.Key.Key_Backtab, Qt.KeyboardModifier.ShiftModifier)
    assert sheet.isAncestorOf(QApplication.focusWidget())
    desk.keys(Qt.Key.Key_Escape)
    assert not sheet.isVisible()


def test_every_setting_is_shown_kept_and_followed(desk: Desk) -> None:
    sheet = desk.window.settings_sheet
    sheet.open()
    for field, box in sheet._boxes.items():
        if field in ("device", "controller", "rate", "block", "night"):
            continue  # what they open is tried elsewhere
        for n in range(box.count()):
            box.setCurrentIndex(n)
            box.activated.emit(n)
            assert getattr(load_settings(), field) == box.itemData(n), field
        sheet.open()
        assert box.currentIndex() == box.count() - 1, "shown as it is kept"
    assert not [row for row in desk.window.findChildren(LayerRow) if row.parent() is None]
