"""The dial: the round face of a parameter, with its value, its threads and where they take it."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QFontMetrics, QPainter, QPaintEvent, QPen

from felt_dial.session.session import Session
from felt_dial.ui.dials.param_control import UpAndDown
from felt_dial.ui.dials.tag import mover_dye
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.felt import STITCHES, SWEEP, dial_face, sewn_ring
from felt_dial.ui.theme.fonts import body_font


class Dial(UpAndDown):
    """A felt disc with 25 stitches, on a ground of one colour so that its parents need not be painted again."""

    def __init__(
        self, session: Session, path: str, owner_dye: str, radius: int = 17, label: str = "", ground: str = "cloth"
    ) -> None:
        super().__init__(session, path, owner_dye, label)
        self.radius, self.ground = radius, ground
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setFixedSize(self.sizeHint())

    def sizeHint(self) -> QSize:
        label = QFontMetrics(body_font(12)).horizontalAdvance(self.label)
        return QSize(max(2 * self.radius + 24, 58, min(label + 2, 74)), 2 * self.radius + 42)

    def _centre(self) -> QPointF:
        return QPointF(self.width() / 2, 25 + self.radius)

    def _at(self, place: float, distance: float) -> QPointF:
        angle = math.radians(135 + SWEEP * place)
        return self._centre() + QPointF(math.cos(angle), math.sin(angle)) * distance

    def _arc(self, painter: QPainter, start: float, end: float, distance: float) -> None:
        box = QRectF(0, 0, 2 * distance, 2 * distance)
        box.moveCenter(self._centre())
        painter.drawArc(box, round(-16 * (135 + SWEEP * start)), round(-16 * SWEEP * (end - start)))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour(self.ground))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        faint = self.faint
        shade = dye(self.owner_dye)
        painter.setFont(body_font(12))
        painter.setPen(colour("faint" if faint else "soft"))
        label_box = QRect(0, 0, self.width(), 15)
        metrics = painter.fontMetrics()
        painter.drawText(
            label_box,
            Qt.AlignmentFlag.AlignCenter,
            metrics.elidedText(self.label, Qt.TextElideMode.ElideRight, self.width()),
        )
        place = self.place_of(self._value)
        middle = self.place_of(0.0) if self.param.two_sided else 0.0
        low, high = min(place, middle), max(place, middle)
        stitches = [low - 0.001 <= n / (STITCHES - 1) <= high + 0.001 and not faint for n in range(STITCHES)]
        ring = sewn_ring(self.radius, tuple(stitches), shade.name(), colour("faint").name(), self.devicePixelRatioF())
        painter.drawPixmap(self._centre() - QPointF(self.radius + 8, self.radius + 8), ring)
        face = dial_face(self.radius - 1, self._hover and not faint, faint, self.devicePixelRatioF())
        centre = self._centre()
        painter.drawPixmap(centre - QPointF(self.radius + 2, self.radius + 2), face)
        pen = QPen(colour("faint" if faint else "ink"), 2.2)
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        painter.setPen(pen)
        painter.drawLine(self._at(place, self.radius * 0.42), self._at(place, self.radius * 0.78))
        if self._threads:
            self._paint_threads(painter)
        if self.hasFocus() or self._drop or self._lit:
            pen = QPen(dye("madder" if self.hasFocus() else "lichen"), 1.6)
            pen.setDashPattern([2.4, 2.0])
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(centre, self.radius - 3.5, self.radius - 3.5)
        painter.setFont(body_font(13, 600))
        painter.setPen(colour("faint" if faint else "ink"))
        value_box = self.value_box()
        painter.drawText(value_box, Qt.AlignmentFlag.AlignCenter, self.figure())

    def _paint_threads(self, painter: QPainter) -> None:
        assert self._reach is not None
        patch = self.session.patch
        start, end = self.place_of(self._reach[0]), self.place_of(self._reach[1])
        mover = dye(mover_dye(patch, next(iter(self._threads.values())).source))
        if not any(thread.on for thread in self._threads.values()):
            mover = colour("faint")
        pen = QPen(mover, 2.2)
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        painter.setPen(pen)
        distance = self.radius + 8.5
        self._arc(painter, start, end, distance)
        if self._reach[2]:
            painter.setPen(QPen(colour("problem"), 1))
            painter.setBrush(colour("problem"))
            for stop in (start, end):
                if stop <= 0.0005 or stop >= 0.9995:
                    painter.drawEllipse(self._at(stop, distance), 2.6, 2.6)
        if self.param.at_start:  # read as a note begins: nothing moves
            return
        bead = self._bead if self._bead >= 0 else self.place_of(self._value)
        painter.setPen(QPen(colour("cloth"), 1))
        painter.setBrush(mover)
        painter.drawEllipse(self._at(bead, distance), 3.6, 3.6)

    def value_box(self) -> QRect:
        return QRect(0, self.height() - 17, self.width(), 17)
