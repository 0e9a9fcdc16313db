"""What was done to the recording, and whose it is."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from felt_dial.session.session import Session
from felt_dial.ui.benches.recording import RecordingWork
from felt_dial.ui.dials.controls import NameEdit, Pill, set_text, text_label
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.pages.workshop.parts.part import Part
from felt_dial.ui.theme.felt import Empty, SewnLine

RIGHTS = {"": "unknown", "own": "own recording", "free": "free for any use", "licensed": "licensed, as noted"}


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
