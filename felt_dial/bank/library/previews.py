"""Previews: what was rendered to measure a sound, kept so that it can be listened to at once. They can be made anew."""

from __future__ import annotations

import contextlib
import os
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

KEPT = ".ogg"
MOST_BYTES = 400 * 1024 * 1024
"""What all previews together may take; of more the oldest are taken away."""
LONGEST = 8.0


def preview_path(folder: Path, key: str) -> Path:
    """Where the preview of a sound is kept."""
    return folder / f"{key}{KEPT}"


def write_preview(path: Path, sound: NDArray[np.float32], rate: int) -> None:
    """Keeps the first seconds of a sound, float32 (2, frames); none where the disk does not take it."""
    import soundfile

    part = np.array(sound[:, : int(LONGEST * rate)].T)
    fade = min(rate // 10, len(part))
    if len(part) < sound.shape[1]:
        part[-fade:] *= np.linspace(1.0, 0.0, fade, dtype=np.float32)[:, None]
    part /= max(float(np.abs(part).max(initial=0.0)), 1.0)
    draft = path.with_suffix(f".{os.getpid()}.part")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        soundfile.write(draft, part, rate, format="OGG", subtype="VORBIS")
        os.replace(draft, path)
    except (OSError, soundfile.LibsndfileError):
        with contextlib.suppress(OSError):
            draft.unlink(missing_ok=True)
