"""Spines: the banks on the shelf."""

from __future__ import annotations

from PySide6.QtCore import QMimeData, QPoint, QRectF, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QDrag,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QApplication, QWidget

from felt_dial.bank.finding.catalogue import ListedBank
from felt_dial.session.session import Session
from felt_dial.session.shelf_steps import move_many, move_preset, reorder_bank
from felt_dial.ui.pages.shelf.preset_list import PRESET_MIME, dragged
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.felt import draw_focus
from felt_dial.ui.theme.fonts import body_font, name_font
from felt_dial.ui.theme.words import counted, plain

BANK_MIME = "application/x-felt-dial-bank"
SPINE_DYES = ("madder", "woad", "weld", "walnut", "lichen", "mallow")


def spine_dye(own: str, place: int) -> str:
    """The dye of a bank: its own, or that of its place on the shelf."""
    return own or SPINE_DYES[place % len(SPINE_DYES)]


class Spine(QWidget):
    """One bank."""

    clicked = Signal()
    rename_asked = Signal()
    menu_asked = Signal(QPoint)
    steps_asked = Signal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session, self.bank, self.chosen = session, ListedBank("", "", "", 0), False
        self.shade = SPINE_DYES[0]
        self.setFixedHeight(58)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAcceptDrops(True)
        self._pressed: QPoint | None = None

    @property
    def _shipped(self) -> str:
        return " · shipped" if self.session.presets.shipped(self.bank.id) else ""

    @property
    def name(self) -> str:
        """What the bank is called."""
        return self.bank.name

    def show_bank(self, bank: ListedBank, place: int, chosen: bool) -> None:
        """Another bank, or the same as it is now."""
        shade = spine_dye(bank.dye, place)
        if (self.bank, self.shade, self.chosen) == (bank, shade, chosen):
            return
        self.bank, self.shade, self.chosen = bank, shade, chosen
        self.setAccessibleName(f"Bank {bank.name}")
        self.setToolTip(
            plain(
                bank.problem
                or f"{bank.name}: drag it to reorder; double-click or F2 renames it, a right click does more"
            )
        )
        self.update()

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
        painter.setFont(name_font(16))
        painter.setPen(colour("ink"))
        name = painter.fontMetrics().elidedText(self.name, Qt.TextElideMode.ElideRight, self.width() - 34)
        painter.drawText(QRectF(24, 7, self.width() - 30, 24), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setFont(body_font(12))
        painter.setPen(colour("problem" if self.bank.problem else "soft"))
        painter.drawText(
            QRectF(24, 31, self.width() - 30, 18),
            Qt.AlignmentFlag.AlignVCenter,
            "cannot be read" if self.bank.problem else counted(self.bank.presets, "preset") + self._shipped,
        )
        if self.hasFocus():
            draw_focus(painter, box.adjusted(16, 3, -3, -3), 6)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._pressed = event.position().toPoint() if event.button() == Qt.MouseButton.LeftButton else None
        self.clicked.emit()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """A drag takes the bank along, to another place among the others."""
        far = QApplication.startDragDistance()
        if self._pressed is None or (event.position().toPoint() - self._pressed).manhattanLength() < far:
            return
        self._pressed = None
        drag, data = QDrag(self.window()), QMimeData()
        data.setData(BANK_MIME, self.bank.id.encode())
        drag.setMimeData(data)
        drag.setPixmap(self.grab())
        drag.exec(Qt.DropAction.MoveAction)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.menu_asked.emit(event.globalPos())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.rename_asked.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if alt and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.steps_asked.emit(-1 if event.key() == Qt.Key.Key_Up else 1)
            return
        if event.key() == Qt.Key.Key_Menu:
            self.menu_asked.emit(self.mapToGlobal(self.rect().center()))
            return
        if event.key() == Qt.Key.Key_F2:
            self.rename_asked.emit()
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.clicked.emit()
        else:
            super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(PRESET_MIME) or event.mimeData().hasFormat(BANK_MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        if event.mimeData().hasFormat(BANK_MIME):
            event.acceptProposedAction()
            key, ids = bytes(event.mimeData().data(BANK_MIME).data()).decode(), [b.id for b in self.session.shelf.banks]
            if key in ids and self.bank.id in ids:
                reorder_bank(self.session, key, ids.index(self.bank.id))
            return
        event.acceptProposedAction()
        these = [place for place in dragged(event.mimeData()) if place[0] != self.bank.id]
        if len(these) == 1:
            move_preset(self.session, *these[0], self.bank.id)
        elif these:
            move_many(self.session, these, self.bank.id)
