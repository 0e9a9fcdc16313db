"""Panels that scroll, and wheels that keep scrolling: what slides under a still pointer is not turned."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QScrollArea, QScrollBar, QWidget

STILL = 3
"""Pixels that a resting hand may move."""
_scrolled_at: list[QPoint] = []
"""Where the pointer was when a panel was scrolled last."""


class Scroller(QScrollArea):
    """Scrolls one way what has no room; it takes no focus and shows no frame."""

    def __init__(self, body: QWidget, sideways: bool = False) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        never = Qt.ScrollBarPolicy.ScrollBarAlwaysOff
        (self.setVerticalScrollBarPolicy if sideways else self.setHorizontalScrollBarPolicy)(never)
        self.setWidget(body)
        self._sideways = sideways

    @property
    def bar(self) -> QScrollBar:
        """The bar that has something to do; asked for each time, since the toolkit may replace it."""
        return self.horizontalScrollBar() if self._sideways else self.verticalScrollBar()

    def wheelEvent(self, event: QWheelEvent) -> None:
        super().wheelEvent(event)
        if self.bar.maximum() > self.bar.minimum():
            _scrolled_at[:] = [event.globalPosition().toPoint()]


def still_scrolling(event: QWheelEvent) -> bool:
    """True where the wheel has scrolled a panel and the pointer has not moved since: it goes on scrolling."""
    if not _scrolled_at:
        return False
    if (event.globalPosition().toPoint() - _scrolled_at[0]).manhattanLength() <= STILL:
        event.ignore()
        return True
    _scrolled_at.clear()
    return False
