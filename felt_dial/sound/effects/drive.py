"""Drive: eight ways to bend a wave, each with its antiderivative, so that little of it comes back as aliases."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import LOG, Choice, Param, Switch
from felt_dial.patch.units import DECIBELS, HERTZ, PERCENT
from felt_dial.sound.kernel import Stage, kernel, works_for

WAYS = {
    "soft": "Soft", "hard": "Hard", "tube": "Tube", "diode": "Diode", "sine": "Sine fold", "fold": "Triangle fold",
    "wrap": "Wrap",
}  # fmt: skip
SOFT, HARD, TUBE, DIODE, SINE, FOLD, WRAP = range(7)


class Drive(Effect, kind="drive"):
    """Bends the wave of the whole chord: the more notes, the more they grind against each other."""

    way = Choice("Way", "soft", WAYS, says="The curve that the wave is bent by.")
    amount = Param("Amount", 12.0, (-12.0, 48.0), DECIBELS, says="How hard the wave is pushed into the curve.")
    bias = Param("Bias", 0.0, (-1.0, 1.0), PERCENT, says="Pushes the wave off its middle: even harmonics.")
    before = Param("Low cut", 20.0, (20.0, 2000.0), HERTZ, taper=LOG, says="Keeps what is below out of the curve.")
    tone = Param("Tone", 20000.0, (300.0, 20000.0), HERTZ, taper=LOG, says="Takes away what is above, after the curve.")
    level = Param("Level", 0.0, (-24.0, 12.0), DECIBELS, says="How loud it comes out.")
    kept = Switch("Level kept", True, says="As loud after as before, measured while it plays.")
    wet = Param("Wet", 1.0, (0.0, 1.0), PERCENT, says="How much of the bent wave, beside the plain one.")

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        return np.zeros((2, 6)), np.array([0.0, 0.0, 1.0])

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return f"{WAYS[str(self.way)].lower()} · {self.params['amount'].write(self.get('amount'))}"


WAY, AMOUNT, BIAS, BEFORE, TONE, LEVEL, KEPT, WET = (Drive.row_of(name) for name in list(Drive.params)[1:])


def curve(way: str, x: ArrayLike) -> NDArray[np.float64]:
    """What becomes of a value, by the definition of each way; shape of `x`."""
    v = np.asarray(x, np.float64)
    forms = {
        "soft": lambda: np.tanh(v),
        "hard": lambda: np.clip(v, -1.0, 1.0),
        "tube": lambda: np.where(v < 0, np.tanh(v), 1.0 - np.exp(-np.maximum(v, 0.0))),
        "diode": lambda: np.where(v > 0, 1.0 - np.exp(-np.maximum(v, 0.0)), 0.2 * np.tanh(v)),
        "sine": lambda: np.sin(0.5 * np.pi * v),
        "fold": lambda: 2.0 * np.abs(np.mod(0.5 * (v - 1.0), 2.0) - 1.0) - 1.0,
        "wrap": lambda: v - 2.0 * np.floor(0.5 * (v + 1.0)),
    }
    return np.asarray(forms[way]())


@kernel
def bend(way, x):  # type: ignore[no-untyped-def]
    """`curve`, compiled, for one number."""
    if way == SOFT:
        return math.tanh(x)
    if way == HARD:
        return min(max(x, -1.0), 1.0)
    if way == TUBE:
        return math.tanh(x) if x < 0.0 else 1.0 - math.exp(-x)
    if way == DIODE:
        return 1.0 - math.exp(-x) if x > 0.0 else 0.2 * math.tanh(x)
    if way == SINE:
        return math.sin(0.5 * math.pi * x)
    if way == FOLD:
        u = 0.5 * (x - 1.0)
        u -= 2.0 * math.floor(0.5 * u)
        return 2.0 * abs(u - 1.0) - 1.0
    return x - 2.0 * math.floor(0.5 * (x + 1.0))


@kernel
def _log_cosh(x):  # type: ignore[no-untyped-def]
    size = abs(x)
    return size + math.log1p(math.exp(-2.0 * size)) - math.log(2.0)


@kernel
def area(way, x):  # type: ignore[no-untyped-def]
    """The antiderivative of `bend`, continuous; closed forms."""
    if way == SOFT:
        return _log_cosh(x)
    if way == HARD:
        return 0.5 * x * x if abs(x) <= 1.0 else abs(x) - 0.5
    if way == TUBE:
        return _log_cosh(x) if x < 0.0 else x + math.exp(-x) - 1.0
    if way == DIODE:
        return x + math.exp(-x) - 1.0 if x > 0.0 else 0.2 * _log_cosh(x)
    if way == SINE:
        return -math.cos(0.5 * math.pi * x) * 2.0 / math.pi
    if way == FOLD:
        u = x + 1.0
        u -= 4.0 * math.floor(0.25 * u)
        return 0.5 * u * u - u if u <= 2.0 else 3.0 * u - 0.5 * u * u - 4.0
    u = x + 1.0
    u -= 2.0 * math.floor(0.5 * u)
    return 0.5 * (u - 1.0) * (u - 1.0)


@works_for(Drive)
@kernel
def run_drive(audio, control, tick, rate, state, loud):  # type: ignore[no-untyped-def]
    """Bends `audio` (float32, channel × frame) in place.

    First-order antiderivative antialiasing (J. D. Parker, V. Zavalishin, E. Le Bivic, DAFx 2016): the mean of the
    curve between two frames, (F(x1) − F(x0)) / (x1 − x0); the plain sound is as late, by half a frame, as the bent one.
    Per channel `state` is (x, F(x), low cut, tone, DC blocker, its last input); `loud` the powers before and after, and
    the gain that keeps the level.
    """
    slow = 1.0 - math.exp(-tick / rate / 0.3)
    for t in range(control.shape[1] - 1):
        way = np.int64(control[WAY, t])
        push = 10.0 ** (np.float64(control[AMOUNT, t]) / 20.0)
        pushed = 10.0 ** (np.float64(control[AMOUNT, t + 1]) / 20.0)
        bias = np.float64(control[BIAS, t])
        cut, tone = np.float64(control[BEFORE, t]), np.float64(control[TONE, t])
        low = 0.0 if cut <= 20.0 else 1.0 - math.exp(-2.0 * math.pi * cut / rate)
        high = 1.0 if tone >= 19900.0 else 1.0 - math.exp(-2.0 * math.pi * tone / rate)
        block = 1.0 - 2.0 * math.pi * 5.0 / rate
        level, wet = 10.0 ** (np.float64(control[LEVEL, t]) / 20.0), np.float64(control[WET, t])
        was = loud[2]
        goal = 1.0
        if control[KEPT, t] > 0.5 and loud[1] > 1e-9:
            goal = min(math.sqrt((loud[0] + 1e-12) / (loud[1] + 1e-12)), 8.0)
        now = was + (goal - was) * min(4.0 * slow, 1.0)
        power_in = power_out = 0.0
        for channel in range(2):
            last, area_last = state[channel, 0], area(way, state[channel, 0])
            for n in range(t * tick, (t + 1) * tick):
                part = (n - t * tick) / tick
                plain = np.float64(audio[channel, n])
                state[channel, 2] += low * (plain - state[channel, 2])
                x = (push + (pushed - push) * part) * (plain - state[channel, 2]) + bias
                step = x - last
                if abs(step) < 1e-5:
                    y = bend(way, 0.5 * (x + last))
                else:
                    here = area(way, x)
                    y = (here - area_last) / step
                    area_last = here
                if abs(step) < 1e-5:
                    area_last = area(way, x)
                last = x
                blocked = y - state[channel, 5] + block * state[channel, 4]
                state[channel, 5], state[channel, 4] = y, blocked
                state[channel, 3] += high * (blocked - state[channel, 3])
                out = state[channel, 3]
                power_in += plain * plain
                power_out += out * out
                audio[channel, n] = np.float32((1.0 - wet) * plain + wet * level * (was + (now - was) * part) * out)
            state[channel, 0] = last
        loud[0] += slow * (power_in / (2 * tick) - loud[0])
        loud[1] += slow * (power_out / (2 * tick) - loud[1])
        loud[2] = now
    for channel in range(2):
        for k in (2, 3, 4):
            if abs(state[channel, k]) < 1e-15:
                state[channel, k] = 0.0
