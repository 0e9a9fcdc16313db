"""The Threads page: everything that moves something, as one table."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from felt_dial.errors import FeltDialError
from felt_dial.patch.edits import cut, moves_something, place_name, reach, sew
from felt_dial.patch.params import Param
from felt_dial.patch.patch import depth_param, movers, put, slots, target_param
from felt_dial.ui.cloth import Empty, Wool, colour, dye, layer_dye, reading
from felt_dial.ui.dials.controls import Pill, text_label
from felt_dial.ui.dials.tag import mover_dye, paint_tag, tag_text
from felt_dial.ui.session import Session

COLUMNS = ("Moved by", "How far", "Reading", "What it moves", "Reaches", "Now", "On")
MOVED_BY, HOW_FAR, READING, WHAT, REACHES, NOW, ON = range(7)
WIDTHS = (210, 150, 120, 250, 220, 150, 70)
Index = QModelIndex | QPersistentModelIndex


class ThreadTable(QAbstractTableModel):
    """The threads of the patch, those that match the search."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.keys: list[str] = []
        self.words = ""
        self.only = ""
        self.follow()

    def follow(self) -> None:
        """Reads the patch anew."""
        patch = self.session.patch
        keys = []
        for key, thread in patch.threads.items():
            where, label = place_name(patch, thread.target)
            text = f"{tag_text(thread.source)} {movers(patch)[thread.source]} {where} {label}".lower()
            layer = thread.target.startswith(f"layers.{self.only}.") if self.only in patch.layers else True
            macro = thread.source in patch.macros if self.only == "macros" else True
            idle = not moves_something(patch, thread.source) if self.only == "idle" else True
            if all(word in text for word in self.words.lower().split()) and layer and macro and idle:
                keys.append(key)
        if keys != self.keys:
            self.beginResetModel()
            self.keys = keys
            self.endResetModel()
        elif keys:
            self.dataChanged.emit(self.index(0, 0), self.index(len(keys) - 1, len(COLUMNS) - 1))

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

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        key = self.keys[index.row()]
        patch = self.session.patch
        if key not in patch.threads:
            return None
        thread = patch.threads[key]
        param = target_param(patch, thread.target)
        column = index.column()
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole, Qt.ItemDataRole.AccessibleTextRole):
            low, high, stopped = reach(patch, thread)
            where, label = place_name(patch, thread.target)
            return {
                MOVED_BY: f"{tag_text(thread.source)} {movers(patch)[thread.source]}",
                HOW_FAR: depth_param(param).unit.write_signed(float(thread.depth)),
                READING: thread.reading,
                WHAT: f"{where}  {label}",
                REACHES: f"{param.unit.write(low)} → {param.unit.write(high)}"
                + (", stops at the end" if stopped else ""),
                NOW: "",
                ON: "on" if thread.on else "off",
            }[column]
        if role == Qt.ItemDataRole.ToolTipRole and column == HOW_FAR:
            return f"Double-click to type: {depth_param(param).unit.accepts}"
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        base = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return base | Qt.ItemFlag.ItemIsEditable if index.column() == HOW_FAR else base

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        key = self.keys[index.row()]
        thread = self.session.patch.threads[key]
        limits = depth_param(target_param(self.session.patch, thread.target))
        try:
            depth = limits.check(limits.read(str(value)))
        except FeltDialError as wrong:
            self.session.say(f"{wrong} The depth stays as it was.", problem=True)
            return False
        shown = limits.unit.write_signed(float(depth))  # type: ignore[arg-type]
        self.session.edit(
            put(self.session.patch, ["threads", key, "depth"], depth),
            f"{tag_text(thread.source)} on {self._name(key)} to {shown}",
        )
        return True

    def _name(self, key: str) -> str:
        return " ".join(place_name(self.session.patch, self.session.patch.threads[key].target))


class ThreadPainter(QStyledItemDelegate):
    """Paints the cells of the table."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(80, 44)

    def createEditor(self, parent: QWidget, option: QStyleOptionViewItem, index: Index) -> QWidget:
        editor = QLineEdit(parent)
        editor.setAccessibleName("Depth")
        return editor

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
        box = QRectF(option.rect).adjusted(8, 0, -4, 0)  # type: ignore[attr-defined]
        painter.setFont(reading(13, 600 if index.column() in (MOVED_BY, HOW_FAR, WHAT) else 400))
        painter.setPen(colour("ink" if thread.on else "soft"))
        text = str(index.data())
        middle = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        if index.column() == MOVED_BY:
            paint_tag(painter, QPointF(box.left() + 14, box.center().y()), 12, patch, thread.source)
            painter.setFont(reading(13, 600))
            painter.setPen(colour("ink" if thread.on else "soft"))
            painter.drawText(box.adjusted(36, 0, 0, 0), middle, movers(patch)[thread.source])
        elif index.column() == WHAT:
            where, label = place_name(patch, thread.target)
            if thread.target.startswith("layers."):
                painter.setPen(dye(layer_dye(thread.target.split(".")[1])))
            painter.drawText(box, middle, where)
            painter.setPen(colour("ink" if thread.on else "soft"))
            painter.drawText(box.adjusted(64 if len(where) > 2 else 24, 0, 0, 0), middle, label)
        elif index.column() == NOW:
            self._now(painter, box, thread.target, dye(mover_dye(patch, thread.source)), thread)
        elif index.column() == REACHES and "stops" in text:
            painter.setPen(colour("problem"))
            painter.drawText(box, middle, text)
        else:
            painter.drawText(box, middle, text)
        painter.restore()

    def _ground(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        rect = QRectF(option.rect).adjusted(0, 2, 0, -2)  # type: ignore[attr-defined]
        first, last = index.column() == 0, index.column() == len(COLUMNS) - 1
        view = option.widget  # type: ignore[attr-defined]
        chosen = isinstance(view, QTableView) and view.currentIndex().row() == index.row()
        painter.setClipRect(rect)
        wide = rect.adjusted(1 if first else -20, 0.5, -1 if last else 20, -0.5)
        painter.setPen(QPen(dye("madder") if chosen else colour("edge"), 1.6 if chosen else 1))
        painter.setBrush(colour("raised" if chosen else "cloth"))
        painter.drawRoundedRect(wide.adjusted(0.5, 0.5, -0.5, -0.5), 7, 7)
        painter.setClipping(False)

    def _now(self, painter: QPainter, box: QRectF, path: str, shade: object, thread: object) -> None:
        param = target_param(self.session.patch, path)
        bar = QRectF(box.left(), box.center().y() - 3.5, 76, 7)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("edge"))
        painter.drawRoundedRect(bar, 3, 3)
        now = self.session.link.bead(path)
        if now is None:
            return
        bar.setWidth(max(4.0, bar.width() * param.position(now)))
        painter.setBrush(shade if thread.on else colour("faint"))  # type: ignore[attr-defined,call-overload]
        painter.drawRoundedRect(bar, 3, 3)
        painter.setPen(colour("soft"))
        painter.setFont(reading(12))
        painter.drawText(
            box.adjusted(84, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, param.unit.write(now)
        )


class ThreadView(QTableView):
    """The table under the hand."""

    def __init__(self, session: Session, model: ThreadTable) -> None:
        super().__init__()
        self.session = session
        self.setModel(model)
        self.setItemDelegate(ThreadPainter(session))
        self.setShowGrid(False)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(46)
        self.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        self.horizontalHeader().setStretchLastSection(True)
        for column, width in enumerate(WIDTHS):
            self.setColumnWidth(column, width)
        self.setSelectionMode(QTableView.SelectionMode.NoSelection)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Threads")
        self.clicked.connect(self._clicked)

    def _clicked(self, index: QModelIndex) -> None:
        key = self.model().keys[index.row()]  # type: ignore[attr-defined]
        if index.column() == ON:
            self.session.set(f"threads.{key}.on", not self.session.patch.threads[key].on)
        elif index.column() == READING:
            other = "both ways" if self.session.patch.threads[key].reading == "one way" else "one way"
            self.session.set(f"threads.{key}.reading", other)
        self.viewport().update()

    def cut_chosen(self) -> None:
        """Cuts the chosen thread."""
        row = self.currentIndex().row()
        keys = self.model().keys  # type: ignore[attr-defined]
        if 0 <= row < len(keys):
            source = tag_text(self.session.patch.threads[keys[row]].source)
            self.session.edit(cut(self.session.patch, keys[row]), f"cut a thread of {source}")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        index = self.currentIndex()
        if event.key() == Qt.Key.Key_Delete:
            self.cut_chosen()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and index.isValid():
            if index.column() in (ON, READING):
                self._clicked(index)
            else:
                self.edit(self.model().index(index.row(), HOW_FAR))
        else:
            super().keyPressEvent(event)


class ThreadsPage(Wool):
    """The table, a search, and the line that adds a thread."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._now: list[float | None] = []
        self.table = ThreadTable(session)
        self.view = ThreadView(session, self.table)
        self.search = QLineEdit()
        self.search.setProperty("part", "search")
        self.search.setAccessibleName("Search threads")
        self.search.textChanged.connect(self._search)
        bar = SearchBar(self.search)
        self.filters: dict[str, Pill] = {}
        for key, name in (("", "All"), ("macros", "Macros"), ("idle", "Idle")):
            pill = Pill(name, "pill", lambda k=key: self._only(k), f"Show {name.lower()}")
            pill.setCheckable(True)
            bar.layout_.addWidget(pill)
            self.filters[key] = pill
        self.empty = Empty(
            "A thread that you sew is listed here: from what moves to what is moved, with its depth and its reach."
        )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 10, 12, 10)
        layout.setSpacing(8)
        layout.addWidget(bar)
        layout.addWidget(self.empty, 1)
        layout.addWidget(self.view, 1)
        layout.addWidget(self._adder())
        session.changed.connect(self.follow)
        session.rebuilt.connect(self._fill)
        session.frame.connect(self._frame)
        self._fill()
        self.follow()
        self._only("")

    def _adder(self) -> QWidget:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(8, 0, 0, 0)
        self.source, self.target = QComboBox(), QComboBox()
        self.source.setAccessibleName("What moves")
        self.target.setAccessibleName("What it moves")
        self.source.setMinimumWidth(170)
        self.target.setMinimumWidth(230)
        self.how_far = QLineEdit()
        self.how_far.setAccessibleName("How far")
        self.how_far.setPlaceholderText("how far")
        self.how_far.setFixedWidth(100)
        self.how_far.returnPressed.connect(self.add)
        row.addWidget(text_label("New thread: pick what moves, then what it moves"))
        for widget in (self.source, self.target, self.how_far):
            row.addWidget(widget)
        row.addWidget(Pill("Sew", "pill", self.add, "Sew the thread"))
        row.addStretch()
        row.addWidget(Pill("Cut the chosen thread", "pill", self.view.cut_chosen, "Cut: Delete"))
        return holder

    def _fill(self) -> None:
        patch = self.session.patch
        self.source.clear()
        for key, name in movers(patch).items():
            self.source.addItem(f"{tag_text(key)} {name}", key)
        self.target.clear()
        for slot in slots(patch):
            if isinstance(slot.param, Param) and slot.param.movable:
                where, label = place_name(patch, slot.path)
                self.target.addItem(f"{where} {label}", slot.path)

    def add(self) -> None:
        """Sews the thread that the line describes."""
        source, target = self.source.currentData(), self.target.currentData()
        limits = depth_param(target_param(self.session.patch, target))
        try:
            text = self.how_far.text().strip()
            depth = float(limits.check(limits.read(text))) if text else None  # type: ignore[arg-type]
            patch, key = sew(self.session.patch, source, target, depth)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        self.session.edit(patch, f"sew {tag_text(source)} to {self.session.label_of(target)}")
        self.how_far.clear()
        if key in self.table.keys:
            self.view.setCurrentIndex(self.table.index(self.table.keys.index(key), HOW_FAR))

    def _search(self, words: str) -> None:
        self.table.words = words
        self.table.follow()

    def _only(self, which: str) -> None:
        self.table.only = which
        for key, pill in self.filters.items():
            pill.setChecked(key == which)
        self.table.follow()

    def follow(self) -> None:
        """Shows the threads as they are."""
        self.table.follow()
        count = len(self.session.patch.threads)
        self.search.setPlaceholderText(f"Everything that moves something: {count} thread{'' if count == 1 else 's'}")
        self.empty.setVisible(count == 0)
        self.view.setVisible(count > 0)

    def _frame(self) -> None:
        if not self.isVisible():
            return
        threads = self.session.patch.threads
        now = [self.session.link.bead(threads[key].target) for key in self.table.keys if key in threads]
        if now != self._now:
            self._now = now
            left = self.view.columnViewportPosition(NOW)
            self.view.viewport().update(left, 0, self.view.columnWidth(NOW), self.view.viewport().height())


class SearchBar(QWidget):
    """A card with a search line and room for filters."""

    def __init__(self, line: QLineEdit) -> None:
        super().__init__()
        self.setFixedHeight(42)
        self.layout_ = QHBoxLayout(self)
        self.layout_.setContentsMargins(38, 4, 12, 4)
        self.layout_.addWidget(line, 1)
        line.setFixedHeight(30)

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colour("edge"), 1))
        painter.setBrush(colour("cloth"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 8, 8)
        painter.setPen(QPen(colour("soft"), 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        y = self.height() / 2
        painter.drawEllipse(QPointF(21, y - 1.5), 5, 5)
        painter.drawLine(QPointF(24.8, y + 2.3), QPointF(28.5, y + 6))
