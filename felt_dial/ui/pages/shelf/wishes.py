"""The card of wishes: how far offshoots go, how many, what may change and what stays, and towards which recording."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QFileDialog, QGridLayout, QHBoxLayout, QMenu, QSpinBox

from felt_dial.bank.variation.variations import COUNTS, GROUPS, VariationOptions, called, counts, dials
from felt_dial.errors import FeltDialError
from felt_dial.patch.params import Param
from felt_dial.patch.patch import Patch, param_at
from felt_dial.patch.units import PERCENT
from felt_dial.session.importing import FILES
from felt_dial.session.session import Session
from felt_dial.sound.matter.assets import assets_of, find
from felt_dial.sound.matter.tables import shipped_recordings
from felt_dial.ui.dials.cards import Card
from felt_dial.ui.dials.controls import MenuPill, Pill, set_text, text_label
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.dials.plain_slider import PlainSlider
from felt_dial.ui.theme.words import counted, item


class WishesCard(Card):
    """What is wished of offshoots.

    Attributes
    ----------
    closed, grow_asked : Signal()
    aim_asked : Signal(Path, str)
        The file of a recording to come near to, and its name.
    """

    closed = Signal()
    grow_asked = Signal()
    aim_asked = Signal(object, str)

    def __init__(self, session: Session) -> None:
        super().__init__("mallow")
        self.session = session
        self.patch: Patch | None = None
        self.setFixedWidth(224)
        outer, box = self.scrolled()
        head = QHBoxLayout()
        head.addWidget(text_label("Offshoots", "title"), 1)
        head.addWidget(Pill("Close", "link", self.closed.emit, "Back to the Shelf: Escape"))
        box.addLayout(head)
        self.of = text_label("")
        box.addWidget(self.of)
        far = "How far offshoots are from the sound: the same for every sound"
        self.far = PlainSlider(Param("How far", 0.4, (0.02, 1.0), PERCENT, says=far), 46)
        box.addWidget(self.far)
        ends = QHBoxLayout()
        ends.addWidget(text_label("a cousin", "small"))
        ends.addStretch()
        ends.addWidget(text_label("a stranger", "small"))
        box.addLayout(ends)
        many = QHBoxLayout()
        many.setSpacing(3)
        many.addWidget(text_label("How many"))
        many.addStretch()
        self.count = Picker()
        for count in COUNTS:
            self.count.addItem(str(count), count)
        self.count.setCurrentIndex(self.count.findData(24))
        self.count.setAccessibleName("How many offshoots are grown")
        many.addWidget(self.count)
        box.addLayout(many)
        box.addWidget(text_label("What may change", "value"))
        self.groups: dict[str, QCheckBox] = {}
        self.sizes = {}
        grid = QGridLayout()
        grid.setVerticalSpacing(3)
        for n, (group, name) in enumerate(GROUPS.items()):
            check = QCheckBox(name)
            check.setChecked(group in VariationOptions().groups)
            check.setToolTip(f"{name} may change")
            self.groups[group] = check
            self.sizes[group] = text_label("", "small")
            grid.addWidget(check, n, 0)
            grid.addWidget(self.sizes[group], n, 1, Qt.AlignmentFlag.AlignRight)
        box.addLayout(grid)
        box.addWidget(text_label("Never moved", "value"))
        self.locks = QGridLayout()
        self.locks.setSpacing(3)
        box.addLayout(self.locks)
        box.addWidget(text_label("lock any dial from its menu", "small"))
        self.tune, self.loud, self.cheap = (
            QCheckBox("stay in tune"),
            QCheckBox("stay as loud"),
            QCheckBox("stay within 1.3 × the cost"),
        )
        tips = ("Pitch stays within 5 cents", "Loudness stays within half a LU", "Voices stay within 1.3 times as many")
        for check, tip in zip((self.tune, self.loud, self.cheap), tips, strict=True):
            check.setChecked(True)
            check.setToolTip(tip)
            box.addWidget(check)
        seed = QHBoxLayout()
        seed.addWidget(text_label("Seed"))
        self.seed = QSpinBox()
        self.seed.setRange(1, 999)
        self.seed.setAccessibleName("Seed: another number, other offshoots; the same number, the same again")
        self.seed.setToolTip("Another number, other offshoots; the same number, the same again")
        seed.addWidget(self.seed)
        seed.addStretch()
        box.addLayout(seed)
        box.addStretch()
        self.aim = MenuPill(
            "Towards a recording…",
            "Searches for sounds that come nearer to a recording, with what may change",
            self._aims,
        )
        row = QHBoxLayout()
        row.setContentsMargins(9, 2, 7, 0)
        row.addWidget(self.aim)
        row.addStretch()
        outer.addLayout(row)
        row = QHBoxLayout()
        row.setContentsMargins(9, 2, 7, 0)
        self.go = Pill("Grow", "pill", self.grow_asked.emit, "Grows offshoots with these wishes")
        self.again = Pill("Again", "pill", self.grow_again, "Others, with the next seed")
        row.addWidget(self.go)
        row.addWidget(self.again)
        outer.addLayout(row)

    def show_patch(self, patch: Patch) -> None:
        """Shows it for a sound."""
        self.patch = patch
        set_text(self.of, f"grown from {patch.name}")
        self.show_locks()

    def wishes(self) -> VariationOptions:
        """What is wished."""
        groups = frozenset(group for group, check in self.groups.items() if check.isChecked())
        return VariationOptions(
            self.far.value,
            int(self.count.currentData()),
            groups,
            frozenset(self.session.editor.locked),
            self.tune.isChecked(),
            self.loud.isChecked(),
            self.cheap.isChecked(),
            self.seed.value(),
        )

    def show_locks(self) -> None:
        """How many dials could move, and which never do."""
        if self.patch is not None:
            for group, count in counts(self.patch, self.wishes()).items():
                set_text(self.sizes[group], counted(count, "dial"))
        clear(self.locks)
        locked = {path: label for path in sorted(self.session.editor.locked) if (label := self._label(path))}
        for n, (path, label) in enumerate(locked.items()):
            pill = Pill(f"{label} ×", "small", partial(self.unlock, path), f"{label} may be moved again")
            self.locks.addWidget(pill, n // 2, n % 2)
        if not locked:
            self.locks.addWidget(text_label("the output level", "small"), 0, 0)

    def _label(self, path: str) -> str:
        """What a dial of the sound is called; empty where it has none such."""
        try:
            return called(self.patch, path, param_at(self.patch, path)) if self.patch is not None else ""
        except FeltDialError:
            return ""

    def unlock(self, path: str) -> None:
        """A dial may be moved again."""
        self.session.editor.locked -= {path}
        self.show_locks()

    def may_change(self) -> VariationOptions | None:
        """What is wished; None, which is said, where nothing of the sound may change by it."""
        wishes = self.wishes()
        if self.patch is not None and dials(self.patch, wishes):
            return wishes
        self.session.say("Nothing of this sound may change: choose more that may, or unlock a dial.", problem=True)
        return None

    def _aims(self) -> QMenu:
        """Recordings at hand, and files."""
        menu = QMenu(self)
        menu.addAction("From a file…", self.ask_recording)
        menu.addSeparator()
        mine = assets_of(self.patch).values() if self.patch is not None else ()
        known = {asset.name: find(asset) for asset in mine if asset.name} | {
            name: find(asset) for name, (asset, *_) in shipped_recordings().items()
        }
        for name, path in sorted(known.items()):
            if path is not None:
                menu.addAction(item(name), partial(self.aim_asked.emit, path, name))
        return menu

    def ask_recording(self) -> None:
        """Asks for a file."""
        path, _ = QFileDialog.getOpenFileName(self, "Towards a recording", "", FILES)
        if path:
            self.aim_asked.emit(Path(path), Path(path).stem)

    def grow_again(self) -> None:
        """Others, with the next seed."""
        self.seed.setValue(self.seed.value() % 999 + 1)
        self.grow_asked.emit()
