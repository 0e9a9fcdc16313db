"""Cards of cloth that controls lie on: plain, or with a dye band on top."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from felt_dial.ui.dials.scrolling import Scroller
from felt_dial.ui.theme.colours import dye
from felt_dial.ui.theme.felt import draw_cloth


class Plate(QWidget):
    """A plain card of cloth."""

    @classmethod
    def with_box(cls) -> tuple[Plate, QVBoxLayout]:
        """A card and the column that it is filled through."""
        made = cls()
        box = QVBoxLayout(made)
        box.setContentsMargins(8, 8, 8, 6)
        box.setSpacing(5)
        return made, box

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_cloth(painter, QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 9)


class Card(QWidget):
    """A card of cloth with a dye band on top."""

    def __init__(self, shade: str = "madder") -> None:
        super().__init__()
        self.shade = shade

    def scrolled(self) -> tuple[QVBoxLayout, QVBoxLayout]:
        """Lays it out as a column that scrolls where it has no room; gives the card's own, for what stays below, and that one."""
        outer = QVBoxLayout(self)
        outer.setContentsMargins(4, 8, 4, 6)
        body = QWidget()
        box = QVBoxLayout(body)
        box.setContentsMargins(9, 2, 7, 2)
        box.setSpacing(5)
        outer.addWidget(Scroller(body), 1)
        return outer, box

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_cloth(painter, QRectF(self.rect()).adjusted(0.5, 1.5, -0.5, -0.5), 9)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(dye(self.shade))
        painter.drawRoundedRect(QRectF(0, 0, self.width(), 4), 2, 2)
