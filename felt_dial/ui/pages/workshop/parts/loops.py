"""The root of a recording, and where it can go round."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from felt_dial.patch.units import number
from felt_dial.session.session import Session
from felt_dial.sound.matter.root import UNSURE, key_said
from felt_dial.ui.benches.recording import RecordingWork, goes_round, root_settings
from felt_dial.ui.dials.controls import Options, Pill, control_for, set_text
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.pages.workshop.parts.part import Part
from felt_dial.ui.pictures.sample_parts import Seam
from felt_dial.ui.theme.colours import colour, dye, layer_dye
from felt_dial.ui.theme.felt import Empty, SewnLine
from felt_dial.ui.theme.fonts import body_font
from felt_dial.workshop.recording.loops import Loop


class LoopRow(QWidget):
    """One loop that was found: its turns, its place, its score."""

    taken = Signal()

    def __init__(self, loop: Loop, rate: float, on: bool, listen: Callable[[], None]) -> None:
        super().__init__()
        self.loop, self.rate, self.on = loop, rate, on
        self.setFixedHeight(38)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"Loop of {loop.says(rate)}")
        self.setToolTip("Lets the layer go round here")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 8, 0)
        row.addStretch()
        row.addWidget(Pill("Listen", "small", listen, "Plays this loop round and round"))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        lit = self.on or self.hasFocus()
        shade = dye("madder" if self.hasFocus() else "lichen") if lit else colour("edge")
        painter.setPen(QPen(shade, 1.8 if lit else 1))
        painter.setBrush(colour("raised"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 7, 7)
        painter.setPen(colour("ink"))
        painter.setFont(body_font(13, 600))
        painter.drawText(QRectF(10, 3, 130, 18), Qt.AlignmentFlag.AlignVCenter, self.loop.says(self.rate))
        painter.setPen(colour("soft"))
        painter.setFont(body_font(11))
        digits = 3 if self.loop.turns > 1.5 or self.loop.turns < 0.5 else 4
        text = f"{number(self.loop.first / self.rate, digits)} … {number(self.loop.last / self.rate, digits)} s"
        painter.drawText(QRectF(10, 19, 130, 17), Qt.AlignmentFlag.AlignVCenter, text)
        bar = QRectF(146, 17, max(self.width() - 146 - 104, 20), 6)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("edge"))
        painter.drawRoundedRect(bar, 3, 3)
        painter.setBrush(dye("lichen"))
        painter.drawRoundedRect(QRectF(bar.left(), bar.top(), bar.width() * self.loop.score, 6), 3, 3)
        painter.setPen(colour("ink"))
        painter.setFont(body_font(12, 600))
        painter.drawText(QRectF(bar.right() + 6, 11, 34, 18), Qt.AlignmentFlag.AlignVCenter, number(self.loop.score, 2))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.taken.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.taken.emit()
        else:
            super().keyPressEvent(event)


class LoopsPart(Part):
    """Root and loops of the recording."""

    def __init__(self, session: Session, work: RecordingWork) -> None:
        super().__init__(session, work)
        self.root_says = self.title("Root", "")
        self.use = Pill("Use it", "small", self.use_root, "Sets the root of the layer to what was found")
        self.head.addWidget(self.use)
        self.dials = QHBoxLayout()
        self.dials.setSpacing(2)
        self.column.addLayout(self.dials)
        self.column.addWidget(Seam(work))
        self.column.addWidget(SewnLine())
        self.loops_say = self.title("Loops", "")
        self.list = QVBoxLayout()
        self.list.setSpacing(4)
        self.column.addLayout(self.list)
        self.column.addStretch()
        self._laid: object = None
        work.found.connect(self.follow)
        work.changed.connect(self.follow)
        session.channel.watch(self.follow, "layers")
        self.follow()

    def use_root(self) -> None:
        """Takes the root that was found."""
        root, work = self.work.root, self.work
        if root is None or root.key is None or work.asset is None:
            return
        work.show_asset(work.asset, "take the root that was found", root_settings(root.key))
        self.session.say(
            f"The root of layer {work.layer.upper()} is {key_said(root.key)}{'' if root.is_sure else f', {UNSURE}'}."
        )

    def take(self, loop: Loop) -> None:
        """Lets the layer go round here."""
        work, asset = self.work, self.work.asset
        if asset is None or "loop" not in work.source.params or "loop_start" not in work.source.params:
            self.session.say("Only a Sample goes round in a loop: make the layer one first.", problem=True)
            return
        last = asset.frames - 1
        one = loop.turns < 1.5 and loop.turns > 0.5
        marks = {"loop_start": loop.first / last, "loop_end": min(loop.last / last, 1.0), "loop": "forward"}
        work.show_asset(asset, f"loop {loop.says(work.rate)}", marks | ({"fade": 0.0} if one else {}))

    def follow(self) -> None:
        """What was found, and what the source is set to."""
        work = self.work
        source, root, loops = work.source, work.root, work.loops
        set_text(self.root_says, "" if work.asset is None else root.says() if root is not None else "is looked for …")
        self.use.setEnabled(
            root is not None and root.key is not None and source is not None and "root" in source.params
        )
        looked = work.asset is not None and loops is None
        set_text(
            self.loops_say,
            "are looked for …" if looked else "best first" if loops else "none found" if loops == () else "",
        )
        on = self._on()
        now = (work.layer, type(source), work.asset, loops, on)
        if now == self._laid:
            return
        if self._laid is None or now[:2] != self._laid[:2]:  # type: ignore[index]
            self._lay_dials()
        self._laid = now
        clear(self.list)
        for loop in loops or ():
            row = LoopRow(loop, work.rate, loop == on, partial(self._listen, loop))
            row.taken.connect(partial(self.take, loop))
            self.list.addWidget(row)
        if loops == ():
            self.list.addWidget(Empty("Nothing in it comes again so that it could go round."))

    def _on(self) -> Loop | None:
        """The loop that the source goes round."""
        source, asset = self.work.source, self.work.asset
        if asset is None or source is None or not goes_round(source):
            return None
        first, last = (source.number(name) * (asset.frames - 1) for name in ("loop_start", "loop_end"))
        return next((k for k in self.work.loops or () if abs(k.first - first) < 1 and abs(k.last - last) < 1), None)

    def _listen(self, loop: Loop) -> None:
        self.work.play(loop.first / self.work.rate, loop.last / self.work.rate, loops=True)

    def _lay_dials(self) -> None:
        clear(self.dials)
        source, path = self.work.source, f"layers.{self.work.layer}.source."
        if source is None:
            return
        shade = layer_dye(self.work.layer)
        for name in ("root", "cents", "fade"):
            if name in source.params and (name != "fade" or "loop" in source.params):
                self.dials.addWidget(control_for(self.session, path + name, shade, 17))
        if "loop" in source.params and "loop_start" in source.params:
            self.dials.addWidget(Options(self.session, path + "loop"))
        self.dials.addStretch()
