"""Noise of any slope, held noise, and textures."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.asset import Asset
from felt_dial.sound.kernel import Stage, kernel
from felt_dial.sound.matter import assets
from felt_dial.sound.playing.kernels.counted_chance import chance
from felt_dial.sound.sources.kernels.core.notes import plays_each
from felt_dial.sound.sources.noise import STEEPEST, Noise

SECTIONS = 11
LOWEST = 20.0
"""Hz of the first of the sections, which lie an octave apart."""
LOUD = 0.25
"""Effective value of the noise, whatever its slope."""
SEAM = 4800
"""Frames over which the end of a texture fades into its beginning."""


SLOPE_AT, WIDTH, HOLD, RATE, FOLLOW, RATIO = (
    Noise.row_of(name) for name in ("slope", "width", "hold", "rate", "follow", "ratio")
)
PHASE, LEFT, RIGHT, PLACE = range(4)
MIDDLE_C = 440.0 * 2.0 ** (-9 / 12)


def _places(slope: NDArray | float, rate: float) -> tuple[NDArray, NDArray]:
    """Zeros and poles of the sections on the z axis, each (…, section).

    Poles an octave apart and zeros shifted against them by the slope over 6.02 dB: J. O. Smith and
    H. F. Smith, “Closed form fractional integration and differentiation via real exponentially spaced
    pole-zero pairs”, 2016; mapped by the matched z transform.
    """
    poles = LOWEST * 2.0 ** np.arange(SECTIONS)
    zeros = poles * 2.0 ** (-np.asarray(slope)[..., None] / (20 * math.log10(2)))
    return np.exp(-2 * np.pi * zeros / rate), np.broadcast_to(np.exp(-2 * np.pi * poles / rate), zeros.shape)


def slope_gains(rate: float) -> NDArray[np.float32]:
    """What brings the noise of a slope to the same effective value, for slopes from −12 to 12 in steps of ¼ dB."""
    slopes = np.arange(-STEEPEST, STEEPEST + 0.01, 0.25)
    hertz = np.geomspace(0.5, 0.5 * rate, 4096)
    at = np.exp(2j * np.pi * hertz / rate)
    zeros, poles = _places(slopes, rate)
    power = np.ones((len(slopes), len(at)))
    for k in range(SECTIONS):
        power *= np.abs((at - zeros[:, k, None]) / (at - poles[:, k, None])) ** 2
    mean = np.trapezoid(power * hertz, np.log(hertz), axis=1) / (0.5 * rate)
    return np.asarray(LOUD / np.sqrt(mean / 3), np.float32)


def texture_of(asset: Asset | None, rate: float) -> NDArray[np.float32]:
    """A recording at the rate, its end faded into its beginning, float32 (2, frame); (2, 0) where there is none."""
    sound = assets.load(asset)
    if sound is None or asset is None:
        return np.zeros((2, 0), np.float32)
    import soxr

    both = np.repeat(sound, 2, axis=0) if sound.shape[0] == 1 else sound
    if asset.rate != rate:
        both = soxr.resample(both.T, asset.rate, rate).T
    seam = min(SEAM, both.shape[1] // 2)
    fade = np.sin(np.linspace(0, np.pi / 2, seam, dtype=np.float32))
    body = both[:, : both.shape[1] - seam].copy()
    body[:, :seam] = body[:, :seam] * fade + both[:, both.shape[1] - seam :] * fade[::-1]
    level = np.float32(LOUD / max(float(np.sqrt(np.square(body).mean())), 1e-6))
    made: NDArray[np.float32] = np.ascontiguousarray(
        np.concatenate([body, body[:, :1]], axis=1) * min(level, np.float32(8))
    )
    return made


@kernel(inline=True)
def _white(state, row, side):
    """The next number from −1 to 1: xorshift64*, S. Vigna, ACM TOMS 42(4), 2016."""
    x = state[row, side]
    x ^= x >> np.uint64(12)
    x ^= x << np.uint64(25)
    x ^= x >> np.uint64(27)
    state[row, side] = x
    return np.float32(np.int64((x * np.uint64(0x2545F4914F6CDD1D)) >> np.uint64(40))) * np.float32(
        2.0 / 16777216.0
    ) - np.float32(1.0)


@kernel
def _slope_to(control, gains, places, row, t, rate):
    """Coefficients of a row for the slope at a tick."""
    slope = np.float64(control[SLOPE_AT, row, t])
    shift = 2.0 ** (-slope / 6.020599913279624)
    pole = LOWEST
    for k in range(SECTIONS):
        places[row, 2 * k] = np.float32(math.exp(-2.0 * math.pi * pole * shift / rate))
        places[row, 2 * k + 1] = np.float32(math.exp(-2.0 * math.pi * pole / rate))
        pole *= 2.0
    place = (slope + STEEPEST) * 4.0
    i = min(int(place), gains.shape[0] - 2)
    places[row, 2 * SECTIONS] = gains[i] + np.float32(place - i) * (gains[i + 1] - gains[i])
    places[row, 2 * SECTIONS + 1] = control[SLOPE_AT, row, t]


class NoiseState(NamedTuple):
    """The texture, and what every note stands at.

    Attributes
    ----------
    texture : float32 (2, frame)
        A recording that goes round; (2, 0) where there is none.
    gains : float32 (slope,)
        What brings the noise of every slope to the same level.
    seeds : uint64 (row, side)
    held : float64 (row, 4)
        Phase of the steps, what is held left and right, and the place in the texture.
    filters : float32 (row, side, section, 2)
    places : float32 (row, …)
        Zero and pole of every section, the gain, and the slope for which they were worked out.
    """

    texture: NDArray[np.float32]
    gains: NDArray[np.float32]
    seeds: NDArray[np.uint64]
    held: NDArray[np.float64]
    filters: NDArray[np.float32]
    places: NDArray[np.float32]


def prepare_noise(module: Noise, stage: Stage) -> NoiseState:
    """The texture, the levels, and the state of no note."""
    return NoiseState(
        texture=texture_of(module.asset, stage.rate),
        gains=slope_gains(stage.rate),
        seeds=np.zeros((stage.rows, 2), np.uint64),
        held=np.zeros((stage.rows, 4)),
        filters=np.zeros((stage.rows, 2, SECTIONS, 2), np.float32),
        places=np.full((stage.rows, 2 * SECTIONS + 2), 99.0, np.float32),
    )


@plays_each(Noise, prepare_noise, NoiseState)
@kernel
def play_noise(notes, state, row, first):
    """Plays one note; nothing can move the phase of a noise."""
    out, frequency, control, tick, rate, begin = (
        notes.out,
        notes.frequency,
        notes.control,
        notes.tick,
        notes.rate,
        notes.begin,
    )
    ticks = frequency.shape[1] - 1
    length = state.texture.shape[1] - 1
    if begin[0, row] >= 0:
        for side in range(2):
            seed = chance(begin[1, row], 20_000_000 + side) * 9007199254740992.0
            state.seeds[row, side] = np.uint64(np.int64(seed)) | np.uint64(1)
            for k in range(SECTIONS):
                state.filters[row, side, k, 0] = state.filters[row, side, k, 1] = np.float32(0.0)
        state.held[row, PHASE] = 1.0
        state.held[row, PLACE] = chance(begin[1, row], 20_000_003) * max(length, 1)
    for t in range(first, ticks):
        if control[SLOPE_AT, row, t] != state.places[row, 2 * SECTIONS + 1]:
            _slope_to(control, state.gains, state.places, row, t, rate)
        plain = control[SLOPE_AT, row, t] == np.float32(0.0)
        stepped = control[HOLD, row, t] > 0.5
        follows = control[FOLLOW, row, t] > 0.5
        f = np.float64(frequency[row, t])
        step = (f * np.float64(control[RATIO, row, t]) if follows else np.float64(control[RATE, row, t])) / rate
        speed = min(f / MIDDLE_C, 8.0) if follows else 1.0
        angle = np.float64(control[WIDTH, row, t]) * math.pi / 4
        middle, side_ = np.float32(math.cos(angle)), np.float32(math.sin(angle))
        gain = state.places[row, 2 * SECTIONS]
        for n in range(t * tick, (t + 1) * tick):
            state.held[row, PHASE] += step
            if not stepped or state.held[row, PHASE] >= 1.0:
                state.held[row, PHASE] -= np.floor(state.held[row, PHASE])
                if length > 0:
                    i = int(state.held[row, PLACE])
                    part = np.float32(state.held[row, PLACE] - i)
                    state.held[row, LEFT] = state.texture[0, i] + part * (state.texture[0, i + 1] - state.texture[0, i])
                    state.held[row, RIGHT] = state.texture[1, i] + part * (
                        state.texture[1, i + 1] - state.texture[1, i]
                    )
                else:
                    state.held[row, LEFT], state.held[row, RIGHT] = (
                        _white(state.seeds, row, 0),
                        _white(state.seeds, row, 1),
                    )
            if length > 0:
                state.held[row, PLACE] += speed
                if state.held[row, PLACE] >= length:
                    state.held[row, PLACE] -= length
            out[row, 0, n], out[row, 1, n] = np.float32(state.held[row, LEFT]), np.float32(state.held[row, RIGHT])
        if not plain:
            for side in range(2):
                for k in range(SECTIONS):
                    zero, pole = state.places[row, 2 * k], state.places[row, 2 * k + 1]
                    x1, y1 = state.filters[row, side, k, 0], state.filters[row, side, k, 1]
                    for n in range(t * tick, (t + 1) * tick):
                        x = out[row, side, n]
                        y1 = x - zero * x1 + pole * y1
                        x1 = x
                        out[row, side, n] = y1
                    if abs(y1) < np.float32(1e-20):
                        y1 = np.float32(0.0)
                    state.filters[row, side, k, 0], state.filters[row, side, k, 1] = x1, y1
        if length > 0:
            gain = np.float32(1.0) if plain else gain / state.gains[state.gains.shape[0] // 2]
        for n in range(t * tick, (t + 1) * tick):
            a, b = out[row, 0, n] * gain, out[row, 1, n] * gain
            if length > 0:
                mid, apart = np.float32(0.5) * (a + b), np.float32(0.5) * (a - b)
                width = control[WIDTH, row, t]
                out[row, 0, n], out[row, 1, n] = mid + width * apart, mid - width * apart
            else:
                out[row, 0, n], out[row, 1, n] = middle * a + side_ * b, middle * a - side_ * b
