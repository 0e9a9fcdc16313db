"""What the inspector shows for a macro: its range and default, a word to the musician, and trying it out."""

from __future__ import annotations

import random
import time
from collections.abc import Callable

from PySide6.QtGui import QHideEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QMenu, QVBoxLayout, QWidget

from felt_dial.patch.edits import shake
from felt_dial.patch.patch import put, with_value
from felt_dial.session.session import Session
from felt_dial.session.topics import Frame
from felt_dial.ui.dials.controls import Lines, Pill, open_menu, text_label

TRAVEL = 4.0
"""Seconds in which a macro that is tried out travels from 0 to 1 and back."""


class Travel:
    """Lets one macro travel 0 → 1 → 0 in the engine alone; the patch on the table stays as it is."""

    def __init__(self, session: Session, key: str, told: Callable[[str], None]) -> None:
        self.session, self.key, self.told = session, key, told
        self.started_phrase = not session.transport.playing
        self.began = time.monotonic()
        if self.started_phrase:
            session.transport.play(True)
        session.channel.watch(self._go, Frame)

    def _go(self) -> None:
        part = (time.monotonic() - self.began) / TRAVEL
        if part >= 1.0 or self.key not in self.session.patch.macros:
            self.stop()
            return
        value = 1.0 - abs(2.0 * part - 1.0)
        self.session.link.show(with_value(self.session.patch, f"macros.{self.key}", value), carry=True)
        self.told(f"Trying it: {value * 100:.0f} %")

    def stop(self) -> None:
        """Ends it: the patch sounds as it stands."""
        self.session.channel.leave(self._go, Frame)
        self.session.link.show(self.session.patch, carry=True)
        if self.started_phrase and self.session.transport.playing:
            self.session.transport.play(False)
        self.told("")


class MacroPart(QWidget):
    """All of a macro but its name and its list of threads."""

    def __init__(self, session: Session, key: str, grid: Callable[[list[str], str, int], QGridLayout]) -> None:
        super().__init__()
        self.session, self.key = session, key
        self.travel: Travel | None = None
        body = QVBoxLayout(self)
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(5)
        says = "What it does to the sound, for the musician"
        self.description = Lines("Description", says, 48, self._describe)
        self.description.show_text(session.patch.macros[key].description)
        self.description.follow(
            session.channel.watch, lambda: getattr(session.patch.macros.get(key), "description", None)
        )
        body.addWidget(self.description)
        paths = [f"macros.{key}", *(f"macros.{key}.{name}" for name in ("low", "high", "default"))]
        body.addLayout(grid(paths, "walnut", 5))
        row = QHBoxLayout()
        self.try_it = Pill("Try it", "pill", self.toggle, "Plays the phrase while the macro goes to its end and back")
        row.addWidget(self.try_it)
        row.addWidget(Pill("Shake…", "pill", self._menu, "Other depths on its threads, by chance, within bounds"))
        row.addWidget(
            Pill("Learn…", "pill", lambda: session.control.learn(f"macros.{key}"), "Let a controller turn it")
        )
        self.said = text_label("", "small")
        row.addWidget(self.said, 1)
        body.addLayout(row)

    def _describe(self, text: str) -> None:
        macro = self.session.patch.macros[self.key]
        fresh = macro.model_copy(update={"description": text})
        self.session.editor.edit(put(self.session.patch, ["macros", self.key], fresh), f"describe macro {self.key[1:]}")

    def toggle(self) -> None:
        """Begins to try it, or ends that."""
        if self.travel is not None:
            self.travel.stop()
        else:
            self.travel = Travel(self.session, self.key, self._told)
            self.try_it.setText("Stop")

    def _told(self, text: str) -> None:
        self.said.setText(text)
        if not text:
            self.travel = None
            self.try_it.setText("Try it")

    def hideEvent(self, event: QHideEvent) -> None:
        if self.travel is not None:
            self.travel.stop()
        super().hideEvent(event)

    def menu(self) -> QMenu:
        """How far the depths may be shaken."""
        menu = QMenu(self)
        for name, strength in (
            ("A little: within 10 % of the dials", 0.1),
            ("Within a third", 0.33),
            ("Anywhere", 1.0),
        ):
            menu.addAction(name, lambda s=strength: self.shake(s))
        return menu

    def _menu(self) -> None:
        open_menu(self.menu(), self)

    def shake(self, strength: float) -> None:
        """Other depths by chance; undo brings the old ones back."""
        patch = shake(self.session.patch, self.key, strength, random.randrange(1 << 30))
        self.session.editor.edit(patch, f"shake the threads of macro {self.key[1:]}")
