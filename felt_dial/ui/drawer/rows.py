"""The list of the drawer: a row a piece, with its name, its picture, its length and its root."""

from __future__ import annotations

from collections import OrderedDict
from typing import Any

import numpy as np
from PySide6.QtCore import (
    QAbstractListModel,
    QByteArray,
    QMimeData,
    QModelIndex,
    QPersistentModelIndex,
    QRectF,
    QSize,
    Qt,
    QUrl,
)
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from felt_dial.bank.finding.matter import Matter, MatterQuery, Piece
from felt_dial.patch.units import number
from felt_dial.sound.matter.root import SURE, key_said
from felt_dial.ui.pictures.sources import draw_peaks
from felt_dial.ui.pictures.well import draw_ground
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.fonts import body_font, name_font

Index = QModelIndex | QPersistentModelIndex
TALL, APART = 44, 4
MOST_KEPT = 400


def length_said(seconds: float) -> str:
    """A length, short."""
    return (
        f"{number(seconds, 2)} s"
        if seconds < 10
        else f"{number(seconds, 1)} s"
        if seconds < 100
        else f"{seconds / 60:.1f} min"
    )


def root_said(piece: Piece) -> str:
    """The root of a piece, or what it is else."""
    if piece.cycle:
        return f"{max(round(piece.frames / piece.cycle), 1)} frames" if piece.frames else "table"
    if not piece.measured and piece.root is None:
        return "…"
    if piece.root is None:
        return "no root"
    return key_said(piece.root) + ("" if piece.sure >= SURE or not piece.measured else " ?")


class Rows(QAbstractListModel):
    """What was found, row by row; a piece is read when it is seen."""

    def __init__(self, matter: Matter) -> None:
        super().__init__()
        self.matter = matter
        self.found: list[int] = []
        self._kept: OrderedDict[int, Piece | None] = OrderedDict()

    def look(self, wish: MatterQuery) -> None:
        """Lists what is looked for."""
        found = self.matter.find(wish)
        self._kept.clear()
        if found == self.found:
            self.dataChanged.emit(self.index(0), self.index(max(len(found) - 1, 0)))
            return
        self.beginResetModel()
        self.found = found
        self.endResetModel()

    def piece(self, index: Index | int) -> Piece | None:
        """The piece of a row."""
        at = index if isinstance(index, int) else index.row()
        if not 0 <= at < len(self.found):
            return None
        row = self.found[at]
        if row not in self._kept:
            self._kept[row] = self.matter.piece(row)
            while len(self._kept) > MOST_KEPT:
                self._kept.popitem(last=False)
        return self._kept[row]

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.found)

    def data(self, index: Index, role: int = 0) -> Any:
        piece = self.piece(index)
        if piece is None:
            return None
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{piece.name}, {piece.place}, {length_said(piece.seconds)}, {root_said(piece)}"
        if role == Qt.ItemDataRole.ToolTipRole:
            return f"{piece.name}\n{piece.path if piece.origin == 'own' else piece.place}"
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        return Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsDragEnabled

    def mimeTypes(self) -> list[str]:
        return ["text/uri-list"]

    def mimeData(self, indexes: Any) -> QMimeData:
        made = QMimeData()
        pieces = [piece for index in indexes if (piece := self.piece(index)) is not None]
        made.setUrls([QUrl.fromLocalFile(piece.path) for piece in pieces])
        made.setData("application/x-felt-dial-drawer", QByteArray(b"1"))
        return made


class RowPainter(QStyledItemDelegate):
    """Paints a row."""

    def __init__(self) -> None:
        super().__init__()
        self.starred: frozenset[str] = frozenset()
        self.here: frozenset[str] = frozenset()
        """Digests of what the patch plays."""

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(120, TALL + APART)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        model = index.model()
        piece = model.piece(index) if isinstance(model, Rows) else None
        if piece is None:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        whole: Any = option
        box = QRectF(whole.rect).adjusted(1, 1, -3, -APART)
        chosen = bool(whole.state & QStyle.StateFlag.State_Selected)
        painter.setPen(QPen(dye("madder") if chosen else colour("edge"), 1.8 if chosen else 1))
        painter.setBrush(colour("raised" if chosen else "cloth"))
        painter.drawRoundedRect(box, 7, 7)
        well = QRectF(box.left() + 6, box.top() + 5, 84, box.height() - 10)
        draw_ground(painter, well)
        if piece.peaks is not None:
            shade = dye("madder" if chosen else "weld" if piece.cycle else "lichen", in_well=True)
            if not chosen:
                shade.setAlphaF(0.75)
            draw_peaks(painter, well.adjusted(3, 2, -3, -2), np.asarray(piece.peaks / 127, np.float32), shade)
        left, right = well.right() + 8, box.right() - 8
        painter.setPen(colour("ink"))
        painter.setFont(body_font(12, 600))
        length = length_said(piece.seconds) if piece.seconds else ""
        painter.drawText(
            QRectF(right - 70, box.top() + 3, 70, 19),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            length,
        )
        painter.setFont(name_font(15))
        wide = int(right - left - painter.fontMetrics().horizontalAdvance("0") * 5 - 14)
        name = painter.fontMetrics().elidedText(piece.name, Qt.TextElideMode.ElideRight, wide)
        painter.drawText(QRectF(left, box.top() + 3, wide, 20), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setFont(body_font(11))
        painter.setPen(colour("soft"))
        painter.drawText(
            QRectF(right - 80, box.top() + 21, 80, 17),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            root_said(piece),
        )
        key = piece.digest or piece.path
        marks = ("★ " if key in self.starred else "") + (
            "in this patch" if piece.digest and piece.digest in self.here else piece.place
        )
        text = painter.fontMetrics().elidedText(marks, Qt.TextElideMode.ElideRight, int(right - left - 84))
        painter.drawText(QRectF(left, box.top() + 21, right - left - 84, 17), Qt.AlignmentFlag.AlignVCenter, text)
        painter.restore()
