"""The header of every page: where one is, what is on the table, and what it costs."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, QRect, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QDragEnterEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QSizePolicy, QVBoxLayout, QWidget

from felt_dial.bank.finding.catalogue import ListedBank
from felt_dial.bank.measuring.deviation import apart_words
from felt_dial.patch.patch import Patch, param_at
from felt_dial.patch.routing import effect_name
from felt_dial.patch.units import MINUS, THIN, number
from felt_dial.session.channel import EVERYTHING
from felt_dial.session.session import Session
from felt_dial.session.topics import Frame, LibraryChanged
from felt_dial.sound.sizes import SILENT
from felt_dial.ui.dials.controls import Meter, NameEdit, Pill, Reading, set_text, text_label
from felt_dial.ui.dials.entry import Entry
from felt_dial.ui.dials.tag import THREAD_MIME
from felt_dial.ui.frame.lasting import what_lasts
from felt_dial.ui.frame.settings import QUALITIES
from felt_dial.ui.frame.word_mark import WordMark
from felt_dial.ui.theme.colours import colour, dye
from felt_dial.ui.theme.felt import Wool, draw_cloth, draw_focus, sewn_pen
from felt_dial.ui.theme.fonts import body_font
from felt_dial.ui.theme.words import item, plain


class Tab(Pill):
    """A page's name; three red stitches while it is open. A tag held over it opens the page."""

    def __init__(self, name: str, number_: int) -> None:
        super().__init__(name, "link", tip=f"{name}: Ctrl+{number_}")
        self.setCheckable(True)
        self.setAcceptDrops(True)
        self.setFixedHeight(50)
        self.setAccessibleName(f"{name} page")
        self._wait = QTimer(self, singleShot=True, interval=350)
        self._wait.timeout.connect(self.click)
        metrics = self.fontMetrics()
        self.setFixedWidth(metrics.horizontalAdvance(name) + 34)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(body_font(14, 600 if self.isChecked() else 500))
        painter.setPen(colour("ink" if self.isChecked() or self.underMouse() else "soft"))
        painter.drawText(QRect(0, 2, self.width(), self.height() - 6), Qt.AlignmentFlag.AlignCenter, self.text())
        if self.isChecked():
            pen = QPen(dye("madder"), 2.2)
            middle = self.width() / 2
            painter.setPen(pen)
            for n in (-1, 0, 1):
                painter.drawLine(round(middle + n * 14 - 5), 43, round(middle + n * 14 + 4), 43)
        if self.hasFocus():
            draw_focus(painter, QRectF(4, 10, self.width() - 8, 30), 6)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(THREAD_MIME):
            event.acceptProposedAction()
            self._wait.start()

    def dragLeaveEvent(self, event: object) -> None:
        self._wait.stop()


class NewName(Entry):
    """The entry for the name of a new preset, with the bank that it goes to beside it: Down or a click chooses another."""

    def __init__(self, box: PresetBox, place: QRect, name: str) -> None:
        super().__init__(box, place, name, self._save, "Name of the new preset")
        self.session = box.session
        self.setAlignment(Qt.AlignmentFlag.AlignLeft)
        home = self.session.presets.home()
        self.bank: str | None = None
        self.choice = Pill("", "small", self.open_banks, "The bank that it goes to; another is chosen here: Down")
        self.choice.setParent(self)
        self.choice.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.choice.setCursor(Qt.CursorShape.PointingHandCursor)
        self._show_bank(home.name)
        self.choice.show()

    def _show_bank(self, name: str) -> None:
        metrics = self.choice.fontMetrics()
        set_text(self.choice, f"in {metrics.elidedText(name, Qt.TextElideMode.ElideRight, 120)} ▾")
        self.choice.setAccessibleName(f"Goes to {name}")
        self.choice.adjustSize()
        self.choice.move(self.width() - self.choice.width() - 3, (self.height() - self.choice.height()) // 2)
        self.setTextMargins(0, 0, self.choice.width() + 4, 0)

    def banks(self) -> QMenu:
        """The banks that it may go to."""
        menu, presets = QMenu(self), self.session.presets
        now = presets.home().id if self.bank is None else self.bank
        for listed in self.session.shelf.banks:
            said = f"{listed.name} (shipped)" if presets.shipped(listed.id) else listed.name
            action = menu.addAction(item(said), partial(self._choose, listed))
            action.setCheckable(True)
            action.setChecked(listed.id == now)
        if not presets.home().id:
            menu.addAction(item(f"{presets.home().name} (new)"), partial(self._choose, None)).setCheckable(True)
        return menu

    def open_banks(self) -> None:
        """Opens the list of banks."""
        menu = self.banks()
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(self.choice.mapToGlobal(self.choice.rect().bottomLeft()))

    def _choose(self, bank: ListedBank | None) -> None:
        self.bank = bank.id if bank is not None else None
        self._show_bank(bank.name if bank is not None else self.session.presets.home().name)
        self.setFocus(Qt.FocusReason.PopupFocusReason)

    def _save(self, name: str) -> None:
        self.session.presets.save_new(name, bank=self.bank)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Down:
            self.open_banks()
        else:
            super().keyPressEvent(event)


class PresetBox(QWidget):
    """Which preset is on the table, whether it is saved, and its neighbours."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedHeight(36)
        self.setMinimumWidth(330)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._steps, self._step_timer = 0, QTimer(self, interval=0, singleShot=True)
        self._step_timer.timeout.connect(self._take_steps)
        before = Pill("◂", "link", lambda: self.step_on(-1), "Preset before this one: Ctrl+Left")
        after = Pill("▸", "link", lambda: self.step_on(1), "Preset after this one: Ctrl+Right")
        self.bank = QLabel()
        self.bank.setTextFormat(Qt.TextFormat.PlainText)
        self.bank.setProperty("part", "label")
        self.dot = QLabel("●")
        self.dot.setProperty("part", "dot")
        self.name = NameEdit("", "name", session.editor.rename_patch)
        self.name.setAccessibleName("Name of the patch")
        self.save = Pill("Save", "link", self.save_it, "Save over the preset: Ctrl+S. Earlier versions are kept.")
        self.as_new = Pill("As new", "link", self.ask_name, "Save as a new preset: Ctrl+Shift+S")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(6, 0, 6, 0)
        layout.setSpacing(4)
        layout.addWidget(before)
        layout.addWidget(self.bank)
        layout.addWidget(self.dot)
        layout.addWidget(self.name, 1)
        layout.addWidget(self.save)
        layout.addWidget(self.as_new)
        layout.addWidget(after)
        session.channel.watch(self.follow, EVERYTHING)
        session.channel.watch(self._read_bank, LibraryChanged)
        self._shown: object = None
        self._bank_id, self._bank_name = "", ""
        self.follow()

    def step_on(self, step: int) -> None:
        """Goes to the preset before or after this one. A key that repeats faster than a window shows another adds up: it
        stops where the key is let go, and does not go on through what has waited."""
        self._steps += step
        self._step_timer.start()

    def _take_steps(self) -> None:
        steps, self._steps = self._steps, 0
        if steps:
            self.session.presets.neighbour(steps)

    def _read_bank(self) -> None:
        """The bank may have another name."""
        self._bank_id = ""
        self.follow()

    def follow(self) -> None:
        """Shows the work as it is."""
        work = self.session.editor.work
        if work.bank != self._bank_id:
            self._bank_id = work.bank
            self._bank_name = self.session.shelf.bank_name(work.bank)
        if self._shown == (now := (self._bank_name, self.session.editor.unsaved, self.session.patch.name)):
            return
        self._shown = now
        shown = self._bank_name or "not in a bank"
        metrics = self.bank.fontMetrics()
        self.bank.setText(metrics.elidedText(shown, Qt.TextElideMode.ElideRight, 130))
        self.bank.setToolTip(plain(shown))
        self.dot.setVisible(self.session.editor.unsaved)
        self.dot.setToolTip("Not saved yet")
        self.name.show_name(self.session.patch.name)
        self.save.setEnabled(self.session.editor.unsaved)

    def save_it(self) -> bool:
        """Saves over the preset; of a patch that has no place yet the name and the bank are asked, and it is not saved yet."""
        document = self.session.editor.work.document
        if document is None or not document.there:
            self.ask_name()
            return False
        return self.session.presets.save()

    def ask_name(self) -> NewName:
        """Opens the entry for the name of a new preset, and the bank that it goes to."""
        left = self.bank.x()
        place = QRect(left, self.name.y(), self.as_new.geometry().right() - left, self.name.height())
        return NewName(self, place, self.session.patch.name)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_cloth(painter, QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 8, "strip")


class Sides(QWidget):
    """A and B: two patches to compare."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedSize(48, 26)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setToolTip(
            "A and B: click or ` flips, double-click copies this one to the other.\n"
            "The louder one is turned down to the other while you compare; what is saved stays as it is."
        )
        self.setAccessibleName("A and B")
        session.channel.watch(self.follow)

    def follow(self) -> None:
        """Shows which side sounds."""
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(dye("madder") if self.hasFocus() else colour("edge"), 1))
        painter.setBrush(colour("strip"))
        painter.drawRoundedRect(QRectF(0.5, 0.5, 47, 25), 12.5, 12.5)
        painter.setFont(body_font(12, 600))
        for n, side in enumerate("ab"):
            spot = QRectF(2 + 22 * n, 2, 22, 22)
            chosen = self.session.editor.work.side == side
            if chosen:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(colour("ink"))
                painter.drawEllipse(spot)
            painter.setPen(colour("cloth" if chosen else "soft"))
            painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, side.upper())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.session.editor.flip()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """The first click went to the other side: this one is copied from where the hand came."""
        self.session.editor.flip()
        self.session.editor.copy_side()


class PressedReading(Reading):
    """A reading that opens something: by a click, or Enter while it has the focus."""

    def __init__(self, session: Session, label: str, tip: str) -> None:
        super().__init__(label, tip)
        self.session = session
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def press(self) -> object:
        """Opens it."""
        raise AssertionError

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.press()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.press()
        else:
            super().keyPressEvent(event)


class TempoReading(PressedReading):
    """The tempo: click to type, wheel to change."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Tempo", "Tempo in beats per minute: click to type, wheel to change")
        session.channel.watch(self.follow, "tempo")
        session.channel.watch(self.follow, Frame)
        self.follow()

    def follow(self) -> None:
        """Shows the tempo of the patch, or that of a clock from outside while there is one."""
        clock = float(self.session.link.shared.data["clock"])
        label = "Clock" if clock else "Tempo"
        if label != self.label:
            self.label = label
            self.update()
        self.show_value(param_at(self.session.patch, "tempo").write(clock or self.session.patch.tempo))

    def press(self) -> Entry:
        """Opens the entry."""
        param = param_at(self.session.patch, "tempo")

        def take(text: str) -> None:
            self.session.editor.set("tempo", param.read(text, self.session.editor.value("tempo")))

        return Entry(self, QRect(0, 24, self.width(), 20), self.value, take, "Tempo")

    def wheelEvent(self, event: QWheelEvent) -> None:
        step = 1 if event.angleDelta().y() > 0 else -1
        self.session.editor.set("tempo", min(max(float(self.session.patch.tempo) + step, 20), 999), dragging=True)


class EngineReading(PressedReading):
    """What the sound costs; click for the quality it is played at."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Engine", "How much of one core the sound takes; click for the quality")

    def menu(self) -> QMenu:
        """The qualities there are."""
        menu = QMenu(self)
        for quality, says in QUALITIES.items():
            action = menu.addAction(f"Live quality {says}", lambda q=quality: self.choose(q))
            action.setCheckable(True)
            action.setChecked(self.session.settings.now.quality == quality)
        return menu

    def choose(self, quality: int) -> None:
        """Plays at another quality from now on."""
        self.session.settings.keep(self.session.settings.now.model_copy(update={"quality": quality}))
        self.session.say(f"Live quality is {quality}× now. A render has its own, in the settings.")

    def press(self) -> None:
        """Opens the menu of qualities."""
        self.menu().exec(self.mapToGlobal(self.rect().bottomLeft()))

    def show_load(self, load: float | None) -> None:
        """Shows what a block costs, and at which quality."""
        quality = self.session.settings.now.quality
        self.label = "Engine" if quality == 1 else f"At {quality}×"
        self.show_value("starting" if load is None else f"{100 * load:.0f}{THIN}%")


METER_TIP = "Level of the output before its limiter; click for the analyser: Ctrl+M"


class Header(Wool):
    """Word mark, tabs, preset, A and B, readings."""

    page_asked = Signal(str)
    analyser_asked = Signal()
    menu_asked = Signal()

    def __init__(self, session: Session, pages: list[str]) -> None:
        super().__init__()
        self.session = session
        self._frames = 0
        self.setFixedHeight(50)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(10, 0, 14, 0)
        layout.setSpacing(0)
        self.mark = WordMark()
        self.mark.clicked.connect(self.menu_asked)
        layout.addWidget(self.mark)
        layout.addSpacing(8)
        self.tabs: dict[str, Tab] = {}
        for n, name in enumerate(pages, 1):
            tab = Tab(name, n)
            tab.clicked.connect(lambda _=False, title=name: self.page_asked.emit(title))
            layout.addWidget(tab)
            self.tabs[name] = tab
        layout.addSpacing(12)
        self.preset = PresetBox(session)
        layout.addWidget(self.preset, 1)
        layout.addSpacing(10)
        layout.addWidget(Sides(session))
        layout.addSpacing(12)
        self.tempo = TempoReading(session)
        self.voices = Reading(
            "Voices", "Notes that sound now, of how many may. The number is set in the inspector of the patch."
        )
        self.engine = EngineReading(session)
        self.loudness = Reading("Loudness", "Short-term loudness of the last 3 s (ITU-R BS.1770)")
        for reading_, width in ((self.tempo, 66), (self.voices, 54), (self.engine, 46), (self.loudness, 78)):
            reading_.setFixedSize(width, 50)
            layout.addWidget(reading_)
        meters = QVBoxLayout()
        meters.setSpacing(4)
        self.left, self.right = Meter(thick=6), Meter(thick=6)
        meters.addStretch()
        meters.addWidget(self.left)
        meters.addWidget(self.right)
        meters.addStretch()
        holder = QWidget()
        holder.setFixedWidth(64)
        holder.setCursor(Qt.CursorShape.PointingHandCursor)
        holder.setAccessibleName("Output meter")
        self.meters = holder
        holder.mouseReleaseEvent = lambda event: self.analyser_asked.emit()  # type: ignore[method-assign]
        self.held = text_label("", "alarm")
        self.held.setToolTip(
            "The safety limiter holds the sound down by so much, or the effects are left out (dry); both are only for what "
            "you hear, never for a render"
        )
        meters.addWidget(self.held)
        holder.setLayout(meters)
        meters.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(holder)
        session.channel.watch(self._frame, Frame)

    def show_page(self, title: str) -> None:
        """Marks the page that is open."""
        for name, tab in self.tabs.items():
            tab.setChecked(name == title)

    def _frame(self) -> None:
        data = self.session.link.shared.data
        patch: Patch = self.session.patch
        self.voices.show_value(f"{int(data['voices'])} of {int(patch.voices)}")
        self.engine.show_load(float(data["load"]) if self.session.link.ready else None)
        self._frames += 1
        if self._frames % 15 == 1:
            self.engine.setToolTip(plain(self._costs()))
            still = what_lasts(self.session)
            lines = [METER_TIP, "", "Sounds on though no key is down:", *still] if still else [METER_TIP]
            self.meters.setToolTip(plain("\n".join(lines)))
        level = float(data["short_term"])
        self.loudness.show_value(f"{number(level, 1)}{THIN}LUFS" if level > SILENT else f"{MINUS}∞{THIN}LUFS")
        held = float(data["held"])
        dry = self.session.transport.dry
        set_text(self.held, "dry" if dry else f"held {number(held, 1)}{THIN}dB" if held < -0.05 else "")
        self.held.setVisible(dry or held < -0.05)
        self.left.show_peak(float(data["peaks"][0]))
        self.right.show_peak(float(data["peaks"][1]))

    def _costs(self) -> str:
        lines = ["How much of one core the sound takes"]
        patch = self.session.patch
        costs = self.session.link.costs(patch)
        for key, layer in patch.layers.items():
            cost = sum(costs[f"layers.{key}.{part}"] for part in ("source", "drive", "filter"))
            lines.append(f"{key.upper()} {layer.name or layer.source.title}: {100 * cost:.1f}{THIN}%")
        for key in patch.buses:
            if cost := sum(costs[f"buses.{key}.{part}"] for part in ("drive", "filter", "after")):
                lines.append(f"Bus {key}: {100 * cost:.1f}{THIN}%")
        if any("dense" in layer.source.params for layer in patch.layers.values()):
            lines.append(f"Grains: {int(self.session.link.shared.data['grains'])} of {int(patch.grains)}")
        for rack, effects in patch.racks.items():
            for key in effects:
                lines.append(f"{effect_name(patch, rack, key)}: {100 * costs[f'racks.{rack}.{key}']:.1f}{THIN}%")
        measured = self.session.shelf.figures.of(patch)
        if measured is not None and (apart := apart_words(measured.apart, patch)):
            lines += ["", f"{apart[0].upper()}{apart[1:]}"]
        return "\n".join(lines)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("cloth"))
        painter.setPen(sewn_pen(colour("edge")))
        painter.drawLine(QPoint(0, self.height() - 1), QPoint(self.width(), self.height() - 1))
