"""The real window on a home of its own; `desk` without an engine, `playing_desk` with one."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QLineEdit, QWidget

from felt_dial.bank.library.places import load_settings
from felt_dial.live.engine.devices import SIMULATED
from felt_dial.live.link.link import EngineLink
from felt_dial.session.topics import Said
from felt_dial.ui.benches.recording import recipe_of_recording
from felt_dial.ui.benches.table import recipe_of_table
from felt_dial.ui.dials.dial import Dial
from felt_dial.ui.dials.entry import Entry
from felt_dial.ui.frame.app import stand_up
from felt_dial.workers import queue


def _all_events(process: Callable[..., None] = QApplication.processEvents) -> Callable[..., None]:
    """Processes events as a running program does: what was put away is taken away before the next one."""

    def processed(*words: Any) -> None:
        process(*words)
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)

    return processed


QApplication.processEvents = staticmethod(_all_events())  # type: ignore[assignment, method-assign]


def wait(true: Callable[[], bool], seconds: float = 20.0) -> bool:
    """Waits until something is so, the window alive meanwhile; False where it does not come."""
    for _ in range(int(seconds * 50)):
        if true():
            return True
        QTest.qWait(20)
    return False


class Desk:
    """A window and the hands that use it."""

    def __init__(self, engine: bool) -> None:
        self.open = True
        self.uncaught: list[BaseException] = []
        self._hook, sys.excepthook = sys.excepthook, lambda kind, wrong, trace: self.uncaught.append(wrong)
        self.link = EngineLink(SIMULATED)
        if engine:
            self.link.start()
        self.window = stand_up(load_settings(), self.link)
        self.session = self.window.session
        self.left_behind = self.session.journal.left_behind()
        self.window.activateWindow()
        QTest.qWaitForWindowExposed(self.window)
        QTest.keyRelease(self.window.windowHandle(), Qt.Key.Key_F35)  # what an earlier test held is held no more
        self.messages: list[str] = []
        self.session.channel.hear(Said, lambda said: self.messages.append(said.text))
        if engine:
            assert self.link.wait_until_ready(60)

    def find(self, kind: type[Any], true: Callable[[Any], bool] = lambda widget: True) -> Any:
        """A widget of a kind that is seen now."""
        QApplication.processEvents()
        found = [w for w in self.window.findChildren(kind) if w.isVisible() and true(w)]
        assert found, f"no {kind.__name__} like this is seen"
        return found[0]

    def dial(self, path: str) -> Dial:
        """A dial that is seen now."""
        found: Dial = self.find(Dial, lambda dial: dial.path == path)
        return found

    def entry(self) -> Entry:
        """The entry that is open."""
        found = [e for e in self.window.findChildren(Entry) if e.isVisible()]
        assert found, "no entry is open"
        return found[-1]

    def type(self, text: str, enter: bool = True) -> None:
        """Types into the open entry."""
        entry = self.entry()
        entry.selectAll()
        QTest.keyClicks(entry, text)
        if enter:
            QTest.keyClick(entry, Qt.Key.Key_Return)

    def rename(self, line: QLineEdit, name: str) -> None:
        """Types another name where one stands."""
        line.setFocus()
        line.selectAll()
        QTest.keyClicks(line, name)
        QTest.keyClick(line, Qt.Key.Key_Return)

    def keys(self, key: Qt.Key, modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        """A key on whatever has the focus."""
        QTest.keyClick(QApplication.focusWidget() or self.window, key, modifiers)
        QApplication.processEvents()

    def select(self, part: str, key: str) -> None:
        """Chooses what the inspector shows."""
        self.session.editor.select(part, key)
        QApplication.processEvents()

    def drag(self, widget: QWidget, start: QPoint, end: QPoint, steps: int = 8) -> None:
        """A drag with the left button."""
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=start)
        for n in range(1, steps + 1):
            self.move(widget, start + (end - start) * n / steps)
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=end)

    def move(self, widget: QWidget, at: QPoint) -> None:
        """The pointer goes to a place with the left button held."""
        event = QMouseEvent(
            QEvent.Type.MouseMove,
            QPointF(at),
            QPointF(widget.mapToGlobal(at)),
            Qt.MouseButton.NoButton,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        QApplication.sendEvent(widget, event)

    def drop(self, mime: QMimeData, widget: QWidget) -> None:
        """Drops something on a widget, as the end of a drag."""
        middle = widget.rect().center()
        words: tuple[Any, ...] = (mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
        QApplication.sendEvent(widget, QDragEnterEvent(middle, Qt.DropAction.CopyAction, *words))
        QApplication.sendEvent(widget, QDropEvent(QPointF(middle), Qt.DropAction.CopyAction, *words))

    def close(self) -> None:
        """Closes the window as a person does, and takes all of it away: the next one would pay for what is left."""
        self.open = False
        sys.excepthook = self._hook
        self.window.close()
        self.window.deleteLater()
        QApplication.processEvents()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        if self.uncaught:
            raise self.uncaught[0]

    def answer(self, name: str) -> None:
        """Presses a button of the message that is shown."""
        QApplication.processEvents()
        buttons = [b for b in self.window.said.findChildren(QAbstractButton) if not b.isHidden()]
        next(button for button in buttons if button.text().startswith(name)).click()

    def finish_job(self) -> None:
        """Waits until long work beside the window has ended."""
        assert wait(lambda: not self.session.jobs.busy), "the job does not end"


@pytest.fixture(autouse=True)
def nothing_measured(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """Sounds are measured beside the window only in tests that say so: it takes the processor from all others."""
    if request.node.get_closest_marker("measures") is None:
        monkeypatch.setattr(queue, "WORKERS", 0)


@pytest.fixture(autouse=True)
def nothing_remembered() -> None:
    """A home of its own has recipes of its own: what another test found in its home, or did not, counts no more."""
    recipe_of_table.cache_clear()
    recipe_of_recording.cache_clear()


def _open(engine: bool) -> Desk:
    return Desk(engine)


@pytest.fixture
def desk(qapp: QApplication, home: Path) -> Iterator[Desk]:
    made = _open(engine=False)
    yield made
    made.close()


@pytest.fixture
def open_desk(qapp: QApplication, home: Path, kernels: None) -> Iterator[Any]:
    """Opens a desk with an engine; may be called again after closing."""
    opened: list[Desk] = []

    def open_one() -> Desk:
        opened.append(_open(engine=True))
        return opened[-1]

    yield open_one
    for desk in opened:
        if desk.open:
            desk.close()
