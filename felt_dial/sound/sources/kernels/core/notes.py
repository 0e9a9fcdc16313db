"""What a source is given, and the frame that plays every note with it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Module
from felt_dial.sound.compiling.kernel import AtRate, Stage, as_it_is, entry, filled, inner, kernel, works_for


class Notes(NamedTuple):
    """The notes of a layer in one block.

    Attributes
    ----------
    out : float32 (row, 2, frame)
        What the source makes; what was there is replaced.
    frequency : float32 (row, tick + 1)
        Hz.
    turn : float32 (row, frame)
        What other layers do to the phase, in cycles; (0, 0) where none does.
    control : float32 (parameter, row, tick + 1)
    active : int32 (row,)
        The rows that sound.
    begin : int32 (2, row)
        The tick of this block at which each begins, −1 for none, and the number of its note.
    tick : int
        Frames of a tick.
    rate : float
    limit : float
        Highest harmonic, Hz.
    lot : int
        What the layer and the patch's chance seed add to the number of a note: layers draw other lots.
    """

    out: NDArray[np.float32]
    frequency: NDArray[np.float32]
    turn: NDArray[np.float32]
    control: NDArray[np.float32]
    active: NDArray[np.int32]
    begin: NDArray[np.int32]
    tick: int
    rate: float
    limit: float
    lot: int


CORE: Any = None


@kernel(inline=True)
def lot_of(notes, row):
    """What the chances of a note in a layer are drawn from."""
    return np.int64(notes.begin[1, row]) + np.int64(notes.lot)


@inner
def silence(notes, row, ticks):
    """Nothing sounds in a row for its first ticks."""
    for n in range(ticks * notes.tick):
        notes.out[row, 0, n] = notes.out[row, 1, n] = np.float32(0.0)


def each(notes: Any, state: Any) -> None:
    """The frame of a source whose notes know nothing of each other: plays one after the other from where it begins."""
    for row in notes.active:
        first = max(notes.begin[0, row], 0)
        silence(notes, row, first)
        CORE(notes, state, row, first)


def plays_all(
    source: type[Module], prepare: Callable[[Any, Stage], Any], state: type, at_rate: AtRate = as_it_is
) -> Callable[[Any], Any]:
    """Ties a kernel of (notes, state) to a source; `state` is the record that `prepare` makes."""

    def tie(run: Any) -> Any:
        works_for(source, prepare, at_rate)(entry(run, Notes, state))
        return run

    return tie


def plays_each(
    source: type[Module], prepare: Callable[[Any, Stage], Any], state: type, at_rate: AtRate = as_it_is
) -> Callable[[Any], Any]:
    """Ties a kernel of (notes, state, row, first tick), which plays one note, to a source."""

    def tie(play: Any) -> Any:
        plays_all(source, prepare, state, at_rate)(filled(each, play))
        return play

    return tie
