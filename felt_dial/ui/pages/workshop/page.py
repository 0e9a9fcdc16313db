"""The Workshop: what a layer plays, on the bench: a table or a recording."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLayout, QStackedWidget, QVBoxLayout, QWidget

from felt_dial.errors import FeltDialError
from felt_dial.files import write_whole
from felt_dial.session.session import Session
from felt_dial.session.topics import DrawerAsked
from felt_dial.ui.dials.controls import NameEdit, Pill, text_label
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.pages.page import Page
from felt_dial.ui.pages.workshop.sample_bench import SampleBench
from felt_dial.ui.pages.workshop.table_bench import TableBench
from felt_dial.ui.theme.colours import cloth, dye, layer_dye, text_on


class WorkshopPage(Page):
    """Both benches, one of them open."""

    title, place = "Workshop", 3

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(12, 8, 12, 8)
        outer.setSpacing(6)
        self.head = QWidget()
        head = QHBoxLayout(self.head)
        head.setContentsMargins(0, 0, 0, 0)
        head.setSpacing(8)
        self.tabs = {}
        self.tables = TableBench(session)
        self.recordings = SampleBench(session)
        self.benches: dict[str, TableBench | SampleBench] = {
            "Wavetable bench": self.tables,
            "Sample bench": self.recordings,
        }
        for name, bench in self.benches.items():
            pill = Pill(name, "pill", partial(self.show_bench, name), bench.says)
            pill.setCheckable(True)
            self.tabs[name] = pill
            head.addWidget(pill)
        head.addSpacing(8)
        head.addWidget(text_label("on the bench"))
        self.letters = QHBoxLayout()
        self.letters.setSpacing(4)
        head.addLayout(self.letters)
        self.name = NameEdit("", "name", lambda text: self.bench.work.rename(text), empty="nothing yet")
        self.name.setAccessibleName("Name of what is on the bench")
        self.name.setMinimumWidth(190)
        head.addWidget(self.name)
        self.about = text_label("")
        head.addWidget(self.about, 1)
        self.save_pill = Pill(
            "Save…", "pill", self.ask_save, "Saves what is on the bench as a WAV file, with its root and loop"
        )
        head.addWidget(self.save_pill)
        self.drawer_pill = Pill(
            "Drawer", "pill", self.ask_drawer, "Recordings and tables at hand, heard by a click: Ctrl+O"
        )
        head.addWidget(self.drawer_pill)
        outer.addWidget(self.head)
        self.stack = QStackedWidget()
        for bench in self.benches.values():
            self.stack.addWidget(bench)
            bench.work.changed.connect(self._follow)
        body = QHBoxLayout()
        body.setSpacing(12)
        body.addWidget(self.stack, 1)
        self.body = body
        outer.addLayout(body, 1)
        self._laid: object = None
        self.show_bench(next(iter(self.benches)))

    @property
    def bench(self) -> TableBench | SampleBench:
        """The bench that is open."""
        found = self.stack.currentWidget()
        assert isinstance(found, TableBench | SampleBench)
        return found

    def show_layer(self, layer: str) -> None:
        """Puts what a layer plays on its bench."""
        bench = self.tables if layer in self.tables.work.layers() else self.recordings
        self.show_bench(next(name for name, b in self.benches.items() if b is bench))
        bench.work.choose_layer(layer)

    def ask_drawer(self) -> None:
        """Shows the drawer for what is on the bench, or puts it away."""
        if self.drawer is not None and self.drawer.isVisible():
            self.hide_drawer()
        else:
            kind = "table" if self.bench is self.tables else "recording"
            self.session.channel.tell(DrawerAsked(self.bench.work.layer, kind))

    def place_of_drawer(self) -> tuple[QLayout | None, list[QWidget]]:
        return self.body, [bench.side for bench in self.benches.values()]

    def sections(self) -> list[QWidget]:
        return [self.head, self.bench.main, self.drawer or self.bench.side]

    def show_bench(self, name: str) -> None:
        """Opens a bench."""
        self.stack.setCurrentWidget(self.benches[name])
        for other, pill in self.tabs.items():
            pill.setChecked(other == name)
        for other, bench in self.benches.items():
            bench.opened(self.isVisible() and other == name)
        self._follow()

    def ask_save(self) -> None:
        """Asks where what is on the bench is saved."""
        asset = self.bench.work.asset
        if asset is None:
            self.session.say("There is nothing on the bench to save.", problem=True)
            return
        path, _ = QFileDialog.getSaveFileName(self, "Save as a WAV file", f"{asset.name}.wav", "WAV files (*.wav)")
        if path:
            self.save(Path(path))

    def save(self, path: Path) -> None:
        """Saves what is on the bench as a WAV file."""
        try:
            write_whole(path, self.bench.work.as_wav())
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        self.session.say(f"Saved {path.name}.")

    def end(self) -> None:
        """Ends what works beside the window."""
        self.tables.source.helper.close()
        self.recordings.work.helper.close()
        self.recordings.side.opened(False)

    def opened(self, seen: bool) -> None:
        for bench in self.benches.values():
            bench.opened(seen and bench is self.bench)
        if seen:
            self.bench.work.follow()
            self._follow()

    def _follow(self) -> None:
        """What is on the bench, and which layers could be."""
        work = self.bench.work
        layers, here = work.layers(), work.layer
        asset = work.asset
        self.name.show_name(asset.name if asset is not None else "")
        self.name.setEnabled(asset is not None)
        self.about.setText(self.bench.about())
        now = (tuple(layers), here, type(self.bench).__name__, cloth.theme.name)
        if now == self._laid:
            return
        self._laid = now
        clear(self.letters)
        for key in layers:
            pill = Pill(
                key.upper(),
                "letter",
                partial(work.choose_layer, key),
                f"Put what layer {key.upper()} plays on the bench",
            )
            pill.setFixedSize(26, 26)
            pill.setCheckable(True)
            pill.setChecked(key == here)
            if key == here:
                ground = dye(layer_dye(key))
                text = text_on(ground).name()
                pill.setStyleSheet(f"border-radius: 13px; border: none; background: {ground.name()}; color: {text};")
            else:
                pill.setStyleSheet("border-radius: 13px;")
            self.letters.addWidget(pill, alignment=Qt.AlignmentFlag.AlignVCenter)
