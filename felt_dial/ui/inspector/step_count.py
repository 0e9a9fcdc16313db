"""How many steps there are: seen, turned and typed."""

from __future__ import annotations

import contextlib

from felt_dial.patch.drawn import Drawn
from felt_dial.patch.params import Param
from felt_dial.patch.parts import NoSuchPath
from felt_dial.patch.patch import drawn_at
from felt_dial.patch.units import COUNT
from felt_dial.session.session import Session
from felt_dial.ui.dials.plain_slider import PlainSlider
from felt_dial.ui.pictures.step_rows import StepsEditor


class StepCount(PlainSlider):
    """The number of steps of a drawing."""

    def __init__(self, session: Session, picture: StepsEditor) -> None:
        drawn: Drawn = drawn_at(session.patch, picture.path)[0]
        says = "How many steps there are; one more is as its neighbour is"
        super().__init__(Param("Steps", len(picture.rows), (1, drawn.most), COUNT, whole=True, says=says), 40)
        self.picture = picture
        self.changed.connect(lambda count: picture.set_count(round(count)))
        session.channel.watch(self._follow, picture.path)

    def _follow(self) -> None:
        with contextlib.suppress(NoSuchPath):  # they may be gone, and this as soon as the inspector is laid out anew
            self.set_value(float(len(self.picture.rows)))
