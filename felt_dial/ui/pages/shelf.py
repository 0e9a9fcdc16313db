"""The Shelf: banks as spines, presets with swatches, search, details."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import (
    QAbstractListModel,
    QMimeData,
    QModelIndex,
    QPersistentModelIndex,
    QRect,
    QRectF,
    QSize,
    Qt,
    Signal,
)  # fmt: skip
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QMenu,
    QPlainTextEdit,
    QProgressBar,
    QScrollArea,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from felt_dial.bank.library import Bank, Preset
from felt_dial.bank.measure import sound_key
from felt_dial.bank.package import export_bank, import_bank
from felt_dial.errors import FeltDialError
from felt_dial.patch.patch import KINDS, Patch
from felt_dial.patch.units import THIN, number
from felt_dial.ui.cloth import SewnLine, Wool, colour, dye, naming, reading
from felt_dial.ui.dials.controls import NameEdit, Pill, text_label
from felt_dial.ui.dials.entry import Entry
from felt_dial.ui.dials.tag import tag_text
from felt_dial.ui.inspector import Card, clear
from felt_dial.ui.pages.threads import SearchBar
from felt_dial.ui.pictures.swatch import SHADES, Swatch, paint_swatch
from felt_dial.ui.session import Session

Index = QModelIndex | QPersistentModelIndex
PRESET_ROLE = Qt.ItemDataRole.UserRole
PRESET_MIME = "application/x-felt-dial-preset"
ROW = 44
SPINE_DYES = ("madder", "woad", "weld", "walnut", "lichen", "mallow")


def shade_of(place: int) -> str:
    """The dye of the swatch at a place of the list."""
    return SHADES[place % len(SHADES)]


def loudness_text(lufs: float) -> str:
    """Loudness as it is listed."""
    return f"{number(lufs, 1)}{THIN}LUFS" if lufs > -100 else "silent"


class PresetList(QAbstractListModel):
    """The presets that are shown now."""

    moved = Signal(str, int)

    def __init__(self) -> None:
        super().__init__()
        self.presets: list[tuple[int, Preset]] = []
        self.ordered = True

    def show(self, presets: list[tuple[int, Preset]], ordered: bool) -> None:
        """Shows other presets, each with its place in its bank."""
        self.beginResetModel()
        self.presets, self.ordered = presets, ordered
        self.endResetModel()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.presets)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        place, preset = self.presets[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return preset.name
        if role == PRESET_ROLE:
            return place, preset
        if role == Qt.ItemDataRole.ToolTipRole and preset.problem:
            return preset.problem
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        base = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsDropEnabled
        return base | Qt.ItemFlag.ItemIsDragEnabled if index.isValid() and self.ordered else base

    def mimeTypes(self) -> list[str]:
        return [PRESET_MIME]

    def mimeData(self, indexes: list[QModelIndex]) -> QMimeData:  # type: ignore[override]
        data = QMimeData()
        preset = self.presets[indexes[0].row()][1]
        data.setData(PRESET_MIME, f"{preset.bank}/{preset.id}".encode())
        return data

    def supportedDropActions(self) -> Qt.DropAction:
        return Qt.DropAction.MoveAction

    def dropMimeData(self, data: QMimeData, action: Qt.DropAction, row: int, column: int, parent: Index) -> bool:
        if not data.hasFormat(PRESET_MIME):
            return False
        to = parent.row() if parent.isValid() else row if row >= 0 else len(self.presets)
        self.moved.emit(bytes(data.data(PRESET_MIME).data()).decode().split("/")[1], to)
        return False


class PresetPainter(QStyledItemDelegate):
    """Paints a preset as a row: number, swatch, name, kind, character, loudness, peak, star."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(400, ROW)

    @staticmethod
    def columns(width: int) -> dict[str, tuple[int, int]]:
        """Left edge and width of each column for a row that wide."""
        right = width - 16
        found = {"star": (right - 22, 22), "peak": (right - 98, 70), "loudness": (right - 182, 82)}
        found |= {"no": (14, 30), "swatch": (48, 112), "name": (172, 176), "kind": (354, 62)}
        found["character"] = (418, max(right - 186 - 418, 0))
        return found

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        place, preset = index.data(PRESET_ROLE)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        row = QRect(option.rect).adjusted(1, 2, -1, -2)  # type: ignore[attr-defined]
        view = option.widget  # type: ignore[attr-defined]
        chosen = isinstance(view, QListView) and view.currentIndex() == index
        on_table = (self.session.work.bank, self.session.work.preset) == (preset.bank, preset.id)
        painter.setPen(QPen(dye("madder") if chosen else colour("edge"), 1.8 if chosen else 1))
        painter.setBrush(colour("raised" if chosen else "cloth"))
        painter.drawRoundedRect(QRectF(row).adjusted(0.5, 0.5, -0.5, -0.5), 7, 7)
        spots = {
            k: QRect(row.left() + x, row.top(), w, row.height()) for k, (x, w) in self.columns(row.width()).items()
        }
        middle = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        painter.setFont(reading(13))
        painter.setPen(colour("soft"))
        painter.drawText(spots["no"], middle, f"{place + 1:02d}")
        if on_table:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(dye("madder"))
            painter.drawRoundedRect(QRectF(row.left() + 3, row.top() + 8, 4, row.height() - 16), 2, 2)
        swatch = QRectF(spots["swatch"]).adjusted(0, 4, 0, -4)
        measured = self.session.measurement(preset.patch) if preset.patch else None
        if preset.patch:
            paint_swatch(painter, swatch, measured, shade_of(place))
        painter.setFont(naming(18))
        painter.setPen(colour("ink"))
        name = painter.fontMetrics().elidedText(preset.name, Qt.TextElideMode.ElideRight, spots["name"].width())
        painter.drawText(spots["name"], middle, name)
        painter.setFont(reading(13))
        if preset.patch is None:
            painter.setPen(colour("problem"))
            wide = spots["kind"].united(spots["peak"])
            painter.drawText(
                wide,
                middle,
                painter.fontMetrics().elidedText(preset.problem, Qt.TextElideMode.ElideRight, wide.width()),
            )
            painter.restore()
            return
        painter.drawText(spots["kind"], middle, preset.patch.type)
        painter.setPen(colour("soft"))
        words = ", ".join(preset.patch.character)
        painter.drawText(
            spots["character"],
            middle,
            painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, spots["character"].width()),
        )
        painter.setFont(reading(13, 600))
        if measured:
            painter.setPen(colour("problem") if abs(measured.lufs + 18) > 1 else colour("ink"))
            painter.drawText(spots["loudness"], middle, loudness_text(measured.lufs))
            painter.setPen(colour("problem") if measured.peak > -0.1 else colour("ink"))
            peak = f"{number(measured.peak, 1)}{THIN}dB" if measured.peak > -200 else "−∞"
            painter.drawText(spots["peak"], middle, peak)
        painter.setFont(reading(15))
        star = preset.patch.favourite
        painter.setPen(dye("weld") if star else colour("faint"))
        painter.drawText(spots["star"], Qt.AlignmentFlag.AlignCenter, "★" if star else "☆")
        painter.restore()


class Spine(QWidget):
    """One bank."""

    clicked = Signal()

    def __init__(self, session: Session, bank: Bank, place: int, chosen: bool) -> None:
        super().__init__()
        self.session, self.bank, self.chosen = session, bank, chosen
        self.shade = SPINE_DYES[place % len(SPINE_DYES)]
        self.setFixedHeight(58)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAcceptDrops(True)
        try:
            self.name, self.count, self.problem = bank.name, len(bank.ids()), ""
        except FeltDialError as wrong:
            self.name, self.count, self.problem = bank.id, 0, str(wrong)
        self.setAccessibleName(f"Bank {self.name}")
        self.setToolTip(self.problem or f"{self.name}: drop a preset here to move it into this bank")

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(dye(self.shade) if self.chosen else colour("edge"), 1.8 if self.chosen else 1))
        painter.setBrush(colour("raised" if self.chosen else "cloth"))
        box = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        painter.drawRoundedRect(box, 8, 8)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(dye(self.shade))
        painter.drawRoundedRect(QRectF(1, 1, 12, box.height()), 6, 6)
        pen = QPen(colour("felt_light"), 1.4)
        pen.setDashPattern([3, 3])
        painter.setPen(pen)
        painter.drawLine(7, 8, 7, self.height() - 8)
        painter.setFont(naming(16))
        painter.setPen(colour("ink"))
        name = painter.fontMetrics().elidedText(self.name, Qt.TextElideMode.ElideRight, self.width() - 34)
        painter.drawText(QRectF(24, 7, self.width() - 30, 24), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setFont(reading(12))
        painter.setPen(colour("problem" if self.problem else "soft"))
        painter.drawText(
            QRectF(24, 31, self.width() - 30, 18),
            Qt.AlignmentFlag.AlignVCenter,
            "cannot be read" if self.problem else f"{self.count} preset{'' if self.count == 1 else 's'}",
        )
        if self.hasFocus():
            pen = QPen(dye("madder"), 1.2)
            pen.setDashPattern([3, 2.4])
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box.adjusted(16, 3, -3, -3), 6, 6)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.clicked.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.clicked.emit()
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event: object) -> None:
        if event.mimeData().hasFormat(PRESET_MIME):  # type: ignore[attr-defined]
            event.acceptProposedAction()  # type: ignore[attr-defined]

    def dropEvent(self, event: object) -> None:
        home, preset = bytes(event.mimeData().data(PRESET_MIME).data()).decode().split("/")  # type: ignore[attr-defined]
        event.acceptProposedAction()  # type: ignore[attr-defined]
        if home != self.bank.id:
            move_preset(self.session, home, preset, self.bank.id)


def move_preset(session: Session, home: str, preset: str, to: str) -> None:
    """Moves a preset to another bank, as one step."""
    library = session.library
    place = library.bank(home).ids().index(preset)
    now = [preset]

    def forth() -> None:
        now[0] = library.move(home, preset, to)

    def back() -> None:
        library.move(to, now[0], home)
        order = [k for k in library.bank(home).ids() if k != preset]
        library.bank(home).reorder([*order[:place], preset, *order[place:]])

    session.shelf_step(f"move {preset} to {library.bank(to).name}", forth, back)


class Details(Card):
    """All about one preset."""

    def __init__(self, page: ShelfPage) -> None:
        super().__init__("madder")
        self.page, self.session = page, page.session
        self.preset: Preset | None = None
        self.setFixedWidth(292)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 12, 14, 10)
        outer.setSpacing(5)
        self.name = NameEdit("", "title", self._rename)
        self.name.setTextMargins(-6, 0, 0, 0)
        self.name.setAccessibleName("Name of the preset")
        self.where = text_label("", "label")
        self.swatch = Swatch()
        self.play = Pill("Preview", "play", self._preview, "Open it and play the phrase of its kind")
        self.kind = QComboBox()
        self.kind.addItems(["", *KINDS])
        self.kind.setAccessibleName("Kind")
        self.kind.activated.connect(lambda: self._keep({"type": self.kind.currentText()}, "kind"))
        self.character = QLineEdit()
        self.character.setAccessibleName("Character")
        self.character.setPlaceholderText("words, such as warm slow reedy")
        self.character.editingFinished.connect(
            lambda: self._keep({"character": tuple(self.character.text().replace(",", " ").split())}, "character")
        )
        self.description = QPlainTextEdit()
        self.description.setFixedHeight(62)
        self.description.setTabChangesFocus(True)
        self.description.setAccessibleName("Description")
        self.description.setPlaceholderText("What a musician should know of it")
        self.description.focusOutEvent = self._described  # type: ignore[method-assign,assignment]
        outer.addWidget(self.name)
        outer.addWidget(self.where)
        outer.addWidget(self.swatch)
        row = QHBoxLayout()
        row.addWidget(text_label("20 Hz – 20 kHz, 4 s", "small"))
        row.addStretch()
        row.addWidget(self.play)
        outer.addLayout(row)
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        grid.addWidget(text_label("Kind"), 0, 0)
        grid.addWidget(self.kind, 0, 1)
        grid.addWidget(text_label("Character"), 1, 0)
        grid.addWidget(self.character, 1, 1)
        outer.addLayout(grid)
        outer.addWidget(text_label("Description"))
        outer.addWidget(self.description)
        self.macros = text_label("", "label")
        self.macros.setWordWrap(True)
        outer.addWidget(self.macros)
        outer.addWidget(SewnLine())
        self.notes = text_label("", "small")
        self.notes.setWordWrap(True)
        outer.addWidget(self.notes)
        outer.addStretch()
        buttons = QGridLayout()
        buttons.setSpacing(6)
        self.actions = {
            "Open": (page.open_chosen, "Put it on the table: Enter"),
            "Duplicate": (page.duplicate, "A copy behind it: Ctrl+D"),
            "Move…": (page.ask_move, "Into another bank"),
            "Delete": (page.delete, "Into the bin: Delete. Undo brings it back."),
        }
        for n, (text, (act, tip)) in enumerate(self.actions.items()):
            buttons.addWidget(Pill(text, "pill", act, tip), n // 2, n % 2)
        outer.addLayout(buttons)
        self.empty = QLabel("A preset that you choose is shown here.", self)
        self.empty.setProperty("part", "label")
        self.empty.hide()

    def show_preset(self, place: int, preset: Preset | None, bank: str) -> None:
        """Another preset, or none."""
        self.preset = preset
        patch = preset.patch if preset else None
        for child in self.findChildren(QWidget):
            child.setEnabled(patch is not None or child is self.empty)
        if preset is None or patch is None:
            self.name.setText(preset.name if preset else "No preset")
            self.where.setText("Its file cannot be read" if preset else "Choose one from the list")
            self.swatch.show_measured(None, "weld")
            self.notes.setText(preset.problem if preset else "")
            self.description.clear()
            self.character.clear()
            self.macros.setText("")
            return
        self.name.setText(patch.name)
        self.name.setCursorPosition(0)
        self.where.setText(f"{place + 1:02d} in {bank}")
        self.swatch.show_measured(self.session.measurement(patch), shade_of(place))
        self.kind.setCurrentText(patch.type)
        self.character.setText(", ".join(patch.character))
        if not self.description.hasFocus():
            self.description.setPlainText(patch.description)
        named = [f"{tag_text(k)} {m.name}" for k, m in patch.macros.items() if m.name]
        self.macros.setText("Macros: " + (" · ".join(named) if named else "none named"))
        measured = self.session.measurement(patch)
        loud = (
            f"{loudness_text(measured.lufs)}, peak {number(measured.peak, 1)}{THIN}dB" if measured else "being measured"
        )
        layers, threads = len(patch.layers), len(patch.threads)
        versions = len(self.session.library.bank(preset.bank).versions(preset.id))
        kept = f" · {versions} earlier version{'' if versions == 1 else 's'} kept" if versions else ""
        self.notes.setText(
            f"{loud}\n{layers} layer{'' if layers == 1 else 's'}, {threads} thread{'' if threads == 1 else 's'}"
            f"{', by ' + patch.author if patch.author else ''}{kept}"
        )

    def _rename(self, name: str) -> None:
        if name.strip():
            self._keep({"name": name.strip()}, "name")

    def _described(self, event: object) -> None:
        QPlainTextEdit.focusOutEvent(self.description, event)  # type: ignore[arg-type]
        self._keep({"description": self.description.toPlainText().strip()}, "description")

    def _preview(self) -> None:
        self.page.open_chosen()
        self.session.play(True)

    def _keep(self, change: dict[str, object], what: str) -> None:
        if self.preset is None or self.preset.patch is None:
            return
        if all(getattr(self.preset.patch, key) == value for key, value in change.items()):
            return
        self.page.change_preset(self.preset, change, what)


class ShelfPage(Wool):
    """Banks, presets, details."""

    opened = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.kind = ""
        self.presets: list[Preset] = []
        outer = QHBoxLayout(self)
        outer.setContentsMargins(12, 10, 12, 10)
        outer.setSpacing(12)
        left = QVBoxLayout()
        left.setSpacing(6)
        left.addWidget(text_label("Banks"))
        self.spines = QVBoxLayout()
        self.spines.setSpacing(6)
        left.addLayout(self.spines)
        self.new_bank = Pill("+ New bank", "add", self.ask_bank, "Make a new, empty bank")
        self.new_bank.setFixedHeight(36)
        left.addWidget(self.new_bank)
        more = QHBoxLayout()
        more.addWidget(Pill("Import…", "link", self.ask_import, "Take in a bank file (.feltbank)"))
        more.addWidget(Pill("Export…", "link", self.ask_export, "Hand over this bank as one file (.feltbank)"))
        more.addStretch()
        more.addWidget(Pill("Bin", "link", self.show_bin, "Deleted presets, to be restored"))
        left.addLayout(more)
        left.addSpacing(8)
        left.addWidget(text_label("Kind"))
        self.kinds = QGridLayout()
        self.kinds.setSpacing(5)
        left.addLayout(self.kinds)
        left.addStretch()
        holder = QWidget()
        holder.setFixedWidth(206)
        holder.setLayout(left)
        left.setContentsMargins(0, 0, 0, 0)
        column = QScrollArea()
        column.setWidgetResizable(True)
        column.setWidget(holder)
        column.setFixedWidth(210)
        column.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        column.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        outer.addWidget(column)
        centre = QVBoxLayout()
        centre.setSpacing(4)
        self.search = QLineEdit()
        self.search.setProperty("part", "search")
        self.search.setPlaceholderText("Search all banks by name, kind, character or description")
        self.search.setAccessibleName("Search presets")
        self.search.textChanged.connect(lambda _: self.list_presets())
        self.search.returnPressed.connect(lambda: self.view.setFocus())
        bar = SearchBar(self.search)
        self.count = text_label("")
        bar.layout_.addWidget(self.count)
        centre.addWidget(bar)
        self.head = ListHead()
        centre.addWidget(self.head)
        self.model = PresetList()
        self.model.moved.connect(self._dropped)
        self.view = QListView()
        self.view.setModel(self.model)
        self.view.setItemDelegate(PresetPainter(session))
        self.view.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.view.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.view.setDragDropMode(QAbstractItemView.DragDropMode.DragDrop)
        self.view.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.view.setAccessibleName("Presets")
        self.view.setMouseTracking(False)
        self.view.clicked.connect(self._clicked)
        self.view.doubleClicked.connect(lambda _: self.opened.emit())
        self.view.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.view.customContextMenuRequested.connect(self._menu)
        self.view.keyPressEvent = self._list_key  # type: ignore[method-assign]
        self.empty = text_label("")
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty.setWordWrap(True)
        centre.addWidget(self.view, 1)
        centre.addWidget(self.empty, 1)
        work = QHBoxLayout()
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setAccessibleName("Measuring")
        self.measuring = text_label("", "small")
        self.cancel = Pill("Cancel", "link", self._cancel, "Stop measuring; it goes on when the list is opened again")
        for widget in (self.measuring, self.progress, self.cancel):
            work.addWidget(widget)
        self.work = QWidget()
        self.work.setLayout(work)
        work.setContentsMargins(4, 0, 4, 0)
        centre.addWidget(self.work)
        outer.addLayout(centre, 1)
        self.details = Details(self)
        outer.addWidget(self.details)
        self.view.selectionModel().currentChanged.connect(lambda *_: self._show_chosen())
        session.shelf_changed.connect(self.refresh)
        session.measured.connect(self._measured)
        session.frame.connect(self._frame)
        session.rebuilt.connect(self.view.viewport().update)
        self.refresh()

    # --- what is shown -------------------------------------------------------------------------

    def refresh(self) -> None:
        """Reads the library and lays out the page."""
        banks = self.session.library.banks()
        ids = [bank.id for bank in banks]
        if self.session.shelf_bank not in ids:
            wanted = self.session.work.bank
            self.session.shelf_bank = wanted if wanted in ids else ids[0] if ids else ""
        clear(self.spines)
        for place, bank in enumerate(banks):
            spine = Spine(self.session, bank, place, bank.id == self.session.shelf_bank)
            spine.clicked.connect(lambda b=bank.id: self.choose_bank(b))
            self.spines.addWidget(spine)
        self.presets = list(self.session.library.presets())
        self._list_kinds()
        self.list_presets()

    def choose_bank(self, bank: str) -> None:
        """Takes another bank from the shelf."""
        self.session.shelf_bank = bank
        self.search.clear()
        self.kind = ""
        self.refresh()

    def _list_kinds(self) -> None:
        clear(self.kinds)
        counts: dict[str, int] = {}
        for preset in self._in_scope():
            if preset.patch and preset.patch.type:
                counts[preset.patch.type] = counts.get(preset.patch.type, 0) + 1
        for n, (kind, count) in enumerate(sorted(counts.items())):
            pill = Pill(f"{kind}  {count}", "kind", lambda k=kind: self._choose_kind(k), f"Show {kind} only")
            pill.setCheckable(True)
            pill.setChecked(kind == self.kind)
            self.kinds.addWidget(pill, n // 2, n % 2)

    def _choose_kind(self, kind: str) -> None:
        self.kind = "" if kind == self.kind else kind
        self._list_kinds()
        self.list_presets()

    def _in_scope(self) -> list[Preset]:
        if self.search.text().strip():
            return self.presets
        return [preset for preset in self.presets if preset.bank == self.session.shelf_bank]

    def list_presets(self) -> None:
        """Lists what the bank, the kind and the search leave."""
        chosen = self.chosen()
        words = self.search.text().strip()
        places: dict[str, int] = {}
        numbered = []
        for preset in self.presets:
            places[preset.bank] = places.get(preset.bank, -1) + 1
            numbered.append((places[preset.bank], preset))
        if words:
            found = {pair: n for n, pair in enumerate(self.session.index.search(words))}
            listed = [item for item in numbered if (item[1].bank, item[1].id) in found]
            listed.sort(key=lambda item: found[item[1].bank, item[1].id])
        else:
            listed = [item for item in numbered if item[1].bank == self.session.shelf_bank]
        if self.kind:
            listed = [item for item in listed if item[1].patch and item[1].patch.type == self.kind]
        self.model.show(listed, ordered=not words and not self.kind)
        count = len(listed)
        order = "best first" if words else "in order"
        self.count.setText(f"{count} preset{'' if count == 1 else 's'} · {order}")
        self.empty.setVisible(not listed)
        self.view.setVisible(bool(listed))
        self.empty.setText(
            "No preset has all these words." if words else
            "This bank is empty: a sound that you save with Ctrl+Shift+S comes to stand here."
        )  # fmt: skip
        wanted = chosen or (self.session.work.bank, self.session.work.preset)
        rows = [n for n, (_, p) in enumerate(listed) if (p.bank, p.id) == wanted]
        if listed:
            self.view.setCurrentIndex(self.model.index(rows[0] if rows else 0))
        self._show_chosen()

    def chosen(self) -> tuple[str, str] | None:
        """Bank and id of the chosen preset."""
        row = self.view.currentIndex().row()
        if 0 <= row < len(self.model.presets):
            preset = self.model.presets[row][1]
            return preset.bank, preset.id
        return None

    def _show_chosen(self) -> None:
        row = self.view.currentIndex().row()
        if not 0 <= row < len(self.model.presets):
            self.details.show_preset(0, None, "")
            return
        place, preset = self.model.presets[row]
        name = next((bank.name for bank in self.session.library.banks() if bank.id == preset.bank), preset.bank)
        self.details.show_preset(place, preset, name)

    def _measured(self, key: str) -> None:
        self.view.viewport().update()
        preset = self.details.preset
        if preset and preset.patch and sound_key(preset.patch) == key:
            self._show_chosen()

    def _frame(self) -> None:
        left, total = self.session.measuring.left, self.session.measuring.total
        self.work.setVisible(left > 0)
        if left:
            self.progress.setMaximum(max(total, 1))
            self.progress.setValue(total - left)
            self.measuring.setText(f"Measuring {total - left + 1} of {total}")

    def _cancel(self) -> None:
        self.session.measuring.cancel()

    # --- what is done --------------------------------------------------------------------------

    def open_chosen(self) -> None:
        """Puts the chosen preset on the table."""
        if chosen := self.chosen():
            self.session.open(*chosen)
            self.view.viewport().update()

    def _clicked(self, index: QModelIndex) -> None:
        place = self.view.visualRect(index)
        star = PresetPainter.columns(place.width() - 2)["star"][0]
        x = self.view.viewport().mapFromGlobal(self.cursor().pos()).x()
        if x >= star - 4 and self.details.preset and self.details.preset.patch:
            patch = self.details.preset.patch
            self.change_preset(self.details.preset, {"favourite": not patch.favourite}, "star")
        else:
            self.open_chosen()

    def change_preset(self, preset: Preset, change: dict[str, object], what: str) -> None:
        """Changes something about a preset that is not its sound, as one step."""
        assert preset.patch is not None
        bank = self.session.library.bank(preset.bank)
        before: Patch = preset.patch
        after = before.model_copy(update=change)

        def put(patch: Patch) -> None:
            bank.save(preset.id, patch)
            work = self.session.work
            if (work.bank, work.preset) == (preset.bank, preset.id) and work.saved is not None:
                about = {key: getattr(patch, key) for key in change}
                self.session.work = type(work)(
                    work.a.model_copy(update=about), work.b.model_copy(update=about), work.side,
                    work.saved.model_copy(update=about), work.bank, work.preset,
                )  # fmt: skip
                self.session.changed.emit()

        says = f"rename {before.name} to {after.name}" if what == "name" else f"change the {what} of {before.name}"
        self.session.shelf_step(says, lambda: put(after), lambda: put(before))

    def duplicate(self) -> None:
        """A copy behind the chosen preset."""
        if not (chosen := self.chosen()):
            return
        library = self.session.library
        made = [""]

        def forth() -> None:
            bank = library.bank(chosen[0])
            patch = bank.load(chosen[1])
            made[0] = bank.save_new(patch.model_copy(update={"name": f"{patch.name} copy"}), after=chosen[1])

        def back() -> None:
            library.delete(chosen[0], made[0])

        self.session.shelf_step(f"duplicate {chosen[1]}", forth, back)

    def delete(self) -> None:
        """Puts the chosen preset into the bin."""
        if not (chosen := self.chosen()):
            return
        library = self.session.library
        ticket = [""]

        def forth() -> None:
            ticket[0] = library.delete(*chosen)

        def back() -> None:
            library.restore(ticket[0])

        self.session.shelf_step(f"delete {chosen[1]}", forth, back)

    def reorder(self, preset: str, to: int) -> None:
        """Moves a preset to another place of its bank."""
        bank = self.session.library.bank(self.session.shelf_bank)
        before = bank.ids()
        to = min(max(to, 0), len(before))
        if preset not in before:
            return
        at = before.index(preset)
        after = [key for key in before if key != preset]
        after.insert(to - 1 if to > at else to, preset)
        if after != before:
            self.session.shelf_step(
                f"move {preset} to place {after.index(preset) + 1}",
                lambda: bank.reorder(after),
                lambda: bank.reorder(before),
            )

    def _dropped(self, preset: str, to: int) -> None:
        self.reorder(preset, to)

    def ask_move(self) -> None:
        """Offers the other banks."""
        if not (chosen := self.chosen()):
            return
        menu = QMenu(self)
        for bank in self.session.library.banks():
            if bank.id != chosen[0]:
                menu.addAction(bank.name, lambda b=bank.id: move_preset(self.session, *chosen, b))
        menu.exec(self.details.mapToGlobal(self.details.rect().center()))

    def ask_bank(self) -> Entry:
        """Opens the entry for the name of a new bank."""

        def take(text: str) -> None:
            self.make_bank(text.strip() or "New bank")

        return Entry(self.new_bank, QRect(0, 4, self.new_bank.width(), 28), "", take, "Name of the new bank")

    def make_bank(self, name: str) -> None:
        """Makes a bank and shows it."""
        library = self.session.library
        made: list[Bank] = []

        def forth() -> None:
            made[:] = [library.create(name)]

        def back() -> None:
            if not made[0].ids():
                (made[0].folder / "bank.json").unlink()

        if self.session.shelf_step(f"make the bank {name}", forth, back):
            self.choose_bank(made[0].id)

    def ask_import(self) -> None:
        """Asks for a bank file."""
        path, _ = QFileDialog.getOpenFileName(self, "Take in a bank", "", "Banks (*.feltbank)")
        if path:
            self.import_file(Path(path))

    def import_file(self, path: Path) -> None:
        """Takes in a bank file, all of it or nothing."""
        try:
            bank = import_bank(self.session.library, path)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        self.session.refresh_shelf()
        self.choose_bank(bank.id)
        self.session.say(f"Took in {bank.name}.")

    def ask_export(self) -> None:
        """Asks where to put the bank file."""
        bank = self.session.shelf_bank
        path, _ = QFileDialog.getSaveFileName(self, "Hand over a bank", f"{bank}.feltbank", "Banks (*.feltbank)")
        if path:
            self.export_file(Path(path))

    def export_file(self, path: Path) -> None:
        """Writes the shown bank as one file."""
        try:
            count = export_bank(self.session.library.bank(self.session.shelf_bank), path)
        except (FeltDialError, OSError) as wrong:
            self.session.say(str(wrong), problem=True)
            return
        self.session.say(f"Wrote {count} presets to {path.name}.")

    def show_bin(self) -> None:
        """Offers what was deleted."""
        menu = QMenu(self)
        for ticket, about, patch in self.session.library.bin()[:30]:
            name = patch.name if patch else about["preset"]
            menu.addAction(f"Restore {name}", lambda t=ticket: self._restore(t))
        if menu.isEmpty():
            menu.addAction("The bin is empty").setEnabled(False)
        menu.exec(self.mapToGlobal(self.rect().center()))

    def _restore(self, ticket: str) -> None:
        place: list[tuple[str, str]] = []
        library = self.session.library
        now = [ticket]

        def forth() -> None:
            place[:] = [library.restore(now[0])]

        def back() -> None:
            now[0] = library.delete(*place[0])

        self.session.shelf_step("restore a preset from the bin", forth, back)

    def _menu(self, at: object) -> None:
        menu = QMenu(self)
        for text, (act, tip) in self.details.actions.items():
            menu.addAction(f"{text}", act).setToolTip(tip)
        menu.exec(self.view.viewport().mapToGlobal(at))  # type: ignore[arg-type]

    def _list_key(self, event: QKeyEvent) -> None:
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        row = self.view.currentIndex().row()
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.open_chosen()
        elif event.key() == Qt.Key.Key_Delete:
            self.delete()
        elif alt and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.model.ordered and self.chosen():
            self.reorder(self.chosen()[1], row - 1 if event.key() == Qt.Key.Key_Up else row + 2)  # type: ignore[index]
        elif event.text() and not event.modifiers() and event.key() != Qt.Key.Key_Escape:
            event.ignore()
        else:
            QListView.keyPressEvent(self.view, event)


class ListHead(QWidget):
    """The names of the columns."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(18)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setFont(reading(12))
        painter.setPen(colour("soft"))
        names = {
            "no": "No.",
            "swatch": "Swatch",
            "name": "Name",
            "kind": "Kind",
            "character": "Character",
            "loudness": "Loudness",
            "peak": "Peak",
            "star": "★",
        }
        for key, (x, width) in PresetPainter.columns(self.width() - 2).items():
            way = Qt.AlignmentFlag.AlignCenter if key == "star" else Qt.AlignmentFlag.AlignLeft
            painter.drawText(QRect(x + 1, 0, width, 18), way, names[key])
