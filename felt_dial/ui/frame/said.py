"""The line that says what happened, between the page and the strip: it has a place of its own and covers nothing."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QRectF, Qt, QTimer
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QSizePolicy, QWidget

from felt_dial.ui.dials.controls import Pill, set_part
from felt_dial.ui.dials.focus import let_go_of_focus
from felt_dial.ui.theme.colours import colour, dye

LINE, TWO_LINES = 30, 46
SAID_FOR = 6000
"""Milliseconds after which what happened is only remembered, in pale letters."""


class Said(QWidget):
    """One sentence; a problem and a question stay until they are answered, anything else turns pale by itself.

    Attributes
    ----------
    problem : bool
        Whether it says that something is wrong.
    fresh : bool
        Whether it is said now; else it is what was said last, for who looks up later.
    """

    def __init__(self) -> None:
        super().__init__()
        self.problem = self.fresh = False
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 0, 10, 4)
        layout.setSpacing(6)
        self.text = QLabel()
        self.text.setTextFormat(Qt.TextFormat.PlainText)
        self.text.setWordWrap(True)
        self.text.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        layout.addWidget(self.text, 1)
        self.buttons = QHBoxLayout()
        self.buttons.setSpacing(6)
        layout.addLayout(self.buttons)
        self.closer = Pill("Close", "link", self.put_away, "Put this message away")
        layout.addWidget(self.closer)
        self._timer = QTimer(self, singleShot=True, interval=SAID_FOR)
        self._timer.timeout.connect(self._turn_pale)
        self.setFixedHeight(LINE)
        self._turn_pale()

    def put_away(self) -> None:
        """Takes it away; who pressed a button of it plays on, and has no other button under the hand."""
        let_go_of_focus(self)
        self._take_buttons()
        self.text.setText("")
        self._turn_pale()

    def say(
        self, text: str, problem: bool, offers: Sequence[tuple[str, Callable[[], object]]] = (), stays: bool = False
    ) -> None:
        """Shows a sentence, with buttons that answer it; one that `stays` is put away by the next."""
        self._take_buttons()
        for name, act in offers:
            pill = Pill(name, "small")
            pill.clicked.connect(self.put_away)
            pill.clicked.connect(act)
            self.buttons.addWidget(pill)
        self.problem, self.fresh = problem, True
        self.text.setText(text)
        self.text.setToolTip("")
        set_part(self.text, "problem" if problem else "said")
        self.closer.setVisible(problem or bool(offers) or stays)
        self._fit()
        self.update()
        if problem or offers or stays:
            self._timer.stop()
        else:
            self._timer.start()

    def _take_buttons(self) -> None:
        while item := self.buttons.takeAt(0):
            if widget := item.widget():
                widget.hide()
                widget.deleteLater()

    def _turn_pale(self) -> None:
        self.problem = self.fresh = False
        set_part(self.text, "small")
        self.closer.hide()
        self._fit()
        self.update()

    def _fit(self) -> None:
        """As tall as the sentence needs, two lines at most; all of it stands in its tip where that is not enough."""
        room = self.text.width()
        need = self.text.fontMetrics().horizontalAdvance(self.text.text())
        self.setFixedHeight(TWO_LINES if self.fresh and need > room > 0 else LINE)
        self.text.setToolTip(self.text.text() if need > 1.9 * room else "")

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    def paintEvent(self, event: QPaintEvent) -> None:
        if not self.fresh:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colour("problem") if self.problem else dye("lichen"), 1.4))
        painter.setBrush(colour("raised"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(6, 0, -6, -5), 6, 6)
