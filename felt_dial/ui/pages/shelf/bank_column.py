"""The column of banks: spines, what can be done with a bank, and what narrows the list of its presets."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QRect, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QMenu, QVBoxLayout, QWidget

from felt_dial.bank.finding.catalogue import ONLY, Listed, ListedBank
from felt_dial.bank.library.library import Thrown
from felt_dial.session import shelf_steps as shelving
from felt_dial.session.session import Session
from felt_dial.ui.dials.controls import Pill, open_menu, set_text, text_label
from felt_dial.ui.dials.entry import Entry
from felt_dial.ui.dials.focus import let_go_of_focus
from felt_dial.ui.dials.scrolling import Scroller
from felt_dial.ui.pages.shelf.spine import Spine
from felt_dial.ui.theme.words import item

ONLY_SAID = {
    "starred": ("Starred", "Show those with a star only"),
    "unnamed": ("Unnamed", "Show those only that are not named yet"),
    "unopened": ("Never opened", "Show those only that were not opened since they came"),
    "recent": ("Recent", "Show what was opened last, of all banks"),
}
Measured = tuple[float, float, float]
"""Brightness, length and loudness."""
LAST: Measured = (math.inf, math.inf, math.inf)
ORDERS: dict[str, Callable[[Listed, Measured], object]] = {
    "by name": lambda row, of: row.name.casefold(),
    "by kind": lambda row, of: (row.kind, row.place),
    "favourites first": lambda row, of: (not row.favourite, row.place),
    "by author": lambda row, of: (row.author.casefold(), row.place),
    "by colour mark": lambda row, of: (row.mark or "~", row.place),
    "dark to bright": lambda row, of: (of[0], row.place),
    "short to long": lambda row, of: (of[1], row.place),
    "soft to loud": lambda row, of: (of[2], row.place),
}
BY_MEASURE = ("dark to bright", "short to long", "soft to loud")


class BankColumn(Scroller):
    """Every bank as a spine, and under them the kinds of presets.

    Attributes
    ----------
    chosen : Signal(str)
        Another bank is to be listed.
    narrowed : Signal()
        `kind` or `only` is another.
    about_asked, import_asked, export_asked : Signal
        Something that the page does: of a bank, or of none.
    """

    chosen = Signal(str)
    narrowed = Signal()
    about_asked = Signal(str)
    import_asked = Signal()
    export_asked = Signal(str)

    def __init__(self, session: Session) -> None:
        self.session = session
        self.banks: list[ListedBank] = []
        self.kind, self.only = "", ""
        self._kinds_shown: object = None
        self._pills: dict[str, Pill] = {}
        holder = QWidget()
        super().__init__(holder)
        left = QVBoxLayout(holder)
        left.setContentsMargins(0, 0, 0, 0)
        left.setSpacing(6)
        left.addWidget(text_label("Banks"))
        self.spines = QVBoxLayout()
        self.spines.setSpacing(6)
        left.addLayout(self.spines)
        self.new_bank = Pill("+ New bank", "add", self.ask_bank, "Make a new, empty bank")
        self.new_bank.setFixedHeight(36)
        left.addWidget(self.new_bank)
        more = QHBoxLayout()
        more.addWidget(Pill("Import…", "link", self.import_asked.emit, "Import bank files (.feltbank)"))
        says = "Export this bank as one file (.feltbank)"
        self.export = Pill("Export…", "link", lambda: self.export_asked.emit(""), says)
        more.addWidget(self.export)
        more.addStretch()
        more.addWidget(Pill("Bin", "link", self.show_bin, "Deleted presets, to be restored"))
        left.addLayout(more)
        left.addSpacing(6)
        left.addWidget(text_label("Show only"))
        only = QGridLayout()
        only.setSpacing(5)
        self.onlies: dict[str, Pill] = {}
        for n, (key, (name, tip)) in enumerate(ONLY_SAID.items()):
            pill = self.onlies[key] = Pill(name, "kind", partial(self.choose_only, key), tip)
            pill.setCheckable(True)
            only.addWidget(pill, n // 2, n % 2)
        left.addLayout(only)
        left.addSpacing(6)
        left.addWidget(text_label("Kind"))
        self.kinds = QGridLayout()
        self.kinds.setSpacing(5)
        left.addLayout(self.kinds)
        left.addStretch()
        holder.setFixedWidth(206)
        self.setFixedWidth(220)  # the scroll bar has room of its own

    # --- what is shown -------------------------------------------------------------------------

    def show_banks(self) -> None:
        """The banks as the catalogue has them."""
        self.banks = self.session.shelf.banks
        self.export.setEnabled(bool(self.banks))
        while self.spines.count() > len(self.banks):
            gone = self.spines.takeAt(self.spines.count() - 1)
            if gone is not None and (widget := gone.widget()):
                widget.hide()
                widget.deleteLater()
        while self.spines.count() < len(self.banks):
            self._add_spine()
        for place, bank in enumerate(self.banks):
            self.spine(place).show_bank(bank, place, bank.id == self.session.shelf.shown)

    def spine(self, place: int) -> Spine:
        """The spine of the bank at a place."""
        held = self.spines.itemAt(place)
        spine = held.widget() if held is not None else None
        assert isinstance(spine, Spine)
        return spine

    def _add_spine(self) -> None:
        spine = Spine(self.session)
        spine.clicked.connect(lambda: self.chosen.emit(spine.bank.id))
        spine.rename_asked.connect(lambda: self.ask_bank_name(spine))
        spine.steps_asked.connect(lambda steps: self.reorder_bank(spine.bank.id, steps))
        spine.menu_asked.connect(lambda at: self.bank_menu(spine).popup(at))
        self.spines.addWidget(spine)

    def show_counts(self, everywhere: bool) -> None:
        """How many presets of which kind there are, in the bank or `everywhere`; and of what a list can be narrowed to."""
        bank = "" if everywhere else self.session.shelf.shown
        counts, only = (
            self.session.shelf.catalogue.kinds(bank),
            self.session.shelf.catalogue.counts(self.session.shelf.shown),
        )
        now = (counts, only, self.kind, self.only)
        if now == self._kinds_shown:
            return
        self._kinds_shown = now
        for key, pill in self.onlies.items():
            pill.setText(f"{ONLY_SAID[key][0]}  {only[key]}" if key in ONLY else ONLY_SAID[key][0])
            pill.setChecked(key == self.only)
        if list(counts) != list(self._pills):
            self._lay_out_kinds(list(counts))
        for kind, pill in self._pills.items():
            set_text(pill, f"{kind}  {counts[kind]}")
            pill.setChecked(kind == self.kind)

    def _lay_out_kinds(self, kinds: list[str]) -> None:
        """A pill for each kind; those that stand already stay."""
        while self.kinds.takeAt(0):
            pass
        for gone in self._pills.keys() - kinds:
            pill = self._pills.pop(gone)
            let_go_of_focus(pill)
            pill.hide()
            pill.deleteLater()
        before, self._pills = self._pills, {}
        for n, kind in enumerate(kinds):
            pill = before.get(kind) or Pill("", "kind", partial(self.choose_kind, kind), f"Show {kind} only")
            pill.setCheckable(True)
            self._pills[kind] = pill
            self.kinds.addWidget(pill, n // 2, n % 2)

    def choose_kind(self, kind: str) -> None:
        """Narrows the list to a kind, or no more."""
        self.kind = "" if kind == self.kind else kind
        self.narrowed.emit()

    def choose_only(self, only: str) -> None:
        """Narrows the list to what is starred, unnamed, never opened or recent, or no more."""
        self.only = "" if only == self.only else only
        self.narrowed.emit()

    # --- what is done --------------------------------------------------------------------------

    def ask_bank(self) -> Entry:
        """Opens the entry for the name of a new bank."""

        def take(text: str) -> None:
            self.make_bank(text.strip() or "New bank")

        return Entry(self.new_bank, QRect(0, 4, self.new_bank.width(), 28), "", take, "Name of the new bank")

    def ask_bank_name(self, spine: Spine) -> Entry:
        """Opens the entry for another name of a bank."""

        def take(text: str) -> None:
            if text.strip() and text.strip() != spine.name:
                shelving.about_bank(self.session, spine.bank.id, {"name": text.strip()}, "name")

        return Entry(spine, QRect(18, 5, spine.width() - 22, 28), spine.name, take, f"Another name for {spine.name}")

    def bank_menu(self, spine: Spine) -> QMenu:
        """What can be done with a bank."""
        key, menu = spine.bank.id, QMenu(self)
        menu.addAction("About it…", partial(self.about_asked.emit, key))
        menu.addAction("Rename…", partial(self.ask_bank_name, spine))
        menu.addAction("Duplicate", partial(self.duplicate_bank, key))
        menu.addAction("Export…", partial(self.export_asked.emit, key))
        place = self.banks.index(spine.bank)
        menu.addAction("Move up", partial(self.reorder_bank, key, -1)).setEnabled(place > 0)
        menu.addAction("Move down", partial(self.reorder_bank, key, 1)).setEnabled(place < len(self.banks) - 1)
        menu.addAction("Measure all", partial(self.measure_bank, key))
        orders = menu.addMenu("Order its presets")
        for name in ORDERS:
            orders.addAction(name, partial(self.order_bank, key, name))
        merge = menu.addMenu("Merge into")
        for other in self.banks:
            if other.id != key:
                merge.addAction(item(other.name), partial(self.merge_bank, key, other.id))
        merge.setEnabled(len(self.banks) > 1)
        menu.addAction("Delete", partial(shelving.delete_bank, self.session, key))
        return menu

    def measure_bank(self, key: str) -> None:
        """Has every preset of a bank measured, whether it is seen or not."""
        rows = self.session.shelf.catalogue.presets(key)
        lacks = [row for row in rows if row.key and self.session.shelf.figures.of_row(row) is None]
        self.session.shelf.figures.ask_rows(lacks, self.session.shelf.library)
        name = self.session.shelf.bank_name(key)
        says = f"{len(lacks)} presets of {name} are being measured." if lacks else f"All of {name} are measured."
        self.session.say(says)

    def order_bank(self, key: str, by: str) -> None:
        """Gives the presets of a bank another order; what is ordered by a measure and was not measured comes last."""
        catalogue = self.session.shelf.catalogue
        known = catalogue.measured(key) if by in BY_MEASURE else {}
        rows = catalogue.presets(key)
        rows.sort(key=lambda row: ORDERS[by](row, known.get(row.id, LAST)))  # type: ignore[arg-type, return-value]
        done = shelving.reorder_bank_by(self.session, key, [row.id for row in rows], f"order the bank {by}")
        lacks = len(rows) - len(known) if by in BY_MEASURE else 0
        if done and lacks:
            self.session.say(f"Ordered {by}; {lacks} that are not measured yet stand at the end.")

    def merge_bank(self, key: str, into: str) -> None:
        """Moves all presets of a bank to the end of another; the empty one goes, and comes back with an undo."""
        if shelving.merge_bank(self.session, key, into):
            self.chosen.emit(into)

    def reorder_bank(self, key: str, steps: int) -> None:
        """Moves a bank up or down among the others; the focus goes along."""
        ids = [bank.id for bank in self.banks]
        to = ids.index(key) + steps
        if 0 <= to < len(ids):
            shelving.reorder_bank(self.session, key, to)
            self.spine(to).setFocus()

    def duplicate_bank(self, key: str) -> None:
        """A copy of a bank, shown."""
        if made := shelving.duplicate_bank(self.session, key):
            self.chosen.emit(made)

    def make_bank(self, name: str) -> None:
        """Makes a bank and shows it."""
        if key := shelving.make_bank(self.session, name):
            self.chosen.emit(key)

    def show_bin(self) -> None:
        """Offers what was deleted."""
        menu = QMenu(self)
        for thrown in self.session.shelf.library.bin.all()[:30]:
            of = "a whole bank" if thrown.whole else f"of {thrown.bank_name or 'a bank that is gone'}"
            where = f"{thrown.name}, {of}, {thrown.when:%d %b, %H:%M}"
            menu.addAction(item(f"Restore {where}"), partial(self._restore, thrown))
        if menu.isEmpty():
            menu.addAction("The bin is empty").setEnabled(False)
        open_menu(menu, self)

    def _restore(self, thrown: Thrown) -> None:
        shelving.restore_thrown(self.session, thrown.ticket, thrown.name)
