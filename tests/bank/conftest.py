"""A library with one bank of three presets."""

from __future__ import annotations

from pathlib import Path

import pytest

from felt_dial.bank.library.library import Library
from felt_dial.sound.modules import new_patch


@pytest.fixture
def library(tmp_path: Path) -> Library:
    made = Library(tmp_path / "library")
    bank = made.create("Glasshouse")
    for name in ("Dew", "Moss", "Root"):
        bank.save_new(new_patch(name))
    return made
