"""Reduce, width and trim: bits and rate, the sides, a level."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.patch.module import Effect
from felt_dial.patch.params import LOG, Param, Switch
from felt_dial.patch.units import DECIBELS, HERTZ, PERCENT, PLACE
from felt_dial.sound.kernel import Stage, kernel, works_for


class Reduce(Effect, kind="reduce"):
    """Fewer bits and fewer samples, with everything that goes wrong then."""

    bits = Param("Bits", 10.0, (1.0, 24.0), PLACE, says="How many bits are left.")
    rate = Param("Rate", 12000.0, (100.0, 48000.0), HERTZ, taper=LOG, says="How many samples in a second are left.")
    wet = Param("Wet", 1.0, (0.0, 1.0), PERCENT, says="How much of the reduced sound.")

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        return (np.array([1.0, 0.0, 0.0]),)

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return f"{float(self.bits):.1f} bits · {self.params['rate'].write(self.get('rate'))}"


class Width(Effect, kind="width"):
    """Turns the sides up or down against the middle, and makes what is low one."""

    width = Param("Width", 1.0, (0.0, 2.0), PERCENT, says="0 is one point in the middle, 100 % as it was.")
    mono = Param("Mono below", 20.0, (20.0, 500.0), HERTZ, taper=LOG, says="What is below stands in the middle.")
    balance = Param("Balance", 0.0, (-1.0, 1.0), PERCENT, says="Turns one side down.")

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        return (np.zeros(2),)

    def turned(self, left: float, right: float) -> tuple[float, float]:
        """What becomes of a sample of both sides above the lows that are made one; the closed form, for the picture."""
        middle, side = 0.5 * (left + right), 0.5 * (left - right) * float(self.width)
        balance = float(self.balance)
        return min(1.0 - balance, 1.0) * (middle + side), min(1.0 + balance, 1.0) * (middle - side)


class Trim(Effect, kind="trim"):
    """A level between two effects, and the other way up."""

    level = Param("Level", 0.0, (-48.0, 24.0), DECIBELS, says="Louder or softer.")
    invert = Switch("Upside down", False, says="Turns the wave over.", smooth=True)

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        return (np.zeros(1),)


BITS, RATE_AT, R_WET = (Reduce.row_of(name) for name in ("bits", "rate", "wet"))


@works_for(Reduce)
@kernel
def run_reduce(audio, control, tick, rate, held):  # type: ignore[no-untyped-def]
    """Holds and rounds `audio` (float32, channel × frame) in place: mid-tread steps of 2^(1 − bits) of full scale."""
    for t in range(control.shape[1] - 1):
        size = 2.0 ** (1.0 - np.float64(control[BITS, t]))
        step, wet = np.float64(control[RATE_AT, t]) / rate, np.float64(control[R_WET, t])
        for n in range(t * tick, (t + 1) * tick):
            held[0] += step
            if held[0] >= 1.0:
                held[0] -= math.floor(held[0])
                for channel in range(2):
                    held[1 + channel] = size * math.floor(np.float64(audio[channel, n]) / size + 0.5)
            for channel in range(2):
                audio[channel, n] = np.float32(audio[channel, n] + wet * (held[1 + channel] - audio[channel, n]))


WIDTH, MONO, BALANCE = (Width.row_of(name) for name in ("width", "mono", "balance"))


@works_for(Width)
@kernel
def run_width(audio, control, tick, rate, state):  # type: ignore[no-untyped-def]
    """Turns the sides of `audio` (float32, channel × frame) in place; two poles take the lows out of them."""
    for t in range(control.shape[1] - 1):
        wide, wider = np.float64(control[WIDTH, t]), np.float64(control[WIDTH, t + 1])
        mono = np.float64(control[MONO, t])
        balance, shift = (
            np.float64(control[BALANCE, t]),
            np.float64(control[BALANCE, t + 1] - control[BALANCE, t]) / tick,
        )
        low = 0.0 if mono <= 20.0 else 1.0 - math.exp(-2.0 * math.pi * mono / rate)
        for n in range(t * tick, (t + 1) * tick):
            left, right = min(1.0 - balance, 1.0), min(1.0 + balance, 1.0)
            balance += shift
            x, y = np.float64(audio[0, n]), np.float64(audio[1, n])
            middle, side = 0.5 * (x + y), 0.5 * (x - y)
            state[0] += low * (side - state[0])
            side -= state[0]
            state[1] += low * (side - state[1])
            side = (side - state[1]) * (wide + (wider - wide) * (n - t * tick) / tick)
            audio[0, n], audio[1, n] = np.float32(left * (middle + side)), np.float32(right * (middle - side))
    for k in range(2):
        if abs(state[k]) < 1e-15:
            state[k] = 0.0


LEVEL, INVERT = (Trim.row_of(name) for name in ("level", "invert"))


@works_for(Trim)
@kernel
def run_trim(audio, control, tick, rate, state):  # type: ignore[no-untyped-def]
    """Scales `audio` (float32, channel × frame) in place; the level ramps over a tick."""
    for t in range(control.shape[1] - 1):
        was = 10.0 ** (np.float64(control[LEVEL, t]) / 20.0) * (1.0 - 2.0 * np.float64(control[INVERT, t]))
        now = 10.0 ** (np.float64(control[LEVEL, t + 1]) / 20.0) * (1.0 - 2.0 * np.float64(control[INVERT, t + 1]))
        for n in range(t * tick, (t + 1) * tick):
            gain = np.float32(was + (now - was) * (n - t * tick) / tick)
            audio[0, n] *= gain
            audio[1, n] *= gain
    state[0] = 0.0
