"""Small pictures of the sample bench: the seam of a loop as it will sound, and the shape of a part."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QWidget

from felt_dial.ui.benches.recording import RecordingWork, goes_round
from felt_dial.ui.pictures.well import Well, points
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.fonts import body_font
from felt_dial.workshop.recording.loops import seam


class Seam(Well):
    """What is heard where the loop goes round: its end on the left, its beginning on the right."""

    def __init__(self, work: RecordingWork) -> None:
        super().__init__(work.session, "lichen", "layers")
        self.work = work
        work.changed.connect(self.update)
        self.setFixedHeight(56)
        self.setAccessibleName("The seam of the loop, as it will sound")
        self.setToolTip("The end of the loop on the left, faded into its beginning on the right")

    def key(self) -> object:
        return self.work.source

    def draw(self, painter: QPainter, box: QRectF) -> None:
        source, asset, sound = self.work.source, self.work.asset, self.work.sound
        painter.setFont(body_font(11))
        painter.setPen(colour("chalk_soft"))
        if sound is None or asset is None or not goes_round(source):
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "no loop yet: choose one below")
            return
        last = asset.frames - 1
        loop = source.number("loop_start") * last, source.number("loop_end") * last
        wide = int(min(max(0.008 * asset.rate, 64), max((loop[1] - loop[0]), 8)))
        fade = source.number("fade") * abs(loop[1] - loop[0])
        found = seam(sound, loop, fade, wide)
        top = max(float(np.abs(found).max()), 1e-6)
        x = np.linspace(0, 1, len(found))
        painter.setPen(QPen(self.line_colour(), 1.6))
        painter.drawPolyline(points(box, x, 0.5 + 0.46 * found / top))
        painter.setPen(QPen(colour("chalk"), 1))
        painter.drawLine(QLineF(box.center().x(), box.top(), box.center().x(), box.bottom()))
        painter.setFont(body_font(11))
        painter.setPen(colour("chalk_soft"))
        painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom, "the seam, as it will sound")


class Shape(QWidget):
    """A small picture of a sound that is not kept yet."""

    def __init__(self, shade: str, says: str) -> None:
        super().__init__()
        self.shade, self.says = shade, says
        self._peaks: NDArray[np.float32] | None = None
        self.setMinimumHeight(38)
        self.setAccessibleName(says)

    def show_sound(self, sound: NDArray[np.float32] | None, top: float = 0.0) -> None:
        """Another sound, float32 (channel, frame), as high as `top` where that is given."""
        self._peaks = None
        if sound is not None and sound.shape[1] > 1:
            mono = sound.mean(axis=0)
            edges = np.linspace(0, len(mono), min(300, len(mono)) + 1).astype(int)[:-1]
            peaks = np.stack([np.minimum.reduceat(mono, edges), np.maximum.reduceat(mono, edges)])
            self._peaks = np.asarray(peaks / max(top if top else float(np.abs(peaks).max()), 1e-6), np.float32)
        self.update()

    def paintEvent(self, event: object) -> None:
        from felt_dial.ui.pictures.sources import draw_peaks
        from felt_dial.ui.pictures.well import draw_ground

        painter = QPainter(self)
        box = QRectF(self.rect())
        draw_ground(painter, box)
        if self._peaks is not None:
            draw_peaks(painter, box.adjusted(4, 3, -4, -3), self._peaks, dye(self.shade, in_well=True))
        else:
            painter.setFont(body_font(11))
            painter.setPen(colour("chalk_soft"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self.says)
