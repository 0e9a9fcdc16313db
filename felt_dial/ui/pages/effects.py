"""The Effects page: the rack as a row of cards, and the chosen effect large."""

from __future__ import annotations

from PySide6.QtCore import QMimeData, QPoint, QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import QDrag, QDragEnterEvent, QDropEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QMenu, QSizePolicy, QVBoxLayout, QWidget

from felt_dial.bank.snippets import Snippets
from felt_dial.patch.edits import add_effect, move_effect, remove_effect
from felt_dial.patch.patch import path_exists
from felt_dial.sound.modules import Effect
from felt_dial.ui.cloth import Empty, Wool, colour, dye, reading
from felt_dial.ui.dials.clearing import clear
from felt_dial.ui.dials.controls import Pill, SwitchPill, control_for, text_label
from felt_dial.ui.dials.snippet import SnippetPill
from felt_dial.ui.inspector import Card
from felt_dial.ui.pictures.effects import effect_picture
from felt_dial.ui.session import Session
from felt_dial.ui.thread_list import ThreadList

RACK = "1"
EFFECT_MIME = "application/x-felt-dial-effect"


def summary(effect: Effect) -> str:
    """An effect in a few words."""
    if hasattr(effect, "summary"):
        return str(effect.summary())
    named = [(n, p) for n, p in effect.params.items() if n != "on"][:2]
    return ", ".join(p.write(effect.get(n)) for n, p in named)


class EffectCard(QWidget):
    """One effect of the rack."""

    def __init__(self, session: Session, key: str) -> None:
        super().__init__()
        self.session, self.key = session, key
        self.setFixedSize(134, 96)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAcceptDrops(True)
        self._press = QPoint()
        effect = session.patch.racks[RACK][key]
        self.setAccessibleName(f"{effect.title} in rack 1")
        self.setToolTip(f"{effect.about()}\nDrag to reorder, Alt+Left and Alt+Right move it, Delete removes it")
        layout = QGridLayout(self)
        layout.setContentsMargins(9, 6, 9, 5)
        layout.setSpacing(3)
        layout.addWidget(text_label(effect.title, "value"), 0, 0)
        switch = SwitchPill(session, f"racks.{RACK}.{key}.on", "On")
        layout.addWidget(switch, 0, 1, Qt.AlignmentFlag.AlignRight)
        picture = effect_picture(session, f"racks.{RACK}.{key}", "weld")
        picture.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        layout.addWidget(picture, 1, 0, 1, 2)
        self.summary = text_label("", "small")
        layout.addWidget(self.summary, 2, 0, 1, 2)
        layout.setRowStretch(1, 1)
        self.follow()

    def follow(self) -> None:
        """Shows its values in words."""
        effect = self.session.patch.racks[RACK].get(self.key)
        if effect is not None:
            text = summary(effect)
            self.summary.setText(self.summary.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 114))
            self.summary.setToolTip(text)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen = self.session.effect == self.key
        painter.setPen(QPen(dye("madder") if chosen else colour("edge"), 1.8 if chosen else 1))
        painter.setBrush(colour("cloth"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)
        if self.hasFocus():
            pen = QPen(dye("madder"), 1.2)
            pen.setDashPattern([3, 2.4])
            painter.setPen(pen)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(3.5, 3.5, -3.5, -3.5), 6, 6)

    def choose(self) -> None:
        """Shows it large."""
        self.session.effect = self.key
        self.session.selected.emit()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press = event.position().toPoint()
        self.choose()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if (event.position().toPoint() - self._press).manhattanLength() > 12:
            drag, data = QDrag(self.window()), QMimeData()
            data.setData(EFFECT_MIME, self.key.encode())
            drag.setMimeData(data)
            drag.setPixmap(self.grab())
            drag.exec(Qt.DropAction.MoveAction)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(EFFECT_MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        moved = bytes(event.mimeData().data(EFFECT_MIME).data()).decode()
        event.acceptProposedAction()
        to = list(self.session.patch.racks[RACK]).index(self.key)
        QTimer.singleShot(0, lambda: self.move_to(moved, to))

    def move_to(self, key: str, place: int) -> None:
        """Moves an effect of the rack to a place."""
        place = min(max(place, 0), len(self.session.patch.racks[RACK]) - 1)
        title = self.session.patch.racks[RACK][key].title
        self.session.edit(move_effect(self.session.patch, RACK, key, place), f"move {title} to place {place + 1}")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        place = list(self.session.patch.racks[RACK]).index(self.key)
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.choose()
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and alt:
            self.move_to(self.key, place + (1 if event.key() == Qt.Key.Key_Right else -1))
        elif event.key() == Qt.Key.Key_Delete:
            title = self.session.patch.racks[RACK][self.key].title
            self.session.edit(remove_effect(self.session.patch, RACK, self.key), f"remove {title}")
        else:
            super().keyPressEvent(event)


class Rack(QWidget):
    """The chain of effects, sewn together."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedHeight(104)
        self.cards: dict[str, EffectCard] = {}
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(0, 4, 0, 4)
        self.row.setSpacing(12)

    def rebuild(self) -> None:
        """Lays out the cards."""
        clear(self.row)
        name = QWidget()
        name.setFixedWidth(124)
        column = QVBoxLayout(name)
        column.setContentsMargins(8, 6, 0, 0)
        column.setSpacing(2)
        column.addWidget(text_label("Rack 1", "name"))
        letters = " ".join(key.upper() for key in self.session.patch.layers)
        column.addWidget(text_label(f"from layers {letters}", "small"))
        column.addWidget(text_label("one for the whole chord", "small"))
        column.addStretch()
        self.row.addWidget(name)
        self.cards = {key: EffectCard(self.session, key) for key in self.session.patch.racks[RACK]}
        for card in self.cards.values():
            self.row.addWidget(card)
        add = Pill("+ Effect", "add", self.menu, "Add an effect at the end")
        add.setFixedSize(98, 94)
        self.row.addWidget(add)
        self.row.addStretch()

    def menu(self) -> None:
        """Every effect there is."""
        menu = QMenu(self)
        for kind, cls in sorted(Effect.kinds.items(), key=lambda item: item[1].title):
            menu.addAction(f"{cls.title}: {cls.about()}", lambda k=kind: self.add(k))
        menu.exec(self.mapToGlobal(self.rect().center()))

    def add(self, kind: str) -> None:
        """Adds an effect and shows it."""
        made: list[str] = []

        def make() -> object:
            fresh = Snippets(self.session.library.root).fresh(Effect.kinds[kind]())
            patch, key = add_effect(self.session.patch, RACK, fresh)
            made.append(key)
            return patch

        if self.session.try_edit(make, f"add {Effect.kinds[kind].title}"):  # type: ignore[arg-type]
            self.session.effect = made[0]
            self.session.selected.emit()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        pen = QPen(colour("soft"), 1.4)
        pen.setDashPattern([4, 3])
        painter.setPen(pen)
        y = self.height() / 2
        stops = [self.row.itemAt(n).widget() for n in range(self.row.count())]
        edges = [(w.x(), w.x() + w.width()) for w in stops if w is not None]
        for (_, right), (left, _) in zip(edges, [*edges[1:], (self.width() - 40, 0)], strict=True):
            painter.drawLine(QPointF(right + 1, y), QPointF(left - 1, y))
        painter.setPen(colour("soft"))
        painter.setFont(reading(12))
        painter.drawText(QRectF(self.width() - 38, y - 9, 38, 18), Qt.AlignmentFlag.AlignCenter, "output")


class EffectsPage(Wool):
    """Rack 1 and its chosen effect."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 10)
        layout.setSpacing(8)
        self.rack = Rack(session)
        layout.addWidget(self.rack)
        self.card = Card("weld")
        self.card.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.body = QVBoxLayout(self.card)
        self.body.setContentsMargins(16, 12, 16, 12)
        layout.addWidget(self.card, 1)
        self.threads = ThreadList(session)
        session.rebuilt.connect(self.rebuild)
        session.selected.connect(self._show)
        session.changed.connect(self._follow)
        session.focused.connect(lambda _: self._list_threads())
        self.rebuild()

    def rebuild(self) -> None:
        """Lays out rack and effect anew."""
        if self.session.effect not in self.session.patch.racks[RACK]:
            self.session.effect = next(iter(self.session.patch.racks[RACK]), "")
        self.rack.rebuild()
        self._show()

    def _follow(self) -> None:
        for card in self.rack.cards.values():
            card.follow()
        self._list_threads()

    def _show(self) -> None:
        for card in self.rack.cards.values():
            card.update()
        clear(self.body)
        key = self.session.effect
        if key not in self.session.patch.racks[RACK]:
            self.body.addWidget(
                Empty("An effect that you add to the rack is shown here, large, with the picture that suits it.")
            )
            return
        effect = self.session.patch.racks[RACK][key]
        path = f"racks.{RACK}.{key}"
        head = QHBoxLayout()
        head.addWidget(text_label(effect.title, "title"))
        place = list(self.session.patch.racks[RACK]).index(key) + 1
        head.addWidget(text_label(f"Rack 1, place {place}. {effect.about()}"))
        head.addStretch()
        head.addWidget(SwitchPill(self.session, path + ".on", "On", part="pill"))
        head.addWidget(SnippetPill(self.session, path))
        remove = Pill("Remove", "pill", tip="Remove this effect and its threads")
        remove.clicked.connect(
            lambda: self.session.edit(remove_effect(self.session.patch, RACK, key), f"remove {effect.title}")
        )
        head.addWidget(remove)
        self.body.addLayout(head)
        row = QHBoxLayout()
        row.setSpacing(18)
        row.addWidget(effect_picture(self.session, path, "weld", large=True), 1)
        side = QVBoxLayout()
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(8)
        names = [name for name in effect.params if name != "on"]
        for n, name in enumerate(names):
            grid.addWidget(
                control_for(self.session, f"{path}.{name}", "weld", 20), n // 3, n % 3, Qt.AlignmentFlag.AlignTop
            )
        side.addLayout(grid)
        side.addSpacing(8)
        self.threads.setFixedWidth(300)
        side.addWidget(self.threads)
        self.threads.show()
        side.addStretch()
        row.addLayout(side)
        self.body.addLayout(row, 1)
        self._list_threads()

    def _list_threads(self) -> None:
        key, path = self.session.effect, self.session.focus_path
        if key not in self.session.patch.racks[RACK]:
            return
        on = [k for k, t in self.session.patch.threads.items() if t.target.startswith(f"racks.{RACK}.{key}.")]
        if path.startswith(f"racks.{RACK}.{key}.") and path_exists(self.session.patch, path):
            on = [k for k in on if self.session.patch.threads[k].target == path] or on
        self.threads.show_threads("Threads on this effect", on, by_target=False)
