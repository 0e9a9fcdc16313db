"""Who has the focus next: what takes it in a part of the window, in the order in which it stands there."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QWidget


def in_turn(top: QWidget) -> list[QWidget]:
    """A widget, where it takes the focus, and what takes it inside, in the order of the Tab key."""
    found, window, at = [], top.window(), top
    for _ in range(100_000):  # the chain is a ring
        takes = at.focusPolicy().value & Qt.FocusPolicy.TabFocus.value
        inside = at is top or top.isAncestorOf(at)
        if takes and at is not window and inside and at.isVisibleTo(window) and at.isEnabled():
            found.append(at)
        following = at.nextInFocusChain()
        if following is None or following is top:
            break
        at = following
    return found


def give_next(order: list[QWidget], now: QWidget | None, forth: bool) -> bool:
    """Gives the focus to the next in an order, or the one before; after the last comes the first."""
    if not order:
        return False
    at = order.index(now) if now in order else -1 if forth else 0
    reason = Qt.FocusReason.TabFocusReason if forth else Qt.FocusReason.BacktabFocusReason
    order[(at + (1 if forth else -1)) % len(order)].setFocus(reason)
    return True


def take_what_is_written(top: QWidget) -> None:
    """Ends what is being written in a part of the window, which is then about something else: it is taken as if one left it."""
    now = QApplication.focusWidget()
    if now is not None and (now is top or top.isAncestorOf(now)):
        now.clearFocus()


def let_go_of_focus(top: QWidget) -> None:
    """A part of the window is about to go: where it has the focus, nothing has, rather than the next button, which Return would
    press."""
    now = QApplication.focusWidget()
    if now is not None and (now is top or top.isAncestorOf(now)):
        top.window().setFocus()
