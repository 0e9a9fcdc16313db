"""What an hour of work costs in memory: a phrase plays, presets are opened, edited at random, taken back and saved.

Prints a row a minute for docs/performance.md: `python -m bench.memory [SECONDS]`.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from random import Random

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


def resident(pid: int) -> float:
    """Memory of a process in MB, without what it shares with nobody but the disk."""
    with open(f"/proc/{pid}/status") as status:
        return next(int(line.split()[1]) for line in status if line.startswith("RssAnon")) / 1024


def main(seconds: float) -> None:
    """Works at random, two or three acts a second."""
    os.environ["FELT_DIAL_HOME"] = tempfile.mkdtemp()
    from PySide6.QtTest import QTest
    from PySide6.QtWidgets import QApplication

    from felt_dial.bank.library.places import load_settings
    from felt_dial.live.link.link import EngineLink
    from felt_dial.session.session import Session
    from felt_dial.ui.frame.app import stand_up
    from tests.sound.at_random import edited

    def act(session: Session, rng: Random) -> None:
        what = rng.random()
        if what < 0.1:
            listed = rng.choice(session.shelf.catalogue.presets(rng.choice(session.shelf.catalogue.banks()).id))
            session.presets.open(listed.bank, listed.id)
        elif what < 0.75:
            session.editor.edit(edited(session.patch, rng), "an edit")
        elif what < 0.85:
            session.editor.undo()
        elif what < 0.95:
            window.show_page(rng.choice(("Patch", "Effects", "Threads", "Shelf")))
        else:
            session.presets.save()

    application = QApplication([])
    link = EngineLink("simulated")
    link.start()
    window = stand_up(load_settings(), link)
    session, rng = window.session, Random(7)
    session.transport.play(True)
    begin, acts, starts, pid = time.monotonic(), 0, 0, link.pid
    minute = 0
    while time.monotonic() - begin < seconds:
        act(session, rng)
        acts += 1
        QTest.qWait(300)
        if link.pid != pid:
            starts, pid = starts + 1, link.pid
        if time.monotonic() - begin >= 60 * minute:
            print(
                f"memory: {minute:3} min, {acts:6} acts, window {resident(os.getpid()):6.0f} MB, "
                f"engine {resident(link.pid):6.0f} MB, new engines {starts}, patch of {len(session.patch.layers)} layers",
                flush=True,
            )
            minute += 1
    window.close()
    del application


if __name__ == "__main__":
    main(float(sys.argv[1]) if len(sys.argv) > 1 else 3600.0)
