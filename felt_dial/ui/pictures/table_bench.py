"""Pictures of the wavetable bench: frames as a stack, one frame under the pen, its harmonics, the strip, the reshaping."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QKeyEvent, QMouseEvent, QPainter, QPen, QWheelEvent

from felt_dial.ui.benches.table import TableWork
from felt_dial.ui.pictures.well import Well, draw_curve, points
from felt_dial.ui.theme.colours import colour, layer_dye
from felt_dial.ui.theme.fonts import body_font
from felt_dial.workshop.table import cycles
from felt_dial.workshop.table.cycles import CYCLE
from felt_dial.workshop.table.recipe import amounts_of, keyed, moved, with_amount, with_cycle
from felt_dial.workshop.table.reshaping import RESHAPINGS

MOST_DRAWN = 40
"""Frames that the stack draws; of more, so many evenly spread."""
BARS, FLOOR_DB = 64, -60.0
THUMB, APART = 54.0, 5.0


class BenchPicture(Well):
    """A picture of the table on the bench, in the dye of its layer."""

    def __init__(self, work: TableWork) -> None:
        super().__init__(work.session, "weld")
        self.work = work
        work.changed.connect(self.update)

    def key(self) -> object:
        work = self.work
        self.shade = layer_dye(work.layer) if work.layer else "weld"
        return work.layer, work.recipe, work.frame, work.chosen

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(
            Qt.Key(event.key())
        )
        ends = {Qt.Key.Key_Home: 0, Qt.Key.Key_End: 255}.get(Qt.Key(event.key()))
        if step is None and ends is None:
            super().keyPressEvent(event)
            return
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self.work.walk(ends if ends is not None else self.work.frame + (step or 0), range_=shift)


class Stack(BenchPicture):
    """All frames one behind the other: key frames strong, the one under the hand in chalk. Drag up and down to walk."""

    def __init__(self, work: TableWork) -> None:
        super().__init__(work)
        self.setMinimumSize(200, 120)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("All frames of the table")
        self.setToolTip("Drag up and down, or use the arrow keys, to walk through the frames")
        self._from: tuple[float, int] | None = None

    def live(self) -> object:
        layer = self.work.layer
        bead = self.session.link.bead(f"layers.{layer}.source.position") if layer else None
        return None if bead is None else round(float(bead), 3)

    def _room(self, box: QRectF, part: float) -> QRectF:
        """Where a frame stands, the first in front and the last behind."""
        lift, lean = box.height() * 0.62, box.width() * 0.30
        tall = box.height() - lift
        return QRectF(box.left() + lean * part, box.bottom() - tall - lift * part, box.width() - lean, tall)

    def draw(self, painter: QPainter, box: QRectF) -> None:
        frames, recipe = self.work.frames(), self.work.recipe
        if recipe is None:
            return
        count, top = recipe.count, max(float(np.abs(frames).max()), 1e-6)
        shown = set(np.unique(np.linspace(0, count - 1, min(count, MOST_DRAWN)).round().astype(int)).tolist())
        places = set(recipe.places()) if len(recipe.keys) < count else set()
        x = np.linspace(0.0, 1.0, 180)
        at = x * (CYCLE - 1)
        for n in sorted(shown | places | {self.work.frame}, reverse=True):
            part = n / max(count - 1, 1)
            y = 0.5 + 0.46 * np.interp(at, np.arange(CYCLE), frames[n]) / top
            shade, width = QColor(self.line_colour()), 0.9
            if n == self.work.frame:
                shade, width = colour("chalk"), 2.2
            elif n in places or count == 1:
                width = 1.7
            else:
                shade.setAlphaF(0.28 + 0.22 * (1 - part))
            draw_curve(painter, self._room(box, part), x, y, shade, floor=None, width=width)

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        bead, recipe = self.live(), self.work.recipe
        if recipe is None or not isinstance(bead, float):
            return
        room = self._room(box, bead)
        frames = self.work.frames()
        top = max(float(np.abs(frames).max()), 1e-6)
        y = room.center().y() - 0.46 * room.height() * float(frames[round(bead * (recipe.count - 1))][-1]) / top
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("chalk"))
        painter.drawEllipse(QPointF(room.right() + 8, y), 5, 5)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._from = event.position().y(), self.work.frame

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is not None and self.work.recipe is not None:
            part = (self._from[0] - event.position().y()) / max(self.box().height() * 0.62, 1.0)
            self.work.walk(round(self._from[1] + part * (self.work.recipe.count - 1)))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._from = None

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()


class Pen(BenchPicture):
    """The frame under the hand, as it is before it is reshaped: drawn over freely, or with straight lines."""

    def __init__(self, work: TableWork) -> None:
        super().__init__(work)
        self.tool = "draw"
        self.setMinimumHeight(70)
        self.setAccessibleName("The frame under the hand")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self._last: tuple[float, float] | None = None
        self._begin: tuple[float, float] | None = None
        self._cycle: cycles.Floats | None = None

    def draw(self, painter: QPainter, box: QRectF) -> None:
        painter.setPen(QPen(colour("chalk_soft").darker(190), 1))
        painter.drawLine(QLineF(box.left(), box.center().y(), box.right(), box.center().y()))
        painter.drawLine(QLineF(box.center().x(), box.top(), box.center().x(), box.bottom()))
        if self.work.recipe is None:
            return
        frame = self.work.plain()[self.work.frame]
        columns = np.linspace(0, CYCLE - 1, max(int(box.width()), 64))
        x = np.linspace(0.0, 1.0, len(columns))
        sounds = self.work.frames()[self.work.frame].astype(np.float64)
        if self.work.recipe.reshape != "none" and not np.allclose(sounds, frame, atol=1e-4):
            y = 0.5 + 0.48 * np.interp(columns, np.arange(CYCLE), sounds)
            draw_curve(painter, box, x, y, colour("chalk_soft"), floor=None, width=1.1)
        y = 0.5 + 0.48 * np.interp(columns, np.arange(CYCLE), np.clip(frame, -1.0, 1.0))
        draw_curve(painter, box, x, y, self.line_colour(), floor=0.5, width=2.0)

    def _at(self, event: QMouseEvent) -> tuple[float, float]:
        box, place = self.box(), event.position()
        x = min(max((place.x() - box.left()) / box.width(), 0.0), 1.0)
        return x, min(max((box.center().y() - place.y()) / (0.48 * box.height()), -1.0), 1.0)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.work.recipe is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self.work.walk(self.work.frame)
        self._cycle = self.work.plain()[self.work.frame].copy()
        self._last = self._begin = self._at(event)
        self._move(self._at(event))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._last is not None:
            self._move(self._at(event))

    def _move(self, to: tuple[float, float]) -> None:
        recipe = self.work.recipe
        if self._cycle is None or self._last is None or self._begin is None or recipe is None:
            return
        if self.tool == "line":
            made = cycles.drawn(self._cycle, self._begin, to)
        else:
            made = self._cycle = cycles.drawn(self._cycle, self._last, to)
        self._last = to
        self.work.draw(with_cycle(recipe, self.work.frame, made), f"draw frame {self.work.frame + 1}")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._last is not None:
            self._last = self._cycle = None
            self.work.let_go()


class Bars(BenchPicture):
    """Harmonics 1 to 64 of the frame under the hand, from −60 dB up: drag levels; with Alt drag phases."""

    below = 11

    def __init__(self, work: TableWork) -> None:
        super().__init__(work)
        self.setMinimumHeight(54)
        self.setAccessibleName("Harmonics of the frame under the hand")
        self.setToolTip("Drag the level of a harmonic; with Alt its phase; with the right button out with it")
        self.setMouseTracking(True)
        self._holds, self._near = False, 0
        self._phases = False
        self._last: tuple[int, float] | None = None

    def key(self) -> object:
        return super().key(), self._near, self._phases

    def draw(self, painter: QPainter, box: QRectF) -> None:
        if self.work.recipe is None:
            return
        levels, phases = cycles.levels_and_phases(self.work.plain()[self.work.frame], BARS)
        wide = box.width() / BARS
        painter.setPen(Qt.PenStyle.NoPen)
        for n, (level, phase) in enumerate(zip(levels, phases, strict=True)):
            decibels = 20 * np.log10(max(level, 1e-6))
            tall = max(1 - decibels / FLOOR_DB, 0.0) * box.height()
            shade = QColor(colour("chalk") if n + 1 == self._near else self.line_colour())
            x = box.left() + n * wide
            if self._phases:
                shade.setAlphaF(0.30)
            painter.setBrush(shade)
            painter.drawRect(
                QRectF(
                    x + 0.5,
                    box.bottom() - max(min(tall, box.height()), 1.0),
                    wide - 1.4,
                    max(min(tall, box.height()), 1.0),
                )
            )
            if self._phases and decibels > FLOOR_DB:
                painter.setBrush(colour("chalk"))
                painter.drawEllipse(QPointF(x + wide / 2, box.center().y() - phase * box.height()), 1.8, 1.8)
        painter.setFont(body_font(11))
        painter.setPen(colour("chalk_soft"))
        for number in (1, 8, 16, 32, 64):
            x = box.left() + (number - 0.5) * wide
            align = Qt.AlignmentFlag.AlignRight if number == BARS else Qt.AlignmentFlag.AlignHCenter
            spot = QRectF(x - 15, box.bottom(), 30 if number < BARS else 18, 14)
            painter.drawText(spot, align, str(number))
        if self._near:
            level = 20 * np.log10(max(levels[self._near - 1], 1e-6))
            says = f"harmonic {self._near}: {level:.1f} dB, {360 * phases[self._near - 1]:.0f}°".replace("-", "−")
            if level < -100:
                says = f"harmonic {self._near}: silent"
        else:
            says = "harmonics: drag levels, Alt drags phases"
        painter.drawText(box.adjusted(0, -2, -2, 0), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop, says)

    def _spot(self, event: QMouseEvent) -> tuple[int, float]:
        box, place = self.box(), event.position()
        number = min(max(int((place.x() - box.left()) / box.width() * BARS) + 1, 1), BARS)
        return number, min(max((box.bottom() - place.y()) / box.height(), 0.0), 1.0)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.work.recipe is not None:
            self._holds, self._last = True, None
            self._move(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._phases = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if self._holds:
            self._move(event)
        else:
            self._near = self._spot(event)[0]
            self.update()

    def leaveEvent(self, event: object) -> None:
        self._near, self._phases = 0, False
        self.update()

    def _move(self, event: QMouseEvent) -> None:
        recipe = self.work.recipe
        if recipe is None:
            return
        number, up = self._spot(event)
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        out = bool(event.buttons() & Qt.MouseButton.RightButton)
        begin = self._last or (number, up)
        steps = range(min(begin[0], number), max(begin[0], number) + 1)
        cycle = self.work.plain()[self.work.frame]
        levels, phases = cycles.levels_and_phases(cycle, BARS)
        spectrum = cycles.spectrum(cycle)
        for n in steps:
            part = 1.0 if number == begin[0] else (n - begin[0]) / (number - begin[0])
            height = begin[1] + part * (up - begin[1])
            level = 10.0 ** (FLOOR_DB * (1 - height) / 20.0) if height > 0.01 else 0.0
            level, phase = (levels[n - 1], height - 0.5) if alt else (0.0 if out else level, phases[n - 1])
            spectrum[n] = level * np.exp(2j * np.pi * phase)
        self._near, self._last = number, (number, up)
        made = cycles.cycle_of(spectrum)
        fresh = with_cycle(recipe, self.work.frame, made / max(1.0, float(np.abs(made).max())))
        self.work.draw(fresh, f"harmonics of frame {self.work.frame + 1}")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._holds:
            self._holds, self._last = False, None
            self.work.let_go()


class Strip(BenchPicture):
    """The frames in a row, and the thread of key frames under them.

    Click chooses a frame, Shift a range, Ctrl one more; a drag puts the chosen ones elsewhere; a double click keys a
    frame or lets it go.
    """

    def __init__(self, work: TableWork) -> None:
        super().__init__(work)
        self.setFixedHeight(96)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Frames and key frames")
        self.setToolTip(
            "Click chooses a frame, Shift a range, Ctrl one more; drag moves it; double click keys it or lets it go"
        )
        self._pressed: QPointF | None = None
        self._drop = -1

    def key(self) -> object:
        return super().key(), self._drop

    def box(self) -> QRectF:
        return QRectF(self.rect())

    def still(self, ratio: float):  # type: ignore[no-untyped-def]
        from PySide6.QtGui import QPixmap

        pixmap = QPixmap(self.size() * ratio)
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(colour("cloth"))
        painter = QPainter(pixmap)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.draw(painter, self.box())
        painter.end()
        return pixmap

    def shown(self) -> list[int]:
        """The frames in the row: all where they fit, else as many as fit, evenly spread, that under the hand among them."""
        recipe = self.work.recipe
        if recipe is None:
            return []
        room = max(int((self.width() + APART) // (THUMB + APART)), 1)
        if recipe.count <= room:
            return list(range(recipe.count))
        spread = np.unique(np.linspace(0, recipe.count - 1, room).round().astype(int))
        nearest = int(np.argmin(np.abs(spread - self.work.frame)))
        spread[nearest] = self.work.frame
        return sorted({int(n) for n in spread})

    def _thumbs(self) -> list[tuple[int, QRectF]]:
        shown = self.shown()
        step = min((self.width() - THUMB) / max(len(shown) - 1, 1), THUMB + APART) if len(shown) > 1 else 0.0
        return [(n, QRectF(k * step + 1, 2, THUMB - 2, 46)) for k, n in enumerate(shown)]

    def _thread(self) -> tuple[float, float, float]:
        return 27.0, self.width() - 27.0, 76.0

    def draw(self, painter: QPainter, box: QRectF) -> None:
        recipe, frames = self.work.recipe, self.work.frames()
        if recipe is None:
            return
        places, top = set(recipe.places()), max(float(np.abs(frames).max()), 1e-6)
        at = np.linspace(0, CYCLE - 1, 60)
        for n, spot in self._thumbs():
            here, keyed_ = n == self.work.frame, n in places
            painter.setPen(QPen(self.line_colour().darker(130), 2.0) if n in self.work.chosen else Qt.PenStyle.NoPen)
            painter.setBrush(colour("well"))
            painter.drawRoundedRect(spot, 4, 4)
            shade = colour("chalk") if here else QColor(self.line_colour())
            if not here and not keyed_:
                shade.setAlphaF(0.45)
            y = 0.5 + 0.42 * np.interp(at, np.arange(CYCLE), frames[n]) / top
            draw_curve(
                painter, spot.adjusted(3, 3, -3, -3), np.linspace(0, 1, 60), y, shade, None, 1.7 if keyed_ else 1.0
            )
            font: QFont = body_font(11, 600) if keyed_ else body_font(11)
            painter.setFont(font)
            painter.setPen(colour("ink" if keyed_ else "soft"))
            painter.drawText(QRectF(spot.left() - 6, 49, THUMB + 12, 14), Qt.AlignmentFlag.AlignCenter, str(n + 1))
            if n == self._drop:
                painter.setPen(QPen(colour("madder"), 2))
                painter.drawLine(QLineF(spot.left() - 3, spot.top(), spot.left() - 3, spot.bottom()))
        left, right, y_ = self._thread()
        pen = QPen(colour(self.shade), 1.6)
        pen.setDashPattern([3, 2.4])
        painter.setPen(pen)
        painter.drawLine(QLineF(left, y_, right, y_))
        painter.setPen(QPen(colour("cloth"), 1))
        many = len(recipe.keys) > 64
        for n in recipe.places():
            x = left + (right - left) * n / max(recipe.count - 1, 1)
            painter.setBrush(colour(self.shade))
            painter.drawEllipse(QPointF(x, y_), *((2.5, 2.5) if many else (5, 5)))
        x = left + (right - left) * self.work.frame / max(recipe.count - 1, 1)
        painter.setPen(QPen(colour("ink"), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(x, y_), 7, 7)

    def _frame_at(self, place: QPointF) -> int:
        recipe, (left, right, _) = self.work.recipe, self._thread()
        if recipe is None:
            return 0
        if place.y() > 62:
            part = min(max((place.x() - left) / (right - left), 0.0), 1.0)
            near = round(part * (recipe.count - 1))
            keys = [n for n in recipe.places() if abs(n - near) * (right - left) / max(recipe.count - 1, 1) < 8]
            return min(keys, key=lambda n: abs(n - near)) if keys else near
        return min(self._thumbs(), key=lambda thumb: abs(thumb[1].center().x() - place.x()))[0]

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.work.recipe is None:
            return
        keys = event.modifiers()
        frame = self._frame_at(event.position())
        self._pressed = event.position() if event.position().y() < 62 else None
        if frame in self.work.chosen and not keys and len(self.work.chosen) > 1:
            return  # the chosen ones may be about to be dragged
        self.work.walk(
            frame, bool(keys & Qt.KeyboardModifier.ControlModifier), bool(keys & Qt.KeyboardModifier.ShiftModifier)
        )

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is not None and (event.position() - self._pressed).manhattanLength() > 12:
            self._drop = self._frame_at(QPointF(event.position().x() + THUMB / 2, 10))
            self.update()
        elif self._pressed is None and event.buttons():
            self.work.walk(self._frame_at(event.position()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        drop, self._drop, pressed, self._pressed = self._drop, -1, self._pressed, None
        if drop >= 0 and pressed is not None:
            chosen = self.work.chosen
            last = self._thumbs()[-1]
            before = drop if event.position().x() < last[1].right() else drop + 1
            if before not in chosen:
                at = before - sum(n < before for n in chosen)
                self.work.edit(lambda r: moved(r, chosen, before), f"move {_frames_said(chosen)}", frame=at)
        elif pressed is not None and not event.modifiers() and len(self.work.chosen) > 1:
            self.work.walk(self._frame_at(event.position()))
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        recipe = self.work.recipe
        if recipe is not None:
            frame = self._frame_at(event.position())
            on = frame not in recipe.places()
            says = f"key frame {frame + 1}" if on else f"let key frame {frame + 1} go"
            self.work.edit(lambda r: keyed(r, frame, on), says)


def _frames_said(frames: tuple[int, ...]) -> str:
    return f"frame {frames[0] + 1}" if len(frames) == 1 else f"{len(frames)} frames"


class Amounts(BenchPicture):
    """How far each frame is reshaped, in straight lines between points at the key frames: drag the points."""

    def __init__(self, work: TableWork) -> None:
        super().__init__(work)
        self.setMinimumHeight(48)
        self.setAccessibleName("How far the table is reshaped, from the first frame to the last")
        self.setToolTip("Drag the points: they stand at the key frames. Double click between two keys a frame there")
        self._held = -1

    def _both(self) -> bool:
        return self.work.recipe is not None and RESHAPINGS[self.work.recipe.reshape].both

    def _up(self, amount: float) -> float:
        return 0.5 + amount / 2 if self._both() else amount

    def draw(self, painter: QPainter, box: QRectF) -> None:
        recipe = self.work.recipe
        if recipe is None or recipe.reshape == "none":
            painter.setFont(body_font(11))
            painter.setPen(colour("chalk_soft"))
            says = "choose a reshaping: its amount is drawn here,\nfrom the first frame to the last"
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, says)
            return
        x = np.linspace(0, 1, recipe.count) if recipe.count > 1 else np.array([0.0, 1.0])
        amounts = amounts_of(recipe) if recipe.count > 1 else np.repeat(amounts_of(recipe), 2)
        floor = 0.5 if self._both() else 0.0
        if self._both():
            painter.setPen(QPen(colour("chalk_soft").darker(190), 1))
            painter.drawLine(QLineF(box.left(), box.center().y(), box.right(), box.center().y()))
        draw_curve(painter, box, x, [self._up(float(a)) for a in amounts], self.line_colour(), floor=floor)
        if len(recipe.keys) <= 64:
            for n, key in enumerate(recipe.keys):
                spot = self._point(box, key.at, key.amount)
                painter.setPen(QPen(colour("chalk") if n == self._held else self.line_colour(), 1.6))
                painter.setBrush(colour("well"))
                painter.drawEllipse(spot, 4.4, 4.4)
        if self._held >= 0:
            key = recipe.keys[self._held]
            painter.setFont(body_font(11))
            painter.setPen(colour("chalk"))
            says = f"frame {key.at + 1}: {100 * key.amount:.0f} %".replace("-", "−")
            painter.drawText(box, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop, says)

    def key(self) -> object:
        return super().key(), self._held

    def _point(self, box: QRectF, at: int, amount: float) -> QPointF:
        recipe = self.work.recipe
        last = max(recipe.count - 1, 1) if recipe is not None else 1
        return points(box, [at / last], [self._up(amount)]).first()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        recipe = self.work.recipe
        if recipe is None or recipe.reshape == "none":
            return
        box = self.box()
        near = [abs(self._point(box, key.at, key.amount).x() - event.position().x()) for key in recipe.keys]
        self._held = int(np.argmin(near))
        self.work.walk(recipe.keys[self._held].at)
        self._move(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held >= 0:
            self._move(event)

    def _move(self, event: QMouseEvent) -> None:
        recipe, box = self.work.recipe, self.box()
        if recipe is None:
            return
        up = min(max((box.bottom() - event.position().y()) / box.height(), 0.0), 1.0)
        amount = round(2 * up - 1 if self._both() else up, 3)
        amount = 0.0 if abs(amount) < 0.02 else amount
        self.work.draw(with_amount(recipe, recipe.keys[self._held].at, amount), "reshape along the table")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held >= 0:
            self._held = -1
            self.work.let_go()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        recipe, box = self.work.recipe, self.box()
        if recipe is not None and recipe.reshape != "none":
            part = min(max((event.position().x() - box.left()) / box.width(), 0.0), 1.0)
            frame = round(part * (recipe.count - 1))
            self.work.edit(lambda r: keyed(r, frame, True), f"key frame {frame + 1}", frame=frame)
