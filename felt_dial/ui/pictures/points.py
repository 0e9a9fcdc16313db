"""Points of drawings in figures: what is said beside one while it is moved, and what is typed for it.

A figure is a `Param`, so that it is written, read and refused as a dial is, and where it stands.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TypeAlias

from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QWidget

from felt_dial.patch.params import Param
from felt_dial.patch.units import NotReadable, Value
from felt_dial.ui.dials.entry import Entry
from felt_dial.ui.theme.colours import colour
from felt_dial.ui.theme.fonts import body_font

Figures: TypeAlias = Sequence[tuple[Param, Value]]
WIDE, TALL = 120, 22
"""Pixels of the entry at a point."""


def written(figures: Figures) -> str:
    """Figures one after the other, each in its unit: `35 ms  40 %`."""
    return "  ".join(param.write(value) for param, value in figures)


def read_figures(text: str, figures: Figures) -> list[Value]:
    """As many figures as there are, in their order, one behind the other; raises `NotReadable` or `OutOfRange`.

    `35 ms 40 %` and `35 ms, 40 %` are 0.035 and 0.4 for a time and a percentage; a bare number is in the unit that is shown.
    """
    found = _split(text.replace(", ", " ").replace(";", " ").split(), figures)
    if found is None:
        asked = " and ".join(param.unit.name for param, _ in figures)
        raise NotReadable(f"“{text.strip()}” is not {asked}: try “{written(figures)}”.")
    return found


def _split(words: list[str], figures: Figures) -> list[Value] | None:
    """The first way in which words are these figures, one or two words each."""
    if not figures:
        return None if words else []
    (param, now), *others = figures
    for count in (2, 1):
        if len(words) < count:
            continue
        try:
            first = param.read(" ".join(words[:count]), now, by_face=True)
        except NotReadable:
            continue
        rest = _split(words[count:], others)
        if rest is not None:
            return [first, *rest]
    return None


def type_beside(
    picture: QWidget, spot: QPointF, figures: Figures, take: Callable[[list[Value]], None], name: str
) -> Entry:
    """Opens the entry for some figures over a spot of a picture; what was not changed is not taken."""
    shown = written(figures)

    def typed(text: str) -> None:
        if text != shown:
            take(read_figures(text, figures))

    place = QRect(round(spot.x()) - WIDE // 2, round(spot.y()) - TALL // 2, WIDE, TALL)
    return Entry(picture, place.intersected(picture.rect().adjusted(2, 2, -2, -2)), shown, typed, name)


def say_beside(painter: QPainter, box: QRectF, at: QPointF, text: str) -> None:
    """A card with words beside a point, within the picture."""
    painter.setFont(body_font(12, 600))
    wide = painter.fontMetrics().horizontalAdvance(text) + 10
    card = QRectF(min(max(at.x() - wide / 2, box.left()), box.right() - wide), 0, wide, 18)
    card.moveTop(at.y() - 28 if at.y() - 28 >= box.top() else at.y() + 9)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour("well"))
    painter.drawRoundedRect(card, 4, 4)
    painter.setPen(colour("chalk"))
    painter.drawText(card, Qt.AlignmentFlag.AlignCenter, text)
