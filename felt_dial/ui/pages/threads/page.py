"""The Threads page: everything that moves something, as one table, and the chosen thread beside it."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from felt_dial.errors import FeltDialError
from felt_dial.patch.edits import sew
from felt_dial.patch.parts import read_depth
from felt_dial.patch.patch import movers, target_param
from felt_dial.session.channel import EVERYTHING
from felt_dial.session.session import Session
from felt_dial.session.topics import Frame, Rebuilt
from felt_dial.ui.dials.controls import Pill, text_label
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.dials.tag import tag_text
from felt_dial.ui.pages.page import Page
from felt_dial.ui.pages.threads.thread_card import ThreadCard
from felt_dial.ui.pages.threads.thread_table import NOW, ThreadTable, ThreadView, fill_targets
from felt_dial.ui.theme.colours import colour
from felt_dial.ui.theme.felt import Empty, draw_cloth
from felt_dial.ui.theme.words import counted


class ThreadsPage(Page):
    """The table, a search, the line that adds a thread, and all of the chosen one."""

    title, place = "Threads", 5

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._now: list[float | None] = []
        self.table = ThreadTable(session)
        self.view = ThreadView(session, self.table)
        self.card = ThreadCard(session, self.view)
        self.search = QLineEdit()
        self.search.setProperty("part", "search")
        self.search.setAccessibleName("Search threads")
        self.search.setToolTip("Finds threads by what moves and what is moved")
        self.search.textChanged.connect(self._search)
        bar = SearchBar(self.search)
        self.filters: dict[str, Pill] = {}
        self._filters = QHBoxLayout()
        self._filters.setSpacing(4)
        bar.layout_.addLayout(self._filters)
        self.empty = Empty(
            "A thread that you sew is listed here: from what moves to what is moved, with its depth and its reach."
        )
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(bar)
        left.addWidget(self.empty, 1)
        left.addWidget(self.view, 1)
        adder = self._adder()
        left.addWidget(adder)
        self._parts: list[QWidget] = [bar, self.view, adder, self.card]
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 10, 12, 10)
        layout.setSpacing(12)
        layout.addLayout(left, 1)
        layout.addWidget(self.card)
        session.channel.watch(self.follow, EVERYTHING)
        session.channel.watch(self._follow_patch, Rebuilt)
        session.channel.watch(self._frame, Frame)
        self.view.selectionModel().currentChanged.connect(self._chosen)
        self.table.modelReset.connect(self._chosen)
        self._fill()
        self.show_filtered("")
        self.follow()

    def sections(self) -> list[QWidget]:
        return self._parts

    def _adder(self) -> QWidget:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(8, 0, 0, 0)
        self.source, self.target = Picker(), Picker()
        self.source.setAccessibleName("What moves")
        self.target.setAccessibleName("What it moves")
        self.source.setMinimumWidth(150)
        self.target.setMinimumWidth(190)
        self.how_far = QLineEdit()
        self.how_far.setAccessibleName("How far")
        self.how_far.setToolTip("How far it moves the dial, in the unit of the dial: +12 st, −6 dB, 30 %")
        self.how_far.setPlaceholderText("how far")
        self.how_far.setFixedWidth(90)
        self.how_far.returnPressed.connect(self.add)
        row.addWidget(text_label("New thread: pick what moves, then what it moves"))
        for widget in (self.source, self.target, self.how_far):
            row.addWidget(widget)
        row.addWidget(Pill("Sew", "pill", self.add, "Sew the thread"))
        row.addStretch()
        return holder

    def _follow_patch(self) -> None:
        self.lay_when_seen(self._fill)

    def _fill(self) -> None:
        """What the patch has to choose from."""
        patch = self.session.patch
        self.source.clear()
        for key, name in movers(patch).items():
            self.source.addItem(f"{tag_text(key)} {name}", key)
        self.target.clear()
        fill_targets(self.target, self.session)
        clear(self._filters)
        self.filters = {}
        layers = {key: f"Layer {key.upper()}" if len(patch.layers) < 4 else key.upper() for key in patch.layers}
        for key, name in {"": "All", **layers, "macros": "Macros", "idle": "Idle", "ends": "Clipped"}.items():
            pill = Pill(name, "pill", partial(self.show_filtered, key), f"Show {name.lower()}")
            pill.setCheckable(True)
            pill.setChecked(key == self.table.only)
            self._filters.addWidget(pill)
            self.filters[key] = pill
        if self.table.only not in self.filters:
            self.show_filtered("")

    def add(self) -> None:
        """Sews the thread that the line describes."""
        source, target = self.source.currentData(), self.target.currentData()
        try:
            text = self.how_far.text().strip()
            by, depth = read_depth(target_param(self.session.patch, target), text) if text else ("ratio", None)
            patch, key = sew(self.session.patch, source, target, depth, by)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        self.session.editor.edit(patch, f"sew {tag_text(source)} to {self.session.editor.label_of(target)}")
        self.how_far.clear()
        self.view.choose(key)

    def _search(self, words: str) -> None:
        self.table.words = words
        self.table.follow()

    def show_filtered(self, which: str) -> None:
        self.table.only = which
        for key, pill in self.filters.items():
            pill.setChecked(key == which)
        self.table.follow()

    def _chosen(self) -> None:
        """Another row: the card shows it. A table that was filled anew shows its first."""
        if not self.view.chosen and self.table.keys:
            self.view.choose(self.card.key if self.card.key in self.table.keys else self.table.keys[0])
            return
        self.card.show_thread(self.view.chosen)
        self.view.viewport().update()

    def follow(self) -> None:
        """Shows the threads as they are, once they are seen."""
        if not self.isVisible():
            return
        self.table.follow()
        if self.card.key not in self.session.patch.threads:
            self._chosen()
        else:
            self.card.follow()
        count = len(self.session.patch.threads)
        self.search.setPlaceholderText(f"Everything that moves something: {counted(count, 'thread')}")
        self.empty.setVisible(count == 0)
        self.view.setVisible(count > 0)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.follow()

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

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_cloth(painter, QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 8)
        painter.setPen(QPen(colour("soft"), 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        y = self.height() / 2
        painter.drawEllipse(QPointF(21, y - 1.5), 5, 5)
        painter.drawLine(QPointF(24.8, y + 2.3), QPointF(28.5, y + 6))
