"""The guide and what the program says of itself, as sheets over the page."""

from __future__ import annotations

import platform
import re
from functools import partial
from importlib.metadata import version
from pathlib import Path

from PySide6.QtCore import Qt, qVersion
from PySide6.QtGui import QFont, QTextBlockFormat, QTextCharFormat, QTextCursor, QTextDocument
from PySide6.QtWidgets import QHBoxLayout, QTextBrowser, QWidget

from felt_dial import __version__
from felt_dial.session.session import Session
from felt_dial.shipped import DATA
from felt_dial.ui.dials.controls import Pill, text_label
from felt_dial.ui.frame.sheets import Sheet
from felt_dial.ui.theme.fonts import body_font, name_font

GUIDES = ("first-sound", "raw-matter", "workshop", "what-moves", "tone-and-room", "a-bank")
"""In the order in which they are read."""

STANDS_ON = ("numpy", "scipy", "numba", "soundfile", "soxr", "sounddevice", "mido", "pydantic", "pyloudnorm")


def guide_text(name: str) -> tuple[str, str]:
    """The title of a part of the guide and its Markdown, without pictures: what they show is at hand."""
    text = (DATA / "guide" / f"{name}.md").read_text(encoding="utf-8")
    title, _, body = text.partition("\n")
    return title.removeprefix("# "), re.sub(r"^!\[.*?\]\(.*?\)\n+", "", body, flags=re.MULTILINE)


def typeset(document: QTextDocument) -> None:
    """Gives what came from Markdown the fonts and the air of the house; colours are left to the theme."""
    cursor = QTextCursor(document)
    block = document.begin()
    while block.isValid():
        heading = block.blockFormat().headingLevel() > 0
        cursor.setPosition(block.position())
        air = QTextBlockFormat()
        air.setLineHeight(128, QTextBlockFormat.LineHeightTypes.ProportionalHeight.value)
        air.setTopMargin(14 if heading else 0)
        air.setBottomMargin(4 if heading else 7)
        cursor.mergeBlockFormat(air)
        for fragment in block.textFormats():
            own = fragment.format
            cursor.setPosition(block.position() + fragment.start)
            cursor.setPosition(cursor.position() + fragment.length, QTextCursor.MoveMode.KeepAnchor)
            strong = own.fontWeight() > QFont.Weight.Medium or own.fontFixedPitch()
            font = name_font(19) if heading else body_font(14, 600 if strong else 400)
            said = QTextCharFormat()
            said.setFont(font)
            said.setFontItalic(own.fontItalic() and not heading)
            cursor.setCharFormat(said)
        block = block.next()


class GuideSheet(Sheet):
    """The guide, read beside the work."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, "Guide")
        self.parts: dict[str, Pill] = {}
        row = QHBoxLayout()
        row.setSpacing(8)
        for name in GUIDES:
            title, _ = guide_text(name)
            pill = self.parts[name] = Pill(title, "kind", partial(self.show_part, name))
            pill.setCheckable(True)
            row.addWidget(pill)
        row.addStretch()
        self.body.addLayout(row)
        self.text = QTextBrowser()
        self.text.setAccessibleName("The guide")
        self.text.setMinimumSize(720, 300)
        self.text.document().setDocumentMargin(10)
        self.body.addWidget(self.text, 1)
        self.show_part(GUIDES[0])

    def show_part(self, name: str) -> None:
        """Shows a part from its beginning."""
        for other, pill in self.parts.items():
            pill.setChecked(other == name)
        self.text.setMarkdown(guide_text(name)[1])
        typeset(self.text.document())
        self.text.moveCursor(self.text.textCursor().MoveOperation.Start)

    def tall(self, wide: int) -> int:
        """As high as the page allows."""
        return 4000

    def open(self) -> None:
        """Opens, ready to be scrolled by keys."""
        super().open()
        self.text.setFocus()


class AboutSheet(Sheet):
    """Which program this is, what it stands on, and where it keeps what one makes."""

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "About Felt Dial")
        self.session = session
        self.lines = text_label("", "label")
        self.lines.setWordWrap(True)
        self.lines.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.body.addWidget(self.lines)

    def open(self) -> None:
        """What is so now."""
        self.lines.setText("\n\n".join(self.about()))
        super().open()

    def about(self) -> list[str]:
        """What it says, by paragraphs."""
        libraries = ", ".join(f"{name} {version(name)}" for name in STANDS_ON)
        return [
            f"Felt Dial {__version__}, a workbench for designing synthesizer presets. MIT licence.",
            f"On Python {platform.python_version()}, Qt {qVersion()}, {libraries}.",
            "The fonts Barlow and Fraunces are used under the SIL Open Font Licence 1.1; their texts lie in "
            f"{DATA / 'fonts'}.",
            f"Your banks are in {Path(self.session.settings.now.library_folder())}.",
        ]
