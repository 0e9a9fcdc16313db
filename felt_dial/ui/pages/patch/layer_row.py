"""A layer as a row: source, drive, filter, level over time, out."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import QMimeData, QPoint, QRectF, Qt, QTimer
from PySide6.QtGui import (
    QDrag,
    QDragEnterEvent,
    QDropEvent,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from felt_dial.patch.edits import move_layer
from felt_dial.patch.patch import param_at
from felt_dial.ui.dials.controls import Meter, Slider, SwitchPill, text_label
from felt_dial.ui.dials.dial import Dial
from felt_dial.ui.inspector.tone import main_dial
from felt_dial.ui.pictures.drives import ShapingPicture
from felt_dial.ui.pictures.modulators import EnvelopePicture
from felt_dial.ui.pictures.registry import picture_of
from felt_dial.ui.pictures.well import Well
from felt_dial.ui.session import Session
from felt_dial.ui.theme.colours import colour, dye, layer_dye
from felt_dial.ui.theme.fonts import body_font, name_font
from felt_dial.ui.theme.words import plain

ROW, TALLEST, FOLDED = 78, 150, 44
LAYER_MIME = "application/x-felt-dial-layer"
PARTS = ("source", "drive", "filter", "level", "out")
"""What of a layer the inspector shows."""


class LayerRow(QWidget):
    """One layer; a folded one shows its name, its source, its level."""

    def __init__(self, session: Session, key: str, folded: bool) -> None:
        super().__init__()
        self.session, self.key, self.shade = session, key, layer_dye(key)
        self.folded = folded
        self.setMinimumHeight(FOLDED if folded else ROW)
        self.setMaximumHeight(FOLDED if folded else TALLEST)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAcceptDrops(True)
        self._press = QPoint()
        layer = session.patch.layers[key]
        grid = QHBoxLayout(self)
        grid.setContentsMargins(12, 3, 12, 3)
        grid.setSpacing(8)
        self.head = self._head(folded)
        grid.addWidget(self.head)
        self.pictures: dict[str, Well] = {}
        picture = self._cell(picture_of(session, f"layers.{key}.source", self.shade), "source")
        if folded:
            picture.setFixedWidth(150)
            grid.addWidget(picture)
            grid.addStretch()
            grid.addWidget(self._out(folded))
            self._watch()
            return
        grid.addWidget(picture, 17)
        grid.addWidget(Dial(session, f"layers.{key}.pitch", self.shade, 15))
        grid.addWidget(Dial(session, f"layers.{key}.fine", self.shade, 15))
        grid.addSpacing(4)
        drive = self._cell(ShapingPicture(session, f"layers.{key}.drive", self.shade), "drive")
        drive.setFixedWidth(46)
        grid.addWidget(drive)
        grid.addWidget(self._cell(picture_of(session, f"layers.{key}.filter", self.shade), "filter"), 13)
        grid.addWidget(Dial(session, f"layers.{key}.filter.{main_dial(layer.filter)}", self.shade, 15))
        grid.addSpacing(4)
        grid.addWidget(self._cell(EnvelopePicture(session, f"modulators.{layer.contour}", self.shade), "level"), 17)
        grid.addSpacing(4)
        grid.addWidget(self._out(folded), 0, Qt.AlignmentFlag.AlignVCenter)
        self._watch()

    def _watch(self) -> None:
        self.session.watch(self.follow, f"layers.{self.key}.level", f"layers.{self.key}.source")
        self.follow()

    def _cell(self, made: Well, part: str) -> Well:
        made.setCursor(Qt.CursorShape.PointingHandCursor)
        made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        names = {"source": "Source", "drive": "Drive", "filter": "Filter", "level": "Level over time"}
        made.setAccessibleName(f"{names[part]} of layer {self.key.upper()}")
        made.setToolTip(f"{names[part]} of layer {self.key.upper()}: click to see all of it")
        self.pictures[part] = made
        made.mouseReleaseEvent = lambda event: self.session.select(part, self.key)  # type: ignore[method-assign]

        def key_press(event: QKeyEvent) -> None:
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.session.select(part, self.key)
            else:
                QWidget.keyPressEvent(made, event)

        made.keyPressEvent = key_press  # type: ignore[method-assign]
        return made

    def _head(self, folded: bool) -> QWidget:
        head = QWidget()
        head.setFixedWidth(156)
        layer = self.session.patch.layers[self.key]
        layout = QVBoxLayout(head)
        layout.setContentsMargins(38, 2, 0, 2)
        layout.setSpacing(0)
        name = text_label(layer.name or layer.source.title, "name")
        name.setFont(name_font(18))
        name.setText(name.fontMetrics().elidedText(name.text(), Qt.TextElideMode.ElideRight, 100))
        layout.addStretch()
        layout.addWidget(name)
        self.name = name
        self.about = text_label(self._gist(), "small")
        layout.addWidget(self.about)
        if not folded:
            pills = QHBoxLayout()
            pills.setSpacing(3)
            pills.setContentsMargins(0, 0, 0, 0)
            for switch, alarm in (("on", False), ("solo", False), ("mute", True)):
                pills.addWidget(SwitchPill(self.session, f"layers.{self.key}.{switch}", alarm=alarm))
            pills.addStretch()
            row = QWidget()
            row.setLayout(pills)
            layout.addSpacing(3)
            layout.addWidget(row)
        layout.addStretch()
        return head

    def _gist(self) -> str:
        source = self.session.patch.layers[self.key].source
        text = " · ".join(part for part in (source.title, source.gist()) if part)
        return QFontMetrics(body_font(11)).elidedText(text, Qt.TextElideMode.ElideRight, 116)

    def _out(self, folded: bool) -> QWidget:
        out = self.out = QWidget()
        out.setFixedWidth(118)
        layout = QGridLayout(out)
        layout.setContentsMargins(0, 2, 0, 2)
        layout.setHorizontalSpacing(6)
        layout.setVerticalSpacing(2)
        self.level = text_label("", "value")
        self.meter = Meter()
        self.meter.setToolTip("Level of this layer before the rack")
        layout.addWidget(text_label("Level"), 0, 0)
        layout.addWidget(self.level, 0, 1, Qt.AlignmentFlag.AlignRight)
        layout.addWidget(self.meter, 1, 0, 1, 2)
        if not folded:
            layout.addWidget(Slider(self.session, f"layers.{self.key}.level"), 2, 0, 1, 2)
            layout.addWidget(text_label("Pan"), 3, 0)
            layout.addWidget(Slider(self.session, f"layers.{self.key}.pan"), 3, 1)
        out.mouseReleaseEvent = lambda event: self.session.select("out", self.key)  # type: ignore[method-assign]
        return out

    def show_cost(self, share: float) -> None:
        """Says in the tooltip what the layer takes of a core at this moment."""
        text = f"{self.session.patch.layers[self.key].source.about()}\nTakes {share * 100:.1f} % of a core now"
        if text != self.head.toolTip():
            self.head.setToolTip(plain(text))

    def follow(self) -> None:
        """Shows values that have no dial of their own."""
        layer = self.session.patch.layers.get(self.key)
        if layer is None:
            return
        self.level.setText(param_at(self.session.patch, f"layers.{self.key}.level").write(layer.get("level")))
        self.about.setText(self._gist())
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen = self.session.selection[0] in PARTS and self.session.selection[1] == self.key
        painter.setPen(QPen(dye(self.shade) if chosen else colour("edge"), 1.8 if chosen else 1))
        painter.setBrush(colour("cloth"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(dye(self.shade))
        painter.drawRoundedRect(QRectF(1, 1, 8, self.height() - 2), 4, 4)
        painter.setPen(dye(self.shade))
        painter.setFont(name_font(26))
        top = self.name.mapTo(self, QPoint(0, 0)).y() - 3
        painter.drawText(QRectF(16, top, 30, 30), Qt.AlignmentFlag.AlignCenter, self.key.upper())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press = event.position().toPoint()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        part = self.session.selection[0]
        self.session.select(part if part in PARTS else "source", self.key)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if (event.position().toPoint() - self._press).manhattanLength() > 14 and self._press.x() < 150:
            drag, data = QDrag(self.window()), QMimeData()
            data.setData(LAYER_MIME, self.key.encode())
            drag.setMimeData(data)
            drag.setPixmap(self.grab().scaledToWidth(300))
            drag.exec(Qt.DropAction.MoveAction)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(LAYER_MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        moved = bytes(event.mimeData().data(LAYER_MIME).data()).decode()
        to = list(self.session.patch.layers).index(self.key)
        event.acceptProposedAction()
        session, patch = self.session, move_layer(self.session.patch, moved, to)
        QTimer.singleShot(0, lambda: session.edit(patch, f"move layer {moved.upper()}"))


class Columns(QWidget):
    """The names of the columns, over the cells of the open row."""

    def __init__(self, rows: Callable[[], Iterable[LayerRow]]) -> None:
        super().__init__()
        self.rows = rows
        self.setFixedHeight(15)

    def paintEvent(self, event: QPaintEvent) -> None:
        row = next((r for r in self.rows() if not r.folded), None)
        if row is None:
            return
        painter = QPainter(self)
        painter.setFont(body_font(12))
        painter.setPen(colour("soft"))
        spots = {"Layer": 12, "Out": row.out.x()}
        names = {"source": "Source", "drive": "Drive", "filter": "Filter", "level": "Level over time"}
        spots |= {names[part]: picture.x() for part, picture in row.pictures.items()}
        for name, x in spots.items():
            painter.drawText(x, 12, name)
