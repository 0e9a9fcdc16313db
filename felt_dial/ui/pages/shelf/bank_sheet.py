"""The sheet of a bank: what it says about itself, its cover, and the words that names are made of."""

from __future__ import annotations

import math
from pathlib import Path

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPixmap
from PySide6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLineEdit, QWidget

from felt_dial.bank.finding.catalogue import Listed
from felt_dial.bank.finding.names import on_offer, words_of
from felt_dial.bank.library.bank import Bank, BankFile
from felt_dial.errors import FeltDialError, cut
from felt_dial.patch.units import DECIBELS
from felt_dial.session import shelf_steps as shelving
from felt_dial.session.session import Session
from felt_dial.session.topics import LibraryChanged, Measured
from felt_dial.ui.dials.controls import LONGEST_NAME, Lines, Pill, set_text, text_label
from felt_dial.ui.dials.focus import take_what_is_written
from felt_dial.ui.frame.sheets import Sheet
from felt_dial.ui.pages.shelf.marks import MarkRow
from felt_dial.ui.pages.shelf.preset_list import loudness_text, shade_of
from felt_dial.ui.pages.shelf.spine import spine_dye
from felt_dial.ui.pictures.swatch import paint_swatch
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.fonts import body_font, name_font
from felt_dial.ui.theme.words import counted

MOST_PATCHES = 40
"""Swatches of a cover."""


class Cover(QWidget):
    """A quilt of the swatches of a bank, with its name sewn on."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.name, self.author, self.shade = "", "", "madder"
        self.rows: list[Listed] = []
        self.setFixedHeight(172)
        self.setAccessibleName("Cover, painted from the swatches of the bank")

    def sizeHint(self) -> QSize:
        return QSize(620, 172)

    def show_bank(self, name: str, author: str, shade: str, rows: list[Listed]) -> None:
        """Another bank, or the same as it is now."""
        self.name, self.author, self.shade, self.rows = name, author, shade, [row for row in rows if not row.problem]
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.draw(painter, QRectF(self.rect()))

    def draw(self, painter: QPainter, box: QRectF) -> None:
        """The cover in a box; what is not measured yet is left as a plain patch."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(dye(self.shade))
        painter.drawRoundedRect(box, 8, 8)
        known = [(row, self.session.shelf.figures.of_row(row)) for row in self.rows[:MOST_PATCHES]]
        quilt = box.adjusted(10, 10, -10, -58)
        across = max(min(len(known), math.ceil(math.sqrt(len(known) * quilt.width() / quilt.height() / 2))), 1)
        down = max(math.ceil(len(known) / across), 1)
        wide, high = quilt.width() / across, quilt.height() / down
        for n, (row, measured) in enumerate(known):
            place = QRectF(quilt.x() + n % across * wide, quilt.y() + n // across * high, wide, high)
            swatch = measured.swatch if measured else None
            paint_swatch(painter, place.adjusted(1, 1, -1, -1), swatch, shade_of(row.place), "")
        painter.setPen(colour("felt_light"))
        painter.setFont(name_font(22))
        line = QRectF(box.x() + 14, box.bottom() - 52, box.width() - 28, 28)
        name = painter.fontMetrics().elidedText(self.name, Qt.TextElideMode.ElideRight, int(line.width()))
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, name)
        painter.setFont(body_font(12))
        count = counted(len(self.rows), "sound")
        below = QRectF(line.x(), box.bottom() - 26, line.width(), 18)
        painter.drawText(below, Qt.AlignmentFlag.AlignVCenter, f"{count}, by {self.author}" if self.author else count)


class BankSheet(Sheet):
    """All that a bank says about itself; every change is a step that can be taken back."""

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "About this bank")
        self.session, self.key = session, ""
        self.cover = Cover(session)
        self.body.addWidget(self.cover)
        row = QHBoxLayout()
        self.measured = text_label("", "small")
        row.addWidget(self.measured)
        row.addStretch()
        row.addWidget(Pill("Keep the cover as a picture…", "link", self.ask_picture, "Writes the cover as a PNG file"))
        self.body.addLayout(row)
        grid = QGridLayout()
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(7)
        self.lines: dict[str, QLineEdit] = {}
        about = {
            "name": ("Name", LONGEST_NAME, "What the bank is called"),
            "author": ("Author", 200, "Who made it"),
            "version": ("Version", 40, "Such as 1.0, for those who have an earlier one"),
            "licence": ("Licence", 400, "Under what terms its sounds may be used and passed on"),
        }
        for n, (field, (label, most, tip)) in enumerate(about.items()):
            made = self.lines[field] = QLineEdit()
            made.setMaxLength(most)
            made.setAccessibleName(f"{label} of the bank")
            made.setToolTip(tip)
            made.setPlaceholderText(tip)
            made.editingFinished.connect(lambda field=field: self._typed(field))
            grid.addWidget(text_label(label), n // 2, 2 * (n % 2))
            grid.addWidget(made, n // 2, 2 * (n % 2) + 1)
        self.loudness = QLineEdit()
        self.loudness.setAccessibleName("Loudness of the bank")
        self.loudness.setToolTip(
            "How loud its presets shall be, in LUFS: Level brings them there, and what is off is red"
        )
        self.loudness.editingFinished.connect(self._loud)
        self.dyes = MarkRow("Dye of the spine")
        self.dyes.buttons[""].setToolTip("Dye of the spine: that of its place on the shelf")
        self.dyes.chosen.connect(lambda mark: self._change({"dye": mark}, "dye"))
        grid.addWidget(text_label("Dye"), 2, 0)
        grid.addWidget(self.dyes, 2, 1)
        grid.addWidget(text_label("Loudness"), 2, 2)
        grid.addWidget(self.loudness, 2, 3)
        self.description = Lines("Description of the bank", "What a musician should know of it", 56, self._described)
        grid.addWidget(text_label("Description"), 3, 0, Qt.AlignmentFlag.AlignTop)
        grid.addWidget(self.description, 3, 1, 1, 3)
        says = "Words with commas between them: names on offer are made of these, and of those that its presets have"
        self.words = Lines("Words for names", says, 44, self._worded)
        grid.addWidget(text_label("Words"), 4, 0, Qt.AlignmentFlag.AlignTop)
        grid.addWidget(self.words, 4, 1, 1, 3)
        self.learned = text_label("", "small")
        self.learned.setWordWrap(True)
        grid.addWidget(self.learned, 5, 1, 1, 3)
        self.body.addLayout(grid)
        session.channel.watch(self._follow, LibraryChanged)
        session.channel.watch(self._follow, Measured)

    @property
    def bank(self) -> Bank:
        """The bank that is shown; raises `NoSuchBank`."""
        return self.session.shelf.library.bank(self.key)

    def open_for(self, key: str) -> None:
        """Shows a bank, and has measured what of it was not yet."""
        take_what_is_written(self)
        self.key = key
        self.show_bank()
        rows = self.session.shelf.catalogue.presets(key)[:MOST_PATCHES]
        self.session.shelf.figures.ask_rows(rows, self.session.shelf.library)
        self.open()
        self.lines["name"].setFocus()

    def _follow(self) -> None:
        if self.isVisible():
            self.show_bank()

    def show_bank(self) -> None:
        """The bank as it is now; a bank that is gone puts the sheet away."""
        try:
            file = self.bank.file
        except FeltDialError:
            self.put_away()
            return
        rows = self.session.shelf.catalogue.presets(self.key)
        place = [bank.id for bank in self.session.shelf.banks].index(self.key)
        self.cover.show_bank(file.name, file.author, spine_dye(file.dye, place), rows)
        lacks = sum(self.session.shelf.figures.of_row(row) is None for row in rows[:MOST_PATCHES] if row.key)
        set_text(self.measured, f"{lacks} of its sounds are being measured" if lacks else "Painted from its swatches")
        for field, line in self.lines.items():
            if not line.hasFocus():
                line.setText(getattr(file, field))
                line.setCursorPosition(0)
        if not self.loudness.hasFocus():
            self.loudness.setText(loudness_text(file.loudness))
        self.dyes.show_mark(file.dye)
        self.description.show_text(file.description)
        self.words.show_text(", ".join(file.words))
        self._show_learned(file, [row.name for row in rows])

    def _show_learned(self, file: BankFile, names: list[str]) -> None:
        firsts, lasts = words_of(names)
        learned = ", ".join([*firsts, *lasts][:24]) or "nothing yet"
        offers = ", ".join(on_offer(names, self.session.shelf.catalogue.names(), 3, words=file.words))
        set_text(self.learned, f"Learned from its names: {learned}. On offer, for example: {offers}.")

    def _typed(self, field: str) -> None:
        text = self.lines[field].text().strip()
        if text or field != "name":
            self._change({field: text}, field)

    def _loud(self) -> None:
        text = self.loudness.text().upper().removesuffix("LUFS").strip()
        try:
            self._change({"loudness": round(DECIBELS.read(text), 1)}, "loudness")
        except FeltDialError:
            self.session.say(
                f"“{cut(self.loudness.text())}” is no loudness: try −18 LUFS. It stays as it was.", problem=True
            )
        self.loudness.clearFocus()
        self._follow()

    def _described(self, text: str) -> None:
        self._change({"description": text}, "description")

    def _worded(self, text: str) -> None:
        words = [word.strip()[:24].strip() for word in text.replace("\n", ",").split(",")]
        self._change({"words": tuple(dict.fromkeys(word for word in words if word))[:400]}, "words")

    def _change(self, change: dict[str, object], what: str) -> None:
        try:
            shelving.about_bank(self.session, self.key, change, what)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)

    def ask_picture(self) -> None:
        """Asks where to put the cover as a picture."""
        path, _ = QFileDialog.getSaveFileName(self, "Keep the cover", f"{self.key}.png", "Pictures (*.png)")
        if path:
            self.write_picture(Path(path))

    def write_picture(self, path: Path) -> None:
        """Writes the cover, 1240 × 800 pixels."""
        picture = QPixmap(1240, 800)
        picture.fill(colour("wool"))
        painter = QPainter(picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.scale(2.0, 2.0)
        self.cover.draw(painter, QRectF(0, 0, 620, 400))
        painter.end()
        done = picture.save(str(path), "PNG")
        self.session.say(f"Wrote {path.name}." if done else f"{path.name} could not be written.", problem=not done)
