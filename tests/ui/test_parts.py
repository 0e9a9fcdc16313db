"""The parts of the window, one by one: strip, header, rows, inspector, envelope editor, sheets."""

from __future__ import annotations

import errno
import inspect
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QLineEdit

from felt_dial import files
from felt_dial.bank.library.places import load_settings
from felt_dial.live.link import messages
from felt_dial.live.link.messages import (
    Compiling,
    Controllers,
    ControlsTurned,
    Devices,
    NotesTaken,
    Opened,
    ProgramAsked,
    Scheduled,
    TransportAsked,
)
from felt_dial.patch.params import CUBIC, Param
from felt_dial.patch.patch import sounding
from felt_dial.patch.units import KEY, SECONDS, Beats
from felt_dial.session.topics import Frame
from felt_dial.session.transport import SENTENCES
from felt_dial.sound.control.envelope import Envelope
from felt_dial.ui.dials.controls import NameEdit, Options, SwitchPill
from felt_dial.ui.dials.dial import Dial
from felt_dial.ui.dials.plain_slider import PlainSlider
from felt_dial.ui.dials.slider import Slider
from felt_dial.ui.frame.header import Sides
from felt_dial.ui.frame.strip import MacroDial
from felt_dial.ui.inspector.thread_list import DepthPill, ThreadList
from felt_dial.ui.pages.patch.layer_row import LAYER_MIME
from felt_dial.ui.pages.patch.modulator_tray import ModulatorCard
from felt_dial.ui.pages.patch.routing import Routing
from felt_dial.ui.pictures.drawn_lines import LinePicture
from felt_dial.ui.pictures.effects import EffectPicture
from felt_dial.ui.pictures.modulators import EnvelopePicture
from felt_dial.ui.theme.colours import NIGHT, OAT, cloth
from felt_dial.ui.theme.felt import wool_tile
from tests.ui.conftest import Desk


def image(widget: object) -> QImage:
    return widget.grab().toImage()  # type: ignore[attr-defined, no-any-return]


# --- the strip ---------------------------------------------------------------------------------


def test_everything_that_the_engine_says_is_heard(desk: Desk) -> None:
    desk.window.phrase_sheet, desk.window.settings_sheet  # noqa: B018  made when they are first asked for
    channel = desk.session.channel
    of_engine = [
        Compiling,
        TransportAsked,
        Opened,
        Scheduled,
        Devices,
        Controllers,
        ControlsTurned,
        ProgramAsked,
        NotesTaken,
    ]
    assert all(channel.hears(kind) for kind in of_engine)
    kinds = sorted(
        (kind for kind in vars(messages).values() if inspect.isclass(kind) and kind.__module__ == messages.__name__),
        key=lambda kind: inspect.getsourcelines(kind)[1],
    )
    said = {kind for kind in kinds[kinds.index(Opened) :] if issubclass(kind, tuple)}
    assert said == set(SENTENCES) | set(of_engine)


def test_the_wheels_turn_and_only_the_bend_springs_back(desk: Desk) -> None:
    strip = desk.window.strip
    for wheel in (strip.bend, strip.mod):
        at = QPoint(wheel.width() // 2, wheel.height() // 2 - 8)
        desk.drag(wheel, at, QPoint(at.x(), 4))
    assert strip.bend.value == 0.0 and strip.mod.value == 1.0
    events = desk.link.shared.received()
    assert max(e.value for e in events if e.kind == 2) == 1.0, "the bend was heard before it sprang back"
    assert [e.value for e in events if e.kind == 3][-1] == 1.0
    strip.mod.setFocus()
    QTest.keyClick(strip.mod, Qt.Key.Key_Down)
    assert strip.mod.value == pytest.approx(0.95)


def test_every_key_of_the_keyboard_is_under_its_place(desk: Desk) -> None:
    keyboard = desk.window.strip.keyboard
    for key in range(36, 97):
        box = keyboard.key_box(key)
        assert keyboard.key_at(QPointF(box.center().x(), box.bottom() - 3)) == key
    assert keyboard.key_at(QPointF(-5, 5)) == -1


def test_pressing_lower_on_a_key_is_louder(desk: Desk) -> None:
    keyboard = desk.window.strip.keyboard
    box = keyboard.key_box(60)
    for part in (0.65, 0.97):
        QTest.mouseClick(
            keyboard, Qt.MouseButton.LeftButton, pos=QPointF(box.center().x(), box.height() * part).toPoint()
        )
    soft, loud = (e.value for e in desk.link.shared.received() if e.kind == 0)
    assert 0.6 < soft < 0.8 < loud <= 1.0


def test_a_glide_over_the_keys_plays_them_one_after_the_other(desk: Desk) -> None:
    keyboard = desk.window.strip.keyboard
    first, last = keyboard.key_box(60), keyboard.key_box(64)
    low = round(first.bottom()) - 4
    desk.drag(keyboard, QPoint(round(first.center().x()), low), QPoint(round(last.center().x()), low), steps=16)
    events = [(e.kind, e.key) for e in desk.link.shared.received()]
    assert events == [(0, 60), (1, 60), (0, 62), (1, 62), (0, 64), (1, 64)]


def test_the_letter_keys_move_by_octaves(desk: Desk) -> None:
    desk.window.stack.setFocus()
    desk.keys(Qt.Key.Key_X, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClick(desk.window.stack, Qt.Key.Key_Z)
    assert [e.key for e in desk.link.shared.received() if e.kind == 0] == [72]
    assert "C5" in desk.window.strip.octave_label.text()
    desk.window.strip.louder(16)
    assert desk.session.transport.velocity == 112 and "112" in desk.window.strip.velocity.text()


def test_a_macro_is_named_where_it_stands_and_its_tooltip_says_what_it_moves(desk: Desk) -> None:
    macro = desk.window.strip.macros[0]
    assert "A Cutoff" in macro.toolTip() and "Feedback" in macro.toolTip()
    desk.rename(macro.name, "Glow")
    assert desk.session.patch.macros["m1"].name == "Glow"
    desk.session.editor.undo()
    assert macro.name.text() == "Bright" and desk.messages[-1] == "Undone: name macro 1 Glow."


def test_the_phrase_follows_the_kind_until_one_is_chosen_while_it_plays(desk: Desk) -> None:
    strip, session = desk.window.strip, desk.session
    assert strip.phrase.currentData() == "arpeggio"
    session.presets.neighbour(1)
    assert strip.phrase.currentData() == "brass"
    session.transport.play(True)
    session.transport.choose_phrase("drum")
    session.presets.neighbour(1)
    assert strip.phrase.currentData() == "drum" and strip.play.text() == "Playing"
    desk.window.silence()
    assert strip.play.text() == "Play" and not session.transport.playing


# --- the header --------------------------------------------------------------------------------


def test_the_tempo_is_typed_and_refused_outside_its_range(desk: Desk) -> None:
    tempo = desk.window.header.tempo
    tempo.press()
    desk.type("5")
    assert "20" in desk.entry().refusal
    desk.type("96 bpm")
    assert desk.session.editor.value("tempo") == 96.0 and tempo.value.startswith("96.0")


def test_a_double_click_on_a_and_b_copies_from_where_the_hand_came(desk: Desk) -> None:
    session = desk.session
    session.editor.set("layers.a.pitch", 7.0)
    assert session.editor.work.side == "a"
    sides = desk.find(Sides)
    QTest.mouseClick(sides, Qt.MouseButton.LeftButton)
    QTest.mouseDClick(sides, Qt.MouseButton.LeftButton)
    assert session.editor.work.side == "a" and session.editor.work.b == session.editor.work.a
    assert session.editor.value("layers.a.pitch") == 7.0


def test_letters_play_after_a_drop_down_was_used_and_change_nothing(desk: Desk) -> None:
    """A drop-down that keeps the focus takes no letters: they are keys of the keyboard, or nothing."""
    desk.select("out", "a")
    box = desk.find(Options, lambda found: found.path == "layers.a.out" and found.isVisible())
    box.setFocus()
    before = desk.session.patch
    for key in (Qt.Key.Key_N, Qt.Key.Key_B, Qt.Key.Key_K, Qt.Key.Key_R):
        QTest.keyClick(box, key)
    assert desk.session.patch is before


def test_escape_leaves_the_name_of_a_macro_as_it_was(desk: Desk) -> None:
    name = desk.find(MacroDial, lambda found: found.key == "m1").name
    was = name.text()
    name.setFocus()
    QTest.keyClicks(name, "Nonsense")
    QTest.keyClick(name, Qt.Key.Key_Escape)
    assert not name.hasFocus() and name.text() == was == desk.session.patch.macros["m1"].name


def test_a_step_to_the_next_preset_says_why_there_is_none(desk: Desk) -> None:
    desk.session.editor.new()
    desk.session.presets.neighbour(1)
    assert "is in no bank" in desk.messages[-1]


def test_a_click_flips_a_and_b(desk: Desk) -> None:
    QTest.mouseClick(desk.find(Sides), Qt.MouseButton.LeftButton)
    assert desk.session.editor.work.side == "b"


def test_a_long_name_ends_in_an_ellipsis_until_it_is_edited(desk: Desk) -> None:
    long = "A Very Long Name for a Sound of the Evening Glasshouse by the River"
    desk.session.editor.rename_patch(long)
    name = desk.window.header.preset.name
    assert name.text().endswith("…") and long in name.toolTip()
    name.setFocus()
    assert name.text() == long
    desk.window.stack.setFocus()
    assert name.text().endswith("…") and desk.session.patch.name == long


def test_the_tooltip_of_the_engine_lists_what_each_layer_and_effect_takes(desk: Desk) -> None:
    spent = {
        "layers.a.source": 0.01,
        "layers.a.filter": 0.005,
        "layers.b.source": 0.02,
        "layers.b.drive": 0.01,
        next(path for path in sounding(desk.session.patch) if path.startswith("racks.1.delay")): 0.003,
    }
    for n, path in enumerate(sounding(desk.session.patch)):
        desk.link.shared.data["costs"][n] = spent.get(path, 0.0)
    for _ in range(15):
        desk.session.channel.tell(Frame())
    tip = desk.window.header.engine.toolTip()
    assert "A Leaf: 1.5" in tip and "B Drop: 3.0" in tip and "Delay: 0.3" in tip


# --- rows, cards, inspector --------------------------------------------------------------------


def test_a_layer_is_dropped_on_another_and_takes_its_place(desk: Desk) -> None:
    data = QMimeData()
    data.setData(LAYER_MIME, b"b")
    desk.drop(data, desk.window.patch_page.rows["a"])
    QTest.qWait(20)
    assert list(desk.session.patch.layers) == ["b", "a"] and list(desk.window.patch_page.rows) == ["b", "a"]
    desk.session.editor.undo()
    assert list(desk.window.patch_page.rows) == ["a", "b"]


def test_the_level_and_pan_of_a_row_are_dragged_and_typed_by_arrow(desk: Desk) -> None:
    slider = desk.find(Slider, lambda s: s.path == "layers.b.pan")
    QTest.mouseClick(slider, Qt.MouseButton.LeftButton, pos=QPoint(slider.width() - 8, 10))
    assert desk.session.editor.value("layers.b.pan") == 1.0
    slider.setFocus()
    QTest.keyClick(slider, Qt.Key.Key_Left)
    assert float(desk.session.editor.value("layers.b.pan")) == pytest.approx(0.98)
    QTest.keyClick(slider, Qt.Key.Key_Delete)
    assert desk.session.editor.value("layers.b.pan") == 0.0


def test_switches_in_a_row_are_pressed_and_follow(desk: Desk) -> None:
    mute = desk.find(SwitchPill, lambda s: s.path == "layers.b.mute")
    QTest.mouseClick(mute, Qt.MouseButton.LeftButton)
    assert desk.session.editor.value("layers.b.mute") is True and mute.isChecked()
    desk.session.editor.undo()
    assert not mute.isChecked()


def test_the_inspector_gives_a_layer_another_envelope(desk: Desk) -> None:
    desk.select("level", "b")
    box = desk.find(QComboBox, lambda b: b.accessibleName() == "What shapes the level over time")
    box.setCurrentIndex(1)
    box.activated.emit(1)
    assert desk.session.patch.layers["b"].contour == "e2"
    assert "level of B" in desk.find(ModulatorCard, lambda c: c.key == "e2").toolTip()


def test_the_inspector_names_layers_and_modulators(desk: Desk) -> None:
    edit = desk.find(NameEdit, lambda n: n.accessibleName() == "Name")
    desk.rename(edit, "Fern")
    assert desk.session.patch.layers["a"].name == "Fern"
    desk.select("modulator", "e2")
    edit = desk.find(NameEdit, lambda n: n.accessibleName() == "Name")
    desk.rename(edit, "Shut")
    assert desk.session.patch.modulators["e2"].name == "Shut"
    assert desk.find(ModulatorCard, lambda c: c.key == "e2").name.text() == "Shut"


def test_the_whole_patch_has_its_dials_in_the_inspector(desk: Desk) -> None:
    routing = desk.find(Routing)
    QTest.mouseClick(routing, Qt.MouseButton.LeftButton, pos=routing.nodes()["out", ""].center().toPoint())
    voices = desk.dial("voices")
    voices.setFocus()
    desk.keys(Qt.Key.Key_Return)
    desk.type("4")
    assert desk.session.editor.value("voices") == 4
    desk.keys(Qt.Key.Key_Up)
    assert desk.session.editor.value("voices") == 5
    assert "rack 1 (Delay, Reverb)" in desk.find(Routing).words()


def test_the_inspector_lists_the_threads_of_the_dial_in_focus(desk: Desk) -> None:
    def depths() -> list[str]:
        QApplication.processEvents()
        found = desk.find(ThreadList)
        from PySide6.QtWidgets import QLabel

        texts = [part.text() for part in found.findChildren(QLabel) + found.findChildren(DepthPill) if part.isVisible()]
        return [text for text in texts if text.startswith(("+", "−")) or "nothing" in text]

    desk.dial("layers.a.filter.cutoff").setFocus()
    assert [d.split("\u2009")[0] for d in depths()] == ["+38", "+8", "+13"]
    desk.dial("layers.a.fine").setFocus()
    assert depths() == ["nothing moves it"]


def test_a_modulator_that_moves_nothing_says_so(desk: Desk) -> None:
    desk.window.patch_page.add_modulator("lfo")
    card = desk.find(ModulatorCard, lambda c: c.key == "l1")
    assert card.moves.text() == "moves nothing yet"
    desk.window.patch_page.show_only("lfo")
    assert list(desk.window.patch_page.cards) == ["l1"]


# --- the envelope editor -----------------------------------------------------------------------


@pytest.fixture
def editor(desk: Desk) -> EnvelopePicture:
    desk.select("modulator", "e1")
    found: EnvelopePicture = desk.find(EnvelopePicture, lambda w: w.large)
    return found


def place(editor: EnvelopePicture, x: float, y: float) -> QPoint:
    box = editor.box()
    return QPointF(box.left() + x * box.width(), box.bottom() - y * box.height()).toPoint()


@pytest.mark.parametrize("name", ["attack", "hold", "decay", "release", "delay"])
def test_every_point_of_an_envelope_can_be_dragged(desk: Desk, editor: EnvelopePicture, name: str) -> None:
    for other, value in (("delay", 0.2), ("attack", 0.3), ("hold", 0.4), ("decay", 0.5), ("release", 0.6)):
        desk.session.editor.set(f"modulators.e1.{other}", value)
    handle = next(h for h in editor.handles() if h.time == name)
    at = place(editor, handle.x, handle.y)
    before = float(desk.session.editor.value(f"modulators.e1.{name}"))
    desk.drag(editor, at, at + QPoint(-12 if name == "release" else 12, 0))
    after = float(desk.session.editor.value(f"modulators.e1.{name}"))
    assert (after < before) if name == "release" else (after > before)


def test_a_slope_is_dragged_to_bend_it_and_double_clicked_to_straighten_it(desk: Desk, editor: EnvelopePicture) -> None:
    desk.session.editor.set("modulators.e1.attack", 0.8)
    attack = next(h for h in editor.handles() if h.time == "attack")
    middle = place(editor, attack.x / 2, 0.4)
    desk.drag(editor, middle, middle - QPoint(0, 30))
    assert float(desk.session.editor.value("modulators.e1.attack_bend")) > 0.3
    QTest.mouseDClick(editor, Qt.MouseButton.LeftButton, pos=middle)
    assert desk.session.editor.value("modulators.e1.attack_bend") == 0.0


def test_the_drawn_envelope_ends_where_its_stages_say(editor: EnvelopePicture) -> None:
    x, y = editor.line()
    assert x[0] == 0.0 and x[-1] == pytest.approx(sum(width for _, width, _ in editor.stages()))
    assert (np.diff(x) >= 0).all() and y.max() == pytest.approx(0.96) and y[-1] == pytest.approx(0.0)


def test_the_playhead_stands_where_the_engine_says(desk: Desk, editor: EnvelopePicture) -> None:
    calm = image(editor)
    desk.link.shared.data["movers"][0] = (3.0, 0.3, 0.5, 0.5)
    desk.session.channel.tell(Frame())
    moving = image(editor)
    assert moving != calm and editor.seen_now == (3, 0.3, 0.5)
    desk.link.shared.data["movers"][0] = (6.0, 0.0, 0.0, 0.0)
    desk.session.channel.tell(Frame())
    assert image(editor) == calm, "a note that has ended leaves no playhead"
    assert isinstance(desk.session.patch.modulators["e1"], Envelope)


def test_an_lfo_is_drawn_from_its_phase(desk: Desk) -> None:
    desk.window.patch_page.add_modulator("lfo")
    picture = desk.find(LinePicture)
    before = image(picture)
    desk.session.editor.set("modulators.l1.phase", 180.0)
    assert image(picture) != before
    desk.session.editor.set("modulators.l1.phase", 360.0)
    assert image(picture) == before, "a whole turn later it is the same"


# --- effects, threads, sheets ------------------------------------------------------------------


def test_the_picture_of_the_delay_follows_tempo_and_bypass(desk: Desk) -> None:
    desk.window.show_page("Effects")
    picture = desk.find(EffectPicture, lambda p: p.large)
    seen = [image(picture)]
    for path, value in (
        ("racks.1.delay1.feedback", 0.8),
        ("racks.1.delay1.left", Beats(0.5)),
        ("racks.1.delay1.left", 0.21),
        ("tempo", 60.0),
        ("racks.1.delay1.on", False),
    ):
        desk.session.editor.set(path, value)
        seen.append(image(picture))
    assert all(a != b for a, b in pairwise(seen))


def test_a_note_length_that_an_end_cuts_off_is_marked_on_its_dial(desk: Desk) -> None:
    """Four beats at 20 bpm are 12 s: more than a delay has. The mark comes and goes with the tempo."""
    desk.window.show_page("Effects")
    desk.session.editor.set("racks.1.delay1.left", Beats(4.0))
    desk.session.editor.set("tempo", 120.0)
    dial = desk.dial("racks.1.delay1.left")
    assert not dial.figure().endswith("!")
    before = image(dial)
    desk.session.editor.set("tempo", 20.0)
    QTest.qWait(30)
    assert dial.figure().endswith("!") and "goes no further than" in dial.toolTip() and image(dial) != before
    assert "goes no further than" in dial.accessibleDescription()
    desk.session.editor.set("tempo", 120.0)
    QTest.qWait(30)
    assert not dial.figure().endswith("!") and "further" not in dial.toolTip()


def test_an_empty_rack_and_no_threads_say_what_would_go_there(desk: Desk) -> None:
    desk.session.editor.new()
    desk.window.show_page("Effects")
    from PySide6.QtWidgets import QLabel

    assert desk.find(QLabel, lambda label: "An effect that you add" in label.text())
    desk.window.show_page("Threads")
    assert desk.find(QLabel, lambda label: "A thread that you sew" in label.text())


def test_another_cloth_draws_everything_anew(desk: Desk) -> None:
    dial, tile = desk.dial("layers.a.pitch"), wool_tile().toImage()
    before = image(dial)
    cloth.wear(NIGHT)
    assert image(dial) != before and wool_tile().toImage() != tile
    cloth.wear(OAT)
    assert image(dial) == before


def test_another_library_folder_is_another_shelf(desk: Desk, tmp_path: Path) -> None:
    settings = desk.session.settings.now.model_copy(update={"library": str(tmp_path / "elsewhere")})
    desk.session.settings.keep(settings)
    assert desk.window.shelf.model.rowCount() == 0 and load_settings().library.endswith("elsewhere")
    assert desk.session.presets.save_new("Fern") and desk.window.shelf.model.rowCount() == 1
    assert (tmp_path / "elsewhere" / "first-sketches" / "presets" / "fern.json").exists()


def test_a_journal_that_cannot_be_written_is_said_and_the_work_goes_on(
    desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*_: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(files.os, "fsync", full)
    desk.session.editor.set("layers.a.pan", 0.5)
    desk.session.autosave.write()
    assert "No space left" in desk.messages[-1] and desk.session.editor.value("layers.a.pan") == 0.5


def test_pictures_and_dials_are_sharp_on_a_dense_screen(desk: Desk) -> None:
    """Faces and stitches are drawn at the screen's own density, not scaled up."""
    from felt_dial.ui.theme.felt import dial_face, sewn_ring

    for ratio in (1.0, 2.0):
        face = dial_face(16, False, False, ratio)
        assert face.devicePixelRatio() == ratio and face.width() == round((2 * 16 + 6) * ratio)
        ring = sewn_ring(17, (True,) * 25, "#B5482F", "#B7AC99", ratio)
        assert ring.width() == round((2 * 17 + 16) * ratio)


def test_a_dial_out_of_reach_of_the_engine_stands_still(desk: Desk) -> None:
    dials = [d for d in desk.window.findChildren(Dial) if d.isVisible()]
    before = [image(d) for d in dials]
    desk.session.channel.tell(Frame())
    assert [image(d) for d in dials] == before


def test_escape_leaves_a_search_and_letters_do_not_play_while_one_types(desk: Desk) -> None:
    desk.window.search()
    search = desk.find(QLineEdit, lambda e: e.accessibleName() == "Search presets")
    QTest.keyClicks(search, "moss")
    assert search.text() == "moss" and desk.link.shared.received() == []
    desk.window.show_page("Patch")
    assert desk.window.shown == "Patch"


# --- figures of benches --------------------------------------------------------------------------


def bench_slider(param: Param) -> tuple[PlainSlider, list[float]]:
    """A slider in a window of its own, and what it says when it is let go of."""
    made, heard = PlainSlider(param), list[float]()
    made.resize(240, 22)
    made.let_go.connect(heard.append)
    made.show()
    made.setFocus()
    QTest.qWaitForWindowExposed(made)
    return made, heard


def test_a_figure_of_a_bench_is_typed_in_its_unit_and_a_click_moves_nothing(desk: Desk) -> None:
    slider, heard = bench_slider(Param("held", 1.0, (0.02, 20.0), SECONDS, taper=CUBIC, says="How long"))
    QTest.mouseClick(slider, Qt.MouseButton.LeftButton, pos=QPoint(100, 11))
    assert slider.value == 1.0 and not heard, "a click gives the focus"
    for typed, seconds in (("350 ms", 0.35), ("2", 2.0), ("*2", 4.0), ("0.5 s", 0.5)):
        QTest.keyClick(slider, Qt.Key.Key_Return)
        assert slider.entry is not None
        slider.entry.setText(typed)
        QTest.keyClick(slider.entry, Qt.Key.Key_Return)
        assert slider.value == pytest.approx(seconds) == pytest.approx(heard[-1]), typed
    QTest.keyClicks(slider, "7")
    assert slider.entry.text() == "7", "a digit begins the entry"
    QTest.keyClick(slider.entry, Qt.Key.Key_Return)
    assert slider.value == 7.0
    QTest.keyClick(slider, Qt.Key.Key_Return)
    slider.entry.setText("900 s")
    QTest.keyClick(slider.entry, Qt.Key.Key_Return)
    assert slider.value == 7.0 and slider.entry.isVisible(), "what is refused is said where it was typed"
    QTest.keyClick(slider.entry, Qt.Key.Key_Escape)
    QTest.keyClick(slider, Qt.Key.Key_Delete)
    assert slider.value == 1.0
    desk.drag(slider, QPoint(80, 11), QPoint(120, 11))
    assert slider.value > 1.0 and heard[-1] == slider.value
    slider.close()


def test_a_figure_that_counts_moves_by_ones_and_names_keys(desk: Desk) -> None:
    slider, heard = bench_slider(Param("key", 60, (12, 108), KEY, whole=True, says="Which key"))
    QTest.keyClick(slider, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert slider.value == 61.0 and heard == [61.0] and slider.accessibleDescription() == "C#4"
    QTest.keyClick(slider, Qt.Key.Key_Return)
    assert slider.entry is not None
    slider.entry.setText("A3")
    QTest.keyClick(slider.entry, Qt.Key.Key_Return)
    assert slider.value == 57.0
    slider.close()
