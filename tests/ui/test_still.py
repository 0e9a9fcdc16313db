"""What stands on a page stands still while something is turned, and is never blank in between."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, QRect, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget
from shiboken6 import isValid

from felt_dial.patch.edits import sew
from felt_dial.session.topics import Selected
from felt_dial.ui.dials.param_control import ParamControl
from tests.ui.conftest import Desk, wait

MOVES = 14


def places(top: QWidget) -> dict[int, QRect]:
    """Where every widget is that is seen."""
    return {
        id(w): QRect(w.mapTo(top, QPoint(0, 0)), w.size())
        for w in top.findChildren(QWidget)
        if isValid(w) and w.isVisible()
    }


def turn_watching(desk: Desk, top: QWidget, dial: ParamControl) -> None:
    """Turns a dial by fourteen moves, and looks at the page after each as the screen would show it."""
    at, last = dial.rect().center(), places(top)

    def settled() -> bool:
        nonlocal last
        QTest.qWait(40)
        now, was = places(top), last
        last = now
        return now == was

    assert wait(settled, 5)
    before = last
    QTest.mousePress(dial, Qt.MouseButton.LeftButton, pos=at)
    for n in range(1, MOVES + 1):
        desk.move(dial, at - QPoint(0, 4 * n))
        QApplication.sendPostedEvents()
        QApplication.processEvents()
        now = places(top)
        moved = [k for k in before if now.get(k) != before[k]]
        names = {id(w): w for w in top.findChildren(QWidget)}
        told = [
            (type(names[k]).__name__, names[k].accessibleName(), before[k], now.get(k)) for k in moved if k in names
        ]
        assert not moved and len(now) == len(before), (n, told[:4], len(now) - len(before))
        frame = top.grab().toImage()
        assert not frame.isNull() and frame.size().width() >= top.width()
    QTest.mouseRelease(dial, Qt.MouseButton.LeftButton, pos=at - QPoint(0, 4 * MOVES))


@pytest.mark.parametrize("part", ["source", "filter", "level", "out"])
def test_nothing_in_the_inspector_moves_while_a_dial_with_threads_is_turned(desk: Desk, part: str) -> None:
    session = desk.session
    session.editor.select(part, "a")
    inspector = desk.window.patch_page.inspector
    QTest.qWait(50)
    dials = [d for d in inspector.findChildren(ParamControl) if d.isVisible() and d.param.movable and not d.param.whole]
    path = dials[0].path
    session.editor.edit(sew(session.patch, "e2", path)[0], "sew")
    session.editor.edit(sew(session.patch, "w", path)[0], "sew")
    QTest.qWait(50)
    dial = next(d for d in inspector.findChildren(ParamControl) if d.isVisible() and d.path == path)
    dial.setFocus()
    QTest.qWait(30)
    turn_watching(desk, inspector, dial)


@pytest.mark.parametrize("page", ["Effects", "Threads"])
def test_nothing_on_the_other_pages_moves_while_a_dial_is_turned(desk: Desk, page: str) -> None:
    desk.window.show_page(page)
    QTest.qWait(80)
    shown = desk.window.page(page)
    if page == "Effects":
        key = next(iter(desk.session.patch.racks["1"]))
        desk.session.editor.choose_effect("1", key)
        desk.session.channel.tell(Selected())
        path = f"racks.1.{key}.wet"
        desk.session.editor.edit(sew(desk.session.patch, "m1", path)[0], "sew")
        QTest.qWait(80)
    else:
        path = f"threads.{desk.window.threads.table.keys[0]}.depth"
        desk.window.threads.view.choose(desk.window.threads.table.keys[0])
        QTest.qWait(80)
    dial = desk.find(ParamControl, lambda d: d.path == path)
    dial.setFocus()
    QTest.qWait(30)
    turn_watching(desk, shown, dial)


def test_an_effect_that_changes_racks_stays_large_on_the_page(desk: Desk) -> None:
    session, page = desk.session, desk.window.effects
    desk.window.show_page("Effects")
    key = next(iter(session.patch.racks["1"]))
    session.editor.choose_effect("1", key)
    session.channel.tell(Selected())
    QTest.qWait(50)
    count = sum(w.isVisible() for w in page.card.findChildren(ParamControl))
    assert count > 3
    page.second.dropped("1", key)
    QApplication.processEvents()
    assert session.editor.rack == "2" and session.editor.effect in session.patch.racks["2"]
    assert sum(w.isVisible() for w in page.card.findChildren(ParamControl)) == count
    session.editor.undo()
    QApplication.processEvents()
    assert session.editor.effect in session.patch.racks[session.editor.rack]
    assert sum(w.isVisible() for w in page.card.findChildren(ParamControl)) == count
