"""The map of offshoots: a sound and what grew from it, near where they sound alike."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from felt_dial.bank.measuring.features import vector
from felt_dial.bank.variation.variations import Variation, layout
from felt_dial.patch.units import number
from felt_dial.ui.pictures.swatch import paint_swatch
from felt_dial.ui.pictures.well import draw_ground
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.felt import draw_focus
from felt_dial.ui.theme.fonts import body_font

HOVER = 160
"""Milliseconds that the pointer rests on a sound before it is heard."""
ONE_MORE = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
WORDS = ((0.12, "hardly any way"), (0.3, "a little way"), (0.55, "a fair way"), (0.85, "a long way"), (9.0, "far"))


def far_said(far: float) -> str:
    """How far, in words and in its figure."""
    return f"{next(words for end, words in WORDS if far < end)} off: {number(far, 2)}"


class Map(QWidget):
    """The parent in the middle and its offshoots around it, near where they sound alike; or all in rows, or in a line.

    A resting pointer plays, a click chooses, K keeps, Delete throws away; a drag from one to another asks for steps between.
    Ctrl and Shift choose one more, a drag over the ground all that it goes around. Nothing moves while some are thrown away
    or come back: each stands where it stood until `lay_out` is asked for, or others grow.
    """

    chosen = Signal(int)
    played = Signal(int)
    kept = Signal()
    thrown = Signal()
    between_asked = Signal(int, int)

    def __init__(self) -> None:
        super().__init__()
        self.sounds: list[Variation] = []
        self.parent_: Variation | None = None
        self.name = ""
        self.places: NDArray[np.float64] = np.zeros((0, 2))
        self.way = "map"
        self.now = -2
        """Which is chosen: −1 is the parent, −2 none."""
        self.also: set[int] = set()
        """All that are chosen, where those are several; the last of them is `now`."""
        self.kept_names: dict[int, str] = {}
        self.over = -2
        self._stood: dict[str, tuple[tuple[float, float], int]] = {}
        self._slots: list[int] = []
        self._most = 0
        self._band: tuple[QPointF, QPointF] | None = None
        self.hovers = True
        self._from: tuple[int, QPointF] | None = None
        self._to: QPointF | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(360, 240)
        self.setAccessibleName("Offshoots")
        self.setToolTip(
            "Rest on a sound to hear it, click chooses it, K keeps it, Delete throws it away; drag to another for steps.\n"
            "Ctrl and a click, or a drag over the ground, choose several"
        )
        self._rest = QTimer(self, singleShot=True, interval=HOVER)
        self._rest.timeout.connect(self._play_under)

    def show_sounds(self, parent: Variation | None, sounds: list[Variation], name: str) -> None:
        """Others grew, or some are gone or back."""
        self.parent_, self.sounds, self.name = parent, sounds, name
        self.also &= set(range(len(sounds)))
        known = [parent, *sounds] if parent is not None else list(sounds)
        if all(one.document in self._stood for one in known if one is not None):
            stood = [self._stood[one.document] for one in known if one is not None]
            self.places = np.array([place for place, _ in stood]).reshape(-1, 2)
            self._slots = [slot for _, slot in stood]
            self.update()
        else:
            self.lay_out()

    def lay_out(self) -> None:
        """Gives all of them places anew."""
        known = [one for one in (self.parent_, *self.sounds) if one is not None]
        self.places = layout(np.stack([vector(one.features) for one in known])) if known else np.zeros((0, 2))
        self._slots, self._most = list(range(len(known))), len(known)
        self._stood = {
            one.document: ((float(place[0]), float(place[1])), slot)
            for slot, (one, place) in enumerate(zip(known, self.places, strict=True))
        }
        self.update()

    @property
    def gaps(self) -> bool:
        """Whether some that stood here are gone: then laying out moves the others together."""
        return len(self._slots) < self._most

    def picked(self) -> list[int]:
        """Which are chosen, in their order; the parent never is one of several."""
        return sorted(self.also) if len(self.also) > 1 else [self.now] if self.now >= 0 else []

    def sizes(self) -> tuple[float, float]:
        """How large a picture is."""
        many = max(self._most, 1)
        wide = min(max(math.sqrt(self.width() * self.height() / (many * 4.2)), 44.0), 92.0)
        return wide, wide * 0.54

    def boxes(self) -> dict[int, QRectF]:
        """Where each stands; the parent is −1."""
        wide, tall = self.sizes()
        found: dict[int, QRectF] = {}
        if self.way == "map":
            for n in range(-1 if self.parent_ is not None else 0, len(self.sounds)):
                at = n + 1 if self.parent_ is not None else n
                if at >= len(self.places):
                    continue
                x = self.width() / 2 + self.places[at][0] * (self.width() / 2 - wide * 0.65)
                y = self.height() / 2 + self.places[at][1] * (self.height() / 2 - tall * 0.9)
                size = 1.22 if n == -1 else 1.0
                found[n] = QRectF(x - wide * size / 2, y - tall * size / 2, wide * size, tall * size)
            return found
        first = 0 if self.parent_ is None else -1
        columns = max(int((self.width() - 16) // (wide + 14)), 1)
        rows = math.ceil(self._most / columns) if self._most else 1
        step_y = min(tall + 26, (self.height() - 16) / max(rows, 1))
        for n, k in enumerate(self._slots, first):
            found[n] = QRectF(
                12 + (k % columns) * (wide + 14), 14 + (k // columns) * step_y, wide, min(tall, step_y - 14)
            )
        return found

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_ground(painter, QRectF(self.rect()))
        if self.way == "map":
            painter.setPen(QPen(colour("chalk_soft").darker(210), 1))
            for part in (0.36, 0.7, 0.98):
                painter.drawEllipse(
                    QPointF(self.width() / 2, self.height() / 2), self.width() / 2 * part, self.height() / 2 * part
                )
        if not self.sounds and self.parent_ is None:
            painter.setFont(body_font(13))
            painter.setPen(colour("chalk_soft"))
            says = "Choose how far and what may change, and press Grow:\nvariations of the sound come to stand here"
            painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, says)
        painter.setFont(body_font(11))
        for n, box in self.boxes().items():
            one = self.parent_ if n == -1 else self.sounds[n]
            if one is None:
                continue
            kept = n in self.kept_names
            shade = "weld" if kept else "mallow" if n >= 0 else "woad"
            painter.setOpacity(1.0 if n in (self.now, self.over, -1) or kept else 0.78)
            paint_swatch(painter, box, one.swatch, shade, "")
            painter.setOpacity(1.0)
            lit = n in (self.now, -1) or n in self.also
            pen = QPen(
                colour("chalk") if lit else dye("weld", True) if kept else colour("chalk_soft").darker(150),
                1.8 if lit or kept else 1,
            )
            if n == self.over and not lit:
                pen = QPen(colour("chalk"), 1.2)
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box, 4, 4)
            words = self.name if n == -1 else self.kept_names.get(n, "")
            if words:
                painter.setPen(colour("chalk") if n == -1 else dye("weld", True))
                room = QRectF(box.center().x() - 70, box.bottom() + 1, 140, 15)
                painter.drawText(
                    room,
                    Qt.AlignmentFlag.AlignCenter,
                    painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, 140),
                )
        if self._from is not None and self._to is not None:
            pen = QPen(colour("chalk"), 1.4)
            pen.setDashPattern([4, 3])
            painter.setPen(pen)
            painter.drawLine(self.boxes()[self._from[0]].center(), self._to)
        if self._band is not None:
            pen = QPen(colour("chalk"), 1.2)
            pen.setDashPattern([4, 3])
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(*self._band).normalized())
        if self.hasFocus():
            draw_focus(painter, QRectF(self.rect()).adjusted(2, 2, -2, -2), 4, in_well=True)

    def at(self, place: QPointF) -> int:
        """Which stands at a place; −2 for none."""
        found = [n for n, box in self.boxes().items() if box.contains(place)]
        return found[-1] if found else -2

    def choose(self, n: int) -> None:
        """Another is chosen, and no other, and heard."""
        self.now = n
        self.also = {n} if n >= 0 else set()
        self.update()
        self.chosen.emit(n)

    def _play_under(self) -> None:
        if self.hovers and self.over > -2:
            self.played.emit(self.over)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        over = self.at(event.position())
        if self._band is not None:
            self._band = self._band[0], event.position()
            around = QRectF(*self._band).normalized()
            self.also = {n for n, box in self.boxes().items() if n >= 0 and around.intersects(box)}
            self.now = max(self.also, default=-2)
            self.update()
            return
        if self._from is not None:
            self._to = event.position()
            self.update()
        if over != self.over:
            self.over = over
            self._rest.start()
            self.update()

    def leaveEvent(self, event: object) -> None:
        self.over = -2
        self._rest.stop()
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        n = self.at(event.position())
        if n > -2:
            self._from = n, event.position()
        elif event.button() == Qt.MouseButton.LeftButton:
            self._band = event.position(), event.position()
            self.now, self.also = -2, set()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        begin, self._from, self._to = self._from, None, None
        if self._band is not None:
            self._band = None
            self.chosen.emit(self.now)
            self.update()
            return
        n = self.at(event.position())
        if begin is None:
            return
        if n > -2 and n != begin[0]:
            self.between_asked.emit(begin[0], n)
        elif n == begin[0] and n >= 0 and event.modifiers() & ONE_MORE:
            self.also ^= {n}
            self.now = n if n in self.also else max(self.also, default=-2)
            self.chosen.emit(self.now)
        elif n == begin[0]:
            self.choose(n)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, boxes = event.key(), self.boxes()
        ways = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        if key == Qt.Key.Key_A and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.also = set(range(len(self.sounds)))
            self.chosen.emit(self.now)
            self.update()
        elif key in ways and boxes:
            self.choose(self._beside(ways[Qt.Key(key)], boxes))
        elif key == Qt.Key.Key_K and not event.modifiers():
            self.kept.emit()
        elif key == Qt.Key.Key_Delete:
            self.thrown.emit()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.now > -2:
            self.played.emit(self.now)
        else:
            super().keyPressEvent(event)

    def _beside(self, way: tuple[int, int], boxes: dict[int, QRectF]) -> int:
        """The nearest in a direction."""
        if self.now not in boxes:
            return next(iter(boxes))
        here = boxes[self.now].center()

        def cost(n: int) -> float:
            apart = boxes[n].center() - here
            along = apart.x() * way[0] + apart.y() * way[1]
            across = abs(apart.x() * way[1]) + abs(apart.y() * way[0])
            return along + 2.2 * across if along > 2 else 1e9

        best = min((n for n in boxes if n != self.now), key=cost, default=self.now)
        return best if cost(best) < 1e9 else self.now
