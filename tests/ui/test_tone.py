"""Drives, filters, buses, the analyser and what is for the listener alone, in the real window."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from felt_dial.bank.library.snippets import Snippets
from felt_dial.live.link.messages import KeepSound, SetMonitor, SetQuality, SetTap, WriteSound
from felt_dial.live.link.shared_memory import SCOPE
from felt_dial.patch.module import Filter
from felt_dial.patch.patch import sounding
from felt_dial.patch.routing import bus_words
from felt_dial.patch.shaping import WAYS
from felt_dial.session.topics import Frame
from felt_dial.sound.spectra import across
from felt_dial.ui.dials.controls import Options, Pill, Upright
from felt_dial.ui.dials.dial import Dial
from felt_dial.ui.dials.snippet_button import SnippetPill
from felt_dial.ui.frame.analyser import Analyser
from felt_dial.ui.frame.header import EngineReading
from felt_dial.ui.inspector.layer_settings import Sends
from felt_dial.ui.inspector.tone import FilterKind, main_dial, shown
from felt_dial.ui.pages.patch.routing import Routing
from felt_dial.ui.pictures.analysis import Scope, Spectrum, Stages
from felt_dial.ui.pictures.drawn_lines import LineEditor
from felt_dial.ui.pictures.drives import ShapingPicture
from felt_dial.ui.pictures.effect_curves import EqualiserPicture
from felt_dial.ui.pictures.effect_levels import GatePicture, LevelPicture
from felt_dial.ui.pictures.filters import FilterCurve
from felt_dial.ui.theme.colours import dye
from tests.ui.conftest import Desk, wait

RATE = 48000


def dials(desk: Desk) -> set[str]:
    QApplication.processEvents()
    return {dial.path for dial in desk.window.findChildren(Dial) if dial.isVisible()}


def play(desk: Desk, sound: Any) -> None:
    """Puts a sound (channel, frame) where the engine would have put it, without an engine."""
    data = desk.link.shared.data
    ring = np.resize(np.asarray(sound, np.float32), (2, SCOPE))
    data["scope"][:], data["tap"][:2], data["tap"][2:] = ring, 0.5 * ring, ring
    data["scope_written"] = int(data["scope_written"]) + SCOPE


def tone(frequency: float, level: float = 0.5) -> Any:
    wave = level * np.sin(2 * np.pi * frequency * np.arange(SCOPE) / RATE)
    return np.array([wave, wave])


# --- filters and drives ------------------------------------------------------------------------


def test_every_kind_of_filter_is_chosen_drawn_and_has_its_dials(desk: Desk) -> None:
    session = desk.session
    desk.select("filter", "a")
    order = ("ladder", "acid", "shelf", "state_variable", "formant", "comb")
    assert set(order) == set(Filter.kinds)
    for kind in order:
        session.editor.set("layers.a.filter.cutoff", 620.0) if "cutoff" in session.patch.layers[
            "a"
        ].filter.params else None
        box = desk.find(FilterKind)
        n = box.findData(kind)
        box.setCurrentIndex(n)
        box.activated.emit(n)
        QApplication.processEvents()
        filter_ = session.patch.layers["a"].filter
        assert filter_.kind == kind and filter_.on  # type: ignore[attr-defined]
        if kind not in ("formant", "comb"):
            assert filter_.get("cutoff") == 620.0, "what two kinds share stays"
        names = [n for n in shown(filter_) if hasattr(filter_.params[n], "at")]
        assert {f"layers.a.filter.{name}" for name in names} <= dials(desk)
        curve = desk.find(FilterCurve, lambda c: c.large)
        before = curve.grab().toImage()
        session.editor.set(f"layers.a.filter.{main_dial(filter_)}", filter_.params[main_dial(filter_)].at(0.9))
        QApplication.processEvents()
        assert curve.grab().toImage() != before
        path = f"layers.a.filter.{curve.sideways()}"
        place = session.editor.value(path)
        desk.drag(curve, QPoint(150, 60), QPoint(110, 40))
        assert session.editor.value(path) != place and float(session.editor.value("layers.a.filter.resonance")) > 0.0
        assert session.editor.history.undo_says == "filter of layer A"


def test_a_cutoff_counted_from_the_key_shows_its_distance_instead(desk: Desk) -> None:
    desk.select("filter", "a")
    assert "layers.a.filter.cutoff" in dials(desk) and "layers.a.filter.distance" not in dials(desk)
    desk.session.editor.set("layers.a.filter.counted", "key")
    QApplication.processEvents()
    assert (
        "layers.a.filter.distance" in dials(desk) and desk.find(FilterCurve, lambda c: c.large).sideways() == "distance"
    )


def test_every_way_of_a_drive_is_shown_with_what_it_needs(desk: Desk) -> None:
    session = desk.session
    QTest.mouseRelease(desk.find(ShapingPicture, lambda p: p.path == "layers.a.drive"), Qt.MouseButton.LeftButton)
    assert session.editor.selection == ("drive", "a")
    session.editor.set("layers.a.drive.on", True)
    for way in WAYS:
        session.editor.set("layers.a.drive.amount", 12.0)
        session.editor.set("layers.a.drive.way", way)
        QApplication.processEvents()
        seen = dials(desk)
        assert ("layers.a.drive.bits" in seen) == (way == "reduce") and "layers.a.drive.amount" in seen
        picture = desk.find(ShapingPicture, lambda p: p.large)
        before = picture.grab().toImage()
        session.editor.set("layers.a.drive.amount", 40.0)
        QApplication.processEvents()
        assert picture.grab().toImage() != before, way


def test_a_drawn_curve_is_drawn_with_the_hand_and_kept_as_a_snippet(desk: Desk) -> None:
    session = desk.session
    desk.select("drive", "b")
    session.editor.set("layers.b.drive.way", "drawn")
    QApplication.processEvents()
    line = desk.find(LineEditor, lambda e: e.path == "layers.b.drive.curve")
    before = session.editor.value("layers.b.drive.curve")
    box = line.box()
    x, y = box.left() + 0.35 * box.width(), box.bottom() - 0.7 * box.height()
    desk.drag(line, QPoint(round(x), round(y)), QPoint(round(x) + 30, round(y) + 25))
    after = session.editor.value("layers.b.drive.curve")
    assert after != before and len(after) == len(before)  # type: ignore[arg-type]
    pill = desk.find(SnippetPill, lambda p: p.path == "layers.b.drive")
    pill.keep("Bent fern")
    kept = next(s for s in Snippets(session.shelf.library.root).all() if s.name == "Bent fern")
    assert kept.family == "drive"
    desk.select("drive", "a")
    desk.find(SnippetPill, lambda p: p.path == "layers.a.drive").take(kept)
    assert session.editor.value("layers.a.drive.curve") == after


# --- buses -------------------------------------------------------------------------------------


def test_the_routing_is_drawn_read_out_and_opened_stop_by_stop(desk: Desk) -> None:
    session = desk.session
    routing = desk.find(Routing)
    plain = routing.grab().toImage()
    session.editor.set("layers.a.out", "bus1")
    session.editor.set("buses.1.out", "bus3")
    session.editor.set("buses.1.drive.on", True)
    QApplication.processEvents()
    assert routing.grab().toImage() != plain
    assert "A → bus 1" in routing.words() and "bus 1 (soft drive) → bus 3" in routing.words()
    assert routing.accessibleDescription() == routing.words()
    QTest.mouseClick(routing, Qt.MouseButton.LeftButton, pos=routing.nodes()["bus", "1"].center().toPoint())
    assert session.editor.selection == ("bus", "1") and "buses.1.level" in dials(desk)
    QTest.mouseClick(routing, Qt.MouseButton.LeftButton, pos=routing.nodes()["layer", "b"].center().toPoint())
    assert session.editor.selection == ("out", "b")
    routing.setFocus()
    for _ in range(len(session.patch.layers)):
        desk.keys(Qt.Key.Key_Right)
    desk.keys(Qt.Key.Key_Return)
    assert session.editor.selection == ("bus", "1")
    QTest.mouseClick(routing, Qt.MouseButton.LeftButton, pos=routing.nodes()["rack", "1"].center().toPoint())
    assert desk.window.shown == "Effects"


def test_a_bus_is_set_in_the_inspector_and_only_goes_onward(desk: Desk) -> None:
    session = desk.session
    session.editor.set("layers.b.out", "bus2")
    desk.select("bus", "2")
    out = desk.find(Options, lambda o: o.path == "buses.2.out")
    assert [out.itemText(n) for n in range(out.count())] == ["Rack 1", "Direct", "Rack 2", "Bus 3"]
    box = desk.find(FilterKind)
    n = box.findData("comb")
    box.activated.emit(n)
    assert session.patch.buses["2"].filter.kind == "comb"  # type: ignore[attr-defined]
    assert bus_words(session.patch.buses["2"]) == "comb, all teeth"
    session.editor.undo()
    assert session.patch.buses["2"].filter.kind == "state_variable"  # type: ignore[attr-defined]


def test_a_send_is_added_drawn_thinner_read_out_and_cut(desk: Desk) -> None:
    """From the Out of a layer and from a bus; what a bus cannot reach stands in its menu with the reason, and does nothing."""
    session, routing = desk.session, desk.find(Routing)
    desk.select("out", "a")
    before = routing.grab().toImage()
    desk.find(Sends).send("bus2")
    QApplication.processEvents()
    assert routing.grab().toImage() != before and "A at −6.0\u2009dB also → bus 2" in routing.words()
    assert routing.accessibleDescription() == routing.words()
    dial = desk.dial("layers.a.sends.bus2.level")
    assert "Send to bus 2" in session.editor.label_of(dial.path)
    session.editor.set("layers.a.sends.bus2.level", -20.0)
    assert "A at −20.0\u2009dB also → bus 2" in routing.words()
    session.editor.undo()
    session.editor.undo()
    assert not session.patch.layers["a"].sends
    session.editor.redo()
    desk.select("bus", "2")
    sends = desk.find(Sends)
    sends.send("bus1")
    assert not session.patch.buses["2"].sends and "may come to it" in desk.messages[-1]
    sends.send("rack2")
    desk.window.show_page("Effects")
    assert desk.window.effects.second.comes.text() == "from Bus 2"
    desk.window.show_page("Patch")
    next(p for p in desk.find(Sends).findChildren(Pill) if p.text() == "Cut").click()
    assert not session.patch.buses["2"].sends and session.patch.layers["a"].sends


def test_lines_of_the_routing_pass_no_bus_that_they_do_not_go_through(desk: Desk) -> None:
    routing = desk.find(Routing)
    nodes = routing.nodes()
    boxes = [box for (what, _), box in nodes.items() if what == "bus"]
    assert all(not a.intersects(b) for n, a in enumerate(boxes) for b in boxes[n + 1 :])
    lanes = [box.center().y() for box in boxes]
    assert min(lanes) > 12 and max(lanes) < routing.height() - 12, "the lanes above and below are free"


def test_a_rack_says_what_comes_to_it_buses_and_the_other_rack_too(desk: Desk) -> None:
    session = desk.session
    for key in session.patch.layers:
        session.editor.set(f"layers.{key}.out", "bus1")
    session.editor.set("buses.1.out", "bus3")
    desk.window.show_page("Effects")
    page = desk.window.effects
    assert (page.rack.comes.text(), page.second.comes.text()) == ("from Bus 3", "from no layer yet")
    session.editor.set("buses.3.out", "rack2")
    assert (page.rack.comes.text(), page.second.comes.text()) == ("from rack 2", "from Bus 3")
    session.editor.set("rack2", "out")
    assert page.second.goes.text() == "to the output, as one chord"


# --- effects -----------------------------------------------------------------------------------


def test_only_this_taps_the_effect_and_leaving_the_page_lets_go(desk: Desk) -> None:
    desk.window.show_page("Effects")
    page, session = desk.window.effects, desk.session
    page.rack.add("reverb")
    assert desk.link.standing(SetTap) == SetTap(f"racks.1.{session.editor.effect}")
    page.alone.click()
    assert desk.link.standing(SetTap) == SetTap(f"racks.1.{session.editor.effect}", True)
    desk.window.show_page("Patch")
    assert desk.link.standing(SetTap) == SetTap()


def test_an_effect_is_copied_and_pasted_and_its_meters_show_both_levels(desk: Desk) -> None:
    desk.window.show_page("Effects")
    page, session = desk.window.effects, desk.session
    page.rack.add("drive")
    first = session.editor.effect
    session.editor.set(f"racks.1.{first}.amount", 21.0)
    desk.find(Pill, lambda p: p.text() == "Copy").click()
    page.paste("2")
    pasted = session.patch.racks["2"][session.editor.effect]
    QApplication.processEvents()
    assert session.editor.rack == "2" and pasted.get("amount") == 21.0
    place = sounding(session.patch).index(f"racks.2.{session.editor.effect}")
    desk.link.shared.data["steps"][place] = (0.5, 0.25)
    session.channel.tell(Frame())
    levels = [meter.level for meter in desk.window.findChildren(Upright) if meter.isVisible()]
    assert levels == pytest.approx([-6.02, -12.04], abs=0.02)


def test_a_gate_is_drawn_and_a_compressor_shows_what_it_does(desk: Desk) -> None:
    desk.window.show_page("Effects")
    page, session = desk.window.effects, desk.session
    page.rack.add("gate")
    gate = desk.find(GatePicture, lambda p: p.large)
    box, path = gate.box(), f"racks.1.{session.editor.effect}.s2"
    assert session.editor.value(path) == 0.0
    x = round(box.left() + 1.5 / 16 * box.width())
    desk.drag(gate, QPoint(x, round(box.bottom()) - 10), QPoint(x, round(box.top() + 0.25 * box.height())))
    assert session.editor.value(path) == pytest.approx(0.75, abs=0.03)
    session.editor.undo()
    assert session.editor.value(path) == 0.0, "one drag is one step"
    page.rack.add("compressor")
    picture = desk.find(LevelPicture, lambda p: p.large)
    desk.link.shared.data["readings"][sounding(session.patch).index(f"racks.1.{session.editor.effect}")] = -9.0
    session.channel.tell(Frame())
    shown, box = picture.grab().toImage(), picture.box()
    x, tall = round(box.right() - 6), box.height() - 24
    for part, red in ((0.05, True), (0.35, True), (0.40, False)):
        is_red = shown.pixelColor(x, round(box.top() + 4 + part * tall)) == dye("madder", in_well=True)
        assert is_red == red, "9 dB fill 9 of the bar's 24"


def test_the_ground_of_the_equaliser_sweeps_and_lets_go(desk: Desk) -> None:
    desk.window.show_page("Effects")
    desk.window.effects.rack.add("equaliser")
    play(desk, tone(1000.0))
    picture = desk.find(EqualiserPicture, lambda p: p.large)
    box = picture.box()
    at = QPoint(round(box.left() + across(1000.0) * box.width()), round(box.top()) + 4)
    QTest.mousePress(picture, Qt.MouseButton.LeftButton, pos=at)
    assert desk.link.standing(SetMonitor, "sweep").value == pytest.approx(1000.0, rel=0.02)
    assert not picture.grab().isNull()
    QTest.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=at)
    assert desk.link.standing(SetMonitor, "sweep").value == 0.0
    assert not desk.session.editor.history.undo_says.startswith("move band")


def test_with_no_effect_left_the_page_says_so_and_takes_new_ones(desk: Desk) -> None:
    from felt_dial.patch.edits import remove_effect

    desk.window.show_page("Effects")
    session = desk.session
    for key in list(session.patch.racks["1"]):
        session.editor.edit(remove_effect(session.patch, "1", key), "remove it")
    QApplication.processEvents()
    desk.window.effects.rack.add("trim")
    QApplication.processEvents()
    assert f"racks.1.{session.editor.effect}.wet" in dials(desk)


# --- the analyser ------------------------------------------------------------------------------


def test_the_analyser_opens_from_the_meter_docks_floats_and_closes(desk: Desk) -> None:
    window = desk.window
    window.header.analyser_asked.emit()
    analyser = desk.find(Analyser)
    assert not analyser.isWindow()
    analyser.dock.click()
    assert analyser.isWindow() and analyser.isVisible()
    analyser.dock.click()
    assert not analyser.isWindow() and analyser.isVisible()
    QTest.keyClick(window, Qt.Key.Key_M, Qt.KeyboardModifier.ControlModifier)
    assert not analyser.isVisible()


def test_a_floating_analyser_shows_all_in_two_rows_and_is_docked_again_once_closed(desk: Desk) -> None:
    window = desk.window
    window.toggle_analyser()
    analyser = window.analyser
    assert {p.geometry().top() for p in (analyser.spectrum, analyser.scope, analyser.stages)} == {6}
    analyser.dock.click()
    QTest.qWait(50)
    assert analyser.spectrum.geometry().top() == analyser.spectrogram.geometry().top() == 6
    assert analyser.scope.geometry().top() > analyser.spectrum.geometry().bottom() > 200
    assert analyser.spectrum.width() > 600
    analyser.close()
    window.toggle_analyser()
    QTest.qWait(50)
    assert not analyser.isWindow() and analyser.isVisible() and not analyser.dock.isChecked()
    assert analyser.scope.geometry().top() == 6


def test_the_spectrum_reads_note_and_level_under_the_pointer_and_freezes(desk: Desk) -> None:
    desk.window.toggle_analyser()
    analyser, session = desk.window.analyser, desk.session
    play(desk, tone(440.0, 0.5))
    session.channel.tell(Frame())
    heard = analyser.heard
    assert heard.after.max() == pytest.approx(-6.0, abs=1.6) and heard.before.max() == pytest.approx(-12.0, abs=1.6)
    spectrum = desk.find(Spectrum)
    spectrum.pointed = QPointF(120.0, 40.0)
    assert not spectrum.grab().isNull()
    analyser.freeze.click()
    frozen = heard.after.copy()
    play(desk, tone(3000.0, 0.9))
    session.channel.tell(Frame())
    assert np.array_equal(heard.after, frozen)
    analyser.freeze.click()
    analyser.keep.click()
    play(desk, tone(3000.0, 0.9))
    session.channel.tell(Frame())
    assert not np.array_equal(heard.after, frozen) and np.array_equal(heard.kept, frozen)
    assert analyser.values["True peak"].text().startswith("−0.9")
    for picture in (Scope, Stages):
        assert not desk.find(picture).grab().isNull()


def test_the_other_side_stays_as_a_line_and_every_stage_has_its_meters(desk: Desk) -> None:
    desk.window.toggle_analyser()
    session, heard = desk.session, desk.window.analyser.heard
    play(desk, tone(440.0))
    session.channel.tell(Frame())
    session.editor.flip()
    play(desk, tone(2000.0))
    session.channel.tell(Frame())
    assert set(heard.sides) == {"a", "b"}
    assert int(np.argmax(heard.sides["b"])) > int(np.argmax(heard.sides["a"]))
    session.editor.set("layers.a.drive.on", True)
    places = sounding(session.patch)
    desk.link.shared.data["steps"][places.index("layers.a.drive")] = (0.1, 1.4)
    rows = desk.find(Stages).rows()
    assert ("A drive", pytest.approx(0.1), pytest.approx(1.4)) in rows and any(name == "Rack 1" for name, *_ in rows)


def test_mono_and_limiter_are_for_the_listener_and_the_header_names_a_limiter_at_work(desk: Desk) -> None:
    desk.window.toggle_analyser()
    analyser = desk.window.analyser
    analyser.mono.click()
    analyser.limit.click()
    assert {what: desk.link.standing(SetMonitor, what).value for what in ("mono", "limits")} == {
        "mono": True,
        "limits": False,
    }
    desk.link.shared.data["held"] = -3.2
    desk.session.channel.tell(Frame())
    assert desk.window.header.held.text().replace("\u2009", " ") == "held −3.2 dB"
    desk.link.shared.data["held"] = 0.0
    desk.session.channel.tell(Frame())
    assert desk.window.header.held.text() == ""


def test_the_quality_is_chosen_in_the_header_and_kept(desk: Desk) -> None:
    reading = desk.find(EngineReading)
    actions = reading.menu().actions()
    assert [action.isChecked() for action in actions] == [True, False, False, False]
    actions[2].trigger()
    assert desk.session.settings.now.quality == 4 and desk.link.standing(SetQuality) == SetQuality(4)
    desk.session.channel.tell(Frame())
    assert reading.label == "At 4×"


def test_the_engine_plays_at_another_quality_without_a_click(open_desk: Any, tmp_path: Path) -> None:
    """A held sine goes on through a change of quality: no step larger than twice its own."""
    import soundfile

    desk = open_desk()
    session, link = desk.session, desk.link
    session.editor.new()
    for path, value in (("layers.a.source.shape", "sine"), ("layers.a.level", -12.0), ("modulators.e1.sustain", 1.0)):
        session.editor.set(path, value)
    assert wait(lambda: link.settled)
    link.note_on(57, 0.8)
    QTest.qWait(900)
    link.tell(KeepSound())
    QTest.qWait(300)
    session.settings.keep(session.settings.now.model_copy(update={"quality": 4}))
    assert wait(lambda: int(link.shared.data["quality"]) == 4, 30)
    QTest.qWait(500)
    link.tell(WriteSound(str(tmp_path / "kept.wav")))
    assert wait(lambda: (tmp_path / "kept.wav").exists())
    QTest.qWait(300)
    kept, rate = soundfile.read(tmp_path / "kept.wav")
    sound = kept[np.abs(kept).max(axis=1) > 0][:, 0]
    assert len(sound) > 0.5 * rate
    assert np.abs(np.diff(sound)).max() < 2.0 * np.abs(np.diff(sound[: rate // 8])).max() + 1e-4


def test_the_shelf_gives_the_analyser_room(desk: Desk) -> None:
    """What has no room in the details is scrolled to, and covers nothing."""
    desk.window.show_page("Shelf")
    desk.window.toggle_analyser()
    QApplication.processEvents()
    details = desk.window.shelf.details
    ways = [details.swatch, details.play, details.kind, details.character, details.description]
    tops = [way.mapTo(details, QPoint()).y() for way in ways]
    ends = [top + way.height() for top, way in zip(tops, ways, strict=True)]
    assert all(end <= top for end, top in zip(ends, tops[1:], strict=False))
    desk.window.toggle_analyser()
