"""Measures the window: how soon it is seen and heard, and whether painting disturbs the sound.

Prints rows for docs/performance.md: `python -m bench.window [SECONDS]`.
"""

from __future__ import annotations

import contextlib
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from typing import Any

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen" if not os.environ.get("DISPLAY") else "xcb")


def start_times(runs: int = 5) -> dict[str, float]:
    """Medians of the seconds from the start of the process until the window stands and the first block sounds."""
    seen, heard = [], []
    with tempfile.TemporaryDirectory() as home:
        for _ in range(runs + 1):
            environment = {**os.environ, "FELT_DIAL_TIMES": "1", "FELT_DIAL_HOME": home}
            begin = time.perf_counter()
            command = [sys.executable, "-m", "felt_dial"]
            program = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True)
            found: dict[str, float] = {}
            assert program.stdout is not None
            while len(found) < 2:
                name = program.stdout.readline().split()[0]
                found[name] = time.perf_counter() - begin
            program.kill()
            program.wait()
            seen.append(found["window"])
            heard.append(found["sound"])
    middle = runs // 2
    return {"window seen after s": sorted(seen[1:])[middle], "first block after s": sorted(heard[1:])[middle]}


def painting(seconds: float) -> dict[str, float]:
    """A phrase through the simulated output while every dial of the Patch page repaints 30 times a second."""
    os.environ["FELT_DIAL_HOME"] = tempfile.mkdtemp()
    from PySide6.QtCore import QCoreApplication, QTimer
    from PySide6.QtTest import QTest
    from PySide6.QtWidgets import QApplication

    from felt_dial.bank.library.places import load_settings
    from felt_dial.live.link.link import EngineLink
    from felt_dial.ui.dials.dial import Dial
    from felt_dial.ui.frame.app import stand_up

    application = QApplication([])
    link = EngineLink("simulated")
    link.start()
    window = stand_up(load_settings(), link)
    session = window.session
    session.presets.open("glasshouse-at-dusk", "lantern-brass")
    link.wait_until_ready(30)
    session.transport.play(True)
    QTest.qWait(300)
    dials = [dial for dial in window.findChildren(Dial) if dial.isVisible()]
    spent = [0.0, 0]

    def repaint() -> None:
        begin = time.perf_counter()
        for dial in dials:
            dial.update()
        QCoreApplication.sendPostedEvents()
        spent[0] += time.perf_counter() - begin
        spent[1] += 1

    timer = QTimer(application, interval=33)
    timer.timeout.connect(repaint)
    timer.start()
    QTest.qWait(1000)
    data = link.shared.data
    late, data["worst_late"] = int(data["late"]), 0.0
    QTest.qWait(round(1000 * seconds))
    found = {
        "dials repainted": len(dials),
        "repaint of all dials, ms": 1000 * spent[0] / max(spent[1], 1),
        "late blocks after the first second": int(data["late"]) - late,
        "worst late ms": 1000 * float(data["worst_late"]),
    }
    session.transport.play(False)
    found |= hands(window)
    window.close()
    return found


def hands(window: Any) -> dict[str, float]:
    """What acts of the hand cost the window, with every page built and 64 threads, in ms: medians, painting included."""
    from PySide6.QtCore import QCoreApplication, QEvent, QPoint, QPointF, Qt
    from PySide6.QtGui import QMouseEvent
    from PySide6.QtTest import QTest
    from PySide6.QtWidgets import QApplication

    from felt_dial.errors import FeltDialError
    from felt_dial.patch.edits import sew
    from felt_dial.patch.parts import NoSuchPath
    from felt_dial.patch.patch import slots
    from felt_dial.ui.dials.dial import Dial
    from felt_dial.ui.pages.page import all_pages

    def paint() -> None:
        QCoreApplication.sendPostedEvents()
        QCoreApplication.processEvents()

    def cost(act: Callable[[], object], times: int = 9) -> float:
        """The median of some goes, in ms."""
        took = []
        for _ in range(times):
            begin = time.perf_counter()
            act()
            paint()
            took.append(1000 * (time.perf_counter() - begin))
            QTest.qWait(60)
        return statistics.median(took)

    session, found = window.session, {}
    titles = [page.title for page in all_pages()]
    for title in titles:
        window.show_page(title)
        QTest.qWait(200)
    for title in titles:
        window.show_page(next(other for other in titles if other != title))
        paint()
        found[f"change to {title}, ms"] = cost(partial(window.show_page, title), 1)
    window.show_page("Patch")
    whole = session.patch
    patch = whole
    for slot in slots(patch):
        if len(patch.threads) < 64:
            with contextlib.suppress(FeltDialError, NoSuchPath):
                patch = sew(patch, next(iter(patch.modulators)), slot.path)[0]
    session.editor.edit(patch, "64 threads")
    QTest.qWait(300)
    dial = next(d for d in window.findChildren(Dial) if d.isVisible() and d.path == "layers.a.filter.cutoff")
    QTest.mousePress(dial, Qt.MouseButton.LeftButton, pos=QPoint(29, 40))
    step = 0

    def move() -> None:
        nonlocal step
        step += 1
        at = QPointF(29, 40 - step % 40)
        words = (Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
        QApplication.sendEvent(dial, QMouseEvent(QEvent.Type.MouseMove, at, dial.mapToGlobal(at), *words))

    took = []
    for _ in range(40):
        begin = time.perf_counter()
        move()
        took.append(1000 * (time.perf_counter() - begin))
    found["step of a drag, 64 threads, ms"] = statistics.median(took)
    found["the same, painting included, ms"] = cost(move, 40)
    QTest.mouseRelease(dial, Qt.MouseButton.LeftButton)
    session.editor.edit(whole, "as it was")
    found["add a layer, ms"] = cost(lambda: window.patch_page.add_layer("wave"), 3)
    found["undo of a layer, ms"] = cost(session.editor.undo, 3)
    session.editor.set("layers.a.filter.cutoff", 500.0)
    found["undo of a value, ms"] = cost(session.editor.undo, 1)
    return found


if __name__ == "__main__":
    rows = start_times() | painting(float(sys.argv[1]) if len(sys.argv) > 1 else 60.0)
    for name, value in rows.items():
        print(f"window: {name:50} {value:10.4g}", flush=True)
