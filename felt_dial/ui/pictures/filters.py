"""The filter's curve, drawn from the same formula that the checks use, and edited where it is shown."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen

from felt_dial.patch.module import Tuned
from felt_dial.patch.params import Param
from felt_dial.patch.patch import owner
from felt_dial.session.session import Session
from felt_dial.sound import spectra
from felt_dial.sound.tone.core.cutoff import hertz
from felt_dial.ui.pictures.well import BELOW, Well, draw_curve, draw_frequencies, draws
from felt_dial.ui.theme.colours import colour
from felt_dial.ui.theme.fonts import body_font

TOP, BOTTOM = 30.0, -48.0
POINTS = 320


@draws("filter")
class FilterCurve(Well):
    """Gain over frequency of the filter of a layer or a bus, with that of this moment in chalk.

    `path` is that of the filter. With `large` it has a grid and is edited: drag sideways for the cutoff, its distance
    from the key or the vowel, up and down for the resonance.
    """

    def __init__(self, session: Session, path: str, shade: str, large: bool = False) -> None:
        super().__init__(session, shade, path, "tempo")
        self.large, self.below = large, BELOW if large else 0
        self.setToolTip("Drag sideways for the cutoff, up and down for the resonance" if large else "")
        self.setAccessibleName(f"Filter of {self.place}")
        if large:
            self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._drag: tuple[QPointF, float, float] | None = None

    def turn_to(self, path: str, shade: str) -> None:
        super().turn_to(path, shade)
        self.setAccessibleName(f"Filter of {self.place}")

    @property
    def place(self) -> str:
        """What the filter belongs to, as people say it."""
        family, key = self.path.split(".")[:2]
        return {"layers": f"layer {key.upper()}", "buses": f"bus {key}", "racks": f"rack {key}"}[family]

    @property
    def filter(self) -> Any:
        """The filter as it is set."""
        return owner(self.session.patch, f"{self.path}.on")[0]

    def sideways(self) -> str:
        """The parameter that a drag sideways moves."""
        filter_ = self.filter
        if not isinstance(filter_, Tuned):
            return "vowel"
        return "distance" if filter_.get("counted") == "key" else "cutoff"

    def key(self) -> object:
        return self.filter

    def _moved(self) -> dict[str, float]:
        """The values of this moment of everything that shapes the curve."""
        found = {}
        for name, param in self.filter.params.items():
            if isinstance(param, Param) and param.movable and name not in ("wet", "drive"):
                now = self.session.link.bead(f"{self.path}.{name}")
                if now is not None:
                    found[name] = round(now, 4)
        return found

    def live(self) -> object:
        return tuple(self._moved().items()) if self.filter.get("on") else None

    def _curve(self, now: dict[str, float] | None = None) -> tuple[np.ndarray, np.ndarray]:
        f = np.geomspace(spectra.LOWEST, spectra.HIGHEST, POINTS)
        gain = self.filter.gain(f, float(self.session.link.rate), now)
        decibels = 20 * np.log10(np.maximum(gain, 1e-6))
        return np.linspace(0, 1, POINTS), np.clip((decibels - BOTTOM) / (TOP - BOTTOM), 0, 1)

    def draw(self, painter: QPainter, box: QRectF) -> None:
        filter_ = self.filter
        if self.large:
            draw_frequencies(painter, box)
            for level in (-24, 0, 24):
                height = box.bottom() - (level - BOTTOM) / (TOP - BOTTOM) * box.height()
                painter.setPen(QPen(colour("chalk_soft").darker(200), 1))
                painter.drawLine(QPointF(box.left(), height), QPointF(box.right(), height))
                painter.setPen(colour("chalk_soft"))
                painter.drawText(
                    QPointF(box.left() + 2, height - 3), f"{level:+d} dB".replace("-", "−").replace("+0", "0")
                )
            if self.sideways() == "distance":
                painter.drawText(box, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignRight, "as on C4")
        on = bool(filter_.get("on"))
        shade = self.line_colour() if on else colour("chalk_soft")
        draw_curve(painter, box, *self._curve(), shade, floor=0.0 if on else None)
        if not on:
            painter.setPen(colour("chalk"))
            painter.setFont(body_font(11))
            painter.drawText(box, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, "filter off")

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        filter_ = self.filter
        if not filter_.get("on"):
            return
        moved = dict(self.seen_now) if isinstance(self.seen_now, tuple) else {}
        if any(
            abs(now - filter_.number(name)) > 0.01 * max(abs(filter_.number(name)), 0.2) for name, now in moved.items()
        ):
            draw_curve(painter, box, *self._curve(moved), colour("chalk"), floor=None, width=1.1)
        if self.large and isinstance(filter_, Tuned):
            x, y = self._handle(box)
            painter.setPen(QPen(colour("well"), 1.5))
            painter.setBrush(self.line_colour())
            painter.drawEllipse(QPointF(x, y), 5, 5)

    def _handle(self, box: QRectF) -> tuple[float, float]:
        filter_ = self.filter
        at = min(max(hertz(filter_), spectra.LOWEST), spectra.HIGHEST)
        gain = filter_.gain([at], float(self.session.link.rate))
        level = float(np.clip(20 * np.log10(max(gain[0], 1e-6)), BOTTOM, TOP))
        return box.left() + spectra.across(at) * box.width(), box.bottom() - (level - BOTTOM) / (
            TOP - BOTTOM
        ) * box.height()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if not self.large:
            event.ignore()
            return
        self.session.editor.history.settle()
        if not self.filter.get("on"):
            self.session.editor.set(f"{self.path}.on", True)
        self._drag = (event.position(), self._place(), self.filter.number("resonance"))

    def _place(self) -> float:
        filter_, name = self.filter, self.sideways()
        return float(filter_.params[name].position(filter_.get(name)))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            return
        start, place, resonance = self._drag
        way = event.position() - start
        self._set(place + way.x() / self.box().width(), resonance - way.y() / self.box().height())

    def _set(self, place: float, resonance: float) -> None:
        name = self.sideways()
        values = {
            f"{self.path}.{name}": self.filter.params[name].at(place),
            f"{self.path}.resonance": min(max(resonance, 0.0), 1.0),
        }
        self.session.editor.set_all(values, f"filter of {self.place}", self.path + ".drag")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drag = None
        self.session.editor.history.settle()
        if not self.large:
            event.ignore()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = 0.002 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.01
        moves = {
            Qt.Key.Key_Left: (-step, 0),
            Qt.Key.Key_Right: (step, 0),
            Qt.Key.Key_Up: (0, step),
            Qt.Key.Key_Down: (0, -step),
        }
        if event.key() in moves:
            dx, dy = moves[Qt.Key(event.key())]
            self._set(self._place() + dx, self.filter.number("resonance") + dy)
        else:
            super().keyPressEvent(event)
