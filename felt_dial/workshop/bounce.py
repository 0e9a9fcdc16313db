"""Bounce: what sounds now becomes a recording. Renders, so it is for a helper or for the command line."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

import felt_dial.sound.modules  # noqa: F401  every kind that a patch may name
from felt_dial.errors import FeltDialError
from felt_dial.patch.documents.patch import read_patch
from felt_dial.patch.edits import remove_effect
from felt_dial.patch.patch import Patch, with_value
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.audio_file import Audio, checked
from felt_dial.workshop.bouncing import Bounced, Bouncing

if TYPE_CHECKING:
    from felt_dial.patch.phrase import Note

Watch = Callable[[float], bool]
RATE = 48000
TAILS = (4.0, 20.0)
"""Seconds after the last note: the longer ones where it still sounds after the shorter."""
SILENT = 10.0 ** (-84.0 / 20.0)


class NothingSounds(FeltDialError):
    """A bounce in which nothing is heard; nothing was kept."""


def without_racks(patch: Patch) -> Patch:
    """The patch without its effects."""
    for rack, effects in patch.racks.items():
        for key in list(effects):
            patch = remove_effect(patch, rack, key)
    return patch


def only(patch: Patch, key: str) -> Patch:
    """The patch with one layer alone; those that modulate it still do."""
    for other in patch.layers:
        patch = with_value(patch, f"layers.{other}.solo", other == key)
    return patch


def sound_of(
    patch: Patch, notes: Sequence[Note], quality: int, tempo: float | None = None, watch: Watch = lambda part: True
) -> NDArray[np.float32]:
    """What a patch plays, float32 (2, frames) at 48 kHz, until its tail is over; raises `NothingSounds`."""
    from felt_dial.sound.render import render

    end = max(note.start + note.length for note in notes)
    sound = np.zeros((2, 1), np.float32)
    for tail in TAILS:
        sound = render(patch, notes, end + tail, rate=RATE, quality=quality, tempo=tempo, watch=watch)
        if float(np.abs(sound[:, -RATE // 4 :]).max()) < SILENT * 4:
            break
    heard = np.flatnonzero(np.abs(sound).max(axis=0) > SILENT)
    if not len(heard):
        raise NothingSounds(f"{patch.name} is silent while that is played; nothing was bounced.")
    sound = sound[:, : min(int(heard[-1]) + RATE // 50, sound.shape[1])]
    fade = min(RATE // 50, sound.shape[1])
    sound[:, -fade:] *= np.linspace(1.0, 0.0, fade, dtype=np.float32)
    return sound


def bounce(
    document: str, bouncing: Bouncing, folder: str, name: str, watch: Watch = lambda part: True
) -> list[Bounced]:
    """Renders a patch and keeps what is heard in a store; raises `FeltDialError`.

    One recording, or one of each layer that is on, whose sum it is where nothing common bends them.
    """
    from felt_dial.patch.phrase import Note

    patch = read_patch(document, "The patch")
    notes = [Note(*note) for note in bouncing.notes]
    if not bouncing.racks:
        patch = without_racks(patch)
    root = float(notes[0].key) if len(notes) == 1 else None
    parts = [("", patch)]
    if bouncing.each:
        heard = [key for key, layer in patch.layers.items() if layer.get("on") and not layer.get("mute")]
        parts = [(key, only(patch, key)) for key in heard]
    made = []
    for n, (key, part) in enumerate(parts):
        try:
            sound = sound_of(part, notes, bouncing.quality, bouncing.tempo, lambda p, n=n: watch((n + p) / len(parts)))  # type: ignore[misc]
        except NothingSounds:
            if not bouncing.each:
                raise
            continue
        audio = checked(sound, float(RATE), "The bounce")
        called = f"{name} {key.upper()}".strip()
        asset = assets.keep(Path(folder), Audio(audio.sound, audio.rate, root), called, "own")
        made.append(Bounced(asset, key, root))
    if not made:
        raise NothingSounds(f"{patch.name} is silent while that is played; nothing was bounced.")
    return made
