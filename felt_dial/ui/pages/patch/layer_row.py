"""A layer as a row: source, drive, filter, level over time, out."""

from __future__ import annotations

from PySide6.QtCore import QMimeData, QPoint, QRectF, Qt, QTimer
from PySide6.QtGui import (
    QContextMenuEvent,
    QDrag,
    QDragEnterEvent,
    QDropEvent,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from felt_dial.patch.edits import move_layer
from felt_dial.session.session import Session
from felt_dial.ui.dials.controls import Meter, SwitchPill, set_part, set_text, text_label
from felt_dial.ui.dials.dial import Dial
from felt_dial.ui.dials.slider import Figure, Slider
from felt_dial.ui.dials.turning import Turns, turn_all
from felt_dial.ui.inspector.tone import main_dial
from felt_dial.ui.pages.patch.menus import layer_menu
from felt_dial.ui.pictures.drives import ShapingPicture
from felt_dial.ui.pictures.registry import picture_of
from felt_dial.ui.pictures.well import Well
from felt_dial.ui.theme.colours import cloth, colour, dye, layer_dye
from felt_dial.ui.theme.fonts import body_font, name_font
from felt_dial.ui.theme.words import plain

ROW, TALLEST, FOLDED = 74, 240, 40
"""Heights of a row in pixels: open at least and at most, and folded."""
LAYER_MIME = "application/x-felt-dial-layer"
PARTS = ("source", "drive", "filter", "level", "out")
"""What of a layer the inspector shows."""
TITLES = {"source": "Source", "drive": "Drive", "filter": "Filter", "level": "Level over time"}
HEAD, DIAL, DRIVE, OUT, GAP, EDGE = 172, 62, 46, 156, 8, 12
MAIN = 72
"""How wide the dial of the filter may be."""
ROOM_FOR_FINE = 1000
"""A row as wide as this shows the fine pitch too."""


def columns(wide: int) -> dict[str, tuple[int, int]]:
    """Where each part of a row stands and how wide it is, for rows open and folded alike.

    The pictures share what the rest leaves; a folded row gives the places of the pitch dials to the source.
    """
    dials = ["pitch", "fine"] if wide >= ROOM_FOR_FINE else ["pitch"]
    fixed = {name: DIAL for name in dials} | {"drive": DRIVE, "main": MAIN, "out": OUT, "head": HEAD}
    order = ["head", "source", *dials, "drive", "filter", "main", "level", "out"]
    shares = {"source": 17, "filter": 13, "level": 17}
    free = max(wide - 2 * EDGE - sum(fixed.values()) - GAP * (len(order) - 1), 3 * 40)
    found, x = {}, EDGE
    for name in order:
        width = fixed.get(name) or free * shares[name] // sum(shares.values())
        found[name] = (x, width)
        x += width + GAP
    found["head"] = (EDGE + 26, HEAD - 26)
    found["out"] = (wide - EDGE - OUT, OUT)
    return found


class LayerRow(QWidget):
    """One layer. Folded it is lower: the dials give way to their values, and what is left is small."""

    def __init__(self, session: Session, key: str) -> None:
        super().__init__()
        self.session, self.key, self.shade = session, key, layer_dye(key)
        self.laid_for = self.shape(session, key)
        self.folded = False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAcceptDrops(True)
        self._press = QPoint()
        self._cost = ""
        layer, path = session.patch.layers[key], f"layers.{key}"
        main = f"{path}.filter.{main_dial(layer.filter)}"
        self.name = text_label("", "name")
        self.about = text_label("", "small")
        self.switches = [
            SwitchPill(session, f"{path}.{switch}", alarm=alarm)
            for switch, alarm in (("on", False), ("solo", False), ("mute", True))
        ]
        self.pictures: dict[str, Well] = {
            "source": self._cell(picture_of(session, f"{path}.source", self.shade), "source"),
            "drive": self._cell(ShapingPicture(session, f"{path}.drive", self.shade), "drive"),
            "filter": self._cell(picture_of(session, f"{path}.filter", self.shade), "filter"),
            "level": self._cell(picture_of(session, f"modulators.{layer.contour}", self.shade), "level"),
        }
        self.dials = {
            "pitch": Dial(session, f"{path}.pitch", self.shade, 14),
            "fine": Dial(session, f"{path}.fine", self.shade, 14),
            "main": Dial(session, main, self.shade, 14),
        }
        self.figure = Figure(session, main, self.shade)
        self.level = Figure(session, f"{path}.level", self.shade)
        self.level_slider = Slider(session, f"{path}.level", self.shade)
        self.pan_slider = Slider(session, f"{path}.pan", self.shade)
        self.meter = Meter()
        self.meter.setToolTip("Level of this layer before the rack")
        self.level_word, self.pan_word = text_label("Level"), text_label("Pan")
        for widget in self._parts():
            widget.setParent(self)
        self._name_cells()
        self.fold(False)
        session.channel.watch(self.follow, path)
        self.follow()

    @staticmethod
    def shape(session: Session, key: str) -> object:
        """What a row is laid out for: as long as it is the same, the row follows by itself, or is turned to another layer."""
        layer = session.patch.layers[key]
        contour = type(session.patch.modulators[layer.contour])
        return type(layer.source), type(layer.filter), main_dial(layer.filter), contour, cloth.theme.name

    def turn_to(self, key: str) -> None:
        """Becomes the row of another layer that is laid out alike."""
        before, path = f"layers.{self.key}", f"layers.{key}"
        self.key, self.shade, self._cost = key, layer_dye(key), ""
        self.session.channel.look_elsewhere(self.follow, [before], [path])
        parts: list[Turns] = [*self.switches, *self.dials.values(), self.figure, self.level]
        parts += [self.level_slider, self.pan_slider]
        parts += [picture for part, picture in self.pictures.items() if part != "level"]
        turn_all(parts, before, path, self.shade)
        self.pictures["level"].turn_to(self._contour(), self.shade)
        self._name_cells()
        for label in (self.name, self.about):
            label.setToolTip("")
        self.follow()

    def _contour(self) -> str:
        return f"modulators.{self.session.patch.layers[self.key].contour}"

    def _parts(self) -> list[QWidget]:
        """Everything in the row, in the order of the Tab key: as the sound flows."""
        pictures, dials = self.pictures, self.dials
        return [
            self.name,
            self.about,
            *self.switches,
            *(pictures["source"], dials["pitch"], dials["fine"], pictures["drive"], pictures["filter"]),
            *(dials["main"], self.figure, pictures["level"]),
            *(self.level_word, self.level, self.meter, self.level_slider, self.pan_word, self.pan_slider),
        ]

    def fold(self, folded: bool) -> None:
        """Folds the row, or opens it; nothing in it is made anew."""
        self.folded = folded
        self.setMinimumHeight(FOLDED if folded else ROW)
        self.setMaximumHeight(FOLDED if folded else TALLEST)
        for pill in self.switches:
            pill.shorten(folded)
            set_part(pill, "letter" if folded else "small")
        set_part(self.name, "lower name" if folded else "name")
        for dial in self.dials.values():
            dial.setVisible(not folded)
        for label in (self.level_word, self.pan_word):
            label.setVisible(not folded)
        self.figure.setVisible(folded)
        self._lay_out()
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._lay_out()

    def _lay_out(self) -> None:
        """Puts everything in its column."""
        spots, tall = columns(self.width()), self.height()
        self.dials["fine"].setVisible(not self.folded and "fine" in spots)
        for part, picture in self.pictures.items():
            left, wide = spots[part]
            if part == "source" and self.folded:
                wide = spots["drive"][0] - GAP - left
            picture.setGeometry(left, 4, wide, tall - 8)
        for name, dial in self.dials.items():
            if name in spots:
                left, wide = spots[name]
                dial.move(left + (wide - dial.width()) // 2, (tall - dial.height()) // 2)
        left, wide = spots["main"]
        self.figure.setGeometry(left, (tall - 24) // 2, wide, 24)
        self._lay_out_head(*spots["head"], tall)
        self._lay_out_level(*spots["out"], tall)

    def _lay_out_head(self, left: int, wide: int, tall: int) -> None:
        sizes = [20 if self.folded else pill.sizeHint().width() for pill in self.switches]
        room = wide - (3 * 22 + 2 if self.folded else 0)
        middle = tall // 2
        self.name.setGeometry(left, middle - (20 if self.folded else 34), room, 24)
        self.about.setGeometry(left, middle + (3 if self.folded else -11), wide, 15)
        x = left + wide - 3 * 22 if self.folded else left
        for pill, size in zip(self.switches, sizes, strict=True):
            pill.setGeometry(x, middle - 19 if self.folded else middle + 9, size, 20)
            x += size + (2 if self.folded else 3)
        self._name()

    def _lay_out_level(self, left: int, wide: int, tall: int) -> None:
        middle, value = tall // 2, 54
        if self.folded:
            long = wide - value - 4
            self.meter.setGeometry(left, middle - 14, long, self.meter.height())
            self.level_slider.setGeometry(left - 4, middle - 1, long + 8, 20)
            self.level.setGeometry(left + long + 4, middle - 19, value, 18)
            self.pan_slider.setGeometry(left + long + 4, middle - 1, value, 20)
            return
        top = middle - 35
        self.level_word.setGeometry(left, top, 60, 16)
        self.level.setGeometry(left + wide - value, top - 1, value, 18)
        self.meter.setGeometry(left, top + 19, wide, self.meter.height())
        self.level_slider.setGeometry(left - 4, top + 31, wide + 8, 20)
        self.pan_word.setGeometry(left, top + 52, 30, 16)
        self.pan_slider.setGeometry(left + 28, top + 51, wide - 24, 20)

    def _cell(self, made: Well, part: str) -> Well:
        made.setCursor(Qt.CursorShape.PointingHandCursor)
        made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        made.mouseReleaseEvent = lambda event: self._select(part, event)  # type: ignore[method-assign]

        def key_press(event: QKeyEvent) -> None:
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.session.editor.select(part, self.key)
            else:
                QWidget.keyPressEvent(made, event)

        made.keyPressEvent = key_press  # type: ignore[method-assign]
        return made

    def _name_cells(self) -> None:
        for part, picture in self.pictures.items():
            picture.setAccessibleName(f"{TITLES[part]} of layer {self.key.upper()}")
            picture.setToolTip(f"{TITLES[part]} of layer {self.key.upper()}: click to see all of it")

    def _name(self) -> None:
        """The name and what the layer is made of, as far as there is room."""
        layer = self.session.patch.layers.get(self.key)
        if layer is None:
            return
        name = self.name.fontMetrics().elidedText(
            layer.name or layer.source.title, Qt.TextElideMode.ElideRight, self.name.width()
        )
        gist = " · ".join(part for part in (layer.source.title, layer.source.gist()) if part)
        set_text(self.name, name)
        set_text(
            self.about, QFontMetrics(body_font(11)).elidedText(gist, Qt.TextElideMode.ElideRight, self.about.width())
        )

    def show_cost(self, share: float) -> None:
        """Says in the tooltip what the layer takes of a core at this moment."""
        text = f"{self.session.patch.layers[self.key].source.about()}\nTakes {share * 100:.1f} % of a core now"
        if text != self._cost:
            self._cost = text
            for label in (self.name, self.about):
                label.setToolTip(plain(text))

    def follow(self) -> None:
        """Shows names, which have no dial of their own, and the envelope by which it is shaped now."""
        if self.key in self.session.patch.layers and self.pictures["level"].path != self._contour():
            self.pictures["level"].turn_to(self._contour(), self.shade)
            self._name_cells()
        self._name()
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        editor = self.session.editor
        chosen = (editor.selection[0] in PARTS and editor.selection[1] == self.key) or self.key in editor.chosen
        painter.setPen(QPen(dye(self.shade) if chosen else colour("edge"), 1.8 if chosen else 1))
        painter.setBrush(colour("cloth"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(dye(self.shade))
        painter.drawRoundedRect(QRectF(1, 1, 8, self.height() - 2), 4, 4)
        painter.setPen(dye(self.shade))
        painter.setFont(name_font(22 if self.folded else 26))
        middle = self.height() / 2 if self.folded else self.name.geometry().center().y()
        painter.drawText(QRectF(11, middle - 15, 28, 30), Qt.AlignmentFlag.AlignCenter, self.key.upper())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press = event.position().toPoint()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        part = self.session.editor.selection[0]
        self._select(part if part in PARTS else "source", event)

    def _select(self, part: str, event: QMouseEvent) -> None:
        """Chooses the layer; with Ctrl together with those that are chosen, with Shift with all between."""
        editor = self.session.editor
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and editor.selection[1] in self.session.patch.layers:
            order = list(self.session.patch.layers)
            ends = sorted((order.index(editor.selection[1]), order.index(self.key)))
            editor.choose_layers(order[ends[0] : ends[1] + 1])
        else:
            editor.select(part, self.key, together=bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        layer_menu(self, self.session, self.key).popup(event.globalPos())

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
        QTimer.singleShot(0, lambda: session.editor.edit(patch, f"move layer {moved.upper()}"))


FIGURE = 44
"""Pixels of a figure over the columns."""


class Columns(QWidget):
    """The names of the columns, over the cells of the rows; and by how much all of them are transposed."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.wide = 0
        self.setFixedHeight(17)
        self.word = text_label("Transpose")
        self.figures = [Figure(session, path, "walnut") for path in ("transpose", "fine")]
        for widget in (self.word, *self.figures):
            widget.setParent(self)

    def over(self, wide: int) -> None:
        """Stands over rows of another width."""
        if wide != self.wide:
            self.wide = wide
            left = columns(wide)["head"][0]
            self.word.setGeometry(left, 0, 58, 16)
            for n, figure in enumerate(self.figures):
                figure.setGeometry(left + 58 + FIGURE * n, 0, FIGURE, 17)
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setFont(body_font(12))
        painter.setPen(colour("soft"))
        spots = columns(self.wide or self.width())
        for part, name in {**TITLES, "out": "Out"}.items():
            painter.drawText(spots[part][0], 12, name)
