"""Redraws docs/screenshots from the demo bank, at 1280 × 800, a phrase playing: `python tools/make_shots.py`."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from pathlib import Path

os.environ["FELT_DIAL_HOME"] = tempfile.mkdtemp()
os.environ.setdefault(
    "QT_QPA_PLATFORM", f"offscreen:configfile={Path(__file__).parent.parent / 'tests' / 'screen.json'}"
)

from PySide6.QtCore import QItemSelectionModel
from PySide6.QtGui import QPainter
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from felt_dial.bank.library.places import load_settings
from felt_dial.live.link.link import EngineLink
from felt_dial.session.session import Session
from felt_dial.session.topics import CompareAsked, Selected
from felt_dial.sound.matter.tables import shipped_recordings
from felt_dial.ui.frame.app import stand_up
from felt_dial.ui.frame.window import Window
from felt_dial.ui.theme.colours import NIGHT, OAT, cloth

SHOTS = Path(__file__).parent.parent / "docs" / "screenshots"


def main() -> None:
    application = QApplication([])
    link = EngineLink("simulated")
    link.start()
    window = stand_up(load_settings(), link, "Glasshouse at Dusk")
    session = window.session
    session.presets.open("glasshouse-at-dusk", "lantern-brass")
    link.wait_until_ready(30)
    session.transport.play(True)

    def shoot(name: str, page: str, wait: int = 1500, over: Callable[[], QWidget | None] = lambda: None) -> None:
        window.show_page(page)
        QTest.qWait(wait)
        window.said.put_away()  # what was said of the steps that led here
        picture = window.grab()
        if (popup := over()) is not None:  # which is a window of its own
            painter = QPainter(picture)
            painter.drawPixmap(popup.pos() - window.pos(), popup.grab())
            painter.end()
        picture.save(str(SHOTS / f"{name}.png"))
        print(f"docs/screenshots/{name}.png")

    shoot("patch", "Patch", 2500)
    window.show_page("Shelf")
    wait_for_figures(session)
    shoot("shelf", "Shelf", 1500)
    cloth.wear(NIGHT)
    shoot("night", "Patch")
    cloth.wear(OAT)
    session.presets.open("glasshouse-at-dusk", "fern-choir")
    session.transport.choose_phrase("slow")
    session.editor.choose_effect("1", "equaliser1")
    session.channel.tell(Selected())
    shoot("effects", "Effects", 2500)
    session.presets.open("glasshouse-at-dusk", "vowel-vines")
    session.transport.choose_phrase("slow")
    window.toggle_analyser()
    session.editor.select("filter", "a")
    shoot("analyser", "Patch", 7000)
    window.toggle_analyser()
    session.presets.open("glasshouse-at-dusk", "forked-path")
    session.editor.select("bus", "2")
    shoot("buses", "Patch", 2000)
    session.presets.open("glasshouse-at-dusk", "breathing-glass")
    session.transport.choose_phrase("slow")
    window.show_page("Threads")
    window.threads.view.choose(next(k for k, t in session.patch.threads.items() if t.source == "w"))
    shoot("threads", "Threads", 2500)
    session.editor.select("modulator", "c1")
    shoot("curve", "Patch", 2500)
    session.presets.open("glasshouse-at-dusk", "irrigation-clock")
    session.transport.choose_phrase("held")
    session.editor.select("pattern", "")
    shoot("pattern", "Patch", 2500)
    benches(window, shoot)
    eight_layers(window, shoot)
    session.transport.play(False)
    window.close()
    application.quit()


def benches(window: Window, shoot: Callable[..., None]) -> None:
    """Both benches at work, and the drawer while a phrase plays."""
    session = window.session
    session.presets.open("glasshouse-at-dusk", "thaw-choir")
    session.transport.choose_phrase("slow")
    window.show_page("Workshop")
    workshop = window.workshop
    workshop.show_layer("a")
    workshop.tables.source.show_asset(shipped_recordings()["Blown Reed"][0])
    workshop.tables.work.walk(24)
    shoot("workshop-table", "Workshop", 3500)
    session.presets.open("glasshouse-at-dusk", "pane-crack")
    session.transport.choose_phrase("arpeggio")
    workshop.show_bench("Sample bench")
    bench = workshop.recordings
    bench.work.new_sample(shipped_recordings()["Struck Glass"][0], 72.0, "glass", "Pane")
    QTest.qWait(2500)
    while not bench.work.loops:
        QTest.qWait(100)
    bench.side.part("Loops").take(bench.work.loops[1])
    bench.split()
    while session.jobs.busy:
        QTest.qWait(50)
    bench.work.shapes = ({"kind": "lasso", "points": [[0.5, 700], [0.9, 1900], [1.6, 1500], [1.9, 800], [1.2, 560]]},)
    bench.work.changed.emit()
    shoot("workshop-sample", "Workshop", 1500)
    session.presets.open("glasshouse-at-dusk", "pollen-drift")
    session.transport.choose_phrase("slow")
    window.show_page("Patch")
    window.open_drawer("a", "recording")
    QTest.qWait(3000)
    window.drawer.walk(1)
    QTest.qWait(400)
    window.drawer.walk(1)
    shoot("drawer", "Patch", 2500)
    window.drawer.put_back()
    window.drawer.close_it()
    shelf = window.shelf
    window.show_page("Shelf")
    shelf.choose_bank("glasshouse-at-dusk")
    names = [preset.id for preset in shelf.model.presets]
    for name in ("moss-pad", "root-sub", "compost-kick", "potting-snare", "bamboo-screech"):
        flag = QItemSelectionModel.SelectionFlag.Select
        shelf.view.selectionModel().select(shelf.model.index(names.index(name)), flag)
    shelf.many.ask_rename()
    shoot("many", "Shelf", 1000)
    shelf.view.clearSelection()
    shelf.choose_bank("tide-tables")
    wait_for_figures(session)
    before, after = (session.presets.stored_at("tide-tables", name) for name in ("ebb-bell", "flood-bell"))
    assert before is not None and after is not None
    session.channel.tell(CompareAsked(before, after, (before.name, after.name)))
    shoot("compare", "Shelf", 600)
    window.compare_sheet.put_away()
    window.phrase_sheet.open()
    shoot("phrase", "Shelf", 900)
    window.phrase_sheet.put_away()
    shelf.choose_bank("glasshouse-at-dusk")
    names = [preset.id for preset in shelf.model.presets]
    shelf.view.setCurrentIndex(shelf.model.index(names.index("beetle-zap")))
    shelf.grow()
    grown = shelf.offshoots
    grown.grow()
    while grown.growth.busy:
        QTest.qWait(100)
    for n in (4, 11, 17):
        grown.map.choose(n)
        grown.keep()
    grown.map.choose(7)
    shoot("offshoots", "Shelf", 1500)
    for _ in range(3):
        session.editor.undo()
    grown.close_it()


def wait_for_figures(session: Session) -> None:
    """Waits until everything that is listed is measured."""
    for _ in range(240):
        QTest.qWait(1000)
        if not session.shelf.figures.measuring.left:
            break


def eight_layers(window: Window, shoot: Callable[..., None]) -> None:
    """Eight layers with folded rows, what can be added, a file on its way to a layer, and a small screen."""
    session, page = window.session, window.patch_page
    session.presets.open("glasshouse-at-dusk", "rain-roof")
    session.transport.choose_phrase("held")
    for kind in ("partials", "chaos", "wave", "table", "noise", "wave", "partials", "chaos"):
        if len(session.patch.layers) < 8:
            page.add_layer(kind)
    session.editor.select("filter", "b")
    session.editor.select("modulator", "e1")
    shoot("eight", "Patch", 3500)

    def chooser() -> QWidget | None:
        page.tray.add.setFocus()
        page._modulator_menu()
        QTest.qWait(700)
        return page.chooser

    shoot("adding", "Patch", 500, chooser)
    assert page.chooser is not None
    page.chooser.close()
    window.resize(1280, 720)
    session.presets.open("glasshouse-at-dusk", "rain-roof")
    shoot("small", "Patch", 2500)
    window.resize(1280, 800)


if __name__ == "__main__":
    main()
