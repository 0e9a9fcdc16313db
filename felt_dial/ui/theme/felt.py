"""What is painted in felt: wool, dials, stitches, sewn lines."""

from __future__ import annotations

import math
import random
from functools import lru_cache

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPen, QPixmap, QRadialGradient
from PySide6.QtWidgets import QLabel, QWidget

from felt_dial.ui.theme.colours import cloth, colour, dye

STITCHES, SWEEP = 25, 270.0


def draw_cloth(painter: QPainter, box: QRectF, corner: float, ground: str = "cloth", edge: str = "edge") -> None:
    """A piece of cloth with a fine edge; `ground` and `edge` are colours of the theme."""
    painter.setPen(QPen(colour(edge), 1))
    painter.setBrush(colour(ground))
    painter.drawRoundedRect(box, corner, corner)


def draw_focus(painter: QPainter, box: QRectF, corner: float, in_well: bool = False) -> None:
    """The dashed ring around what the keyboard works on."""
    pen = QPen(dye("madder", in_well=in_well), 1.4 if in_well else 1.2)
    pen.setDashPattern([3, 2.4])
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRoundedRect(box, corner, corner)


@lru_cache(maxsize=4)
def wool_tile() -> QPixmap:
    """A small tile of wool with a faint speckle of fibres."""
    base = QColor(cloth.theme.wool)
    chance = random.Random(7)
    image = QImage(192, 192, QImage.Format.Format_RGB32)
    image.fill(base)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for _ in range(170):
        x, y, turn, length = (
            chance.uniform(0, 192),
            chance.uniform(0, 192),
            chance.uniform(0, 360),
            chance.uniform(2, 6),
        )
        shade = base.darker(104) if chance.random() < 0.6 else base.lighter(103)
        painter.setPen(QPen(shade, 0.8))
        painter.save()
        painter.translate(x, y)
        painter.rotate(turn)
        painter.drawArc(QRectF(-length, -1.5, 2 * length, 3), 0, 16 * 170)
        painter.restore()
    painter.end()
    return QPixmap.fromImage(image)


def clear_pixmap(size: int, ratio: float) -> QPixmap:
    """A square with nothing in it, `ratio` pixels to the point."""
    pixmap = QPixmap(round(size * ratio), round(size * ratio))
    pixmap.setDevicePixelRatio(ratio)
    pixmap.fill(Qt.GlobalColor.transparent)
    return pixmap


@lru_cache(maxsize=64)
def dial_face(radius: int, lifted: bool, faint: bool, ratio: float) -> QPixmap:
    """The felt disc of a dial, without its mark."""
    size = 2 * radius + 6
    pixmap = clear_pixmap(size, ratio)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    light, dark = QColor(cloth.theme.felt_light), QColor(cloth.theme.felt_dark)
    if lifted:
        light, dark = light.lighter(104), dark.lighter(104)
    centre = size / 2
    shadow = QColor(0, 0, 0, 26 if not faint else 10)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(shadow)
    painter.drawEllipse(QRectF(centre - radius, centre - radius + (2 if lifted else 1.2), 2 * radius, 2 * radius))
    felt = QRadialGradient(centre - radius * 0.3, centre - radius * 0.4, radius * 1.5)
    felt.setColorAt(0, light)
    felt.setColorAt(1, dark)
    painter.setBrush(felt)
    painter.setPen(QPen(QColor(cloth.theme.edge), 1))
    painter.drawEllipse(QRectF(centre - radius, centre - radius, 2 * radius, 2 * radius))
    painter.end()
    return pixmap


@lru_cache(maxsize=512)
def sewn_ring(radius: int, sewn: tuple[bool, ...], shade: str, rest: str, ratio: float) -> QPixmap:
    """The stitches around a dial, sewn in a shade where the dial has come by, else in `rest`."""
    size = 2 * radius + 16
    pixmap = clear_pixmap(size, ratio)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for n, done in enumerate(sewn):
        pen = QPen(QColor(shade if done else rest), 1.8 if done else 1.2)
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        painter.setPen(pen)
        angle = math.radians(135 + SWEEP * n / (STITCHES - 1))
        way = QPointF(math.cos(angle), math.sin(angle))
        centre = QPointF(size / 2, size / 2)
        painter.drawLine(centre + way * (radius + 2.5), centre + way * (radius + 5.5))
    painter.end()
    return pixmap


def sewn_pen(shade: QColor, width: float = 1.6) -> QPen:
    """A pen that sews: 5 on, 4 off."""
    pen = QPen(shade, width)
    pen.setDashPattern([5 / width, 4 / width])
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    return pen


class Wool(QWidget):
    """A widget whose ground is wool."""

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.drawTiledPixmap(self.rect(), wool_tile())


class Empty(QLabel):
    """A dashed outline with a sentence that says what would go here."""

    def __init__(self, text: str = "") -> None:
        super().__init__(text)
        self.setProperty("part", "label")
        self.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.setWordWrap(True)
        self.setMargin(24)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        pen = QPen(colour("faint"), 1.3)
        pen.setDashPattern([4, 3])
        painter.setPen(pen)
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 9, 9)


class SewnLine(QWidget):
    """A dashed line between two parts."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(9)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setPen(sewn_pen(colour("edge")))
        painter.drawLine(0, 4, self.width(), 4)


cloth.changed.connect(dial_face.cache_clear)
cloth.changed.connect(wool_tile.cache_clear)
