"""Chooser: what can be added, in groups, found as one types, each with its sentence."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import NamedTuple

from PySide6.QtCore import QEvent, QPoint, QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QEnterEvent, QKeyEvent, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from felt_dial.ui.dials.controls import Pill, pressed_button, text_label
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.fonts import body_font

NARROW, COLUMNS = 360, 3
"""Pixels across at least, and how many columns of groups there are."""
WAYS = {
    int(Qt.Key.Key_Left): (-1, 0),
    int(Qt.Key.Key_Right): (1, 0),
    int(Qt.Key.Key_Up): (0, -1),
    int(Qt.Key.Key_Down): (0, 1),
}
"""Where the arrows go: to the right, and down."""
SMALL = QSize(92, 34)
"""Pixels of a picture in the list."""


class Choosable(NamedTuple):
    """Something that can be added: its id, the group it stands in, its name, a sentence, and how it is drawn small."""

    key: str
    group: str
    name: str
    about: str
    draw: Callable[[QSize, float], QPixmap] | None = None


class Offer(Pill):
    """One of them: says what it is while the pointer or the keys are on it."""

    def __init__(self, what: Choosable, choose: Callable[[], None], point: Callable[[], None]) -> None:
        super().__init__(what.name, "offer", choose, what.about)
        self.what, self._point = what, point
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setToolTip("")
        self.picture: QPixmap | None = None
        if what.draw is not None:
            self.setFixedSize(SMALL + QSize(10, 27))

    def draw(self) -> None:
        """Draws its picture."""
        if self.what.draw is not None:
            self.picture = self.what.draw(SMALL, self.devicePixelRatioF())
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.what.draw is None:
            super().paintEvent(event)
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen = bool(self.property("chosen"))
        pen = QPen(dye("madder") if chosen else colour("edge"), 1.6 if chosen else 1.0)
        painter.setPen(pen)
        painter.setBrush(colour("raised"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 7, 7)
        if self.picture is not None:
            painter.drawPixmap(QPoint(5, 5), self.picture)
        painter.setFont(body_font(12, 600))
        painter.setPen(colour("ink"))
        name = painter.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, SMALL.width())
        painter.drawText(self.rect().adjusted(0, SMALL.height() + 6, 0, -3), Qt.AlignmentFlag.AlignCenter, name)

    def enterEvent(self, event: QEnterEvent) -> None:
        super().enterEvent(event)
        self._point()


class Chooser(QWidget):
    """A card that opens at a button. Type to find, arrows to go through what is left, Enter to add, Escape to leave."""

    def __init__(self, near: QWidget, what: Iterable[Choosable], choose: Callable[[str], object], title: str) -> None:
        super().__init__(near.window(), Qt.WindowType.Popup)
        self._choose = choose
        self.setWindowTitle(title)
        self.offers: list[Offer] = []
        self.at = 0
        box = QVBoxLayout(self)
        box.setContentsMargins(18, 14, 18, 14)
        box.setSpacing(10)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Type to find")
        self.search.setAccessibleName(title)
        self.search.textEdited.connect(self._find)
        self.search.installEventFilter(self)
        box.addWidget(self.search)
        self.groups: dict[str, QWidget] = {}
        grouped: dict[str, list[Choosable]] = {}
        for one in what:
            grouped.setdefault(one.group, []).append(one)
        columns = [QVBoxLayout() for _ in range(min(COLUMNS, len(grouped)))]
        heights = [0] * len(columns)
        for group, members in sorted(grouped.items(), key=lambda pair: -len(pair[1])):
            n = heights.index(min(heights))
            heights[n] += -(-len(members) // 2) * 2 + 1
            columns[n].addWidget(self._group(group, members))
        row = QHBoxLayout()
        row.setSpacing(14)
        for column in columns:
            column.addStretch()
            row.addLayout(column, 1)
        box.addLayout(row)
        self.about = text_label("", "label")
        self.about.setWordWrap(True)
        self.about.setFixedHeight(34)
        self.about.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        box.addWidget(self.about)
        self.setMinimumWidth(NARROW)
        self._undrawn = list(self.offers)
        self._drawing = QTimer(self, interval=0)
        self._drawing.timeout.connect(self._draw_one)
        self._drawing.start()
        self._point(0)

    def _group(self, group: str, members: list[Choosable]) -> QWidget:
        """A group under its name: two abreast, or four where there is no other group."""
        holder, first = QWidget(), len(self.offers)
        across = 2 if group else 4
        grid = QGridLayout(holder)
        grid.setHorizontalSpacing(6)
        grid.setContentsMargins(0, 0, 0, 6)
        grid.setVerticalSpacing(6)
        if group:
            label = text_label(group, "small")
            label.setContentsMargins(2, 0, 0, 0)
            grid.addWidget(label, 0, 0, 1, across)
        for one in members:
            n = len(self.offers)
            offer = Offer(one, lambda key=one.key: self.take(key), lambda n=n: self._point(n))  # type: ignore[misc]
            self.offers.append(offer)
            at = len(self.offers) - first
            grid.addWidget(offer, 1 + (at - 1) // across, (at - 1) % across, Qt.AlignmentFlag.AlignLeft)
        self.groups[group] = holder
        return holder

    def _draw_one(self) -> None:
        """The next picture, once everything stands: the list opens before all of them are drawn."""
        if self._undrawn:
            self._undrawn.pop(0).draw()
        else:
            self._drawing.stop()

    def shown(self) -> list[int]:
        """Which of the offers are left."""
        return [n for n, offer in enumerate(self.offers) if not offer.isHidden()]

    def _find(self, text: str) -> None:
        words = text.lower().split()
        for offer in self.offers:
            said = f"{offer.what.name} {offer.what.group} {offer.what.about}".lower()
            offer.setVisible(all(word in said for word in words))
        for holder in self.groups.values():
            holder.setVisible(any(not offer.isHidden() for offer in holder.findChildren(Offer)))
        named = [n for n in self.shown() if words and self.offers[n].what.name.lower().startswith(words[0])]
        left = named or self.shown()
        if left:
            self._point(left[0])
        else:
            self.about.setText(f"Nothing here is called “{text.strip()}” or says so.")

    def _point(self, n: int) -> None:
        """The offer that Enter would add, with its sentence."""
        self.at = n
        for k, offer in enumerate(self.offers):
            offer.setProperty("chosen", k == n)
            offer.style().unpolish(offer)
            offer.style().polish(offer)
        one = self.offers[n].what
        self.about.setText(f"{one.name}: {one.about}")

    def _toward(self, right: int, down: int) -> int:
        """The nearest of those that are left, to one side; the one that is chosen where there is none."""
        here = self._middle(self.at)
        best, least = self.at, float("inf")
        for n in self.shown():
            way = self._middle(n) - here
            along, aside = right * way.x() + down * way.y(), abs(down * way.x() + right * way.y())
            if along > 4 and along + 3 * aside < least:
                best, least = n, along + 3 * aside
        return best

    def _middle(self, n: int) -> QPoint:
        return self.offers[n].mapTo(self, self.offers[n].rect().center())

    def take(self, key: str) -> None:
        """Adds one of them."""
        self.close()
        self._choose(key)

    def eventFilter(self, watched: object, event: QEvent) -> bool:
        if watched is self.search and event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            left, key = self.shown(), int(event.key())
            if key in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab) and left:
                step = 1 if key == Qt.Key.Key_Tab else -1
                self._point(left[(left.index(self.at) + step) % len(left)] if self.at in left else left[0])
                return True
            if key in WAYS and left and not (self.search.text() and WAYS[key][0]):
                self._point(self._toward(*WAYS[key]))
                return True
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                if self.at in left:
                    self.take(self.offers[self.at].what.key)
                return True
        return False

    def open_over(self, over: QWidget, at: QPoint) -> None:
        """Opens around a place of a widget, within the screen."""
        self.resize(self.sizeHint())
        screen = over.screen().availableGeometry()
        place = over.mapToGlobal(at) - QPoint(self.width() // 2, 30)
        place.setX(min(max(place.x(), screen.left() + 4), max(screen.right() - self.width() - 4, screen.left())))
        place.setY(min(max(place.y(), screen.top() + 4), max(screen.bottom() - self.height() - 4, screen.top())))
        self.move(place)
        self.show()
        self.search.setFocus()

    def open_at(self, near: QWidget) -> None:
        """Opens under a widget, or above it where there is no room, within its window and the screen."""
        self.resize(self.sizeHint())
        room = near.screen().availableGeometry().intersected(near.window().frameGeometry())
        if room.width() < self.width() + 8 or room.height() < self.height() + 8:
            room = near.screen().availableGeometry()
        at = near.mapToGlobal(QPoint(0, near.height() + 4))
        if at.y() + self.height() > room.bottom():
            at.setY(max(near.mapToGlobal(QPoint(0, 0)).y() - self.height() - 4, room.top()))
        at.setX(min(max(at.x(), room.left() + 4), room.right() - self.width() - 4))
        self.move(at)
        self.show()
        self.search.setFocus()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("cloth"))
        painter.setPen(QPen(colour("edge"), 1.2))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


def offer(owner: QWidget, what: Iterable[Choosable], choose: Callable[[str], object], title: str) -> Chooser:
    """Opens a chooser at the button that was pressed, or at what it belongs to."""
    near = pressed_button(owner) or owner
    chooser = Chooser(near, what, choose, title)
    chooser.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    chooser.open_at(near)
    return chooser
