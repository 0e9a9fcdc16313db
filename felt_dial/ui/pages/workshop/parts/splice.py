"""Another recording is joined on."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QMenu, QWidget

from felt_dial.patch.asset import Asset
from felt_dial.patch.params import CUBIC, Param
from felt_dial.patch.units import DECIBELS, SECONDS
from felt_dial.session.jobs import Latest
from felt_dial.session.session import Session
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import read_audio
from felt_dial.sound.matter.tables import shipped_recordings
from felt_dial.ui.benches.recording import RecordingWork, peaks_of
from felt_dial.ui.dials.controls import MenuPill, Pill, set_text, text_label
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.dials.plain_slider import PlainSlider
from felt_dial.ui.inspector.load import choose_file
from felt_dial.ui.pages.workshop.parts.part import Part
from felt_dial.ui.pictures.sources import draw_peaks
from felt_dial.ui.pictures.well import draw_ground
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.fonts import body_font
from felt_dial.ui.theme.words import item
from felt_dial.workshop.recording.splice import matching_db

SHAPES = {"power": "equal power, for what differs", "gain": "equal gain, for waves in phase"}


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
        self.gains = Latest(session.channel)
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
        self.overlap = PlainSlider(
            Param("overlap", 0.1, (0.0, 2.0), SECONDS, taper=CUBIC, says="How long both are heard")
        )
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
        self.match = Pill("Match level", "small", None, "Makes the second as loud as the first")
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
        library = self.session.shelf.library

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
        set_text(self.match, "Match level")
        if asset is not None and other is not None:
            both = [asset, other] if self.place.currentData() == "after" else [other, asset]
            self._say_gain(both[0], both[1])
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

    def _say_gain(self, first: Asset, second: Asset) -> None:
        """By how much the second will be brought to the loudness of the first, once that is measured."""

        def measure() -> float:
            one, two = assets.load(first), assets.load(second)
            return matching_db(one, two, first.rate, second.rate) if one is not None and two is not None else 0.0

        def show(gain: float) -> None:
            if {first, second} == {self.work.asset, self.other}:
                set_text(self.match, f"Match level {'+' if gain > 0 else ''}{DECIBELS.write(round(gain, 1))}")

        self.gains.ask(measure, show)

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
