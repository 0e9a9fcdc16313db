"""Swatches: the spectrogram of a preset, dyed."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QIcon, QImage, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QWidget

from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.fonts import body_font

Picture = NDArray[np.uint8]


@lru_cache(maxsize=512)
def _pixmap(data: bytes, rows: int, columns: int, shade: str, ground: str) -> QPixmap:
    level = (np.frombuffer(data, np.uint8).reshape(rows, columns) / 255.0)[..., None]
    well, middle, top = (
        np.array([c.red(), c.green(), c.blue()]) for c in (colour("well"), dye(shade, True), colour("chalk"))
    )
    low = well + (middle - well) * np.clip(level / 0.8, 0, 1) ** 1.5
    image = low + (top - low) * np.clip((level - 0.8) / 0.2, 0, 1) * 0.85
    pixels = np.ascontiguousarray(image.astype(np.uint8))
    return QPixmap.fromImage(QImage(pixels.data, columns, rows, 3 * columns, QImage.Format.Format_RGB888).copy())


def paint_swatch(painter: QPainter, box: QRectF, swatch: Picture | None, shade: str, without: str) -> None:
    """Paints a swatch into a box, or an empty well that says what it is `without` one."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour("well"))
    painter.drawRoundedRect(box, 4, 4)
    if swatch is None:
        painter.setPen(colour("chalk_soft"))
        painter.setFont(body_font(11))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, without)
        return
    rows, columns = swatch.shape
    picture = _pixmap(swatch.tobytes(), rows, columns, shade, colour("well").name())
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.drawPixmap(box.adjusted(1, 1, -1, -1), picture, QRectF(picture.rect()))


def swatch_icon(swatch: Picture, shade: str) -> QIcon:
    """A swatch as it stands in a menu."""
    rows, columns = swatch.shape
    return QIcon(_pixmap(swatch.tobytes(), rows, columns, shade, colour("well").name()))


class Swatch(QWidget):
    """A large swatch."""

    def __init__(self) -> None:
        super().__init__()
        self.swatch: Picture | None = None
        self.empty = False
        self.shade, self.without = "weld", ""
        self.setMinimumHeight(104)
        self.setAccessibleName("Swatch: spectrogram from 20 Hz to 20 kHz, 4 seconds")

    def sizeHint(self) -> QSize:
        return QSize(264, 104)

    def show_swatch(self, swatch: Picture | None, shade: str, without: str) -> None:
        """Another sound."""
        self.swatch, self.shade, self.without, self.empty = swatch, shade, without, False
        self.update()

    def show_nothing(self) -> None:
        """No sound is chosen."""
        self.empty = True
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.empty:
            pen = QPen(colour("faint"), 1.3)
            pen.setDashPattern([4, 3])
            painter.setPen(pen)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 5, 5)
            painter.setPen(colour("soft"))
            painter.setFont(body_font(12))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "The swatch of a preset stands here")
            return
        paint_swatch(painter, QRectF(self.rect()), self.swatch, self.shade, self.without)
