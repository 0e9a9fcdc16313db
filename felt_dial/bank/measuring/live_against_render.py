"""Live and rendered: how far a sound as it is played lies from what a render of it will be, and what makes it so.

Played live the engine computes at the rate of the output; a render computes at a finer one, in which less folds back. Where
both are measured, a preset need not be trusted blindly: what is more than a decibel apart is said.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice

import numpy as np
from numpy.typing import NDArray

from felt_dial.bank.measuring.deviation import NOT_APART, Apart
from felt_dial.bank.measuring.probe_note import RATE, heard
from felt_dial.patch.edits import remove_inlet
from felt_dial.patch.patch import Patch, module_at, sounding, with_value

LIVE = 1
"""The quality at which one plays, where nothing else is set."""
SAID = 1.0
"""Decibels from which on it is said."""
AUDIBLE = -45.0
"""Thirds of an octave that lie further below the loudest one do not count."""
MIDDLES = 1000.0 * 10.0 ** (np.arange(-10, 13) / 10)
"""Hz: thirds of an octave by tenth parts of a decade (IEC 61260-1), 100 Hz to 16 kHz."""
MOST_TRIED = 16
"""Modules that are left out in turn, to find the one that makes it."""
SURE, LIKE_CHANCE = 4.0, 2.0
"""How many standard deviations two stretches of noise may differ by chance; and how many times what other lots change."""


def thirds(sound: NDArray[np.float32]) -> NDArray[np.float64]:
    """The power of a sound, float32 (2, frame), in each third of an octave of `MIDDLES`."""
    size = sound.shape[1]
    power = np.square(np.abs(np.fft.rfft(sound * np.hanning(size)))).sum(axis=0)
    edges = np.searchsorted(np.fft.rfftfreq(size, 1 / RATE), MIDDLES[:, None] * 10.0 ** np.array([-0.05, 0.05]))
    return np.array([power[low:high].sum() for low, high in edges.tolist()])


def furthest(
    live: NDArray[np.float32], rendered: NDArray[np.float32], again: NDArray[np.float32] | None = None
) -> Apart:
    """Where two sounds of one length, float32 (2, frame), are furthest apart, by no module.

    What they differ by chance counts for nothing: 4.34 √(2 / (B T)) dB is one standard deviation of noise in a band of B Hz
    over T seconds; and where the sound is short, or rings, it is told by the same sound with other lots, `again`.
    """
    one, other = thirds(live), thirds(rendered)
    loud = max(float(one.max()), float(other.max()))
    if loud < 1e-9:
        return NOT_APART

    def louder(first: NDArray[np.float64], second: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray(10 * np.log10(np.maximum(first, 1e-12 * loud) / np.maximum(second, 1e-12 * loud)))

    counts = np.maximum(one, other) > loud * 10 ** (AUDIBLE / 10)
    away = louder(one, other)
    chance = SURE * 4.34 * np.sqrt(2.0 / (0.23 * MIDDLES * live.shape[1] / RATE))
    if again is not None:
        lots = np.abs(louder(thirds(again), one))
        around = np.lib.stride_tricks.sliding_window_view(np.pad(lots, 2, mode="edge"), 5).max(axis=1)
        chance = np.maximum(chance, LIKE_CHANCE * around)
    beyond = np.where(counts & (np.abs(away) > np.maximum(SAID, chance)), np.abs(away), 0.0)
    n = int(beyond.argmax())
    return Apart(round(float(away[n]), 1), round(float(MIDDLES[n]), 0)) if beyond[n] > 0.0 else NOT_APART


def without(patch: Patch) -> Iterator[tuple[str, Patch]]:
    """Paths of what works in a patch, and the patch without it; what is nearest to a cause comes first."""
    for key, layer in patch.layers.items():
        for other in layer.inlets:
            yield f"layers.{key}.inlets.{other}", remove_inlet(patch, key, other)
    for path in sounding(patch):
        module = module_at(patch, path)
        if not path.endswith(".source") and module.get("on"):
            yield path, with_value(patch, f"{path}.on", False)
    audible = [key for key, layer in patch.layers.items() if layer.get("on") and not layer.get("mute")]
    if len(audible) > 1:
        for key in audible:
            yield f"layers.{key}.source", with_value(patch, f"layers.{key}.mute", True)


def apart(patch: Patch, quality: int = 4, live: NDArray[np.float32] | None = None) -> Apart:
    """How far a note of a patch, played live, lies from a render of it at a quality, and which module makes it.

    `live` is that note as `heard`, where it is there already.
    """
    if quality <= LIVE:
        return NOT_APART
    first = _both(patch, quality, heard(patch, LIVE) if live is None else live)
    if first.decibels == 0.0:
        return first
    least, by = 0.5 * abs(first.decibels), ""
    for path, other in islice(without(patch), MOST_TRIED):
        left = abs(_both(other, quality, heard(other, LIVE)).decibels)
        if left < least:
            least, by = left, path
        if left == 0.0:
            break
    return first._replace(by=by)


def _both(patch: Patch, quality: int, live: NDArray[np.float32]) -> Apart:
    rendered = heard(patch, quality)
    found = furthest(live, rendered)
    if found.decibels == 0.0:
        return found
    other = with_value(patch, "seed", 1 + int(patch.number("seed")) % 999)
    return furthest(live, rendered, heard(other, LIVE))
