"""Pictures that are read while they are drawn in: envelopes, ready waves; and lists that say what they list."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel

from felt_dial.patch.edits import add_modulator, sew, threads_on
from felt_dial.patch.module import Modulator
from felt_dial.patch.patch import with_value
from felt_dial.session.topics import Selected
from felt_dial.sound.control.envelope import Envelope
from felt_dial.sound.control.lfo import Lfo, as_drawn, lfo_value
from felt_dial.ui.dials.controls import Pill
from felt_dial.ui.pictures.drawn_lines import LinePicture
from felt_dial.ui.pictures.modulators import EnvelopePicture
from tests.ui.conftest import Desk

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def editor(desk: Desk) -> EnvelopePicture:
    """The large envelope, with a hold of no length."""
    session = desk.session
    values = {"delay": 0.05, "attack": 0.2, "hold": 0.0, "decay": 0.4, "sustain": 0.5, "release": 0.6}
    patch = session.patch
    for name, value in values.items():
        patch = with_value(patch, f"modulators.e1.{name}", value)
    session.editor.edit(patch, "set")
    session.editor.select("modulator", "e1")
    found: EnvelopePicture = desk.find(EnvelopePicture, lambda picture: picture.large)
    return found


def spot(editor: EnvelopePicture, name: str) -> QPoint:
    handle = next(h for h in editor.handles() if h.time == name)
    return editor._centre(editor.box(), handle).toPoint()


@pytest.mark.parametrize("name", ["delay", "attack", "hold", "decay", "release"])
def test_the_point_stays_under_the_pointer_and_the_scale_with_it(
    desk: Desk, editor: EnvelopePicture, name: str
) -> None:
    start = spot(editor, name)
    others = {h.time: h.x for h in editor.handles()}
    before = editor.seconds(name)
    QTest.mousePress(editor, LEFT, pos=start)
    way = -1 if name == "release" else 1  # the last one has no room to the right
    for n in range(1, 7):
        desk.move(editor, start + QPoint(3 * way * n, 0))
    moved = spot(editor, name)
    aside = 13 if name == "hold" else 0  # which stands aside while it has no length
    assert abs(moved.x() + aside - (start.x() + 18 * way)) <= 2, "the point is where the hand is"
    assert way * (editor.seconds(name) - before) > 0
    still = [key for key, x in others.items() if x < others[name]]
    assert all(h.x == others[h.time] for h in editor.handles() if h.time in still)
    QTest.mouseRelease(editor, LEFT, pos=start + QPoint(18, 0))


def test_the_attack_is_taken_where_the_hold_has_no_length_and_so_is_the_hold(
    desk: Desk, editor: EnvelopePicture
) -> None:
    assert editor._under(spot(editor, "attack").toPointF()) == "attack"
    assert editor._under(spot(editor, "hold").toPointF()) == "hold"


def test_delete_sets_back_everything_the_point_says(desk: Desk, editor: EnvelopePicture) -> None:
    assert editor.says("decay") == ["decay", "sustain"]
    QTest.mouseClick(editor, LEFT, pos=spot(editor, "decay"))
    for _ in range(4):
        QTest.keyClick(editor, Qt.Key.Key_BracketRight)
    QTest.keyClick(editor, Qt.Key.Key_Delete)
    for name in ("decay", "sustain"):
        assert desk.session.editor.value(f"modulators.e1.{name}") == Envelope.params[name].default
    assert desk.session.editor.value("modulators.e1.attack") == 0.2


def test_the_values_at_the_pointer_and_the_times_are_drawn(desk: Desk, editor: EnvelopePicture) -> None:
    still = editor.grab().toImage()
    desk.move(editor, spot(editor, "attack"))  # no button is held: nothing moves
    QTest.mouseRelease(editor, LEFT)
    assert desk.session.editor.value("modulators.e1.attack") == 0.2
    editor._near = "attack"
    editor.update()
    assert editor.grab().toImage() != still
    bottom = still.copy(0, still.height() - 14, still.width(), 14)
    colours = {bottom.pixelColor(x, y).lightness() for x in range(bottom.width()) for y in range(bottom.height())}
    assert max(colours) > 120, "the times stand under the drawing"


@pytest.mark.parametrize("shape", [key for key in Lfo.choice_of("shape").options if key != "drawn"])
def test_a_ready_wave_becomes_the_drawing_of_itself(desk: Desk, shape: str) -> None:
    turns = np.linspace(0.0, 1.0, 400, endpoint=False)
    assert np.abs(lfo_value("drawn", turns, as_drawn(shape)) - lfo_value(shape, turns)).max() < 0.02
    session = desk.session
    patch, key = add_modulator(session.patch, Modulator.kinds["lfo"]().model_copy(update={"shape": shape}))
    session.editor.edit(patch, "add", select=("modulator", key))
    session.channel.tell(Selected())
    picture = desk.find(LinePicture, lambda one: one.large)
    QTest.mouseClick(picture, LEFT, pos=QPoint(90, 60))
    assert session.editor.value(f"modulators.{key}.shape") == shape, "a click draws nothing"
    desk.drag(picture, QPoint(90, 60), QPoint(90, 80))
    modulator = session.patch.modulators[key]
    assert modulator.get("shape") == "drawn" and modulator.line != Lfo.drawings["line"].default
    session.editor.undo()
    assert session.editor.value(f"modulators.{key}.shape") == shape


def test_the_list_of_threads_says_what_it_lists(desk: Desk) -> None:
    session, inspector = desk.session, desk.window.patch_page.inspector
    session.editor.select("filter", "a")
    on_a = [k for k, t in session.patch.threads.items() if t.target.startswith("layers.a.")]
    assert len(on_a) > 1

    def titles() -> list[str]:
        QTest.qWait(20)
        return [label.text() for label in inspector.threads.findChildren(QLabel) if label.isVisible()]

    assert titles()[0] == "All threads on layer A" and len(inspector.threads._rows) == len(on_a)
    dial = desk.dial("layers.a.filter.cutoff")
    dial.setFocus()
    assert titles()[0] == "Threads on A Cutoff"
    assert len(inspector.threads._rows) == len(threads_on(session.patch, dial.path))
    everything = next(p for p in inspector.threads.findChildren(Pill) if p.text() == "All of layer A" and p.isVisible())
    everything.click()
    assert titles()[0] == "All threads on layer A"


def test_a_macros_tag_shows_what_it_moves_on_every_page(desk: Desk) -> None:
    window = desk.window
    for page in ("Shelf", "Effects"):
        window.show_page(page)
        QTest.mouseClick(window.strip.macros[0].tag, LEFT)
        assert window.shown == "Patch" and desk.session.editor.selection == ("macro", "m1")
    window.show_page("Threads")
    QTest.mouseClick(window.strip.macros[1].tag, LEFT)
    shown = {desk.session.patch.threads[key].source for key in window.threads.table.keys}
    assert window.shown == "Threads" and (not shown or shown == {"m2"})


def test_a_dial_that_does_nothing_is_pale_and_says_why_until_it_does_something(desk: Desk) -> None:
    session = desk.session
    session.editor.set("layers.a.source.unison", 1)
    session.editor.select("source", "a")
    dial = desk.dial("layers.a.source.detune")
    assert dial.faint and "It does nothing now: there is one voice." in dial.toolTip()
    pale = dial.grab().toImage()
    session.editor.set("layers.a.source.unison", 3)
    assert not dial.faint and "nothing now" not in dial.toolTip() and dial.grab().toImage() != pale
    session.editor.undo()
    assert dial.faint
    session.editor.edit(sew(session.patch, "e2", "layers.a.source.unison")[0], "sew")
    assert not desk.dial("layers.a.source.detune").faint, "a thread may bring the others in"
