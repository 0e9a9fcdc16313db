"""Files dropped on the window: where each would go is shown while it hovers, and it goes there when it is let go."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import NamedTuple, Protocol

from PySide6.QtCore import QMimeData, QPoint, QRect, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QStackedWidget, QWidget

from felt_dial.errors import FeltDialError, cut
from felt_dial.files import CannotRead, read_whole
from felt_dial.patch.documents.patch import read_patch
from felt_dial.patch.module import Source
from felt_dial.patch.parts import LAYER_IDS
from felt_dial.patch.phrase import Phrase
from felt_dial.patch.tuning import load_tuning
from felt_dial.session.phrasing import add_phrase, read_phrase_file
from felt_dial.session.session import Session
from felt_dial.sound.matter.audio_file import check_audio
from felt_dial.ui.dials.chooser import Chooser
from felt_dial.ui.dials.specimen import choosables
from felt_dial.ui.drawer.folders import add_folder
from felt_dial.ui.frame.header import Header
from felt_dial.ui.frame.strip import Strip
from felt_dial.ui.inspector.panel import Inspector
from felt_dial.ui.pages.patch.layer_row import LayerRow
from felt_dial.ui.pages.patch.page import PatchPage
from felt_dial.ui.pages.workshop.page import WorkshopPage
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.fonts import body_font
from felt_dial.ui.theme.words import counted

SUFFIX = ".feltbank"
RECORDINGS = frozenset((".wav", ".flac", ".aif", ".aiff", ".ogg", ".mp3"))
TUNINGS, PHRASES, PRESETS = frozenset((".scl", ".kbm")), frozenset((".mid", ".midi")), frozenset((".json",))
TAKEN = RECORDINGS | TUNINGS | PHRASES | PRESETS | {SUFFIX}
KNOWN = "recordings, banks, presets, scales (.scl, .kbm) and MIDI files"
MOST_TOLD, LISTED = 3, 6
"""How many refusals are told one by one, and how many names of many recordings are listed."""
BEGINS = ("sample", "grains", "partials", "table")
"""What a recording can become where it is dropped on nothing that plays one."""


class Landing(NamedTuple):
    """Where a file would go: the words for it, the widget that it is dropped on, and the layer."""

    says: str
    over: QWidget
    layer: str = ""


class DropHint(QWidget):
    """A ring around the place where a file would go, and what would become of it."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self.says, self.ring = "", QRect()
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hide()

    def point(self, landing: Landing) -> None:
        """Shows where a file would go."""
        top = self.parentWidget() or self
        ring = QRect(landing.over.mapTo(top, QPoint(0, 0)), landing.over.size())
        if (landing.says, ring) != (self.says, self.ring) or self.isHidden():
            self.says, self.ring = landing.says, ring
            self.setGeometry(top.rect())
            self.show()
            self.raise_()
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        pen = QPen(dye("madder"), 2.2)
        pen.setDashPattern([5, 3])
        painter.setPen(pen)
        painter.drawRoundedRect(QRectF(self.ring).adjusted(2, 2, -2, -2), 9, 9)
        painter.setFont(body_font(14, 600))
        wide = painter.fontMetrics().horizontalAdvance(self.says) + 28
        card = QRectF(0, 0, wide, 32)
        card.moveCenter(QRectF(self.ring).center())
        card.moveLeft(min(max(card.left(), 8.0), max(self.width() - wide - 8.0, 8.0)))
        painter.setPen(QPen(dye("madder"), 1.4))
        painter.setBrush(colour("raised"))
        painter.drawRoundedRect(card, 8, 8)
        painter.setPen(colour("ink"))
        painter.drawText(card, Qt.AlignmentFlag.AlignCenter, self.says)


class Places(Protocol):
    """What of the window files may be let go at, and what is opened for them."""

    session: Session
    stack: QStackedWidget
    header: Header
    strip: Strip

    @property
    def shown(self) -> str:
        """The title of the page that is seen."""

    @property
    def patch_page(self) -> PatchPage:
        """The Patch page."""

    @property
    def workshop(self) -> WorkshopPage:
        """The Workshop page."""

    def childAt(self, at: QPoint) -> QWidget | None:
        """The widget at a place."""

    def open_drawer(self, layer: str = "", kind: str = "") -> None:
        """Opens the drawer."""

    def import_banks(self, paths: list[Path]) -> None:
        """Takes bank files in."""


class DropTarget:
    """Takes dropped files for the window."""

    def __init__(self, window: QWidget, places: Places) -> None:
        self.over, self.window, self.session = window, places, places.session
        self.hint = DropHint(window)
        self.chooser: Chooser | None = None

    def files(self, data: QMimeData) -> list[Path]:
        """The files of a drag that are on this machine."""
        return [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]

    def landing_of(self, files: list[Path], at: QPoint) -> Landing:
        """Where files would go that are let go at a place of the window."""
        recordings = [path for path in files if path.suffix.lower() in RECORDINGS]
        if len(recordings) > 1:
            return Landing(f"{len(recordings)} recordings: what becomes of them is asked", self.window.stack)
        return self.landing(files[0], at)

    def landing(self, path: Path, at: QPoint) -> Landing:
        """Where a file would go that is let go at a place of the window."""
        kind, stack = path.suffix.lower(), self.window.stack
        if path.is_dir():
            return Landing(f"List what is in {path.name} in the drawer", stack)
        if kind == SUFFIX:
            return Landing(f"Import the bank {path.stem}", stack)
        if kind in PRESETS:
            return Landing(f"Open the preset {path.stem}", self.window.header.preset)
        if kind in TUNINGS:
            return Landing(f"Tune the patch by {path.name}", stack)
        if kind in PHRASES:
            return Landing(f"Play {path.name} as the phrase", self.window.strip)
        if kind in RECORDINGS:
            return self._for_recording(path, at)
        return Landing(f"{path.name} is nothing that can be taken in", stack)

    def _for_recording(self, path: Path, at: QPoint) -> Landing:
        patch, over = self.session.patch, self.window.childAt(at)
        if self.window.shown == WorkshopPage.title:
            return self._for_bench(path, over)
        while over is not None and not isinstance(over, LayerRow | Inspector):
            over = over.parentWidget()
        layer = ""
        if isinstance(over, LayerRow):
            layer = over.key
        elif isinstance(over, Inspector) and self.session.editor.selection[1] in patch.layers:
            layer = self.session.editor.selection[1]
        if layer and over is not None:
            return Landing(f"{path.name} into layer {layer.upper()}", over, layer)
        shown = self.window.patch_page.scroller if self.window.shown == PatchPage.title else self.window.stack
        return Landing(f"{path.name} as a new layer", shown)

    def _for_bench(self, path: Path, over: QWidget | None) -> Landing:
        """On a bench: what a table is made of, what is joined on, or what the layer plays."""
        workshop = self.window.workshop
        if workshop.bench is workshop.tables:
            return Landing(f"A table from {path.name}", workshop.tables.source)
        side = workshop.recordings.side
        if side.shown == "Splice" and over is not None and side.isAncestorOf(over):
            return Landing(f"Join {path.name} on", side)
        layer = workshop.recordings.work.layer
        says = f"{path.name} into layer {layer.upper()}" if layer else f"{path.name} as a new layer"
        return Landing(says, workshop.recordings.wave, layer)

    def _plays(self, source: Source) -> bool:
        return "asset" in type(source).model_fields

    def take(self, files: list[Path], at: QPoint) -> None:
        """Takes in what was let go at a place of the window. What cannot be taken is told before anything is asked; of many
        recordings the person says what shall become of them."""
        self.hint.hide()
        folders = [path for path in files if path.is_dir()]
        files, refused = self._sifted([path for path in files if path not in folders])
        if refused:
            self.session.say(" ".join(refused), problem=True)
        for folder in folders:
            add_folder(self.session, str(folder))
        if folders:
            self.window.open_drawer()
        banks = [path for path in files if path.suffix.lower() == SUFFIX]
        recordings = [path for path in files if path.suffix.lower() in RECORDINGS]
        if banks:
            self.window.import_banks(banks)
        for path in files:
            if path not in banks and path not in recordings:
                self._take(path, at)
        if len(recordings) > 1:
            self._ask_about(recordings)
        elif recordings:
            self._take(recordings[0], at)

    def _sifted(self, files: list[Path]) -> tuple[list[Path], list[str]]:
        """Files that can be taken in, and a sentence for each of the first that cannot, and one for all others of them."""
        good, refused = [], []
        for path in files:
            kind = path.suffix.lower()
            try:
                if kind not in TAKEN:
                    raise CannotRead(f"{cut(path.name)} was left alone: the window takes {KNOWN}.")
                if kind in RECORDINGS:
                    check_audio(path)
                else:
                    read_whole(path, 1)
            except FeltDialError as wrong:
                refused.append(str(wrong))
            else:
                good.append(path)
        more = [f"So were {len(refused) - MOST_TOLD} others."] if len(refused) > MOST_TOLD else []
        return good, refused[:MOST_TOLD] + more

    def _ask_about(self, recordings: list[Path]) -> None:
        """What shall become of many recordings."""
        names = ", ".join(cut(path.name, 24) for path in recordings[:LISTED])
        more = f" and {len(recordings) - LISTED} more" if len(recordings) > LISTED else ""
        answers: list[tuple[str, Callable[[], object]]] = []
        if len(self.session.patch.layers) + len(recordings) <= len(LAYER_IDS):
            answers.append(("A new layer each", partial(self._layer_each, recordings)))
        answers.append(("List them in the drawer", partial(self._to_drawer, recordings)))
        answers.append(("Leave them", lambda: None))
        says = f"{len(recordings)} recordings: {names}{more}. Nothing of them is taken yet."
        self.session.ask(says, answers, problem=False)

    def _layer_each(self, recordings: list[Path]) -> None:
        """One after the other, each a new layer that plays it as a sample."""
        if recordings:
            importing = self.window.patch_page.inspector.importing
            importing.load("", recordings[0], "sample", lambda layer: self._layer_each(recordings[1:]))

    def _to_drawer(self, recordings: list[Path]) -> None:
        for folder in dict.fromkeys(str(path.parent) for path in recordings):
            add_folder(self.session, folder)
        self.window.open_drawer()

    def _take(self, path: Path, at: QPoint) -> None:
        kind = path.suffix.lower()
        try:
            if kind in PRESETS:
                self.session.editor.open_patch(read_patch(read_whole(path), f"“{path.name}”"), made=True)
                self.session.say(f"Opened {path.name}; it is in no bank until it is saved.")
            elif kind in TUNINGS:
                self._tune(path)
            elif kind in PHRASES:
                read_phrase_file(self.session, path, partial(self._play, path))
            elif kind in RECORDINGS:
                self._load(path, at)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)

    def _play(self, path: Path, phrase: Phrase) -> None:
        if add_phrase(self.session, phrase, f"take the phrase {phrase.name} in"):
            notes = counted(len(phrase.notes), "note")
            self.session.say(f"{path.name} plays: {notes}, {phrase.beats:.0f} beats. It is kept with your phrases.")

    def _to_bench(self, path: Path, at: QPoint) -> None:
        workshop, importing = self.window.workshop, self.window.patch_page.inspector.importing
        landing = self._for_bench(path, self.window.childAt(at))
        if landing.over is workshop.tables.source:
            workshop.tables.source.show_file(path)
        elif landing.over is workshop.recordings.side:
            workshop.recordings.side.join(path)
        else:
            importing.load(landing.layer, path, "" if landing.layer else "sample")

    def _tune(self, path: Path) -> None:
        tuning = load_tuning(path, self.session.patch.tuning)
        self.session.editor.edit(self.session.patch.model_copy(update={"tuning": tuning}), f"tune by {path.name}")
        self.session.say(f"The patch is tuned by {path.name}.")

    def _load(self, path: Path, at: QPoint) -> None:
        if self.window.shown == WorkshopPage.title:
            self._to_bench(path, at)
            return
        layer = self._for_recording(path, at).layer
        importing = self.window.patch_page.inspector.importing
        if layer and self._plays(self.session.patch.layers[layer].source):
            importing.load(layer, path)
            return
        what = choosables(Source, BEGINS)
        title = f"Layer {layer.upper()} plays it as" if layer else "A new layer plays it as"
        self.chooser = Chooser(self.over, what, partial(importing.load, layer, path), title)
        self.chooser.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.chooser.open_over(self.over, at)
