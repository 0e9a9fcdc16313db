"""The drawer: found as one types, heard by a click, tried in the sound, taken or put back."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from felt_dial.bank.library.unused import unused
from felt_dial.files import CannotRead
from felt_dial.patch.edits import replace_module
from felt_dial.patch.module import Source
from felt_dial.session.topics import Asked
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import Audio
from felt_dial.ui.drawer.panel import Drawer
from felt_dial.ui.drawer.rows import root_said
from tests.ui.conftest import Desk, wait


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """A folder with four recordings and a table."""
    made = tmp_path / "walk" / "night"
    made.mkdir(parents=True)
    n = np.arange(48000) / 48000
    soundfile.write(made / "Bell far.wav", 0.4 * np.sin(2 * np.pi * 440 * n) * np.exp(-3 * n), 48000)
    soundfile.write(made / "Bell near.wav", 0.4 * np.sin(2 * np.pi * 220 * n[:12000]), 48000)
    soundfile.write(made / "Rain.flac", np.random.default_rng(1).normal(0, 0.1, 3 * 48000), 48000)
    soundfile.write(made / "Drop.wav", 0.4 * np.sin(2 * np.pi * 880 * n[:4800]), 48000)
    frames = np.stack([np.sin(2 * np.pi * np.arange(2048) / 2048) * (1 - k / 20) for k in range(8)])
    soundfile.write(made / "Shrinking.wav", frames.ravel(), 48000, subtype="FLOAT")
    (made / "broken.wav").write_bytes(b"RIFF nothing")
    (made / "empty.wav").write_bytes(b"")
    return tmp_path / "walk"


def opened(desk: Desk, folder: Path | None = None, layer: str = "", kind: str = "", looked: bool = False) -> Drawer:
    if folder is not None:
        settings = desk.session.settings.now
        desk.session.settings.keep(settings.model_copy(update={"folders": (str(folder),)}))
    desk.window.open_drawer(layer, kind)
    drawer = desk.window.drawer
    least = 34 if folder is not None else 29
    assert wait(lambda: drawer.matter.count()[0] >= least, 60)
    assert not looked or wait(lambda: drawer.matter.count()[0] == drawer.matter.count()[1], 60)
    drawer.look()
    return drawer


def playing_struck_glass(desk: Desk) -> tuple[str, Drawer]:
    """A layer that plays a recording, and the drawer that is open for it."""
    desk.window.patch_page.add_layer("sample")
    layer = desk.session.editor.selection[1]
    drawer = opened(desk, layer=layer, kind="recording")
    drawer.search.setText("struck glass")
    drawer.walk(1)
    drawer.take()
    return layer, drawer


def names(drawer: Drawer) -> list[str]:
    return [piece.name for n in range(len(drawer.rows.found)) if (piece := drawer.rows.piece(n)) is not None]


def test_what_ships_and_what_lies_in_folders_is_found_as_one_types(desk: Desk, folder: Path) -> None:
    drawer = opened(desk, folder, looked=True)
    assert {"Struck Glass", "Loft Choir", "Bell far", "Shrinking"} <= set(names(drawer))
    assert not {"broken", "empty"} & set(names(drawer))
    QTest.keyClicks(drawer.search, "bell nea")
    assert names(drawer) == ["Bell near"]
    drawer.search.setText("night")
    assert len(drawer.rows.found) == 5


def test_filters_say_what_they_mean(desk: Desk, folder: Path) -> None:
    drawer = opened(desk, folder, looked=True)
    drawer.pills["mine"].click()
    assert sorted(names(drawer)) == ["Bell far", "Bell near", "Drop", "Rain", "Shrinking"]
    drawer.pills["table"].click()
    assert names(drawer) == ["Shrinking"]
    drawer.pills["recording"].click()
    assert not drawer.pills["table"].isChecked() and len(names(drawer)) == 4
    drawer.pitched.setCurrentIndex(drawer.pitched.findData("no"))
    drawer.look()
    assert names(drawer) == ["Rain"]
    drawer.pitched.setCurrentIndex(drawer.pitched.findData("yes"))
    drawer.root.setCurrentIndex(drawer.root.findData(9))
    drawer.look()
    assert sorted(names(drawer)) == ["Bell far", "Bell near", "Drop"]  # all are A
    drawer.length.setCurrentIndex(drawer.length.findData("short"))
    drawer.look()
    assert sorted(names(drawer)) == ["Bell near", "Drop"]
    drawer.bright.setCurrentIndex(drawer.bright.findData("dark"))
    drawer.look()
    assert names(drawer) == ["Bell near"]


def test_roots_and_lengths_are_those_of_the_files(desk: Desk, folder: Path) -> None:
    drawer = opened(desk, folder, looked=True)
    drawer.search.setText("bell far")
    piece = drawer.rows.piece(0)
    assert piece is not None and root_said(piece) == "A4" and piece.seconds == pytest.approx(1.0)
    drawer.search.setText("shrinking")
    piece = drawer.rows.piece(0)
    assert piece is not None and root_said(piece) == "8 frames"


def test_enter_puts_a_recording_on_the_layer_and_it_is_one_step(desk: Desk, folder: Path) -> None:
    session = desk.session
    desk.window.patch_page.add_layer("sample")
    layer = session.editor.selection[1]
    before = session.patch
    drawer = opened(desk, folder, layer, "recording")
    QTest.keyClicks(drawer.search, "struck glass")
    QTest.keyClick(drawer.search, Qt.Key.Key_Down)
    QTest.keyClick(drawer.search, Qt.Key.Key_Return)
    source = session.patch.layers[layer].source
    assert source.asset.name == "Struck Glass" and source.number("root") == 72
    session.editor.undo()
    assert session.patch == before


def test_a_file_of_a_folder_is_kept_in_the_library_when_it_is_taken(desk: Desk, folder: Path) -> None:
    drawer = opened(desk, folder)
    drawer.search.setText("bell far")
    drawer.walk(1)
    drawer.take()
    assert wait(lambda: not desk.session.jobs.busy, 30)
    layer = list(desk.session.patch.layers.values())[-1]
    assert layer.source.kind == "sample" and layer.source.asset.name == "Bell far"
    assert layer.source.number("root") == 69
    (folder / "night" / "Bell far.wav").unlink()
    assert assets.load(layer.source.asset) is not None


def test_a_table_from_the_drawer_becomes_a_layer_that_plays_a_table(desk: Desk) -> None:
    drawer = opened(desk, kind="table")
    drawer.search.setText("loft choir")
    drawer.walk(1)
    drawer.take()
    layer = list(desk.session.patch.layers.values())[-1]
    assert layer.source.kind == "table" and layer.source.asset.name == "Loft Choir"


def test_walking_while_a_phrase_plays_swaps_the_recording_and_nothing_else(open_desk: Any) -> None:
    desk = open_desk()
    session = desk.session
    layer, drawer = playing_struck_glass(desk)
    session.editor.set(f"layers.{layer}.source.start", 0.25)
    session.editor.set(f"layers.{layer}.source.loop", "forward")
    before, steps = session.patch, len(session.editor.history._done)
    session.transport.play(True)
    drawer.search.setText("r")
    for name in ("Blown Reed", "Rain on Panes"):
        drawer._point(names(drawer).index(name))
        drawer.hear()
        QTest.qWait(150)
    assert wait(lambda: session.patch.layers[layer].source.asset.name == drawer.chosen().name)
    source = session.patch.layers[layer].source
    assert source.number("start") == 0.25 and source.asset.name != "Struck Glass"
    assert len(session.editor.history._done) == steps + 1
    assert any("loop was made for Struck Glass" in text for text in desk.messages) or source.asset.seconds == 3.0
    QTest.keyClick(drawer.list, Qt.Key.Key_Escape)
    assert session.patch == before and len(session.editor.history._done) == steps
    drawer.walk(-1)
    assert wait(lambda: session.patch != before)
    drawer.take()
    assert len(session.editor.history._done) == steps + 1
    session.editor.undo()
    assert session.patch == before


def test_stars_are_kept_and_found(desk: Desk) -> None:
    drawer = opened(desk)
    drawer.search.setText("reed")
    drawer.walk(1)
    drawer.star.click()
    drawer.search.setText("")
    drawer.pills["star"].click()
    assert names(drawer) == ["Blown Reed"]
    from felt_dial.bank.library.places import load_settings

    assert load_settings().starred == desk.session.settings.now.starred != ()
    drawer.walk(1)
    drawer.star.click()
    assert names(drawer) == []


def test_what_comes_into_a_folder_is_listed_by_itself(desk: Desk, folder: Path) -> None:
    drawer = opened(desk, folder)
    soundfile.write(folder / "Later.wav", np.random.default_rng(2).normal(0, 0.1, 4800), 48000)
    drawer.search.setText("later")
    assert wait(lambda: names(drawer) == ["Later"], 20)
    (folder / "Later.wav").unlink()
    assert wait(lambda: names(drawer) == [], 20)


def test_the_drawer_stands_in_the_inspectors_place_and_goes_when_something_is_chosen(desk: Desk) -> None:
    page = desk.window.patch_page
    desk.window.toggle_drawer()
    assert desk.window.drawer.isVisible() and not page.inspector.isVisible()
    desk.session.editor.select("filter", next(iter(desk.session.patch.layers)))
    assert page.inspector.isVisible() and not desk.window.drawer.isVisible()
    desk.window.show_page("Workshop")
    desk.window.toggle_drawer()
    assert desk.window.drawer.isVisible() and not desk.window.workshop.tables.side.isVisible()
    desk.window.toggle_drawer()
    assert desk.window.workshop.tables.side.isVisible()
    desk.window.show_page("Shelf")
    desk.window.toggle_drawer()
    assert desk.window.shown == "Patch" and desk.window.drawer.isVisible()


def test_what_nothing_uses_is_listed_and_goes_only_when_it_is_wished(desk: Desk) -> None:
    """What undo would bring back, what a preset, a version or a recipe names, stays."""
    session = desk.session
    page = desk.window.workshop
    desk.window.show_page("Workshop")
    page.tables.work.new()
    assert session.presets.save_new("Keeps its table")
    page.tables._reshape("fold")
    store = session.shelf.library.root / ".assets"
    session.shelf.library.keep_audio(Audio(np.full((1, 480), 0.25, np.float32), 48000.0), "Forgotten")
    before = sorted(path.name for path in store.iterdir())
    drawer = opened(desk)
    asked: list[tuple[str, list[Any]]] = []
    session.channel.hear(Asked, lambda told: asked.append((told.text, told.answers)))
    drawer.ask_unused()
    assert wait(lambda: bool(asked), 20)
    text, answers = asked[-1]
    assert text.startswith("1 files") and "Forgotten" in text
    assert sorted(path.name for path in store.iterdir()) == before
    answers[0][1]()
    gone = set(before) - {path.name for path in store.iterdir()}
    assert {name.rpartition(".")[2] for name in gone} <= {"flac", "wav", "about"} and len(gone) == 2
    session.editor.undo()
    assert assets.load(page.tables.work.asset) is not None


def test_nothing_counts_as_unused_while_a_document_cannot_be_read(desk: Desk) -> None:
    """What it names might be thrown away; which document it is, is said."""
    session = desk.session
    session.shelf.library.keep_audio(Audio(np.full((1, 480), 0.25, np.float32), 48000.0), "Forgotten")
    assert [one.name for one in unused(session.shelf.library.root)] == ["Forgotten"]
    os.mkfifo(session.shelf.library.root / "glasshouse-at-dusk" / "presets" / "locked.json")
    with pytest.raises(CannotRead, match=r"locked\.json.*Nothing was cleaned"):
        unused(session.shelf.library.root)
    opened(desk).ask_unused()
    assert wait(lambda: any("locked.json" in text for text in desk.messages), 20)


def test_the_drawer_says_whom_it_serves_whatever_becomes_of_the_layer(desk: Desk, folder: Path) -> None:
    session = desk.session
    drawer = opened(desk, folder)
    drawer.search.setText("bell far")
    drawer.walk(1)
    assert drawer.whose.text() == "for a new layer"
    drawer.take()
    desk.finish_job()
    layer = session.editor.selection[1]
    assert drawer.whose.text() == "for a new layer", "the next one is a further new one"
    drawer.open_for(layer)
    assert drawer.whose.text() == f"for layer {layer.upper()}, Sample"
    fresh = Source.kinds["grains"]()
    session.editor.edit(replace_module(session.patch, f"layers.{layer}.source", fresh), "make it grains")
    assert drawer.whose.text() == f"for layer {layer.upper()}, Grains"
    session.editor.undo()
    session.editor.undo()
    assert layer not in session.patch.layers and drawer.whose.text() == "for a new layer"


def test_what_is_tried_in_a_layer_can_become_a_layer_of_its_own(desk: Desk) -> None:
    """The layer plays again what it played before, and the drawer stays its own."""
    session = desk.session
    layer, drawer = playing_struck_glass(desk)
    before = session.patch.layers[layer]
    session.transport.playing = True
    drawer.search.setText("blown reed")
    drawer.walk(1)
    assert wait(lambda: session.patch.layers[layer] != before)
    drawer.take(anew=True)
    fresh = list(session.patch.layers.values())[-1]
    assert session.patch.layers[layer] == before and fresh.source.asset.name == "Blown Reed"
    assert drawer.whose.text() == f"for layer {layer.upper()}, Sample"


def test_a_second_return_replaces_nothing_and_an_untouched_layer_gives_its_place(desk: Desk, folder: Path) -> None:
    session = desk.session
    session.editor.new()
    drawer = opened(desk, folder)
    drawer.search.setText("bell far")
    drawer.walk(1)
    for count in (1, 2, 3):
        drawer.take()
        desk.finish_job()
        assert len(session.patch.layers) == count, "the first one takes the place of the layer that nobody had touched"
    assert all(layer.source.asset is not None for layer in session.patch.layers.values())  # type: ignore[attr-defined]
