"""Sample: a recording, played at the pitch of the note."""

from __future__ import annotations

import math
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.asset import Asset
from felt_dial.patch.params import Choice, Param, Switch
from felt_dial.patch.units import CENTS, KEY, PERCENT
from felt_dial.sound.chance import chance
from felt_dial.sound.kernel import Stage, kernel, works_for
from felt_dial.sound.sources.recording import octave_of, read_run, recording_of
from felt_dial.sound.sources.unison import LEFT, MOST, RATIO, RIGHT, Unison, unison_state, unison_tick

NO_LOOP, FORWARD, BACKWARD, ALTERNATE = range(4)
EASE = 48
"""Frames over which a sample that is cut comes in and goes out."""
SEAM = 64.0
"""Least frames of a loop's crossfade."""


def key_root(label: str = "Root") -> Param:
    """The key at which a recording sounds as it was made."""
    return Param(
        label, 60, (0, 127), KEY, whole=True, movable=False, says="The key at which the sample sounds as recorded."
    )


def key_cents() -> Param:
    """How far a recording is above its root key."""
    says = "How far the sample is above its root key."
    return Param("Root fine", 0.0, (-100.0, 100.0), CENTS, movable=False, says=says)


class Sample(Unison, kind="sample"):
    """A recording played faster or slower with the key, once or in a loop."""

    start = Param("Start", 0.0, (0.0, 1.0), PERCENT, says="Where a note begins in the sample.")
    end = Param("End", 1.0, (0.0, 1.0), PERCENT, says="Where the sample ends.")
    chance = Param("Chance", 0.0, (0.0, 1.0), PERCENT, says="How far each note's start moves by chance, either way.")
    floor = Param("Floor", 0.0, (0.0, 1.0), PERCENT, says="Chance never moves the start before this place.")
    loop_start = Param("Loop start", 0.2, (0.0, 1.0), PERCENT, says="Where the loop begins.")
    loop_end = Param("Loop end", 0.9, (0.0, 1.0), PERCENT, says="Where the loop ends.")
    fade = Param(
        "Crossfade", 0.1, (0.0, 0.5), PERCENT, says="Part of the loop over which its end fades into its beginning."
    )
    root = key_root()
    cents = key_cents()
    loop = Choice(
        "Loop", "off", {"off": "No loop", "forward": "Forward", "backward": "Backward", "alternate": "There and back"},
        says="What happens at the loop's end while the note lasts.",
    )  # fmt: skip
    track = Switch(
        "Follows key", True, says="Keys play the sample higher or lower; off, every key plays it as recorded."
    )
    reverse = Switch("Reversed", False, says="The sample is played from its end to its start.")
    one_shot = Switch(
        "One shot", False, says="The sample plays to its end even if the key comes up; loops are left out."
    )
    asset: Asset | None = None

    tells_end: ClassVar[bool] = True

    def substance(self) -> tuple[object, ...]:
        return (self.asset,)

    def gist(self) -> str:
        return self.asset.name if self.asset else "no sample yet"

    def place(self, state: tuple[Any, ...], row: int) -> float:
        return float(state[7][row, 0] / max(state[4][0] - 1, 1))

    def prepare(self, stage: Stage) -> tuple[NDArray, ...]:
        """Which notes have ended, the recording, places and directions of the voices, and room for a tick."""
        return (
            np.zeros(stage.rows, np.uint8),
            *recording_of(self.asset, stage.rate),
            np.zeros((stage.rows, MOST)),
            np.zeros((stage.rows, MOST), np.int32),
            np.zeros((stage.rows, 2)),
            *unison_state(stage.rows),
            np.zeros((2, stage.tick)),
            np.zeros((6, stage.tick), np.float32),
        )


(
    START, END, CHANCE, FLOOR, LOOP_START, LOOP_END, FADE, ROOT, CENTS_AT, LOOP, TRACK, REVERSE, ONE_SHOT,
) = (
    Sample.row_of(name)
    for name in (
        "start", "end", "chance", "floor", "loop_start", "loop_end", "fade", "root", "cents", "loop", "track",
        "reverse", "one_shot",
    )
)  # fmt: skip
FIRST, LAST = range(2)
CHANCE_BEGIN = 40_000_000


@kernel
def root_frequency(control, root, cents, track, row, t):  # type: ignore[no-untyped-def]
    """Hertz at which a recording keeps its pitch; without key tracking every note asks for A4."""
    if control[track, row, t] < 0.5:
        return 440.0
    steps = np.float64(control[root, row, t]) + 0.01 * np.float64(control[cents, row, t]) - 69.0
    return 440.0 * 2.0 ** (steps / 12.0)


@kernel
def _bounds(control, row, t, size, note, ends):  # type: ignore[no-untyped-def]
    """First and last frame of a note into `ends`, chance included."""
    last = np.float64(control[END, row, t])
    start = np.float64(control[START, row, t])
    reach = np.float64(control[CHANCE, row, t])
    if reach > 0.0:
        start += reach * (2.0 * chance(note, CHANCE_BEGIN) - 1.0)
        start = max(start, min(np.float64(control[FLOOR, row, t]), last))
    start = np.float64(min(max(start, 0.0), 1.0))
    ends[row, FIRST] = min(start, last) * (size - 1)
    ends[row, LAST] = max(last, start) * (size - 1)


@kernel
def _travel(control, row, t, tick, place, direction, speed, first, last, size, where, other, share):  # type: ignore[no-untyped-def]
    """Places of a tick; `other` and `share` are those that fade in at the end of a loop. Returns place and direction."""
    loop = int(control[LOOP, row, t])
    low = np.float64(control[LOOP_START, row, t]) * (size - 1)
    high = np.float64(control[LOOP_END, row, t]) * (size - 1)
    if control[ONE_SHOT, row, t] > 0.5 or high - low < 16.0:
        loop = NO_LOOP
    length = high - low
    seam = min(max(np.float64(control[FADE, row, t]) * length, SEAM), 0.5 * length)
    for k in range(tick):
        where[k], other[k], share[k] = place, place, np.float32(0.0)
        if loop in (FORWARD, BACKWARD):
            ahead = 1 if loop == FORWARD else -1
            if direction * ahead > 0:
                into = place - (high - seam) if ahead > 0 else (low + seam) - place
                if into > 0.0:
                    share[k] = np.float32(min(into / seam, 1.0))
                    other[k] = place - ahead * length
        place += direction * speed
        if loop == NO_LOOP:
            continue
        if loop == ALTERNATE:
            if direction > 0 and place >= high:
                place, direction = 2.0 * high - place, -1
            elif direction < 0 and place <= low:
                place, direction = 2.0 * low - place, 1
            place = min(max(place, min(first, low)), max(last, high))
        elif loop == FORWARD:
            if direction > 0 and place >= high:
                place -= length * math.floor((place - low) / length)
            elif direction < 0 and place <= low:
                place, direction = low, 1
        elif direction < 0 and place <= low:
            place += length * math.floor((high - place) / length)
        elif direction > 0 and place >= high:
            place, direction = high, -1
    return place, direction


@works_for(Sample)
@kernel
def run_sample(  # type: ignore[no-untyped-def]
    out, frequency, turn, control, active, begin, tick, rate, limit,
    over, sound_left, sound_right, starts, sizes, sides, taps, place, direction, ends, voice, seen, where, lines,
):  # fmt: skip
    """Replaces `out[row]` for every active row; `over[row]` becomes 1 when the note has reached its end.

    A layer that modulates this one moves the place it is read from: one cycle is one period at the root.
    """
    ticks = frequency.shape[1] - 1
    size = np.float64(sizes[0])
    zero, one = np.float32(0.0), np.float32(1.0)
    for row in active:
        note = begin[1, row]
        first_tick = max(begin[0, row], 0)
        for n in range(first_tick * tick):
            out[row, 0, n] = out[row, 1, n] = zero
        for t in range(first_tick, ticks):
            begins = begin[0, row] == t
            alive = unison_tick(control, row, t, note, begins, voice, seen)
            backwards = control[REVERSE, row, t] > 0.5
            if begins:
                over[row] = 0
                _bounds(control, row, t, size, note, ends)
                for u in range(MOST):
                    place[row, u] = ends[row, LAST] if backwards else ends[row, FIRST]
                    direction[row, u] = -1 if backwards else 1
            first, last = ends[row, FIRST], ends[row, LAST]
            root = root_frequency(control, ROOT, CENTS_AT, TRACK, row, t)
            f0, f1 = np.float64(frequency[row, t]), np.float64(frequency[row, t + 1])
            for n in range(t * tick, (t + 1) * tick):
                out[row, 0, n] = out[row, 1, n] = zero
            loops = control[LOOP, row, t] > 0.5 and control[ONE_SHOT, row, t] < 0.5
            ended = not loops
            for u in range(alive):
                speed = min(0.5 * (f0 + f1) * np.float64(voice[row, u, RATIO]) / root, 256.0)
                octave, cut = octave_of(speed, sizes.shape[0])
                place[row, u], direction[row, u] = _travel(
                    control, row, t, tick, place[row, u], direction[row, u], speed, first, last, size,
                    where[0], where[1], lines[4],
                )  # fmt: skip
                if turn.shape[0] > 0:
                    for k in range(tick):
                        shift = np.float64(turn[row, t * tick + k]) * rate / root
                        where[0, k] += shift
                        where[1, k] += shift
                read_run(
                    sound_left, sound_right, starts[octave], sizes[octave], sides, taps, cut, octave, where[0], tick,
                    lines[0], lines[1],
                )  # fmt: skip
                fades = False
                for k in range(tick):
                    fades = fades or lines[4, k] > zero
                if fades:
                    read_run(
                        sound_left, sound_right, starts[octave], sizes[octave], sides, taps, cut, octave, where[1], tick,
                        lines[2], lines[3],
                    )  # fmt: skip
                    for k in range(tick):
                        part = lines[4, k]
                        lines[0, k] += part * (lines[2, k] - lines[0, k])
                        lines[1, k] += part * (lines[3, k] - lines[1, k])
                left, right = voice[row, u, LEFT], voice[row, u, RIGHT]
                for k in range(tick):
                    gain = one
                    at = where[0, k]
                    if not loops:
                        edge = min(at - first if first > 0.0 else 1e9, last - at if last < size - 1.0 else 1e9)
                        gain = np.float32(min(max(edge / EASE, 0.0), 1.0)) if edge < EASE else one
                    elif not backwards and first > 0.0 and direction[row, u] > 0:
                        gain = np.float32(min(max((at - first + 1.0) / EASE, 0.0), 1.0)) if at < first + EASE else one
                    out[row, 0, t * tick + k] += lines[0, k] * gain * left
                    out[row, 1, t * tick + k] += lines[1, k] * gain * right
                there = place[row, u]
                if (direction[row, u] > 0 and there < last) or (direction[row, u] < 0 and there > first):
                    ended = False
            if ended:
                over[row] = 1
