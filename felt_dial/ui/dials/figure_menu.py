"""A menu that asks for figures before something is done: sliders above, what is done with them below."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QMenu, QVBoxLayout, QWidget, QWidgetAction

from felt_dial.ui.dials.plain_slider import PlainSlider

WIDE = 250


class FigureMenu(QMenu):
    """Sliders, and under them the acts that read them. The first slider has the keys; Tab and arrows go on from there."""

    def __init__(
        self, owner: QWidget, sliders: Sequence[PlainSlider], acts: Sequence[tuple[str, Callable[[], object]]]
    ) -> None:
        super().__init__(owner)
        self.sliders = list(sliders)
        holder = QWidget()
        box = QVBoxLayout(holder)
        box.setContentsMargins(12, 8, 12, 6)
        box.setSpacing(4)
        for slider in self.sliders:
            slider.setMinimumWidth(WIDE)
            box.addWidget(slider)
        above = QWidgetAction(self)
        above.setDefaultWidget(holder)
        self.addAction(above)
        for name, act in acts:
            self.addAction(name, act)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self.sliders:
            self.sliders[0].setFocus()
