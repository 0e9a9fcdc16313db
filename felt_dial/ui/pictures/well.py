"""The well: the dark ground of every picture, and how a curve is drawn in it."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from typing import Any, TypeVar, cast

import numpy as np
from numpy.typing import ArrayLike, NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen, QPixmap, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget
from shiboken6 import VoidPtr

from felt_dial.live.link.shared_memory import NOTHING_MOVES
from felt_dial.patch.parts import NoSuchPath
from felt_dial.patch.reach import moves_something
from felt_dial.session.channel import EVERYTHING
from felt_dial.session.session import Session
from felt_dial.session.topics import Frame
from felt_dial.sound import spectra
from felt_dial.ui.pictures.redrawing import redrawing
from felt_dial.ui.theme.colours import cloth, colour, dye
from felt_dial.ui.theme.felt import draw_focus
from felt_dial.ui.theme.fonts import body_font

GONE = (KeyError, AttributeError, NoSuchPath)
"""What a picture meets that outlives for a moment what it shows."""


BELOW = 11
"""Pixels under a drawing for what stands on its axis."""
FREQUENCIES = (
    (50, "50"),
    (100, "100"),
    (200, "200"),
    (500, "500"),
    (1000, "1 k"),
    (2000, "2 k"),
    (5000, "5 k"),
    (10000, "10 k"),
)
"""What stands under a picture over frequency, in Hz."""


def draw_frequencies(painter: QPainter, box: QRectF) -> None:
    """Lines at frequencies from 20 Hz to 20 kHz, evenly by ear, and their names under the box."""
    painter.setFont(body_font(11))
    for frequency, name in FREQUENCIES:
        x = box.left() + spectra.across(frequency) * box.width()
        painter.setPen(QPen(colour("chalk_soft").darker(205), 1))
        painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        painter.setPen(colour("chalk_soft"))
        painter.drawText(QRectF(x - 20, box.bottom() + 1, 40, BELOW + 3), Qt.AlignmentFlag.AlignCenter, name)


def draw_ground(painter: QPainter, rect: QRectF) -> None:
    """The dark ground of a picture."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour("well"))
    painter.drawRoundedRect(rect, 5, 5)


W = TypeVar("W", bound="Well")
PICTURES: dict[str, Any] = {}
"""Pictures of modules by the names that the modules give; `picture_of` chooses among them."""


def draws(*names: str) -> Callable[[type[W]], type[W]]:
    """Enters a picture under the names by which modules ask for it."""

    def enter(picture: type[W]) -> type[W]:
        PICTURES.update(dict.fromkeys(names, picture))
        return picture

    return enter


class Well(QWidget):
    """A picture of the running patch.

    Subclasses say what they depend on (`key`) and how it is drawn (`draw`); the drawing is cached
    and made again only when the key changes. What moves is drawn over it by `draw_live`. An edit wakes it only
    at the paths of the patch that it `looks_at`, the first of which is its own.
    """

    below = 0

    def __init__(self, session: Session, shade: str, *looks_at: str) -> None:
        super().__init__()
        self.session, self.shade = session, shade
        self.path = looks_at[0] if looks_at else EVERYTHING
        self._cache: QPixmap | None = None
        self._cached_for: object = None
        self._cached_at = QSize()
        self.seen_now: object = None
        """What `live` gave when it was painted last."""
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        session.channel.watch(self._follow, *(looks_at or (EVERYTHING,)))
        session.channel.watch(self._frame, Frame)
        cloth.changed.connect(self._forget)

    def turn_to(self, path: str, shade: str) -> None:
        """Shows a module of the same kind, at another path."""
        self.session.channel.look_elsewhere(self._follow, [self.path], [path])
        self.path, self.shade = path, shade
        self._forget()

    def sizeHint(self) -> QSize:
        return QSize(120, 60)

    def key(self) -> object:
        """Everything the drawing depends on."""
        raise AssertionError

    def draw(self, painter: QPainter, box: QRectF) -> None:
        """Draws the still part."""

    def live(self) -> object:
        """What moves now; the picture is painted again when it changes."""
        return None

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        """Draws what moves."""

    def _follow(self) -> None:
        """What is not seen is looked at when it is painted."""
        if not self.isVisible():
            return
        try:
            changed = self.key() != self._cached_for
        except GONE:
            return
        if changed:
            self.update()

    def _forget(self) -> None:
        self._cache = None
        self.update()

    def _frame(self) -> None:
        if not self.isVisible():
            return
        try:
            live = self.live()
        except GONE:
            return
        if live != self.seen_now:
            self.seen_now = live
            self.update()

    def box(self) -> QRectF:
        """Where the drawing goes."""
        return QRectF(self.rect()).adjusted(7, 6, -7, -6 - self.below)

    def paintEvent(self, event: QPaintEvent) -> None:
        try:
            key = self.key()
        except GONE:
            return
        if self._cache is None or key != self._cached_for:
            self._draw_for(key)
        elif self._cached_at != self.size():
            redrawing().ask(self)
        painter = QPainter(self)
        if self._cache is not None:
            painter.drawPixmap(self.rect(), self._cache)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.draw_live(painter, self.box())
        if self.hasFocus():
            draw_focus(painter, QRectF(self.rect()).adjusted(2, 2, -2, -2), 4, in_well=True)

    def _draw_for(self, key: object) -> None:
        self._cache, self._cached_for, self._cached_at = self.still(self.devicePixelRatioF()), key, self.size()

    def redraw(self) -> None:
        """Draws it for the size it has, where that is another than it was drawn for."""
        if self._cached_at == self.size() or not self.isVisible():
            return
        with contextlib.suppress(*GONE):
            self._draw_for(self.key())
            self.update()

    def still(self, ratio: float) -> QPixmap:
        """The still part on its ground, `ratio` pixels to the point."""
        pixmap = QPixmap(self.size() * ratio)
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(colour("cloth"))
        painter = QPainter(pixmap)
        draw_ground(painter, QRectF(self.rect()))
        self.draw(painter, self.box())
        painter.end()
        return pixmap

    def line_colour(self) -> QColor:
        """The light form of the owner's dye."""
        return dye(self.shade, in_well=True)


def mover_row(session: Session, key: str) -> NDArray[np.float32] | None:
    """What the engine tells of a modulator: three numbers of its state and its value; None while nothing moves it.

    A modulator that moves nothing is not worked out, so nothing is told of it.
    """
    row: NDArray[np.float32] = session.link.shared.data["movers"][list(session.patch.modulators).index(key)]
    return None if row[3] == NOTHING_MOVES or not moves_something(session.patch, key) else row


def shade_loop(painter: QPainter, box: QRectF, low: float, high: float, shade: QColor) -> None:
    """The part that goes round, from 0 to 1 across the box, between two dashed marks."""
    left, right = (box.left() + part * box.width() for part in (low, high))
    shade.setAlphaF(0.16)
    if right > left:
        painter.fillRect(QRectF(left, box.top(), right - left, box.height()), shade)
    painter.setPen(QPen(colour("chalk_soft"), 1, Qt.PenStyle.DashLine))
    for x in (left, right):
        painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))


def points(box: QRectF, x: ArrayLike, y: ArrayLike) -> QPolygonF:
    """Points for x and y from 0 to 1, y upwards; they are written where the polygon keeps them."""
    across = box.left() + np.asarray(x) * box.width()
    found = QPolygonF()
    found.resize(len(across))
    memory: Any = VoidPtr(cast(Any, found).data(), 16 * len(across), True)  # type: ignore[call-arg]
    pairs = np.frombuffer(memory, np.float64).reshape(-1, 2)
    pairs[:, 0], pairs[:, 1] = across, box.bottom() - np.asarray(y) * box.height()
    return found


def draw_curve(
    painter: QPainter,
    box: QRectF,
    x: ArrayLike,
    y: ArrayLike,
    shade: QColor,
    floor: float | None = 0.0,
    width: float = 1.8,
) -> None:
    """One curve with a quarter of its own colour between it and `floor` (0 to 1; None leaves it out)."""
    line = points(box, x, y)
    if floor is not None:
        path = QPainterPath()
        path.addPolygon(line)
        base = box.bottom() - floor * box.height()
        path.lineTo(line.last().x(), base)
        path.lineTo(line.first().x(), base)
        path.closeSubpath()
        fill = QColor(shade)
        fill.setAlphaF(0.25)
        painter.fillPath(path, fill)
    pen = QPen(shade, width)
    pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(line)
