"""Comb: a delay as long as one turn of a pitch, fed back, so that the pitch and its harmonics ring.

With all of it fed back it goes on by itself, like a string: K. Karplus and A. Strong, Computer Music Journal 7(2), 1983;
the loop's filters are tuned out as in D. A. Jaffe and J. O. Smith, the same issue.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Tuned
from felt_dial.patch.params import LOG, Choice, Param
from felt_dial.patch.units import HERTZ, PERCENT, SEMITONES
from felt_dial.sound.effects.delay import echo
from felt_dial.sound.kernel import Stage, flushed, kernel, works_for
from felt_dial.sound.tone.cutoff import DRIVE, RESONANCE, give_way, hertz, hertz_at, now_or_set

Loop = Callable[[NDArray[np.complex128]], NDArray[np.complex128]]
LOWEST = 16.0
OPEN = 19_900.0
BLOCK = 1.0
"""Hertz below which the loop loses what stands still; turned over it has none of it to lose."""
ROOM = 4.0
"""Level at which the loop gives way without drive."""


class Comb(Tuned, kind="comb", title="Comb"):
    """Rings at the played pitch and its harmonics; with all of it fed back, like a string that goes on by itself."""

    cutoff = Param("Cutoff", 220.0, (20.0, 20000.0), HERTZ, taper=LOG, says="The lowest tone that rings, if in hertz.")
    counted = Choice(
        "Cutoff is", "key", {"hertz": "In hertz", "key": "From the key"},
        says="The comb rings where its dial says, or at a distance from the pitch that is played.",
    )  # fmt: skip
    distance = Param(
        "From the key", 0.0, (-48.0, 96.0), SEMITONES, says="How far above the played pitch it rings, if counted so."
    )
    resonance = Param(
        "Resonance", 0.5, (0.0, 1.0), PERCENT, says="How much is fed back: at the end it never dies away."
    )
    teeth = Choice(
        "Teeth", "all", {"all": "All harmonics", "odd": "Odd harmonics"},
        says="Fed back as it is, all harmonics ring; turned over, only the odd ones, hollow.",
    )  # fmt: skip
    damping = Param("Damping", 20000.0, (200.0, 20000.0), HERTZ, taper=LOG, says="Each turn loses what is above.")

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        size = 1 << math.ceil(math.log2(stage.rate / LOWEST + 8))
        return np.zeros((stage.rows, 2, size), np.float32), np.zeros((stage.rows, 2, 4)), np.zeros(stage.rows, np.int64)

    def gain(
        self, frequency: ArrayLike, rate: float, now: Mapping[str, float] | None = None, pitch: float = 60.0
    ) -> NDArray[np.float64]:
        """Gain (linear) at each frequency: the closed form of the loop."""
        f = np.asarray(frequency, np.float64)
        back = feedback(now_or_set(self, now, "resonance"))
        sign = -1.0 if self.teeth == "odd" else 1.0
        at = hertz(self, now, pitch)
        z = np.exp(-2j * np.pi * f / rate)
        loop, wait = loop_at(at, now_or_set(self, now, "damping"), rate, sign)
        found = math.sqrt(1 - 0.96 * back * back) / (1 - sign * back * loop(z) * z**wait)
        return np.asarray(np.abs(found))

    def gist(self) -> str:
        """What kind of filter it is set to, in a word or two."""
        return f"comb, {'all' if self.teeth == 'all' else 'odd'} teeth"


TEETH, DAMPING = Comb.row_of("teeth"), Comb.row_of("damping")
DULL, BLOCKED, INTO = range(3)


def feedback(resonance: float) -> float:
    """Gain of one turn."""
    return 1.0 - (1.0 - resonance) ** 2


def loop_at(at: float, damping: float, rate: float, sign: float) -> tuple[Loop, float]:
    """The loop's filter as a function of 1/z, and the frames of its delay, so that it rings at `at` Hz."""
    dull = 1.0 if damping > OPEN else 1.0 - math.exp(-2.0 * math.pi * damping / rate)
    keep = 1.0 - 2.0 * math.pi * BLOCK / rate

    def loop(z: NDArray[np.complex128]) -> NDArray[np.complex128]:
        return np.asarray(dull / (1 - (1 - dull) * z) * ((1 - z) / (1 - keep * z) if sign > 0 else 1.0))

    w = 2 * math.pi * at / rate
    turn = 2 * math.pi if sign > 0 else math.pi
    wait = (turn + float(np.angle(loop(np.exp(-1j * np.array([w])))[0]))) / w
    return loop, max(wait, 2.0)


@kernel
def _wait(f, damping, rate, odd):  # type: ignore[no-untyped-def]
    """Frames of the delay: one turn of the pitch less what the loop's filters add."""
    w = 2.0 * math.pi * min(max(f, LOWEST), 0.25 * rate) / rate
    keep = 1.0 - 2.0 * math.pi * BLOCK / rate
    rest = 0.0 if damping > OPEN else math.exp(-2.0 * math.pi * damping / rate)
    turn = math.pi if odd else 2.0 * math.pi
    turn -= math.atan2(rest * math.sin(w), 1.0 - rest * math.cos(w))
    if odd:
        return max(turn / w, 2.0)
    turn += math.atan2(math.sin(w), 1.0 - math.cos(w)) - math.atan2(keep * math.sin(w), 1.0 - keep * math.cos(w))
    return max(turn / w, 2.0)


@works_for(Comb)
@kernel
def run_comb(audio, control, line, frequency, rows, start, tick, rate, swing, lines, state, writes):  # type: ignore[no-untyped-def]
    """Filters `audio[row]` in place; `lines` float32 (row, channel, 2ⁿ), `state` float64 (row, channel, 4)."""
    ticks = control.shape[2] - 1
    mask = lines.shape[2] - 1
    keep = 1.0 - 2.0 * math.pi * BLOCK / rate
    for row in rows:
        first = max(start[row], 0)
        if start[row] >= 0:
            state[row] = 0.0
            lines[row] = np.float32(0.0)
        odd = control[TEETH, row, first] > 0.5
        sign = -1.0 if odd else 1.0
        wait = -1.0
        for t in range(first, ticks):
            damping = np.float64(control[DAMPING, row, t])
            dull = 1.0 if damping > OPEN else 1.0 - math.exp(-2.0 * math.pi * damping / rate)
            after = 0.0
            for end in range(1 if wait >= 0.0 else 0, 2):
                u = t + end
                f = hertz_at(control, line, frequency, row, u)
                after = _wait(f, np.float64(control[DAMPING, row, u]), rate, odd)
                if end == 0:
                    wait = after
            b0 = 1.0 - (1.0 - np.float64(control[RESONANCE, row, t])) ** 2
            b1 = 1.0 - (1.0 - np.float64(control[RESONANCE, row, t + 1])) ** 2
            ceiling = ROOM / 10.0 ** (np.float64(control[DRIVE, row, t]) / 20.0)
            grow, lift = (after - wait) / tick, (b1 - b0) / tick
            for channel in range(2):
                own = lines[row, channel]
                low, blocked, into = state[row, channel, DULL], state[row, channel, BLOCKED], state[row, channel, INTO]
                at = writes[row]
                for n in range(tick):
                    frames = wait + grow * n
                    if swing.shape[0] > 0:
                        frames = min(max(frames * 2.0 ** -np.float64(swing[row, t * tick + n]), 2.0), mask - 4.0)
                    heard = echo(own, at, frames, mask)
                    low += dull * (heard - low)
                    blocked = low if odd else low - into + keep * blocked
                    into = low
                    back = b0 + lift * n
                    bent = ceiling * give_way(back * blocked / ceiling)
                    y = np.float64(audio[row, channel, t * tick + n]) + sign * bent
                    own[at] = np.float32(flushed(y))
                    at = (at + 1) & mask
                    audio[row, channel, t * tick + n] = np.float32(y * math.sqrt(1.0 - 0.96 * back * back))
                state[row, channel, DULL], state[row, channel, BLOCKED] = flushed(low), flushed(blocked)
                state[row, channel, INTO] = flushed(into)
            writes[row] = (writes[row] + tick) & mask
            wait = after
