"""Files dropped on the window, the list of what can be loaded, and listening before one loads."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import mido
import numpy as np
import pytest
import soundfile
from PySide6.QtCore import QMimeData, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QMenu, QWidget

from felt_dial.bank.library.package import export_bank
from felt_dial.bank.library.places import load_settings
from felt_dial.live.link.messages import Listen
from felt_dial.patch.documents.patch import write_patch
from felt_dial.sound.matter.tables import shipped_recordings
from felt_dial.sound.modules import new_patch
from felt_dial.ui.frame import drop_target as drop_target
from felt_dial.ui.inspector.load import choose_file, load_menu
from tests.ui.conftest import Desk, wait


@pytest.fixture
def sine(tmp_path: Path) -> Path:
    """Two seconds of A3 as a file."""
    path = tmp_path / "breath.wav"
    soundfile.write(path, 0.5 * np.sin(2 * np.pi * 220 * np.arange(96000) / 48000), 48000)
    return path


def drop(desk: Desk, over: QWidget, *files: Path) -> str:
    """Lets files go over the middle of a widget; what was said of them on the way."""
    window = desk.window
    at = over.mapTo(window, over.rect().center())
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in files])
    words = (Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(window, QDragEnterEvent(at, *words))
    QApplication.sendEvent(window, QDragMoveEvent(at, *words))
    QTest.qWait(10)
    said = window.drop_target.hint.says
    assert window.drop_target.hint.isVisible()
    QApplication.sendEvent(window, QDropEvent(at.toPointF(), *words))
    QTest.qWait(20)
    assert not window.drop_target.hint.isVisible()
    return said


def choose(desk: Desk, name: str) -> None:
    """Types into the list that has opened, and presses Enter."""
    chooser = desk.window.drop_target.chooser
    assert chooser is not None and chooser.isVisible()
    QTest.keyClicks(chooser.search, name)
    QTest.keyClick(chooser.search, Qt.Key.Key_Return)


def test_a_recording_goes_where_it_is_dropped(desk: Desk, sine: Path) -> None:
    session, page = desk.session, desk.window.patch_page
    assert drop(desk, page.rows["b"].pictures["source"], sine) == "breath.wav into layer B"
    choose(desk, "grains")
    desk.finish_job()
    source = session.patch.layers["b"].source
    assert source.kind == "grains" and source.asset.name == "breath" and source.get("root") == 57
    assert session.editor.selection == ("source", "b") and session.editor.history.sentences()[-1] == "load breath.wav"
    drop(desk, page.inspector, sine)
    desk.finish_job()
    assert session.patch.layers["b"].source.kind == "grains", "what plays recordings goes on as it is"
    session.editor.undo()
    session.editor.undo()
    assert session.patch.layers["b"].source.kind != "grains"


@pytest.mark.parametrize("kind", drop_target.BEGINS)
def test_on_empty_ground_it_is_a_new_layer_of_the_kind_that_is_chosen(desk: Desk, sine: Path, kind: str) -> None:
    session = desk.session
    before = set(session.patch.layers)
    assert drop(desk, desk.window.patch_page.routing, sine) == "breath.wav as a new layer"
    choose(desk, kind)
    desk.finish_job()
    (new,) = set(session.patch.layers) - before
    layer = session.patch.layers[new]
    assert layer.source.kind == kind and layer.source.asset is not None
    assert layer.contour not in {session.patch.layers[key].contour for key in before}
    session.editor.undo()
    assert set(session.patch.layers) == before, "one drop is one step"


def test_banks_presets_scales_and_midi_files_are_dropped(desk: Desk, tmp_path: Path) -> None:
    session, window = desk.session, desk.window
    bank = session.shelf.library.bank(session.shelf.shown or session.shelf.banks[0].id)
    export_bank(bank, tmp_path / "other.feltbank")
    banks = len(session.shelf.banks)
    assert drop(desk, window.stack, tmp_path / "other.feltbank") == "Import the bank other"
    desk.finish_job()
    desk.answer("Import it as")
    desk.finish_job()
    assert len(session.shelf.banks) == banks + 1 and window.shown == "Shelf"
    (tmp_path / "fern.json").write_text(write_patch(new_patch("Fern")))
    drop(desk, window.stack, tmp_path / "fern.json")
    assert session.patch.name == "Fern" and session.editor.work.document is None
    scale = "! third.scl\n!\nthirds\n 3\n!\n 400.0\n 800.0\n 2/1\n"
    (tmp_path / "third.scl").write_text(scale)
    drop(desk, window.stack, tmp_path / "third.scl")
    assert session.patch.tuning is not None
    file = mido.MidiFile(ticks_per_beat=96)
    track = mido.MidiTrack()
    file.tracks.append(track)
    for key in (60, 64, 67):
        track.append(mido.Message("note_on", note=key, velocity=90, time=0))
        track.append(mido.Message("note_off", note=key, velocity=0, time=144))
    file.save(tmp_path / "walk.mid")
    drop(desk, window.strip, tmp_path / "walk.mid")
    desk.finish_job()
    phrase = session.transport.phrase_now
    assert [(n.at, n.length, n.key, n.velocity) for n in phrase.notes] == [
        (0.0, 1.5, 60, 90),
        (1.5, 1.5, 64, 90),
        (3.0, 1.5, 67, 90),
    ]
    assert phrase.beats == 8.0 and session.transport.playing and window.strip.phrase.currentText() == "walk"


@pytest.mark.parametrize(
    "name", ["notes.txt", "broken.wav", "broken.json", "broken.mid", "broken.scl", "broken.feltbank"]
)
def test_what_cannot_be_taken_in_is_said_and_nothing_changes(desk: Desk, tmp_path: Path, name: str) -> None:
    (tmp_path / name).write_bytes(b"\x00nothing of the kind")
    session = desk.session
    patch, banks = session.patch, len(session.shelf.banks)
    drop(desk, desk.window.patch_page.rows["a"], tmp_path / name)
    if desk.window.drop_target.chooser is not None:
        choose(desk, "sample")
    desk.finish_job()
    assert session.patch is patch and len(session.shelf.banks) == banks and name in desk.messages[-1]
    assert not desk.uncaught


def entries(menu: QMenu) -> list[str]:
    return [action.text() for action in menu.actions() if action.text()]


def test_what_can_be_loaded_is_listed_and_the_last_files_come_first(desk: Desk, sine: Path, tmp_path: Path) -> None:
    session = desk.session
    desk.window.patch_page.add_layer("sample")
    layer = session.editor.selection[1]
    importing = desk.window.patch_page.inspector.importing
    menu = load_menu(desk.window, session, layer, importing)
    assert entries(menu)[0] == "From a file…"
    assert [text.partition(",")[0] for text in entries(menu)[1:]] == list(shipped_recordings())
    importing.load(layer, sine)
    desk.finish_job()
    assert load_settings().recent == (str(sine),)
    other = tmp_path / "second.wav"
    other.write_bytes(sine.read_bytes())
    importing.load(layer, other)
    desk.finish_job()
    menu = load_menu(desk.window, session, layer, importing)
    assert entries(menu)[1:3] == ["second.wav", "breath.wav"]
    sine.unlink()
    assert "breath.wav" not in entries(load_menu(desk.window, session, layer, importing)), "what is gone is not offered"
    next(a for a in menu.actions() if a.text().startswith("Struck Glass")).trigger()
    source = session.patch.layers[layer].source
    assert source.asset.name == "Struck Glass" and source.get("root") == 72


@pytest.mark.parametrize("kind", ["sample", "grains", "table"])
def test_a_well_without_a_recording_is_a_button(desk: Desk, kind: str) -> None:
    desk.window.patch_page.add_layer(kind)
    layer = desk.session.editor.selection[1]
    picture = desk.find(
        QWidget, lambda w: getattr(w, "large", False) and getattr(w, "layer", "") == layer and hasattr(w, "empty")
    )
    assert picture.empty
    QTest.mouseClick(picture, Qt.MouseButton.LeftButton)
    (menu,) = [menu for menu in desk.window.findChildren(QMenu) if menu.isVisible()]
    assert entries(menu)[0] == "From a file…"
    menu.close()


def test_the_dialog_begins_where_the_last_file_was_and_plays_what_is_chosen(
    desk: Desk, sine: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    session, heard = desk.session, []
    session.settings.keep(session.settings.now.model_copy(update={"recent": (str(sine),)}))
    monkeypatch.setattr(
        session.link, "tell", lambda said: heard.append(said.path) if isinstance(said, Listen) else None
    )

    def answer(dialog: QFileDialog) -> int:
        assert Path(dialog.directory().absolutePath()) == sine.parent
        dialog.selectFile(str(sine))
        dialog.currentChanged.emit(str(sine))
        dialog.currentChanged.emit(str(sine.parent))
        return 1

    monkeypatch.setattr("felt_dial.ui.inspector.load.run", answer)
    assert choose_file(desk.window, session) == sine
    assert heard == [str(sine), "", ""]


def test_a_recording_is_heard_beside_the_patch(open_desk: Callable[[], Desk], sine: Path) -> None:
    """Through the engine: at −20 dB, while nothing else sounds; and what is no recording is said to be none."""
    desk = open_desk()
    link = desk.session.link
    link.tell(Listen(str(sine)))
    assert wait(lambda: float(link.shared.data["peaks"].max()) > 0.1, 10)
    QTest.qWait(700)
    heard = np.array(link.shared.data["scope"][0])
    level = 20 * np.log10(np.sqrt(np.mean(np.square(heard[heard != 0]))))
    assert level == pytest.approx(-20.0, abs=1.0)
    link.tell(Listen(""))
    assert wait(lambda: float(link.shared.data["peaks"].max()) < 1e-4, 10)
    link.tell(Listen(str(sine.parent / "none.wav")))
    assert wait(lambda: any("none.wav" in text for text in desk.messages), 10)


def test_drops_are_taken_as_copies_whatever_is_offered(desk: Desk, sine: Path) -> None:
    """A source that moves deletes the person's own file, where it is answered that it was moved."""
    window = desk.window
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(sine))])
    both = Qt.DropAction.MoveAction | Qt.DropAction.CopyAction
    at = window.rect().center()
    for event in (
        QDragEnterEvent(at, both, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier),
        QDragMoveEvent(at, both, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier),
        QDropEvent(at.toPointF(), both, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier),
    ):
        event.setDropAction(Qt.DropAction.MoveAction)
        QApplication.sendEvent(window, event)
        assert event.isAccepted() and event.dropAction() == Qt.DropAction.CopyAction
    QTest.qWait(20)
    assert sine.exists()


def test_twenty_recordings_are_a_question_and_none_is_taken_unasked(desk: Desk, sine: Path, tmp_path: Path) -> None:
    session, page = desk.session, desk.window.patch_page
    many = [tmp_path / f"bell {n}.wav" for n in range(20)]
    for path in many:
        path.write_bytes(sine.read_bytes())
    notes, torn = tmp_path / "notes.txt", tmp_path / "torn.wav"
    notes.write_text("moss")
    torn.write_bytes(b"RIFF moss")
    before = session.patch
    assert drop(desk, page, *many, notes, torn) == "21 recordings: what becomes of them is asked"
    said = desk.window.said.text.text()
    assert said.startswith("20 recordings: bell 0.wav, ") and "14 more" in said and session.patch == before
    assert any("notes.txt was left alone" in text and "torn.wav" in text for text in desk.messages), (
        "before it is asked"
    )
    desk.answer("Leave them")
    assert session.patch == before
    drop(desk, page, *many[:2])
    desk.answer("A new layer each")
    for _ in range(2):
        desk.finish_job()
        QTest.qWait(60)
    names = [getattr(layer.source, "asset", None) for layer in session.patch.layers.values()]
    assert [asset.name for asset in names if asset is not None][-2:] == ["bell 0", "bell 1"]
    drop(desk, page, *many)
    desk.answer("List them in the drawer")
    assert str(tmp_path) in session.settings.now.folders and desk.window.drawer.isVisible()


def test_a_folder_goes_to_the_drawer(desk: Desk, sine: Path) -> None:
    desk.window.show_page("Patch")
    before = desk.session.patch
    assert "in the drawer" in drop(desk, desk.window.patch_page, sine.parent)
    assert str(sine.parent) in desk.session.settings.now.folders and desk.session.patch == before


def test_several_bank_files_are_all_taken_and_a_broken_one_is_told(desk: Desk, tmp_path: Path) -> None:
    session = desk.session
    files = []
    for name in ("Reeds", "Ferns"):
        bank = session.shelf.library.create(name)
        bank.save_new(new_patch(f"{name} one"))
        files.append(tmp_path / f"{name}.feltbank")
        export_bank(bank, files[-1])
        session.shelf.library.delete_bank(bank.id)
    (tmp_path / "torn.feltbank").write_bytes(b"moss")
    session.shelf.refresh()
    drop(desk, desk.window.stack, files[0], tmp_path / "torn.feltbank", files[1])
    for _ in range(2):
        desk.finish_job()
        QTest.qWait(60)
    assert {"Reeds", "Ferns"} <= {bank.name for bank in session.shelf.banks}
    assert any("torn.feltbank" in text and "Nothing was imported" in text for text in desk.messages)
