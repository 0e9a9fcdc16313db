"""Pictures that have another size are drawn anew a few at a time, so that laying out a page does not wait for all of them."""

from __future__ import annotations

import functools
from time import perf_counter
from typing import Protocol

from PySide6.QtCore import QObject, QTimer
from shiboken6 import isValid

EVERY, FOR = 12, 0.005
"""Milliseconds between two goes, and the seconds after which one takes no further picture."""


class Redrawn(Protocol):
    """A picture that can be made again."""

    def redraw(self) -> None:
        """Makes the picture for the size it has, and has it painted."""


@functools.cache
def redrawing() -> Redrawing:
    """The one line in which pictures of all windows wait."""
    return Redrawing()


class Redrawing(QObject):
    """Those that wait to be drawn for their size; until then they show what they had, stretched."""

    def __init__(self) -> None:
        super().__init__()
        self._waiting: dict[Redrawn, None] = {}
        self._timer = QTimer(self, interval=EVERY)
        self._timer.timeout.connect(self._go)

    def ask(self, picture: Redrawn) -> None:
        """One more that waits."""
        self._waiting[picture] = None
        if not self._timer.isActive():
            self._timer.start()

    @property
    def busy(self) -> bool:
        """True while a picture waits."""
        return bool(self._waiting)

    def _go(self) -> None:
        begin = perf_counter()
        while self._waiting and perf_counter() - begin < FOR:
            picture = next(iter(self._waiting))
            del self._waiting[picture]
            if isValid(picture):
                picture.redraw()
        if not self._waiting:
            self._timer.stop()
