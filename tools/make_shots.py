"""Redraws docs/screenshots from the demo bank, at 1280 × 800, a phrase playing: `python tools/make_shots.py`."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

os.environ["FELT_DIAL_HOME"] = tempfile.mkdtemp()
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from felt_dial.bank.places import load_settings
from felt_dial.live.link import EngineLink
from felt_dial.ui.frame.app import stand_up
from felt_dial.ui.theme.colours import NIGHT, OAT, cloth

SHOTS = Path(__file__).parent.parent / "docs" / "screenshots"


def main() -> None:
    application = QApplication([])
    link = EngineLink("simulated")
    link.start()
    window = stand_up(load_settings(), link, "Glasshouse at Dusk")
    session = window.session
    session.open("glasshouse-at-dusk", "lantern-brass")
    link.wait_until_ready(30)
    session.play(True)

    def shoot(name: str, page: int, wait: int = 1500) -> None:
        window.show_page(page)
        QTest.qWait(wait)
        window.grab().save(str(SHOTS / f"{name}.png"))
        print(f"docs/screenshots/{name}.png")

    shoot("patch", "Patch", 2500)
    window.show_page("Shelf")
    for _ in range(120):
        QTest.qWait(1000)
        if not session.figures.measuring.left:
            break
    shoot("shelf", "Shelf", 1500)
    cloth.wear(NIGHT)
    shoot("night", "Patch")
    cloth.wear(OAT)
    session.open("glasshouse-at-dusk", "fern-choir")
    session.choose_phrase("slow")
    session.choose_effect("1", "equaliser1")
    session.selected.emit()
    shoot("effects", "Effects", 2500)
    session.choose_effect("1", "reverb1")
    session.selected.emit()
    shoot("reverb", "Effects", 2000)
    session.open("glasshouse-at-dusk", "rubber-root")
    session.choose_phrase("bass")
    session.choose_effect("1", "compressor1")
    session.selected.emit()
    shoot("compressor", "Effects", 2400)
    session.open("glasshouse-at-dusk", "vowel-vines")
    session.choose_phrase("slow")
    window.toggle_analyser()
    session.select("filter", "a")
    shoot("analyser", "Patch", 7000)
    window.toggle_analyser()
    session.open("glasshouse-at-dusk", "forked-path")
    session.select("bus", "2")
    shoot("buses", "Patch", 2000)
    session.open("glasshouse-at-dusk", "breathing-glass")
    session.choose_phrase("slow")
    window.show_page("Threads")
    window.threads.view.choose(next(k for k, t in session.patch.threads.items() if t.source == "w"))
    shoot("threads", "Threads", 2500)
    session.select("modulator", "c1")
    shoot("curve", "Patch", 2500)
    session.open("glasshouse-at-dusk", "irrigation-clock")
    session.choose_phrase("held")
    session.select("pattern", "")
    shoot("pattern", "Patch", 2500)
    session.open("glasshouse-at-dusk", "rain-roof")
    session.choose_phrase("held")
    shoot("layers", "Patch", 3500)
    session.open("glasshouse-at-dusk", "pollen-drift")
    session.choose_phrase("slow")
    session.select("source", "a")
    shoot("grains", "Patch", 3500)
    session.play(False)
    window.close()
    application.quit()


if __name__ == "__main__":
    main()
