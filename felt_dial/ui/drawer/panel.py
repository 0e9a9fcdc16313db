"""The drawer itself: search, filters, the list; a click or an arrow key plays, Enter takes."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QItemSelectionModel, QModelIndex, QPoint, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QAbstractItemView, QHBoxLayout, QLineEdit, QListView, QMenu, QVBoxLayout

from felt_dial.bank.finding.matter import LENGTHS, Gathering, Looked, Matter, MatterQuery, Piece, look_at
from felt_dial.bank.library.places import cache_folder, journal_folder
from felt_dial.bank.library.unused import Unused, clean, unused
from felt_dial.errors import FeltDialError
from felt_dial.live.link.messages import Listen
from felt_dial.patch.asset import Asset
from felt_dial.patch.module import Source
from felt_dial.patch.patch import Patch, put, with_about_of
from felt_dial.patch.units import note_name
from felt_dial.session.importing import Importing
from felt_dial.session.jobs import Latest
from felt_dial.session.session import Session
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import Audio
from felt_dial.sound.modules import new_patch
from felt_dial.sound.sources.table import Table
from felt_dial.ui.benches.drafts import drafts_folder, look_in_drafts
from felt_dial.ui.dials.cards import Card
from felt_dial.ui.dials.controls import MenuPill, Pill, set_text, text_label
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.drawer.folders import folders_menu
from felt_dial.ui.drawer.rows import RowPainter, Rows
from felt_dial.ui.drawer.taking import asset_of, given, suits
from felt_dial.ui.inspector.panel import WIDER, WIDTH
from felt_dial.ui.theme.felt import SewnLine
from felt_dial.workers.helper import Helper

TRYING = "try what the drawer holds"
"""What the steps merge by while somebody walks through the list."""
LENGTH_NAMES = {
    "any": "any length",
    "short": "under ½ s",
    "middle": "½ … 2 s",
    "long": "2 … 10 s",
    "longest": "over 10 s",
}
assert LENGTH_NAMES.keys() == LENGTHS.keys()


class Search(QLineEdit):
    """What is typed; arrow keys walk through the list meanwhile."""

    def __init__(self, drawer: Drawer) -> None:
        super().__init__()
        self.drawer = drawer
        self.setPlaceholderText("Search recordings and tables")
        self.setAccessibleName("Search the drawer")
        self.setToolTip("Words of names and folders; arrow keys walk and play, Enter takes")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self.drawer.key(event):
            super().keyPressEvent(event)


class List(QListView):
    """The rows; Enter takes, Escape puts back."""

    def __init__(self, drawer: Drawer) -> None:
        super().__init__()
        self.drawer = drawer
        self.setAccessibleName("Recordings and tables")
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setUniformItemSizes(True)
        self.setDragEnabled(True)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragOnly)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setMouseTracking(False)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self.drawer.key(event):
            event.ignore()


def untouched(patch: Patch) -> bool:
    """Whether a patch is as it begins, whatever it is called."""
    return with_about_of(patch, fresh := new_patch()) == fresh


class Drawer(Card):
    """The drawer, for a layer or for a new one.

    Attributes
    ----------
    closed : Signal()
        It is put away.
    """

    closed = Signal()

    def __init__(self, session: Session, importing: Importing) -> None:
        super().__init__("madder")
        self.session, self.importing = session, importing
        self.layer = ""
        self.walked: Piece | None = None
        self._before: Source | None = None
        self._seen_changes = -1
        self.matter = Matter(cache_folder() / "matter.sqlite")
        self.helper = Helper()
        self.latest = Latest(session.channel)
        self.gathering: Gathering | None = None
        look_in_drafts()
        session.channel.watch(self._follow, "layers.*.source")
        self.setFixedWidth(WIDTH)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(12, 10, 10, 8)
        outer.setSpacing(6)
        row = QHBoxLayout()
        row.addWidget(text_label("Drawer", "title"))
        self.whose = text_label("")
        row.addWidget(self.whose, 1)
        row.addWidget(MenuPill("Folders…", "Which folders of yours are listed", self._folders_menu))
        row.addWidget(Pill("Close", "link", self.close_it, "Puts the drawer away"))
        outer.addLayout(row)
        self.search = Search(self)
        self.search.textChanged.connect(lambda _: self.look())
        row = QHBoxLayout()
        row.addWidget(self.search, 1)
        self.count = text_label("", "small")
        row.addWidget(self.count)
        outer.addLayout(row)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.pills: dict[str, Pill] = {}
        for key, name, tip in (
            ("recording", "Recordings", "Only recordings"),
            ("table", "Tables", "Only tables"),
            ("here", "Used here", "Only what this patch and its bank play"),
            ("mine", "Mine", "Only what lies in folders of yours"),
            ("star", "★", "Only what you have starred"),
            ("recent", "Recent", "Only what was loaded last"),
        ):
            pill = Pill(name, "small", partial(self._pressed, key), tip)
            pill.setCheckable(True)
            pill.setAccessibleName(tip)
            self.pills[key] = pill
            row.addWidget(pill)
        row.addStretch()
        outer.addLayout(row)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.pitched = self._picker(
            {"": "pitched or not", "yes": "pitched", "no": "without root"}, "Whether it has a root"
        )
        self.length = self._picker(LENGTH_NAMES, "How long it is")
        row.addWidget(self.pitched, 1)
        row.addWidget(self.length, 1)
        outer.addLayout(row)
        row = QHBoxLayout()
        row.setSpacing(4)
        roots = {-1: "any root"} | {n: note_name(60 + n)[:-1] for n in range(12)}
        self.root = self._picker(roots, "The root that it sounds at")
        self.bright = self._picker(
            {"": "any colour", "dark": "dark", "middle": "middle", "bright": "bright"}, "How bright it is"
        )
        self.place = self._picker({"": "everywhere"}, "Where it lies")
        for picker in (self.root, self.bright, self.place):
            picker.setMinimumContentsLength(4)
            row.addWidget(picker, 1)
        outer.addLayout(row)
        self.rows = Rows(self.matter)
        self.painter_ = RowPainter()
        self.list = List(self)
        self.list.setModel(self.rows)
        self.list.setItemDelegate(self.painter_)
        self.list.clicked.connect(self._clicked)
        self.list.doubleClicked.connect(lambda _: self.take())
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(self._menu)
        outer.addWidget(self.list, 1)
        outer.addWidget(SewnLine())
        self.says = text_label("", "small")
        outer.addWidget(self.says)
        row = QHBoxLayout()
        self.keep = Pill("Take it", "pill", self.take, "The layer plays this: Enter")
        self.back = Pill("Put back", "pill", self.put_back, "The layer plays again what it played: Escape")
        self.star = Pill("☆", "pill", self.toggle_star, "Stars this one")
        for pill in (self.keep, self.back, self.star):
            row.addWidget(pill)
        row.addStretch()
        outer.addLayout(row)
        self._timer = QTimer(self, interval=400)
        self._timer.timeout.connect(self._changed)
        self.destroyed.connect(self.helper.close)
        self._tell()

    def _picker(self, options: dict[Any, str], tip: str) -> Picker:
        picker = Picker()
        for value, name in options.items():
            picker.addItem(name, value)
        picker.setAccessibleName(tip)
        picker.activated.connect(lambda _: self.look())
        return picker

    # --- opening -------------------------------------------------------------------------------

    def open_for(self, layer: str = "", kind: str = "") -> None:
        """Shows it for a layer, or for a new one; `kind` narrows it to recordings or tables."""
        self.leave()
        self._serve(layer)
        if layer:
            kind = "table" if isinstance(self.session.patch.layers[layer].source, Table) else "recording"
        for key in ("recording", "table"):
            self.pills[key].setChecked(key == kind)
        if self.gathering is None:
            self.gather()
        self._timer.start()
        self.look()
        self.search.setFocus()
        self._tell()

    def _serve(self, layer: str) -> None:
        """What is taken is for a layer, or for a new one."""
        self.layer = layer
        title = self.session.patch.layers[layer].source.title if layer else ""
        set_text(self.whose, f"for layer {layer.upper()}, {title}" if layer else "for a new layer")

    def _follow(self) -> None:
        """The layer that it is for may be another kind by now, or gone."""
        self._serve(self.layer if self.layer in self.session.patch.layers else "")

    def gather(self) -> None:
        """Begins to read what there is, and to look into it."""
        if self.gathering is not None:
            self.gathering.close()

        def look(paths: list[str]) -> list[Looked]:
            return self.helper.call(look_at, paths)

        self.gathering = Gathering(
            self.matter, self.session.shelf.library.root, self.session.settings.now.folders, look
        )

    def close_it(self) -> None:
        """Puts it away; what is heard in the layer by now stays."""
        self.leave()
        self.session.link.tell(Listen(""))
        self._timer.stop()
        self.closed.emit()

    def leave(self) -> None:
        """What is tried in the layer by now is taken."""
        if self._before is not None:
            self._settle()

    def end(self) -> None:
        """Ends its helpers."""
        self._timer.stop()
        if self.gathering is not None:
            self.gathering.close()
            self.gathering = None
        self.helper.close()

    def widen(self, wide: int) -> None:
        """Takes its share of a page `wide` pixels across."""
        self.setFixedWidth(WIDER if wide >= 1900 else WIDTH)

    # --- looking -------------------------------------------------------------------------------

    def _pressed(self, key: str) -> None:
        other = {"recording": "table", "table": "recording"}.get(key)
        if other and self.pills[key].isChecked():
            self.pills[other].setChecked(False)
        self.look()

    def wish(self) -> MatterQuery:
        """What is looked for, as the filters stand."""
        on = {key for key, pill in self.pills.items() if pill.isChecked()}
        only: frozenset[str] | None = None
        for key, these in (("star", self.starred), ("here", self.used_here), ("recent", self.recent)):
            if key in on:
                only = these() if only is None else only & these()
        return MatterQuery(
            self.search.text(),
            "table" if "table" in on else "recording" if "recording" in on else "",
            "own" if "mine" in on else "",
            self.place.currentData(),
            self.pitched.currentData(),
            self.length.currentData(),
            self.root.currentData(),
            self.bright.currentData(),
            only,
        )

    def starred(self) -> frozenset[str]:
        """What the person has starred."""
        return frozenset(self.session.settings.now.starred)

    def recent(self) -> frozenset[str]:
        """What was loaded last."""
        return frozenset(self.session.settings.now.recent)

    def used_here(self) -> frozenset[str]:
        """What the patch plays, and the presets of its bank."""
        found = {asset.digest for asset in assets.assets_of(self.session.patch).values()}
        bank = (
            self.session.shelf.library.root
            / (self.session.editor.work.bank or self.session.shelf.shown or ".")
            / "assets"
        )
        if bank.is_dir():
            found |= {path.stem for path in bank.iterdir()}
        return frozenset(found)

    def look(self) -> None:
        """Lists what is looked for; what was chosen stays so where it is still there."""
        chosen = self.chosen()
        self.painter_.starred = self.starred()
        self.painter_.here = frozenset(asset.digest for asset in assets.assets_of(self.session.patch).values())
        self.rows.look(self.wish())
        total, measured = self.matter.count()
        text = f"{len(self.rows.found):,} of {total:,}".replace(",", " ")
        set_text(self.count, text + ("" if measured == total else " …"))
        self.count.setToolTip("" if measured == total else f"{measured} of {total} are looked into so far")
        if chosen is not None and chosen.row in self.rows.found:
            self._point(self.rows.found.index(chosen.row))

    def _changed(self) -> None:
        """Something was found out, or has changed on disk."""
        if self.gathering is not None and self.gathering.folders != self.session.settings.now.folders:
            self.gather()
        if self.gathering is None or not self.isVisible() or self.gathering.changes == self._seen_changes:
            return
        self._seen_changes = self.gathering.changes
        places = self.matter.places()
        if [self.place.itemText(n) for n in range(1, self.place.count())] != places:
            kept = self.place.currentData()
            self.place.clear()
            self.place.addItem("everywhere", "")
            for place in places:
                self.place.addItem(place, place)
            self.place.setCurrentIndex(max(self.place.findData(kept), 0))
        self.look()

    # --- walking -------------------------------------------------------------------------------

    def chosen(self) -> Piece | None:
        """The piece that is chosen."""
        return self.rows.piece(self.list.currentIndex()) if self.list.currentIndex().isValid() else None

    def key(self, event: QKeyEvent) -> bool:
        """What a key does here; False where it does nothing."""
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: 8, Qt.Key.Key_PageUp: -8}.get(
            Qt.Key(event.key())
        )
        if step is not None:
            self.walk(step)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.take()
        elif event.key() == Qt.Key.Key_Escape:
            if self._before is not None:
                self.put_back()
            else:
                self.close_it()
        else:
            return False
        return True

    def walk(self, step: int) -> None:
        """Goes to another row, and plays it."""
        count = len(self.rows.found)
        if not count:
            return
        at = self.list.currentIndex().row() if self.list.currentIndex().isValid() else (-1 if step > 0 else count)
        self._point(min(max(at + step, 0), count - 1))
        self.hear()

    def _point(self, at: int) -> None:
        index = self.rows.index(at)
        self.list.selectionModel().setCurrentIndex(index, QItemSelectionModel.SelectionFlag.ClearAndSelect)

    def _clicked(self, index: QModelIndex) -> None:
        self._point(index.row())
        self.hear()

    def hear(self) -> None:
        """Plays what is chosen: in the layer while a phrase plays, beside the patch else."""
        piece, session = self.chosen(), self.session
        if piece is None:
            return
        layer = self.layer if self.layer in session.patch.layers else ""
        if session.transport.playing and layer and suits(session.patch.layers[layer].source, piece):
            session.link.tell(Listen(""))
            store = drafts_folder() / ".assets"
            self.latest.ask(lambda: asset_of(piece, store), lambda found: self._try(piece, *found), self._refuse)
        else:
            session.link.tell(Listen(piece.path))
        self.walked = piece
        self._tell()

    def _refuse(self, says: str) -> None:
        self.session.say(says, problem=True)

    def _try(self, piece: Piece, asset: Asset, cycle: int) -> None:
        """Lets the layer play a piece for now; all that is tried in a row is one step."""
        session = self.session
        if self.layer not in session.patch.layers:
            return
        source = session.patch.layers[self.layer].source
        if self._before is None:
            self._before = source
        fresh, said = given(self._before, piece, asset, cycle)
        session.editor.edit(put(session.patch, ["layers", self.layer, "source"], fresh), f"take {piece.name}", TRYING)
        if said:
            session.say(said)
        self._tell()

    def put_back(self) -> None:
        """The layer plays again what it played before the walk."""
        before, self._before = self._before, None
        session = self.session
        if before is not None and not session.editor.history.withdraw(TRYING) and self.layer in session.patch.layers:
            session.editor.edit(put(session.patch, ["layers", self.layer, "source"], before), "put it back")
        self.session.link.tell(Listen(""))
        self._tell()

    def _settle(self) -> None:
        """What is tried is taken: it is kept in the library too."""
        self._before = None
        self.session.editor.history.settle()
        asset = (
            getattr(self.session.patch.layers[self.layer].source, "asset", None)
            if self.layer in self.session.patch.layers
            else None
        )
        sound = assets.load(asset)
        path = assets.find(asset) if asset is not None else None
        if asset is not None and sound is not None and path is not None and drafts_folder() in path.parents:
            try:
                self.session.shelf.library.keep_audio(Audio(sound, asset.rate), asset.name)
            except FeltDialError as wrong:
                self.session.say(str(wrong), problem=True)

    def take(self, anew: bool = False) -> None:
        """Puts what is chosen on the layer, or on a new one, after which the drawer is for a further new one; the layer of a
        patch that nobody has touched yet counts as a new one.

        What was only tried in the layer is then put back.
        """
        piece, session = self.chosen(), self.session
        if piece is None:
            session.say("Choose something in the drawer first.", problem=True)
            return
        session.link.tell(Listen(""))
        if anew and self._before is not None:
            self.put_back()
        if self._before is not None and self.walked is not None and self.walked.row == piece.row:
            self._settle()
            session.say(f"Layer {self.layer.upper()} plays {piece.name}.")
            self._tell()
            return
        layer = self.layer if self.layer in session.patch.layers and not anew else ""
        then = self._serve if layer else (lambda key: None)
        if not layer and untouched(session.patch):
            layer = next(iter(session.patch.layers))
        kind = (
            "" if layer and suits(session.patch.layers[layer].source, piece) else "table" if piece.cycle else "sample"
        )
        if piece.origin == "own":
            self.importing.load(layer, Path(piece.path), kind, then)
            return
        try:
            asset, cycle = asset_of(piece, session.shelf.library.root / ".assets")
            patch, key = (session.patch, layer) if layer else session.shelf.with_new_layer(session.patch, kind)
            source = patch.layers[key].source if not kind or not layer else Source.kinds[kind]()
            fresh, said = given(source, piece, asset, cycle)
        except FeltDialError as wrong:
            session.say(str(wrong), problem=True)
            return
        session.editor.edit(put(patch, ["layers", key, "source"], fresh), f"take {piece.name}", select=("source", key))
        session.say(f"Layer {key.upper()} plays {piece.name}. {said}".strip())
        then(key)
        self._tell()

    def _tell(self) -> None:
        before = self._before
        piece = self.walked
        was = getattr(before, "asset", None)
        if before is not None and piece is not None:
            set_text(self.says, f"Layer {self.layer.upper()} plays {piece.name[:22]} while you listen; all else stays.")
            set_text(self.back, f"Put {was.name[:14]} back" if was is not None else "Put nothing back")
        elif not self.session.settings.now.folders:
            set_text(self.says, "Add folders of yours: what is in them is listed here.")
        else:
            set_text(self.says, "Click plays, arrows walk, Enter takes, drag puts it anywhere.")
        set_text(self.keep, "Keep it" if before is not None else "Take it")
        self.back.setVisible(before is not None)
        chosen = self.chosen()
        self.star.setEnabled(chosen is not None)
        starred = chosen is not None and (chosen.digest or chosen.path) in self.starred()
        set_text(self.star, "★" if starred else "☆")

    # --- stars and folders ---------------------------------------------------------------------

    def toggle_star(self) -> None:
        """Stars what is chosen, or takes its star."""
        piece = self.chosen()
        if piece is not None:
            key, settings = piece.digest or piece.path, self.session.settings.now
            kept = tuple(k for k in settings.starred if k != key)
            starred = kept if len(kept) < len(settings.starred) else (*kept, key)
            self.session.settings.keep(settings.model_copy(update={"starred": starred}))
            self.look()
            self._tell()

    def _menu(self, at: QPoint) -> None:
        piece = self.chosen()
        if piece is None:
            return
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction("Take it", self.take)
        menu.addAction("As a new layer", lambda: self.take(anew=True))
        menu.addAction("Star it, or take its star", self.toggle_star)
        menu.popup(self.list.viewport().mapToGlobal(at))

    def _folders_menu(self) -> QMenu:
        menu = folders_menu(self, self.session, self._changed)
        menu.addSeparator()
        menu.addAction("Look through all again", lambda: self.gathering.again() if self.gathering else None)
        menu.addAction("What nothing uses any more…", self.ask_unused)
        return menu

    def ask_unused(self) -> None:
        """Lists what lies in the library and is used by nothing, and asks whether it shall go."""
        session = self.session
        session.autosave.write()
        root, journal = session.shelf.library.root, journal_folder()
        here = {asset.digest for asset in session.editor.assets_at_hand()}

        def then(found: list[Unused]) -> None:
            these = [one for one in found if one.path.stem not in here]
            if not these:
                session.say("Everything in the library is used by something.")
                return
            size = sum(one.size for one in these) / 1e6
            names = ", ".join(list(dict.fromkeys(one.name for one in these if one.name != "a recipe"))[:4])
            more = f" ({names} …)" if names else ""
            session.ask(
                f"{len(these)} files, {size:.1f} MB{more}, are used by no preset, version or bin entry.",
                [("Take them away", lambda: self._clean(these)), ("Keep them", lambda: None)],
            )

        session.jobs.start("Looking for what nothing uses", lambda watch: unused(root, [journal], watch), then)

    def _clean(self, these: list[Unused]) -> None:
        self.session.say(f"{clean(these)} files are gone.")
        if self.gathering is not None:
            self.gathering.again()
