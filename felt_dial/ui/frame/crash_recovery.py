"""Unsaved work that windows which have ended left behind: offered until it is taken up or thrown away."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QObject, QPoint, QTimer
from PySide6.QtWidgets import QMenu

from felt_dial.bank.library.journal import LeftBehind
from felt_dial.errors import FeltDialError
from felt_dial.session.session import Session
from felt_dial.ui.frame.said import Said
from felt_dial.ui.theme.words import item


class CrashRecovery(QObject):
    """Offers it in the line above the strip."""

    def __init__(self, parent: QObject, session: Session, said: Said) -> None:
        super().__init__(parent)
        self.session, self.said = session, said

    def offer(self, left: list[LeftBehind]) -> None:
        """Offers unsaved work that windows which have ended left behind; it stays there until this is answered."""
        if not left:
            return
        first = left[0].work.patch.name
        answers: list[tuple[str, Callable[[], object]]]
        if len(left) == 1:
            answers = [("Open it", partial(self.take_up, left[0])), ("Discard", partial(self.throw_away, left))]
            self.said.say(
                f"“{first}” was not saved when its window closed ({left[0].when:%d %b, %H:%M}).", False, answers
            )
            return
        names = ", ".join(f"“{one.work.patch.name}”" for one in left[:3]) + (" …" if len(left) > 3 else "")
        answers = [("Look at them…", partial(self.show_left, left)), ("Discard all", partial(self.throw_away, left))]
        self.said.say(f"{len(left)} sounds were not saved when their windows closed: {names}", False, answers)

    def show_left(self, left: list[LeftBehind]) -> QMenu:
        """The list of unsaved work, each to be taken up or thrown away."""
        menu = QMenu(self.said)
        for one in left:
            part = menu.addMenu(item(f"{one.work.patch.name}, {one.when:%d %b, %H:%M}"))
            part.addAction("Open it", partial(self.take_up, one))
            part.addAction("Discard", partial(self.throw_away, [one]))
        menu.aboutToHide.connect(lambda: QTimer.singleShot(0, self, self._offer_again))
        menu.popup(self.said.mapToGlobal(QPoint(0, -menu.sizeHint().height())))
        return menu

    def _offer_again(self) -> None:
        """What was not answered is still offered."""
        self.offer(self.session.journal.left_behind())

    def take_up(self, one: LeftBehind) -> None:
        """Lays unsaved work on the table, and offers what is left."""
        self.session.presets.take_up(one)
        self._offer_again()

    def throw_away(self, those: list[LeftBehind]) -> None:
        """Lets go of unsaved work, and offers what is left."""
        for one in those:
            try:
                self.session.journal.throw_away(one)
            except FeltDialError as wrong:
                self.session.say(str(wrong), problem=True)
                return
        self._offer_again()
