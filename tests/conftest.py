"""What all tests share: no display, a home of their own, and every module entered."""

from __future__ import annotations

import fcntl
import os
import tempfile
from pathlib import Path

import pytest
from hypothesis import settings

os.environ.setdefault("QT_QPA_PLATFORM", f"offscreen:configfile={Path(__file__).parent / 'screen.json'}")

import felt_dial.sound.modules  # noqa: F401

settings.register_profile("felt dial", deadline=None)  # how long a case takes is a matter of the machine
settings.load_profile("felt dial")


@pytest.fixture(scope="session")
def kernels() -> None:
    """Every kernel is compiled: an engine that is started begins at once. One of several workers does it."""
    from felt_dial.sound.compiling.compile import compile_all, kernels_ready

    with open(Path(tempfile.gettempdir()) / "felt-dial-kernels.lock", "w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not kernels_ready():
            compile_all()


@pytest.fixture
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """An empty home: settings, library, journal and index are made in it."""
    monkeypatch.setenv("FELT_DIAL_HOME", str(tmp_path))
    return tmp_path
