"""Sheets that slide over a page and never block it: settings and the key list."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from felt_dial.errors import FeltDialError
from felt_dial.ui.dials.controls import Pill, text_label
from felt_dial.ui.session import Session
from felt_dial.ui.theme.colours import NIGHT, OAT, cloth, colour, dye

KEYS = (
    ("Space", "play or stop the phrase"),
    ("Z … M, Q … U", "play notes"),
    ("Shift+Z, Shift+X", "octave of the letter keys"),
    ("Ctrl+1 … Ctrl+4", "pages"),
    ("`", "flip A and B"),
    ("Ctrl+S", "save over the preset"),
    ("Ctrl+Shift+S", "save as a new preset"),
    ("Ctrl+N", "an empty patch"),
    ("Ctrl+Z, Ctrl+Shift+Z", "undo, redo (also Ctrl+Y)"),
    ("Ctrl+D", "duplicate the chosen layer or preset"),
    ("Alt+M, Alt+S", "mute, solo the chosen layer"),
    ("Ctrl+T", "sew a thread to the dial in focus"),
    ("Ctrl+B in the threads", "bypass the chosen thread"),
    ("[ and ] in a drawing", "choose a point or a step; arrows move it"),
    ("Ctrl+Shift+L", "add a layer"),
    ("Ctrl+F", "search the shelf"),
    ("Ctrl+Left, Ctrl+Right", "preset before, preset after"),
    ("Up, Down", "turn the dial; Shift is fine"),
    ("Enter or a digit", "type a value"),
    ("Delete", "the dial's default"),
    ("[ and ]", "the next point of an envelope; arrows move it"),
    ("Alt+Up, Alt+Down", "reorder presets, or banks"),
    ("Alt+Left, Alt+Right", "reorder effects"),
    ("F2", "rename the bank in focus"),
    ("Ctrl+M", "analyser"),
    ("Ctrl+,", "settings"),
    ("Ctrl+.", "silence everything"),
    ("Ctrl+Q", "quit"),
    ("F10", "menu of the application"),
    ("F1", "this list"),
)


class Sheet(QWidget):
    """A card over the page; Escape or Close puts it away."""

    def __init__(self, parent: QWidget, title: str) -> None:
        super().__init__(parent)
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(22, 16, 22, 16)
        self.body.setSpacing(10)
        head = QHBoxLayout()
        head.addWidget(text_label(title, "title"))
        head.addStretch()
        self.closer = Pill("Close", "pill", self.put_away, "Close: Escape")
        head.addWidget(self.closer)
        self.body.addLayout(head)
        self.hide()

    def open(self) -> None:
        """Shows the sheet in the middle of its page."""
        parent = self.parentWidget() or self
        self.adjustSize()
        self.resize(max(self.sizeHint().width(), 460), self.sizeHint().height())
        self.move((parent.width() - self.width()) // 2, max(8, (parent.height() - self.height()) // 2))
        self.show()
        self.raise_()
        self.closer.setFocus()

    def put_away(self) -> None:
        """Closes the sheet."""
        self.hide()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.put_away()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colour("soft"), 1))
        painter.setBrush(colour("cloth"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 10, 10)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(dye("madder"))
        painter.drawRoundedRect(QRectF(0, 0, self.width(), 5), 2, 2)


class SettingsSheet(Sheet):
    """Output, controller and what it turns, rate, block, library, keys, theme."""

    controller_asked = Signal()

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "Settings")
        self.session = session
        form = QFormLayout()
        form.setHorizontalSpacing(18)
        form.setVerticalSpacing(9)
        self.device = QComboBox()
        self.device.setAccessibleName("Output")
        self.device.setMinimumWidth(300)
        self.rate, self.block = QComboBox(), QComboBox()
        self.rate.setAccessibleName("Rate")
        self.block.setAccessibleName("Block")
        for rate in (44100, 48000, 88200, 96000):
            self.rate.addItem(f"{rate / 1000:g} kHz", rate)
        for block in (64, 128, 256, 512, 1024):
            self.block.addItem(f"{block} frames", block)
        self.folder = QLineEdit()
        self.folder.setReadOnly(True)
        self.folder.setAccessibleName("Library folder")
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(self.folder, 1)
        row.addWidget(Pill("Choose…", "pill", self._choose_folder, "Another folder for your banks"))
        self.controller = QComboBox()
        self.controller.setAccessibleName("Controller")
        self.controller.setToolTip("What plays besides the keyboard on screen")
        self.controller.activated.connect(lambda _: self._keep(controller=self.controller.currentData()))
        self.letters = QCheckBox("Two letter rows play notes")
        self.solo = QCheckBox("Presets keep it when they are saved")
        self.night = QComboBox()
        self.night.setAccessibleName("Theme")
        self.night.addItems([OAT.name, NIGHT.name])
        self.closing = QComboBox()
        self.closing.setAccessibleName("Unsaved work when the window closes")
        self.closing.addItem("is kept, and offered the next time", "keep")
        self.closing.addItem("is asked about", "ask")
        self.closing.activated.connect(lambda _: self._keep(closing=self.closing.currentData()))
        self.bin_days, self.bin_most = QComboBox(), QComboBox()
        self.bin_days.setAccessibleName("How long the bin keeps presets")
        self.bin_most.setAccessibleName("How many presets the bin keeps")
        for days, text in ((30, "a month"), (90, "three months"), (365, "a year"), (36500, "for ever")):
            self.bin_days.addItem(text, days)
        for most in (100, 500, 5000):
            self.bin_most.addItem(f"{most} presets at most", most)
        self.bin_days.activated.connect(lambda _: self._keep(bin_days=self.bin_days.currentData()))
        self.bin_most.activated.connect(lambda _: self._keep(bin_most=self.bin_most.currentData()))
        thrown = QHBoxLayout()
        thrown.setSpacing(6)
        thrown.addWidget(self.bin_days, 1)
        thrown.addWidget(self.bin_most, 1)
        form.addRow(text_label("Output"), self.device)
        form.addRow(text_label("Controller"), self.controller)
        learned = QHBoxLayout()
        learned.setSpacing(6)
        learned.addWidget(
            Pill("Its window…", "pill", self.controller_asked.emit, "Wheels, knobs and a pad to play with")
        )
        learned.addWidget(Pill("Export what is learned…", "pill", self._export, "Write the control map as JSON"))
        learned.addWidget(Pill("Import a map…", "pill", self._take, "Read a control map"))
        learned.addStretch()
        form.addRow(text_label("Learned dials"), learned)
        form.addRow(text_label("Rate"), self.rate)
        form.addRow(text_label("Block"), self.block)
        form.addRow(text_label("Library folder"), row)
        form.addRow(text_label("Unsaved work"), self.closing)
        form.addRow(text_label("The bin keeps"), thrown)
        form.addRow(text_label("Letter keys"), self.letters)
        form.addRow(text_label("Solo"), self.solo)
        form.addRow(text_label("Theme"), self.night)
        self.body.addLayout(form)
        self.about = text_label("", "small")
        self.about.setWordWrap(True)
        self.body.addWidget(self.about)
        self.device.activated.connect(lambda _: self._keep(device=self.device.currentData()))
        self.rate.activated.connect(lambda _: self._keep(rate=self.rate.currentData()))
        self.block.activated.connect(lambda _: self._keep(block=self.block.currentData()))
        self.letters.clicked.connect(lambda on: self._keep(letter_keys=on))
        self.solo.clicked.connect(lambda on: self._keep(keep_solo=on))
        self.night.activated.connect(lambda n: self._keep(night=bool(n)))
        session.devices.connect(self._list)
        session.controllers.connect(self._list_controllers)
        session.transport.connect(self._say)
        self._list_controllers([("none", "None", True), ("simulated", "Simulated controller", False)])
        self._list([("simulated", "Simulated output", False)])

    def open(self) -> None:
        """Shows the settings as they are, and asks for the devices anew."""
        self.session.link.ask_devices()
        self.session.link.ask_controllers()
        self._say()
        super().open()

    def _list(self, devices: list[tuple[str, str, bool]]) -> None:
        self.device.clear()
        self.device.addItem("The system's own, or simulated", "default")
        for key, name, real in devices:
            self.device.addItem(name if real else f"{name} (no sound card)", key)
        settings = self.session.settings
        self.device.setCurrentIndex(max(0, self.device.findData(settings.device)))
        self.rate.setCurrentIndex(self.rate.findData(settings.rate))
        self.block.setCurrentIndex(self.block.findData(settings.block))
        self.folder.setText(str(settings.library_folder()))
        for box, now in (
            (self.closing, settings.closing),
            (self.bin_days, settings.bin_days),
            (self.bin_most, settings.bin_most),
        ):
            box.setCurrentIndex(box.findData(now))
        self.letters.setChecked(settings.letter_keys)
        self.solo.setChecked(settings.keep_solo)
        self.night.setCurrentIndex(int(settings.night))

    def _list_controllers(self, controllers: list[tuple[str, str, bool]]) -> None:
        self.controller.clear()
        for key, name, real in controllers:
            self.controller.addItem(name if real else f"{name} (three fingers and a pedal)", key)
        self.controller.setCurrentIndex(max(0, self.controller.findData(self.session.settings.controller)))

    def _say(self) -> None:
        link = self.session.link
        late = int(link.shared.data["late"])
        name = link.output_name or "starting"
        said = f" ({link.said})" if link.said else ""
        self.about.setText(
            f"Now: {name}{said} · {1000 * link.frames / link.rate:.1f} ms a block · {late} blocks late so far"
        )

    def _keep(self, **change: object) -> None:
        self.session.keep_settings(self.session.settings.model_copy(update=change))
        if "night" in change:
            cloth.wear(NIGHT if change["night"] else OAT)

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


class KeySheet(Sheet):
    """Every key there is."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, "Keys")
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(5)
        half = (len(KEYS) + 1) // 2
        for n, (keys, what) in enumerate(KEYS):
            grid.addWidget(text_label(keys, "value"), n % half, 2 * (n // half))
            grid.addWidget(text_label(what), n % half, 2 * (n // half) + 1)
        self.body.addLayout(grid)
