"""The tray of modulators, and the tags of what the player does."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QWidget

from felt_dial.patch.edits import place_name, threads_from
from felt_dial.patch.patch import depth_of
from felt_dial.patch.player import PLAYER_SOURCES
from felt_dial.patch.reach import moves_something
from felt_dial.session.session import Session
from felt_dial.ui.dials.controls import text_label
from felt_dial.ui.dials.tag import Tag
from felt_dial.ui.pictures.registry import picture_of
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.words import plain

TALL, LOW = 100, 36
"""Heights of what stands in the tray, large and where layers need the room."""


class ModulatorCard(QWidget):
    """One modulator: its tag, its picture, and what it moves; a low one leaves out the last."""

    def __init__(self, session: Session, key: str) -> None:
        super().__init__()
        self.session, self.key, self.low = session, key, False
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

    def fold(self, low: bool) -> None:
        """Makes it low, or large again."""
        self.low = low
        self.moves.setVisible(not low)
        self.tag.move(6, 5)
        if low:
            self.setFixedSize(134, LOW)
            self.name.setGeometry(36, 8, 56, 20)
            self.picture.setGeometry(94, 6, 34, 24)
        else:
            self.setFixedSize(150, TALL)
            self.name.setGeometry(38, 8, 106, 20)
            self.picture.setGeometry(6, 34, 138, 44)
            self.moves.setGeometry(6, 80, 138, 16)
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
        shaped = [k.upper() for k, layer in patch.layers.items() if layer.contour == self.key]
        parts = [f"level of {' '.join(shaped)}"] if shaped else []
        for thread in threads_from(patch, self.key).values():
            where, label = place_name(patch, thread.target)
            depth = depth_of(patch, thread).unit.write_signed(float(thread.depth))
            parts.append(f"{where} {label[:1].lower() + label[1:]} {depth}")
        text = ", ".join(parts) if parts and moves_something(patch, self.key) else "moves nothing yet"
        self.moves.setText(self.moves.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 136))
        self.setToolTip(plain(f"{self.key.upper()} {patch.modulators[self.key].name}: {text}"))
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.session.editor.select("modulator", self.key)

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
    """Key, velocity and mod wheel: what the player does, to be dragged like any tag."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(4, 0, 0, 0)
        self.grid.setHorizontalSpacing(5)
        self.grid.setVerticalSpacing(2)
        self.title = text_label("The player", "small")
        self.tags = [(Tag(session, key, 10), text_label(source.name)) for key, source in PLAYER_SOURCES.items()]
        self.fold(False)

    def fold(self, low: bool) -> None:
        """In one line, or in columns with their names."""
        self.grid.addWidget(self.title, 0, 0, 1, 4)
        self.title.setVisible(not low)
        for n, (tag, name) in enumerate(self.tags):
            row, column = (1, n) if low else (1 + n % 3, 2 * (n // 3))
            self.grid.addWidget(tag, row, column)
            self.grid.addWidget(name, row, column + 1)
            name.setVisible(not low)
