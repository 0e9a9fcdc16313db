"""The analyser: spectrum, spectrogram, scope, stereo picture, loudness, and a meter before and after every stage."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from felt_dial.live.link.messages import SetMonitor
from felt_dial.patch.units import MINUS, THIN, number
from felt_dial.session.session import Session
from felt_dial.session.topics import Frame
from felt_dial.sound.sizes import SILENT
from felt_dial.ui.dials.controls import Pill, text_label
from felt_dial.ui.pictures.analysis import Heard, Scope, Spectrogram, Spectrum, Stages, Stereo
from felt_dial.ui.theme.colours import colour
from felt_dial.ui.theme.felt import Wool, sewn_pen

DOCKED = 164


def decibels(level: float) -> str:
    """A level as it is written, −∞ for silence."""
    return f"{number(20 * math.log10(level), 1)}{THIN}dB" if level > 1e-6 else f"{MINUS}∞{THIN}dB"


class Analyser(Wool):
    """Everything that shows the sound, docked above the strip or in a window of its own."""

    def __init__(self, session: Session, moved: Callable[[], None]) -> None:
        super().__init__()
        self.session, self._moved = session, moved
        self.floats = False
        self.heard = Heard(session)
        self._rows = QHBoxLayout(), QHBoxLayout()
        self._outer = QVBoxLayout(self)
        self._outer.setContentsMargins(12, 6, 12, 6)
        self._outer.setSpacing(8)
        for row in self._rows:
            row.setSpacing(8)
            self._outer.addLayout(row)
        self.spectrum, self.spectrogram = Spectrum(self.heard), Spectrogram(self.heard)
        self.scope, self.stereo, self.stages = Scope(self.heard), Stereo(self.heard), Stages(self.heard)
        self.side = side = QWidget()
        side.setFixedWidth(176)
        column = QVBoxLayout(side)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(3)
        grid = QGridLayout()
        grid.setVerticalSpacing(0)
        self.values = {}
        for n, name in enumerate(("Momentary", "Short-term", "Integrated", "True peak", "Limiter")):
            grid.addWidget(text_label(name), n, 0)
            self.values[name] = text_label("", "value")
            grid.addWidget(self.values[name], n, 1, Qt.AlignmentFlag.AlignRight)
        column.addLayout(grid)
        self.freeze = self._pill("Freeze", self._freeze, "Holds the pictures as they are")
        self.keep = self._pill("Keep", self._keep, "Keeps this spectrum over what comes; again lets it go")
        self.mono = self._pill("Mono", self._mono, "Mono check: both sides as one, for you alone")
        self.limit = self._pill("Limiter", self._limit, "Safety limiter for your ears and speakers, never in a render")
        self.limit.setChecked(True)
        self.dock = self._pill("Float", self._float, "In a window of its own, or docked above the strip")
        again = Pill("Restart", "small", self.heard.restart, "Begins integrated loudness and true peak anew")
        for pair in ((self.freeze, self.keep, again), (self.mono, self.limit, self.dock)):
            row = QHBoxLayout()
            row.setSpacing(3)
            for pill in pair:
                row.addWidget(pill)
            row.addStretch()
            column.addLayout(row)
        column.addStretch()
        self.lay_out()
        self.setAccessibleName("Analyser")
        session.channel.watch(self.frame, Frame)

    def lay_out(self) -> None:
        """All in a row where it is docked; in two where it floats, spectrum and spectrogram above."""
        shares = {
            self.spectrum: 34,
            self.spectrogram: 18,
            self.scope: 18,
            self.stereo: 12,
            self.stages: 20,
            self.side: 0,
        }
        above = (self.spectrum, self.spectrogram) if self.floats else tuple(shares)
        for row in self._rows:
            for n in reversed(range(row.count())):
                row.takeAt(n)
        for picture, share in shares.items():
            self._rows[0 if picture in above else 1].addWidget(picture, share)
        self._outer.setStretch(0, 3)
        self._outer.setStretch(1, 2 if self.floats else 0)
        if self.floats:
            self.setMinimumSize(860, 2 * DOCKED)
            self.setMaximumHeight(4000)
            self.resize(1080, 520)
        else:
            self.setFixedHeight(DOCKED)

    def _pill(self, name: str, act: Callable[[], None], tip: str) -> Pill:
        pill = Pill(name, "small", act, tip)
        pill.setCheckable(True)
        return pill

    def _freeze(self) -> None:
        self.heard.frozen = self.freeze.isChecked()

    def _keep(self) -> None:
        self.heard.kept = self.heard.after.copy() if self.keep.isChecked() else None

    def _mono(self) -> None:
        self.session.link.tell(SetMonitor("mono", self.mono.isChecked()))

    def _limit(self) -> None:
        self.session.link.tell(SetMonitor("limits", self.limit.isChecked()))

    def _float(self) -> None:
        self.floats = self.dock.isChecked()
        self._moved()

    def closeEvent(self, event: QCloseEvent) -> None:
        """A floating one that is closed is docked the next time."""
        self.dock.setChecked(False)
        self.floats = False
        super().closeEvent(event)

    def frame(self) -> None:
        """Looks at what is new, thirty times a second while it is shown."""
        if not self.isVisible():
            return
        fresh = self.heard.look()
        data = self.session.link.shared.data
        for name, field in (("Momentary", "momentary"), ("Short-term", "short_term"), ("Integrated", "integrated")):
            level = float(data[field])
            self.values[name].setText(f"{number(level, 1)}{THIN}LUFS" if level > SILENT else f"{MINUS}∞{THIN}LUFS")
        self.values["True peak"].setText(decibels(self.heard.true_peak).replace("dB", "dBTP"))
        held = float(data["held"])
        working = f"{number(held, 1)}{THIN}dB" if held < -0.05 else "rests"
        self.values["Limiter"].setText(working if self.limit.isChecked() else "off")
        if fresh:
            self.spectrogram.take()
            for picture in (self.spectrum, self.spectrogram, self.scope, self.stereo):
                picture.update()
        self.stages.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setPen(sewn_pen(colour("edge")))
        painter.drawLine(0, 0, self.width(), 0)
