"""The settings: the sound that goes out, the window, the library."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from felt_dial.errors import FeltDialError
from felt_dial.live.link.messages import AskControllers, AskDevices, Controllers, Devices, Scheduled
from felt_dial.session.session import Session
from felt_dial.session.topics import TransportMoved
from felt_dial.ui.dials.controls import MenuPill, Pill, text_label
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.drawer.folders import folders_menu
from felt_dial.ui.frame.sheets import Sheet
from felt_dial.ui.theme.colours import NIGHT, OAT, cloth

QUALITIES = {
    1: "1×",
    2: "2×: a little over the cost of 1×",
    4: "4×: about twice the cost",
    8: "8×: about four times the cost",
}
"""What a patch may be sounded at, and what that costs."""


def in_real_time(found: Scheduled | None) -> str:
    """What the system allows the thread that makes sound, and what to do where it does not."""
    if found is None:
        return ""
    if not found.first:
        line = "@audio - rtprio 20"
        return f"The sound waits for its turn among other programs. With “{line}” in /etc/security/limits.conf it goes first."
    memory = " and its memory stays at hand" if found.locked else ""
    return f"The sound goes before other programs{memory}."


class SettingsSheet(Sheet):
    """What a person chose, each kept as it is chosen."""

    controller_asked = Signal()
    keyboard_chosen = Signal()

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "Settings")
        self.session = session
        self._boxes: dict[str, QComboBox] = {}
        self._checks: dict[str, QCheckBox] = {}
        columns = QHBoxLayout()
        columns.setSpacing(34)
        left, right = QVBoxLayout(), QVBoxLayout()
        left.addLayout(self._sound())
        self.about = text_label("", "small")
        self.about.setWordWrap(True)
        left.addSpacing(10)
        left.addWidget(self.about)
        left.addStretch()
        right.addLayout(self._window())
        right.addSpacing(12)
        right.addLayout(self._library())
        right.addStretch()
        columns.addLayout(left, 1)
        columns.addLayout(right, 1)
        self.body.addLayout(columns)
        session.channel.hear(Devices, lambda devices: self._list(devices.found))
        session.channel.hear(Controllers, lambda controllers: self._list_controllers(controllers.found))
        session.channel.watch(self._say, TransportMoved)
        self._list_controllers([("none", "None", True), ("simulated", "Simulated controller", False)])
        self._list([("simulated", "Simulated output", False)])

    def _form(self, title: str) -> QFormLayout:
        form = QFormLayout()
        form.setHorizontalSpacing(14)
        form.setVerticalSpacing(8)
        form.addRow(text_label(title, "value"))
        return form

    def _choice(
        self, form: QFormLayout, name: str, field: str, choices: Sequence[tuple[object, str]] = (), says: str = ""
    ) -> QComboBox:
        """A line of a form with a box of choices, which keeps what is chosen under a field of the settings."""
        box = self._boxes[field] = Picker()
        box.setAccessibleName(says or name)
        box.setToolTip(says or name)
        for value, text in choices:
            box.addItem(text, value)
        box.activated.connect(lambda _: self._keep(**{field: box.currentData()}))
        form.addRow(text_label(name), box)
        return box

    def _check(self, form: QFormLayout, name: str, field: str, text: str) -> QCheckBox:
        check = self._checks[field] = QCheckBox(text)
        check.setToolTip(text)
        check.clicked.connect(lambda on: self._keep(**{field: on}))
        form.addRow(text_label(name), check)
        return check

    def _sound(self) -> QFormLayout:
        """What sounds, where it goes and what plays it."""
        form = self._form("Sound")
        self.device = self._choice(form, "Output", "device")
        self.device.setMinimumWidth(290)
        self.rate = self._choice(
            form, "Rate", "rate", [(rate, f"{rate / 1000:g} kHz") for rate in (44100, 48000, 88200, 96000)]
        )
        self.block = self._choice(
            form, "Block", "block", [(block, f"{block} frames") for block in (64, 128, 256, 512, 1024)]
        )
        qualities = list(QUALITIES.items())
        self._choice(form, "Live quality", "quality", qualities, "Quality of what you hear")
        self._choice(
            form, "Render quality", "render_quality", qualities, "Quality of what felt-dial render writes to a file"
        )
        self.controller = self._choice(
            form, "Controller", "controller", says="Controller: what plays besides the keyboard on screen"
        )
        learned = QVBoxLayout()
        learned.setSpacing(5)
        first, second = QHBoxLayout(), QHBoxLayout()
        first.addWidget(
            Pill("Simulated controller…", "pill", self.controller_asked.emit, "Wheels, knobs and a pad to play with")
        )
        second.addWidget(Pill("Export…", "pill", self._export, "Export the control map: what is learned, as JSON"))
        second.addWidget(Pill("Import…", "pill", self._take, "Import a control map"))
        for row in (first, second):
            row.addStretch()
            learned.addLayout(row)
        form.addRow(text_label("Learned dials"), learned)
        self._check(form, "Letter keys", "letter_keys", "Two letter rows play notes")
        return form

    def _window(self) -> QFormLayout:
        """How the window looks."""
        form = self._form("Window")
        self.theme = self._choice(form, "Theme", "night", [(False, OAT.name), (True, NIGHT.name)])
        scales = [(n / 4, f"{25 * n} %") for n in range(4, 9)]
        self._choice(form, "Scale", "scale", scales, "Scale of the whole window, from the next start on")
        shown = [(None, "where there is room"), (True, "always"), (False, "never")]
        self._choice(form, "Keyboard", "keyboard", shown, "Keyboard at the foot of the window: Ctrl+K")
        return form

    def _count_folders(self) -> None:
        count = len(self.session.settings.now.folders)
        self.folders.setText(f"{count} folder{'s' * (count != 1)} of yours" if count else "no folders of yours yet")

    def _library(self) -> QFormLayout:
        """Where work is kept, and for how long."""
        form = self._form("Library")
        self.folder = QLineEdit()
        self.folder.setReadOnly(True)
        self.folder.setAccessibleName("Library folder")
        self.folder.setToolTip("Where your banks are")
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(self.folder, 1)
        row.addWidget(Pill("Choose…", "pill", self._choose_folder, "Another folder for your banks"))
        form.addRow(text_label("Folder"), row)
        self.folders = text_label("")
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(self.folders, 1)
        tip = "Folders of yours whose recordings and tables the drawer lists"
        self.folders_pill = MenuPill("Folders…", tip, lambda: folders_menu(self, self.session, self._count_folders))
        row.addWidget(self.folders_pill)
        form.addRow(text_label("Recordings"), row)
        self.author = QLineEdit()
        self.author.setMaxLength(200)
        self.author.setAccessibleName("Author of new presets")
        self.author.setToolTip("Who new presets are by")
        self.author.setPlaceholderText("who new presets are by")
        self.author.editingFinished.connect(lambda: self._keep(author=self.author.text().strip()))
        form.addRow(text_label("Author"), self.author)
        kept = [(n, f"{n} of each preset") for n in (3, 10, 30, 100)]
        self._choice(form, "Versions kept", "versions", kept, "How many earlier versions of a preset are kept")
        closing = [("keep", "is kept, and offered the next time"), ("ask", "is asked about")]
        self._choice(form, "Unsaved work", "closing", closing, "Unsaved work when the window closes")
        days = [(30, "a month"), (90, "three months"), (365, "a year"), (36500, "for ever")]
        self._choice(form, "The bin keeps", "bin_days", days, "How long the bin keeps presets")
        most = [(n, f"{n} presets") for n in (100, 500, 5000)]
        self._choice(form, "At most", "bin_most", most, "How many presets the bin keeps")
        self._check(form, "Solo", "keep_solo", "Presets keep it when they are saved")
        self._check(form, "Swatches", "hover", "Are heard while the pointer rests on them")
        return form

    def open(self) -> None:
        """Shows the settings as they are, and asks for the devices anew."""
        self.session.link.tell(AskDevices())
        self.session.link.tell(AskControllers())
        self._show_kept()
        self._say()
        super().open()

    def _list(self, devices: list[tuple[str, str, bool]]) -> None:
        self.device.clear()
        self.device.addItem("The system's own, or simulated", "default")
        for key, name, real in devices:
            self.device.addItem(name if real else f"{name} (no sound card)", key)
        self._show_kept()

    def _list_controllers(self, controllers: list[tuple[str, str, bool]]) -> None:
        self.controller.clear()
        for key, name, real in controllers:
            self.controller.addItem(name if real else f"{name} (three fingers and a pedal)", key)
        self._show_kept()

    def _show_kept(self) -> None:
        """Every box and check as the settings have it; a value that is in no box stands there by itself."""
        settings = self.session.settings.now
        for field, box in self._boxes.items():
            value = getattr(settings, field)
            if box.findData(value) < 0 and value is not None and field not in ("device", "controller"):
                box.addItem(f"{value:g}" if isinstance(value, float) else str(value), value)
            box.setCurrentIndex(max(0, box.findData(value)))
        for field, check in self._checks.items():
            check.setChecked(getattr(settings, field))
        self.folder.setText(str(settings.library_folder()))
        if not self.author.hasFocus():
            self.author.setText(settings.author)
        self.folder.setCursorPosition(0)
        self._count_folders()

    def _say(self) -> None:
        link = self.session.link
        late = int(link.shared.data["late"])
        name = link.output_name or "starting"
        said = f" ({link.said})" if link.said else ""
        self.about.setText(
            f"Now: {name}{said} · {1000 * link.frames / link.rate:.1f} ms a block · {late} blocks late so far\n"
            f"{in_real_time(link.scheduled)}"
        )

    def _keep(self, **change: object) -> None:
        self.session.settings.keep(self.session.settings.now.model_copy(update=change))
        if "night" in change:
            cloth.wear(NIGHT if change["night"] else OAT)
        if "keyboard" in change:
            self.keyboard_chosen.emit()
        if "scale" in change:
            self.session.say("The window is drawn at this scale the next time it opens.")

    def _export(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Export the control map", "controllers.json", "JSON (*.json)")
        if name:
            self._with_map(lambda: self.session.control.export(Path(name)), f"Exported the control map to {name}.")

    def _take(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Import a control map", "", "JSON (*.json)")
        if name:
            self._with_map(lambda: self.session.control.take_map(Path(name)), f"Imported the control map {name}.")

    def _with_map(self, act: Callable[[], None], says: str) -> None:
        try:
            act()
        except (FeltDialError, OSError) as wrong:
            self.session.say(str(wrong), problem=True)
        else:
            self.session.say(says)

    def _choose_folder(self) -> None:
        path = QFileDialog.getExistingDirectory(self, "Library folder", self.folder.text())
        if path:
            self._keep(library=path)
            self.folder.setText(path)
