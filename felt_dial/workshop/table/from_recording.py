"""Frames from a recording: by its pitch, by its spectrum, by length, or one cycle at a place."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.errors import FeltDialError
from felt_dial.sound.matter.cycles import cycles_of
from felt_dial.sound.matter.root import root_of
from felt_dial.workshop.table import mending
from felt_dial.workshop.table.cycles import CYCLE, MOST_FRAMES, Floats, from_levels, levels_and_phases

UNPITCHED = 110.0
"""Hertz that count as the first harmonic of what has no pitch, where it is taken by its spectrum."""
PERIODS = 8
"""Cycles of the first harmonic in a look at the spectrum: the main lobe of its window is as wide as harmonics are apart."""
MOST_HARMONICS = 512


class NoFrames(FeltDialError):
    """A recording from which a way makes no table; the table on the bench stays."""


@dataclass(frozen=True)
class NoteRecorder:
    """How frames are taken: how many at the most, and what is done to them.

    `fade` is the part of a cycle over which its edges are closed; `level` is `each`, `all` or `kept`;
    `size` the samples of a frame that is cut by length.
    """

    count: int = 64
    fade: float = 0.03
    level: str = "each"
    dc: bool = True
    align: bool = False
    empty: bool = False
    sort: bool = False
    size: int = CYCLE


class Taken(NamedTuple):
    """Frames, float (frame, 2048), what is said about them, and how many held nothing and were left out."""

    frames: Floats
    says: str
    left_out: int


def _picked(rows: Floats, count: int) -> Floats:
    """So many rows at the most, evenly spread."""
    if len(rows) <= count:
        return rows
    return np.asarray(rows[np.unique(np.linspace(0, len(rows) - 1, count).round().astype(int))])


def _finished(frames: Floats, taking: NoteRecorder, says: str) -> Taken:
    before = len(frames)
    if not taking.empty:
        frames = mending.no_empty(frames)
    left_out = before - len(frames)
    frames = _picked(frames, min(taking.count, MOST_FRAMES))
    if taking.dc:
        frames = mending.no_dc(frames)
    if taking.fade > 0.0:
        frames = mending.edges_closed(frames, taking.fade)
    if taking.align:
        frames = mending.phases_aligned(frames)
    if taking.sort:
        frames = mending.by_brightness(frames)
    if taking.level == "each":
        frames = mending.each_level(frames)
    elif taking.level == "all":
        frames = mending.all_level(frames)
    return Taken(frames, says, left_out)


def by_pitch(sound: NDArray[np.float32], rate: float, taking: NoteRecorder) -> Taken:
    """One cycle a frame, as the pitch goes; raises `NoFrames` for what has no pitch."""
    found = cycles_of(sound, rate, taking.count)
    if found is None:
        raise NoFrames("No pitch is found here; take it by its spectrum or by length.")
    says = f"one cycle a frame, {found.hertz:.1f} Hz found, {100 * found.sure:.0f} % sure"
    return _finished(found.frames.astype(np.float64), taking, says)


def by_spectrum(sound: NDArray[np.float32], rate: float, taking: NoteRecorder) -> Taken:
    """The strength of each partial at each moment; the phases of the loudest moment in every frame, so that none cancels.

    The power within half a harmonic of each, in windows of eight cycles (Blackman–Harris: what leaks
    out of that band is 92 dB down).
    """
    hertz = root_of(sound, rate).hertz
    first = hertz or UNPITCHED
    from scipy.signal import windows

    mono = sound.mean(axis=0).astype(np.float64)
    size = max(int(PERIODS * rate / first), 64)
    padded = np.pad(mono, size // 2)
    centres = np.linspace(0, len(mono) - 1, min(taking.count, MOST_FRAMES)).astype(int)
    window = windows.blackmanharris(size, sym=False)
    full = 1 << (size - 1).bit_length()
    spectra = np.stack([np.fft.rfft(padded[at : at + size] * window, full) for at in centres])
    harmonics = min(int(0.48 * rate / first), MOST_HARMONICS)
    edges = np.round((np.arange(harmonics + 1) + 0.5) * first * full / rate).astype(int)
    power = np.concatenate([np.zeros((len(spectra), 1)), np.cumsum(np.abs(spectra) ** 2, axis=1)], axis=1)
    bands = power[:, np.minimum(edges[1:], power.shape[1] - 1)] - power[:, np.minimum(edges[:-1], power.shape[1] - 1)]
    # A steady sine of amplitude 1 has Σ|X|² = full · Σw² / 4 in its band.
    levels = np.sqrt(np.maximum(bands, 0.0) * 4 / (full * np.square(window).sum()))
    phases = _orderly(mono, rate, hertz, harmonics)
    frames = np.stack([from_levels(row, phases) for row in levels])
    says = f"partials of each moment, first {first:.0f} Hz" + ("" if hertz else ", no pitch found")
    return _finished(frames, taking, says)


def _orderly(mono: Floats, rate: float, hertz: float | None, harmonics: int) -> Floats:
    """Phases for all frames: those of the loudest cycle where there is a pitch, else spread so that the peak stays low.

    M. R. Schroeder, IEEE Trans. Inf. Theory 16 (1970): −n² / 2N turns for N equal harmonics.
    """
    if hertz is not None:
        at = int(np.argmax(np.abs(mono)))
        first = max(0, min(at - int(3 * rate / hertz), len(mono) - int(7 * rate / hertz)))
        part = np.asarray(mono[first : first + int(8 * rate / hertz)], np.float32)[None]
        found = cycles_of(part, rate, 8)
        if found is not None:
            known = levels_and_phases(found.frames[len(found.frames) // 2], harmonics)[1]
            return np.asarray(np.pad(known, (0, harmonics - len(known))), np.float64)
    return np.asarray(-(np.arange(1, harmonics + 1) ** 2.0) / (2.0 * harmonics), np.float64)


def by_length(sound: NDArray[np.float32], rate: float, taking: NoteRecorder) -> Taken:
    """Cuts of a fixed length, one after the other, each brought to 2048 samples."""
    mono = sound.mean(axis=0).astype(np.float64)
    size = min(max(taking.size, 16), max(len(mono), 16))
    rows = max(1, -(-len(mono) // size))
    cut = np.pad(mono, (0, rows * size - len(mono))).reshape(rows, size)
    if size != CYCLE:
        at = np.arange(CYCLE) * size / CYCLE
        cut = np.stack([np.interp(at, np.arange(size + 1), np.append(row, row[0])) for row in cut])
    return _finished(cut, taking, f"cut every {size} samples")


WAYS: dict[str, tuple[str, str, Callable[[NDArray[np.float32], float, NoteRecorder], Taken]]] = {
    "pitch": ("By its pitch", "one cycle a frame, glides followed", by_pitch),
    "spectrum": ("By its spectrum", "partials of each moment, phases made orderly", by_spectrum),
    "length": ("By length", "a fixed cut, for noise and drums", by_length),
}
"""Ways of taking frames from a recording: the words, what they do, and how; any may raise `NoFrames`."""


def all_ways(sound: NDArray[np.float32], rate: float, taking: NoteRecorder) -> dict[str, Taken | str]:
    """What every way makes of a recording: frames, or a sentence where it makes none."""
    found: dict[str, Taken | str] = {}
    for kind, (_, _, way) in WAYS.items():
        try:
            found[kind] = way(sound, rate, taking)
        except NoFrames as wrong:
            found[kind] = str(wrong)
    return found


def one_cycle(sound: NDArray[np.float32], rate: float, at: float) -> Floats:
    """The one cycle that begins nearest to a second; 2048 samples of it where it has no pitch there. Float (2048,)."""
    middle = int(at * rate)
    first = max(0, min(middle - int(0.08 * rate), sound.shape[1] - int(0.16 * rate)))
    part = sound[:, first : first + int(0.16 * rate)]
    found = cycles_of(part, rate, MOST_FRAMES) if part.shape[1] >= 512 else None
    if found is None:
        piece = sound[:, middle : middle + CYCLE].mean(axis=0).astype(np.float64)
        return np.pad(piece, (0, CYCLE - len(piece)))
    place = (middle - first) / max(part.shape[1], 1)
    return np.asarray(found.frames[min(int(place * len(found.frames)), len(found.frames) - 1)], np.float64)
