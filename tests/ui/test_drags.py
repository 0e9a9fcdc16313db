"""Nothing dies under the hand: every dial and drawing is pressed, moved eight times and let go, and says where it was led."""

from __future__ import annotations

import re
from collections.abc import Callable

import pytest
from PySide6.QtCore import QCoreApplication, QEvent, QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget
from shiboken6 import isValid

from felt_dial.patch.edits import replace_module
from felt_dial.patch.module import Effect, Filter, Modulator, Source
from felt_dial.patch.params import Param
from felt_dial.patch.units import Beats
from felt_dial.ui.dials.dial import Dial
from felt_dial.ui.dials.param_control import DRAG_PIXELS
from felt_dial.ui.inspector.panel import Inspector
from felt_dial.ui.pictures.recordings import GrainsPicture, PartialsPicture, SamplePicture
from tests.sampled import some
from tests.ui.conftest import Desk, wait

MOVES, STEP = 8, 4


def drag(desk: Desk, widget: QWidget, start: QPoint, step: QPoint) -> int:
    """Drags a widget by eight steps; it is there until it is let go. How many sounds there were on the way."""
    sounds, widget_name = [desk.session.patch], getattr(widget, "path", type(widget).__name__)
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=start)
    for n in range(1, MOVES + 1):
        desk.move(widget, start + step * n)
        QTest.qWait(0)
        assert isValid(widget) and widget.isVisible(), f"{widget_name} went from under the hand"
        if desk.session.patch is not sounds[-1]:
            sounds.append(desk.session.patch)
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=start + step * MOVES)
    assert not desk.uncaught
    return len(sounds) - 1


def turn_all(desk: Desk, top: QWidget, every: int) -> int:
    """Turns each `every`th dial that is seen by the path of the pointer, up or where it stands too high down; how many."""
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    QTest.qWait(0)
    QTest.qWait(20)
    dials = [dial for dial in top.findChildren(Dial) if dial.isVisible()][::every]
    for dial in dials:
        before = dial.param.position(desk.session.editor.value(dial.path))
        way = -1 if before < 0.7 else 1
        drag(desk, dial, QPoint(dial.width() // 2, 24), QPoint(0, way * STEP))
        value = desk.session.editor.value(dial.path)
        wanted = before - way * STEP * MOVES / DRAG_PIXELS
        if not dial.param.whole and not isinstance(value, Beats):
            assert dial.param.position(value) == pytest.approx(min(max(wanted, 0.0), 1.0), abs=0.01), dial.path
    return len(dials)


def kinds(desk: Desk) -> dict[str, Callable[[], object]]:
    """How everything that has dials comes into the inspector."""
    session, page = desk.session, desk.window.patch_page

    def filtered(kind: str) -> None:
        fresh = Filter.kinds[kind]().model_copy(update={"on": True})
        session.editor.edit(replace_module(session.patch, "layers.a.filter", fresh), "change", select=("filter", "a"))

    shown: dict[str, Callable[[], object]] = {kind: lambda k=kind: page.add_layer(k) for kind in Source.in_order()}
    shown |= {f"mover {kind}": lambda k=kind: page.add_modulator(k) for kind in Modulator.in_order()}
    shown |= {f"filter {kind}": lambda k=kind: filtered(k) for kind in Filter.in_order()}
    for part, key in (("drive", "a"), ("level", "a"), ("out", "a"), ("patch", ""), ("pattern", ""), ("bus", "1")):
        shown[f"{part} {key}"] = lambda at=(part, key): session.editor.select(*at)
    return shown


@pytest.mark.parametrize("every", some([3, 1], 2))
def test_every_dial_of_the_inspector_goes_where_the_pointer_leads_it(desk: Desk, every: int) -> None:
    session, inspector, turned = desk.session, desk.find(Inspector), 0
    blank = session.patch
    for name, show in kinds(desk).items():
        session.editor.open_patch(blank)
        show()
        here = turn_all(desk, inspector, every)
        assert here > 0, name
        turned += here
    assert turned > 200 / every


@pytest.mark.parametrize("every", some([3, 1], 2))
def test_every_dial_of_every_effect_goes_where_the_pointer_leads_it(desk: Desk, every: int) -> None:
    session, page = desk.session, desk.window.effects
    desk.window.show_page("Effects")
    blank = session.patch
    for kind in Effect.in_order():
        session.editor.open_patch(blank)
        page.rack.add(kind)
        assert turn_all(desk, page, every) > 0, kind


def test_harmonics_are_drawn_in_one_stroke(desk: Desk) -> None:
    desk.window.patch_page.add_layer("partials")
    picture = desk.find(PartialsPicture, lambda p: p.large)
    done = len(desk.session.editor.history.sentences())
    assert drag(desk, picture, QPoint(20, picture.height() // 2), QPoint(18, -3)) == MOVES
    source = desk.session.patch.layers["c"].source
    assert sum(level > 0 for level in source.drawn) >= MOVES  # type: ignore[attr-defined]
    assert len(desk.session.editor.history.sentences()) == done + 1, "one stroke is one step"
    assert desk.find(PartialsPicture, lambda p: p.large) is picture


@pytest.mark.parametrize(
    ("preset", "layer", "kind"), [("Pollen Drift", "a", GrainsPicture), ("Reed Bed", "a", SamplePicture)]
)
def test_a_recording_is_drawn_on_without_losing_the_hand(
    desk: Desk, preset: str, layer: str, kind: type[QWidget]
) -> None:
    session = desk.session
    bank = next(b.id for b in session.shelf.banks if b.name == "Glasshouse at Dusk")
    session.presets.open(bank, next(p.id for p in session.shelf.catalogue.presets(bank) if p.name == preset))
    session.editor.select("source", layer)
    picture = desk.find(kind, lambda p: p.large)
    most = 0
    for across in (0.03, 0.15, 0.3, 0.5, 0.7, 0.95):
        for up in (0.1, 0.5, 0.9):
            spot = QPoint(round(picture.width() * across), round(picture.height() * up))
            most = max(most, drag(desk, picture, spot, QPoint(3, -2)))
    assert most >= MOVES - 1


def test_the_root_of_partials_is_turned_without_losing_the_hand(desk: Desk) -> None:
    session = desk.session
    bank = next(b.id for b in session.shelf.banks if b.name == "Glasshouse at Dusk")
    session.presets.open(bank, next(p.id for p in session.shelf.catalogue.presets(bank) if p.name == "Frost Bells"))
    session.editor.select("source", "a")
    for name in ("root", "cents"):
        dial = desk.dial(f"layers.a.source.{name}")
        assert isinstance(dial.param, Param)
        assert drag(desk, dial, QPoint(dial.width() // 2, 24), QPoint(0, -STEP)) > 1


def test_a_click_on_a_row_shows_that_layer_whatever_was_shown(desk: Desk) -> None:
    session, page = desk.session, desk.window.patch_page
    shown = (("macro", "m1"), ("bus", "1"), ("player", "v"), ("pattern", ""), ("patch", ""), ("modulator", "e1"))
    for part, key in shown:
        session.editor.select(part, key)
        QTest.mouseClick(page.rows["b"], Qt.MouseButton.LeftButton, pos=QPoint(60, 8))
        assert session.editor.selection == ("source", "b") and not desk.uncaught, part
        assert desk.dial("layers.b.source.shape").isVisible()
    session.editor.select("filter", "a")
    QTest.mouseClick(page.rows["b"], Qt.MouseButton.LeftButton, pos=QPoint(60, 8))
    assert session.editor.selection == ("filter", "b")


def test_other_dials_are_laid_out_once_the_hand_lets_go_and_the_focus_stays(desk: Desk) -> None:
    session, page = desk.session, desk.window.effects
    desk.window.show_page("Effects")
    page.rack.add("gate")
    path = f"racks.1.{session.editor.effect}.steps"
    session.editor.set(path, 9)
    dial = desk.dial(path)
    drag(desk, dial, QPoint(dial.width() // 2, 24), QPoint(0, STEP))
    count = int(session.editor.value(path))  # type: ignore[arg-type]
    steps = lambda: sum(re.search(r"\.s\d+$", one.path) is not None for one in seen(page))  # noqa: E731
    assert count < 9 and wait(lambda: steps() == count, 3), (count, steps())
    desk.dial(path).setFocus()
    for _ in range(3):
        desk.keys(Qt.Key.Key_Up)
    assert session.editor.value(path) == count + 3 and desk.dial(path).hasFocus()


def seen(top: QWidget) -> list[Dial]:
    """The dials of a page that are seen."""
    return [dial for dial in top.findChildren(Dial) if dial.isVisible()]
