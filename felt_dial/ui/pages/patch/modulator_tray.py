"""The tray of modulators, and the tags of what the player does."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QContextMenuEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QWidget

from felt_dial.patch.edits import place_name, threads_from
from felt_dial.patch.patch import depth_of
from felt_dial.patch.player import PLAYER_SOURCES
from felt_dial.patch.reach import moves_something, shaped_by
from felt_dial.session.session import Session
from felt_dial.ui.dials.controls import Pill, text_label
from felt_dial.ui.dials.focus import let_go_of_focus
from felt_dial.ui.dials.scrolling import Scroller
from felt_dial.ui.dials.tag import Tag
from felt_dial.ui.pages.patch.menus import modulator_menu
from felt_dial.ui.pictures.registry import picture_of
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.words import plain

TALL, LOW = 100, 34
"""Heights of what stands in the tray, large and where layers need the room."""


WIDE, WIDE_LOW, TINY, ADD = 146, 134, 60, 84
"""Widths of a card, large, low, and low without its name; and of what adds one."""
GAP, GAP_LOW = 8, 4
MOST_ROWS, MOST_ROWS_LOW = 3, 2
"""Rows of low cards that are seen at once, and where layers need the room."""


class ModulatorCard(QWidget):
    """One modulator: its tag, its picture, and what it moves; a low one leaves out the last."""

    def __init__(self, session: Session, key: str) -> None:
        super().__init__()
        self.session, self.key, self.low, self.tiny = session, key, False, False
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        modulator = session.patch.modulators[key]
        self.kind = modulator.kind
        self.tag = Tag(session, key)
        self.name = text_label(modulator.name or modulator.title, "value")
        self.picture = picture_of(session, f"modulators.{key}", modulator.dye)
        self.picture.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.moves = text_label("", "small")
        for widget in (self.tag, self.name, self.picture, self.moves):
            widget.setParent(self)
        self.fold(False)
        session.channel.watch(self.follow, "threads", f"modulators.{key}")
        self.follow()

    def fold(self, low: bool, tiny: bool = False) -> None:
        """Makes it low, or large again; a `tiny` one leaves out its name as well."""
        self.low, self.tiny = low, tiny
        self.name.setVisible(not tiny)
        self.moves.setVisible(not low)
        self.tag.move(6, 5)
        if low:
            self.setFixedSize(TINY if tiny else WIDE_LOW, LOW)
            self.name.setGeometry(36, 7, 56, 20)
            self.picture.setGeometry(32 if tiny else 94, 5, 25 if tiny else 34, 24)
        else:
            self.setFixedSize(WIDE, TALL)
            self.name.setGeometry(38, 8, 102, 20)
            self.picture.setGeometry(6, 34, 134, 44)
            self.moves.setGeometry(6, 80, 134, 16)
        self._name()

    def _name(self) -> None:
        modulator = self.session.patch.modulators[self.key]
        name = modulator.name or modulator.title
        metrics = self.name.fontMetrics()
        self.name.setText(metrics.elidedText(name, Qt.TextElideMode.ElideRight, self.name.width()))

    def follow(self) -> None:
        """Says what it moves."""
        patch = self.session.patch
        if self.key not in patch.modulators:
            return
        self._name()
        shaped = shaped_by(patch, self.key)
        parts = [f"level of {' '.join(shaped)}"] if shaped else []
        for thread in threads_from(patch, self.key).values():
            where, label = place_name(patch, thread.target)
            depth = depth_of(patch, thread).unit.write_signed(float(thread.depth))
            parts.append(f"{where} {label[:1].lower() + label[1:]} {depth}")
        text = ", ".join(parts) if parts and moves_something(patch, self.key) else "moves nothing yet"
        self.moves.setText(self.moves.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 132))
        self.setToolTip(plain(f"{self.key.upper()} {patch.modulators[self.key].name}: {text}"))
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.session.editor.select("modulator", self.key)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        modulator_menu(self, self.session, self.key).popup(event.globalPos())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen = self.session.editor.selection == ("modulator", self.key)
        shade = (
            dye(self.session.patch.modulators[self.key].dye)
            if self.key in self.session.patch.modulators
            else colour("edge")
        )
        painter.setPen(QPen(shade if chosen else colour("edge"), 1.8 if chosen else 1))
        painter.setBrush(colour("cloth"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)


class PlayerTags(QWidget):
    """Key, velocity, mod wheel and the rest of what the player does, to be dragged like any tag."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(4, 0, 0, 0)
        self.grid.setHorizontalSpacing(5)
        self.grid.setVerticalSpacing(1)
        self.tags = [
            (Tag(session, key, 10), text_label(source.name, "small")) for key, source in PLAYER_SOURCES.items()
        ]
        self.fold(False)

    def fold(self, low: bool) -> None:
        """In one line, or in columns with their names."""
        for n, (tag, name) in enumerate(self.tags):
            row, column = (0, n) if low else (n % 4, 2 * (n // 4))
            self.grid.addWidget(tag, row, column)
            self.grid.addWidget(name, row, column + 1)
            name.setVisible(not low)


class Tray(QWidget):
    """Cards in rows, as large as they all have room for; what the player does stands beside them.

    Where they do not fit into one row they are low, and stand in as many as it takes.
    """

    def __init__(self, session: Session, add: Pill) -> None:
        super().__init__()
        self.add, self.player = add, PlayerTags(session)
        self.cards: list[ModulatorCard] = []
        self.low = False
        self.body = QWidget()
        add.setParent(self.body)
        self.scroller = Scroller(self.body)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(GAP)
        row.addWidget(self.scroller, 1)
        row.addWidget(self.player, 0, Qt.AlignmentFlag.AlignTop)

    def show_cards(self, cards: list[ModulatorCard]) -> None:
        """Shows these, in their order; others go."""
        for card in self.cards:
            if card not in cards:
                let_go_of_focus(card)
                card.hide()
                card.deleteLater()
        for card in cards:
            if card not in self.cards:
                card.setParent(self.body)
                card.show()
        self.cards = cards
        self.arrange()

    def fold(self, low: bool) -> None:
        """Makes all of it low, or as large as it has room for."""
        self.low = low
        self.player.fold(low)
        self.arrange()

    def tall(self, low: bool) -> int:
        """Pixels that it takes, low or large."""
        rows = min(self._rows(), MOST_ROWS_LOW) if low else MOST_ROWS
        return rows * (LOW + GAP_LOW) + GAP_LOW if low else TALL + 12

    def _room(self) -> int:
        return max(self.width() - self.player.sizeHint().width() - GAP, WIDE)

    def _rows(self) -> int:
        """Rows that low cards take."""
        across = max((self._room() - LOW) // (TINY + GAP_LOW), 1)
        return max(-(-len(self.cards) // across), 1)

    def arrange(self) -> None:
        """Gives every card its place."""
        room = self._room()
        large = not self.low and len(self.cards) * (WIDE + GAP) + ADD <= room
        wide, tall, gap = (WIDE, TALL, GAP) if large else (TINY if self.low else WIDE_LOW, LOW, GAP_LOW)
        spare = LOW if self.low else -gap
        across = len(self.cards) + 1 if large else max((room - spare) // (wide + gap), 1)
        for n, card in enumerate(self.cards):
            if (card.low, card.tiny) != (not large, self.low):
                card.fold(not large, self.low)
            card.move(n % across * (wide + gap), n // across * (tall + gap))
        n = len(self.cards)
        if self.low:  # at the end of the last row, where there is always room for it
            n = max(n - 1, 0)
            self.add.move((n % across + (1 if self.cards else 0)) * (wide + gap), n // across * (tall + gap))
        else:
            self.add.move(n % across * (wide + gap), n // across * (tall + gap))
        self.add.setText("+" if self.low else "+ Modulator")
        self.add.setFixedSize(LOW if self.low else ADD if large else wide, tall)
        self.add.show()
        self.body.setFixedHeight((n // across + 1) * (tall + gap))
        self.setFixedHeight(self.tall(self.low))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.arrange()
