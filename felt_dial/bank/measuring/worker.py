"""What a process beside the window does to measure a preset: renders it, and listens."""

from __future__ import annotations

import math
import time
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from felt_dial.bank.library.previews import write_preview
from felt_dial.bank.measuring.features import features_of
from felt_dial.bank.measuring.live_against_render import apart
from felt_dial.bank.measuring.measurement import SWATCH_SECONDS, Measurement, swatch_of
from felt_dial.bank.measuring.probe_note import BLOCK, RATE, heard
from felt_dial.patch.documents.patch import read_patch
from felt_dial.patch.patch import Patch
from felt_dial.sound.integrated import loudness
from felt_dial.sound.playing.phrases import heard_with
from felt_dial.sound.render import render

LONGEST, TIMED = 12.0, 2.0
"""Seconds of a phrase that are measured at most, and over which its cost is taken."""


def played(patch: Patch, quality: int = 1) -> NDArray[np.float32]:
    """A patch with the phrase it is best heard with, float32 (2, frames) at 48 kHz, at least 4 s and at most 12."""
    phrase, tempo = heard_with(patch), float(patch.tempo)
    seconds = max(SWATCH_SECONDS, min(phrase.seconds(tempo), LONGEST))
    return render(patch, phrase.in_seconds(tempo), seconds, rate=RATE, quality=quality, block=BLOCK)


def peak_of(sound: NDArray[np.float32]) -> float:
    """dBFS of the largest sample, −inf for silence."""
    peak = float(np.abs(sound).max())
    return 20 * math.log10(peak) if peak > 0 else -math.inf


def measure(patch: Patch, quality: int = 1, preview: Path | None = None) -> Measurement:
    """Renders a patch with the phrase it is best heard with and measures it; keeps a `preview` to be listened to."""
    sound, note = played(patch, quality), heard(patch)
    if preview is not None:
        write_preview(preview, sound, RATE)
    first = sound[:, : int(SWATCH_SECONDS * RATE)]
    look, figures = swatch_of(first, RATE), features_of(note, RATE)
    return Measurement(loudness(sound), peak_of(sound), look, figures, cost_of(patch), apart(patch, quality, note))


def cost_of(patch: Patch) -> float:
    """The part of a core that its phrase takes: what is timed is the second render, less what it takes to begin one."""
    notes, took = heard_with(patch).in_seconds(float(patch.tempo)), []
    for seconds in (0.02, TIMED):
        began = time.process_time()
        render(patch, notes, seconds, rate=RATE, quality=1)
        took.append(time.process_time() - began)
    return max(took[1] - took[0], 0.0) / (TIMED - 0.02)


def measured(text: str, quality: int, preview: Path | None) -> Measurement:
    """What is measured of a document; for a process beside the window."""
    return measure(read_patch(text, "A preset"), quality, preview)
