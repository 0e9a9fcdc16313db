"""The inspector: all of what is chosen on the Patch page, with a picture, its dials and its threads."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QWidget

from felt_dial.patch.edits import threads_from
from felt_dial.patch.params import Choice
from felt_dial.patch.patch import param_at, put
from felt_dial.patch.player import PLAYER_SOURCES
from felt_dial.patch.reach import shaped_by
from felt_dial.patch.routing import bus_layers
from felt_dial.session.copying import remove_mover
from felt_dial.session.importing import Importing
from felt_dial.session.session import Session
from felt_dial.session.topics import Focused, Rebuilt, Selected
from felt_dial.sound.sources.core.unison import Unison
from felt_dial.ui.dials.cards import Card
from felt_dial.ui.dials.controls import NameEdit, Options, Pill, SwitchPill, control_for, text_label
from felt_dial.ui.dials.focus import let_go_of_focus, take_what_is_written
from felt_dial.ui.dials.shake_pill import ShakePill
from felt_dial.ui.dials.snippet_button import SnippetPill
from felt_dial.ui.dials.tag import Tag, tag_text
from felt_dial.ui.dials.under_hand import UnderHand
from felt_dial.ui.inspector.layer_settings import Inlets, Sends, TuningRow
from felt_dial.ui.inspector.level_shaper import LevelShaper
from felt_dial.ui.inspector.macro import MacroPart
from felt_dial.ui.inspector.modulator import MoverPart
from felt_dial.ui.inspector.pattern_player import PatternPart
from felt_dial.ui.inspector.sheet import LayerButtons, LayerHead, Sheet, shape_of
from felt_dial.ui.inspector.source import Material, SourceKind
from felt_dial.ui.inspector.thread_list import ThreadList
from felt_dial.ui.inspector.tone import DrivePart, FilterPart, shown
from felt_dial.ui.pictures.registry import picture_of
from felt_dial.ui.pictures.sources import SourcePicture
from felt_dial.ui.theme.colours import layer_dye
from felt_dial.ui.theme.felt import SewnLine

WIDTH, WIDER = 344, 420
"""Pixels across, and where the window is wide."""
LAYER_PARTS = ("source", "drive", "filter", "level", "out")
MOST_KEPT = 6
"""Sheets of layers that are kept to be turned to others."""


class Inspector(Card):
    """Shows the selection of the session."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedWidth(WIDTH)
        _, self.body = self.scrolled()
        self.threads = ThreadList(session)
        self.threads.all_asked.connect(lambda: session.editor.focus(""))
        self.sheet = Sheet("")
        self._kept: dict[object, Sheet] = {}
        """Sheets of layers by what they are laid out for, the one used last at the end."""
        self.body.addWidget(self.sheet)
        self.body.addWidget(SewnLine())
        self.body.addWidget(self.threads)
        self.body.addStretch()
        self.hand = UnderHand(self, lambda: self._laid_for != self._layout_key(), self.rebuild)
        self.importing = Importing(session)
        self._due = False
        session.channel.watch(self._rebuild_when_seen, Selected)
        session.channel.watch(self._rebuild_when_seen, Rebuilt)
        session.channel.watch(self._follow, "layers", "buses", "threads", "modulators", "macros")
        session.channel.watch(self._list_threads, Focused)
        self.rebuild()

    def widen(self, wide: int) -> None:
        """Takes its share of a page `wide` pixels across."""
        self.setFixedWidth(WIDER if wide >= 1900 else WIDTH)

    def showEvent(self, event: QShowEvent) -> None:
        if self._due:
            self.rebuild()
        super().showEvent(event)

    def _rebuild_when_seen(self) -> None:
        """Now, or once its page is opened: what is not seen costs nothing."""
        if self.isVisible():
            self.rebuild()
        else:
            self._due = True

    def rebuild(self) -> None:
        """Lays out the inspector for the selection; a sheet of a layer that is laid out alike is turned to it."""
        self._due = False
        self._laid_for = self._layout_key()
        part, key = self.session.editor.selection
        about_layer = part in LAYER_PARTS and key in self.session.patch.layers
        shape = shape_of(self.session.patch, part, key) if about_layer else None
        if shape is not None and (sheet := self._kept.pop(shape, None)) is not None:
            self._kept[shape] = sheet
            self._turn(sheet, key)
        else:
            self._make(part, key, shape)
        self._list_threads()
        self.update()

    def _turn(self, sheet: Sheet, key: str) -> None:
        """Shows a sheet of a layer, turned to this one."""
        self.shade = layer_dye(key)
        if sheet is self.sheet:
            take_what_is_written(sheet)
        sheet.turn_to(f"layers.{key}", self.shade)
        if sheet is not self.sheet:
            self._show(sheet)

    def _show(self, sheet: Sheet) -> None:
        """Another sheet takes the place of this one, which goes where it is not kept."""
        before, self.sheet = self.sheet, sheet
        let_go_of_focus(before)
        self.body.replaceWidget(before, sheet)
        before.hide()
        if before not in self._kept.values():
            before.deleteLater()
        sheet.show()

    def _make(self, part: str, key: str, shape: object) -> None:
        """Lays out a fresh sheet for the selection, and keeps it where another layer may be laid out alike."""
        sheet = Sheet(f"layers.{key}")
        self.column = sheet.body
        if part == "modulator" and key in self.session.patch.modulators:
            self._modulator(key)
        elif part == "patch":
            self._patch()
        elif part == "bus":
            self._bus(key)
        elif part == "pattern":
            self._pattern()
        elif part == "macro":
            self._macro(key)
        elif part == "player":
            self._player(key)
        elif key in self.session.patch.layers:
            self._layer(part, key)
        sheet.laid()
        if shape is not None:
            self._kept[shape] = sheet
            if len(self._kept) > MOST_KEPT:
                oldest = self._kept.pop(next(iter(self._kept)))
                if oldest is not self.sheet:
                    oldest.deleteLater()
        self._show(sheet)

    def _follow(self) -> None:
        """Another way of a drive or counting of a cutoff shows other dials."""
        if self._due:
            return
        if not self.hand.follow():
            self._list_threads()

    def _layout_key(self) -> object:
        part, key = self.session.editor.selection
        patch = self.session.patch
        if part == "bus":
            modules = [patch.buses[key].drive, patch.buses[key].filter, patch.buses[key].after]
        elif key in patch.layers:
            modules = [patch.layers[key].drive, patch.layers[key].filter]
        else:
            return None
        return part, key, [(shown(module), getattr(module, "way", "") == "drawn") for module in modules]

    def _head(
        self,
        lead: QWidget,
        read: Callable[[], str | None],
        act: Callable[[str], None],
        kind: str,
        remove: Callable[[], None] | None = None,
    ) -> None:
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(lead)
        edit = NameEdit(read() or "", "title", act, empty=kind)
        edit.follow(self.session.channel.watch, read)
        edit.setAccessibleName("Name")
        row.addWidget(edit, 1)
        row.addWidget(text_label(kind))
        if remove is not None:
            row.addWidget(Pill("Remove", "link", remove, "Remove this modulator and its threads: Delete"))
        self.column.addLayout(row)

    def _name_in(self, part: str, key: str) -> Callable[[], str | None]:
        """What a part of the patch is called by then; None once it is gone."""
        session = self.session
        return lambda: getattr(getattr(session.patch, part).get(key), "name", None)

    def _grid(self, paths: list[str], shade: str, columns: int = 4) -> None:
        self.column.addLayout(self.grid_of(paths, shade, columns))

    def grid_of(self, paths: list[str], shade: str, columns: int = 4) -> QGridLayout:
        """Dials, boxes and switches for some paths, in columns."""
        grid = QGridLayout()
        grid.setHorizontalSpacing(2)
        grid.setVerticalSpacing(3)
        at = 0
        for path in paths:
            made = control_for(self.session, path, shade, 17)
            wide = 2 if isinstance(param_at(self.session.patch, path), Choice) else 1
            if at % columns + wide > columns:
                at += columns - at % columns
            align = (
                Qt.AlignmentFlag.AlignTop if wide == 2 else Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignHCenter
            )
            grid.addWidget(made, at // columns, at % columns, 1, wide, align)
            at += wide
        for column in range(columns):
            grid.setColumnStretch(column, 1)
        return grid

    def _layer(self, part: str, key: str) -> None:
        self.shade = layer_dye(key)
        path = f"layers.{key}."
        self.column.addWidget(LayerHead(self.session, f"layers.{key}"))
        if part == "level":
            self._contour(key)
        elif part == "drive":
            self.column.addWidget(DrivePart(self.session, path + "drive", self.shade, "Drive", self.grid_of))
            self._grid([path + "order"], self.shade)
        elif part == "filter":
            self.column.addWidget(FilterPart(self.session, path + "filter", self.shade, self.grid_of))
            self._grid([path + "order"], self.shade)
        elif part == "out":
            self._out(key)
        else:
            self._source(key)
            self.column.addWidget(SewnLine())
            self.column.addWidget(FilterPart(self.session, path + "filter", self.shade, self.grid_of, picture=False))

    def _source(self, key: str) -> None:
        """The raw sound of a layer: its kind, its picture, what it is made of, its dials, its pitch, what modulates it."""
        layer, path = self.session.patch.layers[key], f"layers.{key}."
        source = layer.source
        row = QHBoxLayout()
        row.addWidget(SourceKind(self.session, path + "source"), 1)
        for name in ("trigger", "out"):
            row.addWidget(Options(self.session, path + name))
        self.column.addLayout(row)
        picture = picture_of(self.session, path + "source", self.shade, large=True)
        self._picture(picture)
        if "asset" in type(source).model_fields:
            material = Material(self.session, path + "source", self.importing)
            self.column.addWidget(material)
            if isinstance(picture, SourcePicture):
                picture.load_asked.connect(lambda: material.offer(picture))
        self._section("Source", [], [], path + "source")
        shared = Unison.params if isinstance(source, Unison) else {}
        own = [f"{path}source.{name}" for name in source.params if name not in shared]
        self._grid(own, self.shade, columns=5)
        if shared:
            self._title("Unison")
            self._grid([f"{path}source.{name}" for name in shared], self.shade, columns=5)
        self._section("Pitch", [], [path + "fixed"])
        names = ("octave", "pitch", "fine", "harmonic", "divisor", "frequency")
        self._grid([path + name for name in names], self.shade, columns=5)
        self.column.addWidget(SewnLine())
        self.column.addWidget(Inlets(self.session, f"layers.{key}"))
        self.column.addWidget(SewnLine())
        self.column.addWidget(Sends(self.session, f"layers.{key}"))

    def _bus(self, key: str) -> None:
        """A bus: where it goes, its drives, its filter."""
        self.shade = "walnut"
        path = f"buses.{key}"

        def rename(name: str) -> None:
            fresh = self.session.patch.buses[key].model_copy(update={"name": name.strip()})
            self.session.editor.edit(put(self.session.patch, ["buses", key], fresh), f"name bus {key} {name.strip()}")

        self._head(text_label(key, "title"), self._name_in("buses", key), rename, f"Bus {key}")
        letters = " ".join(layer.upper() for layer in bus_layers(self.session.patch, key))
        said = f"from {letters}, note by note" if letters else "no layer goes here yet: see a layer’s Out"
        self.column.addWidget(text_label(said))
        self._grid([f"{path}.out", f"{path}.level", f"{path}.pan"], "walnut")
        self.column.addWidget(LevelShaper(self.session, path))
        self.column.addWidget(Sends(self.session, path))
        self.column.addWidget(SewnLine())
        self.column.addWidget(DrivePart(self.session, f"{path}.drive", "walnut", "Drive", self.grid_of))
        self.column.addWidget(SewnLine())
        self.column.addWidget(FilterPart(self.session, f"{path}.filter", "walnut", self.grid_of))
        self.column.addWidget(SewnLine())
        self.column.addWidget(DrivePart(self.session, f"{path}.after", "walnut", "Drive after", self.grid_of))

    def _out(self, key: str) -> None:
        """Where a layer goes, and which notes play it."""
        path = f"layers.{key}."
        self._grid([path + name for name in ("level", "pan", "velocity", "out")], self.shade, columns=5)
        self.column.addWidget(Sends(self.session, f"layers.{key}"))
        self.column.addWidget(SewnLine())
        self._title("Which notes play it")
        self._grid(
            [path + name for name in ("trigger", "delay", "key_low", "key_high", "key_fade")], self.shade, columns=5
        )
        names = ("velocity_low", "velocity_high", "velocity_fade", "switch_key", "switched")
        self._grid([path + name for name in names], self.shade, columns=5)
        self.column.addWidget(LayerButtons(self.session, f"layers.{key}"))

    def _title(self, text: str) -> None:
        self.column.addWidget(text_label(text, "value"))

    def _section(self, title: str, choices: list[str], switches: list[str], snippets: str = "") -> None:
        """A line with a title, boxes for choices and pills for switches."""
        row = QHBoxLayout()
        row.addWidget(text_label(title, "value"))
        for path in choices:
            row.addWidget(Options(self.session, path), 1)
        for path in switches:
            row.addWidget(SwitchPill(self.session, path))
        row.addStretch()
        if snippets:
            row.addWidget(ShakePill(self.session, snippets, snippets.split(".")[-1]))
            row.addWidget(SnippetPill(self.session, snippets))
        self.column.addLayout(row)

    def _picture(self, made: QWidget) -> None:
        made.setFixedHeight(124)
        self.column.addWidget(made)

    def _contour(self, key: str) -> None:
        layer = self.session.patch.layers[key]
        self.column.addWidget(LevelShaper(self.session, f"layers.{key}"))
        self.column.addWidget(MoverPart(self.session, layer.contour, self.grid_of))
        self.column.addWidget(SewnLine())
        self._grid([f"layers.{key}.{name}" for name in ("level", "pan")], self.shade)
        self.column.addWidget(LayerButtons(self.session, f"layers.{key}"))

    def _patch(self) -> None:
        """What belongs to the patch as a whole."""
        self.shade = "walnut"
        session = self.session
        self._head(text_label("", "title"), lambda: session.patch.name, session.editor.rename_patch, "the whole patch")
        self._grid(["level", "transpose", "fine", "tempo", "voices", "grains"], "walnut")
        self._grid(["rack2"], "walnut")
        self.column.addWidget(SewnLine())
        self._title("How notes play")
        self._grid(["play", "priority", "bend", "note_bend"], "walnut")
        self._grid(["glide", "glide_when", "glide_by"], "walnut", columns=5)
        self.column.addWidget(SewnLine())
        self._title("Tuning")
        self._grid(["reference"], "walnut")
        self.column.addWidget(TuningRow(self.session))
        self.column.addWidget(
            text_label("Layers go through buses and racks or straight to the output:\neach layer's Out says which.")
        )

    def _modulator(self, key: str) -> None:
        modulator = self.session.patch.modulators[key]
        self.shade = modulator.dye

        def rename(name: str) -> None:
            fresh = self.session.patch.modulators[key].model_copy(update={"name": name.strip()})
            self.session.editor.edit(
                put(self.session.patch, ["modulators", key], fresh), f"name {key.upper()} {name.strip()}"
            )

        tag, gone = Tag(self.session, key, 13), partial(remove_mover, self.session, key)
        self._head(tag, self._name_in("modulators", key), rename, modulator.title, gone)
        self.column.addWidget(MoverPart(self.session, key, self.grid_of))

    def _macro(self, key: str) -> None:
        """One handle for the musician."""
        self.shade = "walnut"

        def rename(name: str) -> None:
            fresh = self.session.patch.macros[key].model_copy(update={"name": name.strip()})
            self.session.editor.edit(
                put(self.session.patch, ["macros", key], fresh), f"name macro {key[1:]} {name.strip()}"
            )

        self._head(Tag(self.session, key, 13), self._name_in("macros", key), rename, f"Macro {key[1:]}")
        self.column.addWidget(MacroPart(self.session, key, self.grid_of))

    def _pattern(self) -> None:
        """What held keys are made into."""
        self.shade = "weld"
        row = QHBoxLayout()
        row.addWidget(text_label("Pattern", "title"))
        row.addWidget(text_label("what held keys are played as"), 1)
        self.column.addLayout(row)
        self.column.addWidget(PatternPart(self.session, self.grid_of))

    def _player(self, key: str) -> None:
        """Something that the player does."""
        self.shade = "ink"
        row = QHBoxLayout()
        row.addWidget(Tag(self.session, key, 13))
        row.addWidget(text_label(PLAYER_SOURCES[key].name, "title"))
        row.addStretch()
        self.column.addLayout(row)
        if PLAYER_SOURCES[key].goes_by:
            self._grid([PLAYER_SOURCES[key].goes_by], "walnut")

    def _list_threads(self) -> None:
        """The threads on the dial in focus, or those that start at what is shown."""
        part, key = self.session.editor.selection
        patch, path = self.session.patch, self.session.editor.focus_path
        self.threads.setVisible(part not in ("patch", "pattern"))
        if part in ("patch", "pattern"):
            return
        mover = part in ("macro", "player") or (part == "modulator" and key in patch.modulators)
        own = path.startswith((f"modulators.{key}.", f"macros.{key}")) and mover
        if mover and (not own or path == f"macros.{key}"):
            listed = threads_from(patch, key)
            shaped = shaped_by(patch, key)
            level = f" the level of {', '.join(shaped)}" if shaped else ""
            self.threads.show_threads(f"{tag_text(key)} moves{level}", list(listed), "to")
            return
        if key in patch.layers:
            owners = [f"layers.{key}."] + ([f"modulators.{patch.layers[key].contour}."] if part == "level" else [])
            name = f"layer {key.upper()}"
        else:
            owners = [f"buses.{key}."] if part == "bus" else [f"modulators.{key}."]
            name = f"bus {key}" if part == "bus" else tag_text(key)
        self.threads.show_on(name, owners, path)
