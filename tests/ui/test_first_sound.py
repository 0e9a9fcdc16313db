"""The first page of the guide, followed to the letter: its steps are read, and each is done as it is written."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QEvent, QPoint, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QWidget

from felt_dial.patch.edits import threads_on
from felt_dial.patch.places import read_at
from felt_dial.patch.units import Beats
from felt_dial.ui.dials.dial import Dial
from felt_dial.ui.dials.tag import Tag
from felt_dial.ui.frame.header import Sides
from felt_dial.ui.pages.effects.rack_row import EffectCard
from felt_dial.ui.pictures.filters import FilterCurve
from felt_dial.ui.pictures.modulators import EnvelopePicture
from tests.ui.conftest import Desk, wait

GUIDE = Path(__file__).parents[2] / "docs" / "guide" / "first-sound.md"
CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
LEFT, CUTOFF = Qt.MouseButton.LeftButton, "layers.a.filter.cutoff"


def steps() -> dict[str, str]:
    """The numbered steps by their titles, each on one line."""
    parts = re.split(r"\n(?=\d+\. |\n)", GUIDE.read_text())
    found = [re.match(r"\s*\d+\. \*\*(.+?)\.\*\* (.*)", part, re.DOTALL) for part in parts]
    return {match[1]: " ".join(match[2].split()) for match in found if match}


def typed(step: str) -> list[str]:
    """What a step says to type."""
    return re.findall(r"`([^`]+)`", step)


def write(widget: QWidget, text: str) -> None:
    """Types letters of any kind, which `keyClicks` does not."""
    for letter in text:
        QApplication.sendEvent(widget, QKeyEvent(QEvent.Type.KeyPress, 0, Qt.KeyboardModifier.NoModifier, letter))


def listen(desk: Desk, step: str) -> None:
    assert "Press Space" in step and "Choose another in the strip" in step
    desk.window.stack.setFocus()
    desk.keys(Qt.Key.Key_Space)
    assert desk.session.transport.playing and desk.window.strip.phrase.count() >= 8
    desk.keys(Qt.Key.Key_Space)


def start(desk: Desk, step: str) -> None:
    assert "On the Shelf (Ctrl+1) click a preset" in step and "Ctrl+N gives an empty patch" in step
    desk.keys(Qt.Key.Key_N, CONTROL)
    assert desk.session.patch.name == "Untitled"
    desk.keys(Qt.Key.Key_1, CONTROL)
    view = desk.window.shelf.view
    QTest.mouseClick(
        view.viewport(), LEFT, pos=view.visualRect(desk.window.shelf.model.index(0)).center() - QPoint(160, 0)
    )
    assert wait(lambda: desk.session.patch.name == "Dew Pluck", 2)


def shape(desk: Desk, step: str) -> None:
    assert "On the Patch page (Ctrl+2) click a layer's *Level over time*" in step
    desk.keys(Qt.Key.Key_2, CONTROL)
    QTest.mouseClick(desk.window.patch_page.rows["a"].pictures["level"], LEFT)
    picture = desk.find(EnvelopePicture, lambda one: one.large)
    handle = next(h for h in picture.handles() if h.time == "decay")
    spot, before = picture._centre(picture.box(), handle).toPoint(), desk.session.patch
    desk.drag(picture, spot, spot + QPoint(20, -8))
    assert desk.session.patch is not before
    bend = spot - QPoint(20, 18)
    name = picture._under(bend.toPointF())
    assert name.endswith("_bend")
    before = desk.session.editor.value(f"modulators.e1.{name}")
    desk.drag(picture, bend, bend - QPoint(0, 12))
    assert desk.session.editor.value(f"modulators.e1.{name}") != before
    spot = picture._centre(picture.box(), next(h for h in picture.handles() if h.time == "decay")).toPoint()
    assert "Double-click a point to type it, such as `350 ms 40 %`" in step
    QTest.mouseDClick(picture, LEFT, pos=spot)
    desk.type("350 ms 40 %")
    assert [desk.session.editor.value(f"modulators.e1.{n}") for n in picture.says("decay")] == pytest.approx(
        [0.35, 0.4]
    )


def colour(desk: Desk, step: str) -> None:
    assert "drag in its curve, sideways for the cutoff and up for the resonance" in step
    session = desk.session
    QTest.mouseClick(desk.window.patch_page.rows["a"].pictures["filter"], LEFT)
    picture = desk.find(FilterCurve, lambda one: one.large)
    before = session.editor.value(CUTOFF), session.editor.value("layers.a.filter.resonance")
    desk.drag(picture, picture.rect().center(), picture.rect().center() + QPoint(40, -30))
    assert float(session.editor.value(CUTOFF)) > float(before[0])  # type: ignore[arg-type]
    assert float(session.editor.value("layers.a.filter.resonance")) > float(before[1])  # type: ignore[arg-type]
    places = {"−6 dB": "layers.a.level", "350 ms": "modulators.e1.attack", "1/8d": "modulators.e1.decay"}
    places |= {"4 bars": "modulators.e1.release", "C#3": CUTOFF, "+3": "layers.a.pitch"}
    for text in typed(step):
        path = places.get(text, CUTOFF)
        session.editor.select("level" if path.startswith("modulators") else "source", "a")
        dial = desk.find(Dial, lambda one, path=path: one.path == path) if not path.endswith("level") else None
        hand = dial or desk.window.patch_page.rows["a"].level
        hand.setFocus()
        wanted = read_at(session.patch, path, text, by_face=True)
        if text[0].isalpha():
            assert "press Return before a name" in step
            desk.keys(Qt.Key.Key_Return)
            desk.type(text)
        else:
            write(hand, text[0])
            write(desk.entry(), text[1:])
            QTest.keyClick(desk.entry(), Qt.Key.Key_Return)
        assert session.editor.value(path) == wanted, text
    assert "What cannot be read is refused in place" in step
    before = session.patch
    desk.dial(CUTOFF).setFocus()
    desk.keys(Qt.Key.Key_Return)
    desk.type("moss")
    assert desk.entry().refusal and session.patch is before
    QTest.keyClick(desk.entry(), Qt.Key.Key_Escape)


def move(desk: Desk, step: str) -> None:
    how_far, line = typed(step)
    desk.window.patch_page.add_modulator("lfo")
    desk.session.editor.select("source", "a")
    tag = desk.find(Tag, lambda one: one.key == "l1")
    desk.drop(tag.mime(), desk.dial(CUTOFF))
    desk.type(how_far)
    desk.dial("layers.a.pitch").setFocus()
    assert "press Ctrl+T" in step
    desk.keys(Qt.Key.Key_T, CONTROL)
    desk.type(line)
    for path in (CUTOFF, "layers.a.pitch"):
        assert any((t.source, t.depth) == ("l1", 12.0) for t in threads_on(desk.session.patch, path).values()), path


def handles(desk: Desk, step: str) -> None:
    assert "Name a macro in the strip, then drag its tag onto the dials" in step
    macro = desk.window.strip.macros[5]
    macro.name.setFocus()
    QTest.keyClicks(macro.name, "Dew")
    QTest.keyClick(macro.name, Qt.Key.Key_Return)
    desk.drop(macro.tag.mime(), desk.dial(CUTOFF))
    QTest.keyClick(desk.entry(), Qt.Key.Key_Return)
    assert desk.session.patch.macros["m6"].name == "Dew"
    assert any(t.source == "m6" for t in threads_on(desk.session.patch, CUTOFF).values())


def room(desk: Desk, step: str) -> None:
    (text,) = typed(step)
    assert "On the Effects page (Ctrl+4) add a Delay" in step
    desk.keys(Qt.Key.Key_4, CONTROL)
    rack = desk.window.effects.rack
    rack.menu()
    QTest.keyClicks(rack.chooser.search, "delay")
    QTest.keyClick(rack.chooser.search, Qt.Key.Key_Return)
    desk.window.activateWindow()  # no window manager gives it back after a list
    QTest.qWait(20)
    key = desk.session.editor.effect
    assert desk.find(EffectCard, lambda card: card.key == key)
    for side in ("left", "right"):
        dial = desk.dial(f"racks.1.{key}.{side}")
        dial.setFocus()
        QTest.keyClicks(dial, text[0])
        QTest.keyClicks(desk.entry(), text[1:])
        QTest.keyClick(desk.entry(), Qt.Key.Key_Return)
        assert desk.session.editor.value(dial.path) == Beats(0.75)


def compare(desk: Desk, step: str) -> None:
    assert "The key ` flips between A and B" in step and "Double-click the switch to copy one over" in step
    work = desk.session.editor.work
    desk.keys(Qt.Key.Key_QuoteLeft)
    assert desk.session.editor.work.side != work.side
    desk.keys(Qt.Key.Key_QuoteLeft)
    sides = desk.find(Sides)
    QTest.mouseClick(sides, LEFT)  # a double click begins with one
    QTest.mouseDClick(sides, LEFT)
    assert desk.session.editor.work.a == desk.session.editor.work.b == desk.session.patch


def keep(desk: Desk, step: str) -> None:
    assert (
        "Ctrl+S saves over the preset" in step and "Ctrl+Shift+S saves it as a new one" in step and "last three" in step
    )
    session = desk.session
    assert session.editor.unsaved and desk.window.header.preset.dot.isVisible(), (
        "the dot says that the file holds something else"
    )
    desk.keys(Qt.Key.Key_S, CONTROL)
    assert not session.editor.unsaved and session.settings.now.versions == 3
    assert len(session.shelf.library.bank(session.editor.work.bank).versions(session.editor.work.preset)) == 1
    desk.keys(Qt.Key.Key_S, CONTROL | SHIFT)
    desk.type("Fern Pluck")
    assert session.patch.name == "Fern Pluck" and not session.editor.unsaved


def hand_over(desk: Desk, step: str, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    assert (
        "On the Shelf give it a kind, a few words and a description" in step and "export the bank as one file" in step
    )
    desk.keys(Qt.Key.Key_1, CONTROL)
    details = desk.window.shelf.details
    desk.rename(details.character, "wet, short")
    assert desk.session.patch.character == ("wet", "short")
    target = tmp_path / "bank.feltbank"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    desk.window.shelf.ask_export()
    desk.answer("Export it all the same")  # what somebody who gets it would miss is listed first
    desk.finish_job()
    assert target.exists()


def test_the_first_page_of_the_guide_is_true(desk: Desk, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    read = steps()
    do: dict[str, Callable[[Desk, str], None]] = {
        "Listen": listen,
        "Start from a cousin": start,
        "Give it a shape": shape,
        "Colour it": colour,
        "Make it move": move,
        "Hand over the handles": handles,
        "Set the room": room,
        "Compare": compare,
        "Keep it": keep,
        "Hand it over": lambda desk, step: hand_over(desk, step, monkeypatch, tmp_path),
    }
    assert list(read) == list(do), "every step of the guide is done here, in its order"
    for title, step in read.items():
        do[title](desk, step)
        assert not desk.uncaught, title
