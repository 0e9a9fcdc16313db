"""Chooser: what can be added, in groups, found as one types, each with its sentence."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import NamedTuple

from PySide6.QtCore import QEvent, QPoint, Qt
from PySide6.QtGui import QEnterEvent, QKeyEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from felt_dial.ui.dials.controls import Pill, pressed_button, text_label
from felt_dial.ui.theme.colours import colour

WIDE, NARROW, COLUMNS = 640, 360, 4


class Choosable(NamedTuple):
    """Something that can be added: its id, the group it stands in, its name, and a sentence."""

    key: str
    group: str
    name: str
    about: str


class Offer(Pill):
    """One of them: says what it is while the pointer or the keys are on it."""

    def __init__(self, what: Choosable, choose: Callable[[], None], point: Callable[[], None]) -> None:
        super().__init__(what.name, "offer", choose, what.about)
        self.what, self._point = what, point
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setToolTip("")

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
            heights[n] += len(members) + 2
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
        self.setFixedWidth(WIDE if len(columns) > 1 else NARROW)
        self._point(0)

    def _group(self, group: str, members: list[Choosable]) -> QWidget:
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 6)
        grid.setVerticalSpacing(1)
        if group:
            label = text_label(group, "small")
            label.setContentsMargins(10, 0, 0, 0)
            grid.addWidget(label, 0, 0)
        for one in members:
            n = len(self.offers)
            offer = Offer(one, lambda key=one.key: self.take(key), lambda n=n: self._point(n))  # type: ignore[misc]
            self.offers.append(offer)
            grid.addWidget(offer, grid.rowCount(), 0, Qt.AlignmentFlag.AlignLeft)
        self.groups[group] = holder
        return holder

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

    def take(self, key: str) -> None:
        """Adds one of them."""
        self.close()
        self._choose(key)

    def eventFilter(self, watched: object, event: QEvent) -> bool:
        if watched is self.search and event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            left, key = self.shown(), event.key()
            if key in (Qt.Key.Key_Down, Qt.Key.Key_Up, Qt.Key.Key_Tab, Qt.Key.Key_Backtab) and left:
                step = 1 if key in (Qt.Key.Key_Down, Qt.Key.Key_Tab) else -1
                self._point(left[(left.index(self.at) + step) % len(left)] if self.at in left else left[0])
                return True
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                if self.at in left:
                    self.take(self.offers[self.at].what.key)
                return True
        return False

    def open_at(self, near: QWidget) -> None:
        """Opens under a widget, or above it where there is no room, within the screen."""
        self.adjustSize()
        screen = near.screen().availableGeometry()
        at = near.mapToGlobal(QPoint(0, near.height() + 4))
        if at.y() + self.height() > screen.bottom():
            at.setY(max(near.mapToGlobal(QPoint(0, 0)).y() - self.height() - 4, screen.top()))
        at.setX(min(max(at.x(), screen.left() + 4), screen.right() - self.width() - 4))
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
