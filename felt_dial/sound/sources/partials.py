"""Partials: a recording, or drawn harmonics, made anew from sines that each go their own way."""

from __future__ import annotations

import math
from functools import cache
from typing import Annotated, Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BeforeValidator

from felt_dial.patch.asset import Asset
from felt_dial.patch.params import CUBIC, Param, Switch
from felt_dial.patch.units import BEND, COUNT, PERCENT, PLACE, SECONDS, SEMITONES, SLOPE, SPEED, note_frequency
from felt_dial.sound.analysis import BANDS, HOP, MOST_PARTIALS, RATE, drawn_tracks, tracks_of
from felt_dial.sound.chance import chance
from felt_dial.sound.kernel import Stage, kernel, works_for
from felt_dial.sound.lanes import float_of
from felt_dial.sound.sources.reading import TURN, run_bends
from felt_dial.sound.sources.sample import key_cents, key_root
from felt_dial.sound.sources.unison import LEFT, RATIO, RIGHT, Unison, unison_state, unison_tick, voice_phase

MOST_SINES = 2048
"""Sines of one note: partials times unison."""
STRIDE = 4
"""Ticks between two looks at the tracks."""


def _drawn(value: object) -> tuple[float, ...]:
    if not isinstance(value, list | tuple) or not 1 <= len(value) <= 64:
        raise ValueError("1 to 64 harmonics can be drawn")
    found = tuple(float(x) for x in value)
    if not all(0.0 <= x <= 1.0 for x in found):
        raise ValueError("drawn harmonics are between 0 and 1")
    return found


class Partials(Unison, kind="partials"):
    """Up to 256 sines that follow a recording, at their own speed, stretched, thinned, tilted; or drawn harmonics."""

    position = Param("Position", 0.0, (0.0, 1.0), PERCENT, says="Where in the recording a note begins.")
    speed = Param("Speed", 1.0, (0.0, 4.0), SPEED, says="How fast the recording goes by; 0 stands still.")
    slow = Param(
        "Slow-down", 0.0, (0.0, 20.0), SECONDS, taper=CUBIC,
        says="Time in which the speed falls to a third, until the sound stands for ever; 0 keeps its speed.",
    )  # fmt: skip
    life = Param(
        "Life", 0.15, (0.0, 1.0), PERCENT, says="How much each sine wanders by itself, so that standing sound lives."
    )
    partials = Param("Partials", 128, (1, MOST_PARTIALS), COUNT, whole=True, says="How many sines there may be.")
    stretch = Param("Stretch", 0.0, (-0.5, 0.5), BEND, says="Spreads the partials apart, or draws them together.")
    shift = Param("Shift", 0.0, (-1.0, 1.0), PLACE, says="Moves all partials by a part of the fundamental.")
    tilt = Param("Tilt", 0.0, (-12.0, 12.0), SLOPE, says="Makes high partials louder or softer.")
    odd_even = Param("Odd, even", 0.0, (-1.0, 1.0), BEND, says="Below 0 takes even partials away, above 0 odd ones.")
    formant = Param(
        "Formants", 0.0, (-24.0, 24.0), SEMITONES, says="Moves the colour of the sound and leaves its pitch."
    )
    blur = Param("Blur", 0.0, (0.0, 1.0), PERCENT, says="Lets each sine hear another moment of the recording.")
    root = key_root()
    cents = key_cents()
    loop = Switch("Round again", False, says="Begins anew where the recording ends.")
    asset: Asset | None = None
    drawn: Annotated[tuple[float, ...], BeforeValidator(_drawn)] = tuple(1.0 / n for n in range(1, 17))

    def substance(self) -> tuple[object, ...]:
        return self.asset, self.drawn, self.get("root") if self.asset else 0, self.get("cents") if self.asset else 0

    def fundamental(self) -> float:
        """Hertz of the recording's root."""
        return note_frequency(self.number("root") + self.number("cents") / 100)

    def gist(self) -> str:
        return self.asset.name if self.asset else f"{len(self.drawn)} drawn"

    def place(self, state: tuple[Any, ...], row: int) -> float:
        return float(state[6][row, AT] / max(state[0].shape[0] - 1, 1)) if self.asset else -1.0

    def prepare(self, stage: Stage) -> tuple[NDArray, ...]:
        """The tracks, then for every note its sines' phases, levels and steps, where it is, and room."""
        tracks = tracks_of(self.asset, self.fundamental()) if self.asset else drawn_tracks(self.drawn)
        for array in tracks:
            array.setflags(write=False)
        return (
            *tracks,
            random_walk(),
            np.zeros((stage.rows, MOST_SINES), np.uint32),
            np.zeros((stage.rows, 2, MOST_PARTIALS), np.float32),
            np.zeros((stage.rows, 3)),
            *unison_state(stage.rows),
            np.zeros(STRIDE * stage.tick, np.uint32),
            np.zeros((2, STRIDE * stage.tick), np.float32),
            np.zeros(STRIDE * stage.tick, np.float32),
            np.zeros((2, MOST_PARTIALS), np.float32),
        )


(
    POSITION, SPEED_AT, SLOW, LIFE, PARTIALS, STRETCH, SHIFT, TILT, ODD_EVEN, FORMANT, BLUR, ROOT, CENTS_AT, LOOP,
) = (
    Partials.row_of(name)
    for name in (
        "position", "speed", "slow", "life", "partials", "stretch", "shift", "tilt", "odd_even", "formant", "blur",
        "root", "cents", "loop",
    )
)  # fmt: skip
AT, AGE, FRESH = range(3)
FREQUENCIES, LEVELS = range(2)
CHANCE_SINE, CHANCE_BLUR = 60_000_000, 61_000_000
LOOKS_A_SECOND = RATE / HOP
LN2 = math.log(2.0)
WALK, LIVELY = 8192, 16.0
"""Steps of the random walk that all sines share, each from a place of its own, and steps in a goal of it."""


@cache
def random_walk() -> NDArray[np.float32]:
    """A smooth random line from −1 to 1 that goes round, float32 (WALK + 1,): always the same one."""
    goals = np.random.default_rng(2026).uniform(-1.0, 1.0, WALK // int(LIVELY))
    at = np.arange(WALK + 1) / LIVELY
    k, part = at.astype(int) % len(goals), at % 1.0
    eased = part * part * (3.0 - 2.0 * part)
    made: NDArray[np.float32] = (goals[k] + (goals[(k + 1) % len(goals)] - goals[k]) * eased).astype(np.float32)
    made.setflags(write=False)
    return made


@kernel
def power(octaves):  # type: ignore[no-untyped-def]
    """2 to a number from −126 to 127, to 1e-8 of it: its whole part in the exponent, the rest by its Taylor series."""
    near = min(max(np.floor(octaves + 0.5), -126.0), 127.0)
    x = (octaves - near) * LN2
    rest = 1.0 + x * (1.0 + x * (1 / 2 + x * (1 / 6 + x * (1 / 24 + x * (1 / 120 + x * (1 / 720 + x / 5040))))))
    return rest * np.float64(float_of(np.int32((np.int32(near) + np.int32(127)) << np.int32(23))))


@kernel
def _colour(hull, look, part, octaves, fundamental):  # type: ignore[no-untyped-def]
    """The envelope of the spectrum in dB at a frequency, between bands and looks."""
    place = min(max(4.0 * (octaves + math.log2(max(fundamental, 1.0) / 20.0)), 0.0), BANDS - 1.001)
    i = int(place)
    x = place - i
    here = hull[look, i] + x * (hull[look, i + 1] - hull[look, i])
    next_ = hull[look + 1, i] + x * (hull[look + 1, i + 1] - hull[look + 1, i])
    return here + part * (next_ - here)


@kernel
def _look(  # type: ignore[no-untyped-def]
    octaves, levels, hull, walk, control, row, t, count, at, note, age, pitch, root, limit, goal
):
    """Frequencies and levels of a note's sines at a moment, into `goal` (2, partial)."""
    looks = octaves.shape[0]
    stretch = 1.0 + np.float64(control[STRETCH, row, t])
    shift, tilt = np.float64(control[SHIFT, row, t]), np.float64(control[TILT, row, t]) / 20.0 * math.log2(10.0)
    balance, formant = np.float64(control[ODD_EVEN, row, t]), np.float64(control[FORMANT, row, t]) / 12.0
    blur, life = np.float64(control[BLUR, row, t]) * 50.0, np.float64(control[LIFE, row, t])
    keep = 1.0 - abs(balance)
    for i in range(count):
        place = at
        if blur > 0.0:
            place += blur * (2.0 * chance(note, CHANCE_BLUR + i) - 1.0)
        place = min(max(place, 0.0), looks - 1.001)
        look = int(place)
        part = np.float32(place - look)
        octave = np.float64(octaves[look, i] + part * (octaves[look + 1, i] - octaves[look, i]))
        level = np.float64(levels[look, i] + part * (levels[look + 1, i] - levels[look, i]))
        if level <= 0.0:
            goal[LEVELS, i] = np.float32(0.0)
            goal[FREQUENCIES, i] = np.float32(pitch * power(octave * stretch))
            continue
        if life > 0.0:
            place = (age * (0.8 + 0.0067 * ((i * 97) & 255)) + ((i * 1597 + note * 911) & 4095)) * LIVELY
            k = int(place)
            x = np.float32(place - k)
            k &= WALK - 1
            level *= 1.0 + 0.7 * life * np.float64(walk[k] + x * (walk[k + 1] - walk[k]))
            k = (k + WALK // 2) & (WALK - 1)
            octave += life * 0.012 * np.float64(walk[k] + x * (walk[k + 1] - walk[k]))
        if formant != 0.0:
            level *= 10.0 ** (
                (_colour(hull, look, part, octave - formant, root) - _colour(hull, look, part, octave, root)) / 20.0
            )
        if balance != 0.0:
            even = int(power(octave) + 0.5) % 2 == 0
            if (balance < 0.0 and even) or (balance > 0.0 and not even):
                level *= keep
        if tilt != 0.0:
            level *= power(octave * tilt)
        hertz = pitch * (power(octave * stretch) + shift)
        if hertz < 1.0 or hertz >= limit:
            level, hertz = np.float64(0.0), np.float64(min(max(hertz, 1.0), limit))
        goal[FREQUENCIES, i], goal[LEVELS, i] = np.float32(hertz), np.float32(min(level, 4.0))


@kernel(inline=True)
def _add_sine(line, p, step, grow, bends, harmonic, n, level, rise):  # type: ignore[no-untyped-def]
    """Adds a sine to `line`: the quarter wave by an odd polynomial of ninth order, within −120 dB."""
    for k in range(n):
        q = np.uint32(p + np.uint32(step * np.uint32(k)))
        q = np.uint32(np.uint32(q + np.uint32(grow * np.uint32(k * (k - 1) // 2))) + np.uint32(bends[k] * harmonic))
        x = np.float32(np.int32(q)) * np.float32(1.0 / 2147483648.0)
        y = np.float32(0.5) - abs(abs(x) - np.float32(0.5))
        z = y * y
        s = np.float32(-0.59804419) + z * np.float32(0.07721839)
        s = np.float32(-5.16770687) + z * (np.float32(2.55003119) + z * s)
        s = y * (np.float32(3.14159258) + z * s)
        s = s if x >= np.float32(0.0) else -s
        line[k] += s * (level + rise * np.float32(k))


@works_for(Partials)
@kernel
def run_partials(  # type: ignore[no-untyped-def]
    out, frequency, turn, control, active, begin, tick, rate, limit,
    octaves, levels, hull, walk, phase, shown, notes, voice, seen, bends, mix, line, goal,
):  # fmt: skip
    """Replaces `out[row]` for every active row.

    Every fourth tick looks at the tracks, and the sines go in straight lines to what it finds; `shown[row]`
    is what they found last. A layer that modulates this one turns each sine by its harmonic's share.
    """
    ticks = frequency.shape[1] - 1
    lanes = octaves.shape[1]
    turns = TURN / rate
    zero = np.float32(0.0)
    for row in active:
        note = begin[1, row]
        first = max(begin[0, row], 0)
        for n in range(first * tick):
            out[row, 0, n] = out[row, 1, n] = zero
        t = first
        while t < ticks:
            run = min(STRIDE - t % STRIDE, ticks - t)
            n = run * tick
            begins = begin[0, row] == t
            alive = unison_tick(control, row, t, note, begins, voice, seen)
            count = min(min(int(control[PARTIALS, row, t]), lanes), MOST_SINES // max(alive, 1))
            stride = MOST_SINES // max(alive, 1)
            root = 440.0 * 2.0 ** ((np.float64(control[ROOT, row, t]) + 0.01 * control[CENTS_AT, row, t] - 69.0) / 12.0)
            if begins:
                notes[row, AGE] = 0.0
                notes[row, AT] = np.float64(control[POSITION, row, t]) * (octaves.shape[0] - 1)
                for u in range(alive):
                    for i in range(count):
                        place = chance(note, CHANCE_SINE + i) + voice_phase(control, row, t, note, u) * (i + 1)
                        phase[row, u * stride + i] = np.uint32(np.int64(place * TURN))
                _look(
                    octaves, levels, hull, walk, control, row, t, count, notes[row, AT], note, 0.0,
                    np.float64(frequency[row, t]), root, limit, goal,
                )  # fmt: skip
                for i in range(count):
                    shown[row, FREQUENCIES, i], shown[row, LEVELS, i] = goal[FREQUENCIES, i], goal[LEVELS, i]
                notes[row, FRESH] = count
            for i in range(int(notes[row, FRESH]), count):
                shown[row, LEVELS, i], shown[row, FREQUENCIES, i] = zero, frequency[row, t]
            notes[row, FRESH] = count
            seconds = n / rate
            speed = np.float64(control[SPEED_AT, row, t])
            slow = np.float64(control[SLOW, row, t])
            if slow > 0.0:
                speed *= math.exp(-notes[row, AGE] / slow)
            notes[row, AGE] += seconds
            notes[row, AT] += speed * seconds * LOOKS_A_SECOND
            last = octaves.shape[0] - 1.0
            if notes[row, AT] > last:
                notes[row, AT] = notes[row, AT] - last if control[LOOP, row, t] > 0.5 else last
            _look(
                octaves, levels, hull, walk, control, row, t + run, count, notes[row, AT], note, notes[row, AGE],
                np.float64(frequency[row, t + run]), root, limit, goal,
            )  # fmt: skip
            at = t * tick
            run_bends(turn, row, at, n, bends)
            for k in range(n):
                mix[0, k] = mix[1, k] = zero
            for u in range(alive):
                ratio = np.float64(voice[row, u, RATIO])
                for k in range(n):
                    line[k] = zero
                harmonic = np.uint32(1)
                for i in range(count):
                    was, now = shown[row, LEVELS, i], goal[LEVELS, i]
                    f0, f1 = shown[row, FREQUENCIES, i] * ratio, goal[FREQUENCIES, i] * ratio
                    p = phase[row, u * stride + i]
                    step = np.uint32(np.int64(f0 * turns))
                    grow = np.uint32(np.int64((f1 - f0) * turns / n))
                    if was > zero or now > zero:
                        if turn.shape[0] > 0:
                            harmonic = np.uint32(np.int64(max(f0 / frequency[row, t] + 0.5, 1.0)))
                        _add_sine(line, p, step, grow, bends, harmonic, n, was, (now - was) / np.float32(n))
                    whole = np.uint32(n * (n - 1) // 2)
                    after = np.uint32(p + np.uint32(step * np.uint32(n)))
                    phase[row, u * stride + i] = np.uint32(after + np.uint32(grow * whole))
                left, right = voice[row, u, LEFT], voice[row, u, RIGHT]
                for k in range(n):
                    mix[0, k] += line[k] * left
                    mix[1, k] += line[k] * right
            for i in range(count):
                shown[row, FREQUENCIES, i], shown[row, LEVELS, i] = goal[FREQUENCIES, i], goal[LEVELS, i]
            for k in range(n):
                out[row, 0, at + k], out[row, 1, at + k] = mix[0, k], mix[1, k]
            t += run
