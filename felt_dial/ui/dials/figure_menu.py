"""A menu that asks for figures before something is done: sliders above, what is done with them below."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QMenu, QVBoxLayout, QWidget, QWidgetAction

from felt_dial.ui.dials.controls import Pill
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
        box = self._box = QVBoxLayout(holder)
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

    def action(self, name: str, act: Callable[[], object]) -> Pill:
        """One more act, as a button under the sliders: it is done again and again while the menu stays open."""
        pill = Pill(name, "pill", act)
        self._box.addWidget(pill)
        return pill

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self.sliders:
            self.sliders[0].setFocus()
