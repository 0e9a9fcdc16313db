"""The drop-down that makes its list late: it looks, measures and answers as the toolkit's own, before and after."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QListView, QVBoxLayout, QWidget

from felt_dial.ui.dials.picker import Picker
from felt_dial.ui.theme.colours import NIGHT, OAT, cloth
from felt_dial.ui.theme.fonts import load_fonts

TEXTS = [[], ["a"], ["alpha", "beta", "gamma delta epsilon"], ["iii", "WWWWWWWWWW", "ü"]]


@pytest.fixture
def dressed(qapp: QApplication) -> Any:
    """The application in its cloth."""
    load_fonts()
    cloth.wear(OAT)
    yield qapp
    cloth.wear(OAT)


def filled(box: QComboBox, texts: Sequence[str], least: int = 0, placeholder: str = "") -> QComboBox:
    box.setMinimumContentsLength(least)
    box.setPlaceholderText(placeholder)
    for n, text in enumerate(texts):
        box.addItem(text, f"data {n}")
        box.setItemData(n, f"tip {n}", Qt.ItemDataRole.ToolTipRole)
    return box


def shown(box: QComboBox) -> QComboBox:
    box.setFixedSize(box.sizeHint())
    box.show()
    QApplication.processEvents()
    return box


def state(box: QComboBox) -> list[object]:
    """All that one can ask."""
    found: list[object] = [
        box.count(),
        box.currentIndex(),
        box.currentText(),
        box.currentData(),
        box.findData("data 1"),
    ]
    found += [box.findData("nothing"), box.itemText(7), box.itemData(7)]
    for n in range(box.count()):
        found += [box.itemText(n), box.itemData(n), box.itemData(n, Qt.ItemDataRole.ToolTipRole)]
    return found


@pytest.mark.parametrize("placeholder", ["", "Choose a table"])
@pytest.mark.parametrize("least", [0, 4, 12])
@pytest.mark.parametrize("texts", TEXTS)
def test_it_is_the_toolkits_drop_down_in_all_but_the_list(
    dressed: QApplication, texts: list[str], least: int, placeholder: str
) -> None:
    ours, theirs = (filled(kind(), texts, least, placeholder) for kind in (Picker, QComboBox))
    for box in (ours, theirs):
        box.ensurePolished()
    assert ours.sizeHint() == theirs.sizeHint() and ours.minimumSizeHint() == theirs.minimumSizeHint()
    for at in range(-1, len(texts)):
        for box in (ours, theirs):
            shown(box).setCurrentIndex(at)
        QApplication.processEvents()
        assert state(ours) == state(theirs)
        assert ours.grab().toImage() == theirs.grab().toImage()
    assert not ours.findChildren(QListView), "its list was made"
    for box in (ours, theirs):
        box.showPopup()
    QApplication.processEvents()
    assert ours.findChildren(QListView) and state(ours) == state(theirs)
    assert ours.view().grab().toImage() == theirs.view().grab().toImage()
    for box in (ours, theirs):
        box.hidePopup()
    assert ours.sizeHint() == theirs.sizeHint() and ours.grab().toImage() == theirs.grab().toImage()


def test_it_says_what_is_chosen_as_the_toolkits_does(dressed: QApplication) -> None:
    """Signals of an act, in order, of both: items come, another is chosen by the program, by keys, all go."""
    told: list[list[tuple[str, object]]] = []
    for kind in (Picker, QComboBox):
        box, heard = kind(), []
        box.currentIndexChanged.connect(lambda n, heard=heard: heard.append(("index", n)))
        box.currentTextChanged.connect(lambda text, heard=heard: heard.append(("text", text)))
        box.activated.connect(lambda n, heard=heard: heard.append(("chosen", n)))
        filled(box, TEXTS[2])
        box.setCurrentIndex(2)
        box.setCurrentIndex(2)
        box.setCurrentIndex(9)
        box.setCurrentIndex(1)
        shown(box)
        QTest.keyClick(box, Qt.Key.Key_Down)
        QTest.keyClick(box, Qt.Key.Key_Home)
        box.clear()
        told.append(heard)
    assert told[0] == told[1] and ("chosen", 2) in told[0]


def test_what_is_cleared_before_it_was_opened_is_empty(dressed: QApplication) -> None:
    box = filled(Picker(), TEXTS[2])
    box.clear()
    assert (box.count(), box.currentIndex(), box.currentText(), box.currentData()) == (0, -1, "", None)
    box.addItems(["one", "two"])
    assert box.currentText() == "one" and not box.findChildren(QListView)


def test_what_only_a_list_can_do_makes_it(dressed: QApplication) -> None:
    for act in (
        lambda box: box.insertItem(0, "first", "data"),
        lambda box: box.setItemText(0, "other"),
        lambda box: box.removeItem(0),
        lambda box: box.setCurrentText("beta"),
        lambda box: box.setEditable(True),
    ):
        ours, theirs = filled(Picker(), TEXTS[2]), filled(QComboBox(), TEXTS[2])
        for box in (ours, theirs):
            act(box)
        assert state(ours) == state(theirs)
    assert filled(Picker(), TEXTS[2]).findText("beta") == 1


def test_a_drop_down_that_was_laid_out_keeps_its_room_when_it_is_opened(dressed: QApplication) -> None:
    page = QWidget()
    column = QVBoxLayout(page)
    box = Picker()
    column.addWidget(filled(box, TEXTS[2]))
    page.show()
    QApplication.processEvents()
    before = box.geometry()
    box.showPopup()
    box.hidePopup()
    QApplication.processEvents()
    assert box.geometry() == before


def test_another_theme_is_worn_by_one_that_was_never_opened(dressed: QApplication) -> None:
    ours, theirs = (shown(filled(kind(), TEXTS[2])) for kind in (Picker, QComboBox))
    day = ours.grab().toImage()
    cloth.wear(NIGHT)
    QApplication.processEvents()
    assert ours.grab().toImage() == theirs.grab().toImage() != day
    assert not ours.findChildren(QListView)
