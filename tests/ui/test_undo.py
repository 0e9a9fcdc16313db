"""Every act of every page is taken back by one undo: the document, the page, the inspector and the map are as before."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QListView,
    QPlainTextEdit,
    QWidget,
)

from felt_dial.bank.measuring.features import Features
from felt_dial.bank.variation.variations import Variation
from felt_dial.patch.documents.patch import write_patch
from felt_dial.patch.patch import with_value
from felt_dial.ui.dials.controls import NameEdit
from felt_dial.ui.dials.param_control import ParamControl
from felt_dial.ui.pages.shelf.offshoots import Offshoots
from felt_dial.ui.pages.shelf.spine import Spine
from tests.ui.conftest import Desk

TEXTS = (QLabel, QAbstractButton, QLineEdit, QPlainTextEdit, QComboBox)
HOME = "glasshouse-at-dusk"


def text_of(widget: QWidget) -> str:
    if isinstance(widget, QComboBox):
        return str(widget.currentText())
    if isinstance(widget, QPlainTextEdit):
        return str(widget.toPlainText())
    mark = f" {widget.isChecked()}" if isinstance(widget, QAbstractButton) else ""
    return f"{widget.text()}{mark}"  # type: ignore[attr-defined]


def shown(desk: Desk) -> list[str]:
    """All that can be read on the page and in the strip, and the values of all dials."""
    QApplication.processEvents()
    found = []
    for part in (desk.window.stack.currentWidget(), desk.window.strip):
        for widget in part.findChildren(QWidget):
            if not widget.isVisible():
                continue
            if isinstance(widget, ParamControl):
                found.append(f"{widget.path} {widget._value} {widget.rests}")
            elif isinstance(widget, QListView):
                model = widget.model()
                found += [f"row {n} {model.index(n, 0).data()}" for n in range(model.rowCount())]
            elif isinstance(widget, Spine):
                found.append(f"spine at {widget.y()} {widget.name}")
            elif isinstance(widget, TEXTS):
                found.append(text_of(widget))
    return sorted(text for text in found if not text.startswith("Measuring"))


def name(desk: Desk, text: str) -> None:
    """The name that stands at the head of the inspector."""
    line = desk.find(NameEdit, lambda edit: desk.window.patch_page.inspector.isAncestorOf(edit))
    desk.rename(line, text)


def describe(desk: Desk, text: str) -> None:
    lines = desk.find(QPlainTextEdit, lambda one: one.accessibleName() == "Description")
    lines.setFocus()
    lines.setPlainText(text)
    desk.window.stack.setFocus()


def chosen(part: str, key: str, act: Callable[[Desk], object]) -> Callable[[Desk], object]:
    """An act on what the inspector shows, which is chosen before."""
    act.begins = (part, key)  # type: ignore[attr-defined]
    return act


ACTS: dict[str, dict[str, Callable[[Desk], object]]] = {
    "Patch": {
        "name a layer": chosen("source", "a", lambda d: name(d, "Zebra")),
        "name a modulator": chosen("modulator", "e1", lambda d: name(d, "Zebra")),
        "name a macro": chosen("macro", "m1", lambda d: name(d, "Zebra")),
        "describe a macro": chosen("macro", "m1", lambda d: describe(d, "Opens it")),
        "name the patch": chosen("patch", "", lambda d: name(d, "Zebra")),
        "name a bus": chosen("bus", "1", lambda d: name(d, "Zebra")),
        "add a layer": lambda d: d.window.patch_page.add_layer("grains"),
        "add a modulator": lambda d: d.window.patch_page.add_modulator("lfo"),
        "duplicate a layer": chosen("source", "a", lambda d: d.window.duplicate()),
        "turn a dial": lambda d: d.session.editor.set("layers.a.filter.cutoff", 1234.0),
        "choose a shape": lambda d: d.session.editor.set("layers.a.filter.on", False),
        "copy A to B": lambda d: (
            d.session.editor.set("level", -9.0),
            d.session.editor.copy_side(),
            d.session.editor.undo(),
        ),
    },
    "Effects": {
        "add an effect": lambda d: d.window.effects.rack.add("chorus"),
        "remove an effect": lambda d: d.window.effects.rack.remove(next(iter(d.session.patch.racks["1"]))),
        "bypass one": lambda d: d.session.editor.set(f"racks.1.{next(iter(d.session.patch.racks['1']))}.on", False),
    },
    "Threads": {
        "another depth": lambda d: d.session.editor.set(f"threads.{next(iter(d.session.patch.threads))}.on", False)
    },
    "Shelf": {
        "star": lambda d: d.window.shelf.change_preset(HOME, "dew-pluck", {"favourite": True}, "star"),
        "rename": lambda d: d.rename(d.window.shelf.details.name, "Zebra"),
        "kind": lambda d: d.window.shelf.change_preset(HOME, "dew-pluck", {"type": "Texture"}, "kind"),
        "describe": lambda d: describe(d, "Wet and slow"),
        "duplicate": lambda d: d.window.shelf.duplicate(),
        "delete": lambda d: d.window.shelf.delete(),
        "reorder": lambda d: d.window.shelf.reorder([(HOME, "dew-pluck")], 4),
        "make a bank": lambda d: d.window.shelf.column.make_bank("Zebra"),
        "rename a bank": lambda d: d.window.shelf.column.spine(0).session and _name_bank(d),
        "duplicate a bank": lambda d: d.window.shelf.column.duplicate_bank("tide-tables"),
        "reorder banks": lambda d: d.window.shelf.column.reorder_bank(HOME, 1),
        "order its presets": lambda d: d.window.shelf.column.order_bank(HOME, "by name"),
        "merge banks": lambda d: d.window.shelf.column.merge_bank("tide-tables", HOME),
        "delete a bank": lambda d: _delete_bank(d),
    },
    "Workshop": {"load another table": lambda d: d.session.editor.set("layers.a.level", -7.0)},
}


def _name_bank(desk: Desk) -> None:
    desk.window.shelf.column.ask_bank_name(desk.window.shelf.column.spine(0))
    desk.type("Zebra")


def _delete_bank(desk: Desk) -> None:
    from felt_dial.session import shelf_steps

    shelf_steps.delete_bank(desk.session, "tide-tables")


@pytest.mark.parametrize("page", list(ACTS))
def test_every_act_is_taken_back_by_one_undo(desk: Desk, page: str) -> None:
    session = desk.session
    desk.window.show_page(page)
    if page == "Shelf":
        desk.window.shelf.view.setCurrentIndex(desk.window.shelf.model.index(0))
    for what, act in ACTS[page].items():
        selection = getattr(act, "begins", None)
        if selection is not None:
            session.editor.select(*selection)
        desk.window.stack.setFocus()
        before, patch, steps = shown(desk), session.patch, len(session.editor.history.sentences())
        act(desk)
        desk.window.stack.setFocus()
        after, made = shown(desk), session.patch
        assert after != before or session.patch != patch, f"{page}: {what} does nothing"
        assert len(session.editor.history.sentences()) == steps + 1, f"{page}: {what} is one step"
        session.editor.undo()
        desk.window.stack.setFocus()
        assert session.patch == patch, f"{page}: {what}"
        now = shown(desk)
        gone, come = [t for t in before if t not in now], [t for t in now if t not in before]
        assert (gone, come) == ([], []), f"{page}: {what}"
        session.editor.redo()
        assert session.patch == made, f"{page}: {what} done again"
        session.editor.undo()


# --- the map of offshoots -------------------------------------------------------------------------


def offshoots(desk: Desk, count: int = 8) -> Offshoots:
    """The page with some on its map, as if they had grown."""
    page = desk.window.shelf
    desk.window.show_page("Shelf")
    page.view.setCurrentIndex(page.model.index(0))
    page.grow()
    grown, patch = page.offshoots, desk.session.patch
    rng = np.random.default_rng(5)

    def one(n: int) -> Variation:
        own = with_value(patch, "level", -3.0 - n)
        features = Features(*rng.uniform(0.1, 1, 6), shape=rng.uniform(-60, 0, 24))
        return Variation(
            document=write_patch(own), sound=np.zeros((2, 100), np.float32), swatch=np.zeros((24, 48), np.uint8),
            features=features, far=0.3, changed=(("Output", "0 dB", f"−{3 + n} dB"),), wrong="",
        )  # fmt: skip

    grown.growth.found = [one(n) for n in range(count)]
    grown._grown()
    return grown


def map_of(grown: Offshoots) -> dict[str, Any]:
    boxes = grown.map.boxes()
    return {
        "places": {grown.sounds[n].document: box.getRect() for n, box in boxes.items() if n >= 0},
        "kept": dict(grown.map.kept_names),
        "keep": grown.keep_pill.text(),
    }


def test_keep_and_throw_are_steps_and_the_map_says_so(desk: Desk) -> None:
    grown, session = offshoots(desk), desk.session
    names = [row.name for row in session.shelf.catalogue.presets(HOME)]
    grown.map.choose(2)
    before = map_of(grown)
    QTest.keyClick(grown.map, Qt.Key.Key_K)
    assert grown.keep_pill.text() == "Kept" and len(session.shelf.catalogue.presets(HOME)) == len(names) + 1
    session.editor.undo()
    assert map_of(grown) == before and [row.name for row in session.shelf.catalogue.presets(HOME)] == names
    QTest.keyClick(grown.map, Qt.Key.Key_K)
    assert grown.keep_pill.text() == "Kept", "K does it again after an undo"
    session.editor.undo()
    session.editor.set("level", -5.0)
    grown.map.choose(3)
    before = map_of(grown)
    QTest.keyClick(grown.map, Qt.Key.Key_Delete)
    assert len(grown.sounds) == 7 and session.editor.history.undo_says == "throw away No. 4"
    session.editor.undo()
    assert {**map_of(grown), "keep": ""} == {**before, "keep": ""} and session.editor.value("level") == -5.0
    session.editor.redo()
    assert len(grown.sounds) == 7


@pytest.mark.parametrize("way", ["map", "grid"])
def test_the_map_stands_still_while_one_weeds(desk: Desk, way: str) -> None:
    grown = offshoots(desk)
    grown._way(way)
    before = map_of(grown)["places"]
    boxes = grown.map.boxes()
    for n in (1, 4):
        at = boxes[n].center().toPoint()
        QTest.mouseClick(grown.map, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, at)
    assert grown.map.picked() == [1, 4] and grown.throw_pill.text() == "Throw away 2"
    QTest.keyClick(grown.map, Qt.Key.Key_Delete)
    after = map_of(grown)["places"]
    assert len(after) == 6 and all(before[document] == place for document, place in after.items())
    assert grown.anew.isEnabled()
    desk.session.editor.undo()
    assert map_of(grown)["places"] == before and not grown.anew.isEnabled()
    desk.session.editor.redo()
    grown.anew.click()
    assert map_of(grown)["places"] != after and not grown.anew.isEnabled()


def test_a_drag_over_the_ground_chooses_all_in_it(desk: Desk) -> None:
    grown = offshoots(desk)
    grown._way("grid")
    boxes = grown.map.boxes()
    last = max(boxes)
    around = QRectF(boxes[0].topLeft(), boxes[min(2, last)].bottomRight()).adjusted(-4, -6, 2, 2)
    free = next(
        QPointF(x, grown.map.height() - 3.0)
        for x in range(3, 40)
        if grown.map.at(QPointF(x, grown.map.height() - 3.0)) == -2
    )
    desk.drag(grown.map, free.toPoint(), QPointF(around.right(), around.top() + 2).toPoint())
    assert len(grown.map.picked()) >= 2
    count = len(grown.map.picked())
    grown.throw()
    assert len(grown.sounds) == 8 - count and desk.session.editor.history.undo_says == f"throw away {count} offshoots"
