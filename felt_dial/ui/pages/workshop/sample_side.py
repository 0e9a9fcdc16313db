"""Beside the sample bench: root and loops, splice, slices, bounce, recording, and the steps that were done."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QVBoxLayout, QWidget

from felt_dial.errors import FeltDialError
from felt_dial.live.midi_file import phrase_of
from felt_dial.live.recorder import RATE, SIMULATED, Recorder, list_inputs, trimmed
from felt_dial.patch.asset import Asset
from felt_dial.patch.documents.patch import write_patch
from felt_dial.patch.patch import put
from felt_dial.patch.units import note_name, number
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import Audio, checked, read_audio
from felt_dial.sound.matter.tables import shipped_recordings
from felt_dial.sound.modules import new_patch
from felt_dial.sound.playing.phrases import Note
from felt_dial.ui.benches.drafts import hear
from felt_dial.ui.benches.recording import RecordingWork, goes_round, peaks_of, root_settings
from felt_dial.ui.dials.cards import Card
from felt_dial.ui.dials.controls import MenuPill, Meter, NameEdit, Options, Pill, control_for, set_text, text_label
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.dials.plain_slider import PlainSlider
from felt_dial.ui.dials.scrolling import Picker, Scroller
from felt_dial.ui.inspector.load import choose_file
from felt_dial.ui.inspector.panel import WIDTH
from felt_dial.ui.jobs import Watch
from felt_dial.ui.pictures.sample_bench import Seam
from felt_dial.ui.pictures.sources import draw_peaks
from felt_dial.ui.pictures.well import draw_ground
from felt_dial.ui.session import Session
from felt_dial.ui.theme.colours import colour, dye, layer_dye
from felt_dial.ui.theme.felt import Empty, SewnLine
from felt_dial.ui.theme.fonts import body_font
from felt_dial.ui.theme.words import item
from felt_dial.workshop.bouncing import Bounced, Bouncing
from felt_dial.workshop.recording.loops import Loop
from felt_dial.workshop.recording.slices import onsets
from felt_dial.workshop.recording.spread import as_layers, by_key, in_slots

RIGHTS = {"": "unknown", "own": "own recording", "free": "free for any use", "licensed": "licensed, as noted"}
SHAPES = {"power": "equal power, for what differs", "gain": "equal gain, for waves in phase"}
FIRST_KEY = 48
BOUNCE = "felt_dial.workshop.bounce:bounce"
"""Renders, and so is never imported by the window."""


def milliseconds(value: float) -> str:
    """A short time."""
    return f"{number(1000 * value, 0)} ms"


class LoopRow(QWidget):
    """One loop that was found: its turns, its place, its score."""

    taken = Signal()

    def __init__(self, loop: Loop, rate: float, on: bool, listen: Callable[[], None]) -> None:
        super().__init__()
        self.loop, self.rate, self.on = loop, rate, on
        self.setFixedHeight(38)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"Loop of {loop.says(rate)}")
        self.setToolTip("Lets the layer go round here")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 8, 0)
        row.addStretch()
        row.addWidget(Pill("Listen", "small", listen, "Plays this loop round and round"))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        lit = self.on or self.hasFocus()
        shade = dye("madder" if self.hasFocus() else "lichen") if lit else colour("edge")
        painter.setPen(QPen(shade, 1.8 if lit else 1))
        painter.setBrush(colour("raised"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 7, 7)
        painter.setPen(colour("ink"))
        painter.setFont(body_font(13, 600))
        painter.drawText(QRectF(10, 3, 130, 18), Qt.AlignmentFlag.AlignVCenter, self.loop.says(self.rate))
        painter.setPen(colour("soft"))
        painter.setFont(body_font(11))
        digits = 3 if self.loop.turns > 1.5 or self.loop.turns < 0.5 else 4
        text = f"{number(self.loop.first / self.rate, digits)} … {number(self.loop.last / self.rate, digits)} s"
        painter.drawText(QRectF(10, 19, 130, 17), Qt.AlignmentFlag.AlignVCenter, text)
        bar = QRectF(146, 17, max(self.width() - 146 - 104, 20), 6)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("edge"))
        painter.drawRoundedRect(bar, 3, 3)
        painter.setBrush(dye("lichen"))
        painter.drawRoundedRect(QRectF(bar.left(), bar.top(), bar.width() * self.loop.score, 6), 3, 3)
        painter.setPen(colour("ink"))
        painter.setFont(body_font(12, 600))
        painter.drawText(QRectF(bar.right() + 6, 11, 34, 18), Qt.AlignmentFlag.AlignVCenter, number(self.loop.score, 2))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.taken.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.taken.emit()
        else:
            super().keyPressEvent(event)


class Part(QWidget):
    """One part of the card: a column that is filled once."""

    def __init__(self, session: Session, work: RecordingWork) -> None:
        super().__init__()
        self.session, self.work = session, work
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(6)
        self.head = QHBoxLayout()

    def title(self, name: str, says: str) -> QLabel:
        """The name of the part, and a few words beside it."""
        self.head = QHBoxLayout()
        self.head.addWidget(text_label(name, "name"))
        label = text_label(says, "small")
        self.head.addWidget(label, 1)
        self.column.addLayout(self.head)
        return label

    def row(self, *widgets: QWidget, stretch: bool = True) -> QHBoxLayout:
        """Some widgets beside each other."""
        row = QHBoxLayout()
        row.setSpacing(5)
        for widget in widgets:
            row.addWidget(widget)
        if stretch:
            row.addStretch()
        self.column.addLayout(row)
        return row

    def refuse(self, wrong: FeltDialError) -> None:
        """Says what is wrong."""
        self.session.say(str(wrong), problem=True)


class LoopsPart(Part):
    """Root and loops of the recording."""

    def __init__(self, session: Session, work: RecordingWork) -> None:
        super().__init__(session, work)
        self.root_says = self.title("Root", "")
        self.use = Pill("Use it", "small", self.use_root, "Sets the root of the layer to what was found")
        self.head.addWidget(self.use)
        self.dials = QHBoxLayout()
        self.dials.setSpacing(2)
        self.column.addLayout(self.dials)
        self.column.addWidget(Seam(work))
        self.column.addWidget(SewnLine())
        self.loops_say = self.title("Loops", "")
        self.list = QVBoxLayout()
        self.list.setSpacing(4)
        self.column.addLayout(self.list)
        self.column.addStretch()
        self._laid: object = None
        work.found.connect(self.follow)
        work.changed.connect(self.follow)
        session.watch(self.follow, "layers")
        self.follow()

    def use_root(self) -> None:
        """Takes the root that was found."""
        root, work = self.work.root, self.work
        if root is None or root.key is None or work.asset is None:
            return
        work.show_asset(work.asset, "take the root that was found", root_settings(root.key))
        self.session.say(f"The root of layer {work.layer.upper()} is {note_name(round(root.key))}.")

    def take(self, loop: Loop) -> None:
        """Lets the layer go round here."""
        work, asset = self.work, self.work.asset
        if asset is None or "loop" not in work.source.params or "loop_start" not in work.source.params:
            self.session.say("Only a Sample goes round in a loop: make the layer one first.", problem=True)
            return
        last = asset.frames - 1
        one = loop.turns < 1.5 and loop.turns > 0.5
        marks = {"loop_start": loop.first / last, "loop_end": min(loop.last / last, 1.0), "loop": "forward"}
        work.show_asset(asset, f"loop {loop.says(work.rate)}", marks | ({"fade": 0.0} if one else {}))

    def follow(self) -> None:
        """What was found, and what the source is set to."""
        work = self.work
        source, root, loops = work.source, work.root, work.loops
        set_text(self.root_says, "" if work.asset is None else root.says() if root is not None else "is looked for …")
        self.use.setEnabled(
            root is not None and root.key is not None and source is not None and "root" in source.params
        )
        looked = work.asset is not None and loops is None
        set_text(
            self.loops_say,
            "are looked for …" if looked else "best first" if loops else "none found" if loops == () else "",
        )
        on = self._on()
        now = (work.layer, type(source), work.asset, loops, on)
        if now == self._laid:
            return
        if self._laid is None or now[:2] != self._laid[:2]:  # type: ignore[index]
            self._lay_dials()
        self._laid = now
        clear(self.list)
        for loop in loops or ():
            row = LoopRow(loop, work.rate, loop == on, partial(self._listen, loop))
            row.taken.connect(partial(self.take, loop))
            self.list.addWidget(row)
        if loops == ():
            self.list.addWidget(Empty("Nothing in it comes again so that it could go round."))

    def _on(self) -> Loop | None:
        """The loop that the source goes round."""
        source, asset = self.work.source, self.work.asset
        if asset is None or source is None or not goes_round(source):
            return None
        first, last = (source.number(name) * (asset.frames - 1) for name in ("loop_start", "loop_end"))
        return next((k for k in self.work.loops or () if abs(k.first - first) < 1 and abs(k.last - last) < 1), None)

    def _listen(self, loop: Loop) -> None:
        self.work.play(loop.first / self.work.rate, loop.last / self.work.rate, loops=True)

    def _lay_dials(self) -> None:
        clear(self.dials)
        source, path = self.work.source, f"layers.{self.work.layer}.source."
        if source is None:
            return
        shade = layer_dye(self.work.layer)
        for name in ("root", "cents", "fade"):
            if name in source.params and (name != "fade" or "loop" in source.params):
                self.dials.addWidget(control_for(self.session, path + name, shade, 17))
        if "loop" in source.params and "loop_start" in source.params:
            self.dials.addWidget(Options(self.session, path + "loop"))
        self.dials.addStretch()


class JoinPicture(QWidget):
    """The end of one recording, the beginning of the other, and how they cross."""

    def __init__(self) -> None:
        super().__init__()
        self.parts: tuple[np.ndarray, np.ndarray] | None = None
        self.seconds = (1.0, 1.0)
        self.overlap, self.power = 0.1, True
        self.names = ("", "")
        self.setFixedHeight(84)
        self.setAccessibleName("How both recordings cross")

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect())
        draw_ground(painter, box)
        painter.setFont(body_font(11))
        if self.parts is None:
            painter.setPen(colour("chalk_soft"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "choose what is joined on, or drop a recording here")
            return
        inner = box.adjusted(5, 16, -5, -4)
        over = min(self.overlap, *self.seconds)
        whole = sum(self.seconds) - over
        scale = inner.width() / max(whole, 1e-6)
        second = inner.left() + (self.seconds[0] - over) * scale
        shades = dye("madder", in_well=True), dye("woad", in_well=True)
        for shade in shades:
            shade.setAlphaF(0.8)
        draw_peaks(
            painter,
            QRectF(inner.left(), inner.top(), self.seconds[0] * scale, inner.height()),
            self.parts[0],
            shades[0],
        )
        draw_peaks(
            painter, QRectF(second, inner.top(), self.seconds[1] * scale, inner.height()), self.parts[1], shades[1]
        )
        x = np.linspace(0.0, 1.0, 40)
        down, up = (np.cos(x * np.pi / 2), np.sin(x * np.pi / 2)) if self.power else (1 - x, x)
        painter.setPen(QPen(colour("chalk"), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for line in (down, up):
            spots = [
                QPointF(second + a * over * scale, inner.bottom() - b * inner.height())
                for a, b in zip(x, line, strict=True)
            ]
            painter.drawPolyline(QPolygonF(spots))
        painter.setPen(shades[0])
        painter.drawText(QRectF(7, 2, box.width() / 2, 14), Qt.AlignmentFlag.AlignLeft, self.names[0])
        painter.setPen(shades[1])
        painter.drawText(
            QRectF(box.width() / 2 - 7, 2, box.width() / 2, 14), Qt.AlignmentFlag.AlignRight, self.names[1]
        )


class SplicePart(Part):
    """One recording onto the end of another."""

    def __init__(self, session: Session, work: RecordingWork) -> None:
        super().__init__(session, work)
        self.other: Asset | None = None
        self.title("Splice", "body of one, tail of another")
        self.picture = JoinPicture()
        self.column.addWidget(self.picture)
        self.choose = MenuPill("Choose…", "The recording that is joined on", self._menu)
        self.place = Picker()
        for value, name in (("after", "comes after this one"), ("before", "comes before this one")):
            self.place.addItem(name, value)
        self.place.setAccessibleName("Which of both comes first")
        self.place.activated.connect(lambda _: self._show())
        self.row(self.choose, self.place)
        self.overlap = PlainSlider("overlap", 0.1, (0.0, 2.0), milliseconds, "How long both are heard", 3.0)
        self.overlap.changed.connect(lambda _: self._show())
        self.column.addWidget(self.overlap)
        self.shape = Picker()
        for value, name in SHAPES.items():
            self.shape.addItem(name, value)
        self.shape.setAccessibleName("How they cross")
        self.shape.activated.connect(lambda _: self._show())
        self.row(text_label("crosses by", "small"), self.shape)
        self.align = Pill(
            "Align",
            "small",
            None,
            "Moves the second to where both waves are most alike, so that the overlap is not thin",
        )
        self.match = Pill("Match level", "small", None, "Brings the second to the level of the first where they meet")
        for pill in (self.align, self.match):
            pill.setCheckable(True)
            pill.setChecked(True)
        self.make = Pill("Make one", "pill", self.splice, "The layer plays both as one recording")
        row = self.row(self.align, self.match)
        row.addWidget(self.make)
        self.column.addStretch()
        work.changed.connect(self._show)
        self._show()

    def _menu(self) -> QMenu:
        menu = QMenu(self)
        menu.addAction("From a file…", self._ask)
        patch = self.session.patch
        mine = {
            path: a
            for path, a in assets.assets_of(patch).items()
            if patch.layers[path.split(".")[1]].source.kind != "table"
        }
        for path, asset in mine.items():
            menu.addAction(item(f"{asset.name}, layer {path.split('.')[1].upper()}"), partial(self.take, asset))
        menu.addSeparator()
        for name, (asset, _) in shipped_recordings().items():
            menu.addAction(f"{name}, {asset.seconds:.1f} s", partial(self.take, asset))
        return menu

    def _ask(self) -> None:
        if path := choose_file(self, self.session):
            self.take_file(path)

    def take_file(self, path: Path) -> None:
        """A recording in a file is joined on; it is kept in the library."""
        library = self.session.library

        def read() -> Asset:
            return library.keep_audio(read_audio(path), assets.called(path))

        self.work.latest.ask(read, self.take, lambda says: self.session.say(says, problem=True))

    def take(self, asset: Asset) -> None:
        """Another recording is joined on."""
        self.other = asset
        self._show()

    def _show(self) -> None:
        asset, other = self.work.asset, self.other
        self.make.setEnabled(asset is not None and other is not None)
        self.picture.parts = None
        if asset is not None and other is not None:
            both = [asset, other] if self.place.currentData() == "after" else [other, asset]
            found = [peaks_of(one) for one in both]
            if all(found):
                drawn = []
                for peaks in found:
                    assert peaks is not None
                    columns = peaks.columns(0.0, peaks.sound.shape[1], 300)
                    rows = np.stack([columns[:, 0].min(axis=0), columns[:, 1].max(axis=0)])
                    drawn.append(rows / max(float(np.abs(rows).max()), 1e-6))
                self.picture.parts = drawn[0], drawn[1]
                self.picture.seconds = both[0].seconds, both[1].seconds
                self.picture.names = both[0].name, both[1].name
        self.picture.overlap, self.picture.power = self.overlap.value, self.shape.currentData() == "power"
        self.picture.update()

    def splice(self) -> None:
        """Makes one of both."""
        if self.other is not None:
            self.work.do(
                "splice",
                other=self.other.model_dump(mode="json"),
                place=self.place.currentData(),
                overlap=round(self.overlap.value, 4),
                shape=self.shape.currentData(),
                match=self.match.isChecked(),
                align=self.align.isChecked(),
            )


class SlicesPart(Part):
    """Where something begins, and slices over keys."""

    def __init__(self, session: Session, work: RecordingWork) -> None:
        super().__init__(session, work)
        self.says = self.title("Slices", "")
        self.sensitivity = PlainSlider(
            "sensitivity", 0.5, (0.0, 1.0), lambda v: f"{100 * v:.0f} %", "How small a beginning is found"
        )
        self.sensitivity.let_go.connect(lambda _: self.look())
        self.column.addWidget(self.sensitivity)
        self.row(
            Pill("Find", "small", self.look, "Looks for where something begins"),
            Pill("Add at the mark", "small", self.add, "One more slice, at the mark over the wave"),
            Pill("Forget them", "small", self.forget, "No slices"),
        )
        self.column.addWidget(text_label("drag them in the wave; double click there chooses one", "small"))
        self.first = Picker()
        for key in range(24, 85):
            self.first.addItem(note_name(key), key)
        self.first.setCurrentIndex(self.first.findData(FIRST_KEY))
        self.first.setAccessibleName("The key of the first slice")
        self.row(text_label("first on key", "small"), self.first)
        self.layers = Pill(
            "A layer for each", "small", self.to_layers, "Each slice becomes a layer on a key of its own"
        )
        self.keys = Pill("One layer, a slice a key", "small", self.to_keys, "The key says which slice this layer plays")
        self.row(self.layers, self.keys)
        self.column.addStretch()
        work.changed.connect(self.follow)
        self.follow()

    def follow(self) -> None:
        count = len(self.work.slices)
        set_text(self.says, f"{count} found" if count else "beats and words, on keys of their own")
        for pill in (self.layers, self.keys):
            pill.setEnabled(count > 1)

    def look(self) -> None:
        """Looks for where something begins."""
        work, sound = self.work, self.work.sound
        if sound is None:
            return
        rate, sensitivity = work.rate, self.sensitivity.value

        def then(found: list[int]) -> None:
            self._put(tuple(found))

        work.latest.ask(
            lambda: work.helper.call(onsets, sound, rate, sensitivity), then, lambda says: self.session.say(says, True)
        )

    def _put(self, frames: tuple[int, ...]) -> None:
        self.work.slices = frames
        self.work.changed.emit()

    def add(self) -> None:
        """One more slice at the mark."""
        frame = round(self.work.snapped(self.work.cursor) * self.work.rate)
        self._put(tuple(sorted({*self.work.slices, frame})))

    def forget(self) -> None:
        """No slices."""
        self._put(())

    def to_layers(self) -> None:
        """Each slice becomes a layer."""
        work, first = self.work, int(self.first.currentData())
        if "track" not in work.source.params:
            self.session.say("Slices are played by a Sample: make the layer one first.", problem=True)
            return
        slices = list(work.slices)
        self.session.try_edit(
            lambda: as_layers(self.session.patch, work.layer, slices, first), f"{len(slices)} slices as layers"
        )

    def to_keys(self) -> None:
        """One layer plays the slice of the key that is struck."""
        work, sound, first = self.work, self.work.sound, int(self.first.currentData())
        asset, slices, layer = work.asset, list(work.slices), work.layer
        if sound is None or asset is None:
            return
        if "track" not in work.source.params:
            self.session.say("Slices are played by a Sample: make the layer one first.", problem=True)
            return
        try:
            slots = self.session.library.keep_audio(
                Audio(in_slots(sound, work.rate, slices), work.rate), f"{asset.name}, slices"
            )
            slots = slots.model_copy(update={"rights": asset.rights, "terms": asset.terms})
            patch = by_key(self.session.patch, layer, slots, len(slices), first)
        except FeltDialError as wrong:
            self.refuse(wrong)
            return
        self.session.edit(patch, f"{len(slices)} slices over keys")
        last = note_name(first + len(slices) - 1)
        self.session.say(f"Keys {note_name(first)} to {last} play a slice each.")


class BouncePart(Part):
    """What sounds now, as a recording."""

    def __init__(self, session: Session, work: RecordingWork) -> None:
        super().__init__(session, work)
        self.midi: Path | None = None
        self.title("Bounce", "what sounds now, as a recording")
        self.what = Picker()
        for value, name in (("phrase", "The phrase"), ("note", "One note"), ("midi", "A MIDI file…")):
            self.what.addItem(name, value)
        self.what.setAccessibleName("What is played")
        self.what.activated.connect(self._what)
        self.racks = Picker()
        for racks, name in ((True, "With racks"), (False, "Without racks")):
            self.racks.addItem(name, racks)
        self.racks.setAccessibleName("With the effects of the racks, or without")
        self.row(self.what, self.racks)
        self.key = PlainSlider("key", 60, (12, 108), lambda v: note_name(round(v)), "Which key is struck")
        self.velocity = PlainSlider("velocity", 100, (1, 127), lambda v: f"{v:.0f}", "How hard it is struck")
        self.length = PlainSlider("held", 1.0, (0.02, 20.0), lambda v: f"{number(v, 2)} s", "How long it is held", 3.0)
        for slider in (self.key, self.velocity, self.length):
            self.column.addWidget(slider)
        self.each = Pill("Each layer apart", "small", None, "One recording of each layer")
        self.each.setCheckable(True)
        self.row(self.each)
        self.column.addWidget(text_label("and then it becomes", "small"))
        self.to = Picker()
        for value, name in (
            ("layer", "a new layer here"),
            ("patch", "a new patch that starts from it"),
            ("library", "a recording in the library"),
        ):
            self.to.addItem(name, value)
        self.to.setAccessibleName("What becomes of it")
        self.row(self.to)
        self.row(Pill("Bounce", "pill", self.bounce, "Renders it at the quality of the settings"))
        self.column.addStretch()
        self._what(0)

    def _what(self, n: int) -> None:
        what = self.what.currentData()
        for slider in (self.key, self.velocity, self.length):
            slider.setEnabled(what == "note")
        if what == "midi" and n >= 0:
            self._ask_midi()

    def _ask_midi(self) -> None:
        from PySide6.QtWidgets import QFileDialog

        path, _ = QFileDialog.getOpenFileName(self, "A MIDI file", "", "MIDI files (*.mid *.midi)")
        self.midi = Path(path) if path else None
        if self.midi is not None:
            self.what.setItemText(2, self.midi.name[:24])

    def notes(self) -> list[Note]:
        """The notes that are played; raises `FeltDialError`."""
        session, what = self.session, self.what.currentData()
        tempo = float(session.patch.tempo)
        if what == "note":
            return [Note(0.0, self.length.value, round(self.key.value), round(self.velocity.value))]
        if what == "midi":
            if self.midi is None:
                raise NoMidi("Choose a MIDI file first.")
            return phrase_of(self.midi).in_seconds(tempo)
        return session.phrases[session.phrase].in_seconds(tempo)

    def bounce(self) -> None:
        """Renders what sounds now, beside the window."""
        session, helper = self.session, self.work.helper
        try:
            notes = tuple((n.start, n.length, n.key, n.velocity) for n in self.notes())
        except FeltDialError as wrong:
            self.refuse(wrong)
            return
        name = f"{session.patch.name} bounced"
        bouncing = Bouncing(
            notes, bool(self.racks.currentData()), self.each.isChecked(), session.settings.render_quality
        )
        document, folder = write_patch(session.patch), str(session.library.root / ".assets")
        to = str(self.to.currentData())

        def work(watch: Watch) -> list[Bounced]:
            made: list[Bounced] = helper.call_named(BOUNCE, document, bouncing, folder, name, watch=watch)
            return made

        session.jobs.start(f"Bouncing {session.patch.name}", work, partial(self.give, to))

    def give(self, to: str, made: list[Bounced]) -> None:
        """Puts what was bounced where it is wished."""
        session = self.session
        first = made[0]
        said = f"{number(first.asset.seconds, 2)} s" if len(made) == 1 else f"{len(made)} recordings"
        if to == "library":
            session.say(f"Bounced {said} into the library.")
        elif to == "patch":
            patch = new_patch()
            key = next(iter(patch.layers))
            source = type(self.work).sample_of(first.asset, first.root)
            patch = put(patch, ["layers", key], patch.layers[key].model_copy(update={"source": source}))
            session.open_patch(patch.model_copy(update={"name": first.asset.name}))
            session.say(f"A new patch starts from what was bounced, {said}.")
        else:
            for one in made:
                if not self.work.new_sample(one.asset, one.root, f"bounce {one.asset.name}", one.asset.name):
                    return
            session.say(f"Bounced {said}: layer {self.work.layer.upper()} plays it.")


class NoMidi(FeltDialError):
    """No MIDI file was chosen."""


class RecordPart(Part):
    """Recording from an input, or from the simulated microphone."""

    def __init__(self, session: Session, work: RecordingWork) -> None:
        super().__init__(session, work)
        self.recorder = Recorder()
        self.take: np.ndarray | None = None
        """What was recorded, until a layer plays it."""
        self.destroyed.connect(self.recorder.close)
        self.says = self.title("Record", "")
        self.input = Picker()
        self.input.setAccessibleName("What is recorded from")
        self.input.activated.connect(lambda _: self.listen())
        self.row(self.input)
        self.meter = Meter()
        self.column.addWidget(self.meter)
        self.count = PlainSlider(
            "count-in",
            0,
            (0, 8),
            lambda v: f"{round(v)} beats" if round(v) else "none",
            "Beats that are heard before it begins",
        )
        self.threshold = PlainSlider(
            "begins at",
            -80.0,
            (-80.0, -6.0),
            lambda v: "any level" if v < -79 else f"{number(v, 0)} dB",
            "It waits until something is as loud as that",
        )
        self.before = PlainSlider(
            "from before", 0.1, (0.0, 2.0), milliseconds, "So much of what was just before is kept too", 2.0, 72
        )
        for slider in (self.count, self.threshold, self.before):
            self.column.addWidget(slider)
        self.trim = Pill("Trim after", "small", None, "Leaves out silence before and after")
        self.trim.setCheckable(True)
        self.trim.setChecked(True)
        self.go = Pill("Record", "pill", self.toggle, "Begins to record, and ends it")
        self.drop = Pill("Throw it away", "link", self.throw_away, "Forgets what was recorded")
        self.drop.hide()
        self.row(self.trim, self.go, self.drop)
        self.column.addWidget(text_label("it becomes a new layer of this patch", "small"))
        self.column.addStretch()
        session.frame.connect(self._frame)

    def opened(self, seen: bool) -> None:
        """Listens while it is seen; whoever leaves while it records ends it, and what was recorded is kept."""
        if not seen:
            self.end_if_recording()
            self.recorder.close()
        elif self.recorder.state == "off":
            kept = self.input.currentData()
            self.input.clear()
            for one in list_inputs():
                self.input.addItem(one.name, one.id)
            self.input.setCurrentIndex(max(self.input.findData(kept), 0))
            self.listen()

    def listen(self) -> None:
        """Listens to the chosen input; what was recorded from another is kept."""
        self.end_if_recording()
        try:
            self.recorder.open(str(self.input.currentData() or SIMULATED))
        except FeltDialError as wrong:
            self.refuse(wrong)

    def toggle(self) -> None:
        """Begins to record, or ends it; what could not be kept is tried once more."""
        if self.take is not None:
            self.keep()
        elif self.recorder.state in ("idle", "off"):
            self.begin()
        else:
            self.end()

    def begin(self) -> None:
        """Begins to record."""
        beats = round(self.count.value)
        beat = 60.0 / float(self.session.patch.tempo)
        threshold = None if self.threshold.value < -79 else self.threshold.value
        try:
            if beats:
                hear(self.session, clicks(beats, beat), RATE)
            self.recorder.begin(beats * beat, threshold, self.before.value if not beats else 0.0)
        except FeltDialError as wrong:
            self.refuse(wrong)

    def end(self) -> None:
        """Ends it, and makes a layer of what was recorded; before anything was, it only waits no more."""
        self.take = self.recorder.stop()
        if self.take.shape[1]:
            self.keep()
        else:
            self.take = None

    def end_if_recording(self) -> None:
        """Ends it where something is being kept."""
        if self.recorder.state in ("on", "full"):
            self.end()

    def keep(self) -> None:
        """Makes a layer of what was recorded; where that cannot be, it waits here to be tried once more."""
        assert self.take is not None
        sound = trimmed(self.take) if self.trim.isChecked() else self.take
        try:
            audio = checked(sound, float(RATE), "What was recorded")
        except FeltDialError as wrong:
            self.take = None
            self.refuse(wrong)
            return
        names = {layer.source.gist() for layer in self.session.patch.layers.values()}
        name = next(n for n in (f"Take {k}" for k in range(1, 1000)) if n not in names)
        try:
            asset = self.session.library.keep_audio(audio, name).model_copy(update={"rights": "own"})
        except FeltDialError as wrong:
            self.refuse(wrong)
            return
        if self.work.new_sample(asset, None, f"record {name}", name):
            self.take = None
            self.session.say(f"Recorded {number(asset.seconds, 2)} s: layer {self.work.layer.upper()} plays it.")

    def throw_away(self) -> None:
        """Forgets what could not be kept."""
        self.take = None

    def _frame(self) -> None:
        if not self.isVisible():
            return
        state = self.recorder.state
        self.meter.show_peak(self.recorder.level())
        words = {"off": "", "idle": "listens", "count": "counts in …", "wait": "waits for something loud …"}
        says = words.get(state, f"records, {number(self.recorder.seconds, 1)} s")
        if state == "full":
            says = "10 min are recorded, the most that a sample may last"
        waits = self.take is not None
        if self.take is not None:
            says = f"{number(self.take.shape[1] / RATE, 2)} s wait to be kept"
        set_text(self.says, says)
        set_text(self.go, "Keep it" if waits else "Record" if state in ("off", "idle") else "End it")
        self.drop.setVisible(waits)


def clicks(beats: int, beat: float) -> np.ndarray:
    """A count-in, float32 (1, frames): a short tone on each beat, the first one higher."""
    made = np.zeros(int(beats * beat * RATE), np.float32)
    n = np.arange(int(0.03 * RATE))
    for k in range(beats):
        tone = 0.5 * np.sin(2 * np.pi * (1600 if k == 0 else 1100) * n / RATE) * np.exp(-n / (0.006 * RATE))
        at = int(k * beat * RATE)
        made[at : at + len(n)] = tone[: len(made) - at]
    return made[None]


class StepsPart(Part):
    """What was done to the recording, one step after the other, and whose it is."""

    def __init__(self, session: Session, work: RecordingWork) -> None:
        super().__init__(session, work)
        self.says = self.title("Steps", "")
        self.list = QVBoxLayout()
        self.list.setSpacing(3)
        self.column.addLayout(self.list)
        self.applied = Pill(
            "Apply",
            "small",
            work.apply,
            "The recording as it is becomes the beginning: steps cannot be taken back any more",
        )
        self.row(self.applied)
        self.column.addWidget(SewnLine())
        self.title("Rights", "go along with the recording")
        self.rights = Picker()
        for value, name in RIGHTS.items():
            self.rights.addItem(name, value)
        self.rights.setAccessibleName("Whose the recording is")
        self.rights.activated.connect(lambda n: work.set_rights(self.rights.itemData(n), self.terms.text()))
        self.row(self.rights)
        self.terms: NameEdit = NameEdit(
            "",
            "",
            lambda text: work.set_rights(self.rights.currentData(), text),
            empty="licence, author, where it is from",
        )
        self.terms.setAccessibleName("Under what terms it may be used")
        self.column.addWidget(self.terms)
        self.column.addStretch()
        self._laid: object = None
        work.changed.connect(self.follow)
        self.follow()

    def follow(self) -> None:
        """The steps as they are."""
        recipe, asset = self.work.recipe, self.work.asset
        now = (recipe, asset)
        if now == self._laid:
            return
        self._laid = now
        clear(self.list)
        steps = recipe.steps if recipe is not None else ()
        set_text(self.says, f"from {recipe.origin.name}" if recipe is not None and steps else "")
        for n, step in enumerate(steps):
            row = QHBoxLayout()
            says = step.says()
            label = text_label(f"{n + 1}  {says}" if len(says) < 40 else f"{n + 1}  {says[:38]}…", "label")
            label.setToolTip(says)
            row.addWidget(label, 1)
            row.addWidget(
                Pill("Take back", "link", partial(self.work.take_back, n), "Leaves out this step; those after it stay")
            )
            self.list.addLayout(row)
        if not steps:
            self.list.addWidget(Empty("What is done to the recording is listed here, and each step can be taken back."))
        self.applied.setEnabled(bool(steps))
        self.rights.setCurrentIndex(self.rights.findData(asset.rights if asset is not None else ""))
        self.terms.show_name(asset.terms if asset is not None else "")
        for widget in (self.rights, self.terms):
            widget.setEnabled(asset is not None)


PARTS: dict[str, tuple[type[Part], str]] = {
    "Loops": (LoopsPart, "Root and loops"),
    "Splice": (SplicePart, "One recording onto the end of another"),
    "Slices": (SlicesPart, "Where something begins, over keys"),
    "Bounce": (BouncePart, "What sounds now, as a recording"),
    "Record": (RecordPart, "From an input, or the simulated microphone"),
    "Steps": (StepsPart, "What was done, and whose it is"),
}


class SampleSide(Card):
    """The card beside the sample bench: one part at a time."""

    def __init__(self, session: Session, work: RecordingWork) -> None:
        super().__init__("madder")
        self.session, self.work = session, work
        self.setFixedWidth(WIDTH)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(4, 8, 4, 6)
        row = QHBoxLayout()
        row.setContentsMargins(9, 2, 7, 0)
        row.setSpacing(3)
        self.tabs: dict[str, Pill] = {}
        self.parts: dict[str, Part] = {}
        for name, (_, tip) in PARTS.items():
            pill = Pill(name, "small", partial(self.show_part, name), tip)
            pill.setCheckable(True)
            self.tabs[name] = pill
            row.addWidget(pill)
        row.addStretch()
        outer.addLayout(row)
        self.body = QWidget()
        self.column = QVBoxLayout(self.body)
        self.column.setContentsMargins(9, 6, 7, 2)
        outer.addWidget(Scroller(self.body))
        self.shown = ""
        self._seen = False
        self.show_part("Loops")
        work.changed.connect(self._wear)
        self._wear()

    def _wear(self) -> None:
        self.shade = layer_dye(self.work.layer) if self.work.layer else "madder"
        self.update()

    def part(self, name: str) -> Part:
        """A part, made when it is first asked for."""
        if name not in self.parts:
            made = self.parts[name] = PARTS[name][0](self.session, self.work)
            made.hide()
            self.column.addWidget(made)
        return self.parts[name]

    def show_part(self, name: str) -> None:
        """Opens a part."""
        shown = self.part(name)
        for other, part in self.parts.items():
            part.setVisible(part is shown)
            self.tabs[other].setChecked(part is shown)
        for other, pill in self.tabs.items():
            pill.setChecked(other == name)
        self.shown = name
        self._tell()

    def join(self, path: Path) -> None:
        """A file is what is joined on."""
        part = self.part("Splice")
        assert isinstance(part, SplicePart)
        self.show_part("Splice")
        part.take_file(path)

    def opened(self, seen: bool) -> None:
        """The bench is shown now, or put away."""
        self._seen = seen
        self._tell()

    def _tell(self) -> None:
        record = self.parts.get("Record")
        if isinstance(record, RecordPart):
            record.opened(self._seen and self.shown == "Record")
