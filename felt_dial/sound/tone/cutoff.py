"""What every tuned filter shares: where its cutoff is at every frame, and how it gives way when it is driven."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Tuned
from felt_dial.sound.kernel import kernel

CUTOFF, COUNTED, DISTANCE, RESONANCE, FOLLOW, DRIVE = (
    Tuned.row_of(name) for name in ("cutoff", "counted", "distance", "resonance", "follow", "drive")
)
LOWEST, HIGHEST = 5.0, 0.49
"""Cutoffs end at 5 Hz, and at this part of the rate."""


def hertz(filter_: Tuned, now: Mapping[str, float] | None = None, pitch: float = 60.0) -> float:
    """Cutoff in Hz of a filter whose parameters stand where `now` says (or where they are set), for a pitch."""
    if filter_.get("counted") == "key":
        return float(440.0 * 2.0 ** ((pitch - 69.0 + now_or_set(filter_, now, "distance")) / 12.0))
    turned = now_or_set(filter_, now, "follow") * (pitch - 60.0) / 12.0
    return float(now_or_set(filter_, now, "cutoff") * 2.0**turned)


def now_or_set(filter_: Any, now: Mapping[str, float] | None, name: str) -> float:
    """Value of a parameter where something moved it to, or where it is set."""
    return float(now[name]) if now and name in now else filter_.number(name)  # type: ignore[no-any-return]


def prototype(frequency: ArrayLike, cutoff: float, rate: float) -> NDArray[np.complex128]:
    """s of an analogue prototype with its cutoff at 1, at each frequency under the bilinear transform."""
    f = np.minimum(np.asarray(frequency, np.float64), 0.4999 * rate)
    return np.asarray(1j * np.tan(np.pi * f / rate) / np.tan(np.pi * min(cutoff, HIGHEST * rate) / rate))


@kernel
def hertz_at(control, line, frequency, row, t):  # type: ignore[no-untyped-def]
    """`hertz`, compiled, of one voice at one tick."""
    if control[COUNTED, row, t] > 0.5:
        return np.float64(frequency[row, t]) * 2.0 ** (np.float64(control[DISTANCE, row, t]) / 12.0)
    found = np.float64(control[CUTOFF, row, t])
    follow = np.float64(control[FOLLOW, row, t])
    return found if follow == 0.0 else found * 2.0 ** (follow * (np.float64(line[row, t]) - 60.0) / 12.0)


@kernel
def _warp(f, rate):  # type: ignore[no-untyped-def]
    return math.tan(math.pi * min(max(f, LOWEST), HIGHEST * rate) / rate)


@kernel
def warp_line(g, control, line, frequency, swing, row, first, tick, rate, factor):  # type: ignore[no-untyped-def]
    """Fills `g` with tan(π f / rate) of `factor` times the cutoff at every frame from tick `first` on.

    Returns False where nothing moves in this block: then `g[0]` alone is filled. `swing` float32 (row, frame) moves
    the cutoff by octaves at audio rate; (0, 0) is none.
    """
    ticks = control.shape[2] - 1
    f = hertz_at(control, line, frequency, row, first)
    moves = swing.shape[0] > 0
    for t in range(first + 1, ticks + 1):
        if hertz_at(control, line, frequency, row, t) != f:
            moves = True
    here = _warp(f * factor, rate)
    g[0] = here
    if not moves:
        return False
    for t in range(first, ticks):
        after = hertz_at(control, line, frequency, row, t + 1)
        begin = (t - first) * tick
        if swing.shape[0] > 0:
            for n in range(tick):
                between = f + (after - f) * n / tick
                g[begin + n] = _warp(between * factor * 2.0 ** np.float64(swing[row, t * tick + n]), rate)
        else:
            there = _warp(after * factor, rate)
            grow = (there - here) / tick
            for n in range(np.uint64(tick)):
                g[np.uint64(begin) + n] = here + grow * n
            here = there
        f = after
    return True


@kernel
def give_way(x):  # type: ignore[no-untyped-def]
    """A soft ceiling at 1 with slope 1 at nothing; x (27 + x²) / (27 + 9 x²), flat from 3."""
    v = min(max(x, -3.0), 3.0)
    return v * (27.0 + v * v) / (27.0 + 9.0 * v * v)


@kernel
def push_in(audio, control, row, first, tick):  # type: ignore[no-untyped-def]
    """Drives a voice softly into a filter that itself is linear; no drive leaves it as it is."""
    ticks = control.shape[2] - 1
    for t in range(first, ticks):
        drive = np.float64(control[DRIVE, row, t])
        more = np.float64(control[DRIVE, row, t + 1])
        if drive <= 0.0 and more <= 0.0:
            continue
        push, pushed = 10.0 ** (drive / 20.0), 10.0 ** (more / 20.0)
        share, shared = min(drive / 3.0, 1.0), min(more / 3.0, 1.0)
        for n in range(tick):
            part = n / tick
            p = push + (pushed - push) * part
            much = share + (shared - share) * part
            for channel in range(2):
                x = np.float64(audio[row, channel, t * tick + n])
                bent = give_way(p * x) / math.sqrt(p)
                audio[row, channel, t * tick + n] = np.float32(x + much * (bent - x))
