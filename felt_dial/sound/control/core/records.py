"""Modulators, threads and parameters as records that a kernel can read."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.sizes import ROWS

GLOBAL = ROWS
SMOOTHING = 0.005
"""Seconds in which a value that is set goes most of its way."""
BEND_SLOT, WHEEL_SLOT, PEDAL_SLOT = -3, -2, -1
"""The last slots: what the wheels and the pedal stand at."""
FADE = 0.005
NOTHING = -60.0
"""dB at which a level is silence."""
NOT_BEATS, BEATS_OF_TIME, BEATS_OF_RATE = range(3)
PLAIN, IN_SEMITONES, IN_FACTORS = range(3)
BOTH_WAYS, FLIPPED = 1, 2

SLOT_RECORD = np.dtype(
    [
        ("low", "f8"),
        ("high", "f8"),
        ("target", "f8"),
        ("current", "f8"),
        ("led", "f8"),
        ("smooth", "i4"),
        ("beats", "i4"),
        ("geometric", "i4"),
        ("faint", "i4"),
        ("moved", "i4"),
        ("filled", "i4"),
        ("since", "i4"),
        ("first_thread", "i4"),
        ("last_thread", "i4"),
    ]
)
MOVER_RECORD = np.dtype(
    [
        ("kind", "i4"),
        ("first", "i4"),
        ("both", "i4"),
        ("drawn", "i4"),
        ("a", "i4"),
        ("b", "i4"),
        ("c", "i4"),
        ("late", "i4"),
        ("anew", "i4"),
    ]
)
THREAD_RECORD = np.dtype(
    [
        ("mover", "i4"),
        ("first", "i4"),
        ("late", "i4"),
        ("scale", "i4"),
        ("scaler", "i4"),
        ("scaler_late", "i4"),
        ("shared", "i4"),
        ("drawn", "i4"),
        ("past", "i4"),
        ("reading", "i4"),
        ("smooth", "i4"),
        ("delay", "i4"),
        ("depth", "i4"),
    ]
)
ROW_RECORD = np.dtype(
    [
        ("first", "i4"),
        ("begin", "i4"),
        ("release", "i4"),
        ("through", "i4"),
        ("number", "i8"),
        ("after", "i8"),
        ("key", "f8"),
        ("velocity", "f8"),
    ]
)
"""What the movers need to know of a row in this block: the first tick to work out, the ticks at which it begins and is
let go (−1 for neither), whether no key holds it, the number of its note, the row it follows, key and velocity."""


BY_ITSELF, WITH_KEY, AT_END = range(3)
CLOSES = 0.005
"""Seconds in which a level closes that is no envelope."""


class Modulation(NamedTuple):
    """What moves in a patch and where it stands.

    Attributes
    ----------
    slots : SLOT_RECORD (slot,)
        Range and nature of every parameter, the value asked for and the smoothed one.
    movers : MOVER_RECORD (mover,)
    threads : THREAD_RECORD (thread,), grouped by the slot they end on
    shared, noted : int32 (step, 2)
        What is worked out each tick, in order: (MOVER, index) or (SLOT, index); once for the patch,
        and once for every note.
    contours : int32 (contour,)
        The movers that shape the level of some layer or bus.
    closes : int32 (contour,)
        How a level goes that is no envelope: `BY_ITSELF` for an envelope, which closes by itself, `WITH_KEY` for what closes
        when its key goes up, `AT_END` for a curve of every note, which goes its way first.
    levels : float32 (contour, row, tick + 1)
        The levels of those that are no envelopes; `closing` (contour, row) is how far each is open, 1 until it
        closes.
    drawn : float64 (number,)
        All drawings, one behind the other.
    base : float64 (slot, tick + 1)
        Values before threads.
    control : float32 (slot, row, tick + 1)
        Values after threads.
    moves : float32 (mover, row, tick + 1)
    state : float64 (mover, row, 5)
    traces : float64 (thread, row, 2)
        Where a thread that smooths its mover stands, and for how many ticks it has run.
    past : float32 (late thread, row, tick)
        What the movers of threads with a delay were, in a ring.
    sums : float64 (2, row, tick + 1)
        Room in which the threads on a slot are added up: octaves, and what is added.
    info : ROW_RECORD (row,)
        What the movers need to know of every row in this block.
    whole : int32 (1,)
        The patch's own row, as a list.
    gain : float32 (row, tick + 1)
        1, falling to 0 where a note is stolen; `fading` (row,) is where it stands.
    """

    slots: NDArray[np.void]
    movers: NDArray[np.void]
    threads: NDArray[np.void]
    shared: NDArray[np.int32]
    noted: NDArray[np.int32]
    contours: NDArray[np.int32]
    closes: NDArray[np.int32]
    levels: NDArray[np.float32]
    closing: NDArray[np.float64]
    drawn: NDArray[np.float64]
    base: NDArray[np.float64]
    control: NDArray[np.float32]
    moves: NDArray[np.float32]
    state: NDArray[np.float64]
    traces: NDArray[np.float64]
    past: NDArray[np.float32]
    sums: NDArray[np.float64]
    info: NDArray[np.void]
    whole: NDArray[np.int32]
    gain: NDArray[np.float32]
    fading: NDArray[np.float32]


class Performance(NamedTuple):
    """What is played in a block.

    Attributes
    ----------
    heard : float64 (place,)
        Peaks of the last block, see `follow`.
    touches : float32 (4, row)
        Velocity, pressure, slide and release velocity.
    key : float32 (row,)
    begin : int32 (2, row)
        The tick of this block at which a note begins, −1 where it does not, and its number.
    after : int32 (row,)
        The row that a note follows.
    active : int32 (row,)
    held, once : bool (row,)
        Its key is down; it ignores its key.
    release, fade : int32 (row,)
        The ticks at which it is let go, or begins to fade because it was stolen; −1 where it does not.
    through : bool (row,)
        It stays at no sustain: its release follows the decay.
    shaped : bool (contour, row)
        Which contours shape some layer of the note: it ends when they have.
    finished : bool (row,)
        To be filled: the note has ended.
    newest : int
        The row of the newest note, −1 for none.
    fresh, last_up : int
        The ticks at which a note begins while none was held, and at which the last key is let go.
    tempo, clock, rate
        Beats a minute, ticks since the beginning, frames a second.
    """

    heard: NDArray[np.float64]
    touches: NDArray[np.float32]
    key: NDArray[np.float32]
    begin: NDArray[np.int32]
    after: NDArray[np.int32]
    active: NDArray[np.int32]
    held: NDArray[np.bool_]
    once: NDArray[np.bool_]
    release: NDArray[np.int32]
    fade: NDArray[np.int32]
    through: NDArray[np.bool_]
    shaped: NDArray[np.bool_]
    finished: NDArray[np.bool_]
    newest: int
    fresh: int
    last_up: int
    tempo: float
    clock: int
    rate: float


class Span(NamedTuple):
    """Ticks of a block that are worked out: from `t0` up to `t1`; a tick lasts `seconds`."""

    t0: int
    t1: int
    seconds: float
