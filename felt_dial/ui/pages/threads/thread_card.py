"""All of one thread: its shape, how far, how it reads its mover, what scales it, and what else meets on its dial."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QVBoxLayout, QWidget

from felt_dial.errors import FeltDialError
from felt_dial.patch.edits import place_name, set_thread, sew, threads_on
from felt_dial.patch.params import Choice, Param
from felt_dial.patch.patch import Patch, depth_of, movers, slots, target_param
from felt_dial.patch.reach import reach_of_all
from felt_dial.session.session import Session
from felt_dial.ui.dials.cards import Card
from felt_dial.ui.dials.controls import Elided, Pill, open_menu, set_part, set_text, text_label
from felt_dial.ui.dials.dial import Dial
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.dials.param_control import ParamControl
from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.dials.scrolling import Scroller
from felt_dial.ui.dials.tag import Tag, mover_dye, tag_text
from felt_dial.ui.inspector.modulator import DrawingTools
from felt_dial.ui.pages.threads.thread_table import ThreadView
from felt_dial.ui.pictures.drawn_lines import LineEditor
from felt_dial.ui.theme.felt import SewnLine
from felt_dial.ui.theme.words import item

WIDTH = 342


class ThreadCard(Card):
    """The chosen thread."""

    def __init__(self, session: Session, view: ThreadView) -> None:
        super().__init__()
        self.session, self.view = session, view
        self.key = ""
        self._laid_out_for: tuple[Any, ...] = ()
        self.reaches: QLabel | None = None
        self.setFixedWidth(WIDTH)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(4, 8, 4, 6)
        body = QWidget()
        self.body = QVBoxLayout(body)
        self.body.setContentsMargins(10, 2, 8, 2)
        self.body.setSpacing(6)
        outer.addWidget(Scroller(body))

    def show_thread(self, key: str) -> None:
        """Shows another thread, or none."""
        self.key = key
        self.follow()

    def follow(self) -> None:
        """Lays the card out anew where something else than a value changed."""
        patch = self.session.patch
        thread = patch.threads.get(self.key)
        where = thread and (thread.source, thread.target, thread.scaled, thread.by, thread.reading, thread.on)
        others = [(k, t.depth, t.on) for k, t in threads_on(patch, thread.target).items()] if thread else []
        wanted = (self.key, where, others, movers(patch))
        focus = self.window().focusWidget() if self.window() else None
        turned = isinstance(focus, ParamControl) and self.isAncestorOf(focus) and self._laid_out_for[:2] == wanted[:2]
        if wanted == self._laid_out_for or (turned and thread):
            self._tell_reach()
            return
        self._laid_out_for = wanted
        self.reaches = None
        clear(self.body)
        if thread is not None:
            self._lay_out(patch)
        else:
            self.body.addWidget(text_label("No thread is chosen.", "small"))
        self.body.addStretch()
        self.update()

    def _lay_out(self, patch: Patch) -> None:
        thread, path = patch.threads[self.key], f"threads.{self.key}"
        self.shade = mover_dye(patch, thread.source)
        head = QHBoxLayout()
        head.addWidget(Tag(self.session, thread.source, 13))
        for part, text, share in (
            ("title", movers(patch)[thread.source], 0),
            ("label", "moves " + " ".join(place_name(patch, thread.target)), 1),
        ):
            label = Elided(part, 60)
            label.say(text)
            head.addWidget(label, share)
        self.body.addLayout(head)
        line = LineEditor(self.session, f"{path}.shape", self.shade)
        line.setAccessibleName("Shape of the thread")
        line.setToolTip(f"{tag_text(thread.source)} goes across, what the thread does goes up. {line.toolTip()}")
        line.setFixedHeight(150)
        self.body.addWidget(line)
        self.body.addWidget(DrawingTools(self.session, f"{path}.shape", straight=()))
        dials = QHBoxLayout()
        for name in ("depth", "smooth", "delay"):
            dials.addWidget(Dial(self.session, f"{path}.{name}", self.shade, 20))
        self.body.addLayout(dials)
        self._pills(path, "reading")
        if target_param(patch, thread.target).unit.geometric:
            self._pills(path, "by")
        row = QHBoxLayout()
        row.addWidget(text_label("Scaled by"))
        box = Picker()
        box.setAccessibleName("Scaled by")
        box.addItem("nothing", "")
        for key, name in movers(patch).items():
            box.addItem(f"{tag_text(key)} {name}", key)
        box.setCurrentIndex(box.findData(thread.scaled))
        box.activated.connect(lambda n: self._change(scaled=box.itemData(n)))
        row.addWidget(box, 1)
        self.body.addLayout(row)
        self.body.addWidget(SewnLine())
        self._meeting()
        buttons = QHBoxLayout()
        buttons.setSpacing(5)
        state = "Bypass" if thread.on else "Let it move"
        buttons.addWidget(Pill(state, "pill", self.view.switch_chosen, "Bypass this thread: Ctrl+B in the table"))
        buttons.addWidget(Pill("Copy to…", "pill", self._menu, "Sew the same thread to another dial"))
        buttons.addWidget(Pill("Cut", "pill", self.view.cut_chosen, "Cut this thread: Delete in the table"))
        buttons.addStretch()
        self.body.addLayout(buttons)

    def _meeting(self) -> None:
        """What else moves the same dial, and where all of it reaches together."""
        patch = self.session.patch
        target = patch.threads[self.key].target
        others = {k: t for k, t in threads_on(patch, target).items() if k != self.key}
        if others:
            self.body.addWidget(text_label(f"Also on {' '.join(place_name(patch, target))}"))
            row = QHBoxLayout()
            for other in list(others.values())[:4]:
                row.addWidget(Tag(self.session, other.source, 10, carried=False))
                row.addWidget(text_label(depth_of(patch, other).unit.write_signed(float(other.depth)), "value"))
            row.addStretch()
            self.body.addLayout(row)
        self.reaches = text_label("", "small")
        self.body.addWidget(self.reaches)
        self._tell_reach()

    def _tell_reach(self) -> None:
        """Where everything on the dial reaches, in a sentence."""
        patch, thread = self.session.patch, self.session.patch.threads.get(self.key)
        if thread is None or self.reaches is None:
            return
        low, high, stopped = reach_of_all(patch, thread.target)
        param, several = target_param(patch, thread.target), len(threads_on(patch, thread.target)) > 1
        ends = (
            f"{'Together they reach' if several else 'It reaches'} {param.unit.write(low)} … {param.unit.write(high)}"
        )
        if stopped:
            both = low <= param.low and high >= param.high
            at = "both ends" if both else "the top" if high >= param.high else "the bottom"
            ends += f", and {'stop' if several else 'stops'} at {at}"
        set_text(self.reaches, f"{ends}.")
        set_part(self.reaches, "small problem" if stopped else "small")

    def _pills(self, path: str, name: str) -> None:
        thread = self.session.patch.threads[self.key]
        choice = type(thread).params[name]
        assert isinstance(choice, Choice)
        row = QHBoxLayout()
        row.setSpacing(5)
        label = text_label(choice.label)
        label.setMinimumWidth(52)
        row.addWidget(label)
        for key, text in choice.options.items():
            pill = Pill(text, "pill", partial(self._change, **{name: key}), choice.says)
            pill.setCheckable(True)
            pill.setChecked(thread.get(name) == key)
            row.addWidget(pill)
        row.addStretch()
        self.body.addLayout(row)

    def _change(self, **changes: object) -> None:
        if self.key not in self.session.patch.threads:
            self.follow()
            return
        source = tag_text(self.session.patch.threads[self.key].source)
        says = f"thread of {source}: {', '.join(map(str, changes.values())) or 'nothing'}"
        self.session.editor.try_edit(lambda: set_thread(self.session.patch, self.key, **changes), says)
        self._laid_out_for = ()
        self.follow()

    def menu(self) -> QMenu:
        """Every dial of the same sort, to copy the thread to."""
        menu = QMenu(self)
        patch = self.session.patch
        thread = patch.threads[self.key]
        unit = target_param(patch, thread.target).unit
        for slot in slots(patch):
            if isinstance(slot.param, Param) and slot.param.movable and slot.param.unit is unit:
                taken = any(t.source == thread.source for t in threads_on(patch, slot.path).values())
                if slot.path != thread.target and not taken:
                    menu.addAction(item(" ".join(place_name(patch, slot.path))), lambda p=slot.path: self.copy_to(p))
        return menu

    def _menu(self) -> None:
        open_menu(self.menu(), self)

    def copy_to(self, path: str) -> None:
        """The same thread on another dial."""
        patch = self.session.patch
        thread = patch.threads[self.key]
        same = {name: thread.get(name) for name in ("reading", "smooth", "delay", "shape")} | {"scaled": thread.scaled}
        try:
            fresh, key = sew(patch, thread.source, path, float(thread.depth), str(thread.by))
            fresh = set_thread(fresh, key, **same)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        self.session.editor.edit(
            fresh, f"copy a thread of {tag_text(thread.source)} to {self.session.editor.label_of(path)}"
        )
        self.view.choose(key)
