"""What the inspector shows for the pattern player: its lanes, how it goes on, and what chance does to it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from felt_dial.patch.drawn import Rows
from felt_dial.patch.pattern import LANES, PROBABILITY, SKIP, TIE
from felt_dial.session.session import Session
from felt_dial.ui.dials.controls import Pill, text_label
from felt_dial.ui.inspector.step_count import StepCount
from felt_dial.ui.pictures.step_rows import StepsEditor
from felt_dial.ui.theme.felt import SewnLine

NAMES = ("Octave", "Pitch", "Velocity", "Length", "Tie", "Chance", "Skip")


class PatternPicture(StepsEditor):
    """The steps of the pattern, one lane at a time; a skipped step is drawn faintly."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "pattern.steps", "weld")
        self.lane = 2
        self.setAccessibleName("Steps of the pattern")

    def strength(self, row: tuple[float, ...]) -> float:
        if row[SKIP] > 0.5 and self.lane != SKIP:
            return 0.15
        return 0.4 if row[TIE] > 0.5 and self.lane != TIE else 0.35 + 0.5 * row[PROBABILITY]

    def playing(self) -> int:
        return int(self.session.link.shared.data["pattern_step"])

    @property
    def steps(self) -> Rows:
        """The steps as they are."""
        return self.rows


class PatternPart(QWidget):
    """All of the pattern player."""

    def __init__(self, session: Session, grid: Callable[[list[str], str, int], QGridLayout]) -> None:
        super().__init__()
        self.session = session
        body = QVBoxLayout(self)
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(6)
        self.picture = PatternPicture(session)
        self.picture.setFixedHeight(124)
        body.addWidget(self.picture)
        lanes = QHBoxLayout()
        lanes.setSpacing(2)
        self.lanes = []
        for n, name in enumerate(NAMES):
            pill = Pill(name, "small", partial(self.show_lane, n), f"Draw the {LANES[n].name} of the steps")
            pill.setCheckable(True)
            self.lanes.append(pill)
            lanes.addWidget(pill)
        lanes.addStretch()
        body.addLayout(lanes)
        self.count = StepCount(session, self.picture)
        body.addWidget(self.count)
        for names in (("on", "order", "hold"), ("rate", "swing", "octaves", "start")):
            body.addLayout(grid([f"pattern.{name}" for name in names], "weld", 5))
        body.addWidget(SewnLine())
        body.addWidget(text_label("What chance does to it", "value"))
        body.addLayout(grid([f"pattern.vary_{n}" for n in ("octave", "pitch", "velocity", "length")], "weld", 5))
        body.addLayout(grid([f"pattern.{n}" for n in ("redraw", "redraw_after", "seed")], "weld", 5))
        self.show_lane(self.picture.lane)

    def show_lane(self, lane: int) -> None:
        """Another lane comes under the hand."""
        self.picture.lane = lane
        for n, pill in enumerate(self.lanes):
            pill.setChecked(n == lane)
        self.picture.update()
