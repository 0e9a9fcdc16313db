"""Racks and effects in the real window."""

from __future__ import annotations

from itertools import pairwise

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.edits import remove_effect
from felt_dial.patch.module import Effect, Source
from felt_dial.patch.parts import RACK_MOST
from felt_dial.patch.units import THIN
from felt_dial.sound.spectra import note_name
from felt_dial.ui.dials.controls import Pill, SwitchPill
from felt_dial.ui.dials.dial import Dial
from felt_dial.ui.pages.effects.rack_row import WIDE
from felt_dial.ui.pages.patch.routing import Routing
from felt_dial.ui.pictures.effect_curves import EqualiserPicture
from felt_dial.ui.pictures.effect_levels import LevelPicture
from felt_dial.ui.pictures.well import Well
from felt_dial.ui.theme.colours import colour
from tests.ui.conftest import Desk


def test_every_effect_has_a_picture_that_shows_its_values_and_dials(desk: Desk) -> None:
    desk.window.show_page("Effects")
    page, session = desk.window.effects, desk.session
    for kind in sorted(Effect.kinds):
        page.rack.add(kind)
        picture = desk.find(Well, lambda p: getattr(p, "large", False) and p.window() is desk.window)
        before = picture.grab().toImage()
        key = session.editor.effect
        effect = session.patch.racks["1"][key]
        path = f"racks.1.{key}.on"
        session.editor.set(path, False)
        QApplication.processEvents()
        assert picture.grab().toImage() != before, kind
        session.editor.set(path, True)
        name = "gain2" if kind == "equaliser" else next(n for n, p in effect.params.items() if hasattr(p, "at"))
        assert desk.dial(f"racks.1.{key}.{name}").label == effect.params[name].label
        session.editor.edit(remove_effect(session.patch, "1", key), "take it away")
        QApplication.processEvents()


def test_a_band_is_dragged_switched_and_narrowed(desk: Desk) -> None:
    desk.window.show_page("Effects")
    session = desk.session
    desk.window.effects.rack.add("equaliser")
    picture = desk.find(EqualiserPicture, lambda p: p.large)
    spot = picture.spot(picture.box(), 2).toPoint()
    desk.drag(picture, spot, spot + QPoint(60, -40))
    path = f"racks.1.{session.editor.effect}."
    assert session.editor.value(path + "frequency2") > 200.0 and session.editor.value(path + "gain2") > 2.0
    assert session.editor.history.undo_says == "move band 2"
    QTest.mouseDClick(picture, Qt.MouseButton.LeftButton, pos=picture.spot(picture.box(), 3).toPoint())
    assert session.editor.value(path + "form3") == "bell"
    QTest.qWait(50)
    assert desk.window.effects.band == 3, "the band under the hand has its dials"
    assert desk.dial(path + "gain3").path.endswith("gain3")


def test_a_band_is_pulled_beyond_the_picture_which_then_shows_more(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    """A pull upwards by one and a half pictures ends at the most a band has; while it lasts the picture keeps its measure."""
    desk.window.show_page("Effects")
    desk.window.effects.rack.add("equaliser")
    picture = desk.find(EqualiserPicture, lambda p: p.large)
    box, path = picture.box(), f"racks.1.{desk.session.editor.effect}."
    said: list[str] = []
    monkeypatch.setattr(picture, "_say", lambda painter, box, at, text: said.append(text))
    spot = picture.spot(box, 2).toPoint()
    QTest.mousePress(picture, Qt.MouseButton.LeftButton, pos=spot)
    for part, gain in ((0.25, 7.5), (0.6, 18.0), (1.5, 24.0)):
        desk.move(picture, spot - QPoint(0, round(part * box.height())))
        assert desk.session.editor.value(path + "gain2") == pytest.approx(gain, abs=0.4)
        assert (picture.top, picture.bottom) == (15.0, -15.0)
        picture.grab()
        hertz = desk.session.editor.value(path + "frequency2")
        assert (
            said[-1]
            == f"{hertz:.0f}{THIN}Hz, {note_name(hertz)}, {desk.session.editor.value(path + 'gain2'):.1f}{THIN}dB"
        )
    QTest.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=spot)
    picture.grab()
    assert picture.top == 27.0
    assert picture.spot(box, 2).y() == pytest.approx(box.top() + 3 / 54 * box.height(), abs=0.5)
    desk.session.editor.undo()
    picture.grab()
    assert picture.top == 15.0


def test_a_band_has_the_dials_that_its_form_needs(desk: Desk) -> None:
    desk.window.show_page("Effects")
    desk.window.effects.rack.add("equaliser")
    path = f"racks.1.{desk.session.editor.effect}."

    def shown() -> set[str]:
        QTest.qWait(50)
        return {dial.path.removeprefix(path) for dial in desk.window.effects.findChildren(Dial) if dial.isVisible()}

    for form, names in (
        ("bell", {"frequency2", "gain2", "width2"}),
        ("low cut", {"frequency2", "slope2"}),
        ("notch", {"frequency2", "width2"}),
        ("off", {"frequency2"}),
    ):
        desk.session.editor.set(path + "form2", form)
        assert shown() == names | {"wet"}, form


def test_an_effect_moves_to_the_other_rack_with_its_threads_and_back(desk: Desk) -> None:
    desk.window.show_page("Effects")
    page, session = desk.window.effects, desk.session
    page.second.add("delay")
    page.second.cards["delay1"].take_in("1", "delay1", 0)
    assert list(session.patch.racks["2"]) == ["delay2", "delay1"] and list(session.patch.racks["1"]) == ["reverb1"]
    targets = [t.target for t in session.patch.threads.values() if "delay" in t.target]
    assert targets and all(target.startswith("racks.2.delay2.") for target in targets)
    assert (session.editor.rack, session.editor.effect) == ("2", "delay2")
    session.editor.undo()
    assert list(session.patch.racks["1"]) == ["delay1", "reverb1"]


def test_what_goes_to_rack_two_is_said_and_an_old_document_has_an_empty_one(desk: Desk) -> None:
    session = desk.session
    session.editor.set("layers.b.out", "rack2")
    words = desk.find(Routing).words()
    assert "B → rack 2 · " in words and "rack 2 (empty) → rack 1" in words
    text = write_patch(session.patch).replace(',\n  "2": {}', "")
    assert '"2": {}' not in text and read_patch(text, "x") == session.patch


def test_a_full_rack_stands_side_by_side_and_takes_no_more(desk: Desk) -> None:
    """Twelve effects: none covers another or what stands beside them, each still switches on and off; the next is refused."""
    session, page = desk.session, desk.window.effects
    desk.window.show_page("Effects")
    while len(session.patch.racks["1"]) < RACK_MOST:
        page.rack.add("compressor")
    QTest.qWait(50)
    cards = list(page.rack.cards.values())
    edges = [(card.x(), card.geometry().right()) for card in cards]
    assert edges[0][0] >= 124 and edges[-1][1] < page.rack.width() - 38
    assert all(right < left for (_, right), (left, _) in pairwise(edges))
    last = list(session.patch.racks["1"])[-1]
    switch = cards[-1].findChild(SwitchPill)
    assert cards[-1].rect().contains(switch.geometry())
    switch.click()
    assert session.patch.racks["1"][last].on is False
    page.rack.add("trim")
    assert len(session.patch.racks["1"]) == RACK_MOST and "twelve" in desk.messages[-1]
    session.editor.undo()
    for _ in range(6):
        QTest.keyClick(list(page.rack.cards.values())[-1], Qt.Key.Key_Delete)
        QTest.qWait(10)
    assert {card.width() for card in page.rack.cards.values()} == {WIDE}


def test_a_level_picture_shows_what_goes_in_and_comes_out_now(desk: Desk) -> None:
    """A sound of −12 dB that comes out at −18: a dot at both levels, of axes from −60 to 0 dB; none while nothing sounds."""
    desk.window.show_page("Effects")
    desk.window.effects.rack.add("compressor")
    picture = desk.find(LevelPicture, lambda p: p.large)
    silent = picture.grab().toImage()
    data = desk.session.link.shared.data
    data["tap"][:2], data["tap"][2:] = 10 ** (-12 / 20), 10 ** (-18 / 20)
    data["scope_written"] = 4096
    picture.update()
    played = picture.grab().toImage()
    box = picture.box()
    x, y = box.left() + 48 / 60 * box.width(), box.bottom() - 42 / 60 * box.height()
    assert played.pixelColor(round(x), round(y)) == colour("chalk") != silent.pixelColor(round(x), round(y))
    differ = [p for p in range(played.width()) if played.pixelColor(p, round(y)) != silent.pixelColor(p, round(y))]
    assert max(differ) - min(differ) <= 13, "and nothing else at this height"


# --- choosers ------------------------------------------------------------------------------------


def test_an_effect_is_found_as_one_types_and_added_by_enter(desk: Desk) -> None:
    """The chooser stands at its button, says what each is, finds by name, group and sentence, and leaves by Escape."""
    desk.session.editor.new()
    desk.window.show_page("Effects")
    QTest.qWait(60)
    rack = desk.window.effects.rack
    button = next(p for p in rack.findChildren(Pill) if p.text() == "+ Effect")
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    chooser = rack.chooser
    assert chooser is not None and chooser.isVisible() and len(chooser.shown()) == len(Effect.kinds)
    below = button.mapToGlobal(button.rect().bottomLeft())
    assert abs(chooser.y() - below.y()) < 12 or chooser.y() + chooser.height() <= below.y() - button.height()
    QTest.keyClicks(chooser.search, "walls")
    QTest.keyClick(chooser.search, Qt.Key.Key_Backspace)
    chooser.search.clear()
    QTest.keyClicks(chooser.search, "dynam")
    assert {chooser.offers[n].what.group for n in chooser.shown()} == {"Dynamics"}
    first = chooser.at
    QTest.keyClick(chooser.search, Qt.Key.Key_Down)
    assert chooser.at != first and chooser.about.text().startswith(chooser.offers[chooser.at].what.name)
    chooser.search.clear()
    QTest.keyClicks(chooser.search, "rev")
    QTest.keyClick(chooser.search, Qt.Key.Key_Return)
    assert [effect.title for effect in desk.session.patch.racks["1"].values()] == ["Reverb"]
    rack = desk.window.effects.rack
    QTest.mouseClick(next(p for p in rack.findChildren(Pill) if p.text() == "+ Effect"), Qt.MouseButton.LeftButton)
    assert rack.chooser is not None
    QTest.keyClicks(rack.chooser.search, "zither")
    assert not rack.chooser.shown() and "zither" in rack.chooser.about.text()
    QTest.keyClick(rack.chooser.search, Qt.Key.Key_Return)
    QTest.keyClick(rack.chooser.search, Qt.Key.Key_Escape)
    assert len(desk.session.patch.racks["1"]) == 1


def test_a_layer_begins_as_the_kind_that_is_chosen_and_a_modulator_too(desk: Desk) -> None:
    desk.session.editor.new()
    desk.window.show_page("Patch")
    page = desk.window.patch_page
    QTest.mouseClick(next(p for p in page.findChildren(Pill) if p.text() == "+ Add a layer"), Qt.MouseButton.LeftButton)
    assert page.chooser is not None and len(page.chooser.shown()) == len(Source.kinds)
    QTest.keyClicks(page.chooser.search, "grains")
    QTest.keyClick(page.chooser.search, Qt.Key.Key_Return)
    assert desk.session.patch.layers["b"].source.kind == "grains"
    QTest.mouseClick(next(p for p in page.findChildren(Pill) if p.text() == "+ Modulator"), Qt.MouseButton.LeftButton)
    QTest.mouseClick(next(o for o in page.chooser.offers if o.what.key == "lfo"), Qt.MouseButton.LeftButton)
    assert "l1" in desk.session.patch.modulators
    assert {effect.group for effect in Effect.kinds.values()} >= {
        "Space",
        "Echo",
        "Movement",
        "Dynamics",
        "Tone",
        "Drive",
        "Stereo",
    }
    assert "More" not in {effect.group for effect in Effect.kinds.values()}


def test_several_effects_are_chosen_copied_kept_as_a_chain_and_removed_as_one_step(desk: Desk) -> None:
    desk.window.show_page("Effects")
    page, session = desk.window.effects, desk.session
    for kind in ("chorus", "trim", "delay"):
        page.second.add(kind)
    session.editor.set("racks.2.delay1.feedback", 0.7)
    QApplication.processEvents()

    def click(key: str, how: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        QTest.mouseClick(page.second.cards[key], Qt.MouseButton.LeftButton, how, QPoint(40, 40))
        QApplication.processEvents()

    click("chorus1")
    click("delay1", Qt.KeyboardModifier.ControlModifier)
    assert page.second.several == {"chorus1", "delay1"}
    keep = next(a for a in page.second.chain_menu().actions() if a.text().startswith("Keep the 2"))
    keep.trigger()
    assert page.second.entry is not None
    QTest.keyClicks(page.second.entry, "Moth room")
    QTest.keyClick(page.second.entry, Qt.Key.Key_Return)
    chain = next(one for one in page.rack.kept.chains() if one.name == "Moth room")
    assert [effect.kind for effect in chain.effects] == ["chorus", "delay"] and chain.effects[1].get("feedback") == 0.7

    before = list(session.patch.racks["1"])
    next(a for a in page.rack.chain_menu().actions() if a.text().startswith("Moth room")).trigger()
    assert [e.kind for e in list(session.patch.racks["1"].values())[len(before) :]] == ["chorus", "delay"]
    assert session.editor.history.undo_says == "add Moth room"
    session.editor.undo()
    assert list(session.patch.racks["1"]) == before

    click("chorus1")
    click("delay1", Qt.KeyboardModifier.ShiftModifier)
    page.copy()
    desk.window.paste()
    assert [e.kind for e in session.patch.racks["2"].values()] == ["chorus", "trim", "delay"] * 2
    click("chorus1")
    click("delay1", Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClick(page.second.cards["trim1"], Qt.Key.Key_Delete)
    assert [e.kind for e in session.patch.racks["2"].values()] == ["chorus", "trim", "delay"]
    session.editor.undo()
    assert len(session.patch.racks["2"]) == 6
    click("trim1")
    assert page.second.several == set() and page.second.held("trim1") == ["trim1"]
    session.presets.open("glasshouse-at-dusk", "dew-pluck")
    QApplication.processEvents()
    QTest.mouseClick(page.rack.cards["delay1"], Qt.MouseButton.LeftButton, pos=QPoint(40, 40))
    page.rack.choose("reverb1", Qt.KeyboardModifier.ShiftModifier)
    assert page.rack.several == {"delay1", "reverb1"}
    session.presets.open("glasshouse-at-dusk", "moss-pad")
    assert page.rack.several == set(), "another patch has effects of its own, whatever they are called"


def test_a_chain_that_a_rack_cannot_take_is_refused_whole(desk: Desk) -> None:
    desk.window.show_page("Effects")
    page, session = desk.window.effects, desk.session
    while len(session.patch.racks["2"]) < RACK_MOST - 1:
        page.second.add("trim")
    before = session.patch
    page.second.put(page.second.kept.chains()[0].effects, "add it")
    assert session.patch == before and "takes 1 more" in desk.messages[-1]
