"""Taking everything out of a layout."""

from __future__ import annotations

from PySide6.QtWidgets import QLayout

from felt_dial.ui.dials.focus import let_go_of_focus


def clear(layout: QLayout) -> None:
    """Removes everything from a layout; a widget with the property `kept` is only taken out.

    Nothing is made parentless on the way: that would make it a window, and take the focus along.
    """
    while item := layout.takeAt(0):
        if widget := item.widget():
            let_go_of_focus(widget)
            widget.hide()
            if not widget.property("kept"):
                widget.deleteLater()
        elif inner := item.layout():
            clear(inner)
