"""The spectrum of the recording on the sample bench, in which parts are chosen."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPen, QPolygonF

from felt_dial.session.jobs import Latest
from felt_dial.ui.benches.recording import RecordingWork
from felt_dial.ui.pictures.sample_bench import Timed
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.fonts import body_font
from felt_dial.workshop.recording.spectrogram import hertz_of, row_of, spectrogram

MARKS = ((100.0, "100"), (500.0, "500"), (2000.0, "2 k"), (10000.0, "10 k"))


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
        self.latest = Latest(work.session.channel)
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
