"""The menu of the application, its sheets, and what a new layer or patch begins with."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeySequence, QShortcut
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QMenu

from felt_dial import __version__
from felt_dial.ui.frame.guide import GUIDES, guide_text
from felt_dial.ui.frame.sheets import KEYS
from tests.ui.conftest import Desk, wait

CONTROL = Qt.KeyboardModifier.ControlModifier
CUTOFF = "layers.a.filter.cutoff"


def opened(desk: Desk) -> QMenu:
    """The menu, opened by a click on the word mark."""
    QTest.mouseClick(desk.window.header.mark, Qt.MouseButton.LeftButton)
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    return menu


def row(menu: QMenu, name: str) -> QAction:
    """The row that begins with a name."""
    return next(action for action in menu.actions() if action.text().startswith(name))


def test_the_word_mark_opens_the_menu_under_it_and_so_does_its_key(desk: Desk) -> None:
    mark = desk.window.header.mark
    menu = opened(desk)
    assert abs(menu.x() - mark.mapToGlobal(mark.rect().topLeft()).x()) < 12
    assert 0 < menu.y() - mark.mapToGlobal(mark.rect().topLeft()).y() <= mark.height()
    QTest.keyClick(menu, Qt.Key.Key_Escape)
    assert QApplication.activePopupWidget() is None
    QTest.keyClick(desk.window, Qt.Key.Key_F10)
    assert isinstance(QApplication.activePopupWidget(), QMenu)
    QTest.keyClick(QApplication.activePopupWidget(), Qt.Key.Key_Escape)


def test_the_menu_says_what_undo_would_undo_and_dims_what_cannot_be_done(desk: Desk) -> None:
    menu = opened(desk)
    assert not row(menu, "Save\t").isEnabled() and not row(menu, "Redo").isEnabled()
    menu.close()
    desk.session.editor.set(CUTOFF, 900.0)
    menu = opened(desk)
    assert row(menu, "Save\t").isEnabled()
    undo = row(menu, "Undo")
    assert undo.text().startswith("Undo A Cutoff to 900") and undo.isEnabled()
    undo.trigger()
    menu.close()
    assert desk.session.editor.value(CUTOFF) == 620.0
    menu = opened(desk)
    assert row(menu, "Redo A Cutoff to 900").isEnabled()
    menu.close()


def test_every_key_in_the_menu_is_bound_once_and_stands_in_the_list_of_keys(desk: Desk) -> None:
    bound = [shortcut.key().toString() for shortcut in desk.window.findChildren(QShortcut)]
    assert len(bound) == len(set(bound)), "two commands at one key are both dead"
    listed = " ".join(keys for keys, _ in KEYS)
    for command in desk.window.commands():
        for keys in command.keys:
            assert QKeySequence(keys).toString() in bound
        if command.keys and not re.fullmatch(r"Ctrl\+\d", command.keys[0]):
            assert command.keys[0] in listed, command


def test_a_bank_is_exported_and_imported_from_the_menu(
    desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    target = tmp_path / "out.feltbank"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: ([str(target)], ""))
    menu = opened(desk)
    row(menu, "Export Glasshouse at Dusk…").trigger()
    menu.close()
    desk.answer("Export it all the same")
    assert wait(lambda: desk.messages[-1:] == ["Exported 36 presets to out.feltbank."])
    desk.window.show_page("Patch")
    menu = opened(desk)
    row(menu, "Import a bank…").trigger()
    menu.close()
    assert wait(lambda: "is here already" in desk.window.said.text.text())
    desk.answer("Import it as")
    assert wait(lambda: desk.messages[-1:] != [] and desk.messages[-1].startswith("Imported Glasshouse"))
    assert desk.window.shown == "Shelf"


def test_the_guide_is_read_in_the_window(desk: Desk) -> None:
    menu = opened(desk)
    row(menu, "Guide").trigger()
    menu.close()
    sheet = desk.window.guide_sheet
    assert sheet.isVisible() and "Press Space" in sheet.text.toPlainText()
    for name in GUIDES:
        sheet.parts[name].click()
        title, text = guide_text(name)
        assert "![" not in text and len(sheet.text.toPlainText()) > 1000
        assert [pill.text() for pill in sheet.parts.values() if pill.isChecked()] == [title]
    assert sheet.geometry().bottom() <= desk.window.stack.height()
    sheet.text.setFocus()
    desk.keys(Qt.Key.Key_Escape)
    assert not sheet.isVisible()


def test_about_says_which_program_this_is(desk: Desk) -> None:
    menu = opened(desk)
    row(menu, "About").trigger()
    menu.close()
    said = desk.window.about_sheet.lines.text()
    assert f"Felt Dial {__version__}" in said and "Qt 6" in said
    assert str(desk.session.settings.now.library_folder()) in said


def test_a_new_layer_has_an_envelope_of_its_own_until_there_is_none_left(desk: Desk) -> None:
    session = desk.session
    session.editor.new()
    for n in range(7):
        desk.window.patch_page.add_layer()
        assert session.patch.layers["bcdefgh"[n]].contour == f"e{n + 2}"
    assert len({layer.contour for layer in session.patch.layers.values()}) == 8
    session.editor.undo()
    assert "e8" not in session.patch.modulators, "one step takes both back"
    desk.window.patch_page.add_modulator("envelope")
    desk.window.patch_page.add_layer()
    assert session.patch.layers["h"].contour == "e1"
    assert desk.messages[-1] == "All envelopes are in use: H shares E1 with A, which shapes both."


def test_a_new_patch_is_what_the_inspector_shows(desk: Desk) -> None:
    session = desk.session
    for selection in (("macro", "m1"), ("patch", ""), ("filter", "b"), ("modulator", "e2")):
        session.editor.select(*selection)
        desk.keys(Qt.Key.Key_N, CONTROL)
        assert session.editor.selection == ("source", "a")
        assert desk.dial("layers.a.source.shape").isVisible()
        session.editor.undo()
