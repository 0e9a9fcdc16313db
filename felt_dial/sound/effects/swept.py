"""Chorus, flanger and thicken: copies of the sound whose delay sways."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import LOG, Choice, Param
from felt_dial.patch.units import COUNT, PERCENT, RATE, SECONDS
from felt_dial.sound.chance import wander
from felt_dial.sound.effects.delay import echo
from felt_dial.sound.kernel import Stage, flushed, kernel, ramp, works_for

LONGEST = 0.08
DETUNED = 0.0045
"""Seconds by which a copy of a crowd wanders at most."""
MOST = 12


def _rate(default: float) -> Param:
    return Param("Rate", default, (0.01, 12.0), RATE, taper=LOG, beats=True, says="How often it sways.")


def _room(stage: Stage) -> tuple[np.ndarray, ...]:
    size = 1 << math.ceil(math.log2(LONGEST * stage.rate + 8))
    return np.zeros((2, size), np.float32), np.zeros(4), np.zeros(stage.tick)


class Chorus(Effect, kind="chorus"):
    """One to four copies, each a little late and a little off pitch, spread to the sides."""

    copies = Param("Copies", 2, (1, 4), COUNT, whole=True, says="How many copies there are.")
    time = Param("Time", 0.012, (0.002, 0.04), SECONDS, taper=LOG, says="How late the copies are.")
    depth = Param("Depth", 0.35, (0.0, 1.0), PERCENT, says="How far their delay sways.")
    rate = _rate(0.6)
    spread = Param("Spread", 0.8, (0.0, 1.0), PERCENT, says="How far apart the copies stand.")
    wet = Param("Wet", 0.5, (0.0, 1.0), PERCENT, says="How loud the copies are beside the sound.")

    prepare = staticmethod(_room)

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return f"{int(self.copies)} copies · wet {self.params['wet'].write(self.get('wet'))}"

    def lines(self, turns: NDArray[np.float64]) -> list[NDArray[np.float64]]:
        """Delay of every copy over some turns, as a part of the longest; for the picture."""
        count = int(self.copies)
        sway = [np.sin(2 * np.pi * (turns + k / count)) for k in range(count)]
        return [0.5 + 0.45 * float(self.depth) * s for s in sway]


class Flanger(Effect, kind="flanger"):
    """A very short delay that sways and comes back on itself: teeth that wander through the spectrum."""

    time = Param("Time", 0.003, (0.0005, 0.015), SECONDS, taper=LOG, says="The middle of its delay.")
    depth = Param("Depth", 0.6, (0.0, 1.0), PERCENT, says="How far the delay sways.")
    rate = _rate(0.2)
    feedback = Param("Feedback", 0.4, (-0.95, 0.95), PERCENT, says="How sharp its teeth are; below 0 others stand.")
    sides = Param("Sides", 0.25, (0.0, 0.5), PERCENT, says="How far right is behind left in its swaying.")
    wet = Param("Wet", 0.5, (0.0, 1.0), PERCENT, says="How much of the swaying sound.")

    prepare = staticmethod(_room)

    def lines(self, turns: NDArray[np.float64]) -> list[NDArray[np.float64]]:
        """Delay of both sides over some turns, as a part of the longest; for the picture."""
        return [0.5 + 0.45 * float(self.depth) * np.sin(2 * np.pi * (turns + s)) for s in (0.0, float(self.sides))]


class Thicken(Effect, kind="thicken"):
    """Many short copies that wander by themselves, as a crowd does."""

    copies = Param("Copies", 6, (2, MOST), COUNT, whole=True, says="How many there are.")
    detune = Param("Detune", 0.35, (0.0, 1.0), PERCENT, says="How far they wander off pitch.")
    spread = Param("Spread", 0.9, (0.0, 1.0), PERCENT, says="How far apart they stand.")
    tempo = Choice("Pace", "calm", {"calm": "Calm", "busy": "Busy"}, says="How quickly they wander.")
    wet = Param("Wet", 0.4, (0.0, 1.0), PERCENT, says="How loud the crowd is beside the sound.")

    prepare = staticmethod(_room)

    def lines(self, turns: NDArray[np.float64]) -> list[NDArray[np.float64]]:
        """Delay of every copy over some turns, as a part of the longest; for the picture."""
        with np.errstate(over="ignore"):
            found = [np.array([wander(1, k, 3 * float(x)) for x in turns]) for k in range(int(self.copies))]
        return [0.5 + 0.45 * float(self.detune) * line for line in found]


WRITE, TURN, BACK_LEFT, BACK_RIGHT = range(4)


@kernel
def sway(waits, turn, step, middle, reach):  # type: ignore[no-untyped-def]
    """`middle` + `reach` · sin(2π · turn) for every frame of `waits`, `turn` growing by `step`: by turning a unit vector.

    `middle` and `reach` are each a value and what it moves by in a frame.
    """
    (middle, further), (reach, wider) = middle, reach
    s, c = math.sin(2.0 * math.pi * turn), math.cos(2.0 * math.pi * turn)
    by_s, by_c = math.sin(2.0 * math.pi * step), math.cos(2.0 * math.pi * step)
    for n in range(waits.shape[0]):
        waits[n] = middle + reach * s
        middle += further
        reach += wider
        s, c = s * by_c + c * by_s, c * by_c - s * by_s


@kernel
def _sways(time, depth, t, tick, rate):  # type: ignore[no-untyped-def]
    """Middle and reach of a swaying delay in frames in a tick, each with what it moves by in a frame."""
    here, there = np.float64(time[t]) * rate, np.float64(time[t + 1]) * rate
    near, far = 0.9 * np.float64(depth[t]) * here, 0.9 * np.float64(depth[t + 1]) * there
    return (here, (there - here) / tick), (near, (far - near) / tick)


@kernel
def _remember(audio, first, tick, lines, write, plain, after):  # type: ignore[no-untyped-def]
    """Writes a tick of the sound from frame `first` on into the lines, and turns it down, by `plain` up to `after`."""
    mask = lines.shape[1] - 1
    fade = (after - plain) / tick
    for channel in range(2):
        for n in range(tick):
            lines[channel, (write + n) & mask] = audio[channel, first + n]
            audio[channel, first + n] *= np.float32(plain + fade * n)


@kernel
def _plain(wet):  # type: ignore[no-untyped-def]
    """How far the sound is turned down beside its copies."""
    return 1.0 / math.sqrt(1.0 + wet * wet)


@kernel
def _add_copy(audio, first, lines, write, waits, left, right):  # type: ignore[no-untyped-def]
    """Adds the lines `waits` frames ago to a tick of the sound, at a gain for each side; the same cubic as `echo`.

    A gain is a value and what it moves by in a frame.
    """
    mask = lines.shape[1] - 1
    (left, more_left), (right, more_right) = left, right
    for n in range(waits.shape[0]):
        wait = max(waits[n], 2.0)
        whole = np.int64(wait)
        p = wait - whole
        at = write + n - whole
        a = (at - 2) & mask
        b, c, d = (at - 1) & mask, at & mask, (at + 1) & mask
        last, after = 0.5 * p * p * (p - 1.0), 0.5 * p * (1.0 + p * (4.0 - 3.0 * p))
        here, before = 1.0 + p * p * (1.5 * p - 2.5), 0.5 * p * (p * (2.0 - p) - 1.0)
        x = last * lines[0, a] + after * lines[0, b] + here * lines[0, c] + before * lines[0, d]
        y = last * lines[1, a] + after * lines[1, b] + here * lines[1, c] + before * lines[1, d]
        audio[0, first + n] += np.float32(left * x)
        audio[1, first + n] += np.float32(right * y)
        left += more_left
        right += more_right


@kernel
def _gain(share, pan, after, pan_after, tick):  # type: ignore[no-untyped-def]
    """Gain of one side of a copy as a tick begins, and what it moves by in a frame."""
    now = share * (1.0 + pan)
    return now, (after * (1.0 + pan_after) - now) / tick


COPIES, TIME, DEPTH, RATE_AT, SPREAD, WET = Chorus.rows_of("copies", "time", "depth", "rate", "spread", "wet")


@works_for(Chorus)
@kernel
def run_chorus(audio, control, tick, rate, lines, state, waits):  # type: ignore[no-untyped-def]
    """Adds the copies to `audio` (float32, channel × frame) in place."""
    write = np.int64(state[WRITE])
    for t in range(control.shape[1] - 1):
        count = np.int64(control[COPIES, t])
        middle, reach = _sways(control[TIME], control[DEPTH], t, tick, rate)
        step = np.float64(control[RATE_AT, t]) / rate
        wet, wet_after = np.float64(control[WET, t]), np.float64(control[WET, t + 1])
        share, after = _plain(wet) * wet / math.sqrt(count), _plain(wet_after) * wet_after / math.sqrt(count)
        _remember(audio, t * tick, tick, lines, write, _plain(wet), _plain(wet_after))
        for k in range(count):
            sign = 1.0 if k % 2 == 0 else -1.0
            pan, pan_after = sign * np.float64(control[SPREAD, t]), sign * np.float64(control[SPREAD, t + 1])
            sway(waits, state[TURN] + k / count, step, middle, reach)
            left, right = _gain(share, pan, after, pan_after, tick), _gain(share, -pan, after, -pan_after, tick)
            _add_copy(audio, t * tick, lines, write, waits, left, right)
        state[TURN] += step * tick
        state[TURN] -= math.floor(state[TURN])
        write += tick
    state[WRITE] = write


F_TIME, F_DEPTH, F_RATE, F_FEEDBACK, F_SIDES, F_WET = Flanger.rows_of(
    "time", "depth", "rate", "feedback", "sides", "wet"
)


@works_for(Flanger)
@kernel
def run_flanger(audio, control, tick, rate, lines, state, waits):  # type: ignore[no-untyped-def]
    """Mixes the swaying sound into `audio` (float32, channel × frame) in place."""
    mask = lines.shape[1] - 1
    write = np.int64(state[WRITE])
    for t in range(control.shape[1] - 1):
        middle, reach = _sways(control[F_TIME], control[F_DEPTH], t, tick, rate)
        (feedback, firmer), (wet, wetter) = ramp(control[F_FEEDBACK], t, tick), ramp(control[F_WET], t, tick)
        step, sides = np.float64(control[F_RATE, t]) / rate, np.float64(control[F_SIDES, t])
        for channel in range(2):
            line, back = lines[channel], state[BACK_LEFT + channel]
            sway(waits, state[TURN] + channel * sides, step, middle, reach)
            for n in range(tick):
                x = np.float64(audio[channel, t * tick + n])
                line[(write + n) & mask] = np.float32(flushed(x + (feedback + firmer * n) * back))
                back = np.float64(echo(line, write + n, max(waits[n], 2.0), mask))
                audio[channel, t * tick + n] = np.float32(x + (wet + wetter * n) * (back - 0.5 * x))
            state[BACK_LEFT + channel] = back
        state[TURN] += step * tick
        state[TURN] -= math.floor(state[TURN])
        write += tick
    state[WRITE] = write


T_COPIES, T_DETUNE, T_SPREAD, T_PACE, T_WET = Thicken.rows_of("copies", "detune", "spread", "tempo", "wet")


@works_for(Thicken)
@kernel
def run_thicken(audio, control, tick, rate, lines, state, waits):  # type: ignore[no-untyped-def]
    """Adds the crowd to `audio` (float32, channel × frame) in place; every copy wanders by counted chance."""
    write = np.int64(state[WRITE])
    for t in range(control.shape[1] - 1):
        count = np.int64(control[T_COPIES, t])
        pace = 1.2 if control[T_PACE, t] < 0.5 else 4.0
        before = state[TURN]
        state[TURN] += pace * tick / rate
        wet, wet_after = np.float64(control[T_WET, t]), np.float64(control[T_WET, t + 1])
        share, after = wet / math.sqrt(count), wet_after / math.sqrt(count)
        _remember(audio, t * tick, tick, lines, write, _plain(wet), _plain(wet_after))
        for k in range(count):
            middle = (0.008 + 0.0031 * k) * rate
            frames = middle + np.float64(control[T_DETUNE, t]) * DETUNED * rate * wander(1, k, before)
            goal = middle + np.float64(control[T_DETUNE, t + 1]) * DETUNED * rate * wander(1, k, state[TURN])
            for n in range(tick):
                waits[n] = frames + (goal - frames) / tick * n
            side = 2.0 * k / max(count - 1.0, 1.0) - 1.0
            pan, pan_after = side * np.float64(control[T_SPREAD, t]), side * np.float64(control[T_SPREAD, t + 1])
            left, right = _gain(share, -pan, after, -pan_after, tick), _gain(share, pan, after, pan_after, tick)
            _add_copy(audio, t * tick, lines, write, waits, left, right)
        write += tick
    state[WRITE] = write
    if state[TURN] > 1e6:
        state[TURN] = 0.0
