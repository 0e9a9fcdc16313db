"""Drive and filter of a layer or a bus, as the inspector shows them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from felt_dial.patch.edits import replace_module
from felt_dial.patch.module import Filter
from felt_dial.patch.params import Choice, Param
from felt_dial.patch.patch import owner
from felt_dial.ui.dials.controls import Options, SwitchPill, text_label
from felt_dial.ui.dials.snippet import SnippetPill
from felt_dial.ui.movers import DrawingTools
from felt_dial.ui.pictures.filters import FilterCurve
from felt_dial.ui.pictures.lines import LineEditor
from felt_dial.ui.pictures.shaping import ShapingPicture
from felt_dial.ui.session import Session

PER_NOTE = "bends each note by itself; a Drive in a rack bends the chord"
Grid = Callable[[list[str], str, int], QGridLayout]


def module_at(session: Session, path: str) -> Any:
    """The module at a path of the patch."""
    return owner(session.patch, f"{path}.on")[0]


def shown(module: Any) -> list[str]:
    """The dials that have an effect as a drive or a filter is set, in the order they are shown."""
    names = [n for n in module.params if n not in ("on", "way", "response", "kept", "odd")]
    hidden = set()
    if "way" in module.params:
        hidden |= set() if module.way == "reduce" else {"bits", "hold"}
    if "counted" in module.params:
        hidden |= {"cutoff", "follow"} if module.counted == "key" else {"distance"}
    first = [n for n in ("cutoff", "distance", "vowel", "resonance") if n in names]
    ordered = first + [n for n in names if n not in first]
    return [n for n in ordered if n not in hidden]


def main_dial(filter_: Any) -> str:
    """The dial of a filter that one turns first."""
    if "cutoff" not in filter_.params:
        return "vowel"
    return "distance" if filter_.counted == "key" else "cutoff"


def narrow(box: QComboBox) -> QComboBox:
    """A box that takes what room there is, not what its longest word would like."""
    box.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
    box.setMinimumWidth(72)
    return box


class FilterKind(QComboBox):
    """Chooses what kind of filter it is; what two kinds have in common stays."""

    def __init__(self, session: Session, path: str) -> None:
        super().__init__()
        self.session, self.path = session, path
        for kind, cls in sorted(Filter.kinds.items(), key=lambda item: item[1].title):
            self.addItem(cls.title, kind)
            self.setItemData(self.count() - 1, cls.about(), 3)
        self.setCurrentIndex(self.findData(module_at(session, path).kind))
        self.setAccessibleName("Kind of filter")
        self.setToolTip("What kind of filter it is")
        self.activated.connect(self._choose)

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
        self.session.edit(patch, f"make the filter of {self.path.split('.')[1].upper()} a {cls.title.lower()}")


class DrivePart(QWidget):
    """A drive: its way, its curve (edited where it is drawn), its dials."""

    def __init__(self, session: Session, path: str, shade: str, title: str, grid: Grid) -> None:
        super().__init__()
        body = QVBoxLayout(self)
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(5)
        drive = module_at(session, path)
        row = QHBoxLayout()
        row.addWidget(text_label(title, "value"))
        row.addWidget(narrow(Options(session, f"{path}.way")), 1)
        row.addWidget(SwitchPill(session, f"{path}.on"))
        row.addWidget(SwitchPill(session, f"{path}.kept", "Level kept"))
        row.addWidget(SnippetPill(session, path))
        body.addLayout(row)
        picture = ShapingPicture(session, path, shade, large=True)
        picture.setFixedHeight(110)
        body.addWidget(picture)
        if drive.way == "drawn":
            line = LineEditor(session, f"{path}.curve", shade)
            line.setFixedHeight(110)
            line.setAccessibleName("Drawn curve: what comes in goes across, what goes out goes up")
            body.addWidget(line)
            both = QHBoxLayout()
            both.addWidget(SwitchPill(session, f"{path}.odd", "Both halves alike"))
            both.addStretch()
            body.addLayout(both)
            body.addWidget(DrawingTools(session, f"{path}.curve"))
        body.addLayout(grid([f"{path}.{name}" for name in shown(drive)], shade, 5))
        body.addWidget(text_label(PER_NOTE, "small"))


class FilterPart(QWidget):
    """A filter: its kind, its curve, its dials, and what swings it."""

    def __init__(self, session: Session, path: str, shade: str, grid: Grid, picture: bool = True) -> None:
        super().__init__()
        body = QVBoxLayout(self)
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(5)
        filter_ = module_at(session, path)
        row = QHBoxLayout()
        row.addWidget(text_label("Filter", "value"))
        row.addWidget(narrow(FilterKind(session, path)), 1)
        boxes: list[str] = []
        if "response" in filter_.params:
            boxes = ["response"]
        row.addWidget(SwitchPill(session, f"{path}.on"))
        row.addWidget(SnippetPill(session, path))
        body.addLayout(row)
        if picture:
            curve = FilterCurve(session, path, shade, large=True)
            curve.setFixedHeight(124)
            body.addWidget(curve)
        names = shown(filter_)
        dials = [n for n in names if isinstance(filter_.params[n], Param)]
        boxes += [n for n in names if isinstance(filter_.params[n], Choice)]
        place = path.rsplit(".", 1)[0]
        body.addLayout(grid([f"{path}.{n}" for n in dials] + [f"{place}.swing"], shade, 5))
        body.addLayout(grid([f"{path}.{n}" for n in boxes] + [f"{place}.swung"], shade, 4))
