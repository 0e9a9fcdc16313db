"""A slider for a figure that belongs to no patch: how far, how long, how strongly something is done on a bench."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from felt_dial.patch.params import Param
from felt_dial.ui.dials.entry import Entry
from felt_dial.ui.dials.scrolling import still_scrolling
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.fonts import body_font

FIGURE = 58
"""Pixels of the figure at its end."""
STILL = 3.0
"""Pixels that a hand may move which only clicks."""


class PlainSlider(QWidget):
    """A label, a track, and the figure, always there, with the manners of a dial.

    Drag it from wherever it is taken; a click only gives it the focus. The wheel and the arrow keys move it, Shift finely;
    digits and Return type its figure, in its unit; a double click and Delete bring its default back.

    Attributes
    ----------
    changed : Signal(float)
        It was moved or typed.
    let_go : Signal(float)
        The hand was lifted, or a key moved it.

    Parameters
    ----------
    param : Param
        Its name, default, range and unit, as a parameter of a module has them.
    label_wide : int
        Pixels of the label.
    """

    changed = Signal(float)
    let_go = Signal(float)

    def __init__(self, param: Param, label_wide: int = 62) -> None:
        super().__init__()
        self.param = param
        self.value = float(param.encode(param.default))
        self.label_wide = label_wide
        self.entry: Entry | None = None
        self._drag: tuple[float, float] | None = None
        self._moved = False
        self.setFixedHeight(22)
        self.setMinimumWidth(label_wide + 110)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(param.label)
        self.setToolTip(f"{param.says}\nReturn or a digit types it")
        self._describe()

    @property
    def label(self) -> str:
        """What it is called."""
        return self.param.label

    def sizeHint(self) -> QSize:
        return QSize(200, 22)

    def _describe(self) -> None:
        self.setAccessibleDescription(self.param.write(self.value))
        self.update()

    def _track(self) -> tuple[float, float]:
        return self.label_wide + 6.0, self.width() - FIGURE

    def _figure(self) -> QRect:
        return QRect(self.width() - FIGURE + 4, 0, FIGURE - 4, 22)

    def set_value(self, value: float) -> None:
        """Another figure, without a word."""
        self.value = min(max(value, self.param.low), self.param.high)
        self._describe()

    def _put(self, value: float) -> None:
        if value != self.value:
            self.value = value
            self._describe()
            self.changed.emit(value)

    def _move_to(self, position: float) -> None:
        self._put(float(self.param.encode(self.param.at(min(max(position, 0.0), 1.0)))))

    def reset(self) -> None:
        """Its default."""
        self._put(float(self.param.encode(self.param.default)))
        self.let_go.emit(self.value)

    def type_value(self, first: str = "") -> None:
        """Opens the entry over the figure; what cannot be read is said there, and nothing changes."""
        shown = self.param.write(self.value)

        def take(text: str) -> None:
            if text != shown:
                self._put(float(self.param.encode(self.param.read(text, self.value, by_face=True))))
                self.let_go.emit(self.value)

        self.entry = Entry(self, self._figure(), shown, take, typed=first)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(body_font(12))
        painter.setPen(colour("soft" if self.isEnabled() else "faint"))
        painter.drawText(
            QRectF(0, 0, self.label_wide, 22), Qt.AlignmentFlag.AlignVCenter, self.label if self.label_wide else ""
        )
        left, right = self._track()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("edge"))
        painter.drawRoundedRect(QRectF(left, 9, right - left, 4), 2, 2)
        x = left + self.param.position(self.value) * (right - left)
        painter.setBrush(colour("ink" if self.isEnabled() else "faint"))
        painter.drawEllipse(QPointF(x, 11), 5, 5)
        if self.hasFocus():
            pen = QPen(dye("madder"), 1.2)
            pen.setDashPattern([2, 2])
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(x, 11), 7.5, 7.5)
        painter.setFont(body_font(12, 600))
        painter.setPen(colour("ink" if self.isEnabled() else "faint"))
        align = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
        painter.drawText(QRectF(self._figure()), align, self.param.write(self.value))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._drag, self._moved = (event.position().x(), self.param.position(self.value)), False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        x, begun = self._drag
        away = event.position().x() - x
        self._moved = self._moved or abs(away) > STILL
        if self._moved:
            left, right = self._track()
            finely = 8.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            self._move_to(begun + away / max(right - left, 1.0) / finely)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._moved:
            self.let_go.emit(self.value)
        self._drag, self._moved = None, False

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._drag = None
        if self._figure().contains(event.position().toPoint()):
            self.type_value()
        else:
            self.reset()

    def wheelEvent(self, event: QWheelEvent) -> None:
        if still_scrolling(event) or not event.angleDelta().y():
            return
        finely = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        self._step((1 if event.angleDelta().y() > 0 else -1) * (0.005 if finely else 0.02))
        event.accept()

    def _step(self, by: float) -> None:
        before = self.value
        self._move_to(self.param.position(self.value) + by)
        if self.value == before and self.param.whole:
            self._put(min(max(before + (1.0 if by > 0 else -1.0), self.param.low), self.param.high))
        self.let_go.emit(self.value)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, text = event.key(), event.text()
        way = {Qt.Key.Key_Right: 1, Qt.Key.Key_Up: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: -1}.get(Qt.Key(key))
        if way is not None:
            self._step(way * (0.005 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.04))
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.reset()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.type_value()
        elif text and text in "0123456789-+−.×*/=":
            self.type_value(text)
        else:
            super().keyPressEvent(event)
