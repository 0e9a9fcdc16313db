"""Movement: every parameter as modulated, for all voices: how it is laid out for the kernel in `moving`.

Column `t` of a control row is the value at tick `t`; kernels ramp from one column to the next. The
last column is the first of the next block. Row `GLOBAL` is the patch's own: effects read it, and
what is per note there is that of the newest note.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.params import Param, Parameter
from felt_dial.patch.patch import BY_RATIO, PLAYER_SOURCES, Patch, drawings, goes_both_ways, movers, slots
from felt_dial.patch.units import FACTOR, PERCENT, RATE
from felt_dial.sound.control.listener import BEFORE_RACK, FIRST_LAYER, OUT
from felt_dial.sound.control.moving import settle
from felt_dial.sound.control.order import MOVER, SLOT, Node, Order, in_order
from felt_dial.sound.control.sewing import (
    BEATS_OF_RATE,
    BEATS_OF_TIME,
    GLOBAL,
    IN_FACTORS,
    IN_SEMITONES,
    IS_MACRO,
    KINDS,
    MOVER_RECORD,
    NOT_BEATS,
    PLAIN,
    PLAYER_CODES,
    ROW_RECORD,
    SLOT_RECORD,
    SMOOTHING,
    THREAD_RECORD,
)
from felt_dial.sound.kernel import ROWS, TICK

BEND_SLOT, WHEEL_SLOT, PEDAL_SLOT = -3, -2, -1
LONGEST_DELAY = 2.0
GOES_BY = {"k": "key_centre", "ag": "age", "nn": "note_cycle", "ch": "seed"}
"""Parameters of the patch that what the player does goes by. Kernels are told their slots: a number that they knew
from another file would stay in their cache when that file changes."""


class Motion(NamedTuple):
    """What moves in a patch and where it stands.

    Records rather than many arrays: every array that a kernel is given costs about a microsecond
    per call, and hundreds of nanoseconds when it is handed on inside a tuple.

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
        The movers that shape the level of some layer.
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


class Layout(NamedTuple):
    """Where things are in a motion: the slot of every path, the movers' ids, the threads' ids, the drawings' places."""

    at: dict[str, int]
    movers: list[str]
    threads: list[str]
    drawn: dict[str, int]
    shared: NDArray[np.bool_]
    """(mover,) True for those with one value for all notes."""


def make_motion(patch: Patch, values: NDArray[np.float64], ticks: int, rate: float) -> tuple[Motion, Layout]:
    """The motion of a patch standing at `values` (slots, then drawings), and where things are in it."""
    listed = list(slots(patch))
    at = {slot.path: n for n, slot in enumerate(listed)}
    params = [slot.param for slot in listed]
    params += [
        Param("Bend", 0.0, (-1.0, 1.0), PERCENT, says=""),
        Param("Mod wheel", 0.0, (0.0, 1.0), PERCENT, says=""),
        Param("Pedal", 0.0, (0.0, 1.0), PERCENT, says=""),
    ]
    places, size = {}, 0
    for drawing in drawings(patch):
        places[drawing.path] = size
        size += drawing.drawn.room
    drawn = values[len(listed) : len(listed) + size].copy()
    ids = list(movers(patch))
    place = {key: n for n, key in enumerate(ids)}
    order = in_order(patch)

    table = np.zeros(len(params), SLOT_RECORD)
    natures = [_nature(param) for param in params]
    for column, name in enumerate(("low", "high", "smooth", "beats", "geometric")):
        table[name] = [nature[column] for nature in natures]
    table["target"][: len(listed)] = values[: len(listed)]

    layout = Layout(at, ids, [], places, np.array([Node(MOVER, key) in order.shared for key in ids]))
    threads: list[tuple[int, ...]] = []
    delayed = 0
    for target in dict.fromkeys(thread.target for thread in patch.threads.values()):
        slot = at[target]
        table["moved"][slot], table["first_thread"][slot] = 1, len(threads)
        for key, thread in patch.threads.items():
            if thread.target == target:
                late = delayed if thread.delay != 0.0 else -1
                delayed += late >= 0
                threads.append(_thread_record(patch, key, layout, order, params[slot], late))
                layout.threads.append(key)
        table["last_thread"][slot] = len(threads)

    tempo = table["target"][at["tempo"]]
    table["current"] = table["target"]
    for counted in np.flatnonzero((table["beats"] != NOT_BEATS) & (table["target"] < 0.0)):
        record = table[counted]
        record["current"] = settle(record["target"], record["beats"], record["low"], record["high"], tempo)
    control = np.zeros((len(table), ROWS + 1, ticks + 1), np.float32)
    control[:] = table["current"][:, None, None]

    def steps(shared: bool) -> NDArray[np.int32]:
        found = [
            (node.kind, place[node.key] if node.kind == MOVER else at[node.key])
            for node in order.nodes
            if (node in order.shared) == shared
        ]
        return np.array(found, np.int32).reshape(-1, 2)

    motion = Motion(
        slots=table,
        movers=np.array([_mover_record(patch, key, layout, order) for key in ids], MOVER_RECORD),
        threads=np.array(threads, THREAD_RECORD),
        shared=steps(True),
        noted=steps(False),
        contours=np.array(sorted({place[layer.contour] for layer in patch.layers.values()}), np.int32),
        drawn=drawn,
        base=np.zeros((len(table), ticks + 1)),
        control=control,
        moves=np.zeros((len(ids), ROWS + 1, ticks + 1), np.float32),
        state=np.zeros((len(ids), ROWS + 1, 5)),
        traces=np.zeros((len(threads), ROWS + 1, 2)),
        past=np.zeros((delayed, ROWS + 1, round(LONGEST_DELAY * rate / TICK) + 1 if delayed else 1), np.float32),
        sums=np.zeros((2, ROWS + 1, ticks + 1)),
        info=np.zeros(ROWS + 1, ROW_RECORD),
        whole=np.array([GLOBAL], np.int32),
        gain=np.zeros((ROWS, ticks + 1), np.float32),
        fading=np.zeros(ROWS, np.float32),
    )
    return motion, layout


def _nature(param: Parameter) -> tuple[float, float, bool, int, bool]:
    """Lowest and highest value of a parameter, whether it is smoothed, counted in beats, moved by ratios."""
    if not isinstance(param, Param):
        return 0.0, 1e9, param.smooth, NOT_BEATS, False
    beats = NOT_BEATS if not param.beats else BEATS_OF_RATE if param.unit is RATE else BEATS_OF_TIME
    return param.low, param.high, param.smooth, beats, param.unit.geometric


def _thread_record(
    patch: Patch, key: str, layout: Layout, order: Order, target: Parameter, late: int
) -> tuple[int, ...]:
    thread = patch.threads[key]
    node, source, scaled = Node(SLOT, thread.target), Node(MOVER, thread.source), Node(MOVER, thread.scaled)
    scale = PLAIN
    if isinstance(target, Param) and target.unit.geometric and thread.by == BY_RATIO:
        scale = IN_FACTORS if target.unit.depth is FACTOR else IN_SEMITONES
    return (
        layout.movers.index(thread.source),
        layout.at[f"threads.{key}.on"],
        (node, source) in order.late,
        scale,
        layout.movers.index(thread.scaled) if thread.scaled else -1,
        (node, scaled) in order.late,
        source in order.shared,
        layout.drawn[f"threads.{key}.shape"],
        late,
        *(layout.at[f"threads.{key}.{name}"] for name in ("reading", "smooth", "delay", "depth")),
    )


def _mover_record(patch: Patch, key: str, layout: Layout, order: Order) -> tuple[int, ...]:
    both = goes_both_ways(patch, key)
    if key in PLAYER_SOURCES:
        return PLAYER_CODES[key], layout.at[GOES_BY.get(key, "tempo")], both, 0, *[-1] * 3, 0, 0
    if key in patch.macros:
        ends = (layout.at[f"macros.{key}.{end}"] for end in ("low", "high"))
        return IS_MACRO, layout.at[f"macros.{key}"], both, 0, *ends, -1, 0, 0
    modulator = patch.modulators[key]
    first = layout.at[f"modulators.{key}.{next(iter(modulator.params))}"]
    drawn = next((layout.drawn[f"modulators.{key}.{name}"] for name in modulator.drawings), 0)
    reads = [getattr(modulator, field) for field in modulator.inputs] + [""] * 3
    heard = {"out": OUT, "rack": BEFORE_RACK} | {layer: FIRST_LAYER + n for n, layer in enumerate(patch.layers)}
    late = sum(1 << n for n, other in enumerate(reads[:3]) if (Node(MOVER, key), Node(MOVER, other)) in order.late)
    anew = getattr(modulator, "start", "") == "first note"
    inputs = [heard.get(name, -1) if modulator.places(patch.layers) else _index(layout, name) for name in reads[:3]]
    return KINDS[str(modulator.kind)], first, both, drawn, *inputs, late, anew  # type: ignore[attr-defined]


def _index(layout: Layout, key: str) -> int:
    return layout.movers.index(key) if key in layout.movers else -1


__all__ = ["BEND_SLOT", "GLOBAL", "PEDAL_SLOT", "SMOOTHING", "WHEEL_SLOT", "Layout", "Motion", "make_motion"]
