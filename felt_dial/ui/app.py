"""Starting the window: the engine first, since it needs longest."""

from __future__ import annotations

import os
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from felt_dial.ui.session import Session


def main(bank: str = "") -> int:
    """Opens the window, with a bank of the library or a bank file if one is named."""
    begin = time.perf_counter()
    os.environ["FELT_DIAL_ROLE"] = "window"
    from felt_dial.bank.places import lay_out_demo, load_settings
    from felt_dial.live.link import EngineLink

    settings = load_settings()
    link = EngineLink(settings.device, settings.rate, settings.block)
    link.start()

    from PySide6.QtCore import QTimer
    from PySide6.QtWidgets import QApplication

    from felt_dial.ui.cloth import NIGHT, OAT, cloth, load_fonts
    from felt_dial.ui.session import Session
    from felt_dial.ui.window import Window

    application = QApplication(sys.argv[:1])
    application.setApplicationName("Felt Dial")
    load_fonts()
    cloth.wear(NIGHT if settings.night else OAT)
    said = ""
    try:
        lay_out_demo(settings.library_folder())
    except OSError as wrong:
        said = (
            f"The library {settings.library_folder()} cannot be made: {wrong.strerror}. Choose another in the settings."
        )
    session = Session(settings, link)
    session.refresh_shelf()
    left_behind = session.journal.read()
    if not bank.endswith(".feltbank"):
        open_first(session, bank)
    window = Window(session)
    if bank.endswith(".feltbank"):
        window.shelf.import_file(Path(bank))
        open_first(session, session.shelf_bank)
    window.resize(1280, 800)
    window.show()
    if bank and not said and bank not in {name for b in session.library.banks() for name in (b.id, b.name)}:
        said = "" if bank.endswith(".feltbank") else f"There is no bank “{bank}” in {session.library.root}."
    if said:
        session.say(said, problem=True)
    if left_behind is not None:
        window.offer(left_behind)
    if os.environ.get("FELT_DIAL_TIMES"):
        QTimer.singleShot(0, lambda: print(f"window {time.perf_counter() - begin:.2f} s", flush=True))
        watch = QTimer(application, interval=5)

        def heard() -> None:
            if int(link.shared.data["blocks"]) > 0:
                print(f"sound {time.perf_counter() - begin:.2f} s", flush=True)
                watch.stop()

        watch.timeout.connect(heard)
        watch.start()
    return application.exec()


def open_first(session: Session, bank: str = "") -> None:
    """Puts the first preset of a bank on the table."""
    banks = session.library.banks()
    named = [b for b in banks if bank in (b.id, b.name)]
    for chosen in named + [b for b in banks if b not in named]:
        if ids := chosen.ids():
            session.open(chosen.id, ids[0])
            break
    session.history.clear()
