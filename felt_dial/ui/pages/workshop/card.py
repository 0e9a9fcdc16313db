"""The parts that both benches are laid out with."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QMenu, QVBoxLayout, QWidget

from felt_dial.ui.dials.controls import Pill
from felt_dial.ui.theme.colours import colour


class Sheet(QWidget):
    """A card of cloth."""

    @classmethod
    def with_box(cls) -> tuple[Sheet, QVBoxLayout]:
        """A sheet and the column that it is filled through."""
        made = cls()
        box = QVBoxLayout(made)
        box.setContentsMargins(8, 8, 8, 6)
        box.setSpacing(5)
        return made, box

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colour("edge"), 1))
        painter.setBrush(colour("cloth"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 9, 9)


class MenuPill(Pill):
    """A pill that opens a menu under itself."""

    def __init__(self, text: str, tip: str, make: Callable[[], QMenu]) -> None:
        super().__init__(text, "small", None, tip)
        self._make = make
        self.clicked.connect(self.open)

    def open(self) -> QMenu:
        """Opens the menu, made anew each time."""
        menu = self._make()
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(self.mapToGlobal(self.rect().bottomLeft()))
        return menu
