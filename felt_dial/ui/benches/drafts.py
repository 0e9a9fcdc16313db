"""Drafts: what is heard before it is kept; cleared when the program starts."""

from __future__ import annotations

import contextlib
import os
import time
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from felt_dial.bank.library.places import cache_folder
from felt_dial.files import write_whole
from felt_dial.live.link.messages import Listen
from felt_dial.session.session import Session
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.wav import wav_bytes

DAYS = 7.0


def drafts_folder() -> Path:
    """Where lies what is heard while the hand is still moving."""
    return cache_folder() / "drafts"


def look_in_drafts() -> None:
    """Lets patches find what is heard before it is kept, in this process and in those that it starts."""
    assets.look_in(drafts_folder())


def tidy_drafts() -> None:
    """Clears what was heard some days ago and never kept; a patch in the journal may still play the latest."""
    late = time.time() - DAYS * 86400.0
    for path in drafts_folder().rglob("*"):
        with contextlib.suppress(OSError):
            if path.is_file() and path.stat().st_mtime < late:
                path.unlink()


def hear(session: Session, sound: NDArray[np.float32], rate: float, levelled: bool = True) -> None:
    """Plays a sound, float32 (channel, frame), beside the patch; raises `CannotWrite`."""
    path = drafts_folder() / f"heard-{os.getpid()}.wav"  # another window may listen to something else
    write_whole(path, wav_bytes(np.asarray(sound, np.float32), round(rate)))
    session.link.tell(Listen(str(path), 0.0, sound.shape[1] / rate, False, levelled))
