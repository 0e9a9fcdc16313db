"""Rotary: a horn and a drum that turn before two ears, near and far, left and right."""

from __future__ import annotations

import math
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import LOG, Choice, Param
from felt_dial.patch.units import HERTZ, PERCENT, RATE, SECONDS
from felt_dial.sound.effects.delay import echo
from felt_dial.sound.effects.swept import sway
from felt_dial.sound.kernel import Stage, flushed, kernel, ramp, works_for

SPEED_OF_SOUND = 343.0
HORN, DRUM = 0.18, 0.2
"""Radius in metres of what turns above the split, and below it."""
LONGEST = 0.02
DRAG = 0.9
"""Pace of the drum against that of the horn."""


class Rotary(Effect, kind="rotary"):
    """The sound turns: a horn above, a drum below, each coming nearer and going away, higher and lower as it does."""

    pace = Choice(
        "Pace", "slow", {"stopped": "Stopped", "slow": "Slow", "fast": "Fast"},
        says="A change of pace takes its time: the drum is heavier than the horn.",
    )  # fmt: skip
    slow = Param("Slow", 0.8, (0.05, 3.0), RATE, taper=LOG, says="Turns in a second while it is slow.")
    fast = Param("Fast", 6.6, (2.0, 14.0), RATE, taper=LOG, says="Turns in a second while it is fast.")
    weight = Param("Weight", 1.0, (0.1, 6.0), SECONDS, taper=LOG, says="Time in which the horn takes up a new pace.")
    split = Param(
        "Split", 800.0, (200.0, 3000.0), HERTZ, taper=LOG, says="The drum has what is below, the horn the rest."
    )
    depth = Param(
        "Depth", 0.7, (0.0, 1.0), PERCENT, says="How far near and far, and high and low, are from each other."
    )
    spread = Param("Spread", 0.8, (0.0, 1.0), PERCENT, says="How far apart the two ears are.")

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        size = 1 << math.ceil(math.log2(LONGEST * stage.rate + 8))
        return np.zeros((2, size), np.float32), np.zeros(8), np.zeros((2, 2, stage.tick))

    lines_are: ClassVar[str] = "how near horn (wide) and drum are to the left ear, over two turns"

    def lines(self, turns: NDArray[np.float64]) -> list[NDArray[np.float64]]:
        """How near horn and drum are to the left ear over some turns, 0 to 1; for the picture.

        A drum's turn takes a ninth longer, and standing still they stay where they are.
        """
        apart, depth = 0.5 * math.pi * float(self.spread), float(self.depth)
        moving = 0.0 if self.pace == "stopped" else 1.0
        horn = np.cos(2 * np.pi * moving * turns + apart)
        drum = np.cos(2 * np.pi * moving * DRAG * turns + 0.5 * apart)
        return [0.5 + 0.45 * depth * horn, 0.5 + 0.25 * depth * drum]

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return f"{self.params['pace'].write(self.get('pace')).lower()} · depth {self.params['depth'].write(self.get('depth'))}"


PACE, SLOW, FAST, WEIGHT, SPLIT, DEPTH, SPREAD = Rotary.rows_of(
    "pace", "slow", "fast", "weight", "split", "depth", "spread"
)
WRITE, HORN_AT, DRUM_AT, HORN_PACE, DRUM_PACE, LOW, LOW_TWICE = range(7)
HORN_OF, DRUM_OF = range(2)


@works_for(Rotary)
@kernel
def run_rotary(audio, control, tick, rate, lines, state, near):  # type: ignore[no-untyped-def]
    """Turns `audio` (float32, channel × frame) in place: both sides are summed and sent round.

    The way to an ear changes by the radius times the cosine of the angle, and with it the delay (Doppler) and the
    loudness, as in J. Smith, S. Serafin, J. Abel and D. Berners, Doppler simulation and the Leslie, DAFx 2002.
    """
    mask = lines.shape[1] - 1
    at, first, second = np.int64(state[WRITE]), state[LOW], state[LOW_TWICE]
    for t in range(control.shape[1] - 1):
        pace = np.int64(control[PACE, t])
        goal = 0.0 if pace == 0 else np.float64(control[SLOW, t] if pace == 1 else control[FAST, t])
        heavy = np.float64(control[WEIGHT, t])
        state[HORN_PACE] += (goal - state[HORN_PACE]) * (1.0 - math.exp(-tick / (heavy * rate)))
        state[DRUM_PACE] += (DRAG * goal - state[DRUM_PACE]) * (1.0 - math.exp(-tick / (4.0 * heavy * rate)))
        low = 1.0 - math.exp(-2.0 * math.pi * np.float64(control[SPLIT, t]) / rate)
        (depth, deeper), (spread, wider) = ramp(control[DEPTH], t, tick), ramp(control[SPREAD], t, tick)
        for ear, side in enumerate((0.25, -0.25)):
            for of, at_turn, turns, part in (
                (HORN_OF, HORN_AT, HORN_PACE, side),
                (DRUM_OF, DRUM_AT, DRUM_PACE, 0.5 * side),
            ):
                begin, step = state[at_turn] + 0.25 + part * spread, state[turns] / rate + part * wider
                sway(near[of, ear], begin, step, (0.0, 0.0), (1.0, 0.0))
        for n in range(tick):
            x = 0.5 * (np.float64(audio[0, t * tick + n]) + np.float64(audio[1, t * tick + n]))
            first += low * (x - first)
            second += low * (first - second)
            lines[0, at], lines[1, at] = np.float32(x - second), np.float32(second)
            for ear in range(2):
                horn_near, drum_near = near[HORN_OF, ear, n], near[DRUM_OF, ear, n]
                horn = echo(lines[0], at, 3.0 + depth * HORN * (1.0 - horn_near) / SPEED_OF_SOUND * rate, mask)
                drum = echo(lines[1], at, 3.0 + depth * DRUM * (1.0 - drum_near) / SPEED_OF_SOUND * rate, mask)
                horn *= 1.0 + 0.45 * depth * horn_near
                drum *= 1.0 + 0.25 * depth * drum_near
                audio[ear, t * tick + n] = np.float32(horn + drum)
            at = (at + 1) & mask
            depth += deeper
        state[HORN_AT] += state[HORN_PACE] * tick / rate
        state[DRUM_AT] += state[DRUM_PACE] * tick / rate
    state[HORN_AT] -= math.floor(state[HORN_AT])
    state[DRUM_AT] -= math.floor(state[DRUM_AT])
    state[LOW], state[LOW_TWICE] = flushed(first), flushed(second)
    state[WRITE] = at
