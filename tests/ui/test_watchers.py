"""An edit knows what it changed, and wakes only those who look at it."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget

from felt_dial.patch.change import values_changed
from felt_dial.patch.edits import add_effect, add_modulator, replace_module, sew
from felt_dial.patch.module import Effect, Filter, Modulator, Module
from felt_dial.patch.params import OutOfRange
from felt_dial.patch.patch import Layer, value_at, with_value
from felt_dial.session.clipboard import Clipboard, NothingCopied
from felt_dial.sound.modules import new_layer, new_patch
from felt_dial.ui.dials.dial import Dial
from felt_dial.ui.dials.param_control import ParamControl
from felt_dial.ui.pictures.registry import picture_of
from tests.ui.conftest import Desk

CUTOFF = "layers.a.filter.cutoff"


class Sleeper(QWidget):
    """Counts how often it was woken."""

    def __init__(self) -> None:
        super().__init__()
        self.woken = 0

    def follow(self) -> None:
        self.woken += 1


def test_a_change_names_what_it_touched_and_whether_it_is_laid_out_anew() -> None:
    patch, key = sew(new_patch(), "e1", CUTOFF, 12.0)
    assert values_changed(patch, {CUTOFF: value_at(patch, CUTOFF)}).paths == ()
    change = values_changed(patch, {CUTOFF: 500.0, "layers.a.level": -6.0})
    assert change.paths == (CUTOFF, "layers.a.level") and not change.rebuilds
    assert value_at(change.patch, CUTOFF) == 500.0
    assert set(values_changed(patch, {f"threads.{key}.depth": 3.0}).paths or ()) == {f"threads.{key}.depth", CUTOFF}
    assert values_changed(patch, {"layers.a.filter.on": True}).patch != patch
    with pytest.raises(OutOfRange):
        values_changed(patch, {CUTOFF: 1e9})


def test_a_drag_wakes_its_dial_and_no_other_and_is_one_step(desk: Desk) -> None:
    session = desk.session
    session.editor.edit(sew(session.patch, "e1", CUTOFF, 12.0)[0], "sew")
    desk.select("filter", "a")
    dials = desk.window.findChildren(Dial)
    others = [Sleeper() for _ in range(2)]
    session.channel.watch(others[0].follow, "layers.a.source")
    session.channel.watch(others[1].follow, CUTOFF)
    before = session.patch
    for value in (4000.0, 3000.0, 2000.0):
        session.editor.set(CUTOFF, value, dragging=True)
    assert [one.woken for one in others] == [0, 3]
    shown = [dial for dial in dials if dial.path == CUTOFF and dial.isVisible()]
    assert shown and all(dial.accessibleDescription().startswith("2.00") for dial in shown)
    session.editor.undo()
    assert session.patch == before, "the whole drag is one step"


DRAGGED: dict[str, tuple[type[Module], str]] = {
    "filter": (Filter.kinds["ladder"], "layers.a.filter"),
    "envelope": (Modulator.kinds["envelope"], "modulators"),
    "drawn LFO": (Modulator.kinds["lfo"], "modulators"),
    "curve": (Modulator.kinds["curve"], "modulators"),
    "steps": (Modulator.kinds["steps"], "modulators"),
    "gate": (Effect.kinds["gate"], "racks.1"),
    "equaliser": (Effect.kinds["equaliser"], "racks.1"),
}


@pytest.mark.parametrize("what", DRAGGED)
def test_a_drag_in_a_picture_wakes_nobody_else_and_is_one_step(desk: Desk, what: str) -> None:
    session, (kind, place) = desk.session, DRAGGED[what]
    module = kind(on=True) if what == "filter" else kind(shape="drawn") if what == "drawn LFO" else kind()
    if place == "modulators":
        patch, key = add_modulator(session.patch, module)  # type: ignore[arg-type]
        path = f"modulators.{key}"
    elif place == "racks.1":
        patch, key = add_effect(session.patch, "1", module)  # type: ignore[arg-type]
        path = f"racks.1.{key}"
    else:
        patch, path = replace_module(session.patch, place, module), place
    session.editor.edit(patch, "a module")
    picture = picture_of(session, path, "madder", True)
    picture.resize(320, 200)
    picture.show()
    QTest.qWaitForWindowExposed(picture)
    before, own, other = session.patch, Sleeper(), Sleeper()
    session.channel.watch(own.follow, path)
    session.channel.watch(other.follow, "layers.a.source", "layers.a.level", "tempo", "macros")
    for at in [(n / 12, up / 8) for n in range(1, 12) for up in range(1, 8)]:
        start = QPoint(round(at[0] * picture.width()), round(at[1] * picture.height()))
        desk.drag(picture, start, start + QPoint(14, -22), steps=4)
        if session.patch != before:
            break
    assert session.patch != before, "something was taken hold of"
    assert own.woken > 0 and other.woken == 0
    session.editor.undo()
    assert session.patch == before
    picture.close()


def test_what_was_copied_last_is_what_is_pasted_and_another_kind_is_named() -> None:
    clipboard = Clipboard()
    with pytest.raises(NothingCopied, match="Nothing was copied yet: copy an effect first"):
        clipboard.take("effect", Effect)
    clipboard.put("layer", new_layer())
    with pytest.raises(NothingCopied, match="What was copied is a layer: copy a drawing first"):
        clipboard.take("drawing", tuple)
    assert clipboard.take("layer", Layer) == new_layer()


def test_dials_that_are_not_seen_are_read_once_they_are(desk: Desk) -> None:
    """On another page, or on a sheet that is put aside; what is seen first is the value of now, and its reasons."""
    session = desk.session
    desk.window.show_page("Patch")
    desk.select("filter", "a")
    desk.window.show_page("Shelf")
    dials = [dial for dial in desk.window.findChildren(Dial) if dial.path == CUTOFF]
    said = [dial.accessibleDescription() for dial in dials]
    session.editor.set(CUTOFF, 5432.0)
    session.editor.edit(sew(session.patch, "e1", CUTOFF, 12.0)[0], "sew")
    assert dials and not any(dial.isVisible() for dial in dials)
    assert [dial.accessibleDescription() for dial in dials] == said, "they cost nothing"
    desk.window.show_page("Patch")
    seen = [dial for dial in desk.window.findChildren(Dial) if dial.path == CUTOFF and dial.isVisible()]
    assert seen and all("5.43" in dial.toolTip() and "E1" in dial.toolTip() for dial in seen)
    desk.window.show_page("Shelf")
    session.editor.undo()
    session.editor.undo()
    desk.window.show_page("Patch")
    seen = [dial for dial in desk.window.findChildren(Dial) if dial.path == CUTOFF and dial.isVisible()]
    assert seen and not any("5.43" in dial.toolTip() or "E1" in dial.toolTip() for dial in seen)


def test_every_kind_of_dial_that_was_not_seen_says_the_truth_when_it_is(desk: Desk) -> None:
    """Everything that can be turned on the page is set to its other end while another page is shown."""
    session = desk.session
    desk.window.show_page("Patch")
    desk.select("layer", "a")
    faces = [face for face in desk.window.patch_page.findChildren(ParamControl) if face.isVisible() and face.path]
    assert {"Dial", "Slider", "Figure"} <= {type(face).__name__ for face in faces}
    desk.window.show_page("Shelf")
    patch = session.patch
    for face in faces:
        high = value_at(patch, face.path) != face.param.low
        patch = with_value(patch, face.path, face.param.low if high else face.param.high)
    session.editor.edit(patch, "turn all")
    desk.window.show_page("Patch")
    for face in faces:
        if face.isVisible():
            seen = (face.toolTip(), face.accessibleDescription(), face._value, face.rests)
            assert face._value == value_at(patch, face.path), face.path
            face._read()
            assert seen == (face.toolTip(), face.accessibleDescription(), face._value, face.rests), face.path
