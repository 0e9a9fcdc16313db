"""A rack as a row of cards, sewn together."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QMimeData, QPoint, QPointF, QRect, QRectF, Qt, QTimer
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
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QMenu, QVBoxLayout, QWidget

from felt_dial.bank.library.snippets import Snippets
from felt_dial.errors import FeltDialError
from felt_dial.patch.edits import add_effects, move_effect, move_to_rack, remove_effects
from felt_dial.patch.module import Effect
from felt_dial.patch.parts import RACK_MOST
from felt_dial.patch.patch import Patch
from felt_dial.patch.routing import effect_name, inputs_of
from felt_dial.session.session import Session
from felt_dial.session.topics import Selected
from felt_dial.ui.dials.chooser import Chooser, offer
from felt_dial.ui.dials.controls import Pill, SwitchPill, text_label
from felt_dial.ui.dials.entry import Entry
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.dials.snippet_button import throw_away
from felt_dial.ui.dials.specimen import choosables
from felt_dial.ui.pictures.registry import picture_of
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.felt import draw_focus
from felt_dial.ui.theme.fonts import body_font
from felt_dial.ui.theme.words import item

WIDE, NARROW = 134, 82
"""Widths of a card: where there is room for all of the rack, and where there is not."""
NAME, GAP, ADD, GOES, LEAST_ROOM = 132, 12, 98, 48, 1256
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

    def __init__(self, home: Rack, key: str, narrow: bool) -> None:
        session, rack = home.session, home.rack
        super().__init__(session, rack)
        self.home, self.key, self.narrow = home, key, narrow
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
                "Drag to reorder, Alt+Left and Alt+Right move it, Delete removes it\n"
                "With Ctrl or Shift several are chosen: to copy, to remove, to keep as a chain"
            )
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shown = (self.session.editor.rack, self.session.editor.effect) == (self.rack, self.key)
        beside = self.key in self.home.several
        pen = QPen(dye("madder") if shown or beside else colour("edge"), 1.8 if shown or beside else 1)
        if beside and not shown:
            pen.setDashPattern([3, 2])
        painter.setPen(pen)
        painter.setBrush(colour("cloth"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)
        if self.hasFocus():
            draw_focus(painter, QRectF(self.rect()).adjusted(3.5, 3.5, -3.5, -3.5), 6)

    def choose(self, how: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        """Shows it large; with Shift or Ctrl it is chosen beside the others."""
        self.home.choose(self.key, how)
        self.session.editor.choose_effect(self.rack, self.key)
        self.session.channel.tell(Selected())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press = event.position().toPoint()
        self.choose(event.modifiers())

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
        self.session.editor.edit(
            move_effect(self.session.patch, self.rack, key, place), f"move {title} to place {place + 1}"
        )

    def keyPressEvent(self, event: QKeyEvent) -> None:
        place = list(self.session.patch.racks[self.rack]).index(self.key)
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.choose(event.modifiers())
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and alt:
            self.move_to(self.key, place + (1 if event.key() == Qt.Key.Key_Right else -1))
        elif event.key() == Qt.Key.Key_Delete:
            self.home.remove(self.home.held(self.key))
        else:
            super().keyPressEvent(event)


def take_in(session: Session, rack: str, key: str, other: str, place: int) -> None:
    """Moves an effect from one rack to a place of the other; its threads go with it."""
    try:
        patch, fresh = move_to_rack(session.patch, rack, key, other, place)
    except FeltDialError as wrong:
        session.say(str(wrong), problem=True)
        return
    session.editor.choose_effect(other, fresh)
    session.editor.edit(patch, f"move {effect_name(patch, other, fresh)} to rack {other}")


class Rack(TakesEffects):
    """A chain of effects, sewn together; an effect of the other one can be dropped behind its last."""

    def __init__(self, session: Session, rack: str) -> None:
        super().__init__(session, rack)
        self.setFixedHeight(104)
        self.cards: dict[str, EffectCard] = {}
        self.several: set[str] = set()
        self.entry: Entry | None = None
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
        head = QHBoxLayout()
        head.setSpacing(10)
        head.addWidget(text_label(f"Rack {self.rack}", "name"))
        self.chains = Pill(
            "Chains…",
            "small",
            self._open_chains,
            "Several effects in their order, kept by name: add some, or keep these",
        )
        head.addWidget(self.chains)
        head.addStretch()
        column.addLayout(head)
        self.comes, self.goes = text_label("", "small"), text_label("", "small")
        column.addWidget(self.comes)
        column.addWidget(self.goes)
        column.addStretch()
        self.row.addWidget(name)
        effects = self.session.patch.racks[self.rack]
        self.narrow = self._is_narrow()
        self.row.setSpacing(7 if self.narrow else GAP)
        self.cards = {key: EffectCard(self, key, self.narrow) for key in effects}
        self.several &= set(effects)
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
        found = inputs_of(patch, "rack" if self.rack == "1" else "rack2")
        joins = patch.rack2 == "rack"
        if self.rack == "1" and joins and inputs_of(patch, "rack2"):
            found.append("rack 2")
        self.comes.setText(f"from {', '.join(found)}" if found else "from no layer yet")
        self.goes.setText(f"to {'rack 1' if self.rack == '2' and joins else 'the output'}, as one chord")
        for card in self.cards.values():
            card.follow()
        self.update()

    def choose(self, key: str, how: Qt.KeyboardModifier) -> None:
        """An effect is chosen alone, beside the others (Ctrl), or with all up to the one that is shown (Shift)."""
        order = list(self.session.patch.racks[self.rack])
        shown = self.session.editor.effect if self.session.editor.rack == self.rack else ""
        if how & Qt.KeyboardModifier.ControlModifier:
            self.several = (self.several or {shown} & set(order)) ^ {key}
        elif how & Qt.KeyboardModifier.ShiftModifier and shown in order:
            first, last = sorted((order.index(shown), order.index(key)))
            self.several |= set(order[first : last + 1])
        else:
            self.several = set()
        for card in self.cards.values():
            card.update()

    def held(self, key: str) -> list[str]:
        """The effects that are chosen, in their order, where this one is of them; else this one alone."""
        chosen = self.several if key in self.several else {key}
        return [other for other in self.session.patch.racks[self.rack] if other in chosen]

    def remove(self, keys: list[str]) -> None:
        """Takes effects out of the rack, as one step."""
        name = effect_name(self.session.patch, self.rack, keys[0]) if len(keys) == 1 else f"{len(keys)} effects"
        self.session.editor.edit(remove_effects(self.session.patch, self.rack, keys), f"remove {name}")

    @property
    def kept(self) -> Snippets:
        """Snippets and chains of the library that is open."""
        return Snippets(self.session.shelf.library.root)

    def menu(self) -> None:
        """Every effect there is, in groups."""
        what = choosables(Effect, sorted(Effect.kinds, key=lambda kind: Effect.kinds[kind].title))
        self.chooser = offer(self, what, self.add, f"Add an effect to rack {self.rack}")

    def add(self, kind: str) -> None:
        """Adds an effect and shows it."""
        fresh = self.kept.fresh(Effect.kinds[kind]())
        self.put([fresh], f"add {fresh.title}")

    def put(self, effects: Sequence[Effect], says: str) -> None:
        """Effects at the end, the last one shown large."""
        made: list[str] = []

        def make() -> Patch:
            patch, made[:] = add_effects(self.session.patch, self.rack, effects)
            return patch

        if self.session.editor.try_edit(make, says):
            self.several = set(made) if len(made) > 1 else set()
            self.session.editor.choose_effect(self.rack, made[-1])
            self.session.channel.tell(Selected())

    def chain_menu(self) -> QMenu:
        """The chains there are, and what can be kept as one."""
        menu = QMenu(self)
        kept, effects = self.kept, self.session.patch.racks[self.rack]
        chains = kept.chains()
        for chain in chains:
            of = ", ".join(effect.title.lower() for effect in chain.effects)
            menu.addAction(item(f"{chain.name}: {of}"), lambda c=chain: self.put(c.effects, f"add {c.name}"))
        menu.addSeparator()
        if self.several:
            chosen = [effect for key, effect in effects.items() if key in self.several]
            menu.addAction(f"Keep the {len(chosen)} chosen…", lambda: self.ask_name(chosen))
        whole = menu.addAction("Keep the whole rack…", lambda: self.ask_name(list(effects.values())))
        whole.setEnabled(bool(effects))
        own = [chain for chain in chains if not chain.shipped]
        if own:
            away = menu.addMenu("Throw away")
            for chain in own:
                away.addAction(item(chain.name), lambda c=chain: throw_away(self.session, kept, c))
        if kept.problems:
            self.session.say(kept.problems[0], problem=True)
        return menu

    def _open_chains(self) -> None:
        self.chain_menu().exec(self.chains.mapToGlobal(self.chains.rect().bottomLeft()))

    def ask_name(self, effects: Sequence[Effect]) -> None:
        """Opens the line in which a chain is named."""
        self.entry = Entry(
            self, QRect(8, 30, 170, 22), "", lambda name: self.keep(name, effects), "Name of the chain of effects"
        )
        self.entry.setPlaceholderText("a name for the chain")

    def keep(self, name: str, effects: Sequence[Effect]) -> None:
        """Keeps effects as a chain; raises `CannotWrite`, which the entry shows."""
        made = self.kept.save_chain(name, effects)
        self.session.say(f"Kept {made.name}: a chain of {len(made.effects)}. It is under Chains… of both racks.")

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
