"""Typed entry: a line that opens where the value stands, and refuses in place what cannot be read.

What is typed is never lost, and never goes elsewhere: Return and leaving take it where it can be read; else the entry stays
open, says why, and keeps the keys. Where its sound leaves the table, or its dial goes, it is taken or told of before.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QPoint, QRect, Qt, QTimer
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QLabel, QLineEdit, QWidget

from felt_dial.errors import FeltDialError, cut
from felt_dial.session.topics import Leaving

if TYPE_CHECKING:
    from felt_dial.session.session import Session

STAYS_OPEN = (Qt.FocusReason.PopupFocusReason, Qt.FocusReason.ActiveWindowFocusReason)
"""Ways in which the focus goes for a moment: a menu is open, or another window is in front."""


class Entry(QLineEdit):
    """Opens over `place`; `take` is given the text and raises a `FeltDialError` to refuse it.

    `text` stands in it, chosen as a whole; `typed` is what the person has typed already, and is gone on with.
    """

    def __init__(
        self, over: QWidget, place: QRect, text: str, take: Callable[[str], None], title: str = "", typed: str = ""
    ) -> None:
        window = over.window()
        super().__init__(window)
        self._over: QWidget | None = over
        self._take = take
        self._session: Session | None = getattr(over, "session", None)
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
        self.setText(typed or text)
        self.selectAll()
        if typed:
            self.deselect()
            self.end(False)
            self.setModified(True)
        self.textEdited.connect(lambda: self._mark(""))
        self._done = False
        over.destroyed.connect(self._orphaned)
        if self._session is not None:
            self._session.channel.watch(self._sound_leaves, Leaving)
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
            if not self._refused(self.text()):
                self._close(give_back=True)
        elif event.key() == Qt.Key.Key_Escape:
            self._close(give_back=True)
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride:
            event.accept()
            return True
        return super().event(event)

    def _refused(self, text: str) -> str:
        """Gives the text to whoever takes it; why that was refused, which is said under the entry, or nothing."""
        try:
            self._take(text)
        except FeltDialError as wrong:
            self._mark(str(wrong))
            return str(wrong)
        except KeyError:  # what it was opened for is not there any more
            self._tell_of_loss("what it was for is not there any more")
        return ""

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        if event.reason() in STAYS_OPEN or self._done:
            return
        if not self.isModified():
            self._close()
            return
        self.setModified(False)  # taken once, though what takes it may move the focus again
        if self._refused(self.text()):
            self.setModified(True)
            QTimer.singleShot(0, self, self._keep_the_keys)
        else:
            self._close()

    def _keep_the_keys(self) -> None:
        if not self._done and self.isVisible():
            self.setFocus(Qt.FocusReason.OtherFocusReason)

    def _sound_leaves(self) -> None:
        """Another sound is about to come: what was typed belongs to the one that is there still."""
        if self._done:
            return
        if self.isModified() and (why := self._refused(self.text())):
            self._tell_of_loss(why)
        self._close()

    def _orphaned(self) -> None:
        """What it stands over is gone: it still goes to where it was typed, since that knows its path."""
        self._over = None
        if self._done or not self.window().isVisible():  # the whole window goes
            return
        if self.isModified() and (why := self._refused(self.text())):
            self._tell_of_loss(why)
        self._close()

    def _tell_of_loss(self, why: str) -> None:
        if self._session is not None and self.text().strip():
            self._session.say(f"“{cut(self.text())}” was not entered: {why}", problem=True)

    def _close(self, give_back: bool = False) -> None:
        """Goes; the focus goes back to what it stood over only where a key ended it."""
        if self._done:
            return
        self._done = True
        self._hint.deleteLater()
        self.hide()
        if give_back and self._over is not None:
            self._over.setFocus(Qt.FocusReason.OtherFocusReason)
        self.deleteLater()
