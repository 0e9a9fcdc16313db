"""The Patch page: a row per layer, read from left to right as the sound flows; modulators below."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QBoxLayout, QHBoxLayout, QLayout, QVBoxLayout, QWidget

from felt_dial.bank.library.snippets import Snippets
from felt_dial.errors import FeltDialError
from felt_dial.patch.edits import add_modulator
from felt_dial.patch.module import Modulator, Source
from felt_dial.session.copying import share_envelope
from felt_dial.session.session import Session
from felt_dial.session.topics import DrawerAsked, Frame, Rebuilt, Selected
from felt_dial.ui.dials.chooser import Chooser, offer
from felt_dial.ui.dials.controls import Pill, text_label
from felt_dial.ui.dials.focus import let_go_of_focus
from felt_dial.ui.dials.scrolling import Scroller
from felt_dial.ui.dials.specimen import choosables
from felt_dial.ui.drawer.panel import Drawer
from felt_dial.ui.inspector.panel import Inspector
from felt_dial.ui.pages.page import Page
from felt_dial.ui.pages.patch.layer_row import ROW, Columns, LayerRow
from felt_dial.ui.pages.patch.modulator_tray import ModulatorCard, Tray
from felt_dial.ui.pages.patch.routing import TALL as ROUTING
from felt_dial.ui.pages.patch.routing import Routing

COSTS_EVERY = 20
"""Frames between two looks at what the layers cost."""
MOST_SPARE = 4
"""Rows that are kept when their layers are gone."""
BETWEEN = 5
"""Pixels between columns, rows, the line and the tray."""
SPACING = 6
"""Pixels between two rows."""


class PatchPage(Page):
    """Layers, modulators, and the inspector beside them."""

    title, place = "Patch", 2

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._frames = 0
        self.at_work = ""
        self.low = False
        self.rows: dict[str, LayerRow] = {}
        self.spare: list[LayerRow] = []
        """Rows of layers that are gone, the last first, to be turned to others."""
        self.cards: dict[str, ModulatorCard] = {}
        self.chooser: Chooser | None = None
        outer = QHBoxLayout(self)
        outer.setContentsMargins(12, 7, 12, 8)
        outer.setSpacing(12)
        left = QVBoxLayout()
        left.setSpacing(BETWEEN)
        outer.addLayout(left, 1)
        self.inspector = Inspector(session)
        outer.addWidget(self.inspector)
        self.columns = Columns(session)
        left.addWidget(self.columns)
        holder = QWidget()
        self.layers = QVBoxLayout(holder)
        self.layers.setContentsMargins(0, 0, 0, 0)
        self.layers.setSpacing(SPACING)
        self.scroller = Scroller(holder)
        self.scroller.viewport().installEventFilter(self)
        left.addWidget(self.scroller, 1)
        self.line = QWidget()
        line = QHBoxLayout(self.line)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(text_label("Modulators"))
        hint = text_label("drag a tag onto any dial to sew a thread", "small")
        line.addWidget(hint)
        line.addStretch()
        self.only = {}
        for kind, name in (("", "All"), *((c, Modulator.kinds[c].title) for c in Modulator.in_order())):
            pill = Pill(name, "small", partial(self.show_only, kind), f"Show {name.lower()}")
            pill.setCheckable(True)
            self.only[kind] = pill
            line.addWidget(pill)
        self.shown_kind = ""
        left.addWidget(self.line)
        self.tray = Tray(session, Pill("+ Modulator", "add", self._modulator_menu, "Add a modulator"))
        left.addWidget(self.tray)
        bottom = QHBoxLayout()
        add = Pill("+ Add a layer", "add", self._layer_menu, "Add a layer of any kind; Ctrl+Shift+L adds a wave")
        add.setFixedSize(104, 40)
        adding = QVBoxLayout()
        adding.setSpacing(0)
        adding.addWidget(add)
        found = Pill(
            "from the drawer",
            "link",
            lambda: session.channel.tell(DrawerAsked("", "")),
            "A recording or a table from the drawer as a new layer",
        )
        adding.addWidget(found)
        adding.addStretch()
        bottom.addLayout(adding)
        self.routing = Routing(session)
        self.routing.rack_asked.connect(self._show_rack)
        bottom.addWidget(self.routing, 1)
        self.layers.addLayout(bottom)
        self.layers.addStretch(1)
        session.channel.watch(self.rebuild, Rebuilt)
        session.channel.watch(self._selected, Selected)
        session.channel.watch(self._frame, Frame)
        self.rebuild()

    def sections(self) -> list[QWidget]:
        return [self.scroller, self.line, self.tray, self.drawer or self.inspector]

    def place_of_drawer(self) -> tuple[QLayout | None, list[QWidget]]:
        return self.layout(), [self.inspector]

    def rebuild(self) -> None:
        """Lays out the rows and cards of the patch as it is; those that can follow by themselves stay."""
        patch = self.session.patch
        rows = {key: row for key, row in self.rows.items() if key in patch.layers}
        rows = {key: row for key, row in rows.items() if row.laid_for == LayerRow.shape(self.session, key)}
        gone = [row for key, row in self.rows.items() if key not in rows]
        _put_aside(self.layers, gone)
        self.spare = [*gone, *self.spare]
        self.rows = {key: rows.get(key) or self._row(key) for key in patch.layers}
        _let_go(self.layers, self.spare[MOST_SPARE:])
        del self.spare[MOST_SPARE:]
        for n, (key, row) in enumerate(self.rows.items()):
            _place(self.layers, n, row, 3)
            if key in rows:
                row.follow()
        wanted = {key: m for key, m in patch.modulators.items() if self.shown_kind in ("", m.kind)}
        cards = {key: card for key, card in self.cards.items() if key in wanted and card.kind == wanted[key].kind}
        self.cards = {key: cards.get(key) or ModulatorCard(self.session, key) for key in wanted}
        for card in cards.values():
            card.follow()
        self.tray.show_cards(list(self.cards.values()))
        for kind, pill in self.only.items():
            pill.setChecked(kind == self.shown_kind)
        self._lower(self.low)
        self._fold()

    def _row(self, key: str) -> LayerRow:
        """A row for a layer: one that was put aside and is laid out alike is turned to it."""
        for row in self.spare:
            if row.laid_for == LayerRow.shape(self.session, key):
                self.spare.remove(row)
                row.turn_to(key)
                row.show()
                return row
        return LayerRow(self.session, key)

    def _fold(self) -> None:
        """Everything is large where it has room; else the tray is low, and at last only the row at work is open."""
        if self.session.editor.selection[1] in self.rows:
            self.at_work = self.session.editor.selection[1]
        at_work = self.at_work if self.at_work in self.rows else next(iter(self.rows), "")
        room = self._room()
        need = len(self.rows) * (ROW + SPACING) + ROUTING
        low = need + self.tray.tall(low=False) + self.line.sizeHint().height() + 3 * BETWEEN > room
        fits = need + self.tray.tall(low=True) + 2 * BETWEEN <= room
        for key, row in self.rows.items():
            if row.folded != (folded := not fits and key != at_work):
                row.fold(folded)
        if low != self.low:
            self._lower(low)
        self.routing.fold(not fits)
        self.layers.setSpacing(SPACING if fits else SPACING - 1)
        self.columns.over(self.scroller.viewport().width())

    def _room(self) -> int:
        """Pixels for rows and tray with what is between them: of the page itself, since its parts take their heights later."""
        layout = self.layout()
        assert layout is not None
        edges = layout.contentsMargins()
        return self.height() - edges.top() - edges.bottom() - self.columns.height()

    def _lower(self, low: bool) -> None:
        """The tray, low or large."""
        self.low = low
        self.line.setVisible(not low)
        self.tray.fold(low)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.inspector.widen(self.width())
        if isinstance(self.drawer, Drawer):
            self.drawer.widen(self.width())
        super().resizeEvent(event)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self._fold()
        return False

    def _show_rack(self, rack: str) -> None:
        """The Effects page, with the first effect of a rack large."""
        if effects := self.session.patch.racks[rack]:
            self.session.editor.choose_effect(rack, next(iter(effects)))
            self.session.channel.tell(Selected())
        self.page_asked.emit("Effects")

    def show_only(self, kind: str) -> None:
        self.shown_kind = kind
        self.rebuild()

    def _selected(self) -> None:
        self.hide_drawer()
        self._fold()
        if self.session.editor.selection[1] in self.rows:
            self.scroller.ensureWidgetVisible(self.rows[self.session.editor.selection[1]], 0, 4)
        for row in self.rows.values():
            row.update()
        for card in self.cards.values():
            card.update()

    def _frame(self) -> None:
        if not self.isVisible():
            return
        data = self.session.link.shared.data
        self._frames = (self._frames + 1) % COSTS_EVERY
        costs = self.session.link.costs(self.session.patch) if self._frames == 0 else {}
        for n, key in enumerate(self.session.patch.layers):
            if key in self.rows:
                self.rows[key].meter.show_peak(float(data["layer_peaks"][n]))
                if costs:
                    self.rows[key].show_cost(
                        sum(costs[f"layers.{key}.{part}"] for part in ("source", "drive", "filter"))
                    )

    def add_layer(self, source: str = "wave") -> None:
        """One more layer of a kind, chosen at once."""
        try:
            patch, key = self.session.shelf.with_new_layer(self.session.patch, source)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        shared = [k for k, layer in patch.layers.items() if layer.contour == patch.layers[key].contour and k != key]
        near = self.session.editor.selection[1]
        near = near if near in self.session.patch.layers else next(iter(self.session.patch.layers))
        self.session.editor.edit(patch, "add a layer", select=("source", key))
        if shared:
            contour = patch.layers[key].contour.upper()
            self.session.say(
                f"All envelopes are in use: {key.upper()} shares {contour} with {shared[0].upper()}, which shapes both."
            )
        else:
            own = patch.layers[key].contour.upper()
            answer = (f"Share that of {near.upper()}", lambda: share_envelope(self.session, key, near))
            self.session.ask(f"Layer {key.upper()} has {own} over its level, its own.", [answer], problem=False)

    def add_modulator(self, kind: str) -> None:
        """One more modulator, chosen at once."""
        try:
            fresh = Snippets(self.session.shelf.library.root).fresh(Modulator.kinds[kind]())
            patch, key = add_modulator(self.session.patch, fresh)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        self.session.editor.edit(patch, f"add {key.upper()}", select=("modulator", key))

    def _modulator_menu(self) -> None:
        what = choosables(Modulator, Modulator.in_order())
        self.chooser = offer(self, what, self.add_modulator, "Add a modulator")

    def _layer_menu(self) -> None:
        what = choosables(Source, Source.in_order())
        self.chooser = offer(self, what, self.add_layer, "Add a layer that begins as")


def _place(layout: QBoxLayout, n: int, widget: QWidget, stretch: int = 0) -> None:
    """Puts a widget at a place of a layout, where it does not stand there already."""
    item = layout.itemAt(n)
    if item is None or item.widget() is not widget:
        layout.removeWidget(widget)
        layout.insertWidget(n, widget, stretch)


def _put_aside(layout: QBoxLayout, widgets: Sequence[QWidget]) -> None:
    """Takes widgets out of a layout, and out of sight."""
    for widget in widgets:
        let_go_of_focus(widget)
        layout.removeWidget(widget)
        widget.hide()


def _let_go(layout: QBoxLayout, widgets: Sequence[QWidget]) -> None:
    """Takes widgets out of a layout, and away."""
    _put_aside(layout, widgets)
    for widget in widgets:
        widget.deleteLater()
