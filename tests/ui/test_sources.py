"""Sources in the window: chosen, loaded, drawn, missed and found; layers among others; tunings and controllers."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QLabel

from felt_dial.live.link.messages import TakeController
from felt_dial.patch.edits import replace_module
from felt_dial.patch.module import Source
from felt_dial.patch.patch import param_at
from felt_dial.session.copying import copy_layer, paste_layer
from felt_dial.session.topics import Asked
from felt_dial.sound.matter import assets
from felt_dial.sound.sources.core.travel import READY
from felt_dial.ui.dials.controls import Pill
from felt_dial.ui.dials.dial import Dial
from felt_dial.ui.inspector.layer_settings import Inlets, TuningRow
from felt_dial.ui.inspector.panel import Inspector
from felt_dial.ui.inspector.source import Material, SourceKind
from felt_dial.ui.pictures.recordings import GrainsPicture, PartialsPicture, SamplePicture
from felt_dial.ui.pictures.registry import PICTURES
from felt_dial.ui.pictures.sources import SourcePicture
from tests.sound.rooted import Case, recording
from tests.ui.conftest import Desk

TONE = 0.5 * np.sin(2 * np.pi * 220 * np.arange(24000) / 48000)


def source_of(desk: Desk, layer: str = "a") -> Source:
    return desk.session.patch.layers[layer].source


def choose(desk: Desk, kind: str) -> None:
    desk.session.editor.new()
    desk.select("source", "a")
    box = desk.find(SourceKind)
    box.setCurrentIndex(box.findData(kind))
    box.activated.emit(box.currentIndex())
    QTest.qWait(20)


@pytest.mark.parametrize("kind", sorted(Source.kinds))
def test_a_source_is_chosen_and_shows_its_picture_and_all_its_dials(desk: Desk, kind: str) -> None:
    choose(desk, kind)
    assert source_of(desk).kind == kind  # type: ignore[attr-defined]
    assert sum(type(p) is PICTURES[kind] for p in desk.window.findChildren(SourcePicture) if p.isVisible()) == 2
    dials = {dial.path for dial in desk.window.findChildren(Dial) if not dial.isHidden()}
    for name, param in source_of(desk).params.items():
        if type(param).__name__ == "Param":
            assert f"layers.a.source.{name}" in dials
    assert not desk.window.grab().isNull()
    desk.session.editor.undo()
    if kind != "wave":
        assert source_of(desk).kind == "wave"  # type: ignore[attr-defined]


def test_every_control_of_every_source_says_what_it_does() -> None:
    for cls in Source.kinds.values():
        assert cls.about().endswith(".")
        for param in cls.params.values():
            assert param.says.endswith(".") and len(param.says) < 110 and param.label


@pytest.mark.parametrize("kind", ["sample", "grains", "partials", "noise", "table"])
def test_a_recording_is_loaded_in_the_background_and_its_root_is_heard(desk: Desk, kind: str, tmp_path: Path) -> None:
    path = tmp_path / "Reed 3.wav"
    soundfile.write(path, TONE, 48000, subtype="FLOAT")
    choose(desk, kind)
    desk.find(Inspector).importing.load("a", path)
    desk.finish_job()
    source = source_of(desk)
    assert source.asset.name == "Reed 3" and assets.find(source.asset) is not None  # type: ignore[attr-defined]
    if "root" in source.params:
        assert source.get("root") == 57 and abs(source.number("cents")) < 1
    assert any("Loaded Reed 3.wav" in text for text in desk.messages)
    desk.session.editor.undo()
    assert source_of(desk).asset is None or kind == "table"  # type: ignore[attr-defined]


def test_a_root_that_is_a_guess_is_said_to_be_one(desk: Desk, tmp_path: Path) -> None:
    path = tmp_path / "Chord.wav"
    soundfile.write(path, recording(Case("reed", (48, 52, 55), -60.0, 0.1, 0.0, 1))[0], 48000, subtype="FLOAT")
    choose(desk, "sample")
    desk.find(Inspector).importing.load("a", path)
    desk.finish_job()
    assert any("Its root is" in text and text.endswith("not sure: listen.") for text in desk.messages), desk.messages


def test_a_pitched_recording_becomes_a_table_of_its_own_cycles(desk: Desk, tmp_path: Path) -> None:
    """Whatever its pitch, its cycles are found, and how sure that is is said; another length can be typed."""
    t = np.arange(60000) / 48000
    wave = sum(np.sin(2 * np.pi * 183.7 * n * t + n) / n for n in range(1, 9))
    soundfile.write(tmp_path / "Flute.wav", 0.3 * wave, 48000, subtype="FLOAT")
    choose(desk, "table")
    desk.find(Inspector).importing.load("a", tmp_path / "Flute.wav")
    desk.finish_job()
    source = source_of(desk)
    assert source.cycle == 2048 and source.asset.frames % 2048 == 0  # type: ignore[attr-defined]
    said = next(text for text in desk.messages if "Loaded Flute.wav" in text)
    assert "cycles of its pitch, F#3" in said and re.search(r"(9\d|100) % sure", said)
    box = desk.find(QComboBox, lambda found: found.accessibleName() == "Length of a cycle")
    box.lineEdit().setText("777")
    QTest.keyClick(box.lineEdit(), Qt.Key.Key_Return)
    assert source_of(desk).cycle == 777  # type: ignore[attr-defined]
    desk.session.editor.undo()
    assert source_of(desk).cycle == 2048  # type: ignore[attr-defined]


def test_the_other_length_that_is_likely_is_one_click_away(desk: Desk, tmp_path: Path) -> None:
    """Frames that have nothing in common may be cut anywhere: the commonest length is taken, the next is offered."""
    chance = np.random.default_rng(4).normal(0.0, 0.2, 16 * 4096)
    soundfile.write(tmp_path / "Sparks.wav", chance, 48000, subtype="FLOAT")
    choose(desk, "table")
    asked: list[tuple[str, list]] = []
    desk.session.channel.hear(Asked, lambda told: asked.append((told.text, told.answers)))
    desk.find(Inspector).importing.load("a", tmp_path / "Sparks.wav")
    desk.finish_job()
    assert source_of(desk).cycle == 2048  # type: ignore[attr-defined]
    text, answers = asked[-1]
    assert "nearly as likely" in text and answers[0][0] in ("Cut at 4096", "Cut at 1024")
    answers[0][1]()
    assert f"Cut at {source_of(desk).cycle}" == answers[0][0]  # type: ignore[attr-defined]
    desk.session.editor.undo()
    assert source_of(desk).cycle == 2048  # type: ignore[attr-defined]


def test_a_file_that_cannot_be_read_is_said_and_nothing_changes(desk: Desk, tmp_path: Path) -> None:
    path = tmp_path / "torn.wav"
    path.write_bytes(b"RIFF....")
    choose(desk, "sample")
    before = desk.session.patch
    desk.find(Inspector).importing.load("a", path)
    desk.finish_job()
    assert desk.session.patch is before and "torn.wav" in desk.messages[-1]


def test_a_missing_sample_is_named_kept_and_found_by_its_content(desk: Desk, tmp_path: Path) -> None:
    path = tmp_path / "else" / "unlabelled.wav"
    path.parent.mkdir()
    soundfile.write(path, 0.731 * TONE, 48000, subtype="FLOAT")
    choose(desk, "sample")
    digest = assets.digest_of(soundfile.read(path, dtype="float32", always_2d=True)[0].T)
    lost = {"name": "Old Reed", "digest": digest, "frames": 24000, "channels": 1, "rate": 48000.0}
    source = Source.kinds["sample"].model_validate({"kind": "sample", "asset": lost})
    desk.session.editor.edit(replace_module(desk.session.patch, "layers.a.source", source), "open an old patch")
    desk.select("source", "a")
    label = desk.find(QLabel, lambda label: label.text().startswith("Missing"))
    assert "Old Reed" in label.text() and digest[:12] in label.text() and "0.50 s" in label.text()
    assert desk.find(Pill, lambda pill: pill.text() == "Find it…")
    importing = desk.find(Inspector).importing
    importing.find(tmp_path / "nowhere")
    desk.finish_job()
    assert "keeps asking" in desk.messages[-1]
    importing.find(tmp_path / "else")
    desk.finish_job()
    assert "Found unlabelled.wav" in desk.messages[-1] and assets.find(source.asset) is not None


def test_a_table_is_chosen_cut_anew_and_saved(desk: Desk, tmp_path: Path) -> None:
    choose(desk, "table")
    material = desk.find(Material)
    tables, cycle = material.findChildren(QComboBox)[:2]
    tables.setCurrentIndex(5)
    tables.activated.emit(5)
    assert source_of(desk).asset.name in tables.itemText(5)  # type: ignore[attr-defined]
    cycle = desk.find(Material).findChildren(QComboBox)[1]
    cycle.setCurrentIndex(cycle.findData(1024))
    cycle.activated.emit(cycle.currentIndex())
    assert source_of(desk).cycle == 1024  # type: ignore[attr-defined]
    desk.find(Material).save_table(tmp_path / "kept.wav")
    kept = soundfile.read(tmp_path / "kept.wav", dtype="float32")[0]
    assert np.array_equal(kept, assets.load(source_of(desk).asset)[0])  # type: ignore[attr-defined,index]


def test_the_travel_curve_is_drawn_by_hand(desk: Desk) -> None:
    desk.session.presets.open("glasshouse-at-dusk", "pollen-drift")
    desk.select("source", "a")
    picture = desk.find(GrainsPicture, lambda picture: picture.large)
    assert source_of(desk).curve == READY["There and back"]  # type: ignore[attr-defined]
    box = picture.box()
    middle = picture.spot(box, 0.5, 0.8).toPoint()
    QTest.mousePress(picture, Qt.MouseButton.LeftButton, pos=middle)
    QTest.mouseMove(picture, QPointF(middle.x() - 60, middle.y()).toPoint())
    QTest.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=QPointF(middle.x() - 60, middle.y()).toPoint())
    moved = source_of(desk).curve[1]  # type: ignore[attr-defined]
    assert moved[1] < 0.95 and moved[0] == pytest.approx(0.5, abs=0.03)
    spot = picture.spot(box, 0.8, 0.2).toPoint()
    QTest.mouseDClick(picture, Qt.MouseButton.LeftButton, pos=spot)
    assert len(source_of(desk).curve) == 4  # type: ignore[attr-defined]


def test_harmonics_are_drawn_as_bars(desk: Desk) -> None:
    choose(desk, "partials")
    picture = desk.find(PartialsPicture, lambda picture: picture.large)
    box = picture.box()
    spot = QPointF(box.left() + 20.5 * box.width() / 32, box.bottom() - 0.5 * box.height()).toPoint()
    QTest.mouseClick(picture, Qt.MouseButton.LeftButton, pos=spot)
    assert source_of(desk).drawn[20] == pytest.approx(0.5, abs=0.02)  # type: ignore[attr-defined]


def test_a_layer_is_tied_to_another_and_cut_again(desk: Desk) -> None:
    desk.session.editor.new()
    desk.window.patch_page.add_layer()
    desk.select("source", "a")
    inlets = desk.find(Inlets)
    inlets.tie("b")
    assert list(desk.session.patch.layers["a"].inlets) == ["b"]
    dial = desk.dial("layers.a.inlets.b.index")
    assert dial.param is param_at(desk.session.patch, "layers.a.inlets.b.index")
    desk.find(Inlets).tie("a")
    assert desk.find(QLabel, lambda label: "a block late" in label.text())
    cut = next(p for p in desk.find(Inlets).findChildren(Pill) if p.text() == "Cut")
    cut.click()
    assert list(desk.session.patch.layers["a"].inlets) == ["a"]


def test_a_layer_is_copied_into_another_patch(desk: Desk) -> None:
    desk.session.presets.open("glasshouse-at-dusk", "reed-bed")
    desk.select("out", "a")
    copy_layer(desk.session, "a")
    desk.session.editor.new()
    paste_layer(desk.session)
    assert desk.session.patch.layers["b"].source.asset.name == "Blown Reed"  # type: ignore[attr-defined]


def test_a_tuning_is_loaded_shown_and_refused(desk: Desk, tmp_path: Path) -> None:
    good, bad = tmp_path / "five.scl", tmp_path / "bad.scl"
    good.write_text("Five equal steps\n5\n240.0\n480.0\n720.0\n960.0\n2/1\n")
    bad.write_text("nothing")
    desk.session.editor.new()
    desk.select("patch", "")
    desk.find(TuningRow).load(bad)
    assert desk.session.patch.tuning is None and "bad.scl" in desk.messages[-1]
    desk.find(TuningRow).load(good)
    assert desk.session.patch.tuning is not None and desk.session.patch.tuning.pitch(65) == 72.0
    assert desk.find(QLabel, lambda label: "5 degrees" in label.text())


def test_the_controller_is_chosen_in_the_settings_and_kept(desk: Desk) -> None:
    sheet = desk.window.settings_sheet
    sheet.controller.setCurrentIndex(sheet.controller.findData("simulated"))
    sheet.controller.activated.emit(sheet.controller.currentIndex())
    assert desk.session.settings.now.controller == "simulated"
    assert desk.link.standing(TakeController) == TakeController("simulated")


def test_marks_of_a_sample_are_dragged_and_follow_the_pointer(desk: Desk) -> None:
    """Press, eight moves, release: every mark ends where the pointer does, as one step; one mark does not pass its partner."""
    desk.session.presets.open("glasshouse-at-dusk", "reed-bed")
    layer = next(key for key, found in desk.session.patch.layers.items() if found.source.kind == "sample")
    place = f"layers.{layer}.source."
    for name, value in (
        ("loop", "forward"),
        ("loop_start", 0.3),
        ("loop_end", 0.8),
        ("start", 0.1),
        ("one_shot", False),
    ):
        desk.session.editor.set(place + name, value)
    desk.select("source", layer)
    picture = desk.find(SamplePicture, lambda found: found.large)
    box = picture.box()

    def at(part: float) -> QPoint:
        return QPointF(box.left() + part * box.width(), box.center().y()).toPoint()

    for name, begin, end, found in (
        ("start", 0.1, 0.2, 0.2),
        ("loop_start", 0.3, 0.5, 0.5),
        ("loop_end", 0.8, 0.2, 0.3),
        ("end", 1.0, 0.9, 0.9),
    ):
        QTest.mousePress(picture, Qt.MouseButton.LeftButton, pos=at(begin))
        for n in range(1, 9):
            QTest.mouseMove(picture, at(begin + (end - begin) * n / 8))
        QTest.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=at(end))
        assert float(desk.session.editor.value(place + name)) == pytest.approx(found, abs=0.01), name
        desk.session.editor.undo()
        assert float(desk.session.editor.value(place + name)) == pytest.approx(begin, abs=0.01), "one step"
    desk.session.editor.set(place + "loop_start", 0.25)
    dial = desk.dial(place + "loop_start")
    assert "ms" in dial.toolTip() and "fr" in dial.toolTip()
    dial.type_value()
    dial.entry.setText("100 ms")
    QTest.keyClick(dial.entry, Qt.Key.Key_Return)
    seconds = desk.session.patch.layers[layer].source.asset.seconds  # type: ignore[attr-defined]
    assert float(desk.session.editor.value(place + "loop_start")) == pytest.approx(0.1 / seconds)


def test_a_layer_says_that_its_grains_are_full(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    """On its picture, small and large; nothing while there is room."""
    desk.session.presets.open("glasshouse-at-dusk", "pollen-drift")
    desk.select("source", "a")
    for large in (False, True):
        picture = desk.find(GrainsPicture, lambda picture, large=large: picture.large == large)
        corner = QRectF(picture.box().right() - 60, picture.box().top(), 60, 16).toRect()
        monkeypatch.setattr(desk.session.link, "falls_short", lambda layer: 0.3)
        free = picture.grab(corner).toImage()
        assert picture.live()[1] == 0  # type: ignore[index]
        monkeypatch.setattr(desk.session.link, "falls_short", lambda layer: 4.2)
        assert picture.live()[1] == 4  # type: ignore[index]
        picture.repaint()
        assert picture.grab(corner).toImage() != free
