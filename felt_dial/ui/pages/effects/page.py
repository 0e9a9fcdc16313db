"""The Effects page: the rack as a row of cards, and the chosen effect large."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from felt_dial.errors import FeltDialError
from felt_dial.live.link.messages import SetTap
from felt_dial.patch.edits import remove_effect
from felt_dial.patch.module import Effect
from felt_dial.patch.params import Choice
from felt_dial.patch.patch import sounding
from felt_dial.patch.routing import effect_name
from felt_dial.session.session import Session
from felt_dial.session.topics import Focused, Frame, Rebuilt, Selected
from felt_dial.sound.effects.equaliser import BANDS
from felt_dial.sound.effects.equaliser import Equaliser as Banded
from felt_dial.ui.dials.cards import Card
from felt_dial.ui.dials.controls import Pill, SwitchPill, Upright, control_for, text_label
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.dials.scrolling import Scroller
from felt_dial.ui.dials.shake_pill import ShakePill
from felt_dial.ui.dials.snippet_button import SnippetPill
from felt_dial.ui.dials.under_hand import UnderHand
from felt_dial.ui.inspector.thread_list import ThreadList
from felt_dial.ui.pages.effects.rack_row import Rack, dials
from felt_dial.ui.pages.page import Page
from felt_dial.ui.pictures.drives import CurveEditor
from felt_dial.ui.pictures.effect_curves import EqualiserPicture
from felt_dial.ui.pictures.registry import picture_of
from felt_dial.ui.theme.felt import Empty

COLUMNS, SIDE = 4, 322


class EffectsPage(Page):
    """Both racks and the chosen effect."""

    title, place = "Effects", 4

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.band = 2
        self._laid: list[str] = []
        self._page = session.editor.work.page
        self._open = False
        self.alone: Pill | None = None
        self.dry: Pill | None = None
        self.meters: tuple[Upright, ...] = ()
        session.channel.watch(self._frame, Frame)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 10)
        layout.setSpacing(8)
        self.rack, self.second = Rack(session, "1"), Rack(session, "2")
        layout.addWidget(self.rack)
        layout.addWidget(self.second)
        self.card = Card("weld")
        self.card.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.body = QVBoxLayout(self.card)
        self.body.setContentsMargins(16, 12, 16, 12)
        layout.addWidget(self.card, 1)
        self.threads = ThreadList(session)
        self.hand = UnderHand(self, self._lacks, self._show)
        session.channel.watch(self._follow_patch, Rebuilt)
        session.channel.watch(self._follow_choice, Selected)
        session.channel.watch(self._follow, "racks", "threads", "rack2", "layers.*.out", "buses.*.out")
        session.channel.watch(self._list_threads, Focused)
        self.threads.all_asked.connect(lambda: session.editor.focus(""))
        self._follow_patch()
        self.rebuild()

    def sections(self) -> list[QWidget]:
        return [self.rack, self.second, self.card]

    def opened(self, seen: bool) -> None:
        """Takes spectra and meters around the chosen effect while the page is open, else around the racks."""
        self._open = seen
        self._listen()

    def _listen(self) -> None:
        rack, key = self.session.editor.rack, self.session.editor.effect
        tap = SetTap()
        if self._open and key in self.session.patch.racks[rack]:
            tap = SetTap(f"racks.{rack}.{key}", self.alone is not None and self.alone.isChecked())
        if tap != self.session.link.standing(SetTap):
            self.session.link.tell(tap)

    def toggle_dry(self) -> None:
        """Leaves all effects out of what is heard, or lets them in again."""
        self.session.transport.hear_dry(not self.session.transport.dry)
        if self.dry is not None:
            self.dry.setChecked(self.session.transport.dry)

    def copy(self) -> None:
        """Keeps the effect that is shown large, or all that are chosen, to be pasted."""
        rack, key = self.session.editor.rack, self.session.editor.effect
        effects = self.session.patch.racks[rack]
        if key not in effects:
            return
        held = (self.rack if rack == "1" else self.second).held(key)
        self.session.editor.clipboard.put("effect", tuple(effects[other] for other in held))
        names = ", ".join(effect_name(self.session.patch, rack, other) for other in held)
        self.session.say(f"Copied {names}.")

    def paste(self, rack: str) -> None:
        """The copied effects at the end of a rack."""
        try:
            effects: tuple[Effect, ...] = self.session.editor.clipboard.take("effect", tuple)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        what = effects[0].title if len(effects) == 1 else f"{len(effects)} effects"
        (self.rack if rack == "1" else self.second).put(effects, f"paste {what}")

    def _frame(self) -> None:
        if not self.isVisible() or not self.meters:
            return
        path = f"racks.{self.session.editor.rack}.{self.session.editor.effect}"
        places = sounding(self.session.patch)
        if path in places:
            levels = self.session.link.shared.data["steps"][places.index(path)]
            for meter, level in zip(self.meters, levels, strict=True):
                meter.show_peak(float(level))

    def _follow_patch(self) -> None:
        """Another patch, or other effects in it: one that is gone is not chosen any more, nor any of the patch before."""
        if self._page != self.session.editor.work.page:
            self._page = self.session.editor.work.page
            self.rack.several, self.second.several = set(), set()
        racks = self.session.patch.racks
        if self.session.editor.effect not in racks[self.session.editor.rack]:
            self.session.editor.choose_effect(*next(((r, k) for r, rack in racks.items() for k in rack), ("1", "")))
        self.lay_when_seen(self.rebuild)

    def _follow_choice(self) -> None:
        if self.isVisible():
            self._show()
        else:
            self.lay_when_seen(self.rebuild)

    def rebuild(self) -> None:
        """Lays out racks and effect anew."""
        self.rack.rebuild()
        self.second.rebuild()
        self._show()

    def _lacks(self) -> bool:
        """The chosen effect has other dials now."""
        effect = self.session.patch.racks[self.session.editor.rack].get(self.session.editor.effect)
        return effect is not None and dials(effect) != self._laid

    def _follow(self) -> None:
        if not self.isVisible():
            if self._due is None:  # what is due already lays out more than this
                self.lay_when_seen(self._follow)
            return
        self.hand.follow()
        self.rack.follow()
        self.second.follow()
        self._list_threads()

    def _show(self) -> None:
        for card in [*self.rack.cards.values(), *self.second.cards.values()]:
            card.update()
        self.threads.setParent(self)
        self.threads.hide()
        clear(self.body)
        rack, key = self.session.editor.rack, self.session.editor.effect
        if key not in self.session.patch.racks[rack]:
            self.alone, self.dry, self.meters = None, None, ()
            self.body.addWidget(
                Empty("An effect that you add to the rack is shown here, large, with the picture that suits it.")
            )
            return
        effect = self.session.patch.racks[rack][key]
        path = f"racks.{rack}.{key}"
        head = QHBoxLayout()
        name = effect_name(self.session.patch, rack, key)
        head.addWidget(text_label(name, "title"))
        place = list(self.session.patch.racks[rack]).index(key) + 1
        head.addWidget(text_label(f"Rack {rack}, place {place}. {effect.about()}"))
        head.addStretch()
        self.alone = Pill("Added sound only", "pill", self._listen, "Hear only what this effect adds; it is not saved")
        self.alone.setCheckable(True)
        head.addWidget(self.alone)
        self.dry = Pill(
            "Dry", "pill", self.toggle_dry, "Hear the sound without any effect: Ctrl+Shift+E; it is not saved"
        )
        self.dry.setCheckable(True)
        self.dry.setChecked(self.session.transport.dry)
        head.addWidget(self.dry)
        head.addWidget(SwitchPill(self.session, path + ".on", "On", part="pill"))
        head.addWidget(Pill("Copy", "pill", self.copy, "Copy this effect: Ctrl+C"))
        head.addWidget(
            Pill("Paste", "pill", lambda: self.paste(rack), "Paste the copied effect at the end of this rack: Ctrl+V")
        )
        head.addWidget(ShakePill(self.session, path))
        head.addWidget(SnippetPill(self.session, path))
        remove = Pill("Remove", "pill", tip="Remove this effect and its threads")
        remove.clicked.connect(
            lambda: self.session.editor.edit(remove_effect(self.session.patch, rack, key), f"remove {name}")
        )
        head.addWidget(remove)
        self.body.addLayout(head)
        row = QHBoxLayout()
        row.setSpacing(18)
        picture = picture_of(self.session, path, "weld", large=True)
        if isinstance(picture, EqualiserPicture):
            picture.chose = self.show_band
        shown_large = QVBoxLayout()
        shown_large.addWidget(picture, 1)
        if getattr(effect, "way", "") == "drawn":
            shown_large.addWidget(CurveEditor(self.session, f"{path}.curve", "weld"), 1)
        row.addLayout(shown_large, 1)
        meters = QVBoxLayout()
        self.meters = Upright("in"), Upright("out")
        both = QHBoxLayout()
        for meter in self.meters:
            both.addWidget(meter)
        meters.addLayout(both)
        row.addLayout(meters)
        self._listen()
        holder = QWidget()
        side = QVBoxLayout(holder)
        side.setContentsMargins(0, 0, 4, 0)
        grid = QGridLayout()
        grid.setHorizontalSpacing(4)
        grid.setVerticalSpacing(4)
        names = self._laid = dials(effect)
        if isinstance(effect, Banded):
            names = [name for name in names if name.endswith(str(self.band))] + ["wet", "kept"]
            side.addLayout(self._bands(path))
        at = 0
        for name in names:
            wide = 2 if isinstance(effect.params[name], Choice) else 1
            at += COLUMNS - at % COLUMNS if at % COLUMNS + wide > COLUMNS else 0
            made = control_for(self.session, f"{path}.{name}", "weld", 17)
            grid.addWidget(made, at // COLUMNS, at % COLUMNS, 1, wide, Qt.AlignmentFlag.AlignTop)
            at += wide
        side.addLayout(grid)
        side.addSpacing(8)
        side.addWidget(self.threads)
        self.threads.show()
        side.addStretch()
        scroller = Scroller(holder)
        scroller.setFixedWidth(SIDE)
        row.addWidget(scroller)
        self.body.addLayout(row, 1)
        self._list_threads()

    def _bands(self, path: str) -> QHBoxLayout:
        """A button for every band: the chosen one's dials are under the hand."""
        row = QHBoxLayout()
        row.setSpacing(4)
        row.addWidget(text_label("Band"))
        for band in range(1, BANDS + 1):
            pill = Pill(str(band), "small", partial(self.show_band, band), f"The dials of band {band}")
            pill.setCheckable(True)
            pill.setChecked(band == self.band)
            row.addWidget(pill)
        row.addStretch()
        return row

    def show_band(self, band: int) -> None:
        """Another band of the equaliser comes under the hand."""
        if band != self.band:
            self.band = band
            self._show()

    def _list_threads(self) -> None:
        rack, key = self.session.editor.rack, self.session.editor.effect
        if key in self.session.patch.racks[rack]:
            name = effect_name(self.session.patch, rack, key)
            self.threads.show_on(name, [f"racks.{rack}.{key}."], self.session.editor.focus_path)
