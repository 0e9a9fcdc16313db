"""What is under a hand stays there: a page is laid out anew once the hand lets go."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtWidgets import QApplication, QWidget

from felt_dial.ui.dials.param_control import ParamControl


class UnderHand(QObject):
    """Lays out a part of the window anew where a value asks for other dials.

    It waits while a button is held, and leaves the focus on the dial that had it.
    """

    def __init__(self, top: QWidget, due: Callable[[], bool], lay: Callable[[], None]) -> None:
        super().__init__(top)
        self.top, self.due, self.lay = top, due, lay
        self._later = QTimer(self, singleShot=True, interval=40)
        self._later.timeout.connect(self.follow)

    def follow(self) -> bool:
        """Lays out anew where that is due and no button is held; True where it was, or will be."""
        if not self.due():
            return False
        if QApplication.mouseButtons() != Qt.MouseButton.NoButton:
            self._later.start()
            return True
        focus = QApplication.focusWidget()
        path = focus.path if isinstance(focus, ParamControl) and self.top.isAncestorOf(focus) else ""
        self.lay()
        if path:
            give_focus(self.top, path)
        return True


def give_focus(top: QWidget, path: str) -> None:
    """Gives the focus to the first dial at a path that stays; what was taken out of a layout is there for a moment more."""
    for dial in top.findChildren(ParamControl):
        if dial.path == path and not _goes(dial, top):
            dial.setFocus()
            return


def _goes(widget: QWidget, top: QWidget) -> bool:
    """It, or what it stands in, was put away; what was never shown yet is on its way to be."""
    at: QWidget | None = widget
    while at is not None and at is not top:
        if at.isHidden() and at.testAttribute(Qt.WidgetAttribute.WA_WState_ExplicitShowHide):
            return True
        at = at.parentWidget()
    return False
