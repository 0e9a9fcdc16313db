"""Colour marks: each is as many stitches as its dye stands in the order, so that it is told apart without its colour."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QHBoxLayout, QWidget

from felt_dial.patch.patch import MARKS
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.felt import draw_focus


def draw_mark(painter: QPainter, box: QRectF, mark: str) -> None:
    """The stitches of a mark, in the middle of a box."""
    count = MARKS.index(mark) + 1
    painter.setPen(QPen(dye(mark), 2.0, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
    left = box.center().x() - (count - 1) * 2.0
    for n in range(count):
        x = left + 4.0 * n
        painter.drawLine(QPointF(x - 0.8, box.center().y() + 3.5), QPointF(x + 0.8, box.center().y() - 3.5))


class MarkButton(QAbstractButton):
    """One colour to choose, or none."""

    def __init__(self, mark: str, what: str) -> None:
        super().__init__()
        self.mark = mark
        self.setCheckable(True)
        self.setFixedSize(26, 24)
        name = f"{what}: {mark}, {MARKS.index(mark) + 1} stitches" if mark else f"{what}: none"
        self.setAccessibleName(name)
        self.setToolTip(name)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        painter.setPen(QPen(colour("ink" if self.isChecked() else "edge"), 1.6 if self.isChecked() else 1.0))
        painter.setBrush(colour("raised" if self.isChecked() or self.underMouse() else "cloth"))
        painter.drawRoundedRect(box, 6, 6)
        if self.mark:
            draw_mark(painter, box, self.mark)
        else:
            painter.setPen(QPen(colour("soft"), 1.3))
            painter.drawLine(QPointF(9, 12), QPointF(17, 12))
        if self.hasFocus():
            draw_focus(painter, box.adjusted(2, 2, -2, -2), 5)


class MarkRow(QWidget):
    """Every colour in a row.

    Attributes
    ----------
    chosen : Signal(str)
        Another colour, empty for none.
    """

    chosen = Signal(str)

    def __init__(self, what: str) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        self.buttons = {mark: MarkButton(mark, what) for mark in ("", *MARKS)}
        for mark, button in self.buttons.items():
            button.clicked.connect(lambda _=False, mark=mark: self._choose(mark))
            row.addWidget(button)
        row.addStretch()
        self.show_mark("")

    def show_mark(self, mark: str) -> None:
        """The colour that it is now."""
        for key, button in self.buttons.items():
            button.setChecked(key == mark)

    def _choose(self, mark: str) -> None:
        self.show_mark(mark)
        self.chosen.emit(mark)
