"""Pictures of effects that work on the level: static curves with what they do now, bands, and the steps of a gate."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen, QPolygonF

from felt_dial.patch.units import MINUS, THIN, number
from felt_dial.sound.effects.multiband import band_curve
from felt_dial.ui.pictures.effects import EffectPicture
from felt_dial.ui.pictures.well import draw_curve, draws
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.fonts import body_font

LOWEST = -60.0
MOST = 24.0
"""dB of gain reduction that fill the bar."""
NOW, FIELD = 512, 2048
"""Frames whose largest sample is the level of now, and that make a field of points."""


@draws("transfer")
class LevelPicture(EffectPicture):
    """What comes out for what goes in; in full also what does so now, and by how much it is turned down."""

    def live(self) -> object:
        """What was heard up to now, and by how much it is turned down, while it is large."""
        return (self.heard_to(), self._turned_down()) if self.large else None

    def _turned_down(self) -> float:
        return round(self.session.link.reading(self.session.patch, f"racks.{self.rack}.{self.effect}"), 1)

    def draw(self, painter: QPainter, box: QRectF) -> None:
        effect: Any = self.session.patch.racks[self.rack][self.effect]
        shade = self.line_colour() if effect.get("on") else colour("chalk_soft")
        x = np.linspace(0.0, 1.0, 300)
        if effect.levels is not None:
            low, high = effect.levels
            y, floor = (effect.transfer(low + (high - low) * x) - low) / (high - low), 0.0
            if self.large:
                self._grid(painter, box)
        else:
            y, floor = 0.5 + 0.5 * effect.reach * effect.transfer(2 * x - 1), 0.5
        painter.setPen(QPen(colour("chalk_soft").darker(180), 1, Qt.PenStyle.DotLine))
        painter.drawLine(box.bottomLeft(), box.topRight())
        draw_curve(painter, box, x, np.clip(y, 0.0, 1.0), shade, floor=floor)

    def _grid(self, painter: QPainter, box: QRectF) -> None:
        painter.setFont(body_font(11))
        for level in (-48, -36, -24, -12):
            part = (level - LOWEST) / -LOWEST
            x, y = box.left() + part * box.width(), box.bottom() - part * box.height()
            painter.setPen(QPen(colour("chalk_soft").darker(200), 1))
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            painter.setPen(colour("chalk_soft"))
            painter.drawText(QPointF(x + 3, box.bottom() - 2), f"{level}".replace("-", MINUS))
            painter.drawText(QPointF(box.left() + 4, y - 3), f"{level}{THIN}dB".replace("-", MINUS))

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        effect: Any = self.session.patch.racks[self.rack][self.effect]
        if not self.large:
            return
        peaks = np.abs(self.heard(NOW)).max(axis=1)
        before, after = float(peaks[:2].max()), float(peaks[2:].max())
        if effect.levels is not None:
            low, high = effect.levels
            self._dot(painter, box, low, high, before, after)
            self._reduction(painter, box)
        elif before > 1e-5:
            self._reach(painter, box, min(before, 1.0))

    def _dot(self, painter: QPainter, box: QRectF, low: float, high: float, before: float, after: float) -> None:
        """The level that goes in now, and the one that comes out, on axes from `low` to `high` dB."""
        x, y = (np.clip((20 * np.log10(level + 1e-9) - low) / (high - low), 0.0, 1.0) for level in (before, after))
        if x > 0.0:
            painter.setPen(QPen(colour("well"), 1.5))
            painter.setBrush(colour("chalk"))
            painter.drawEllipse(QPointF(box.left() + x * box.width(), box.bottom() - y * box.height()), 5, 5)

    def _reach(self, painter: QPainter, box: QRectF, peak: float) -> None:
        """How far into the curve the sound goes now, to both sides."""
        middle, wide = box.center().x(), peak * box.width() / 2
        shade = colour("chalk")
        shade.setAlpha(22)
        painter.fillRect(QRectF(middle - wide, box.top(), 2 * wide, box.height()), shade)
        painter.setPen(QPen(colour("chalk_soft"), 1))
        for x in (middle - wide, middle + wide):
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))

    def _reduction(self, painter: QPainter, box: QRectF) -> None:
        now = self._turned_down()
        bar = QRectF(box.right() - 10, box.top() + 4, 8, box.height() - 24)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("chalk_soft").darker(190))
        painter.drawRoundedRect(bar, 3, 3)
        painter.setBrush(dye("madder", in_well=True))
        painter.drawRect(QRectF(bar.left(), bar.top(), 8, bar.height() * min(-now / MOST, 1.0)))
        painter.setPen(colour("chalk"))
        painter.setFont(body_font(11))
        text = f"{number(now, 1)} dB" if now < -0.05 else "0 dB"
        painter.drawText(QRectF(box.right() - 60, box.bottom() - 16, 60, 14), Qt.AlignmentFlag.AlignRight, text)


@draws("field")
class FieldPicture(EffectPicture):
    """Where what comes from left, from the middle and from right will stand; in full also the sound, before and after."""

    def live(self) -> object:
        """A new picture for every new piece of sound, while it is large."""
        return self.heard_to()

    def _spot(self, box: QRectF, left: Any, right: Any) -> tuple[Any, Any]:
        """Where a sound stands: sideways by its sides, upwards by its middle."""
        size = min(box.width(), box.height()) / 2
        return box.center().x() - 0.5 * (left - right) * size, box.center().y() - 0.5 * (left + right) * size

    def draw(self, painter: QPainter, box: QRectF) -> None:
        effect: Any = self.session.patch.racks[self.rack][self.effect]
        shade = self.line_colour() if effect.get("on") else colour("chalk_soft")
        middle, size = box.center(), min(box.width(), box.height()) / 2
        painter.setPen(QPen(colour("chalk_soft").darker(190), 1))
        painter.drawLine(middle - QPointF(size, 0), middle + QPointF(size, 0))
        painter.drawLine(middle - QPointF(0, size), middle + QPointF(0, size))
        ends = [QPointF(*self._spot(box, *effect.turned(x, y))) for x, y in ((1.0, 0.0), (1.0, 1.0), (0.0, 1.0))]
        pale = QColor(shade)
        pale.setAlpha(60)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(pale)
        painter.drawPolygon(QPolygonF([middle, *ends]))
        painter.drawPolygon(QPolygonF([middle, *(middle * 2 - end for end in ends)]))
        painter.setPen(QPen(shade, 1.8))
        for end in (ends[0], ends[2]):
            painter.drawLine(end, middle * 2 - end)
        if self.large:
            painter.setFont(body_font(11))
            painter.setPen(colour("chalk_soft"))
            below = effect.number("mono")
            word = (
                f"below {effect.params['mono'].write(below)} in the middle" if below > 20.0 else "the lows as they are"
            )
            painter.drawText(QPointF(box.left() + 6, box.top() + 12), word)
            for name, end, side in (("left", ends[0], -1), ("right", ends[2], 1)):
                at = QRectF(end.x() + (6 if side > 0 else -46), end.y() - 8, 40, 16)
                sideways = Qt.AlignmentFlag.AlignLeft if side > 0 else Qt.AlignmentFlag.AlignRight
                painter.drawText(at, Qt.AlignmentFlag.AlignVCenter | sideways, name)

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        if not self.large:
            return
        sound = self.heard(FIELD)[:, ::2]
        top = max(float(np.abs(sound).max()), 0.02)
        for pair, shade in (
            (sound[:2] / top, colour("chalk_soft").darker(140)),
            (sound[2:] / top, dye("mallow", in_well=True)),
        ):
            points = [QPointF(x, y) for x, y in zip(*self._spot(box, pair[0], pair[1]), strict=True)]
            painter.setPen(QPen(shade, 1.4))
            painter.drawPoints(QPolygonF(points))


@draws("bands")
class BandsPicture(LevelPicture):
    """By how much each of the three bands is moved at its level: pressed from above, lifted from below."""

    def draw(self, painter: QPainter, box: QRectF) -> None:
        effect: Any = self.session.patch.racks[self.rack][self.effect]
        shade = self.line_colour() if effect.get("on") else colour("chalk_soft")
        x = np.linspace(0.0, 1.0, 300)
        level = -72.0 + 72.0 * x
        dials = [effect.number(name) for name in ("above", "below", "press", "lift")]
        out = level + effect.number("depth") * band_curve(level, *dials)
        painter.setPen(QPen(colour("chalk_soft").darker(180), 1, Qt.PenStyle.DotLine))
        painter.drawLine(box.bottomLeft(), box.topRight())
        draw_curve(painter, box, x, np.clip((out + 72.0) / 72.0, 0, 1), shade, floor=0.0)
        if self.large:
            painter.setFont(body_font(11))
            painter.setPen(colour("chalk_soft"))
            splits = [effect.params[name].write(effect.get(name)) for name in ("split_low", "split_high")]
            painter.drawText(QPointF(box.left() + 6, box.top() + 12), f"low up to {splits[0]}, high from {splits[1]}")


@draws("gate")
class GatePicture(EffectPicture):
    """The steps as bars; drag over them to draw."""

    def __init__(self, *about: Any) -> None:
        super().__init__(*about)
        if self.large:
            self.setToolTip("Drag over the steps to draw how far each is open")

    def draw(self, painter: QPainter, box: QRectF) -> None:
        effect: Any = self.session.patch.racks[self.rack][self.effect]
        shade = self.line_colour() if effect.get("on") else colour("chalk_soft")
        row = effect.row()
        wide = box.width() / len(row)
        length = effect.number("length")
        painter.setPen(Qt.PenStyle.NoPen)
        for n, level in enumerate(row):
            left = box.left() + n * wide
            painter.setBrush(colour("chalk_soft").darker(230))
            painter.drawRect(QRectF(left + 1, box.top(), max((wide - 2) * length, 1), box.height()))
            painter.setBrush(shade)
            tall = max(level, effect.number("least")) * box.height()
            painter.drawRect(QRectF(left + 1, box.bottom() - tall, max((wide - 2) * length, 1), tall))
        if self.large:
            painter.setFont(body_font(11))
            painter.setPen(colour("chalk_soft"))
            for n in range(0, len(row), 4):
                painter.drawText(QPointF(box.left() + n * wide + 3, box.top() + 12), str(n + 1))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if not self.large:
            event.ignore()
            return
        self.session.editor.history.settle()
        self._put(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.large and event.buttons():
            self._put(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if not self.large:
            event.ignore()
        self.session.editor.history.settle()

    def _put(self, event: QMouseEvent) -> None:
        effect: Any = self.session.patch.racks[self.rack][self.effect]
        box, count = self.box(), len(effect.row())
        step = min(max(int((event.position().x() - box.left()) / box.width() * count), 0), count - 1)
        level = min(max((box.bottom() - event.position().y()) / box.height(), 0.0), 1.0)
        path = f"racks.{self.rack}.{self.effect}."
        self.session.editor.set_all({f"{path}s{step + 1}": round(level, 2)}, "draw the gate", path + "drawn")
