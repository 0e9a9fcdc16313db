"""What stands where nothing is listed: what would go there, and what can be done about it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from felt_dial.ui.dials.controls import Pill, text_label
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.theme.felt import Empty

Offer = tuple[str, Callable[[], object], str]
"""A button: its text, what it does, and its tip."""


class Start(QWidget):
    """A sentence in a dashed outline, and buttons under it."""

    def __init__(self) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        frame = Empty()
        box.addWidget(frame, 1)
        self.words = text_label("", "label")
        self.words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.words.setWordWrap(True)
        self.buttons = QHBoxLayout()
        self.buttons.setAlignment(Qt.AlignmentFlag.AlignCenter)
        inner = QVBoxLayout(frame)
        inner.setContentsMargins(24, 24, 24, 24)
        inner.setSpacing(16)
        inner.addStretch()
        inner.addWidget(self.words)
        inner.addLayout(self.buttons)
        inner.addStretch()
        self._shown: tuple[str, ...] = ()

    def show_words(self, says: str, *offers: Offer) -> None:
        """Another sentence, and what is offered with it."""
        now = (says, *(offer[0] for offer in offers))
        if now == self._shown:
            return
        self._shown = now
        self.words.setText(says)
        clear(self.buttons)
        for text, act, tip in offers:
            self.buttons.addWidget(Pill(text, "pill", act, tip))

    def text(self) -> str:
        """The sentence."""
        return self.words.text()
