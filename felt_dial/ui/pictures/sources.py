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
        now = self.session.link.bead(f"layers.{self.layer}.source.width")
        return None if now is None else round(now, 3)

    def _wave(self, width: float) -> tuple[np.ndarray, np.ndarray]:
        source = self.session.patch.layers[self.layer].source
        one = cycle_picture(str(source.get("shape")), width, 161)
        x = np.linspace(0, 1, 321)
        one = one / max(1.0, float(np.abs(one).max()))
        return x, 0.5 + 0.42 * np.concatenate([one, one[1:]])

    def draw(self, painter: QPainter, box: QRectF) -> None:
        painter.setPen(QPen(colour("chalk_soft").darker(190), 1))
        painter.drawLine(box.left(), box.center().y(), box.right(), box.center().y())  # type: ignore[call-overload]
        width = self.session.patch.layers[self.layer].source.number("width")
        draw_curve(painter, box, *self._wave(width), self.line_colour(), floor=0.5)

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        source = self.session.patch.layers[self.layer].source
        now = self.session.link.bead(f"layers.{self.layer}.source.width")
        if source.get("shape") == "pulse" and now is not None and abs(now - source.number("width")) > 0.004:
            draw_curve(painter, box, *self._wave(now), colour("chalk"), floor=None, width=1.1)
