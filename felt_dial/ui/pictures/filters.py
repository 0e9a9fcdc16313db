"""The filter's curve, drawn from the same formula that the checks use, and edited where it is shown."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen

from felt_dial.patch.params import Param
from felt_dial.patch.patch import with_value
from felt_dial.sound.tone.state_variable import gain_at
from felt_dial.ui.cloth import colour, reading
from felt_dial.ui.pictures.well import Well, draw_curve
from felt_dial.ui.session import Session

LOW, HIGH = 20.0, 20000.0
TOP, BOTTOM = 30.0, -48.0


def across(frequency: float) -> float:
    """Place of a frequency on the log axis, 0 to 1."""
    return float(np.log(frequency / LOW) / np.log(HIGH / LOW))


class FilterCurve(Well):
    """Gain over frequency, with the cutoff of this moment in chalk.

    With `large` it has a grid and is edited: drag sideways for the cutoff, up and down for the resonance.
    """

    def __init__(self, session: Session, layer: str, shade: str, large: bool = False) -> None:
        super().__init__(session, shade)
        self.layer, self.large = layer, large
        self.setToolTip("Drag sideways for the cutoff, up and down for the resonance" if large else "")
        self.setAccessibleName(f"Filter of layer {layer.upper()}")
        if large:
            self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._drag: tuple[QPointF, float, float] | None = None

    def key(self) -> object:
        return self.session.patch.layers[self.layer].filter

    def live(self) -> object:
        path = f"layers.{self.layer}.filter."
        now = self.session.link.bead(path + "cutoff"), self.session.link.bead(path + "resonance")
        if now[0] is None or now[1] is None:
            return None
        return round(now[0], 1), round(now[1], 3)

    def _curve(self, cutoff: float, resonance: float) -> tuple[np.ndarray, np.ndarray]:
        filter_ = self.session.patch.layers[self.layer].filter
        f = np.geomspace(LOW, HIGH, 160)
        response = str(filter_.get("response"))
        gain = gain_at(response, cutoff, resonance, f, float(self.session.link.rate))
        decibels = 20 * np.log10(np.maximum(gain, 1e-6))
        return np.linspace(0, 1, 160), np.clip((decibels - BOTTOM) / (TOP - BOTTOM), 0, 1)

    def draw(self, painter: QPainter, box: QRectF) -> None:
        filter_ = self.session.patch.layers[self.layer].filter
        if self.large:
            painter.setFont(reading(11))
            for f, name in ((100, "100"), (1000, "1 k"), (10000, "10 k")):
                line = box.left() + across(f) * box.width()
                painter.setPen(QPen(colour("chalk_soft").darker(200), 1))
                painter.drawLine(QPointF(line, box.top()), QPointF(line, box.bottom()))
                painter.setPen(colour("chalk_soft"))
                painter.drawText(QPointF(line + 3, box.bottom() - 2), name)
            for level in (-24, 0, 24):
                height = box.bottom() - (level - BOTTOM) / (TOP - BOTTOM) * box.height()
                painter.setPen(QPen(colour("chalk_soft").darker(200), 1))
                painter.drawLine(QPointF(box.left(), height), QPointF(box.right(), height))
                painter.setPen(colour("chalk_soft"))
                painter.drawText(
                    QPointF(box.left() + 2, height - 3), f"{level:+d} dB".replace("-", "−").replace("+0", "0")
                )
        on = bool(filter_.get("on"))
        shade = self.line_colour() if on else colour("chalk_soft")
        x, y = self._curve(filter_.number("cutoff"), filter_.number("resonance"))
        draw_curve(painter, box, x, y, shade, floor=0.0 if on else None)
        if not on:
            painter.setPen(colour("chalk"))
            painter.setFont(reading(11))
            painter.drawText(box, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, "filter off")

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        filter_ = self.session.patch.layers[self.layer].filter
        live = self._live if filter_.get("on") else None
        if isinstance(live, tuple) and abs(live[0] / filter_.number("cutoff") - 1) > 0.01:
            draw_curve(painter, box, *self._curve(live[0], live[1]), colour("chalk"), floor=None, width=1.1)
        if self.large and filter_.get("on"):
            x = box.left() + across(filter_.number("cutoff")) * box.width()
            painter.setPen(QPen(colour("well"), 1.5))
            painter.setBrush(self.line_colour())
            y = box.bottom() - (self._peak() - BOTTOM) / (TOP - BOTTOM) * box.height()
            painter.drawEllipse(QPointF(x, y), 5, 5)

    def _peak(self) -> float:
        filter_ = self.session.patch.layers[self.layer].filter
        cutoff = filter_.number("cutoff")
        gain = gain_at(
            str(filter_.get("response")), cutoff, filter_.number("resonance"), [cutoff], self.session.link.rate
        )
        return float(np.clip(20 * np.log10(max(gain[0], 1e-6)), BOTTOM, TOP))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if not self.large:
            event.ignore()
            return
        filter_ = self.session.patch.layers[self.layer].filter
        cutoff = filter_.params["cutoff"]
        assert isinstance(cutoff, Param)
        self.session.history.settle()
        if not filter_.get("on"):
            self.session.set(f"layers.{self.layer}.filter.on", True)
        place = cutoff.position(filter_.get("cutoff"))
        self._drag = (event.position(), place, filter_.number("resonance"))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            return
        start, place, resonance = self._drag
        way = event.position() - start
        self._set(place + way.x() / self.box().width(), resonance - way.y() / self.box().height())

    def _set(self, place: float, resonance: float) -> None:
        path = f"layers.{self.layer}.filter."
        cutoff = self.session.patch.layers[self.layer].filter.params["cutoff"]
        assert isinstance(cutoff, Param)
        patch = with_value(self.session.patch, path + "cutoff", cutoff.at(place))
        patch = with_value(patch, path + "resonance", min(max(resonance, 0.0), 1.0))
        self.session.edit(patch, f"filter of {self.layer.upper()}", path + "drag")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drag = None
        self.session.history.settle()
        if not self.large:
            event.ignore()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        filter_ = self.session.patch.layers[self.layer].filter
        step = 0.002 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.01
        moves = {
            Qt.Key.Key_Left: (-step, 0), Qt.Key.Key_Right: (step, 0), Qt.Key.Key_Up: (0, step), Qt.Key.Key_Down: (0, -step),
        }  # fmt: skip
        if event.key() in moves:
            dx, dy = moves[Qt.Key(event.key())]
            place = filter_.params["cutoff"].position(filter_.get("cutoff"))  # type: ignore[attr-defined]
            self._set(place + dx, filter_.number("resonance") + dy)
        else:
            super().keyPressEvent(event)
