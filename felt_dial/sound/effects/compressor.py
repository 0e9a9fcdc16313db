"""Compressor: makes what is above a threshold softer, by a ratio."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import CUBIC, LOG, Param
from felt_dial.patch.units import DECIBELS, HERTZ, PERCENT, PLACE, SECONDS
from felt_dial.sound.kernel import Stage, kernel, ramp, works_for

AHEAD = 0.01


class Compressor(Effect, kind="compressor"):
    """Turns down what is louder than a threshold, and all of it up again if you like."""

    threshold = Param("Threshold", -18.0, (-60.0, 0.0), DECIBELS, says="From where on it works.")
    ratio = Param("Ratio", 4.0, (1.0, 40.0), PLACE, taper=LOG, says="4 means: 4 dB above come out as 1 dB.")
    knee = Param("Knee", 6.0, (0.0, 24.0), DECIBELS, says="Over how many dB it sets in.")
    attack = Param("Attack", 0.008, (0.0, 0.5), SECONDS, taper=CUBIC, says="Time to 63 % of what it turns down.")
    release = Param("Release", 0.12, (0.005, 3.0), SECONDS, taper=LOG, says="Time to let go of 63 % of it.")
    ahead = Param(
        "Look ahead", 0.0, (0.0, AHEAD), SECONDS, movable=False, rebuilds=True, says="Hears it this much early."
    )
    side_cut = Param("Side low cut", 20.0, (20.0, 2000.0), HERTZ, taper=LOG, says="What is below does not work it.")
    makeup = Param("Make-up", 0.0, (-12.0, 24.0), DECIBELS, says="How much louder all of it comes out.")
    wet = Param("Wet", 1.0, (0.0, 1.0), PERCENT, says="How much of the compressed sound, beside the plain one.")

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        size = 1 << math.ceil(math.log2(AHEAD * stage.rate + 2))
        return np.zeros((2, size), np.float32), np.zeros(8)

    def reading(self, state: tuple[Any, ...]) -> float:
        """dB by which it turns the sound down now."""
        return -float(state[1][REDUCED])

    def late(self, rate: float) -> int:
        """Frames by which the sound comes out late at a rate."""
        return int(float(np.float32(self.ahead)) * rate)

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return f"{float(self.ratio):.1f} : 1 from {self.params['threshold'].write(self.get('threshold'))}"


THRESHOLD, RATIO, KNEE, ATTACK, RELEASE, AHEAD_AT, SIDE_CUT, MAKEUP, WET = Compressor.rows_of(
    "threshold", "ratio", "knee", "attack", "release", "ahead", "side_cut", "makeup", "wet"
)
WRITE, LOW_LEFT, LOW_RIGHT, PEAK, REDUCED = range(5)


def static_curve(level: ArrayLike, threshold: float, ratio: float, knee: float) -> NDArray[np.float64]:
    """Level out for a level in, both dB, before make-up (Giannoulis, Massberg, Reiss, JAES 60(6), 2012, eq. 4)."""
    x = np.asarray(level, np.float64)
    over = x - threshold
    soft = x + (1 / ratio - 1) * (over + knee / 2) ** 2 / max(2 * knee, 1e-9)
    hard = threshold + over / ratio
    return np.where(2 * over < -knee, x, np.where((2 * np.abs(over) <= knee) & (knee > 0), soft, hard))


@works_for(Compressor)
@kernel
def run_compressor(audio, control, tick, rate, line, state):  # type: ignore[no-untyped-def]
    """Compresses `audio` (float32, channel × frame) in place.

    Feed-forward, in dB, a smooth branching peak detector on the gain (Giannoulis, Massberg, Reiss 2012, eq. 16); both
    channels are turned down alike. `state[REDUCED]` is the gain reduction of this moment in dB.
    """
    mask = line.shape[1] - 1
    write, reduced = np.int64(state[WRITE]), state[REDUCED]
    for t in range(control.shape[1] - 1):
        threshold, ratio = np.float64(control[THRESHOLD, t]), np.float64(control[RATIO, t])
        knee = np.float64(control[KNEE, t])
        makeup, louder = ramp(control[MAKEUP], t, tick)
        attack, release = np.float64(control[ATTACK, t]), np.float64(control[RELEASE, t])
        rise = math.exp(-1.0 / (attack * rate)) if attack > 0.0 else 0.0
        fall = math.exp(-1.0 / (release * rate))
        cut = np.float64(control[SIDE_CUT, t])
        low = 0.0 if cut <= 20.0 else 1.0 - math.exp(-2.0 * math.pi * cut / rate)
        wait = np.int64(np.float64(control[AHEAD_AT, t]) * rate)
        wet, wetter = ramp(control[WET], t, tick)
        for n in range(t * tick, (t + 1) * tick):
            x, y = np.float64(audio[0, n]), np.float64(audio[1, n])
            line[0, write & mask], line[1, write & mask] = audio[0, n], audio[1, n]
            state[LOW_LEFT] += low * (x - state[LOW_LEFT])
            state[LOW_RIGHT] += low * (y - state[LOW_RIGHT])
            loud = max(abs(x - state[LOW_LEFT]), abs(y - state[LOW_RIGHT]))
            over = 20.0 * math.log10(loud + 1e-9) - threshold
            if 2.0 * over < -knee:
                goal = 0.0
            elif 2.0 * over <= knee:
                goal = (1.0 - 1.0 / ratio) * (over + 0.5 * knee) ** 2 / (2.0 * knee + 1e-9)
            else:
                goal = (1.0 - 1.0 / ratio) * over
            keep = rise if goal > reduced else fall
            reduced = keep * reduced + (1.0 - keep) * goal
            gain = wet * 10.0 ** ((makeup - reduced) / 20.0) + 1.0 - wet
            audio[0, n] = np.float32(gain * line[0, (write - wait) & mask])
            audio[1, n] = np.float32(gain * line[1, (write - wait) & mask])
            write += 1
            makeup += louder
            wet += wetter
    state[WRITE], state[REDUCED] = write, reduced if reduced > 1e-12 else 0.0
    for k in (LOW_LEFT, LOW_RIGHT):
        if abs(state[k]) < 1e-15:
            state[k] = 0.0
