"""Pictures of effects: each kind has the one that suits it, and any other shows its values."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from felt_dial.session.session import Session
from felt_dial.sound import spectra
from felt_dial.sound.effects.delay import Delay
from felt_dial.ui.pictures.bars import Bars
from felt_dial.ui.pictures.well import BELOW, draws
from felt_dial.ui.theme.colours import colour
from felt_dial.ui.theme.fonts import body_font


class EffectPicture(Bars):
    """What stands in the picture of an effect; bars for one that has none of its own."""

    has_axis = False
    """True where something stands under the picture, in full."""

    def __init__(self, session: Session, path: str, shade: str, large: bool = False) -> None:
        super().__init__(session, path, shade, large, "tempo")
        self.rack, self.effect = path.split(".")[1:3]
        self.below = BELOW if large and self.has_axis else 0

    def heard_to(self) -> int | None:
        """Up to where the sound was heard, for what is drawn anew with every new piece of it; None where it is small."""
        return int(self.session.link.shared.data["scope_written"]) if self.large else None

    def heard(self, frames: int) -> NDArray[np.float32]:
        """The sound before (rows 0 and 1) and after (2 and 3) the effect that is shown in full, its last frames."""
        data = self.session.link.shared.data
        return spectra.latest(data["tap"], int(data["scope_written"]), frames)

    def key(self) -> object:
        return self.session.patch.racks[self.rack][self.effect], self.session.patch.tempo


@draws("echoes")
class DelayPicture(EffectPicture):
    """The echoes of a short sound: when, how loud, and on which side."""

    def draw(self, painter: QPainter, box: QRectF) -> None:
        effect = self.session.patch.racks[self.rack][self.effect]
        assert isinstance(effect, Delay)
        tempo = float(self.session.patch.tempo)
        beat = 60 / tempo
        span = 4 * beat
        while effect.echoes(tempo, 2)[0][0] * 3 > span:
            span *= 2
        shade = self.line_colour() if effect.on else colour("chalk_soft")
        middle = box.center().y()
        half = box.height() / 2 - (8 if self.large else 2)
        painter.setFont(body_font(11))
        if self.large:
            steps = int(span / beat)
            for n in range(steps + 1):
                x = box.left() + n * beat / span * box.width()
                painter.setPen(QPen(colour("chalk_soft").darker(170 if n % 4 == 0 else 220), 1))
                painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
                if n < steps and (steps <= 16 or n % 4 == 0):
                    painter.setPen(colour("chalk_soft"))
                    painter.drawText(QPointF(x + (12 if n == 0 else 4), box.bottom() - 1), f"beat {n + 1}")
            painter.setPen(colour("chalk_soft"))
            painter.drawText(QPointF(box.left() + 12, box.top() + 24), "left")
            painter.drawText(QPointF(box.left() + 12, box.bottom() - 20), "right")
        painter.setPen(QPen(colour("chalk_soft").darker(160), 1))
        painter.drawLine(QPointF(box.left(), middle), QPointF(box.right(), middle))
        thick = 5.0 if self.large else 3.0
        painter.setPen(QPen(colour("chalk"), thick, c=Qt.PenCapStyle.FlatCap))
        painter.drawLine(QPointF(box.left() + thick, middle - half), QPointF(box.left() + thick, middle + half))
        for seconds, gain, side in effect.echoes(tempo, 96):
            x = box.left() + thick + seconds / span * (box.width() - thick)
            if x > box.right() or gain < 0.002:
                continue
            painter.setPen(QPen(shade, thick, c=Qt.PenCapStyle.FlatCap))
            length = half * gain**0.5
            painter.drawLine(QPointF(x, middle), QPointF(x, middle - length if side == 0 else middle + length))
