"""Recordings: where each note is, its loop, and reading it."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.kernel import Stage, inner, kernel
from felt_dial.sound.playing.kernels.counted_chance import chance
from felt_dial.sound.sources.core.unison import MOST
from felt_dial.sound.sources.kernels.core.notes import lot_of, plays_each
from felt_dial.sound.sources.kernels.core.recording_reader import Recording, octave_of, read_run, recording_of
from felt_dial.sound.sources.kernels.core.unison import (
    LEFT,
    RATIO,
    RIGHT,
    WAS_LEFT,
    WAS_RIGHT,
    UnisonState,
    unison_state,
    unison_tick,
)
from felt_dial.sound.sources.sample import Sample

NO_LOOP, FORWARD, BACKWARD, ALTERNATE = range(4)
EASE = 48
"""Frames over which a sample that is cut comes in and goes out."""
CALM = 5.0
"""Hz below which a sample that is slowed down loses what stands still."""
SEAM = 64.0
"""Least frames of a loop's crossfade."""
STANDS = 1e-4
"""Part of its speed at which what is slowed down stands, and is over."""
LISTENED, LEAST_ALIKE = 256, -0.96
"""Frames by which it is known how alike both sides of a crossfade are, and where that ends: they are kept level by it."""
AROUND, TOP, BOTTOM = range(3)
"""Where it fades: from the end to the beginning, or at a turn."""
LEAPS = 6
"""Or from one loop into another, by `LEAP` frames."""
LEAP = 384.0
LOW, HIGH, LEFT_OVER, OLD, OLD_WAY, ASKED_LOW, ASKED_HIGH = range(7)


(START, END, CHANCE, FLOOR, LOOP_START, LOOP_END, FADE, SLOW, ROOT, CENTS_AT, LOOP, TRACK, REVERSE, ONE_SHOT) = (
    Sample.row_of(name)
    for name in (
        "start",
        "end",
        "chance",
        "floor",
        "loop_start",
        "loop_end",
        "fade",
        "slow",
        "root",
        "cents",
        "loop",
        "track",
        "reverse",
        "one_shot",
    )
)
FIRST, LAST = range(2)
ONWARD, AGAIN, BACK, ROUND = 1, 2, -1, -2
"""Directions: ahead for the first time, ahead after a turn, back after a turn, back after the loop went round."""
CHANCE_BEGIN = 40_000_000


@kernel
def root_frequency(control, root, cents, track, row, t):
    """Hertz at which a recording keeps its pitch; without key tracking every note asks for A4."""
    if control[track, row, t] < 0.5:
        return 440.0
    steps = np.float64(control[root, row, t]) + 0.01 * np.float64(control[cents, row, t]) - 69.0
    return 440.0 * 2.0 ** (steps / 12.0)


@kernel
def _bounds(control, row, t, size, note, ends):
    """First and last frame of a note into `ends`, chance included."""
    last = np.float64(control[END, row, t])
    start = np.float64(control[START, row, t])
    reach = np.float64(control[CHANCE, row, t])
    if reach > 0.0:
        low = max(start - reach, np.float64(control[FLOOR, row, t]), 0.0)
        high = max(min(start + reach, last, 1.0), low)
        start = low + (high - low) * chance(note, CHANCE_BEGIN)
    start = np.float64(min(max(start, 0.0), 1.0))
    ends[row, FIRST] = min(start, last) * (size - 1)
    ends[row, LAST] = max(last, start) * (size - 1)


@kernel
def _plain(loop, direction, low, high, seam, room):
    """Between which places a voice plays on without a crossfade, and `room` frames further; the second is lower for none."""
    if loop == FORWARD:
        return (-1e18, high - seam - room) if direction > 0 else (low + room, 1e18)
    if direction == ONWARD:
        return -1e18, high - seam - room
    return low + seam + room, high - seam - room


@inner
def _hold_loop(held, loop, direction, place, low, high, fade, ahead, tick, fresh):
    """The loop that a voice goes round in now, into `held`: the one that is set, as soon as that makes no step.

    Within a crossfade the loop stays what it was. Where the new one leaves out the place that is played, the voice goes over
    into it in `LEAP` frames: its place after, which is returned. One that is too short for that is taken over once it stands.
    """
    stands = held[ASKED_LOW] == low and held[ASKED_HIGH] == high
    held[ASKED_LOW], held[ASKED_HIGH] = low, high
    if fresh or held[HIGH] <= 0.0:
        held[LOW], held[HIGH], held[LEFT_OVER] = low, high, 0.0
        return place
    if held[LEFT_OVER] > 0.0 or (held[LOW] == low and held[HIGH] == high):
        return place
    was = held[HIGH] - held[LOW]
    first, last = _plain(loop, direction, held[LOW], held[HIGH], _seam(fade, was), 2.0 * ahead * tick)
    if not first <= place <= last:
        return place
    seam = _seam(fade, high - low)
    first, last = _plain(loop, direction, low, high, seam, 2.0 * ahead * tick)
    if not first <= place <= last:
        first, last = _plain(loop, direction, low, high, seam, (LEAP + tick) * ahead)
        first, last = max(first, low), min(last, high)
        if first + 1.0 < last:
            held[LEFT_OVER], held[OLD], held[OLD_WAY] = LEAP, place, 1.0 if direction > 0 else -1.0
            place -= (last - first) * math.floor((place - first) / (last - first))
        elif not stands:
            return place
    held[LOW], held[HIGH] = low, high
    return place


@kernel
def _seam(fade, length):
    """Frames of the crossfade of a loop."""
    return min(max(np.float64(fade) * length, SEAM), 0.5 * length)


@inner
def _travel(control, row, t, state, u, speed, size, begins):
    """Places of a voice in a tick, and those that fade in at the end of a loop; returns its place and direction after.

    Where the way turns back it does so half a crossfade before the end of the loop: on either side of the turn both
    directions are heard, as much of each as the other is far from it. A loop that is moved until nothing is left of it stays
    what it was.
    """
    place, direction = state.place[row, u], state.direction[row, u]
    where, other, share, kind = state.where[0], state.where[1], state.lines[4], state.lines[5]
    tick = where.shape[0]
    loop = int(control[LOOP, row, t])
    low = np.float64(control[LOOP_START, row, t]) * (size - 1)
    high = np.float64(control[LOOP_END, row, t]) * (size - 1)
    held = state.held[row, u]
    if high - low < 16.0 and held[HIGH] > 0.0 and not begins:
        low, high = held[LOW], held[HIGH]
    if control[ONE_SHOT, row, t] > 0.5 or high - low < 16.0:
        loop = NO_LOOP
    if loop == NO_LOOP:
        held[HIGH] = held[LEFT_OVER] = 0.0
    else:
        place = _hold_loop(held, loop, direction, place, low, high, control[FADE, row, t], speed, tick, begins)
        low, high = held[LOW], held[HIGH]
    length = high - low
    seam = _seam(control[FADE, row, t], length)
    half = 0.5 * seam
    for k in range(tick):
        where[k], other[k], share[k], kind[k] = place, place, np.float32(0.0), np.float32(AROUND)
        ahead = 1.0 if direction > 0 else -1.0
        if (loop == FORWARD and direction > 0) or (loop == BACKWARD and direction < 0):
            into = place - (high - seam) if direction > 0 else (low + seam) - place
            if into > 0.0:
                share[k] = np.float32(min(into / seam, 1.0))
                other[k] = place - ahead * length
        if loop == ALTERNATE or (loop == BACKWARD and direction != ROUND):
            top, bottom = high - half, low + half
            near = top if loop == BACKWARD or place > 0.5 * (low + high) else bottom
            if abs(place - near) < half and direction != (ROUND if near == top else ONWARD):
                share[k] = np.float32((half - abs(place - near)) / seam)
                other[k] = 2.0 * near - place
                kind[k] = np.float32(TOP if near == top else BOTTOM)
        if held[LEFT_OVER] > 0.0:
            part = np.float32(held[LEFT_OVER] / LEAP)
            share[k], other[k] = part * part * (np.float32(3.0) - part - part), held[OLD]
            kind[k] = np.float32(LEAPS)
            held[OLD] += held[OLD_WAY] * speed
            held[LEFT_OVER] -= 1.0
        place += ahead * speed
        if loop == NO_LOOP:
            continue
        if loop == ALTERNATE:
            if direction > 0 and place >= high - half:
                place, direction = max(2.0 * (high - half) - place, low + half), BACK
            elif direction < 0 and place <= low + half:
                place, direction = min(2.0 * (low + half) - place, high - half), AGAIN
        elif loop == FORWARD:
            if direction > 0 and place >= high:
                place -= length * math.floor((place - low) / length)
            elif direction < 0 and place <= low:
                place, direction = low, ONWARD
        elif direction < 0 and place <= low:
            place, direction = place + length * math.floor((high - place) / length), ROUND
        elif direction > 0 and place >= high - half:
            place, direction = max(2.0 * (high - half) - place, low), BACK
    return place, direction


@kernel
def _alike(recording, first, mirror, length, count):
    """Correlation of `count` frames from `first` on with those `length` earlier, or mirrored at `mirror`, −1 to 1."""
    start, size = recording.starts[0], recording.sizes[0]
    steps = min(LISTENED, int(count))
    both = one = other = 1e-12
    for j in range(steps):
        here = first + np.floor(count * j / steps)
        there = 2.0 * mirror - here if mirror >= 0.0 else here - length
        i = np.int64(np.floor(there))
        part = there - i
        k = np.int64(here)
        if i < 0 or i + 1 >= size or k < 0 or k >= size:
            continue
        for line in (recording.left, recording.right):
            a = np.float64(line[start + k])
            b = np.float64(line[start + i]) + part * (np.float64(line[start + i + 1]) - np.float64(line[start + i]))
            both, one, other = both + a * b, one + a * a, other + b * b
    return min(max(both / math.sqrt(one * other), LEAST_ALIKE), 1.0)


@kernel
def _know_seams(row, low, high, fade, recording, seams):
    """How alike what fades into each other is, found again where the loop is another; what it was found for is kept."""
    length = high - low
    seam = _seam(fade, length)
    if seams[row, 3] == low and seams[row, 4] == high and seams[row, 5] == seam:
        return
    seams[row, 3], seams[row, 4], seams[row, 5] = low, high, seam
    seams[row, AROUND] = _alike(recording, np.floor(high - seam), -1.0, length, seam)
    seams[row, TOP] = _alike(recording, np.floor(high - seam), high - 0.5 * seam, 0.0, seam)
    seams[row, BOTTOM] = _alike(recording, np.floor(low), low + 0.5 * seam, 0.0, seam)


class SampleState(NamedTuple):
    """The recording, and what every note stands at.

    Attributes
    ----------
    over : uint8 (row,)
        1 where a note has reached its end.
    place : float64 (row, voice)
        Frames of the first octave.
    direction : int32 (row, voice)
        `ONWARD`, `AGAIN`, `BACK` or `ROUND`.
    ends : float64 (row, 2)
        First and last frame of a note.
    where : float64 (2, tick)
        Room for places, and for those that fade in at the end of a loop.
    lines : float32 (6, tick)
        Room for both sides at both, and for how far one has faded into the other, and where.
    seams : float64 (row, 7)
        How alike what fades into each other is, around and at both turns, and the loop that this was found for; the last is
        for a leap into another loop, where nothing is alike.
    held : float64 (row, voice, 7)
        The loop that each voice goes round in, frames of its leap that are left, where the way before it is and goes, and the
        loop that was asked for a tick ago.
    mean : float64 (row, 2)
        Of both sides, followed below 5 Hz and taken off what is slowed down: it would become a standing pressure.
    age : float64 (row,)
        Seconds since each note began.
    """

    over: NDArray[np.uint8]
    recording: Recording
    place: NDArray[np.float64]
    direction: NDArray[np.int32]
    ends: NDArray[np.float64]
    unison: UnisonState
    where: NDArray[np.float64]
    lines: NDArray[np.float32]
    seams: NDArray[np.float64]
    held: NDArray[np.float64]
    mean: NDArray[np.float64]
    age: NDArray[np.float64]


def prepare_sample(module: Sample, stage: Stage) -> SampleState:
    """The recording, and the state of no note."""
    return SampleState(
        over=np.zeros(stage.rows, np.uint8),
        recording=recording_of(module.asset, stage.rate),
        place=np.zeros((stage.rows, MOST)),
        direction=np.zeros((stage.rows, MOST), np.int32),
        ends=np.zeros((stage.rows, 2)),
        unison=unison_state(stage.rows),
        where=np.zeros((2, stage.tick)),
        lines=np.zeros((6, stage.tick), np.float32),
        seams=np.concatenate([np.full((stage.rows, 6), -1.0), np.zeros((stage.rows, 1))], axis=1),
        held=np.zeros((stage.rows, MOST, 7)),
        mean=np.zeros((stage.rows, 2)),
        age=np.zeros(stage.rows),
    )


def at_rate(state: SampleState, finer: float) -> None:
    """Places are frames of the recording at the rate; the seams are found again by themselves."""
    for places in (state.place, state.ends):
        places *= finer
    state.held[:, :, [LOW, HIGH, OLD, ASKED_LOW, ASKED_HIGH]] *= finer


@plays_each(Sample, prepare_sample, SampleState, at_rate)
@kernel
def play_sample(notes, state, row, first_tick):
    """Plays one note of a recording.

    A layer that modulates this one moves the place it is read from: one cycle is one period at the root.
    """
    out, frequency, turn, control, tick, rate, begin = (
        notes.out,
        notes.frequency,
        notes.turn,
        notes.control,
        notes.tick,
        notes.rate,
        notes.begin,
    )
    recording, unison = state.recording, state.unison
    ticks = frequency.shape[1] - 1
    size = np.float64(recording.sizes[0])
    zero, one = np.float32(0.0), np.float32(1.0)
    note = lot_of(notes, row)
    for t in range(first_tick, ticks):
        begins = begin[0, row] == t
        alive = unison_tick(control, row, t, note, begins, unison)
        backwards = control[REVERSE, row, t] > 0.5
        if begins:
            state.over[row] = 0
            state.mean[row, 0] = state.mean[row, 1] = state.age[row] = 0.0
            _bounds(control, row, t, size, note, state.ends)
            for u in range(MOST):
                state.place[row, u] = state.ends[row, LAST] if backwards else state.ends[row, FIRST]
                state.direction[row, u] = ROUND if backwards else ONWARD
        first, last = state.ends[row, FIRST], state.ends[row, LAST]
        root = root_frequency(control, ROOT, CENTS_AT, TRACK, row, t)
        f0, f1 = np.float64(frequency[row, t]), np.float64(frequency[row, t + 1])
        for n in range(t * tick, (t + 1) * tick):
            out[row, 0, n] = out[row, 1, n] = zero
        loops = control[LOOP, row, t] > 0.5 and control[ONE_SHOT, row, t] < 0.5
        ended = not loops
        speed, slower = 1.0, 1.0
        slow = np.float64(control[SLOW, row, t])
        if slow > 0.0:
            slower = math.exp(-state.age[row] / slow)
            ended = ended or slower < STANDS
        state.age[row] += tick / rate
        for u in range(alive):
            speed = min(0.5 * (f0 + f1) * np.float64(unison.voice[row, u, RATIO]) / root * slower, 256.0)
            octave, cut = octave_of(speed, recording.sizes.shape[0])
            state.place[row, u], state.direction[row, u] = _travel(control, row, t, state, u, speed, size, begins)
            if turn.shape[0] > 0:
                for k in range(tick):
                    shift = np.float64(turn[row, t * tick + k]) * rate / root
                    state.where[0, k] += shift
                    state.where[1, k] += shift
            read_run(recording, cut, octave, state.where[0], tick, state.lines[0], state.lines[1])
            fades = False
            for k in range(tick):
                fades = fades or state.lines[4, k] > zero
            if fades:
                read_run(recording, cut, octave, state.where[1], tick, state.lines[2], state.lines[3])
                _know_seams(
                    row,
                    state.held[row, u, LOW],
                    state.held[row, u, HIGH],
                    control[FADE, row, t],
                    recording,
                    state.seams,
                )
                for k in range(tick):
                    part = state.lines[4, k]
                    alike = np.float32(state.seams[row, int(state.lines[5, k])])
                    crossed = part * (one - part)
                    same = one / math.sqrt(one - np.float32(2.0) * crossed * (one - alike))
                    state.lines[0, k] = same * (state.lines[0, k] + part * (state.lines[2, k] - state.lines[0, k]))
                    state.lines[1, k] = same * (state.lines[1, k] + part * (state.lines[3, k] - state.lines[1, k]))
            left, right = unison.voice[row, u, WAS_LEFT], unison.voice[row, u, WAS_RIGHT]
            more_left = (unison.voice[row, u, LEFT] - left) / np.float32(tick)
            more_right = (unison.voice[row, u, RIGHT] - right) / np.float32(tick)
            for k in range(tick):
                gain = one
                at = state.where[0, k]
                if not loops:
                    edge = min(at - first if first > 0.0 else 1e9, last - at if last < size - 1.0 else 1e9)
                    gain = np.float32(min(max(edge / EASE, 0.0), 1.0)) if edge < EASE else one
                elif not backwards and first > 0.0 and state.direction[row, u] > 0:
                    gain = np.float32(min(max((at - first + 1.0) / EASE, 0.0), 1.0)) if at < first + EASE else one
                out[row, 0, t * tick + k] += state.lines[0, k] * gain * (left + more_left * np.float32(k))
                out[row, 1, t * tick + k] += state.lines[1, k] * gain * (right + more_right * np.float32(k))
            there = state.place[row, u]
            onward = (state.direction[row, u] > 0 and there < last) or (state.direction[row, u] < 0 and there > first)
            if onward and slower >= STANDS:
                ended = False
        slowed = min(max(2.0 - 2.0 * speed, 0.0), 1.0)
        if slowed > 0.0:
            calm = 1.0 - math.exp(-2.0 * math.pi * CALM * slowed / rate)
            for side in range(2):
                mean = state.mean[row, side]
                for n in range(t * tick, (t + 1) * tick):
                    mean += (out[row, side, n] - mean) * calm
                    out[row, side, n] -= np.float32(mean)
                state.mean[row, side] = mean
        if ended:
            state.over[row] = 1
