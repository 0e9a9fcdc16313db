"""Pictures of drives: what the curve makes of a wave, from none to full scale on both sides."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from felt_dial.patch.params import Param
from felt_dial.patch.patch import owner
from felt_dial.patch.units import BEND
from felt_dial.session.session import Session
from felt_dial.sound.tone.core.transfer import bent
from felt_dial.ui.pictures.drawn_lines import LineEditor
from felt_dial.ui.pictures.well import Well, draw_curve
from felt_dial.ui.theme.colours import colour
from felt_dial.ui.theme.fonts import body_font


class CurveEditor(LineEditor):
    """The drawn curve of a drive under the hand."""

    def __init__(self, session: Session, path: str, shade: str) -> None:
        super().__init__(session, path, shade)
        self.setAccessibleName("Drawn curve: what comes in goes across, what goes out goes up")

    def _whole(self, label: str) -> Param | None:
        """From the one side of full scale to the other, where the curve does not bend both halves alike."""
        odd = owner(self.session.patch, self.path.rpartition(".")[0] + ".on")[0].get("odd")
        return None if odd else Param(label, 0.0, (-1.0, 1.0), BEND, says="")

    def across(self) -> Param:
        """What comes in."""
        return self._whole("In") or super().across()

    def up(self) -> Param:
        """What goes out."""
        return self._whole("Out") or super().up()


class ShapingPicture(Well):
    """The curve of a drive, and the part of it that the sound reaches now."""

    def __init__(self, session: Session, path: str, shade: str, large: bool = False) -> None:
        super().__init__(session, shade, path)
        self.large = large
        self.setAccessibleName("Curve of the drive")

    @property
    def drive(self) -> Any:
        """The drive as it is set."""
        return owner(self.session.patch, f"{self.path}.on")[0]

    def key(self) -> object:
        return self.drive

    def draw(self, painter: QPainter, box: QRectF) -> None:
        drive = self.drive
        on = bool(drive.get("on"))
        grid = QPen(colour("chalk_soft").darker(200), 1)
        painter.setPen(grid)
        painter.drawLine(QPointF(box.left(), box.center().y()), QPointF(box.right(), box.center().y()))
        painter.drawLine(QPointF(box.center().x(), box.top()), QPointF(box.center().x(), box.bottom()))
        painter.setPen(QPen(colour("chalk_soft").darker(170), 1, Qt.PenStyle.DotLine))
        painter.drawLine(box.bottomLeft(), box.topRight())
        x = np.linspace(-1.0, 1.0, 401)
        shade = self.line_colour() if on else colour("chalk_soft")
        draw_curve(
            painter,
            box,
            0.5 + 0.5 * x,
            0.5 + 0.46 * np.clip(bent(drive, x), -1.05, 1.05),
            shade,
            floor=0.5 if on else None,
        )
        painter.setFont(body_font(11))
        painter.setPen(colour("chalk" if not on else "chalk_soft"))
        if not on and box.width() > 40:
            painter.drawText(box, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignRight, "off")
        if self.large:
            painter.drawText(QPointF(box.right() - 30, box.center().y() - 4), "in 1")
            painter.drawText(QPointF(box.center().x() + 4, box.top() + 10), "out 1")
