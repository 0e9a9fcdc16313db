"""Walks through the window: two thousand clicks, drags, wheels and keys at random; nothing goes wrong, and all is undone."""

from __future__ import annotations

import os
import random
from collections.abc import Iterator

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt, QTimer, qInstallMessageHandler
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QDialog, QFileDialog, QLineEdit, QMenu, QWidget

from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.ui.dials.param_control import ParamControl
from felt_dial.ui.dials.tag import Tag
from felt_dial.ui.frame.window import Window
from felt_dial.ui.pictures.well import Well
from tests.sampled import some
from tests.ui.conftest import Desk

STEPS = 500
"""Of each walk; the four of the suite make two thousand."""
LEFT, CONTROL, SHIFT, NONE = (
    Qt.MouseButton.LeftButton,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.NoModifier,
)

KEYS = [
    *(Qt.Key.Key_Tab, Qt.Key.Key_Backtab, Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Space, Qt.Key.Key_Delete),
    *(Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_PageUp, Qt.Key.Key_Home),
    *(Qt.Key.Key_1, Qt.Key.Key_9, Qt.Key.Key_Minus, Qt.Key.Key_Period, Qt.Key.Key_A, Qt.Key.Key_Z, Qt.Key.Key_N),
    *(Qt.Key.Key_BracketLeft, Qt.Key.Key_BracketRight, Qt.Key.Key_F1, Qt.Key.Key_F6, Qt.Key.Key_QuoteLeft),
]
TOGETHER = [
    *(Qt.Key.Key_Z, Qt.Key.Key_Y, Qt.Key.Key_S, Qt.Key.Key_N, Qt.Key.Key_D, Qt.Key.Key_T, Qt.Key.Key_K, Qt.Key.Key_M),
    *(
        Qt.Key.Key_1,
        Qt.Key.Key_2,
        Qt.Key.Key_3,
        Qt.Key.Key_4,
        Qt.Key.Key_5,
        Qt.Key.Key_O,
        Qt.Key.Key_Left,
        Qt.Key.Key_Right,
        Qt.Key.Key_C,
    ),
    *(Qt.Key.Key_V, Qt.Key.Key_Comma, Qt.Key.Key_F, Qt.Key.Key_P),
]


@pytest.fixture
def complaints() -> Iterator[list[str]]:
    """What Qt complains of meanwhile."""
    said: list[str] = []
    before = qInstallMessageHandler(lambda kind, where, text: said.append(text))
    yield said
    qInstallMessageHandler(before)


class Walker:
    """Hands that do anything."""

    def __init__(self, desk: Desk, seed: int) -> None:
        self.desk, self.window, self.chance = desk, desk.window, random.Random(seed)
        self.did: list[str] = []
        self.closing = QTimer()
        self.closing.timeout.connect(self.answer)
        self.closing.start(4)

    def answer(self) -> None:
        """A menu that has opened is answered, or closed; a dialog is left."""
        popup = QApplication.activePopupWidget() or QApplication.activeModalWidget()
        if isinstance(popup, QMenu):
            acts = [a for a in popup.actions() if a.isEnabled() and a.text() and a.text() != "Quit" and not a.menu()]
            if acts and self.chance.random() < 0.6:
                chosen = self.chance.choice(acts)
                self.did.append(f"menu {chosen.text()}")
                popup.close()
                chosen.trigger()
                return
        if isinstance(popup, QDialog):
            popup.reject()
        elif popup is not None:
            popup.close()

    def spot(self, drag: bool) -> tuple[QWidget, QPoint]:
        """A place of the window, and what is there."""
        at = QPoint(self.chance.randrange(self.window.width()), self.chance.randrange(self.window.height()))
        if self.chance.random() < 0.7:  # rather something that is made to be touched
            kinds = (ParamControl, Well) if drag else (ParamControl, QAbstractButton, Well, Tag, QComboBox, QLineEdit)
            there = [
                w for w in self.window.findChildren(QWidget) if isinstance(w, kinds) and w.isVisible() and w.isEnabled()
            ]
            one = self.chance.choice(there)
            at = one.mapTo(self.window, QPoint(*(self.chance.randrange(side) for side in (one.width(), one.height()))))
        at = QPoint(min(max(at.x(), 0), self.window.width() - 1), min(max(at.y(), 0), self.window.height() - 1))
        under = self.window.childAt(at) or self.window
        return under, under.mapFrom(self.window, at)

    def step(self) -> None:
        """One of the things that hands do."""
        if not self.window.isActiveWindow():  # no window manager gives it back after a menu
            self.window.activateWindow()
            QApplication.setActiveWindow(self.window)
        kind = self.chance.choices(("click", "double", "drag", "wheel", "key", "with"), (36, 5, 20, 8, 22, 9))[0]
        under, at = self.spot(kind == "drag")
        where = f"{kind} {type(under).__name__} {under.accessibleName()!r}"
        if kind in ("key", "with"):
            under = QApplication.focusWidget() or self.window
            key = self.chance.choice(KEYS if kind == "key" else TOGETHER)
            where = f"{kind} {key.name} on {type(under).__name__} {under.accessibleName()!r}"
        self.did.append(where)
        if kind == "click":
            QTest.mouseClick(under, LEFT, pos=at)
        elif kind == "double":
            QTest.mouseDClick(under, LEFT, pos=at)
        elif kind == "drag":
            self.desk.drag(under, at, at + QPoint(self.chance.randint(-90, 90), self.chance.randint(-60, 60)), 4)
        elif kind == "wheel":
            place = QPointF(under.mapTo(self.window, at))
            QTest.wheelEvent(self.window.windowHandle(), place, QPoint(0, self.chance.choice((-120, 120))))
        else:
            QTest.keyClick(under, key, CONTROL if kind == "with" else self.chance.choice((NONE, NONE, SHIFT)))
        QApplication.processEvents()


@pytest.mark.parametrize("seed", some([int(seed) for seed in os.environ.get("WALKS", "1 2 3 4").split()], 4))
def test_anything_may_be_pressed(
    desk: Desk, seed: int, monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str], complaints: list[str]
) -> None:
    for name in ("getOpenFileName", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, name, lambda *_: ("", ""))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: "")
    monkeypatch.setattr("felt_dial.ui.inspector.load.run", lambda dialog: 0)
    monkeypatch.setattr(Window, "close", lambda window: False)
    walker = Walker(desk, seed)
    made, pages = {id(desk.session.patch)}, set()
    for n in range(STEPS):
        if n % 100 == 0:
            desk.window.show_page(["Patch", "Workshop", "Effects", "Threads", "Shelf"][n // 100 % 5])
        pages.add(desk.window.shown)
        walker.step()
        made.add(id(desk.session.patch))
        patch = desk.session.patch
        assert not desk.uncaught, (walker.did[-6:], desk.uncaught)
        assert desk.window.isVisible() and patch.layers, walker.did[-6:]
    walker.closing.stop()
    assert len(made) > STEPS // 16 and len(pages) == 5, "the walk goes everywhere and does something"
    assert read_patch(write_patch(desk.session.patch), "what was made") == desk.session.patch
    quiet = ("This plugin does not support", "propagateSizeHints")
    assert not [text for text in complaints if not text.startswith(quiet)], (complaints[:3], walker.did[-3:])
    assert not capfd.readouterr().err
    monkeypatch.undo()
