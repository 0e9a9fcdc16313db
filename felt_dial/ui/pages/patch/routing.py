"""Routing: where layers, buses and racks go, drawn as sewn lines, and in words."""

from __future__ import annotations

from collections.abc import Iterator

from PySide6.QtCore import QEvent, QMimeData, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QDrag,
    QDragEnterEvent,
    QDragLeaveEvent,
    QDragMoveEvent,
    QDropEvent,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QToolTip, QWidget

from felt_dial.patch.parts import WHERE, Bus, Layer
from felt_dial.patch.routing import bus_layers, bus_words, inputs_of, words
from felt_dial.session.session import Session
from felt_dial.session.topics import Selected
from felt_dial.ui.pages.patch.layer_row import LAYER_MIME
from felt_dial.ui.theme.colours import colour, dye, layer_dye, text_on
from felt_dial.ui.theme.felt import draw_focus
from felt_dial.ui.theme.fonts import body_font

TALL, LOW = 78, 62
"""Heights in pixels, where there is room and where there is not."""
DISC = 9.0
Node = tuple[str, str]
"""A place in the routing: (layer, a), (bus, 1), (rack, 1), (out, )."""


class Routing(QWidget):
    """The ways of the sound, from the layers on the left to the output on the right; every stop can be clicked."""

    rack_asked = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.at = 0
        self.tall = TALL
        self.setFixedHeight(TALL)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAcceptDrops(True)
        self._pressed: Node | None = None
        self._over: Node | None = None
        """The place over which a letter is dragged."""
        session.channel.watch(self._follow, "layers.*.out", "layers.*.on", "layers.*.sends", "buses", "rack2")
        session.channel.watch(self.update, Selected)
        self._follow()

    def _follow(self) -> None:
        self.setAccessibleName("Routing")
        self.setAccessibleDescription(words(self.session.patch))
        self.update()

    def fold(self, low: bool) -> None:
        """Takes less room, or all it likes."""
        self.tall = LOW if low else TALL
        self.setFixedHeight(self.tall)

    def words(self) -> str:
        """The way of the sound, read out."""
        return words(self.session.patch)

    def nodes(self) -> dict[Node, QRectF]:
        """Every stop and where it is drawn."""
        patch, w, tall = self.session.patch, float(self.width()), float(self.tall)
        found: dict[Node, QRectF] = {}
        letters = list(patch.layers)
        most = int((tall - 2 * DISC) // 20) + 1
        across = -(-len(letters) // most)
        rows = -(-len(letters) // across)
        gap = min(22.0, (tall - 2 * DISC) / max(rows - 1, 1))
        for n, key in enumerate(letters):
            x, y = 14.0 + 24.0 * (n % across), tall / 2 + (n // across - (rows - 1) / 2) * gap
            found["layer", key] = QRectF(x - DISC, y - DISC, 2 * DISC, 2 * DISC)
        left, right = 74.0 if across < 3 else 96.0, w - 232.0
        wide = min((right - left - 36.0) / 3, 190.0)
        step = (right - left - wide) / 2
        for n, key in enumerate(patch.buses):
            found["bus", key] = QRectF(left + n * step, 9 + n * (tall - 37) / 2, wide, 19)
        found["rack", "1"] = QRectF(w - 196, tall / 2 - 24 - tall / 15, 78, 24)
        found["rack", "2"] = QRectF(w - 196, tall / 2 + tall / 15, 78, 24)
        found["out", ""] = QRectF(w - 74, tall / 2 - 13, 68, 26)
        return found

    def _goal(self, where: str) -> Node | None:
        if where == "none":
            return None
        if where.startswith("bus"):
            return "bus", where[3:]
        return {"rack": ("rack", "1"), "rack2": ("rack", "2"), "direct": ("out", "")}[where]

    def _ways(self) -> Iterator[tuple[Node, Node, str, bool]]:
        """Every sewn line: from, to, its dye, and whether it is a send."""
        patch = self.session.patch
        parts: list[tuple[Node, Layer | Bus, str]] = [
            (("layer", key), layer, layer_dye(key)) for key, layer in patch.layers.items()
        ]
        parts += [(("bus", key), bus, "ink") for key, bus in patch.buses.items() if bus_layers(patch, key)]
        for node, part, shade in parts:
            for where in (str(part.out), *part.sends):
                if goal := self._goal(where):
                    yield node, goal, shade, where in part.sends
        if inputs_of(patch, "rack2"):
            yield ("rack", "2"), ("rack", "1") if patch.rack2 == "rack" else ("out", ""), "ink", False
        yield ("rack", "1"), ("out", ""), "ink", False

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        nodes = self.nodes()
        for start, end, shade, send in self._ways():
            lane = nodes[end if end[0] == "bus" and start[0] == "layer" else start].center().y()
            if start[0] == "layer" and end[0] != "bus":
                lane = 3.0 if end == ("rack", "1") else self.tall - 3.0
            down = (start, end) == (("rack", "2"), ("rack", "1"))
            self._sew(painter, nodes[start], nodes[end], shade, None if down else lane, send)
        chosen = list(nodes)[self.at % len(nodes)] if self.hasFocus() else None
        painter.setFont(body_font(12))
        for node, box in nodes.items():
            self._stop(painter, node, box, node in (chosen, self._over))

    def _sew(self, painter: QPainter, a: QRectF, b: QRectF, shade: str, lane: float | None, send: bool) -> None:
        """A line along a lane that nothing stands on; with none, from the top of one to the bottom of another.

        A send is thinner, and sewn with smaller stitches.
        """
        pen = QPen(colour("soft") if shade == "ink" else dye(shade), 0.9 if send else 1.5)
        pen.setDashPattern([2.4, 3.2] if send else [4, 2.6])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        path = QPainterPath()
        if lane is None:
            path.moveTo(QPointF(a.center().x(), a.top()))
            path.lineTo(QPointF(b.center().x(), b.bottom()))
        else:
            start, end = QPointF(a.right() + 1, a.center().y()), QPointF(b.left() - 1, b.center().y())
            free = max(end.x() - start.x(), 8.0)
            on, off = min(40.0, free / 2), min(22.0, free / 2)
            first, last = QPointF(start.x() + on, lane), QPointF(end.x() - off, lane)
            path.moveTo(start)
            path.cubicTo(start + QPointF(on / 2, 0), first - QPointF(on / 2, 0), first)
            path.lineTo(last)
            path.cubicTo(last + QPointF(off / 2, 0), end - QPointF(off / 2, 0), end)
        painter.drawPath(path)

    def _stop(self, painter: QPainter, node: Node, box: QRectF, focused: bool) -> None:
        patch, (what, key) = self.session.patch, node
        painter.setPen(Qt.PenStyle.NoPen)
        used = {
            "layer": True,
            "out": True,
            "bus": what == "bus" and bool(bus_layers(patch, key)),
            "rack": what == "rack" and (key == "1" or bool(inputs_of(patch, "rack2"))),
        }[what]
        if what == "layer":
            painter.setBrush(dye(layer_dye(key)))
            painter.drawEllipse(box)
            painter.setPen(text_on(dye(layer_dye(key))))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, key.upper())
        else:
            selected = what == "bus" and self.session.editor.selection == ("bus", key)
            edge = QPen(dye("walnut") if selected else colour("edge"), 1.8 if selected else 1.0)
            if not used:
                edge.setDashPattern([3, 2.4])
            painter.setPen(edge)
            painter.setBrush(colour("cloth"))
            painter.drawRoundedRect(box, 6, 6)
            painter.setPen(colour("ink" if used else "soft"))
            text = {"bus": f"Bus {key}", "rack": f"Rack {key}", "out": "Output"}[what]
            if what == "bus" and used:
                bus = patch.buses[key]
                text = f"{bus.name or text} · {bus_words(bus)}"
            text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(box.width() - 10))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
        if focused:
            draw_focus(painter, box.adjusted(-3, -3, 3, 3), 8)

    def _node_at(self, at: QPointF) -> Node | None:
        return next((node for node, box in self.nodes().items() if box.adjusted(-3, -3, 3, 3).contains(at)), None)

    def open(self, node: Node | None) -> None:
        """Shows all of a stop: in the inspector, or a rack on its page."""
        what, key = node or ("out", "")
        if what == "rack":
            self.rack_asked.emit(key)
        elif what == "out":
            self.session.editor.select("patch", "")
        else:
            self.session.editor.select("out" if what == "layer" else "bus", key)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._pressed = self._node_at(event.position())
        if self._pressed is None:
            self.open(None)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """A letter that is dragged is sewn to where it is dropped."""
        if event.buttons() & Qt.MouseButton.LeftButton and self._pressed and self._pressed[0] == "layer":
            drag, data = QDrag(self), QMimeData()
            data.setData(LAYER_MIME, self._pressed[1].encode())
            drag.setMimeData(data)
            self._pressed = None
            drag.exec(Qt.DropAction.MoveAction)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pressed and self._pressed == self._node_at(event.position()):
            self.open(self._pressed)
        self._pressed = None

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(LAYER_MIME):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        """Only places that a layer may go to take it, and show so."""
        over = self._node_at(event.position())
        self._over = over if over and over[0] != "layer" else None
        event.setAccepted(self._over is not None)
        self.update()

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        self._over = None
        self.update()

    def dropEvent(self, event: QDropEvent) -> None:
        key = bytes(event.mimeData().data(LAYER_MIME).data()).decode()
        over, self._over = self._node_at(event.position()), None
        self.update()
        where = next((name for name in WHERE if over and self._goal(name) == over), None)
        if where and key in self.session.patch.layers:
            event.acceptProposedAction()
            QTimer.singleShot(0, self, lambda: self.session.editor.set(f"layers.{key}.out", where))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        nodes = list(self.nodes())
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.at = (self.at + (1 if event.key() == Qt.Key.Key_Right else -1)) % len(nodes)
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.open(nodes[self.at % len(nodes)])
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            node = self._node_at(QPointF(event.pos()))
            text = self.words().replace(" · ", "\n")
            if node and node[0] == "bus":
                text = f"Bus {node[1]}: {bus_words(self.session.patch.buses[node[1]])}\nClick for all of it"
            QToolTip.showText(event.globalPos(), text, self)
            return True
        return super().event(event)
