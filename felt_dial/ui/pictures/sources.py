"""Pictures of sources: what a layer starts from."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter, QPen

from felt_dial.sound.sources.bandlimited import cycle_picture
from felt_dial.ui.cloth import colour
from felt_dial.ui.pictures.well import Well, draw_curve
from felt_dial.ui.session import Session


class WavePicture(Well):
    """Two cycles of the wave."""

    def __init__(self, session: Session, layer: str, shade: str) -> None:
        super().__init__(session, shade)
        self.layer = layer

    def key(self) -> object:
        return self.session.patch.layers[self.layer].source

    def live(self) -> object:
        found = [self.session.link.bead(f"layers.{self.layer}.source.{name}") for name in ("shape", "width", "sync")]
        return None if None in found else tuple(round(now, 3) for now in found if now is not None)

    def _wave(self, shape: float, width: float, sync: float) -> tuple[np.ndarray, np.ndarray]:
        one = cycle_picture(shape, width, 161, sync)
        x = np.linspace(0, 1, 321)
        one = one / max(1.0, float(np.abs(one).max()))
        return x, 0.5 + 0.42 * np.concatenate([one, one[1:]])

    def _still(self) -> tuple[float, float, float]:
        source = self.session.patch.layers[self.layer].source
        return source.number("shape"), source.number("width"), source.number("sync")

    def draw(self, painter: QPainter, box: QRectF) -> None:
        painter.setPen(QPen(colour("chalk_soft").darker(190), 1))
        painter.drawLine(box.left(), box.center().y(), box.right(), box.center().y())  # type: ignore[call-overload]
        draw_curve(painter, box, *self._wave(*self._still()), self.line_colour(), floor=0.5)

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        now = self.live()
        if isinstance(now, tuple) and max(abs(a - b) for a, b in zip(now, self._still(), strict=True)) > 0.004:
            draw_curve(painter, box, *self._wave(*now), colour("chalk"), floor=None, width=1.1)
