"""Taking everything out of a layout."""

from __future__ import annotations

from PySide6.QtWidgets import QApplication, QLayout


def clear(layout: QLayout) -> None:
    """Removes everything from a layout; a widget with the property `kept` is only taken out.

    Nothing is made parentless on the way: that would make it a window, and take the focus along.
    """
    while item := layout.takeAt(0):
        if widget := item.widget():
            focus = QApplication.focusWidget()
            if focus is not None and (widget is focus or widget.isAncestorOf(focus)):
                widget.window().setFocus()
            widget.hide()
            if not widget.property("kept"):
                widget.deleteLater()
        elif inner := item.layout():
            clear(inner)
