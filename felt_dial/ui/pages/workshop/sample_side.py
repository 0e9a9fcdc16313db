"""Beside the sample bench: root and loops, splice, slices, bounce, recording, and the steps that were done."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from felt_dial.session.session import Session
from felt_dial.ui.benches.recording import RecordingWork
from felt_dial.ui.dials.cards import Card
from felt_dial.ui.dials.controls import Pill
from felt_dial.ui.dials.scrolling import Scroller
from felt_dial.ui.inspector.panel import WIDTH
from felt_dial.ui.pages.workshop.parts.bounce import BouncePart
from felt_dial.ui.pages.workshop.parts.loops import LoopsPart
from felt_dial.ui.pages.workshop.parts.part import Part
from felt_dial.ui.pages.workshop.parts.record import RecordPart
from felt_dial.ui.pages.workshop.parts.slices import SlicesPart
from felt_dial.ui.pages.workshop.parts.splice import SplicePart
from felt_dial.ui.pages.workshop.parts.steps import StepsPart
from felt_dial.ui.theme.colours import layer_dye

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
        for name, part in self.parts.items():
            part.opened(self._seen and name == self.shown)
