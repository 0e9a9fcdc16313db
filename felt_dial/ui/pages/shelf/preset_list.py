"""The list of presets: its rows, its columns, and how they are dragged."""

from __future__ import annotations

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
)
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QListView, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from felt_dial.bank.finding.catalogue import Listed
from felt_dial.patch.patch import MARKS
from felt_dial.patch.units import THIN, number
from felt_dial.session.session import Session
from felt_dial.ui.pages.shelf.marks import draw_mark
from felt_dial.ui.pictures.swatch import paint_swatch
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.fonts import body_font, name_font
from felt_dial.ui.theme.words import plain

Index = QModelIndex | QPersistentModelIndex
PRESET_ROLE = Qt.ItemDataRole.UserRole
PRESET_MIME = "application/x-felt-dial-preset"
ROW = 44


def shade_of(place: int) -> str:
    """The dye of the swatch at a place of the list."""
    return MARKS[place % len(MARKS)]


def loudness_text(lufs: float) -> str:
    """Loudness as it is listed."""
    return f"{number(lufs, 1)}{THIN}LUFS" if lufs > -100 else "silent"


def dragged(data: QMimeData) -> list[tuple[str, str]]:
    """Bank and id of each preset that a drag carries."""
    pairs = [line.partition("/") for line in bytes(data.data(PRESET_MIME).data()).decode().splitlines()]
    return [(bank, preset) for bank, _, preset in pairs]


class PresetList(QAbstractListModel):
    """The presets that are shown now."""

    moved = Signal(list, int)

    def __init__(self) -> None:
        super().__init__()
        self.presets: list[Listed] = []
        self.ordered = True
        self.why: dict[str, str] = {}
        """How a sound is like another, by its key, where such are listed."""
        self.banks: dict[str, str] = {}

    def show(
        self,
        presets: list[Listed],
        ordered: bool,
        why: dict[str, str] | None = None,
        banks: dict[str, str] | None = None,
    ) -> None:
        """Shows other presets; where they are not `ordered`, they cannot be put in order by hand. `banks` are the names of
        banks, where presets of several are listed."""
        self.beginResetModel()
        self.presets, self.ordered, self.why, self.banks = presets, ordered, why or {}, banks or {}
        self.endResetModel()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.presets)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        preset = self.presets[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return preset.name
        if role == PRESET_ROLE:
            return preset
        if role == Qt.ItemDataRole.ToolTipRole and preset.problem:
            return plain(preset.problem)
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        base = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsDropEnabled
        return base | Qt.ItemFlag.ItemIsDragEnabled if index.isValid() else base

    def mimeTypes(self) -> list[str]:
        return [PRESET_MIME]

    def mimeData(self, indexes: list[QModelIndex]) -> QMimeData:  # type: ignore[override]
        data = QMimeData()
        rows = [self.presets[row] for row in sorted({index.row() for index in indexes})]
        data.setData(PRESET_MIME, "\n".join(f"{row.bank}/{row.id}" for row in rows).encode())
        return data

    def supportedDropActions(self) -> Qt.DropAction:
        return Qt.DropAction.MoveAction

    def dropMimeData(self, data: QMimeData, action: Qt.DropAction, row: int, column: int, parent: Index) -> bool:
        if not data.hasFormat(PRESET_MIME) or not self.ordered:
            return False
        to = parent.row() if parent.isValid() else row if row >= 0 else len(self.presets)
        self.moved.emit(dragged(data), to)
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
        preset: Listed = index.data(PRESET_ROLE)
        place = preset.place
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        row = QRect(option.rect).adjusted(1, 2, -1, -2)
        view = option.widget
        chosen = isinstance(view, QListView) and view.selectionModel().isSelected(index)
        on_table = (self.session.editor.work.bank, self.session.editor.work.preset) == (preset.bank, preset.id)
        painter.setPen(QPen(dye("madder") if chosen else colour("edge"), 1.8 if chosen else 1))
        painter.setBrush(colour("raised" if chosen else "cloth"))
        painter.drawRoundedRect(QRectF(row).adjusted(0.5, 0.5, -0.5, -0.5), 7, 7)
        spots = {
            k: QRect(row.left() + x, row.top(), w, row.height()) for k, (x, w) in self.columns(row.width()).items()
        }
        middle = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        painter.setFont(body_font(13))
        painter.setPen(colour("soft"))
        painter.drawText(spots["no"].adjusted(0, 0, 0, -12 if preset.mark else 0), middle, f"{place + 1:02d}")
        if preset.mark:
            draw_mark(painter, QRectF(spots["no"]).adjusted(-6, 24, -6, -2), preset.mark)
        if on_table:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(dye("madder"))
            painter.drawRoundedRect(QRectF(row.left() + 3, row.top() + 8, 4, row.height() - 16), 2, 2)
        swatch = QRectF(spots["swatch"]).adjusted(0, 4, 0, -4)
        measured = self.session.shelf.figures.of_row(preset)
        if not preset.problem:
            picture = measured.swatch if measured else None
            paint_swatch(painter, swatch, picture, shade_of(place), self.session.shelf.figures.why_not(preset))
        painter.setFont(name_font(18))
        painter.setPen(colour("ink"))
        name = painter.fontMetrics().elidedText(preset.name, Qt.TextElideMode.ElideRight, spots["name"].width())
        model = index.model()
        bank = model.banks.get(preset.bank, "") if isinstance(model, PresetList) else ""
        painter.drawText(spots["name"].adjusted(0, 0, 0, -14 if bank else 0), middle, name)
        if bank:
            painter.setFont(body_font(11))
            painter.setPen(colour("soft"))
            bank = painter.fontMetrics().elidedText(f"in {bank}", Qt.TextElideMode.ElideRight, spots["name"].width())
            below = Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft
            painter.drawText(spots["name"].adjusted(0, 0, 0, -5), below, bank)
            painter.setPen(colour("ink"))
        painter.setFont(body_font(13))
        if preset.problem:
            painter.setPen(colour("problem"))
            wide = spots["kind"].united(spots["peak"])
            painter.drawText(
                wide,
                middle,
                painter.fontMetrics().elidedText(preset.problem, Qt.TextElideMode.ElideRight, wide.width()),
            )
            painter.restore()
            return
        painter.drawText(spots["kind"], middle, preset.kind)
        painter.setPen(colour("soft"))
        why = model.why.get(preset.key, "") if isinstance(model, PresetList) else ""
        room = spots["character"].united(spots["peak"]) if why else spots["character"]
        words = painter.fontMetrics().elidedText(why or preset.character, Qt.TextElideMode.ElideRight, room.width())
        painter.drawText(room, middle, words)
        painter.setFont(body_font(13, 600))
        if measured and not why:
            away = abs(measured.lufs - self.session.shelf.wanted_loudness(preset.bank))
            painter.setPen(colour("problem") if away > 1 else colour("ink"))
            painter.drawText(spots["loudness"], middle, loudness_text(measured.lufs))
            painter.setPen(colour("problem") if measured.peak > -0.1 else colour("ink"))
            peak = f"{number(measured.peak, 1)}{THIN}dB" if measured.peak > -200 else "−∞"
            painter.drawText(spots["peak"], middle, peak)
        painter.setFont(body_font(15))
        star = preset.favourite
        painter.setPen(dye("weld") if star else colour("faint"))
        painter.drawText(spots["star"], Qt.AlignmentFlag.AlignCenter, "★" if star else "☆")
        painter.restore()


class ListHead(QWidget):
    """The names of the columns."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(18)
        self.like = False

    def show_like(self, like: bool) -> None:
        """Whether it is listed how sounds are like another."""
        self.like = like
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setFont(body_font(12))
        painter.setPen(colour("soft"))
        names = {
            "no": "No.",
            "swatch": "Swatch",
            "name": "Name",
            "kind": "Kind",
            "character": "How it differs" if self.like else "Character",
            "loudness": "Loudness",
            "peak": "Peak",
            "star": "★",
        }
        for key, (x, width) in PresetPainter.columns(self.width() - 2).items():
            way = Qt.AlignmentFlag.AlignCenter if key == "star" else Qt.AlignmentFlag.AlignLeft
            if not (self.like and key in ("loudness", "peak")):
                painter.drawText(QRect(x + 1, 0, width, 18), way, names[key])
