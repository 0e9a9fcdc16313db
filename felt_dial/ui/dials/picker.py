"""The drop-down: it makes its list when it is first opened, since a list takes ten times as long as all else of it."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from typing import Any

from PySide6.QtCore import QEvent, QSize, Qt
from PySide6.QtGui import QAccessible, QFontMetricsF, QKeyEvent, QMouseEvent, QPaintEvent, QPalette, QWheelEvent
from PySide6.QtWidgets import QComboBox, QSizePolicy, QStyle, QStyleOptionComboBox, QStylePainter

DATA = Qt.ItemDataRole.UserRole
NARROW = 7
"""Letters for which a drop-down without options has room."""
LEAST_TALL = 14
"""Pixels of a line, at least."""


class Picker(QComboBox):
    """A drop-down; the wheel over it scrolls what it stands in, and never chooses. Its name is its tip where it has no other.

    Until a hand opens it, or something is asked that only the toolkit's own list can answer, its options are kept here
    (`_kept`, each with its data by role) and what is chosen is painted; from then on it is a drop-down like any other. One
    that is read aloud has its list at once.
    """

    def __init__(self) -> None:
        super().__init__()
        self._kept: list[tuple[str, dict[int, Any]]] | None = None if QAccessible.isActive() else []
        self._at = -1
        self._room: tuple[QSize, QSize] | None = None

    def fill(self) -> None:
        """Makes the list, where that was not done yet."""
        if self._kept is None:
            return
        if self.isVisible():
            self._room = self.sizeHint(), self.minimumSizeHint()
        (kept, at), self._kept = (self._kept, self._at), None
        quiet = self.blockSignals(True)
        for n, (text, data) in enumerate(kept):
            super().addItem(text)
            for role, value in data.items():
                super().setItemData(n, value, role)
        super().setCurrentIndex(at)
        super().changeEvent(QEvent(QEvent.Type.StyleChange))  # those that were kept from it until now
        self.blockSignals(quiet)

    # --- what is known without a list --------------------------------------------------------------

    def addItem(self, text: str, userData: Any = None) -> None:  # type: ignore[override]
        if self._kept is None:
            super().addItem(text, userData)
            return
        self._kept.append((text, {} if userData is None else {DATA: userData}))
        if self._at < 0 and len(self._kept) == 1 and not self.placeholderText():
            self.setCurrentIndex(0)
        self.updateGeometry()

    def addItems(self, texts: Iterable[str]) -> None:
        for text in texts:
            self.addItem(text)

    def clear(self) -> None:
        if self._kept is None:
            super().clear()
            return
        self._kept = []
        self.setCurrentIndex(-1)

    def count(self) -> int:
        return super().count() if self._kept is None else len(self._kept)

    def currentIndex(self) -> int:
        return super().currentIndex() if self._kept is None else self._at

    def setCurrentIndex(self, index: int) -> None:
        if self._kept is None:
            super().setCurrentIndex(index)
            return
        index = index if 0 <= index < len(self._kept) else -1
        if index != self._at:
            self._at = index
            self.update()
            self.currentIndexChanged.emit(index)
            self.currentTextChanged.emit(self.currentText())

    def currentText(self) -> str:
        return super().currentText() if self._kept is None else self.itemText(self._at)

    def currentData(self, role: int = DATA) -> Any:
        return super().currentData(role) if self._kept is None else self.itemData(self._at, role)

    def itemText(self, index: int) -> str:
        if self._kept is None:
            return super().itemText(index)
        return self._kept[index][0] if 0 <= index < len(self._kept) else ""

    def itemData(self, index: int, role: int = DATA) -> Any:
        if self._kept is None:
            return super().itemData(index, role)
        return self._kept[index][1].get(role) if 0 <= index < len(self._kept) else None

    def setItemData(self, index: int, value: Any, role: int = DATA) -> None:
        if self._kept is None:
            super().setItemData(index, value, role)
        elif 0 <= index < len(self._kept):
            self._kept[index][1][role] = value

    def findData(self, data: Any, *how: Any) -> int:
        if self._kept is None:
            return super().findData(data, *how)
        return next((n for n, (_, known) in enumerate(self._kept) if known.get(DATA) == data), -1)

    # --- what needs a list -------------------------------------------------------------------------

    def showPopup(self) -> None:
        self.fill()
        super().showPopup()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.fill()
        super().mousePressEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        self.fill()
        super().keyPressEvent(event)

    # --- how it looks ------------------------------------------------------------------------------

    def initStyleOption(self, option: QStyleOptionComboBox) -> None:
        super().initStyleOption(option)
        if self._kept is not None:
            option.currentText = self.currentText()

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._kept is None:
            super().paintEvent(event)
            return
        option = QStyleOptionComboBox()
        self.initStyleOption(option)
        if self._at < 0 and self.placeholderText():
            option.palette.setBrush(QPalette.ColorRole.ButtonText, option.palette.placeholderText())
            option.currentText = self.placeholderText()
        painter = QStylePainter(self)
        painter.drawComplexControl(QStyle.ComplexControl.CC_ComboBox, option)
        painter.drawControl(QStyle.ControlElement.CE_ComboBoxLabel, option)

    def changeEvent(self, event: QEvent) -> None:
        if self._kept is not None and event.type() in (QEvent.Type.StyleChange, QEvent.Type.FontChange):
            self.updateGeometry()  # the toolkit would make the list to tell it
            self.update()
        else:
            super().changeEvent(event)

    def sizeHint(self) -> QSize:
        if self._room is not None:
            return self._room[0]
        return super().sizeHint() if self._kept is None else self._sized(True)

    def minimumSizeHint(self) -> QSize:
        if self._room is not None:
            return self._room[1]
        return super().minimumSizeHint() if self._kept is None else self._sized(not self.minimumContentsLength())

    def _sized(self, for_all: bool) -> QSize:
        """What the toolkit would like for these options, with room for the widest of them or only for the least."""
        metrics, least, wide = self.fontMetrics(), self.minimumContentsLength(), 0
        if for_all:
            texts = [text for text, _ in self._kept or []]
            none = NARROW * metrics.horizontalAdvance("x")
            wide = max((metrics.boundingRect(text).width() for text in texts), default=none)
        wide = max(wide, least * metrics.horizontalAdvance("X"))
        if self.placeholderText():
            wide = max(wide, metrics.boundingRect(self.placeholderText()).width())
        tall = max(math.ceil(QFontMetricsF(self.font()).height()), LEAST_TALL) + 2
        option = QStyleOptionComboBox()
        self.initStyleOption(option)
        return self.style().sizeFromContents(QStyle.ContentsType.CT_ComboBox, option, QSize(wide, tall), self)

    def setAccessibleName(self, name: str) -> None:
        super().setAccessibleName(name)
        if not self.toolTip():
            self.setToolTip(name)

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()


def _with_a_list(name: str) -> Callable[..., Any]:
    toolkits: Callable[..., Any] = getattr(QComboBox, name)

    def does(self: Picker, *given: Any) -> Any:
        self.fill()
        return toolkits(self, *given)

    return does


for _name in (
    *("insertItem", "insertItems", "insertSeparator", "removeItem", "setItemText", "setItemIcon", "findText"),
    *("setCurrentText", "setEditable", "setModel", "model", "view"),
):
    setattr(Picker, _name, _with_a_list(_name))


def narrow(box: QComboBox) -> QComboBox:
    """A box that takes what room there is, not what its longest word would like."""
    box.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
    box.setMinimumWidth(72)
    return box
