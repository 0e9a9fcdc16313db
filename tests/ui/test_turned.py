"""A sheet of the inspector that is turned to another layer is in every respect one that was made for it."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PySide6.QtCore import QPoint
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QComboBox, QLabel, QLineEdit, QWidget

import felt_dial
from felt_dial.patch.documents.patch import read_patch
from felt_dial.patch.edits import add_inlet, add_layer, add_layer_with_level, add_modulator, add_send, remove_layer, sew
from felt_dial.patch.module import Filter, Modulator, Source
from felt_dial.patch.parts import Layer
from felt_dial.patch.patch import Patch, put, with_value
from felt_dial.sound.engine.program import patch_values
from felt_dial.sound.modules import new_layer, new_patch
from felt_dial.ui.dials.controls import Options, Pill, SwitchPill
from felt_dial.ui.dials.param_control import ParamControl
from felt_dial.ui.inspector.panel import Inspector
from felt_dial.ui.inspector.sheet import shape_of
from felt_dial.ui.pictures.redrawing import redrawing
from felt_dial.ui.theme.colours import NIGHT, OAT, cloth
from tests.ui.conftest import Desk, wait

DEMO = Path(felt_dial.__file__).parent / "data" / "banks" / "glasshouse-at-dusk"
PARTS = ("source", "filter", "drive", "out")


@cache
def layer_of(bank: Path, kind: str) -> Layer:
    """A layer of the demo whose source is of a kind, with its recording; a plain one where the demo has none."""
    for path in sorted(bank.glob("presets/*.json")):
        for layer in read_patch(path.read_bytes(), path.name).layers.values():
            if layer.source.kind == kind:
                return layer.model_copy(update={"inlets": {}, "sends": {}, "contour": "e1", "name": ""})
    return new_layer(kind)


def two_alike(desk: Desk, kind: str, filter_: str = "state_variable") -> Patch:
    """A patch with three layers: two of a kind that have as little in common as they can, and a third that they hear."""
    desk.session.editor.new()
    patch = desk.session.patch
    a = layer_of(DEMO, kind)
    a = a.model_copy(update={"filter": Filter.kinds[filter_](on=True)})
    b = a.model_copy(update={"name": "Second", "filter": Filter.kinds[filter_](on=False), "level": -9.0, "pan": 0.4})
    patch = put(patch, ["layers", "a"], a)
    patch, key = add_layer(patch, b)
    assert key == "b"
    patch, _ = add_layer(patch, new_layer("wave"))
    patch = add_inlet(add_send(patch, "layers.b", "bus2"), "b", "c")
    for target in ("layers.a.level", "layers.b.pitch", "layers.b.pan"):
        patch = sew(patch, "e1", target)[0]
    return patch


def at_rest(top: QWidget) -> tuple[list[Any], QImage]:
    """What one sees of a part of the window once nothing in it is laid out or drawn any more."""
    before: tuple[list[Any], QImage] = ([], QImage())
    calm = 0
    for _ in range(150):
        wait(lambda: False, 0.06)
        wait(lambda: not redrawing().busy)
        now = described(top), top.grab().toImage()
        calm = calm + 1 if now == before else 0
        if calm == 3:
            break
        before = now
    return before


def described(top: QWidget) -> list[Any]:
    """Everything one sees of the widgets of a part of the window, or is told of them."""
    found: list[Any] = []
    for widget in top.findChildren(QWidget):
        if not widget.isVisible() or (type(widget).__module__.startswith("PySide6") and not widget.accessibleName()):
            continue
        about = [type(widget).__name__, widget.mapTo(top, QPoint(0, 0)).toTuple(), widget.size().toTuple()]
        about += [
            getattr(widget, "path", ""),
            widget.toolTip(),
            widget.accessibleName(),
            widget.accessibleDescription(),
        ]
        about += [widget.isEnabled(), widget.focusPolicy()]
        if isinstance(widget, QAbstractButton | QLabel | QLineEdit):
            about.append(widget.text())
        if isinstance(widget, QAbstractButton):
            about.append(widget.isChecked())
        if isinstance(widget, QLineEdit):
            about.append(widget.placeholderText())
        if isinstance(widget, QComboBox):
            about += [widget.currentText(), [widget.itemText(n) for n in range(widget.count())]]
        found.append(about)
    return sorted(found, key=str)


def turned(desk: Desk, part: str) -> Inspector:
    """The inspector with the sheet of layer A turned to layer B."""
    desk.window.show_page("Patch")
    desk.select(part, "a")
    inspector: Inspector = desk.find(Inspector)
    before = inspector.sheet
    desk.select(part, "b")
    assert inspector.sheet is before, "the sheet was made anew"
    return inspector


def made_for_it(inspector: Inspector) -> None:
    """Lays the inspector out as if nothing had been kept."""
    inspector._kept.clear()
    inspector.rebuild()


@pytest.mark.parametrize("kind", sorted(Source.kinds))
def test_a_sheet_turned_to_another_layer_is_the_one_made_for_it(desk: Desk, kind: str) -> None:
    desk.session.editor.edit(two_alike(desk, kind), "lay out")
    for part in PARTS:
        inspector = turned(desk, part)
        desk.find(Inspector)
        seen, picture = described(inspector), inspector.grab().toImage()
        made_for_it(inspector)
        desk.find(Inspector)
        assert seen == described(inspector), part
        assert picture == inspector.grab().toImage(), part


@pytest.mark.parametrize("kind", sorted(Source.kinds))
def test_nothing_in_a_turned_sheet_knows_the_layer_before(desk: Desk, kind: str) -> None:
    desk.session.editor.edit(two_alike(desk, kind), "lay out")
    for part in PARTS:
        for widget in turned(desk, part).sheet.findChildren(QWidget):
            for name, value in vars(widget).items():
                if isinstance(value, str):
                    assert not value.startswith("layers.a"), f"{type(widget).__name__}.{name} is {value}"
                    assert name not in ("layer", "key") or value != "a", f"{type(widget).__name__}.{name} is {value}"


@pytest.mark.parametrize("kind", sorted(Filter.kinds))
def test_what_a_turned_sheet_does_is_done_to_the_layer_that_it_shows(desk: Desk, kind: str) -> None:
    session = desk.session
    session.editor.edit(two_alike(desk, "wave", kind), "lay out")
    other, whole = session.patch.layers["a"], session.patch
    for part in PARTS:
        sheet = turned(desk, part).sheet
        acts = [
            widget for widget in sheet.findChildren(QWidget) if isinstance(widget, ParamControl | SwitchPill | Options)
        ]
        assert len(acts) > 5
        for control in acts:
            before = session.patch
            if isinstance(control, ParamControl):
                control.nudge(-1 if control.place_of(control._value) > 0.5 else 1)
            elif isinstance(control, Options):
                control.setCurrentIndex((control.currentIndex() + 1) % control.count())
                control.activated.emit(control.currentIndex())
            else:
                control.click()
            assert session.patch != before, f"{control.path} does nothing"
            assert session.patch.layers["a"] == other, f"{control.path} acts on layer A"
            while session.patch != whole:
                session.editor.undo()
            if not control.isVisible():
                break


def test_names_kinds_and_buttons_of_a_turned_sheet_are_those_of_its_layer(desk: Desk) -> None:
    session = desk.session
    session.editor.edit(two_alike(desk, "wave"), "lay out")
    sheet = turned(desk, "source").sheet
    desk.rename(sheet.findChild(QLineEdit), "Reed")
    assert [layer.name for layer in session.patch.layers.values()] == ["", "Reed", ""]
    pills = {pill.text(): pill for pill in turned(desk, "out").sheet.findChildren(Pill)}
    pills["Remove"].click()
    assert list(session.patch.layers) == ["a", "c"] and session.editor.selection[1] in session.patch.layers


def test_a_layer_added_and_undone_keeps_the_sheet_and_its_values_follow(desk: Desk) -> None:
    """The sheet that a new layer is shown in is that of the layer before, and goes back to it."""
    session = desk.session
    session.editor.new()
    desk.select("source", "a")
    inspector: Inspector = desk.find(Inspector)
    sheet = inspector.sheet
    session.editor.set("layers.a.filter.cutoff", 1234.0)
    session.editor.edit(session.shelf.with_new_layer(session.patch, "wave")[0], "add a layer", select=("source", "b"))
    assert inspector.sheet is sheet and desk.dial("layers.b.filter.cutoff") is not None
    session.editor.undo()
    session.editor.redo()
    assert session.editor.selection == ("source", "b"), "what the step has chosen is chosen again"
    session.editor.undo()
    session.editor.undo()
    assert inspector.sheet is sheet
    dial = desk.dial("layers.a.filter.cutoff")
    assert dial._value == session.editor.value("layers.a.filter.cutoff") != 1234.0
    assert "1.2" not in dial.accessibleDescription()


def test_a_dial_in_a_sheet_that_was_put_away_looks_no_more_at_the_layer_before(desk: Desk) -> None:
    session = desk.session
    session.editor.edit(two_alike(desk, "wave"), "lay out")
    turned(desk, "source")
    dial = desk.dial("layers.b.filter.cutoff")
    shown = dial.accessibleDescription()
    session.editor.set("layers.a.filter.cutoff", 333.0)
    assert dial.accessibleDescription() == shown
    session.editor.set("layers.b.filter.cutoff", 444.0)
    assert dial.accessibleDescription() != shown


def test_a_drawn_drive_and_an_envelope_are_laid_out_for_their_layer_alone() -> None:

    patch = new_patch()
    assert shape_of(patch, "source", "a") is not None and shape_of(patch, "level", "a") is None
    assert shape_of(with_value(patch, "layers.a.drive.way", "drawn"), "drive", "a") is None


def test_undo_of_an_added_layer_shows_the_one_that_was_shown(desk: Desk) -> None:
    session = desk.session
    session.editor.edit(two_alike(desk, "wave"), "lay out")
    desk.select("filter", "b")
    session.editor.edit(session.shelf.with_new_layer(session.patch, "chaos")[0], "add a layer", select=("source", "d"))
    session.editor.undo()
    assert session.editor.selection == ("filter", "b") and desk.dial("layers.b.filter.resonance") is not None


def test_undo_of_a_value_wakes_those_who_show_it_and_nobody_else(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    session, woken = desk.session, []
    session.editor.edit(two_alike(desk, "wave"), "lay out")
    desk.select("source", "b")
    start = session.patch
    wake = session.channel.wake
    monkeypatch.setattr(session.channel, "wake", lambda paths: (woken.append(paths), wake(paths))[1])
    dial, shown = desk.dial("layers.b.filter.cutoff"), desk.dial("layers.b.filter.cutoff")._value
    for value in (400.0, 300.0, 200.0):
        session.editor.set("layers.b.filter.cutoff", value, dragging=True)
    session.editor.history.settle()
    session.editor.set_all({"layers.b.level": -20.0, "layers.b.pan": -0.3}, "two values")
    woken.clear()
    session.editor.undo()
    session.editor.undo()
    assert session.patch == start and dial._value == shown
    assert [set(paths or ()) for paths in woken] == [{"layers.b.level", "layers.b.pan"}, {"layers.b.filter.cutoff"}]
    values = patch_values(start)
    bank = session.link.shared.values(session.link.generation)
    assert np.array_equal(bank[: len(values)], values), "and the engine plays it"
    session.editor.redo()
    assert dial._value == 200.0 and woken[-1] == ("layers.b.filter.cutoff",)


def test_undo_of_a_drag_that_moved_one_dial_after_the_other_brings_both_back(desk: Desk) -> None:
    session = desk.session
    session.editor.edit(two_alike(desk, "wave"), "lay out")
    start = session.patch
    for values in ({"layers.b.level": -20.0}, {"layers.b.pan": -0.3}, {"layers.b.level": -25.0}):
        session.editor.set_all(values, "a drag", "a drag")
    session.editor.undo()
    assert session.patch == start
    session.editor.redo()
    assert (session.editor.value("layers.b.level"), session.editor.value("layers.b.pan")) == (-25.0, -0.3)


def test_a_name_given_since_stays_when_a_value_before_it_is_undone(desk: Desk) -> None:
    session = desk.session
    session.editor.new()
    session.editor.set("layers.a.level", -20.0)
    session.editor.rename_patch("Reed")
    session.editor.undo()
    session.editor.undo()
    assert session.editor.value("layers.a.level") != -20.0
    session.editor.redo()
    session.editor.redo()
    assert session.editor.value("layers.a.level") == -20.0 and session.patch.name == "Reed"


@pytest.mark.parametrize("kind", sorted(Source.kinds))
def test_a_row_that_was_put_aside_is_the_row_of_the_layer_that_it_is_turned_to(desk: Desk, kind: str) -> None:
    """Other source, other filter, another envelope: what one sees of the page is what a fresh page would show."""
    session, page = desk.session, desk.window.patch_page
    desk.window.show_page("Patch")
    session.editor.edit(two_alike(desk, kind), "lay out")
    gone = page.rows["a"]
    session.editor.edit(remove_layer(session.patch, "a"), "remove a layer")
    assert gone in page.spare and not gone.isVisible()
    alike = session.patch.layers["b"].model_copy(update={"inlets": {}, "sends": {}, "name": "Third", "pitch": 7.0})
    session.editor.edit(
        add_layer_with_level(session.patch, alike, Modulator.kinds["envelope"](attack=1.0))[0], "add a layer"
    )
    key = next(key for key, row in page.rows.items() if row is gone)
    assert gone.key == key and gone.isVisible()
    for name, value in vars(gone).items():
        assert not (isinstance(value, str) and value.startswith("layers.") and not value.startswith(f"layers.{key}")), (
            name
        )
    seen, picture = at_rest(page)
    page.rows, rows, page.spare = {}, page.rows, []
    for row in rows.values():
        page.layers.removeWidget(row)
        row.deleteLater()
    page.rebuild()
    for _ in range(4):  # a machine that is busy may draw a picture later still
        then, painted = at_rest(page)
        if (then, painted) == (seen, picture):
            break
    assert then == seen
    assert painted == picture


def test_another_envelope_over_a_layer_is_drawn_in_its_row(desk: Desk) -> None:
    session, page = desk.session, desk.window.patch_page
    session.editor.edit(two_alike(desk, "wave"), "lay out")
    patch, envelope = add_modulator(session.patch, Modulator.kinds["envelope"](attack=2.0))
    row = page.rows["b"]
    layer = patch.layers["b"].model_copy(update={"contour": envelope})
    session.editor.edit(put(patch, ["layers", "b"], layer), "shape it with another")
    assert page.rows["b"] is row and row.pictures["level"].path == f"modulators.{envelope}"
    assert row.pictures["level"].accessibleName() == "Level over time of layer B"


def test_a_sheet_wears_the_theme_that_is_worn_when_it_is_shown(desk: Desk) -> None:
    """Letters of the layers that modulate it are dyed as they are written: another theme is another sheet."""
    desk.session.editor.edit(two_alike(desk, "wave"), "lay out")
    inspector = turned(desk, "source")
    _, day = at_rest(inspector)
    cloth.wear(NIGHT)
    desk.find(Inspector)
    _, night = at_rest(inspector)
    made_for_it(inspector)
    desk.find(Inspector)
    assert at_rest(inspector)[1] == night
    cloth.wear(OAT)
    desk.find(Inspector)
    assert at_rest(inspector)[1] == day


def test_a_name_that_is_being_typed_is_that_of_the_layer_it_was_begun_for(desk: Desk) -> None:
    session = desk.session
    session.editor.edit(two_alike(desk, "wave"), "lay out")
    for other in ("b", "c"):
        session.editor.edit(put(session.patch, ["layers", "c"], new_layer("chaos")), "another sheet")
        desk.window.show_page("Patch")
        desk.select("source", "a")
        line = desk.find(Inspector).sheet.findChild(QLineEdit)
        line.setFocus()
        line.selectAll()
        QTest.keyClicks(line, f"before {other}")
        desk.select("source", other)
        assert session.patch.layers["a"].name == f"before {other}"
        assert session.patch.layers[other].name in ("", "Second")
