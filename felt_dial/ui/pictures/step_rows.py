"""Rows of steps under the hand: bars that are drawn with one stroke, one lane at a time."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen

from felt_dial.patch.drawn import Column, Rows
from felt_dial.patch.params import Param
from felt_dial.patch.patch import drawn_at
from felt_dial.patch.units import COUNT, PERCENT, Value
from felt_dial.session.session import Session
from felt_dial.ui.dials.entry import Entry
from felt_dial.ui.pictures.points import type_beside
from felt_dial.ui.pictures.well import Well, draws, mover_row
from felt_dial.ui.theme.colours import colour
from felt_dial.ui.theme.fonts import body_font


class StepsEditor(Well):
    """A row of steps at a path of the patch: drag over the bars to draw a lane, click a tie to set it.

    From the keyboard: [ and ] choose a step, up and down change it.
    """

    def __init__(self, session: Session, path: str, shade: str, large: bool = True) -> None:
        super().__init__(session, shade, path.rpartition(".")[0], "tempo")
        self.path, self.large = path, large
        self.lane = 0
        self.entry: Entry | None = None
        self.chosen = -1
        self._before: Rows = ()
        if large:
            self.setToolTip("Drag over the steps to draw them; [ and ] choose a step, up and down change it")
            self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    @property
    def rows(self) -> Rows:
        """The steps as they are."""
        return drawn_at(self.session.patch, self.path)[1]

    @property
    def column(self) -> Column:
        """What the lane in view is."""
        return drawn_at(self.session.patch, self.path)[0].columns[self.lane]

    def key(self) -> object:
        return self.rows, self.lane

    def box(self) -> QRectF:
        return super().box().adjusted(-2, 0, 2, 0)

    def bar(self, box: QRectF, n: int) -> QRectF:
        """Where a step is."""
        wide = box.width() / len(self.rows)
        return QRectF(box.left() + n * wide + 1, box.top(), max(wide - 2, 1.0), box.height())

    def playing(self) -> int:
        """The step that sounds, −1 for none."""
        return -1

    def live(self) -> object:
        return self.playing()

    def draw(self, painter: QPainter, box: QRectF) -> None:
        column = self.column
        zero = (0.0 - column.low) / (column.high - column.low) if column.low < 0 else 0.0
        for n, row in enumerate(self.rows):
            bar = self.bar(box, n)
            part = (row[self.lane] - column.low) / (column.high - column.low)
            top, bottom = max(part, zero), min(part, zero)
            filled = QRectF(bar.left(), bar.bottom() - top * bar.height(), bar.width(), (top - bottom) * bar.height())
            shade = self.line_colour()
            painter.setPen(Qt.PenStyle.NoPen)
            shade.setAlphaF(0.16)
            painter.setBrush(shade)
            painter.drawRoundedRect(bar, 2, 2)
            shade.setAlphaF(self.strength(row))
            painter.setBrush(shade)
            painter.drawRoundedRect(filled.adjusted(0, -1, 0, 1), 2, 2)
            if self.large and bar.width() > 24 and self.lane:
                painter.setPen(colour("chalk"))
                painter.setFont(body_font(11))
                painter.drawText(bar, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignHCenter, self._value(row))

    def strength(self, row: tuple[float, ...]) -> float:
        """How strongly a step is drawn."""
        return 0.85

    def _value(self, row: tuple[float, ...]) -> str:
        value = row[self.lane]
        if self.column.whole:
            return f"{value:+.0f}".replace("-", "−") if self.column.low < 0 else f"{value:.0f}"
        return f"{value * 100:.0f}"

    def draw_live(self, painter: QPainter, box: QRectF) -> None:
        count = len(self.rows)
        if isinstance(self.seen_now, int) and 0 <= self.seen_now < count:
            bar = self.bar(box, self.seen_now)
            painter.setPen(QPen(colour("chalk"), 1.6))
            painter.drawLine(QPointF(bar.left(), bar.bottom() + 2), QPointF(bar.right(), bar.bottom() + 2))
        if 0 <= self.chosen < count and self.hasFocus():
            painter.setPen(QPen(colour("chalk"), 1.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(self.bar(box, self.chosen), 2, 2)

    def put(self, n: int, value: float, merge: str = "") -> None:
        """Gives the lane of one step a value."""
        column, rows = self.column, [list(row) for row in self.rows]
        rows[n][self.lane] = min(max(round(value) if column.whole else value, column.low), column.high)
        made = tuple(tuple(row) for row in rows)
        self.session.editor.set_all({self.path: made}, f"draw {column.name}", merge)

    def _at(self, point: QPointF) -> tuple[int, float]:
        box, column = self.box(), self.column
        n = min(max(int((point.x() - box.left()) / box.width() * len(self.rows)), 0), len(self.rows) - 1)
        up = min(max((box.bottom() - point.y()) / box.height(), 0.0), 1.0)
        return n, column.low + up * (column.high - column.low)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if not self.large:
            event.ignore()
            return
        self.session.editor.history.settle()
        self._before = self.rows
        self.chosen, value = self._at(event.position())
        if self.column.whole and self.column.high - self.column.low == 1:
            value = 1.0 - self.rows[self.chosen][self.lane]
            self._stroke = value
        self.put(self.chosen, value, f"draw {self.path}")

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if not self.large or not event.buttons():
            return
        n, value = self._at(event.position())
        if self.column.whole and self.column.high - self.column.low == 1:
            value = self._stroke
        first, self.chosen = self.chosen, n
        for between in range(min(first, n), max(first, n) + 1):
            if between != first or n == first:
                self.put(between, value, f"draw {self.path}")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.large:
            self.session.editor.history.settle()
        else:
            event.ignore()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, count = event.key(), len(self.rows)
        if key in (Qt.Key.Key_BracketLeft, Qt.Key.Key_BracketRight):
            self.chosen = (self.chosen + (1 if key == Qt.Key.Key_BracketRight else -1)) % count
            self.update()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and 0 <= self.chosen < count:
            step = 1.0 if self.column.whole else 0.05
            now = self.rows[self.chosen][self.lane]
            self.put(self.chosen, now + (step if key == Qt.Key.Key_Up else -step), f"key {self.path}")
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and 0 <= self.chosen < count:
            self.type_value(self.chosen)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not event.isAutoRepeat():
            self.session.editor.history.settle()
        super().keyReleaseEvent(event)

    def set_count(self, count: int) -> None:
        """More steps or fewer: one more is as its neighbour is, many more are the first ones again."""
        drawn, rows = drawn_at(self.session.patch, self.path)
        count = min(max(count, 1), drawn.most)
        made = (*rows, rows[-1]) if count == len(rows) + 1 else tuple(rows[n % len(rows)] for n in range(count))
        self.session.editor.set_all({self.path: made}, f"{count} steps")

    def type_value(self, n: int) -> None:
        """Opens the entry for the lane of a step: a number, or per cent."""
        column, now = self.column, self.rows[n][self.lane]
        unit = COUNT if column.whole else PERCENT
        lane = Param(column.name.capitalize(), now, (column.low, column.high), unit, whole=column.whole, says="")

        def take(values: list[Value]) -> None:
            if n < len(self.rows):
                self.put(n, float(values[0]))  # type: ignore[arg-type]

        spot = self.bar(self.box(), n).center()
        self.entry = type_beside(self, spot, [(lane, now)], take, f"{lane.label} of step {n + 1}")

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.large and not (self.column.whole and self.column.high - self.column.low == 1):
            self.chosen, _ = self._at(event.position())
            self.type_value(self.chosen)
        else:
            self.mousePressEvent(event)


@draws("steps")
class StepsPicture(StepsEditor):
    """The steps of a modulator; unlikely ones are drawn faintly, ties as one."""

    def __init__(self, session: Session, path: str, shade: str, large: bool = False) -> None:
        super().__init__(session, f"{path}.row", shade, large)
        self.mover = key = path.split(".")[1]
        self.setAccessibleName(f"Steps {key.upper()}")

    def strength(self, row: tuple[float, ...]) -> float:
        return 0.3 if row[1] > 0.5 else 0.3 + 0.55 * row[2]

    def playing(self) -> int:
        row = mover_row(self.session, self.mover)
        return -1 if row is None else int(row[1])
