"""Redraws docs/screenshots from the demo bank, at 1280 × 800, a phrase playing: `python tools/make_shots.py`."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

os.environ["FELT_DIAL_ROLE"] = "window"
os.environ["FELT_DIAL_HOME"] = tempfile.mkdtemp()
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from felt_dial.bank.places import lay_out_demo, load_settings
from felt_dial.live.link import EngineLink
from felt_dial.ui.app import open_first
from felt_dial.ui.cloth import NIGHT, OAT, cloth, load_fonts
from felt_dial.ui.session import Session
from felt_dial.ui.window import EFFECTS, PATCH, SHELF, THREADS, Window

SHOTS = Path(__file__).parent.parent / "docs" / "screenshots"


def main() -> None:
    QApplication([])
    load_fonts()
    cloth.wear(OAT)
    settings = load_settings()
    lay_out_demo(settings.library_folder())
    link = EngineLink("simulated")
    link.start()
    session = Session(settings, link)
    session.refresh_shelf()
    open_first(session)
    session.open("glasshouse-at-dusk", "lantern-brass")
    window = Window(session)
    window.resize(1280, 800)
    window.show()
    link.wait_until_ready(30)
    session.play(True)

    def shoot(name: str, page: int, wait: int = 1500) -> None:
        window.show_page(page)
        QTest.qWait(wait)
        window.grab().save(str(SHOTS / f"{name}.png"))
        print(f"docs/screenshots/{name}.png")

    shoot("patch", PATCH, 2500)
    shoot("shelf", SHELF, 9000)
    cloth.wear(NIGHT)
    shoot("night", PATCH)
    cloth.wear(OAT)
    session.open("glasshouse-at-dusk", "dew-pluck")
    session.choose_phrase("arpeggio")
    shoot("effects", EFFECTS, 2500)
    session.open("glasshouse-at-dusk", "lantern-brass")
    session.choose_phrase("slow")
    shoot("threads", THREADS, 2500)
    session.play(False)
    window.close()


if __name__ == "__main__":
    main()
