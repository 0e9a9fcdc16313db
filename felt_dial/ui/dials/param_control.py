"""One parameter under the hand: turned, typed, sewn, whatever face it wears."""

from __future__ import annotations

import contextlib
import math

from PySide6.QtCore import QMimeData, QPoint, QRect, Qt
from PySide6.QtGui import (
    QContextMenuEvent,
    QDragEnterEvent,
    QDropEvent,
    QEnterEvent,
    QFocusEvent,
    QGuiApplication,
    QKeyEvent,
    QMouseEvent,
    QShowEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QMenu, QWidget

from felt_dial.errors import FeltDialError
from felt_dial.patch.edits import default_at, set_thread, sew, threads_on
from felt_dial.patch.module import Module
from felt_dial.patch.params import CUBIC, Param
from felt_dial.patch.parts import BY_RATIO, NoSuchPath, Route, read_depth, read_reading
from felt_dial.patch.patch import depth_of, movers, owner, param_at, path_holds, value_at
from felt_dial.patch.places import in_time, read_at
from felt_dial.patch.reach import reach_of_all, silent_because
from felt_dial.patch.units import DIVISIONS, Beats, NotReadable, Value
from felt_dial.session.session import Session
from felt_dial.session.topics import Frame, Hovered
from felt_dial.ui.dials.entry import Entry
from felt_dial.ui.dials.scrolling import still_scrolling
from felt_dial.ui.dials.tag import THREAD_MIME, tag_text
from felt_dial.ui.theme.words import plain

DRAG_PIXELS = 180.0
"""Up from one end of a parameter to the other."""
VALUE_MIME = "application/x-felt-dial-value"


class ParamControl(QWidget):
    """What every face of a parameter does: a subclass paints it, and says how a drag turns it.

    Wheel, arrow keys (Shift is fine), double-click or Delete for the default, Enter or a digit to type, a menu.
    Tags can be dropped on it.
    """

    def __init__(self, session: Session, path: str, owner_dye: str, label: str = "") -> None:
        super().__init__()
        found = param_at(session.patch, path)
        assert isinstance(found, Param)
        self.param = found
        self.session, self.path, self.owner_dye = session, path, owner_dye
        self._label = label
        self.entry: Entry | None = None
        self._bead = -1.0
        self._hover = self._drop = self._lit = False
        self._behind = False
        self._read()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAcceptDrops(True)
        self.setMouseTracking(False)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self.setAccessibleName(session.editor.label_of(path))
        self._looks_at = [path, *self._causes()]
        session.channel.watch(self._follow, *self._looks_at)
        session.channel.watch(self._move_bead, Frame)
        session.channel.hear(Hovered, self._light)

    def showEvent(self, event: QShowEvent) -> None:
        if self._behind:
            self._follow()
        super().showEvent(event)

    def turn_to(self, path: str, owner_dye: str) -> None:
        """Becomes the face of the same parameter of another part of the patch."""
        self.path, self.owner_dye = path, owner_dye
        before, self._looks_at = self._looks_at, [path, *self._causes()]
        self.session.channel.look_elsewhere(self._follow, before, self._looks_at)
        self._bead, self._lit = -1.0, False
        self._read()
        self.setAccessibleName(self.session.editor.label_of(path))
        self.update()

    @property
    def label(self) -> str:
        """What stands above it."""
        return self._label or self.param.label

    def _read(self) -> None:
        patch = self.session.patch
        self._all_threads = patch.threads
        self._value: Value = value_at(patch, self.path)
        self._threads = threads_on(patch, self.path) if self.param.movable else {}
        reach = reach_of_all(patch, self.path) if self._threads else None
        self._reach = reach
        value, time = self.param.write(self._value), in_time(patch, self.path)
        value = f"{value}, {time}" if time else value
        self.beyond = self._how_far_beyond()
        moved = ""
        if reach:
            moved = f"\nMoved by {', '.join(tag_text(t.source) for t in self._threads.values())}: "
            moved += f"{self.param.unit.write(reach[0])} … {self.param.unit.write(reach[1])}"
            moved += ", stops at the end" if reach[2] else ""
        self.rests = self._why_at_rest()
        rests = f"\nIt does nothing now: {self.rests}." if self.rests else ""
        rests = f"\n{self.beyond}.{rests}" if self.beyond else rests
        when = " It is read as a note begins, and stays for that note." if self.param.at_start else ""
        self.setToolTip(plain(f"{self.label}: {value}\n{self.param.says}{when}{moved}{rests}"))
        self.setAccessibleDescription(f"{value}. {self.param.says}{rests}")

    def _how_far_beyond(self) -> str:
        """What its note length comes to at the tempo, where an end cuts it off."""
        return self.param.beyond(self._value, float(self.session.patch.tempo)) if self.param.beats else ""

    def figure(self) -> str:
        """Its value as it stands on its face; with a mark where a note length is cut off by an end."""
        return self.param.write(self._value) + (" !" if self.beyond else "")

    def _causes(self) -> list[str]:
        """Where else to look: its whole module, if that knows of dials that make it do nothing, and the tempo for what counts
        beats."""
        return self._resting_causes() + (["tempo"] if self.param.beats else [])

    def _resting_causes(self) -> list[str]:
        module, _ = owner(self.session.patch, self.path)
        if not isinstance(module, Module) or type(module).at_rest is Module.at_rest:
            return []
        return [self.path.rpartition(".")[0]]

    def _why_at_rest(self) -> str:
        """Why it does nothing as its module is set; nothing where it does something, or a thread moves what makes it so."""
        module, name = owner(self.session.patch, self.path)
        cause, why = module.at_rest().get(name, ("", "")) if isinstance(module, Module) else ("", "")
        place = f"{self.path.rpartition('.')[0]}.{cause}"
        moved = any(thread.target == place for thread in self.session.patch.threads.values()) if cause else False
        return "" if moved else why

    def _follow(self) -> None:
        """Its value, a thread on it, or what makes it rest may have changed; what is not seen is read once it is."""
        if not self.isVisible():
            self._behind = True
            return
        self._behind = False
        patch = self.session.patch
        if not path_holds(patch, self.path, self.param):
            return
        same = patch.threads is self._all_threads and value_at(patch, self.path) == self._value
        if same and self._why_at_rest() == self.rests and self._how_far_beyond() == self.beyond:
            return
        before = (self._value, self._threads, self._reach, self.rests, self.beyond)
        self._read()
        if before != (self._value, self._threads, self._reach, self.rests, self.beyond):
            self.update()

    @property
    def faint(self) -> bool:
        """Whether it is drawn pale: it cannot be turned, or does nothing as things are."""
        return not self.isEnabled() or bool(self.rests)

    def _move_bead(self) -> None:
        if not self._threads or not self.isVisible() or self.param.at_start:
            return
        now = self.session.link.bead(self.path)
        place = -1.0 if now is None else self.place_of(now)
        if abs(place - self._bead) > 0.004:
            self._bead = place
            self.update()

    def _light(self, hovered: Hovered) -> None:
        """The hand is over a tag: what it moves is ringed."""
        mover = hovered.mover
        lit = any(mover in (thread.source, thread.scaled) for thread in self._threads.values()) if mover else False
        if lit != self._lit:
            self._lit = lit
            self.update()

    def place_of(self, value: Value) -> float:
        """Where a value stands; a dial that counts beats shows where it reaches in beats too."""
        if isinstance(self._value, Beats) and not isinstance(value, Beats):
            value = self.param.in_beats(float(value), self.session.patch.number("tempo"))
        return self.param.position(value)

    # --- hands ---------------------------------------------------------------------------------

    def value_box(self) -> QRect:
        """Where the value stands, and where it is typed."""
        return self.rect()

    def set_place(self, place: float, dragging: bool = True) -> None:
        """Turns the dial to a place from 0 to 1."""
        value = self.param.at(place, isinstance(self._value, Beats))
        self.session.editor.set(self.path, value, dragging=dragging)

    def nudge(self, steps: float, fine: bool = False) -> None:
        """Turns by small steps; a whole number or a note length by one at a time."""
        param = self.param
        if isinstance(self._value, Beats):
            counts = list(DIVISIONS.values())
            now = round(self.place_of(self._value) * (len(counts) - 1))
            value: Value = Beats(counts[min(max(now + (1 if steps > 0 else -1), 0), len(counts) - 1)])
        elif param.whole:
            value = round(min(max(float(self._value) + (1 if steps > 0 else -1), param.low), param.high))
        else:
            step = 0.002 if fine else 0.01
            if param.taper == CUBIC:
                step *= 0.7
            value = param.at(self.place_of(self._value) + steps * step)
        self.session.editor.set(self.path, value, dragging=True)

    def reset(self) -> None:
        """Back to the default."""
        self.session.editor.set(self.path, default_at(self.session.patch, self.path))

    def wheelEvent(self, event: QWheelEvent) -> None:
        if still_scrolling(event):
            return
        turn = event.angleDelta().y() or event.angleDelta().x()
        self.nudge(turn / 120.0, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        key, text = event.key(), event.text()
        if event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
            super().keyPressEvent(event)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Right):
            self.nudge(1, fine)
        elif key in (Qt.Key.Key_Down, Qt.Key.Key_Left):
            self.nudge(-1, fine)
        elif key == Qt.Key.Key_PageUp:
            self.nudge(10)
        elif key == Qt.Key.Key_PageDown:
            self.nudge(-10)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.reset()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.type_value()
        elif text and (text in "0123456789-+−.×*/="):
            self.type_value(text)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not event.isAutoRepeat():
            self.session.editor.history.settle()
        super().keyReleaseEvent(event)

    def type_value(self, first: str = "") -> None:
        """Opens the entry over the value."""

        path = self.path  # the dial may be turned to another before the text is taken

        def take(text: str) -> None:
            if text != shown:
                self.session.editor.set(path, read_at(self.session.patch, path, text, by_face=True))
                self._say_of_percent(text)

        shown = self.param.write(self._value)
        self.entry = Entry(self, self.value_box(), shown, take, typed=first)

    def _say_of_percent(self, text: str) -> None:
        """A part of one typed where per cent stand is taken as it was typed, and said, since it may have been meant otherwise."""
        if otherwise := self.param.unit.meant_otherwise(text):
            self.session.say(f"{self.param.write(self._value)}: {otherwise}.")

    def type_depth(self, thread: str) -> None:
        """Opens the entry for the depth of a thread on this dial."""
        limits = depth_of(self.session.patch, self.session.patch.threads[thread])
        path, param = self.path, self.param

        def take(text: str) -> None:
            words, reading = read_reading(text)
            by, depth = read_depth(param, words) if words.strip() != shown_now else (now_by, now)
            also = {} if reading is None else {"reading": reading}
            patch = set_thread(self.session.patch, thread, by=by, depth=depth, **also)
            shown = depth_of(patch, patch.threads[thread]).unit.write_signed(depth)
            self.session.editor.edit(patch, f"thread on {self.session.editor.label_of(path)} to {shown}")

        now, now_by = (float(self.session.patch.threads[thread].depth), str(self.session.patch.threads[thread].by))
        shown_now = limits.unit.write_signed(now)
        source = tag_text(self.session.patch.threads[thread].source)
        self.entry = Entry(self, self.value_box(), shown_now, take, f"Depth of {source} on {self.accessibleName()}")

    def type_thread(self) -> None:
        """Opens the entry that sews: a mover and a depth, such as `e2 +34%`."""
        path, param = self.path, self.param

        def take(text: str) -> None:
            words, reading = read_reading(text)
            name, _, depth = words.strip().partition(" ")
            if name.lower() not in movers(self.session.patch):
                known = ", ".join(key.upper() for key in movers(self.session.patch))
                raise NotReadable(f"Nothing that moves is called “{name}”: try one of {known}.")
            by, far = read_depth(param, depth) if depth.strip() else (BY_RATIO, None)
            self._sew(name.lower(), far, by, reading, path)

        self.entry = Entry(self, self.value_box(), "", take, f"Thread on {self.accessibleName()}")
        self.entry.setPlaceholderText("e1 " + ("+12 st" if self.param.unit.geometric else "+30"))

    def _sew(
        self, source: str, depth: float | None, by: str = BY_RATIO, reading: str | None = None, path: str = ""
    ) -> str:
        path = path or self.path
        patch, thread = sew(self.session.patch, source, path, depth, by, reading)
        self.session.editor.edit(patch, f"sew {tag_text(source)} to {self.session.editor.label_of(path)}")
        read = Route.choice_of("reading").options
        now, others = read[str(patch.threads[thread].reading)], ", ".join(read.values()).lower()
        if silent := silent_because(patch, path):
            why, turn = silent
            does = "Turn it on" if True in turn.values() else "Send it to rack 1"
            answer = (does, lambda: self.session.editor.set_all(turn, does.lower()))
            self.session.ask(f"{why}: the thread moves nothing that is heard yet.", [answer])
            return thread
        self.session.say(f"{tag_text(source)} is read as {now.lower()} here; {others} can be typed behind a depth.")
        return thread

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(THREAD_MIME) and self.param.movable:
            self._drop = True
            self.update()
            event.acceptProposedAction()

    def dragLeaveEvent(self, event: object) -> None:
        self._drop = False
        self.update()

    def dropEvent(self, event: QDropEvent) -> None:
        self._drop = False
        source = bytes(event.mimeData().data(THREAD_MIME).data()).decode()
        event.acceptProposedAction()
        self.drop_tag(source)

    def drop_tag(self, source: str) -> None:
        """Sews a mover to this dial and opens the depth, ready to type."""
        try:
            thread = self._sew(source, None)
        except (FeltDialError, NoSuchPath) as wrong:
            self.session.say(str(wrong), problem=True)
            return
        self.type_depth(thread)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.menu().exec(event.globalPos() if not event.globalPos().isNull() else self.mapToGlobal(QPoint(0, 0)))

    def _lock(self) -> None:
        """Offshoots leave the dial alone, or may move it again."""
        self.session.editor.locked ^= {self.path}
        says = (
            "is never moved by offshoots"
            if self.path in self.session.editor.locked
            else "may be moved by offshoots again"
        )
        self.session.say(f"{self.session.editor.label_of(self.path)} {says}.")

    def menu(self) -> QMenu:
        """Type, reset, threads, copy and paste."""
        menu = QMenu(self)
        menu.addAction("Type a value…", self.type_value)
        default = default_at(self.session.patch, self.path)
        menu.addAction(f"Reset to {self.param.write(default)}", self.reset)
        if self.param.beats:
            if isinstance(self._value, Beats):
                seconds = self.param.resolve(self._value, float(self.session.patch.tempo))
                menu.addAction("Count in seconds or hertz", lambda: self.session.editor.set(self.path, seconds))
            else:
                menu.addAction("Count in beats", self._to_beats)
        menu.addSeparator()
        if self.param.movable:
            menu.addAction("Sew a thread…", self.type_thread)
            for key, thread in self._threads.items():
                depth = depth_of(self.session.patch, thread).unit.write_signed(float(thread.depth))
                menu.addAction(f"{tag_text(thread.source)}  {depth} …", lambda k=key: self.type_depth(k))
        menu.addSeparator()
        menu.addAction("Learn a controller…", lambda: self.session.control.learn(self.path))
        for name in self.session.control.names_of(self.path):
            menu.addAction(f"Let go of {name}", lambda n=name: self.session.control.forget(n))
        locked = menu.addAction("Never moved by offshoots", self._lock)
        locked.setCheckable(True)
        locked.setChecked(self.path in self.session.editor.locked)
        menu.addSeparator()
        menu.addAction("Copy value", self._copy)
        paste = menu.addAction("Paste value", self._paste)
        paste.setEnabled(bool(QGuiApplication.clipboard().text()))
        return menu

    def _copy(self) -> None:
        """Text for other programs, and the value to its last digit for dials of the same unit."""
        data = QMimeData()
        data.setText(self.param.write(self._value))
        if not isinstance(self._value, str):
            exact = repr(self._value.count if isinstance(self._value, Beats) else self._value)
            what = "beats" if isinstance(self._value, Beats) else self.param.unit.name
            data.setData(VALUE_MIME, f"{what}/{exact}".encode())
        QGuiApplication.clipboard().setMimeData(data)

    def _pasted(self) -> Value:
        data = QGuiApplication.clipboard().mimeData()
        what, _, exact = bytes(data.data(VALUE_MIME).data()).decode("utf-8", "replace").partition("/")
        with contextlib.suppress(ValueError):  # not ours, or beyond this dial: the text tells
            if what == "beats" and self.param.beats:
                return self.param.check(Beats(float(exact)))
            if what == self.param.unit.name:
                return self.param.check(float(exact))
        return read_at(self.session.patch, self.path, QGuiApplication.clipboard().text())

    def _paste(self) -> None:
        try:
            self.session.editor.set(self.path, self._pasted())
        except FeltDialError as wrong:
            self.session.say(f"Not pasted: {wrong}", problem=True)

    def _to_beats(self) -> None:
        """The note length that comes nearest."""
        assert not isinstance(self._value, Beats)
        wanted = self.param.in_beats(float(self._value), self.session.patch.number("tempo")).count
        nearest = min(DIVISIONS.values(), key=lambda count: abs(math.log(count / wanted)))
        self.session.editor.set(self.path, Beats(nearest))

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.session.editor.focus(self.path)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.session.editor.history.settle()
        self.update()

    def enterEvent(self, event: QEnterEvent) -> None:
        self._hover = True
        self.update()

    def leaveEvent(self, event: object) -> None:
        self._hover = False
        self.update()


class UpAndDown(ParamControl):
    """One that is turned by a drag up and down, finely with Shift."""

    def __init__(self, session: Session, path: str, owner_dye: str, label: str = "") -> None:
        super().__init__(session, path, owner_dye, label)
        self._drag_from: tuple[float, float] | None = None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.session.editor.history.settle()
            self._drag_from = (event.globalPosition().y(), self.place_of(self._value))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag_from is None:
            return
        y, place = self._drag_from
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        way = (y - event.globalPosition().y()) / (DRAG_PIXELS * (8 if fine else 1))
        place = min(max(place + way, 0.0), 1.0)
        self._drag_from = (event.globalPosition().y(), place)
        self.set_place(place)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag_from is not None:
            self._drag_from = None
            self.session.editor.history.settle()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._drag_from = None
        if self.value_box().contains(event.position().toPoint()):
            self.type_value()
        else:
            self.reset()
