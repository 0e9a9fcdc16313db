"""A comparison of two sounds, in words, over the page; single modules can be taken from the one into the sound on the table."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QWidget

from felt_dial.bank.finding.compare import changed_modules, difference, with_module
from felt_dial.errors import FeltDialError
from felt_dial.patch.patch import Patch
from felt_dial.session.session import Session
from felt_dial.ui.dials.controls import text_label
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.frame.sheets import Sheet

MOST_ROWS = 40


class CompareSheet(Sheet):
    """What is different between two sounds."""

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "Compared")
        self.session = session
        self.head = text_label("", "value")
        self.body.addWidget(self.head)
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(18)
        self.grid.setVerticalSpacing(3)
        self.body.addLayout(self.grid)
        self.more = text_label("", "small")
        self.body.addWidget(self.more)

    def compare(self, first: Patch, second: Patch, names: tuple[str, str]) -> None:
        """Shows what is different in the second."""
        clear(self.grid)
        found = difference(first, second)
        self.head.setText(f"{names[0]} → {names[1]}: {found.size} difference{'s' * (found.size != 1)}")
        lines = [(row.what, row.before, row.after) for row in found.rows]
        lines += [(name, "", "added") for name in found.added] + [(name, "is there", "gone") for name in found.removed]
        for n, (what, before, after) in enumerate(lines[:MOST_ROWS]):
            self.grid.addWidget(text_label(what), n, 0)
            self.grid.addWidget(text_label(before), n, 1, Qt.AlignmentFlag.AlignRight)
            self.grid.addWidget(text_label("→"), n, 2)
            self.grid.addWidget(text_label(after, "value"), n, 3)
        if not lines:
            self.grid.addWidget(text_label("Nothing that is heard is different."), 0, 0)
        self.more.setText(f"and {len(lines) - MOST_ROWS} more" if len(lines) > MOST_ROWS else "")
        self.open()


def take_module(session: Session, other: Patch, prefix: str, name: str, whose: str) -> None:
    """Takes one module of another sound into that on the table, as one step."""
    try:
        session.editor.edit(with_module(session.patch, other, prefix), f"take the {name} of {whose}")
    except (FeltDialError, KeyError):
        session.say(f"The sound on the table has no {name} to be replaced.", problem=True)
        return
    session.say(f"The {name} is that of {whose}; all else stays.")


def module_acts(session: Session, other: Patch, whose: str) -> list[tuple[str, Callable[[], None]]]:
    """What can be taken from another sound: the words for it, and what does it."""
    found = changed_modules(session.patch, other)
    return [(name, partial(take_module, session, other, prefix, name, whose)) for prefix, name in found.items()]
