"""Typed entry: a line that opens where the value stands, and refuses in place what cannot be read."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QPoint, QRect, Qt
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QLabel, QLineEdit, QWidget

from felt_dial.errors import FeltDialError


class Entry(QLineEdit):
    """Opens over `place`; `take` is given the text and raises a `FeltDialError` to refuse it."""

    def __init__(self, over: QWidget, place: QRect, text: str, take: Callable[[str], None], title: str = "") -> None:
        window = over.window()
        super().__init__(window)
        self._over, self._take = over, take
        corner = over.mapTo(window, place.topLeft())
        width = max(place.width(), 92)
        corner.setX(max(2, min(corner.x() + (place.width() - width) // 2, window.width() - width - 2)))
        self.setGeometry(QRect(corner, place.size()).adjusted(0, -3, width - place.width(), 5))
        self.setAccessibleName(title or f"Value of {over.accessibleName()}")
        self._hint = QLabel(window)
        self._hint.setTextFormat(Qt.TextFormat.PlainText)
        self._hint.setWordWrap(True)
        self._hint.setProperty("part", "hint")
        self._hint.hide()
        self.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.setText(text)
        self.selectAll()
        self.textEdited.connect(lambda: self._mark(""))
        self._done = False
        self.show()
        self.raise_()
        self.setFocus(Qt.FocusReason.PopupFocusReason)

    def _mark(self, wrong: str) -> None:
        self.setProperty("wrong", bool(wrong))
        self.style().unpolish(self)
        self.style().polish(self)
        self._hint.setVisible(bool(wrong))
        if wrong:
            self._hint.setText(wrong)
            self._hint.setFixedWidth(240)
            self._hint.adjustSize()
            below = self.geometry().bottomLeft() + QPoint(0, 4)
            window = self.window()
            x = max(4, min(below.x(), window.width() - self._hint.width() - 4))
            y = below.y() if below.y() + self._hint.height() < window.height() else self.y() - self._hint.height() - 4
            self._hint.move(x, y)
            self._hint.raise_()

    @property
    def refusal(self) -> str:
        """Why the text was refused; empty where it was not."""
        return self._hint.text() if self._hint.isVisible() else ""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Tab):
            self._finish()
        elif event.key() == Qt.Key.Key_Escape:
            self._close()
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride:
            event.accept()
            return True
        return super().event(event)

    def _finish(self) -> None:
        try:
            self._take(self.text())
        except FeltDialError as wrong:
            self._mark(str(wrong))
            return
        except KeyError:  # what it was opened for is not there any more
            pass
        self._close()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        if event.reason() not in (Qt.FocusReason.PopupFocusReason, Qt.FocusReason.ActiveWindowFocusReason):
            self._close()

    def _close(self) -> None:
        if self._done:
            return
        self._done = True
        self._hint.deleteLater()
        self.hide()
        self._over.setFocus(Qt.FocusReason.OtherFocusReason)
        self.deleteLater()
