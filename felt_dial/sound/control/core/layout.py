"""Where every parameter as modulated stands in memory, and the call of the kernel that fills it.

Column `t` of a control row is the value at tick `t`; kernels ramp from one column to the next. The
last column is the first of the next block. Row `GLOBAL` is the patch's own: effects read it, and
what is per note there is that of the newest note.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Modulator
from felt_dial.patch.params import Param, Parameter
from felt_dial.patch.parts import BY_RATIO
from felt_dial.patch.patch import Patch, contours, drawings, goes_both_ways, movers, slots
from felt_dial.patch.player import PLAYER_SOURCES
from felt_dial.patch.units import DECIBELS, FACTOR, PERCENT, RATE
from felt_dial.sound.control.core.order import MOVER, SLOT, Node, Order, in_order
from felt_dial.sound.control.core.records import (
    AT_END,
    BEATS_OF_RATE,
    BEATS_OF_TIME,
    BY_ITSELF,
    GLOBAL,
    IN_FACTORS,
    IN_SEMITONES,
    MOVER_RECORD,
    NOT_BEATS,
    NOTHING,
    PLAIN,
    ROW_RECORD,
    SLOT_RECORD,
    THREAD_RECORD,
    WITH_KEY,
    Modulation,
)
from felt_dial.sound.control.follow import BEFORE_RACK, FIRST_LAYER, OUT
from felt_dial.sound.control.kernels.core.run import CODES, settle
from felt_dial.sound.sizes import ROWS, TICK

TURNS = 100
"""How often what goes round may be moved round, either way."""
LONGEST_DELAY = 2.0


class Layout(NamedTuple):
    """Where things are in a modulation: the slot of every path, the movers' ids, the threads' ids, the drawings' places."""

    at: dict[str, int]
    movers: list[str]
    threads: list[str]
    drawn: dict[str, int]
    shared: NDArray[np.bool_]
    """(mover,) True for those with one value for all notes."""


def make_modulation(patch: Patch, values: NDArray[np.float64], ticks: int, rate: float) -> tuple[Modulation, Layout]:
    """The modulation of a patch standing at `values` (slots, then drawings), and where things are in it."""
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
    for column, name in enumerate(("low", "high", "smooth", "beats", "geometric", "faint")):
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
    table["led"] = table["current"]
    control[:] = table["current"][:, None, None]

    shaping = sorted(set(contours(patch).values()), key=place.__getitem__)

    def steps(shared: bool) -> NDArray[np.int32]:
        found = [
            (node.kind, place[node.key] if node.kind == MOVER else at[node.key])
            for node in order.nodes
            if (node in order.shared) == shared
        ]
        return np.array(found, np.int32).reshape(-1, 2)

    modulation = Modulation(
        slots=table,
        movers=np.array([_mover_record(patch, key, layout, order) for key in ids], MOVER_RECORD),
        threads=np.array(threads, THREAD_RECORD),
        shared=steps(True),
        noted=steps(False),
        contours=np.array([place[key] for key in shaping], np.int32),
        closes=np.array([_closes(patch.modulators[key]) for key in shaping], np.int32),
        levels=np.zeros((len(shaping), ROWS, ticks + 1), np.float32),
        closing=np.ones((len(shaping), ROWS)),
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
    return modulation, layout


def _closes(modulator: Modulator) -> int:
    """How a level over time that goes by a modulator comes to its end."""
    if modulator.kind == "envelope":
        return BY_ITSELF
    return AT_END if modulator.kind == "curve" and not modulator.shared() else WITH_KEY


def _nature(param: Parameter) -> tuple[float, float, bool, int, bool, bool]:
    """Lowest and highest value of a parameter, whether it is smoothed, counted in beats, moved by ratios, and whether its low
    end is silence."""
    if not isinstance(param, Param):
        return 0.0, 1e9, param.smooth, NOT_BEATS, False, False
    beats = NOT_BEATS if not param.beats else BEATS_OF_RATE if param.unit is RATE else BEATS_OF_TIME
    faint = param.unit is DECIBELS and param.low <= NOTHING
    beyond = TURNS * (param.high - param.low) if param.wraps else 0.0
    return param.low - beyond, param.high + beyond, param.smooth, beats, param.unit.geometric, faint


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
        return CODES[key], layout.at[PLAYER_SOURCES[key].goes_by or "tempo"], both, 0, *[-1] * 3, 0, 0
    if key in patch.macros:
        ends = (layout.at[f"macros.{key}.{end}"] for end in ("low", "high"))
        return CODES["macro"], layout.at[f"macros.{key}"], both, 0, *ends, -1, 0, 0
    modulator = patch.modulators[key]
    first = layout.at[f"modulators.{key}.{next(iter(modulator.params))}"]
    drawn = next((layout.drawn[f"modulators.{key}.{name}"] for name in modulator.drawings), 0)
    reads = [getattr(modulator, field) for field in modulator.inputs] + [""] * 3
    heard = {"out": OUT, "rack": BEFORE_RACK} | {layer: FIRST_LAYER + n for n, layer in enumerate(patch.layers)}
    late = sum(1 << n for n, other in enumerate(reads[:3]) if (Node(MOVER, key), Node(MOVER, other)) in order.late)
    anew = getattr(modulator, "start", "") == "first note"
    inputs = [heard.get(name, -1) if modulator.places(patch.layers) else _index(layout, name) for name in reads[:3]]
    return CODES[str(modulator.kind)], first, both, drawn, *inputs, late, anew


def _index(layout: Layout, key: str) -> int:
    return layout.movers.index(key) if key in layout.movers else -1
