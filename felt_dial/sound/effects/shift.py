"""Shift: moves every frequency by the same hertz, or the pitch by semitones."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.patch.module import Effect
from felt_dial.patch.params import CUBIC, LOG, Param
from felt_dial.patch.units import HERTZ, PERCENT, SECONDS, SEMITONES
from felt_dial.sound.effects.delay import echo
from felt_dial.sound.kernel import Stage, flush, flushed, kernel, works_for

LONGEST = 0.2
QUARTER = np.array([
    [0.6923878, 0.9360654322959, 0.9882295226860, 0.9987488452737],
    [0.4021921162426, 0.8561710882420, 0.9722909545651, 0.9952884791278],
])  # fmt: skip
"""Two chains of all-passes whose outputs stand a quarter turn apart over the whole range; O. Niemitalo's coefficients,
from memory: the check measures how little of the other side is left."""


class Shift(Effect, kind="shift"):
    """Moves every frequency by so many hertz, so that harmonics stop being harmonic; or moves the pitch."""

    hertz = Param(
        "Frequency", 0.0, (-2000.0, 2000.0), HERTZ.amounts or HERTZ, says="Added to every frequency in the sound."
    )
    apart = Param("Apart", 0.0, (0.0, 1.0), PERCENT, says="Right goes the other way, from not at all to fully.")
    pitch = Param("Pitch", 0.0, (-24.0, 24.0), SEMITONES, says="Moves the pitch: harmonics stay harmonic.")
    window = Param("Window", 0.05, (0.01, LONGEST), SECONDS, taper=LOG, says="Pieces of this length are made of it.")
    feedback = Param("Feedback", 0.0, (0.0, 0.95), PERCENT, says="Goes round again, each time moved once more.")
    wait = Param("Time", 0.0, (0.0, 1.0), SECONDS, taper=CUBIC, says="How late what is fed back comes.")

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        size = 1 << math.ceil(math.log2(LONGEST * stage.rate + 16))
        back = 1 << math.ceil(math.log2(1.0 * stage.rate + 16))
        return (
            np.zeros((2, size), np.float32), np.zeros((2, back), np.float32), np.zeros((2, 2, 4, 4)), np.zeros((2, 1)),
            np.zeros(4), QUARTER**2,
        )  # fmt: skip

    def moved(self, frequency: float, right: bool = False) -> float:
        """Where a frequency in Hz comes out on a side, the first time round; below 0 it has been turned over."""
        hertz = float(self.hertz) * (1.0 - 2.0 * float(self.apart) if right else 1.0)
        return float(frequency * 2.0 ** (float(self.pitch) / 12.0) + hertz)

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return " · ".join(self.params[name].write(self.get(name)) for name in ("hertz", "pitch"))


HERTZ_AT, APART, PITCH, WINDOW, FEEDBACK, WAIT = Shift.rows_of("hertz", "apart", "pitch", "window", "feedback", "wait")
WRITE, TURN, OTHER, SAW = range(4)


@kernel
def _chain(x, squares, here):  # type: ignore[no-untyped-def]
    """One chain: y[n] = a² (x[n] + y[n − 2]) − x[n − 2], four times; `here` (section, 4) holds x and y twice back."""
    for k in range(4):
        y = squares[k] * (x + here[k, 3]) - here[k, 1]
        here[k, 1], here[k, 0] = here[k, 0], x
        here[k, 3], here[k, 2] = here[k, 2], y
        x = y
    return x


@works_for(Shift)
@kernel
def run_shift(audio, control, tick, rate, lines, backs, quarter, late, state, squares):  # type: ignore[no-untyped-def]
    """Shifts `audio` (float32, channel × frame) in place.

    Frequency: the sound and its quarter turn, multiplied by a turning pair, so that one side band is left (single side
    band modulation). Pitch: two readers that run through a line faster or slower, each faded in and out.
    """
    mask, around = lines.shape[1] - 1, backs.shape[1] - 1
    at = np.int64(state[WRITE])
    for t in range(control.shape[1] - 1):
        hertz, apart = np.float64(control[HERTZ_AT, t]), np.float64(control[APART, t])
        step, step_right = hertz / rate, hertz * (1.0 - 2.0 * apart) / rate
        ratio = 2.0 ** (np.float64(control[PITCH, t]) / 12.0)
        window = np.float64(control[WINDOW, t]) * rate
        feedback = np.float64(control[FEEDBACK, t])
        wait = np.int64(np.float64(control[WAIT, t]) * rate) + 1
        moves = ratio != 1.0
        shifts = hertz != 0.0
        for n in range(t * tick, (t + 1) * tick):
            state[TURN] += step
            state[OTHER] += step_right
            state[SAW] += (1.0 - ratio) / window
            state[SAW] -= math.floor(state[SAW])
            for channel in range(2):
                x = np.float64(audio[channel, n]) + feedback * np.float64(backs[channel, (at - wait) & around])
                lines[channel, at & mask] = np.float32(x)
                y = x
                if moves:
                    first = state[SAW]
                    second = first + 0.5 - math.floor(first + 0.5)
                    fade = 0.5 - 0.5 * math.cos(2.0 * math.pi * first)
                    y = fade * echo(lines[channel], at, 3.0 + first * window, mask)
                    y += (1.0 - fade) * echo(lines[channel], at, 3.0 + second * window, mask)
                if shifts:
                    real = _chain(y, squares[0], quarter[channel, 0])
                    turned = _chain(y, squares[1], quarter[channel, 1])
                    real, late[channel, 0] = late[channel, 0], real
                    angle = 2.0 * math.pi * (state[TURN] if channel == 0 else state[OTHER])
                    y = real * math.cos(angle) + turned * math.sin(angle)
                y = flushed(y)
                kept = min(max(y, -4.0), 4.0)
                backs[channel, at & around] = np.float32(kept)
                audio[channel, n] = np.float32(y)
            at += 1
    state[WRITE] = np.float64(at & ((np.int64(1) << 40) - 1))
    state[TURN] -= math.floor(state[TURN])
    state[OTHER] -= math.floor(state[OTHER])
    flush(quarter)
