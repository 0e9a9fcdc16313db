"""Tags: the round buttons of everything that moves; drag one onto a dial to sew a thread."""

from __future__ import annotations

from PySide6.QtCore import QByteArray, QMimeData, QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QDrag, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QApplication, QWidget

from felt_dial.patch.patch import Patch, movers
from felt_dial.patch.reach import moves_something
from felt_dial.session.session import Session
from felt_dial.session.topics import Hovered
from felt_dial.ui.theme.colours import colour, dye, text_on
from felt_dial.ui.theme.felt import clear_pixmap
from felt_dial.ui.theme.fonts import body_font
from felt_dial.ui.theme.words import plain

THREAD_MIME = "application/x-felt-dial-mover"


def mover_dye(patch: Patch, key: str) -> str:
    """The dye of a mover by its kind."""
    if key in patch.modulators:
        return patch.modulators[key].dye
    return "walnut" if key in patch.macros else "ink"


def tag_text(key: str) -> str:
    """What stands on a mover's tag."""
    return key.upper()


def paint_tag(painter: QPainter, centre: QPointF, radius: float, patch: Patch, key: str) -> None:
    """A round tag, filled while it moves something and hollow while it does not."""
    shade = dye(mover_dye(patch, key))
    filled = moves_something(patch, key)
    painter.setPen(QPen(shade, 1.5))
    painter.setBrush(shade if filled else Qt.BrushStyle.NoBrush)
    painter.drawEllipse(centre, radius, radius)
    painter.setFont(body_font(11, 600))
    painter.setPen(text_on(shade) if filled else colour("ink"))
    painter.drawText(
        QRectF(centre.x() - radius, centre.y() - radius, 2 * radius, 2 * radius),
        Qt.AlignmentFlag.AlignCenter,
        tag_text(key),
    )


class Tag(QWidget):
    """The tag of one mover; one that stands in a list which comes and goes is not `carried`."""

    chosen = Signal(str)

    def __init__(self, session: Session, key: str, radius: int = 11, carried: bool = True) -> None:
        super().__init__()
        self.session, self.key, self.radius, self.carried = session, key, radius, carried
        self._press = QPoint()
        self._shown: object = None
        self.setFixedSize(self.sizeHint())
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.OpenHandCursor if carried else Qt.CursorShape.PointingHandCursor)
        session.channel.watch(self._follow, "threads")
        self._follow()

    def turn_to(self, key: str) -> None:
        """Becomes the tag of another mover."""
        if key != self.key:
            self.key, self._shown = key, None
            self._follow()

    def sizeHint(self) -> QSize:
        return QSize(2 * self.radius + 4, 2 * self.radius + 4)

    def _follow(self) -> None:
        patch = self.session.patch
        name = movers(patch).get(self.key)
        shown = (name, moves_something(patch, self.key))
        if name is None or shown == self._shown:
            return
        self._shown = shown
        state = "drag it onto a dial to sew a thread" if shown[1] else "moves nothing yet: drag it onto a dial"
        self.setToolTip(plain(f"{tag_text(self.key)} {name}: {state}"))
        self.setAccessibleName(f"{tag_text(self.key)} {name}")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.key not in movers(self.session.patch):
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        centre = QPointF(self.width() / 2, self.height() / 2)
        paint_tag(painter, centre, self.radius, self.session.patch, self.key)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            pen = QPen(dye("madder"), 1.2)
            pen.setDashPattern([2, 2])
            painter.setPen(pen)
            painter.drawEllipse(centre, self.radius + 1.2, self.radius + 1.2)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press = event.position().toPoint()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        far = (event.position().toPoint() - self._press).manhattanLength() >= QApplication.startDragDistance()
        if self.carried and far and event.buttons() & Qt.MouseButton.LeftButton:
            self.start_drag()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._choose()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._choose()
        else:
            super().keyPressEvent(event)

    def _choose(self) -> None:
        patch = self.session.patch
        part = "modulator" if self.key in patch.modulators else "macro" if self.key in patch.macros else "player"
        self.session.editor.select(part, self.key)
        self.chosen.emit(self.key)

    def enterEvent(self, event: object) -> None:
        self.session.channel.tell(Hovered(self.key))

    def leaveEvent(self, event: object) -> None:
        self.session.channel.tell(Hovered(""))

    def mime(self) -> QMimeData:
        """What is carried while the tag is dragged."""
        data = QMimeData()
        data.setData(THREAD_MIME, QByteArray(self.key.encode()))
        return data

    def start_drag(self) -> None:
        """Begins to carry the tag."""
        drag = QDrag(self.window())
        drag.setMimeData(self.mime())
        picture = clear_pixmap(self.width(), self.devicePixelRatioF())
        self.render(picture)
        drag.setPixmap(picture)
        drag.setHotSpot(QPoint(self.width() // 2, self.height() // 2))
        drag.exec(Qt.DropAction.CopyAction)
