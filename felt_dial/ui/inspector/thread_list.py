"""A list of threads: on one dial, or from one mover; each can be typed, bypassed, cut and listed earlier."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QRect, Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from felt_dial.patch.edits import cut, move_thread, place_name, set_thread, threads_on
from felt_dial.patch.params import Param
from felt_dial.patch.parts import read_depth
from felt_dial.patch.patch import depth_of, param_at, path_exists, target_param
from felt_dial.patch.reach import reach
from felt_dial.ui.dials.controls import Pill, set_part, set_text, text_label
from felt_dial.ui.dials.entry import Entry
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.dials.tag import Tag, tag_text
from felt_dial.ui.session import Session


class DepthPill(Pill):
    """The depth of a thread; a click opens it to be typed."""

    def __init__(self, session: Session, key: str) -> None:
        self.session, self.key = session, key
        super().__init__("", "link", self.type_depth)
        self.follow()
        self.setAccessibleName("How far")
        self.setToolTip("How far the thread moves its dial: click to type")
        self.entry: Entry | None = None

    def follow(self) -> None:
        """Shows the depth as it is."""
        thread = self.session.patch.threads[self.key]
        set_text(self, depth_of(self.session.patch, thread).unit.write_signed(float(thread.depth)))

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


class ThreadRow(QHBoxLayout):
    """One thread in a list: what moves, or what is moved, or both; how far, from where to where, what can be done with it.

    `ends` says which of its ends are named: where it comes `from`, where it goes `to`, or `both`.
    """

    def __init__(self, session: Session, key: str, ends: str) -> None:
        super().__init__()
        self.session, self.key = session, key
        self.setSpacing(6)
        thread = session.patch.threads[key]
        if ends != "to":
            self.addWidget(Tag(session, thread.source, 10, carried=False))
        self.name = text_label("", "value")
        if ends == "from":
            self.name.hide()
        self.depth = DepthPill(session, key)
        self.way = text_label("", "small")
        self.state = Pill("On", "small", self._switch, "Bypass this thread")
        self.addWidget(self.name)
        self.addWidget(self.depth)
        self.addWidget(self.way, 1)
        self.addWidget(self.state)
        self.follow()

    def follow(self) -> None:
        """Shows the thread as it is; what does not change is left alone."""
        patch = self.session.patch
        thread = patch.threads[self.key]
        param = target_param(patch, thread.target)
        set_text(self.name, " ".join(place_name(patch, thread.target)))
        low, high, stopped = reach(patch, thread)
        set_text(self.way, f"{param.unit.write(low)} → {param.unit.write(high)}")
        set_part(self.way, "small problem" if stopped else "small")
        self.way.setToolTip("Stops at the end of the range" if stopped else "From where to where it reaches")
        set_text(self.state, "On" if thread.on else "Off")
        self.depth.follow()

    def _switch(self) -> None:
        self.session.set(f"threads.{self.key}.on", not self.session.patch.threads[self.key].on)


class ThreadList(QWidget):
    """The threads on one dial, or those that start at one mover; each can be typed, switched and cut."""

    all_asked = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setProperty("kept", True)
        self._laid: object = None
        self._rows: list[ThreadRow] = []
        self.layout_ = QVBoxLayout(self)
        self.layout_.setContentsMargins(0, 0, 0, 0)
        self.layout_.setSpacing(2)

    def show_threads(self, title: str, keys: list[str], ends: str, all_of: str = "") -> None:
        """Shows some threads, with the ends that are not the same in all: rows that are there already follow.

        With `all_of` there is a link that asks for all the threads of what it names.
        """
        laid = (title, ends, all_of, [(key, self.session.patch.threads[key].source) for key in keys])
        if laid == self._laid:
            for row in self._rows:
                row.follow()
            return
        self._laid, self._rows = laid, []
        clear(self.layout_)
        head = QHBoxLayout()
        head.addWidget(text_label(title))
        head.addStretch()
        if all_of:
            head.addWidget(Pill(f"All of {all_of}", "link", self.all_asked.emit, f"List every thread on {all_of}"))
        self.layout_.addLayout(head)
        for at, key in enumerate(keys):
            row = ThreadRow(self.session, key, ends)
            row.addWidget(Pill("Cut", "link", partial(self._cut, key), "Cut this thread"))
            if ends == "to" and len(keys) > 1:
                up = Pill("Up", "link", partial(self._before, key, keys[at - 1]), "List it before the one above")
                up.setEnabled(at > 0)
                down = Pill(
                    "Down",
                    "link",
                    partial(self._before, keys[(at + 1) % len(keys)], key),
                    "List it after the one below",
                )
                down.setEnabled(at < len(keys) - 1)
                row.addWidget(up)
                row.addWidget(down)
            self._rows.append(row)
            self.layout_.addLayout(row)
        if not keys:
            self.layout_.addWidget(text_label(self._nothing(title, ends), "small"))

    def show_on(self, name: str, owners: list[str], path: str) -> None:
        """Shows the threads on the dial in focus, where its path begins as one of the owners does; else all on these."""
        patch = self.session.patch
        known = path.startswith(tuple(owners)) and path_exists(patch, path)
        param = param_at(patch, path) if known else None
        if isinstance(param, Param) and param.movable:
            self.show_threads(f"Threads on {self.session.label_of(path)}", list(threads_on(patch, path)), "from", name)
            return
        listed = [k for k, thread in patch.threads.items() if thread.target.startswith(tuple(owners))]
        self.show_threads(f"All threads on {name}", listed, "both")

    def _nothing(self, title: str, ends: str) -> str:
        if ends != "to":
            return "nothing moves it"
        return "moves nothing yet: drag its tag onto a dial" if title.endswith("moves") else "and nothing else"

    def _before(self, key: str, above: str) -> None:
        self.session.edit(move_thread(self.session.patch, key, above), "list a thread elsewhere")

    def _cut(self, key: str) -> None:
        source = tag_text(self.session.patch.threads[key].source)
        self.session.edit(cut(self.session.patch, key), f"cut a thread of {source}")
