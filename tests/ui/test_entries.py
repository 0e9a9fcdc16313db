"""Typed text is never lost and never goes elsewhere: it stands where it was typed, or its entry is still open."""

from __future__ import annotations

from random import Random

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu

from felt_dial.errors import FeltDialError
from felt_dial.patch.edits import remove_layer
from felt_dial.patch.patch import param_at, value_at, with_value
from felt_dial.patch.places import read_at
from felt_dial.ui.dials.entry import Entry
from felt_dial.ui.dials.param_control import ParamControl
from tests.ui.conftest import Desk

LEFT = Qt.MouseButton.LeftButton
HOME = "glasshouse-at-dusk"
TEXTS = (
    "274",
    "0",
    "1.5",
    "2.4k",
    "−6 dB",
    "+7",
    "40 %",
    "350 ms",
    "1/8d",
    "12 ct",
    "x",
    "",
    "1e9",
    "9999999",
    "3 parrots",
    ".",
)
DECAY, SUSTAIN = "modulators.e1.decay", "modulators.e1.sustain"


def dials(desk: Desk) -> list[ParamControl]:
    QApplication.processEvents()
    page = desk.window.stack.currentWidget()
    found = [d for d in page.findChildren(ParamControl) if d.isVisible() and d.isEnabled()]
    return [d for d in found if not isinstance(d._value, str | bool) and not d.visibleRegion().isEmpty()]


def open_entries(desk: Desk) -> list[Entry]:
    QApplication.processEvents()
    return [entry for entry in desk.window.findChildren(Entry) if entry.isVisible()]


def clicked(desk: Desk, dial: ParamControl) -> None:
    """A click where the dial is seen."""
    QTest.mouseClick(dial, LEFT, pos=dial.visibleRegion().boundingRect().center())
    QApplication.processEvents()
    QTest.qWait(1)


@pytest.mark.parametrize("page", ["Patch", "Effects", "Threads"])
@pytest.mark.parametrize("seed", range(3))
def test_random_clicks_and_typing_lose_nothing(desk: Desk, page: str, seed: int) -> None:
    session, rng = desk.session, Random(seed)
    desk.window.show_page(page)
    session.editor.select("modulator", "e1") if page == "Patch" else None
    for step in range(25):
        here = dials(desk)
        dial = rng.choice(here)
        path, text = dial.path, rng.choice(TEXTS)
        before = session.patch
        dial.setFocus()
        QTest.keyClick(dial, Qt.Key.Key_Return)
        (entry,) = open_entries(desk)
        typed = text != entry.text()
        entry.selectAll()
        QTest.keyClick(entry, Qt.Key.Key_Delete)
        entry.insert(text)  # the test's keyboard has no minus sign
        try:
            wanted = with_value(before, path, read_at(before, path, text, by_face=True))
        except FeltDialError:
            wanted = None
        case = f"{page} {seed}.{step}: “{text}” into {path}"
        leave = rng.choice(("return", "tab", "escape", "dial", "dial", "dial", "ground"))
        other = rng.choice([d for d in here if d is not dial])
        if leave == "return":
            QTest.keyClick(entry, Qt.Key.Key_Return)
        elif leave == "tab":
            QTest.keyClick(entry, Qt.Key.Key_Tab)
        elif leave == "escape":
            QTest.keyClick(entry, Qt.Key.Key_Escape)
        elif leave == "dial":
            clicked(desk, other)
        else:
            QTest.mouseClick(desk.window.stack, LEFT, pos=QPoint(3, 3))
            QTest.qWait(1)
        still = open_entries(desk)
        if leave == "dial":  # a fader goes where it is clicked
            before = with_value(before, other.path, session.editor.value(other.path))
            wanted = wanted and with_value(wanted, other.path, session.editor.value(other.path))
        if leave == "escape":
            assert session.patch == before and not still, case
        elif wanted is not None:
            assert session.patch == wanted and not still, case
            if leave == "dial":
                assert QApplication.focusWidget() is other, f"{case}: the focus stays where one clicked"
        elif leave == "ground" and not still:
            assert not typed or session.patch == before, case
        else:
            assert session.patch == before and still == [entry] and entry.text() == text, case
            assert entry.refusal and QApplication.focusWidget() is entry, f"{case}: nothing else takes the keys"
            QTest.keyClick(entry, Qt.Key.Key_Escape)


def test_digits_after_a_click_go_to_the_dial_that_was_clicked(desk: Desk) -> None:
    """274 typed for Decay is refused (nobody can hold a note that long), a click on Sustain, 0: Decay stays as it is."""
    session = desk.session
    session.editor.select("modulator", "e1")
    decay, sustain = desk.dial(DECAY), desk.dial(SUSTAIN)
    before = session.editor.value(DECAY)
    decay.setFocus()
    QTest.keyClicks(decay, "2")
    QTest.keyClicks(desk.entry(), "74 parrots")
    clicked(desk, sustain)
    assert session.editor.value(DECAY) == before and desk.entry().text() == "274 parrots"
    QTest.keyClicks(QApplication.focusWidget(), "0")
    assert session.editor.value(DECAY) == before and desk.entry().text() == "274 parrots0", (
        "the entry has the keys still"
    )
    desk.type("350 ms", enter=False)
    clicked(desk, sustain)
    assert round(session.editor.value(DECAY), 6) == 0.35 and QApplication.focusWidget() is desk.dial(SUSTAIN)
    QTest.keyClicks(QApplication.focusWidget(), "3")
    QTest.keyClick(desk.entry(), Qt.Key.Key_Return)
    assert round(session.editor.value(DECAY), 6) == 0.35 and param_at(session.patch, SUSTAIN).read(
        "3"
    ) == session.editor.value(SUSTAIN)


def test_another_sound_gets_nothing_of_what_was_typed(desk: Desk) -> None:
    session = desk.session
    path = "layers.a.filter.cutoff"
    dial = desk.dial(path)
    for text, taken in (("1.2k", True), ("nonsense", False)):
        session.presets.open(HOME, "dew-pluck")
        before = session.editor.value(path)
        dial = desk.dial(path)
        dial.setFocus()
        QTest.keyClicks(dial, "1")
        desk.type(text, enter=False)
        session.presets.open(HOME, "moss-pad")  # as by a program change
        stored = session.presets.stored_at(HOME, "moss-pad")
        assert session.patch == stored and open_entries(desk) == []
        assert taken or any(f"“{text}” was not entered" in said for said in desk.messages)
        session.editor.undo()
        assert session.editor.value(path) == (1200.0 if taken else before)
        session.editor.undo() if taken else None


def test_an_entry_whose_dial_goes_ends_with_it_and_says_so(desk: Desk) -> None:
    session = desk.session
    session.editor.select("level", "b")
    path = next(d.path for d in dials(desk) if d.path.startswith("modulators."))
    dial = desk.dial(path)
    dial.setFocus()
    dial.type_value()
    desk.type("77 parrots", enter=False)
    session.editor.edit(remove_layer(session.patch, "b"), "remove layer B")
    for _ in range(3):
        QApplication.processEvents()
    entries = open_entries(desk)
    assert entries == [] or (entries[0].refusal == "" or entries[0].text() == "77 parrots")
    for entry in entries:
        QTest.keyClick(entry, Qt.Key.Key_Escape)
    assert value_at(session.patch, "level") is not None


def test_a_menu_over_an_entry_leaves_it_open(desk: Desk) -> None:
    dial = desk.dial("layers.a.filter.cutoff")
    dial.setFocus()
    QTest.keyClicks(dial, "9")
    menu = QMenu(desk.window)
    menu.addAction("Nothing")
    menu.popup(desk.window.mapToGlobal(QPoint(300, 300)))
    QApplication.processEvents()
    menu.close()
    assert len(open_entries(desk)) == 1
    QTest.keyClick(desk.entry(), Qt.Key.Key_Escape)
