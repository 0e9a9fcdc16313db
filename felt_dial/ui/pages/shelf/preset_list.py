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

from felt_dial.bank.catalogue import Listed
from felt_dial.patch.units import THIN, number
from felt_dial.ui.pictures.swatch import SHADES, paint_swatch
from felt_dial.ui.session import Session
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.fonts import body_font, name_font
from felt_dial.ui.theme.words import plain

Index = QModelIndex | QPersistentModelIndex
PRESET_ROLE = Qt.ItemDataRole.UserRole
PRESET_MIME = "application/x-felt-dial-preset"
ROW = 44


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
        self.presets: list[Listed] = []
        self.ordered = True

    def show(self, presets: list[Listed], ordered: bool) -> None:
        """Shows other presets."""
        self.beginResetModel()
        self.presets, self.ordered = presets, ordered
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
        return base | Qt.ItemFlag.ItemIsDragEnabled if index.isValid() and self.ordered else base

    def mimeTypes(self) -> list[str]:
        return [PRESET_MIME]

    def mimeData(self, indexes: list[QModelIndex]) -> QMimeData:  # type: ignore[override]
        data = QMimeData()
        preset = self.presets[indexes[0].row()]
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
        preset: Listed = index.data(PRESET_ROLE)
        place = preset.place
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        row = QRect(option.rect).adjusted(1, 2, -1, -2)
        view = option.widget
        chosen = isinstance(view, QListView) and view.selectionModel().isSelected(index)
        on_table = (self.session.work.bank, self.session.work.preset) == (preset.bank, preset.id)
        painter.setPen(QPen(dye("madder") if chosen else colour("edge"), 1.8 if chosen else 1))
        painter.setBrush(colour("raised" if chosen else "cloth"))
        painter.drawRoundedRect(QRectF(row).adjusted(0.5, 0.5, -0.5, -0.5), 7, 7)
        spots = {
            k: QRect(row.left() + x, row.top(), w, row.height()) for k, (x, w) in self.columns(row.width()).items()
        }
        middle = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        painter.setFont(body_font(13))
        painter.setPen(colour("soft"))
        painter.drawText(spots["no"], middle, f"{place + 1:02d}")
        if on_table:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(dye("madder"))
            painter.drawRoundedRect(QRectF(row.left() + 3, row.top() + 8, 4, row.height() - 16), 2, 2)
        swatch = QRectF(spots["swatch"]).adjusted(0, 4, 0, -4)
        measured = self.session.figures.of_row(preset)
        if not preset.problem:
            paint_swatch(painter, swatch, measured, shade_of(place), self.session.figures.why_not(preset))
        painter.setFont(name_font(18))
        painter.setPen(colour("ink"))
        name = painter.fontMetrics().elidedText(preset.name, Qt.TextElideMode.ElideRight, spots["name"].width())
        painter.drawText(spots["name"], middle, name)
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
        words = preset.character
        painter.drawText(
            spots["character"],
            middle,
            painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, spots["character"].width()),
        )
        painter.setFont(body_font(13, 600))
        if measured:
            painter.setPen(colour("problem") if abs(measured.lufs + 18) > 1 else colour("ink"))
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

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setFont(body_font(12))
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
