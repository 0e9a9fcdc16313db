"""Offshoots: variations grown from a sound, on a map where near means alike; heard, kept, thrown away, grown again."""

from __future__ import annotations

import math
from functools import partial

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QProgressBar, QSpinBox, QVBoxLayout, QWidget

from felt_dial.bank.features import vector
from felt_dial.bank.measurement import Measurement
from felt_dial.bank.names import on_offer
from felt_dial.bank.offshoots import COUNTS, GROUPS, Offshoot, Wishes, between, counts, layout
from felt_dial.errors import FeltDialError
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.patch import Patch
from felt_dial.patch.units import number
from felt_dial.ui import shelf_steps as shelving
from felt_dial.ui.benches.drafts import hear
from felt_dial.ui.dials.cards import Card, Plate
from felt_dial.ui.dials.controls import Pill, set_text, text_label
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.dials.plain_slider import PlainSlider
from felt_dial.ui.dials.scrolling import Picker
from felt_dial.ui.growth import Growth
from felt_dial.ui.pictures.swatch import Swatch, paint_swatch
from felt_dial.ui.pictures.well import draw_ground
from felt_dial.ui.session import Session
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.felt import SewnLine, draw_focus
from felt_dial.ui.theme.fonts import body_font

STEPS = 9
"""Sounds on the way between two, both ends among them."""
HOVER = 160
"""Milliseconds that the pointer rests on a sound before it is heard."""
WORDS = ((0.12, "hardly any way"), (0.3, "a little way"), (0.55, "a fair way"), (0.85, "a long way"), (9.0, "far"))


def far_said(far: float) -> str:
    """How far, in words and in its figure."""
    return f"{next(words for end, words in WORDS if far < end)} off: {number(far, 2)}"


def measured(one: Offshoot) -> Measurement:
    """Its swatch, as it is painted."""
    return Measurement(0.0, 0.0, one.swatch)


class Map(QWidget):
    """The parent in the middle and its offshoots around it, near where they sound alike; or all in rows, or in a line.

    A resting pointer plays, a click chooses, K keeps, Delete throws away; a drag from one to another asks for steps between.
    """

    chosen = Signal(int)
    played = Signal(int)
    kept = Signal()
    thrown = Signal()
    between_asked = Signal(int, int)

    def __init__(self) -> None:
        super().__init__()
        self.sounds: list[Offshoot] = []
        self.parent_: Offshoot | None = None
        self.name = ""
        self.places: NDArray[np.float64] = np.zeros((0, 2))
        self.way = "map"
        self.now = -2
        """Which is chosen: −1 is the parent, −2 none."""
        self.kept_names: dict[int, str] = {}
        self.over = -2
        self.hovers = True
        self._from: tuple[int, QPointF] | None = None
        self._to: QPointF | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(360, 240)
        self.setAccessibleName("Offshoots")
        self.setToolTip(
            "Rest on a sound to hear it, click chooses it, K keeps it, Delete throws it away; drag to another for steps between"
        )
        self._rest = QTimer(self, singleShot=True, interval=HOVER)
        self._rest.timeout.connect(self._play_under)

    def show_sounds(self, parent: Offshoot | None, sounds: list[Offshoot], name: str) -> None:
        """Others grew."""
        self.parent_, self.sounds, self.name = parent, sounds, name
        known = [parent, *sounds] if parent is not None else list(sounds)
        if known:
            self.places = layout(np.stack([vector(one.features) for one in known if one is not None]))
        self.update()

    def sizes(self) -> tuple[float, float]:
        """How large a picture is."""
        many = max(len(self.sounds), 1)
        wide = min(max(math.sqrt(self.width() * self.height() / (many * 4.2)), 44.0), 92.0)
        return wide, wide * 0.54

    def boxes(self) -> dict[int, QRectF]:
        """Where each stands; the parent is −1."""
        wide, tall = self.sizes()
        found: dict[int, QRectF] = {}
        if self.way == "map":
            for n in range(-1 if self.parent_ is not None else 0, len(self.sounds)):
                at = n + 1 if self.parent_ is not None else n
                if at >= len(self.places):
                    continue
                x = self.width() / 2 + self.places[at][0] * (self.width() / 2 - wide * 0.65)
                y = self.height() / 2 + self.places[at][1] * (self.height() / 2 - tall * 0.9)
                size = 1.22 if n == -1 else 1.0
                found[n] = QRectF(x - wide * size / 2, y - tall * size / 2, wide * size, tall * size)
            return found
        every = list(range(-1 if self.parent_ is not None and self.way == "grid" else 0, len(self.sounds)))
        columns = max(int((self.width() - 16) // (wide + 14)), 1)
        rows = math.ceil(len(every) / columns) if every else 1
        step_y = min(tall + 26, (self.height() - 16) / max(rows, 1))
        for k, n in enumerate(every):
            found[n] = QRectF(
                12 + (k % columns) * (wide + 14), 14 + (k // columns) * step_y, wide, min(tall, step_y - 14)
            )
        return found

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_ground(painter, QRectF(self.rect()))
        if self.way == "map":
            painter.setPen(QPen(colour("chalk_soft").darker(210), 1))
            for part in (0.36, 0.7, 0.98):
                painter.drawEllipse(
                    QPointF(self.width() / 2, self.height() / 2), self.width() / 2 * part, self.height() / 2 * part
                )
        if not self.sounds and self.parent_ is None:
            painter.setFont(body_font(13))
            painter.setPen(colour("chalk_soft"))
            says = "Choose how far and what may change, and press Grow:\nvariations of the sound come to stand here"
            painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, says)
        painter.setFont(body_font(11))
        for n, box in self.boxes().items():
            one = self.parent_ if n == -1 else self.sounds[n]
            if one is None:
                continue
            kept = n in self.kept_names
            shade = "weld" if kept else "mallow" if n >= 0 else "woad"
            painter.setOpacity(1.0 if n in (self.now, self.over, -1) or kept else 0.78)
            paint_swatch(painter, box, measured(one), shade, "")
            painter.setOpacity(1.0)
            lit = n in (self.now, -1)
            pen = QPen(
                colour("chalk") if lit else dye("weld", True) if kept else colour("chalk_soft").darker(150),
                1.8 if lit or kept else 1,
            )
            if n == self.over and not lit:
                pen = QPen(colour("chalk"), 1.2)
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box, 4, 4)
            words = self.name if n == -1 else self.kept_names.get(n, "")
            if words:
                painter.setPen(colour("chalk") if n == -1 else dye("weld", True))
                room = QRectF(box.center().x() - 70, box.bottom() + 1, 140, 15)
                painter.drawText(
                    room,
                    Qt.AlignmentFlag.AlignCenter,
                    painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, 140),
                )
        if self._from is not None and self._to is not None:
            pen = QPen(colour("chalk"), 1.4)
            pen.setDashPattern([4, 3])
            painter.setPen(pen)
            painter.drawLine(self.boxes()[self._from[0]].center(), self._to)
        if self.hasFocus():
            draw_focus(painter, QRectF(self.rect()).adjusted(2, 2, -2, -2), 4, in_well=True)

    def at(self, place: QPointF) -> int:
        """Which stands at a place; −2 for none."""
        found = [n for n, box in self.boxes().items() if box.contains(place)]
        return found[-1] if found else -2

    def choose(self, n: int) -> None:
        """Another is chosen, and heard."""
        self.now = n
        self.update()
        self.chosen.emit(n)

    def _play_under(self) -> None:
        if self.hovers and self.over > -2:
            self.played.emit(self.over)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        over = self.at(event.position())
        if self._from is not None:
            self._to = event.position()
            self.update()
        if over != self.over:
            self.over = over
            self._rest.start()
            self.update()

    def leaveEvent(self, event: object) -> None:
        self.over = -2
        self._rest.stop()
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        n = self.at(event.position())
        if n > -2:
            self._from = n, event.position()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        begin, self._from, self._to = self._from, None, None
        n = self.at(event.position())
        if begin is None:
            return
        if n > -2 and n != begin[0]:
            self.between_asked.emit(begin[0], n)
        elif n == begin[0]:
            self.choose(n)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, boxes = event.key(), self.boxes()
        ways = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        if key in ways and boxes:
            self.choose(self._beside(ways[Qt.Key(key)], boxes))
        elif key == Qt.Key.Key_K and not event.modifiers():
            self.kept.emit()
        elif key == Qt.Key.Key_Delete:
            self.thrown.emit()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.now > -2:
            self.played.emit(self.now)
        else:
            super().keyPressEvent(event)

    def _beside(self, way: tuple[int, int], boxes: dict[int, QRectF]) -> int:
        """The nearest in a direction."""
        if self.now not in boxes:
            return next(iter(boxes))
        here = boxes[self.now].center()

        def cost(n: int) -> float:
            apart = boxes[n].center() - here
            along = apart.x() * way[0] + apart.y() * way[1]
            across = abs(apart.x() * way[1]) + abs(apart.y() * way[0])
            return along + 2.2 * across if along > 2 else 1e9

        best = min((n for n in boxes if n != self.now), key=cost, default=self.now)
        return best if cost(best) < 1e9 else self.now


class Offshoots(QWidget):
    """The whole page of offshoots, in the Shelf's place."""

    closed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.document = ""
        self.patch: Patch | None = None
        self.home = ("", "")
        self.locked: set[str] = set()
        self.growth = Growth(session.frame)
        self.growth.changed.connect(self._grown)
        self.growth.failed.connect(lambda says: session.say(says, problem=True))
        self.destroyed.connect(self.growth.close)
        self.sounds: list[Offshoot] = []
        self.kept: dict[int, str] = {}
        self.unmatched: tuple[str, ...] = ()
        self.name = ""
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 10, 12, 10)
        row.setSpacing(10)
        row.addWidget(self._wishes())
        row.addWidget(self._middle(), 1)
        row.addWidget(self._side())
        self._show_one()

    # --- the left card -------------------------------------------------------------------------

    def _wishes(self) -> QWidget:
        card = Card("mallow")
        card.setFixedWidth(224)
        outer, box = card.scrolled()
        head = QHBoxLayout()
        head.addWidget(text_label("Offshoots", "title"), 1)
        head.addWidget(Pill("Close", "link", self.close_it, "Back to the Shelf: Escape"))
        box.addLayout(head)
        self.of = text_label("")
        box.addWidget(self.of)
        self.far = PlainSlider(
            "How far",
            0.4,
            (0.02, 1.0),
            lambda v: f"{100 * v:.0f} %",
            "How far offshoots are from the sound: the same for every sound",
            1.0,
            46,
        )
        box.addWidget(self.far)
        ends = QHBoxLayout()
        ends.addWidget(text_label("a cousin", "small"))
        ends.addStretch()
        ends.addWidget(text_label("a stranger", "small"))
        box.addLayout(ends)
        many = QHBoxLayout()
        many.setSpacing(3)
        many.addWidget(text_label("How many"))
        many.addStretch()
        self.count = Picker()
        for count in COUNTS:
            self.count.addItem(str(count), count)
        self.count.setCurrentIndex(self.count.findData(24))
        self.count.setAccessibleName("How many offshoots are grown")
        many.addWidget(self.count)
        box.addLayout(many)
        box.addWidget(text_label("What may change", "value"))
        self.groups: dict[str, QCheckBox] = {}
        self.sizes = {}
        grid = QGridLayout()
        grid.setVerticalSpacing(3)
        for n, (group, name) in enumerate(GROUPS.items()):
            check = QCheckBox(name)
            check.setChecked(group in Wishes().groups)
            check.setToolTip(f"{name} may change")
            self.groups[group] = check
            self.sizes[group] = text_label("", "small")
            grid.addWidget(check, n, 0)
            grid.addWidget(self.sizes[group], n, 1, Qt.AlignmentFlag.AlignRight)
        box.addLayout(grid)
        self.locks = text_label("", "small")
        self.locks.setWordWrap(True)
        box.addWidget(self.locks)
        self.lock = Pill(
            "Lock what is in focus",
            "small",
            self.lock_focus,
            "The dial that was turned last on the other pages is never moved",
        )
        box.addWidget(self.lock, 0, Qt.AlignmentFlag.AlignLeft)
        self.tune, self.loud, self.cheap = (
            QCheckBox("stay in tune"),
            QCheckBox("stay as loud"),
            QCheckBox("stay within 1.3 × the cost"),
        )
        tips = ("Pitch stays within 5 cents", "Loudness stays within half a LU", "Voices stay within 1.3 times as many")
        for check, tip in zip((self.tune, self.loud, self.cheap), tips, strict=True):
            check.setChecked(True)
            check.setToolTip(tip)
            box.addWidget(check)
        seed = QHBoxLayout()
        seed.addWidget(text_label("Seed"))
        self.seed = QSpinBox()
        self.seed.setRange(1, 999)
        self.seed.setAccessibleName("Seed: another number, other offshoots; the same number, the same again")
        self.seed.setToolTip("Another number, other offshoots; the same number, the same again")
        seed.addWidget(self.seed)
        seed.addStretch()
        box.addLayout(seed)
        box.addStretch()
        row = QHBoxLayout()
        row.setContentsMargins(9, 2, 7, 0)
        self.go = Pill("Grow", "pill", self.grow, "Grows offshoots with these wishes")
        self.again = Pill("Again", "pill", self.grow_again, "Others, with the next seed")
        row.addWidget(self.go)
        row.addWidget(self.again)
        outer.addLayout(row)
        return card

    # --- the middle ----------------------------------------------------------------------------

    def _middle(self) -> QWidget:
        card, box = Plate.with_box()
        row = QHBoxLayout()
        row.setSpacing(4)
        self.says = text_label("near means alike, by ear: brightness, attack, length, noise, movement, width", "small")
        row.addWidget(self.says, 1)
        self.ways = {}
        for way, name, tip in (("map", "Map", "Near means alike"), ("grid", "Grid", "All in rows")):
            pill = Pill(name, "small", partial(self._way, way), tip)
            pill.setCheckable(True)
            pill.setChecked(way == "map")
            self.ways[way] = pill
            row.addWidget(pill)
        self.hover = Pill("Hover plays", "small", self._hover, "Whether a resting pointer plays")
        self.hover.setCheckable(True)
        self.hover.setChecked(True)
        row.addWidget(self.hover)
        box.addLayout(row)
        self.map = Map()
        self.map.chosen.connect(self._chosen)
        self.map.played.connect(self.play)
        self.map.kept.connect(self.keep)
        self.map.thrown.connect(self.throw)
        self.map.between_asked.connect(self.between)
        box.addWidget(self.map, 1)
        row = QHBoxLayout()
        self.told = text_label(
            "hover plays · click chooses · K keeps · drag from one to another for the steps between them", "small"
        )
        row.addWidget(self.told, 1)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedWidth(180)
        self.bar.setRange(0, 1000)
        self.bar.setAccessibleName("How much has grown")
        row.addWidget(self.bar)
        self.stop = Pill("Stop", "link", self.growth.stop, "Ends it; what is there stays")
        row.addWidget(self.stop)
        box.addLayout(row)
        return card

    def _way(self, way: str) -> None:
        self.map.way = way
        for name, pill in self.ways.items():
            pill.setChecked(name == way)
        self.map.update()

    def _hover(self) -> None:
        self.map.hovers = self.hover.isChecked()

    # --- the right card ------------------------------------------------------------------------

    def _side(self) -> QWidget:
        card = Card("walnut")
        card.setFixedWidth(316)
        outer, box = card.scrolled()
        head = QHBoxLayout()
        self.title = text_label("", "title")
        self.how_far = text_label("", "small")
        head.addWidget(self.title)
        head.addWidget(self.how_far, 1)
        box.addLayout(head)
        self.swatch = Swatch()
        self.swatch.setFixedHeight(96)
        box.addWidget(self.swatch)
        box.addWidget(text_label("What changed, most moved first", "value"))
        self.changed = QGridLayout()
        self.changed.setVerticalSpacing(1)
        box.addLayout(self.changed)
        box.addStretch()
        below = QVBoxLayout()
        below.setContentsMargins(9, 0, 7, 0)
        below.setSpacing(5)
        below.addWidget(SewnLine())
        below.addWidget(text_label("Names on offer", "value"))
        self.names = QGridLayout()
        self.names.setSpacing(3)
        below.addLayout(self.names)
        grid = QGridLayout()
        grid.setSpacing(5)
        self.keep_pill = Pill("Keep", "pill", self.keep, "Keeps it as a new preset: K")
        self.open_pill = Pill("Open it", "pill", self.open_it, "Puts it on the table")
        self.from_pill = Pill(
            "Grow from this one", "pill", self.grow_from, "It is the sound that others are grown from"
        )
        self.throw_pill = Pill("Throw away", "pill", self.throw, "Takes it off the map: Delete")
        for n, pill in enumerate((self.keep_pill, self.open_pill, self.from_pill, self.throw_pill)):
            grid.addWidget(pill, n // 2, n % 2)
        below.addLayout(grid)
        row = QHBoxLayout()
        self.kept_says = text_label("kept ones go to", "small")
        row.addWidget(self.kept_says)
        self.bank = Picker()
        self.bank.setAccessibleName("The bank that kept ones go to")
        row.addWidget(self.bank, 1)
        below.addLayout(row)
        outer.addLayout(below)
        return card

    # --- opening -------------------------------------------------------------------------------

    def open_for(self, patch: Patch, bank: str, preset: str) -> None:
        """Shows it for a sound."""
        self.growth.stop()
        self.patch, self.document, self.home = patch, write_patch(patch), (bank, preset)
        self.name = patch.name
        self.sounds, self.kept, self.unmatched = [], {}, ()
        self.session.figures.measuring.cancel()  # which can wait
        self.growth.warm(self.document)
        set_text(self.of, f"grown from {patch.name}")
        self.bank.clear()
        for listed in self.session.banks():
            self.bank.addItem(listed.name, listed.id)
        self.bank.setCurrentIndex(max(self.bank.findData(bank), 0))
        self.map.kept_names = {}
        self.map.now = -2
        self._count_dials()
        self._grown()
        self._show_one()
        self.map.setFocus()

    def close_it(self) -> None:
        """Back to the Shelf."""
        self.growth.stop()
        self.session.link.audition("")
        self.closed.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close_it()
        else:
            super().keyPressEvent(event)

    def wishes(self) -> Wishes:
        """What is wished."""
        groups = frozenset(group for group, check in self.groups.items() if check.isChecked())
        return Wishes(
            self.far.value,
            int(self.count.currentData()),
            groups,
            frozenset(self.locked),
            self.tune.isChecked(),
            self.loud.isChecked(),
            self.cheap.isChecked(),
            self.seed.value(),
        )

    def _count_dials(self) -> None:
        if self.patch is not None:
            for group, count in counts(self.patch, self.wishes()).items():
                set_text(self.sizes[group], f"{count} dial{'s' * (count != 1)}")
        locked = (
            ", ".join(self.session.label_of(path) for path in sorted(self.locked))
            if self.locked
            else "the output level"
        )
        set_text(self.locks, f"Never moved: {locked}")

    def lock_focus(self) -> None:
        """The dial in focus is never moved, or may move again."""
        path = self.session.focus_path
        if not path:
            self.session.say(
                "Turn a dial on the Patch or Effects page first: it is the one that is locked here.", problem=True
            )
            return
        self.locked ^= {path}
        self._count_dials()

    # --- growing -------------------------------------------------------------------------------

    def grow(self) -> None:
        """Grows offshoots."""
        if self.patch is None:
            return
        wishes = self.wishes()
        if not wishes.groups:
            self.session.say("Choose something that may change first.", problem=True)
            return
        self.kept, self.unmatched = {}, ()
        self.map.kept_names = {}
        self.map.now = -2
        self._way("map")
        self.session.figures.measuring.cancel()  # which can wait
        self.growth.start(self.document, wishes)
        self._show_one()

    def grow_again(self) -> None:
        """Others, with the next seed."""
        self.seed.setValue(self.seed.value() % 999 + 1)
        self.grow()

    def grow_from(self) -> None:
        """Grows from the chosen one."""
        if (one := self.one()) is not None:
            patch = read_patch(one.document, "The offshoot").model_copy(update={"name": self._called()})
            bank = str(self.bank.currentData() or self.home[0])
            self.open_for(patch, bank, self.home[1])
            self.grow()

    def between(self, first: int, last: int) -> None:
        """Steps from one sound to another."""
        ends = [self.growth.parent_ if n == -1 else self.sounds[n] for n in (first, last)]
        if None in ends:
            return
        patches = [read_patch(one.document, "An offshoot") for one in ends if one is not None]
        self.show_between(patches[0], patches[1])

    def show_between(self, first: Patch, last: Patch) -> None:
        """Steps between two sounds, in a line."""
        made = between(first, last, STEPS)
        self.unmatched = made.unmatched
        self.kept = {}
        self.map.kept_names = {}
        self.map.now = -2
        self._way("grid")
        self.growth.between([write_patch(patch) for patch in made.patches])

    def _grown(self) -> None:
        growth = self.growth
        self.sounds = growth.found
        self.map.show_sounds(growth.parent_, self.sounds, self.name)
        self.bar.setVisible(growth.busy)
        self.stop.setVisible(growth.busy)
        self.bar.setValue(round(1000 * growth.part))
        thrown = ""
        if growth.thrown:
            kinds = ", ".join(f"{growth.thrown.count(why)} {why}" for why in dict.fromkeys(growth.thrown))
            thrown = f", thrown away: {kinds}"
        if growth.busy:
            set_text(self.told, f"{len(self.sounds)} grown so far{thrown}")
        elif self.unmatched:
            set_text(self.told, f"Could not be matched, and stay as in the first: {', '.join(self.unmatched[:4])}")
        elif self.sounds:
            apart = f", none nearer to another than {number(growth.apart, 2)}" if growth.apart else ""
            set_text(self.told, f"{len(self.sounds)} grown in {number(growth.seconds, 1)} s{thrown}{apart}")
        else:
            set_text(
                self.told, "hover plays · click chooses · K keeps · drag from one to another for the steps between them"
            )

    # --- one of them ---------------------------------------------------------------------------

    def one(self) -> Offshoot | None:
        """The chosen one."""
        n = self.map.now
        if n == -1:
            return self.growth.parent_
        return self.sounds[n] if 0 <= n < len(self.sounds) else None

    def play(self, n: int) -> None:
        """Plays one of them."""
        one = self.growth.parent_ if n == -1 else self.sounds[n] if 0 <= n < len(self.sounds) else None
        if one is not None:
            try:
                hear(self.session, one.sound, 48000.0)
            except FeltDialError as wrong:
                self.session.say(str(wrong), problem=True)

    def _chosen(self, n: int) -> None:
        self.play(n)
        self._show_one()

    def _show_one(self) -> None:
        one, n = self.one(), self.map.now
        clear(self.changed)
        clear(self.names)
        for pill in (self.keep_pill, self.open_pill, self.from_pill, self.throw_pill):
            pill.setEnabled(one is not None and n >= 0)
        if one is None:
            set_text(self.title, "None chosen")
            set_text(self.how_far, "")
            self.swatch.show_nothing()
            self.changed.addWidget(
                text_label("Click one on the map: what changed in it is listed here.", "small"), 0, 0
            )
            set_text(self.keep_pill, "Keep")
            return
        set_text(self.title, self.name if n == -1 else f"No. {n + 1}")
        set_text(self.how_far, "the sound itself" if n == -1 else far_said(one.far))
        self.swatch.show_measured(measured(one), "walnut", "")
        for row, (where, before, after) in enumerate(one.changed[:9]):
            label = text_label(where, "label")
            label.setToolTip(where)
            value = text_label(f"{before} → {after}", "value")
            label.setMaximumWidth(150)
            self.changed.addWidget(label, row, 0)
            self.changed.addWidget(value, row, 1, Qt.AlignmentFlag.AlignRight)
        if len(one.changed) > 9:
            self.changed.addWidget(text_label(f"and {len(one.changed) - 9} smaller", "small"), 9, 0)
        if n >= 0:
            self.offered = self._offer(n)
            for k, name in enumerate(self.offered):
                pill = Pill(name, "small", partial(self._name, name), "Keeps it under this name")
                pill.setCheckable(True)
                pill.setChecked(k == 0)
                self.names.addWidget(pill, k // 3, k % 3)
            set_text(
                self.keep_pill, "Kept" if n in self.kept else f"Keep as {self.offered[0]}" if self.offered else "Keep"
            )

    def _offer(self, n: int) -> list[str]:
        names = [row.name for row in self.session.catalogue.presets(str(self.bank.currentData() or ""), "")]
        return on_offer(
            names,
            [*self.session.catalogue.names(), *self.kept.values()],
            5,
            f"{self.name} {self.seed.value()} {n}",
            self.name,
        )

    def _called(self) -> str:
        n = self.map.now
        return self.kept.get(n) or (self.offered[0] if n >= 0 and self.offered else self.name)

    def _name(self, name: str) -> None:
        self.offered = [name, *(other for other in self.offered if other != name)]
        for k in range(self.names.count()):
            item = self.names.itemAt(k)
            pill = item.widget() if item is not None else None
            if isinstance(pill, Pill):
                pill.setChecked(pill.text() == name)
        set_text(self.keep_pill, f"Keep as {name}")

    def keep(self) -> None:
        """Keeps the chosen one as a new preset, with its parent written down."""
        one, n = self.one(), self.map.now
        bank = str(self.bank.currentData() or "")
        if one is None or n < 0 or n in self.kept or not bank:
            return
        name = self._called()
        about = {"name": name, "parent": self.name, "favourite": False}
        patch = read_patch(one.document, "The offshoot").model_copy(update=about)
        after = self.home[1] if bank == self.home[0] else None
        if shelving.keep_new(self.session, bank, [patch], f"keep {name}", after):
            self.kept[n] = name
            self.map.kept_names = dict(self.kept)
            self.map.update()
            set_text(self.kept_says, f"{len(self.kept)} kept so far go to")
            self._show_one()

    def open_it(self) -> None:
        """Puts the chosen one on the table; it is in no bank until it is saved."""
        if (one := self.one()) is not None:
            patch = read_patch(one.document, "The offshoot").model_copy(
                update={"name": self._called(), "parent": self.name}
            )
            self.session.open_patch(patch)
            self.session.say(f"{patch.name} is on the table; it is in no bank until it is saved.")

    def throw(self) -> None:
        """Takes the chosen one off the map."""
        n = self.map.now
        if 0 <= n < len(self.sounds) and not self.growth.busy:
            del self.growth.found[n]
            moved = {k - (k > n): name for k, name in self.kept.items() if k != n}
            self.kept, self.map.kept_names, self.map.now = moved, dict(moved), -2
            self._grown()
            self._show_one()
