"""The line that says what happened, above the strip."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QRectF, Qt, QTimer
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QLabel, QWidget

from felt_dial.ui.dials.controls import Pill, set_part
from felt_dial.ui.dials.focus import let_go_of_focus
from felt_dial.ui.theme.colours import colour, dye


class Said(QWidget):
    """One sentence above the strip; a problem stays until it is read, anything else goes by itself."""

    def __init__(self, parent: QWidget, above: QWidget) -> None:
        super().__init__(parent)
        self.above = above
        self.foot: Callable[[], int] = lambda: 0
        """Pixels above that which it leaves free: what is there is in use."""
        self.problem = False
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 5, 8, 5)
        self.text = QLabel()
        self.text.setTextFormat(Qt.TextFormat.PlainText)
        self.text.setWordWrap(True)
        layout.addWidget(self.text, 1)
        self.buttons = QHBoxLayout()
        layout.addLayout(self.buttons)
        self.closer = Pill("Close", "link", self.hide, "Put this message away")
        layout.addWidget(self.closer)
        self._timer = QTimer(self, singleShot=True, interval=4000)
        self._timer.timeout.connect(self.hide)
        super().hide()

    def hide(self) -> None:
        """Puts it away; who pressed a button of it plays on, and has no other button under the hand."""
        let_go_of_focus(self)
        super().hide()

    def say(
        self, text: str, problem: bool, offers: Sequence[tuple[str, Callable[[], object]]] = (), stays: bool = False
    ) -> None:
        """Shows a sentence, with buttons that answer it; one that `stays` is put away by the next."""
        while item := self.buttons.takeAt(0):
            if widget := item.widget():
                widget.deleteLater()
        for name, act in offers:
            pill = Pill(name, "pill")
            pill.clicked.connect(self.hide)
            pill.clicked.connect(act)
            self.buttons.addWidget(pill)
        self.problem = problem
        self.text.setText(text)
        set_part(self.text, "problem" if problem else "said")
        self.place()
        self.show()
        self.raise_()
        if problem or offers or stays:
            self._timer.stop()
        else:
            self._timer.start()

    def place(self) -> None:
        """In the middle, over what it stands above."""
        parent = self.parentWidget() or self
        wide = min(parent.width() - 40, 820)
        need = self.text.fontMetrics().horizontalAdvance(self.text.text()) + 130 + 130 * self.buttons.count()
        width = min(wide, max(need, 260))
        self.setFixedWidth(width)
        self.setFixedHeight(36 if need <= wide else 54)
        self.move((parent.width() - width) // 2, self.above.y() - self.height() - 8 - self.foot())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colour("problem") if self.problem else dye("lichen"), 1.4))
        painter.setBrush(colour("raised"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)
