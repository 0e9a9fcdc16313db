"""Pictures of sources: what a layer starts from."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen

from felt_dial.patch.asset import Asset
from felt_dial.session.session import Session
from felt_dial.sound.matter import assets
from felt_dial.sound.sources.chaos import Chaos, portrait
from felt_dial.sound.sources.core.bandlimited import cycle_picture
from felt_dial.sound.sources.core.levels import cut_cycles, table_picture
from felt_dial.ui.pictures.well import Well, draw_curve, draws, points
from felt_dial.ui.theme.colours import colour
from felt_dial.ui.theme.fonts import body_font


@lru_cache(maxsize=24)
def table_frames(digest: str, cycle: int, asset: Asset) -> NDArray[np.float32] | None:
    """The frames of a table with 256 samples each, for drawing; None where it is missing."""
    sound = assets.load(asset)
    if sound is None:
        return None
    frames = cut_cycles(sound[0], cycle)
    at = np.linspace(0, frames.shape[1] - 1, 256)
    drawn = np.stack([np.interp(at, np.arange(frames.shape[1]), frame) for frame in frames])
    return np.asarray(drawn / max(float(np.abs(drawn).max()), 1e-6), np.float32)


def draw_missing(well: Well, painter: QPainter, box: QRectF, asset: Asset | None, what: str) -> None:
    """A hollow picture with what would be there, and what is known of it."""
    pen = QPen(colour("chalk_soft"), 1.2)
    pen.setDashPattern([4, 3])
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRoundedRect(box.adjusted(1, 1, -1, -1), 4, 4)
    painter.setFont(body_font(11 if box.height() < 90 else 12))
    painter.setPen(colour("chalk"))
    text = f"Load a {what}" if asset is None else f"Missing: {asset.name or 'unnamed'}"
    if asset is not None and box.height() > 60:
        text = f"Missing: {asset.name or 'unnamed'}\n{asset.seconds:.2f} s, fingerprint {asset.digest[:12]}"
    flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
    painter.drawText(box.adjusted(6, 2, -6, -2), flags, text)


class SourcePicture(Well):
    """A picture of one layer's source; a large one that has nothing to show is a button, which asks for a recording."""

    load_asked = Signal()

    def __init__(self, session: Session, path: str, shade: str, large: bool = False) -> None:
        super().__init__(session, shade, path, "tempo")
        self.large = large
        if large and self.empty:
            self.setCursor(Qt.CursorShape.PointingHandCursor)
            self.setToolTip("Click to load a recording, or drop a file here")

    @property
    def layer(self) -> str:
        """The layer whose source it shows."""
        return self.path.split(".")[1]

    @property
    def empty(self) -> bool:
        """True for a source that plays nothing without a recording, and has none."""
        return bool(self.source.needs_matter) and self.source.asset is None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.large and self.empty:
            self.load_asked.emit()
        else:
            super().mousePressEvent(event)

    @property
    def source(self) -> Any:
        """The source of the layer."""
        return self.session.patch.layers[self.layer].source

    def key(self) -> object:
        return self.source

    def moved(self, *names: str) -> tuple[float, ...] | None:
        """Values of this moment, where the engine says them; None while they stand where they are set."""
        found = [self.session.link.bead(f"layers.{self.layer}.source.{name}") for name in names]
        if None in found:
            return None
        now = tuple(round(float(value), 4) for value in found if value is not None)
        still = tuple(self.source.number(name) for name in names)
        return now if max(abs(a - b) for a, b in zip(now, still, strict=True)) > 0.004 else None


@draws("wave")
class WavePicture(SourcePicture):
    """Two cycles of the wave."""

    def live(self) -> object:
        return self.moved("shape", "width", "sync")

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
        middle = box.center().y()
        painter.drawLine(QLineF(box.left(), middle, box.right(), middle))
        draw_curve(painter, box, *self._wave(*self._still()), self.line_colour(), floor=0.5)

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        now = self.moved("shape", "width", "sync")
        if now is not None:
            draw_curve(painter, box, *self._wave(*now), colour("chalk"), floor=None, width=1.1)


@draws("table")
class TablePicture(SourcePicture):
    """The frames of a table one behind the other, the one that sounds in front."""

    def _frames(self) -> NDArray[np.float32] | None:
        source = self.source
        return None if source.asset is None else table_frames(source.asset.digest, source.cycle, source.asset)

    def live(self) -> object:
        return self.moved("position", "amount")

    def _cycle(self, frames: NDArray[np.float32], position: float, amount: float) -> NDArray:
        return 0.5 + 0.3 * table_picture(frames, position, str(self.source.get("reshape")), amount, 200)

    def draw(self, painter: QPainter, box: QRectF) -> None:
        frames = self._frames()
        if frames is None:
            draw_missing(self, painter, box, self.source.asset, "table")
            return
        count = min(len(frames), 9 if box.height() > 60 else 5)
        x = np.linspace(0, 1, 96)
        for n in reversed(range(count)):
            back = n / max(count - 1, 1)
            frame = frames[round(back * (len(frames) - 1))]
            shade = QColor(self.line_colour())
            shade.setAlphaF(0.16 + 0.12 * (1 - back))
            y = 0.5 + 0.34 * np.interp(x * 255, np.arange(256), frame)
            draw_curve(painter, self._room(box, back), x, y, shade, floor=None, width=1.0)
        position = self.source.number("position")
        still = self._cycle(frames, position, self.source.number("amount"))
        draw_curve(painter, self._room(box, position), np.linspace(0, 1, 200), still, self.line_colour(), floor=0.5)

    def _room(self, box: QRectF, back: float) -> QRectF:
        """Where a frame stands, from the first in front to the last behind."""
        lift, lean = box.height() * 0.30, box.width() * 0.16
        return QRectF(box.left() + lean * back, box.top() + lift * (1 - back), box.width() - lean, box.height() - lift)

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        now, frames = self.moved("position", "amount"), self._frames()
        if now is not None and frames is not None:
            room, cycle = self._room(box, now[0]), self._cycle(frames, *now)
            draw_curve(painter, room, np.linspace(0, 1, 200), cycle, colour("chalk"), floor=None, width=1.2)


@draws("noise")
class NoisePicture(SourcePicture):
    """The slope of the noise, octave by octave, with the grass that grows on it; or the texture."""

    def live(self) -> object:
        return self.moved("slope")

    def _line(self, slope: float) -> tuple[NDArray, NDArray]:
        octaves = np.linspace(0, 10, 241)
        return octaves / 10, np.clip(0.55 + slope * (octaves - 5) / 96, 0.02, 0.98)

    def draw(self, painter: QPainter, box: QRectF) -> None:
        source = self.source
        if source.asset is not None:
            peaks = peaks_of(source.asset.digest, source.asset)
            if peaks is None:
                draw_missing(self, painter, box, source.asset, "texture")
                return
            draw_peaks(painter, box, peaks, self.line_colour())
            return
        x, y = self._line(source.number("slope"))
        grass = np.random.default_rng(5).exponential(0.05, len(x)) * (1.0 + 2.0 * x)
        grass = grass.reshape(-1)[: len(x)]
        if source.get("hold"):
            grass = np.repeat(grass[::8], 8)[: len(x)]
        draw_curve(painter, box, x, np.clip(y - grass, 0.0, 1.0), self.line_colour(), floor=0.0, width=1.1)

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        now = self.moved("slope")
        if now is not None and self.source.asset is None:
            draw_curve(painter, box, *self._line(now[0]), colour("chalk"), floor=None, width=1.2)


@draws("chaos")
class ChaosPicture(SourcePicture):
    """The path of the system through two of its numbers."""

    def live(self) -> object:
        now = self.moved("energy", "coupling", "damping")
        return None if now is None else tuple(round(20 * value) / 20 for value in now)

    def _draw(self, painter: QPainter, box: QRectF, path: NDArray, shade: QColor) -> None:
        side = min(box.width(), box.height() * 2.2)
        room = QRectF(box.center().x() - side / 2, box.top(), side, box.height())
        draw_curve(painter, room, 0.5 + 0.47 * path[0], 0.5 + 0.46 * path[1], shade, floor=None, width=1.1)

    def draw(self, painter: QPainter, box: QRectF) -> None:
        self._draw(painter, box, portrait(self.source), self.line_colour())

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        now = self.live()
        if isinstance(now, tuple):
            self._draw(painter, box, moving_portrait(str(self.source.get("system")), *now), colour("chalk"))


@lru_cache(maxsize=512)
def moving_portrait(system: str, energy: float, coupling: float, damping: float) -> NDArray[np.float64]:
    """The path of a system at values that threads have moved, shorter than the still one: it is drawn as they move."""
    return portrait(Chaos(system=system, energy=energy, coupling=coupling, damping=damping), 160)


def draw_peaks(painter: QPainter, box: QRectF, peaks: NDArray[np.float32], shade: QColor) -> None:
    """A recording as its lowest and highest samples, column by column; `peaks` is (2, column)."""
    columns = max(int(box.width()), 2)
    at = np.linspace(0, peaks.shape[1] - 1, columns)
    low, high = (np.interp(at, np.arange(peaks.shape[1]), side) for side in peaks)
    x = np.linspace(0.0, 1.0, columns)
    outline = points(box, np.concatenate([x, x[::-1]]), 0.5 + 0.46 * np.concatenate([high, low[::-1] - 0.01]))
    painter.setPen(QPen(shade, 0.8))
    painter.setBrush(shade)
    painter.drawPolygon(outline)
    painter.setBrush(Qt.BrushStyle.NoBrush)


@lru_cache(maxsize=24)
def peaks_of(digest: str, asset: Asset) -> NDArray[np.float32] | None:
    """Lowest and highest samples of a recording in 600 columns, (2, column); None where it is missing."""
    sound = assets.load(asset)
    if sound is None:
        return None
    mono = sound.mean(axis=0)
    count = min(600, len(mono))
    edges = np.linspace(0, len(mono), count + 1).astype(int)[:-1]
    peaks = np.stack([np.minimum.reduceat(mono, edges), np.maximum.reduceat(mono, edges)])
    return np.asarray(peaks / max(float(np.abs(peaks).max()), 1e-6), np.float32)
