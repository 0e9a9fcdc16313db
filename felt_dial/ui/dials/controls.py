"""Small controls: pills, choices, the pan slider, the level meter, names that can be edited."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QCursor, QFocusEvent, QKeyEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QLabel,
    QLineEdit,
    QMenu,
    QPlainTextEdit,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from felt_dial.patch.documents.kind import LONGEST
from felt_dial.patch.params import Choice, Param, Switch
from felt_dial.patch.patch import param_at, path_holds, value_at
from felt_dial.session.session import Session
from felt_dial.ui.dials.dial import Dial
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.fonts import body_font
from felt_dial.ui.theme.words import plain


class Pill(QPushButton):
    """A button in felt: `part` chooses the cut (pill, small, link, add, play, kind)."""

    def __init__(self, text: str, part: str = "pill", act: Callable[[], object] | None = None, tip: str = "") -> None:
        super().__init__(text)
        self.setProperty("part", part)
        self.setToolTip(plain(tip))
        self.setAccessibleName(tip.split(":")[0] if tip and len(text) < 3 else text)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        if act is not None:
            self.clicked.connect(lambda: act())

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self.property("part") == "add":
            painter = QPainter(self)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            busy = self.underMouse() or self.hasFocus()
            pen = QPen(dye("madder") if self.hasFocus() else colour("soft" if busy else "faint"), 1.3)
            pen.setDashPattern([4, 3])
            painter.setPen(pen)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        elif event.key() == Qt.Key.Key_Space:
            event.ignore()
        else:
            super().keyPressEvent(event)


def text_label(text: str, part: str = "label") -> QLabel:
    """A label of one of the parts of the style sheet."""
    made = QLabel(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setProperty("part", part)
    return made


def set_text(widget: QLabel | QPushButton, text: str) -> None:
    """Another text, where it is another: what is set is laid out anew."""
    if widget.text() != text:
        widget.setText(text)


class Elided(QLabel):
    """A label that takes what room there is, down to a few letters; what is left out ends in dots."""

    def __init__(self, part: str, least: int = 40) -> None:
        super().__init__()
        self.least = least
        self.setProperty("part", part)
        self.setTextFormat(Qt.TextFormat.PlainText)

    def say(self, text: str, tip: str = "") -> None:
        """Another text; all of it is its tip, unless that says more."""
        set_text(self, text)
        self.setToolTip(plain(tip or text))

    def minimumSizeHint(self) -> QSize:
        hint = super().minimumSizeHint()
        return QSize(min(self.least, hint.width()), hint.height())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setFont(self.font())
        painter.setPen(self.palette().color(self.foregroundRole()))
        text = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)


def set_part(widget: QWidget, part: str) -> None:
    """Another part of the style sheet, where it is another."""
    if widget.property("part") != part:
        widget.setProperty("part", part)
        widget.style().unpolish(widget)
        widget.style().polish(widget)


class SwitchPill(Pill):
    """A switch parameter as a button that stays down. It says what it switches; one that is called *On* says its state, so that
    no hollow one reads “On”."""

    def __init__(self, session: Session, path: str, text: str = "", part: str = "small", alarm: bool = False) -> None:
        param = param_at(session.patch, path)
        assert isinstance(param, Switch)
        super().__init__(text or param.label, part, tip=param.says)
        self.session, self.path, self.param = session, path, param
        self.word, self.short = text or param.label, False
        self.setCheckable(True)
        self.setProperty("alarm", alarm)
        self.setAccessibleName(session.editor.label_of(path))
        self.clicked.connect(self._switch)
        session.channel.watch(self._follow, path)
        self._follow()

    def turn_to(self, path: str, owner_dye: str) -> None:
        """Becomes the same switch of another part of the patch."""
        self.session.channel.look_elsewhere(self._follow, [self.path], [path])
        self.path = path
        self.setAccessibleName(self.session.editor.label_of(path))
        self._follow()

    def _switch(self) -> None:
        self.session.editor.set(self.path, self.isChecked())

    def _follow(self) -> None:
        if path_holds(self.session.patch, self.path, self.param):
            self.setChecked(bool(value_at(self.session.patch, self.path)))
            self._say()

    def shorten(self, short: bool) -> None:
        """Says only its first letter, or all of it."""
        self.short = short
        self._say()

    def _say(self) -> None:
        word = "Off" if self.word == "On" and not self.isChecked() and not self.short else self.word
        set_text(self, word[:1] if self.short else word)


class MenuPill(Pill):
    """A pill that opens a menu under itself."""

    def __init__(self, text: str, tip: str, make: Callable[[], QMenu]) -> None:
        super().__init__(text, "small", None, tip)
        self._make = make
        self.clicked.connect(self.open)

    def open(self) -> QMenu:
        """Opens the menu, made anew each time."""
        menu = self._make()
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(self.mapToGlobal(self.rect().bottomLeft()))
        return menu


def open_menu(menu: QMenu, owner: QWidget) -> None:
    """Opens a menu under the button that was pressed, or in the middle of what it belongs to where that was a key."""
    near = pressed_button(owner)
    if near is not None:
        menu.exec(near.mapToGlobal(near.rect().bottomLeft()))
    else:
        menu.exec(owner.mapToGlobal(owner.rect().center()))


def pressed_button(owner: QWidget) -> QAbstractButton | None:
    """The button that was pressed: the one in focus, or in a window without focus the one under the pointer."""
    for near in (QApplication.focusWidget(), QApplication.widgetAt(QCursor.pos())):
        if isinstance(near, QAbstractButton) and near.window() is owner.window():
            return near
    return None


class Options(Picker):
    """The options of a choice parameter."""

    def __init__(self, session: Session, path: str) -> None:
        super().__init__()
        param = param_at(session.patch, path)
        assert isinstance(param, Choice)
        self.session, self.path, self.param = session, path, param
        self.addItems(list(param.options.values()))
        self.setToolTip(param.says)
        self.setAccessibleName(session.editor.label_of(path))
        self.activated.connect(lambda n: session.editor.set(self.path, param.ids[n]))
        session.channel.watch(self._follow, path)
        self._follow()

    def turn_to(self, path: str, owner_dye: str) -> None:
        """Becomes the same choice of another part of the patch."""
        self.session.channel.look_elsewhere(self._follow, [self.path], [path])
        self.path = path
        self.setAccessibleName(self.session.editor.label_of(path))
        self._follow()

    def _follow(self) -> None:
        if path_holds(self.session.patch, self.path, self.param):
            self.setCurrentIndex(self.param.ids.index(str(value_at(self.session.patch, self.path))))


class ChoiceBox(QWidget):
    """A choice parameter: its label above its options."""

    def __init__(self, session: Session, path: str) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 6, 0)
        layout.setSpacing(5)
        layout.addWidget(text_label(param_at(session.patch, path).label))
        layout.addWidget(Options(session, path))
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)


class SwitchBox(QWidget):
    """A switch parameter: its label above a pill that says on or off."""

    def __init__(self, session: Session, path: str) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(7)
        layout.addWidget(text_label(param_at(session.patch, path).label))
        layout.addWidget(SwitchPill(session, path), 0, Qt.AlignmentFlag.AlignLeft)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)


def control_for(session: Session, path: str, owner_dye: str, radius: int = 17) -> QWidget:
    """The control that suits a parameter."""
    param = param_at(session.patch, path)
    if isinstance(param, Param):
        return Dial(session, path, owner_dye, radius)
    return ChoiceBox(session, path) if isinstance(param, Choice) else SwitchBox(session, path)


LONGEST_NAME = 200
"""Letters of a name that is typed."""


class Follows:
    """A text that stands in the patch and is written in a widget: shown again whenever an edit, or an undo of one, changes it."""

    def follow(self, watch: Callable[[Callable[[], None]], None], read: Callable[[], str | None]) -> None:
        """`read` gives the text, or None where what it belongs to is gone; `watch` is that of the session."""
        self._text_now = read
        watch(self._read_again)

    def _read_again(self) -> None:
        text = self._text_now()
        if text is not None:
            self.show_now(text)

    def show_now(self, text: str) -> None:
        """Shows the text, unless it is being written."""
        raise AssertionError


class NameEdit(QLineEdit, Follows):
    """A name that is edited where it stands; one too long for its place ends in an ellipsis until then."""

    def __init__(self, text: str, part: str, act: Callable[[str], None], empty: str = "") -> None:
        super().__init__()
        self.setProperty("part", part)
        self.setMaxLength(LONGEST_NAME)
        self.setPlaceholderText(empty)
        self._act, self._name = act, text
        self.editingFinished.connect(self._finish)
        self.show_name(text)

    def show_name(self, name: str) -> None:
        """Shows another name, unless this one is being edited."""
        self._name = name
        if not self.hasFocus():
            room = self.width() - 14
            self.setText(self.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, room))
            self.setCursorPosition(0)
            self.setToolTip(plain(f"{name}\nClick to rename") if name else "Click to name it")

    def show_now(self, text: str) -> None:
        self.show_name(text)

    def _finish(self) -> None:
        if self.isModified():
            self.setModified(False)
            self._name = self.text()
            self._act(self.text())

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.setText(self._name)
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.show_name(self._name)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.show_name(self._name)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        super().keyPressEvent(event)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape):
            self.clearFocus()


class Lines(QPlainTextEdit, Follows):
    """Several lines of text, taken when the focus leaves them and they are others than before."""

    def __init__(self, name: str, says: str, high: int, take: Callable[[str], object]) -> None:
        super().__init__()
        self._take, self._shown = take, ""
        self.setTabChangesFocus(True)
        self.setAccessibleName(name)
        self.setToolTip(plain(says))
        self.setPlaceholderText(says)
        self.setFixedHeight(high)

    def show_text(self, text: str) -> None:
        """Shows another text, unless this one is being written."""
        if not self.hasFocus() and text != self._shown:
            self._shown = text
            self.setPlainText(text)

    def show_now(self, text: str) -> None:
        self.show_text(text)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        text = self.toPlainText().strip()[:LONGEST]
        if text != self._shown:
            self._shown = text
            self._take(text)


class Meter(QWidget):
    """A level in dBFS as a bar, with an ink tick for the peak held; red beyond 0 dB."""

    def __init__(self, low: float = -54.0, high: float = 6.0, thick: int = 7) -> None:
        super().__init__()
        self.low, self.high = low, high
        self.level = self.held = -120.0
        self._since = 0
        self.setFixedHeight(thick + 4)
        self.setMinimumWidth(48)
        self.setAccessibleName("Level")

    def show_peak(self, peak: float) -> None:
        """A new largest sample since the last call, linear."""
        level = 20 * math.log10(peak) if peak > 1e-6 else -120.0
        before = (round(self.level, 1), round(self.held, 1))
        self.level = max(level, self.level - 1.6)
        self._since += 1
        if level >= self.held:
            self.held, self._since = level, 0
        elif self._since > 40:
            self.held = max(level, self.held - 1.2)
        if before != (round(self.level, 1), round(self.held, 1)):
            self.update()

    def sizeHint(self) -> QSize:
        return QSize(80, self.height())

    def _x(self, level: float) -> float:
        part = (min(max(level, self.low), self.high) - self.low) / (self.high - self.low)
        return part * self.width()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        bar = QRectF(0, 2, self.width(), self.height() - 4)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("edge"))
        painter.drawRoundedRect(bar, 3, 3)
        if self.level > self.low:
            painter.setClipRect(QRectF(0, 0, self._x(self.level), self.height()))
            painter.setBrush(dye("lichen"))
            painter.drawRoundedRect(bar, 3, 3)
            if self.level > 0:
                painter.setClipRect(QRectF(self._x(0), 0, self._x(self.level) - self._x(0), self.height()))
                painter.setBrush(colour("problem"))
                painter.drawRoundedRect(bar, 3, 3)
            painter.setClipping(False)
        if self.held > self.low:
            painter.setPen(QPen(colour("problem" if self.held > 0 else "ink"), 1.6))
            x = min(self._x(self.held), self.width() - 1)
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))


class Upright(Meter):
    """A meter that stands, with a word under it."""

    def __init__(self, word: str) -> None:
        super().__init__()
        self.word = word
        self.setMinimumSize(20, 60)
        self.setMaximumSize(20, 2000)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(f"Level {word}")
        self.setToolTip({"in": "Level before this effect", "out": "Level after it"}[word])

    def _y(self, level: float) -> float:
        part = (min(max(level, self.low), self.high) - self.low) / (self.high - self.low)
        return (self.height() - 16) * (1.0 - part)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        tall = self.height() - 16
        bar = QRectF(6, 0, 8, tall)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("edge"))
        painter.drawRoundedRect(bar, 3, 3)
        if self.level > self.low:
            top = self._y(self.level)
            painter.setBrush(dye("lichen"))
            painter.drawRoundedRect(QRectF(6, max(top, self._y(0.0)), 8, tall - max(top, self._y(0.0))), 3, 3)
            if self.level > 0:
                painter.setBrush(colour("problem"))
                painter.drawRect(QRectF(6, top, 8, self._y(0.0) - top))
        if self.held > self.low:
            painter.setPen(QPen(colour("problem" if self.held > 0 else "ink"), 1.6))
            painter.drawLine(QPointF(4, self._y(self.held)), QPointF(16, self._y(self.held)))
        painter.setPen(colour("soft"))
        painter.setFont(body_font(11))
        painter.drawText(QRectF(0, tall, 20, 16), Qt.AlignmentFlag.AlignCenter, self.word)


class Reading(QWidget):
    """A label above a value, as in the header."""

    def __init__(self, label: str, tip: str) -> None:
        super().__init__()
        self.label, self.value = label, ""
        self.setToolTip(plain(tip))
        self.setAccessibleName(label)

    def show_value(self, value: str) -> None:
        """Shows a value, repainting only when it changed."""
        if value != self.value:
            self.value = value
            self.setAccessibleDescription(value)
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setFont(body_font(12))
        painter.setPen(colour("soft"))
        painter.drawText(QRect(0, 8, self.width(), 16), Qt.AlignmentFlag.AlignLeft, self.label)
        painter.setFont(body_font(13, 600))
        painter.setPen(colour("ink"))
        painter.drawText(QRect(0, 25, self.width(), 18), Qt.AlignmentFlag.AlignLeft, self.value)
