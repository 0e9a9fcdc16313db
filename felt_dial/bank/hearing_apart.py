"""Live and rendered: how far a sound as it is played lies from what a render of it will be, and what makes it so.

Played live the engine computes at the rate of the output; a render computes at a finer one, in which less folds back. Where
both are measured, a preset need not be trusted blindly: what is more than a decibel apart is said.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from felt_dial.bank.apart import NOT_APART, Apart
from felt_dial.bank.hearing import BLOCK, HELD, KEY, KEYS, RATE, SECONDS
from felt_dial.patch.edits import remove_inlet
from felt_dial.patch.patch import Patch, module_at, sounding, with_value
from felt_dial.patch.phrase import Note
from felt_dial.sound.render import render

LIVE = 1
"""The quality at which one plays, where nothing else is set."""
SAID = 1.0
"""Decibels from which on it is said."""
AUDIBLE = -45.0
"""Thirds of an octave that lie further below the loudest one do not count."""
LOWEST, HIGHEST = 100.0, 16000.0
SURE, LIKE_CHANCE = 4.0, 2.0
"""How many standard deviations two stretches of noise may differ by chance; and how many times what other lots change."""


def thirds(sound: NDArray[np.float32]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Middles of thirds of an octave in Hz (IEC 61260-1: by tenth parts of a decade), and power in each; both (third,)."""
    middles = 1000.0 * 10.0 ** (np.arange(-10, 13) / 10)
    middles = middles[(middles > 0.99 * LOWEST) & (middles < 1.01 * HIGHEST)]
    size = sound.shape[1]
    power = np.square(np.abs(np.fft.rfft(sound * np.hanning(size)))).sum(axis=0)
    edges = np.searchsorted(np.fft.rfftfreq(size, 1 / RATE), middles[:, None] * 10.0 ** (np.array([-0.05, 0.05])))
    return middles, np.array([power[low:high].sum() for low, high in edges.tolist()])


def furthest(
    live: NDArray[np.float32], rendered: NDArray[np.float32], again: NDArray[np.float32] | None = None
) -> Apart:
    """Where two sounds of one length, float32 (2, frame), are furthest apart, by no module.

    What they differ by chance counts for nothing: 4.34 √(2 / (B T)) dB is one standard deviation of noise in a band of B Hz
    over T seconds; and where the sound is short, or rings, it is told by the same sound with other lots, `again`.
    """
    middles, one = thirds(live)
    _, other = thirds(rendered)
    loud = max(float(one.max()), float(other.max()))
    if loud < 1e-9:
        return NOT_APART
    counts = np.maximum(one, other) > loud * 10 ** (AUDIBLE / 10)
    away = 10 * np.log10(np.maximum(one, 1e-12 * loud) / np.maximum(other, 1e-12 * loud))
    chance = SURE * 4.34 * np.sqrt(2.0 / (0.23 * middles * live.shape[1] / RATE))
    if again is not None:
        _, third = thirds(again)
        lots = np.abs(10 * np.log10(np.maximum(third, 1e-12 * loud) / np.maximum(one, 1e-12 * loud)))
        around = np.lib.stride_tricks.sliding_window_view(np.pad(lots, 2, mode="edge"), 5).max(axis=1)
        chance = np.maximum(chance, LIKE_CHANCE * around)
    beyond = np.where(counts & (np.abs(away) > np.maximum(SAID, chance)), np.abs(away), 0.0)
    n = int(beyond.argmax())
    return Apart(round(float(away[n]), 1), round(float(middles[n]), 0)) if beyond[n] > 0.0 else NOT_APART


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


def apart(patch: Patch, quality: int = 4) -> Apart:
    """How far a note of a patch, played live, lies from a render of it at a quality, and which module makes it."""
    first = _both(patch, quality)
    if first.decibels == 0.0:
        return first
    left = {path: abs(_both(other, quality).decibels) for path, other in without(patch)}
    by = min(left, key=lambda path: left[path], default="")
    return first._replace(by=by if by and left[by] < 0.5 * abs(first.decibels) else "")


def _both(patch: Patch, quality: int) -> Apart:
    notes = [Note(0.0, HELD, KEYS.get(patch.type, KEY))]
    if quality <= LIVE:
        return NOT_APART
    live, rendered = (render(patch, notes, SECONDS, rate=RATE, quality=q, block=BLOCK) for q in (LIVE, quality))
    found = furthest(live, rendered)
    if found.decibels == 0.0:
        return found
    other = with_value(patch, "seed", 1 + int(patch.number("seed")) % 999)
    return furthest(live, rendered, render(other, notes, SECONDS, rate=RATE, quality=LIVE, block=BLOCK))
