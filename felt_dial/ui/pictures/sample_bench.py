"""Pictures of the sample bench: the wave and the spectrum, which scroll and zoom together, the seam of a loop, parts."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QWidget

from felt_dial.patch.units import number
from felt_dial.ui.benches.recording import RecordingWork, Region, goes_round
from felt_dial.ui.jobs import Latest
from felt_dial.ui.pictures.well import Well, points
from felt_dial.ui.theme.colours import colour, dye, layer_dye
from felt_dial.ui.theme.fonts import body_font
from felt_dial.workshop.recording.loops import seam
from felt_dial.workshop.recording.spectrogram import hertz_of, row_of, spectrogram
from felt_dial.workshop.recording.steps import fade_curve

NEAR = 6.0
"""Pixels around an edge within which it is taken hold of."""
STEPS = (0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 60.0, 120.0)
MARKS = ((100.0, "100"), (500.0, "500"), (2000.0, "2 k"), (10000.0, "10 k"))


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
        return (
            work.layer,
            work.source,
            work.view,
            work.region,
            work.shapes,
            work.slices,
            work.root,
            work.cursor,
            work.fade,
        )

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
        self._held = ""
        self._from = 0.0
        self._pressed = QPointF()
        self._draft: tuple[str, float] | None = None

    def key(self) -> object:
        return super().key(), self._draft, id(self.work.peaks), id(self.work.first_look), self.work.reading

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
        if work.fade is None or asset is None:
            return
        first, last = (work.region.first, work.region.last) if work.region is not None else (0.0, asset.seconds)
        room = QRectF(self.x_of(first), box.top() + 4, self.x_of(last) - self.x_of(first), box.height() - 22)
        part = np.linspace(0.0, 1.0, 96)
        height = fade_curve(part, work.fade)
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
        self.session.set(path, min(max(at / work.asset.seconds, 0.0), 1.0), dragging=True)
        if last:
            self.session.history.settle()

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


class Spectrum(Timed):
    """The spectrum over time, in which parts are chosen with a brush, a box, a lasso, or by the harmonics of a tone."""

    def __init__(self, work: RecordingWork) -> None:
        super().__init__(work)
        self.setMinimumHeight(90)
        self.setAccessibleName("The spectrum of the recording over time")
        self.setToolTip(
            "Choose a part of the sound: brush over it, draw a box or a line around it; Ctrl adds to what is chosen"
        )
        self.tool = "brush"
        self.brush = 0.25
        self.latest = Latest(work.session.frame)
        self._image: QImage | None = None
        self._image_of: tuple[float, float] = (0.0, 1.0)
        self._asked: object = None
        self._line: list[tuple[float, float]] = []

    def key(self) -> object:
        self._look()
        return super().key(), id(self._image), len(self._line), self.tool

    def _look(self) -> None:
        """Has the spectrum worked out for what is seen, beside the window."""
        work, box = self.work, self.box()
        sound, rate = work.sound, work.rate
        asked = (work.asset, work.view, int(box.width()), int(box.height()), self.shade)
        if sound is None or asked == self._asked or not self.isVisible():
            return
        self._asked = asked
        (first, last), shade = work.view, self.line_colour()
        columns, rows = max(int(box.width()), 16), max(int(box.height()), 16)

        def find() -> NDArray[np.float32]:
            return spectrogram(sound, rate, first, last, columns, rows)

        def then(found: NDArray[np.float32]) -> None:
            self._image, self._image_of = painted(found, shade), (first, last)
            self.update()

        self.latest.ask(find, then)

    def draw(self, painter: QPainter, box: QRectF) -> None:
        if self.work.sound is None:
            self.draw_nothing(painter, box, "The spectrum over time is seen here")
            return
        if self._image is not None and self._asked is not None:
            first, last = self._image_of
            a, b = self.x_of(first / self.work.rate), self.x_of(last / self.work.rate)
            painter.save()
            painter.setClipRect(box)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self.work.view != self._image_of)
            painter.drawImage(QRectF(a, box.top(), b - a, box.height()), self._image)
            painter.restore()
        painter.setFont(body_font(11))
        painter.setPen(colour("chalk_soft"))
        for hertz, name in MARKS:
            painter.drawText(QPointF(box.left() + 4, self.y_of(hertz) + 4), name)
        self._root(painter, box)
        for shape in self.work.shapes:
            self._shape(painter, box, shape)
        if self._line:
            self._shape(painter, box, self._made())

    def y_of(self, hertz: float) -> float:
        """Where a frequency is."""
        return self.box().bottom() - row_of(hertz) * self.box().height()

    def hertz_at(self, y: float) -> float:
        """The frequency at a height."""
        return hertz_of((self.box().bottom() - y) / max(self.box().height(), 1.0))

    def _root(self, painter: QPainter, box: QRectF) -> None:
        root = self.work.root
        if root is None:
            return
        shade = dye("weld", in_well=True)
        painter.setPen(QPen(shade, 1.4))
        there = ~np.isnan(root.keys)
        previous: QPointF | None = None
        for second, key, is_there in zip(root.times, root.keys, there, strict=True):
            spot = (
                QPointF(self.x_of(float(second)), self.y_of(440 * 2 ** ((float(key) - 69) / 12))) if is_there else None
            )
            if previous is not None and spot is not None and abs(spot.y() - previous.y()) < 24:
                painter.drawLine(previous, spot)
            previous = spot
        text = root.says()
        painter.setFont(body_font(11, 600))
        wide = painter.fontMetrics().horizontalAdvance(text) + 12
        card = QRectF(box.right() - wide - 4, box.top() + 3, wide, 17)
        painter.fillRect(card, colour("well"))
        painter.setPen(shade)
        painter.drawText(card, Qt.AlignmentFlag.AlignCenter, text)

    def _shape(self, painter: QPainter, box: QRectF, shape: dict[str, Any]) -> None:
        fill = QColor(colour("chalk"))
        fill.setAlphaF(0.18)
        pen = QPen(colour("chalk"), 1.3)
        pen.setDashPattern([4, 3])
        painter.save()
        painter.setClipRect(box)
        kind = shape["kind"]
        painter.setPen(pen)
        painter.setBrush(fill)
        if kind == "box":
            (a, b), (low, high) = sorted(shape["times"]), sorted(shape["hertz"])
            painter.drawRect(QRectF(QPointF(self.x_of(a), self.y_of(high)), QPointF(self.x_of(b), self.y_of(low))))
        elif kind == "lasso":
            painter.drawPolygon(QPolygonF([QPointF(self.x_of(t), self.y_of(f)) for t, f in shape["points"]]))
        elif kind == "brush":
            tall = 2 * shape["octaves"] * box.height() / np.log2(20000 / 30)
            wide = QPen(fill, max(tall, 2.0))
            wide.setCapStyle(Qt.PenCapStyle.RoundCap)
            wide.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            painter.setPen(wide)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            line = QPolygonF([QPointF(self.x_of(t), self.y_of(f)) for t, f in shape["points"]])
            if line.count() < 2:
                painter.drawPoint(line.at(0))
            else:
                painter.drawPolyline(line)
        elif kind == "harmonics":
            a, b = sorted(shape["times"])
            line_ = [(t, f) for t, f in shape["track"] if a <= t <= b] or shape["track"][:1]
            ends = [(a, pitch_at(shape["track"], a)), *line_]
            ends.append((b, pitch_at(shape["track"], b)))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for number_ in range(1, 33):
                over = [QPointF(self.x_of(t), self.y_of(f * number_)) for t, f in ends]
                if over[0].y() > box.top():
                    painter.drawPolyline(QPolygonF(over))
        painter.restore()

    # --- the hand ------------------------------------------------------------------------------

    def _made(self) -> dict[str, Any]:
        """What the hand has drawn so far."""
        (t0, f0), (t1, f1) = self._line[0], self._line[-1]
        if self.tool == "box":
            return {"kind": "box", "times": [t0, t1], "hertz": [f0, f1]}
        if self.tool == "lasso":
            return {"kind": "lasso", "points": [list(spot) for spot in self._line]}
        first, last = self.work.view
        seconds = (
            self.brush
            / np.log2(20000 / 30)
            * self.box().height()
            / self.box().width()
            * (last - first)
            / self.work.rate
        )
        return {
            "kind": "brush",
            "points": [list(spot) for spot in self._line],
            "octaves": self.brush,
            "seconds": float(seconds),
        }

    def _spot(self, event: QMouseEvent) -> tuple[float, float]:
        y = min(max(event.position().y(), self.box().top()), self.box().bottom())
        return round(self.second_at(event.position().x()), 5), round(self.hertz_at(y), 2)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.work.sound is None or event.button() != Qt.MouseButton.LeftButton:
            return
        if not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.work.shapes = ()
        if self.tool == "harmonics":
            self._tone(*self._spot(event))
            return
        self._line = [self._spot(event)]
        self.update()

    def _tone(self, second: float, hertz: float) -> None:
        """All harmonics of the tone that was pressed: along its pitch where that is known, else straight on."""
        work, root = self.work, self.work.root
        asset = work.asset
        assert asset is not None
        track = [[0.0, hertz], [asset.seconds, hertz]]
        if root is not None and (there := ~np.isnan(root.keys)).any():
            times, tones = root.times[there], 440 * 2 ** ((root.keys[there] - 69) / 12)
            here = float(np.interp(second, times, tones))
            number_ = max(round(hertz / here), 1)
            if abs(np.log2(hertz / (number_ * here))) < 0.08:
                track = [[round(float(t), 4), round(float(f), 3)] for t, f in zip(times[::2], tones[::2], strict=True)]
        region = work.region
        times_ = [region.first, region.last] if region is not None else [0.0, asset.seconds]
        self._add({"kind": "harmonics", "times": times_, "track": track, "octaves": 0.12})

    def _add(self, shape: dict[str, Any]) -> None:
        self.work.shapes = (*self.work.shapes, shape)
        self.work.changed.emit()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._line:
            self._line.append(self._spot(event))
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._line:
            self._line.append(self._spot(event))
            if self.tool == "box" and self._line[0] == self._line[-1]:
                self._line = []
                self.work.changed.emit()
                return
            made, self._line = self._made(), []
            if len(made.get("points", [])) > 200:
                every = len(made["points"]) // 200 + 1
                made["points"] = made["points"][::every]
            self._add(made)


def pitch_at(track: list[list[float]], second: float) -> float:
    """The pitch of a track at a moment, in Hz."""
    times, hertz = zip(*track, strict=True)
    return float(np.interp(second, np.array(times), np.array(hertz)))


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


def painted(levels: NDArray[np.float32], shade: QColor) -> QImage:
    """Levels in dB, float32 (row, column), as a picture: from the ground through a dye to chalk."""
    well, chalk = colour("well"), colour("chalk")
    steps = np.linspace(0.0, 1.0, 256)
    ramp = np.stack(
        [
            np.interp(steps, [0.0, 0.72, 1.0], [getattr(well, part)(), getattr(shade, part)(), getattr(chalk, part)()])
            for part in ("red", "green", "blue")
        ]
    ).astype(np.uint32)
    table = (0xFF << 24) | (ramp[0] << 16) | (ramp[1] << 8) | ramp[2]
    index = np.clip((levels[::-1] + 84.0) / 78.0, 0.0, 1.0) ** 1.3 * 255
    pixels = np.ascontiguousarray(table[index.astype(np.uint8)].astype(np.uint32))
    made = QImage(pixels.data, pixels.shape[1], pixels.shape[0], QImage.Format.Format_RGB32)
    return QImage(made).copy()


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
