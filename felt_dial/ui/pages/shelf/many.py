"""Many at once: what is done to all presets that are selected, each as one step."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QMenu, QVBoxLayout, QWidget

from felt_dial.bank.finding.catalogue import Listed
from felt_dial.bank.library.renaming import CASES, Named, renamed
from felt_dial.bank.variation.variations import between
from felt_dial.errors import FeltDialError
from felt_dial.patch.parts import KINDS
from felt_dial.patch.patch import MARKS
from felt_dial.session import shelf_steps as shelving
from felt_dial.session.session import Session
from felt_dial.session.topics import CompareAsked, Measured
from felt_dial.ui.dials.cards import Plate
from felt_dial.ui.dials.controls import MenuPill, Pill, set_text, text_label
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.pages.shelf.move_menu import banks_menu
from felt_dial.ui.theme.words import item, plain

WORDED = {"more": "Add", "without": "Take away", "instead": "Replace by"}
"""What becomes of the words that presets have."""
SHOWN = 3
"""Names of a preview."""


def worded(has: tuple[str, ...], words: tuple[str, ...], how: str) -> tuple[str, ...]:
    """The words of a preset once some are put to them, taken from them, or stand in their place."""
    if how == "instead":
        return words
    folded = {word.casefold() for word in words}
    kept = tuple(word for word in has if word.casefold() not in folded) if how == "without" else has
    return kept if how == "without" else tuple(dict.fromkeys((*has, *words)))


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
        self._waiting: list[tuple[str, str]] = []
        """Presets that are levelled once all of them are measured."""
        session.channel.watch(self._measured, Measured)
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
        row.addWidget(MenuPill("Phrase…", "The phrase that all of them are best heard with", self._phrases))
        tip = "Brings each to the loudness that its bank wishes, by its output level"
        self.level_pill = Pill("Level", "small", self.level, tip)
        row.addWidget(self.level_pill)
        row.addWidget(Pill("Rename…", "small", self.ask_rename, "Gives all of them names by a pattern"))
        row.addWidget(Pill("Words…", "small", self.ask_words, "Words, author, licence and description for all of them"))
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
        self.how = Picker()
        for key, name in WORDED.items():
            self.how.addItem(name, key)
        self.how.setAccessibleName("What becomes of the words that they have")
        self.how.setToolTip(
            "Whether these words are put to those that they have, taken from them, or stand in their place"
        )
        self.words, self.author = self._line("", "words, such as warm slow"), self._line("", "author")
        self.licence = self._line("", "licence")
        self.description = self._line("", "description")
        line.addWidget(self.how)
        for widget, share in ((self.words, 3), (self.author, 2), (self.licence, 2), (self.description, 4)):
            line.addWidget(widget, share)
        line.addWidget(
            Pill(
                "Give", "small", self.give_words, "Gives all of them what is written here; what is empty stays as it is"
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
        self._tell_unmatched()
        self.setVisible(len(self.rows) > 1)
        self._preview()

    def _tell_unmatched(self) -> None:
        """Says before steps between two are asked for what of them does not match, and so stays as the first has it."""
        tip, name = "Sounds on the way from one of the two to the other", "Steps between"
        if len(self.rows) == 2:
            patches = [patch for place in self.places if (patch := self.session.presets.stored_at(*place)) is not None]
            apart = between(patches[0], patches[1], 2).unmatched if len(patches) == 2 else ()
            if apart:
                name = f"Steps ({len(apart)} apart)"
                tip += f".\nThese do not match, and stay as the first has them: {', '.join(apart[:8])}"
        set_text(self.steps, name)
        self.steps.setToolTip(plain(tip))

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

    def _phrases(self) -> QMenu:
        menu, count = QMenu(self), len(self.rows)
        menu.addAction("That of their kind", partial(self._change, {"phrase": None}, f"give {count} presets no phrase"))
        for phrase in self.session.shelf.phrases.all().values():
            says = f"give {count} presets the phrase {phrase.name}"
            menu.addAction(item(phrase.name), partial(self._change, {"phrase": phrase}, says))
        return menu

    def _change(self, change: dict[str, object], says: str) -> None:
        shelving.change_many(self.session, self.places, [change] * len(self.rows), says)

    def _banks(self, act: Callable[[str], object]) -> QMenu:
        homes = {home for home, _ in self.places}
        moves = act == self.move_to
        without = next(iter(homes)) if moves and len(homes) == 1 else ""
        return banks_menu(self, self.session, act, without, self.split if moves else None)

    def split(self) -> None:
        """Moves all into a new bank."""
        name = f"{self.session.shelf.bank_name(self.rows[0].bank)}, a part"
        shelving.split_bank(self.session, self.places, name)

    def move_to(self, bank: str) -> None:
        """Moves all into another bank."""
        these = [place for place in self.places if place[0] != bank]
        if these:
            shelving.move_many(self.session, these, bank)

    def copy_to(self, bank: str) -> None:
        """Copies all into a bank."""
        patches = [patch for place in self.places if (patch := self.session.presets.stored_at(*place)) is not None]
        shelving.keep_new(self.session, bank, patches, f"copy {len(patches)} presets")

    def star(self) -> None:
        """Stars all, or takes their stars."""
        on = not all(row.favourite for row in self.rows)
        self._change({"favourite": on}, f"{'star' if on else 'take the stars of'} {len(self.rows)} presets")

    def level(self) -> None:
        """Brings each to the loudness that its bank wishes; waits for those that are not measured yet."""
        self._waiting = list(self.places)
        self._level_when_measured()

    def _level_when_measured(self) -> None:
        rows = [row for place in self._waiting if (row := self.session.shelf.catalogue.preset(*place)) is not None]
        if not rows:
            return
        figures = self.session.shelf.figures
        measured = {(row.bank, row.id): figures.of_row(row) for row in rows}
        lacks = [row for row in rows if measured[row.bank, row.id] is None and row.key not in figures.failed]
        if lacks:
            figures.ask_rows(lacks, self.session.shelf.library)
            self.session.say(f"Level waits: {len(lacks)} of {len(rows)} are still being measured.")
            return
        self._waiting = []
        known = {place: found.lufs for place, found in measured.items() if found is not None}
        if not shelving.level_many(self.session, known):
            silent = sum(lufs < -70.0 for lufs in known.values())
            lost = len(rows) - len(known)
            why = [f"{silent} are silent"] * bool(silent) + [f"{lost} could not be measured"] * bool(lost)
            others = len(rows) - silent - lost
            why += [
                "all are as loud as their bank wishes" if others == len(rows) else f"{others} are as loud as wished"
            ]
            self.session.say(f"Nothing was levelled: {', '.join(why)}.")

    def _measured(self) -> None:
        if self._waiting:
            self._level_when_measured()

    def delete(self) -> None:
        """Puts all into the bin."""
        shelving.delete_many(self.session, self.places)

    def ask_compare(self) -> None:
        """Shows what is different between the two."""
        both = [self.session.presets.stored_at(*place) for place in self.places]
        if len(both) == 2 and both[0] is not None and both[1] is not None:
            self.session.channel.tell(CompareAsked(both[0], both[1], (both[0].name, both[1].name)))

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
        """Gives all of them what is typed: words, author, licence, description."""
        words, how = tuple(self.words.text().replace(",", " ").split()), str(self.how.currentData())
        plain = {"author": self.author, "licence": self.licence, "description": self.description}
        given: dict[str, object] = {field: text for field, line in plain.items() if (text := line.text().strip())}
        changes = []
        for row in self.rows:
            has = tuple(row.character.split(", ")) if row.character else ()
            changes.append({**given, "character": worded(has, words, how)} if words else dict(given))
        what = [*(["words"] if words else []), *given]
        if what:
            verb = "take words from" if how == "without" and what == ["words"] else "give"
            says = f"{verb} {len(self.rows)} presets" + (f" {' and '.join(what)}" if verb == "give" else "")
            shelving.change_many(self.session, self.places, changes, says)

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
