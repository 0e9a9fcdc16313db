"""Pictures of the sample bench: the wave, and what it shares with the spectrum, with which it scrolls and zooms."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF, QWheelEvent

from felt_dial.patch.units import number
from felt_dial.ui.benches.recording import RecordingWork, Region, goes_round
from felt_dial.ui.pictures.well import Well, points
from felt_dial.ui.theme.colours import colour, dye, layer_dye
from felt_dial.ui.theme.fonts import body_font
from felt_dial.workshop.recording.steps import fade_curve

NEAR = 6.0
"""Pixels around an edge within which it is taken hold of."""
STEPS = (0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 60.0, 120.0)


class Timed(Well):
    """A picture of the recording over time, in the part of it that is seen."""

    def __init__(self, work: RecordingWork) -> None:
        super().__init__(work.session, "madder", "layers")
        self.work = work
        work.changed.connect(self.update)
        work.viewed.connect(self.update)
        work.found.connect(self.update)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def key(self) -> object:
        work = self.work
        self.shade = layer_dye(work.layer) if work.layer else "madder"
        return (work.layer, work.source, work.view, work.region, work.shapes, work.slices, work.root, work.cursor)

    def box(self) -> QRectF:
        return QRectF(self.rect()).adjusted(0, 4, 0, -4)

    def x_of(self, second: float) -> float:
        """Where a second is across."""
        first, last = self.work.view
        return self.box().left() + (second * self.work.rate - first) / max(last - first, 1e-9) * self.box().width()

    def second_at(self, x: float) -> float:
        """The second at a place across."""
        first, last = self.work.view
        frame = first + (x - self.box().left()) / max(self.box().width(), 1.0) * (last - first)
        frames = self.work.asset.frames if self.work.asset is not None else 1
        return min(max(frame, 0.0), float(frames)) / self.work.rate

    def wheelEvent(self, event: QWheelEvent) -> None:
        turned = event.angleDelta()
        first, last = self.work.view
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier or abs(turned.x()) > abs(turned.y()):
            step = -(turned.x() or turned.y()) / 120 * 0.12 * (last - first)
            self.work.see(first + step, last + step)
        else:
            at = (event.position().x() - self.box().left()) / max(self.box().width(), 1.0)
            self.work.zoom(0.8 ** (turned.y() / 120), at)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, (first, last) = event.key(), self.work.view
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = (1 if key == Qt.Key.Key_Right else -1) * 0.1 * (last - first)
            self.work.see(first + step, last + step)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.work.zoom(0.7 if key == Qt.Key.Key_Up else 1 / 0.7)
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self.work.see(0.0, 1e12)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            region = self.work.region
            self.work.play(region.first if region else 0.0, region.last if region else 0.0)
        else:
            super().keyPressEvent(event)

    def live(self) -> object:
        work = self.work
        if not work.layer:
            return None
        place = self.session.link.place(list(self.session.patch.layers).index(work.layer))
        return None if place is None else round(place, 4)

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        place, asset = Timed.live(self), self.work.asset
        if isinstance(place, float) and asset is not None:
            x = self.x_of(place * asset.seconds)
            painter.setPen(QPen(colour("chalk"), 1.2))
            painter.drawLine(QLineF(x, box.top(), x, box.bottom()))

    def draw_nothing(self, painter: QPainter, box: QRectF, text: str) -> None:
        """A sentence where there is nothing to be seen."""
        painter.setFont(body_font(12))
        painter.setPen(colour("chalk_soft"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


class Wave(Timed):
    """The wave, channel under channel. A click plays from there, a drag chooses a region, the wheel zooms.

    The region's edges, the loop's and the slices' are dragged; a double click chooses all, or a slice.
    """

    def __init__(self, work: RecordingWork) -> None:
        super().__init__(work)
        self.setMinimumHeight(90)
        self.setAccessibleName("The recording")
        self.setToolTip(
            "Click plays from there, drag chooses, the wheel zooms, with Shift it scrolls; edges of region and loop are dragged"
        )
        self.fade: float | None = None
        """Bend of the fade that is being thought of, drawn over what is chosen."""
        self._held = ""
        self._from = 0.0
        self._pressed = QPointF()
        self._draft: tuple[str, float] | None = None

    def show_fade(self, bend: float | None) -> None:
        """A fade is thought of, or no more."""
        self.fade = bend
        self.update()

    def key(self) -> object:
        return super().key(), self._draft, self.fade, id(self.work.peaks), id(self.work.first_look), self.work.reading

    def draw(self, painter: QPainter, box: QRectF) -> None:
        work = self.work
        peaks = work.peaks or work.first_look
        if peaks is None:
            if work.reading:
                self.draw_nothing(painter, box, "is read …")
                return
            missing = work.asset is not None
            says = (
                f"{work.asset.about()} is missing"
                if missing and work.asset is not None
                else (
                    "No layer of this patch plays a recording: drop one here, or record one on the right"
                    if not work.layer
                    else "This layer plays no recording yet: drop one here, or take one from the drawer"
                )
            )
            self.draw_nothing(painter, box, says)
            return
        first, last = work.view
        thin = last - first < 3 * max(int(box.width()), 8)
        sharp = 1.0 if thin else self.devicePixelRatioF()
        columns = max(int(box.width() * sharp), 8)
        found = peaks.columns(first, last, columns)
        channels = len(found)
        tall = (box.height() - 12) / channels
        top = peaks.top
        if work.region is not None:
            lit = QColor(colour("chalk"))
            lit.setAlphaF(0.16)
            a, b = self.x_of(work.region.first), self.x_of(work.region.last)
            painter.fillRect(QRectF(a, box.top(), b - a, box.height() - 12), lit)
        x = np.linspace(0.0, 1.0, columns)
        for n, (low, high) in enumerate(found):
            room = QRectF(box.left(), box.top() + n * tall, box.width(), tall)
            painter.setPen(QPen(colour("chalk_soft").darker(190), 1))
            painter.drawLine(QLineF(room.left(), room.center().y(), room.right(), room.center().y()))
            if thin:
                painter.setPen(QPen(self.line_colour(), 1.4))
                painter.drawPolyline(points(room, x, 0.5 + 0.46 * (low + high) / 2 / top))
            else:
                painter.drawImage(
                    room, filled(0.92 * low / top, 0.92 * high / top, int(tall * sharp), self.line_colour())
                )
        self._ruler(painter, box)
        self._marks(painter, box)
        if work.reading:
            text = "a first look: it is being read"
            card = QRectF(box.right() - painter.fontMetrics().horizontalAdvance(text) - 12, box.top(), 0, 17)
            card.setRight(box.right())
            painter.fillRect(card, colour("well"))
            painter.setPen(colour("chalk"))
            painter.drawText(card, Qt.AlignmentFlag.AlignCenter, text)

    def _ruler(self, painter: QPainter, box: QRectF) -> None:
        first, last = (frame / self.work.rate for frame in self.work.view)
        step = next((s for s in STEPS if (last - first) / s < 9), STEPS[-1])
        digits = 3 if step < 0.01 else 2 if step < 0.1 else 1 if step < 1 else 0
        painter.setFont(body_font(11))
        at = np.ceil(first / step) * step
        while at <= last:
            x = self.x_of(float(at))
            painter.setPen(QPen(colour("chalk_soft").darker(170), 1))
            painter.drawLine(QLineF(x, box.bottom() - 14, x, box.bottom() - 10))
            painter.setPen(colour("chalk_soft"))
            text = f"{number(float(at), digits)} s" if at else "0"
            wide = painter.fontMetrics().horizontalAdvance(text)
            painter.drawText(
                QPointF(min(max(x - wide / 2, box.left() + 3), box.right() - wide - 3), box.bottom()), text
            )
            at += step

    def loop(self) -> tuple[float, float] | None:
        """The loop of the source in seconds; None where it has none."""
        source, asset = self.work.source, self.work.asset
        if asset is None or not goes_round(source):
            return None
        return source.number("loop_start") * asset.seconds, source.number("loop_end") * asset.seconds

    def _marks(self, painter: QPainter, box: QRectF) -> None:
        work = self.work
        loop = self.loop()
        if loop is not None:
            if self._draft is not None:
                loop = (self._draft[1], loop[1]) if self._draft[0] == "loop_start" else (loop[0], self._draft[1])
            shade = dye("lichen", in_well=True)
            fill = QColor(shade)
            fill.setAlphaF(0.16)
            a, b = self.x_of(loop[0]), self.x_of(loop[1])
            painter.fillRect(QRectF(a, box.top(), b - a, box.height() - 12), fill)
            pen = QPen(shade, 1.4)
            pen.setDashPattern([4, 3])
            painter.setPen(pen)
            for x in (a, b):
                painter.drawLine(QLineF(x, box.top(), x, box.bottom() - 12))
            if b - a > 60:
                painter.setFont(body_font(11))
                painter.drawText(QPointF(a + 5, box.top() + 12), "loop")
        pen = QPen(dye("weld", in_well=True), 1.3)
        painter.setPen(pen)
        for n, frame in enumerate(work.slices):
            x = self.x_of(frame / work.rate)
            painter.drawLine(QLineF(x, box.top(), x, box.bottom() - 12))
            painter.setFont(body_font(11))
            painter.drawText(QPointF(x + 3, box.bottom() - 16), str(n + 1))
        painter.setPen(QPen(colour("chalk"), 1.3))
        if work.region is not None:
            for second in (work.region.first, work.region.last):
                painter.drawLine(QLineF(self.x_of(second), box.top(), self.x_of(second), box.bottom() - 12))
        self._fade(painter, box)
        painter.setBrush(colour("chalk"))
        painter.setPen(Qt.PenStyle.NoPen)
        x = self.x_of(work.cursor)
        painter.drawPolygon(
            QPolygonF([QPointF(x - 4, box.top() - 2), QPointF(x + 4, box.top() - 2), QPointF(x, box.top() + 5)])
        )

    def _fade(self, painter: QPainter, box: QRectF) -> None:
        """Both ways of the fade that is being thought of, over what is chosen or all of it."""
        work, asset = self.work, self.work.asset
        if self.fade is None or asset is None:
            return
        first, last = (work.region.first, work.region.last) if work.region is not None else (0.0, asset.seconds)
        room = QRectF(self.x_of(first), box.top() + 4, self.x_of(last) - self.x_of(first), box.height() - 22)
        part = np.linspace(0.0, 1.0, 96)
        height = fade_curve(part, self.fade)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for way, line in (("in", height), ("out", height[::-1])):
            pen = QPen(colour("chalk"), 1.6)
            if way == "out":
                pen.setDashPattern([4, 3])
            painter.setPen(pen)
            painter.drawPolyline(points(room, part, line))

    # --- the hand ------------------------------------------------------------------------------

    def _near(self, x: float) -> str:
        """What can be taken hold of at a place across."""
        work, found = self.work, ""
        places: dict[str, float] = {}
        if work.region is not None:
            places |= {"first": work.region.first, "last": work.region.last}
        if (loop := self.loop()) is not None:
            places |= {"loop_start": loop[0], "loop_end": loop[1]}
        places |= {f"slice {n}": frame / work.rate for n, frame in enumerate(work.slices)}
        nearest = NEAR
        for name, second in places.items():
            if abs(self.x_of(second) - x) <= nearest:
                found, nearest = name, abs(self.x_of(second) - x)
        return found

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.work.asset is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self._pressed = event.position()
        self._held = self._near(event.position().x()) or "new"
        self._from = self.second_at(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        work, x = self.work, event.position().x()
        if not self._held:
            self.setCursor(Qt.CursorShape.SizeHorCursor if self._near(x) else Qt.CursorShape.ArrowCursor)
            return
        if abs(x - self._pressed.x()) < 3 and self._held == "new":
            return
        at = self.second_at(x)
        if self._held == "new":
            work.choose(Region(*sorted((self._from, at))))
        elif self._held in ("first", "last") and work.region is not None:
            other = work.region.last if self._held == "first" else work.region.first
            work.choose(Region(*sorted((at, other))))
            self._held = "first" if work.region.first == at else "last"
        elif self._held.startswith("slice"):
            n = int(self._held.split()[1])
            frames = list(work.slices)
            low = frames[n - 1] + 1 if n else 0
            high = frames[n + 1] - 1 if n + 1 < len(frames) else (work.asset.frames - 1 if work.asset else 1)
            frames[n] = min(max(round(at * work.rate), low), high)
            work.slices = tuple(frames)
            self.update()
        else:
            self._draft = self._held, at
            self._set_loop(at)

    def _set_loop(self, at: float, last: bool = False) -> None:
        work = self.work
        if work.asset is None:
            return
        path = f"layers.{work.layer}.source.{self._held}"
        self.session.editor.set(path, min(max(at / work.asset.seconds, 0.0), 1.0), dragging=True)
        if last:
            self.session.editor.history.settle()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        work, held, self._held = self.work, self._held, ""
        if not held:
            return
        at = self.second_at(event.position().x())
        moved = (event.position() - self._pressed).manhattanLength() >= 3
        if held == "new" and not moved:
            work.choose(None)
            work.cursor = at
            work.play(at)
            self.update()
        elif held in ("new", "first", "last") and work.region is not None:
            region = Region(work.snapped(work.region.first), work.snapped(work.region.last))
            work.choose(region if region.last - region.first > 2 / work.rate else None)
        elif held.startswith("loop"):
            self._held, self._draft = held, None
            self._set_loop(work.snapped(at), last=True)
            self._held = ""

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        work = self.work
        if work.asset is None:
            return
        at = self.second_at(event.position().x()) * work.rate
        if work.slices:
            edges = [*work.slices, work.asset.frames]
            for a, b in pairwise(edges):
                if a <= at < b:
                    work.choose(Region(a / work.rate, b / work.rate))
        else:
            work.choose(Region(0.0, work.asset.seconds))


def filled(low: NDArray[np.float32], high: NDArray[np.float32], rows: int, shade: QColor) -> QImage:
    """What lies between two curves from −1 to 1, column by column, at least a pixel of it, on no ground."""
    upper = (0.5 - 0.5 * high) * rows
    lower = np.maximum((0.5 - 0.5 * low) * rows, upper + 1.0)
    row = np.arange(rows, dtype=np.float32)[:, None]
    covered = np.clip(np.minimum(lower, row + 1.0) - np.maximum(upper, row), 0.0, 1.0)
    alpha = (covered * 255.0).astype(np.uint32)
    pixels = alpha << 24
    for place, part in ((16, shade.red()), (8, shade.green()), (0, shade.blue())):
        pixels |= (alpha * part // 255) << place
    made = QImage(pixels.data, pixels.shape[1], rows, QImage.Format.Format_ARGB32_Premultiplied)
    return QImage(made).copy()
