"""The rim of the window: what fails in a method that Qt calls is said, and never ends the program."""

from __future__ import annotations

import os
import subprocess
import sys
from dataclasses import replace

from felt_dial.sound.matter.tables import shipped_recordings
from tests.ui.conftest import Desk, wait

PROGRAM = """
import sys
import numpy as np
from PySide6.QtCore import QAbstractListModel, QTimer
from PySide6.QtWidgets import QApplication, QLabel, QListView, QWidget
from felt_dial.ui.dials.controls import Pill
from felt_dial.ui.frame.excepthook import guard_overrides

__name__ = "felt_dial.made_up"

class Mixed:
    def resizeEvent(self, event):
        [][1]

class Before(Mixed, QWidget):
    def paintEvent(self, event):
        1 / 0

guard_overrides()

class After(Pill):
    def paintEvent(self, event):
        if np.zeros(2) == np.zeros(2):
            pass

class Rows(QAbstractListModel):
    def rowCount(self, parent=None):
        return int("x")

heard = []
sys.excepthook = lambda kind, wrong, trace: heard.append(kind.__name__)
application = QApplication([])
view, rows = QListView(), Rows()
QTimer.singleShot(0, lambda: view.setModel(rows))
shown = [Before(), After("a"), view]
for widget in shown:
    QTimer.singleShot(0, widget.show)
QTimer.singleShot(300, application.quit)
application.exec()
print(*sorted(set(heard)))
"""


def test_what_fails_in_a_method_that_qt_calls_is_told_and_the_program_lives() -> None:
    """Exceptions of C code, which Python 3.11 hands on without making an object of them, ended it."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run([sys.executable, "-c", PROGRAM], capture_output=True, text=True, env=environment, timeout=60)
    assert done.returncode == 0, f"it ended with {done.returncode}"
    assert done.stdout.split() == ["IndexError", "ValueError", "ZeroDivisionError"]


def test_a_root_that_is_found_again_is_drawn_again(desk: Desk) -> None:
    """It was compared with the one before by its curves, which have no one answer, while it was painted."""
    desk.window.show_page("Workshop")
    desk.window.workshop.show_bench("Sample bench")
    work = desk.window.workshop.recordings.work
    work.new_sample(shipped_recordings()["Plucked String"][0], None, "a string")
    assert wait(lambda: work.root is not None)
    desk.window.workshop.recordings.wave.repaint()
    first = work.root
    assert first is not None
    work.root = replace(first, keys=first.keys + 1.0)
    assert work.root != first
    work.found.emit()
    desk.window.workshop.recordings.wave.repaint()
    assert not desk.uncaught
