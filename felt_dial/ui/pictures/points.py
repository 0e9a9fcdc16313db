"""Points of drawings in figures: what is said beside one while it is moved, and what is typed for it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter

from felt_dial.patch.units import NotReadable, Unit
from felt_dial.ui.theme.colours import colour
from felt_dial.ui.theme.fonts import body_font

Read = Callable[[str], float]


def written(figures: list[tuple[Unit, float]]) -> str:
    """Figures one after the other, each in its unit: `35 ms  40 %`."""
    return "  ".join(unit.write(value) for unit, value in figures)


def read_figures(text: str, units: list[Unit]) -> list[float]:
    """As many figures as there are units, in their order, with spaces or commas between them; raises `NotReadable`.

    >>> read_figures("35 ms, 40 %", [SECONDS, PERCENT])
    [0.035, 0.4]
    """
    words = text.replace(", ", " ").replace(";", " ").split()
    found = _split(words, units)
    if found is None:
        asked = " and ".join(unit.name for unit in units)
        examples = " ".join(unit.write(value) for unit, value in zip(units, (0.5,) * len(units), strict=True))
        raise NotReadable(f"“{text.strip()}” is not {asked}: try “{examples}”.")
    return found


def _split(words: list[str], units: list[Unit]) -> list[float] | None:
    """The first way in which words are figures of these units, one or two words each."""
    if not units:
        return [] if not words else None
    for count in (2, 1):
        if len(words) < count:
            continue
        try:
            first = units[0].read(" ".join(words[:count]))
        except NotReadable:
            continue
        rest = _split(words[count:], units[1:])
        if rest is not None:
            return [first, *rest]
    return None


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
