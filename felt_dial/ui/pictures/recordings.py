"""Pictures of sources that play recordings: where they begin, loop and travel, and where the note is."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPen

from felt_dial.patch.patch import put
from felt_dial.patch.places import in_time
from felt_dial.patch.units import MINUS, THIN
from felt_dial.session.session import Session
from felt_dial.sound.matter.analysis import Tracks, is_known, known_tracks
from felt_dial.sound.matter.residue import LOWEST
from felt_dial.sound.sources.core.travel import Curve, place_at
from felt_dial.ui.pictures.sources import SourcePicture, draw_missing, draw_peaks, peaks_of
from felt_dial.ui.pictures.well import draw_curve, draws
from felt_dial.ui.theme.colours import colour
from felt_dial.ui.theme.fonts import body_font


class RecordingPicture(SourcePicture):
    """A recording, with the marks of its source and the place of the newest note."""

    def live(self) -> object:
        place = self.session.link.place(list(self.session.patch.layers).index(self.layer))
        return None if place is None else round(place, 4)

    def draw(self, painter: QPainter, box: QRectF) -> None:
        asset = self.source.asset
        peaks = None if asset is None else peaks_of(asset.digest, asset)
        if peaks is None:
            draw_missing(self, painter, box, asset, "sample")
            return
        draw_peaks(painter, box, peaks, self.line_colour())
        self.marks(painter, box)

    def marks(self, painter: QPainter, box: QRectF) -> None:
        """Draws what the source makes of the recording."""

    def across(self, box: QRectF, place: float) -> float:
        """Where a place from 0 to 1 is."""
        return box.left() + min(max(place, 0.0), 1.0) * box.width()

    def shade_outside(self, painter: QPainter, box: QRectF, first: float, last: float) -> None:
        """Darkens what is not played."""
        veil = QColor(colour("well"))
        veil.setAlphaF(0.72)
        painter.fillRect(QRectF(box.left(), box.top(), self.across(box, first) - box.left(), box.height()), veil)
        painter.fillRect(
            QRectF(self.across(box, last), box.top(), box.right() - self.across(box, last), box.height()), veil
        )

    def mark(self, painter: QPainter, box: QRectF, place: float, shade: QColor, dashed: bool = False) -> None:
        """A line across at a place."""
        pen = QPen(shade, 1.3)
        if dashed:
            pen.setDashPattern([3, 2.5])
        painter.setPen(pen)
        x = self.across(box, place)
        painter.drawLine(QLineF(x, box.top(), x, box.bottom()))

    def write(self, painter: QPainter, box: QRectF, text: str, x: float, y: float) -> None:
        """Words over the picture, on a ground of their own, from a place on or as near to it as they have room."""
        painter.setFont(body_font(11))
        wide = painter.fontMetrics().horizontalAdvance(text) + 10
        spot = QRectF(min(max(x, box.left()), box.right() - wide), y, wide, 17)
        painter.fillRect(spot, colour("well"))
        painter.setPen(colour("chalk"))
        painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, text)

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        place, asset = RecordingPicture.live(self), self.source.asset
        if isinstance(place, float) and asset is not None and peaks_of(asset.digest, asset) is not None:
            self.mark(painter, box, place, colour("chalk"))
            painter.setBrush(colour("chalk"))
            painter.drawEllipse(QPointF(self.across(box, place), box.top() + 3), 2.6, 2.6)


GRAB = 7.0
"""Pixels from a mark at which it is taken hold of."""


@draws("sample")
class SamplePicture(RecordingPicture):
    """Start and end, how far chance takes the start, and the loop between its dashed lines; each mark can be dragged."""

    def __init__(self, session: Session, path: str, shade: str, large: bool = False) -> None:
        super().__init__(session, path, shade, large)
        self._held, self._near_to = "", ""
        self.setMouseTracking(large)

    def key(self) -> object:
        return self.source, self._held, self._near_to

    def places(self) -> list[str]:
        """What is marked as the source is set, the loop on top."""
        source = self.source
        found = ["start", "end", *(["floor"] if source.number("chance") > 0.0 and source.number("floor") > 0.0 else [])]
        return found + (
            ["loop_start", "loop_end"] if source.get("loop") != "off" and not source.get("one_shot") else []
        )

    def marks(self, painter: QPainter, box: QRectF) -> None:
        source, places = self.source, self.places()
        start, end, chance = (source.number(name) for name in ("start", "end", "chance"))
        self.shade_outside(
            painter, box, max(min(start - chance, start), source.number("floor") if chance else 0.0), end
        )
        if chance > 0.0:
            low, high = max(start - chance, source.number("floor"), 0.0), min(start + chance, end)
            band = QColor(self.line_colour())
            band.setAlphaF(0.28)
            first, last = self.across(box, low), self.across(box, max(low, high))
            painter.fillRect(QRectF(first, box.top(), last - first, 9.0), band)
        if "loop_start" in places:
            band = QColor(colour("chalk"))
            band.setAlphaF(0.10)
            first, last = self.across(box, source.number("loop_start")), self.across(box, source.number("loop_end"))
            painter.fillRect(QRectF(first, box.top(), last - first, box.height()), band)
        for name in places:
            loop, floor = name.startswith("loop"), name == "floor"
            shade = colour("chalk") if loop else self.line_colour()
            self.mark(painter, box, source.number(name), shade, dashed=loop or floor)
        if said := self._held or self._near_to:
            self._say(painter, box, said)

    def _say(self, painter: QPainter, box: QRectF, name: str) -> None:
        """What a mark is and where it stands, beside it."""
        path = f"{self.path}.{name}"
        text = f"{self.source.params[name].label} {self.source.params[name].write(self.source.get(name))}"
        text += f" · {in_time(self.session.patch, path)}"
        self.write(painter, box, text, self.across(box, self.source.number(name)) + 5, box.bottom() - 19)

    def _mark_at(self, x: float) -> str:
        """The mark near a place across, the nearest one, of those at the same place the one drawn last."""
        if not self.large or self.source.asset is None:
            return ""
        box, found, apart = self.box(), "", GRAB
        for name in self.places():
            here = abs(self.across(box, self.source.number(name)) - x)
            if here <= apart:
                found, apart = name, here
        return found

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._held = self._mark_at(event.position().x())
        if not self._held:
            super().mousePressEvent(event)
            return
        self.session.editor.history.settle()
        event.accept()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if not self._held:
            near = self._mark_at(event.position().x())
            if near != self._near_to:
                self._near_to = near
                self.setCursor(Qt.CursorShape.SplitHCursor if near else Qt.CursorShape.ArrowCursor)
                self.update()
            super().mouseMoveEvent(event)
            return
        box, name, source = self.box(), self._held, self.source
        place = min(max((event.position().x() - box.left()) / box.width(), 0.0), 1.0)
        low = {"end": "start", "loop_end": "loop_start"}.get(name)
        high = {"start": "end", "loop_start": "loop_end"}.get(name)
        place = max(place, source.number(low)) if low else place
        place = min(place, source.number(high)) if high else place
        self.session.editor.set(f"{self.path}.{name}", place, dragging=True)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if not self._held:
            super().mouseReleaseEvent(event)
            return
        self._held = ""
        self.session.editor.history.settle()
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self._near_to = ""
        self.update()
        super().leaveEvent(event)


@draws("grains")
class GrainsPicture(RecordingPicture):
    """The loop window, and over it the travel curve: time goes up, place goes across."""

    def __init__(self, session: Session, path: str, shade: str, large: bool = False) -> None:
        super().__init__(session, path, shade, large)
        self._held = -1

    def live(self) -> object:
        return super().live(), self._short()

    def _short(self) -> int:
        """By how many whole dB the layer is too soft since its grains are full."""
        return round(self.session.link.falls_short(list(self.session.patch.layers).index(self.layer)))

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        super().draw_live(painter, box)
        if short := self._short():
            self.write(painter, box, f"grains full, {MINUS}{short}{THIN}dB", box.right(), box.top())

    def _travels(self) -> bool:
        return bool(self.source.get("scan") == "travel")

    def marks(self, painter: QPainter, box: QRectF) -> None:
        source = self.source
        first, last = sorted((source.number("loop_start"), source.number("loop_end")))
        self.shade_outside(painter, box, first, last)
        if not self._travels():
            self.mark(painter, box, source.number("position"), self.line_colour(), dashed=True)
            return
        time = np.linspace(0.0, 1.0, 240)
        place = first + (last - first) * place_at(source.curve, time)
        draw_curve(painter, box, place, time, colour("chalk"), floor=None, width=1.6)
        if self.large:
            painter.setBrush(colour("well"))
            painter.setPen(QPen(colour("chalk"), 1.4))
            for when, where, _ in source.curve:
                painter.drawEllipse(self.spot(box, when, first + (last - first) * where), 4, 4)

    def spot(self, box: QRectF, when: float, where: float) -> QPointF:
        return QPointF(self.across(box, where), box.bottom() - when * box.height())

    def _at(self, point: QPointF) -> tuple[float, float]:
        """Time and place under a point."""
        box, source = self.box(), self.source
        first, last = sorted((source.number("loop_start"), source.number("loop_end")))
        when = min(max((box.bottom() - point.y()) / box.height(), 0.0), 1.0)
        where = (point.x() - box.left()) / box.width()
        return when, min(max((where - first) / max(last - first, 1e-6), 0.0), 1.0)

    def _near(self, point: QPointF) -> int:
        box, source = self.box(), self.source
        first, last = sorted((source.number("loop_start"), source.number("loop_end")))
        for n, (when, where, _) in enumerate(source.curve):
            apart = self.spot(box, when, first + (last - first) * where) - point
            if abs(apart.x()) + abs(apart.y()) < 12:
                return n
        return -1

    def _draws(self) -> bool:
        return self.large and self._travels() and self.source.asset is not None

    def _put(self, curve: Curve, says: str, merge: str = "") -> None:
        fresh = self.source.model_copy(update={"curve": curve})
        self.session.editor.edit(put(self.session.patch, ["layers", self.layer, "source"], fresh), says, merge)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if not self._draws():
            super().mousePressEvent(event)
            return
        self.session.editor.history.settle()
        self._held, self._from, self._bends = self._near(event.position()), event.position(), self.source.curve
        event.accept()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if not self._draws() or not event.buttons():
            return
        points = list(self._bends)
        when, where = self._at(event.position())
        merge = f"travel {self.layer}"
        if self._held >= 0:
            n = self._held
            low = points[n - 1][0] if n else 0.0
            high = points[n + 1][0] if n + 1 < len(points) else 1.0
            when = 0.0 if n == 0 else 1.0 if n == len(points) - 1 else min(max(when, low), high)
            points[n] = (when, where, points[n][2])
            self._put(tuple(points), "draw the travel curve", merge)
            return
        began, _ = self._at(self._from)
        n = max(k for k, point in enumerate(points[:-1]) if point[0] <= began)
        bend = points[n][2] + (event.position().x() - self._from.x()) / 80
        points[n] = (*points[n][:2], min(max(bend, -1.0), 1.0))
        self._put(tuple(points), "bend the travel curve", merge)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._draws():
            self._held = -1
            self.session.editor.history.settle()
        else:
            super().mouseReleaseEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if not self._draws():
            return
        points, n = list(self.source.curve), self._near(event.position())
        if 0 < n < len(points) - 1:
            del points[n]
        elif n < 0 and len(points) < 64:
            when, where = self._at(event.position())
            at = next(k for k, point in enumerate(points) if point[0] >= when)
            points.insert(max(at, 1), (when, where, 0.0))
        self._put(tuple(points), "draw the travel curve")


def _light(level: np.ndarray) -> np.ndarray:
    """How bright something of a level is, from 60 dB below 1 up to it."""
    return np.asarray(np.clip(1.0 + np.log10(np.maximum(level, 1e-6)) / 3.0, 0.0, 1.0))


@draws("partials")
class PartialsPicture(RecordingPicture):
    """The partials over time, low ones at the bottom; drawn harmonics as bars that can be drawn."""

    def _known(self) -> bool:
        source = self.source
        return source.asset is not None and is_known(source.asset, source.fundamental())

    def key(self) -> object:
        return self.source, self._known()

    def live(self) -> object:
        return super().live(), self._known()

    def draw(self, painter: QPainter, box: QRectF) -> None:
        source = self.source
        if source.asset is None:
            self._bars(painter, box)
            return
        tracks = known_tracks(source.asset, source.fundamental())
        if tracks is None:
            super().draw(painter, box)
            return
        painter.drawImage(box, self._image(tracks, int(box.height())))

    def _image(self, tracks: Tracks, height: int) -> QImage:
        """The tracks as light on the ground of the well, and the noise between them as haze."""
        columns = 300
        looks = np.linspace(0, len(tracks.octaves) - 1, columns).astype(int)
        most = max(float(tracks.levels.max()), 1e-9)
        picture = np.zeros((height, columns))
        y = np.clip(((tracks.octaves[looks] + 1.0) / 9.0 * height).astype(int), 0, height - 1)
        light = _light(tracks.levels[looks] / most)
        for n in range(columns):
            np.maximum.at(picture[:, n], height - 1 - y[n], light[n])
        picture = np.maximum(picture, 0.5 * np.roll(picture, 1, axis=0))
        octave = 9.0 * (1.0 - (np.arange(height) + 0.5) / height) - 1.0
        band = np.round(2.0 * (octave + np.log2(self.source.fundamental() / LOWEST)) - 0.5).astype(int)
        haze = _light(self.source.number("residue") * tracks.residue[looks] / most).T
        inside = (band >= 0) & (band < len(haze))
        picture[inside] = np.maximum(picture[inside], 0.6 * haze[band[inside]])
        ground, line = colour("well"), self.line_colour()
        pixels = np.zeros((height, columns, 4), np.uint8)
        for channel, (low, high) in enumerate(
            ((ground.blue(), line.blue()), (ground.green(), line.green()), (ground.red(), line.red()))
        ):
            pixels[:, :, channel] = low + (high - low) * picture
        pixels[:, :, 3] = 255
        return QImage(pixels.tobytes(), columns, height, 4 * columns, QImage.Format.Format_RGB32).copy()

    def _bars(self, painter: QPainter, box: QRectF) -> None:
        drawn = self.source.drawn
        count = 32
        for n in range(count):
            level = drawn[n] if n < len(drawn) else 0.0
            bar = QRectF(box.left() + n * box.width() / count + 1, box.bottom(), box.width() / count - 2, 0)
            bar.setTop(box.bottom() - max(level, 0.004) * box.height())
            painter.fillRect(bar, self.line_colour() if level > 0 else colour("chalk_soft").darker(180))

    def _paint(self, point: QPointF) -> None:
        box = self.box()
        n = int((point.x() - box.left()) / box.width() * 32)
        if 0 <= n < 32:
            drawn = list(self.source.drawn) + [0.0] * max(0, n + 1 - len(self.source.drawn))
            level = (box.bottom() - point.y()) / box.height()
            drawn[n] = round(min(max(level, 0.0), 1.0), 3)
            while len(drawn) > 1 and drawn[-1] == 0.0:
                drawn.pop()
            if any(drawn):
                fresh = self.source.model_copy(update={"drawn": tuple(drawn)})
                patch = put(self.session.patch, ["layers", self.layer, "source"], fresh)
                self.session.editor.edit(patch, "draw harmonics", f"harmonics {self.layer}")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.large and self.source.asset is None:
            self.session.editor.history.settle()
            self._paint(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.large and self.source.asset is None and event.buttons():
            self._paint(event.position())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.session.editor.history.settle()

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        if self.source.asset is not None:
            super().draw_live(painter, box)
