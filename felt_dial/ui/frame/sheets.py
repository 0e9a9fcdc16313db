"""Sheets over a page, which never block it, and the one that lists the keys."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QApplication, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from felt_dial.ui.dials.controls import Pill, text_label
from felt_dial.ui.dials.focus import give_next, in_turn, let_go_of_focus
from felt_dial.ui.dials.scrolling import Scroller
from felt_dial.ui.theme.colours import dye
from felt_dial.ui.theme.felt import draw_cloth

KEYS = (
    ("Space", "play or stop the phrase"),
    ("Z … M, Q … U", "play notes"),
    ("Shift+Z, Shift+X", "octave of the letter keys"),
    ("Ctrl+1 … Ctrl+5", "pages"),
    ("`", "flip A and B"),
    ("Ctrl+S", "save over the preset"),
    ("Ctrl+Shift+S", "save as a new preset"),
    ("Ctrl+N", "an empty patch"),
    ("Ctrl+Z, Ctrl+Shift+Z", "undo, redo (also Ctrl+Y)"),
    ("Ctrl+D", "duplicate the chosen layer, modulator or preset"),
    ("Ctrl+C, Ctrl+V", "copy and paste a layer, a modulator, an effect"),
    ("Ctrl+Shift+A", "copy this side to the other: A to B, or B to A"),
    ("Ctrl+Shift+E", "hear the sound without its effects"),
    ("Alt+M, Alt+S", "mute, solo the chosen layer"),
    ("Ctrl+T", "sew a thread to the dial in focus"),
    ("Ctrl+Shift+F", "make the preset a favourite, or not"),
    ("Ctrl+B in the threads", "bypass the chosen thread"),
    ("F6, Shift+F6", "the next part of the window, the one before"),
    ("[ and ] in a picture", "choose a point or a step; arrows move it"),
    ("Enter in a picture", "type the chosen point or step: 35 ms 40 %"),
    ("Insert, Page Up, Page Down in a picture", "add a point after the chosen one, bend what follows it"),
    ("Delete in a row", "remove the chosen layers, or the chosen modulator"),
    ("Ctrl+Shift+L", "add a layer"),
    ("Ctrl+F", "search the shelf"),
    ("Ctrl+Left, Ctrl+Right", "preset before, preset after"),
    ("Up, Down", "turn the dial; Shift is fine"),
    ("Enter or a digit", "type a value"),
    ("Delete", "the dial's default"),
    ("Alt+Up, Alt+Down", "reorder presets, or banks"),
    ("Alt+Left, Alt+Right", "reorder effects"),
    ("F2", "rename the bank in focus"),
    ("Ctrl+P", "the notes of the phrase"),
    ("Ctrl+M", "analyser"),
    ("Ctrl+K", "put the keyboard away, or bring it back"),
    ("Ctrl+Shift+N", "keep the sound of this moment under a name made for it"),
    ("Ctrl+O", "the drawer: recordings and tables at hand, heard by a click"),
    ("Ctrl+,", "settings"),
    ("Ctrl+.", "silence everything"),
    ("Ctrl+Q", "quit"),
    ("F10", "menu of the application"),
    ("F1", "this list"),
)


class Sheet(QWidget):
    """A card over the page, which scrolls where it is too tall; Escape or Close puts it away.

    Tab stays inside while it is open.
    """

    def __init__(self, parent: QWidget, title: str) -> None:
        super().__init__(parent)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(4, 16, 4, 8)
        head = QHBoxLayout()
        head.setContentsMargins(18, 0, 18, 0)
        head.addWidget(text_label(title, "title"))
        head.addStretch()
        self.closer = Pill("Close", "pill", self.put_away, "Close: Escape")
        head.addWidget(self.closer)
        outer.addLayout(head)
        self.inside = QWidget()
        self.body = QVBoxLayout(self.inside)
        self.body.setContentsMargins(18, 6, 18, 8)
        self.body.setSpacing(10)
        outer.addWidget(Scroller(self.inside), 1)
        self.hide()

    def open(self) -> None:
        """Shows the sheet in the middle of its page."""
        parent = self.parentWidget() or self
        wide = min(max(self.inside.sizeHint().width() + 24, 460), parent.width() - 16)
        tall = min(self.tall(wide - 24) + 74, parent.height() - 12)
        self.resize(wide, tall)
        self.move((parent.width() - wide) // 2, max(6, (parent.height() - tall) // 2))
        self.show()
        self.raise_()
        self.closer.setFocus()

    def tall(self, wide: int) -> int:
        """How high the inside likes to be at a width, in pixels."""
        return max(self.body.totalHeightForWidth(wide), self.inside.sizeHint().height())

    def focusNextPrevChild(self, forth: bool) -> bool:
        """The next one in here."""
        return give_next(in_turn(self), QApplication.focusWidget(), forth)

    def put_away(self) -> None:
        """Closes the sheet."""
        let_go_of_focus(self)
        self.hide()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.put_away()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_cloth(painter, QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 10, edge="soft")
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(dye("madder"))
        painter.drawRoundedRect(QRectF(0, 0, self.width(), 5), 2, 2)


class KeySheet(Sheet):
    """Every key there is."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, "Keys")
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(5)
        half = (len(KEYS) + 1) // 2
        for n, (keys, what) in enumerate(KEYS):
            grid.addWidget(text_label(keys, "value"), n % half, 2 * (n // half))
            grid.addWidget(text_label(what), n % half, 2 * (n // half) + 1)
        self.body.addLayout(grid)
