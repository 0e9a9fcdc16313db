"""Bars: the dials of a module that has no picture of its own."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from felt_dial.patch.params import Param
from felt_dial.patch.patch import module_at
from felt_dial.session.session import Session
from felt_dial.ui.pictures.well import Well
from felt_dial.ui.theme.colours import colour
from felt_dial.ui.theme.fonts import body_font


class Bars(Well):
    """A bar for every dial, from its middle where it has one."""

    def __init__(self, session: Session, path: str, shade: str, large: bool = False, *looks_at: str) -> None:
        super().__init__(session, shade, path, *looks_at)
        self.module_path, self.large = path, large

    def key(self) -> object:
        return module_at(self.session.patch, self.module_path)

    def draw(self, painter: QPainter, box: QRectF) -> None:
        module = module_at(self.session.patch, self.module_path)
        dials = [(name, p) for name, p in module.params.items() if isinstance(p, Param)]
        height = box.height() / max(len(dials), 1)
        works = bool(module.get("on")) if "on" in module.params else True
        shade = self.line_colour() if works else colour("chalk_soft")
        painter.setFont(body_font(11))
        for n, (name, param) in enumerate(dials):
            place, zero = param.position(module.get(name)), param.position(0.0) if param.two_sided else 0.0
            y = box.top() + (n + 0.5) * height
            painter.setPen(QPen(colour("chalk_soft").darker(190), 1))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            painter.setPen(QPen(shade, 5 if self.large else 3, c=Qt.PenCapStyle.RoundCap))
            painter.drawLine(QPointF(box.left() + zero * box.width(), y), QPointF(box.left() + place * box.width(), y))
            if self.large:
                painter.setPen(colour("chalk"))
                painter.drawText(QPointF(box.left() + 2, y - 6), f"{param.label} {param.write(module.get(name))}")
