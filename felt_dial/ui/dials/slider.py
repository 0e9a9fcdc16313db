"""Flat faces of a parameter, for rows: a short track, and a value that is turned where it stands."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy

from felt_dial.session.session import Session
from felt_dial.ui.dials.param_control import ParamControl, UpAndDown
from felt_dial.ui.dials.tag import mover_dye
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.fonts import body_font

NEAR = 9.0
"""Pixels around the knob of a track within which a press takes hold of it where it is."""


class Slider(ParamControl):
    """A track with a knob. A press beside the knob brings it there; with Shift a drag is fine."""

    def __init__(self, session: Session, path: str, owner_dye: str = "ink", label: str = "") -> None:
        super().__init__(session, path, owner_dye, label)
        self.setMinimumWidth(44)
        self.setFixedHeight(20)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._from: tuple[float, float] | None = None

    def sizeHint(self) -> QSize:
        return QSize(80, 20)

    @property
    def place(self) -> float:
        """Where the knob stands, from 0 to 1."""
        return self.place_of(self._value)

    def _x(self, place: float) -> float:
        return 8 + place * (self.width() - 16)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("edge"))
        y = self.height() / 2
        painter.drawRoundedRect(QRectF(4, y - 2, self.width() - 8, 4), 2, 2)
        if self._reach is not None:
            self._paint_threads(painter, y - 7)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("ink" if self.isEnabled() else "faint"))
        painter.drawEllipse(QPointF(self._x(self.place), y), 5, 5)
        if self.hasFocus() or self._drop or self._lit:
            pen = QPen(dye("madder" if self.hasFocus() else "lichen"), 1.2)
            pen.setDashPattern([2, 2])
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(self._x(self.place), y), 7.5, 7.5)

    def _paint_threads(self, painter: QPainter, y: float) -> None:
        assert self._reach is not None
        mover = dye(mover_dye(self.session.patch, next(iter(self._threads.values())).source))
        if not any(thread.on for thread in self._threads.values()):
            mover = colour("faint")
        pen = QPen(mover, 2)
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        painter.setPen(pen)
        low, high = (self._x(self.place_of(value)) for value in self._reach[:2])
        painter.drawLine(QPointF(low, y), QPointF(high, y))
        if not self.param.at_start:
            painter.setPen(QPen(colour("cloth"), 1))
            painter.setBrush(mover)
            painter.drawEllipse(QPointF(self._x(self._bead if self._bead >= 0 else self.place), y), 3, 3)

    def _put(self, place: float) -> None:
        """There, or to the middle of a two-sided parameter where that is near."""
        place = min(max(place, 0.0), 1.0)
        middle = self.place_of(0.0) if self.param.two_sided else -1.0
        self.set_place(middle if abs(place - middle) < 0.03 else place)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self.session.editor.history.settle()
        x = event.position().x()
        if abs(x - self._x(self.place)) > NEAR:
            self._put((x - 8) / max(self.width() - 16, 1))
        self._from = (x, self.place)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is None:
            return
        x, place = self._from
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        place += (event.position().x() - x) / max(self.width() - 16, 1) / (8 if fine else 1)
        if fine:
            self._from = (event.position().x(), place)
        self._put(place)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._from = None
        self.session.editor.history.settle()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._from = None
        self.reset()


class Figure(UpAndDown):
    """A value alone, where there is no room for more. Drag up and down; double-click to type."""

    def sizeHint(self) -> QSize:
        return QSize(54, 20)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        if self.hasFocus() or self._drop or self._lit:
            pen = QPen(dye("madder" if self.hasFocus() else "lichen"), 1.2)
            pen.setDashPattern([3, 2.4])
            painter.setPen(pen)
            painter.drawRoundedRect(box, 5, 5)
        elif self._hover:
            painter.setPen(QPen(colour("edge"), 1))
            painter.drawRoundedRect(box, 5, 5)
        if self._threads:
            mover = dye(mover_dye(self.session.patch, next(iter(self._threads.values())).source))
            painter.setPen(QPen(mover, 2))
            middle, y = self.width() / 2, self.height() - 1.5
            painter.drawLine(QPointF(middle - 20, y), QPointF(middle + 20, y))
        painter.setFont(body_font(12, 600))
        painter.setPen(colour("ink" if self.isEnabled() else "faint"))
        text = self.figure()
        text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, self.width() - 2)
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
