"""Pictures of effects: each kind has the one that suits it, and any other shows its values."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from felt_dial.patch.params import Param
from felt_dial.sound import seeing
from felt_dial.sound.effects.delay import Delay
from felt_dial.ui.cloth import colour, reading
from felt_dial.ui.pictures.well import BELOW, Well
from felt_dial.ui.session import Session

PICTURES: dict[str, Callable[[Session, str, str, bool], Well]] = {}


class EffectPicture(Well):
    """Bars for the parameters of an effect that has no picture of its own."""

    has_axis = False
    """True where something stands under the picture, in full."""

    def __init__(self, session: Session, path: str, shade: str, large: bool) -> None:
        super().__init__(session, shade)
        self.rack, self.effect = path.split(".")[1:3]
        self.large, self.below = large, BELOW if large and self.has_axis else 0

    def heard_to(self) -> int | None:
        """Up to where the sound was heard, for what is drawn anew with every new piece of it; None where it is small."""
        return int(self.session.link.shared.data["scope_written"]) if self.large else None

    def heard(self, frames: int) -> NDArray[np.float32]:
        """The sound before (rows 0 and 1) and after (2 and 3) the effect that is shown in full, its last frames."""
        data = self.session.link.shared.data
        return seeing.latest(data["tap"], int(data["scope_written"]), frames)

    def key(self) -> object:
        return self.session.patch.racks[self.rack][self.effect], self.session.patch.tempo

    def draw(self, painter: QPainter, box: QRectF) -> None:
        effect = self.session.patch.racks[self.rack][self.effect]
        dials = [(name, p) for name, p in effect.params.items() if isinstance(p, Param)]
        height = box.height() / max(len(dials), 1)
        shade = self.line_colour() if effect.get("on") else colour("chalk_soft")
        painter.setFont(reading(11))
        for n, (name, param) in enumerate(dials):
            place, zero = param.position(effect.get(name)), param.position(0.0) if param.two_sided else 0.0
            y = box.top() + (n + 0.5) * height
            painter.setPen(QPen(colour("chalk_soft").darker(190), 1))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            painter.setPen(QPen(shade, 5 if self.large else 3, c=Qt.PenCapStyle.RoundCap))
            painter.drawLine(QPointF(box.left() + zero * box.width(), y), QPointF(box.left() + place * box.width(), y))
            if self.large:
                painter.setPen(colour("chalk"))
                painter.drawText(QPointF(box.left() + 2, y - 6), f"{param.label} {param.write(effect.get(name))}")


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
        painter.setFont(reading(11))
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


PICTURES["delay"] = DelayPicture


def effect_picture(session: Session, path: str, shade: str, large: bool = False) -> Well:
    """The picture that suits an effect."""
    _, rack, key = path.split(".")
    kind = str(session.patch.racks[rack][key].kind)  # type: ignore[attr-defined]
    return PICTURES.get(kind, EffectPicture)(session, path, shade, large)
