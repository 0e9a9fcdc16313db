"""A table from a recording: all ways side by side, heard before one is taken; and from what sounds now."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QMenu, QWidget

from felt_dial.errors import FeltDialError
from felt_dial.patch.asset import Asset
from felt_dial.patch.documents.patch import write_patch
from felt_dial.session.jobs import Latest, Watch
from felt_dial.session.session import Session
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import read_audio
from felt_dial.sound.matter.tables import shipped_recordings
from felt_dial.ui.benches.drafts import hear
from felt_dial.ui.benches.table import TableWork
from felt_dial.ui.dials.cards import Card
from felt_dial.ui.dials.controls import MenuPill, Pill, set_text, text_label
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.inspector.load import choose_file
from felt_dial.ui.inspector.panel import WIDTH
from felt_dial.ui.pictures.sources import draw_peaks
from felt_dial.ui.pictures.well import draw_curve, draw_ground
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.felt import SewnLine
from felt_dial.ui.theme.fonts import body_font
from felt_dial.ui.theme.words import item
from felt_dial.workers.helper import Helper
from felt_dial.workshop.table import recipe
from felt_dial.workshop.table.cycles import CYCLE, Floats
from felt_dial.workshop.table.from_recording import WAYS, NoteRecorder, Taken, all_ways, one_cycle
from felt_dial.workshop.table.hearing import as_heard

COUNTS = (4, 8, 16, 32, 48, 64, 128, 256)
FADES = {0.0: "as they are", 0.01: "closed over 1 %", 0.03: "closed over 3 %", 0.1: "closed over 10 %"}
LEVELS = {"each": "each frame the same", "all": "the table as a whole", "kept": "as recorded"}
SWEPT = "felt_dial.workshop.table.from_sound:swept_by_macro"
"""Renders, and so is never imported by the window."""
SIZES = (256, 512, 1024, 2048, 4096)


@dataclass(frozen=True)
class Matter:
    """A recording to make frames of: its samples, float32 (channel, frame), its rate and its name."""

    sound: NDArray[np.float32]
    rate: float
    name: str
    digest: str

    @property
    def seconds(self) -> float:
        """Its length."""
        return float(self.sound.shape[1] / self.rate)


class Region(QWidget):
    """The recording, and the part of it that is taken: drag its ends, or over it; double click takes one cycle."""

    changed = Signal()
    one_asked = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        self.matter: Matter | None = None
        self.looking = False
        """Whether the ways are being worked out."""
        self.first, self.last = 0.0, 1.0
        self._peaks: NDArray[np.float32] | None = None
        self._held = ""
        self.setFixedHeight(62)
        self.setAccessibleName("Which part of the recording is taken")
        self.setToolTip("Drag the ends of the part that is taken; a double click takes the one cycle there")

    def show_matter(self, matter: Matter) -> None:
        """Another recording, all of it."""
        self.matter, self.first, self.last = matter, 0.0, 1.0
        mono = matter.sound.mean(axis=0)
        edges = np.linspace(0, len(mono), min(600, len(mono)) + 1).astype(int)[:-1]
        peaks = np.stack([np.minimum.reduceat(mono, edges), np.maximum.reduceat(mono, edges)])
        self._peaks = np.asarray(peaks / max(float(np.abs(peaks).max()), 1e-6), np.float32)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        box = QRectF(self.rect())
        draw_ground(painter, box)
        if self._peaks is None:
            painter.setFont(body_font(12))
            painter.setPen(colour("chalk_soft"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "Choose a recording, or drop one here")
            return
        inner = box.adjusted(6, 6, -6, -6)
        draw_peaks(painter, inner, self._peaks, dye("weld", in_well=True))
        veil = QColor(colour("well"))
        veil.setAlphaF(0.66)
        left, right = (inner.left() + part * inner.width() for part in (self.first, self.last))
        painter.fillRect(QRectF(inner.left(), inner.top(), left - inner.left(), inner.height()), veil)
        painter.fillRect(QRectF(right, inner.top(), inner.right() - right, inner.height()), veil)
        painter.setPen(QPen(colour("chalk"), 1.6))
        for x in (left, right):
            painter.drawLine(round(x), round(inner.top()), round(x), round(inner.bottom()))

    def _at(self, event: QMouseEvent) -> float:
        return min(max((event.position().x() - 6) / max(self.width() - 12, 1), 0.0), 1.0)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.matter is None:
            return
        at = self._at(event)
        self._held = "first" if abs(at - self.first) < abs(at - self.last) else "last"
        self._move(at)

    def _move(self, at: float) -> None:
        least = min(0.01, 1.0)
        if self._held == "first":
            self.first = min(at, self.last - least)
        else:
            self.last = max(at, self.first + least)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._move(self._at(event))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._held = ""
            self.changed.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.matter is not None:
            self.one_asked.emit(self._at(event) * self.matter.seconds)


class WayCard(QWidget):
    """One way: its name, what it found, some of its frames; a click chooses it."""

    chosen = Signal(str)

    def __init__(self, kind: str, listen: Pill) -> None:
        super().__init__()
        self.kind = kind
        self.name, self.says, _ = WAYS[kind]
        self.taken: Taken | str | None = None
        self.on = self.at_work = False
        self.setFixedHeight(70)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(self.name)
        self.setToolTip(f"{self.name}: {self.says}")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 10, 10)
        row.addStretch()
        row.addWidget(listen, alignment=Qt.AlignmentFlag.AlignBottom)

    def show_taken(self, taken: Taken | str | None, on: bool, at_work: bool = False) -> None:
        """What the way made; `on` where it is the chosen one; `at_work` while another answer is on its way."""
        self.taken, self.on, self.at_work = taken, on, at_work
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        lit = self.on or self.hasFocus()
        painter.setPen(QPen(dye("madder" if self.hasFocus() else "weld") if lit else colour("edge"), 1.8 if lit else 1))
        painter.setBrush(colour("raised"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)
        painter.setPen(colour("ink"))
        painter.setFont(body_font(13, 600))
        painter.drawText(QRectF(10, 3, self.width() - 20, 18), Qt.AlignmentFlag.AlignVCenter, self.name)
        painter.setFont(body_font(11))
        painter.setPen(colour("soft"))
        says = self.taken if isinstance(self.taken, str) else self.taken.says if self.taken is not None else self.says
        says = "at work …" if self.at_work else says
        room = QRectF(10, 19, self.width() - 20, 16)
        painter.drawText(
            room,
            Qt.AlignmentFlag.AlignVCenter,
            painter.fontMetrics().elidedText(says, Qt.TextElideMode.ElideRight, int(room.width())),
        )
        well = QRectF(10, 36, self.width() - 90, 28)
        draw_ground(painter, well)
        if isinstance(self.taken, Taken):
            frames = self.taken.frames
            shown = frames[np.unique(np.linspace(0, len(frames) - 1, min(len(frames), 9)).round().astype(int))]
            wide = (well.width() - 8) / 9
            shade = dye("weld", in_well=True) if self.on else colour("chalk_soft")
            top = max(float(np.abs(shown).max()), 1e-6)
            at = np.linspace(0, CYCLE - 1, 40)
            for n, frame in enumerate(shown):
                spot = QRectF(well.left() + 4 + n * wide, well.top() + 3, wide - 3, well.height() - 6)
                y = 0.5 + 0.45 * np.interp(at, np.arange(CYCLE), frame) / top
                draw_curve(painter, spot, np.linspace(0, 1, 40), y, shade, floor=None, width=1.1)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.chosen.emit(self.kind)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.chosen.emit(self.kind)
        else:
            super().keyPressEvent(event)


class FromRecording(Card):
    """The card beside the wavetable bench."""

    def __init__(self, session: Session, work: TableWork) -> None:
        super().__init__("weld")
        self.session, self.work = session, work
        self.matter: Matter | None = None
        self.looking = False
        """Whether the ways are being worked out."""
        self.taking = NoteRecorder()
        self.way = "pitch"
        self.found: dict[str, Taken | str] = {}
        self.helper = Helper()
        self.latest = Latest(session.channel)
        self.destroyed.connect(self.helper.close)
        self.setFixedWidth(WIDTH)
        outer, box = self.scrolled()
        row = QHBoxLayout()
        row.addWidget(text_label("From a recording", "name"))
        row.addStretch()
        self.choose = MenuPill("Choose…", "Which recording the table is made of", self._menu)
        row.addWidget(self.choose)
        box.addLayout(row)
        self.region = Region()
        self.region.changed.connect(self.look)
        self.region.one_asked.connect(self._take_one)
        box.addWidget(self.region)
        row = QHBoxLayout()
        self.about = text_label("", "small")
        row.addWidget(self.about, 1)
        row.addWidget(text_label("frames", "small"))
        self.count = self._picker({n: str(n) for n in COUNTS}, "count", "How many frames are taken at the most")
        row.addWidget(self.count)
        box.addLayout(row)
        self.cards = {}
        for kind, (name, _, _) in WAYS.items():
            listen = Pill(
                "Listen",
                "small",
                partial(self._listen, kind),
                f"Hear the table that is made {name[0].lower()}{name[1:]}",
            )
            card = WayCard(kind, listen)
            card.chosen.connect(self._choose_way)
            self.cards[kind] = card
            box.addWidget(card)
        for label, field, options, tip in (
            ("Edges", "fade", FADES, "How the end of each frame is let meet its beginning"),
            ("Level", "level", LEVELS, "How loud the frames are"),
            (
                "Cut by length",
                "size",
                {n: f"every {n} samples" for n in SIZES},
                "How long a frame is that is cut by length",
            ),
        ):
            row = QHBoxLayout()
            row.addWidget(text_label(label, "small"))
            row.addStretch()
            picker = self._picker(options, field, tip)
            picker.setFixedWidth(168)
            row.addWidget(picker)
            box.addLayout(row)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.switches = {}
        for field, name, tip in (
            ("dc", "No DC", "Takes out what stands still in each frame"),
            ("align", "Phases aligned", "Turns each frame so that its first harmonic begins as a sine does"),
            ("empty", "Keep empty frames", "Keeps frames that hold nothing, which are left out else"),
            ("sort", "Sorted", "From the darkest frame to the brightest, not as recorded"),
        ):
            pill = Pill(name, "small", partial(self._switch, field), tip)
            pill.setCheckable(True)
            pill.setChecked(bool(getattr(self.taking, field)))
            self.switches[field] = pill
            row.addWidget(pill)
        row.addStretch()
        box.addLayout(row)
        box.addWidget(SewnLine())
        row = QHBoxLayout()
        row.addWidget(text_label("From what sounds now", "value"))
        row.addStretch()
        self.macro = Picker()
        self.macro.setAccessibleName("The macro that travels from end to end")
        row.addWidget(self.macro)
        self.sweep = Pill(
            "Take", "small", self._sweep, "One cycle for each step of the macro from end to end becomes a frame"
        )
        row.addWidget(self.sweep)
        box.addLayout(row)
        box.addStretch()
        row = QHBoxLayout()
        row.setContentsMargins(9, 2, 7, 0)
        self.put = Pill("Put on the bench", "pill", self.take, "The layer plays the table of the chosen way")
        self.add = Pill(
            "Add after frame 1", "pill", self._add, "The frames of the chosen way behind the frame under the hand"
        )
        row.addWidget(self.put)
        row.addWidget(self.add)
        outer.addLayout(row)
        work.changed.connect(self._follow)
        session.channel.watch(self._follow_macros, "macros")
        self._follow_macros()
        self._show()

    def _picker(self, options: dict[Any, str], field: str, tip: str) -> Picker:
        picker = Picker()
        for value, name in options.items():
            picker.addItem(name, value)
        picker.setCurrentIndex(picker.findData(getattr(self.taking, field)))
        picker.setAccessibleName(tip)

        def choose(n: int) -> None:
            self.taking = replace(self.taking, **{field: picker.itemData(n)})
            self.look()

        picker.activated.connect(choose)
        return picker

    def _switch(self, field: str) -> None:
        change: dict[str, Any] = {field: self.switches[field].isChecked()}
        self.taking = replace(self.taking, **change)
        self.look()

    # --- which recording -----------------------------------------------------------------------

    def _menu(self) -> QMenu:
        menu = QMenu(self)
        menu.addAction("From a file…", self._ask_file)
        known = {asset.name: asset for asset in self._played().values()}
        if known:
            menu.addSeparator()
            for name, asset in known.items():
                menu.addAction(item(f"{name}, in this patch"), partial(self.show_asset, asset))
        recent = [Path(kept) for kept in self.session.settings.now.recent if Path(kept).is_file()]
        if recent:
            menu.addSeparator()
            for path in recent:
                menu.addAction(item(path.name), partial(self.show_file, path))
        menu.addSeparator()
        for name, (asset, _) in shipped_recordings().items():
            menu.addAction(f"{name}, {asset.seconds:.1f} s", partial(self.show_asset, asset))
        return menu

    def _played(self) -> dict[str, Asset]:
        patch = self.session.patch
        found = assets.assets_of(patch)
        return {path: asset for path, asset in found.items() if patch.layers[path.split(".")[1]].source.kind != "table"}

    def _ask_file(self) -> None:
        if path := choose_file(self, self.session):
            self.show_file(path)

    def show_file(self, path: Path) -> None:
        """Looks at a recording in a file."""

        def read() -> Matter:
            audio = read_audio(path)
            return Matter(audio.sound, audio.rate, path.stem, "")

        self.latest.ask(read, self.show_matter, lambda says: self.session.say(says, problem=True))

    def show_asset(self, asset: Asset) -> None:
        """Looks at a recording that the library has."""
        sound = assets.load(asset)
        if sound is None:
            self.session.say(f"{asset.about()} is missing, or damaged.", problem=True)
            return
        self.show_matter(Matter(sound, asset.rate, asset.name, asset.digest))

    def show_matter(self, matter: Matter) -> None:
        """Looks at a recording."""
        self.matter = matter
        self.region.show_matter(matter)
        self.look()

    def _part(self) -> NDArray[np.float32]:
        assert self.matter is not None
        first, last = (round(part * self.matter.sound.shape[1]) for part in (self.region.first, self.region.last))
        return self.matter.sound[:, first : max(last, first + 16)]

    def look(self) -> None:
        """Has all ways worked out for what is chosen."""
        if self.matter is None:
            return
        part, rate, taking = np.ascontiguousarray(self._part()), self.matter.rate, self.taking
        self.looking = True
        self._show()

        def work() -> dict[str, Taken | str]:
            return self.helper.call(all_ways, part, rate, taking)

        self.latest.ask(work, self._found, self._failed)

    def _failed(self, says: str) -> None:
        self.looking = False
        self.session.say(says, problem=True)
        self._show()

    def _found(self, found: dict[str, Taken | str]) -> None:
        self.found, self.looking = found, False
        if not isinstance(found.get(self.way), Taken):
            self.way = next((kind for kind, taken in found.items() if isinstance(taken, Taken)), self.way)
        self._show()

    def _choose_way(self, kind: str) -> None:
        self.way = kind
        self._show()

    def _show(self) -> None:
        for kind, card in self.cards.items():
            card.show_taken(self.found.get(kind), kind == self.way, self.looking)
        taken = self.found.get(self.way)
        ready = isinstance(taken, Taken)
        self.put.setEnabled(ready)
        self.add.setEnabled(ready and self.work.recipe is not None)
        if self.matter is not None:
            first, last = (part * self.matter.seconds for part in (self.region.first, self.region.last))
            left = f", {taken.left_out} empty left out" if isinstance(taken, Taken) and taken.left_out else ""
            set_text(self.about, f"{self.matter.name[:18]}, {first:.2f} … {last:.2f} s{left}")
        self._follow()

    def _follow(self) -> None:
        set_text(self.add, f"Add after frame {self.work.frame + 1}")

    def _follow_macros(self) -> None:
        macros = [(key, f"{key.upper()} {macro.name}".strip()) for key, macro in self.session.patch.macros.items()]
        if [(self.macro.itemData(n), self.macro.itemText(n)) for n in range(self.macro.count())] != macros:
            kept = self.macro.currentData()
            self.macro.clear()
            for key, name in macros:
                self.macro.addItem(name, key)
            self.macro.setCurrentIndex(max(self.macro.findData(kept), 0))

    # --- taking it -----------------------------------------------------------------------------

    def _listen(self, kind: str) -> None:
        taken = self.found.get(kind)
        if not isinstance(taken, Taken):
            self.session.say("Choose a recording first." if taken is None else taken, problem=taken is not None)
            return
        try:
            hear(self.session, as_heard(taken.frames), 48000.0)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)

    def _came(self, way: str) -> dict[str, Any]:
        assert self.matter is not None
        seconds = [round(part * self.matter.seconds, 4) for part in (self.region.first, self.region.last)]
        return {"name": self.matter.name, "digest": self.matter.digest, "way": way, "seconds": seconds}

    def take(self) -> None:
        """Puts the table of the chosen way on the bench: the layer plays it."""
        taken = self.found.get(self.way)
        if self.matter is None or not isinstance(taken, Taken):
            return
        made = recipe.of_cycles(taken.frames, "spectrum", **self._came(self.way))
        self._put(made, self.matter.name, f"a table of {self.matter.name} {WAYS[self.way][0].lower()}")

    def _put(self, made: recipe.TableRecipe, name: str, says: str) -> None:
        try:
            self.work.put_or_add(made, says, name)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        self.work.walk(0)
        self.session.say(f"Layer {self.work.layer.upper()} plays {says}: {made.count} frames.")

    def _add(self) -> None:
        taken, frame = self.found.get(self.way), self.work.frame
        if self.matter is not None and isinstance(taken, Taken):
            says = f"add {len(taken.frames)} frames of {self.matter.name}"
            self.work.edit(lambda r: recipe.inserted(r, frame, taken.frames), says, frame=frame + 1)

    def _take_one(self, at: float) -> None:
        """The one cycle at a second, behind the frame under the hand."""
        assert self.matter is not None
        cycle = one_cycle(self.matter.sound, self.matter.rate, at)
        cycle = cycle * (0.9 / max(float(np.abs(cycle).max()), 1e-6))
        frame = self.work.frame
        if self.work.recipe is None:
            self._put(
                recipe.of_cycles([cycle], **self._came("one")), self.matter.name, f"one cycle of {self.matter.name}"
            )
        else:
            self.work.edit(
                lambda r: recipe.inserted(r, frame, [cycle]), f"take one cycle at {at:.2f} s", frame=frame + 1
            )

    def _sweep(self) -> None:
        """One cycle per step while a macro travels from end to end."""
        patch, macro = self.session.patch, self.macro.currentData()
        name = self.macro.currentText()

        def work(watch: Watch) -> Floats:
            return np.asarray(self.helper.call_named(SWEPT, write_patch(patch), macro, watch=watch))

        def then(frames: Floats) -> None:
            made = recipe.of_cycles(frames, "spectrum", name=patch.name, way="macro")
            self._put(made, f"{patch.name} {name}", f"a table of this patch as {name} travels")

        self.session.jobs.start(f"Taking cycles as {name} travels", work, then)
