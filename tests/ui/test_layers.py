"""Layers and modulators as wholes: menus, Delete, copies that are chosen, several chosen at once, letters that are dragged."""

from __future__ import annotations

from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QAction, QContextMenuEvent, QDragEnterEvent, QDragMoveEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QMenu, QWidget

from felt_dial.patch.edits import add_effect, add_modulator, duplicate_layer, move_layer, sew, without_idle_modulators
from felt_dial.patch.module import Effect, Filter, Modulator, Module
from felt_dial.patch.params import Choice
from felt_dial.patch.patch import put
from felt_dial.patch.shaping import Shaper
from felt_dial.sound.modules import new_patch
from felt_dial.ui.dials.controls import SwitchPill
from felt_dial.ui.dials.scrolling import Scroller
from felt_dial.ui.dials.shake_pill import ShakePill
from felt_dial.ui.inspector.level_shaper import LevelShaper
from felt_dial.ui.pages.patch.layer_row import LAYER_MIME
from tests.ui.conftest import Desk, wait

LEFT, CTRL, SHIFT = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
HEAD = QPoint(60, 8)
"""A place in a row that is no control."""


def pick(desk: Desk, widget: QWidget, text: str) -> None:
    """Takes a line of a menu that opens by the right button, in a menu within it where a line is `Menu/Line`."""
    at = widget.rect().center() if widget.height() < 40 else QPoint(60, 8)
    QApplication.sendEvent(widget, QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, widget.mapToGlobal(at)))
    menu = next(m for m in QApplication.topLevelWidgets() if isinstance(m, QMenu) and m.isVisible())
    *into, line = text.split("/")
    kept = [menu]  # a menu within it lives as long as somebody here holds it
    for name in into:
        inner = next(m for m in kept[-1].findChildren(QMenu) if m.title() == name)
        kept.append(inner)
    action: QAction = next(a for a in kept[-1].actions() if a.text().split("\t")[0].startswith(line))
    assert action.isEnabled(), text
    action.trigger()
    menu.close()
    QApplication.processEvents()


def three(desk: Desk) -> None:
    for _ in range(2):
        desk.session.editor.edit(duplicate_layer(desk.session.patch, "a")[0], "one more")
    assert list(desk.session.patch.layers)[-1] in "cd"


def test_a_copy_is_chosen_and_letters_stay_in_order(desk: Desk) -> None:
    session = desk.session
    desk.select("filter", "a")
    desk.keys(Qt.Key.Key_D, CTRL)
    fresh = session.editor.selection[1]
    assert (
        session.editor.selection[0] == "filter"
        and fresh != "a"
        and list(session.patch.layers) == sorted(session.patch.layers)
    )
    session.editor.undo()
    assert session.editor.selection == ("filter", "a")
    desk.keys(Qt.Key.Key_C, CTRL)
    desk.keys(Qt.Key.Key_V, CTRL)
    assert session.editor.selection == ("filter", fresh)
    pick(desk, desk.window.patch_page.rows["a"], "Duplicate")
    assert session.editor.selection[1] not in ("a", fresh)


def test_a_copy_takes_the_place_of_its_letter_unless_layers_stand_otherwise() -> None:
    patch = new_patch()
    for _ in range(2):
        patch, _ = duplicate_layer(patch, "a")
    assert list(patch.layers) == ["a", "b", "c"]
    patch, key = duplicate_layer(move_layer(patch, "c", 0), "c")
    assert key == "d" and list(patch.layers) == ["c", "d", "a", "b"]


def test_a_copy_with_its_movers_moves_by_itself() -> None:
    patch, lfo = add_modulator(new_patch(), Modulator.kinds["lfo"]())
    patch, _ = sew(patch, lfo, "layers.a.pitch", 3.0)
    patch, _ = sew(patch, "m1", "layers.a.pan", 0.5)
    patch, _ = sew(patch, "m2", f"modulators.{lfo}.rate", 2.0)
    made, key = duplicate_layer(patch, "a", own_movers=True)
    copy = made.layers[key]
    assert copy.contour != patch.layers["a"].contour and copy.contour in made.modulators
    ends = {(thread.source, thread.target) for thread in made.threads.values()}
    assert ("l2", f"layers.{key}.pitch") in ends and (lfo, "layers.a.pitch") in ends
    assert ("m1", f"layers.{key}.pan") in ends and ("m2", "modulators.l2.rate") in ends
    assert ("l1", f"layers.{key}.pitch") not in ends


def test_delete_takes_away_what_is_chosen_and_remove_stands_at_the_head(desk: Desk) -> None:
    session = desk.session
    three(desk)
    layers = list(session.patch.layers)
    desk.select("source", layers[-1])
    QTest.keyClick(desk.window, Qt.Key.Key_Delete)
    assert list(session.patch.layers) == layers[:-1]
    patch, key = add_modulator(session.patch, Modulator.kinds["lfo"]())
    session.editor.edit(patch, "add", select=("modulator", key))
    QTest.keyClick(desk.window, Qt.Key.Key_Delete)
    assert key not in session.patch.modulators
    session.editor.undo()
    for what, remaining in ((("modulator", key), "modulators"), (("source", layers[1]), "layers")):
        desk.select(*what)
        head = desk.find(QAbstractButton, lambda w: w.text() == "Remove" and w.y() < 60)
        head.click()
        assert what[1] not in getattr(session.patch, remaining)
    desk.select("source", "a")
    dial = desk.dial("layers.a.pitch")
    session.editor.set("layers.a.pitch", 7.0)
    QTest.keyClick(dial, Qt.Key.Key_Delete)
    assert "a" in session.patch.layers and session.editor.value("layers.a.pitch") == 0.0, "a dial keeps its own key"


def test_what_is_set_on_one_of_several_chosen_is_set_on_all_as_one_step(desk: Desk) -> None:
    session, page = desk.session, desk.window.patch_page
    three(desk)
    first, second, third = list(session.patch.layers)[:3]
    desk.select("source", first)
    QTest.mouseClick(page.rows[third], LEFT, CTRL, HEAD)
    assert session.editor.chosen == {first, third}
    for name, value in (("level", -21.0), ("pan", 0.4), ("out", "bus2"), ("solo", True), ("drive.amount", 6.0)):
        session.editor.set(f"layers.{first}.{name}", value)
        assert (
            session.editor.value(f"layers.{third}.{name}") == value != session.editor.value(f"layers.{second}.{name}")
        )
    assert len(session.editor.history.sentences()) >= 5 and "of 2 layers" in session.editor.history.undo_says
    session.editor.undo()
    assert session.editor.value(f"layers.{third}.drive.amount") != 6.0
    QTest.mouseClick(page.rows[first], LEFT, SHIFT, HEAD)
    assert session.editor.chosen == {first, second, third}
    assert "chosen together" in desk.messages[-1]
    desk.select("source", second)
    session.editor.set(f"layers.{second}.level", -30.0)
    assert session.editor.value(f"layers.{third}.level") == -21.0, "one that is chosen alone is set alone"
    QTest.mouseClick(page.rows[third], LEFT, CTRL, HEAD)
    pick(desk, page.rows[third], "Remove 2 layers")
    assert first in session.patch.layers and second not in session.patch.layers and third not in session.patch.layers


def test_the_menu_of_a_row_does_what_it_says(desk: Desk) -> None:
    session, page = desk.session, desk.window.patch_page
    three(desk)
    first, second = list(session.patch.layers)[:2]
    pick(desk, page.rows[first], "Goes to/Bus 2")
    assert session.patch.layers[first].out == "bus2"
    pick(desk, page.rows[first], "Mute")
    assert session.editor.value(f"layers.{first}.mute")
    pick(desk, page.rows[first], "Move down")
    assert list(session.patch.layers)[:2] == [second, first]


def test_an_envelope_is_shared_where_that_is_wished_and_idle_movers_go_in_one_act(desk: Desk) -> None:
    session = desk.session
    desk.window.patch_page.add_layer()
    key = session.editor.selection[1]
    own = session.patch.layers[key].contour
    share = desk.find(QAbstractButton, lambda w: w.text().startswith("Share that of"))
    share.click()
    assert session.patch.layers[key].contour != own and own not in session.patch.modulators
    patch, lfo = add_modulator(session.patch, Modulator.kinds["lfo"]())
    patch, curve = add_modulator(patch, Modulator.kinds["curve"]())
    session.editor.edit(sew(patch, curve, "layers.a.pan", 0.1)[0], "two more")
    assert without_idle_modulators(session.patch)[1] == [lfo]
    pick(desk, desk.window.patch_page.cards[lfo], "Remove all that move nothing")
    assert lfo not in session.patch.modulators and curve in session.patch.modulators
    pick(desk, desk.window.patch_page.cards[curve], "Remove all that move nothing")
    assert "moves something" in desk.messages[-1] or "Every modulator" in desk.messages[-1]


def test_a_letter_that_is_dropped_on_a_bus_goes_there(desk: Desk) -> None:
    session, routing = desk.session, desk.window.patch_page.routing
    nodes = routing.nodes()
    for node, where in ((("bus", "2"), "bus2"), (("rack", "2"), "rack2"), (("out", ""), "direct")):
        at, data = nodes[node].center(), QMimeData()
        data.setData(LAYER_MIME, b"a")
        words = (data, LEFT, Qt.KeyboardModifier.NoModifier)
        QApplication.sendEvent(routing, QDragEnterEvent(at.toPoint(), Qt.DropAction.MoveAction, *words))
        move = QDragMoveEvent(at.toPoint(), Qt.DropAction.MoveAction, *words)
        QApplication.sendEvent(routing, move)
        assert move.isAccepted()
        QApplication.sendEvent(routing, QDropEvent(QPointF(at), Qt.DropAction.MoveAction, *words))
        assert wait(lambda where=where: session.patch.layers["a"].out == where, 2.0), where
    move = QDragMoveEvent(QPoint(routing.width() // 2, 2), Qt.DropAction.MoveAction, *words)
    QApplication.sendEvent(routing, move)
    assert not move.isAccepted()


def test_many_movers_stand_in_rows_and_none_is_out_of_sight(desk: Desk) -> None:
    session, page = desk.session, desk.window.patch_page
    patch = session.patch
    for kind in ("lfo", "curve", "steps", "chance", "lfo", "curve"):
        patch, _ = add_modulator(patch, Modulator.kinds[kind]())
    session.editor.edit(patch, "six more")
    QApplication.processEvents()
    view = page.tray.scroller.viewport()
    for card in page.cards.values():
        corner = card.mapTo(view, QPoint(card.width(), card.height()))
        assert 0 <= corner.x() <= view.width() + 1 and 0 <= corner.y() <= view.height() + 1
    assert page.tray.scroller.horizontalScrollBar().maximum() == 0


def test_a_message_covers_nothing(desk: Desk) -> None:
    window = desk.window
    window.session.say("A sentence that has a place of its own.")
    QApplication.processEvents()
    said = window.said.geometry()
    for part in (window.stack, window.strip, window.header):
        assert not said.intersects(part.geometry())
    window.session.say("A long one. " * 40, problem=True)
    QApplication.processEvents()
    assert window.said.height() > said.height() and not window.said.geometry().intersects(window.stack.geometry())


def test_the_level_of_a_layer_or_a_bus_goes_by_a_new_mover_in_one_gesture(desk: Desk) -> None:
    session = desk.session
    desk.select("level", "a")
    shaper = desk.find(LevelShaper)
    shaper.box.activated.emit(shaper.box.findData("new curve"))
    QApplication.processEvents()
    key = session.patch.layers["a"].contour
    assert session.patch.modulators[key].kind == "curve" and session.editor.history.undo_says.endswith(key.upper())
    row = desk.window.patch_page.rows["a"]
    assert (
        row.pictures["level"].path == f"modulators.{key}" and type(row.pictures["level"]).__name__ != "EnvelopePicture"
    )
    assert "level of A" in desk.window.patch_page.cards[key].moves.text()
    session.editor.undo()
    assert (
        session.patch.layers["a"].contour == "e1"
        and desk.window.patch_page.rows["a"].pictures["level"].path == "modulators.e1"
    )
    desk.select("bus", "2")
    shaper = desk.find(LevelShaper)
    assert shaper.box.currentText() == "Full level"
    shaper.box.activated.emit(shaper.box.findData("e1"))
    assert session.patch.buses["2"].contour == "e1"
    shaper = desk.find(LevelShaper)
    shaper.box.activated.emit(shaper.box.findData(""))
    assert session.patch.buses["2"].contour == ""


def test_choosing_a_type_of_what_is_off_turns_it_on_and_no_hollow_pill_says_on(desk: Desk) -> None:
    session = desk.session
    for path, value in (("layers.b.filter.response", "high 12"), ("layers.b.drive.way", "hard")):
        switch = path.rpartition(".")[0] + ".on"
        assert not session.editor.value(switch)
        session.editor.set(path, value)
        assert session.editor.value(switch) and session.editor.value(path) == value
        session.editor.undo()
        assert not session.editor.value(switch) and session.editor.value(path) != value, "one step"
    session.editor.set("layers.b.out", "bus1")
    session.editor.set("layers.b.on", False)
    session.editor.set("layers.b.trigger", "up")
    assert not session.editor.value("layers.b.on"), "a layer that is off stays so"
    for _ in range(2):
        for pill in desk.window.findChildren(SwitchPill):
            if pill.word == "On" and pill.isVisible() and not pill.short:
                assert pill.text() == ("On" if pill.isChecked() else "Off"), pill.path
        desk.window.show_page("Effects")


def test_a_module_is_shaken_where_it_stands_and_each_go_is_one_step(desk: Desk) -> None:
    session = desk.session
    desk.select("filter", "a")
    before, steps = session.patch, len(session.editor.history.sentences())
    pill = desk.find(ShakePill, lambda one: one.path == "layers.a.filter")
    menu = pill.open()
    go = next(b for b in menu.findChildren(QAbstractButton) if b.text() == "Shake it")
    go.click()
    first = session.patch
    assert first != before and menu.isVisible(), "one may go on"
    go.click()
    menu.close()
    assert session.patch != first and len(session.editor.history.sentences()) == steps + 2
    assert "filter" in session.editor.history.undo_says.lower()
    session.editor.undo()
    assert session.patch == first
    session.editor.undo()
    assert session.patch == before


def test_nothing_in_the_inspector_is_cut_at_the_side(desk: Desk) -> None:
    session, inspector = desk.session, desk.window.patch_page.inspector
    session.presets.open("glasshouse-at-dusk", "forked-path")
    patch, steps = add_modulator(session.patch, Modulator.kinds["steps"]())
    session.editor.edit(patch, "steps")
    for part, key in (
        *((cell, "a") for cell in ("source", "drive", "filter", "level", "out")),
        *(
            ("bus", "1"),
            ("bus", "2"),
            ("bus", "3"),
            ("modulator", "e1"),
            ("modulator", steps),
            ("patch", ""),
            ("pattern", ""),
            ("macro", "m1"),
        ),
    ):
        desk.select(part, key)
        QTest.qWait(30)
        scroller = inspector.findChild(Scroller)
        assert scroller is not None
        assert scroller.widget().minimumSizeHint().width() <= scroller.viewport().width(), (part, key)


def test_delete_in_the_drawer_or_the_strip_takes_no_layer_away(desk: Desk) -> None:
    session, window = desk.session, desk.window
    three(desk)
    layers = list(session.patch.layers)
    desk.select("source", layers[1])
    window.open_drawer()
    QTest.qWait(50)
    for widget in (window.drawer.list, window.strip.macros[0], window.header.preset):
        widget.setFocus()
        desk.keys(Qt.Key.Key_Delete)
        assert list(session.patch.layers) == layers, type(widget).__name__
    window.stack.setFocus()
    desk.keys(Qt.Key.Key_Delete)
    assert list(session.patch.layers) == [key for key in layers if key != layers[1]]
    assert "undo brings it back" in desk.messages[-1]


def test_another_sound_has_no_layers_chosen_together(desk: Desk) -> None:
    session = desk.session
    session.editor.choose_layers(("a", "b"))
    session.presets.open("glasshouse-at-dusk", "lantern-brass")
    assert session.editor.chosen == set()
    before = session.editor.value("layers.b.level")
    session.editor.set("layers.a.level", -33.0)
    assert session.editor.value("layers.b.level") == before


def test_every_choice_of_what_something_is_turns_it_on_and_no_other(desk: Desk) -> None:
    """All drives, filters and effects, each with every one of its choices."""
    session = desk.session
    places: list[tuple[str, Module]] = [("layers.a.drive", Shaper()), ("buses.1.after", Shaper())]
    places += [(f"{place}.filter", cls()) for cls in Filter.kinds.values() for place in ("layers.a", "buses.2")]
    places += [("racks.1", cls(on=False)) for cls in Effect.kinds.values()]
    tried = 0
    for place, module in places:
        if place == "racks.1":
            patch, key = add_effect(new_patch(), "1", module.model_copy(update={"on": False}))  # type: ignore[arg-type]
            place = f"racks.1.{key}"
        else:
            patch = put(new_patch(), place.split("."), module)
        for name, param in module.params.items():
            if not isinstance(param, Choice):
                continue
            session.editor.edit(patch, "begin")
            other = next(one for one in param.ids if one != module.get(name))
            session.editor.set(f"{place}.{name}", other)
            assert session.editor.value(f"{place}.on") is (name != "counted"), f"{place}.{name}"
            tried += 1
    assert tried > 30
