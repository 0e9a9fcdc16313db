"""Movement: every parameter as modulated, for all voices, tick by tick, in one kernel.

Column `t` of a control row is the value at tick `t`; kernels ramp from one column to the next. The
last column is the first of the next block. Row `GLOBAL` is the patch's own: effects read it, and
what is per note there is that of the newest note.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.params import Param, Parameter
from felt_dial.patch.patch import Patch, movers, slots
from felt_dial.patch.units import FACTOR, PERCENT, RATE
from felt_dial.sound.control.envelope import DONE, IN_SUSTAIN, STAGE, envelope_release, envelope_start, envelope_tick
from felt_dial.sound.control.lfo import FREE, START, lfo_tick
from felt_dial.sound.kernel import ROWS, TICK, kernel

GLOBAL = ROWS
SMOOTHING = 0.005
FADE = 0.005
IS_ENVELOPE, IS_LFO, IS_MACRO, IS_KEY, IS_VELOCITY, IS_WHEEL, IS_PRESSURE, IS_SLIDE = range(8)
KIND_CODES = {"envelope": IS_ENVELOPE, "lfo": IS_LFO}
PLAYER_CODES = {"k": IS_KEY, "v": IS_VELOCITY, "w": IS_WHEEL, "p": IS_PRESSURE, "sl": IS_SLIDE}
BEND_SLOT, WHEEL_SLOT = -2, -1
NOT_BEATS, BEATS_OF_TIME, BEATS_OF_RATE = range(3)
PLAIN, IN_SEMITONES, IN_FACTORS = range(3)
MOVER, SLOT = range(2)


SLOT_RECORD = np.dtype([
    ("low", "f8"), ("high", "f8"), ("target", "f8"), ("current", "f8"), ("smooth", "i4"), ("beats", "i4"),
    ("geometric", "i4"), ("moved", "i4"), ("filled", "i4"),
        ("since", "i4"), ("first_thread", "i4"), ("last_thread", "i4"),
])  # fmt: skip
MOVER_RECORD = np.dtype([("kind", "i4"), ("first", "i4"), ("both", "i4")])
THREAD_RECORD = np.dtype([("mover", "i4"), ("first", "i4"), ("late", "i4"), ("scale", "i4")])


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
    steps : int32 (step, 2)
        What is worked out each tick, in order: (MOVER, index) or (SLOT, index).
    contours : int32 (contour,)
        The movers that shape the level of some layer.
    base : float64 (slot, tick + 1)
        Values before threads.
    control : float32 (slot, row, tick + 1)
        Values after threads.
    moves : float32 (mover, row, tick + 1)
    state : float64 (mover, row, 4)
    gain : float32 (row, tick + 1)
        1, falling to 0 where a note is stolen; `fading` (row,) is where it stands.
    """

    slots: NDArray[np.void]
    movers: NDArray[np.void]
    threads: NDArray[np.void]
    steps: NDArray[np.int32]
    contours: NDArray[np.int32]
    base: NDArray[np.float64]
    control: NDArray[np.float32]
    moves: NDArray[np.float32]
    state: NDArray[np.float64]
    gain: NDArray[np.float32]
    fading: NDArray[np.float32]


def _order(mover_ids: list[str], moved_by: dict[str, set[str]]) -> list[str]:
    """Movers so that each comes after those that move its own parameters; loops stay in given order."""
    done: list[str] = []
    visiting: set[str] = set()

    def visit(key: str) -> None:
        if key in done or key in visiting:
            return
        visiting.add(key)
        for before in sorted(moved_by.get(key, ())):
            visit(before)
        done.append(key)

    for key in mover_ids:
        visit(key)
    return done


def make_motion(patch: Patch, values: NDArray[np.float64], ticks: int) -> tuple[Motion, dict[str, int], list[str]]:
    """The motion of a patch standing at `values` (slot,), the slot of each path, and the movers' ids."""
    listed = list(slots(patch))
    at = {slot.path: n for n, slot in enumerate(listed)}
    params = [slot.param for slot in listed]
    params += [Param("Bend", 0.0, (-1.0, 1.0), PERCENT, says=""), Param("Mod wheel", 0.0, (0.0, 1.0), PERCENT, says="")]
    ids = list(movers(patch))
    place = {key: n for n, key in enumerate(ids)}
    on_slot: dict[int, list[tuple[str, str]]] = {}
    moved_by: dict[str, set[str]] = {}
    for key, thread in patch.threads.items():
        on_slot.setdefault(at[thread.target], []).append((key, thread.source))
        moved_by.setdefault(_owner(thread.target), set()).add(thread.source)

    used = {thread.source for thread in patch.threads.values()} | {layer.contour for layer in patch.layers.values()}
    steps: list[tuple[int, int]] = []
    late: set[tuple[int, str]] = set()
    seen: set[str] = set()
    for key in _order([key for key in ids if key in used], moved_by):
        for slot in (s for s in on_slot if _owner(listed[s].path) == key):
            steps.append((SLOT, slot))
            late |= {(slot, source) for _, source in on_slot[slot] if source not in seen}
        steps.append((MOVER, place[key]))
        seen.add(key)
    steps += [(SLOT, slot) for slot in on_slot if not _owner(listed[slot].path)]

    table = np.zeros(len(params), SLOT_RECORD)
    natures = [_nature(param) for param in params]
    for column, name in enumerate(("low", "high", "smooth", "beats", "geometric")):
        table[name] = [nature[column] for nature in natures]
    table["target"][: len(listed)] = values[: len(listed)]
    threads: list[tuple[int, int, int, int]] = []
    for slot, ends in on_slot.items():
        unit = listed[slot].param.unit  # type: ignore[attr-defined]
        scale = PLAIN if not unit.geometric else IN_FACTORS if unit.depth is FACTOR else IN_SEMITONES
        table["moved"][slot], table["first_thread"][slot] = 1, len(threads)
        threads += [(place[source], at[f"threads.{key}.on"], (slot, source) in late, scale) for key, source in ends]
        table["last_thread"][slot] = len(threads)

    tempo = table["target"][at["tempo"]]
    table["current"] = table["target"]
    for counted in np.flatnonzero((table["beats"] != NOT_BEATS) & (table["target"] < 0.0)):
        record = table[counted]
        record["current"] = _settle(record["target"], record["beats"], record["low"], record["high"], tempo)
    control = np.zeros((len(table), ROWS + 1, ticks + 1), np.float32)
    control[:] = table["current"][:, None, None]
    motion = Motion(
        slots=table,
        movers=np.array([_mover_record(patch, key, at) for key in ids], MOVER_RECORD),
        threads=np.array(threads, THREAD_RECORD),
        steps=np.array(steps, np.int32).reshape(-1, 2),
        contours=np.array(sorted({place[layer.contour] for layer in patch.layers.values()}), np.int32),
        base=np.zeros((len(table), ticks + 1)),
        control=control,
        moves=np.zeros((len(ids), ROWS + 1, ticks + 1), np.float32),
        state=np.zeros((len(ids), ROWS + 1, 4)),
        gain=np.zeros((ROWS, ticks + 1), np.float32),
        fading=np.zeros(ROWS, np.float32),
    )
    return motion, at, ids


def _nature(param: Parameter) -> tuple[float, float, bool, int, bool]:
    """Lowest and highest value of a parameter, whether it is smoothed, counted in beats, moved by ratios."""
    if not isinstance(param, Param):
        return 0.0, 1e9, param.smooth, NOT_BEATS, False
    beats = NOT_BEATS if not param.beats else BEATS_OF_RATE if param.unit is RATE else BEATS_OF_TIME
    return param.low, param.high, param.smooth, beats, param.unit.geometric


def _owner(path: str) -> str:
    """The modulator that a path belongs to, empty for any other."""
    steps = path.split(".")
    return steps[1] if steps[0] == "modulators" else ""


def _mover_record(patch: Patch, key: str, at: dict[str, int]) -> tuple[int, int, bool]:
    if key in patch.modulators:
        modulator = patch.modulators[key]
        first = at[f"modulators.{key}.{next(iter(modulator.params))}"]
        return KIND_CODES[modulator.kind], first, modulator.both_ways  # type: ignore[attr-defined]
    return PLAYER_CODES.get(key, IS_MACRO), at.get(f"macros.{key}", 0), key == "k"


@kernel
def _settle(target, beats, low, high, tempo):  # type: ignore[no-untyped-def]
    if beats == NOT_BEATS or target >= 0.0:
        return target
    seconds = -target * 60.0 / tempo
    return min(max(1.0 / seconds if beats == BEATS_OF_RATE else seconds, low), high)


@kernel
def _fill(slots, base, control, tempo, follow):  # type: ignore[no-untyped-def]
    """Base values of this block, smoothed; what no thread moves goes straight into its control rows."""
    columns = base.shape[1]
    for s in range(slots.shape[0]):
        goal = _settle(slots[s].target, slots[s].beats, slots[s].low, slots[s].high, tempo)
        value = slots[s].current
        if value == goal and slots[s].filled != 0:
            slots[s].since = 0
            continue
        still = value == goal
        smooth = slots[s].smooth != 0
        base[s, 0] = value if smooth else goal
        for t in range(1, columns):
            if t <= slots[s].since:
                pass
            elif smooth:
                value += (goal - value) * follow
                if abs(goal - value) <= 1e-5 * (abs(goal) + 1e-3):
                    value = goal
            else:
                value = goal
            base[s, t] = value
        slots[s].current, slots[s].since = value, 0
        slots[s].filled = 1 if still else 0
        if slots[s].moved == 0:
            for row in range(ROWS + 1):
                for t in range(columns):
                    control[s, row, t] = np.float32(base[s, t])


@kernel(inline=True)
def _mover(kind, first, m, control, moves, state, row, t, seconds, key, velocity, touch, newest, begins):  # type: ignore[no-untyped-def]
    if kind == IS_MACRO:
        return np.float64(control[first, row, t])
    if kind == IS_WHEEL:
        return np.float64(control[control.shape[0] + WHEEL_SLOT, row, t])
    leads = row == GLOBAL
    if kind == IS_LFO:
        if begins and not leads:
            state[m, row, 0] = 0.0
        if not leads or newest < 0 or control[first + START, row, t] == FREE:
            return lfo_tick(state, control, first, m, row, GLOBAL, t, seconds)
    if leads:
        if newest < 0:
            return 0.0
        if kind not in (IS_KEY, IS_VELOCITY):
            return np.float64(moves[m, newest, max(t - 1, 0)])
        row = newest
    if kind == IS_KEY:
        return min(max((np.float64(key[row]) - 60.0) / 60.0, -1.0), 1.0)
    if kind == IS_VELOCITY:
        return np.float64(velocity[row])
    if kind >= IS_PRESSURE:
        if begins:
            state[m, row, 0] = touch[row]
        state[m, row, 0] += (touch[row] - state[m, row, 0]) * (1.0 - math.exp(-seconds / SMOOTHING))
        return state[m, row, 0]
    if begins:
        envelope_start(state, m, row)
    return envelope_tick(state, control, first, m, row, t, seconds)


@kernel(inline=True)
def _slot(slots, movers, threads, base, control, moves, s, row, t):  # type: ignore[no-untyped-def]
    total = 0.0
    for n in range(slots[s].first_thread, slots[s].last_thread):
        m, first = threads[n].mover, threads[n].first
        if control[first, row, t] < 0.5:
            continue
        x = np.float64(moves[m, row, max(t - 1, 0) if threads[n].late != 0 else t])
        both = control[first + 1, row, t] > 0.5
        if both and movers[m].both == 0:
            x = 2.0 * x - 1.0
        elif movers[m].both != 0 and not both:
            x = 0.5 * (x + 1.0)
        depth = np.float64(control[first + 2, row, t])
        if threads[n].scale == IN_SEMITONES:
            depth = depth / np.float64(12.0)
        elif threads[n].scale == IN_FACTORS:
            depth = np.float64(math.log2(depth))
        total += depth * x
    value = base[s, t] * 2.0**total if slots[s].geometric != 0 else base[s, t] + total
    return min(max(value, slots[s].low), slots[s].high)


@kernel
def run_movement(  # type: ignore[no-untyped-def]
    slots, movers, threads, steps, contours, base, control, moves, state, gain, fading,
    key, velocity, pressure, slide, active, start, release, fade, through, shaped, finished, newest, tempo, rate,
):  # fmt: skip
    """Fills `control`, `moves` and `gain` for one block; returns how many rows have `finished`.

    `start`, `release`, `fade` : int32 (row,), the tick of this block at which the note begins, is
    let go, or begins to fade because it was stolen; −1 where it does not. `through` (row,) says that
    the note stays at no sustain: its release follows the decay. `shaped` (contour, row) says which
    contours shape some layer of the note: it ends when they have.
    """
    ticks = base.shape[1] - 1
    seconds = TICK / rate
    _fill(slots, base, control, tempo, 1.0 - math.exp(-seconds / SMOOTHING))
    for i in range(-1, active.shape[0]):
        row = GLOBAL if i < 0 else active[i]
        if row == GLOBAL or start[row] < 0:
            for n in range(steps.shape[0]):
                if steps[n, 0] == SLOT:
                    control[steps[n, 1], row, 0] = control[steps[n, 1], row, ticks]
                else:
                    moves[steps[n, 1], row, 0] = moves[steps[n, 1], row, ticks]
    for t in range(ticks + 1):
        for i in range(-1, active.shape[0]):
            row = GLOBAL if i < 0 else active[i]
            begins = row != GLOBAL and start[row] == t
            if row != GLOBAL and t < start[row]:
                continue
            if t > 0 or begins:
                since = 0.0 if begins else seconds
                for n in range(steps.shape[0]):
                    index = steps[n, 1]
                    if steps[n, 0] == SLOT:
                        value = _slot(slots, movers, threads, base, control, moves, index, row, t)
                        control[index, row, t] = np.float32(value)
                    else:
                        kind, first = movers[index].kind, movers[index].first
                        touch = pressure if kind == IS_PRESSURE else slide
                        value = _mover(
                            kind, first, index, control, moves, state, row, t, since, key, velocity, touch, newest,
                            begins,
                        )  # fmt: skip
                        moves[index, row, t] = np.float32(value)
            if begins:
                for n in range(steps.shape[0]):
                    for before in range(t):
                        if steps[n, 0] == SLOT:
                            control[steps[n, 1], row, before] = control[steps[n, 1], row, t]
                        else:
                            moves[steps[n, 1], row, before] = moves[steps[n, 1], row, t]
            if row != GLOBAL and (release[row] == t or through[row]):
                for m in range(movers.shape[0]):
                    if movers[m].kind == IS_ENVELOPE and (release[row] == t or state[m, row, STAGE] == IN_SUSTAIN):
                        envelope_release(state, m, row)
    ended = 0
    for row in active:
        level = fading[row] if start[row] < 0 else np.float32(1.0)
        falls = level < 1.0
        for t in range(ticks + 1):
            gain[row, t] = level
            if fade[row] == t:
                falls = True
            if falls and t < ticks:
                level = max(level - np.float32(seconds / FADE), np.float32(0.0))
        fading[row] = gain[row, ticks]
        over = True
        for c in range(contours.shape[0]):
            if shaped[c, row] and state[contours[c], row, STAGE] != DONE:
                over = False
        finished[row] = over or fading[row] <= 0.0
        ended += finished[row]
    return ended
