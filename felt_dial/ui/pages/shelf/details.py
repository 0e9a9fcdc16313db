"""Details: all about one preset, to be read and changed."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date, datetime
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QLineEdit, QMenu, QWidget

from felt_dial.bank.finding.catalogue import Listed
from felt_dial.bank.finding.compare import difference
from felt_dial.bank.finding.names import on_offer, words_of_swatch, working_name
from felt_dial.bank.measuring.deviation import apart_words
from felt_dial.errors import FeltDialError
from felt_dial.files import read_whole
from felt_dial.live.link.messages import Listen
from felt_dial.patch.documents.patch import read_patch
from felt_dial.patch.handles import handles_of
from felt_dial.patch.parts import KINDS
from felt_dial.patch.patch import Patch
from felt_dial.patch.units import THIN, number
from felt_dial.session.session import Session
from felt_dial.session.topics import CompareAsked
from felt_dial.sound.matter.assets import words_of_missing
from felt_dial.sound.playing.phrases import phrase_for
from felt_dial.ui.dials.cards import Card
from felt_dial.ui.dials.controls import LONGEST_NAME, Lines, NameEdit, Pill, text_label
from felt_dial.ui.dials.focus import take_what_is_written
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.dials.picker import Picker, narrow
from felt_dial.ui.frame.compare import module_acts
from felt_dial.ui.pages.shelf.marks import MarkRow
from felt_dial.ui.pages.shelf.preset_list import loudness_text, shade_of
from felt_dial.ui.pictures.swatch import Swatch, swatch_icon
from felt_dial.ui.theme.felt import SewnLine
from felt_dial.ui.theme.words import counted, item, plain

Actions = Mapping[str, tuple[Callable[[], object], str]]
"""What can be done with the preset: by its name, with a tip."""


class Details(Card):
    """All about one preset."""

    opened = Signal()
    asked_change = Signal(str, str, dict, str)

    def __init__(self, session: Session, actions: Actions) -> None:
        super().__init__("madder")
        self.session = session
        self.preset: Listed | None = None
        self._looked_at = ("", "", 0)
        self._patch: Patch | None = None
        self.setFixedWidth(292)
        outer, body = self.scrolled()
        self.name = NameEdit("", "title", self._rename)
        self.name.setTextMargins(-6, 0, 0, 0)
        self.name.setAccessibleName("Name of the preset")
        self.where = text_label("", "label")
        self.swatch = Swatch()
        self.swatch.setFixedHeight(self.swatch.sizeHint().height())
        self.play = Pill("Preview", "play", self._preview, "Open it and play its phrase")
        self.kind = Picker()
        self.kind.addItems(["", *KINDS])
        self.kind.setAccessibleName("Kind")
        self.kind.activated.connect(lambda: self._keep({"type": self.kind.currentText()}, "kind"))
        self.character = QLineEdit()
        self.character.setAccessibleName("Character")
        self.character.setToolTip("A few words for the sound, with commas between them")
        self.character.setMaxLength(LONGEST_NAME)
        self.character.setPlaceholderText("words, such as warm slow reedy")
        self.character.editingFinished.connect(
            lambda: self._keep({"character": tuple(self.character.text().replace(",", " ").split())}, "character")
        )
        self.author = QLineEdit()
        self.author.setAccessibleName("Author")
        self.author.setToolTip("Who made the sound")
        self.author.setPlaceholderText("who made it")
        self.author.setMaxLength(LONGEST_NAME)
        self.author.editingFinished.connect(lambda: self._keep({"author": self.author.text().strip()}, "author"))
        self.licence = QLineEdit()
        self.licence.setAccessibleName("Licence")
        self.licence.setToolTip(
            "Under what terms it may be used and passed on; where nothing is said, what its bank says"
        )
        self.licence.setPlaceholderText("that of its bank")
        self.licence.setMaxLength(400)
        self.licence.editingFinished.connect(lambda: self._keep({"licence": self.licence.text().strip()}, "licence"))
        self.phrase = Picker()
        narrow(self.phrase).setAccessibleName("Best heard with")
        self.phrase.setToolTip("The phrase that it is best heard with, and measured with; it is kept with the sound")
        self.phrase.activated.connect(lambda _: self._keep_phrase())
        self.mark = MarkRow("Colour mark")
        self.mark.chosen.connect(lambda mark: self._keep({"mark": mark}, "colour mark"))
        self.description = Lines(
            "Description",
            "What a musician should know of it",
            54,
            lambda text: self._keep({"description": text}, "description"),
        )
        self.private = Lines(
            "Private notes",
            "For yourself: it is never exported with the bank",
            44,
            lambda text: self._keep({"notes": text}, "private notes"),
        )
        body.addWidget(self.name)
        body.addWidget(self.where)
        self.offers = QHBoxLayout()
        self.offers.setSpacing(4)
        self._offered: list[str] = []
        body.addLayout(self.offers)
        body.addWidget(self.swatch)
        row = QHBoxLayout()
        row.addWidget(text_label("20 Hz – 20 kHz, 4 s", "small"))
        row.addStretch()
        row.addWidget(self.play)
        body.addLayout(row)
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        grid.setVerticalSpacing(5)
        lines = {
            "Kind": self.kind,
            "Character": self.character,
            "Author": self.author,
            "Licence": self.licence,
            "Phrase": self.phrase,
            "Mark": self.mark,
        }
        for n, (label, widget) in enumerate(lines.items()):
            grid.addWidget(text_label(label), n, 0)
            grid.addWidget(widget, n, 1)
        body.addLayout(grid)
        body.addWidget(text_label("Description"))
        body.addWidget(self.description)
        self.macros = text_label("", "label")
        self.macros.setWordWrap(True)
        body.addWidget(self.macros)
        body.addWidget(SewnLine())
        self.notes = text_label("", "small")
        self.notes.setWordWrap(True)
        body.addWidget(self.notes)
        self.versions = Pill("Earlier versions…", "link", self._list_versions, "What it was before its last saves")
        body.addWidget(self.versions, 0, Qt.AlignmentFlag.AlignLeft)
        body.addWidget(text_label("Private notes"))
        body.addWidget(self.private)
        body.addStretch()
        buttons = QGridLayout()
        buttons.setContentsMargins(9, 2, 7, 0)
        buttons.setSpacing(6)
        for n, (text, (act, tip)) in enumerate(actions.items()):
            buttons.addWidget(Pill(text, "small", act, tip), n // 3, n % 3)
        outer.addLayout(buttons)
        self.empty = QLabel("A preset that you choose is shown here.", self)
        self.empty.setProperty("part", "label")
        self.empty.hide()

    def show_preset(self, preset: Listed | None, bank: str) -> None:
        """Another preset, or none; what is being written about the one before is taken first."""
        if self.preset is not None and (preset is None or preset[:2] != self.preset[:2]):
            take_what_is_written(self)
        self.preset = preset
        readable = preset is not None and not preset.problem
        for child in self.findChildren(QWidget):
            child.setEnabled(readable or child is self.empty)
        if preset is None or not readable:
            self._show_offers([])
            self.name.show_name(preset.name if preset else "No preset")
            self.where.setText("Its file cannot be read" if preset else "Choose one from the list")
            self.swatch.show_nothing()
            self.notes.setText(preset.problem if preset else "")
            for box in (self.description, self.private):
                box.show_text("")
            for line in (self.character, self.author, self.licence):
                line.clear()
            self.kind.setCurrentIndex(0)
            self.phrase.clear()
            self.mark.show_mark("")
            self.macros.setText("")
            self._patch, self._looked_at = None, ("", "", 0)
            return
        self.name.show_name(preset.name)
        self.where.setText(f"{preset.place + 1:02d} in {bank}")
        self.kind.setCurrentText(preset.kind)
        for line, text in ((self.character, preset.character), (self.author, preset.author)):
            if not line.hasFocus():
                line.setText(text)
        self.mark.show_mark(preset.mark)
        if self._looked_at != (preset.bank, preset.id, preset.stamp):
            self._looked_at = (preset.bank, preset.id, preset.stamp)
            self._patch = self.session.presets.stored_at(preset.bank, preset.id)
        if not self.licence.hasFocus():
            self.licence.setText(self._patch.licence if self._patch else "")
        self.description.show_text(preset.description)
        self.private.show_text(self._patch.notes if self._patch else "")
        handles = handles_of(self._patch) if self._patch else []
        said = [f"{one.tag} {one.name}: {one.says or one.moves}" for one in handles]
        self.macros.setText("\n".join(said) or "No macro and no wheel moves anything.")
        self.macros.setToolTip(plain("\n".join(f"{one.tag} {one.name} moves {one.moves}" for one in handles)))
        self._show_phrase()
        self.versions.setVisible(bool(self.session.shelf.library.bank(preset.bank).versions(preset.id)))
        self.show_measured()

    def _show_phrase(self) -> None:
        own = self._patch.phrase if self._patch else None
        of_kind = phrase_for(self._patch.type if self._patch else "")
        kind = self._patch.type.lower() if self._patch and self._patch.type else "sound"
        a_kind = f"{'an' if kind[0] in 'aeiou' else 'a'} {kind}"
        choices = self.session.shelf.phrases.all()
        if own is not None:
            choices = {own.id: own} | {key: one for key, one in choices.items() if key != own.id}
        offered = [(f"Default for {a_kind}: {of_kind.name}", None), *((one.name, one) for one in choices.values())]
        if offered != [(self.phrase.itemText(n), self.phrase.itemData(n)) for n in range(self.phrase.count())]:
            self.phrase.clear()
            for name, one in offered:
                self.phrase.addItem(name, one)
        self.phrase.setCurrentIndex(1 if own is not None else 0)

    def _keep_phrase(self) -> None:
        self._keep({"phrase": self.phrase.currentData()}, "phrase")

    def show_measured(self) -> None:
        """What was measured of the preset, and what it is made of."""
        preset = self.preset
        if preset is None or preset.problem:
            self._show_offers([])
            return
        self._show_offers(self._names_on_offer(preset))
        measured = self.session.shelf.figures.of_row(preset)
        swatch = measured.swatch if measured else None
        self.swatch.show_swatch(swatch, shade_of(preset.place), self.session.shelf.figures.why_not(preset))
        lines = [words_of_missing(self._patch) if self._patch else ""]
        if measured:
            lines.append(f"{loudness_text(measured.lufs)}, peak {number(measured.peak, 1)}{THIN}dB")
            lines.append(
                f"heard for {number(measured.features.length, 2)}{THIN}s, {number(100 * measured.cost, 1)}{THIN}% of a core"
            )
            lines.append(apart_words(measured.apart, self._patch))
        else:
            lines.append("not measured yet")
        lines.append(f"{counted(preset.layers, 'layer')}, {counted(preset.threads, 'thread')}, {_tempo(self._patch)}")
        lines.append(_dates(preset))
        lines.append(f"grown from {preset.parent}" if preset.parent else "")
        lines.append("not named yet" if preset.unnamed else "")
        self.notes.setText("\n".join(filter(None, lines)))

    def _show_offers(self, names: list[str]) -> None:
        """Names for a sound that nobody has named yet: a click gives it one."""
        if names == self._offered:
            return
        self._offered = names
        clear(self.offers)
        for name in names:
            self.offers.addWidget(Pill(name, "small", partial(self._rename, name), "Calls it so; it is named then"))
        if names:
            self.offers.addStretch()

    def _names_on_offer(self, preset: Listed) -> list[str]:
        """What it is, once it is measured, and a name made of the words of its bank."""
        if not preset.unnamed or self._patch is None:
            return []
        session, patch = self.session, self._patch
        taken = [name for name in session.shelf.catalogue.names() if name != preset.name]
        measured = session.shelf.figures.of(patch)
        words = words_of_swatch(measured.swatch) if measured is not None else []
        says = working_name(patch.type, words, taken)
        names = [row.name for row in session.shelf.catalogue.presets(preset.bank) if not row.unnamed]
        made = on_offer(names, session.shelf.catalogue.names(), 1, f"{preset.bank} {preset.id}")
        return [name for name in (says, *made) if name != preset.name]

    def _list_versions(self) -> None:
        menu = self.versions_menu()
        if menu is not None:
            menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            menu.popup(self.versions.mapToGlobal(self.versions.rect().bottomLeft()))

    def versions_menu(self) -> QMenu | None:
        """Every version with what is different in it, to be opened, compared, or to take one module from."""
        preset, session = self.preset, self.session
        now = session.presets.stored_at(preset.bank, preset.id) if preset is not None else None
        if preset is None or now is None:
            return None
        menu = QMenu(self)
        for path in session.shelf.library.bank(preset.bank).versions(preset.id):
            saved = datetime.fromtimestamp(int(path.stem) / 1e9)
            whose = f"{saved:%d %b, %H:%M}"
            try:
                patch = read_patch(read_whole(path), "An earlier version")
            except FeltDialError:
                menu.addAction(f"{whose}: cannot be read").setEnabled(False)
                continue
            said = difference(patch, now).sentence()
            inner = menu.addMenu(item(f"until {whose}: {said if len(said) < 90 else said[:88] + '…'}"))
            if (known := session.shelf.figures.of(patch)) is not None:
                inner.setIcon(swatch_icon(known.swatch, shade_of(preset.place)))
            inner.addAction("Hear it", partial(self.hear_version, patch))
            inner.addAction("Open it", partial(self.open_version, path))
            compared = partial(session.channel.tell, CompareAsked(patch, now, (f"{now.name}, {whose}", "today")))
            inner.addAction("What is different…", compared)
            acts = module_acts(session, patch, whose) if session.editor.work.preset == preset.id else []
            if acts:
                inner.addSeparator()
            for name, act in acts:
                inner.addAction(item(f"Only its {name}"), act)
        return menu

    def hear_version(self, patch: Patch) -> None:
        """Plays an earlier version beside the sound on the table, as it was rendered to be measured."""
        path = self.session.shelf.figures.preview(patch)
        if path is not None:
            self.session.link.tell(Listen(str(path), levelled=False))
        else:
            self.session.say("It is being rendered; ask again in a moment.")

    def open_version(self, path: Path) -> None:
        """Puts an earlier version on the table; saving it makes it the preset again."""
        if self.preset is None:
            return
        try:
            patch = read_patch(read_whole(path), f"An earlier version of “{self.preset.name}”")
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        self.session.editor.open_patch(patch, self.session.presets.document(self.preset.bank, self.preset.id))
        self.session.say(f"An earlier {patch.name} is on the table; Ctrl+S makes it the preset again.")

    def _rename(self, name: str) -> None:
        if name.strip():
            self._keep({"name": name.strip(), "unnamed": False}, "name")

    def _preview(self) -> None:
        self.opened.emit()
        self.session.transport.play(True)

    def _keep(self, change: dict[str, object], what: str) -> None:
        if self.preset is not None and not self.preset.problem:
            self.asked_change.emit(self.preset.bank, self.preset.id, change, what)


def _tempo(patch: Patch | None) -> str:
    return f"{number(float(patch.tempo), 1)}{THIN}bpm" if patch else ""


def _dates(preset: Listed) -> str:
    """When it was made, where that is known, and when its file was written last."""
    made = f"made {date.fromisoformat(preset.made):%d %b %Y}" if preset.made else ""
    changed = f"changed {datetime.fromtimestamp(preset.stamp / 1e9):%d %b %Y}" if preset.stamp else ""
    return " · ".join(filter(None, (made, changed)))
