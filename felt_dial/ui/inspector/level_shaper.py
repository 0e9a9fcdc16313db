"""The level over time of a layer or a bus: by which mover it goes, or by a new one."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QWidget

from felt_dial.bank.library.snippets import Snippets
from felt_dial.errors import FeltDialError
from felt_dial.patch.edits import add_modulator
from felt_dial.patch.module import Modulator
from felt_dial.patch.patch import module_at, put
from felt_dial.session.session import Session
from felt_dial.session.topics import Selected
from felt_dial.ui.dials.controls import text_label
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.theme.words import item

NEW = "new "
WHOLE = "Full level"


class LevelShaper(QWidget):
    """A line with everything that may shape a level: what is there, a new one, and for a bus nothing at all."""

    def __init__(self, session: Session, path: str) -> None:
        super().__init__()
        self.session, self.path = session, path
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(text_label("Level over time by"))
        self.box = Picker()
        self.box.setAccessibleName("What shapes the level over time")
        self.box.activated.connect(self._choose)
        row.addWidget(self.box, 1)
        self._list()
        session.channel.watch(self._list, path, "modulators")

    def _list(self) -> None:
        patch = self.session.patch
        what, key = self.path.split(".")
        if key not in getattr(patch, what):
            return
        self.box.clear()
        if what == "buses":
            self.box.addItem(WHOLE, "")
        for mover, modulator in patch.modulators.items():
            if modulator.shapes_levels:
                self.box.addItem(item(f"{modulator.name or modulator.title} ({mover.upper()})"), mover)
        for kind in Modulator.in_order():
            if Modulator.kinds[kind].shapes_levels:
                self.box.addItem(f"A new {Modulator.kinds[kind].title}", NEW + kind)
        self.box.setCurrentIndex(self.box.findData(module_at(patch, self.path).contour))

    def _choose(self, n: int) -> None:
        """Another mover, or a new one, becomes the level over time, as one step."""
        chosen, patch = str(self.box.itemData(n)), self.session.patch
        try:
            if chosen.startswith(NEW):
                fresh = Modulator.kinds[chosen.removeprefix(NEW)]()
                patch, chosen = add_modulator(patch, Snippets(self.session.shelf.library.root).fresh(fresh))
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            self._list()
            return
        what, key = self.path.split(".")
        whose = f"layer {key.upper()}" if what == "layers" else f"bus {key}"
        by = chosen.upper() or "nothing"
        self.session.editor.edit(put(patch, [what, key, "contour"], chosen), f"shape {whose} with {by}")
        self.session.channel.tell(Selected())
