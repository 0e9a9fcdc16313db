"""Movers, threads, macros, patterns and controllers in the real window."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox

from felt_dial.bank.library.places import control_map_path
from felt_dial.bank.library.snippets import Snippets
from felt_dial.live.link.messages import SendMidi
from felt_dial.patch.drawn import STRAIGHT
from felt_dial.patch.edits import add_modulator, remove_modulator, sew, threads_from
from felt_dial.patch.module import Modulator
from felt_dial.patch.patch import put, with_value
from felt_dial.patch.reach import reach, silent_because
from felt_dial.patch.units import THIN, Beats
from felt_dial.session.topics import Hovered
from felt_dial.sound.control.curve import READY
from felt_dial.sound.modules import new_patch
from felt_dial.ui.dials.controls import Pill
from felt_dial.ui.dials.dial import Dial
from felt_dial.ui.dials.param_control import VALUE_MIME
from felt_dial.ui.dials.snippet_button import SnippetPill
from felt_dial.ui.dials.tag import Tag
from felt_dial.ui.inspector.macro import MacroPart
from felt_dial.ui.inspector.modulator import DrawingTools, Inputs
from felt_dial.ui.inspector.pattern_player import PatternPicture
from felt_dial.ui.inspector.step_count import StepCount
from felt_dial.ui.inspector.thread_list import DepthPill
from felt_dial.ui.pages.threads.thread_table import HOW_FAR, MOVED_BY, SCALED_BY, WHAT
from felt_dial.ui.pictures.drawn_lines import LineEditor, LinePicture
from felt_dial.ui.pictures.drives import CurveEditor
from felt_dial.ui.pictures.modulators import ChancePicture, EnvelopePicture
from felt_dial.ui.pictures.points import read_figures, written
from felt_dial.ui.pictures.step_rows import StepsPicture
from tests.ui.conftest import Desk

CONTROL = Qt.KeyboardModifier.ControlModifier
CUTOFF = "layers.a.filter.cutoff"


def until(true: Callable[[], bool], milliseconds: int = 5000) -> bool:
    for _ in range(milliseconds // 20):
        if true():
            return True
        QTest.qWait(20)
    return true()


def image(widget: object) -> QImage:
    return widget.grab().toImage()  # type: ignore[attr-defined, no-any-return]


def add(desk: Desk, kind: str) -> str:
    desk.window.patch_page.add_modulator(kind)
    QApplication.processEvents()
    return desk.session.editor.selection[1]


# --- drawings ----------------------------------------------------------------------------------


def test_a_curve_is_drawn_by_hand(desk: Desk) -> None:
    """A point is dragged, one added by a double-click and taken away by Delete, a slope bent; one drag is one step back."""
    key = add(desk, "curve")
    picture = desk.find(LinePicture, lambda p: p.large and p.mover == key)
    box, before = picture.box(), picture.rows
    second = picture.spot(box, before[1]).toPoint()
    desk.drag(picture, second, second + QPoint(-30, 30))
    moved = picture.rows
    assert moved[1][0] < before[1][0] and moved[1][1] < before[1][1] and moved[0] == before[0]
    spot = QPoint(round(box.left() + 0.9 * box.width()), round(box.center().y()))
    QTest.mouseDClick(picture, Qt.MouseButton.LeftButton, pos=spot)
    assert len(picture.rows) == len(before) + 1
    QTest.keyClick(picture, Qt.Key.Key_Delete)
    assert len(picture.rows) == len(before)
    slope = QPoint(round(box.left() + 0.2 * box.width()), round(box.top() + 4))
    desk.drag(picture, slope, slope + QPoint(0, 25))
    assert picture.rows[0][2] < moved[0][2]
    for _ in range(4):
        desk.session.editor.undo()
    assert picture.rows == before


def test_a_curve_is_drawn_from_the_keyboard_and_snaps_to_its_grid(desk: Desk) -> None:
    key = add(desk, "curve")
    desk.session.editor.set(f"modulators.{key}.snap", "on")
    picture = desk.find(LinePicture, lambda p: p.large and p.mover == key)
    picture.setFocus()
    for pressed in (Qt.Key.Key_BracketRight, Qt.Key.Key_BracketRight, Qt.Key.Key_Left, Qt.Key.Key_Up):
        QTest.keyClick(picture, pressed)
    point = picture.rows[1]
    assert (point[0] * 8) % 1 == pytest.approx(0.0, abs=1e-9)
    QTest.keyClick(picture, Qt.Key.Key_Insert)
    assert len(picture.rows) == 5
    QTest.keyClick(picture, Qt.Key.Key_Delete)
    assert len(picture.rows) == 4


def test_ready_shapes_flip_mirror_double_copy_and_paste(desk: Desk) -> None:
    add(desk, "curve")
    tools = desk.find(DrawingTools)
    next(a for a in tools.menu().actions() if a.text() == "Riser").trigger()
    assert tools.rows == READY["Riser"]
    for name, points in (("Copy", 2), ("Double", 4), ("Flip", 4), ("Mirror", 4), ("Paste", 2)):
        QTest.mouseClick(desk.find(Pill, lambda p, n=name: p.text() == n), Qt.MouseButton.LeftButton)
        assert len(tools.rows) == points
    assert tools.rows == READY["Riser"]


def test_an_lfo_goes_by_its_drawing_once_one_is_asked_for(desk: Desk) -> None:
    key = add(desk, "lfo")
    picture = desk.find(LinePicture, lambda p: p.large and p.mover == key)
    assert not picture.editable()
    next(a for a in desk.find(DrawingTools).menu().actions() if a.text() == "Bursts").trigger()
    assert picture.editable() and desk.session.patch.modulators[key].shape == "drawn"


def test_steps_are_drawn_lane_by_lane_with_one_stroke(desk: Desk) -> None:
    key = add(desk, "steps")
    picture = desk.find(StepsPicture, lambda p: p.large and p.mover == key)
    box = picture.box().toRect()
    desk.drag(picture, QPoint(box.left() + 5, box.top() + 2), QPoint(box.right() - 5, box.top() + 2), steps=20)
    assert all(row[0] > 0.9 for row in picture.rows)
    QTest.mouseClick(desk.find(Pill, lambda p: p.text() == "Tie"), Qt.MouseButton.LeftButton)
    QTest.mouseClick(
        picture, Qt.MouseButton.LeftButton, pos=QPoint(box.left() + box.width() // 2 + 4, box.center().y())
    )
    assert [row[1] for row in picture.rows].count(1.0) == 1
    count, before = desk.find(StepCount), picture.rows
    assert count.value == len(before)
    QTest.keyClick(count, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert picture.rows[-1] == before[-1], "one more is as its neighbour is"
    assert len(picture.rows) == 9


def test_a_chance_shows_what_it_will_give_and_a_blend_what_it_reads(desk: Desk) -> None:
    key = add(desk, "chance")
    picture = desk.find(ChancePicture)
    before = image(picture)
    desk.session.editor.set(f"modulators.{key}.way", "smooth")
    assert image(picture) != before
    key = add(desk, "blend")
    box = desk.find(Inputs).findChildren(QComboBox)[0]
    box.activated.emit(box.findData("e2"))
    assert desk.session.patch.modulators[key].first == "e2"
    assert not desk.session.editor.try_edit(lambda: remove_modulator(desk.session.patch, "e2"), "remove E2")
    assert "is made of E2" in desk.messages[-1]


# --- threads -----------------------------------------------------------------------------------


def test_sewing_with_the_keyboard_alone(desk: Desk) -> None:
    """Focus, Ctrl+T, a mover and a depth; in hertz it counts by amount."""
    dial = desk.dial(CUTOFF)
    dial.setFocus()
    desk.window.sew()
    desk.type("m4 +500 Hz")
    thread = list(desk.session.patch.threads.values())[-1]
    assert (thread.source, thread.by, thread.depth) == ("m4", "amount", 500.0)
    desk.window.sew()
    desk.type("m4 +12 st")
    thread = list(desk.session.patch.threads.values())[-1]
    assert (thread.by, thread.depth) == ("ratio", 12.0)


def test_a_tag_under_the_hand_lights_what_it_moves(desk: Desk) -> None:
    dial = desk.dial(CUTOFF)
    desk.window.setFocus()
    dark = image(dial)
    desk.session.channel.tell(Hovered("e2"))
    assert image(dial) != dark
    desk.session.channel.tell(Hovered(""))
    assert image(dial) == dark


def test_every_cell_of_the_table_is_edited_where_it_stands(desk: Desk) -> None:
    desk.window.show_page("Threads")
    table, session = desk.window.threads.table, desk.session
    key = table.keys[0]
    assert table.setData(table.index(0, HOW_FAR), "+7 st") and session.patch.threads[key].depth == 7.0
    assert table.setData(table.index(0, MOVED_BY), "w") and session.patch.threads[key].source == "w"
    assert table.setData(table.index(0, SCALED_BY), "v") and session.patch.threads[key].scaled == "v"
    assert table.setData(table.index(0, WHAT), "layers.b.pan")
    thread = session.patch.threads[key]
    assert (thread.target, thread.depth) == ("layers.b.pan", 0.0), "a depth in semitones means nothing on a pan"
    assert not table.setData(table.index(0, WHAT), f"threads.{key}.depth") and "own depth" in desk.messages[-1]


def test_the_table_is_sorted_and_the_card_follows_the_choice(desk: Desk) -> None:
    desk.window.show_page("Threads")
    page = desk.window.threads
    sewn = list(page.table.keys)
    page.view.sort_by(MOVED_BY)
    names = [page.table.index(n, MOVED_BY).data() for n in range(len(sewn))]
    assert names == sorted(names, key=str.lower)
    page.view.sort_by(MOVED_BY)
    page.view.sort_by(MOVED_BY)
    assert page.table.keys == sewn
    page.view.choose(sewn[2])
    assert page.card.key == sewn[2]
    assert desk.dial(f"threads.{sewn[2]}.depth").session is desk.session


def test_a_shape_is_drawn_read_flipped_and_copied_with_the_thread(desk: Desk) -> None:
    desk.window.show_page("Threads")
    page, session = desk.window.threads, desk.session
    key = page.table.keys[0]
    line = desk.find(LineEditor, lambda w: w.path == f"threads.{key}.shape")
    box = line.box()
    assert line.rows == STRAIGHT and session.patch.threads[key].shape == ()
    QTest.mouseDClick(line, Qt.MouseButton.LeftButton, pos=QPoint(round(box.center().x()), round(box.bottom() - 2)))
    assert len(session.patch.threads[key].shape) == 3
    QTest.mouseClick(desk.find(Pill, lambda p: p.text() == "Inverted"), Qt.MouseButton.LeftButton)
    assert session.patch.threads[key].reading == "flipped"
    page.card.copy_to("layers.b.filter.cutoff")
    copy = list(session.patch.threads.values())[-1]
    assert copy.target == "layers.b.filter.cutoff" and copy.shape == session.patch.threads[key].shape
    assert page.card.key == list(session.patch.threads)[-1]
    page.view.switch_chosen()
    assert not list(session.patch.threads.values())[-1].on


def test_threads_that_meet_and_hit_the_end_are_said_in_red(desk: Desk) -> None:
    session = desk.session
    patch, key = sew(session.patch, "w", CUTOFF, 120.0)
    session.editor.edit(patch, "sew")
    desk.window.show_page("Threads")
    desk.window.threads.view.choose(key)
    QApplication.processEvents()
    texts = [label.text() for label in desk.window.threads.card.findChildren(type(desk.window.said.text))]
    assert any("Together they reach" in text and "stop at the top" in text for text in texts), texts


# --- macros, snippets, patterns ----------------------------------------------------------------


def test_a_macro_has_a_range_a_default_and_a_list_that_can_be_typed_and_put_in_order(desk: Desk) -> None:
    session = desk.session
    QTest.mouseClick(desk.find(Tag, lambda t: t.key == "m1"), Qt.MouseButton.LeftButton)
    assert session.editor.selection == ("macro", "m1")
    session.editor.set("macros.m1.default", 0.25)
    desk.find(Dial, lambda d: d.path == "macros.m1").reset()
    assert session.editor.value("macros.m1") == 0.25
    depth = desk.find(DepthPill)
    depth.take("+5 st")
    assert session.patch.threads[depth.key].depth == 5.0
    first = [key for key, thread in session.patch.threads.items() if thread.source == "m1"]
    QTest.mouseClick(desk.find(Pill, lambda p: p.text() == "Up" and p.isEnabled()), Qt.MouseButton.LeftButton)
    assert [key for key, thread in session.patch.threads.items() if thread.source == "m1"] == first[::-1]


def test_shaking_a_macro_changes_depths_within_the_dials_and_can_be_undone(desk: Desk) -> None:
    session = desk.session
    desk.select("macro", "m1")
    before = session.patch
    desk.find(MacroPart).shake(1.0)
    assert session.patch.threads != before.threads
    assert not any(reach(session.patch, thread)[2] for thread in threads_from(session.patch, "m1").values())
    session.editor.undo()
    assert session.patch == before


def test_a_snippet_is_kept_taken_and_begins_new_ones(desk: Desk) -> None:
    session = desk.session
    session.editor.set("modulators.e2.attack", 1.5)
    desk.select("modulator", "e2")
    pill = desk.find(SnippetPill, lambda p: p.path == "modulators.e2")
    pill.ask_name()
    desk.type("Slow dawn")
    kept = Snippets(session.shelf.library.root)
    mine = next(s for s in kept.fitting(session.patch.modulators["e2"]) if s.name == "Slow dawn")
    session.editor.set("modulators.e2.attack", 0.0)
    pill.take(mine)
    assert session.patch.modulators["e2"].attack == 1.5 and session.patch.modulators["e2"].name == "Close"
    pill.begin_with(mine)
    key = add(desk, "envelope")
    assert session.patch.modulators[key].attack == 1.5
    (kept.folder / "broken.json").write_text("{")
    desk.find(SnippetPill).menu()
    assert "broken.json" in desk.messages[-1]


def test_the_pattern_is_drawn_in_the_inspector(desk: Desk) -> None:
    QTest.mouseClick(desk.window.strip.pattern, Qt.MouseButton.LeftButton)
    picture = desk.find(PatternPicture)
    box = picture.box().toRect()
    QTest.mouseClick(picture, Qt.MouseButton.LeftButton, pos=QPoint(box.left() + 4, box.bottom() - 2))
    assert desk.session.patch.pattern.steps[0][2] < 0.1
    desk.session.editor.set("pattern.on", True)
    assert desk.window.strip.pattern.isChecked()


# --- controllers -------------------------------------------------------------------------------


def test_a_controller_is_learned_and_turns_the_dial(open_desk: Callable[[], Desk], tmp_path: Path) -> None:
    """Learned from the simulated controller's own window; 14 bits; kept with the person; exported as JSON."""
    desk = open_desk()
    session = desk.session
    desk.window.show_controller()
    controller = desk.window.controller
    assert controller is not None and session.settings.now.controller == "simulated"
    controller.perform.setChecked(False)
    controller.play_performance()
    session.control.learn("macros.m2")
    controller.knobs[21].setValue(64)
    assert until(lambda: session.control.map.entries == {21: "macros.m2"})
    assert until(lambda: session.editor.value("macros.m2") == pytest.approx(64 / 127, abs=1e-6))
    session.control.learn(CUTOFF)
    controller.knobs[16].setValue(8000)
    assert until(lambda: session.control.map.controls_of(CUTOFF) == [16])
    controller.knobs[16].setValue(16383)
    assert until(lambda: session.editor.value(CUTOFF) == 20000.0)
    assert json.loads(control_map_path().read_text())["controllers"] == {"16": CUTOFF, "21": "macros.m2"}
    session.control.export(tmp_path / "map.json")
    session.control.forget("controller 21")
    session.control.take_map(tmp_path / "map.json")
    assert session.control.names_of("macros.m2") == ["controller 21"]
    name = session.patch.name
    desk.link.tell(SendMidi([0xC0, 3]))
    assert until(lambda: session.patch.name != name)


def test_trying_a_macro_travels_in_the_engine_alone(open_desk: Callable[[], Desk]) -> None:
    desk = open_desk()
    session = desk.session
    desk.select("macro", "m1")
    part, before = desk.find(MacroPart), session.patch
    part.toggle()
    seen: list[float] = []
    assert until(lambda: bool(seen.append(desk.link.bead("macros.m1") or 0.0)) or max(seen) > 0.9, 6000)
    assert session.patch == before and session.transport.playing
    part.toggle()
    assert until(lambda: abs((desk.link.bead("macros.m1") or 9.0) - before.macros["m1"].value) < 0.01)
    assert not session.transport.playing


def test_playheads_run_where_notes_are(open_desk: Callable[[], Desk]) -> None:
    desk = open_desk()
    key = add(desk, "curve")
    desk.session.editor.edit(sew(desk.session.patch, key, "layers.a.pan", 0.5)[0], "sew")
    picture = desk.find(LinePicture, lambda p: p.large and p.mover == key)
    desk.link.note_on(60, 0.8)
    assert until(lambda: isinstance(picture.seen_now, tuple) and 0.1 < picture.seen_now[0] < 1.0)
    desk.link.note_off(60)


def test_a_clock_from_outside_is_shown_and_rules_while_it_comes(open_desk: Callable[[], Desk]) -> None:
    desk = open_desk()
    desk.window.show_controller()
    desk.window.controller.play_performance()
    before = desk.session.patch.tempo
    for _ in range(40):
        desk.link.tell(SendMidi([0xF8]))
        QTest.qWait(20)
    assert until(lambda: desk.window.header.tempo.label == "Clock")
    assert desk.session.patch.tempo == before
    assert until(lambda: desk.window.header.tempo.label == "Tempo"), "half a second after the last tick"


def test_sewing_to_what_is_off_says_so_and_offers_to_turn_it_on(desk: Desk) -> None:
    session = desk.session
    session.editor.new()
    desk.select("filter", "a")
    desk.dial("layers.a.filter.cutoff").drop_tag("m1")
    assert "The filter of A is off" in desk.window.said.text.text()
    answer = desk.find(QAbstractButton, lambda button: button.text() == "Turn it on")
    QTest.mouseClick(answer, Qt.MouseButton.LeftButton)
    assert session.editor.value("layers.a.filter.on") is True and len(session.patch.threads) >= 1
    session.editor.undo()
    assert session.editor.value("layers.a.filter.on") is False


@pytest.mark.parametrize(
    ("change", "path", "why"),
    [
        ({}, "layers.a.drive.amount", "The drive of A is off"),
        ({"layers.a.on": False}, "layers.a.pan", "Layer A is off"),
        ({"layers.a.out": "none"}, "layers.a.pan", "Layer A goes nowhere"),
        ({}, "layers.a.pan", ""),
    ],
)
def test_why_a_dial_is_not_heard(change: dict[str, object], path: str, why: str) -> None:
    patch = new_patch()
    for place, value in change.items():
        patch = with_value(patch, place, value)
    found = silent_because(patch, path)
    assert (found[0] if found else "") == why
    if found:
        for place, value in found[1].items():
            patch = with_value(patch, place, value)
        assert silent_because(patch, path) is None


def test_a_value_is_pasted_to_its_last_digit_and_what_is_none_of_ours_by_its_text(desk: Desk) -> None:
    """From dial to dial exactly; a wild clipboard is refused in words, or read as text."""
    session = desk.session
    session.editor.new()
    desk.select("filter", "a")
    session.editor.set("layers.a.filter.cutoff", 1234.56789)
    dial = desk.dial("layers.a.filter.cutoff")

    def choose(text: str) -> None:
        menu = dial.menu()
        next(action for action in menu.actions() if action.text() == text).trigger()

    choose("Copy value")
    session.editor.set("layers.a.filter.cutoff", 500.0)
    choose("Paste value")
    assert session.editor.value("layers.a.filter.cutoff") == 1234.56789
    for exact, text, expected in (
        ("a frequency/moss", "700 Hz", 700.0),
        ("a frequency/1e9", "1e9", 700.0),
        ("x", "2k", 2000.0),
    ):
        data = QMimeData()
        data.setData(VALUE_MIME, exact.encode())
        data.setText(text)
        QApplication.clipboard().setMimeData(data)
        choose("Paste value")
        assert session.editor.value("layers.a.filter.cutoff") == expected
    assert any("Not pasted" in said for said in desk.messages)


# --- points in figures ---------------------------------------------------------------------------


def test_a_point_of_a_curve_says_where_it_is_and_is_typed_in_time_and_level(desk: Desk) -> None:
    session = desk.session
    line = ((0.0, 0.0, 0.0), (0.5, 1.0, 0.0), (1.0, 0.0, 0.0))
    patch, key = add_modulator(session.patch, Modulator.kinds["curve"](length=2.0, line=line))
    session.editor.edit(patch, "a curve", select=("modulator", key))
    picture = desk.find(LinePicture, lambda one: one.large)
    spot = picture.spot(picture.box(), line[1]).toPoint()
    assert written(picture.figures(1)) == f"1.00{THIN}s  100{THIN}%"
    for typed, at, level in (("350 ms 40 %", 0.175, 0.4), ("1.5 s, 90", 0.75, 0.9), ("0.25 5%", 0.125, 0.05)):
        QTest.mouseDClick(picture, Qt.MouseButton.LeftButton, pos=spot)
        desk.type(typed)
        got = session.patch.modulators[key].line[1]  # type: ignore[attr-defined]
        assert got[:2] == pytest.approx((at, level)), typed
        spot = picture.spot(picture.box(), got).toPoint()
    QTest.mouseDClick(picture, Qt.MouseButton.LeftButton, pos=spot)
    desk.type("9 s 40 %")
    assert "outside" in desk.entry().refusal and "2.00" in desk.entry().refusal
    desk.type("somewhere")
    assert "is not a time and a percentage" in desk.entry().refusal
    QTest.keyClick(desk.entry(), Qt.Key.Key_Escape)
    steps = len(session.editor.history.sentences())
    picture.setFocus()
    QTest.keyClick(picture, Qt.Key.Key_Return)
    desk.type("1 s 50 %")
    assert len(session.editor.history.sentences()) == steps + 1, "one step"
    QTest.keyClick(picture, Qt.Key.Key_Delete)
    assert len(session.patch.modulators[key].line) == 2  # type: ignore[attr-defined]


def test_a_typed_point_goes_where_it_was_typed_or_is_refused(desk: Desk) -> None:
    """Between its neighbours; the first and the last have a level alone. Nothing is put elsewhere without a word."""
    session = desk.session
    line = ((0.0, 0.0, 0.0), (0.25, 1.0, 0.0), (0.5, 0.5, 0.0), (1.0, 0.2, 0.0))
    patch, key = add_modulator(session.patch, Modulator.kinds["curve"](length=2.0, line=line))
    session.editor.edit(patch, "a curve", select=("modulator", key))
    QApplication.processEvents()
    picture = desk.find(LinePicture, lambda one: one.large)
    picture.type_point(1)
    desk.type("1.2 s 40 %")
    assert "outside" in desk.entry().refusal and "1.00" in desk.entry().refusal and picture.rows == line
    desk.type("0.8 s 40 %")
    assert picture.rows[1][:2] == pytest.approx((0.4, 0.4))
    for n, at in ((0, 0.0), (3, 1.0)):
        picture.type_point(n)
        desk.type("1 s 70 %")
        assert "is not a percentage" in desk.entry().refusal
        desk.type("70 %")
        assert picture.rows[n][:2] == pytest.approx((at, 0.7))


def test_points_are_written_in_the_units_of_what_they_are(desk: Desk) -> None:
    """Every drawing: a curve, an LFO, the shape of a thread, a drive for both halves and for each."""
    session = desk.session
    patch, lfo = add_modulator(
        session.patch, Modulator.kinds["lfo"](shape="drawn", line=((0.0, 0.5, 0.0), (1.0, 1.0, 0.0)))
    )
    patch, curve = add_modulator(
        patch, Modulator.kinds["curve"](length=Beats(2.0), line=((0.0, 0.5, 0.0), (1.0, 1.0, 0.0)))
    )
    patch, thread = sew(with_value(patch, "tempo", 60.0), lfo, CUTOFF, 12.0)
    session.editor.edit(put(patch, ["threads", thread, "shape"], ((0.0, 0.5, 0.0), (1.0, 1.0, 0.0))), "all")
    drive = ((0.0, 0.5, 0.0), (1.0, 1.0, 0.0))
    session.editor.edit(put(session.patch, ["layers", "a", "drive", "curve"], drive), "a drive")
    made = {
        "curve": LinePicture(session, f"modulators.{curve}", "lichen", large=True),
        "lfo": LinePicture(session, f"modulators.{lfo}", "woad", large=True),
        "thread": LineEditor(session, f"threads.{thread}.shape", "weld"),
        "drive": CurveEditor(session, "layers.a.drive.curve", "weld"),
    }
    shown = {name: written(picture.figures(0)).replace(THIN, " ") for name, picture in made.items()}
    assert (
        shown["curve"] == "0 ms  50 %"
        and shown["lfo"] == "0°  0 %"
        and shown["thread"] == shown["drive"] == "0 %  50 %"
    )
    assert written(made["curve"].figures(1)).replace(THIN, " ") == "2.00 s  100 %", "two beats at 60"
    session.editor.set("layers.a.drive.odd", False)
    assert written(made["drive"].figures(0)).replace(THIN, " ") == "−100 %  0 %", "from one side to the other"
    for picture in made.values():
        for n in range(2):
            (across, at), (up, level) = picture.figures(n)
            assert read_figures(written(picture.figures(n)), picture.figures(n)) == pytest.approx([at, level])
            assert across.unit is not None and up.low <= level <= up.high


def test_a_point_of_an_envelope_is_typed(desk: Desk) -> None:
    session = desk.session
    desk.select("modulator", "e1")
    picture = desk.find(EnvelopePicture, lambda one: one.large)
    picture.type_point("decay")
    desk.type("420 ms 35 %")
    assert session.editor.value("modulators.e1.decay") == pytest.approx(0.42)
    assert session.editor.value("modulators.e1.sustain") == pytest.approx(0.35)
    session.editor.undo()
    assert session.editor.value("modulators.e1.decay") != pytest.approx(0.42), "both are one step"
    picture.type_point("decay")
    desk.type("1/8d 20")
    assert session.editor.value("modulators.e1.decay") == Beats(0.75), "a time may be beats, as on its dial"
    assert session.editor.value("modulators.e1.sustain") == pytest.approx(0.2)
    picture.type_point("release")
    desk.type("80")
    assert session.editor.value("modulators.e1.release") == pytest.approx(0.08)


def test_steps_are_counted_and_typed(desk: Desk) -> None:
    key = add(desk, "steps")
    picture, count = desk.find(StepsPicture, lambda one: one.large), desk.find(StepCount)
    QTest.keyClick(count, Qt.Key.Key_Return)
    desk.type("12")
    assert len(picture.rows) == 12 == count.value
    desk.session.editor.undo()
    assert count.value == len(picture.rows) != 12
    picture.setFocus()
    picture.chosen = 2
    QTest.keyClick(picture, Qt.Key.Key_Return)
    desk.type("37")
    assert desk.session.patch.modulators[key].row[2][0] == pytest.approx(0.37)  # type: ignore[attr-defined]
    QTest.keyClick(picture, Qt.Key.Key_Return)
    desk.type("170 %")
    assert "outside" in desk.entry().refusal and "100" in desk.entry().refusal
    QTest.keyClick(desk.entry(), Qt.Key.Key_Escape)
