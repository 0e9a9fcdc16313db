"""The bottom strip of every page: macros, phrase, wheels, keyboard."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFontMetrics, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from felt_dial.live.link.messages import LoopPhrase
from felt_dial.patch.edits import threads_from
from felt_dial.patch.parts import MACRO_IDS
from felt_dial.patch.patch import put
from felt_dial.patch.units import note_name
from felt_dial.session.session import Session
from felt_dial.session.topics import Frame, TransportMoved
from felt_dial.ui.dials.controls import Pill, text_label
from felt_dial.ui.dials.dial import Dial
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.dials.tag import Tag
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.felt import sewn_pen
from felt_dial.ui.theme.fonts import body_font
from felt_dial.ui.theme.words import plain

LOWEST, HIGHEST = 36, 96
BLACK = {1, 3, 6, 8, 10}


class Name(QLineEdit):
    """A name that Escape leaves as it was."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.undo_all()
            self.clearFocus()
        else:
            super().keyPressEvent(event)

    def undo_all(self) -> None:
        """Back to what it was when the hand came to it."""
        while self.isUndoAvailable():
            self.undo()


class MacroDial(QWidget):
    """One macro: its tag, its dial, and its name, which is edited where it stands."""

    def __init__(self, session: Session, key: str) -> None:
        super().__init__()
        self.session, self.key = session, key
        self.dial = Dial(session, f"macros.{key}", "walnut", 17, label=" ", ground="strip")
        self.dial.setParent(self)
        self.tag = Tag(session, key, 9)
        self.tag.setParent(self)
        self.name = Name(self)
        self.name.setProperty("part", "macro")
        self.name.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.name.setPlaceholderText("name it")
        self.name.setAccessibleName(f"Name of macro {key[1:]}")
        self.name.setToolTip("What the musician calls this macro: click to type, Escape leaves it as it was")
        self.name.editingFinished.connect(self._rename)
        self.name.returnPressed.connect(self.name.clearFocus)
        self.setFixedSize(88, 80)
        self.dial.move(13, 0)
        self.tag.move(0, 40)
        self.name.setGeometry(2, -1, 84, 17)
        session.channel.watch(self._follow, f"macros.{key}")
        self._follow()

    def _follow(self) -> None:
        macro = self.session.patch.macros[self.key]
        if not self.name.hasFocus():
            self.name.setText(macro.name)
            self.name.setCursorPosition(0)
        moved = threads_from(self.session.patch, self.key)
        self.dial.setAccessibleName(macro.name or f"Macro {self.key[1:]}")
        what = ", ".join(self.session.editor.label_of(t.target) for t in moved.values()) or "nothing yet"
        about = f"{macro.description}\n" if macro.description else ""
        self.setToolTip(plain(f"{about}{self.key.upper()} moves {what}"))

    def _rename(self) -> None:
        macro, name = self.session.patch.macros[self.key], self.name.text().strip()
        if name != macro.name:
            fresh = macro.model_copy(update={"name": name})
            self.session.editor.edit(
                put(self.session.patch, ["macros", self.key], fresh), f"name macro {self.key[1:]} {name}"
            )


class Wheel(QWidget):
    """A bend or mod wheel; the bend wheel springs back."""

    turned = Signal(float)

    def __init__(self, name: str, springs: bool) -> None:
        super().__init__()
        self.name, self.springs = name, springs
        self.value = 0.0
        self.setFixedWidth(24)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(f"{name} wheel")
        self.setToolTip(f"{name} wheel: drag" + ("; it springs back" if springs else ""))

    def set_value(self, value: float) -> None:
        """Turns the wheel: −1 to 1 for bend, 0 to 1 for mod."""
        value = min(max(value, -1.0 if self.springs else 0.0), 1.0)
        if value != self.value:
            self.value = value
            self.turned.emit(value)
            self.update()

    def _follow(self, y: float) -> None:
        part = 1 - (y - 8) / max(self.height() - 32, 1)
        self.set_value(2 * part - 1 if self.springs else part)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._follow(event.position().y())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._follow(event.position().y())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.springs:
            self.set_value(0.0)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Up: 0.05, Qt.Key.Key_Down: -0.05}
        if step := steps.get(Qt.Key(event.key())):
            self.set_value(self.value + step)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if self.springs and not event.isAutoRepeat():
            self.set_value(0.0)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        well = QRectF(0, 0, self.width(), self.height() - 16)
        painter.setPen(QPen(dye("madder"), 1.4) if self.hasFocus() else Qt.PenStyle.NoPen)
        painter.setBrush(colour("well"))
        painter.drawRoundedRect(well, 5, 5)
        part = (self.value + 1) / 2 if self.springs else self.value
        y = 8 + (1 - part) * (well.height() - 16)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("felt_light"))
        painter.drawRoundedRect(QRectF(3, y - 7, self.width() - 6, 14), 4, 4)
        painter.setPen(QPen(colour("soft"), 1))
        painter.drawLine(QPointF(6, y), QPointF(self.width() - 6, y))
        painter.setPen(colour("soft"))
        painter.setFont(body_font(11))
        painter.drawText(QRectF(-6, self.height() - 15, self.width() + 12, 15), Qt.AlignmentFlag.AlignCenter, self.name)


class Keyboard(QWidget):
    """Five octaves to press; keys that sound are dyed."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.shown: bytes = b""
        self.pressed = -1
        self.setMinimumWidth(300)
        self.setAccessibleName("Keyboard, C2 to C7")
        self.setToolTip("Press to play; lower on a key is louder. The letter rows of your keyboard play too.")
        session.channel.watch(self._frame, Frame)

    def _frame(self) -> None:
        held = self.session.link.shared.data["keys"].tobytes()
        if held != self.shown:
            self.shown = held
            self.update()

    def key_box(self, key: int) -> QRectF:
        """Where a key is."""
        whites = [k for k in range(LOWEST, HIGHEST + 1) if k % 12 not in BLACK]
        width = self.width() / len(whites)
        if key % 12 in BLACK:
            left = whites.index(key - 1) * width
            return QRectF(left + width * 0.68, 0, width * 0.64, self.height() * 0.6)
        return QRectF(whites.index(key) * width, 0, width, self.height())

    def key_at(self, place: QPointF) -> int:
        """The key under a point; −1 where there is none."""
        for black in (True, False):
            for key in range(LOWEST, HIGHEST + 1):
                if (key % 12 in BLACK) == black and self.key_box(key).contains(place):
                    return key
        return -1

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        held = self.shown or bytes(128)
        sounding = QColor(dye("madder", in_well=True))
        painter.setFont(body_font(11))
        for black in (False, True):
            for key in range(LOWEST, HIGHEST + 1):
                if (key % 12 in BLACK) != black:
                    continue
                box = self.key_box(key).adjusted(0.75, 0, -0.75, -1)
                painter.setPen(QPen(QColor("#D3C8B4") if not black else QColor("#2B2722"), 1))
                painter.setBrush(sounding if held[key] else QColor("#2B2722") if black else QColor("#F3EDE1"))
                painter.drawRoundedRect(box, 3, 3)
                if key % 12 == 0 and not black:
                    painter.setPen(QColor("#5F564A"))
                    painter.drawText(
                        box.adjusted(0, 0, 0, -3),
                        Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignHCenter,
                        note_name(key),
                    )

    def _press(self, place: QPointF) -> None:
        key = self.key_at(place)
        if key == self.pressed:
            return
        self._lift()
        if key >= 0:
            box = self.key_box(key)
            velocity = 0.25 + 0.75 * (place.y() - box.top()) / box.height()
            self.session.transport.note_on(key, min(max(velocity, 0.1), 1.0))
        self.pressed = key

    def _lift(self) -> None:
        if self.pressed >= 0:
            self.session.link.note_off(self.pressed)
        self.pressed = -1

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._press(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._press(event.position())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._lift()


TALL, LOW = 172, 92
"""Heights in pixels, with the keyboard and without."""
OUTPUT_WIDE = 172
"""Pixels for the name of the output: what the line leaves it at the smallest size of the window."""


class Strip(QWidget):
    """Everything one plays with."""

    settings_asked = Signal()
    pattern_asked = Signal()
    phrase_asked = Signal()
    fold_asked = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.octave = 4
        self.folded = False
        self._macros = QGridLayout()
        self._macros.setContentsMargins(0, 0, 0, 0)
        self._macros.setSpacing(0)
        self._macros.setVerticalSpacing(3)
        self.macros = [MacroDial(session, key) for key in MACRO_IDS]
        self.phrase = Picker()
        self.phrase.setAccessibleName("Phrase")
        self.phrase.setToolTip("The notes that play while you work")
        self.phrase.setMinimumWidth(170)
        self.phrase.activated.connect(lambda n: session.transport.choose_phrase(self.phrase.itemData(n)))
        self.play = Pill("Play", "play", tip="Play or stop the phrase: Space")
        self.play.setCheckable(True)
        self.play.clicked.connect(lambda: session.transport.play(not session.transport.playing))
        self.play.setFixedWidth(84)
        self.loop = Pill("Loop", "pill", tip="The phrase begins again at its end")
        self.loop.setCheckable(True)
        self.loop.setChecked(True)
        self.loop.clicked.connect(self._loop)
        self.hold = Pill("Hold", "pill", tip="Keys you let go still sound")
        self.hold.setCheckable(True)
        self.hold.clicked.connect(self._hold)
        self.pattern = Pill(
            "Pattern", "pill", self.pattern_asked.emit, "What held keys are played as: arpeggios and steps"
        )
        self.pattern.setCheckable(True)
        self.velocity = text_label("Velocity 96", "label")
        self.octave_label = text_label("", "label")
        lower = Pill("−", "link", lambda: self.shift(-1), "Letter keys an octave lower: Shift+Z")
        higher = Pill("+", "link", lambda: self.shift(1), "Letter keys an octave higher: Shift+X")
        softer = Pill("−", "link", lambda: self.louder(-8), "Letter keys softer")
        louder = Pill("+", "link", lambda: self.louder(8), "Letter keys louder")
        self.output = Pill("", "link", self.settings_asked.emit, "Output and settings: Ctrl+,")
        self.folding = Pill("▾", "link", self.fold_asked.emit)
        line = self._line = QHBoxLayout()
        line.setSpacing(8)
        line.addWidget(
            Pill("Phrase…", "link", self.phrase_asked.emit, "The notes of the phrase, to be seen, recorded and edited")
        )
        for control in (self.phrase, self.play, self.loop, self.hold, self.pattern):
            line.addWidget(control)
        self._last = QWidget()
        last = QHBoxLayout(self._last)
        last.setContentsMargins(0, 0, 0, 0)
        last.setSpacing(8)
        for group in ((softer, self.velocity, louder), (lower, self.octave_label, higher)):
            part = QHBoxLayout()
            part.setSpacing(0)
            for widget in group:
                part.addWidget(widget)
            last.addLayout(part)
        last.addStretch()
        last.addWidget(self.output)
        last.addWidget(self.folding)
        self.bend, self.mod = Wheel("Bend", True), Wheel("Mod", False)
        self.bend.turned.connect(session.link.bend)
        self.mod.turned.connect(session.link.wheel)
        self.keyboard = Keyboard(session)
        self._keys = QWidget()
        keys = QHBoxLayout(self._keys)
        keys.setContentsMargins(0, 0, 0, 0)
        keys.setSpacing(8)
        keys.addWidget(self.bend)
        keys.addWidget(self.mod)
        keys.addSpacing(6)
        keys.addWidget(self.keyboard, 1)
        right = self._right = QVBoxLayout()
        right.setSpacing(6)
        right.addLayout(line)
        right.addWidget(self._keys, 1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 5, 12, 6)
        layout.setSpacing(14)
        layout.addLayout(self._macros)
        layout.addLayout(right, 1)
        self.fold(False)
        session.channel.watch(self.follow, TransportMoved)
        session.channel.watch(self.follow, "pattern.on")
        self._held: dict[int, int] = {}
        self.follow()

    def fold(self, folded: bool) -> None:
        """Puts the keyboard away, with the macros in one row; or brings it back."""
        self.folded = folded
        self.setFixedHeight(LOW if folded else TALL)
        self._keys.setVisible(not folded)
        for n, made in enumerate(self.macros):
            self._macros.addWidget(made, *((0, n) if folded else divmod(n, 4)))
        (self._right if folded else self._line).addWidget(self._last, 1)
        self.folding.setText("▴" if folded else "▾")
        says = "Bring the keyboard back" if folded else "Put the keyboard away"
        self.folding.setToolTip(f"{says}: Ctrl+K")
        self.folding.setAccessibleName(says)

    def follow(self) -> None:
        """Shows the transport as it is."""
        names = {key: phrase.name for key, phrase in self.session.shelf.phrases.all().items()}
        if {self.phrase.itemData(n): self.phrase.itemText(n) for n in range(self.phrase.count())} != names:
            self.phrase.clear()
            for key, name in names.items():
                self.phrase.addItem(name, key)
        self.phrase.setCurrentIndex(self.phrase.findData(self.session.transport.phrase_now.id))
        self.play.setChecked(self.session.transport.playing)
        self.pattern.setChecked(bool(self.session.patch.pattern.on))
        self.play.setText("Playing" if self.session.transport.playing else "Play")
        self.octave_label.setText(f"Octave {note_name(12 * (self.octave + 1))}")
        self.velocity.setText(f"Velocity {self.session.transport.velocity}")
        link = self.session.link
        name = link.output_name or "starting the sound"
        rate = f"{link.rate / 1000:g} kHz"
        said = f": {link.said}" if link.said else ""
        text = f"{name}{said} · {rate} · {link.frames}"
        metrics = QFontMetrics(body_font(13, 600))
        self.output.setText(metrics.elidedText(text, Qt.TextElideMode.ElideMiddle, OUTPUT_WIDE))
        self.output.setMinimumWidth(min(metrics.horizontalAdvance(text), OUTPUT_WIDE) + 12)
        self.output.setToolTip(plain(f"{text}\nOutput and settings: Ctrl+,"))

    def _loop(self) -> None:
        self.session.transport.looping = self.loop.isChecked()
        self.session.link.tell(LoopPhrase(self.session.transport.looping))

    def _hold(self) -> None:
        self.session.link.hold(self.hold.isChecked())

    def shift(self, octaves: int) -> None:
        """Moves the letter keys."""
        self.octave = min(max(self.octave + octaves, 0), 7)
        self.follow()

    def louder(self, by: int) -> None:
        """Changes the velocity of the letter keys."""
        self.session.transport.velocity = min(max(self.session.transport.velocity + by, 8), 127)
        self.follow()

    def letter_down(self, code: int, step: int) -> None:
        """A letter key goes down, `step` semitones above the octave's C."""
        key = 12 * (self.octave + 1) + step
        if code not in self._held and 0 <= key < 128:
            self._held[code] = key
            self.session.transport.note_on(key, self.session.transport.velocity / 127)

    def letter_up(self, code: int) -> None:
        """It goes up."""
        if code in self._held:
            self.session.link.note_off(self._held.pop(code))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("strip"))
        painter.setPen(sewn_pen(colour("soft"), 1.4))
        painter.drawLine(0, 0, self.width(), 0)
