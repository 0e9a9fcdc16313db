"""Phaser: a row of all-passes that sways, beside the plain sound."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import LOG, Param
from felt_dial.patch.units import COUNT, HERTZ, OCTAVES, PERCENT, RATE
from felt_dial.sound.kernel import Stage, kernel, ramp, works_for

MOST = 12


class Phaser(Effect, kind="phaser"):
    """Notches that wander: two to twelve all-passes, whose corner sways."""

    stages = Param("Stages", 6, (2, MOST), COUNT, whole=True, says="How many all-passes; every two make a notch.")
    frequency = Param("Middle", 800.0, (60.0, 8000.0), HERTZ, taper=LOG, says="Where the notches stand.")
    depth = Param("Depth", 1.5, (0.0, 4.0), OCTAVES, says="By how many octaves they sway to both sides.")
    rate = Param("Rate", 0.3, (0.01, 12.0), RATE, taper=LOG, beats=True, says="How often they sway.")
    feedback = Param("Feedback", 0.3, (-0.95, 0.95), PERCENT, says="How sharp what is between the notches becomes.")
    sides = Param("Sides", 0.2, (0.0, 0.5), PERCENT, says="How far right is behind left.")
    wet = Param("Wet", 0.5, (0.0, 1.0), PERCENT, says="Half makes the deepest notches.")

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        return np.zeros((2, MOST + 1)), np.zeros(2)

    def response(self, frequencies: NDArray[np.float64], rate: float = 48000.0) -> NDArray[np.float64]:
        """Gain in dB at frequencies in Hz while the corner stands in the middle; closed form, shape of `frequencies`."""
        k = math.tan(math.pi * float(self.frequency) / rate)
        a = (k - 1) / (k + 1)
        z = np.exp(-2j * np.pi * frequencies / rate)
        chain = ((a + z) / (1 + a * z)) ** int(self.stages)
        looped = chain / (1 - float(self.feedback) * z * chain)
        wet = float(self.wet)
        return np.asarray(20 * np.log10(np.abs((1 - wet) + wet * looped) + 1e-9))


STAGES, FREQUENCY, DEPTH, RATE_AT, FEEDBACK, SIDES, WET = Phaser.rows_of(
    "stages", "frequency", "depth", "rate", "feedback", "sides", "wet"
)


@works_for(Phaser)
@kernel
def run_phaser(audio, control, tick, rate, state, turn):  # type: ignore[no-untyped-def]
    """Mixes the swaying all-passes into `audio` (float32, channel × frame) in place; their corner ramps over a tick."""
    for t in range(control.shape[1] - 1):
        count = np.int64(control[STAGES, t])
        middle, depth = np.float64(control[FREQUENCY, t]), np.float64(control[DEPTH, t])
        (feedback, firmer), (wet, wetter) = ramp(control[FEEDBACK], t, tick), ramp(control[WET], t, tick)
        before = turn[0]
        turn[0] += np.float64(control[RATE_AT, t]) * tick / rate
        for channel in range(2):
            apart = channel * np.float64(control[SIDES, t])
            f0 = middle * 2.0 ** (depth * math.sin(2.0 * math.pi * (before + apart)))
            f1 = middle * 2.0 ** (depth * math.sin(2.0 * math.pi * (turn[0] + apart)))
            k0 = math.tan(math.pi * min(max(f0, 5.0), 0.45 * rate) / rate)
            k1 = math.tan(math.pi * min(max(f1, 5.0), 0.45 * rate) / rate)
            a, b = (k0 - 1.0) / (k0 + 1.0), (k1 - 1.0) / (k1 + 1.0)
            grow = (b - a) / tick
            back, share = feedback, wet
            for n in range(t * tick, (t + 1) * tick):
                x = np.float64(audio[channel, n])
                y = x + back * state[channel, MOST]
                for k in range(count):
                    out = a * y + state[channel, k]
                    state[channel, k] = y - a * out
                    y = out
                state[channel, MOST] = y if abs(y) > 1e-15 else 0.0
                audio[channel, n] = np.float32((1.0 - share) * x + share * y)
                a += grow
                back += firmer
                share += wetter
        turn[0] -= math.floor(turn[0])
    for channel in range(2):
        for k in range(MOST):
            if abs(state[channel, k]) < 1e-15:
                state[channel, k] = 0.0
