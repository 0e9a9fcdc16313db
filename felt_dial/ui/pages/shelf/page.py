"""The Shelf: banks as spines, presets with swatches, search, details."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import cached_property, partial
from pathlib import Path

from PySide6.QtCore import QItemSelectionModel, QModelIndex, QPoint, QSignalBlocker, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListView,
    QMenu,
    QProgressBar,
    QStackedLayout,
    QVBoxLayout,
    QWidget,
)

from felt_dial.bank.finding.catalogue import Listed, ListedBank
from felt_dial.bank.library.import_preview import ImportPreview, free_bank_name, lacks_of, look_into
from felt_dial.bank.library.library import Bank
from felt_dial.bank.library.package import export_bank, import_bank
from felt_dial.errors import FeltDialError, Stopped, cut
from felt_dial.session import shelf_steps as shelving
from felt_dial.session.jobs import Watch, part_of
from felt_dial.session.session import Session
from felt_dial.session.topics import Frame, LibraryChanged, Measured, PatchChanged, Rebuilt, Restored
from felt_dial.ui.dials.controls import Pill, open_menu, text_label
from felt_dial.ui.pages.page import Page
from felt_dial.ui.pages.shelf.bank_column import BankColumn
from felt_dial.ui.pages.shelf.bank_sheet import BankSheet
from felt_dial.ui.pages.shelf.details import Details
from felt_dial.ui.pages.shelf.likes import Hover, likes_of
from felt_dial.ui.pages.shelf.many import Many
from felt_dial.ui.pages.shelf.move_menu import banks_menu
from felt_dial.ui.pages.shelf.offshoots import Offshoots
from felt_dial.ui.pages.shelf.preset_list import ROW, ListHead, PresetList, PresetPainter
from felt_dial.ui.pages.shelf.start import Start
from felt_dial.ui.pages.threads.page import SearchBar
from felt_dial.ui.theme.words import counted

AT_ONCE = 300
"""Up to so many presets are measured as they are listed, not only those in view."""
CHOOSES = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
HASTY = 0.7
"""Seconds after a deletion in which another press of the key is taken for the same one."""


class SearchLine(QLineEdit):
    """A line that is searched as it is typed: Down goes into the list, Escape clears it."""

    down = Signal()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Down:
            self.down.emit()
        elif event.key() == Qt.Key.Key_Escape and self.text():
            self.clear()
        else:
            super().keyPressEvent(event)


class ShelfPage(Page):
    """Banks, presets, details."""

    title, place = "Shelf", 1

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._cancelled = False
        self._listing = False
        self._wanted: tuple[str, str] | None = None
        self._table = session.editor.work.bank, session.editor.work.preset
        self._came_back: tuple[str, str] | None = None
        self._deleted = -HASTY
        self.like: Listed | None = None
        """The preset whose like are listed, while they are."""
        self._scrolled = QTimer(self, singleShot=True, interval=150)
        self._scrolled.timeout.connect(self._measure)
        self.stack = QStackedLayout(self)
        body = QWidget()
        self.stack.addWidget(body)
        self.grown: Offshoots | None = None
        outer = QHBoxLayout(body)
        outer.setContentsMargins(12, 10, 12, 10)
        outer.setSpacing(12)
        self.column = BankColumn(session)
        self.column.chosen.connect(self.choose_bank)
        self.column.narrowed.connect(self._searched)
        self.column.about_asked.connect(lambda key: self.bank_sheet.open_for(key))
        self.column.import_asked.connect(self.ask_import)
        self.column.export_asked.connect(self.ask_export)
        outer.addWidget(self.column)
        self._parts: list[QWidget] = [self.column]
        centre = QVBoxLayout()
        centre.setSpacing(4)
        self.search = SearchLine()
        self.search.down.connect(self._to_list)
        self.search.setProperty("part", "search")
        self.search.setPlaceholderText("Search all banks by name, kind, character or description")
        self.search.setAccessibleName("Search presets")
        self.search.setToolTip(
            "Words, and filters such as kind:pad -drum uses:grains macro:bright cost<0.1 length>2 loudness>-17 colour:woad "
            "unnamed starred unopened: Ctrl+F"
        )
        self.search.textChanged.connect(lambda _: self._searched())
        self.search.returnPressed.connect(self._open_best)
        bar = SearchBar(self.search)
        self.count = text_label("")
        bar.layout_.addWidget(self.count)
        centre.addWidget(bar)
        self._parts += [bar]
        self.many = Many(session)
        self.many.between_asked.connect(self.steps_between)
        self.many.hide()
        self.head = ListHead()
        centre.addWidget(self.head)
        self.model = PresetList()
        self.model.moved.connect(self.reorder)
        self.view = QListView()
        self.view.setModel(self.model)
        self.view.setItemDelegate(PresetPainter(session))
        self.view.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.view.setUniformItemSizes(True)
        self.view.verticalScrollBar().valueChanged.connect(lambda _: self._scrolled.start())
        self.view.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.view.setDragDropMode(QAbstractItemView.DragDropMode.DragDrop)
        self.view.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.view.setAccessibleName("Presets")
        self.view.setMouseTracking(False)
        self.view.clicked.connect(self._clicked)
        self.view.doubleClicked.connect(lambda _: self.page_asked.emit("Patch"))
        self.view.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.view.customContextMenuRequested.connect(self._menu)
        self.view.keyPressEvent = self._list_key  # type: ignore[method-assign]
        self.start = Start()
        centre.addWidget(self.view, 1)
        centre.addWidget(self.start, 1)
        centre.addWidget(self.many)  # under the list, which does not slide when a second row is chosen
        self.hover = Hover(self.view, session)
        work = QHBoxLayout()
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setAccessibleName("Measuring")
        self.measuring = text_label("", "small")
        self.cancel = Pill("Cancel", "link", self._cancel, "Stop it; measuring goes on when the list is opened again")
        for widget in (self.measuring, self.progress, self.cancel):
            work.addWidget(widget)
        self.work = QWidget()
        self.work.setLayout(work)
        work.setContentsMargins(4, 0, 4, 0)
        centre.addWidget(self.work)
        outer.addLayout(centre, 1)
        self.choices = {
            "Open": (self.open_chosen, "Put it on the table: Enter"),
            "Grow…": (self.grow, "Variations of this sound, on a map: keep those you like"),
            "Like this": (
                self.list_like,
                "Sounds of all banks that are like this one, the nearest first, and how they differ",
            ),
            "Duplicate": (self.duplicate, "A copy behind it: Ctrl+D"),
            "Move…": (self.ask_move, "Into another bank"),
            "Delete": (self.delete, "Into the bin: Delete. Undo brings it back."),
        }
        self.details = Details(session, self.choices)
        self.details.opened.connect(self.open_chosen)
        self.details.asked_change.connect(self.change_preset)
        outer.addWidget(self.details)
        self._parts += [self.view, self.details]
        self.view.selectionModel().currentChanged.connect(self._another_chosen)
        self.view.selectionModel().selectionChanged.connect(lambda *_: self._selected())
        session.channel.hear(Restored, self._restored)
        session.channel.watch(self.refresh, LibraryChanged)
        session.channel.watch(self._follow_table, PatchChanged)
        session.channel.hear(Measured, self._measured)
        session.channel.watch(self._frame, Frame)
        session.channel.watch(self.view.viewport().update, Rebuilt)
        self.refresh()

    # --- what is shown -------------------------------------------------------------------------

    def sections(self) -> list[QWidget]:
        if self.grown is not None and self.stack.currentWidget() is self.grown:
            return [self.grown]
        return self._parts

    @property
    def offshoots(self) -> Offshoots:
        """The page of offshoots, made when it is first asked for."""
        if self.grown is None:
            self.grown = Offshoots(self.session)
            self.grown.closed.connect(self._back)
            self.stack.addWidget(self.grown)
        return self.grown

    def _back(self) -> None:
        self.stack.setCurrentIndex(0)
        self._measure()
        self.view.setFocus()

    def grow(self) -> None:
        """Shows the offshoots of the chosen preset."""
        if (chosen := self.chosen()) and (patch := self.session.presets.stored_at(*chosen)) is not None:
            offshoots = self.offshoots
            self.stack.setCurrentWidget(offshoots)
            offshoots.open_for(patch, *chosen)

    @cached_property
    def bank_sheet(self) -> BankSheet:
        """What a bank says about itself, made when it is first asked for."""
        return BankSheet(self, self.session)

    @property
    def banks(self) -> list[ListedBank]:
        """Every bank as it is shown."""
        return self.column.banks

    def refresh(self) -> None:
        """Shows the library as the catalogue has it; what is there already stays and shows what is others now."""
        ids = [bank.id for bank in self.session.shelf.banks]
        if self.session.shelf.shown not in ids:
            wanted = self.session.editor.work.bank
            self.session.shelf.shown = wanted if wanted in ids else ids[0] if ids else ""
        self.column.show_banks()
        self.list_presets()

    def _restored(self, restored: Restored) -> None:
        """What came back from the bin is chosen next where its bank is listed, and listed where it shall be shown."""
        bank, preset, show = restored
        if show and not self.search.text() and self.like is None and bank != self.session.shelf.shown:
            self.session.shelf.shown = bank
            self.column.kind = self.column.only = ""
        self._came_back = (bank, preset) if preset else None

    def choose_bank(self, bank: str) -> None:
        """Takes another bank from the shelf."""
        self.session.shelf.shown = bank
        self.session.presets.use(bank)
        self.column.kind = self.column.only = ""
        self.like = None
        with QSignalBlocker(self.search):
            self.search.clear()
        self.column.show_banks()
        self.list_presets()

    def list_like(self) -> None:
        """Lists the sounds that are like the chosen one, or the bank again."""
        row = self.chosen_row()
        self.like = None if self.like is not None or row is None else row
        if self.like is not None and self.session.shelf.figures.of_row(self.like) is None:
            self.session.say(f"{self.like.name} is not measured yet, so nothing can be compared with it.")
            self.like = None
        self.list_presets()

    def _found(self) -> tuple[list[Listed], str, dict[str, str]]:
        """What is listed, what stands beside the search, and why by key, where sounds like another are listed."""
        session, column, words = self.session, self.column, self.search.text().strip()
        catalogue = session.shelf.catalogue
        if self.like is not None:
            listed, why = likes_of(session, self.like)
            known = len(session.shelf.figures.index.points()[0])
            return listed, f"like {self.like.name}, of {known} sounds measured", why
        if words:
            listed, count = catalogue.search(words, column.kind)
            said = "best first" if count == len(listed) else f"the best {len(listed)} listed"
            instead = "" if listed else catalogue.corrected(words)
            if instead and instead != words:
                listed, count = catalogue.search(instead, column.kind)
                said += f" · for “{instead}”" if listed else ""
            return listed, f"{counted(count, 'preset')} · {said}", {}
        listed = catalogue.presets(session.shelf.shown, column.kind, column.only)
        order = "last opened first" if column.only == "recent" else "in order"
        return listed, f"{counted(len(listed), 'preset')} · {order}", {}

    def list_presets(self) -> None:
        """Lists what the bank, the kind and the search leave, or what is like a sound."""
        chosen, words = self.chosen(), self.search.text().strip()
        listed, said, why = self._found()
        narrowed = bool(words or self.column.kind or self.column.only or self.like)
        self._listing = True  # the chosen one is shown once, when all is listed
        try:
            self._show(listed, said, why, words, not narrowed)
            self._choose_again(listed, chosen)
        finally:
            self._listing = False
        self._measure()
        self.show_chosen()

    def _show(self, listed: list[Listed], said: str, why: dict[str, str], words: str, ordered: bool) -> None:
        self.column.show_counts(bool(words))
        everywhere = bool(words) or self.like is not None or self.column.only == "recent"
        banks = {bank.id: bank.name for bank in self.banks} if everywhere else {}
        self.model.show(listed, ordered=ordered, why=why, banks=banks)
        self.head.show_like(self.like is not None)
        self.count.setText(said)
        self.start.setVisible(not listed)
        self.view.setVisible(bool(listed))
        self._show_start(words)

    def _choose_again(self, listed: list[Listed], chosen: tuple[str, str] | None) -> None:
        """Chooses what was asked for, else what was chosen before, else what is on the table, else the first."""
        if not listed:
            return
        wanted = (
            self._wanted
            or self._came_back
            or chosen
            or (self.session.editor.work.bank, self.session.editor.work.preset)
        )
        rows = [n for n, preset in enumerate(listed) if (preset.bank, preset.id) == wanted]
        kept = {(row.bank, row.id) for row in self.many.rows}
        self._choose(rows[0] if rows else 0)
        if rows and self._came_back == wanted:
            self._came_back = None
            self.view.scrollTo(self.model.index(rows[0]))
        if len(kept) > 1:
            selection = self.view.selectionModel()
            for n, preset in enumerate(listed):
                if (preset.bank, preset.id) in kept:
                    selection.select(self.model.index(n), QItemSelectionModel.SelectionFlag.Select)

    def _show_start(self, words: str) -> None:
        """What is said, and offered, where nothing is listed."""
        session, column = self.session, self.column
        if self.like is not None:
            self.start.show_words(
                "No other sound is measured yet; open a bank, and its sounds are measured as they are listed."
            )
        elif words:
            self.start.show_words("No preset has all these words.")
        elif not self.banks:
            self.start.show_words(
                "The library is empty. A bank holds the sounds that belong together.",
                ("Make a first bank", column.ask_bank, "A new, empty bank"),
                ("Import a bank…", self.ask_import, "A bank file that somebody gave you"),
                (
                    "Bring the shipped banks",
                    partial(shelving.bring_shipped, session),
                    "The banks that come with the program",
                ),
            )
        elif column.kind or column.only:
            self.start.show_words("No preset of this bank is so.")
        else:
            self.start.show_words(
                f"This bank is empty: a sound that you save with Ctrl+Shift+S {self._comes_to_stand()}.",
                ("Keep the sound on the table here", self._keep_here, "Saves it as a new preset of this bank"),
                ("Start from an empty patch", self._start_empty, "An empty patch, to be made into a sound: Ctrl+N"),
                ("Import a bank…", self.ask_import, "A bank file that somebody gave you"),
            )

    def _comes_to_stand(self) -> str:
        """Where a sound that is saved as new comes to stand, as the session has it."""
        home = self.session.presets.home()
        return "comes to stand here" if home.id == self.session.shelf.shown else f"comes to stand in {home.name}"

    def _keep_here(self) -> None:
        presets, bank = self.session.presets, self.session.shelf.shown
        patch = presets.as_new(self.session.patch.name)
        for key in shelving.keep_new(self.session, bank, [patch], f"keep {patch.name}"):
            presets.belongs_to(bank, key)

    def _start_empty(self) -> None:
        self.session.editor.new()
        self.page_asked.emit("Patch")

    def _follow_table(self) -> None:
        """Another preset lies on the table: it is the chosen one, where it is listed."""
        now = self.session.editor.work.bank, self.session.editor.work.preset
        if now == self._table:
            return
        self._table = now
        unseen = not self.isVisible() and not self.search.text() and self.like is None
        if unseen and now[0] and now[0] != self.session.shelf.shown:
            self.choose_bank(now[0])  # what is on the table is what one looks for next
        rows = [n for n, preset in enumerate(self.model.presets) if (preset.bank, preset.id) == now]
        if rows:
            self._choose(rows[0])

    def _measure(self) -> None:
        """Has what is listed measured, unless that was cancelled; of a long list what is in view."""
        if self._cancelled or not self.model.presets:
            return
        rows = self.model.presets
        if len(rows) > AT_ONCE:
            first = max(self.view.indexAt(QPoint(8, 8)).row(), 0)
            rows = rows[first : first + self.view.height() // ROW + 2]
        self.session.shelf.figures.ask_rows(rows, self.session.shelf.library)

    def opened(self, seen: bool) -> None:
        """Goes on measuring what is listed."""
        if seen:
            self._cancelled = False
            self._measure()
            if self.grown is not None:
                self.grown.card.show_locks()

    def chosen_row(self) -> Listed | None:
        """The chosen preset."""
        row = self.view.currentIndex().row()
        return self.model.presets[row] if 0 <= row < len(self.model.presets) else None

    def chosen(self) -> tuple[str, str] | None:
        """Bank and id of the chosen preset."""
        preset = self.chosen_row()
        return (preset.bank, preset.id) if preset else None

    def _choose(self, row: int) -> None:
        """Chooses a row and no other, whatever keys are held: a capital letter in the search holds Shift."""
        flags = QItemSelectionModel.SelectionFlag.ClearAndSelect
        self.view.selectionModel().setCurrentIndex(self.model.index(row), flags)

    def _another_chosen(self) -> None:
        if not self._listing:
            self.show_chosen()

    def show_chosen(self) -> None:
        preset = self.chosen_row()
        name = next((bank.name for bank in self.banks if preset and bank.id == preset.bank), "")
        self.details.show_preset(preset, name)

    def _measured(self, measured: Measured) -> None:
        self.view.viewport().update()
        if self.details.preset and self.details.preset.key == measured.key:
            self.details.show_measured()

    def _frame(self) -> None:
        left, total = self.session.shelf.figures.measuring.left, self.session.shelf.figures.measuring.total
        reading = self.session.shelf.following
        jobs = self.session.jobs
        self.work.setVisible(jobs.busy or left > 0 or bool(reading and reading.total))
        self.cancel.setVisible(jobs.busy or left > 0)
        if jobs.busy:
            self.progress.setMaximum(1000)
            self.progress.setValue(round(1000 * jobs.part))
            self.measuring.setText(jobs.name)
        elif reading and reading.total:
            self.progress.setMaximum(reading.total)
            self.progress.setValue(reading.done)
            self.measuring.setText(f"Reading bank {reading.done + 1} of {reading.total}")
        elif left:
            self.progress.setMaximum(max(total, 1))
            self.progress.setValue(total - left)
            self.measuring.setText(f"Measuring {total - left + 1} of {total}")

    def _cancel(self) -> None:
        if self.session.jobs.busy:
            self.session.jobs.cancel()
            return
        self._cancelled = True
        self.session.shelf.figures.measuring.cancel()
        self.view.viewport().update()
        self.details.show_measured()

    # --- what is done --------------------------------------------------------------------------

    def open_chosen(self) -> None:
        """Puts the chosen preset on the table."""
        if chosen := self.chosen():
            self.session.presets.open(*chosen)
            self.view.viewport().update()

    def selected(self) -> list[Listed]:
        """The presets that are selected, in the order of the list."""
        rows = sorted(index.row() for index in self.view.selectionModel().selectedRows())
        return [self.model.presets[row] for row in rows if row < len(self.model.presets)]

    def _selected(self) -> None:
        self.many.show_rows(self.selected())
        self.view.viewport().update()

    def steps_between(self) -> None:
        """Steps from one of two presets to the other."""
        rows = self.selected()
        patches = [patch for row in rows if (patch := self.session.presets.stored_at(row.bank, row.id)) is not None]
        if len(patches) == 2:
            self.stack.setCurrentWidget(self.offshoots)
            self.offshoots.open_for(patches[0], rows[0].bank, rows[0].id)
            self.offshoots.show_between(*patches)

    def _clicked(self, index: QModelIndex) -> None:
        if QApplication.keyboardModifiers() & CHOOSES:
            return  # one more, or all up to here
        place = self.view.visualRect(index)
        star = PresetPainter.columns(place.width() - 2)["star"][0]
        x = self.view.viewport().mapFromGlobal(self.cursor().pos()).x()
        preset = self.chosen_row()
        if x >= star - 4 and preset and not preset.problem:
            self.change_preset(preset.bank, preset.id, {"favourite": not preset.favourite}, "star")
        else:
            self.open_chosen()

    def change_preset(self, bank: str, preset: str, change: dict[str, object], what: str) -> None:
        """Changes something about a preset that is not its sound, as one step."""
        shelving.change_preset(self.session, bank, preset, change, what)

    def duplicate(self) -> None:
        """A copy behind the chosen preset."""
        if chosen := self.chosen():
            shelving.duplicate_preset(self.session, *chosen)

    def delete(self) -> None:
        """Puts the chosen preset into the bin and chooses its neighbour, which a hasty second press leaves alone."""
        if len(self.selected()) > 1:
            self.many.delete()
            return
        if not (chosen := self.chosen()):
            return
        if time.monotonic() - self._deleted < HASTY:
            self.session.say(f"“{self.model.presets[self.view.currentIndex().row()].name}” is still there.")
            return
        row, listed = self.view.currentIndex().row(), self.model.presets
        beside = [listed[n] for n in (row + 1, row - 1) if 0 <= n < len(listed)]
        self._wanted = (beside[0].bank, beside[0].id) if beside else None
        shelving.delete_preset(self.session, *chosen, beside[0].name if beside else "")
        self._wanted, self._deleted = None, time.monotonic()

    def reorder(self, these: list[tuple[str, str]], to: int) -> None:
        """Moves presets to another place of their bank; those of another bank come along from there."""
        bank = self.session.shelf.shown
        mine = [preset for home, preset in these if home == bank]
        if len(mine) == 1:
            shelving.reorder_preset(self.session, bank, mine[0], to)
        elif mine:
            shelving.reorder_many(self.session, bank, mine, to)

    def _searched(self) -> None:
        self.like = None
        self.list_presets()

    def _to_list(self) -> None:
        """From the search into the list, at what is chosen there."""
        self.view.setFocus()

    def _open_best(self) -> None:
        """Opens the best hit of the search."""
        if self.search.text().strip() and self.model.presets:
            self._choose(0)
            self.open_chosen()
        self.view.setFocus()

    def ask_move(self) -> None:
        """Offers the other banks."""
        if not (chosen := self.chosen()):
            return
        move = partial(shelving.move_preset, self.session, *chosen)
        name = f"{self.session.shelf.bank_name(chosen[0])}, a part"
        anew = partial(shelving.split_bank, self.session, [chosen], name)
        open_menu(banks_menu(self, self.session, move, chosen[0], anew), self.details)

    def ask_import(self) -> None:
        """Asks for bank files."""
        paths, _ = QFileDialog.getOpenFileNames(self, "Import banks", "", "Banks (*.feltbank)")
        if paths:
            self.import_files([Path(path) for path in paths])

    def import_file(self, path: Path, open_it: bool = False) -> None:
        """Takes in a bank file, see `import_files`."""
        self.import_files([path], open_it)

    def import_files(self, paths: list[Path], open_it: bool = False) -> None:
        """Takes in bank files beside the work, each as a whole or not at all; asks first about those whose bank is here
        already, and where recordings are missing. `open_it` puts the first preset on the table."""
        session = self.session

        def look(watch: Watch) -> tuple[list[ImportPreview], list[str]]:
            found, failed = [], []
            for n, path in enumerate(paths):
                try:
                    found.append(
                        look_into(session.shelf.library, path, part_of(watch, n / len(paths), (n + 1) / len(paths)))
                    )
                except Stopped:
                    raise
                except FeltDialError as wrong:
                    failed.append(str(wrong))
            return found, failed

        def then(found: tuple[list[ImportPreview], list[str]]) -> None:
            previews, failed = found
            for sentence in failed:
                session.say(sentence, problem=True)
            asked = [one for one in previews if one.known or one.lacks]
            plain = [one for one in previews if one not in asked]
            if plain or not asked:
                self._take_in(plain, open_it, then=partial(self._ask_about, asked, open_it))
            else:
                self._ask_about(asked, open_it)

        names = paths[0].name if len(paths) == 1 else f"{len(paths)} bank files"
        session.jobs.start(f"Looking into {names}", look, then)

    def _ask_about(self, previews: list[ImportPreview], open_it: bool) -> None:
        """Asks what becomes of bank files that are here already, or lack something; nothing is imported yet."""
        if not previews:
            return
        told = [sentence for one in previews if one.known for sentence in (one.known.sentence(),)]
        lacks = [lack for one in previews for lack in one.lacks]
        if lacks:
            more = f", and {len(lacks) - 1} more" if len(lacks) > 1 else ""
            told.append(f"what is in no file and not here: {lacks[0]}{more}")
        beside = [free_bank_name(self.session.shelf.library, one.name) for one in previews]
        answers: list[tuple[str, Callable[[], object]]] = []
        to_take = [one for one in previews if one.to_take]
        as_named = f"Import it as “{cut(beside[0], 30)}”" if len(previews) == 1 else "Import them with a number"
        if not any(one.known for one in previews):
            as_named = "Import it all the same"
        answers.append((as_named, partial(self._take_in, previews, open_it)))
        if to_take:
            count = sum(len(one.to_take) for one in to_take)
            only = f"Only the {count} new or different" if count > 1 else "Only what is new or different"
            answers.append((only, partial(self._take_in, to_take, open_it, True)))
        answers.append(("Leave it" if len(previews) == 1 else "Leave them", lambda: None))
        text = "; ".join(told)
        self.session.ask(f"{text[:1].upper()}{text[1:]}. Nothing of it is imported yet.", answers, problem=False)

    def _take_in(
        self,
        previews: list[ImportPreview],
        open_it: bool,
        only_new: bool = False,
        then: Callable[[], object] = lambda: None,
    ) -> None:
        """Takes in bank files, each under a free name; of the presets only what is new or different, where that is wished."""
        session, count = self.session, max(len(previews), 1)

        def work(watch: Watch) -> list[Bank]:
            made = []
            for n, one in enumerate(previews):
                only = one.to_take if only_new else None
                name = free_bank_name(session.shelf.library, one.name)
                made.append(
                    import_bank(
                        session.shelf.library, one.path, part_of(watch, n / count, (n + 0.5) / count), name, only
                    )
                )
                session.shelf.read_beside((made[-1].id,), part_of(watch, (n + 0.5) / count, (n + 1) / count))
            return made

        def taken(made: list[Bank]) -> None:
            if made:
                session.shelf.refresh([bank.id for bank in made])
                self.choose_bank(made[-1].id)
                session.say(f"Imported {' and '.join(bank.name for bank in made)}.")
                if open_it and (listed := self.model.presets):
                    session.presets.open(made[-1].id, listed[0].id)
            then()

        if previews:
            names = previews[0].path.name if len(previews) == 1 else f"{len(previews)} banks"
            session.jobs.start(f"Importing {names}", work, taken)
        else:
            then()

    def ask_export(self, bank: str = "") -> None:
        """Asks where to put the bank file."""
        if bank:
            self.choose_bank(bank)
        bank = self.session.shelf.shown
        path, _ = QFileDialog.getSaveFileName(self, "Export a bank", f"{bank}.feltbank", "Banks (*.feltbank)")
        if path:
            self.export_file(Path(path))

    def export_file(self, path: Path, all_the_same: bool = False) -> None:
        """Writes the shown bank as one file; lists first what somebody who gets it would miss."""
        session = self.session
        try:
            bank = session.shelf.library.bank(session.shelf.shown)
            figures = session.shelf.figures
            lacks = [] if all_the_same else lacks_of(bank, lambda patch: figures.of(patch) is not None)
        except FeltDialError as wrong:
            session.say(str(wrong), problem=True)
            return
        if lacks:
            answers = [("Export it all the same", partial(self.export_file, path, True))]
            session.ask(f"Who gets it would miss: {'; '.join(lacks)}. Nothing is exported yet.", answers, problem=False)
            return

        def then(count: int) -> None:
            session.say(f"Exported {count} presets to {path.name}.")

        session.jobs.start(f"Exporting {path.name}", lambda watch: export_bank(bank, path, watch), then)

    def first(self) -> QWidget:
        """The list, for the arrow keys."""
        return self.view

    def _menu(self, at: QPoint) -> None:
        menu = QMenu(self)
        for text, (act, tip) in self.choices.items():
            menu.addAction(f"{text}", act).setToolTip(tip)
        menu.exec(self.view.viewport().mapToGlobal(at))

    def _list_key(self, event: QKeyEvent) -> None:
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        row = self.view.currentIndex().row()
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.open_chosen()
        elif event.key() == Qt.Key.Key_Delete:
            if not event.isAutoRepeat():
                self.delete()
        elif (
            alt and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.model.ordered and (chosen := self.chosen())
        ):
            self.reorder([chosen], row - 1 if event.key() == Qt.Key.Key_Up else row + 2)
        elif event.text() and not event.modifiers() and event.key() != Qt.Key.Key_Escape:
            event.ignore()
        else:
            QListView.keyPressEvent(self.view, event)
