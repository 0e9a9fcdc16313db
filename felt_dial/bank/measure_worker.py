"""The worker that measures presets: renders what it is sent, until the window is gone."""

from __future__ import annotations

import math
import os
import sys
from multiprocessing.connection import Connection

import numpy as np

from felt_dial.bank.measurement import RATE, SWATCH_SECONDS, Measurement, swatch_of
from felt_dial.errors import FeltDialError
from felt_dial.patch.documents.patch import read_patch
from felt_dial.patch.patch import Patch
from felt_dial.sound.matter import assets
from felt_dial.sound.playing.phrases import phrase_for
from felt_dial.sound.render import render


def measure(patch: Patch, quality: int = 1) -> Measurement:
    """Renders a patch with the phrase of its kind and measures it."""
    import pyloudnorm

    phrase = phrase_for(patch.type)
    seconds = max(SWATCH_SECONDS, min(phrase.seconds(float(patch.tempo)), 12.0))
    sound = render(patch, phrase.in_seconds(float(patch.tempo)), seconds, rate=RATE, quality=quality)
    peak = float(np.abs(sound).max())
    with np.errstate(divide="ignore"):
        lufs = float(pyloudnorm.Meter(RATE).integrated_loudness(sound.T.astype(np.float64)))
    first = sound[:, : int(SWATCH_SECONDS * RATE)]
    return Measurement(lufs, 20 * math.log10(peak) if peak > 0 else -math.inf, swatch_of(first, RATE))


def main(handle: int) -> None:
    """The worker: measures what it is sent until the window is gone."""
    os.nice(10)
    window = Connection(handle)
    try:
        while True:
            key, text, places = window.recv()
            assets.search_in(places)
            try:
                window.send((key, measure(read_patch(text, "A preset"))))
            except FeltDialError:
                window.send((key, None))
    except (EOFError, OSError):
        return


if __name__ == "__main__":
    main(int(sys.argv[1]))
