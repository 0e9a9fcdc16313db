"""Many at once: what is done to all presets that are selected, each as one step."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QMenu, QVBoxLayout, QWidget

from felt_dial.bank.catalogue import Listed
from felt_dial.bank.renaming import CASES, Named, renamed
from felt_dial.errors import FeltDialError
from felt_dial.patch.parts import KINDS
from felt_dial.patch.patch import MARKS
from felt_dial.ui import shelf_steps as shelving
from felt_dial.ui.dials.cards import Plate
from felt_dial.ui.dials.controls import MenuPill, Pill, set_text, text_label
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.session import Session
from felt_dial.ui.theme.words import item

SHOWN = 3
"""Names of a preview."""


class Many(QWidget):
    """A bar over the list while several presets are selected.

    Attributes
    ----------
    between_asked : Signal()
        Steps between the two that are selected.
    """

    between_asked = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.rows: list[Listed] = []
        card, box = Plate.with_box()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(card)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.count = text_label("", "value")
        row.addWidget(self.count)
        row.addSpacing(6)
        row.addWidget(MenuPill("Kind…", "Gives all of them a kind", self._kinds))
        row.addWidget(MenuPill("Mark…", "Gives all of them a colour mark", self._marks))
        row.addWidget(MenuPill("Move…", "Moves all of them into another bank", partial(self._banks, self.move_to)))
        row.addWidget(MenuPill("Copy…", "Copies all of them into a bank", partial(self._banks, self.copy_to)))
        row.addWidget(Pill("Star", "small", self.star, "Stars all of them, or takes their stars where all have one"))
        row.addWidget(Pill("Level", "small", self.level, "Brings each to the loudness of −18 LUFS by its output level"))
        row.addWidget(Pill("Rename…", "small", self.ask_rename, "Gives all of them names by a pattern"))
        row.addWidget(Pill("Words…", "small", self.ask_words, "Gives all of them words, or an author"))
        self.steps = Pill(
            "Steps between", "small", self.between_asked.emit, "Sounds on the way from one of the two to the other"
        )
        row.addWidget(self.steps)
        self.compare = Pill("Compare", "small", self.ask_compare, "What is different between the two, in words")
        row.addWidget(self.compare)
        row.addStretch()
        row.addWidget(Pill("Delete", "small", self.delete, "Puts all of them into the bin"))
        box.addLayout(row)
        self.renaming = QWidget()
        lines = QVBoxLayout(self.renaming)
        lines.setContentsMargins(0, 2, 0, 0)
        line = QHBoxLayout()
        self.pattern = self._line("{n:02} {name}", "Pattern: {n}, {n:02}, {name}, {kind}, {author}")
        self.find_, self.replace_ = self._line("", "Find in the name"), self._line("", "and replace by")
        self.case = Picker()
        for key, (name, _) in CASES.items():
            self.case.addItem(name, key)
        self.case.setAccessibleName("Case of letters")
        self.case.activated.connect(lambda _: self._preview())
        for widget, wide in ((self.pattern, 150), (self.find_, 100), (self.replace_, 100)):
            widget.setFixedWidth(wide)
            line.addWidget(widget)
        line.addWidget(self.case)
        line.addStretch()
        self.go = Pill("Rename", "small", self.rename, "Renames all of them, as one step")
        line.addWidget(self.go)
        lines.addLayout(line)
        self.preview = text_label("", "small")
        lines.addWidget(self.preview)
        box.addWidget(self.renaming)
        self.wording = QWidget()
        line = QHBoxLayout(self.wording)
        line.setContentsMargins(0, 2, 0, 0)
        self.words, self.author = self._line("", "words, such as warm slow"), self._line("", "author")
        for widget in (self.words, self.author):
            line.addWidget(widget, 1)
        line.addWidget(
            Pill(
                "Give",
                "small",
                self.give_words,
                "Gives all of them these words and this author; what is empty stays as it is",
            )
        )
        box.addWidget(self.wording)
        self.renaming.hide()
        self.wording.hide()

    def _line(self, text: str, tip: str) -> QLineEdit:
        made = QLineEdit(text)
        made.setPlaceholderText(tip)
        made.setToolTip(tip)
        made.setAccessibleName(tip)
        made.textChanged.connect(lambda _: self._preview())
        return made

    def show_rows(self, rows: list[Listed]) -> None:
        """Others are selected."""
        self.rows = [row for row in rows if not row.problem]
        set_text(self.count, f"{len(self.rows)} selected")
        for pill in (self.steps, self.compare):
            pill.setVisible(len(self.rows) == 2)
        if len(self.rows) < 2:
            self.renaming.hide()
            self.wording.hide()
        self.setVisible(len(self.rows) > 1)
        self._preview()

    @property
    def places(self) -> list[tuple[str, str]]:
        """Bank and id of each."""
        return [(row.bank, row.id) for row in self.rows]

    def _kinds(self) -> QMenu:
        menu = QMenu(self)
        for kind in KINDS:
            menu.addAction(kind, partial(self._change, {"type": kind}, f"make {len(self.rows)} presets {kind.lower()}"))
        return menu

    def _marks(self) -> QMenu:
        menu = QMenu(self)
        for mark in ("", *MARKS):
            says = f"mark {len(self.rows)} presets {mark}" if mark else f"take the marks of {len(self.rows)} presets"
            menu.addAction(mark.capitalize() or "None", partial(self._change, {"mark": mark}, says))
        return menu

    def _change(self, change: dict[str, object], says: str) -> None:
        shelving.change_many(self.session, self.places, [change] * len(self.rows), says)

    def _banks(self, act: Callable[[str], object]) -> QMenu:
        menu = QMenu(self)
        for bank in self.session.banks():
            menu.addAction(item(bank.name), partial(act, bank.id))
        if act == self.move_to:
            menu.addSeparator()
            menu.addAction("Into a new bank", self.split)
        return menu

    def split(self) -> None:
        """Moves all into a new bank."""
        name = f"{self.session.bank_name(self.rows[0].bank)}, a part"
        shelving.split_bank(self.session, self.places, name)

    def move_to(self, bank: str) -> None:
        """Moves all into another bank."""
        these = [place for place in self.places if place[0] != bank]
        if these:
            shelving.move_many(self.session, these, bank)

    def copy_to(self, bank: str) -> None:
        """Copies all into a bank."""
        patches = [patch for place in self.places if (patch := self.session.stored_at(*place)) is not None]
        shelving.keep_new(self.session, bank, patches, f"copy {len(patches)} presets")

    def star(self) -> None:
        """Stars all, or takes their stars."""
        on = not all(row.favourite for row in self.rows)
        self._change({"favourite": on}, f"{'star' if on else 'take the stars of'} {len(self.rows)} presets")

    def level(self) -> None:
        """Brings each to the loudness of a bank, as far as it is measured."""
        measured = {place: self.session.figures.of_row(row) for place, row in zip(self.places, self.rows, strict=True)}
        done = shelving.level_many(self.session, {place: found.lufs for place, found in measured.items() if found})
        if not done:
            self.session.say("None of them is measured yet, or all are as loud as they should be.")

    def delete(self) -> None:
        """Puts all into the bin."""
        shelving.delete_many(self.session, self.places)

    def ask_compare(self) -> None:
        """Shows what is different between the two."""
        both = [self.session.stored_at(*place) for place in self.places]
        if len(both) == 2 and both[0] is not None and both[1] is not None:
            self.session.compare_asked.emit(both[0], both[1], (both[0].name, both[1].name))

    def ask_rename(self) -> None:
        """Shows the pattern and its preview."""
        self.renaming.setVisible(self.renaming.isHidden())
        self.wording.hide()
        self._preview()
        self.pattern.setFocus()

    def ask_words(self) -> None:
        """Shows the lines for words and author."""
        self.wording.setVisible(self.wording.isHidden())
        self.renaming.hide()
        self.words.setFocus()

    def give_words(self) -> None:
        """Gives all of them the words and the author that are typed."""
        change: dict[str, object] = {}
        if words := tuple(self.words.text().replace(",", " ").split()):
            change["character"] = words
        if author := self.author.text().strip():
            change["author"] = author
        if change:
            self._change(change, f"give {len(self.rows)} presets {' and '.join(key for key in change)}")

    def names(self) -> list[str]:
        """The names that the pattern gives; raises `BadPattern`."""
        these = [Named(row.name, row.kind, row.author) for row in self.rows]
        return renamed(these, self.pattern.text(), self.find_.text(), self.replace_.text(), self.case.currentData())

    def _preview(self) -> None:
        if self.renaming.isHidden() or not self.rows:
            return
        try:
            names = self.names()
        except FeltDialError as wrong:
            set_text(self.preview, str(wrong))
            self.go.setEnabled(False)
            return
        self.go.setEnabled(True)
        pairs = [f"{row.name} → {name}" for row, name in zip(self.rows, names, strict=True)]
        more = f" · and {len(pairs) - SHOWN} more" if len(pairs) > SHOWN else ""
        set_text(self.preview, " · ".join(pairs[:SHOWN]) + more)

    def rename(self) -> None:
        """Renames all, as one step."""
        try:
            names = self.names()
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        changes: list[dict[str, object]] = [{"name": name, "unnamed": False} for name in names]
        shelving.change_many(self.session, self.places, changes, f"rename {len(names)} presets")
