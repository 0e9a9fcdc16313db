"""Reverb: a room of feedback delay lines whose decay is as long as its dial says."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import CUBIC, LOG, Choice, Param, Switch
from felt_dial.patch.units import HERTZ, PERCENT, SECONDS
from felt_dial.sound.kernel import Stage, kernel, works_for

LINES = 8
ALLPASSES = 4
PREDELAY = 0.25
LARGEST = 2.0
LENGTHS = {
    "room": (0.0113, 0.0137, 0.0161, 0.0179, 0.0199, 0.0227, 0.0241, 0.0263),
    "hall": (0.0297, 0.0371, 0.0411, 0.0437, 0.0533, 0.0571, 0.0617, 0.0683),
    "plate": (0.0191, 0.0223, 0.0253, 0.0281, 0.0311, 0.0337, 0.0373, 0.0409),
    "cloud": (0.0631, 0.0743, 0.0821, 0.0937, 0.1033, 0.1129, 0.1213, 0.1327),
}
"""Seconds of the eight lines at a size of 100 %, chosen so that no two are near a simple ratio."""
DIFFUSERS = {
    "room": (0.0021, 0.0035, 0.0047, 0.0058), "hall": (0.0047, 0.0061, 0.0083, 0.0101),
    "plate": (0.0029, 0.0041, 0.0053, 0.0071), "cloud": (0.0111, 0.0153, 0.0197, 0.0233),
}  # fmt: skip
DENSITY = {"room": 0.55, "hall": 0.62, "plate": 0.72, "cloud": 0.7}


class Reverb(Effect, kind="reverb"):
    """A room, a hall, a plate or a cloud: eight lines that feed each other."""

    way = Choice(
        "Space", "hall", {"room": "Small room", "hall": "Hall", "plate": "Plate", "cloud": "Long cloud"},
        says="How far its walls are apart, and how fast echoes become a haze.",
    )  # fmt: skip
    decay = Param("Decay", 2.2, (0.1, 30.0), SECONDS, taper=LOG, says="Time in which it falls by 60 dB.")
    predelay = Param("Pre-delay", 0.012, (0.0, PREDELAY), SECONDS, taper=CUBIC, says="Time before the room answers.")
    size = Param("Size", 1.0, (0.25, LARGEST), PERCENT, says="Moves the walls; the decay stays as long.")
    damping = Param("Damping", 0.35, (0.0, 1.0), PERCENT, says="How much sooner its highs die away.")
    low_cut = Param("Low cut", 120.0, (20.0, 2000.0), HERTZ, taper=LOG, says="Keeps what is below out of the room.")
    high_cut = Param("High cut", 12000.0, (500.0, 20000.0), HERTZ, taper=LOG, says="Keeps what is above out of it.")
    width = Param("Width", 1.0, (0.0, 1.0), PERCENT, says="From one point to all around.")
    movement = Param("Movement", 0.25, (0.0, 1.0), PERCENT, says="How far its walls sway, so that nothing rings.")
    freeze = Switch("Freeze", False, says="Holds what is in the room for ever and lets nothing new in.", smooth=True)
    wet = Param("Wet", 0.25, (0.0, 1.0), PERCENT, says="How loud the room is beside the sound.")

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        longest = max(max(times) for times in LENGTHS.values()) * LARGEST + 0.01
        size = 1 << math.ceil(math.log2(longest * stage.rate))
        diffuser = 1 << math.ceil(math.log2(max(max(times) for times in DIFFUSERS.values()) * LARGEST * stage.rate))
        before = 1 << math.ceil(math.log2(PREDELAY * stage.rate + 2))
        return (
            np.zeros((LINES, size), np.float32), np.zeros((ALLPASSES, diffuser), np.float32),
            np.zeros((2, before), np.float32), np.zeros(24 + 2 * LINES), np.zeros((4, LINES)),
            np.zeros(ALLPASSES, np.int64),
        )  # fmt: skip

    def course(self, points: int = 200, seconds: float = 4.0) -> NDArray[np.float64]:
        """Level of the room over time, 0 to 1, by its decay: for the picture; float64 (points,)."""
        at = np.linspace(0.0, seconds, points)
        fall = 10.0 ** (-3.0 * np.maximum(at - float(self.predelay), 0.0) / float(self.decay))
        return np.where(at < float(self.predelay), 0.0, 1.0 if self.freeze else fall)

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return f"{self.params['decay'].write(self.get('decay'))} · wet {self.params['wet'].write(self.get('wet'))}"


ROW = {name: Reverb.row_of(name) for name in Reverb.params}
WAY, DECAY, PREDELAY_AT, SIZE, DAMPING = (ROW[n] for n in ("way", "decay", "predelay", "size", "damping"))
LOW_CUT, HIGH_CUT, WIDTH, MOVEMENT = (ROW[n] for n in ("low_cut", "high_cut", "width", "movement"))
FREEZE, WET = ROW["freeze"], ROW["wet"]
_LENGTHS = np.array([LENGTHS[way] for way in LENGTHS])
_DIFFUSERS = np.array([DIFFUSERS[way] for way in LENGTHS])
_DENSITY = np.array([DENSITY[way] for way in LENGTHS])
WRITE, TURN, BEFORE, LOW, HIGH, SIZE_NOW = 0, 1, 2, 3, 5, 7
DAMPED = 24
SWAY = 0.0006
"""Seconds by which a line sways at full movement."""


@works_for(Reverb)
@kernel
def run_reverb(audio, control, tick, rate, lines, diffusers, before, state, room, spread):  # type: ignore[no-untyped-def]
    """Adds a room to `audio` (float32, channel × frame) in place.

    A feedback delay network (J.-M. Jot, A. Chaigne, AES 90th Convention, 1991): eight lines whose gains
    10^(−3·length/decay) make every path fall by 60 dB in the decay, mixed by a Householder matrix, a one-pole
    low-pass in each for the damping, and four all-passes before them (M. R. Schroeder, JAES 10 (1962)).
    """
    mask, dmask, bmask = lines.shape[1] - 1, diffusers.shape[1] - 1, before.shape[1] - 1
    write = np.int64(state[WRITE])
    for t in range(control.shape[1] - 1):
        way = np.int64(control[WAY, t])
        goal = np.float64(control[SIZE, t])
        if state[SIZE_NOW] == 0.0:
            state[SIZE_NOW] = goal
        state[SIZE_NOW] += (goal - state[SIZE_NOW]) * 0.02
        size = state[SIZE_NOW]
        decay, freeze = np.float64(control[DECAY, t]), np.float64(control[FREEZE, t])
        sway = SWAY * np.float64(control[MOVEMENT, t]) * rate
        low = 1.0 - math.exp(-2.0 * math.pi * np.float64(control[LOW_CUT, t]) / rate)
        high = 1.0 - math.exp(-2.0 * math.pi * min(np.float64(control[HIGH_CUT, t]), 0.45 * rate) / rate)
        dull = (1.0 - freeze) * 0.75 * np.float64(control[DAMPING, t]) ** 2
        wide, wet = np.float64(control[WIDTH, t]), np.float64(control[WET, t])
        wetter = (np.float64(control[WET, t + 1]) - wet) / tick
        density = _DENSITY[way]
        state[TURN] += tick / rate * 0.7
        if state[TURN] > 64.0:
            state[TURN] -= 64.0
        for k in range(LINES):
            seconds = _LENGTHS[way, k] * size
            turn = 2.0 * math.pi * state[TURN] * (0.61 + 0.125 * k)
            room[0, k] = max(math.floor(seconds * rate + 0.5) + sway * (1.0 + math.sin(turn)), 4.0)
            room[1, k] = 10.0 ** (-3.0 * room[0, k] / rate / decay) * (1.0 - freeze) + freeze
        for k in range(ALLPASSES):
            spread[k] = max(np.int64(_DIFFUSERS[way, k] * size * rate), 1)
            room[3, k] = min(density, 10.0 ** (-6.0 * spread[k] / rate / decay))
        wait = np.int64(np.float64(control[PREDELAY_AT, t]) * rate)
        later = np.int64(np.float64(control[PREDELAY_AT, t + 1]) * rate)
        for n in range(t * tick, (t + 1) * tick):
            x, y = np.float64(audio[0, n]), np.float64(audio[1, n])
            before[0, write & bmask], before[1, write & bmask] = audio[0, n], audio[1, n]
            into_left = np.float64(before[0, (write - wait) & bmask])
            into_right = np.float64(before[1, (write - wait) & bmask])
            if later != wait:
                part = (n - t * tick) / tick
                into_left += part * (np.float64(before[0, (write - later) & bmask]) - into_left)
                into_right += part * (np.float64(before[1, (write - later) & bmask]) - into_right)
            middle, side = 0.5 * (into_left + into_right), 0.5 * (into_left - into_right)
            state[LOW] += low * (middle - state[LOW])
            state[HIGH] += high * (middle - state[LOW] - state[HIGH])
            state[LOW + 1] += low * (side - state[LOW + 1])
            state[HIGH + 1] += high * (side - state[LOW + 1] - state[HIGH + 1])
            fed = state[HIGH] * (1.0 - freeze)
            for k in range(ALLPASSES):
                late = np.float64(diffusers[k, (write - spread[k]) & dmask])
                inner = fed + room[3, k] * late
                fed = late - room[3, k] * inner
                diffusers[k, write & dmask] = np.float32(inner)
            total = 0.0
            for k in range(LINES):
                whole = np.int64(room[0, k])
                part = room[0, k] - whole
                a = np.float64(lines[k, (write - whole) & mask])
                b = np.float64(lines[k, (write - whole - 1) & mask])
                damped = a + part * (b - a)
                damped += dull * (state[DAMPED + k] - damped)
                state[DAMPED + k] = damped
                room[2, k] = damped * room[1, k]
                total += room[2, k]
            total *= 2.0 / LINES
            left = right = 0.0
            for k in range(LINES):
                sign = 1.0 if k % 2 == 0 else -1.0
                back = room[2, k] - total + fed * 0.5 + sign * 0.35 * state[HIGH + 1] * (1.0 - freeze)
                if abs(back) < 1e-15:
                    back = 0.0
                lines[k, write & mask] = np.float32(back)
                if k % 2 == 0:
                    left += room[2, k]
                else:
                    right += room[2, k]
            mono = 0.5 * (left + right)
            audio[0, n] = np.float32(x + wet * (mono + wide * (left - mono)))
            audio[1, n] = np.float32(y + wet * (mono + wide * (right - mono)))
            write += 1
            wet += wetter
    state[WRITE] = write
    for k in range(LOW, DAMPED + LINES):
        if abs(state[k]) < 1e-15:
            state[k] = 0.0
