"""What all tests share: no display, a home of their own, and every module entered."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import felt_dial.sound.modules  # noqa: F401


@pytest.fixture
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """An empty home: settings, library, journal and index are made in it."""
    monkeypatch.setenv("FELT_DIAL_HOME", str(tmp_path))
    return tmp_path
