"""Every key of the list does what the list says; Tab and F6 go through the window in order."""

from __future__ import annotations

import re
from collections.abc import Callable

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox, QMenu

from felt_dial.patch.edits import add_effect, add_modulator
from felt_dial.patch.module import Effect, Modulator
from felt_dial.session.copying import copy_modulator, paste_modulator
from felt_dial.session.topics import Selected
from felt_dial.sound.effects.equaliser import BANDS
from felt_dial.ui.dials.focus import in_turn
from felt_dial.ui.dials.snippet_button import SnippetPill
from felt_dial.ui.frame.sheets import KEYS
from felt_dial.ui.pages.effects.rack_row import EffectCard
from felt_dial.ui.pages.shelf.spine import Spine
from felt_dial.ui.pictures.drawn_lines import LinePicture
from felt_dial.ui.pictures.effect_curves import EqualiserPicture
from felt_dial.ui.pictures.modulators import EnvelopePicture
from tests.ui.conftest import Desk

KEY, NONE = Qt.Key, Qt.KeyboardModifier.NoModifier
CONTROL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)
CUTOFF = "layers.a.filter.cutoff"
Says = Callable[[Desk], object]


def press(desk: Desk, key: Qt.Key, with_: Qt.KeyboardModifier = NONE) -> None:
    desk.keys(key, with_)
    QTest.qWait(5)


def changes(read: Callable[[Desk], object], *pressed: tuple[Qt.Key, Qt.KeyboardModifier]) -> Says:
    """Every one of some keys changes something."""

    def check(desk: Desk) -> bool:
        for key, with_ in pressed:
            before = read(desk)
            press(desk, key, with_)
            if read(desk) == before:
                return False
        return True

    return check


def on(desk: Desk, page: str) -> None:
    desk.window.show_page(page)
    QApplication.processEvents()


def _plays_notes(desk: Desk) -> bool:
    sent: list[int] = []
    desk.session.link.note_on = lambda key, velocity: sent.append(key)  # type: ignore[method-assign]
    for key in (KEY.Key_Z, KEY.Key_M, KEY.Key_Q, KEY.Key_U):
        press(desk, key)
    return sent == [60, 71, 72, 83]


def _pages(desk: Desk) -> bool:
    shown = []
    for key in (KEY.Key_1, KEY.Key_2, KEY.Key_3, KEY.Key_4, KEY.Key_5):
        press(desk, key, CONTROL)
        shown.append(desk.window.shown)
    return shown == ["Shelf", "Patch", "Workshop", "Effects", "Threads"]


def _dial(desk: Desk) -> None:
    desk.session.editor.set(CUTOFF, 1000.0)
    desk.dial(CUTOFF).setFocus()


def _saves(desk: Desk) -> bool:
    desk.session.editor.set(CUTOFF, 1234.0)
    press(desk, KEY.Key_S, CONTROL)
    return not desk.session.editor.unsaved


def _saves_as_new(desk: Desk) -> bool:
    press(desk, KEY.Key_S, CONTROL | SHIFT)
    desk.type("Fern")
    return desk.session.patch.name == "Fern" and not desk.session.editor.unsaved


def test_a_patch_without_a_place_is_asked_where_it_goes(desk: Desk) -> None:
    """Saving it does not put one more “Untitled” into a bank, nor anything into one that nobody chose."""
    press(desk, KEY.Key_N, CONTROL)
    press(desk, KEY.Key_S, CONTROL)
    assert desk.session.editor.unsaved
    desk.type("Fern")
    assert desk.session.patch.name == "Fern" and not desk.session.editor.unsaved
    press(desk, KEY.Key_N, CONTROL)
    desk.session.editor.rename_patch("Moss")
    press(desk, KEY.Key_S, CONTROL)
    assert desk.entry().text() == "Moss" and desk.entry().choice.text() == "in First Sketches ▾"
    press(desk, KEY.Key_Return)
    assert desk.session.patch.name == "Moss" and not desk.session.editor.unsaved


def _undoes(desk: Desk) -> bool:
    before = desk.session.editor.value(CUTOFF)
    for key, with_ in ((KEY.Key_Z, CONTROL | SHIFT), (KEY.Key_Y, CONTROL)):
        desk.session.editor.set(CUTOFF, 1234.0)
        press(desk, KEY.Key_Z, CONTROL)
        if desk.session.editor.value(CUTOFF) != before:
            return False
        press(desk, key, with_)
        if desk.session.editor.value(CUTOFF) != 1234.0:
            return False
        desk.session.editor.undo()
    return True


def _duplicates(desk: Desk) -> bool:
    session = desk.session
    layers, movers = len(session.patch.layers), len(session.patch.modulators)
    session.editor.select("source", "a")
    press(desk, KEY.Key_D, CONTROL)
    session.editor.select("modulator", "e1")
    press(desk, KEY.Key_D, CONTROL)
    return len(session.patch.layers) == layers + 1 and len(session.patch.modulators) == movers + 1


def _copies(desk: Desk) -> bool:
    session = desk.session

    def counts() -> tuple[int, ...]:
        return len(session.patch.layers), len(session.patch.modulators), len(session.patch.racks["1"])

    before = counts()
    for part, key, page in (("source", "a", "Patch"), ("modulator", "e1", "Patch"), ("source", "a", "Effects")):
        on(desk, page)
        session.editor.select(part, key)
        press(desk, KEY.Key_C, CONTROL)
        press(desk, KEY.Key_V, CONTROL)
    return counts() == tuple(n + 1 for n in before)


def _copies_side(desk: Desk) -> bool:
    desk.session.editor.set(CUTOFF, 1234.0)
    press(desk, KEY.Key_A, CONTROL | SHIFT)
    return desk.session.editor.work.a == desk.session.editor.work.b


def _stars(desk: Desk) -> bool:
    session = desk.session

    def starred() -> bool:
        presets = session.shelf.catalogue.presets(session.editor.work.bank)
        return next(bool(preset.favourite) for preset in presets if preset.id == session.editor.work.preset)

    before = starred()
    press(desk, KEY.Key_F, CONTROL | SHIFT)
    return starred() is not before


def _bypasses_thread(desk: Desk) -> bool:
    on(desk, "Threads")
    threads = desk.window.threads
    key = threads.table.keys[0]
    threads.view.choose(key)
    threads.view.setFocus()
    before = desk.session.patch.threads[key].on
    press(desk, KEY.Key_B, CONTROL)
    return desk.session.patch.threads[key].on is not before


def _sections(desk: Desk) -> bool:
    order = desk.window.sections()
    at = []
    in_turn(order[0])[0].setFocus()
    for key, with_ in [(KEY.Key_F6, NONE)] * len(order) + [(KEY.Key_F6, SHIFT)]:
        press(desk, key, with_)
        focus = QApplication.focusWidget()
        assert focus is not None
        at.append(next(n for n, part in enumerate(order) if focus is part or part.isAncestorOf(focus)))
    return at == [*range(1, len(order)), 0, len(order) - 1]


def _envelope(desk: Desk) -> bool:
    desk.session.editor.select("modulator", "e1")
    picture = desk.find(EnvelopePicture, lambda one: one.large)
    picture.setFocus()
    press(desk, KEY.Key_BracketRight)
    press(desk, KEY.Key_BracketRight)
    grabbed = picture._grabbed
    before = desk.session.editor.value(f"modulators.e1.{grabbed}")
    press(desk, KEY.Key_Right)
    press(desk, KEY.Key_BracketLeft)
    return desk.session.editor.value(f"modulators.e1.{grabbed}") != before and picture._grabbed != grabbed


def _moves_presets(desk: Desk) -> bool:
    on(desk, "Shelf")
    shelf, session = desk.window.shelf, desk.session
    names = lambda: [p.id for p in session.shelf.catalogue.presets(session.shelf.shown)]  # noqa: E731
    shelf.view.setCurrentIndex(shelf.model.index(1, 0))
    shelf.view.setFocus()
    before = names()
    press(desk, KEY.Key_Up, ALT)
    moved = names()
    press(desk, KEY.Key_Down, ALT)
    spine = desk.find(Spine)
    spine.setFocus()
    banks = [bank.id for bank in session.shelf.banks]
    press(desk, KEY.Key_Down, ALT)
    return moved != before and names() == before and [bank.id for bank in session.shelf.banks] != banks


def _moves_effects(desk: Desk) -> bool:
    session = desk.session
    session.editor.edit(add_effect(session.patch, "1", Effect.kinds["delay"]())[0], "add")
    on(desk, "Effects")
    order = lambda: list(session.patch.racks["1"])  # noqa: E731
    before = order()
    desk.find(EffectCard, lambda card: card.key == before[1]).setFocus()
    press(desk, KEY.Key_Left, ALT)
    moved = order()
    desk.find(EffectCard, lambda card: card.key == before[1]).setFocus()
    press(desk, KEY.Key_Right, ALT)
    return moved != before and order() == before


def _renames_bank(desk: Desk) -> bool:
    on(desk, "Shelf")
    desk.find(Spine).setFocus()
    press(desk, KEY.Key_F2)
    return desk.entry().isVisible()


def _turns(desk: Desk) -> bool:
    _dial(desk)
    values = []
    for key, with_ in ((KEY.Key_Up, NONE), (KEY.Key_Down, NONE), (KEY.Key_Up, SHIFT)):
        press(desk, key, with_)
        values.append(float(desk.session.editor.value(CUTOFF)))
    return values[0] > 1000.0 and values[1] == pytest.approx(1000.0) and 1000.0 < values[2] < values[0]


def _types(desk: Desk) -> bool:
    for key, text in ((KEY.Key_Return, "500"), (KEY.Key_6, "600")):
        _dial(desk)
        press(desk, key)
        desk.type(text)
        if desk.session.editor.value(CUTOFF) != float(text):
            return False
    return True


def _default(desk: Desk) -> bool:
    _dial(desk)
    press(desk, KEY.Key_Delete)
    return desk.session.editor.value(CUTOFF) == desk.dial(CUTOFF).param.default


def _quits(desk: Desk) -> bool:
    asked: list[bool] = []
    keep = desk.window.closeEvent
    desk.window.closeEvent = lambda event: (asked.append(True), event.ignore())  # type: ignore[method-assign,assignment]
    press(desk, KEY.Key_Q, CONTROL)
    desk.window.closeEvent = keep  # type: ignore[method-assign]
    return asked == [True]


def _silences(desk: Desk) -> bool:
    desk.session.transport.play(True)
    press(desk, KEY.Key_Period, CONTROL)
    return not desk.session.transport.playing


def _menu(desk: Desk) -> bool:
    press(desk, KEY.Key_F10)
    (menu,) = [menu for menu in desk.window.findChildren(QMenu) if menu.isVisible()]
    menu.close()
    return True


def _points(desk: Desk) -> LinePicture:
    patch, key = add_modulator(desk.session.patch, Modulator.kinds["curve"]())
    desk.session.editor.edit(patch, "a curve", select=("modulator", key))
    QApplication.processEvents()
    picture = desk.find(LinePicture, lambda one: one.large)
    picture.setFocus()
    picture.chosen = 1
    return picture


def _types_point(desk: Desk) -> bool:
    picture = _points(desk)
    press(desk, KEY.Key_Return)
    desk.type("0.4 s 30 %")
    return picture.rows[1][:2] == pytest.approx((0.2, 0.3))


def _bends_points(desk: Desk) -> bool:
    picture = _points(desk)
    before = picture.rows
    press(desk, KEY.Key_PageUp)
    bent = picture.rows
    press(desk, KEY.Key_PageDown)
    same = picture.rows
    press(desk, KEY.Key_Insert)
    return bent[1][2] > before[1][2] == pytest.approx(same[1][2]) and len(picture.rows) == len(before) + 1


def _removes(desk: Desk) -> bool:
    layers = list(desk.session.patch.layers)
    desk.window.patch_page.rows["b"].setFocus()
    desk.select("source", "b")
    QTest.keyClick(desk.window, KEY.Key_Delete)
    return list(desk.session.patch.layers) == [key for key in layers if key != "b"]


DO: dict[str, Says] = {
    "Space": changes(lambda d: d.session.transport.playing, (KEY.Key_Space, NONE)),
    "Z … M, Q … U": _plays_notes,
    "Shift+Z, Shift+X": changes(lambda d: d.window.strip.octave, (KEY.Key_Z, SHIFT), (KEY.Key_X, SHIFT)),
    "Ctrl+1 … Ctrl+5": _pages,
    "`": changes(lambda d: d.session.editor.work.side, (KEY.Key_QuoteLeft, NONE)),
    "Ctrl+S": _saves,
    "Ctrl+Shift+S": _saves_as_new,
    "Ctrl+N": lambda d: (press(d, KEY.Key_N, CONTROL), d.session.patch.name == "Untitled")[1],
    "Ctrl+Z, Ctrl+Shift+Z": _undoes,
    "Ctrl+D": _duplicates,
    "Ctrl+C, Ctrl+V": _copies,
    "Ctrl+Shift+A": _copies_side,
    "Ctrl+Shift+E": changes(
        lambda d: d.session.transport.dry, (KEY.Key_E, CONTROL | SHIFT), (KEY.Key_E, CONTROL | SHIFT)
    ),
    "Alt+M, Alt+S": changes(
        lambda d: (d.session.editor.value("layers.a.mute"), d.session.editor.value("layers.a.solo")),
        (KEY.Key_M, ALT),
        (KEY.Key_S, ALT),
    ),
    "Ctrl+T": lambda d: (_dial(d), press(d, KEY.Key_T, CONTROL), d.entry().isVisible())[2],
    "Ctrl+Shift+F": _stars,
    "Ctrl+B in the threads": _bypasses_thread,
    "F6, Shift+F6": _sections,
    "[ and ] in a picture": _envelope,
    "Enter in a picture": _types_point,
    "Insert, Page Up, Page Down in a picture": _bends_points,
    "Delete in a row": _removes,
    "Ctrl+Shift+L": changes(lambda d: len(d.session.patch.layers), (KEY.Key_L, CONTROL | SHIFT)),
    "Ctrl+F": lambda d: (press(d, KEY.Key_F, CONTROL), d.window.shelf.search.hasFocus())[1],
    "Ctrl+Left, Ctrl+Right": changes(
        lambda d: d.session.editor.work.preset, (KEY.Key_Right, CONTROL), (KEY.Key_Left, CONTROL)
    ),
    "Up, Down": _turns,
    "Enter or a digit": _types,
    "Delete": _default,
    "Alt+Up, Alt+Down": _moves_presets,
    "Alt+Left, Alt+Right": _moves_effects,
    "F2": _renames_bank,
    "Ctrl+P": lambda d: (press(d, KEY.Key_P, CONTROL), d.window.phrase_sheet.isVisible())[1],
    "Ctrl+M": changes(lambda d: d.window.analyser.isVisible(), (KEY.Key_M, CONTROL), (KEY.Key_M, CONTROL)),
    "Ctrl+K": changes(lambda d: d.window.strip.folded, (KEY.Key_K, CONTROL), (KEY.Key_K, CONTROL)),
    "Ctrl+Shift+N": lambda d: (
        press(d, KEY.Key_N, CONTROL | SHIFT),
        d.session.patch.unnamed and not d.session.editor.unsaved,
    )[1],
    "Ctrl+O": lambda d: (press(d, KEY.Key_O, CONTROL), d.window.drawer.isVisible())[1],
    "Ctrl+,": lambda d: (press(d, KEY.Key_Comma, CONTROL), d.window.settings_sheet.isVisible())[1],
    "Ctrl+.": _silences,
    "Ctrl+Q": _quits,
    "F10": _menu,
    "F1": lambda d: (press(d, KEY.Key_F1), d.window.key_sheet.isVisible())[1],
}


def test_every_line_of_the_list_is_tried_and_stands_there_once() -> None:
    listed = [keys for keys, _ in KEYS]
    assert set(listed) == set(DO) and len(listed) == len(set(listed))
    single = [key for keys in listed for key in re.split(r", | … ", keys) if "in " not in key and "or a" not in key]
    assert len(single) == len(set(single)), "no key is listed twice"


def test_every_key_of_every_command_is_in_the_list(desk: Desk) -> None:
    listed = {key.strip() for keys, _ in KEYS for key in re.split(r", | … ", keys)} | {f"Ctrl+{n}" for n in range(1, 6)}
    told = " ".join(says for _, says in KEYS)
    for command in desk.window.commands():
        for key in command.keys:
            assert key in listed or key in told, f"{key} does something that F1 does not say"


@pytest.mark.parametrize("keys", [keys for keys, _ in KEYS])
def test_a_key_does_what_the_list_says(desk: Desk, keys: str) -> None:
    desk.session.presets.open("glasshouse-at-dusk", "dew-pluck")
    on(desk, "Patch")
    desk.session.editor.select("source", "a")
    QTest.qWait(10)
    assert DO[keys](desk), dict(KEYS)[keys]


@pytest.mark.parametrize("page", ["Shelf", "Patch", "Workshop", "Effects", "Threads"])
def test_tab_goes_through_the_page_first_and_comes_round(desk: Desk, page: str) -> None:
    window = desk.window
    window.show_page(page)
    QTest.qWait(30)
    window.setFocus()
    where: list[str] = []
    parts = {"page": window.stack, "strip": window.strip, "header": window.header}
    for _ in range(600):
        desk.keys(KEY.Key_Tab)
        focus = QApplication.focusWidget()
        assert focus is not None
        where.append(next(name for name, part in parts.items() if focus is part or part.isAncestorOf(focus)))
        if where[-1] == "page" and "header" in where:
            break
    order = [name for n, name in enumerate(where) if n == 0 or where[n - 1] != name]
    assert order == ["page", "strip", "header", "page"], "all of the page, then the rest, then round"
    assert where.count("page") > 5
    desk.keys(KEY.Key_Backtab, SHIFT)
    assert window.header.isAncestorOf(QApplication.focusWidget())


def test_space_is_for_a_check_box_that_has_the_focus(desk: Desk) -> None:
    desk.window.settings_sheet.open()
    box = desk.find(QCheckBox)
    box.setFocus()
    before = box.isChecked()
    press(desk, KEY.Key_Space)
    assert box.isChecked() is not before and not desk.session.transport.playing


# --- one clipboard, and what is begun anew -------------------------------------------------------


def test_a_modulator_goes_along_to_another_sound(desk: Desk) -> None:
    session = desk.session
    patch, key = add_modulator(
        session.patch, Modulator.kinds["lfo"](name="Tide").model_copy(update={"shape": "square"})
    )
    session.editor.edit(patch, "add", select=("modulator", key))
    press(desk, KEY.Key_C, CONTROL)
    session.editor.new()
    press(desk, KEY.Key_V, CONTROL)
    part, pasted = session.editor.selection
    assert part == "modulator" and session.patch.modulators[pasted].name == "Tide"
    assert session.editor.value(f"modulators.{pasted}.shape") == "square"


@pytest.mark.parametrize("kind", sorted(Modulator.kinds))
def test_every_modulator_can_be_copied_where_what_it_reads_is_not(desk: Desk, kind: str) -> None:
    session = desk.session
    patch, key = add_modulator(session.patch, Modulator.kinds[kind]())
    modulator = patch.modulators[key]
    known = ["e1", *modulator.places(patch.layers)]
    patch.modulators[key] = modulator.model_copy(update=dict.fromkeys(modulator.inputs, known[-1]))
    session.editor.edit(patch, "add", select=("modulator", key))
    copy_modulator(session, key)
    session.editor.new()
    paste_modulator(session)
    assert session.editor.selection[0] == "modulator" and not desk.uncaught


def test_a_module_is_reset_but_stays_on(desk: Desk) -> None:
    session = desk.session
    session.editor.select("filter", "a")
    session.editor.set_all({CUTOFF: 333.0, "layers.a.filter.on": True, "layers.a.filter.resonance": 0.7}, "set")
    pill = desk.find(SnippetPill, lambda one: one.path == "layers.a.filter")
    pill.reset()
    params = session.patch.layers["a"].filter.params
    assert session.editor.value(CUTOFF) == params["cutoff"].default
    assert session.editor.value("layers.a.filter.resonance") == params["resonance"].default
    assert session.editor.value("layers.a.filter.on") is True
    session.editor.undo()
    assert session.editor.value(CUTOFF) == 333.0


# --- the equaliser -------------------------------------------------------------------------------


@pytest.fixture
def equaliser(desk: Desk) -> EqualiserPicture:
    """The only effect, shown large."""
    session = desk.session
    patch, key = add_effect(
        session.patch.model_copy(update={"racks": {"1": {}, "2": {}}}), "1", Effect.kinds["equaliser"]()
    )
    session.editor.edit(patch.model_copy(update={"threads": {}}), "add")
    on(desk, "Effects")
    session.editor.choose_effect("1", key)
    session.channel.tell(Selected())
    QTest.qWait(30)
    found: EqualiserPicture = desk.find(EqualiserPicture, lambda picture: picture.large)
    return found


def test_a_sweep_leaves_a_band_ready_to_cut_where_it_ended(desk: Desk, equaliser: EqualiserPicture) -> None:
    box, before = equaliser.box(), desk.session.patch
    start = QPoint(round(box.left() + 0.45 * box.width()), round(box.bottom() - 8))
    QTest.mouseClick(equaliser, Qt.MouseButton.LeftButton, pos=start)
    assert desk.session.patch is before, "a touch finds nothing"
    end = start + QPoint(60, 0)
    desk.drag(equaliser, start, end)
    rack = desk.session.patch.racks["1"]["equaliser1"]
    was = before.racks["1"]["equaliser1"]
    (band,) = [n for n in range(1, BANDS + 1) if rack.get(f"form{n}") != was.get(f"form{n}")]
    part = (end.x() - box.left()) / box.width()
    assert rack.number(f"frequency{band}") == pytest.approx(20.0 * 1000.0**part, rel=0.02)
    assert rack.get(f"form{band}") == "bell" and rack.number(f"gain{band}") == 0.0 and rack.number(f"width{band}") > 4
    f = np.geomspace(30, 16000, 50)
    assert np.allclose(equaliser.gains(rack, f), equaliser.gains(was, f)), "nothing is heard of it yet"
    assert f"Band {band} stands at" in desk.messages[-1]


@pytest.mark.parametrize("band", range(1, BANDS + 1))
def test_every_band_is_dragged_to_the_end_on_or_off(desk: Desk, equaliser: EqualiserPicture, band: int) -> None:
    start = equaliser.spot(equaliser.box(), band).toPoint()
    way = QPoint(-40 if band > 4 else 40, -24)
    desk.drag(equaliser, start, start + way)
    effect = desk.session.patch.racks["1"]["equaliser1"]
    assert effect.get(f"form{band}") == "bell" and effect.number(f"gain{band}") > 1.0
    now = equaliser.spot(equaliser.box(), band).toPoint()
    assert (now - (start + way)).manhattanLength() <= 3, "it is where the pointer let it go"
    assert desk.session.editor.history.sentences()[-1] == f"move band {band}"
