"""Starts the window with the engine, waits for the first sound, and closes it."""

from __future__ import annotations

import os
import sys
import tempfile
import time

os.environ.setdefault("FELT_DIAL_HOME", tempfile.mkdtemp())

from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from felt_dial.bank.library.places import load_settings
from felt_dial.live.link.link import EngineLink
from felt_dial.ui.frame.app import stand_up

application = QApplication([])
link = EngineLink("simulated")
link.start()
window = stand_up(load_settings(), link)
end = time.monotonic() + 120
while (blocks := int(link.shared.data["blocks"])) < 20 and time.monotonic() < end:
    QTest.qWait(20)
window.close()
print(f"The window stood and {blocks} blocks sounded." if blocks else "No sound came.")
sys.exit(0 if blocks else 1)
