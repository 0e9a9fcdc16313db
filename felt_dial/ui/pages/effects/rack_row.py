"""A rack as a row of cards, sewn together."""

from __future__ import annotations

from PySide6.QtCore import QMimeData, QPoint, QPointF, QRectF, Qt, QTimer
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
    QResizeEvent,
)
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from felt_dial.bank.snippets import Snippets
from felt_dial.errors import FeltDialError
from felt_dial.patch.edits import add_effect, move_effect, move_to_rack, remove_effect
from felt_dial.patch.module import Effect
from felt_dial.patch.parts import RACK_MOST
from felt_dial.patch.patch import Patch
from felt_dial.patch.ways import arrivals, effect_name
from felt_dial.ui.dials.chooser import Chooser, offer
from felt_dial.ui.dials.controls import Pill, SwitchPill, text_label
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.dials.specimen import choosables
from felt_dial.ui.pictures.registry import picture_of
from felt_dial.ui.session import Session
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.felt import draw_focus
from felt_dial.ui.theme.fonts import body_font

WIDE, NARROW = 134, 82
"""Widths of a card: where there is room for all of the rack, and where there is not."""
NAME, GAP, ADD, GOES, LEAST_ROOM = 124, 12, 98, 48, 1256
"""Widths: its name, between cards, the place for one more, where it goes, and of all in the smallest window."""
EFFECT_MIME = "application/x-felt-dial-effect"


def summary(effect: Effect) -> str:
    """An effect in a few words."""
    if hasattr(effect, "summary"):
        return str(effect.summary())
    named = [(n, effect.params[n]) for n in dials(effect)][:2]
    return ", ".join(p.write(effect.get(n)) for n, p in named)


def dials(effect: Effect) -> list[str]:
    """The parameters of an effect as they are shown: those that have an effect as it is set, wet and level kept last."""
    hidden = {"on", "wet", "kept"} | effect.idle()
    return [name for name in effect.params if name not in hidden] + ["wet", "kept"]


class TakesEffects(QWidget):
    """Something that an effect can be dropped on."""

    def __init__(self, session: Session, rack: str) -> None:
        super().__init__()
        self.session, self.rack = session, rack
        self.setAcceptDrops(True)

    def dropped(self, rack: str, key: str) -> None:
        """An effect of a rack was dropped here."""
        raise AssertionError

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(EFFECT_MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        rack, key = bytes(event.mimeData().data(EFFECT_MIME).data()).decode().split(".")
        event.acceptProposedAction()
        QTimer.singleShot(0, lambda: self.dropped(rack, key))


def _fitted(name: str, metrics: QFontMetrics, room: int) -> str:
    """A name in so much room: its number stays, the word before it is cut."""
    word, _, number = name.rpartition(" ")
    if metrics.horizontalAdvance(name) <= room or not number.isdigit():
        return name
    return (
        metrics.elidedText(word, Qt.TextElideMode.ElideRight, room - metrics.horizontalAdvance(f" {number}"))
        + f" {number}"
    )


class EffectCard(TakesEffects):
    """One effect of the rack; a narrow one leaves its values in words to the tool tip."""

    def __init__(self, session: Session, rack: str, key: str, narrow: bool) -> None:
        super().__init__(session, rack)
        self.key, self.narrow = key, narrow
        self.setFixedSize(NARROW if narrow else WIDE, 96)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._press = QPoint()
        name = effect_name(session.patch, rack, key)
        self.setAccessibleName(f"{name} in rack {rack}")
        layout = QGridLayout(self)
        layout.setContentsMargins(6 if narrow else 9, 6, 6 if narrow else 9, 5)
        layout.setSpacing(3)
        title = text_label(name, "value")
        if narrow:
            title.ensurePolished()
            title.setText(_fitted(name, title.fontMetrics(), NARROW - 13))
        layout.addWidget(title, 0, 0)
        switch = SwitchPill(session, f"racks.{rack}.{key}.on", "On")
        if narrow:
            layout.addWidget(switch, 2, 0, 1, 2, Qt.AlignmentFlag.AlignHCenter)
        else:
            layout.addWidget(switch, 0, 1, Qt.AlignmentFlag.AlignRight)
        picture = picture_of(session, f"racks.{rack}.{key}", "weld")
        picture.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        layout.addWidget(picture, 1, 0, 1, 2)
        self.summary = text_label("", "small")
        if not narrow:
            layout.addWidget(self.summary, 2, 0, 1, 2)
        layout.setRowStretch(1, 1)
        self.follow()

    def follow(self) -> None:
        """Shows its values in words."""
        effect = self.session.patch.racks[self.rack].get(self.key)
        if effect is not None:
            text = summary(effect)
            self.summary.setText(self.summary.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 114))
            self.setToolTip(
                f"{effect_name(self.session.patch, self.rack, self.key)}: {text}\n{effect.about()}\n"
                "Drag to reorder, Alt+Left and Alt+Right move it, Delete removes it"
            )
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen = (self.session.rack, self.session.effect) == (self.rack, self.key)
        painter.setPen(QPen(dye("madder") if chosen else colour("edge"), 1.8 if chosen else 1))
        painter.setBrush(colour("cloth"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)
        if self.hasFocus():
            draw_focus(painter, QRectF(self.rect()).adjusted(3.5, 3.5, -3.5, -3.5), 6)

    def choose(self) -> None:
        """Shows it large."""
        self.session.choose_effect(self.rack, self.key)
        self.session.selected.emit()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press = event.position().toPoint()
        self.choose()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if (event.position().toPoint() - self._press).manhattanLength() > 12:
            drag, data = QDrag(self.window()), QMimeData()
            data.setData(EFFECT_MIME, f"{self.rack}.{self.key}".encode())
            drag.setMimeData(data)
            drag.setPixmap(self.grab())
            drag.exec(Qt.DropAction.MoveAction)

    def dropped(self, rack: str, key: str) -> None:
        """It takes this one's place."""
        to = list(self.session.patch.racks[self.rack]).index(self.key)
        if rack == self.rack:
            self.move_to(key, to)
        else:
            self.take_in(rack, key, to)

    def take_in(self, rack: str, key: str, place: int) -> None:
        """An effect of the other rack comes to a place of this one."""
        take_in(self.session, rack, key, self.rack, place)

    def move_to(self, key: str, place: int) -> None:
        """Moves an effect of the rack to a place."""
        place = min(max(place, 0), len(self.session.patch.racks[self.rack]) - 1)
        title = effect_name(self.session.patch, self.rack, key)
        self.session.edit(move_effect(self.session.patch, self.rack, key, place), f"move {title} to place {place + 1}")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        place = list(self.session.patch.racks[self.rack]).index(self.key)
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.choose()
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and alt:
            self.move_to(self.key, place + (1 if event.key() == Qt.Key.Key_Right else -1))
        elif event.key() == Qt.Key.Key_Delete:
            title = effect_name(self.session.patch, self.rack, self.key)
            self.session.edit(remove_effect(self.session.patch, self.rack, self.key), f"remove {title}")
        else:
            super().keyPressEvent(event)


def take_in(session: Session, rack: str, key: str, other: str, place: int) -> None:
    """Moves an effect from one rack to a place of the other; its threads go with it."""
    try:
        patch, fresh = move_to_rack(session.patch, rack, key, other, place)
    except FeltDialError as wrong:
        session.say(str(wrong), problem=True)
        return
    session.choose_effect(other, fresh)
    session.edit(patch, f"move {effect_name(patch, other, fresh)} to rack {other}")


class Rack(TakesEffects):
    """A chain of effects, sewn together; an effect of the other one can be dropped behind its last."""

    def __init__(self, session: Session, rack: str) -> None:
        super().__init__(session, rack)
        self.setFixedHeight(104)
        self.cards: dict[str, EffectCard] = {}
        self.chooser: Chooser | None = None
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(0, 4, 0, 4)
        self.narrow = False

    def _is_narrow(self) -> bool:
        """True where wide cards would not all fit beside its name, the place for one more and where it goes."""
        room = self.width() if self.isVisible() else LEAST_ROOM
        count = len(self.session.patch.racks[self.rack])
        return NAME + count * (GAP + WIDE) + (GAP + ADD if count < RACK_MOST else 0) + GOES > room

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self.isVisible() and self._is_narrow() != self.narrow:
            QTimer.singleShot(0, self.rebuild)

    def rebuild(self) -> None:
        """Lays out the cards."""
        clear(self.row)
        idle = not self.session.patch.racks[self.rack]
        self.setFixedHeight(62 if idle else 104)
        name = QWidget()
        name.setFixedWidth(NAME)
        column = QVBoxLayout(name)
        column.setContentsMargins(8, 0 if idle else 6, 0, 0)
        column.setSpacing(2)
        column.addWidget(text_label(f"Rack {self.rack}", "name"))
        self.comes, self.goes = text_label("", "small"), text_label("", "small")
        column.addWidget(self.comes)
        column.addWidget(self.goes)
        column.addStretch()
        self.row.addWidget(name)
        effects = self.session.patch.racks[self.rack]
        self.narrow = self._is_narrow()
        self.row.setSpacing(7 if self.narrow else GAP)
        self.cards = {key: EffectCard(self.session, self.rack, key, self.narrow) for key in effects}
        for card in self.cards.values():
            self.row.addWidget(card)
        if len(effects) < RACK_MOST:
            add = Pill("+ Effect", "add", self.menu, "Add an effect at the end")
            add.setFixedSize(64 if self.narrow else ADD, 50 if idle else 94)
            self.row.addWidget(add)
        self.row.addStretch()
        self.follow()

    def follow(self) -> None:
        """Says what comes to the rack and where it goes, and lets its cards show their values."""
        patch = self.session.patch
        found = arrivals(patch, "rack" if self.rack == "1" else "rack2")
        joins = patch.rack2 == "rack"
        if self.rack == "1" and joins and arrivals(patch, "rack2"):
            found.append("rack 2")
        self.comes.setText(f"from {', '.join(found)}" if found else "from no layer yet")
        self.goes.setText(f"to {'rack 1' if self.rack == '2' and joins else 'the output'}, as one chord")
        for card in self.cards.values():
            card.follow()
        self.update()

    def menu(self) -> None:
        """Every effect there is, in groups."""
        what = choosables(Effect, sorted(Effect.kinds, key=lambda kind: Effect.kinds[kind].title))
        self.chooser = offer(self, what, self.add, f"Add an effect to rack {self.rack}")

    def add(self, kind: str) -> None:
        """Adds an effect and shows it."""
        fresh = Snippets(self.session.library.root).fresh(Effect.kinds[kind]())
        self.put(fresh, f"add {fresh.title}")

    def put(self, effect: Effect, says: str) -> None:
        """An effect at the end, shown large."""
        made: list[str] = []

        def make() -> Patch:
            patch, key = add_effect(self.session.patch, self.rack, effect)
            made.append(key)
            return patch

        if self.session.try_edit(make, says):
            self.session.choose_effect(self.rack, made[0])
            self.session.selected.emit()

    def dropped(self, rack: str, key: str) -> None:
        """An effect of the other rack comes behind the last."""
        if rack != self.rack:
            take_in(self.session, rack, key, self.rack, len(self.session.patch.racks[self.rack]))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        pen = QPen(colour("soft"), 1.4)
        pen.setDashPattern([4, 3])
        painter.setPen(pen)
        y = self.height() / 2
        items = [item for n in range(self.row.count()) if (item := self.row.itemAt(n))]
        edges = [(w.x(), w.x() + w.width()) for item in items if (w := item.widget())]
        for (_, right), (left, _) in zip(edges, [*edges[1:], (self.width() - 40, 0)], strict=True):
            painter.drawLine(QPointF(right + 1, y), QPointF(left - 1, y))
        painter.setPen(colour("soft"))
        painter.setFont(body_font(12))
        painter.drawText(QRectF(self.width() - 38, y - 9, 38, 18), Qt.AlignmentFlag.AlignCenter, self._where())

    def _where(self) -> str:
        return "rack 1" if self.rack == "2" and self.session.patch.rack2 == "rack" else "output"
