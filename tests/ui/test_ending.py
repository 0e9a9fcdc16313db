"""The end of the process from outside: Ctrl+C in the terminal, a system that shuts down, a terminal that is closed."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from felt_dial.bank.library.journal import Journal
from felt_dial.bank.library.places import journal_folder

WINDOW = """
import sys
from PySide6.QtCore import QTimer
from felt_dial.patch.patch import with_value
from felt_dial.ui.frame import app

stand_up = app.stand_up

def work(*given, **named):
    window = stand_up(*given, **named)
    session = window.session
    def change():
        session.editor.edit(with_value(session.patch, "tempo", 77.0), "change")
        print(session.link.pid, flush=True)
    QTimer.singleShot(200, change)
    return window

app.stand_up = work
sys.exit(app.main())
"""


@pytest.mark.parametrize("told", [signal.SIGINT, signal.SIGTERM, signal.SIGHUP], ids=lambda one: one.name)
def test_a_process_that_is_told_to_end_keeps_the_work_and_leaves_nobody_behind(
    told: signal.Signals, home: Path, kernels: None
) -> None:
    """To the whole group, as a terminal does; the change is a moment old, and the journal was not due yet."""
    window = subprocess.Popen(
        [sys.executable, "-c", WINDOW],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        start_new_session=True,
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.default_int_handler),
    )
    assert window.stdout is not None
    engine = int(window.stdout.readline())
    os.killpg(window.pid, told)
    _, said = window.communicate(timeout=60)
    assert window.returncode == 0 and "Traceback" not in said
    (left,) = Journal(journal_folder()).left_behind()
    assert left.work.patch.tempo == 77.0
    end = time.monotonic() + 20
    while Path(f"/proc/{engine}").exists() and time.monotonic() < end:
        time.sleep(0.05)
    assert not Path(f"/proc/{engine}").exists()
