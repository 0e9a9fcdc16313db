"""Autosave: the page of the journal that holds what would be lost with the work on the table."""

from __future__ import annotations

import time

from felt_dial.bank.library.journal import Journal, LeftBehind, Unsaved
from felt_dial.files import CannotWrite
from felt_dial.session.channel import Channel
from felt_dial.session.editor import Editor
from felt_dial.session.topics import Frame, PageLeft, PatchChanged

SOON = 0.8
"""Seconds after the last edit."""


class Autosave:
    """Writes the journal a moment after the last edit, and before other work lies on the table."""

    def __init__(self, channel: Channel, editor: Editor, journal: Journal) -> None:
        self.channel, self.editor, self.journal = channel, editor, journal
        self._due: float | None = None
        self._kept: tuple[str, object] = ("", None)
        channel.watch(self.soon, PatchChanged)
        channel.watch(self._look, Frame)
        channel.watch(self._turn, PageLeft)

    def soon(self) -> None:
        """Has the journal written in a moment, unless more is done until then."""
        self._due = time.monotonic() + SOON

    def write(self) -> None:
        """Keeps what would be lost, and clears its page where nothing would."""
        try:
            self._write_page()
        except CannotWrite as wrong:
            self.channel.say(str(wrong), problem=True)

    def replace(self, left: LeftBehind) -> None:
        """Work that another window left lies on the table: its old page goes once it has a new one."""
        try:
            self._write_page()
            self.journal.throw_away(left)
        except CannotWrite as wrong:
            self.channel.say(str(wrong), problem=True)

    def _look(self) -> None:
        if self._due is not None and time.monotonic() >= self._due:
            self.write()

    def _turn(self) -> None:
        if self._due is not None:
            self.write()

    def _write_page(self) -> None:
        self._due = None
        work = self.editor.work
        now = (work.page, work if work.worth_keeping else None)
        if now == self._kept:
            return
        if work.worth_keeping:
            seen = work.document.seen if work.document else None
            self.journal.write(work.page, Unsaved(work.a, work.b, work.side, work.bank, work.preset, seen))
        else:
            self.journal.clear(work.page)
        self._kept = now
