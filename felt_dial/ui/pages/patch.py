"""The Patch page: a row per layer, read from left to right as the sound flows; modulators below."""

from __future__ import annotations

from PySide6.QtCore import QMimeData, QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QDrag, QDragEnterEvent, QDropEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QMenu, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from felt_dial.patch.edits import add_layer, add_modulator, move_layer, moves_something, place_name, threads_from

from felt_dial.patch.edits import depth_param  # isort: skip
from felt_dial.patch.patch import param_at, target_param
from felt_dial.sound.modules import Modulator, Source, new_layer
from felt_dial.ui.cloth import Wool, colour, dye, layer_dye, naming, reading
from felt_dial.ui.dials.controls import Meter, Pill, Slider, SwitchPill, text_label
from felt_dial.ui.dials.dial import Dial
from felt_dial.ui.dials.tag import Tag
from felt_dial.ui.inspector import Inspector, clear
from felt_dial.ui.pictures.filters import FilterCurve
from felt_dial.ui.pictures.movers import EnvelopePicture, mover_picture
from felt_dial.ui.pictures.sources import WavePicture
from felt_dial.ui.pictures.well import Well
from felt_dial.ui.session import Session

ROW, TALLEST, FOLDED = 78, 116, 44
LAYER_MIME = "application/x-felt-dial-layer"


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
        grid.addWidget(self._head(folded))
        self.pictures: dict[str, Well] = {}
        picture = self._cell(WavePicture(session, key, self.shade), "source")
        if folded:
            picture.setFixedWidth(150)
            grid.addWidget(picture)
            grid.addStretch()
            grid.addWidget(self._out(folded))
            return
        grid.addWidget(picture, 17)
        grid.addWidget(Dial(session, f"layers.{key}.pitch", self.shade, 15))
        grid.addWidget(Dial(session, f"layers.{key}.fine", self.shade, 15))
        grid.addSpacing(4)
        grid.addWidget(self._cell(FilterCurve(session, key, self.shade), "filter"), 13)
        grid.addWidget(Dial(session, f"layers.{key}.filter.cutoff", self.shade, 15))
        grid.addSpacing(4)
        grid.addWidget(self._cell(EnvelopePicture(session, layer.contour, self.shade), "level"), 17)
        grid.addSpacing(4)
        grid.addWidget(self._out(folded))

    def _cell(self, made: Well, part: str) -> Well:
        made.setCursor(Qt.CursorShape.PointingHandCursor)
        made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        names = {"source": "Source", "filter": "Filter", "level": "Level over time"}
        made.setAccessibleName(f"{names[part]} of layer {self.key.upper()}")
        made.setToolTip(f"{names[part]} of layer {self.key.upper()}: click to see all of it")
        self.pictures[part] = made
        made.mouseReleaseEvent = lambda event: self.session.select(part, self.key)  # type: ignore[method-assign]

        def key_press(event: object) -> None:
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):  # type: ignore[attr-defined]
                self.session.select(part, self.key)
            else:
                QWidget.keyPressEvent(made, event)  # type: ignore[arg-type]

        made.keyPressEvent = key_press  # type: ignore[method-assign,assignment]
        return made

    def _head(self, folded: bool) -> QWidget:
        head = QWidget()
        head.setFixedWidth(156)
        layer = self.session.patch.layers[self.key]
        layout = QVBoxLayout(head)
        layout.setContentsMargins(38, 2, 0, 2)
        layout.setSpacing(0)
        name = text_label(layer.name or layer.source.title, "name")
        name.setFont(naming(18))
        name.setText(name.fontMetrics().elidedText(name.text(), Qt.TextElideMode.ElideRight, 100))
        layout.addWidget(name)
        shape = layer.source.params["shape"].write(layer.source.get("shape"))
        self.about = text_label(f"{layer.source.title} · {shape}", "small")
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
            layout.addWidget(row)
        return head

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

    def follow(self) -> None:
        """Shows values that have no dial of their own."""
        layer = self.session.patch.layers.get(self.key)
        if layer is None:
            return
        self.level.setText(param_at(self.session.patch, f"layers.{self.key}.level").write(layer.get("level")))
        shape = layer.source.params["shape"].write(layer.source.get("shape"))
        self.about.setText(f"{layer.source.title} · {shape}")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen = self.session.selection[0] != "modulator" and self.session.selection[1] == self.key
        painter.setPen(QPen(dye(self.shade) if chosen else colour("edge"), 1.8 if chosen else 1))
        painter.setBrush(colour("cloth"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(dye(self.shade))
        painter.drawRoundedRect(QRectF(1, 1, 8, self.height() - 2), 4, 4)
        painter.setPen(dye(self.shade))
        painter.setFont(naming(26))
        painter.drawText(
            QRectF(16, 5, 30, 30 if not self.folded else 36), Qt.AlignmentFlag.AlignCenter, self.key.upper()
        )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press = event.position().toPoint()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.session.select(
            "source" if self.session.selection[0] == "modulator" else self.session.selection[0], self.key
        )

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if (event.position().toPoint() - self._press).manhattanLength() > 14 and self._press.x() < 150:
            drag, data = QDrag(self), QMimeData()
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
        self.session.edit(move_layer(self.session.patch, moved, to), f"move layer {moved.upper()}")


class ModulatorCard(QWidget):
    """One modulator: its tag, its picture, and what it moves."""

    def __init__(self, session: Session, key: str) -> None:
        super().__init__()
        self.session, self.key = session, key
        self.setFixedSize(150, 100)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        modulator = session.patch.modulators[key]
        layout = QGridLayout(self)
        layout.setContentsMargins(6, 5, 6, 4)
        layout.setHorizontalSpacing(6)
        layout.setVerticalSpacing(2)
        layout.addWidget(Tag(session, key), 0, 0)
        self.name = text_label(modulator.name or modulator.title, "value")
        layout.addWidget(self.name, 0, 1)
        picture = mover_picture(session, key)
        picture.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        layout.addWidget(picture, 1, 0, 1, 2)
        self.moves = text_label("", "small")
        layout.addWidget(self.moves, 2, 0, 1, 2)
        layout.setColumnStretch(1, 1)
        layout.setRowStretch(1, 1)
        self.follow()

    def follow(self) -> None:
        """Says what it moves."""
        patch = self.session.patch
        if self.key not in patch.modulators:
            return
        modulator = patch.modulators[self.key]
        self.name.setText(modulator.name or modulator.title)
        shaped = [k.upper() for k, layer in patch.layers.items() if layer.contour == self.key]
        parts = [f"level of {' '.join(shaped)}"] if shaped else []
        for thread in threads_from(patch, self.key).values():
            where, label = place_name(patch, thread.target)
            depth = depth_param(target_param(patch, thread.target)).unit.write_signed(float(thread.depth))
            parts.append(f"{where} {label.lower()} {depth}")
        text = ", ".join(parts) if parts and moves_something(patch, self.key) else "moves nothing yet"
        self.moves.setText(self.moves.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 136))
        self.moves.setToolTip(text)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.session.select("modulator", self.key)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen = self.session.selection == ("modulator", self.key)
        shade = (
            dye(self.session.patch.modulators[self.key].dye)
            if self.key in self.session.patch.modulators
            else colour("edge")
        )
        painter.setPen(QPen(shade if chosen else colour("edge"), 1.8 if chosen else 1))
        painter.setBrush(colour("cloth"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)


class PlayerTags(QWidget):
    """Key, velocity and mod wheel: what the player does, to be dragged like any tag."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(4, 2, 0, 2)
        layout.setSpacing(2)
        layout.addWidget(text_label("The player", "small"))
        for key, name in (("k", "Key"), ("v", "Velocity"), ("w", "Mod wheel")):
            row = QHBoxLayout()
            row.setSpacing(5)
            row.addWidget(Tag(session, key, 10))
            row.addWidget(text_label(name))
            row.addStretch()
            layout.addLayout(row)
        layout.addStretch()


class PatchPage(Wool):
    """Layers, modulators, and the inspector beside them."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.rows: dict[str, LayerRow] = {}
        self.cards: dict[str, ModulatorCard] = {}
        outer = QHBoxLayout(self)
        outer.setContentsMargins(12, 7, 12, 8)
        outer.setSpacing(12)
        left = QVBoxLayout()
        left.setSpacing(6)
        outer.addLayout(left, 1)
        outer.addWidget(Inspector(session))
        self.columns = Columns(self)
        left.addWidget(self.columns)
        left.setSpacing(5)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        holder = QWidget()
        self.layers = QVBoxLayout(holder)
        self.layers.setContentsMargins(0, 0, 0, 0)
        self.layers.setSpacing(6)
        scroll.setWidget(holder)
        left.addWidget(scroll, 1)
        line = QHBoxLayout()
        self.flow = text_label("", "label")
        line.addWidget(text_label("Modulators"))
        hint = text_label("drag a tag onto any dial to sew a thread", "small")
        line.addWidget(hint)
        line.addStretch()
        self.only = {}
        for kind, name in (("", "All"), *((k, c.title) for k, c in Modulator.kinds.items())):
            pill = Pill(name, "small", lambda k=kind: self._show_only(k), f"Show {name.lower()}")
            pill.setCheckable(True)
            self.only[kind] = pill
            line.addWidget(pill)
        self.shown_kind = ""
        left.addLayout(line)
        tray = QScrollArea()
        tray.setFixedHeight(112)
        tray.setWidgetResizable(True)
        tray.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        tray.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        holder = QWidget()
        self.tray = QHBoxLayout(holder)
        self.tray.setContentsMargins(0, 0, 0, 0)
        self.tray.setSpacing(8)
        self.tray.setAlignment(Qt.AlignmentFlag.AlignTop)
        tray.setWidget(holder)
        left.addWidget(tray)
        session.rebuilt.connect(self.rebuild)
        session.changed.connect(self._follow)
        session.selected.connect(self._selected)
        session.frame.connect(self._frame)
        self.rebuild()

    def rebuild(self) -> None:
        """Lays out the rows and cards of the patch as it is."""
        clear(self.layers)
        patch = self.session.patch
        fold = len(patch.layers) > 4
        chosen = self.session.selection[1] if self.session.selection[1] in patch.layers else next(iter(patch.layers))
        self.rows = {key: LayerRow(self.session, key, fold and key != chosen) for key in patch.layers}
        for row in self.rows.values():
            self.layers.addWidget(row, 3)
        bottom = QHBoxLayout()
        add = Pill("+ Add a layer", "add", self.add_layer, "Add a layer: Ctrl+Shift+L")
        add.setFixedSize(150, 40)
        bottom.addWidget(add)
        bottom.addWidget(Flow(self.session), 1)
        self.layers.addLayout(bottom)
        self.layers.addStretch(1)
        clear(self.tray)
        self.cards = {}
        for key, modulator in patch.modulators.items():
            if self.shown_kind in ("", modulator.kind):  # type: ignore[attr-defined]
                self.cards[key] = ModulatorCard(self.session, key)
                self.tray.addWidget(self.cards[key])
        add = Pill("+ Modulator", "add", self._modulator_menu, "Add a modulator")
        add.setFixedSize(104, 100)
        self.tray.addWidget(add)
        self.tray.addWidget(PlayerTags(self.session))
        self.tray.addStretch()
        for kind, pill in self.only.items():
            pill.setChecked(kind == self.shown_kind)
        self._follow()

    def _show_only(self, kind: str) -> None:
        self.shown_kind = kind
        self.rebuild()

    def _selected(self) -> None:
        if (
            len(self.rows) > 4
            and self.session.selection[1] in self.rows
            and self.rows[self.session.selection[1]].folded
        ):
            self.rebuild()
        for row in self.rows.values():
            row.update()
        for card in self.cards.values():
            card.update()

    def _follow(self) -> None:
        for row in self.rows.values():
            row.follow()
        self.columns.update()
        for card in self.cards.values():
            card.follow()

    def _frame(self) -> None:
        if not self.isVisible():
            return
        peaks = self.session.link.shared.data["layer_peaks"]
        for n, key in enumerate(self.session.patch.layers):
            if key in self.rows:
                self.rows[key].meter.show_peak(float(peaks[n]))

    def add_layer(self) -> None:
        """One more layer, chosen at once."""
        made: list[str] = []

        def make() -> object:
            patch, key = add_layer(self.session.patch, new_layer(next(iter(Source.kinds))))
            made.append(key)
            return patch

        if self.session.try_edit(make, "add a layer"):  # type: ignore[arg-type]
            self.session.select("source", made[0])

    def add_modulator(self, kind: str) -> None:
        """One more modulator, chosen at once."""
        made: list[str] = []

        def make() -> object:
            patch, key = add_modulator(self.session.patch, Modulator.kinds[kind]())
            made.append(key)
            return patch

        if self.session.try_edit(make, f"add an {Modulator.kinds[kind].title}"):  # type: ignore[arg-type]
            self.session.select("modulator", made[0])

    def _modulator_menu(self) -> None:
        menu = QMenu(self)
        for kind, cls in Modulator.kinds.items():
            menu.addAction(f"{cls.title}: {cls.about()}", lambda k=kind: self.add_modulator(k))
        menu.exec(self.mapToGlobal(self.rect().center()))


class Columns(QWidget):
    """The names of the columns, over the cells of the open row."""

    def __init__(self, page: PatchPage) -> None:
        super().__init__()
        self.page = page
        self.setFixedHeight(15)

    def paintEvent(self, event: QPaintEvent) -> None:
        row = next((r for r in self.page.rows.values() if not r.folded), None)
        if row is None:
            return
        painter = QPainter(self)
        painter.setFont(reading(12))
        painter.setPen(colour("soft"))
        spots = {"Layer": 12, "Out": row.out.x()}
        names = {"source": "Source", "filter": "Filter", "level": "Level over time"}
        spots |= {names[part]: picture.x() for part, picture in row.pictures.items()}
        for name, x in spots.items():
            painter.drawText(x, 12, name)


class Flow(QWidget):
    """Where the layers go, as a sewn line and in words."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedHeight(40)
        session.changed.connect(self.update)

    def words(self) -> str:
        """The way of the sound, read out."""
        patch = self.session.patch
        heard = " ".join(key.upper() for key in patch.layers)
        effects = [effect.title for effect in patch.racks["1"].values() if effect.get("on")]
        return f"{heard} → rack 1 ({', '.join(effects) if effects else 'empty'}) → output"

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        pen = QPen(colour("soft"), 1.4)
        pen.setDashPattern([4, 3])
        painter.setPen(pen)
        painter.setFont(reading(12))
        text = self.words()
        width = painter.fontMetrics().horizontalAdvance(text)
        y = self.height() / 2
        painter.drawLine(QPointF(8, y), QPointF(max(self.width() - width - 16, 8), y))
        painter.setPen(colour("soft"))
        painter.drawText(
            QRectF(0, 0, self.width() - 4, self.height()),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            text,
        )
