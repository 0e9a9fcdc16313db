"""Pictures of what is heard: spectrum, spectrogram, scope, stereo field, and a meter before and after every stage."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from felt_dial.live.link.messages import MeasureAnew
from felt_dial.live.link.shared_memory import SCOPE
from felt_dial.patch.patch import sounding
from felt_dial.patch.routing import effect_name
from felt_dial.patch.units import MINUS, number
from felt_dial.session.session import Session
from felt_dial.sound import spectra
from felt_dial.ui.pictures.well import BELOW, draw_curve, draw_frequencies, draw_ground
from felt_dial.ui.theme.colours import cloth, colour, dye
from felt_dial.ui.theme.fonts import body_font

FALL = 0.15
"""dB by which the held peak of the spectrum falls in a frame."""
ROWS = 120
"""Frequencies of the spectrogram."""
QUIET = -60.0


class Heard:
    """What the engine played last, and what was worked out from it for this frame."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.frozen = False
        self.before = self.after = np.full(spectra.POINTS, spectra.FLOOR)
        self.peak = np.full(spectra.POINTS, spectra.FLOOR)
        self.sides: dict[str, np.ndarray] = {}
        self.kept: np.ndarray | None = None
        self.sound = np.zeros((2, spectra.LENGTH), np.float32)
        self.true_peak = 0.0
        self._seen = 0

    @property
    def rate(self) -> float:
        """Frames per second."""
        return float(self.session.link.rate)

    def look(self) -> bool:
        """Takes in what is new; False where nothing is, or the picture is frozen."""
        data = self.session.link.shared.data
        written = int(data["scope_written"])
        fresh = min(written - self._seen, SCOPE)
        if fresh <= 0:
            return False
        self._seen = written
        self.true_peak = max(self.true_peak, spectra.true_peak(spectra.latest(data["scope"], written, fresh)))
        if self.frozen:
            return False
        tap = spectra.latest(data["tap"], written, spectra.LENGTH)
        self.sound = spectra.latest(data["scope"], written, spectra.LENGTH)
        self.before, self.after = spectra.spectrum(tap[:2], self.rate), spectra.spectrum(tap[2:], self.rate)
        self.peak = np.maximum(self.peak - FALL, self.after)
        side = self.session.editor.work.side
        if self.after.max() > QUIET:
            known = self.sides.get(side, self.after)
            self.sides[side] = known + 0.1 * (self.after - known)
        return True

    def restart(self) -> None:
        """Forgets peaks and the loudness so far."""
        self.true_peak = 0.0
        self.peak = np.full(spectra.POINTS, spectra.FLOOR)
        self.session.link.tell(MeasureAnew())


class Picture(QWidget):
    """A well of the analyser, painted anew whenever something new was heard."""

    def __init__(self, heard: Heard, name: str, tip: str) -> None:
        super().__init__()
        self.heard = heard
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self.setMinimumSize(QSize(90, 90))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        draw_ground(painter, QRectF(self.rect()))
        painter.setFont(body_font(11))
        self.draw(painter, QRectF(self.rect()).adjusted(6, 6, -6, -6))

    def draw(self, painter: QPainter, box: QRectF) -> None:
        """Draws what was heard."""


class Spectrum(Picture):
    """Level over frequency: before in soft chalk, after in full, the held peak as a thin line, the other side dashed."""

    def __init__(self, heard: Heard) -> None:
        super().__init__(heard, "Spectrum", "")
        self.setMouseTracking(True)
        self.pointed: QPointF | None = None

    def _up(self, level: Any) -> Any:
        """Where levels in dB are, 0 to 1."""
        return np.clip((np.asarray(level) + 90.0) / 96.0, 0.0, 1.0)

    def draw(self, painter: QPainter, box: QRectF) -> None:
        heard = self.heard
        box.setBottom(box.bottom() - BELOW)
        draw_frequencies(painter, box)
        levels = [(box.bottom() - float(self._up(level)) * box.height(), level) for level in (-72, -48, -24, 0)]
        painter.setPen(QPen(colour("chalk_soft").darker(205), 1))
        for y, _ in levels:
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
        places = np.linspace(0, 1, spectra.POINTS)
        draw_curve(painter, box, places, self._up(heard.before), colour("chalk_soft"), floor=None, width=1.1)
        draw_curve(painter, box, places, self._up(heard.after), dye("lichen", in_well=True), floor=0.0, width=1.6)
        draw_curve(painter, box, places, self._up(heard.peak), colour("chalk"), floor=None, width=0.8)
        painter.setPen(colour("chalk_soft"))
        for y, level in levels:
            painter.drawText(QPointF(box.left() + 2, y - 2), f"{level}".replace("-", MINUS))
        other = {"a": "b", "b": "a"}[heard.session.editor.work.side]
        for line, name in ((heard.sides.get(other), other.upper()), (heard.kept, "kept")):
            if line is not None:
                draw_curve(painter, box, places, self._up(line), dye("weld", in_well=True), floor=None, width=1.1)
                painter.setPen(dye("weld", in_well=True))
                at = int(np.argmax(line))
                high = box.bottom() - float(self._up(line[at])) * box.height()
                painter.drawText(QPointF(box.left() + at / spectra.POINTS * box.width() + 4, high), name)
        if self.pointed is not None:
            self._read(painter, box)

    def _read(self, painter: QPainter, box: QRectF) -> None:
        assert self.pointed is not None
        place = min(max((self.pointed.x() - box.left()) / box.width(), 0.0), 1.0)
        frequency = spectra.frequency_at(place)
        level = float(self.heard.after[min(int(place * spectra.POINTS), spectra.POINTS - 1)])
        painter.setPen(QPen(colour("chalk"), 1, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(self.pointed.x(), box.top()), QPointF(self.pointed.x(), box.bottom()))
        name = spectra.note_name(frequency, float(self.heard.session.patch.reference))
        text = f"{number(frequency, 0)} Hz   {name}   {number(level, 0)} dB"
        wide = painter.fontMetrics().horizontalAdvance(text) + 8
        left = min(self.pointed.x() + 6, box.right() - wide)
        painter.setPen(colour("chalk"))
        painter.drawText(QRectF(left, box.top(), wide, 16), Qt.AlignmentFlag.AlignLeft, text)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.pointed = event.position()
        self.update()

    def leaveEvent(self, event: object) -> None:
        self.pointed = None
        self.update()


class Spectrogram(Picture):
    """The spectrum over time, the newest on the right."""

    def __init__(self, heard: Heard) -> None:
        super().__init__(heard, "Spectrogram", "Time goes to the right, frequency up; bright is loud")
        self._dress()
        cloth.changed.connect(self._dress)

    def _dress(self) -> None:
        """Begins anew in the colours of the theme."""
        self._image = QImage(400, ROWS, QImage.Format.Format_RGB32)
        self._image.fill(colour("well"))
        low, middle, high = colour("well"), dye("woad", in_well=True), colour("chalk")
        self._steps = []
        for n in range(256):
            part = n / 255
            a, b, share = (low, middle, part / 0.6) if part < 0.6 else (middle, high, (part - 0.6) / 0.4)
            ends = zip((a.red(), a.green(), a.blue()), (b.red(), b.green(), b.blue()), strict=True)
            self._steps.append(QColor(*[round(x + (y - x) * share) for x, y in ends]).rgb())

    def take(self) -> None:
        """Adds a column for what was heard."""
        image = self._image.copy(1, 0, self._image.width(), ROWS)
        column = self.heard.after.reshape(ROWS, -1).max(axis=1)
        levels = np.clip((column + 84.0) / 84.0 * 255, 0, 255).astype(int)
        for row, level in enumerate(levels):
            image.setPixel(image.width() - 1, ROWS - 1 - row, self._steps[level])
        self._image = image

    def draw(self, painter: QPainter, box: QRectF) -> None:
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(box, self._image)
        painter.setPen(colour("chalk_soft"))
        for frequency, name in ((100, "100"), (1000, "1 k"), (10000, "10 k")):
            y = box.bottom() - spectra.across(frequency) * box.height()
            painter.drawText(QPointF(box.left() + 2, y + 4), name)


class Scope(Picture):
    """Two turns of the wave, standing still while there is a pitch."""

    def __init__(self, heard: Heard) -> None:
        super().__init__(heard, "Scope", "Two turns of the wave, locked to its pitch; 20 ms where there is none")

    def draw(self, painter: QPainter, box: QRectF) -> None:
        wave = spectra.locked(self.heard.sound.mean(axis=0).astype(np.float64), self.heard.rate)
        painter.setPen(QPen(colour("chalk_soft").darker(190), 1))
        painter.drawLine(QPointF(box.left(), box.center().y()), QPointF(box.right(), box.center().y()))
        top = float(np.abs(wave).max(initial=0.0))
        if top < 1e-5:
            return
        scale = 2.0 ** math.floor(math.log2(0.98 / top))
        step = max(len(wave) // 600, 1)
        y = 0.5 + 0.5 * scale * wave[::step]
        draw_curve(
            painter, box, np.linspace(0, 1, len(y)), np.clip(y, 0, 1), dye("woad", in_well=True), floor=0.5, width=1.4
        )
        painter.setPen(colour("chalk_soft"))
        seconds = len(wave) / self.heard.rate
        factor = f"× {scale:g}"
        painter.drawText(
            box, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignRight, f"{number(seconds * 1000, 1)} ms"
        )
        painter.drawText(box, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignRight, factor)


class Stereo(Picture):
    """Left against right, turned so that the middle stands upright; below, how alike they are."""

    def __init__(self, heard: Heard) -> None:
        super().__init__(heard, "Stereo", "Upright: the middle. Lying: the sides. The bar: +1 alike, −1 turned over")

    def draw(self, painter: QPainter, box: QRectF) -> None:
        sound = self.heard.sound[:, -2048::2]
        bar = QRectF(box.left() + 6, box.bottom() - 8, box.width() - 12, 5)
        field = QRectF(box.left(), box.top(), box.width(), box.height() - 26)
        size = min(field.width(), field.height()) / 2
        middle = field.center()
        painter.setPen(QPen(colour("chalk_soft").darker(190), 1))
        painter.drawLine(middle - QPointF(size, 0), middle + QPointF(size, 0))
        painter.drawLine(middle - QPointF(0, size), middle + QPointF(0, size))
        top = max(float(np.abs(sound).max(initial=0.0)), 0.02)
        mid, side = (sound[0] + sound[1]) / (2 * top), (sound[0] - sound[1]) / (2 * top)
        points = [QPointF(middle.x() - s * size, middle.y() - m * size) for m, s in zip(mid, side, strict=True)]
        painter.setPen(QPen(dye("mallow", in_well=True), 1.4))
        painter.drawPoints(QPolygonF(points))
        alike = spectra.correlation(self.heard.sound)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("chalk_soft").darker(190))
        painter.drawRoundedRect(bar, 2, 2)
        painter.setBrush(dye("madder" if alike < 0 else "lichen", in_well=True))
        zero = bar.center().x()
        end = zero + alike * bar.width() / 2
        painter.drawRect(QRectF(min(zero, end), bar.top(), abs(end - zero), bar.height()))
        painter.setPen(colour("chalk"))
        text = f"{alike:+.2f}".replace("-", MINUS)
        painter.drawText(QRectF(box.left(), bar.top() - 15, box.width(), 14), Qt.AlignmentFlag.AlignCenter, text)


class Stages(Picture):
    """Level before and after every drive, filter, bus, rack and effect that works."""

    def __init__(self, heard: Heard) -> None:
        super().__init__(
            heard, "Stages", "The upper bar is the level before, the lower one after; red is above full scale"
        )

        self._held: dict[str, tuple[float, ...]] = {}

    def rows(self) -> list[tuple[str, float, float]]:
        """Name, level before and level after of every stage, largest samples of the last block."""
        session, patch = self.heard.session, self.heard.session.patch
        data = session.link.shared.data
        found = [(f"{key.upper()}", 0.0, float(data["layer_peaks"][n])) for n, key in enumerate(patch.layers)]
        for n, path in enumerate(sounding(patch)):
            steps = path.split(".")
            before, after = (float(x) for x in data["steps"][n])
            if steps[-1] == "source" or (before == 0.0 and after == 0.0):
                continue
            if steps[0] == "racks":
                name = effect_name(patch, steps[1], steps[2])
            else:
                where = steps[1].upper() if steps[0] == "layers" else f"Bus {steps[1]}"
                name = f"{where} {'drive after' if steps[2] == 'after' else steps[2]}"
            found.append((name, before, after))
        for n, rack in enumerate(("1", "2")):
            if patch.racks[rack]:
                before, after = (float(x) for x in data["rack_peaks"][n])
                found.append((f"Rack {rack}", before, after))
        return found

    def draw(self, painter: QPainter, box: QRectF) -> None:
        rows = self.rows()
        columns = 1 if len(rows) * 17 <= box.height() else 2
        tall = max(int(box.height() // 17), 1)
        wide = box.width() / columns
        if len(rows) > tall * columns:
            hidden = len(rows) - tall * columns + 1
            rows = rows[:-hidden]
            painter.setPen(colour("chalk_soft"))
            at = QRectF(box.left() + wide, box.top() + (tall - 1) * 17, wide, 15)
            painter.drawText(at, Qt.AlignmentFlag.AlignVCenter, f"{hidden} more: let it float")
        for n, (name, *levels) in enumerate(rows):
            fallen = [0.9 * level for level in self._held.get(name, (0.0, 0.0))]
            self._held[name] = tuple(max(now, was) for now, was in zip(levels, fallen, strict=True))
            left, top = box.left() + (n // tall) * wide, box.top() + (n % tall) * 17
            painter.setPen(colour("chalk"))
            text = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(wide * 0.45))
            painter.drawText(QRectF(left, top, wide * 0.46, 15), Qt.AlignmentFlag.AlignVCenter, text)
            for k, level in enumerate(self._held[name]):
                place = min(max((20 * math.log10(max(level, 1e-6)) + 54) / 60, 0.0), 1.0)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(dye("madder" if level > 1.0 else "lichen" if k else "woad", in_well=True))
                painter.drawRect(QRectF(left + wide * 0.48, top + 3 + 5 * k, (wide * 0.5) * place, 4))
