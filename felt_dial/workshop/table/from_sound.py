"""Frames from a sounding patch: one cycle for each step of a macro from end to end. Renders, so it is for a helper."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

import felt_dial.sound.modules  # noqa: F401  every kind that a patch may name
from felt_dial.patch.documents.patch import read_patch
from felt_dial.patch.patch import with_value
from felt_dial.workshop.table import mending
from felt_dial.workshop.table.cycles import Floats
from felt_dial.workshop.table.from_recording import NoFrames, one_cycle

KEY, HELD, RATE = 45, 1.0, 48000
"""The note that is played for each step, and how long before its cycle is taken."""


def swept_by_macro(
    document: str, macro: str, steps: int = 32, watch: Callable[[float], bool] = lambda part: True
) -> Floats:
    """Frames, float (step, 2048), of a patch whose macro goes from 0 to 1; raises `NoFrames` where it is silent."""
    from felt_dial.patch.phrase import Note
    from felt_dial.sound.render import render

    patch = read_patch(document, "The patch")
    made = []
    for n in range(steps):
        if not watch(n / steps):
            raise NoFrames("Stopped; nothing of it was kept.")
        moved = with_value(patch, f"macros.{macro}", n / max(steps - 1, 1))
        sound = render(moved, [Note(0.0, HELD + 0.5, KEY)], HELD + 0.2, rate=RATE, quality=2)
        made.append(one_cycle(sound, RATE, HELD))
    frames = np.stack(made)
    if float(np.abs(frames).max()) < 1e-4:
        raise NoFrames("The patch is silent while A2 is held; nothing was taken.")
    return mending.each_level(mending.phases_aligned(mending.edges_closed(mending.no_dc(frames))))
