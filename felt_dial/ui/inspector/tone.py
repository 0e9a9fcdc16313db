"""Drive and filter of a layer or a bus, as the inspector shows them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from felt_dial.patch.edits import replace_module
from felt_dial.patch.module import Filter
from felt_dial.patch.params import Choice, Param
from felt_dial.patch.patch import owner
from felt_dial.session.session import Session
from felt_dial.ui.dials.controls import Options, SwitchPill, text_label
from felt_dial.ui.dials.picker import Picker, narrow
from felt_dial.ui.dials.shake_pill import ShakePill
from felt_dial.ui.dials.snippet_button import SnippetPill
from felt_dial.ui.inspector.modulator import DrawingTools
from felt_dial.ui.pictures.drives import CurveEditor, ShapingPicture
from felt_dial.ui.pictures.registry import picture_of

PER_NOTE = "bends each note by itself; a Drive in a rack bends the chord"
Grid = Callable[[list[str], str, int], QGridLayout]


def module_at(session: Session, path: str) -> Any:
    """The module at a path of the patch."""
    return owner(session.patch, f"{path}.on")[0]


def shown(module: Any) -> list[str]:
    """The dials of a drive or a filter that do something as it is set, in the order they are shown."""
    hidden = {"on", "way", "response", "kept", "odd"} | module.idle()
    first = [n for n in ("cutoff", "distance", "vowel", "resonance") if n in module.params]
    return [n for n in dict.fromkeys([*first, *module.params]) if n not in hidden]


def main_dial(filter_: Any) -> str:
    """The dial of a filter that one turns first."""
    if "cutoff" not in filter_.params:
        return "vowel"
    return "distance" if filter_.counted == "key" else "cutoff"


class FilterKind(Picker):
    """Chooses what kind of filter it is; what two kinds have in common stays."""

    def __init__(self, session: Session, path: str) -> None:
        super().__init__()
        self.session, self.path = session, path
        for kind, cls in sorted(Filter.kinds.items(), key=lambda item: item[1].title):
            self.addItem(cls.title, kind)
            self.setItemData(self.count() - 1, cls.about(), 3)
        self.turn_to(path, "")
        self.setAccessibleName("Kind of filter")
        self.setToolTip("What kind of filter it is")
        self.activated.connect(self._choose)

    def turn_to(self, path: str, shade: str) -> None:
        """Is about the filter of another part."""
        self.path = path
        self.setCurrentIndex(self.findData(module_at(self.session, path).kind))

    def _choose(self, n: int) -> None:
        before = module_at(self.session, self.path)
        cls = Filter.kinds[self.itemData(n)]
        if type(before) is cls:
            return
        fresh = cls()
        for name in ("on", "wet", "follow", "drive", "cutoff", "resonance"):
            if name in cls.params and name in before.params and cls.params[name] is before.params[name]:
                fresh = fresh.model_copy(update={name: before.get(name)})
        patch = replace_module(self.session.patch, self.path, fresh.model_copy(update={"on": True}))
        self.session.editor.edit(patch, f"make the filter of {self.path.split('.')[1].upper()} a {cls.title.lower()}")


class Part(QWidget):
    """A module of a layer or a bus in the inspector: a line with its title and kind, and what is under it."""

    def __init__(self, session: Session, path: str, title: str, kind: QComboBox, *switches: QWidget) -> None:
        super().__init__()
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(0, 0, 0, 0)
        self.body.setSpacing(5)
        row = QHBoxLayout()
        row.addWidget(text_label(title, "value"))
        row.addWidget(narrow(kind), 1)
        for widget in (SwitchPill(session, f"{path}.on"), ShakePill(session, path), SnippetPill(session, path)):
            row.addWidget(widget)
        self.body.addLayout(row)
        more = QHBoxLayout()
        for switch in switches:
            more.addWidget(switch)
        more.addStretch()
        if switches:
            self.body.addLayout(more)

    def picture(self, made: QWidget, tall: int) -> None:
        """Something drawn, over the whole width."""
        made.setFixedHeight(tall)
        self.body.addWidget(made)


class DrivePart(Part):
    """A drive: its way, its curve (edited where it is drawn), its dials."""

    def __init__(self, session: Session, path: str, shade: str, title: str, grid: Grid) -> None:
        kept = SwitchPill(session, f"{path}.kept", "Level kept")
        super().__init__(session, path, title, Options(session, f"{path}.way"), kept)
        drive = module_at(session, path)
        self.picture(ShapingPicture(session, path, shade, large=True), 110)
        if drive.way == "drawn":
            self.picture(CurveEditor(session, f"{path}.curve", shade), 110)
            both = QHBoxLayout()
            both.addWidget(SwitchPill(session, f"{path}.odd", "Both halves alike"))
            both.addStretch()
            self.body.addLayout(both)
            self.body.addWidget(DrawingTools(session, f"{path}.curve"))
        self.body.addLayout(grid([f"{path}.{name}" for name in shown(drive)], shade, 4))
        self.body.addWidget(text_label(PER_NOTE, "small"))


class FilterPart(Part):
    """A filter: its kind, its curve, its dials, and what swings it."""

    def __init__(self, session: Session, path: str, shade: str, grid: Grid, picture: bool = True) -> None:
        super().__init__(session, path, "Filter", FilterKind(session, path))
        filter_ = module_at(session, path)
        if picture:
            self.picture(picture_of(session, path, shade, large=True), 124)
        names = shown(filter_)
        dials = [n for n in names if isinstance(filter_.params[n], Param)]
        boxes = [n for n in ("response", *names) if isinstance(filter_.params.get(n), Choice)]
        place = path.rsplit(".", 1)[0]
        self.body.addLayout(grid([f"{path}.{n}" for n in dials] + [f"{place}.swing"], shade, 5))
        self.body.addLayout(grid([f"{path}.{n}" for n in boxes] + [f"{place}.swung"], shade, 4))
