"""Keys of the computer that play: two rows of letters are notes, Space plays the phrase."""

from __future__ import annotations

import contextlib

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QApplication, QCheckBox, QComboBox, QLineEdit, QPlainTextEdit, QWidget

from felt_dial.session.session import Session
from felt_dial.ui.dials.param_control import ParamControl
from felt_dial.ui.frame.strip import Strip

LOWER, UPPER = "ZSXDCVGBHNJM", "Q2W3ER5T6Y7U"
LETTERS = {ord(key): n for n, key in enumerate(LOWER)} | {ord(key): 12 + n for n, key in enumerate(UPPER)}


class LetterKeys(QObject):
    """Hears the keys of a window before whoever has the focus does, but for who writes."""

    def __init__(self, window: QWidget, session: Session, strip: Strip) -> None:
        super().__init__(window)
        self.window, self.session, self.strip = window, session, strip
        window.installEventFilter(self)
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        self.application = application
        application.focusChanged.connect(self._focus_moved)

    def end(self) -> None:
        """Hears no more."""
        self.application.focusChanged.disconnect(self._focus_moved)

    def _focus_moved(self, old: QWidget | None, new: QWidget | None) -> None:
        """Listens for keys where the focus is, and nowhere else: a filter on everything costs at every event."""
        if old is not None and old is not self.window:
            with contextlib.suppress(RuntimeError):
                old.removeEventFilter(self)
        if new is not None and new is not self.window and new.window() is self.window:
            new.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease) and isinstance(event, QKeyEvent):
            focus = QApplication.focusWidget() or self.window
            if focus.window() is not self.window or watched is not focus:
                return False
            if isinstance(focus, QLineEdit | QPlainTextEdit):
                return False
            return self._play_key(event, focus)
        return False

    def _play_key(self, event: QKeyEvent, focus: QWidget) -> bool:
        down = event.type() == QEvent.Type.KeyPress
        key = int(event.key())
        if key == Qt.Key.Key_Space and not event.modifiers():
            if isinstance(focus, QCheckBox):
                return False
            if down and not event.isAutoRepeat():
                self.session.transport.play(not self.session.transport.playing)
            return True
        if not self.session.settings.now.letter_keys:
            return False
        if not down and not event.isAutoRepeat() and key in LETTERS:
            self.strip.letter_up(key)
            return False
        if down and event.modifiers() == Qt.KeyboardModifier.ShiftModifier and key in (Qt.Key.Key_Z, Qt.Key.Key_X):
            self.strip.shift(-1 if key == Qt.Key.Key_Z else 1)
            return True
        digit = Qt.Key.Key_0 <= key <= Qt.Key.Key_9
        if down and not event.modifiers() and key in LETTERS and not (digit and isinstance(focus, ParamControl)):
            if not event.isAutoRepeat():
                self.strip.letter_down(key, LETTERS[key])
            return True
        return isinstance(focus, QComboBox) and event.text().isalnum() and not event.modifiers()
