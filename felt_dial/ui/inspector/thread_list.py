"""A list of threads: on one dial, or from one mover; each can be typed, bypassed, cut and listed earlier."""

from __future__ import annotations

from PySide6.QtCore import QRect, Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from felt_dial.patch.edits import cut, move_thread, place_name, set_thread, threads_on
from felt_dial.patch.params import Param
from felt_dial.patch.parts import read_depth
from felt_dial.patch.patch import depth_of, param_at, path_exists, target_param
from felt_dial.patch.reach import reach
from felt_dial.session.session import Session
from felt_dial.ui.dials.controls import Elided, Pill, set_part, set_text, text_label
from felt_dial.ui.dials.entry import Entry
from felt_dial.ui.dials.focus import let_go_of_focus
from felt_dial.ui.dials.tag import Tag, tag_text
from felt_dial.ui.theme.words import plain


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
        self.session.editor.edit(
            set_thread(patch, self.key, by=by, depth=depth), f"thread of {source} to {text.strip()}"
        )


class ThreadRow(QWidget):
    """One thread in a list: what moves, or what is moved, or both; how far, from where to where, what can be done with it.

    `ends` says which of its ends are named: where it comes `from`, where it goes `to`, or `both`.
    """

    def __init__(self, session: Session, key: str) -> None:
        super().__init__()
        self.session, self.key = session, key
        self._above = self._below = ""
        self.tag = Tag(session, session.patch.threads[key].source, 10, carried=False)
        self.name = Elided("value", 70)
        self.far = DepthPill(session, key)
        self.way = Elided("small", 44)
        self.state = Pill("On", "small", self._switch, "Bypass this thread")
        self.cut = Pill("Cut", "link", self._cut, "Cut this thread")
        self.up = Pill("Up", "link", lambda: self._list_before(self.key, self._above), "List it before the one above")
        self.down = Pill(
            "Down", "link", lambda: self._list_before(self._below, self.key), "List it after the one below"
        )
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        for widget in (self.tag, self.name, self.far, self.way, self.state, self.cut, self.up, self.down):
            row.addWidget(widget, 1 if widget is self.way else 0)

    def show_thread(self, key: str, ends: str, above: str, below: str) -> None:
        """Shows a thread, which stands between two others in a list whose order counts, else between none."""
        self.key = self.far.key = key
        self._above, self._below = above, below
        self.tag.setVisible(ends != "to")
        self.tag.turn_to(self.session.patch.threads[key].source)
        self.name.setVisible(ends != "from")
        for pill, other in ((self.up, above), (self.down, below)):
            pill.setVisible(bool(above or below))
            pill.setEnabled(bool(other))
        self.follow()

    def follow(self) -> None:
        """Shows the thread as it is; what does not change is left alone."""
        patch = self.session.patch
        thread = patch.threads[self.key]
        param = target_param(patch, thread.target)
        self.name.say(" ".join(place_name(patch, thread.target)))
        low, high, stopped = reach(patch, thread)
        ends = "stops at the end of the range" if stopped else "from where to where it reaches"
        way = f"{param.unit.write(low)} → {param.unit.write(high)}"
        self.way.say(way, f"{way}: {ends}")
        set_part(self.way, "small problem" if stopped else "small")
        set_text(self.state, "On" if thread.on else "Off")
        self.far.follow()

    def _switch(self) -> None:
        self.session.editor.set(f"threads.{self.key}.on", not self.session.patch.threads[self.key].on)

    def _list_before(self, key: str, other: str) -> None:
        self.session.editor.edit(move_thread(self.session.patch, key, other), "list a thread elsewhere")

    def _cut(self) -> None:
        source = tag_text(self.session.patch.threads[self.key].source)
        self.session.editor.edit(cut(self.session.patch, self.key), f"cut a thread of {source}")


MOST_SPARE = 16
"""Rows that are kept while fewer threads are listed."""


class ThreadList(QWidget):
    """The threads on one dial, or those that start at one mover; each can be typed, switched and cut."""

    all_asked = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setProperty("kept", True)
        self._laid: object = None
        self._rows: list[ThreadRow] = []
        self._spare: list[ThreadRow] = []
        self.title, self.nothing = text_label(""), text_label("", "small")
        self.all = Pill("", "link", self.all_asked.emit)
        head = QHBoxLayout()
        head.addWidget(self.title)
        head.addStretch()
        head.addWidget(self.all)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(2)
        self.column.addLayout(head)
        self.column.addWidget(self.nothing)

    def show_threads(self, title: str, keys: list[str], ends: str, all_of: str = "") -> None:
        """Shows some threads, with the ends that are not the same in all: rows that are there already follow.

        With `all_of` there is a link that asks for all the threads of what it names.
        """
        laid = (title, ends, all_of, [(key, self.session.patch.threads[key].source) for key in keys])
        if laid == self._laid:
            for row in self._rows:
                row.follow()
            return
        self._laid = laid
        set_text(self.title, title)
        set_text(self.all, f"All of {all_of}")
        self.all.setAccessibleName(self.all.text())
        self.all.setToolTip(plain(f"List every thread on {all_of}"))
        self.all.setVisible(bool(all_of))
        set_text(self.nothing, self._nothing(title, ends))
        self.nothing.setVisible(not keys)
        self._have_rows(keys)
        ordered = keys if ends == "to" else []
        for n, (key, row) in enumerate(zip(keys, self._rows, strict=True)):
            row.show_thread(key, ends, *(ordered[m] if 0 <= m < len(ordered) else "" for m in (n - 1, n + 1)))

    def _have_rows(self, keys: list[str]) -> None:
        """As many rows as there are threads: what is left over is kept for others, unless it is much."""
        while len(self._rows) > len(keys):
            row = self._rows.pop()
            let_go_of_focus(row)
            row.hide()
            if len(self._spare) < MOST_SPARE:
                self._spare.append(row)
            else:
                self.column.removeWidget(row)
                row.deleteLater()
        for key in keys[len(self._rows) :]:
            if self._spare:
                row = self._spare.pop()
                row.show()
            else:
                row = ThreadRow(self.session, key)
                self.column.addWidget(row)
            self._rows.append(row)

    def show_on(self, name: str, owners: list[str], path: str) -> None:
        """Shows the threads on the dial in focus, where its path begins as one of the owners does; else all on these."""
        patch = self.session.patch
        known = path.startswith(tuple(owners)) and path_exists(patch, path)
        param = param_at(patch, path) if known else None
        if isinstance(param, Param) and param.movable:
            self.show_threads(
                f"Threads on {self.session.editor.label_of(path)}", list(threads_on(patch, path)), "from", name
            )
            return
        listed = [k for k, thread in patch.threads.items() if thread.target.startswith(tuple(owners))]
        self.show_threads(f"All threads on {name}", listed, "both")

    def _nothing(self, title: str, ends: str) -> str:
        if ends != "to":
            return "nothing moves it"
        return "moves nothing yet: drag its tag onto a dial" if title.endswith("moves") else "and nothing else"
