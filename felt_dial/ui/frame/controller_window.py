"""The window of the simulated controller: wheels, knobs, a pad and a scripted performance, sent as MIDI messages."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QSlider, QVBoxLayout, QWidget

from felt_dial.live.link.messages import Perform, SendMidi
from felt_dial.session.session import Session
from felt_dial.ui.dials.controls import Pill, text_label
from felt_dial.ui.frame.strip import Wheel
from felt_dial.ui.pictures.well import draw_ground
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.fonts import body_font

KNOBS = (20, 21, 22, 23)
FINE = 16
"""A knob with 14 bits: this controller and the one 32 above it."""


class Pad(QWidget):
    """A pad to press: across is the slide, up is the pressure; it plays one key while it is held."""

    KEY = 60

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.place: QPointF | None = None
        self.setFixedSize(150, 110)
        self.setAccessibleName("Pad")
        self.setToolTip("Press and move: across is the slide, up is the pressure")

    def _send(self, point: QPointF) -> None:
        across = min(max(point.x() / self.width(), 0.0), 1.0)
        up = min(max(1.0 - point.y() / self.height(), 0.0), 1.0)
        self.place = point
        self.session.link.tell(SendMidi([0xB0, 74, round(127 * across)]))
        self.session.link.tell(SendMidi([0xD0, round(127 * up)]))
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.session.link.tell(SendMidi([0x90, self.KEY, 96]))
        self._send(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._send(event.position())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.session.link.tell(SendMidi([0x80, self.KEY, 64]))
        self.session.link.tell(SendMidi([0xD0, 0]))
        self.place = None
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        draw_ground(painter, QRectF(self.rect()))
        painter.setFont(body_font(11))
        painter.setPen(colour("chalk_soft"))
        painter.drawText(self.rect().adjusted(8, 6, -8, -6), Qt.AlignmentFlag.AlignLeft, "pressure")
        where = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom
        painter.drawText(self.rect().adjusted(8, 6, -8, -6), where, "slide")
        if self.place is not None:
            painter.setPen(QPen(colour("chalk"), 1.4))
            painter.setBrush(dye("ink", in_well=True))
            painter.drawEllipse(self.place, 8, 8)


class ControllerWindow(QWidget):
    """A small window beside the big one."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Tool)
        self.session = session
        self.setWindowTitle("Simulated controller")
        row = QHBoxLayout()
        row.setSpacing(10)
        self.bend, self.mod = Wheel("Bend", True), Wheel("Mod", False)
        for wheel in (self.bend, self.mod):
            wheel.setFixedHeight(126)
            row.addWidget(wheel)
        self.bend.turned.connect(self._bend)
        self.mod.turned.connect(lambda value: self.control(1, value))
        self.knobs: dict[int, QSlider] = {}
        for number in (*KNOBS, FINE):
            row.addLayout(self._knob(number))
        self.pad = Pad(session)
        row.addWidget(self.pad)
        line = QHBoxLayout()
        self.perform = Pill(
            "Play the performance", "pill", self.play_performance, "Three fingers that bend, press and slide"
        )
        self.perform.setCheckable(True)
        line.addWidget(self.perform)
        self.pedal = Pill("Pedal", "pill", lambda: self.control(64, float(self.pedal.isChecked())), "Sustain pedal")
        self.pedal.setCheckable(True)
        line.addWidget(self.pedal)
        line.addStretch()
        line.addWidget(text_label("Program"))
        for n in range(4):
            line.addWidget(
                Pill(str(n + 1), "pill", partial(session.link.tell, SendMidi([0xC0, n])), f"Preset {n + 1} of the bank")
            )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 12, 14, 12)
        layout.setSpacing(10)
        layout.addLayout(row)
        layout.addLayout(line)

    def _knob(self, number: int) -> QVBoxLayout:
        box = QVBoxLayout()
        slider = QSlider(Qt.Orientation.Vertical)
        slider.setRange(0, 16383 if number == FINE else 127)
        slider.setAccessibleName(f"Controller {number}")
        slider.valueChanged.connect(lambda value: self._turn(number, value))
        self.knobs[number] = slider
        box.addWidget(slider, 1, Qt.AlignmentFlag.AlignHCenter)
        box.addWidget(text_label(f"{number} fine" if number == FINE else str(number)), 0, Qt.AlignmentFlag.AlignHCenter)
        return box

    def _turn(self, number: int, value: int) -> None:
        if number == FINE:
            self.session.link.tell(SendMidi([0xB0, number, value >> 7]))
            self.session.link.tell(SendMidi([0xB0, number + 32, value & 127]))
        else:
            self.session.link.tell(SendMidi([0xB0, number, value]))

    def control(self, number: int, value: float) -> None:
        """Sends a controller, value 0 to 1."""
        self.session.link.tell(SendMidi([0xB0, number, round(127 * value)]))

    def _bend(self, value: float) -> None:
        bent = round(8192 + 8191 * value)
        self.session.link.tell(SendMidi([0xE0, bent & 127, bent >> 7]))

    def play_performance(self) -> None:
        self.session.link.tell(Perform(self.perform.isChecked()))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("cloth"))
