"""A sound is made, heard, shaped, saved in a bank, and found again: the whole way through the real window."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from felt_dial.patch.phrase import Note
from felt_dial.patch.units import Beats
from felt_dial.sound.render import render
from felt_dial.ui.dials.controls import Pill
from felt_dial.ui.dials.tag import Tag
from felt_dial.ui.pages.patch.modulator_tray import ModulatorCard
from felt_dial.ui.pictures.modulators import EnvelopePicture
from tests.ui.conftest import Desk, wait

NOTES = [Note(0.0, 0.4, 57, 100), Note(0.2, 0.6, 64, 70)]


@pytest.mark.measures
def test_fern_pluck(open_desk: Callable[[], Desk]) -> None:
    desk = open_desk()
    session, window, data = desk.session, desk.window, desk.link.shared.data

    # Space: a phrase plays.
    window.stack.setFocus()
    desk.keys(Qt.Key.Key_Space)
    assert session.transport.playing and wait(lambda: int(data["voices"]) > 0)
    assert wait(lambda: window.header.loudness.value.endswith("LUFS") and "∞" not in window.header.loudness.value)

    # Dew Pluck from the shelf, then the level envelope is dragged where it is shown.
    window.show_page("Shelf")
    names = [window.shelf.model.index(n).data() for n in range(window.shelf.model.rowCount())]
    window.shelf.view.setCurrentIndex(window.shelf.model.index(names.index("Dew Pluck")))
    desk.keys(Qt.Key.Key_Return)
    assert session.patch.name == "Dew Pluck" and not session.editor.unsaved
    window.show_page("Patch")
    desk.select("level", "a")
    editor = desk.find(EnvelopePicture, lambda w: w.large)
    decay = next(h for h in editor.handles() if h.time == "decay")
    box = editor.box()
    at = QPointF(box.left() + decay.x * box.width(), box.bottom() - decay.y * box.height()).toPoint()
    before = session.editor.value("modulators.e1.decay")
    desk.drag(editor, at, at + QPoint(30, -20))
    assert (
        float(session.editor.value("modulators.e1.decay")) > float(before)
        and float(session.editor.value("modulators.e1.sustain")) > 0.05
    )
    assert session.editor.history.sentences() == ["open Dew Pluck", "E1 Decay"], "one drag is one step"

    # The filter is opened by typing.
    desk.select("source", "a")
    cutoff = desk.dial("layers.a.filter.cutoff")
    cutoff.setFocus()
    desk.keys(Qt.Key.Key_Return)
    desk.type("1.2k")
    assert session.editor.value("layers.a.filter.cutoff") == 1200.0

    # An LFO is made; its tag is dragged onto the cutoff dial, and the depth is typed.
    window.patch_page.add_modulator("lfo")
    tag = desk.find(Tag, lambda t: t.key == "l1")
    desk.select("source", "a")
    desk.drop(tag.mime(), desk.dial("layers.a.filter.cutoff"))
    desk.type("+12 st")
    thread = next(t for t in session.patch.threads.values() if t.source == "l1")
    assert (thread.target, thread.depth, thread.reading) == ("layers.a.filter.cutoff", 12.0, "both ways")
    assert wait(lambda: desk.link.settled and desk.link.bead("layers.a.filter.cutoff") not in (None, 1200.0))
    card = desk.find(ModulatorCard, lambda c: c.key == "l1")
    assert "cutoff" in card.moves.text().lower()

    # Macro 5 is named Bright and sewn to the cutoff too, by Ctrl+T.
    macro = window.strip.macros[4]
    macro.name.setFocus()
    QTest.keyClicks(macro.name, "Bright")
    QTest.keyClick(macro.name, Qt.Key.Key_Return)
    assert session.patch.macros["m5"].name == "Bright"
    desk.dial("layers.a.filter.cutoff").setFocus()
    window.sew()
    desk.type("m5 +7 st")
    assert any(t.source == "m5" and t.depth == 7.0 for t in session.patch.threads.values())

    # A delay of a dotted eighth.
    window.show_page("Effects")
    window.effects.rack.add("delay")
    dial = desk.dial("racks.1.delay2.left")
    dial.setFocus()
    QTest.keyClick(dial, Qt.Key.Key_1)
    QTest.keyClicks(desk.entry(), "/8d")
    QTest.keyClick(desk.entry(), Qt.Key.Key_Return)
    assert session.editor.value("racks.1.delay2.left") == Beats(0.75)

    # Everything that moves something is in the table.
    window.show_page("Threads")
    assert len(window.threads.table.keys) == len(session.patch.threads) == 10

    # Saved as Fern Pluck.
    assert session.editor.unsaved
    QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    next(act for act in desk.entry().banks().actions() if act.text() == "Glasshouse at Dusk (shipped)").trigger()
    desk.type("Fern Pluck")
    assert not session.editor.unsaved and session.patch.name == "Fern Pluck"
    heard = render(session.patch, NOTES, 2.0).tobytes()
    desk.close()

    # The window is opened again: it stands on the shelf with its swatch, and sounds the same to the last bit.
    again = open_desk()
    window, session = again.window, again.session
    window.show_page("Shelf")
    names = [window.shelf.model.index(n).data() for n in range(window.shelf.model.rowCount())]
    assert names[:2] == ["Dew Pluck", "Fern Pluck"]
    window.shelf.view.setCurrentIndex(window.shelf.model.index(1))
    desk_keys = again.keys
    desk_keys(Qt.Key.Key_Return)
    assert session.patch.name == "Fern Pluck"
    assert render(session.patch, NOTES, 2.0).tobytes() == heard
    assert wait(lambda: session.shelf.figures.of(session.patch) is not None, 60)
    measured = session.shelf.figures.of(session.patch)
    assert measured is not None and measured.swatch.max() > 200 and np.isfinite(measured.lufs)
    window.shelf.show_chosen()
    assert window.shelf.details.swatch.swatch is not None


def test_the_engine_dies_under_the_window_and_the_work_stays(open_desk: Callable[[], Desk]) -> None:
    desk = open_desk()
    desk.session.editor.set("layers.a.filter.cutoff", 777.0)
    desk.link.kill()
    assert wait(lambda: any("started again" in text for text in desk.messages))
    assert wait(lambda: desk.link.ready and desk.link.settled, 30)
    assert desk.session.editor.value("layers.a.filter.cutoff") == 777.0
    assert wait(lambda: abs((desk.link.bead("layers.a.level") or 0) + 11.0) < 0.1)
    assert desk.window.said.fresh and desk.window.said.problem


def test_keys_play_while_they_are_held(open_desk: Callable[[], Desk]) -> None:
    desk = open_desk()
    data = desk.link.shared.data
    desk.window.stack.setFocus()
    focus = desk.window.stack
    QTest.keyPress(focus, Qt.Key.Key_Z)
    QTest.keyPress(focus, Qt.Key.Key_C)
    assert wait(lambda: set(np.flatnonzero(data["keys"])) == {60, 64})
    QTest.keyRelease(focus, Qt.Key.Key_Z)
    assert wait(lambda: set(np.flatnonzero(data["keys"])) == {64})
    QTest.keyRelease(focus, Qt.Key.Key_C)
    keyboard = desk.window.strip.keyboard
    spot = keyboard.key_box(48).center().toPoint() + QPoint(0, 30)
    QTest.mousePress(keyboard, Qt.MouseButton.LeftButton, pos=spot)
    assert wait(lambda: set(np.flatnonzero(data["keys"])) == {48})
    QTest.mouseRelease(keyboard, Qt.MouseButton.LeftButton, pos=spot)
    assert wait(lambda: not data["keys"].any())
    desk.session.settings.keep(desk.session.settings.now.model_copy(update={"letter_keys": False}))
    QTest.keyClick(focus, Qt.Key.Key_Z)
    QTest.qWait(100)
    assert not data["keys"].any()
    pill = next(p for p in desk.window.findChildren(Pill) if p.text() == "Play")
    pill.setFocus()
    desk.keys(Qt.Key.Key_Return)
    assert desk.session.transport.playing
