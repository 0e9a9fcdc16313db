"""Grains: a recording as a cloud; pitch follows the key, time does not."""

from __future__ import annotations

import math
from typing import Annotated, Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BeforeValidator

from felt_dial.patch.asset import Asset
from felt_dial.patch.module import Source
from felt_dial.patch.params import LOG, Choice, Param, Switch
from felt_dial.patch.units import COUNT, DECIBELS, PERCENT, RATE, SECONDS, SEMITONES, SPEED
from felt_dial.sound.chance import chance
from felt_dial.sound.kernel import Stage, kernel, works_for
from felt_dial.sound.sources.recording import octave_of, read_run, recording_of
from felt_dial.sound.sources.sample import key_cents, key_root, root_frequency
from felt_dial.sound.sources.travel import POINTS, STRAIGHT, Curve, checked, drawn

MOST = 128
"""Grains of one note."""


class Grains(Source, kind="grains"):
    """A cloud of short pieces of a recording: its pitch follows the key, its time goes its own way."""

    position = Param("Position", 0.0, (0.0, 1.0), PERCENT, says="Where in the sample the cloud begins, or stands.")
    size = Param("Size", 0.08, (0.004, 2.0), SECONDS, taper=LOG, beats=True, says="How long a grain is.")
    rate = Param("Density", 40.0, (0.1, 1000.0), RATE, taper=LOG, beats=True, says="How many grains begin in a second.")
    count = Param(
        "Count", 4.0, (0.5, 64.0), COUNT, taper=LOG, says="How many grains sound at once, while they are counted."
    )
    window = Param("Window", 0.0, (0.0, 1.0), PERCENT, says="How hard a grain begins and ends: from soft to a cut.")
    speed = Param("Speed", 1.0, (-4.0, 4.0), SPEED, says="How fast the cloud moves through the sample; 0 stands still.")
    passes = Param(
        "Passes", 0.25, (0.01, 20.0), RATE, taper=LOG, beats=True, says="How often the whole sample goes by."
    )
    loop_start = Param("Loop start", 0.0, (0.0, 1.0), PERCENT, says="Where the way of the cloud begins again.")
    loop_end = Param("Loop end", 1.0, (0.0, 1.0), PERCENT, says="Where the way of the cloud turns or begins again.")
    by_place = Param("Place by", 0.01, (0.0, 1.0), PERCENT, says="How far each grain's place is left to chance.")
    by_pitch = Param("Pitch by", 0.0, (0.0, 24.0), SEMITONES, says="How far each grain's pitch is left to chance.")
    by_pan = Param("Pan by", 0.3, (0.0, 1.0), PERCENT, says="How far to the sides grains are thrown.")
    by_size = Param("Size by", 0.0, (0.0, 1.0), PERCENT, says="How far each grain's size is left to chance.")
    by_level = Param("Level by", 0.0, (0.0, 24.0), DECIBELS, says="How much softer a grain may be, by chance.")
    length = Param(
        "Travel time", 4.0, (0.05, 60.0), SECONDS, taper=LOG, beats=True, says="How long the travel curve lasts."
    )
    root = key_root()
    cents = key_cents()
    scan = Choice(
        "Moves by", "speed", {"speed": "Speed", "passes": "Passes", "travel": "Travel curve"},
        says="By a speed, in so many passes of the whole sample, or along the drawn curve.",
    )  # fmt: skip
    dense = Choice(
        "Grains by", "rate", {"rate": "Density", "count": "Count"}, says="So many a second, or so many at once."
    )
    way = Choice(
        "Way", "forward", {"forward": "Forward", "back": "There and back"}, says="How the way goes on at its end."
    )
    begins = Choice(
        "Travel begins", "note", {"note": "Each note", "first": "First of a line", "free": "By itself"},
        says="With each note, with the first of overlapping notes, or never anew.",
    )  # fmt: skip
    track = Switch(
        "Follows key", True, says="Keys play the grains higher or lower; off, every key plays them as recorded."
    )
    asset: Asset | None = None
    curve: Annotated[Curve, BeforeValidator(checked)] = STRAIGHT

    def substance(self) -> tuple[object, ...]:
        return self.asset, self.curve

    def gist(self) -> str:
        return self.asset.name if self.asset else "no sample yet"

    def place(self, state: tuple[Any, ...], row: int) -> float:
        return float(state[10][row, PLACE] / max(state[3][0] - 1, 1))

    def prepare(self, stage: Stage) -> tuple[NDArray, ...]:
        """The recording, the travel curve, the grains of every note and what they count, and room for a tick."""
        return (
            *recording_of(self.asset, stage.rate),
            drawn(self.curve),
            stage.grains,
            np.zeros((stage.rows, MOST, 8)),
            np.zeros(stage.rows, np.int64),
            np.zeros((stage.rows + 1, 6)),
            np.zeros(stage.tick),
            np.zeros(stage.tick, np.float32),
            np.zeros(stage.tick, np.float32),
        )


(
    POSITION, SIZE, RATE_AT, COUNT_AT, WINDOW, SPEED_AT, PASSES, LOOP_START, LOOP_END, BY_PLACE, BY_PITCH, BY_PAN,
    BY_SIZE, BY_LEVEL, LENGTH, ROOT, CENTS_AT, SCAN, DENSE, WAY, BEGINS, TRACK,
) = (Grains.row_of(name) for name in Grains.params)  # fmt: skip
BY_SPEED, BY_PASSES, BY_TRAVEL = range(3)
EACH_NOTE, FIRST_OF_LINE, FREE = range(3)
AT, RATIO, AGE, LIFE, LEFT, RIGHT, EASE = range(7)
NEXT, MOVED, CLOCK, BORN, PLACE = range(5)
ALIVE, CAP, COUNTED = range(3)
CHANCE_GRAIN = 50_000_000


@kernel(inline=True)
def _folded_into(place, low, high, way):  # type: ignore[no-untyped-def]
    """A place brought into the loop window, going round or there and back."""
    length = max(high - low, 1.0)
    if low <= place <= high:
        return place
    x = (place - low) / length
    if way > 0.5:
        x = x - 2.0 * math.floor(x / 2.0)
        return low + length * (x if x <= 1.0 else 2.0 - x)
    return low + length * (x - math.floor(x))


@kernel
def _move(control, row, t, seconds, size, rate, notes, curve):  # type: ignore[no-untyped-def]
    """Moves a note's place on by a tick and returns it, in frames."""
    scan = int(control[SCAN, row, t])
    low = np.float64(control[LOOP_START, row, t]) * (size - 1)
    high = np.float64(control[LOOP_END, row, t]) * (size - 1)
    if low > high:
        low, high = high, low
    if scan == BY_TRAVEL:
        clock = notes[notes.shape[0] - 1, CLOCK] if control[BEGINS, row, t] == FREE else notes[row, CLOCK]
        x = clock / np.float64(control[LENGTH, row, t])
        x = min(x, 1.0) if control[BEGINS, row, t] != FREE else x - math.floor(x)
        place = x * POINTS
        i = min(int(place), POINTS - 1)
        found = np.float64(curve[i]) + (place - i) * np.float64(curve[i + 1] - curve[i])
        notes[row, CLOCK] += seconds
        return low + (high - low) * found
    speed = np.float64(control[SPEED_AT, row, t]) * rate
    if scan == BY_PASSES:
        speed = np.float64(control[PASSES, row, t]) * size
        speed = -speed if control[SPEED_AT, row, t] < 0.0 else speed
    place = np.float64(control[POSITION, row, t]) * (size - 1) + notes[row, MOVED]
    notes[row, MOVED] += speed * seconds
    if abs(notes[row, MOVED]) > 1e9:
        notes[row, MOVED] = 0.0
    return _folded_into(place, low, high, control[WAY, row, t]) if notes[row, MOVED] != 0.0 else place


@kernel
def _throw(control, row, t, note, place, size, rate, delay, grain, notes):  # type: ignore[no-untyped-def]
    """Begins a grain `delay` frames into the tick; every chance is counted by the grains born before."""
    seed = CHANCE_GRAIN + 8 * np.int64(notes[row, BORN])
    notes[row, BORN] += 1.0
    life = np.float64(control[SIZE, row, t]) * rate
    life *= 1.0 + np.float64(control[BY_SIZE, row, t]) * (chance(note, seed) * 1.5 - 0.75)
    life = max(life, 64.0)
    thrown = np.float64(control[BY_PLACE, row, t]) * (2.0 * chance(note, seed + 1) - 1.0) * (size - 1)
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
    grain[AT] = min(max(place + thrown, 0.0), size - 1.0)
    grain[RATIO] = 2.0 ** (pitch / 12.0)
    grain[AGE], grain[LIFE], grain[EASE] = -delay, life, ease * life
    grain[LEFT] = level * math.sqrt(2.0) * math.cos((pan + 1.0) * math.pi / 4)
    grain[RIGHT] = level * math.sqrt(2.0) * math.sin((pan + 1.0) * math.pi / 4)


@works_for(Grains)
@kernel
def run_grains(  # type: ignore[no-untyped-def]
    out, frequency, turn, control, active, begin, tick, rate, limit,
    sound_left, sound_right, starts, sizes, sides, taps, curve, shared, grains, alive, notes, where, left, right,
):  # fmt: skip
    """Replaces `out[row]` for every active row.

    `grains[row]` holds a note's grains, the first `alive[row]` of which sound; `shared` is how many sound in
    the whole patch, how many may, and how many this block counted.
    """
    ticks = frequency.shape[1] - 1
    size = np.float64(sizes[0])
    free = notes.shape[0] - 1
    zero = np.float32(0.0)
    for t in range(ticks):
        notes[free, CLOCK] += tick / rate
        for row in active:
            first = max(begin[0, row], 0)
            for n in range(t * tick, (t + 1) * tick):
                out[row, 0, n] = out[row, 1, n] = zero
            if t < first:
                continue
            note = begin[1, row]
            if begin[0, row] == t:
                alive[row] = 0
                notes[row, NEXT] = notes[row, MOVED] = notes[row, BORN] = 0.0
                clock = 0.0
                if control[BEGINS, row, t] == FIRST_OF_LINE:
                    for other in active:
                        if other != row and begin[0, other] < 0:
                            clock = max(clock, notes[other, CLOCK])
                notes[row, CLOCK] = clock
            place = _move(control, row, t, tick / rate, size, rate, notes, curve)
            notes[row, PLACE] = place
            apart = rate / max(np.float64(control[RATE_AT, row, t]), 1e-3)
            if control[DENSE, row, t] > 0.5:
                apart = np.float64(control[SIZE, row, t]) * rate / max(np.float64(control[COUNT_AT, row, t]), 1e-3)
            apart = max(apart, rate / 4000.0)
            while notes[row, NEXT] < tick:
                if alive[row] < MOST and shared[ALIVE] < shared[CAP]:
                    _throw(control, row, t, note, place, size, rate, notes[row, NEXT], grains[row, alive[row]], notes)
                    alive[row] += 1
                    shared[ALIVE] += 1
                notes[row, NEXT] += apart
            notes[row, NEXT] -= tick
            root = root_frequency(control, ROOT, CENTS_AT, TRACK, row, t)
            pitch = 0.5 * np.float64(frequency[row, t] + frequency[row, t + 1]) / root
            g = 0
            while g < alive[row]:
                speed = min(pitch * grains[row, g, RATIO], 256.0)
                octave, cut = octave_of(speed, sizes.shape[0])
                at, age, life, ease = (
                    grains[row, g, AT],
                    grains[row, g, AGE],
                    grains[row, g, LIFE],
                    grains[row, g, EASE],
                )
                skip = min(int(math.ceil(max(-age, 0.0))), tick)  # noqa: RUF046  (the compiler's ceil gives a float)
                late = min(age, 0.0)
                last = min(tick, int(life - age))
                for k in range(skip, last):
                    where[k - skip] = at + (late + k) * speed
                if turn.shape[0] > 0:
                    for k in range(skip, last):
                        where[k - skip] += np.float64(turn[row, t * tick + k]) * rate / root
                read_run(
                    sound_left, sound_right, starts[octave], sizes[octave], sides, taps, cut, octave, where, last - skip,
                    left, right,
                )  # fmt: skip
                to_left, to_right = np.float32(grains[row, g, LEFT]), np.float32(grains[row, g, RIGHT])
                steep, three = np.float32(1.0 / ease), np.float32(3.0)
                since, until = np.float32(age + skip), np.float32(life - age - skip)
                at_left, at_right = out[row, 0, t * tick + skip :], out[row, 1, t * tick + skip :]
                for k in range(np.uint64(last - skip)):
                    x = min(min(since + np.float32(k), until - np.float32(k)) * steep, np.float32(1.0))
                    w = x * x * (three - x - x)
                    at_left[k] += left[k] * w * to_left
                    at_right[k] += right[k] * w * to_right
                age += tick
                if age >= life:
                    alive[row] -= 1
                    shared[ALIVE] -= 1
                    for i in range(8):
                        grains[row, g, i] = grains[row, alive[row], i]
                    continue
                grains[row, g, AT] = at + (tick + late) * speed
                grains[row, g, AGE] = age
                g += 1
    for row in active:
        shared[COUNTED] += alive[row]
