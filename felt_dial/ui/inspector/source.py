"""What a source is made of, in the inspector: which kind it is, its recording or table, what is missing."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QIntValidator
from PySide6.QtWidgets import QComboBox, QFileDialog, QHBoxLayout, QLabel, QMenu, QProgressBar, QVBoxLayout, QWidget

from felt_dial.errors import FeltDialError
from felt_dial.files import write_whole
from felt_dial.patch.asset import Asset
from felt_dial.patch.edits import replace_module
from felt_dial.patch.module import Source
from felt_dial.patch.patch import put
from felt_dial.session.importing import Importing
from felt_dial.session.session import Session
from felt_dial.session.topics import BenchAsked, DrawerAsked, JobMoved
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.tables import shipped_tables
from felt_dial.sound.matter.wav import wav_bytes
from felt_dial.sound.sources.core.travel import READY
from felt_dial.sound.sources.partials import Partials
from felt_dial.sound.sources.table import Table
from felt_dial.ui.dials.controls import Pill, text_label
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.inspector.load import load_menu
from felt_dial.ui.theme.words import plain
from felt_dial.workshop.wav_file import table_wav

CYCLES = (64, 128, 256, 512, 600, 1024, 2048, 4096)
SHORTEST_CYCLE, LONGEST_CYCLE = 16, 65536


class SourceKind(Picker):
    """Chooses what a layer starts from; the recording goes along where both kinds play one."""

    def __init__(self, session: Session, path: str) -> None:
        super().__init__()
        self.session = session
        for kind in Source.in_order():
            cls = Source.kinds[kind]
            self.addItem(cls.title, kind)
            self.setItemData(self.count() - 1, cls.about(), 3)
        self.setToolTip("What the layer starts from")
        self.activated.connect(self._choose)
        self.turn_to(path, "")

    def turn_to(self, path: str, shade: str) -> None:
        """Is about another layer."""
        self.path, self.layer = path, path.split(".")[1]
        self.setCurrentIndex(self.findData(self.session.patch.layers[self.layer].source.kind))
        self.setAccessibleName(f"Source of layer {self.layer.upper()}")

    def _choose(self, n: int) -> None:
        before = self.session.patch.layers[self.layer].source
        cls = Source.kinds[self.itemData(n)]
        if type(before) is cls:
            return
        plays = {"sample", "grains", "partials", "noise"}
        kept = {}
        if {before.kind, self.itemData(n)} <= plays:
            kept = {name: getattr(before, name) for name in ("asset", "root", "cents") if hasattr(before, name)}
        fresh = cls(**{name: value for name, value in kept.items() if name in cls.model_fields})
        if cls is Table:
            first = next(iter(shipped_tables().values()))
            fresh = cls(asset=first.asset, cycle=first.cycle)
        patch = replace_module(self.session.patch, f"layers.{self.layer}.source", fresh)
        self.session.editor.edit(patch, f"make {self.layer.upper()} a {cls.title.lower()}")


class Material(QWidget):
    """The recording or table of a source: its name, what can be loaded, and what is being loaded."""

    def __init__(self, session: Session, path: str, importing: Importing) -> None:
        super().__init__()
        self.session, self.importing = session, importing
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(0, 0, 0, 0)
        self.box.setSpacing(3)
        self._laid_for: object = None
        session.channel.watch(self._follow, JobMoved)
        self.turn_to(path, "")

    def turn_to(self, path: str, shade: str) -> None:
        """Is about another layer; it is laid out anew where that plays something else."""
        self.path, self.layer = path, path.split(".")[1]
        source = self.session.patch.layers[self.layer].source
        asset = getattr(source, "asset", None)
        laid_for = path, type(source), asset, getattr(source, "cycle", 0), asset is None or assets.find(asset) is None
        if laid_for != self._laid_for:
            self._laid_for = laid_for
            clear(self.box)
            self._lay(source)

    def _lay(self, source: Source) -> None:
        session, box = self.session, self.box
        row = QHBoxLayout()
        row.setSpacing(6)
        if isinstance(source, Table):
            row.addWidget(self._tables(source), 1)
            row.addWidget(self._cycle(source))
            row.addWidget(self._loader("Load a table: from a file, or one of the last"))
            row.addWidget(Pill("Save…", "small", self._save, "Save the table as a WAV file"))
            box.addLayout(row)
            row = QHBoxLayout()
            row.setSpacing(6)
            row.addWidget(text_label(""), 1)
            self._ways(row, "table")
        else:
            asset: Asset | None = getattr(source, "asset", None)
            missing = asset is not None and assets.find(asset) is None
            row.addWidget(self._name(source, asset, missing), 1)
            if missing:
                row.addWidget(Pill("Find it…", "small", self._find, "Look in a folder for this very recording"))
            row.addWidget(self._loader("Load a WAV, FLAC, AIFF, OGG or MP3 file, or a shipped recording"))
            self._ways(row, "recording")
            if asset is not None and (isinstance(source, Partials) or source.kind == "noise"):
                row.addWidget(Pill("Clear", "link", self._clear, "Go on without the recording"))
        box.addLayout(row)
        if "scan" in source.params:
            row = QHBoxLayout()
            row.addWidget(text_label("Travel curve"))
            ready = Pill("Ready shapes…", "small", None, "Begin from one of the ready travel curves")
            ready.clicked.connect(lambda: self._ready(ready))
            row.addWidget(ready)
            row.addWidget(text_label("drag points, drag between to bend,\ndouble-click adds; time goes up", "small"), 1)
            box.addLayout(row)
        self.bar = QProgressBar()
        self.bar.setRange(0, 100)
        self.bar.setTextVisible(True)
        self.stop = Pill("Cancel", "link", session.jobs.cancel, "Stop loading")
        row = QHBoxLayout()
        row.addWidget(self.bar, 1)
        row.addWidget(self.stop)
        box.addLayout(row)
        self._follow()

    def _name(self, source: Source, asset: Asset | None, missing: bool) -> QLabel:
        """What the source plays, on one line, or on two where it is missing; never a label that wraps by itself."""
        if asset is None:
            return text_label(self._nothing(source), "value")
        called = asset.name if len(asset.name) <= 22 else asset.name[:21] + "…"
        if missing:
            label = text_label(f"Missing: {called}\n{asset.seconds:.2f} s, {asset.digest[:12]}", "problem")
        else:
            label = text_label(f"{called}, {asset.seconds:.2f} s", "value")
        label.setToolTip(plain(asset.about()))
        return label

    def _nothing(self, source: Source) -> str:
        if isinstance(source, Partials):
            return "Drawn harmonics: drag in the picture"
        return "No texture: noise is made" if source.kind == "noise" else "No sample yet"

    def _follow(self) -> None:
        busy = self.session.jobs.busy
        self.bar.setVisible(busy)
        self.stop.setVisible(busy)
        self.bar.setFormat(f"{self.session.jobs.name}  %p %")
        self.bar.setValue(round(100 * self.session.jobs.part))

    def _change(self, says: str, **change: object) -> None:
        fresh = self.session.patch.layers[self.layer].source.model_copy(update=change)
        self.session.editor.edit(put(self.session.patch, ["layers", self.layer, "source"], fresh), says)

    def _tables(self, source: Table) -> QComboBox:
        box = Picker()
        shown = -1
        for name, about in shipped_tables().items():
            box.addItem(f"{about.family}: {name}", name)
            if source.asset is not None and source.asset.digest == about.asset.digest:
                shown = box.count() - 1
        if shown < 0 and source.asset is not None:
            missing = "Missing: " if assets.find(source.asset) is None else ""
            box.insertItem(0, f"{missing}{source.asset.name}", "")
            shown = 0
        box.setCurrentIndex(shown)
        box.setPlaceholderText("Choose a table")
        box.setAccessibleName(f"Table of layer {self.layer.upper()}")
        box.setMinimumContentsLength(12)

        def choose(n: int) -> None:
            about = shipped_tables().get(box.itemData(n))
            if about is not None:
                self._change(f"take the table {about.asset.name}", asset=about.asset, cycle=about.cycle)

        box.activated.connect(choose)
        return box

    def _cycle(self, source: Table) -> QComboBox:
        box = Picker()
        for size in sorted({*CYCLES, source.cycle}):
            box.addItem(f"{size}", size)
        box.setCurrentIndex(box.findData(source.cycle))
        box.setEditable(True)
        box.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        box.setValidator(QIntValidator(SHORTEST_CYCLE, LONGEST_CYCLE, box))
        box.setAccessibleName("Length of a cycle")
        box.setToolTip("Samples of one cycle: found when a file is loaded; choose or type another to cut it anew")

        def cut() -> None:
            text = box.currentText().strip()
            size = int(text) if text.isdigit() else source.cycle
            if SHORTEST_CYCLE <= size <= LONGEST_CYCLE and size != source.cycle:
                self._change(f"cut cycles of {size}", cycle=size)

        box.activated.connect(lambda _: cut())
        line = box.lineEdit()
        assert line is not None
        line.setAccessibleName("Length of a cycle")
        line.setToolTip(box.toolTip())
        line.returnPressed.connect(cut)
        return box

    def _ready(self, near: QWidget) -> None:
        menu = QMenu(self)
        for name, curve in READY.items():
            menu.addAction(name, lambda c=curve, n=name: self._change(f"travel: {n.lower()}", curve=c, scan="travel"))
        menu.exec(near.mapToGlobal(near.rect().bottomLeft()))

    def _ways(self, row: QHBoxLayout, kind: str) -> None:
        """To what can be played here, and to the bench."""
        session, layer = self.session, self.layer
        tip = "Recordings and tables at hand, heard by a click: Ctrl+O"
        row.addWidget(Pill("Drawer", "small", lambda: session.channel.tell(DrawerAsked(layer, kind)), tip))
        row.addWidget(
            Pill("Bench", "small", lambda: session.channel.tell(BenchAsked(layer)), "Works on it in the Workshop")
        )

    def _loader(self, says: str) -> Pill:
        pill = Pill("Load…", "small", None, says)
        pill.clicked.connect(lambda: self.offer(pill))
        return pill

    def offer(self, near: QWidget) -> QMenu:
        """Opens the list of what can be loaded, under a widget."""
        menu = load_menu(self, self.session, self.layer, self.importing)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(near.mapToGlobal(near.rect().bottomLeft()))
        return menu

    def _find(self) -> None:
        path = QFileDialog.getExistingDirectory(self, "Look for the recording in a folder")
        if path:
            self.importing.find(Path(path))

    def _save(self) -> None:
        source = self.session.patch.layers[self.layer].source
        path, _ = QFileDialog.getSaveFileName(self, "Save the table", f"{source.gist()}.wav", "WAV files (*.wav)")
        if path:
            self.save_table(Path(path))

    def save_table(self, path: Path) -> None:
        """Writes the table as it was loaded, 32-bit float."""
        source = self.session.patch.layers[self.layer].source
        asset = getattr(source, "asset", None)
        sound = assets.load(asset)
        if asset is None or not isinstance(source, Table) or sound is None:
            self.session.say("There is no table to save.", problem=True)
            return
        try:
            whole = sound.shape[1] % source.cycle == 0
            table = table_wav(sound[0].reshape(-1, source.cycle)) if whole else wav_bytes(sound, round(asset.rate))
            write_whole(path, table)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        self.session.say(f"Saved {path.name}.")

    def _clear(self) -> None:
        self._change("go on without the recording", asset=None)
