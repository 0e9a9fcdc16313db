"""What every part of the card beside the sample bench is: a column that is filled once."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from felt_dial.errors import FeltDialError
from felt_dial.session.session import Session
from felt_dial.ui.benches.recording import RecordingWork
from felt_dial.ui.dials.controls import text_label


class Part(QWidget):
    """One part of the card: a column that is filled once."""

    def __init__(self, session: Session, work: RecordingWork) -> None:
        super().__init__()
        self.session, self.work = session, work
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(6)
        self.head = QHBoxLayout()

    def title(self, name: str, says: str) -> QLabel:
        """The name of the part, and a few words beside it."""
        self.head = QHBoxLayout()
        self.head.addWidget(text_label(name, "name"))
        label = text_label(says, "small")
        self.head.addWidget(label, 1)
        self.column.addLayout(self.head)
        return label

    def row(self, *widgets: QWidget, stretch: bool = True) -> QHBoxLayout:
        """Some widgets beside each other."""
        row = QHBoxLayout()
        row.setSpacing(5)
        for widget in widgets:
            row.addWidget(widget)
        if stretch:
            row.addStretch()
        self.column.addLayout(row)
        return row

    def refuse(self, wrong: FeltDialError) -> None:
        """Says what is wrong."""
        self.session.say(str(wrong), problem=True)

    def opened(self, seen: bool) -> None:
        """It is seen now, or put away."""
