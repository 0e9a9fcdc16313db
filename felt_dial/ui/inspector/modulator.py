"""What the inspector shows for one mover: its picture, its dials, what can be done with its drawing."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QMenu, QVBoxLayout, QWidget

from felt_dial.errors import FeltDialError
from felt_dial.patch.drawn import STRAIGHT, Rows, doubled, flipped, mirrored
from felt_dial.patch.params import Choice
from felt_dial.patch.patch import drawn_at, movers, put, with_value
from felt_dial.session.copying import copy_modulator, duplicate_modulator
from felt_dial.session.session import Session
from felt_dial.sound.control.curve import READY
from felt_dial.sound.control.steps import STEP
from felt_dial.ui.dials.controls import Pill, text_label
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.dials.shake_pill import ShakePill
from felt_dial.ui.dials.snippet_button import SnippetPill
from felt_dial.ui.dials.tag import tag_text
from felt_dial.ui.inspector.step_count import StepCount
from felt_dial.ui.pictures.registry import picture_of
from felt_dial.ui.pictures.step_rows import StepsPicture

LANES = ("Level", "Tie", "Probability", "Random")


class DrawingTools(QWidget):
    """Ready shapes, flip, mirror, double, copy and paste, for a line at a path."""

    def __init__(
        self, session: Session, path: str, before: Callable[[], object] = lambda: None, straight: Rows = STRAIGHT
    ) -> None:
        super().__init__()
        self.session, self.path, self._before, self._straight = session, path, before, straight
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        row.addWidget(Pill("Shapes…", "small", self._menu, "Begin from one of the ready shapes"))
        for name, make, tip in (
            ("Flip", flipped, "Turn the curve over"),
            ("Mirror", mirrored, "From its end to its beginning"),
            ("Double", self._doubled, "Twice in the same time"),
        ):
            row.addWidget(Pill(name, "small", partial(self._change, make, name.lower()), tip))
        row.addWidget(Pill("Copy", "small", self._copy, "Copy the drawing"))
        row.addWidget(Pill("Paste", "small", self._paste, "Paste the copied drawing"))
        row.addStretch()

    @property
    def rows(self) -> Rows:
        """The drawing as it is; a straight line where nothing was drawn."""
        return drawn_at(self.session.patch, self.path)[1] or STRAIGHT

    def _doubled(self, rows: Rows) -> Rows:
        return doubled(rows, drawn_at(self.session.patch, self.path)[0].most)

    def put(self, rows: Rows, says: str) -> None:
        """Makes the drawing these points; a refusal is said."""
        self._before()
        self.session.editor.try_edit(lambda: with_value(self.session.patch, self.path, rows), says)

    def _change(self, make: Callable[[Rows], Rows], says: str) -> None:
        try:
            self.put(make(self.rows), f"{says} the drawing")
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)

    def _copy(self) -> None:
        self.session.editor.clipboard.put("drawing", self.rows)
        self.session.say("Copied the drawing.")

    def _paste(self) -> None:
        try:
            rows: Rows = self.session.editor.clipboard.take("drawing", tuple)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        self.put(rows, "paste the drawing")

    def menu(self) -> QMenu:
        """The ready shapes."""
        menu = QMenu(self)
        for name, rows in (READY | {"Straight": self._straight}).items():
            menu.addAction(name, lambda r=rows, n=name: self.put(r, f"draw {n.lower()}"))
        return menu

    def _menu(self) -> None:
        self.menu().exec(self.mapToGlobal(self.rect().bottomLeft()))


class StepTools(QWidget):
    """Which lane of the steps is drawn, and how many there are."""

    def __init__(self, session: Session, picture: StepsPicture) -> None:
        super().__init__()
        self.session, self.picture = session, picture
        body = QVBoxLayout(self)
        body.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        row.setSpacing(4)
        body.addLayout(row)
        self.lanes = []
        for n, name in enumerate(LANES):
            pill = Pill(name, "small", partial(self.show_lane, n), f"Draw the {STEP[n].name} of the steps")
            pill.setCheckable(True)
            pill.setChecked(n == 0)
            self.lanes.append(pill)
            row.addWidget(pill)
        row.addStretch()
        self.count = StepCount(session, picture)
        body.addWidget(self.count)

    def show_lane(self, lane: int) -> None:
        """Another lane comes under the hand."""
        self.picture.lane = lane
        for n, pill in enumerate(self.lanes):
            pill.setChecked(n == lane)
        self.picture.update()


class Inputs(QWidget):
    """What a blend or a follower reads."""

    def __init__(self, session: Session, key: str) -> None:
        super().__init__()
        self.session, self.key = session, key
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        modulator = session.patch.modulators[key]
        places = modulator.places(session.patch.layers)
        for n, field in enumerate(modulator.inputs):
            box = Picker()
            box.setAccessibleName(field.capitalize())
            if not places:
                box.addItem("nothing", "")
            known = places or {k: f"{tag_text(k)} {name}" for k, name in movers(session.patch).items() if k != key}
            for other, name in known.items():
                box.addItem(name, other)
            box.setCurrentIndex(max(box.findData(getattr(modulator, field)), 0))
            box.activated.connect(lambda at, b=box, f=field: self._choose(f, str(b.itemData(at))))
            grid.addWidget(text_label(field.capitalize()), n, 0)
            grid.addWidget(box, n, 1)
        grid.setColumnStretch(1, 1)

    def _choose(self, field: str, other: str) -> None:
        modulator = self.session.patch.modulators[self.key]
        fresh = modulator.model_copy(update={field: other})
        says = f"{self.key.upper()} {'reads' if other else 'lets go of'} {tag_text(other) or field}"
        self.session.editor.edit(put(self.session.patch, ["modulators", self.key], fresh), says)


class MoverPart(QWidget):
    """All of a modulator but its name: `grid` lays out dials by their paths."""

    def __init__(self, session: Session, key: str, grid: Callable[[list[str], str, int], QGridLayout]) -> None:
        super().__init__()
        self.session, self.key = session, key
        modulator = session.patch.modulators[key]
        body = QVBoxLayout(self)
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(5)
        picture = picture_of(session, f"modulators.{key}", session.patch.modulators[key].dye, large=True)
        picture.setFixedHeight(124)
        body.addWidget(picture)
        if isinstance(picture, StepsPicture):
            body.addWidget(StepTools(session, picture))
        elif "line" in modulator.drawings:
            body.addWidget(DrawingTools(session, f"modulators.{key}.line", self._draw))
        if modulator.inputs:
            body.addWidget(Inputs(session, key))
        names = list(modulator.params)
        choices = [n for n in names if isinstance(modulator.params[n], Choice)]
        dials = [n for n in names if n not in choices]
        body.addLayout(grid([f"modulators.{key}.{n}" for n in choices], modulator.dye, 4))
        body.addLayout(grid([f"modulators.{key}.{n}" for n in dials], modulator.dye, 4 if len(dials) % 4 == 0 else 5))
        row = QHBoxLayout()
        row.addWidget(ShakePill(session, f"modulators.{key}", key.upper()))
        row.addWidget(SnippetPill(session, f"modulators.{key}"))
        row.addWidget(
            Pill("Duplicate", "small", lambda: duplicate_modulator(session, key), "One more like this: Ctrl+D")
        )
        row.addWidget(Pill("Copy", "small", lambda: copy_modulator(session, key), "Copy this modulator: Ctrl+C"))
        row.addStretch()
        body.addLayout(row)

    def _draw(self) -> None:
        """A drawing was asked for: an LFO then goes by it."""
        path = f"modulators.{self.key}.shape"
        if "shape" in self.session.patch.modulators[self.key].params:
            self.session.editor.edit(with_value(self.session.patch, path, "drawn"), "go by the drawing")
