"""The Effects page: the rack as a row of cards, and the chosen effect large."""

from __future__ import annotations

from PySide6.QtCore import QMimeData, QPoint, QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import QDrag, QDragEnterEvent, QDropEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QMenu, QSizePolicy, QVBoxLayout, QWidget

from felt_dial.bank.snippets import Snippets
from felt_dial.errors import FeltDialError
from felt_dial.patch.edits import add_effect, move_effect, move_to_rack, remove_effect
from felt_dial.patch.params import Choice
from felt_dial.patch.patch import path_exists, sounding
from felt_dial.sound.effects.equaliser import BANDS
from felt_dial.sound.effects.equaliser import Equaliser as Banded
from felt_dial.sound.modules import Effect
from felt_dial.ui.cloth import Empty, Wool, colour, dye, reading
from felt_dial.ui.dials.clearing import clear
from felt_dial.ui.dials.controls import Pill, Scroller, SwitchPill, Upright, control_for, text_label
from felt_dial.ui.dials.snippet import SnippetPill
from felt_dial.ui.inspector import Card
from felt_dial.ui.pictures import levels as _levels  # noqa: F401  (enters its pictures)
from felt_dial.ui.pictures.curves import EqualiserPicture
from felt_dial.ui.pictures.effects import effect_picture
from felt_dial.ui.pictures.lines import LineEditor
from felt_dial.ui.session import Session
from felt_dial.ui.thread_list import ThreadList

COLUMNS, SIDE = 4, 322
EFFECT_MIME = "application/x-felt-dial-effect"


def summary(effect: Effect) -> str:
    """An effect in a few words."""
    if hasattr(effect, "summary"):
        return str(effect.summary())
    named = [(n, effect.params[n]) for n in dials(effect)][:2]
    return ", ".join(p.write(effect.get(n)) for n, p in named)


def dials(effect: Effect) -> list[str]:
    """The parameters of an effect as they are shown: those that have an effect as it is set, wet and level kept last."""
    hidden = {"on", "wet", "kept"}
    if "way" in effect.params and "bits" in effect.params:
        hidden |= set() if effect.get("way") == "reduce" else {"bits", "hold"}
        hidden |= set() if effect.get("way") == "drawn" else {"odd"}
    if "counted" in effect.params:
        hidden |= {"cutoff", "follow"} if effect.get("counted") == "key" else {"distance"}
    if effect.kind == "gate":  # type: ignore[attr-defined]
        hidden |= {f"s{n}" for n in range(int(effect.number("steps")) + 1, 17)}
    return [name for name in effect.params if name not in hidden] + ["wet", "kept"]


class EffectCard(QWidget):
    """One effect of the rack."""

    def __init__(self, session: Session, rack: str, key: str) -> None:
        super().__init__()
        self.session, self.rack, self.key = session, rack, key
        self.setFixedSize(134, 96)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAcceptDrops(True)
        self._press = QPoint()
        effect = session.patch.racks[rack][key]
        self.setAccessibleName(f"{effect.title} in rack {rack}")
        self.setToolTip(f"{effect.about()}\nDrag to reorder, Alt+Left and Alt+Right move it, Delete removes it")
        layout = QGridLayout(self)
        layout.setContentsMargins(9, 6, 9, 5)
        layout.setSpacing(3)
        layout.addWidget(text_label(effect.title, "value"), 0, 0)
        switch = SwitchPill(session, f"racks.{rack}.{key}.on", "On")
        layout.addWidget(switch, 0, 1, Qt.AlignmentFlag.AlignRight)
        picture = effect_picture(session, f"racks.{rack}.{key}", "weld")
        picture.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        layout.addWidget(picture, 1, 0, 1, 2)
        self.summary = text_label("", "small")
        layout.addWidget(self.summary, 2, 0, 1, 2)
        layout.setRowStretch(1, 1)
        self.follow()

    def follow(self) -> None:
        """Shows its values in words."""
        effect = self.session.patch.racks[self.rack].get(self.key)
        if effect is not None:
            text = summary(effect)
            self.summary.setText(self.summary.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 114))
            self.summary.setToolTip(text)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chosen = (self.session.rack, self.session.effect) == (self.rack, self.key)
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

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(EFFECT_MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        rack, key = bytes(event.mimeData().data(EFFECT_MIME).data()).decode().split(".")
        event.acceptProposedAction()
        to = list(self.session.patch.racks[self.rack]).index(self.key)
        QTimer.singleShot(0, lambda: self.move_to(key, to) if rack == self.rack else self.take_in(rack, key, to))

    def take_in(self, rack: str, key: str, place: int) -> None:
        """An effect of the other rack comes to a place of this one."""
        take_in(self.session, rack, key, self.rack, place)

    def move_to(self, key: str, place: int) -> None:
        """Moves an effect of the rack to a place."""
        place = min(max(place, 0), len(self.session.patch.racks[self.rack]) - 1)
        title = self.session.patch.racks[self.rack][key].title
        self.session.edit(move_effect(self.session.patch, self.rack, key, place), f"move {title} to place {place + 1}")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        place = list(self.session.patch.racks[self.rack]).index(self.key)
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.choose()
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and alt:
            self.move_to(self.key, place + (1 if event.key() == Qt.Key.Key_Right else -1))
        elif event.key() == Qt.Key.Key_Delete:
            title = self.session.patch.racks[self.rack][self.key].title
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
    session.edit(patch, f"move {patch.racks[other][fresh].title} to rack {other}")


class Rack(QWidget):
    """A chain of effects, sewn together; an effect of the other one can be dropped behind its last."""

    def __init__(self, session: Session, rack: str) -> None:
        super().__init__()
        self.session, self.rack = session, rack
        self.setAcceptDrops(True)
        self.setFixedHeight(104)
        self.cards: dict[str, EffectCard] = {}
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(0, 4, 0, 4)
        self.row.setSpacing(12)

    def rebuild(self) -> None:
        """Lays out the cards."""
        clear(self.row)
        idle = not self.session.patch.racks[self.rack]
        self.setFixedHeight(62 if idle else 104)
        name = QWidget()
        name.setFixedWidth(124)
        column = QVBoxLayout(name)
        column.setContentsMargins(8, 0 if idle else 6, 0, 0)
        column.setSpacing(2)
        patch = self.session.patch
        column.addWidget(text_label(f"Rack {self.rack}", "name"))
        goes = "rack" if self.rack == "1" else "rack2"
        letters = " ".join(key.upper() for key, layer in patch.layers.items() if layer.out == goes)
        column.addWidget(text_label(f"from {letters}" if letters else "from no layer yet", "small"))
        joins = "rack 1" if self.rack == "2" and patch.rack2 == "rack" else "the output"
        column.addWidget(text_label(f"to {joins}, as one chord", "small"))
        column.addStretch()
        self.row.addWidget(name)
        self.cards = {key: EffectCard(self.session, self.rack, key) for key in self.session.patch.racks[self.rack]}
        for card in self.cards.values():
            self.row.addWidget(card)
        add = Pill("+ Effect", "add", self.menu, "Add an effect at the end")
        add.setFixedSize(98, 50 if idle else 94)
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
            patch, key = add_effect(self.session.patch, self.rack, fresh)
            made.append(key)
            return patch

        if self.session.try_edit(make, f"add {Effect.kinds[kind].title}"):  # type: ignore[arg-type]
            self.session.choose_effect(self.rack, made[0])
            self.session.selected.emit()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(EFFECT_MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        rack, key = bytes(event.mimeData().data(EFFECT_MIME).data()).decode().split(".")
        event.acceptProposedAction()
        if rack != self.rack:
            place = len(self.session.patch.racks[self.rack])
            QTimer.singleShot(0, lambda: take_in(self.session, rack, key, self.rack, place))

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
        painter.drawText(QRectF(self.width() - 38, y - 9, 38, 18), Qt.AlignmentFlag.AlignCenter, self._where())

    def _where(self) -> str:
        return "rack 1" if self.rack == "2" and self.session.patch.rack2 == "rack" else "output"


class EffectsPage(Wool):
    """Both racks and the chosen effect."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.band = 2
        self._laid: list[str] = []
        self._open = False
        self.alone: Pill | None = None
        self.copied: Effect | None = None
        self.meters: tuple[Upright, ...] = ()
        session.frame.connect(self._frame)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 10)
        layout.setSpacing(8)
        self.rack, self.second = Rack(session, "1"), Rack(session, "2")
        layout.addWidget(self.rack)
        layout.addWidget(self.second)
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

    def listen_in(self, shown: bool) -> None:
        """Takes spectra and meters around the chosen effect while the page is open, else around the racks."""
        self._open = shown
        self._listen()

    def _listen(self) -> None:
        rack, key = self.session.rack, self.session.effect
        if self._open and key in self.session.patch.racks[rack]:
            self.session.link.tap(f"racks.{rack}.{key}", self.alone is not None and self.alone.isChecked())
        else:
            self.session.link.tap()

    def _copy(self) -> None:
        self.copied = self.session.patch.racks[self.session.rack][self.session.effect]
        self.session.say(f"Copied {self.copied.title}.")

    def paste(self, rack: str) -> None:
        """The copied effect at the end of a rack."""
        if self.copied is None:
            self.session.say("Copy an effect first.")
            return
        copied, made = self.copied, []

        def make() -> object:
            patch, key = add_effect(self.session.patch, rack, copied)
            made.append(key)
            return patch

        if self.session.try_edit(make, f"paste {copied.title}"):  # type: ignore[arg-type]
            self.session.choose_effect(rack, made[0])
            self.session.selected.emit()

    def _frame(self) -> None:
        if not self.isVisible() or not self.meters:
            return
        path = f"racks.{self.session.rack}.{self.session.effect}"
        places = sounding(self.session.patch)
        if path in places:
            levels = self.session.link.shared.data["steps"][places.index(path)]
            for meter, level in zip(self.meters, levels, strict=True):
                meter.show_peak(float(level))

    def rebuild(self) -> None:
        """Lays out rack and effect anew."""
        racks = self.session.patch.racks
        if self.session.effect not in racks[self.session.rack]:
            self.session.choose_effect(*next(((r, k) for r, rack in racks.items() for k in rack), ("1", "")))
        self.rack.rebuild()
        self.second.rebuild()
        self._show()

    def _follow(self) -> None:
        effect = self.session.patch.racks[self.session.rack].get(self.session.effect)
        if effect is not None and dials(effect) != self._laid:
            self._show()
        for card in [*self.rack.cards.values(), *self.second.cards.values()]:
            card.follow()
        self._list_threads()

    def _show(self) -> None:
        for card in [*self.rack.cards.values(), *self.second.cards.values()]:
            card.update()
        self.threads.setParent(self)
        self.threads.hide()
        clear(self.body)
        rack, key = self.session.rack, self.session.effect
        if key not in self.session.patch.racks[rack]:
            self.alone, self.meters = None, ()
            self.body.addWidget(
                Empty("An effect that you add to the rack is shown here, large, with the picture that suits it.")
            )
            return
        effect = self.session.patch.racks[rack][key]
        path = f"racks.{rack}.{key}"
        head = QHBoxLayout()
        head.addWidget(text_label(effect.title, "title"))
        place = list(self.session.patch.racks[rack]).index(key) + 1
        head.addWidget(text_label(f"Rack {rack}, place {place}. {effect.about()}"))
        head.addStretch()
        self.alone = Pill("Only this", "pill", self._listen, "Hear only what this effect adds; it is not saved")
        self.alone.setCheckable(True)
        head.addWidget(self.alone)
        head.addWidget(SwitchPill(self.session, path + ".on", "On", part="pill"))
        head.addWidget(Pill("Copy", "pill", self._copy, "Copy this effect"))
        head.addWidget(
            Pill("Paste", "pill", lambda: self.paste(rack), "Paste the copied effect at the end of this rack")
        )
        head.addWidget(SnippetPill(self.session, path))
        remove = Pill("Remove", "pill", tip="Remove this effect and its threads")
        remove.clicked.connect(
            lambda: self.session.edit(remove_effect(self.session.patch, rack, key), f"remove {effect.title}")
        )
        head.addWidget(remove)
        self.body.addLayout(head)
        row = QHBoxLayout()
        row.setSpacing(18)
        picture = effect_picture(self.session, path, "weld", large=True)
        if isinstance(picture, EqualiserPicture):
            picture.chose = self.show_band
        shown_large = QVBoxLayout()
        shown_large.addWidget(picture, 1)
        if getattr(effect, "way", "") == "drawn":
            line = LineEditor(self.session, f"{path}.curve", "weld")
            line.setAccessibleName("Drawn curve: what comes in goes across, what goes out goes up")
            shown_large.addWidget(line, 1)
        row.addLayout(shown_large, 1)
        meters = QVBoxLayout()
        self.meters = Upright("in"), Upright("out")
        both = QHBoxLayout()
        for meter in self.meters:
            both.addWidget(meter)
        meters.addLayout(both)
        row.addLayout(meters)
        self._listen()
        holder = QWidget()
        side = QVBoxLayout(holder)
        side.setContentsMargins(0, 0, 4, 0)
        grid = QGridLayout()
        grid.setHorizontalSpacing(4)
        grid.setVerticalSpacing(4)
        names = self._laid = dials(effect)
        if isinstance(effect, Banded):
            names = [name for name in names if name.endswith(str(self.band))] + ["wet", "kept"]
            side.addLayout(self._bands(path))
        at = 0
        for name in names:
            wide = 2 if isinstance(effect.params[name], Choice) else 1
            at += COLUMNS - at % COLUMNS if at % COLUMNS + wide > COLUMNS else 0
            made = control_for(self.session, f"{path}.{name}", "weld", 17)
            grid.addWidget(made, at // COLUMNS, at % COLUMNS, 1, wide, Qt.AlignmentFlag.AlignTop)
            at += wide
        side.addLayout(grid)
        side.addSpacing(8)
        side.addWidget(self.threads)
        self.threads.show()
        side.addStretch()
        scroller = Scroller(holder)
        scroller.setFixedWidth(SIDE)
        row.addWidget(scroller)
        self.body.addLayout(row, 1)
        self._list_threads()

    def _bands(self, path: str) -> QHBoxLayout:
        """A button for every band: the chosen one's dials are under the hand."""
        row = QHBoxLayout()
        row.setSpacing(4)
        row.addWidget(text_label("Band"))
        for band in range(1, BANDS + 1):
            pill = Pill(str(band), "small", lambda n=band: self.show_band(n), f"The dials of band {band}")
            pill.setCheckable(True)
            pill.setChecked(band == self.band)
            row.addWidget(pill)
        row.addStretch()
        return row

    def show_band(self, band: int) -> None:
        """Another band of the equaliser comes under the hand."""
        if band != self.band:
            self.band = band
            self._show()

    def _list_threads(self) -> None:
        rack, key, path = self.session.rack, self.session.effect, self.session.focus_path
        if key not in self.session.patch.racks[rack]:
            return
        on = [k for k, t in self.session.patch.threads.items() if t.target.startswith(f"racks.{rack}.{key}.")]
        if path.startswith(f"racks.{rack}.{key}.") and path_exists(self.session.patch, path):
            on = [k for k in on if self.session.patch.threads[k].target == path] or on
        self.threads.show_threads("Threads on this effect", on, by_target=False)
