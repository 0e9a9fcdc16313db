"""The tray of modulators, and the tags of what the player does."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from felt_dial.patch.edits import moves_something, place_name, threads_from
from felt_dial.patch.patch import depth_of
from felt_dial.patch.player import PLAYER_SOURCES
from felt_dial.ui.dials.controls import text_label
from felt_dial.ui.dials.tag import Tag
from felt_dial.ui.pictures.registry import picture_of
from felt_dial.ui.session import Session
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.words import plain


class ModulatorCard(QWidget):
    """One modulator: its tag, its picture, and what it moves."""

    def __init__(self, session: Session, key: str) -> None:
        super().__init__()
        self.session, self.key = session, key
        self.setFixedSize(150, 100)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        modulator = session.patch.modulators[key]
        layout = QGridLayout(self)
        layout.setContentsMargins(6, 5, 6, 4)
        layout.setHorizontalSpacing(6)
        layout.setVerticalSpacing(2)
        layout.addWidget(Tag(session, key), 0, 0)
        self.name = text_label(modulator.name or modulator.title, "value")
        layout.addWidget(self.name, 0, 1)
        picture = picture_of(session, f"modulators.{key}", modulator.dye)
        picture.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        layout.addWidget(picture, 1, 0, 1, 2)
        self.moves = text_label("", "small")
        layout.addWidget(self.moves, 2, 0, 1, 2)
        layout.setColumnStretch(1, 1)
        layout.setRowStretch(1, 1)
        session.watch(self.follow, "threads", f"modulators.{key}")
        self.follow()

    def follow(self) -> None:
        """Says what it moves."""
        patch = self.session.patch
        if self.key not in patch.modulators:
            return
        modulator = patch.modulators[self.key]
        self.name.setText(modulator.name or modulator.title)
        shaped = [k.upper() for k, layer in patch.layers.items() if layer.contour == self.key]
        parts = [f"level of {' '.join(shaped)}"] if shaped else []
        for thread in threads_from(patch, self.key).values():
            where, label = place_name(patch, thread.target)
            depth = depth_of(patch, thread).unit.write_signed(float(thread.depth))
            parts.append(f"{where} {label[:1].lower() + label[1:]} {depth}")
        text = ", ".join(parts) if parts and moves_something(patch, self.key) else "moves nothing yet"
        self.moves.setText(self.moves.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 136))
        self.moves.setToolTip(plain(text))
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.session.select("modulator", self.key)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen = self.session.selection == ("modulator", self.key)
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
        layout = QVBoxLayout(self)
        layout.setContentsMargins(4, 2, 0, 2)
        layout.setSpacing(2)
        layout.addWidget(text_label("The player", "small"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(5)
        grid.setVerticalSpacing(2)
        for n, (key, source) in enumerate(PLAYER_SOURCES.items()):
            grid.addWidget(Tag(session, key, 10), n % 3, 2 * (n // 3))
            grid.addWidget(text_label(source.name), n % 3, 2 * (n // 3) + 1)
        layout.addLayout(grid)
        layout.addStretch()
