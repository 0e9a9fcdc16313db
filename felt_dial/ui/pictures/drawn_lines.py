"""Drawn lines under the hand: the shapes of LFOs, curves and threads, edited where they are shown."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QMenu

from felt_dial.patch.drawn import AT, BEND, LEVEL, STRAIGHT, Rows
from felt_dial.patch.module import Modulator
from felt_dial.patch.params import Param
from felt_dial.patch.patch import drawn_at
from felt_dial.patch.units import BEND as BOTH
from felt_dial.patch.units import DEGREES, PERCENT, SECONDS, Value
from felt_dial.session.session import Session
from felt_dial.sound.control.core.line import line_value
from felt_dial.sound.control.curve import Curve
from felt_dial.sound.control.lfo import as_drawn, lfo_value
from felt_dial.ui.dials.entry import Entry
from felt_dial.ui.pictures.points import say_beside, type_beside, written
from felt_dial.ui.pictures.well import Well, draw_curve, draws, mover_row, shade_loop
from felt_dial.ui.theme.colours import colour

NEAR = 12.0
QUARTERS = 4
"""Fields of the grid of an LFO, across and up."""


def _within(param: Param, part: float) -> float:
    """What a part of a side of a drawing is in its unit."""
    return param.low + part * (param.high - param.low)


def _part(param: Param, value: float) -> float:
    """The other way."""
    return (value - param.low) / (param.high - param.low)


class LineEditor(Well):
    """A drawing at a path of the patch. Drag a point; drag between two to bend; double-click adds a point, or types one.

    From the keyboard: [ and ] choose a point, the arrows move it, Return types it, Page Up and Down bend what follows it,
    Insert adds one after it, Delete removes it.
    """

    def __init__(self, session: Session, path: str, shade: str, large: bool = True) -> None:
        super().__init__(session, shade, path.rpartition(".")[0], "tempo")
        self.path, self.large = path, large
        self.chosen = -1
        self.entry: Entry | None = None
        self._drag: tuple[int, QPointF, Rows] | None = None
        if large:
            self.setToolTip(
                "Drag a point; drag a slope to bend it; double-click adds a point or types one, Delete removes it"
            )
            self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    @property
    def rows(self) -> Rows:
        """The points as they are; a straight line where none were drawn."""
        return drawn_at(self.session.patch, self.path)[1] or STRAIGHT

    def editable(self) -> bool:
        """Whether the hand may change it."""
        return self.large

    def columns(self) -> int:
        """Columns that points snap to, 0 for none."""
        return 0

    def across(self) -> Param:
        """What goes across, from the one side to the other."""
        return Param("Place", 0.0, (0.0, 1.0), PERCENT, says="")

    def up(self) -> Param:
        """What goes up, from the bottom to the top."""
        return Param("Level", 0.0, (0.0, 1.0), PERCENT, says="")

    def figures(self, n: int) -> list[tuple[Param, Value]]:
        """Where a point is, and between what it may be: across, between its neighbours, and up."""
        rows, across, up = self.rows, self.across(), self.up()
        low, at, high = (_within(across, rows[min(max(k, 0), len(rows) - 1)][AT]) for k in (n - 1, n, n + 1))
        return [(Param(across.label, at, (low, high), across.unit, says=""), at), (up, _within(up, rows[n][LEVEL]))]

    def type_point(self, n: int) -> None:
        """Opens the entry for a point: where it is across and how high; the first and the last stay at their ends."""
        figures = self.figures(n)
        if n in (0, len(self.rows) - 1):
            del figures[0]

        def take(values: list[Value]) -> None:
            if n < len(self.rows):
                *across, up = (float(value) for value in values)  # type: ignore[arg-type]
                at = _part(self.across(), across[0]) if across else self.rows[n][AT]
                self.move_point(n, at, _part(self.up(), up))

        self.entry = type_beside(self, self.spot(self.box(), self.rows[n]), figures, take, "Place of the point")

    def key(self) -> object:
        return self.rows

    def draw(self, painter: QPainter, box: QRectF) -> None:
        self.draw_grid(painter, box)
        x = np.unique(np.concatenate([np.linspace(0, 1, 241), [row[AT] for row in self.rows]]))
        y = line_value(self.rows, x)
        for point in self.rows:
            x, y = np.append(x, point[AT]), np.append(y, point[LEVEL])
        order = np.argsort(x, kind="stable")
        draw_curve(painter, box, x[order], y[order], self.line_colour())

    def draw_grid(self, painter: QPainter, box: QRectF) -> None:
        """Lines of the grid, where points snap."""
        painter.setPen(QPen(colour("chalk_soft"), 1, Qt.PenStyle.DotLine))
        for n in range(1, self.columns()):
            x = box.left() + n / self.columns() * box.width()
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        if self.editable():
            for n, row in enumerate(self.rows):
                chosen = n == self.chosen
                painter.setPen(QPen(colour("chalk") if chosen else self.line_colour(), 1.6))
                painter.setBrush(self.line_colour() if chosen else colour("well"))
                painter.drawEllipse(self.spot(box, row), 4.6, 4.6)
            if 0 <= self.chosen < len(self.rows) and (self._drag is not None or self.hasFocus()):
                say_beside(painter, box, self.spot(box, self.rows[self.chosen]), written(self.figures(self.chosen)))

    def spot(self, box: QRectF, row: tuple[float, ...]) -> QPointF:
        return QPointF(box.left() + row[AT] * box.width(), box.bottom() - row[LEVEL] * box.height())

    def _place(self, point: QPointF) -> tuple[float, float]:
        box = self.box()
        across = min(max((point.x() - box.left()) / box.width(), 0.0), 1.0)
        up = min(max((box.bottom() - point.y()) / box.height(), 0.0), 1.0)
        return self._snapped(across), up

    def _snapped(self, across: float) -> float:
        count = self.columns()
        return round(across * count) / count if count else across

    def _near(self, point: QPointF, rows: Rows | None = None) -> int:
        """The point of a drawing that is near a place, −1 where none is."""
        box = self.box()
        away = [(self.spot(box, row) - point).manhattanLength() for row in rows or self.rows]
        nearest = int(np.argmin(away))
        return nearest if away[nearest] <= NEAR else -1

    def put(self, rows: Rows, says: str, merge: str = "") -> None:
        """Makes the drawing these points."""
        self.session.editor.set_all({self.path: rows}, says, merge)

    def move_point(self, n: int, at: float, level: float, rows: Rows | None = None, merge: str = "") -> None:
        """Moves a point between its neighbours; the first and the last stay at their ends."""
        points = list(rows or self.rows)
        last = len(points) - 1
        low = points[n - 1][AT] if n else 0.0
        high = points[n + 1][AT] if n < last else 1.0
        at = 0.0 if n == 0 else 1.0 if n == last else min(max(at, low), high)
        points[n] = (at, min(max(level, 0.0), 1.0), points[n][BEND])
        self.put(tuple(points), "move a point", merge)

    def bend(self, n: int, bend: float, rows: Rows | None = None, merge: str = "") -> None:
        """Bends the way from a point to the next."""
        points = list(rows or self.rows)
        points[n] = (points[n][AT], points[n][LEVEL], min(max(bend, -1.0), 1.0))
        self.put(tuple(points), "bend a slope", merge)

    def add_point(self, at: float, level: float) -> None:
        """One more point, where there is room for one."""
        points = list(self.rows)
        if len(points) >= drawn_at(self.session.patch, self.path)[0].most:
            self.session.say(f"There is no room for more than {len(points)} points.", problem=True)
            return
        n = next((k for k, row in enumerate(points) if row[AT] > at), len(points) - 1)
        n = min(max(n, 1), len(points) - 1)
        points.insert(n, (at, level, 0.0))
        self.chosen = n
        self.put(tuple(points), "add a point")

    def remove_point(self, n: int) -> None:
        """One point less; the ends stay."""
        points = list(self.rows)
        if 0 < n < len(points) - 1:
            del points[n]
            self.chosen = min(n, len(points) - 1)
            self.put(tuple(points), "remove a point")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if not self.editable():
            event.ignore()
            return
        self.session.editor.history.settle()
        self.chosen = self._near(event.position())
        self._drag = (self.chosen, event.position(), self.rows)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None or not event.buttons():
            return
        n, start, rows = self._drag
        if n >= 0:
            self.move_point(n, *self._place(event.position()), rows, f"drag {self.path}")
            return
        began = (start.x() - self.box().left()) / self.box().width()
        n = max((k for k, row in enumerate(rows[:-1]) if row[AT] <= began), default=0)
        rises = 1.0 if rows[n + 1][LEVEL] >= rows[n][LEVEL] else -1.0
        up = (start.y() - event.position().y()) / self.box().height()
        self.bend(n, rows[n][BEND] + 2 * rises * up, rows, f"bend {self.path}")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            event.ignore()
            return
        self._drag = None
        self.session.editor.history.settle()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if not self.editable():
            return
        n = self._near(event.position())
        self._drag = None
        if n >= 0:
            self.chosen = n
            self.type_point(n)
        else:
            self.add_point(*self._place(event.position()))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        n = self._near(QPointF(event.pos())) if self.editable() else -1
        if n < 0:
            super().contextMenuEvent(event)
            return
        self.chosen = n
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction("Type it…\tReturn", lambda: self.type_point(n))
        menu.addAction("Straighten what follows", lambda: self.bend(n, 0.0)).setEnabled(n < len(self.rows) - 1)
        menu.addAction("Remove\tDel", lambda: self.remove_point(n)).setEnabled(0 < n < len(self.rows) - 1)
        menu.popup(event.globalPos())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, rows = event.key(), self.rows
        if not self.editable():
            super().keyPressEvent(event)
        elif key in (Qt.Key.Key_BracketLeft, Qt.Key.Key_BracketRight):
            self.chosen = (self.chosen + (1 if key == Qt.Key.Key_BracketRight else -1)) % len(rows)
            self.update()
        elif not 0 <= self.chosen < len(rows):
            super().keyPressEvent(event)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down):
            step = 1 / self.columns() if self.columns() else 0.01
            across = {Qt.Key.Key_Left: -step, Qt.Key.Key_Right: step}.get(Qt.Key(key), 0.0)
            up = {Qt.Key.Key_Down: -0.01, Qt.Key.Key_Up: 0.01}.get(Qt.Key(key), 0.0)
            point = rows[self.chosen]
            self.move_point(self.chosen, self._snapped(point[AT] + across), point[LEVEL] + up, merge=f"key {self.path}")
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown) and self.chosen < len(rows) - 1:
            more = 0.05 if key == Qt.Key.Key_PageUp else -0.05
            self.bend(self.chosen, rows[self.chosen][BEND] + more, merge=f"key bend {self.path}")
        elif key == Qt.Key.Key_Insert and self.chosen < len(rows) - 1:
            middle = 0.5 * (rows[self.chosen][AT] + rows[self.chosen + 1][AT])
            self.add_point(middle, float(line_value(rows, middle)))
        elif key == Qt.Key.Key_Delete:
            self.remove_point(self.chosen)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.type_point(self.chosen)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not event.isAutoRepeat():
            self.session.editor.history.settle()
        super().keyReleaseEvent(event)


@draws("line")
class LinePicture(LineEditor):
    """An LFO or a curve, with the place where the sounding note is."""

    def __init__(self, session: Session, path: str, shade: str, large: bool = False) -> None:
        super().__init__(session, f"{path}.line", shade, large)
        self.mover = key = path.split(".")[1]
        self.setAccessibleName(f"{session.patch.modulators[key].title} {key.upper()}")

    @property
    def modulator(self) -> Modulator:
        """The LFO or curve as it is."""
        return self.session.patch.modulators[self.mover]

    def _formula(self) -> str:
        """The shape of an LFO that is not drawn, else nothing."""
        shape = getattr(self.modulator, "shape", "drawn")
        return "" if shape == "drawn" else str(shape)

    def editable(self) -> bool:
        return self.large and not self._formula()

    def _draw_on(self, merge: str) -> None:
        """A ready wave becomes a drawing of the same wave."""
        shape, path = self._formula(), self.path.rpartition(".")[0]
        values = {f"{path}.shape": "drawn", self.path: as_drawn(shape)}
        self.session.editor.set_all(values, f"draw on the {shape} of {self.mover.upper()}", merge)
        self.session.say(f"{self.mover.upper()} goes by its drawing now, which begins as its wave did.")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if not (self.large and self._formula()):  # else the hand may begin to draw
            super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.large and self._formula() and event.buttons():
            rows = as_drawn(self._formula())
            self.chosen = self._near(event.position(), rows)
            self._drag = (self.chosen, event.position(), rows)
            self._draw_on(f"{'drag' if self.chosen >= 0 else 'bend'} {self.path}")
        super().mouseMoveEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.large and self._formula():
            self._draw_on(f"draw {self.path}")
        super().mouseDoubleClickEvent(event)

    def draw_grid(self, painter: QPainter, box: QRectF) -> None:
        if self.columns():
            super().draw_grid(painter, box)
            return
        pen = QPen(colour("chalk_soft").darker(190), 1)
        painter.setPen(pen)
        for n in range(1, QUARTERS):
            x, y = box.left() + n / QUARTERS * box.width(), box.top() + n / QUARTERS * box.height()
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))

    def across(self) -> Param:
        """Seconds of a curve; degrees of the turn of an LFO."""
        modulator = self.modulator
        if isinstance(modulator, Curve):
            length = Curve.param_of("length").resolve(modulator.get("length"), self.session.patch.number("tempo"))
            return Param("Time", 0.0, (0.0, length), SECONDS, says="")
        return Param("Phase", 0.0, (0.0, 360.0), DEGREES, says="")

    def up(self) -> Param:
        """A curve goes from 0 to 100 %, an LFO to both sides of its middle."""
        return super().up() if isinstance(self.modulator, Curve) else Param("Level", 0.0, (-1.0, 1.0), BOTH, says="")

    def columns(self) -> int:
        modulator = self.modulator
        return int(modulator.grid) if isinstance(modulator, Curve) and modulator.snap == "on" else 0

    def key(self) -> object:
        return self.modulator

    def live(self) -> object:
        row = mover_row(self.session, self.mover)
        if row is None:
            return None
        return round(float(row[0]), 3), round(float(row[3]), 3)

    def draw(self, painter: QPainter, box: QRectF) -> None:
        modulator = self.modulator
        if isinstance(modulator, Curve):
            if modulator.loop != "off":
                low, high = float(modulator.loop_from), float(modulator.loop_to)
                shade_loop(painter, box, low, high, self.line_colour())
            super().draw(painter, box)
            return
        start = modulator.number("phase") / 360
        if not self._formula() and self.large:
            super().draw(painter, box)
            return
        turns = np.linspace(0, 1, 361)
        y = lfo_value(self._formula() or "drawn", turns + start, self.rows)
        if self.large:
            self.draw_grid(painter, box)
        draw_curve(painter, box, turns, 0.5 + 0.46 * y, self.line_colour(), floor=0.5)

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        super().draw_live(painter, box)
        if not isinstance(self.seen_now, tuple):
            return
        place, value = self.seen_now
        if isinstance(self.modulator, Curve):
            across, up = place, value
        else:
            across = place % 1.0 if place != 1.0 else 1.0
            up = 0.5 + (0.5 if self.editable() else 0.46) * value
            if self.editable():
                across = (across + self.modulator.number("phase") / 360) % 1.0
        x = box.left() + across * box.width()
        painter.setPen(QPen(colour("chalk_soft"), 1))
        painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("chalk"))
        painter.drawEllipse(QPointF(x, box.bottom() - up * box.height()), 3.4, 3.4)
