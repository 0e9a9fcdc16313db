"""Drafts: what is heard before it is kept; cleared when the program starts."""

from __future__ import annotations

import shutil
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from felt_dial.bank.places import cache_folder
from felt_dial.files import write_whole
from felt_dial.sound.matter.wav import wav_bytes
from felt_dial.ui.session import Session


def drafts_folder() -> Path:
    """Where lies what is heard while the hand is still moving."""
    return cache_folder() / "drafts"


def tidy_drafts() -> None:
    """Clears what was heard and never kept."""
    shutil.rmtree(drafts_folder(), ignore_errors=True)


def hear(session: Session, sound: NDArray[np.float32], rate: float, loops: bool = False) -> None:
    """Plays a sound, float32 (channel, frame), beside the patch; raises `CannotWrite`."""
    path = drafts_folder() / "heard.wav"
    write_whole(path, wav_bytes(np.asarray(sound, np.float32), round(rate)))
    session.link.audition(str(path), loops=loops)
