"""A slider for a figure that belongs to no patch: how far, how long, how strongly something is done on a bench."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.fonts import body_font


class PlainSlider(QWidget):
    """A label, a track, and the figure, always there. Arrow keys move it, Shift finely; a double click resets it.

    Attributes
    ----------
    changed : Signal(float)
        It was moved.
    let_go : Signal(float)
        The hand was lifted, or a key moved it.
    """

    changed = Signal(float)
    let_go = Signal(float)

    def __init__(
        self,
        label: str,
        value: float,
        span: tuple[float, float],
        write: Callable[[float], str],
        tip: str,
        bend: float = 1.0,
        label_wide: int = 62,
    ) -> None:
        super().__init__()
        self.label, self.span, self.write, self.bend = label, span, write, bend
        self.first = self.value = value
        self.label_wide = label_wide
        self.setFixedHeight(22)
        self.setMinimumWidth(label_wide + 110)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(label)
        self.setToolTip(tip)

    def sizeHint(self) -> QSize:
        return QSize(200, 22)

    def _track(self) -> tuple[float, float]:
        return self.label_wide + 6.0, self.width() - 54.0

    def _place(self) -> float:
        low, high = self.span
        return float(((self.value - low) / (high - low)) ** (1 / self.bend))

    def set_value(self, value: float) -> None:
        """Another figure, without a word."""
        self.value = min(max(value, self.span[0]), self.span[1])
        self.update()

    def _put(self, place: float) -> None:
        low, high = self.span
        value = low + (high - low) * min(max(place, 0.0), 1.0) ** self.bend
        if value != self.value:
            self.value = value
            self.update()
            self.changed.emit(value)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(body_font(12))
        painter.setPen(colour("soft" if self.isEnabled() else "faint"))
        painter.drawText(QRectF(0, 0, self.label_wide, 22), Qt.AlignmentFlag.AlignVCenter, self.label)
        left, right = self._track()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("edge"))
        painter.drawRoundedRect(QRectF(left, 9, right - left, 4), 2, 2)
        x = left + self._place() * (right - left)
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
        painter.drawText(QRectF(right + 6, 0, self.width() - right - 6, 22), align, self.write(self.value))

    def _at(self, event: QMouseEvent) -> float:
        left, right = self._track()
        return (event.position().x() - left) / max(right - left, 1.0)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._put(self._at(event))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._put(self._at(event))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.let_go.emit(self.value)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.value = self.first
        self.update()
        self.changed.emit(self.value)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        way = {Qt.Key.Key_Right: 1, Qt.Key.Key_Up: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()))
        if way is None:
            super().keyPressEvent(event)
            return
        step = 0.005 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.04
        self._put(self._place() + way * step)
        self.let_go.emit(self.value)
