"""The Patch page: a row per layer, read from left to right as the sound flows; modulators below."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from felt_dial.bank.snippets import Snippets
from felt_dial.errors import FeltDialError
from felt_dial.patch.edits import add_layer_with_level, add_modulator
from felt_dial.patch.module import Modulator, Source
from felt_dial.sound.modules import new_layer
from felt_dial.ui.dials.chooser import Choosable, Chooser, offer
from felt_dial.ui.dials.controls import Pill, Scroller, text_label
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.inspector.panel import Inspector
from felt_dial.ui.pages.page import Page
from felt_dial.ui.pages.patch.layer_row import Columns, LayerRow
from felt_dial.ui.pages.patch.modulator_tray import ModulatorCard, PlayerTags
from felt_dial.ui.pages.patch.routing import Routing
from felt_dial.ui.session import Session

COSTS_EVERY = 20
"""Frames between two looks at what the layers cost."""


class PatchPage(Page):
    """Layers, modulators, and the inspector beside them."""

    title, place = "Patch", 2

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._frames = 0
        self.rows: dict[str, LayerRow] = {}
        self.cards: dict[str, ModulatorCard] = {}
        self.chooser: Chooser | None = None
        outer = QHBoxLayout(self)
        outer.setContentsMargins(12, 7, 12, 8)
        outer.setSpacing(12)
        left = QVBoxLayout()
        left.setSpacing(5)
        outer.addLayout(left, 1)
        outer.addWidget(Inspector(session))
        self.columns = Columns(lambda: self.rows.values())
        left.addWidget(self.columns)
        holder = QWidget()
        self.layers = QVBoxLayout(holder)
        self.layers.setContentsMargins(0, 0, 0, 0)
        self.layers.setSpacing(6)
        left.addWidget(Scroller(holder), 1)
        line = QHBoxLayout()
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
        left.addLayout(line)
        holder = QWidget()
        self.tray = QHBoxLayout(holder)
        self.tray.setContentsMargins(0, 0, 0, 0)
        self.tray.setSpacing(8)
        self.tray.setAlignment(Qt.AlignmentFlag.AlignTop)
        tray = Scroller(holder, sideways=True)
        tray.setFixedHeight(112)
        left.addWidget(tray)
        session.rebuilt.connect(self.rebuild)
        session.selected.connect(self._selected)
        session.frame.connect(self._frame)
        self.rebuild()

    def rebuild(self) -> None:
        """Lays out the rows and cards of the patch as it is."""
        clear(self.layers)
        patch = self.session.patch
        fold = len(patch.layers) > 4
        chosen = self.session.selection[1] if self.session.selection[1] in patch.layers else next(iter(patch.layers))
        self.rows = {key: LayerRow(self.session, key, fold and key != chosen) for key in patch.layers}
        for row in self.rows.values():
            self.layers.addWidget(row, 3)
        bottom = QHBoxLayout()
        add = Pill("+ Add a layer", "add", self._layer_menu, "Add a layer of any kind; Ctrl+Shift+L adds a wave")
        add.setFixedSize(104, 40)
        bottom.addWidget(add)
        self.routing = Routing(self.session)
        self.routing.rack_asked.connect(self._show_rack)
        bottom.addWidget(self.routing, 1)
        self.layers.addLayout(bottom)
        self.layers.addStretch(1)
        clear(self.tray)
        self.cards = {}
        for key, modulator in patch.modulators.items():
            if self.shown_kind in ("", modulator.kind):
                self.cards[key] = ModulatorCard(self.session, key)
                self.tray.addWidget(self.cards[key])
        add = Pill("+ Modulator", "add", self._modulator_menu, "Add a modulator")
        add.setFixedSize(104, 100)
        self.tray.addWidget(add)
        self.tray.addWidget(PlayerTags(self.session))
        self.tray.addStretch()
        for kind, pill in self.only.items():
            pill.setChecked(kind == self.shown_kind)
        QTimer.singleShot(0, self.columns.update)

    def _show_rack(self, rack: str) -> None:
        """The Effects page, with the first effect of a rack large."""
        if effects := self.session.patch.racks[rack]:
            self.session.choose_effect(rack, next(iter(effects)))
            self.session.selected.emit()
        self.page_asked.emit("Effects")

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        QTimer.singleShot(0, self.columns.update)

    def show_only(self, kind: str) -> None:
        self.shown_kind = kind
        self.rebuild()

    def _selected(self) -> None:
        if (
            len(self.rows) > 4
            and self.session.selection[1] in self.rows
            and self.rows[self.session.selection[1]].folded
        ):
            self.rebuild()
        for row in self.rows.values():
            row.update()
        for card in self.cards.values():
            card.update()

        self.columns.update()

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
            level = Snippets(self.session.library.root).fresh(Modulator.kinds["envelope"]())
            patch, key = add_layer_with_level(self.session.patch, new_layer(source), level)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        shared = [k for k, layer in patch.layers.items() if layer.contour == patch.layers[key].contour and k != key]
        self.session.edit(patch, "add a layer", select=("source", key))
        if shared:
            contour = patch.layers[key].contour.upper()
            self.session.say(
                f"All envelopes are in use: {key.upper()} shares {contour} with {shared[0].upper()}, which shapes both."
            )

    def add_modulator(self, kind: str) -> None:
        """One more modulator, chosen at once."""
        try:
            fresh = Snippets(self.session.library.root).fresh(Modulator.kinds[kind]())
            patch, key = add_modulator(self.session.patch, fresh)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        self.session.edit(patch, f"add {key.upper()}", select=("modulator", key))

    def _modulator_menu(self) -> None:
        kinds = [(kind, Modulator.kinds[kind]) for kind in Modulator.in_order()]
        what = [Choosable(kind, "", cls.title, cls.about()) for kind, cls in kinds]
        self.chooser = offer(self, what, self.add_modulator, "Add a modulator")

    def _layer_menu(self) -> None:
        kinds = [(kind, Source.kinds[kind]) for kind in Source.in_order()]
        what = [Choosable(kind, "", cls.title, cls.about()) for kind, cls in kinds]
        self.chooser = offer(self, what, self.add_layer, "Add a layer that begins as")
