"""Grains: when they begin, and the sum of those that sound."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.kernel import Stage, inner, kernel
from felt_dial.sound.playing.kernels.counted_chance import chance
from felt_dial.sound.sources.core.travel import POINTS, drawn
from felt_dial.sound.sources.grains import BORN, CLOCK, LEFT_ALIVE, MOVED, NEXT, PLACE, RAN, THINNED, Grains
from felt_dial.sound.sources.kernels.core.notes import lot_of, plays_all
from felt_dial.sound.sources.kernels.core.recording_reader import Recording, octave_of, read_run, recording_of
from felt_dial.sound.sources.kernels.sample import root_frequency

MOST, LEAVING = 512, 64
"""Grains of one note, and room for those that give way to others."""
GIVES_WAY = 0.005
"""Seconds in which a grain that gives way fades."""


(
    POSITION,
    SIZE,
    RATE_AT,
    COUNT_AT,
    WINDOW,
    SPEED_AT,
    PASSES,
    LOOP_START,
    LOOP_END,
    BY_PLACE,
    BY_PITCH,
    BY_PAN,
    BY_SIZE,
    BY_LEVEL,
    LENGTH,
    ROOT,
    CENTS_AT,
    SCAN,
    DENSE,
    WAY,
    BEGINS,
    TRACK,
) = (Grains.row_of(name) for name in Grains.params)
BY_SPEED, BY_PASSES, BY_TRAVEL = range(3)
EACH_NOTE, FIRST_OF_LINE, FREE = range(3)
AT, RATIO, AGE, LIFE, LEFT, RIGHT, EASE, GOES = range(8)
ALIVE, CAP, COUNTED, ASKED, ASKING, BLOCK = range(6)
"""What layers share, see `GrainsState.shared`."""
CHANCE_GRAIN = 50_000_000


@kernel(inline=True)
def _folded_into(place, low, high, way):
    """A place brought into the loop window, going round or there and back."""
    length = max(high - low, 1.0)
    if low <= place <= high:
        return place
    x = (place - low) / length
    if way > 0.5:
        x = x - 2.0 * math.floor(x / 2.0)
        return low + length * (x if x <= 1.0 else 2.0 - x)
    return low + length * (x - math.floor(x))


@inner
def _move(control, row, t, seconds, size, rate, clocks, curve):
    """Moves a note's place on by a tick and returns it, in frames."""
    scan = int(control[SCAN, row, t])
    low = np.float64(control[LOOP_START, row, t]) * (size - 1)
    high = np.float64(control[LOOP_END, row, t]) * (size - 1)
    if low > high:
        low, high = high, low
    if scan == BY_TRAVEL:
        clock = clocks[clocks.shape[0] - 1, CLOCK] if control[BEGINS, row, t] == FREE else clocks[row, CLOCK]
        x = clock / np.float64(control[LENGTH, row, t])
        x = min(x, 1.0) if control[BEGINS, row, t] != FREE else x - math.floor(x)
        place = x * POINTS
        i = min(int(place), POINTS - 1)
        found = np.float64(curve[i]) + (place - i) * np.float64(curve[i + 1] - curve[i])
        clocks[row, CLOCK] += seconds
        return low + (high - low) * found
    speed = np.float64(control[SPEED_AT, row, t]) * rate
    if scan == BY_PASSES:
        speed = np.float64(control[PASSES, row, t]) * size
        speed = -speed if control[SPEED_AT, row, t] < 0.0 else speed
    place = np.float64(control[POSITION, row, t]) * (size - 1) + clocks[row, MOVED]
    clocks[row, MOVED] += speed * seconds
    if abs(clocks[row, MOVED]) > 1e9:
        clocks[row, MOVED] = 0.0
    return _folded_into(place, low, high, control[WAY, row, t]) if clocks[row, MOVED] != 0.0 else place


@inner
def _throw(control, row, t, note, place, size, rate, delay, grain, clocks, speed):
    """Begins a grain `delay` frames into the tick; every chance is counted by the grains born before.

    It begins no later than one grain before the end of the recording, and chance leaves it within the loop.
    """
    seed = CHANCE_GRAIN + 8 * np.int64(clocks[row, BORN])
    clocks[row, BORN] += 1.0
    life = np.float64(control[SIZE, row, t]) * rate
    life *= 1.0 + np.float64(control[BY_SIZE, row, t]) * (chance(note, seed) * 1.5 - 0.75)
    life = max(life, 64.0)
    reach = np.float64(control[BY_PLACE, row, t]) * (size - 1)
    pitch = np.float64(control[BY_PITCH, row, t]) * (2.0 * chance(note, seed + 2) - 1.0)
    pan = np.float64(control[BY_PAN, row, t]) * (2.0 * chance(note, seed + 3) - 1.0)
    softer = 10.0 ** (-np.float64(control[BY_LEVEL, row, t]) * chance(note, seed + 4) / 20.0)
    hard = np.float64(control[WINDOW, row, t])
    ease = max(0.5 * (1.0 - hard), 24.0 / life)
    power = 1.0 - 2.0 * ease * (1.0 - 13.0 / 35.0)
    per_second = np.float64(control[RATE_AT, row, t])
    if control[DENSE, row, t] > 0.5:
        per_second = np.float64(control[COUNT_AT, row, t]) * rate / life
    together = max(1.0, per_second * life / rate * power)
    level = softer / math.sqrt(together)
    grain[RATIO] = 2.0 ** (pitch / 12.0)
    last = max(size - 1.0 - life * min(speed * grain[RATIO], 256.0), 0.0)
    place = min(max(place, 0.0), last)
    begin, end = (
        np.float64(control[LOOP_START, row, t]) * (size - 1),
        np.float64(control[LOOP_END, row, t]) * (size - 1),
    )
    low = max(place - reach, min(begin, end, place), 0.0)
    high = max(min(place + reach, max(begin, end, place), last), low)
    grain[AT] = low + (high - low) * chance(note, seed + 1)
    grain[AGE], grain[LIFE], grain[EASE] = -delay, life, ease * life
    grain[LEFT] = level * math.sqrt(2.0) * math.cos((pan + 1.0) * math.pi / 4)
    grain[RIGHT] = level * math.sqrt(2.0) * math.sin((pan + 1.0) * math.pi / 4)
    grain[GOES] = 0.0


@inner
def _make_room(state, rows, rate):
    """Lets the grain with the least left to sound fade from where it stands: the oldest and softest of these notes.

    False where none of them sounds.
    """
    least, at, which = np.inf, -1, -1
    for row in rows:
        for g in range(state.alive[row]):
            age, left, right = state.grains[row, g, AGE], state.grains[row, g, LEFT], state.grains[row, g, RIGHT]
            to_come = (state.grains[row, g, LIFE] - age) * (left * left + right * right)
            if state.grains[row, g, GOES] == 0.0 and age >= 0.0 and to_come < least:
                least, at, which = to_come, row, g
    if at < 0:
        return False
    age, life, ease = state.grains[at, which, AGE], state.grains[at, which, LIFE], state.grains[at, which, EASE]
    stands = min(min(age, life - age) / ease, 1.0)
    fade = min(ease, GIVES_WAY * rate)
    state.grains[at, which, LIFE], state.grains[at, which, EASE] = age + stands * fade, fade
    state.grains[at, which, GOES] = 1.0
    state.going[at] += 1
    state.shared[ALIVE] -= 1
    return True


class GrainsState(NamedTuple):
    """The recording, and what every note stands at.

    Attributes
    ----------
    curve : float32 (place,)
        The travel curve.
    shared : float64 (6,)
        How many grains sound in the whole patch, how many may, and how many this block left sounding so far; how many all
        notes asked for in the block before, and so far in this one; which block it is.
    grains : float64 (row, grain, 8)
    alive, going : int64 (row,)
        How many of them sound, and how many of those give way.
    crowd : float64 (3,)
        The block in which the layer ran last, how many grains it left sounding, and by what it begins them less often.
    clocks : float64 (row + 1, 6)
        When the next grain begins, were there room for all; how far the place has moved, the time, grains born, the place.
        The last row is the clock of a curve that runs freely.
    where, left, right : (tick,)
        Room for the places of a grain, and for both sides of it.
    """

    recording: Recording
    curve: NDArray[np.float32]
    shared: NDArray[np.float64]
    grains: NDArray[np.float64]
    alive: NDArray[np.int64]
    going: NDArray[np.int64]
    crowd: NDArray[np.float64]
    clocks: NDArray[np.float64]
    where: NDArray[np.float64]
    left: NDArray[np.float32]
    right: NDArray[np.float32]


def prepare_grains(module: Grains, stage: Stage) -> GrainsState:
    """The recording, the travel curve, and the state of no note."""
    return GrainsState(
        recording=recording_of(module.asset, stage.rate),
        curve=drawn(module.curve),
        shared=stage.grains,
        grains=np.zeros((stage.rows, MOST + LEAVING, 8)),
        alive=np.zeros(stage.rows, np.int64),
        going=np.zeros(stage.rows, np.int64),
        crowd=np.array([-1.0, 0.0, 1.0]),
        clocks=np.zeros((stage.rows + 1, 6)),
        where=np.zeros(stage.tick),
        left=np.zeros(stage.tick, np.float32),
        right=np.zeros(stage.tick, np.float32),
    )


def at_rate(state: GrainsState, finer: float) -> None:
    """Places and ages are frames, of the recording and of the sound."""
    state.grains[:, :, [AT, AGE, LIFE, EASE]] *= finer
    state.clocks[:, [NEXT, MOVED, PLACE]] *= finer


@inner
def _begin_block(state, active, begin):
    """Counts what sounds in the patch as this layer begins: without what ended or begins anew since it ran last."""
    if state.crowd[RAN] == state.shared[BLOCK] - 1.0:
        state.shared[ALIVE] -= state.crowd[LEFT_ALIVE]
    for row in active:
        if begin[0, row] >= 0:
            state.alive[row] = state.going[row] = 0
        state.shared[ALIVE] += state.alive[row] - state.going[row]
    state.crowd[RAN], state.crowd[THINNED] = state.shared[BLOCK], 1.0


@plays_all(Grains, prepare_grains, GrainsState, at_rate)
@kernel
def run_grains(notes, state):
    """Replaces `out[row]` for every active row, tick by tick for all notes: they share how many grains may sound.

    Where they ask for more, all of them begin grains less often; what sounds from before gives way.
    """
    out, frequency, turn, control, tick, rate, active, begin = (
        notes.out,
        notes.frequency,
        notes.turn,
        notes.control,
        notes.tick,
        notes.rate,
        notes.active,
        notes.begin,
    )
    recording = state.recording
    ticks = frequency.shape[1] - 1
    size = np.float64(recording.sizes[0])
    free = state.clocks.shape[0] - 1
    zero = np.float32(0.0)
    _begin_block(state, active, begin)
    for t in range(ticks):
        state.clocks[free, CLOCK] += tick / rate
        for i in range(active.shape[0]):
            row = active[i]
            first = max(begin[0, row], 0)
            for n in range(t * tick, (t + 1) * tick):
                out[row, 0, n] = out[row, 1, n] = zero
            if t < first:
                continue
            note = lot_of(notes, row)
            if begin[0, row] == t:
                state.clocks[row, NEXT] = state.clocks[row, MOVED] = state.clocks[row, BORN] = 0.0
                clock = 0.0
                if control[BEGINS, row, t] == FIRST_OF_LINE:
                    for other in active:
                        if other != row and begin[0, other] < 0:
                            clock = max(clock, state.clocks[other, CLOCK])
                state.clocks[row, CLOCK] = clock
            place = _move(control, row, t, tick / rate, size, rate, state.clocks, state.curve)
            state.clocks[row, PLACE] = place
            apart = rate / max(np.float64(control[RATE_AT, row, t]), 1e-3)
            if control[DENSE, row, t] > 0.5:
                apart = np.float64(control[SIZE, row, t]) * rate / max(np.float64(control[COUNT_AT, row, t]), 1e-3)
            apart = max(apart, rate / 4000.0)
            asks = np.float64(control[SIZE, row, t]) * rate / apart
            thinned = max(state.shared[ASKED] / state.shared[CAP], asks / MOST, 1.0)
            if t == ticks - 1:
                state.shared[ASKING] += asks
                state.crowd[THINNED] = max(state.crowd[THINNED], thinned)
            root = root_frequency(control, ROOT, CENTS_AT, TRACK, row, t)
            pitch = 0.5 * np.float64(frequency[row, t] + frequency[row, t + 1]) / root
            while state.clocks[row, NEXT] * thinned < tick:
                has_room = True
                if state.alive[row] - state.going[row] >= MOST:
                    has_room = _make_room(state, active[i : i + 1], rate)
                elif state.shared[ALIVE] >= state.shared[CAP]:
                    has_room = _make_room(state, active, rate)
                if has_room and state.alive[row] < state.grains.shape[1]:
                    _throw(
                        control,
                        row,
                        t,
                        note,
                        place,
                        size,
                        rate,
                        state.clocks[row, NEXT] * thinned,
                        state.grains[row, state.alive[row]],
                        state.clocks,
                        pitch,
                    )
                    state.alive[row] += 1
                    state.shared[ALIVE] += 1
                state.clocks[row, NEXT] += apart
            state.clocks[row, NEXT] -= tick / thinned
            g = 0
            while g < state.alive[row]:
                speed = min(pitch * state.grains[row, g, RATIO], 256.0)
                octave, cut = octave_of(speed, recording.sizes.shape[0])
                at, age, life, ease = (
                    state.grains[row, g, AT],
                    state.grains[row, g, AGE],
                    state.grains[row, g, LIFE],
                    state.grains[row, g, EASE],
                )
                skip = min(int(math.ceil(max(-age, 0.0))), tick)  # noqa: RUF046  (the compiler's ceil gives a float)
                late = min(age, 0.0)
                last = min(tick, int(life - age))
                for k in range(skip, last):
                    state.where[k - skip] = at + (late + k) * speed
                if turn.shape[0] > 0:
                    for k in range(skip, last):
                        state.where[k - skip] += np.float64(turn[row, t * tick + k]) * rate / root
                read_run(recording, cut, octave, state.where, last - skip, state.left, state.right)
                to_left, to_right = np.float32(state.grains[row, g, LEFT]), np.float32(state.grains[row, g, RIGHT])
                steep, three = np.float32(1.0 / ease), np.float32(3.0)
                since, until = np.float32(age + skip), np.float32(life - age - skip)
                at_left, at_right = out[row, 0, t * tick + skip :], out[row, 1, t * tick + skip :]
                for k in range(np.uint64(last - skip)):
                    x = min(min(since + np.float32(k), until - np.float32(k)) * steep, np.float32(1.0))
                    w = x * x * (three - x - x)
                    at_left[k] += state.left[k] * w * to_left
                    at_right[k] += state.right[k] * w * to_right
                age += tick
                if age >= life:
                    gives_way = state.grains[row, g, GOES] > 0.0
                    state.alive[row] -= 1
                    state.going[row] -= 1 if gives_way else 0
                    state.shared[ALIVE] -= 0 if gives_way else 1
                    for k in range(8):
                        state.grains[row, g, k] = state.grains[row, state.alive[row], k]
                    continue
                state.grains[row, g, AT] = at + (tick + late) * speed
                state.grains[row, g, AGE] = age
                g += 1
    state.crowd[LEFT_ALIVE] = 0.0
    for row in active:
        state.crowd[LEFT_ALIVE] += state.alive[row] - state.going[row]
    state.shared[COUNTED] += state.crowd[LEFT_ALIVE]
