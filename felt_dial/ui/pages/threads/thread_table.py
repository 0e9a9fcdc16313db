"""The table of threads: one row for everything that moves something; every cell is edited where it stands."""

from __future__ import annotations

from typing import Any, cast

import numpy as np
from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import (
    QComboBox,
    QHeaderView,
    QLineEdit,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from felt_dial.errors import FeltDialError
from felt_dial.patch.drawn import STRAIGHT
from felt_dial.patch.edits import cut, place_name, set_thread
from felt_dial.patch.params import Param
from felt_dial.patch.parts import Route, read_depth
from felt_dial.patch.patch import depth_of, movers, slots, target_param
from felt_dial.patch.reach import moves_something, reach
from felt_dial.patch.units import THIN
from felt_dial.session.session import Session
from felt_dial.sound.control.core.line import line_value
from felt_dial.ui.dials.tag import mover_dye, paint_tag, tag_text
from felt_dial.ui.pictures.well import draw_curve
from felt_dial.ui.theme.colours import colour, dye, layer_dye
from felt_dial.ui.theme.fonts import body_font
from felt_dial.ui.theme.words import plain

COLUMNS = ("Moved by", "Shape", "How far", "Scaled by", "What it moves", "Reaches", "Now")
MOVED_BY, SHAPE, HOW_FAR, SCALED_BY, WHAT, REACHES, NOW = range(7)
WIDTHS = (126, 104, 158, 116, 168, 140, 80)
Index = QModelIndex | QPersistentModelIndex
NOTHING = "—"


class ThreadTable(QAbstractTableModel):
    """The threads of the patch, those that match the search, in the order of a column."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.keys: list[str] = []
        self.words = ""
        self.only = ""
        self._order = (-1, False)
        self.follow()

    def follow(self) -> None:
        """Reads the patch anew."""
        patch = self.session.patch
        keys = [key for key, thread in patch.threads.items() if self._asked(thread)]
        column, down = self._order
        if column >= 0:
            keys.sort(key=lambda key: self._sorts_by(key, column), reverse=down)
        if keys != self.keys:
            self.beginResetModel()
            self.keys = keys
            self.endResetModel()
        elif keys:
            self.dataChanged.emit(self.index(0, 0), self.index(len(keys) - 1, len(COLUMNS) - 1))

    def _asked(self, thread: Route) -> bool:
        """Whether a thread is of the kind that is shown and has all the words of the search."""
        patch, only = self.session.patch, self.only
        kinds = {
            "": True,
            "macros": thread.source in patch.macros,
            "ends": reach(patch, thread)[2],
            "idle": not thread.on or not moves_something(patch, thread.source),
        }
        shown = kinds[only] if only in kinds else thread.target.startswith(f"layers.{only}.")
        where, label = place_name(patch, thread.target)
        text = f"{tag_text(thread.source)} {movers(patch)[thread.source]} {where} {label} {thread.scaled}".lower()
        return shown and all(word in text for word in self.words.lower().split())

    def _sorts_by(self, key: str, column: int) -> Any:
        patch = self.session.patch
        thread = patch.threads[key]
        if column in (HOW_FAR, REACHES, NOW):
            low, high, _ = reach(patch, thread)
            param = target_param(patch, thread.target)
            return abs(param.position(high) - param.position(low))
        return str(self._text(key, column)).lower()

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        self._order = (column, order == Qt.SortOrder.DescendingOrder)
        self.follow()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return len(self.keys)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return len(COLUMNS)

    def headerData(self, section: int, way: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if way == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return COLUMNS[section]
        if way == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        return None

    def _text(self, key: str, column: int) -> str:
        patch = self.session.patch
        thread = patch.threads[key]
        param = target_param(patch, thread.target)
        if column == MOVED_BY:
            return movers(patch)[thread.source]
        if column == SHAPE:
            return f"{len(thread.shape)} points" if thread.shape else "straight"
        if column == HOW_FAR:
            depth = depth_of(patch, thread).unit.write_signed(float(thread.depth))
            return f"±{depth.lstrip('+−')}" if thread.reading == "both ways" and depth[:1] in "+−" else depth
        if column == SCALED_BY:
            return movers(patch)[thread.scaled] if thread.scaled else NOTHING
        if column == WHAT:
            return "  ".join(place_name(patch, thread.target))
        if column == REACHES:
            low, high, stopped = reach(patch, thread)
            first, last = param.unit.write(low), param.unit.write(high)
            if THIN in first and first.split(THIN)[-1] == last.split(THIN)[-1]:
                first = first.split(THIN)[0]
            return f"{first} → {last}" + (", stops at the end" if stopped else "")
        return ""

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        key = self.keys[index.row()]
        if key not in self.session.patch.threads:
            return None
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole, Qt.ItemDataRole.AccessibleTextRole):
            return self._text(key, index.column())
        if role == Qt.ItemDataRole.ToolTipRole:
            thread = self.session.patch.threads[key]
            if index.column() == HOW_FAR:
                return f"Double-click to type: {depth_of(self.session.patch, thread).unit.accepts}"
            return plain(self._text(key, index.column()))
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        base = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return base | Qt.ItemFlag.ItemIsEditable if index.column() in (MOVED_BY, HOW_FAR, SCALED_BY, WHAT) else base

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        key, patch = self.keys[index.row()], self.session.patch
        thread = patch.threads[key]
        try:
            if index.column() == HOW_FAR:
                by, depth = read_depth(target_param(patch, thread.target), str(value))
                fresh = set_thread(patch, key, by=by, depth=depth)
            else:
                field = {MOVED_BY: "source", SCALED_BY: "scaled", WHAT: "target"}[index.column()]
                fresh = set_thread(patch, key, **{field: value})
        except FeltDialError as wrong:
            self.session.say(f"{wrong} The thread stays as it was.", problem=True)
            return False
        name = " ".join(place_name(fresh, fresh.threads[key].target))
        shown = depth_of(fresh, fresh.threads[key]).unit.write_signed(float(fresh.threads[key].depth))
        self.session.editor.edit(fresh, f"{tag_text(fresh.threads[key].source)} on {name} to {shown}")
        return True


class ThreadPainter(QStyledItemDelegate):
    """Paints the cells of the table, and opens what edits them."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(80, 44)

    def createEditor(self, parent: QWidget, option: QStyleOptionViewItem, index: Index) -> QWidget:
        patch = self.session.patch
        thread = patch.threads[cast(ThreadTable, index.model()).keys[index.row()]]
        if index.column() == HOW_FAR:
            line = QLineEdit(parent)
            line.setAccessibleName("Depth")
            return line
        box = QComboBox(parent)
        box.setAccessibleName(COLUMNS[index.column()])
        if index.column() == WHAT:
            fill_targets(box, self.session)
            now = thread.target
        else:
            if index.column() == SCALED_BY:
                box.addItem("nothing", "")
            for key, name in movers(patch).items():
                box.addItem(f"{tag_text(key)} {name}", key)
            now = thread.scaled if index.column() == SCALED_BY else thread.source
        box.setCurrentIndex(box.findData(now))
        box.activated.connect(lambda: self.commitData.emit(box))
        return box

    def setEditorData(self, editor: QWidget, index: Index) -> None:
        if isinstance(editor, QLineEdit):
            editor.setText(str(index.data()).replace("±", ""))

    def setModelData(self, editor: QWidget, model: Any, index: Index) -> None:
        value = editor.text() if isinstance(editor, QLineEdit) else cast(QComboBox, editor).currentData()
        thread = self.session.patch.threads[model.keys[index.row()]]
        same = {MOVED_BY: thread.source, SCALED_BY: thread.scaled, WHAT: thread.target}.get(index.column())
        if value != same:
            model.setData(index, value)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        model = index.model()
        assert isinstance(model, ThreadTable)
        patch = self.session.patch
        key = model.keys[index.row()]
        if key not in patch.threads:
            return
        thread = patch.threads[key]
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._ground(painter, option, index)
        box = QRectF(option.rect).adjusted(8, 0, -4, 0)
        ink = colour("ink" if thread.on else "soft")
        column = index.column()
        if column == MOVED_BY:
            self._named_tag(painter, box, thread.source, ink)
        elif column == SCALED_BY and thread.scaled:
            self._named_tag(painter, box, thread.scaled, ink)
        elif column == SHAPE:
            self._shape(painter, box, thread)
        elif column == HOW_FAR:
            self._text(painter, box, str(index.data()), ink, 600)
            self._bar(painter, box.adjusted(76, 0, 0, 0), thread)
        elif column == WHAT:
            where, label = place_name(patch, thread.target)
            shade = dye(layer_dye(thread.target.split(".")[1])) if thread.target.startswith("layers.") else ink
            width = 24 if len(where) <= 2 else min(painter.fontMetrics().horizontalAdvance(where) + 14, 96)
            self._text(painter, QRectF(box.left(), box.top(), width, box.height()), where, shade, 600)
            self._text(painter, box.adjusted(width, 0, 0, 0), label, ink, 600)
        elif column == NOW:
            self._now(painter, box, thread)
        elif column == REACHES and "stops" in str(index.data()):
            self._text(painter, box, str(index.data()).split(",")[0], colour("problem"))
        else:
            self._text(painter, box, str(index.data()), ink)
        painter.restore()

    def _text(self, painter: QPainter, box: QRectF, text: str, shade: QColor, weight: int = 400) -> None:
        painter.setFont(body_font(13, weight))
        painter.setPen(shade)
        shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(box.width()))
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)

    def _named_tag(self, painter: QPainter, box: QRectF, key: str, ink: QColor) -> None:
        paint_tag(painter, QPointF(box.left() + 14, box.center().y()), 12, self.session.patch, key)
        self._text(painter, box.adjusted(34, 0, 0, 0), movers(self.session.patch)[key], ink, 600)

    def _shape(self, painter: QPainter, box: QRectF, thread: Route) -> None:
        well = QRectF(box.left(), box.center().y() - 15, 88, 30)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("well"))
        painter.drawRoundedRect(well, 5, 5)
        x = np.linspace(0.0, 1.0, 41)
        y = line_value(thread.shape or STRAIGHT, 1.0 - x if thread.reading == "flipped" else x)
        shade = dye(mover_dye(self.session.patch, thread.source), in_well=True)
        draw_curve(painter, well.adjusted(5, 5, -5, -5), x, y, shade, floor=None, width=1.6)

    def _bar(self, painter: QPainter, box: QRectF, thread: Route) -> None:
        """The reach on the dial's way: from where it stands, to both sides."""
        patch = self.session.patch
        param = target_param(patch, thread.target)
        low, high, _ = reach(patch, thread)
        bar = QRectF(box.left(), box.center().y() - 2.5, 66, 5)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("edge"))
        painter.drawRoundedRect(bar, 2, 2)
        a, b = sorted((param.position(low), param.position(high)))
        moved = QRectF(bar.left() + a * bar.width(), bar.top(), max((b - a) * bar.width(), 2.0), bar.height())
        painter.setBrush(dye(mover_dye(patch, thread.source)) if thread.on else colour("faint"))
        painter.drawRoundedRect(moved, 2, 2)
        from_ = bar.left() + bar.width() * param.position(
            param.resolve(self.session.editor.value(thread.target), patch.number("tempo"))
        )
        painter.setPen(QPen(colour("ink"), 1.2))
        painter.drawLine(QPointF(from_, bar.top() - 4), QPointF(from_, bar.bottom() + 4))

    def _ground(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        rect = QRectF(option.rect).adjusted(0, 2, 0, -2)
        first, last = index.column() == 0, index.column() == len(COLUMNS) - 1
        view = option.widget
        chosen = isinstance(view, QTableView) and view.currentIndex().row() == index.row()
        painter.setClipRect(rect)
        wide = rect.adjusted(1 if first else -20, 0.5, -1 if last else 20, -0.5)
        painter.setPen(QPen(dye("madder") if chosen else colour("edge"), 1.6 if chosen else 1))
        painter.setBrush(colour("raised" if chosen else "cloth"))
        painter.drawRoundedRect(wide.adjusted(0.5, 0.5, -0.5, -0.5), 7, 7)
        painter.setClipping(False)

    def _now(self, painter: QPainter, box: QRectF, thread: Route) -> None:
        param = target_param(self.session.patch, thread.target)
        bar = QRectF(box.left(), box.center().y() - 3.5, min(box.width() - 8, 60), 7)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("edge"))
        painter.drawRoundedRect(bar, 3, 3)
        now = self.session.link.bead(thread.target)
        if now is None:
            return
        bar.setWidth(max(4.0, bar.width() * param.position(now)))
        painter.setBrush(dye(mover_dye(self.session.patch, thread.source)) if thread.on else colour("faint"))
        painter.drawRoundedRect(bar, 3, 3)


def fill_targets(box: QComboBox, session: Session) -> None:
    """Everything that a thread may move, by place and name."""
    for slot in slots(session.patch):
        if isinstance(slot.param, Param) and slot.param.movable:
            box.addItem(" ".join(place_name(session.patch, slot.path)), slot.path)


class ThreadView(QTableView):
    """The table under the hand."""

    def __init__(self, session: Session, model: ThreadTable) -> None:
        super().__init__()
        self.setTabKeyNavigation(False)
        self.session = session
        self.setModel(model)
        self.setItemDelegate(ThreadPainter(session))
        self.setShowGrid(False)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(44)
        header = self.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        header.setStretchLastSection(True)
        header.setSectionsClickable(True)
        header.sectionClicked.connect(self.sort_by)
        self._sorted = (-1, False)
        for column, width in enumerate(WIDTHS):
            self.setColumnWidth(column, width)
        self.setSelectionMode(QTableView.SelectionMode.NoSelection)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Threads")

    @property
    def chosen(self) -> str:
        """The thread that is chosen, or nothing."""
        row, keys = self.currentIndex().row(), cast(ThreadTable, self.model()).keys
        return keys[row] if 0 <= row < len(keys) else ""

    def choose(self, key: str) -> None:
        """Chooses a thread that is in view."""
        keys = cast(ThreadTable, self.model()).keys
        if key in keys:
            self.setCurrentIndex(self.model().index(keys.index(key), HOW_FAR))

    def sort_by(self, column: int) -> None:
        """By a column; once more turns it round, a third time goes back to the order of sewing."""
        before, down = self._sorted
        self._sorted = (column, False) if column != before else (column, True) if not down else (-1, False)
        chosen = self.chosen
        order = Qt.SortOrder.DescendingOrder if self._sorted[1] else Qt.SortOrder.AscendingOrder
        self.model().sort(self._sorted[0], order)
        self.horizontalHeader().setSortIndicatorShown(self._sorted[0] >= 0)
        self.horizontalHeader().setSortIndicator(max(self._sorted[0], 0), order)
        self.choose(chosen)

    def cut_chosen(self) -> None:
        """Cuts the chosen thread."""
        if key := self.chosen:
            source = tag_text(self.session.patch.threads[key].source)
            self.session.editor.edit(cut(self.session.patch, key), f"cut a thread of {source}")

    def switch_chosen(self) -> None:
        """Bypasses the chosen thread, or lets it move again."""
        if key := self.chosen:
            self.session.editor.set(f"threads.{key}.on", not self.session.patch.threads[key].on)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        index = self.currentIndex()
        if event.key() == Qt.Key.Key_Delete:
            self.cut_chosen()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and index.isValid():
            column = index.column() if index.column() in (MOVED_BY, SCALED_BY, WHAT) else HOW_FAR
            self.edit(self.model().index(index.row(), column))
        elif event.key() == Qt.Key.Key_B and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.switch_chosen()
        else:
            super().keyPressEvent(event)
