"""What a drive or a filter is given, and the frames that work on four voices at a time with it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Module
from felt_dial.sound.compiling.kernel import Stage, entry, filled, inner, works_for
from felt_dial.sound.simd.lanes import VOICES, state_in, state_out, take_voices, voices_in, voices_out

ALIVE = 0
"""The first dial of every drive and filter: 0 where a voice begins, else 1."""


NO_SWING = np.zeros((0, 0), np.float32)
"""Given to a filter whose cutoff no layer swings."""


class Played(NamedTuple):
    """The voices of a layer or a bus in one block.

    Attributes
    ----------
    audio : float32 (row, 2, frame)
        What is worked on, in place.
    control : float32 (parameter, row, tick + 1)
    line, frequency : float32 (row, tick + 1)
        What each voice plays, in semitones and in Hz.
    rows : int32 (row,)
        The voices that sound.
    start : int32 (row,)
        The tick of this block at which each begins, −1 for none.
    tick : int
        Frames of a tick.
    rate : float
    swing : float32 (row, frame)
        Octaves by which a layer swings the cutoff; (0, 0) where none does.
    """

    audio: NDArray[np.float32]
    control: NDArray[np.float32]
    line: NDArray[np.float32]
    frequency: NDArray[np.float32]
    rows: NDArray[np.int32]
    start: NDArray[np.int32]
    tick: int
    rate: float
    swing: NDArray[np.float32] = NO_SWING


CORE: Any = None


@inner
def set_to(played, lanes, which):
    """What a choice is set to where four voices begin: it is one for all of them."""
    return np.int64(played.control[which, lanes.who[0, 0], max(lanes.who[1, 0], 0)])


def by_four(played: Any, state: Any) -> None:
    """The frame of drives and filters: four voices at a time, with their numbers at hand."""
    lanes = state.lanes
    for group in range(0, played.rows.shape[0], VOICES):
        first = take_voices(played.audio, played.rows, played.start, group, lanes.who, lanes.dials[ALIVE])
        state_in(lanes.numbers, lanes.who, lanes.here)
        CORE(played, state, group, first)
        state_out(lanes.here, lanes.who, lanes.numbers)


def in_one_go(played: Any, state: Any, group: int, first: int) -> None:
    """The frame within it of those that work on the whole block at once, in `lanes.tile`."""
    lanes, end = state.lanes, played.control.shape[2] - 1
    voices_in(played.audio, lanes.who, first, end, played.tick, lanes.tile)
    CORE(played, state, first)
    voices_out(lanes.tile, lanes.who, first, end, played.tick, played.audio)


def works_in_pieces(module: type[Module], prepare: Callable[[Any, Stage], Any], state: type) -> Callable[[Any], Any]:
    """Ties a kernel of (played, state, group, first tick), which fetches the frames it works on itself, to a module."""

    def tie(core: Any) -> Any:
        works_for(module, prepare)(entry(filled(by_four, core), Played, state))
        return core

    return tie


def works_at_once(module: type[Module], prepare: Callable[[Any, Stage], Any], state: type) -> Callable[[Any], Any]:
    """Ties a kernel of (played, state, first tick), which finds the block in `state.lanes.tile`, to a module."""

    def tie(core: Any) -> Any:
        works_in_pieces(module, prepare, state)(filled(in_one_go, core))
        return core

    return tie
