"""The word mark: opens the menu of the application."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QFont, QFontMetrics, QPainter, QPaintEvent, QPen

from felt_dial.ui.dials.controls import Pill
from felt_dial.ui.theme.colours import colour
from felt_dial.ui.theme.felt import draw_focus
from felt_dial.ui.theme.fonts import name_font

MARK = "felt dial"


class WordMark(Pill):
    """The name of the program, and a small arrow that says there is a menu under it."""

    def __init__(self) -> None:
        super().__init__("", "link", tip="New, open, save, import, export, settings, keys, guide")
        self.setAccessibleName("Menu of the application")
        self.setFixedSize(QFontMetrics(self._font()).horizontalAdvance(MARK) + 36, 50)

    def _font(self) -> QFont:
        return name_font(26, italic=True)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        font = self._font()
        painter.setFont(font)
        painter.setPen(colour("ink"))
        painter.drawText(QPointF(6, 33), MARK)
        x = 6 + QFontMetrics(font).horizontalAdvance(MARK) + 7
        painter.setPen(QPen(colour("ink" if self.underMouse() or self.hasFocus() else "soft"), 1.4))
        painter.drawPolyline([QPointF(x, 24), QPointF(x + 4, 28), QPointF(x + 8, 24)])
        if self.hasFocus():
            draw_focus(painter, QRectF(1, 7, self.width() - 8, 36), 6)
