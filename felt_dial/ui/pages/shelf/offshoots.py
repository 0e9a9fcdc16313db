"""Offshoots: variations grown from a sound, on a map where near means alike; heard, kept, thrown away, grown again."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Iterable, Iterator
from copy import copy
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from felt_dial.bank.finding.names import on_offer
from felt_dial.bank.measuring.features import lacks
from felt_dial.bank.variation.variations import Variation, between
from felt_dial.errors import FeltDialError
from felt_dial.live.link.messages import Listen
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.history import Step
from felt_dial.patch.patch import Patch
from felt_dial.patch.units import note_name, number
from felt_dial.session import shelf_steps as shelving
from felt_dial.session.session import Session
from felt_dial.session.topics import LibraryChanged
from felt_dial.session.variation_jobs import Grown, Growth, Ordered
from felt_dial.ui.benches.drafts import hear
from felt_dial.ui.dials.cards import Card, Plate
from felt_dial.ui.dials.controls import Pill, set_text, text_label
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.pages.shelf.offshoot_map import Map, far_said
from felt_dial.ui.pages.shelf.wishes import WishesCard
from felt_dial.ui.pictures.swatch import Swatch
from felt_dial.ui.theme.felt import SewnLine

AIM_SECONDS = 60.0
"""How long a search towards a recording goes on, unless it is stopped."""
STATE = ("document", "home", "name", "aimed_name", "kept", "unmatched")
"""What a step on the map changes besides what grew, and an undo of it brings back."""
STEPS = 9
"""Sounds on the way between two, both ends among them."""


class Offshoots(QWidget):
    """The whole page of offshoots, in the Shelf's place."""

    closed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.document = ""
        self.home = ("", "")
        self.growth = Growth(session.channel)
        session.channel.watch(self._grown, Grown)
        session.channel.hear(Ordered, self._order_known)
        self.destroyed.connect(self.growth.close)
        self.sounds: list[Variation] = []
        self.kept: dict[str, str] = {}
        """Names of those that are kept, by their documents."""
        self.unmatched: tuple[str, ...] = ()
        self.name = self.aimed_name = ""
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 10, 12, 10)
        row.setSpacing(10)
        self.card = WishesCard(session)
        self.card.closed.connect(self.close_it)
        self.card.grow_asked.connect(self.grow)
        self.card.aim_asked.connect(self.aim_at)
        row.addWidget(self.card)
        row.addWidget(self._middle(), 1)
        row.addWidget(self._side())
        session.channel.watch(self._names_may_be_others, LibraryChanged)
        self._show_one()

    def _names_may_be_others(self) -> None:
        """What is kept or gone on the shelf changes which names are free."""
        if self.isVisible():
            self._show_one()

    # --- the middle ----------------------------------------------------------------------------

    def _middle(self) -> QWidget:
        card, box = Plate.with_box()
        row = QHBoxLayout()
        row.setSpacing(4)
        self.says = text_label("near means alike, by ear: brightness, attack, length, noise, movement, width", "small")
        row.addWidget(self.says, 1)
        self.ways = {}
        for way, name, tip in (("map", "Map", "Near means alike"), ("grid", "Grid", "All in rows")):
            pill = Pill(name, "small", partial(self._way, way), tip)
            pill.setCheckable(True)
            pill.setChecked(way == "map")
            self.ways[way] = pill
            row.addWidget(pill)
        self.anew = Pill("Lay out", "small", self._lay_out, "Gives those that are left places anew, near means alike")
        row.addWidget(self.anew)
        self.hover = Pill("Hover plays", "small", self._hover, "Whether a resting pointer plays")
        self.hover.setCheckable(True)
        self.hover.setChecked(True)
        row.addWidget(self.hover)
        box.addLayout(row)
        self.map = Map()
        self.map.chosen.connect(self._chosen)
        self.map.played.connect(self.play)
        self.map.kept.connect(self.keep)
        self.map.thrown.connect(self.throw)
        self.map.between_asked.connect(self.between)
        box.addWidget(self.map, 1)
        row = QHBoxLayout()
        self.told = text_label(
            "hover plays · click chooses · K keeps · drag from one to another for the steps between them", "small"
        )
        row.addWidget(self.told, 1)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedWidth(180)
        self.bar.setRange(0, 1000)
        self.bar.setAccessibleName("How much has grown")
        row.addWidget(self.bar)
        self.stop = Pill("Stop", "link", self.growth.stop, "Ends it; what is there stays")
        row.addWidget(self.stop)
        says = "Goes on with the search from where it was, for another minute"
        self.more = Pill("Go on", "link", self._go_on, says)
        row.addWidget(self.more)
        box.addLayout(row)
        return card

    def _way(self, way: str) -> None:
        self.map.way = way
        for name, pill in self.ways.items():
            pill.setChecked(name == way)
        self.map.update()

    def _lay_out(self) -> None:
        self.map.lay_out()
        self.anew.setEnabled(False)

    def _hover(self) -> None:
        self.map.hovers = self.hover.isChecked()

    # --- the right card ------------------------------------------------------------------------

    def _side(self) -> QWidget:
        card = Card("walnut")
        card.setFixedWidth(316)
        outer, box = card.scrolled()
        head = QHBoxLayout()
        self.title = text_label("", "title")
        self.how_far = text_label("", "small")
        head.addWidget(self.title)
        head.addWidget(self.how_far, 1)
        box.addLayout(head)
        self.swatch = Swatch()
        self.swatch.setFixedHeight(96)
        box.addWidget(self.swatch)
        self.order = text_label("What changed", "value")
        box.addWidget(self.order)
        self.changed = QGridLayout()
        self.changed.setVerticalSpacing(1)
        box.addLayout(self.changed)
        box.addStretch()
        below = QVBoxLayout()
        below.setContentsMargins(9, 0, 7, 0)
        below.setSpacing(5)
        below.addWidget(SewnLine())
        below.addWidget(text_label("Names on offer", "value"))
        self.names = QGridLayout()
        self.names.setSpacing(3)
        below.addLayout(self.names)
        grid = QGridLayout()
        grid.setSpacing(5)
        self.keep_pill = Pill("Keep", "pill", self.keep, "Keeps it as a new preset: K")
        self.open_pill = Pill("Open it", "pill", self.open_it, "Puts it on the table")
        self.from_pill = Pill(
            "Grow from this one", "pill", self.grow_from, "It is the sound that others are grown from"
        )
        self.throw_pill = Pill("Throw away", "pill", self.throw, "Takes it off the map: Delete")
        for n, pill in enumerate((self.keep_pill, self.open_pill, self.from_pill, self.throw_pill)):
            grid.addWidget(pill, n // 2, n % 2)
        below.addLayout(grid)
        row = QHBoxLayout()
        self.kept_says = text_label("kept ones go to", "small")
        row.addWidget(self.kept_says)
        self.bank = Picker()
        self.bank.setAccessibleName("The bank that kept ones go to")
        row.addWidget(self.bank, 1)
        below.addLayout(row)
        outer.addLayout(below)
        return card

    # --- opening -------------------------------------------------------------------------------

    def open_for(self, patch: Patch, bank: str, preset: str) -> None:
        """Shows it for a sound."""
        self.growth.stop()
        self.document, self.home = write_patch(patch), (bank, preset)
        self.name = patch.name
        self.sounds, self.kept, self.unmatched = [], {}, ()
        self.session.shelf.figures.measuring.cancel()  # which can wait
        self.growth.warm(self.document)
        self.bank.clear()
        for listed in self.session.shelf.banks:
            self.bank.addItem(listed.name, listed.id)
        self.bank.setCurrentIndex(max(self.bank.findData(bank), 0))
        self.map.now, self.map.also = -2, set()
        self.card.show_patch(patch)
        self._grown()
        self._show_one()
        self.map.setFocus()

    def close_it(self) -> None:
        """Back to the Shelf."""
        self.growth.stop()
        self.session.link.tell(Listen(""))
        self.closed.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close_it()
        else:
            super().keyPressEvent(event)

    # --- growing -------------------------------------------------------------------------------

    def grow(self) -> None:
        """Grows offshoots; what stood there is one undo away."""
        if (wishes := self.card.may_change()) is not None:
            with self._one_step(f"grow offshoots of {self.name}"):
                self._clear_map("map")
                self.growth.start(self.document, wishes)
            self._show_one()

    def _state(self) -> dict[str, Any]:
        """What the page shows, for `_put_back`."""
        own = {name: copy(getattr(self, name)) for name in STATE}
        return own | {"growth": self.growth.state(), "way": self.map.way, "bank": self.bank.currentData()}

    def _put_back(self, state: dict[str, Any]) -> None:
        """The page shows what it showed before."""
        for name in STATE:
            setattr(self, name, copy(state[name]))
        self.map.now, self.map.also = -2, set()
        self._way(state["way"])
        self.bank.setCurrentIndex(max(self.bank.findData(state["bank"]), 0))
        self.growth.put_back(state["growth"])
        self._grown()
        self._show_one()

    @contextlib.contextmanager
    def _one_step(self, says: str) -> Iterator[None]:
        """What is done on the map meanwhile is one step, which can be undone: what stood there stands there again."""
        before = self._state()
        yield
        after: list[dict[str, Any]] = []

        def back() -> None:
            after[:] = [self._state()]
            self._put_back(before)

        self.session.editor.history.add(Step(says, back, lambda: self._put_back(after[0])))

    def _clear_map(self, way: str) -> None:
        """Makes room for others, laid out in a way."""
        self.kept, self.unmatched = {}, ()
        self.map.now, self.map.also = -2, set()
        self._way(way)
        self.session.shelf.figures.measuring.cancel()  # which can wait

    def aim_at(self, path: Path, name: str) -> None:
        """Searches for sounds that come nearer to a recording."""
        if (wishes := self.card.may_change()) is not None:
            with self._one_step(f"search towards {name}"):
                self.aimed_name = name
                self._clear_map("map")
                self.growth.towards(str(path), self.document, wishes, AIM_SECONDS)
            self._show_one()

    def _go_on(self) -> None:
        self.growth.go_on(AIM_SECONDS)
        self._show_one()

    def _told_of_aim(self) -> str:
        """How near the search has come, and what it does not reach."""
        growth, search = self.growth, self.growth.search
        if search is None or not math.isfinite(search.began) or not growth.found:
            return f"listening to {self.aimed_name}"
        gone = max(1 - search.far / max(search.began, 1e-9), 0.0)
        best = min(growth.found, key=lambda one: one.far)
        said = (
            f"{100 * gone:.0f} % of the way to {self.aimed_name} ({number(search.began, 2)} → {number(search.far, 2)})"
        )
        missing = lacks(growth.aimed.features, best.features) if growth.aimed is not None else ""
        left = f"; the recording is {missing} than the nearest" if missing else ""
        return f"{said}, {search.tried} tried{left}"

    def grow_from(self) -> None:
        """Grows from the chosen one."""
        if (one := self.one()) is not None:
            patch = read_patch(one.document, "The offshoot").model_copy(update={"name": self._called()})
            bank = str(self.bank.currentData() or self.home[0])
            with self._one_step(f"grow from {patch.name}"):
                self.open_for(patch, bank, self.home[1])
                if (wishes := self.card.may_change()) is not None:
                    self._clear_map("map")
                    self.growth.start(self.document, wishes)
            self._show_one()

    def between(self, first: int, last: int) -> None:
        """Steps from one sound to another."""
        ends = [self.growth.parent_ if n == -1 else self.sounds[n] for n in (first, last)]
        if None in ends:
            return
        if self.growth.search is not None and -1 in (first, last):
            self.session.say("There are no steps from a recording, only from one sound to another.", problem=True)
            return
        patches = [read_patch(one.document, "An offshoot") for one in ends if one is not None]
        self.show_between(patches[0], patches[1])

    def show_between(self, first: Patch, last: Patch) -> None:
        """Steps between two sounds, in a line."""
        made = between(first, last, STEPS)
        with self._one_step(f"steps from {first.name} to {last.name}"):
            self._clear_map("grid")
            self.unmatched = made.unmatched
            self.growth.between([write_patch(patch) for patch in made.patches])

    def _grown(self) -> None:
        growth = self.growth
        self.sounds = growth.found
        self.map.kept_names = {
            n: self.kept[one.document] for n, one in enumerate(self.sounds) if one.document in self.kept
        }
        self.map.show_sounds(growth.parent_, self.sounds, self.aimed_name if growth.search is not None else self.name)
        self.anew.setEnabled(self.map.gaps)
        self.bar.setVisible(growth.busy)
        self.stop.setVisible(growth.busy)
        self.more.setVisible(growth.can_go_on)
        self.bar.setValue(round(1000 * growth.part))
        thrown = ""
        if growth.thrown:
            kinds = ", ".join(f"{growth.thrown.count(why)} {why}" for why in dict.fromkeys(growth.thrown))
            thrown = f", thrown away: {kinds}"
        if growth.search is not None:
            set_text(self.told, self._told_of_aim())
        elif growth.busy:
            set_text(self.told, f"{len(self.sounds)} grown so far{thrown}")
        elif self.unmatched:
            set_text(self.told, f"Could not be matched, and stay as in the first: {', '.join(self.unmatched[:4])}")
        elif self.sounds:
            apart = f", none nearer to another than {number(growth.apart, 2)}" if growth.apart else ""
            set_text(self.told, f"{len(self.sounds)} grown in {number(growth.seconds, 1)} s{thrown}{apart}")
        else:
            set_text(
                self.told, "hover plays · click chooses · K keeps · drag from one to another for the steps between them"
            )

    def _order_known(self, ordered: Ordered) -> None:
        if (one := self.one()) is not None and one.document == ordered.document:
            self._show_one()

    # --- one of them ---------------------------------------------------------------------------

    def one(self) -> Variation | None:
        """The chosen one."""
        n = self.map.now
        if n == -1:
            return self.growth.parent_
        return self.sounds[n] if 0 <= n < len(self.sounds) else None

    def play(self, n: int) -> None:
        """Plays one of them."""
        one = self.growth.parent_ if n == -1 else self.sounds[n] if 0 <= n < len(self.sounds) else None
        if one is not None:
            try:
                hear(self.session, one.sound, 48000.0)
            except FeltDialError as wrong:
                self.session.say(str(wrong), problem=True)

    def _chosen(self, n: int) -> None:
        self.play(n)
        self._show_one()

    def _show_one(self) -> None:
        one, n = self.one(), self.map.now
        clear(self.changed)
        clear(self.names)
        for pill in (self.keep_pill, self.open_pill, self.from_pill, self.throw_pill):
            pill.setEnabled(one is not None and n >= 0)
        if one is None:
            set_text(self.title, "None chosen")
            set_text(self.how_far, "")
            self.swatch.show_nothing()
            self.changed.addWidget(
                text_label("Click one on the map: what changed in it is listed here.", "small"), 0, 0
            )
            set_text(self.keep_pill, "Keep")
            return
        aimed = self.growth.search is not None
        set_text(self.title, (self.aimed_name if aimed else self.name) if n == -1 else f"No. {n + 1}")
        itself = "what is aimed at" if aimed else "the sound itself"
        played = "" if one.key is None else f", played at {note_name(one.key)}"
        set_text(self.how_far, itself if n == -1 else far_said(one.far) + played)
        self.swatch.show_swatch(one.swatch, "walnut", "")
        if n >= 0:
            self.growth.ask_audible(self.document, one)
        heard = self.growth.audible.get(one.document)
        set_text(self.order, f"What changed, most {'moved' if heard is None else 'audible'} first")
        changed = one.changed if heard is None else heard
        for row, (where, before, after) in enumerate(changed[:9]):
            label = text_label(where, "label")
            label.setToolTip(where)
            value = text_label(f"{before} → {after}", "value")
            label.setMaximumWidth(150)
            self.changed.addWidget(label, row, 0)
            self.changed.addWidget(value, row, 1, Qt.AlignmentFlag.AlignRight)
        if len(one.changed) > 9:
            self.changed.addWidget(text_label(f"and {len(one.changed) - 9} smaller", "small"), 9, 0)
        if n >= 0:
            self.offered = self._offer(n)
            for k, name in enumerate(self.offered):
                pill = Pill(name, "small", partial(self._name, name), "Keeps it under this name")
                pill.setCheckable(True)
                pill.setChecked(k == 0)
                self.names.addWidget(pill, k // 3, k % 3)
            set_text(
                self.keep_pill,
                f"Keep {many}"
                if (many := len(self.map.picked())) > 1
                else "Kept"
                if one.document in self.kept
                else f"Keep as {self.offered[0]}"
                if self.offered
                else "Keep",
            )
            set_text(self.throw_pill, f"Throw away {many}" if many > 1 else "Throw away")

    def _offer(self, n: int, besides: Iterable[str] = ()) -> list[str]:
        bank = str(self.bank.currentData() or "")
        names, words = [row.name for row in self.session.shelf.catalogue.presets(bank)], tuple[str, ...]()
        with contextlib.suppress(FeltDialError):
            words = self.session.shelf.library.bank(bank).file.words
        return on_offer(
            names,
            [*self.session.shelf.catalogue.names(), *self.kept.values(), *besides],
            5,
            f"{self.name} {self.card.seed.value()} {n}",
            self.name,
            words,
        )

    def _called(self) -> str:
        n, one = self.map.now, self.one()
        kept = self.kept.get(one.document) if one is not None else None
        return kept or (self.offered[0] if n >= 0 and self.offered else self.name)

    def _name(self, name: str) -> None:
        self.offered = [name, *(other for other in self.offered if other != name)]
        for k in range(self.names.count()):
            item = self.names.itemAt(k)
            pill = item.widget() if item is not None else None
            if isinstance(pill, Pill):
                pill.setChecked(pill.text() == name)
        set_text(self.keep_pill, f"Keep as {name}")

    def keep(self) -> None:
        """Keeps those that are chosen as new presets, with their parent written down; undo lets go of them again."""
        bank = str(self.bank.currentData() or "")
        ones = {n: self.sounds[n] for n in self.map.picked() if n < len(self.sounds)}
        ones = {n: one for n, one in ones.items() if one.document not in self.kept}
        if not ones or not bank:
            return
        names: dict[str, str] = {}
        for n, one in ones.items():
            offered = self._called() if n == self.map.now else next(iter(self._offer(n, names.values())), "")
            names[one.document] = offered or f"{self.name} {n + 1}"
        author = self.session.settings.now.author
        about = {
            "parent": self.name,
            "favourite": False,
            "made": None,
            "notes": "",
            "description": "",
            "author": author,
        }
        patches = [
            read_patch(document, "The offshoot").model_copy(update={**about, "name": name})
            for document, name in names.items()
        ]
        says = f"keep {patches[0].name}" if len(patches) == 1 else f"keep {len(patches)} offshoots"
        after = self.home[1] if bank == self.home[0] else None
        shelving.keep_new(self.session, bank, patches, says, after, partial(self._mark_kept, names))

    def _mark_kept(self, names: dict[str, str], kept: bool) -> None:
        """The map says which are kept: they are, or an undo has let go of them."""
        self.kept = {**self.kept, **names} if kept else {key: n for key, n in self.kept.items() if key not in names}
        set_text(self.kept_says, f"{len(self.kept)} kept so far go to" if self.kept else "kept ones go to")
        self._grown()
        self._show_one()

    def open_it(self) -> None:
        """Puts the chosen one on the table; it is in no bank until it is saved."""
        if (one := self.one()) is not None:
            patch = read_patch(one.document, "The offshoot").model_copy(
                update={"name": self._called(), "parent": self.name}
            )
            self.session.editor.open_patch(patch, made=True)
            self.session.say(f"{patch.name} is on the table; it is in no bank until it is saved.")

    def throw(self) -> None:
        """Takes those that are chosen off the map, as one step; the others stay where they are."""
        gone = self.map.picked()
        if not gone or self.growth.busy:
            return
        says = f"throw away No. {gone[0] + 1}" if len(gone) == 1 else f"throw away {len(gone)} offshoots"
        with self._one_step(says):
            self.growth.found = [one for n, one in enumerate(self.growth.found) if n not in gone]
            self.map.now, self.map.also = -2, set()
        self._grown()
        self._show_one()
        self.session.say(f"Done: {says}.")
