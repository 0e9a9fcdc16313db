"""A list of threads: on one dial, or from one mover; each can be typed, bypassed, cut and listed earlier."""

from __future__ import annotations

from PySide6.QtCore import QRect
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from felt_dial.patch.edits import cut, move_thread, place_name, reach, set_thread
from felt_dial.patch.patch import depth_of, read_depth, target_param
from felt_dial.ui.dials.clearing import clear
from felt_dial.ui.dials.controls import Pill, text_label
from felt_dial.ui.dials.entry import Entry
from felt_dial.ui.dials.tag import Tag, tag_text
from felt_dial.ui.session import Session


class DepthPill(Pill):
    """The depth of a thread; a click opens it to be typed."""

    def __init__(self, session: Session, key: str) -> None:
        self.session, self.key = session, key
        thread = session.patch.threads[key]
        super().__init__(
            depth_of(session.patch, thread).unit.write_signed(float(thread.depth)), "link", self.type_depth
        )
        self.setAccessibleName("How far")
        self.setToolTip("How far the thread moves its dial: click to type")
        self.entry: Entry | None = None

    def type_depth(self) -> None:
        """Opens the entry over the depth."""
        place = QRect(0, 0, self.width(), self.height())
        self.entry = Entry(self, place, self.text(), self.take, "How far")

    def take(self, text: str) -> None:
        """Takes what was typed; raises `NotReadable` or `OutOfRange`."""
        patch = self.session.patch
        by, depth = read_depth(target_param(patch, patch.threads[self.key].target), text)
        source = tag_text(patch.threads[self.key].source)
        self.session.edit(set_thread(patch, self.key, by=by, depth=depth), f"thread of {source} to {text.strip()}")


class ThreadList(QWidget):
    """The threads on one dial, or those that start at one mover; each can be typed, switched and cut."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setProperty("kept", True)
        self._shown: object = None
        self.layout_ = QVBoxLayout(self)
        self.layout_.setContentsMargins(0, 0, 0, 0)
        self.layout_.setSpacing(2)

    def show_threads(self, title: str, keys: list[str], by_target: bool) -> None:
        """Shows some threads: by what they move, or by what moves."""
        patch = self.session.patch
        shown = (title, by_target, [(key, patch.threads[key], reach(patch, patch.threads[key])) for key in keys])
        if shown == self._shown:
            return
        self._shown = shown
        clear(self.layout_)
        self.layout_.addWidget(text_label(title))
        for key in keys:
            thread = patch.threads[key]
            param = target_param(patch, thread.target)
            row = QHBoxLayout()
            row.setSpacing(6)
            if by_target:
                where, label = place_name(patch, thread.target)
                name = text_label(f"{where} {label}", "value")
            else:
                row.addWidget(Tag(self.session, thread.source, 10, carried=False))
                name = text_label(tag_text(thread.source), "value")
                name.hide()
            row.addWidget(name)
            row.addWidget(DepthPill(self.session, key))
            low, high, stopped = reach(patch, thread)
            way = text_label(f"{param.unit.write(low)} → {param.unit.write(high)}", "problem" if stopped else "small")
            way.setToolTip("Stops at the end of the range" if stopped else "From where to where it reaches")
            row.addWidget(way, 1)
            state = Pill("On" if thread.on else "Off", "small", lambda k=key: self._switch(k), "Bypass this thread")
            row.addWidget(state)
            row.addWidget(Pill("Cut", "link", lambda k=key: self._cut(k), "Cut this thread"))
            if by_target and key != keys[0]:
                above = keys[keys.index(key) - 1]
                row.addWidget(Pill("Up", "link", lambda k=key, a=above: self._up(k, a), "List it before the one above"))
            self.layout_.addLayout(row)
        if not keys:
            self.layout_.addWidget(text_label(self._nothing(title, by_target), "small"))

    def _nothing(self, title: str, by_target: bool) -> str:
        if not by_target:
            return "nothing moves it"
        return "moves nothing yet: drag its tag onto a dial" if title.endswith("moves") else "and nothing else"

    def _switch(self, key: str) -> None:
        thread = self.session.patch.threads[key]
        self.session.set(f"threads.{key}.on", not thread.on)

    def _up(self, key: str, above: str) -> None:
        self.session.edit(move_thread(self.session.patch, key, above), "list a thread earlier")

    def _cut(self, key: str) -> None:
        source = tag_text(self.session.patch.threads[key].source)
        self.session.edit(cut(self.session.patch, key), f"cut a thread of {source}")
